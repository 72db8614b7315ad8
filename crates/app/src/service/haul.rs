//! Commands that write: haul, resume, return, release, and prove, which reads every byte.

mod back;

use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::checksums::ItemPath;
use deft_barge_core::haul::{
    Depth, Haul, HaulError, astray, prove_game, prove_haul, release_looking, take_from, undo_haul,
};
use deft_barge_core::item::{Proof, Severity, Stage, Strategy, Trial};
use deft_barge_core::journal::{HaulRow, ItemRow, Journal, Telemetry};
use deft_barge_core::plan::{LibraryWish, Plan, plan_library};
use deft_barge_core::site::Site;
use serde_json::json;

use super::naming;
use super::progress::Shown;
use super::sink::Sink;
use super::survey::{add_unfinished, plan_text, refused};
use super::wish::{find_game, plan_wish, survey_site};
use crate::present::{Fault, Kind, line, to_json, words};
use crate::request::{Consent, Going, Letting, LibraryAct, Pace, Taking, What, Which, Wish};
pub use back::undo;

/// `haul`
pub fn haul(site: &Site, wish: &Wish, sink: &Sink) -> Result<u8, Fault> {
    let (mut survey, fault) = survey_site(site, sink);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let mut plan = plan_wish(site, &mut survey, wish, sink)?;
    add_unfinished(site, &mut plan)?;
    if plan.blocked() {
        return Err(refused(&plan));
    }
    let cautions: Vec<_> = plan.findings.iter().filter(|f| f.severity == Severity::Warning).cloned().collect();
    if wish.yes {
        // What is accepted beforehand is told nevertheless; a document has it.
        for caution in cautions.iter().filter(|_| !sink.is_json()) {
            sink.aside(&words::finding(caution));
        }
    } else {
        let at_terminal = sink.can_ask();
        if at_terminal {
            sink.say(&plan_text(&plan))?;
            let what = format!("Haul {} in {}?", plan.bytes(), words::several(plan.items.len(), "item"));
            let question = match words::deletes(&plan) {
                None => format!("{what} The originals stay until you release them."),
                Some((bytes, titles)) => {
                    format!("{what} Delete {bytes} of originals ({titles}) as soon as their copies are verified?")
                }
            };
            if !sink.ask(&question)? {
                return Err(Fault::new(Kind::Refused, "Canceled; nothing changed.", ""));
            }
        } else if !cautions.is_empty() {
            return Err(Fault::refused(cautions, "Read the warnings, then accept them with --yes."));
        }
    }
    let (journal, _) = Journal::open(site)?.recover()?;
    run_plan(site, &journal, &plan, wish.pace, sink)
}

/// `library`
pub fn library(site: &Site, act: &LibraryAct, sink: &Sink) -> Result<u8, Fault> {
    let (survey, fault) = survey_site(site, sink);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let (LibraryAct::New { launcher: word, .. } | LibraryAct::Default { launcher: word, .. }) = act;
    let launcher = naming::launcher(&survey, word)?;
    let wish = match act {
        LibraryAct::New { drive, .. } => LibraryWish::New(naming::drive(site, drive)?.name.clone()),
        LibraryAct::Default { library, .. } => {
            let drive = site.find_drive(library).map(|drive| &drive.name);
            let on = |l: &&deft_barge_core::survey::Library| drive.is_some() && l.drive.as_ref() == drive;
            let chosen = launcher.libraries.iter().find(on).map(|library| library.path.clone());
            LibraryWish::Default(chosen.unwrap_or_else(|| PathBuf::from(library)))
        }
    };
    let mut plan = plan_library(site, &survey, &launcher.id, &wish);
    add_unfinished(site, &mut plan)?;
    if plan.blocked() {
        return Err(refused(&plan));
    }
    let (journal, _) = Journal::open(site)?.recover()?;
    run_plan(site, &journal, &plan, Pace::default(), sink)
}

