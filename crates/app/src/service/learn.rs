//! `learn`: launchers that no profile describes, learned from the games that are installed.

use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf, absolute};

use deft_barge_core::launcher::{Profile, load_profiles};
use deft_barge_core::learn::{LearnPhase, LearnedLauncher, learn as learn_all};
use deft_barge_core::site::Site;

use super::progress::Passing;
use super::sink::Sink;
use crate::present::{Fault, Kind, count, learning as said, line, path as shown, to_json, words};
use crate::request::Learning;

/// Learns launchers, says each in a sentence, asks what isn't sure, and saves the profiles that are sound. Nothing else is written.
///
/// # Errors
/// A path that doesn't exist; a profile that can't be written.
pub fn learn(site: &Site, wish: &Learning, sink: &Sink) -> Result<u8, Fault> {
    let mut paths = Vec::new();
    for path in &wish.paths {
        let whole =
            absolute(path).map_err(|e| Fault::usage(format!("{} cannot be followed: {e}.", path.display()), ""))?;
        if !whole.is_dir() {
            return Err(Fault::usage(
                format!("{} is no folder.", path.display()),
                "Name the folder of a game, or the folder that holds them.",
            ));
        }
        paths.push(whole);
    }
    let (profiles, broken) = load_profiles(&site.profile_folder());
    for error in &broken {
        sink.aside(&format!("{error}."));
    }
    let passing = Passing::new(sink);
    let mut learned = learn_all(site, &paths, &profiles, &|phase: LearnPhase| {
        let files = words::several(phase.files, "file");
        passing.show(|| match phase.launchers {
            (_, 0) => format!("looking through {files}"),
            (nth, all) => format!("{} of {} launchers", count(nth as u64 + 1), count(all as u64)),
        });
    });
    drop(passing);
    let mut saved: Vec<Option<PathBuf>> = Vec::new();
    for launcher in &mut learned.launchers {
        let lines = told(site, launcher);
        if !sink.is_json() {
            sink.say(&lines)?;
        }
        let file = if launcher.doubt.is_some() { None } else { settle(site, launcher, wish.yes, sink)? };
        saved.push(file);
    }
    let sound = saved.iter().all(Option::is_some);
    if sink.is_json() {
        let mut value = to_json(&learned)?;
        for (n, file) in saved.iter().enumerate() {
            value["launchers"][n]["saved"] = serde_json::json!(file);
        }
        sink.document("learn", value)?;
    } else {
        for (name, games) in &learned.described {
            sink.say(&format!("{}: {}, known already.", line(name), words::several(*games, "game")))?;
        }
        if learned.launchers.is_empty() && learned.described.is_empty() {
            let looked = words::several(learned.files, "file");
            let what = match paths.as_slice() {
                [] => "No list of games was found".to_string(),
                some => {
                    let all: Vec<String> = some.iter().map(|path| shown(path)).collect();
                    format!("No list was found that names {}, or a folder beside it", all.join(" or "))
                }
            };
            sink.say(&format!(
                "{what}; looked at {looked}. A folder that no launcher lists can be moved by itself: deft-barge haul --traced PATH"
            ))?;
        }
    }
    Ok(if sound { 0 } else { 4 })
}

/// What is said of a launcher.
fn told(site: &Site, launcher: &LearnedLauncher) -> String {
    let mut out = said::launcher(site, launcher);
    match &launcher.doubt {
        Some(doubt) => out.push(format!("  not learned: {}.", said::doubt(doubt))),
        None => out.push(format!("  {}.", said::proof(launcher))),
    }
    if !launcher.left.is_empty() {
        let files = words::plural(launcher.left.len(), "file stays", "files stay");
        out.push(format!("  {files} as they are (logs, backups, caches):"));
        out.extend(launcher.left.iter().map(|file| format!("    {}", shown(file))));
    }
    out.join("\n")
}

/// Settles what isn't sure and saves the profile; `None` if a question stays open.
fn settle(site: &Site, launcher: &mut LearnedLauncher, yes: bool, sink: &Sink) -> Result<Option<PathBuf>, Fault> {
    while let Some(question) = launcher.questions.first().cloned() {
        let answer = if yes {
            if !sink.is_json() {
                sink.say(&format!("  {}.", said::taken(&question)))?;
            }
            0
        } else if sink.can_pick() {
            sink.pick(&said::question(&launcher.name, &question), question.candidates.len())?
        } else {
            if !sink.is_json() {
                sink.say(&said::question(&launcher.name, &question))?;
                sink.say("  not saved: answer in a terminal, or take the likeliest answers with --yes.")?;
            }
            return Ok(None);
        };
        launcher.answer(0, answer);
        if let Some(doubt) = &launcher.doubt {
            if !sink.is_json() {
                sink.say(&format!("  not learned: {}.", said::doubt(doubt)))?;
            }
            return Ok(None);
        }
    }
    let folder = site.profile_folder();
    let earlier = if launcher.again { file_of_profile(&folder, &launcher.id) } else { None };
    let file = earlier.clone().unwrap_or_else(|| folder.join(format!("{}.toml", launcher.id)));
    let kept = earlier.as_deref().map(set_aside).transpose()?;
    write(&file, &launcher.profile)?;
    if !sink.is_json() {
        let kept =
            kept.map_or_else(String::new, |kept| format!("; what was learned before is kept in {}", shown(&kept)));
        sink.say(&format!("  saved as {}{kept}", shown(&file)))?;
    }
    Ok(Some(file))
}

/// The file of the profile of this id.
fn file_of_profile(folder: &Path, id: &str) -> Option<PathBuf> {
    let files = fs::read_dir(folder).ok()?.flatten().map(|entry| entry.path());
    let mut files = files.filter(|file| file.extension().is_some_and(|end| end == "toml"));
    files.find(|file| {
        let profile = fs::read_to_string(file).ok().and_then(|text| Profile::parse(&text, file).ok());
        profile.is_some_and(|profile| profile.id == id)
    })
}

/// Renames an earlier profile, so that it is no profile any more and still there.
fn set_aside(file: &Path) -> Result<PathBuf, Fault> {
    let kept = file.with_extension("toml.before");
    let failed =
        |error: io::Error| Fault::new(Kind::Failed, format!("{} cannot be renamed: {error}.", shown(file)), "");
    fs::rename(file, &kept).map_err(failed)?;
    Ok(kept)
}

fn write(file: &Path, text: &str) -> Result<(), Fault> {
    let failed =
        |error: io::Error| Fault::new(Kind::Failed, format!("{} cannot be written: {error}.", shown(file)), "");
    if let Some(folder) = file.parent() {
        fs::create_dir_all(folder).map_err(failed)?;
    }
    fs::File::create_new(file).and_then(|mut made| made.write_all(text.as_bytes())).map_err(failed)
}
