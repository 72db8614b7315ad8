//! The demo: a world to try everything in, by hand or unattended.

use std::io::{IsTerminal, Write, stderr, stdin, stdout};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Instant;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, HaulEvent, release_haul};
use deft_barge_core::item::{Policy, Proof};
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, Plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use deft_barge_harbor::launchers::Launcher;
use deft_barge_harbor::world::{self, Scale, WorldError};
use serde_json::json;

use super::arguments::Demo;
use crate::present::{Fault, Kind, say_aside, shell_word, words};
use crate::service::{Sink, find_game, survey_site};
use crate::{surroundings, tui};

impl From<WorldError> for Fault {
    fn from(error: WorldError) -> Self {
        let kind = match error {
            WorldError::Write { .. } => Kind::Failed,
            WorldError::InTheWay(_) => Kind::Usage,
        };
        Self::new(kind, format!("{error}."), "")
    }
}

/// `demo`
pub fn demo(demo: &Demo, sink: &Sink) -> Result<u8, Fault> {
    let folder = |name: &str| -> Result<PathBuf, Fault> {
        match &demo.dir {
            Some(dir) => Ok(dir.clone()),
            None => Ok(surroundings::places()?.data.join("deft-barge").join(name)),
        }
    };
    if demo.unattended {
        return unattended(&folder("demo-unattended")?, demo.seed, sink);
    }
    let dir = folder("demo")?;
    if demo.delete {
        return delete(&dir, sink);
    }
    make_world(&dir, demo.seed)?;
    // A document is asked for where nobody looks, so the interface is no part of it.
    if sink.is_json() {
        return sink.document("demo", json!({ "world": dir })).map(|()| 0);
    }
    let here = stdin().is_terminal() && stdout().is_terminal();
    let ended = if here { tui::run(Site::of_world(&dir)?) } else { Ok(0) };
    explain(&dir, (here, demo.dir.is_none()), sink)?;
    ended
}

/// Says in five lines what the demo was, and what can be done with it.
fn explain(dir: &Path, (seen, is_usual): (bool, bool), sink: &Sink) -> Result<(), Fault> {
    let world = shell_word(&dir.to_string_lossy());
    let which = if is_usual { String::new() } else { format!(" --dir {world}") };
    let begin = if seen { "That was the demo" } else { "The interface needs a terminal; this is the demo's world" };
    sink.say(&format!(
        "{begin}: made-up launchers, games and drives in {}. None of your own files were touched.",
        crate::present::path(dir)
    ))?;
    sink.say(&format!("  open it again    deft-barge --world {world}"))?;
    sink.say(&format!("  try a command    deft-barge haul saltflat --to newhold --world {world}"))?;
    sink.say(&format!("  delete it        deft-barge demo --delete{which}"))?;
    sink.say("  your own games   deft-barge")
}

/// Deletes the demo's world, and nothing that is none.
fn delete(dir: &Path, sink: &Sink) -> Result<u8, Fault> {
    if !world::is_there(dir) {
        return Err(Fault::usage(format!("{} is no world of the demo.", dir.display()), "Name its folder with --dir."));
    }
    world::remove(dir)?;
    if sink.is_json() {
        return sink.document("demo", json!({ "world": dir, "deleted": true })).map(|()| 0);
    }
    sink.say(&format!("Deleted the demo's world in {}.", crate::present::path(dir))).map(|()| 0)
}

/// Makes the demo's world if it is not there, and says so.
fn make_world(dir: &Path, seed: u64) -> Result<(), Fault> {
    if !world::is_there(dir) {
        say_aside(&format!("Making a made-up world of some 500 MB in {} ...", dir.display()));
        let report = |made: usize, all: usize| {
            if stderr().is_terminal() {
                #[expect(clippy::let_underscore_must_use, reason = "progress that nobody sees is no fault")]
                let _ = write!(stderr(), "\r\x1b[K{made} of {all} games");
            }
        };
        world::make_and_tell(dir, seed, Scale::DEMO, &report)?;
    }
    Ok(())
}

struct Steps<'a> {
    sink: &'a Sink,
    begun: Instant,
    lines: Vec<String>,
}

impl Steps<'_> {
    fn say(&mut self, text: String) -> Result<(), Fault> {
        let line = format!("{:6.2} s  {text}", self.begun.elapsed().as_secs_f64());
        if !self.sink.is_json() {
            self.sink.say(&line)?;
        }
        self.lines.push(text);
        Ok(())
    }
}

