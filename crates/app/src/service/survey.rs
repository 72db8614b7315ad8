//! Commands that only look: survey, plan, log.

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::haul::drives_away;
use deft_barge_core::item::Strategy;
use deft_barge_core::journal::{Event, EventKind, HaulRow, History, ItemRow, search_lines};
use deft_barge_core::plan::Plan;
use deft_barge_core::site::Site;
use deft_barge_core::survey::{DriveState, Game, Launcher, Survey};
use serde_json::Value;

use super::sink::Sink;
use super::wish::{plan_wish, survey_site};
use crate::present::{Fault, Kind, count, line, pad, path, to_json, words};
use crate::request::Wish;

/// `survey`
pub fn survey(site: &Site, sink: &Sink) -> Result<u8, Fault> {
    let (survey, fault) = survey_site(site, sink);
    if sink.is_json() {
        let mut value = to_json(&survey)?;
        if let Some(fault) = &fault {
            value["journal_problem"] = fault.sentence.clone().into();
        }
        sink.document("survey", value)?;
    } else {
        sink.say(&survey_text(&survey))?;
        if let Some(haul) = History::recent(site).ok().as_ref().and_then(History::unfinished) {
            let stages = haul
                .items
                .iter()
                .map(|item| format!("{} {}", line(&item.planned.title), words::stage_word(&item.stage)));
            let stages = stages.collect::<Vec<_>>().join(", ");
            sink.say(&format!(
                "\nhaul {} is unfinished: {stages}. Resume with: deft-barge resume, or undo with: deft-barge undo",
                haul.id
            ))?;
        }
        if let Some(fault) = &fault {
            sink.say(&format!("problem   {}", fault.text()))?;
        }
    }
    // What could not be read is said in the survey; a journal that cannot be read refuses every haul.
    Ok(fault.map_or(0, |fault| fault.code()))
}

/// A launcher with its libraries, behind an empty line.
fn launcher_text(survey: &Survey, launcher: &Launcher) -> String {
    let running = launcher.running.first().map_or_else(String::new, |p| format!("   running (process {})", p.pid));
    let games: Vec<&Game> = survey.games.iter().filter(|game| game.launcher == launcher.id).collect();
    let bytes: Bytes = games.iter().map(|game| game.size.on_disk).sum();
    let games = words::several(games.len(), "game");
    let mut out = format!("\n{} {games:>9} {bytes:>10}{running}", pad(&line(&launcher.name), 24));
    for library in &launcher.libraries {
        out.push_str(&format!(
            "\n  library   {} {:>9} {:>10}  {}{}",
            pad(library.drive.as_deref().unwrap_or("offline"), 12),
            words::several(library.games, "game"),
            library.bytes,
            path(&library.path),
            if library.default { "   takes new installs" } else { "" }
        ));
    }
    out
}

fn game_text(game: &Game) -> String {
    let mut marks = Vec::new();
    if game.update().is_some() {
        marks.push("an update is waiting".to_string());
    }
    if game.found.sealed.is_some() {
        marks.push("locked".to_string());
    }
    if let Some(fault) = game.fault() {
        marks.push(format!("blocker: {}", words::place_fault(fault)));
    }
    if game.claim_is_far() {
        marks.push("reported size is far off".to_string());
    }
    format!(
        "{} {} {:>10} {:>10} {:>10} {:>8}  {}{}",
        pad(&line(&game.found.title), 28),
        pad(game.drive.as_deref().unwrap_or("offline"), 10),
        game.size.on_disk,
        game.size.apparent,
        game.found.claim.map_or_else(String::new, |claim| claim.to_string()),
        count(game.size.files),
        line(&game.id.0),
        if marks.is_empty() { String::new() } else { format!("   {}", line(&marks.join(", "))) }
    )
}