/// Does a plan that no draft has made: shows it, or asks where that is wanted, and hauls it.
pub(crate) fn confirmed(
    site: &Site,
    mut plan: Plan,
    consent: Consent,
    sink: &Sink,
    question: &dyn Fn(&Plan) -> String,
) -> Result<u8, Fault> {
    add_unfinished(site, &mut plan)?;
    if consent.plan {
        if sink.is_json() {
            sink.document("plan", super::survey::plan_json(&plan)?)?;
        } else {
            sink.say(&plan_text(&plan))?;
        }
        return Ok(if plan.blocked() { 3 } else { 0 });
    }
    if plan.blocked() {
        return Err(refused(&plan));
    }
    if !consent.yes {
        if sink.can_ask() {
            sink.say(&plan_text(&plan))?;
            if !sink.ask(&question(&plan))? {
                return Err(Fault::new(Kind::Refused, "Canceled; nothing changed.", ""));
            }
        } else {
            let cautions: Vec<_> = plan.findings.iter().filter(|f| f.severity == Severity::Warning).cloned().collect();
            if !cautions.is_empty() {
                return Err(Fault::refused(cautions, "Read the warnings, then accept them with --yes."));
            }
        }
    }
    let (journal, _) = Journal::open(site)?.recover()?;
    run_plan(site, &journal, &plan, Pace::default(), sink)
}

pub(crate) fn run_plan(site: &Site, journal: &Journal, plan: &Plan, pace: Pace, sink: &Sink) -> Result<u8, Fault> {
    let mut haul = Haul::begin(site, journal, plan)?;
    let id = haul.id();
    finish(site, journal, id, pace, sink, |report, stop| haul.run(report, stop).map(drop))
}

/// Does a plan without a word on standard output, for acts that print one document of their own.
pub(crate) fn run_silently(site: &Site, plan: &Plan, consent: Consent, sink: &Sink) -> Result<HaulRow, Fault> {
    if plan.blocked() {
        return Err(refused(plan));
    }
    let cautions: Vec<_> = plan.findings.iter().filter(|f| f.severity == Severity::Warning).cloned().collect();
    if !consent.yes && !cautions.is_empty() {
        return Err(Fault::refused(cautions, "Read the warnings, then accept them with --yes."));
    }
    let (journal, _) = Journal::open(site)?.recover()?;
    let mut haul = Haul::begin(site, &journal, plan)?;
    let id = haul.id();
    let stop = sink.stop(Pace::default())?;
    if let Err(error) = haul.run(&|_| {}, &stop) {
        return Err(unfinished(site, &journal, id, error));
    }
    journal.haul(id)?.ok_or_else(|| Fault::new(Kind::Failed, "The journal no longer has the haul.", ""))
}

/// Runs a haul to its end and prints how its items stand.
fn finish(
    site: &Site,
    journal: &Journal,
    id: HaulId,
    pace: Pace,
    sink: &Sink,
    run: impl FnOnce(&dyn Fn(deft_barge_core::haul::HaulEvent), &deft_barge_core::haul::Control) -> Result<(), HaulError>,
) -> Result<u8, Fault> {
    let stop = sink.stop(pace)?;
    if stop.limit() != Telemetry::last_limit(site, id)? {
        journal.keep_limit(id, stop.limit())?;
    }
    let shown = Shown::new(sink);
    let result = run(&|event| shown.event(event), &stop);
    shown.end();
    if let Err(error) = result {
        return Err(unfinished(site, journal, id, error));
    }
    let row = journal.haul(id)?.ok_or_else(|| Fault::new(Kind::Failed, "The journal no longer has the haul.", ""))?;
    let differs = row.items.iter().any(|item| matches!(item.stage, Stage::Proved { holds: false }));
    if sink.is_json() {
        sink.document("haul", to_json(&row)?)?;
    } else {
        print_end(&row, sink)?;
    }
    Ok(if differs { 4 } else { 0 })
}

