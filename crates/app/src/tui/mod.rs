//! The full-screen interface: one event loop; long work on threads that report through one channel.
//!
//! Law: a frame is drawn from [`State`] alone and never waits for a disk. Start at [`run`].

mod around;
mod choosing;
mod hull;
mod keys;
mod lanes;
mod state;
mod terminal;
mod theme;
mod views;

use std::io::IsTerminal;
use std::sync::Arc;
use std::thread;
use std::time::Instant;

use crossbeam_channel::{Receiver, RecvTimeoutError, Sender, unbounded};
use deft_barge_core::finds::find;
use deft_barge_core::haul::{
    Control, Haul, HaulError, History, Journal, Stage, StartError, command_of, give_up_rest, release_haul, return_haul,
    start_game,
};
use deft_barge_core::plan::{Plan, Policy, Trial, anchors, plan, plan_adoption, plan_anchor, plan_removal, quiet};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{GameId, Survey, SurveyPhase, survey};
use signal_hook::consts::{SIGHUP, SIGTERM};

use crate::acts::drafts;
use crate::fault::{Fault, Kind};
use state::{Act, Errand, Event, State, Work};
use terminal::Held;
use theme::{Depth, Theme};

fn failed(error: std::io::Error) -> Fault {
    Fault::new(Kind::Failed, format!("The terminal cannot be used: {error}."), "")
}

/// Opens the interface on a site and gives the exit code when the person leaves.
pub fn run(site: Site) -> Result<u8, Fault> {
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        return Err(Fault::usage(
            "The interface needs a terminal.",
            "Without one use the commands: deft-barge survey, plan, haul; see deft-barge --help",
        ));
    }
    let (tell, events) = unbounded();
    let mut signals = signal_hook::iterator::Signals::new([SIGTERM, SIGHUP]).map_err(failed)?;
    let on_signal = tell.clone();
    thread::spawn(move || {
        for _ in &mut signals {
            let _ = on_signal.send(Event::Terminate);
        }
    });
    let held = Held::take().map_err(failed)?;
    // For the test that a panic gives the terminal back.
    assert!(!(cfg!(debug_assertions) && std::env::var_os("DEFT_BARGE_PANIC").is_some()), "asked to panic");
    let on_input = tell.clone();
    thread::spawn(move || {
        while let Ok(input) = ratatui::crossterm::event::read() {
            if on_input.send(Event::Input(input)).is_err() {
                break;
            }
        }
    });
    let mut conductor = Conductor { site: Arc::new(site), tell, held, stop: Control::default() };
    conductor.act(Act::Survey, &State::new());
    let code = conductor.conduct(&events);
    drop(conductor);
    code
}

/// Turns acts into threads.
struct Conductor {
    site: Arc<Site>,
    tell: Sender<Event>,
    held: Held,
    stop: Control,
}

impl Conductor {
    fn conduct(&mut self, events: &Receiver<Event>) -> Result<u8, Fault> {
        let mut screen = self.held.screen().map_err(failed)?;
        let mut state = State::new();
        let theme = Theme { depth: Depth::of_environment() };
        let begun = Instant::now();
        loop {
            state.clock = begun.elapsed();
            screen.draw(|frame| views::draw(&state, theme, frame)).map_err(failed)?;
            // Idle costs nothing: without anything that moves the next event is waited for.
            let patience = state.patience();
            let first = match events.recv_timeout(patience) {
                Ok(event) => event,
                Err(RecvTimeoutError::Timeout) => Event::Tick,
                Err(RecvTimeoutError::Disconnected) => return Ok(0),
            };
            let mut waiting = vec![first];
            // What has come in meanwhile is taken together: one frame shows it all.
            waiting.extend(events.try_iter());
            for event in waiting {
                state.clock = begun.elapsed();
                let surveyed = matches!(event, Event::Surveyed(..));
                let must_leave = matches!(event, Event::Terminate);
                let mut acts = if must_leave { state.must_leave() } else { state.update(event) };
                if surveyed {
                    acts.extend(state.go_on_cancelling());
                }
                for act in acts {
                    match act {
                        Act::Leave => return Ok(if must_leave { 5 } else { 0 }),
                        Act::Suspend => {
                            self.held.suspend().map_err(failed)?;
                            // A new screen knows nothing of what was drawn, and draws all of it.
                            screen = self.held.screen().map_err(failed)?;
                        }
                        act => self.act(act, &state),
                    }
                }
            }
        }
    }

