//! The full-screen interface: one event loop; long work on threads that report through one channel.
//!
//! Law: a frame is drawn from [`State`] alone and never waits for a disk. Start at [`run`]; `state.rs` takes events, `keys.rs` is
//! the table of all that can be asked for, `views/` draws, `dispatcher.rs` turns acts into threads.

mod asking;
mod canvas;
mod chooser;
mod dispatcher;
mod drive_bar;
mod games;
mod log_rows;
mod model;
mod mouse;
mod newest;
mod progress;
mod proofs;
mod record_rows;
mod router;
mod sheet;
mod state;
mod tasks;
mod terminal;
mod theme;
mod typing;
mod views;
mod working;

pub use tasks::Task;

use std::io::IsTerminal;
use std::sync::{Arc, OnceLock};
use std::thread;
use std::time::Instant;

use crossbeam_channel::{Receiver, RecvTimeoutError};
use deft_barge_core::platform::{Ends, hear_ends};
use deft_barge_core::site::Site;

use crate::tell::{Teller, telling};
use crate::tui::model::{Act, Event};
use dispatcher::Dispatcher;
use state::State;
use terminal::Held;
use theme::{Depth, Theme};

use crate::config::Settings;
use crate::present::{Fault, Kind};
use crate::service::Sink;

fn failed(error: std::io::Error) -> Fault {
    Fault::new(Kind::Failed, format!("Couldn't use the terminal: {error}."), "")
}

/// Opens the interface on a site and gives the exit code when the person leaves.
pub fn run(site: Site) -> Result<u8, Fault> {
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        return Err(Fault::usage(
            "The interface needs a terminal.",
            "Use the commands instead: deft-barge survey, plan, haul; see deft-barge --help",
        ));
    }
    let (tell, events) = telling();
    let on_end = tell.clone();
    let heard = move || {
        on_end.say(Event::Terminate);
    };
    hear_ends(Ends::Screen, heard).map_err(failed)?;
    let mut state = State::with(Settings::of(&site));
    (state.first.profile_folder, state.first.home) = (site.profile_folder(), site.places.home.clone());
    let held = Held::take().map_err(failed)?;
    // For the test that a panic gives the terminal back.
    assert!(!(cfg!(debug_assertions) && std::env::var_os("DEFT_BARGE_PANIC").is_some()), "asked to panic");
    let unheard = Arc::new(OnceLock::new());
    hear_input(tell.clone(), Arc::clone(&unheard));
    let mut dispatcher = Dispatcher::new(site, tell);
    dispatcher.act(Act::Survey, &state);
    let code = conduct(&mut dispatcher, &held, state, &events);
    drop(held);
    if let Some(words) = dispatcher.parting() {
        Sink::CommandLine { json: false }.say(&words)?;
    }
    unheard.get().map_or(code, |error| {
        let text = format!("Couldn't read from the terminal: {error}.");
        Err(Fault::new(Kind::Failed, text, "If it was running a haul, that is paused; resume with: deft-barge resume"))
    })
}

/// Takes what is typed, on a thread of its own. An interface that hears nothing more can't be left by any key: it leaves by itself.
fn hear_input(tell: Teller<Event>, unheard: Arc<OnceLock<std::io::Error>>) {
    thread::spawn(move || {
        loop {
            match ratatui::crossterm::event::read() {
                Ok(input) => {
                    if !tell.say(Event::Input(input)) {
                        break;
                    }
                }
                Err(error) => {
                    unheard.get_or_init(|| error);
                    tell.say(Event::Terminate);
                    break;
                }
            }
        }
    });
}

/// Takes events, draws frames, and has acts done, until the person leaves.
fn conduct(dispatcher: &mut Dispatcher, held: &Held, mut state: State, events: &Receiver<Event>) -> Result<u8, Fault> {
    let mut screen = held.screen().map_err(failed)?;
    let depth = Depth::of_environment();
    let begun = Instant::now();
    // The system has asked for it: that is told by the exit code, also when a haul is paused first.
    let mut terminated = false;
    loop {
        state.look.clock = begun.elapsed();
        let theme = Theme { depth, ground: state.look.ground };
        let mut hits = Vec::new();
        let draw = |frame: &mut ratatui::Frame<'_>| {
            hits = views::draw(&state, theme, frame);
            crate::present::isolate(frame.buffer_mut());
        };
        screen.draw(draw).map_err(failed)?;
        state.look.hits = hits;
        let size = screen.size().map_err(failed)?;
        state.look.too_small = views::is_too_small(size.width, size.height);
        // Idle costs nothing: without anything that moves the next event is waited for.
        let first = match events.recv_timeout(state.patience()) {
            Ok(event) => event,
            Err(RecvTimeoutError::Timeout) => Event::Tick,
            Err(RecvTimeoutError::Disconnected) => return Ok(0),
        };
        let mut waiting = vec![first];
        // What has come in meanwhile is taken together: one frame shows it all. A key is not kept waiting by a flood of others.
        waiting.extend(events.try_iter().take(1000));
        for event in waiting {
            state.look.clock = begun.elapsed();
            if let Event::Moved(site) = &event {
                dispatcher.move_to((**site).clone());
            }
            let surveyed = matches!(event, Event::Surveyed(..));
            let must_leave = matches!(event, Event::Terminate);
            terminated |= must_leave;
            let mut acts = if must_leave { state.must_leave() } else { state.update(event) };
            if surveyed {
                acts.extend(state.go_on_cancelling());
            }
            for act in acts {
                match act {
                    Act::Leave => return Ok(if terminated { 5 } else { 0 }),
                    Act::Suspend => {
                        held.suspend().map_err(failed)?;
                        // A new screen knows nothing of what was drawn, and draws all of it.
                        screen = held.screen().map_err(failed)?;
                    }
                    Act::Ring(title) => held.ring(&title).map_err(failed)?,
                    act => dispatcher.act(act, &state),
                }
            }
        }
    }
}
