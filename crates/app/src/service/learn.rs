//! `learn`: launchers that no profile describes, learned from the games that are installed.

use std::path::{PathBuf, absolute};

use deft_barge_core::launcher::load_profiles;
use deft_barge_core::learn::{LearnPhase, Learned, learn as learn_all};
use deft_barge_core::site::Site;

use super::learned::{settle, told};
use super::progress::Passing;
use super::sink::Sink;
use crate::present::{Fault, count, line, path as shown, to_json, words};
use crate::request::Learning;

/// Learns launchers, says each in a sentence, asks what isn't sure, and saves the profiles that are sound. Nothing else is written.
///
/// # Errors
/// A path that doesn't exist; a profile that can't be written.
pub fn learn(site: &Site, wish: &Learning, sink: &Sink) -> Result<u8, Fault> {
    let paths = folders(&wish.paths)?;
    let (profiles, broken) = load_profiles(&site.profile_folder());
    for error in &broken {
        sink.aside(&format!("{error}."));
    }
    if wish.watch {
        return super::watch::watch(site, &paths, &profiles, wish.yes, sink);
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
        say_rest(&learned, &paths, sink)?;
    }
    Ok(if sound { 0 } else { 4 })
}

/// The folders that were named, each whole and there.
fn folders(named: &[PathBuf]) -> Result<Vec<PathBuf>, Fault> {
    let mut paths = Vec::new();
    for path in named {
        let whole = absolute(path).map_err(|e| Fault::usage(format!("Couldn't find {}: {e}.", path.display()), ""))?;
        if !whole.is_dir() {
            let sentence = format!("{} isn't a folder.", path.display());
            return Err(Fault::usage(sentence, "Name a game's folder, or the folder that contains the games."));
        }
        paths.push(whole);
    }
    Ok(paths)
}

/// What was known before, and that nothing was found where nothing was.
fn say_rest(learned: &Learned, paths: &[PathBuf], sink: &Sink) -> Result<(), Fault> {
    for (name, games) in &learned.described {
        sink.say(&format!("{}: {}, known already.", line(name), words::several(*games, "game")))?;
    }
    if learned.launchers.is_empty() && learned.described.is_empty() {
        let looked = words::several(learned.files, "file");
        let what = match paths {
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
    Ok(())
}
