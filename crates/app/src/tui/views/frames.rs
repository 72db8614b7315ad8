//! Frames of every view as they are kept in `snapshots/`: a change of one is seen in the review of a change.
//!
//! `INSTA_UPDATE=always cargo test -p deft-barge frames` keeps them as they are now.

use std::path::Path;

use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::cleanup::find;
use deft_barge_core::haul::{Control, Haul, HaulEvent, listed_entries};
use deft_barge_core::item::{FindingKind, Policy, Progress, StageKind};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Destination, Draft};
use deft_barge_core::survey::survey;
use jiff::{SignedDuration, Timestamp};
use ratatui::crossterm::event::KeyCode;

use super::super::dispatcher::plan_errand;
use super::super::state::State;
use super::super::theme::Depth;
use super::tests::{Stage, extreme, half_copied, text};
use crate::commands::View;
use crate::service::Heard;
use crate::tui::model::{Act, Errand, Event};

const SIZES: [(u16, u16); 4] = [(80, 24), (100, 30), (160, 47), (240, 67)];

/// A stage in memory, where what files take is the same on every machine.
fn stage() -> Option<Stage> {
    let memory = Path::new("/dev/shm");
    if !memory.is_dir() {
        assert!(std::env::var_os("CI").is_none(), "no folder in memory: {}", memory.display());
        eprintln!("!!! not run: frames are compared in a folder in memory, and there is none !!!");
        return None;
    }
    Some(Stage::within(tempfile::tempdir_in(memory).expect("a folder for the world")))
}

/// A day on which all has happened.
fn day() -> Timestamp {
    "2026-05-04T10:30:00Z".parse().expect("a time")
}

/// Compares a view in all sizes with what is kept of it.
fn compare(world: &str, view: View, state: &mut State) {
    state.view = view;
    let frames: Vec<String> = SIZES
        .into_iter()
        .map(|(width, height)| format!("{width} x {height}\n{}\n", text(state, width, height, Depth::True)))
        .collect();
    let mut settings = insta::Settings::clone_current();
    settings.set_prepend_module_to_snapshot(false);
    settings.set_omit_expression(true);
    settings.set_snapshot_path("snapshots");
    // Where the world lies, and the time of day where the test runs.
    settings.add_filter(r"\.tmp\w+", ".tmpFOLDER");
    settings.add_filter(r"\b\d\d:\d\d:\d\d\b", "hh:mm:ss");
    settings.add_filter(r"\b\d\d:\d\d\b", "hh:mm");
    settings.bind(|| insta::assert_snapshot!(format!("{world}-{}", view.name().to_lowercase()), frames.join("\n")));
}

/// A world in which one game was hauled, with another on its way.
fn usual(stage: &mut Stage) {
    let before = survey(&stage.site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    draft.send(before.find_games("Pale Signal")[0].id.clone(), Destination::Drive("newhold".into()));
    let (plan, _) = plan_errand(&stage.site, &before, &Errand::Draft(draft, Policy::Hold, Vec::new()), &|_| {});
    let (journal, _) = Journal::open(&stage.site).expect("a journal").recover().expect("a journal");
    Haul::begin(&stage.site, &journal, &plan).expect("a haul").run(&|_| {}, &Control::default()).expect("an end");
    let mut history = History::of(&stage.site).expect("a journal");
    for haul in &mut history.hauls {
        haul.made = day();
    }
    for line in &mut history.lines {
        (line.made, line.proved) = (day(), Some(day()));
    }
    for (nth, event) in (0..).zip(&mut history.events) {
        event.at = day() + SignedDuration::from_secs(nth);
    }
    let mut survey = survey(&stage.site, history.held(&stage.site), &|_| {});
    survey.made = day() + SignedDuration::from_hours(30);
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(history)), Vec::new()));
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    // Which processes of others run is the machine's own.
    if let Some(plan) = &mut stage.state.haul.plan {
        plan.findings.retain(|finding| !matches!(finding.kind, FindingKind::NotAllVisible { .. }));
    }
    let find = find(&stage.site, stage.state.survey.as_ref().expect("a survey"), &History::default(), &|_| {});
    stage.state.update(Event::Found(find, Vec::new()));
    let acts = stage.press(KeyCode::Char('P'));
    let [Act::Tree(id)] = acts.as_slice() else { panic!("the files of the proof were to be listed: {acts:?}") };
    let row = stage.state.history.hauls[0].items.iter().find(|item| item.id == *id).expect("an item");
    let files = listed_entries(&stage.site, row).map_err(Into::into);
    stage.state.update(Event::Tree(*id, Box::new(files)));
    running(stage);
}

/// Has a haul be under way.
fn running(stage: &mut Stage) {
    let (haul, item, title) = (HaulId(2), ItemId(2), "Saltflat Rally".to_string());
    stage.press(KeyCode::Char('H'));
    stage.press(KeyCode::Char('S'));
    stage.state.update(Event::Heard(Heard::of(HaulEvent::Stage {
        haul,
        item,
        title: title.clone(),
        stage: StageKind::Copying,
    })));
    let progress = half_copied(item, title);
    for nth in 0..200_u32 {
        let rate = 90e6 + 1e6 * f64::from((nth * nth) % 54);
        let progress = Progress { rate, ..progress.clone() };
        stage.state.update(Event::Heard(Heard::of(HaulEvent::Progress(progress))));
    }
}

#[test]
fn frames_of_an_empty_world_are_as_they_were_kept() {
    let Some(stage) = stage() else { return };
    let mut survey = stage.state.survey.clone().expect("a survey");
    (survey.launchers, survey.games, survey.user_data) = (Vec::new(), Vec::new(), Vec::new());
    survey.drives.truncate(1);
    survey.made = day();
    let mut state = State::new();
    state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), vec!["Quillgate".into()]));
    for view in View::ALL {
        compare("empty", view, &mut state);
    }
}

#[test]
fn frames_of_a_usual_world_are_as_they_were_kept() {
    let Some(mut stage) = stage() else { return };
    usual(&mut stage);
    for view in View::ALL {
        compare("usual", view, &mut stage.state);
    }
}

#[test]
fn frames_of_an_extreme_world_are_as_they_were_kept() {
    let Some(stage) = stage() else { return };
    let mut state = extreme(&stage);
    if let Some(survey) = &mut state.survey {
        survey.made = day();
    }
    for view in View::ALL {
        compare("extreme", view, &mut state);
    }
}
