//! What the interface knows and what it wants: `update` takes an event and gives acts; nothing here touches a disk.

use std::path::PathBuf;
use std::time::Duration;

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::finds::{FindAct, LyingAbout};
use deft_barge_core::haul::{HaulEvent, HaulRow, History, LotRow};
use deft_barge_core::plan::{
    Adoption, Aim, Anchor, Destination, Draft, DraftFile, Finding, FindingKind, Links, Load, MakeLetters, Mode, Plan,
    Trial, Weight, projected,
};
use deft_barge_core::survey::{Game, GameId, Survey};
use ratatui::crossterm::event::{Event as Input, KeyCode, KeyEventKind};

use super::choosing::{Typed, Typing};
use super::keys::{View, Wish, wish};
use super::lanes::Running;
use crate::fault::Fault;

/// What can happen.
pub enum Event {
    Input(Input),
    Tick,
    Measured {
        done: usize,
        of: usize,
    },
    Surveyed(Box<Survey>, Box<Result<History, Fault>>),
    /// The plan of a draft, or of an act.
    Planned(Box<Plan>, Errand),
    /// What is lying about.
    Found(Vec<LyingAbout>, Vec<Anchor>),
    Quiet(Vec<Finding>),
    /// Something that was done is said in a sentence.
    Said(String),
    /// A draft was read.
    Opened(Box<DraftFile>),
    Haul(HaulEvent),
    Ended {
        what: Work,
        result: Result<(), Fault>,
    },
    Terminate,
}

/// What the interface wants done.
#[derive(Clone, Debug, PartialEq)]
pub enum Act {
    Survey,
    Plan(Errand),
    /// Look for what is lying about.
    Find,
    /// Start a game, and see that it comes up.
    Play(GameId),
    Quiet,
    Run(Work),
    Pause,
    Limit(Option<Bytes>),
    /// Write a draft under a name.
    Save(String, Box<DraftFile>),
    /// Read the draft of this name.
    Open(String),
    Suspend,
    Leave,
}

/// What a plan is made of: the draft, or an act on something that lies about.
#[derive(Clone, Debug, PartialEq)]
pub enum Errand {
    Draft(Draft),
    Removal(Box<LyingAbout>, FindAct),
    Adoption(Box<Adoption>),
    Anchor(PathBuf, PathBuf),
}

/// Work that writes; one at a time.
#[derive(Clone, Debug, PartialEq)]
pub enum Work {
    Start(Errand),
    Resume,
    /// Say yes to a haul that waits after its first game, and go on with it.
    Agree(HaulId),
    Return(HaulId),
    GiveUp(HaulId),
    Release(HaulId),
}

/// A question that has to be answered before its act is done.
#[derive(Clone, Debug, PartialEq)]
pub struct Question {
    pub text: String,
    pub yes: Answer,
}

/// What a yes means; it stays what was asked, whatever has ended meanwhile.
#[derive(Clone, Debug, PartialEq)]
pub enum Answer {
    /// Stop what runs, and return it.
    Cancel,
    /// Do this work.
    Do(Work),
    /// Pause what runs, and leave.
    Leave,
}

/// All that is shown.
pub struct State {
    pub view: View,
    pub survey: Option<Survey>,
    pub measured: (usize, usize),
    pub history: History,
    pub draft: Draft,
    /// An act that the plan is made of instead of the draft.
    pub act: Option<Errand>,
    /// What is lying about; `None` as long as nobody has looked.
    pub finds: Option<(Vec<LyingAbout>, Vec<Anchor>)>,
    pub find: usize,
    /// Whether digits send the user data of the game under the cursor.
    pub on_data: bool,
    pub loads: Vec<Load>,
    pub plan: Option<Plan>,
    pub planning: bool,
    pub accepted: bool,
    pub drive: usize,
    pub game: usize,
    pub lot: usize,
    pub running: Running,
    /// The most bytes per second that are copied.
    pub limit: Option<Bytes>,
    pub question: Option<Question>,
    /// What is being typed.
    pub typing: Option<Typing>,
    pub help: bool,
    pub message: Option<String>,
    pub clock: Duration,
    asked_quiet: Duration,
    asked_plan: Duration,
    /// How long the last plan took.
    planned_in: Duration,
    leaving: bool,
    /// Whether drives and journal are being looked at anew after some work.
    looking: bool,
}

