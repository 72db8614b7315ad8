//! `learn --watch`: a launcher is learned from what it does itself, while a person installs or moves one small game with it.

use std::path::PathBuf;
use std::time::{Duration, Instant};

use deft_barge_core::launcher::Profile;
use deft_barge_core::learn::{Watch, Watched, Witness};
use deft_barge_core::site::Site;

use super::learned::{settle, told};
use super::progress::Passing;
use super::sink::Sink;
use crate::present::{Fault, Kind, learning as said, line, path as shown, to_json, words};
use crate::request::Pace;

/// How often it is looked, unless a look takes longer.
const OFTEN: Duration = Duration::from_millis(800);
/// How often it is looked whether somebody ended it.
const PATIENCE: Duration = Duration::from_millis(100);

/// Notes what is there, waits until a launcher has installed or moved a game, and saves the profile that follows from that.
///
/// # Errors
/// Somebody ended it; a profile that can't be written.
pub(super) fn watch(site: &Site, paths: &[PathBuf], profiles: &[Profile], yes: bool, sink: &Sink) -> Result<u8, Fault> {
    let stop = sink.stop(Pace::default())?;
    let passing = Passing::new(sink);
    let mut watch = Watch::begin(site, paths, profiles, &|phase| {
        passing.show(|| format!("noting what {} say", words::several(phase.files, "file")));
    });
    if !sink.is_json() {
        for text in said::how_to_watch(watch.files()) {
            sink.say(&text)?;
        }
    }
    let begun = Instant::now();
    let witness = loop {
        let looked = Instant::now();
        match watch.look(site) {
            Watched::Game(witness) => break witness,
            Watched::Nothing => passing.show(|| said::waiting(0, begun.elapsed())),
            Watched::Changed(files) => passing.show(|| said::waiting(files, begun.elapsed())),
        }
        // A look that takes long leaves the drives alone for as long.
        let pause = OFTEN.max(looked.elapsed());
        while looked.elapsed() < pause * 2 && !stop.asked() {
            std::thread::sleep(PATIENCE);
        }
        if stop.asked() {
            return Err(Fault::new(Kind::Interrupted, "Stopped. No profile was saved.", ""));
        }
    };
    drop(passing);
    finish(site, *witness, yes, sink)
}

fn finish(site: &Site, witness: Witness, yes: bool, sink: &Sink) -> Result<u8, Fault> {
    let Witness { mut launcher, known, to, from, agree, processes } = witness;
    let document = to_json(&launcher)?;
    if !sink.is_json() {
        sink.say(&said::witnessed(&line(&launcher.name), &to, from.as_deref()))?;
        if !known {
            sink.say(&told(site, &launcher))?;
        }
        match (&launcher.doubt, &from) {
            (Some(doubt), _) if known => {
                sink.say(&format!("  its profile doesn't match that: {}.", said::doubt(doubt)))?;
            }
            (None, Some(_)) if agree == 0 => {
                let name = line(&launcher.name);
                sink.say(&format!(
                    "  couldn't compare what {name} wrote itself: no format fits it. The rehearsals stand."
                ))?;
            }
            (None, Some(_)) => {
                let (name, places) = (line(&launcher.name), words::several(agree, "place"));
                sink.say(&format!("  compared with what {name} wrote itself: {places}, all the same."))?;
            }
            (None, None) if known => sink.say("  known already; a move would show whether its profile is right.")?,
            _ => {}
        }
    }
    let sound = launcher.doubt.is_none();
    for process in processes.iter().filter(|_| sound && !known) {
        let question = said::its_program(&line(&launcher.name), &line(&process.name), process.pid);
        let is = yes || (sink.can_pick() && sink.pick(&question, 2)? == 0);
        if is {
            launcher.runs_as(&process.name);
        }
    }
    let saved = if sound && !known { settle(site, &mut launcher, yes, sink)? } else { None };
    if sink.is_json() {
        let processes: Vec<_> =
            processes.iter().map(|one| serde_json::json!({"pid": one.pid, "name": one.name})).collect();
        let value = serde_json::json!({
            "launcher": document, "known": known, "to": shown(&to), "from": from.as_deref().map(shown),
            "agree": agree, "processes": processes, "saved": saved,
        });
        sink.document("learn-watch", value)?;
    }
    Ok(if sound && (known || saved.is_some()) { 0 } else { 4 })
}