/// What is true after a haul did not go on: begun items can be resumed, a haul that touched nothing is taken off the journal.
fn unfinished(site: &Site, journal: &Journal, id: HaulId, error: HaulError) -> Fault {
    let row = journal.haul(id).ok().flatten();
    let begun =
        row.is_some_and(|row| row.items.iter().any(|item| !matches!(item.stage, Stage::Planned | Stage::Cancelled)));
    match error {
        HaulError::Refused(findings) if begun => Fault {
            findings,
            ..Fault::new(
                Kind::Interrupted,
                "The haul stopped; games whose records are not updated are as they were.",
                "Solve that, then resume with: deft-barge resume. Or undo with: deft-barge undo",
            )
        },
        HaulError::Refused(findings) => {
            let stop = deft_barge_core::haul::Control::default();
            match undo_haul(site, journal, id, &|_| {}, &stop) {
                Ok(_) | Err(HaulError::Nothing(_)) => Fault::refused(findings, ""),
                Err(error) => error.into(),
            }
        }
        other => other.into(),
    }
}

fn print_end(row: &HaulRow, sink: &Sink) -> Result<(), Fault> {
    if row.unfinished() && row.trial == Trial::Waits {
        sink.say(&format!(
            "Haul {} has moved its first game and waits. Launch that game; then continue with: deft-barge resume --yes, or undo with: deft-barge undo",
            row.id
        ))?;
    }
    for item in &row.items {
        sink.say(&format!(
            "haul {}   {}   {}   {}",
            row.id,
            line(&item.planned.title),
            words::stage_word(&item.stage),
            crate::present::path(&item.planned.to)
        ))?;
        if item.planned.mode == Strategy::Records {
            let files = item.planned.record_files().len();
            sink.say(&format!("  records {files} changed; undo with: deft-barge undo {}", row.id))?;
        } else if let Some(proof) = &item.proof {
            sink.say(&format!("  proof   {}", words::proof(proof)))?;
        }
        if let Some(residue) = item.proof.as_ref().and_then(|proof| proof.residue.as_ref()) {
            sink.say(&format!("  search  {}", words::residue(residue)))?;
        }
        if item.holds_originals() {
            let (size, from) = (item.planned.size.on_disk, crate::present::path(item.held_at()));
            sink.say(&format!("  kept    {size} of originals in {from}; delete with: deft-barge release {}", row.id))?;
        }
        if let Stage::Released { left } = item.stage
            && left > 0
        {
            sink.say(&format!(
                "  left    {} changed since they were verified, in {}",
                words::several(left, "file"),
                crate::present::path(&item.planned.from)
            ))?;
        }
    }
    Ok(())
}

/// `resume`
pub fn resume(site: &Site, going: &Going, sink: &Sink) -> Result<u8, Fault> {
    let (journal, unfinished) = Journal::open(site)?.recover()?;
    let pace = going.pace;
    let is_meant = |row: &HaulRow| going.haul.is_none_or(|id| row.id.0 == id);
    let Some(row) = unfinished.filter(is_meant) else {
        // Nothing is under way; a launcher may have written its old records since.
        let Some(id) = astray(site, &journal, going.haul)? else {
            return Err(Fault::usage("No unfinished hauls.", "See: deft-barge log"));
        };
        let haul = Haul::of(site, &journal, id)?;
        if !sink.is_json() {
            sink.say(&format!("The records of haul {id} point to the old place again; updating them."))?;
        }
        return finish(site, &journal, id, pace, sink, |report, stop| haul.lead_again(report, stop).map(drop));
    };
    if row.trial == Trial::Waits && row.items.first().is_some_and(|item| item.stage.at_rest()) {
        let rest = row.items.len() - 1;
        let question = format!("The first game is moved. Continue with the other {rest}?");
        let at_terminal = sink.can_ask();
        if !(going.yes || at_terminal && sink.ask(&question)?) {
            return Err(Fault::new(
                Kind::Interrupted,
                format!("Haul {} waits for your yes after its first game.", row.id),
                "Launch that game; then continue with: deft-barge resume --yes, or undo with: deft-barge undo",
            ));
        }
        journal.set_trial(row.id, Trial::Agreed)?;
    }
    if !sink.is_json() {
        let stages: Vec<String> = row
            .items
            .iter()
            .map(|item| format!("{} {}", line(&item.planned.title), words::stage_word(&item.stage)))
            .collect();
        sink.say(&format!("Haul {} was interrupted: {}.", row.id, stages.join(", ")))?;
    }
    let pace = as_before(site, row.id, pace, sink)?;
    let mut haul = Haul::of(site, &journal, row.id)?;
    finish(site, &journal, row.id, pace, sink, |report, stop| haul.run(report, stop).map(drop))
}

