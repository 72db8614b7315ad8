//! Turns acts into threads, each of which reports through the channel of events.

mod plans;
mod work;

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::thread;
use std::time::Duration;

use crossbeam_channel::Receiver;
use deft_barge_core::bytes::{Bytes, HaulId, ItemId};
use deft_barge_core::cleanup::{FindPhase, find};
use deft_barge_core::haul::{Control, listed_entries, look_closer};
use deft_barge_core::journal::{HaulRow, History, ItemRow, LogLine, Telemetry};
use deft_barge_core::launcher::load_profiles;
use deft_barge_core::plan::{Plan, anchors};
use deft_barge_core::preflight::quiet;
use deft_barge_core::site::Site;
use deft_barge_core::survey::{Survey, SurveyPhase, sketch};
use deft_barge_harbor::world;

use super::newest::Newest;
use super::state::State;
use super::tasks::{Task, do_task};
use crate::commands::View;
use crate::detached::{follow, leave_running, wish, wished_limit};
use crate::present::{Fault, count, path as shown, shell_word, words};
use crate::service::{Sink, Told, complete, drafts, tables};
use crate::tell::{Teller, telling};
use crate::tui::model::{Act, Errand, Event, LongTask, Picture};
use plans::tell_traced;
pub(crate) use plans::{look, plan_errand};
use work::do_work;

/// Does what the interface wants.
pub(crate) struct Dispatcher {
    site: Arc<Site>,
    tell: Teller<Event>,
    /// The haul in hand, and what a sheet shows.
    stop: Control,
    stop_task: Control,
    /// Where answers to what a sheet asks go.
    answer_task: Teller<usize>,
    /// What is said when the terminal is given back.
    parting: Option<String>,
    /// Surveys that were asked for: only the newest one's answer counts.
    surveys: Arc<AtomicU64>,
    plans: Newest,
    finds: Newest,
    quiets: Newest,
}

impl Dispatcher {
    pub(crate) fn new(site: Site, tell: Teller<Event>) -> Self {
        Self {
            site: Arc::new(site),
            tell,
            stop: Control::default(),
            stop_task: Control::default(),
            answer_task: telling().0,
            parting: None,
            surveys: Arc::default(),
            plans: Newest::new(),
            finds: Newest::new(),
            quiets: Newest::new(),
        }
    }