/// Games in the order in which a drive shows them: what takes most room is what people look for.
pub fn largest_first<'a>(games: impl Iterator<Item = &'a Game>) -> Vec<&'a Game> {
    let mut games: Vec<&Game> = games.collect();
    games.sort_by_key(|game| std::cmp::Reverse(game.size.on_disk));
    games
}

impl State {
    pub fn new() -> Self {
        Self {
            view: View::Drives,
            survey: None,
            measured: (0, 0),
            history: History::default(),
            draft: Draft::default(),
            act: None,
            finds: None,
            find: 0,
            on_data: false,
            loads: Vec::new(),
            plan: None,
            planning: false,
            accepted: false,
            drive: 0,
            game: 0,
            lot: 0,
            running: Running::default(),
            limit: None,
            question: None,
            typing: None,
            help: false,
            message: None,
            clock: Duration::ZERO,
            asked_quiet: Duration::ZERO,
            asked_plan: Duration::ZERO,
            planned_in: Duration::ZERO,
            leaving: false,
            looking: false,
        }
    }

    /// Games on the drive in focus.
    pub fn games_here(&self) -> Vec<&Game> {
        let Some(survey) = &self.survey else { return Vec::new() };
        let name = survey.drives.get(self.drive).map(|state| &state.drive.name);
        largest_first(survey.games.iter().filter(|game| game.drive.as_ref() == name))
    }

    /// The game under the cursor.
    pub fn game_here(&self) -> Option<&Game> {
        self.games_here().get(self.game).copied()
    }

    /// The haul that is under way in the journal.
    pub fn unfinished(&self) -> Option<&HaulRow> {
        self.history.unfinished()
    }

    /// The newest haul.
    pub fn newest(&self) -> Option<&HaulRow> {
        self.history.hauls.first()
    }

    /// Whether the plan may be started now.
    pub fn may_start(&self) -> bool {
        let cautions = |plan: &Plan| plan.findings.iter().any(|f| f.weight == Weight::Caution);
        let free = self.running.work.is_none() && self.unfinished().is_none();
        free && self
            .plan
            .as_ref()
            .is_some_and(|plan| !plan.lots.is_empty() && !plan.stopped() && (self.accepted || !cautions(plan)))
    }

    /// How long the next event may be waited for before something shown grows old.
    pub fn patience(&self) -> Duration {
        match self.view {
            _ if self.running.work.is_some() => Duration::from_millis(100),
            View::Haul | View::Running => Duration::from_secs(1),
            View::Drives | View::Finds => Duration::from_hours(1),
        }
    }

    /// Takes an event and says what is to be done.
    pub fn update(&mut self, event: Event) -> Vec<Act> {
        match event {
            Event::Input(Input::Key(key)) if key.kind != KeyEventKind::Release => {
                self.message = None;
                if let Some(question) = self.question.take() {
                    return if matches!(key.code, KeyCode::Char('y' | 'Y')) {
                        self.do_asked(question.yes)
                    } else {
                        Vec::new()
                    };
                }
                if let Some(typing) = self.typing.take() {
                    return self.type_on(typing, key.code);
                }
                if self.help {
                    self.help = false;
                    return Vec::new();
                }
                wish(key, self.view).map_or_else(Vec::new, |wish| self.wished(wish))
            }
            Event::Input(_) => Vec::new(),
            Event::Tick => self.tick(),
            Event::Measured { done, of } => {
                self.measured = (done, of);
                Vec::new()
            }
            Event::Surveyed(survey, history) => self.surveyed(*survey, *history),
            Event::Found(lying, anchors) => {
                self.find = self.find.min((lying.len() + anchors.len()).saturating_sub(1));
                self.finds = Some((lying, anchors));
                Vec::new()
            }
            Event::Planned(plan, errand) => {
                // The draft may have been changed since.
                if errand == self.errand() {
                    self.planned(*plan);
                }
                Vec::new()
            }
            Event::Quiet(findings) => {
                if let Some(plan) = &mut self.plan {
                    let stopped = plan.stopped();
                    plan.findings.retain(|finding| !is_quiet(&finding.kind));
                    plan.findings.extend(findings);
                    plan.findings.sort_by_key(|finding| finding.weight);
                    if stopped && !plan.stopped() {
                        // What was said of the stop is not true any more.
                        self.message = None;
                    }
                }
                Vec::new()
            }
            Event::Said(text) => {
                self.message = Some(text);
                Vec::new()
            }
            Event::Opened(file) => {
                self.opened(&file);
                Vec::new()
            }
            Event::Haul(event) => {
                self.haul_event(event);
                Vec::new()
            }
            Event::Ended { what, result } => self.ended(what, result),
            Event::Terminate => self.leave(),
        }
    }