/// A whole haul without a person: exit 0 only if the stand-in launcher judged 0 bytes to download.
fn unattended(dir: &Path, seed: u64, sink: &Sink) -> Result<u8, Fault> {
    let mut steps = Steps { sink, begun: Instant::now(), lines: Vec::new() };
    if world::is_there(dir) {
        world::remove(dir)?;
    }
    world::make(dir, seed, Scale::DEMO)?;
    steps.say(format!("made a world in {}", dir.display()))?;
    let site = Site::of_world(dir)?;
    let (survey, _) = survey_site(&site, sink);
    let bytes: deft_barge_core::bytes::Bytes = survey.games.iter().map(|game| game.size.on_disk).sum();
    let drives = survey.drives.len();
    steps.say(format!(
        "surveyed {}, {}, {}, {bytes}",
        words::several(drives, "drive"),
        words::several(survey.launchers.len(), "launcher"),
        words::several(survey.games.len(), "game")
    ))?;

    let plan = planned(&site, &survey, &mut steps)?;
    let (journal, _) = Journal::open(&site)?.recover()?;
    let (id, proof) = hauled(&site, &journal, &plan, &mut steps)?;

    let judged = judge(dir, "Saltflat Rally")?;
    steps.say(format!("the stand-in launcher says: {}", judged.replace('\n', "; ")))?;
    let removed = release_haul(&site, &journal, id, &|_| {}, &Control::default())?;
    steps.say(format!(
        "released {} of originals, {} left",
        removed.bytes,
        words::several(removed.left.len(), "file")
    ))?;
    judge(dir, "Saltflat Rally")?;
    let seconds = steps.begun.elapsed().as_secs_f64();
    if sink.is_json() {
        let summary = json!({ "steps": steps.lines, "proof": proof, "released": removed.bytes, "to_download": 0, "seconds": seconds });
        sink.document("demo", summary)?;
    } else {
        sink.say(&format!(
            "Done in {seconds:.1} s: Saltflat Rally is on newhold, 0 B to download, {} free again on swift.",
            removed.bytes
        ))?;
    }
    Ok(0)
}

/// The plan for the game of the demo, as `plan` makes it.
fn planned(site: &Site, survey: &Survey, steps: &mut Steps<'_>) -> Result<Plan, Fault> {
    let game = find_game(survey, "Saltflat Rally")?;
    let mut draft = Draft::default();
    draft.send(game.id.clone(), Destination::Drive("newhold".into()));
    let plan = deft_barge_core::plan::plan(site, survey, &draft, Policy::Hold);
    if plan.blocked() {
        return Err(Fault::refused(plan.findings, ""));
    }
    let records: usize = plan.items.iter().map(|item| item.previews.len()).sum();
    let files = plan.items.first().map_or(0, |item| item.size.files);
    steps.say(format!(
        "planned {} from swift to newhold, {}, {} of records",
        plan.bytes(),
        words::several(files, "file"),
        words::several(records, "change")
    ))?;
    Ok(plan)
}

/// Runs the plan to its end, with each stage as it came and the proof.
fn hauled(site: &Site, journal: &Journal, plan: &Plan, steps: &mut Steps<'_>) -> Result<(HaulId, Proof), Fault> {
    let mut haul = Haul::begin(site, journal, plan)?;
    let id = haul.id();
    let stages = std::cell::RefCell::new(Vec::new());
    let listen = |event: HaulEvent| {
        if let HaulEvent::Stage { stage, .. } = event {
            stages.borrow_mut().push(words::stage_kind_word(stage));
        }
    };
    let end = haul.run(&listen, &Control::default())?;
    steps.say(format!("hauled: {}", stages.borrow().join(", ")))?;
    let proof = end.items.first().and_then(|item| item.proof.clone()).unwrap_or_default();
    steps.say(format!("proved: {}", words::proof(&proof)))?;
    if let Some(residue) = &proof.residue {
        steps.say(format!("searched: {}", words::residue(residue)))?;
    }
    Ok((id, proof))
}

/// Has the stand-in launcher look at a game, as a process of its own; gives what it said.
fn judge(dir: &Path, game: &str) -> Result<String, Fault> {
    let failed = |what: String| Fault::new(Kind::Failed, format!("The stand-in launcher couldn't judge: {what}."), "");
    let program = std::env::current_exe().map_err(|e| failed(e.to_string()))?;
    let home = Launcher::Quillgate.home(&dir.join("home"));
    let output = Command::new(program).args(["stand-in", "--home"]).arg(home).args(["check", game]).output();
    let output = output.map_err(|e| failed(e.to_string()))?;
    let said = String::from_utf8_lossy(&output.stdout).trim().replace("\n  ", "\n");
    if output.status.success() {
        return Ok(said);
    }
    let why = String::from_utf8_lossy(&output.stderr).trim().to_string();
    Err(Fault::new(
        Kind::Difference,
        format!("The stand-in launcher found a difference: {said} {why}"),
        "This is a bug in Deft Barge.",
    ))
}
