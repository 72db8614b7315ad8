//! Work that writes: it is asked for, begins, ends; and what has to be answered before it is done.

use crate::tui::model::{Act, Answer, Errand, Leaving, LongTask, Question, Running};
use deft_barge_core::bytes::{Bytes, HaulId, ItemId};
use deft_barge_core::item::{Policy, Strategy, Trial};
use deft_barge_core::journal::{HaulRow, ItemRow};
use deft_barge_core::plan::Draft;
use ratatui::crossterm::event::KeyCode;

use super::state::State;
use crate::commands::{View, Wish};
use crate::present::{Fault, Kind};

/// The titles of a haul's items, the first three of many.
fn titles(haul: &HaulRow) -> String {
    let titles = haul.items.iter().map(|item| item.planned.title.clone());
    let more = haul.items.len().saturating_sub(3);
    let more = (more > 0).then(|| format!("and {more} more"));
    titles.take(3).chain(more).collect::<Vec<_>>().join(", ")
}

/// What is said meanwhile.
const READING: &str = "Reading the journal ...";

impl State {
    pub(crate) fn answered(&mut self, question: Question, code: KeyCode) -> Vec<Act> {
        let KeyCode::Char(key) = code else { return Vec::new() };
        let meant = question.answers.into_iter().find(|(own, ..)| *own == key.to_ascii_lowercase());
        meant.map_or_else(Vec::new, |(.., answer)| self.do_asked(answer))
    }

    pub(crate) fn start(&mut self) -> Vec<Act> {
        if self.view == View::Haul && self.may_start() {
            let work = LongTask::Start(self.errand());
            // Whatever deletes is asked, with bytes and titles.
            if let Some(text) = self.deletes_at_once() {
                self.over.question = Some(Question::yes(text, Answer::Do(work)));
                return Vec::new();
            }
            return self.run(work);
        }
        self.over.message = Some(match &self.haul.plan {
            None => "No plan yet.".into(),
            Some(plan) if plan.items.is_empty() => "Nothing is on this haul.".into(),
            Some(plan) if plan.blocked() => "Blocked: see the first line of the findings.".into(),
            _ if !self.idle() => "A haul is running.".into(),
            _ if self.unfinished().is_some() => {
                "Another haul is unfinished; resume or undo it in the Running view.".into()
            }
            _ => {
                format!(
                    "Read the warnings first, then accept them with {}.",
                    self.look.keys.name(Wish::Accept, View::Haul)
                )
            }
        });
        Vec::new()
    }

    /// What the plan deletes as soon as it is verified, as a question; `None` if all originals are kept.
    fn deletes_at_once(&self) -> Option<String> {
        let plan = self.haul.plan.as_ref()?;
        crate::present::deletes(plan).map(|(bytes, titles)| {
            format!("Delete {bytes} of originals during the haul ({titles})? Each game is verified first, and can be moved back.")
        })
    }

    pub(crate) fn run(&mut self, work: LongTask) -> Vec<Act> {
        let stays = matches!(work, LongTask::Verify(_));
        self.running = Running { work: Some(work.clone()), bell: self.work.bell, ..Running::default() };
        if !stays {
            self.view = View::Running;
        }
        vec![Act::Run(work)]
    }

    /// Asks what was wished for while the journal was being read.
    pub(crate) fn ask_what_waited(&mut self) {
        let early = self.work.early.take();
        if let Some(wish) = early.filter(|_| self.over.message.as_deref() == Some(READING)) {
            self.over.message = None;
            self.ask(wish);
        }
    }

    pub(crate) fn ask(&mut self, wish: Wish) {
        let idle = self.idle();
        if idle && self.work.looking {
            // Which haul is meant is not known yet: what is known here may be an older one.
            self.over.message = Some(READING.into());
            self.work.early = Some(wish);
            return;
        }
        match self.question_of(wish, idle) {
            Some(question) => self.over.question = Some(question),
            None => self.over.message = Some("Nothing here to do that with.".into()),
        }
    }