    #[expect(clippy::too_many_lines, reason = "a table: for each act what is done in the background")]
    pub(crate) fn act(&mut self, act: Act, state: &State) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        match act {
            Act::Survey => self.survey(state),
            Act::Plan(errand) => self.plan(errand, state),
            Act::Find => self.find(state),
            Act::Quiet => {
                let items = state.haul.plan.as_ref().map(|plan| plan.items.clone()).unwrap_or_default();
                self.quiets.ask(move |wanted| {
                    let findings = quiet(&site, &items);
                    if wanted() {
                        tell.say(Event::Quiet(findings));
                    }
                });
            }
            Act::Run(work) => self.run(work, state),
            Act::Save(name, file) => drop(thread::spawn(move || {
                tell.say(Event::Said(match drafts::keep(&site, &name, &file) {
                    Ok(path) => format!(
                        "Saved. From the command line: deft-barge plan --from {}",
                        shell_word(&path.to_string_lossy())
                    ),
                    Err(fault) => fault.text(),
                }));
            })),
            Act::Drafts => drop(thread::spawn(move || tell.say(Event::Drafts(drafts::kept(&site))))),
            Act::Open(name) => drop(thread::spawn(move || {
                tell.say(match drafts::read(&drafts::place(&site, &name)) {
                    Ok(file) => Event::Opened(Box::new(file)),
                    Err(fault) => Event::Said(fault.text()),
                });
            })),
            Act::Complete(wanted, text) => {
                let home = state.first.home.clone();
                thread::spawn(move || {
                    let completed = complete(&home, wanted, &text);
                    tell.say(Event::Completed(text, completed));
                });
            }
            Act::Do(id, task) => self.task(id, task),
            Act::StopTask => self.stop_task.ask(),
            // What is at its end asks nothing any more.
            Act::AnswerTask(nth) => drop(self.answer_task.say(nth)),
            Act::Tree(id) => {
                let Some(item) = item_of(state, id) else { return };
                thread::spawn(move || {
                    let files = listed_entries(&site, &item).map_err(Fault::from);
                    tell.say(Event::Tree(id, Box::new(files)));
                });
            }
            Act::Closer(id, path) => {
                let Some(item) = item_of(state, id) else { return };
                thread::spawn(move || {
                    let closer = look_closer(&site, &item, &path).map_err(Fault::from);
                    tell.say(Event::Closer(id, path, Box::new(closer)));
                });
            }
            Act::Pause if state.running.elsewhere => self.wish(true, state),
            Act::Limit(_) if state.running.elsewhere => self.wish(false, state),
            Act::Pause => self.stop.ask(),
            Act::Limit(limit) => self.stop.set_limit(limit),
            Act::Detach => self.detach(state),
            Act::Demo => self.demo(),
            Act::ReadHaul(id) => {
                thread::spawn(move || match History::one(&site, id) {
                    Ok(Some((haul, events))) => drop(tell.say(Event::HaulRead(Box::new(haul), events))),
                    Ok(None) => {}
                    Err(error) => drop(tell.say(Event::Said(Fault::from(error).text()))),
                });
            }
            Act::Draw(_) | Act::Table(_) | Act::Report(_) => self.write_out(act, state),
            Act::Ring(_) | Act::Leave | Act::Suspend => {}
        }
    }

    /// Plans what is meant, in the background; a later question takes the place of an earlier one.
    fn plan(&self, errand: Errand, state: &State) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        let Some(mut survey) = state.survey.clone().filter(|survey| survey.measured) else { return };
        self.plans.ask(move |wanted| {
            let site = now(&site);
            survey.look_at_room();
            let (plan, places) = plan_errand(&site, &survey, &errand, &|phase| tell_traced(&tell, phase));
            if wanted() {
                tell.say(Event::Planned(Box::new(plan), places, errand));
            }
        });
    }

    /// Looks for what lies about, in the background.
    fn find(&self, state: &State) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        let Some(survey) = state.survey.clone() else { return };
        self.finds.ask(move |wanted| {
            let report = |phase: FindPhase| {
                // Of many folders every tenth is told, so that nobody waits for the telling.
                if phase.looked.is_multiple_of(10) {
                    let text = format!("{} of {} folders", count(phase.looked as u64), count(phase.all as u64));
                    tell.say(Event::Passing(text));
                }
            };
            // What lies about may be of a haul of long ago.
            let history = History::of(&site).unwrap_or_default();
            let find = find(&site, &survey, &history, &report);
            let anchors = anchors(&site, &survey);
            if wanted() {
                tell.say(Event::Found(find, anchors));
            }
        });
    }

    /// Starts what takes long, with the limit and the manners that hold now.
    fn run(&mut self, work: LongTask, state: &State) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        self.stop = Control::default();
        self.stop.set_limit(state.work.limit);
        self.stop.set_gentle(state.work.gentle);
        let stop = self.stop.clone();
        thread::spawn(move || {
            let site = now(&site);
            let result = do_work(&site, &work, &tell, &stop);
            tell.say(Event::Ended { what: work, result });
        });
    }

    /// Hands what runs to a process of its own, and keeps the words for the end.
    fn detach(&mut self, state: &State) {
        self.parting = Some(match leave_running(&self.site, state.work.limit) {
            Ok(()) => "The haul keeps running. Open it again with: deft-barge".into(),
            Err(error) => {
                format!("Couldn't leave the haul running ({error}); it is paused. Resume with: deft-barge resume")
            }
        });
    }

    /// Writes drawings, a table or a report into the home folder, and says where.
    fn write_out(&self, act: Act, state: &State) {
        let Some(survey) = state.survey.clone() else { return };
        match act {
            Act::Draw(pictures) => {
                let (plan, lines) = (state.haul.plan.clone(), state.history.lines.clone());
                self.say_when_written(move |site| draw_all(site, &survey, plan.as_ref(), &lines, &pictures));
            }
            Act::Table(view) => {
                let plan = state.haul.plan.clone();
                self.say_when_written(move |site| {
                    let table = table_of(site, view, &survey, plan.as_ref())?;
                    let (file, rows) = crate::service::put_table_in_home(site, &table)?;
                    let lines = words::plural(rows, "line is", "lines are");
                    Ok(format!("{lines} in {}.", shown(&file)))
                });
            }
            Act::Report(id) => {
                self.say_when_written(move |site| {
                    let file = crate::service::put_report_in_home(site, &survey, id)?;
                    Ok(format!("The report of haul {id} is in {}.", shown(&file)))
                });
            }
            _ => {}
        }
    }

    /// Writes files beside everything else, and says where they went or why not.
    fn say_when_written(&self, write: impl FnOnce(&Site) -> Result<String, Fault> + Send + 'static) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        thread::spawn(move || {
            let said = write(&site).unwrap_or_else(|fault| fault.text());
            tell.say(Event::Said(said));
        });
    }

    /// What is to be said when the terminal is given back.
    pub(crate) fn parting(&mut self) -> Option<String> {
        self.parting.take()
    }

    fn wish(&self, pause: bool, state: &State) {
        let (site, tell, limit) = (Arc::clone(&self.site), self.tell.clone(), state.work.limit);
        thread::spawn(move || {
            if let Err(error) = wish(&site, pause, limit) {
                tell.say(Event::Said(format!("Couldn't reach the haul: {error}.")));
            }
        });
    }

    fn survey(&self, state: &State) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        let (first, what_if) = (state.survey.is_none(), state.drafted.what_if.clone());
        let (surveys, number) = (Arc::clone(&self.surveys), self.surveys.fetch_add(1, Ordering::SeqCst) + 1);
        thread::spawn(move || {
            let site = now(&site);
            if first {
                let held = History::recent(&site).map(|history| history.held(&site)).unwrap_or_default();
                tell.say(Event::Sketched(Box::new(sketch(&site, held))));
                if let Some(limit) = limit_before(&site) {
                    tell.say(Event::Limited(Some(limit)));
                }
                thread::spawn({
                    let (site, tell) = (Arc::clone(&site), tell.clone());
                    move || follow_apart(&site, &tell)
                });
            }
            let measured = tell.clone();
            let report = move |phase: SurveyPhase| {
                measured.say(Event::Measured { done: phase.measured, of: phase.games });
            };
            let (mut survey, history) = look(&site, &report);
            drafts::add(&what_if, &mut (*site).clone(), &mut survey);
            let profiles = if survey.launchers.is_empty() { profiles(&site) } else { Vec::new() };
            // One that was asked for later knows more.
            if surveys.load(Ordering::SeqCst) == number {
                tell.say(Event::Surveyed(Box::new(survey), Box::new(history), profiles));
            }
        });
    }

    /// Does a task, and hands on what it tells.
    fn task(&mut self, id: u64, task: Task) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        self.stop_task = Control::default();
        let (answer, answers) = telling();
        self.answer_task = answer;
        let (sink, hearing) = sheet(id, &tell, self.stop_task.clone(), answers);
        thread::spawn(move || {
            let result = do_task(&site, task, &sink);
            drop(sink);
            // All that was told is heard before the end is.
            #[expect(
                clippy::let_underscore_must_use,
                reason = "it ends when all was told; what it panicked of is told by the hook"
            )]
            let _ = hearing.join();
            tell.say(Event::Done(id, result));
        });
    }

    /// Makes the demo world in the person's data folder, if it is not there, and goes on in it.
    fn demo(&self) {
        let (site, tell) = (Arc::clone(&self.site), self.tell.clone());
        thread::spawn(move || {
            let folder = site.places.data.join("deft-barge/beacon-house");
            tell.say(Event::Said(format!("Making a world in {} ...", shown(&folder))));
            let made = if world::is_there(&folder) { Ok(()) } else { world::make(&folder, 7, world::Scale::DEMO) };
            let there = made.map_err(|error| error.to_string());
            let site = there.and_then(|()| Site::of_world(&folder).map_err(|error| error.to_string()));
            tell.say(match site {
                Ok(site) => Event::Moved(Box::new(site)),
                Err(what) => Event::Said(format!("Couldn't make the demo world: {what}.")),
            });
        });
    }

    /// Goes on in another world.
    pub(crate) fn move_to(&mut self, site: Site) {
        self.site = Arc::new(site);
    }
}