    fn planned(&mut self, plan: Plan) {
        let cautions = |plan: &Plan| -> Vec<Finding> {
            plan.findings.iter().filter(|finding| finding.weight == Weight::Caution).cloned().collect()
        };
        // Cautions that were accepted stay so, as long as no others have come.
        self.accepted &= self.plan.as_ref().is_some_and(|before| cautions(before) == cautions(&plan));
        self.planning = false;
        self.planned_in = self.clock.saturating_sub(self.asked_plan);
        self.lot = self.lot.min(plan.lots.len().saturating_sub(1));
        self.plan = Some(plan);
    }

    fn tick(&mut self) -> Vec<Act> {
        /// How often all findings are looked at again, where that is soon done; running programs are every second.
        const AGAIN: Duration = Duration::from_secs(5);
        let watching = self.view == View::Haul && self.plan.is_some() && self.running.work.is_none();
        if watching && self.clock.saturating_sub(self.asked_quiet) >= Duration::from_secs(1) {
            self.asked_quiet = self.clock;
            if self.clock.saturating_sub(self.asked_plan) >= AGAIN && self.planned_in < AGAIN / 10 {
                self.asked_plan = self.clock;
                return vec![Act::Plan(self.errand())];
            }
            return vec![Act::Quiet];
        }
        Vec::new()
    }

    fn surveyed(&mut self, survey: Survey, history: Result<History, Fault>) -> Vec<Act> {
        self.looking = false;
        match history {
            Ok(history) => self.history = history,
            Err(fault) => self.message = Some(fault.text()),
        }
        self.drive = self.drive.min(survey.drives.len().saturating_sub(1));
        if self.survey.is_none() {
            // The first look is at a drive with games on it.
            let with_games = survey.drives.iter().position(|state| state.games > Bytes::ZERO);
            self.drive = with_games.unwrap_or(0);
            if self.unfinished().is_some() {
                self.view = View::Running;
            }
        }
        self.draft.lots.retain(|lot| survey.cargo(&lot.game, lot.way).is_some());
        self.finds = None;
        self.survey = Some(survey);
        self.game = self.game.min(self.games_here().len().saturating_sub(1));
        self.redraft();
        if self.view == View::Finds { vec![Act::Find] } else { Vec::new() }
    }

    /// What the plan is made of.
    pub fn errand(&self) -> Errand {
        self.act.clone().unwrap_or_else(|| Errand::Draft(self.draft.clone()))
    }

    pub(super) fn redraft(&mut self) {
        if let Some(survey) = &self.survey {
            self.loads = projected(survey, &self.draft);
        }
        self.plan = None;
        self.act = None;
        self.accepted = false;
    }

