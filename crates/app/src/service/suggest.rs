//! Commands that help to choose: suggestions, and the speed of a drive.

use deft_barge_core::haul::probe as measure;
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Aim, projected};
use deft_barge_core::platform::is_writable;
use deft_barge_core::site::Site;
use serde_json::json;

use super::drafts;
use super::haul::ask_unless;
use super::naming;
use super::sink::Sink;
use super::wish::survey_site;
use crate::present::{Fault, Kind, line, pad, shell_word, to_json, words};
use crate::request::{Pace, Suggest, Suggested};

/// `suggest`
pub fn suggest(site: &Site, wish: &Suggest, sink: &Sink) -> Result<u8, Fault> {
    let (mut survey, fault) = survey_site(site, sink);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let more: &Suggested = match wish {
        Suggest::Free { more, .. }
        | Suggest::Empty { more, .. }
        | Suggest::Played { more, .. }
        | Suggest::Reserves { more } => more,
    };
    let mut site = site.clone();
    drafts::add(&more.what_if, &mut site, &mut survey);
    let named = |word: &str| naming::drive(&site, word).map(|drive| drive.name.clone());
    let aim = match wish {
        Suggest::Free { drive, size, .. } => Aim::Free { drive: named(drive)?, bytes: *size },
        Suggest::Empty { drive, .. } => Aim::Empty { drive: named(drive)? },
        Suggest::Played { drive, .. } => Aim::Played { drive: named(drive)? },
        Suggest::Reserves { .. } => Aim::KeepReserves,
    };
    let suggestion = deft_barge_core::plan::suggest(&survey, &aim);
    let draft = suggestion.draft();
    let loads = projected(&survey, &draft);
    if let Some(path) = &more.save {
        drafts::save(path, &survey, &draft, Policy::Hold, more.what_if.clone())?;
    }
    if sink.is_json() {
        let mut value = to_json(&suggestion)?;
        value["loads"] = to_json(&loads)?;
        sink.document("suggestion", value)?;
        return Ok(0);
    }
    if suggestion.lines.is_empty() && suggestion.misses.is_empty() {
        sink.say("Nothing has to move for that.")?;
    }
    for row in &suggestion.lines {
        let why: Vec<String> = row.why.iter().map(|why| words::why(why, survey.made)).collect();
        sink.say(&format!("{} > {}   {}", pad(&line(&row.title), 28), pad(&line(&row.to), 12), why.join(", ")))?;
    }
    for miss in &suggestion.misses {
        sink.say(&format!("left      {}", words::miss(miss)))?;
    }
    for load in loads.iter().filter(|load| load.after != load.now) {
        sink.say(&words::load(load))?;
    }
    if let (Some(path), false) = (&more.save, suggestion.lines.is_empty()) {
        sink.say(&format!("Saved. See the plan with: deft-barge plan --from {}", shell_word(&path.to_string_lossy())))?;
    }
    Ok(0)
}

/// `probe`
pub fn probe(site: &Site, word: &str, yes: bool, sink: &Sink) -> Result<u8, Fault> {
    let drive = naming::drive(site, word)?;
    let (survey, _) = survey_site(site, sink);
    // A person may write into a library where the drive's top is somebody else's.
    let libraries = survey.launchers.iter().flat_map(|launcher| &launcher.libraries);
    let mine = libraries.filter(|library| library.drive.as_ref() == Some(&drive.name)).map(|library| &library.path);
    let writable = |path: &&std::path::PathBuf| is_writable(path);
    let folder = std::iter::once(&drive.root).chain(mine).find(writable).unwrap_or(&drive.root);
    let (journal, _) = Journal::open(site)?.recover()?;
    ask_unless(yes, sink, &words::probe_question(&drive.name))?;
    let stop = sink.stop(Pace::default())?;
    if !sink.is_json() {
        sink.say(&format!("Measuring {}; this takes up to ten seconds.", line(&drive.name)))?;
    }
    let pace = measure(&site.disk, drive, folder, &stop).map_err(|error| {
        let sentence = format!("Couldn't measure {}: {error}.", line(&drive.name));
        Fault::new(Kind::Failed, sentence, "Check that it has room above its reserve and that you can write to it.")
    })?;
    if stop.asked() {
        return Err(Fault::new(
            Kind::Interrupted,
            "Stopped; the test files are deleted.",
            "No measurement is saved. Start it again whenever you like.",
        ));
    }
    journal.put_probe(&drive.name, &pace)?;
    if sink.is_json() {
        sink.document("probe", json!({ "drive": drive.name, "pace": to_json(&pace)? }))?;
    } else {
        sink.say(&words::pace(&drive.name, &pace))?;
    }
    Ok(0)
}
