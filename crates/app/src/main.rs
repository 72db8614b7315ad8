//! Deft Barge: moves installed games between drives and proves that nothing would be downloaded again.
//!
//! Arguments, wording, drawing and exit codes are here; the job is in `deft-barge-core`. Start at [`run`].

mod acts;
mod arguments;
mod diagnostics;
mod direction;
mod fault;
mod progress;
mod settings;
mod show;
mod sink;
mod surroundings;
mod tui;
mod wording;

use std::process::ExitCode;

use clap::error::ErrorKind;
use clap::{CommandFactory, Parser};
use clap_complete::CompleteEnv;

use arguments::{Arguments, Command};
use fault::Fault;

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
    let sink = sink::Sink::CommandLine { json: arguments.json };
    if let Some(Command::Demo(demo)) = arguments.command {
        return acts::demo(&demo, &sink);
    }
    match &arguments.command {
        Some(Command::Completions { shell }) => return acts::completions(*shell, &sink),
        Some(Command::Man { dir }) => return acts::man(dir.as_deref(), &sink),
        _ => {}
    }
    let site = surroundings::site(arguments.world.as_deref())?;
    diagnostics::begin(&site)?;
    match arguments.command {
        None => tui::run(site),
        Some(Command::Survey) => acts::survey(&site, &sink),
        Some(Command::Plan(wish)) => acts::plan(&site, &wish, &sink),
        Some(Command::Haul(wish)) => acts::haul(&site, &wish, &sink),
        Some(Command::Chart(what)) => acts::chart(&site, &what, &sink),
        Some(Command::Export(what)) => acts::export(&site, &what, &sink),
        Some(Command::Report { haul, out, overwrite }) => acts::report(&site, haul, out.as_deref(), overwrite, &sink),
        Some(Command::Trace(traced)) => acts::trace(&site, &traced, &sink),
        Some(Command::Library(act)) => acts::library(&site, &act, &sink),
        Some(Command::Finds { act }) => acts::finds(&site, act.as_ref(), &sink),
        Some(Command::Carry(act)) => acts::carry(&site, &act, &sink),
        Some(Command::Audit(auditing)) => acts::audit(&site, &auditing, &sink),
        Some(Command::Start { game, program, wait }) => acts::start(&site, &game, program.as_deref(), wait, &sink),
        Some(Command::Adopt(adopting)) => acts::adopt(&site, &adopting, &sink),
        Some(Command::ReAnchor { old, new, consent }) => {
            let places = old.zip(new);
            acts::re_anchor(&site, places.as_ref().map(|(old, new)| (old.as_path(), new.as_path())), consent, &sink)
        }
        Some(Command::Data(act)) => acts::data(&site, &act, &sink),
        Some(Command::Profile(act)) => acts::profile(&site, &act, &sink),
        Some(Command::Suggest(wish)) => acts::suggest(&site, &wish, &sink),
        Some(Command::Probe { drive }) => acts::probe(&site, &drive, &sink),
        Some(Command::Resume(going)) if going.apart => tui::resume_apart(&site),
        Some(Command::Resume(going)) => acts::resume(&site, &going, &sink),
        Some(Command::Take(taking)) => acts::take(&site, &taking, &sink),
        Some(Command::Return(which)) => acts::return_(&site, &which, &sink),
        Some(Command::Release(which)) => acts::release(&site, &which, &sink),
        Some(Command::Prove(what)) => acts::prove(&site, &what, &sink),
        Some(Command::Log { words, all }) => acts::log(&site, &words, all, &sink),
        Some(Command::Journal(act)) => acts::journal(&site, &act, &sink),
        Some(Command::Settings(act)) => acts::settings(&site, &act, &sink),
        Some(Command::Demo(_) | Command::Completions { .. } | Command::Man { .. }) => Ok(0),
    }
}