    fn wished(&mut self, wish: Wish) -> Vec<Act> {
        match wish {
            Wish::Show(view) => return self.show(view),
            Wish::Review => return self.show(View::Haul),
            Wish::Next => self.step(true),
            Wish::Previous => self.step(false),
            Wish::NextDrive => self.step_drive(1),
            Wish::PreviousDrive => self.step_drive(-1),
            Wish::Send(digit) => self.send(digit),
            Wish::Keep => {
                if let Some(id) = self.game_here().map(|game| game.id.clone()) {
                    self.draft.keep(&id);
                    self.redraft();
                }
            }
            Wish::Accept => self.accepted = true,
            Wish::MakeLetters => {
                self.draft.letters = match self.draft.letters {
                    MakeLetters::Yes => MakeLetters::No,
                    MakeLetters::No => MakeLetters::Yes,
                };
                self.redraft();
                return self.show(View::Haul);
            }
            Wish::CopyLinks => {
                self.draft.links = match self.draft.links {
                    Links::Copies => Links::Keep,
                    Links::Keep => Links::Copies,
                };
                self.redraft();
                return self.show(View::Haul);
            }
            Wish::TryFirst => {
                self.draft.trial = match self.draft.trial {
                    Trial::None => Trial::Waits,
                    Trial::Waits | Trial::Agreed => Trial::None,
                };
                self.redraft();
                return self.show(View::Haul);
            }
            Wish::Free => self.type_in(Typed::Room),
            Wish::SaveDraft if self.draft.lots.is_empty() => {
                self.message = Some("Nothing is on this haul that could be saved.".into());
            }
            Wish::SaveDraft => self.type_in(Typed::SaveAs),
            Wish::OpenDraft => self.type_in(Typed::Open),
            Wish::Empty => self.suggested(|drive| Aim::Empty { drive }),
            Wish::Played => self.suggested(|drive| Aim::Played { drive }),
            Wish::Start => return self.start(),
            Wish::Slower | Wish::Faster => return self.limited(wish == Wish::Slower),
            Wish::Pause => {
                if self.running.work.is_some() {
                    self.running.pausing = true;
                    return vec![Act::Pause];
                }
            }
            Wish::GoOn if self.running.work.is_none() && self.tried().is_some() => self.ask(wish),
            Wish::GoOn => {
                if self.running.work.is_none() && self.unfinished().is_some() {
                    return self.run(Work::Resume);
                }
            }
            Wish::Cancel | Wish::LetGo | Wish::Undo => self.ask(wish),
            Wish::Refresh => return vec![Act::Survey],
            Wish::Help => self.help = true,
            Wish::UserData => self.turn_to_data(),
            Wish::OtherWay => self.other_way(),
            Wish::Play => {
                if let Some(id) = self.game_here().map(|game| game.id.clone()) {
                    self.message = Some("Starting it, and watching for its process ...".into());
                    return vec![Act::Play(id)];
                }
            }
            Wish::Act(act) => return self.act_on_find(act),
            Wish::Back if self.view == View::Haul && self.act.is_some() => {
                // The draft is as it was.
                self.redraft();
                return self.show(View::Finds);
            }
            Wish::Back => self.view = View::Drives,
            Wish::Quit => return self.leave(),
            Wish::Suspend => return vec![Act::Suspend],
        }
        Vec::new()
    }

    pub(super) fn show(&mut self, view: View) -> Vec<Act> {
        self.view = view;
        if view == View::Finds && self.finds.is_none() && self.survey.is_some() {
            return vec![Act::Find];
        }
        let wanted = self.act.is_some() || !self.draft.lots.is_empty();
        if view == View::Haul && self.plan.is_none() && wanted && self.survey.is_some() {
            self.planning = true;
            (self.asked_quiet, self.asked_plan) = (self.clock, self.clock);
            return vec![Act::Plan(self.errand())];
        }
        Vec::new()
    }

    fn step(&mut self, forward: bool) {
        let (at, count) = match self.view {
            View::Drives => {
                let count = self.games_here().len();
                (&mut self.game, count)
            }
            View::Finds => {
                let count = self.finds.as_ref().map_or(0, |(lying, anchors)| lying.len() + anchors.len());
                (&mut self.find, count)
            }
            View::Haul => (&mut self.lot, self.plan.as_ref().map_or(0, |plan| plan.lots.len())),
            View::Running => return,
        };
        *at = if forward { (*at + 1).min(count.saturating_sub(1)) } else { at.saturating_sub(1) };
        if self.view == View::Drives {
            self.on_data = false;
        }
    }

