//! `adopt`: a folder becomes an installed game, by its records or by what a person does in the launcher.

use std::path::{Path, absolute};
use std::time::Duration;

use deft_barge_core::journal::Journal;
use deft_barge_core::launcher::Until;
use deft_barge_core::plan::{Guided, Import, Plan, plan_import, plan_staging, watch_import};
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use deft_barge_core::survey::{CleanupFind, FindKind};
use serde_json::json;

use super::cleanup::found;
use super::haul::{confirmed, run_plan};
use super::naming;
use super::sink::Sink;
use super::survey::refused;
use super::wish::survey_site;
use crate::present::{Fault, Kind, path as shown, shell_word, visible};
use crate::request::{Importing, Pace};

/// `adopt`
pub fn import(site: &Site, wish: &Importing, sink: &Sink) -> Result<u8, Fault> {
    let (survey, fault) = survey_site(site, sink);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let import = meant(site, &survey, wish, sink)?;
    if wish.guided {
        return guided(site, &survey, import, wish, sink);
    }
    let plan = plan_import(site, &survey, &import);
    confirmed(site, plan, wish.consent, sink, &|plan| {
        format!("Import {} in {}?", plan.items[0].title, shown(&plan.items[0].to))
    })
}

/// What a command line means to adopt: as it says, or as the content list says that the folder fits.
fn meant(site: &Site, survey: &Survey, wish: &Importing, sink: &Sink) -> Result<Import, Fault> {
    let path =
        absolute(&wish.path).map_err(|e| Fault::usage(format!("Couldn't find {}: {e}.", wish.path.display()), ""))?;
    let path: std::path::PathBuf = path.components().collect();
    let to = wish.to.as_ref().map(|word| naming::drive(site, word).map(|drive| drive.name.clone())).transpose()?;
    let (launcher, id, listed) = if let Some(word) = &wish.as_game {
        let parts = word.split_once('/').filter(|(launcher, id)| !launcher.is_empty() && !id.is_empty());
        let (launcher, id) =
            parts.ok_or_else(|| Fault::usage(format!("{word:?} isn't of the form LAUNCHER/ID."), ""))?;
        (launcher.to_string(), id.to_string(), None)
    } else {
        let fits = found(site, survey, sink).into_iter().find_map(|find: CleanupFind| match find.what {
            FindKind::Unlisted { fits, .. } if find.path == path => fits,
            _ => None,
        });
        let fit = fits.ok_or_else(|| {
            let sentence = format!("{} matches no launcher's content list.", shown(&path));
            Fault::usage(sentence, "Name the game with --as LAUNCHER/ID.")
        })?;
        (fit.launcher, fit.id, fit.title)
    };
    let title = wish.title.clone().or(listed);
    Ok(Import { path, launcher, id, title, program: wish.program.clone(), to })
}

fn guided(site: &Site, survey: &Survey, import: Import, wish: &Importing, sink: &Sink) -> Result<u8, Fault> {
    let profile = survey.profile(&import.launcher);
    let guide = profile.and_then(|profile| profile.adopt.as_ref()).map(|adopt| adopt.guide.clone()).unwrap_or_default();
    if guide.is_empty() {
        let sentence = format!("The profile of {} has no guide.", import.launcher);
        return Err(Fault::usage(sentence, "Import it without --guided, or write [[import.guide]] into the profile."));
    }
    let plan = plan_staging(site, survey, &import);
    if plan.blocked() {
        return Err(refused(&plan));
    }
    let place = plan.items.first().map_or(import.path.clone(), |item| item.to.clone());
    let title = import.title.clone().unwrap_or_else(|| import.id.clone());
    let filled = |text: &str| visible(&text.replace("{title}", &title).replace("{install}", &place.to_string_lossy()));
    let said: Vec<String> = guide.iter().map(|step| filled(&step.say)).collect();
    if wish.consent.plan {
        return guide_ahead(&plan, &place, &said, sink);
    }
    if !plan.items.is_empty() {
        let (journal, _) = Journal::open(site)?.recover()?;
        let code = run_plan(site, &journal, &plan, Pace::default(), sink)?;
        if code != 0 {
            return Ok(code);
        }
    }
    let import = Import { path: place.clone(), to: None, ..import };
    let stop = sink.stop(Pace::default())?;
    for (n, (step, said)) in guide.iter().zip(&said).enumerate() {
        // The three acts are a person's: each is waited for, as long as it takes.
        sink.aside(&format!("act {} of {}: {said}", n + 1, guide.len()));
        while !done(step.until, watch_import(site, survey, &import)) {
            if stop.asked() {
                let now = format!("The files are in {}. Run the same command to continue.", shown(&place));
                return Err(Fault::new(Kind::Interrupted, "The launcher hasn't done that yet.", now));
            }
            std::thread::sleep(Duration::from_millis(200));
        }
        sink.aside("  done");
    }
    let now = watch_import(site, survey, &import);
    if sink.is_json() {
        sink.document("import", json!({ "place": place, "listed": now.listed, "whole": now.whole }))?;
    } else {
        sink.say(&format!("{} is listed in {}.", visible(&title), shown(&place)))?;
        sink.say(&format!(
            "Read every byte with: deft-barge verify {}",
            shell_word(&format!("{}/{}", import.launcher, import.id))
        ))?;
    }
    Ok(if now.listed && now.whole { 0 } else { 4 })
}

/// What the guide will ask for, without doing any of it.
fn guide_ahead(plan: &Plan, place: &Path, steps: &[String], sink: &Sink) -> Result<u8, Fault> {
    if sink.is_json() {
        return sink.document("guide", json!({ "place": place, "steps": steps })).map(|()| 0);
    }
    for item in &plan.items {
        sink.say(&format!("first     {} moves to {}", shown(&item.from), shown(&item.to)))?;
    }
    for (n, step) in steps.iter().enumerate() {
        sink.say(&format!("act {}     {step}", n + 1))?;
    }
    Ok(0)
}

/// Whether the launcher has done what a step of the guide waits for.
fn done(until: Until, now: Guided) -> bool {
    match until {
        // Who is quick has closed it again by now.
        Until::Running => now.running || now.listed,
        Until::Listed => now.listed,
        Until::Whole => now.whole,
        Until::Closed => !now.running,
    }
}
