//! `carry`: a folder with what another PC needs, and what is lacking there.

use std::path::{Path, PathBuf, absolute};

use deft_barge_core::audit::keep;
use deft_barge_core::haul::Control;
use deft_barge_core::item::Policy;
use deft_barge_core::journal::{HaulRow, Journal};
use deft_barge_core::pack::{
    NeedMet, PackSubject, add_to_survey, beside, check_needs, installers, plan_card, read_carried, subject, traced,
};
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::{Site, real_path};
use deft_barge_core::survey::{GameId, Survey};
use serde_json::json;

use super::haul::{confirmed, run_plan, run_silently};
use super::naming;
use super::progress::Passing;
use super::sink::Sink;
use super::survey::{add_unfinished, refused};
use super::trace as records;
use super::wish::survey_site;
use crate::present::{Fault, Kind, line, path as shown, shell_word, to_json, words};
use crate::request::{Consent, Pace, PackAct};

/// `carry`
pub fn pack(site: &Site, act: &PackAct, sink: &Sink) -> Result<u8, Fault> {
    match act {
        PackAct::Make { what, to, consent } => make(site, what, to.as_deref(), *consent, sink),
        PackAct::Check { folder } => check(folder, sink),
    }
}

fn make(site: &Site, word: &str, to: Option<&str>, consent: Consent, sink: &Sink) -> Result<u8, Fault> {
    let (mut survey, fault) = survey_site(site, sink);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let path = absolute(word).unwrap_or_else(|_| PathBuf::from(word));
    let mut hauls = Vec::new();
    let mut carried = subject(&survey, word, &path).ok_or_else(|| {
        let mut fault = naming::unknown("launcher", word, survey.launchers.iter().map(|l| l.name.as_str()).collect());
        fault.sentence = format!("No launcher is called {word:?}, and no such folder exists.");
        fault
    })?;
    if !carried.portable {
        let sentence = format!("{} can't run from another folder: its profile has no [pack].", carried.what);
        return Err(Fault::usage(sentence, "Name the folder of one of its libraries instead."));
    }
    if let Some(to) = to {
        let drive = naming::drive(site, to)?;
        let passing = Passing::new(sink);
        let trace = traced(site, &carried.path, &|phase| records::looked(&passing, phase));
        drop(passing);
        let id = add_to_survey(site, &mut survey, &trace);
        let mut draft = Draft::default();
        draft.send(id, Destination::Drive(drive.name.clone()));
        let plan = plan(site, &survey, &draft, Policy::Hold);
        let Some(new) = plan.items.first().map(|item| item.to.clone()) else { return Err(refused(&plan)) };
        if sink.is_json() && !consent.plan {
            let mut plan = plan;
            add_unfinished(site, &mut plan)?;
            hauls.push(run_silently(site, &plan, consent, sink)?);
            carried = PackSubject { path: new, ..carried };
            return put_beside(site, &survey_site(site, sink).0, &carried, consent, Some(hauls), sink);
        }
        let code = confirmed(site, plan, consent, sink, &|plan| {
            format!("Pack {} to {}?", carried.what, shown(&plan.items[0].to))
        })?;
        if code != 0 || consent.plan {
            return Ok(code);
        }
        carried = PackSubject { path: new, ..carried };
        survey = survey_site(site, sink).0;
    }
    put_beside(site, &survey, &carried, consent, sink.is_json().then_some(hauls), sink)
}

/// Puts installers, card, description and checksums beside a folder. `hauls` are those before it, where one JSON document is
/// wanted of all of them.
fn put_beside(
    site: &Site,
    survey: &Survey,
    carried: &PackSubject,
    consent: Consent,
    hauls: Option<Vec<HaulRow>>,
    sink: &Sink,
) -> Result<u8, Fault> {
    let stop = Control::default();
    let found = survey.found.iter().find(|found| Some(&found.profile.id) == carried.launcher.as_ref());
    let wanted = found.map(|found| installers(site, found, &carried.path)).unwrap_or_default();
    if consent.plan {
        return say_ahead(carried, &wanted, sink);
    }
    let id = GameId(format!("carry/{}", carried.path.display()));
    let kept = keep(site, &id, &carried.path, &|_| {}, &stop)?;
    bring_installers(site, &wanted, sink)?;
    let plan = plan_card(site, survey, carried, &kept);
    if plan.blocked() {
        return Err(refused(&plan));
    }
    if let Some(mut hauls) = hauls {
        hauls.push(run_silently(site, &plan, consent, sink)?);
        let differs =
            hauls.iter().flat_map(|haul| &haul.items).any(|item| item.proof.as_ref().is_some_and(|p| !p.holds()));
        let files = kept.lines.len();
        let value = json!({ "folder": carried.path, "beside": beside(&carried.path), "files": files, "hauls": to_json(&hauls)? });
        sink.document("pack", value)?;
        return Ok(if differs { 4 } else { 0 });
    }
    let (journal, _) = Journal::open(site)?.recover()?;
    let code = run_plan(site, &journal, &plan, Pace::default(), sink)?;
    if !sink.is_json() {
        sink.say(&format!("card      {}", shown(&beside(&carried.path).join("READ ME FIRST.txt"))))?;
        sink.say(&format!("checksums of {}", words::several(kept.lines.len(), "file")))?;
    }
    Ok(code)
}

