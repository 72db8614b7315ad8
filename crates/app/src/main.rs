//! Deft Barge: moves installed games between drives and proves that nothing would be downloaded again.
//!
//! Arguments, wording, drawing and exit codes are here; the job is in `deft-barge-core`. Start at [`run`].
#![cfg_attr(test, allow(clippy::too_many_lines, reason = "what a test goes through is read from end to end"))]

mod cli;
mod commands;
mod completing;
mod config;
mod detached;
mod diagnostics;
mod present;
mod request;
mod service;
mod surroundings;
mod tell;
mod tui;

use std::process::ExitCode;

use clap::error::ErrorKind;
use clap::{CommandFactory, Parser};
use clap_complete::CompleteEnv;

use cli::{Arguments, Command};
use present::Fault;

fn main() -> ExitCode {
    // What a shell asks for is answered, and nothing else is done.
    CompleteEnv::with_factory(Arguments::command).complete();
    // The stand-in launcher has arguments of its own.
    let mut words = std::env::args_os();
    if words.nth(1).is_some_and(|word| word == "stand-in") {
        let mut words = words.peekable();
        if words.peek().is_some_and(|word| !word.as_encoded_bytes().starts_with(b"-")) {
            return deft_barge_harbor::launchers::main(std::iter::once("stand-in".into()).chain(words));
        }
        return deft_barge_harbor::quillgate::main(std::iter::once("quillgate".into()).chain(words));
    }
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) => {
            let asked = matches!(error.kind(), ErrorKind::DisplayHelp | ErrorKind::DisplayVersion);
            // What it asked for is not known, but that it asked for a document.
            let words = std::env::args_os().skip(1).take_while(|word| word != "--");
            if !asked && words.into_iter().any(|word| word == "--json") {
                let fault = Fault::of_arguments(&error);
                fault.print(true);
                return ExitCode::from(fault.code());
            }
            #[expect(clippy::let_underscore_must_use, reason = "who closed the output does not want to know")]
            let _ = error.print();
            return ExitCode::from(if asked { 0 } else { 2 });
        }
    };
    let json = arguments.json;
    match run(arguments) {
        Ok(code) => ExitCode::from(code),
        Err(fault) => {
            tracing::warn!(code = fault.code(), sentence = fault.sentence, "failed");
            fault.print(json);
            ExitCode::from(fault.code())
        }
    }
}

/// Does what the arguments say and gives the exit code.
fn run(arguments: Arguments) -> Result<u8, Fault> {
    let sink = service::Sink::CommandLine { json: arguments.json };
    if let Some(Command::Demo(demo)) = arguments.command {
        return cli::demo(&demo, &sink);
    }
    match &arguments.command {
        Some(Command::Completions { shell }) => return cli::completions(*shell, &sink),
        Some(Command::Man { dir }) => return cli::man(dir.as_deref(), &sink),
        _ => {}
    }
    let site = surroundings::site(arguments.world.as_deref())?;
    diagnostics::begin(&site)?;
    match arguments.command {
        None => tui::run(site),
        Some(Command::Survey) => service::survey(&site, &sink),
        Some(Command::Plan(wish)) => service::plan(&site, &wish, &sink),
        Some(Command::Haul(wish)) => service::haul(&site, &wish, &sink),
        Some(Command::Chart(what)) => service::chart(&site, &what, &sink),
        Some(Command::Export(what)) => service::export(&site, &what, &sink),
        Some(Command::Report { haul, out, overwrite }) => {
            service::report(&site, haul, out.as_deref(), overwrite, &sink)
        }
        Some(Command::Trace(traced)) => service::trace(&site, &traced, &sink),
        Some(Command::Library(act)) => service::library(&site, &act, &sink),
        Some(Command::Cleanup { act }) => service::cleanup(&site, act.as_ref(), &sink),
        Some(Command::Pack(act)) => service::pack(&site, &act, &sink),
        Some(Command::Audit(auditing)) => service::audit(&site, &auditing, &sink),
        Some(Command::Launch { game, program, wait }) => service::launch(&site, &game, program.as_deref(), wait, &sink),
        Some(Command::Import(importing)) => service::import(&site, &importing, &sink),
        Some(Command::Remap { old, new, consent }) => {
            let places = old.zip(new);
            service::remap(&site, places.as_ref().map(|(old, new)| (old.as_path(), new.as_path())), consent, &sink)
        }
        Some(Command::Data(act)) => service::data(&site, &act, &sink),
        Some(Command::Learn(learning)) => service::learn(&site, &learning, &sink),
        Some(Command::Profile(act)) => service::profile(&site, &act, &sink),
        Some(Command::Suggest(wish)) => service::suggest(&site, &wish, &sink),
        Some(Command::Probe { drive, yes }) => service::probe(&site, &drive, yes, &sink),
        Some(Command::Resume(going)) if going.apart => detached::resume_apart(&site),
        Some(Command::Resume(going)) => service::resume(&site, &going, &sink),
        Some(Command::Repair(taking)) => service::repair(&site, &taking, &sink),
        Some(Command::Undo(which)) => service::undo(&site, &which, &sink),
        Some(Command::Release(which)) => service::release(&site, &which, &sink),
        Some(Command::Verify(what)) => service::verify(&site, &what, &sink),
        Some(Command::Log { words, all }) => service::log(&site, &words, all, &sink),
        Some(Command::Journal(act)) => cli::journal(&site, &act, &sink),
        Some(Command::Settings(act)) => cli::settings(&site, &act, &sink),
        Some(Command::Demo(_) | Command::Completions { .. } | Command::Man { .. }) => Ok(0),
    }
}