    fn question_of(&self, wish: Wish, idle: bool) -> Option<Question> {
        match wish {
            Wish::Cancel if !idle => {
                let text = "Cancel the haul and undo what it did so far? Originals and records will be as before.";
                Some(Question::yes(text, Answer::Cancel))
            }
            Wish::Cancel => self.unfinished().map(|haul| {
                let text = "Cancel the games whose records are not updated yet? They stay as they were; the others stay where they are now.";
                Question::yes(text, Answer::Do(LongTask::Cancel(haul.id)))
            }),
            Wish::CancelItem => {
                let row = self.running.items.get(self.running.cursor).filter(|row| row.runs())?;
                let text = format!("Cancel {} alone? Its copy is removed, its originals stay; the others continue.", row.title);
                Some(Question::yes(text, Answer::CancelItem(row.item)))
            }
            Wish::Resume => self.tried().map(|haul| {
                let rest = haul.items.len() - 1;
                let text = format!("The first game is moved. Continue with the other {rest}?");
                Question::yes(text, Answer::Do(LongTask::Agree(haul.id)))
            }),
            Wish::Release if idle => self.to_release().map(|haul| {
                let holding = haul.items.iter().filter(|item| item.holds_originals());
                let held: Bytes = holding.map(|item| item.planned.size.on_disk).sum();
                let is_aside = |item: &ItemRow| item.holds_originals() && item.planned.mode == Strategy::Quarantine;
                let then = if haul.items.iter().any(is_aside) {
                    "No other copy exists; this can't be undone."
                } else {
                    "The verified copies stay, and can be moved back."
                };
                let text = format!("Delete {held} of originals ({})? {then}", titles(haul));
                Question::yes(text, Answer::Do(LongTask::Release(haul.id)))
            }),
            Wish::Undo if idle => self.to_undo().map(|haul| {
                let text = format!("Undo haul {} ({})? The games go back to where they were.", haul.id, titles(haul));
                Question::yes(text, Answer::Do(LongTask::Undo(haul.id)))
            }),
            _ => None,
        }
    }

    /// The haul that waits for your yes after its first game.
    pub fn tried(&self) -> Option<&HaulRow> {
        let waits =
            |haul: &&HaulRow| haul.trial == Trial::Waits && haul.items.first().is_some_and(|item| item.stage.at_rest());
        self.unfinished().filter(waits)
    }

    /// The haul that an act means: in the Log the one under the cursor, elsewhere the newest that fits.
    fn meant_haul(&self, fits: impl Fn(&&HaulRow) -> bool) -> Option<&HaulRow> {
        match (self.view, self.running.haul, self.proofs.haul) {
            (View::Log, ..) => self.haul_here().filter(fits),
            // The haul that is shown is the one that is meant.
            (View::Running, Some(id), _) | (View::Proof, _, Some(id)) => self.history.haul(id).filter(fits),
            _ => self.history.hauls.iter().find(fits),
        }
    }

    /// The haul whose originals may go.
    pub fn to_release(&self) -> Option<&HaulRow> {
        self.meant_haul(|haul| !haul.unfinished() && haul.items.iter().any(ItemRow::holds_originals))
    }

    /// The haul that a return would undo.
    pub fn to_undo(&self) -> Option<&HaulRow> {
        let fits = |haul: &&HaulRow| {
            haul.returns.is_none()
                && haul.items.iter().any(|item| !item.stage.at_rest() || item.stage.records_are_updated())
        };
        let shown = match self.view {
            View::Log => true,
            View::Running => self.running.haul.is_some(),
            View::Proof => self.proofs.haul.is_some(),
            _ => false,
        };
        if shown {
            return self.meant_haul(fits);
        }
        self.unfinished().or_else(|| self.meant_haul(fits))
    }

    pub(crate) fn do_asked(&mut self, answer: Answer) -> Vec<Act> {
        let idle = self.idle();
        match answer {
            Answer::Cancel if !idle => {
                self.running.cancelling = true;
                vec![Act::Pause]
            }
            // It came to its end between the question and the answer, and the journal is being read: once it is known which haul
            // that was, it is returned as it is.
            Answer::Cancel if self.work.looking => {
                self.running.cancelling = true;
                Vec::new()
            }
            Answer::Cancel => {
                self.to_undo().map(|haul| haul.id).map_or_else(Vec::new, |id| self.run(LongTask::Undo(id)))
            }
            Answer::CancelItem(item) if !idle => {
                self.running.cancelling_item = Some(item);
                vec![Act::Pause]
            }
            Answer::Do(work) if idle => self.run(work),
            Answer::Task(task) if idle => self.do_task(task),
            Answer::CancelItem(_) | Answer::Do(_) | Answer::Task(_) => Vec::new(),
            Answer::Leave | Answer::LeaveRunning if self.running.elsewhere => vec![Act::Leave],
            Answer::Leave => {
                self.work.leaving = Leaving::Paused;
                if idle { vec![Act::Leave] } else { vec![Act::Pause] }
            }
            Answer::LeaveRunning => {
                self.work.leaving = Leaving::Running;
                if idle { vec![Act::Leave] } else { vec![Act::Pause] }
            }
            Answer::StopAndLeave => {
                self.work.leaving = Leaving::Paused;
                if self.task_hauls() { vec![Act::StopTask] } else { vec![Act::Leave] }
            }
            Answer::Demo => vec![Act::Demo],
        }
    }

    /// Whether what runs can be gone on with by another program of ours.
    fn can_go_on(&self) -> bool {
        matches!(self.running.work, Some(LongTask::Start(_) | LongTask::Resume | LongTask::Agree(_)))
    }

    /// Whether a sheet shows something that moves files.
    fn task_hauls(&self) -> bool {
        self.over.sheet.as_ref().is_some_and(|sheet| sheet.hauls && sheet.task.is_some())
    }