fn survey_text(survey: &Survey) -> String {
    let mut out = vec![format!(
        "{:3} {:12} {:>10} {:>10} {:>10} {:>10}  {}",
        "", "drive", "capacity", "used", "free", "games", "kind"
    )];
    out.extend(survey.drives.iter().map(drive_text));
    if survey.launchers.is_empty() {
        out.push("\nNo launchers known on this machine yet. Learn them with: deft-barge learn".into());
    }
    out.extend(survey.launchers.iter().map(|launcher| launcher_text(survey, launcher)));
    if !survey.games.is_empty() {
        out.push(format!(
            "\n{} {} {:>10} {:>10} {:>10} {:>8}  {}",
            pad("game", 28),
            pad("drive", 10),
            "on disk",
            "apparent",
            "reported",
            "files",
            "id"
        ));
    }
    out.extend(survey.games.iter().map(game_text));
    if !survey.user_data.is_empty() {
        out.push(String::new());
    }
    out.extend(survey.user_data.iter().map(|data| super::data::data_line(survey, data)));
    for held in &survey.held {
        out.push(format!(
            "\nkept      {} of {} in {} (haul {})",
            held.bytes,
            line(&held.title),
            path(&held.path),
            held.haul
        ));
    }
    let problems = survey.problems.iter().chain(survey.launchers.iter().flat_map(|launcher| &launcher.problems));
    for (launcher, drift) in survey.launchers.iter().filter_map(|one| Some((one, one.drift.as_ref()?))) {
        out.push(format!("changed   {}", words::changed(&launcher.name, drift)));
    }
    for problem in problems {
        let at = problem.line.map_or_else(String::new, |line| format!(", line {line}"));
        out.push(format!("problem   {}{at}: {}", path(&problem.file), crate::present::visible(&problem.what)));
    }
    out.join("\n")
}

fn drive_text(state: &DriveState) -> String {
    let drive = &state.drive;
    let tag = drive.tag.map_or_else(String::new, |tag| tag.to_string());
    let read_only = if drive.read_only { ", read-only" } else { "" };
    format!(
        "{tag:3} {} {:>10} {:>10} {:>10} {:>10}  {} {}{read_only}  {}",
        pad(&line(&drive.name), 12),
        drive.capacity,
        state.used,
        state.free,
        state.games,
        words::drive_kind(drive.kind),
        drive.file_system,
        path(&drive.root)
    )
}

/// `plan`
pub fn plan(site: &Site, wish: &Wish, sink: &Sink) -> Result<u8, Fault> {
    let (mut survey, fault) = survey_site(site, sink);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let mut plan = plan_wish(site, &mut survey, wish, sink)?;
    add_unfinished(site, &mut plan)?;
    if sink.is_json() {
        sink.document("plan", plan_json(&plan)?)?;
    } else {
        sink.say(&plan_text(&plan))?;
    }
    Ok(if plan.blocked() { 3 } else { 0 })
}

/// Adds the stop that another haul is under way.
pub(crate) fn add_unfinished(site: &Site, plan: &mut Plan) -> Result<(), Fault> {
    use deft_barge_core::item::{Finding, FindingKind};
    if let Some(haul) = History::recent(site)?.unfinished() {
        plan.findings.insert(0, Finding::general(FindingKind::HaulUnfinished { haul: haul.id }));
    }
    Ok(())
}

/// A plan as JSON, with the sentence of each finding.
pub(crate) fn plan_json(plan: &Plan) -> Result<Value, Fault> {
    let mut value = to_json(plan)?;
    value["findings"] = plan.findings.iter().map(words::finding_json).collect();
    value["stopped"] = plan.blocked().into();
    Ok(value)
}

pub(crate) fn plan_text(plan: &Plan) -> String {
    let mut out = Vec::new();
    for (n, item) in plan.items.iter().enumerate() {
        out.push(format!(
            "{}   {} in {}   {}   {}",
            line(&item.title),
            item.size.on_disk,
            words::several(item.size.files, "file"),
            words::drives_of(item),
            line(&words::way(item, &plan.items))
        ));
        if let Some(time) = plan.timing.items.get(n).filter(|_| item.mode == Strategy::Copy) {
            out.push(format!("  time      {}", words::item_time(time)));
        }
        out.push(format!("  from      {}", path(item.source())));
        out.push(format!("  to        {}", path(&item.to)));
        for preview in &item.previews {
            out.push(format!(
                "  record    {} {}: {}",
                path(&preview.file),
                line(&preview.location),
                words::preview_kind(preview.kind)
            ));
            for (sign, text) in [("-", &preview.before), ("+", &preview.after)] {
                for text in text.lines() {
                    out.push(format!("            {sign} {}", line(text)));
                }
            }
        }
    }
    let changed = plan.loads.iter().filter(|load| load.peak != load.now || load.after != load.now);
    for load in changed {
        out.push(words::load(load));
    }
    if plan.items.iter().any(|item| item.mode == Strategy::Copy) {
        out.push(format!("time      {} in all", words::span(plan.timing.whole)));
    }
    out.extend(plan.findings.iter().map(words::finding));
    out.join("\n")
}

