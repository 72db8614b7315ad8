//! Plans of drafts and of errands, and the survey that they need.

use crate::present::{Fault, count};
use crate::service::drafts;
use crate::tell::Teller;
use crate::tui::model::{Errand, Event};
use deft_barge_core::item::{LooseFolders, Policy};
use deft_barge_core::journal::History;
use deft_barge_core::plan::{
    Destination, Draft, Plan, WhatIf, plan, plan_anchor, plan_import, plan_library, plan_removal,
};
use deft_barge_core::site::Site;
use deft_barge_core::survey::add_to_survey;
use deft_barge_core::survey::{Survey, SurveyPhase, survey};
use deft_barge_core::trace::usual_places;
use deft_barge_core::trace::{Find, TracePhase, trace};

pub(crate) fn look(site: &Site, report: &(dyn Fn(SurveyPhase) + Sync)) -> (Survey, Result<History, Fault>) {
    let history = History::recent(site);
    let held = history.as_ref().map(|history| history.held(site)).unwrap_or_default();
    let mut survey = survey(site, held, report);
    #[expect(clippy::let_underscore_must_use, reason = "not to know a drive again later is no reason to fail now")]
    let _ = site.remember_drives();
    deft_barge_core::survey::Names::remember(site, &survey);
    if let Ok(history) = &history {
        survey.speeds = history.speeds.clone();
    }
    (survey, history.map_err(Fault::from))
}

pub(super) fn tell_traced(tell: &Teller<Event>, phase: TracePhase) {
    if phase.files.is_multiple_of(100) {
        let text = format!("{} of {} files", count(phase.files as u64), count(phase.all as u64));
        tell.say(Event::Passing(text));
    }
}

/// Plans an errand, and gives the places that a trace found for it; `report` hears how far a trace is, where it needs one.
pub(crate) fn plan_errand(
    site: &Site,
    survey: &Survey,
    errand: &Errand,
    report: &(dyn Fn(TracePhase) + Sync),
) -> (Plan, Vec<Find>) {
    let plan = match errand {
        Errand::Draft(draft, policy, what_if) => plan_draft(site, survey, draft, *policy, what_if),
        Errand::Removal(find, act) => plan_removal(site, survey, find, *act),
        Errand::Import(import) => plan_import(site, survey, import),
        Errand::Remap(old, new) => plan_anchor(site, survey, old, new, report),
        Errand::Traced(path, drive, otherwise) => {
            let mut survey = survey.clone();
            let mut trace = trace(site, path, &usual_places(site, path), report);
            let found = trace.finds.clone();
            trace.choose_otherwise(otherwise);
            let id = add_to_survey(site, &mut survey, &trace);
            // What lies around is known to nobody: that no record points to it is told, and refuses nothing.
            let mut draft = Draft { loose: LooseFolders::Move, ..Draft::default() };
            draft.send(id, Destination::Drive(drive.clone()));
            return (plan(site, &survey, &draft, Policy::Hold), found);
        }
        Errand::Library(launcher, wish) => plan_library(site, survey, launcher, wish),
    };
    (plan, Vec::new())
}

/// Plans a draft, with the drives that are thought of among the others.
fn plan_draft(site: &Site, survey: &Survey, draft: &Draft, policy: Policy, what_if: &[WhatIf]) -> Plan {
    if what_if.is_empty() {
        return plan(site, survey, draft, policy);
    }
    let (mut site, mut survey) = (site.clone(), survey.clone());
    // The survey that is shown has them already; the site has not.
    survey.drives.retain(|state| !what_if.iter().any(|drive| drive.name == state.drive.name && state.drive.absent));
    drafts::add(what_if, &mut site, &mut survey);
    plan(&site, &survey, draft, policy)
}