/// The pace that was asked for, or else the limit that the haul had before it was left.
fn as_before(site: &Site, id: HaulId, pace: Pace, sink: &Sink) -> Result<Pace, Fault> {
    let before = if pace.limit.is_none() { Telemetry::last_limit(site, id)? } else { None };
    let Some(before) = before else { return Ok(pace) };
    if !sink.is_json() {
        sink.say(&format!("It copies at most {before}/s, as before. Without a limit: deft-barge resume --limit 0"))?;
    }
    Ok(Pace { limit: Some((before.count() / 1_000_000).max(1)), ..pace })
}

fn newest(journal: &Journal, which: &Which, fits: impl Fn(&HaulRow) -> bool, what: &str) -> Result<HaulRow, Fault> {
    let found = match which.haul {
        Some(number) => journal.haul(HaulId(number))?,
        None => journal.hauls()?.into_iter().find(fits),
    };
    found.ok_or_else(|| {
        let sentence =
            which.haul.map_or_else(|| format!("No haul {what}."), |number| format!("No haul has the number {number}."));
        Fault::usage(sentence, "See: deft-barge log")
    })
}

pub(super) fn ask_unless(yes: bool, sink: &Sink, question: &str) -> Result<(), Fault> {
    let at_terminal = sink.can_ask();
    if yes || !at_terminal || sink.ask(question)? {
        Ok(())
    } else {
        Err(Fault::new(Kind::Refused, "Canceled; nothing changed.", ""))
    }
}

/// `take`
pub fn repair(site: &Site, taking: &Taking, sink: &Sink) -> Result<u8, Fault> {
    let (journal, unfinished) = Journal::open(site)?.recover()?;
    let row = unfinished.ok_or_else(|| Fault::usage("No haul is running or unfinished.", "See: deft-barge log"))?;
    let is_it = |item: &ItemRow, path: &Path| item.planned.from.join(path) == taking.file || path == taking.file;
    let mut bad = row.items.iter().flat_map(|item| item.unreadable.iter().map(move |stretch| (item, &stretch.path)));
    let Some((item, path)) = bad.find(|(item, path)| is_it(item, path)) else {
        let sentence = format!("{} isn't one of the unreadable files.", crate::present::path(&taking.file));
        return Err(Fault::usage(sentence, "List them with: deft-barge log"));
    };
    let place = ItemPath::new(path).ok_or_else(|| Fault::usage("That path is outside the game's folder.", ""))?;
    take_from(site, &journal, item.id, &place, &taking.from)?;
    if sink.is_json() {
        sink.document("repair", json!({ "haul": row.id, "item": item.id, "file": path, "from": taking.from }))?;
    } else {
        let (file, from) = (crate::present::path(path), crate::present::path(&taking.from));
        sink.say(&format!(
            "{file} of {} will be copied from {from}. Continue with: deft-barge resume",
            line(&item.planned.title)
        ))?;
    }
    Ok(0)
}

/// `release`
pub fn release(site: &Site, letting: &Letting, sink: &Sink) -> Result<u8, Fault> {
    let which = &letting.which;
    let (journal, _) = Journal::open(site)?.recover()?;
    let row = newest(&journal, which, |haul| haul.items.iter().any(ItemRow::holds_originals), "keeps originals")?;
    let held = row
        .items
        .iter()
        .filter(|item| item.holds_originals())
        .map(|item| item.planned.size.on_disk)
        .sum::<deft_barge_core::bytes::Bytes>();
    ask_unless(
        which.yes,
        sink,
        &format!(
            "Delete {held} of originals of haul {} ({})? The verified copies stay, and can be moved back.",
            row.id,
            titles_that_hold(&row)
        ),
    )?;
    let stop = sink.stop(Pace::default())?;
    let shown = Shown::new(sink);
    let depth = if letting.verify { Depth::Read } else { Depth::Seen };
    let result = release_looking(site, &journal, row.id, depth, &|event| shown.event(event), &stop);
    shown.end();
    let removed = match result {
        Err(HaulError::Refused(findings)) => {
            let hint = words::what_leads_on(&findings, row.id);
            return Err(Fault { sentence: "Nothing deleted.".into(), ..Fault::refused(findings, hint) });
        }
        other => other?,
    };
    if sink.is_json() {
        let left: Vec<_> = removed.left.iter().map(|left| left.path.to_string_lossy().into_owned()).collect();
        let why = to_json(&removed.left)?;
        sink.document(
            "release",
            json!({ "haul": row.id, "bytes": removed.bytes, "gone": removed.gone, "left": left, "left_why": why }),
        )?;
        return Ok(0);
    }
    sink.say(&format!("Freed {}.", removed.bytes))?;
    for left in &removed.left {
        sink.say(&format!("  left    {}", words::left(left)))?;
    }
    Ok(0)
}