/// `log`
pub fn log(site: &Site, words: &[String], all: bool, sink: &Sink) -> Result<u8, Fault> {
    const NEWEST: usize = 20;
    let search = words.join(" ");
    let most = if all || sink.is_json() { usize::MAX } else { NEWEST };
    let mut history =
        History::with(site, &|lines| search_lines(lines, &search).take(most).map(|line| line.id).collect())?;
    let wanted: Vec<HaulId> = history.search(&search).map(|line| line.id).collect();
    let shown = &wanted[..wanted.len().min(most)];
    // Both go from the newest to the oldest.
    history.hauls.retain(|haul| shown.binary_search_by(|id| haul.id.cmp(id)).is_ok());
    if sink.is_json() {
        sink.document("log", to_json(&history)?)?;
        return Ok(0);
    }
    if history.lines.is_empty() {
        sink.say("No hauls yet.")?;
    } else if wanted.is_empty() {
        sink.say(&format!("No haul has {:?} in a title, a drive, its day or its number.", line(&search)))?;
    }
    // Who searches does not look for what is held.
    for held in history.held(site).iter().filter(|_| words.is_empty()) {
        sink.say(&format!(
            "kept      {} of {} in {} (haul {}); delete with: deft-barge release {}",
            held.bytes,
            line(&held.title),
            path(&held.path),
            held.haul,
            held.haul
        ))?;
    }
    // What no haul has done: starts and repairs.
    for event in told(&history, HaulId(0)) {
        let at = words::moment(event.at);
        sink.say(&format!("{}   {at}   {}", pad(words::event_word(event.word), 8), line(&event.detail)))?;
    }
    for haul in &history.hauls {
        say_haul(site, &history, haul, sink)?;
    }
    if wanted.len() > shown.len() {
        let more = wanted.len() - shown.len();
        sink.say(&format!("{} more: deft-barge log --all, or search: deft-barge log WORDS", count(more as u64)))?;
    }
    Ok(0)
}

/// Events of a haul that none of its items' lines says.
fn told(history: &History, haul: HaulId) -> impl Iterator<Item = &Event> {
    let events = history.events.iter().filter(move |event| event.haul == haul);
    events.filter(|event| matches!(event.word, EventKind::Launched | EventKind::Repaired))
}

/// One haul of the log: its line, its items', and what can be done with it now.
fn say_haul(site: &Site, history: &History, haul: &HaulRow, sink: &Sink) -> Result<(), Fault> {
    let returns = haul.returns.map_or_else(String::new, |id| format!(", undoes haul {id}"));
    sink.say(&format!(
        "haul {}   {}   {}{returns}",
        haul.id,
        words::moment(haul.made),
        words::haul_state(&haul.into())
    ))?;
    for item in &haul.items {
        say_item(item, sink)?;
    }
    for event in told(history, haul.id) {
        sink.say(&format!("    {}   {}", pad(words::event_word(event.word), 6), line(&event.detail)))?;
    }
    if let Some(next) = words::what_now(haul, &drives_away(site, haul)) {
        sink.say(&format!("    now     {next}"))?;
    }
    Ok(())
}

/// One item of a haul in the log, with its proof and what stopped it.
fn say_item(item: &ItemRow, sink: &Sink) -> Result<(), Fault> {
    let planned = &item.planned;
    let from = planned.from_drive.as_deref().unwrap_or(words::NO_DRIVE);
    sink.say(&format!(
        "  {} {:>10}   {from} > {}   {}",
        pad(&line(&planned.title), 28),
        planned.size.on_disk,
        planned.to_drive,
        words::stage_word(&item.stage)
    ))?;
    if let Some(proof) = item.proof.as_ref().filter(|_| planned.mode != Strategy::Records) {
        sink.say(&format!("    proof   {}", words::proof(proof)))?;
    }
    if let Some(residue) = item.proof.as_ref().and_then(|proof| proof.residue.as_ref()) {
        sink.say(&format!("    search  {}", words::residue(residue)))?;
    }
    if let Some(error) = &item.error {
        sink.say(&format!("    stopped {}", line(error)))?;
    }
    for bad in &item.unreadable {
        let path = crate::present::path(&bad.path);
        sink.say(&format!("    unread  {path}, bytes {} to {}", bad.from, bad.to))?;
    }
    Ok(())
}

/// Turns a fault of the kind "refused" into its exit code after its text was shown.
pub(crate) fn refused(plan: &Plan) -> Fault {
    let stops =
        plan.findings.iter().filter(|f| f.severity == deft_barge_core::item::Severity::Blocker).cloned().collect();
    Fault { kind: Kind::Refused, ..Fault::refused(stops, "") }
}