/// What would stand beside the folder, without writing any of it.
fn say_ahead(carried: &PackSubject, wanted: &[(PathBuf, PathBuf)], sink: &Sink) -> Result<u8, Fault> {
    let files: Vec<String> = wanted.iter().map(|(_, to)| shown(to)).collect();
    if sink.is_json() {
        let value = json!({ "folder": carried.path, "beside": beside(&carried.path), "installers": files });
        return sink.document("pack", value).map(|()| 0);
    }
    sink.say(&format!("beside    {}: READ ME FIRST.txt, carried.toml, checksums.b3", shown(&beside(&carried.path))))?;
    for file in files {
        sink.say(&format!("installer {file}"))?;
    }
    Ok(0)
}

/// Copies each installer that the profile names beside the folder.
fn bring_installers(site: &Site, wanted: &[(PathBuf, PathBuf)], sink: &Sink) -> Result<(), Fault> {
    for (from, to) in wanted {
        if !from.is_file() {
            let sentence = format!("The installer {} doesn't exist.", shown(from));
            let now = "Put it there, or remove it from the profile; then pack again.";
            return Err(Fault::new(Kind::Failed, sentence, now));
        }
        deft_barge_core::pack::bring_installer(site, from, to)?;
        if !sink.is_json() {
            sink.say(&format!("installer {}", shown(to)))?;
        }
    }
    Ok(())
}

fn check(folder: &Path, sink: &Sink) -> Result<u8, Fault> {
    let folder = absolute(folder).map_err(|e| Fault::usage(format!("Couldn't find {}: {e}.", folder.display()), ""))?;
    let folder = real_path(&folder);
    let carried = read_carried(&folder).map_err(|problem| {
        let sentence = format!("Couldn't read {}: {}.", shown(&problem.file), line(problem.what.trim_end()));
        Fault::usage(sentence, "Name the packed folder; its description is in NAME.carried beside it.")
    })?;
    let programs: Vec<PathBuf> = std::env::split_paths(&std::env::var_os("PATH").unwrap_or_default()).collect();
    let met = check_needs(&folder, &carried.needs, &programs);
    let lacking: Vec<&NeedMet> = met.iter().filter(|met| met.found.is_none()).collect();
    let moved = carried.place != folder;
    if sink.is_json() {
        sink.document(
            "pack-check",
            json!({ "packed": to_json(&carried)?, "needs": to_json(&met)?, "moved": moved, "folder": folder }),
        )?;
        return Ok(if lacking.is_empty() { 0 } else { 4 });
    }
    sink.say(&format!("{}: {}", line(&carried.what), words::several(carried.games.len(), "game")))?;
    for met in &met {
        let state = match (&met.found, &met.installer_at) {
            (Some(at), _) => format!("is here: {}", shown(at)),
            (None, Some(installer)) => format!("is missing; its installer is in {}", shown(installer)),
            (None, None) => "is missing, and no installer was packed".into(),
        };
        sink.say(&format!("  {} {state}", line(&met.need.name)))?;
    }
    if let Some(start) = &carried.start {
        sink.say(&format!("start     {}", line(start)))?;
    }
    if moved {
        sink.say(&format!(
            "It was in {} when it was packed. Update its records with:\n  deft-barge remap {} {}",
            shown(&carried.place),
            shell_word(&carried.place.to_string_lossy()),
            shell_word(&folder.to_string_lossy())
        ))?;
    }
    Ok(if lacking.is_empty() { 0 } else { 4 })
}