    pub(crate) fn leave(&mut self) -> Vec<Act> {
        if self.task_hauls() {
            let text = "A haul is running. Stop at the next block, then quit?";
            self.over.question = Some(Question::yes(text, Answer::StopAndLeave));
            return Vec::new();
        }
        if self.running.work.is_none() {
            return vec![Act::Leave];
        }
        let text = "A haul is running. Pause it at the next block and quit? Continue later with: deft-barge resume";
        let mut question = Question::yes(text, Answer::Leave);
        question.answers[0].1 = "pause and quit";
        if self.can_go_on() {
            question.answers.push(('w', "quit, it continues", Answer::LeaveRunning));
        }
        self.over.question = Some(question);
        Vec::new()
    }

    /// Leaves while the haul goes on.
    pub(crate) fn leave_running(&mut self) -> Vec<Act> {
        if self.running.elsewhere {
            return vec![Act::Leave];
        }
        if self.can_go_on() {
            return self.do_asked(Answer::LeaveRunning);
        }
        self.over.message = Some("No haul is running.".into());
        Vec::new()
    }

    /// Leaves from a window in which no question can be read: what runs is paused, and goes on with a resume.
    pub(crate) fn leave_unseen(&mut self) -> Vec<Act> {
        self.over.question = None;
        self.must_leave()
    }

    /// Pauses what runs and leaves without asking: the terminal or the system wants it.
    pub fn must_leave(&mut self) -> Vec<Act> {
        if self.task_hauls() {
            return self.do_asked(Answer::StopAndLeave);
        }
        if self.running.elsewhere {
            return vec![Act::Leave];
        }
        self.do_asked(Answer::Leave)
    }

    /// Rings if that is wanted.
    pub(crate) fn rung(&self, title: &str) -> Option<Act> {
        self.running.bell.then(|| Act::Ring(title.into()))
    }

    pub(crate) fn ended(&mut self, what: LongTask, result: Result<(), Fault>) -> Vec<Act> {
        self.running.work = None;
        let paused = result.as_ref().is_err_and(|fault| fault.kind == Kind::Interrupted);
        match std::mem::take(&mut self.work.leaving) {
            Leaving::Paused => return vec![Act::Leave],
            Leaving::Running if paused => return vec![Act::Detach, Act::Leave],
            Leaving::Running if result.is_ok() => return vec![Act::Leave],
            // What went wrong meanwhile is to be seen before anybody leaves.
            Leaving::Running | Leaving::No => {}
        }
        let cancelling = std::mem::take(&mut self.running.cancelling);
        let cancelling_item = self.running.cancelling_item.take();
        self.running.pausing = false;
        if let (true, Some(item), Some(haul)) = (paused, cancelling_item, self.running.haul) {
            return self.give_up_item(haul, item);
        }
        // A draft whose haul has begun is no draft any more, however that haul has ended for now.
        if matches!(what, LongTask::Start(Errand::Draft(..))) && self.running.haul.is_some() {
            self.drafted.draft = Draft::default();
            self.drafted.policy = Policy::Hold;
        }
        let ring = self.rung(if result.is_ok() { "Deft Barge: done" } else { "Deft Barge: stopped" });
        match result {
            Ok(()) => match what {
                LongTask::Start(Errand::Draft(..)) => {
                    self.drafted.draft = Draft::default();
                    self.drafted.policy = Policy::Hold;
                }
                LongTask::Start(_) => self.redraft(),
                _ => {}
            },
            Err(fault) => {
                let refused = fault.kind == Kind::Refused;
                self.say(fault.sentence.clone());
                self.running.fault = Some(fault);
                if refused && matches!(what, LongTask::Start(_)) {
                    self.haul.plan = None;
                }
            }
        }
        // The journal is read anew before it is known which haul to return.
        self.running.cancelling = cancelling;
        self.work.looking = true;
        ring.into_iter().chain([Act::Survey]).collect()
    }

    /// Gives one item up and goes on with the others; what was heard of them is kept.
    pub(crate) fn give_up_item(&mut self, haul: HaulId, item: ItemId) -> Vec<Act> {
        let work = LongTask::CancelItem(haul, item);
        self.running.work = Some(work.clone());
        vec![Act::Run(work)]
    }

    /// After a survey that follows a cancelled run: returns what was done.
    pub fn go_on_cancelling(&mut self) -> Vec<Act> {
        if !self.running.cancelling || !self.idle() {
            return Vec::new();
        }
        self.running.cancelling = false;
        // Whatever view one has gone to meanwhile, what was cancelled is the haul that ran.
        let view = std::mem::replace(&mut self.view, View::Running);
        let id = self.to_undo().or_else(|| self.unfinished()).map(|haul| haul.id);
        self.view = view;
        id.map_or_else(Vec::new, |id| self.run(LongTask::Undo(id)))
    }
}