    fn step_drive(&mut self, by: isize) {
        let count = self.survey.as_ref().map_or(0, |survey| survey.drives.len());
        if count > 0 {
            self.drive = (self.drive as isize + by).rem_euclid(count as isize) as usize;
            self.game = 0;
            self.on_data = false;
        }
    }

    fn send(&mut self, digit: u8) {
        let Some(survey) = &self.survey else { return };
        let drive = survey.drives.iter().find(|state| state.drive.tag == Some(digit));
        let Some(name) = drive.map(|state| state.drive.name.clone()) else {
            self.message = Some(format!("No drive has the digit {digit}."));
            return;
        };
        if self.on_data {
            return self.send_data(&name);
        }
        let Some((id, from)) = self.game_here().map(|game| (game.id.clone(), game.drive.clone())) else { return };
        if from.as_ref() == Some(&name) {
            self.draft.keep(&id);
        } else {
            self.draft.send(id, Destination::Drive(name));
        }
        self.redraft();
    }

    fn start(&mut self) -> Vec<Act> {
        if self.may_start() {
            return self.run(Work::Start(self.errand()));
        }
        let stopped = self.plan.as_ref().is_some_and(Plan::stopped);
        self.message = Some(match (self.draft.lots.is_empty() && self.act.is_none(), self.planning, stopped) {
            (true, ..) => "Nothing is on this haul. Send a game to a drive by its digit first.".into(),
            (_, true, _) => "The plan is being made; a moment.".into(),
            (_, _, true) => "A stop stands in the way; it is the first of the findings.".into(),
            _ if self.unfinished().is_some() => {
                "Another haul is under way; go on with it or undo it in the Running view.".into()
            }
            _ => "Cautions are waiting: read them, and accept them with a.".into(),
        });
        Vec::new()
    }

    fn run(&mut self, work: Work) -> Vec<Act> {
        self.running = Running { work: Some(work.clone()), ..Running::default() };
        self.view = View::Running;
        vec![Act::Run(work)]
    }

    fn ask(&mut self, wish: Wish) {
        let idle = self.running.work.is_none();
        if idle && self.looking {
            // Which haul is meant is not known yet: what is known here may be an older one.
            self.message = Some("The journal is being read; a moment.".into());
            return;
        }
        let titles =
            |haul: &HaulRow| haul.lots.iter().map(|lot| lot.planned.title.clone()).collect::<Vec<_>>().join(", ");
        let question = match wish {
            Wish::Cancel if !idle => {
                let text = "Stop, and return what was done so far? Originals and records will be as they were.";
                Some((text.to_string(), Answer::Cancel))
            }
            Wish::Cancel => self.unfinished().map(|haul| {
                let text = "Give up the games that are not repointed yet? They stay as they were; the others stay where they are now.";
                (text.to_string(), Answer::Do(Work::GiveUp(haul.id)))
            }),
            Wish::GoOn => self.tried().map(|haul| {
                let rest = haul.lots.len() - 1;
                let text = format!("The first game is tried. Go on with the other {rest}?");
                (text, Answer::Do(Work::Agree(haul.id)))
            }),
            Wish::LetGo if idle => self.to_let_go().map(|haul| {
                let holding = haul.lots.iter().filter(|lot| lot.holds_originals());
                let held: Bytes = holding.map(|lot| lot.planned.size.on_disk).sum();
                let holding = |lot: &LotRow| lot.holds_originals() && lot.planned.mode == Mode::SetAside;
                let then = if haul.lots.iter().any(holding) {
                    "It was set aside, and goes for good."
                } else {
                    "Their copies are proved. They can still be hauled back."
                };
                let text = format!("Let go of {held} of originals ({})? {then}", titles(haul));
                (text, Answer::Do(Work::Release(haul.id)))
            }),
            Wish::Undo if idle => self.to_undo().map(|haul| {
                let text = format!("Return haul {} ({})? The games go back to where they were.", haul.id, titles(haul));
                (text, Answer::Do(Work::Return(haul.id)))
            }),
            _ => None,
        };
        match question {
            Some((text, yes)) => self.question = Some(Question { text, yes }),
            None => self.message = Some("There is nothing to do that with now.".into()),
        }
    }