    fn act(&mut self, act: Act, state: &State) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        match act {
            Act::Survey => drop(thread::spawn(move || {
                let measured = tell.clone();
                let report = move |phase: SurveyPhase| {
                    let _ = measured.send(Event::Measured { done: phase.measured, of: phase.games });
                };
                let (survey, history) = look(&site, &report);
                let _ = tell.send(Event::Surveyed(Box::new(survey), Box::new(history)));
            })),
            Act::Plan(errand) => {
                let Some(mut survey) = state.survey.clone() else { return };
                thread::spawn(move || {
                    survey.look_at_room();
                    let plan = plan_errand(&site, &survey, &errand);
                    let _ = tell.send(Event::Planned(Box::new(plan), errand));
                });
            }
            Act::Find => {
                let (Some(survey), history) = (state.survey.clone(), state.history.clone()) else { return };
                thread::spawn(move || {
                    let lying = find(&site, &survey, &history, &|_| {});
                    let _ = tell.send(Event::Found(lying, anchors(&site, &survey)));
                });
            }
            Act::Play(id) => {
                let Some(survey) = state.survey.clone() else { return };
                thread::spawn(move || {
                    let said = play(&site, &survey, &id).unwrap_or_else(|fault| fault.text());
                    let _ = tell.send(Event::Said(said));
                });
            }
            Act::Quiet => {
                let lots = state.plan.as_ref().map(|plan| plan.lots.clone()).unwrap_or_default();
                thread::spawn(move || {
                    let _ = tell.send(Event::Quiet(quiet(&site, &lots)));
                });
            }
            Act::Run(work) => {
                self.stop = Control::default();
                self.stop.set_limit(state.limit);
                let stop = self.stop.clone();
                thread::spawn(move || {
                    let result = do_work(&site, &work, &tell, &stop);
                    let _ = tell.send(Event::Ended { what: work, result });
                });
            }
            Act::Save(name, file) => drop(thread::spawn(move || {
                let _ = tell.send(Event::Said(match drafts::keep(&site, &name, &file) {
                    Ok(path) => {
                        format!("Saved. From the command line: deft-barge plan --from {}", crate::show::path(&path))
                    }
                    Err(fault) => fault.text(),
                }));
            })),
            Act::Open(name) => drop(thread::spawn(move || {
                let _ = tell.send(match drafts::read(&drafts::place(&site, &name)) {
                    Ok(file) => Event::Opened(Box::new(file)),
                    Err(fault) => Event::Said(fault.text()),
                });
            })),
            Act::Pause => self.stop.ask(),
            Act::Limit(limit) => self.stop.set_limit(limit),
            Act::Leave | Act::Suspend => {}
        }
    }
}

fn look(site: &Site, report: &(dyn Fn(SurveyPhase) + Sync)) -> (Survey, Result<History, Fault>) {
    let history = History::of(site);
    let held = history.as_ref().map(|history| history.held(site)).unwrap_or_default();
    let mut survey = survey(site, held, report);
    // Not to know a drive again later is no reason to fail now.
    let _ = site.remember_drives();
    if let Ok(history) = &history {
        survey.speeds = history.speeds.clone();
    }
    (survey, history.map_err(Fault::from))
}

fn plan_errand(site: &Site, survey: &Survey, errand: &Errand) -> Plan {
    match errand {
        Errand::Draft(draft) => plan(site, survey, draft, Policy::Hold),
        Errand::Removal(lying, act) => plan_removal(site, survey, lying, *act),
        Errand::Adoption(adoption) => plan_adoption(site, survey, adoption),
        Errand::Anchor(old, new) => plan_anchor(site, survey, old, new, &|_| {}),
    }
}

/// Starts a game and says what came of it.
fn play(site: &Site, survey: &Survey, id: &GameId) -> Result<String, Fault> {
    let Some(game) = survey.game(id) else { return Ok("It is not there any more.".into()) };
    let failed = |error: StartError| Fault::of_start(&game.found.title, &error);
    let (journal, _) = Journal::open(site)?.recover()?;
    let command = command_of(site, survey, game, None).map_err(failed)?;
    let patience = std::time::Duration::from_secs(30);
    let started = start_game(site, &journal, game, &command, patience, &Control::default()).map_err(failed)?;
    let from = crate::show::path(&game.found.install);
    Ok(match started.process {
        Some(process) => format!("{} came up (process {}) from {from}.", game.found.title, process.pid),
        None => format!("{} was started; no process was seen to come up from {from}.", game.found.title),
    })
}

fn do_work(site: &Site, work: &Work, tell: &Sender<Event>, stop: &Control) -> Result<(), Fault> {
    let report = |event| {
        let _ = tell.send(Event::Haul(event));
    };
    let (journal, unfinished) = Journal::open(site)?.recover()?;
    match work {
        Work::Start(errand) => start(site, &journal, errand, &report, stop),
        Work::Resume => {
            let row = unfinished.ok_or_else(|| Fault::usage("No haul is under way.", ""))?;
            Ok(Haul::of(site, &journal, row.id)?.run(&report, stop).map(drop)?)
        }
        Work::Agree(id) => {
            journal.set_trial(*id, Trial::Agreed)?;
            Ok(Haul::of(site, &journal, *id)?.run(&report, stop).map(drop)?)
        }
        Work::Return(id) => Ok(return_haul(site, &journal, *id, &report, stop).map(drop)?),
        Work::GiveUp(id) => Ok(give_up_rest(site, &journal, *id, &report, stop).map(drop)?),
        Work::Release(id) => Ok(release_haul(site, &journal, *id, &report, stop).map(drop)?),
    }
}

/// Plans once more, since time has gone by since the person looked, and hauls.
fn start(
    site: &Site,
    journal: &Journal,
    errand: &Errand,
    report: &dyn Fn(deft_barge_core::haul::HaulEvent),
    stop: &Control,
) -> Result<(), Fault> {
    let (survey, history) = look(site, &|_| {});
    history?;
    let plan = plan_errand(site, &survey, errand);
    let mut haul = Haul::begin(site, journal, &plan)?;
    let id = haul.id();
    match haul.run(report, stop) {
        // A check refused it before anything was begun: it leaves no haul that has to be gone on with.
        Err(HaulError::Refused(findings)) => {
            let row = journal.haul(id)?;
            if row.is_some_and(|row| row.lots.iter().all(|lot| lot.stage == Stage::Planned)) {
                let _ = return_haul(site, journal, id, &|_| {}, &Control::default());
            }
            Err(Fault::refused(findings, ""))
        }
        other => Ok(other.map(drop)?),
    }
}