/// The site with the drives that are there at this moment; what cannot be read now is as it was.
fn now(site: &Arc<Site>) -> Arc<Site> {
    let fresh = match &site.world {
        Some(folder) => Site::of_world(folder),
        None => Site::of_system(site.places.clone()),
    };
    fresh.map_or_else(|_| Arc::clone(site), Arc::new)
}

fn item_of(state: &State, id: ItemId) -> Option<ItemRow> {
    state.history.hauls.iter().flat_map(|haul| &haul.items).find(|item| item.id == id).cloned()
}

/// Draws pictures into the home folder, and says where they went.
fn draw_all(
    site: &Site,
    survey: &Survey,
    plan: Option<&Plan>,
    lines: &[LogLine],
    pictures: &[Picture],
) -> Result<String, Fault> {
    let went = |id: HaulId| -> Result<Option<(HaulRow, Telemetry)>, Fault> {
        let row = History::one(site, id)?.map(|(row, _)| row);
        Ok(row.map(|row| Telemetry::of(site, id).map(|passage| (row, passage))).transpose()?)
    };
    let mut files = Vec::new();
    for picture in pictures {
        let drawing = match picture {
            Picture::Games(drive) => deft_barge_charts::games(survey, drive),
            Picture::History => Some(deft_barge_charts::history(lines, &History::released(site)?, survey.made)),
            Picture::Plan => Some(deft_barge_charts::drives(survey, plan)),
            Picture::Loads => plan.map(deft_barge_charts::loads),
            Picture::Order => plan.map(deft_barge_charts::order),
            Picture::Timeline(id) => went(*id)?.map(|(row, passage)| deft_barge_charts::timeline(&row, &passage)),
            Picture::Rate(id) => went(*id)?.map(|(row, passage)| deft_barge_charts::rate(&row, &passage)),
            Picture::Drives => Some(deft_barge_charts::drives(survey, None)),
        };
        if let Some(drawing) = drawing {
            files.push(shown(&crate::service::put_in_home(site, &drawing)?));
        }
    }
    match files.as_slice() {
        [] => Err(Fault::usage("Nothing to draw here.", "")),
        files => Ok(format!("Drawn in {}.", files.join(", "))),
    }
}

