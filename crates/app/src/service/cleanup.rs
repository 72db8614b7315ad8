//! What is lying around, and the acts on it.

use std::path::{Path, absolute};

use deft_barge_core::cleanup::{FindPhase, find};
use deft_barge_core::journal::History;
use deft_barge_core::plan::{anchors, plan_anchor, plan_removal};
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use deft_barge_core::survey::{CleanupAct, CleanupFind};
use serde_json::json;

use super::haul::confirmed;
use super::progress::Passing;
use super::sink::Sink;
use super::wish::survey_site;
use crate::present::{Fault, line, pad, path as shown, shell_word, to_json, words};
use crate::request::{CleanupRequest, Consent};

/// Looks for what is lying around, showing how far it is where that takes long.
pub fn found(site: &Site, survey: &Survey, sink: &Sink) -> Vec<CleanupFind> {
    let history = History::of(site).unwrap_or_default();
    let passing = Passing::new(sink);
    let report = |phase: FindPhase| passing.show(|| format!("looked into {} of {} folders", phase.looked, phase.all));
    find(site, survey, &history, &report)
}

/// `finds`
pub fn cleanup(site: &Site, act: Option<&CleanupRequest>, sink: &Sink) -> Result<u8, Fault> {
    let (survey, fault) = survey_site(site, sink);
    match act {
        None => {
            let all = found(site, &survey, sink);
            if sink.is_json() {
                sink.document("cleanup", json!({ "cleanup": to_json(&all)? }))?;
            } else {
                sink.say(&finds_text(&all))?;
            }
            Ok(fault.map_or(0, |fault| fault.code()))
        }
        Some(act) => {
            if let Some(fault) = fault {
                return Err(fault);
            }
            let (settled, act) = match act {
                CleanupRequest::Release(settled) => (settled, CleanupAct::Release),
                CleanupRequest::Quarantine(settled) => (settled, CleanupAct::Quarantine),
                CleanupRequest::RemoveLink(settled) => (settled, CleanupAct::RemoveLink),
                CleanupRequest::Forget(settled) => (settled, CleanupAct::Forget),
            };
            let all = found(site, &survey, sink);
            let find = one(&all, &settled.path, act)?;
            let plan = plan_removal(site, &survey, find, act);
            confirmed(site, plan, settled.consent, sink, &|plan| {
                format!("{} in {}?", words::find_act(act), shown(&plan.items[0].from))
            })
        }
    }
}

/// The find that a path means, if the act fits it.
fn one<'a>(all: &'a [CleanupFind], path: &Path, act: CleanupAct) -> Result<&'a CleanupFind, Fault> {
    let whole = absolute(path).unwrap_or_else(|_| path.to_path_buf());
    let here: Vec<&CleanupFind> = all.iter().filter(|find| find.path == whole).collect();
    if here.is_empty() {
        let sentence = format!("Nothing to clean up in {}.", shown(&whole));
        return Err(Fault::usage(sentence, "List what was found with: deft-barge cleanup"));
    }
    here.iter().find(|find| find.acts.contains(&act)).copied().ok_or_else(|| {
        let acts: Vec<&str> = here.iter().flat_map(|find| &find.acts).map(|act| words::find_act(*act)).collect();
        let sentence = format!("{} is {}; that can't be done with it.", shown(&whole), words::find(&here[0].what));
        let now = if acts.is_empty() { String::new() } else { format!("What can be done: {}.", acts.join("; ")) };
        Fault::usage(sentence, now)
    })
}

fn finds_text(all: &[CleanupFind]) -> String {
    if all.is_empty() {
        return "Nothing to clean up.".into();
    }
    let mut out = Vec::new();
    for find in all {
        let size = if find.size.files == 0 { String::new() } else { find.size.on_disk.to_string() };
        let files = if find.size.files == 0 { String::new() } else { words::several(find.size.files, "file") };
        out.push(format!(
            "{} {} {size:>10} {files:>12}   {}",
            pad(words::lying_word(&find.what), 13),
            pad(find.drive.as_deref().unwrap_or(words::NO_DRIVE), 10),
            shown(&find.path)
        ));
        out.push(format!("              {}", line(&words::find(&find.what))));
        let acts: Vec<&str> = find.acts.iter().map(|act| words::find_act(*act)).collect();
        if !acts.is_empty() {
            out.push(format!("              {}", acts.join(";  ")));
        }
    }
    out.join("\n")
}

/// `re-anchor`
pub fn remap(site: &Site, places: Option<(&Path, &Path)>, consent: Consent, sink: &Sink) -> Result<u8, Fault> {
    let (survey, fault) = survey_site(site, sink);
    let Some((old, new)) = places else {
        let all = anchors(site, &survey);
        if sink.is_json() {
            sink.document("remap", json!({ "moved_drives": to_json(&all)? }))?;
        } else if all.is_empty() {
            sink.say("No drive has moved: every record points to a drive that is there.")?;
        }
        for anchor in all.iter().filter(|_| !sink.is_json()) {
            let why = if anchor.known { "it was there before" } else { "its folders match what is missing" };
            sink.say(&format!(
                "{} is at {} now; {} below {} point to the old path ({why})\n  deft-barge remap {} {}",
                line(&anchor.drive),
                shown(&anchor.new),
                words::several(anchor.led, "place"),
                shown(&anchor.old),
                shell_word(&anchor.old.to_string_lossy()),
                shell_word(&anchor.new.to_string_lossy())
            ))?;
        }
        return Ok(fault.map_or(0, |fault| fault.code()));
    };
    if let Some(fault) = fault {
        return Err(fault);
    }
    let whole =
        |path: &Path| absolute(path).map_err(|e| Fault::usage(format!("Couldn't find {}: {e}.", path.display()), ""));
    let passing = Passing::new(sink);
    let report = |phase| super::trace::looked(&passing, phase);
    let plan = plan_anchor(site, &survey, &whole(old)?, &whole(new)?, &report);
    drop(passing);
    confirmed(site, plan, consent, sink, &|plan| {
        let files = plan.items[0].record_files().len();
        format!(
            "Rewrite {} in {}?",
            words::several(plan.items[0].previews.len(), "record"),
            words::several(files, "file")
        )
    })
}