    /// The haul that waits for a yes after its first game.
    pub fn tried(&self) -> Option<&HaulRow> {
        let waits =
            |haul: &&HaulRow| haul.trial == Trial::Waits && haul.lots.first().is_some_and(|lot| lot.stage.at_rest());
        self.unfinished().filter(waits)
    }

    /// The haul whose originals may go.
    pub fn to_let_go(&self) -> Option<&HaulRow> {
        self.history
            .hauls
            .iter()
            .find(|haul| !haul.unfinished() && haul.lots.iter().any(deft_barge_core::haul::LotRow::holds_originals))
    }

    /// The haul that a return would undo.
    pub fn to_undo(&self) -> Option<&HaulRow> {
        let fits = |haul: &&HaulRow| {
            haul.returns.is_none() && haul.lots.iter().any(|lot| !lot.stage.at_rest() || lot.stage.is_repointed())
        };
        self.unfinished().or_else(|| self.history.hauls.iter().find(fits))
    }

    fn do_asked(&mut self, answer: Answer) -> Vec<Act> {
        let idle = self.running.work.is_none();
        match answer {
            Answer::Cancel if !idle => {
                self.running.cancelling = true;
                vec![Act::Pause]
            }
            // It came to its end between the question and the answer, and the journal is being read: once it is known which haul
            // that was, it is returned as it is.
            Answer::Cancel if self.looking => {
                self.running.cancelling = true;
                Vec::new()
            }
            Answer::Cancel => self.to_undo().map(|haul| haul.id).map_or_else(Vec::new, |id| self.run(Work::Return(id))),
            Answer::Do(work) if idle => self.run(work),
            Answer::Do(_) => Vec::new(),
            Answer::Leave => {
                self.leaving = true;
                if idle { vec![Act::Leave] } else { vec![Act::Pause] }
            }
        }
    }

    fn leave(&mut self) -> Vec<Act> {
        if self.running.work.is_none() {
            return vec![Act::Leave];
        }
        let text =
            "A haul is running. Pause it at the next block and leave? It goes on with: deft-barge resume".to_string();
        self.question = Some(Question { text, yes: Answer::Leave });
        Vec::new()
    }

    /// Pauses what runs and leaves without asking: the terminal or the system wants it.
    pub fn must_leave(&mut self) -> Vec<Act> {
        self.do_asked(Answer::Leave)
    }

    fn ended(&mut self, what: Work, result: Result<(), Fault>) -> Vec<Act> {
        self.running.work = None;
        if self.leaving {
            return vec![Act::Leave];
        }
        let cancelling = std::mem::take(&mut self.running.cancelling);
        self.running.pausing = false;
        match result {
            Ok(()) => match what {
                Work::Start(Errand::Draft(_)) => self.draft = Draft::default(),
                Work::Start(_) => self.redraft(),
                _ => {}
            },
            Err(fault) => {
                let refused = fault.kind == crate::fault::Kind::Refused;
                self.say(fault.sentence.clone());
                self.running.fault = Some(fault);
                if refused && matches!(what, Work::Start(_)) {
                    self.plan = None;
                }
            }
        }
        // The journal is read anew before it is known which haul to return.
        self.running.cancelling = cancelling;
        self.looking = true;
        vec![Act::Survey]
    }

    /// After a survey that follows a cancelled run: returns what was done.
    pub fn go_on_cancelling(&mut self) -> Vec<Act> {
        if !self.running.cancelling || self.running.work.is_some() {
            return Vec::new();
        }
        self.running.cancelling = false;
        let id = self.to_undo().map(|haul| haul.id);
        id.map_or_else(Vec::new, |id| self.run(Work::Return(id)))
    }
}

fn is_quiet(kind: &FindingKind) -> bool {
    matches!(kind, FindingKind::LauncherRunning { .. } | FindingKind::InUse { .. } | FindingKind::NotAllVisible { .. })
}