fn titles_that_hold(row: &HaulRow) -> String {
    let titles: Vec<String> =
        row.items.iter().filter(|item| item.holds_originals()).map(|item| line(&item.planned.title)).collect();
    titles.join(", ")
}

/// `prove`
pub fn verify(site: &Site, what: &What, sink: &Sink) -> Result<u8, Fault> {
    let (journal, _) = Journal::open(site)?.recover()?;
    let stop = sink.stop(Pace::default())?;
    let shown = Shown::new(sink);
    let report = |event| shown.event(event);
    let number = what.what.as_ref().map(|word| word.parse::<i64>().ok());
    let proofs = match (&what.what, number) {
        (Some(word), Some(None)) => {
            let (survey, _) = survey_site(site, sink);
            let game = find_game(&survey, word)?;
            if let Some(fault) = game.fault() {
                let sentence = format!("Couldn't verify {}: {}.", line(&game.found.title), words::place_fault(fault));
                return Err(Fault::new(Kind::Refused, sentence, ""));
            }
            prove_game(site, &journal, &game.id, &game.found, &report, &stop)
                .map(|proof| vec![(game.found.title.clone(), proof)])
        }
        (_, number) => {
            let which = Which { haul: number.flatten(), yes: true };
            let row = newest(
                &journal,
                &which,
                |haul| haul.items.iter().any(|item| item.stage.records_are_updated()),
                "has a game to verify",
            )?;
            prove_haul(site, &journal, &row.items, &report, &stop)
        }
    };
    shown.end();
    print_proofs(&proofs?, sink)
}

fn print_proofs(proofs: &[(String, Proof)], sink: &Sink) -> Result<u8, Fault> {
    if proofs.is_empty() {
        return Err(Fault::usage("No game of that haul is in its new folder.", "See: deft-barge log"));
    }
    let holds = proofs.iter().all(|(_, proof)| proof.holds());
    if sink.is_json() {
        let all: Vec<_> = proofs
            .iter()
            .map(|(title, proof)| json!({ "title": title, "holds": proof.holds(), "proof": proof }))
            .collect();
        sink.document("proof", json!({ "holds": holds, "proofs": all }))?;
    } else {
        for (title, proof) in proofs {
            sink.say(&format!("{}   {}", line(title), words::proof(proof)))?;
            sink.say(&format!("  records point {}", if proof.records_lead_here { "here" } else { "elsewhere" }))?;
            if let Some(residue) = &proof.residue {
                sink.say(&format!("  {}", words::residue(residue)))?;
                words::mentions(residue).iter().try_for_each(|text| sink.say(&format!("  {text}")))?;
            }
            for difference in &proof.differences {
                let from = difference.from.map_or_else(String::new, |from| format!(" from byte {from}"));
                let kind = match difference.kind {
                    deft_barge_core::item::DifferenceKind::Differs => "differs",
                    deft_barge_core::item::DifferenceKind::Missing => "missing",
                    deft_barge_core::item::DifferenceKind::Extra => "extra",
                    deft_barge_core::item::DifferenceKind::WouldDownload => "would be downloaded",
                    deft_barge_core::item::DifferenceKind::Beside => "has other permissions, owner or attributes",
                };
                sink.say(&format!("  {kind:8} {}{from}", line(&difference.path)))?;
            }
        }
    }
    Ok(if holds { 0 } else { 4 })
}