/// What a view lists.
fn table_of(site: &Site, view: View, survey: &Survey, plan: Option<&Plan>) -> Result<tables::Table, Fault> {
    Ok(match view {
        View::Drives => tables::games(survey),
        View::Haul => tables::items(plan.ok_or_else(|| Fault::usage("No plan yet.", ""))?),
        View::Running | View::Log => tables::log(&History::of(site)?),
        View::Proof => tables::proofs(&History::of(site)?),
        View::Records => tables::records(survey),
        View::Cleanup => tables::finds(&find(site, survey, &History::of(site)?, &|_| {})),
    })
}

/// Tells what a program tells that was left running, until it has ended.
/// The limit of the haul under way: what was wished of the program that does it, or what it had before it was left.
fn limit_before(site: &Site) -> Option<Bytes> {
    if follow(site).is_some() {
        return wished_limit(site);
    }
    let under_way = History::recent(site).ok()?.unfinished()?.id;
    Telemetry::last_limit(site, under_way).ok()?
}

fn follow_apart(site: &Site, tell: &Teller<Event>) {
    let Some(mut following) = follow(site) else { return };
    tell.say(Event::Elsewhere(true));
    loop {
        let (heard, goes_on) = following.more();
        for heard in heard {
            tell.say(Event::Heard(heard));
        }
        if !goes_on || !tell.say(Event::Elsewhere(true)) {
            break;
        }
        thread::sleep(Duration::from_millis(250));
    }
    tell.say(Event::Elsewhere(false));
}

/// The profiles that there are, where none of them fits this machine.
fn profiles(site: &Site) -> Vec<String> {
    let (profiles, errors) = load_profiles(&site.profile_folder());
    let unread = errors.iter().map(|error| format!("{error}"));
    profiles.iter().map(|profile| format!("{}: none of its folders is here", profile.name)).chain(unread).collect()
}

/// Somebody who tells, and the thread that hands on what is told as events; it ends when nobody tells any more.
fn sheet(id: u64, tell: &Teller<Event>, stop: Control, answers: Receiver<usize>) -> (Sink, thread::JoinHandle<()>) {
    let (to, told) = telling::<Told>();
    let on = tell.clone();
    let hearing = thread::spawn(move || {
        for told in told {
            on.say(Event::Told(id, told));
        }
    });
    (Sink::Sheet { tell: to, stop, answers }, hearing)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Instant;

    #[test]
    fn a_survey_that_a_newer_one_was_asked_for_meanwhile_is_not_shown() {
        let folder = tempfile::tempdir().expect("a folder for the world");
        let world = folder.path().join("w");
        world::make(&world, 7, world::Scale::SMALL).expect("a world");
        let (tell, events) = telling();
        let mut dispatcher = Dispatcher::new(Site::of_world(&world).expect("a site"), tell);
        let state = State::new();
        for _ in 0..4 {
            dispatcher.act(Act::Survey, &state);
        }
        let (begun, mut surveyed) = (Instant::now(), 0);
        while let Ok(event) = events.recv_timeout(Duration::from_secs(if surveyed == 0 { 30 } else { 2 })) {
            surveyed += usize::from(matches!(event, Event::Surveyed(..)));
            assert!(begun.elapsed() < Duration::from_mins(1));
        }
        assert_eq!(surveyed, 1, "the answer of the newest alone");
    }
}
