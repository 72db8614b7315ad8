//! What a terminal program owes its users beside the job: completions, manual pages, a settings file to begin with.

use clap::CommandFactory;
use std::fs::File;
use std::io::Write;
use std::path::Path;

use deft_barge_core::journal::{Journal, JournalState, check_journal};
use deft_barge_core::site::Site;

use serde_json::json;

use super::arguments::{Arguments, JournalAct, SettingsAct, Shell};
use crate::config::Settings;
use crate::present::{Fault, Kind, line, path as shown, to_json, words};
use crate::service::Sink;

/// `completions`
pub fn completions(shell: Shell, sink: &Sink) -> Result<u8, Fault> {
    let failed =
        |error: std::io::Error| Fault::new(Kind::Failed, format!("Couldn't make the completions: {error}."), "");
    let name = match shell {
        Shell::Bash => "bash",
        Shell::Zsh => "zsh",
        Shell::Fish => "fish",
        Shell::Powershell => "powershell",
    };
    let shells = clap_complete::env::Shells::builtins();
    let completer = shells.completer(name).ok_or_else(|| Fault::usage(format!("No shell is called {name}."), ""))?;
    let mut out = Vec::new();
    completer.write_registration("COMPLETE", "deft-barge", "deft-barge", "deft-barge", &mut out).map_err(failed)?;
    let mut script = String::from_utf8_lossy(&out).trim_end().to_string();
    if shell == Shell::Bash {
        script.push('\n');
        script.push_str(QUOTED);
    }
    if shell == Shell::Powershell {
        script = script.replace(OFFERED, OFFERED_QUOTED);
    }
    if sink.is_json() {
        return sink.document("completions", json!({ "shell": name, "script": script })).map(|()| 0);
    }
    sink.say(&script)?;
    Ok(0)
}

/// Bash takes what is offered as it is: outside of quotes a title has to be spelled as one word, and one that is begun so be read.
const QUOTED: &str = r#"
_deft_barge_quoted() {
    case ${COMP_WORDS[COMP_CWORD]} in
        [\"\']*) _clap_complete_deft_barge "$@" ;;
        *)
            _clap_complete_deft_barge "$1" "${2//\\/}" "$3"
            local nth
            for nth in "${!COMPREPLY[@]}"; do printf -v "COMPREPLY[nth]" %q "${COMPREPLY[nth]}"; done
            ;;
    esac
}
complete -o nospace -o bashdefault -F _deft_barge_quoted deft-barge"#;

/// PowerShell too takes what is offered as it is: here that is the word itself.
const OFFERED: &str = "[System.Management.Automation.CompletionResult]::new($cmd, $cmd,";
/// The word as PowerShell would write it, which takes several quotation marks for its own.
const OFFERED_QUOTED: &str = r#"$word = if ($cmd -match '^[\w./\\:=+-]+$') { $cmd } else {
            "'" + [System.Management.Automation.Language.CodeGeneration]::EscapeSingleQuotedStringContent($cmd) + "'"
        }
        [System.Management.Automation.CompletionResult]::new($word, $cmd,"#;

/// `man`: the page of the program, or all pages into a folder.
pub fn man(folder: Option<&Path>, sink: &Sink) -> Result<u8, Fault> {
    let failed = |error: std::io::Error| Fault::new(Kind::Failed, format!("Couldn't write the manual: {error}."), "");
    let Some(folder) = folder else {
        let mut out = Vec::new();
        clap_mangen::Man::new(Arguments::command()).render(&mut out).map_err(failed)?;
        let page = String::from_utf8_lossy(&out).trim_end().to_string();
        if sink.is_json() {
            return sink.document("man", json!({ "page": page })).map(|()| 0);
        }
        sink.say(&page)?;
        return Ok(0);
    };
    std::fs::create_dir_all(folder).map_err(failed)?;
    clap_mangen::generate_to(Arguments::command(), folder).map_err(failed)?;
    if sink.is_json() {
        return sink.document("man", json!({ "folder": shown(folder) })).map(|()| 0);
    }
    sink.say(&format!("The pages are in {}.", shown(folder)))?;
    Ok(0)
}

/// `settings`
pub fn settings(site: &Site, act: &SettingsAct, sink: &Sink) -> Result<u8, Fault> {
    let path = Settings::file(site);
    let told = |there: bool, text: &str| {
        let document = || json!({ "file": path, "there": there, "sound": true });
        if sink.is_json() { sink.document("settings", document()) } else { sink.say(text) }.map(|()| 0)
    };
    match act {
        SettingsAct::Write => {
            let folder = path.parent().unwrap_or(Path::new("/"));
            let made = std::fs::create_dir_all(folder)
                .and_then(|()| File::create_new(&path))
                .and_then(|mut file| file.write_all(crate::config::template().as_bytes()));
            made.map_err(|error| match error.kind() {
                std::io::ErrorKind::AlreadyExists => Fault::usage(
                    format!("{} exists already.", shown(&path)),
                    "Move it away to start over. Or check it with: deft-barge settings check",
                ),
                _ => Fault::new(Kind::Failed, format!("Couldn't write {}: {error}.", shown(&path)), ""),
            })?;
            told(true, &format!("Written to {}. The defaults apply until you change a line.", shown(&path)))
        }
        SettingsAct::Check => match (path.exists(), Settings::of(site).problem) {
            (_, Some(what)) => Err(Fault::usage(format!("{what}."), "The file is ignored until you correct that.")),
            (true, None) => told(true, &format!("{} is OK.", shown(&path))),
            (false, None) => told(
                false,
                &format!(
                    "{} doesn't exist; the defaults apply. Make one with: deft-barge settings write",
                    shown(&path)
                ),
            ),
        },
    }
}

/// `journal`
pub fn journal(site: &Site, act: &JournalAct, sink: &Sink) -> Result<u8, Fault> {
    match act {
        JournalAct::Check => {
            let state = check_journal(site)?;
            if sink.is_json() {
                return sink
                    .document("journal", json!({ "journal": to_json(&state)? }))
                    .map(|()| sound_code(state.as_ref()));
            }
            let Some(state) = &state else {
                return sink.say("No journal yet: no hauls so far.").map(|()| 0);
            };
            sink.say(&format!(
                "version {}, {}: {}, {}, {} in checksums, {} of the log",
                state.version,
                state.bytes,
                words::several(state.hauls, "haul"),
                words::several(state.items, "item"),
                words::several(state.entries, "line"),
                words::several(state.events, "line")
            ))?;
            for problem in &state.problems {
                sink.say(&format!("problem   {}", line(problem)))?;
            }
            if state.problems.is_empty() {
                sink.say("No problems.")?;
            } else {
                sink.say("Kept originals stay where they are. Move the file away to start a new journal.")?;
            }
            Ok(sound_code(Some(state)))
        }
        JournalAct::Compact => {
            let (journal, _) = Journal::open(site)?.recover()?;
            let (before, after) = journal.compact()?;
            if sink.is_json() {
                return sink.document("journal", json!({ "before": before, "after": after })).map(|()| 0);
            }
            sink.say(&format!("The journal took {before} and now takes {after}."))?;
            Ok(0)
        }
    }
}

fn sound_code(state: Option<&JournalState>) -> u8 {
    if state.is_none_or(|state| state.problems.is_empty()) { 0 } else { 4 }
}
