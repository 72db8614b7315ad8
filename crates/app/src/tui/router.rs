//! What each wish does: moves a cursor, changes the draft, asks, or gives an act.

mod finds;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::item::{Links, LooseFolders, Policy, Trial};
use deft_barge_core::plan::{Aim, LibraryWish, MakeLetters};
use deft_barge_core::platform::CAN_STOP;
use deft_barge_core::survey::CleanupFind;

use super::state::State;
use super::tasks::Task;
use crate::commands::{View, Wish};
use crate::config::Ground;
use crate::present::words;
use crate::tui::model::{Act, Answer, Chooser, Errand, LongTask, Picture, Question, Typed};

impl State {
    #[expect(clippy::too_many_lines, reason = "a table: a line for each wish")]
    pub(crate) fn wished(&mut self, wish: Wish) -> Vec<Act> {
        match wish {
            Wish::Show(view) => return self.show(view),
            Wish::Down => self.step(1),
            Wish::Up => self.step(-1),
            Wish::PageDown => self.step(15),
            Wish::PageUp => self.step(-15),
            Wish::First => self.step(isize::MIN / 2),
            Wish::Last => self.step(isize::MAX / 2),
            Wish::Left | Wish::Right => return self.sideways(wish == Wish::Right),
            Wish::NextPart | Wish::PreviousPart => return self.part(wish == Wish::NextPart),
            Wish::Open | Wish::Files => return self.open(),
            Wish::Send(digit) => return self.digit(digit),
            Wish::ToDrive => self.over.chooser = Some(Chooser::drives()),
            Wish::Keep => self.keep_here(),
            Wish::Mark => self.mark(),
            Wish::MarkAll => self.mark_all(),
            Wish::Sort => self.sort_on(),
            Wish::Filter => self.filter_on(),
            Wish::Scale => self.scale_on(),
            Wish::UserData => self.turn_to_data(),
            Wish::OtherWay => self.other_way(),
            Wish::LeaveLink => self.leave_link(),
            Wish::Room => self.type_in(Typed::Room, ""),
            Wish::Empty => self.suggested(|drive| Aim::Empty { drive }),
            Wish::Played => self.suggested(|drive| Aim::Played { drive }),
            Wish::Reserves => self.suggested(|_| Aim::KeepReserves),
            Wish::SaveDraft => self.ask_save(),
            Wish::OpenDraft => return self.open_draft(),
            Wish::WhatIf => self.type_in(Typed::WhatIf, ""),
            Wish::Accept => self.haul.accepted = true,
            Wish::MakeLetters | Wish::CopyLinks | Wish::MoveLoose | Wish::TryFirst | Wish::Policy => {
                return self.turn(wish);
            }
            Wish::Places => self.choose_places(),
            Wish::Start => return self.start(),
            Wish::Slower | Wish::Faster => return self.limited(wish == Wish::Slower),
            Wish::Pause => return self.pause(),
            Wish::Resume => return self.resume(),
            Wish::Cancel | Wish::CancelItem | Wish::Release | Wish::Undo => self.ask(wish),
            Wish::RepairCopy => return self.ask_for_copy(),
            Wish::Bell => self.turn_bell(),
            Wish::Gentle => self.turn_gentle(),
            Wish::LeaveRunning => return self.leave_running(),
            Wish::Refresh => return vec![Act::Survey],
            Wish::Help => self.over.help = Some(0),
            Wish::Palette => self.over.chooser = Some(Chooser::acts()),
            Wish::Find if self.view == View::Log => self.type_in(Typed::SearchLog, self.log.search.clone()),
            Wish::Find => self.over.chooser = Some(Chooser::games()),
            Wish::Theme => self.turn_ground(),
            Wish::Back => return self.back(),
            Wish::Quit => return self.leave(),
            // A key may be set for it where the system stops no program.
            Wish::Suspend => return if CAN_STOP { vec![Act::Suspend] } else { Vec::new() },
            Wish::Act(act) => return self.act_on_find(act),
            Wish::Draw => return self.draw_into_files(),
            Wish::Table => return self.table_into_file(),
            Wish::Report => return self.report_into_file(),
            Wish::Demo => self.ask_demo(),
            other => return self.told_in_a_sheet(other),
        }
        if matches!(wish, Wish::Palette | Wish::Find | Wish::ToDrive | Wish::Places) {
            self.choices();
        }
        Vec::new()
    }

    fn ask_save(&mut self) {
        if self.drafted.draft.items.is_empty() {
            self.over.message = Some("Nothing on this haul to save.".into());
        } else {
            self.type_in(Typed::SaveAs, "");
        }
    }

    /// Opens the list at once, so that no key that is meant for it does something else.
    fn open_draft(&mut self) -> Vec<Act> {
        self.over.drafts = None;
        self.over.chooser = Some(Chooser::drafts());
        vec![Act::Drafts]
    }

    fn pause(&mut self) -> Vec<Act> {
        if self.idle() {
            self.over.message = Some("Nothing is running.".into());
            return Vec::new();
        }
        self.running.pausing = true;
        vec![Act::Pause]
    }

    fn resume(&mut self) -> Vec<Act> {
        if self.idle() && self.tried().is_some() {
            self.ask(Wish::Resume);
        } else if self.idle() && self.unfinished().is_some() {
            return self.run(LongTask::Resume);
        } else {
            self.over.message = Some("No unfinished hauls.".into());
        }
        Vec::new()
    }

    fn turn_bell(&mut self) {
        self.running.bell = !self.running.bell;
        self.work.bell = self.running.bell;
        let words = if self.work.bell { "Bell when it is done: yes." } else { "Bell when it is done: no." };
        self.over.message = Some(words.into());
    }

    fn turn_gentle(&mut self) {
        self.work.gentle = !self.work.gentle;
        let words = if self.work.gentle {
            "Other programs go first, from the next haul on: yes."
        } else {
            "Other programs go first, from the next haul on: no."
        };
        self.over.message = Some(words.into());
    }

    fn turn_ground(&mut self) {
        self.look.ground = if self.look.ground == Ground::Dark { Ground::Light } else { Ground::Dark };
    }

    fn ask_demo(&mut self) {
        let text = "Make the demo world (about 500 MB in your data folder) and open it?";
        self.over.question = Some(Question::yes(text, Answer::Demo));
    }

    /// Wishes whose answer is a text, or that ask for something to be typed.
    fn told_in_a_sheet(&mut self, wish: Wish) -> Vec<Act> {
        let game = self.game_meant();
        let id = game.clone().map(|(id, _)| id);
        let drive =
            self.survey.iter().flat_map(|survey| &survey.drives).nth(self.drives.drive).map(|d| d.drive.name.clone());
        match wish {
            Wish::Launch => return game.map_or_else(Vec::new, |(id, title)| self.do_task(Task::Launch(id, title))),
            Wish::Audit if self.view == View::Log => {
                let games =
                    self.haul_here().map(|haul| haul.items.iter().map(|item| item.planned.game.0.clone()).collect());
                return games.map_or_else(Vec::new, |games| self.do_task(Task::Audit(games)));
            }
            Wish::Audit => return id.map_or_else(Vec::new, |id| self.do_task(Task::Audit(vec![id]))),
            Wish::KeepChecksums => {
                let ids = self.meant().into_iter().map(|id| id.0).collect();
                return self.do_task(Task::Keep(ids));
            }
            Wish::Repair => {
                let Some((id, title)) = game else { return Vec::new() };
                let text = format!(
                    "Repair {title}: replace what is damaged or missing from another copy with the same bytes?"
                );
                self.over.question = Some(Question::yes(text, Answer::Task(Task::Repair(id))));
            }
            Wish::Probe => {
                let Some(drive) = drive else { return Vec::new() };
                let text = words::probe_question(&drive);
                self.over.question = Some(Question::yes(text, Answer::Task(Task::Probe(drive))));
            }
            Wish::ListData => id.into_iter().for_each(|id| self.type_in(Typed::DataOf(id), "")),
            Wish::ForgetData => self.type_in(Typed::ForgetData, ""),
            Wish::Pack => drive.into_iter().for_each(|drive| self.type_in(Typed::Pack(drive), "")),
            Wish::CheckPack => self.type_in(Typed::CheckPack, ""),
            Wish::CheckProfiles => return self.do_task(Task::CheckProfiles),
            Wish::Trace => {
                let path = self.path_here().map(|path| path.to_string_lossy().into_owned()).unwrap_or_default();
                self.type_in(Typed::Trace, path);
            }
            Wish::Learn => return self.do_task(Task::Learn),
            Wish::Watch => return self.do_task(Task::Watch),
            Wish::Remap => self.type_in(Typed::Remap, ""),
            Wish::NewLibrary => match self.launcher_here() {
                Some(_) => self.over.message = Some("Press a drive's number to make a library there.".into()),
                None => self.over.message = Some("Choose a launcher first.".into()),
            },
            Wish::TakesInstalls => return self.takes_installs(),
            Wish::Guided => return self.import_guided(),
            Wish::Verify => match self.proofs.haul {
                Some(haul) if self.idle() => return self.run(LongTask::Verify(haul)),
                Some(_) => self.over.message = Some("Something is running. Verify when it is done.".into()),
                None => self.over.message = Some("No hauls to verify yet.".into()),
            },
            Wish::Export => self.ask_for_file(),
            Wish::NextDifference | Wish::PreviousDifference => self.step_difference(wish == Wish::NextDifference),
            _ => {}
        }
        Vec::new()
    }

    /// The game that an act means in this view, by id and title.
    pub(crate) fn game_meant(&self) -> Option<(String, String)> {
        if self.view == View::Proof {
            return self.item_proved().map(|item| (item.planned.game.0.clone(), item.planned.title.clone()));
        }
        self.game_here().map(|game| (game.id.0.clone(), game.found.title.clone()))
    }

    /// Whether games are measured; else says so.
    fn are_measured(&mut self) -> bool {
        let measured = self.survey.as_ref().is_some_and(|survey| survey.measured);
        if !measured {
            self.over.message = Some("Measuring games ...".into());
        }
        measured
    }

    /// The haul that is told of: the one under the cursor of the Log, or whose proof is looked at, or the newest.
    fn haul_meant(&self) -> Option<HaulId> {
        let here = match self.view {
            View::Log => self.haul_id_here(),
            View::Proof => self.proofs.haul,
            _ => None,
        };
        here.or_else(|| self.history.lines.first().map(|line| line.id))
    }

    /// Has drawn what the view shows: the plan, how a haul went and the months, the games on the drive in focus, or all drives.
    fn draw_into_files(&mut self) -> Vec<Act> {
        if !self.are_measured() {
            return Vec::new();
        }
        let drive =
            self.survey.iter().flat_map(|survey| &survey.drives).nth(self.drives.drive).map(|s| s.drive.name.clone());
        let haul = self.haul_meant();
        let went = |id| [Picture::Timeline(id), Picture::Rate(id)];
        let pictures = match self.view {
            View::Haul if self.haul.plan.is_some() => vec![Picture::Plan, Picture::Loads, Picture::Order],
            View::Log => haul.into_iter().flat_map(went).chain([Picture::History]).collect(),
            View::Running | View::Proof => match haul {
                Some(id) => went(id).into(),
                None => vec![Picture::Drives],
            },
            View::Drives if self.drafted.draft.items.is_empty() => {
                vec![drive.map_or(Picture::Drives, Picture::Games)]
            }
            _ => vec![Picture::Drives],
        };
        vec![Act::Draw(pictures)]
    }

    fn table_into_file(&mut self) -> Vec<Act> {
        if !self.are_measured() {
            return Vec::new();
        }
        if self.view == View::Haul && self.haul.plan.is_none() {
            self.over.message = Some("Nothing to export: no plan yet.".into());
            return Vec::new();
        }
        vec![Act::Table(self.view)]
    }

    fn report_into_file(&mut self) -> Vec<Act> {
        let Some(id) = self.haul_meant() else {
            self.over.message = Some("No hauls to report yet.".into());
            return Vec::new();
        };
        vec![Act::Report(id)]
    }

    fn turn(&mut self, wish: Wish) -> Vec<Act> {
        if self.haul.act.is_some() {
            self.over.message = Some("That choice is for games that go to drives.".into());
            return Vec::new();
        }
        match wish {
            Wish::MakeLetters => {
                self.drafted.draft.letters = match self.drafted.draft.letters {
                    MakeLetters::Yes => MakeLetters::No,
                    MakeLetters::No => MakeLetters::Yes,
                };
            }
            Wish::CopyLinks => {
                self.drafted.draft.links = match self.drafted.draft.links {
                    Links::Copies => Links::Keep,
                    Links::Keep => Links::Copies,
                };
            }
            Wish::MoveLoose => {
                self.drafted.draft.loose = match self.drafted.draft.loose {
                    LooseFolders::Refuse => LooseFolders::Move,
                    LooseFolders::Move => LooseFolders::Refuse,
                };
            }
            Wish::TryFirst => {
                self.drafted.draft.trial = match self.drafted.draft.trial {
                    Trial::None => Trial::Waits,
                    Trial::Waits | Trial::Agreed => Trial::None,
                };
            }
            _ => {
                self.drafted.policy = if self.drafted.policy == Policy::Hold { Policy::Release } else { Policy::Hold };
                let words = match self.drafted.policy {
                    Policy::Hold => "Keep originals after the haul: yes.",
                    Policy::Release => {
                        "Keep originals after the haul: no. Each is deleted once its copy is proved; an undo copies it back."
                    }
                };
                self.over.message = Some(words.into());
            }
        }
        self.redraft();
        self.show(View::Haul)
    }

    /// Moves the cursor of the view by lines.
    pub(crate) fn step(&mut self, by: isize) {
        let moved = |at: usize, count: usize| {
            let last = count.saturating_sub(1) as isize;
            (at as isize).saturating_add(by).clamp(0, last) as usize
        };
        match self.view {
            View::Drives if self.first_look() => {
                self.cleanup.find =
                    moved(self.cleanup.find, self.cleanup.finds.as_ref().map_or(0, |(find, _)| find.len()));
            }
            View::Drives => self.drives.layout.cursor = moved(self.drives.layout.cursor, self.drives.layout.list.len()),
            View::Haul => {
                self.haul.item = moved(self.haul.item, self.haul.plan.as_ref().map_or(0, |plan| plan.items.len()));
                self.haul.change = 0;
            }
            View::Running => self.running.cursor = moved(self.running.cursor, self.running.items.len()),
            View::Proof => self.step_tree(by),
            View::Log => self.step_log(by),
            View::Records => self.records.cursor = moved(self.records.cursor, self.records.rows.len()),
            View::Cleanup => {
                self.cleanup.find =
                    moved(self.cleanup.find, self.cleanup.finds.as_ref().map_or(0, |(l, a)| l.len() + a.len()));
            }
        }
    }

    fn sideways(&mut self, right: bool) -> Vec<Act> {
        match self.view {
            View::Drives => self.step_block(right),
            View::Proof => return self.fold_tree(right),
            View::Records => self.unfold(Some(right)),
            View::Haul => self.step_moment(right),
            _ => self.step(if right { 1 } else { -1 }),
        }
        Vec::new()
    }

    /// Goes along the moments of the plan.
    fn step_moment(&mut self, next: bool) {
        let last = self.haul.plan.as_ref().map_or(0, |plan| plan.moments().len() - 1);
        let to = if next { self.haul.moment + 1 } else { self.haul.moment.saturating_sub(1) };
        self.haul.moment = to.min(last);
    }

    fn part(&mut self, next: bool) -> Vec<Act> {
        match self.view {
            View::Drives => self.step_drive(next),
            View::Haul => {
                let count = self
                    .haul
                    .plan
                    .as_ref()
                    .and_then(|plan| plan.items.get(self.haul.item))
                    .map_or(0, |item| item.previews.len());
                let change = if next { self.haul.change + 1 } else { self.haul.change.saturating_sub(1) };
                self.haul.change = change.min(count.saturating_sub(1));
            }
            View::Proof => return self.step_item(next),
            _ => self.step(if next { 1 } else { -1 }),
        }
        Vec::new()
    }

    /// What Enter does.
    fn open(&mut self) -> Vec<Act> {
        match self.view {
            View::Drives => return self.show(View::Haul),
            View::Haul => self.show_files(),
            View::Proof => return self.open_tree(),
            View::Log => {
                let Some(id) = self.haul_here().map(|haul| haul.id) else { return Vec::new() };
                return self.show_proof_of(id);
            }
            View::Records => self.unfold(None),
            View::Running | View::Cleanup => {}
        }
        Vec::new()
    }

    fn back(&mut self) -> Vec<Act> {
        if self.drives.dragged.take().is_some() {
            return Vec::new();
        }
        if self.view == View::Haul
            && let Some((_, from)) = self.haul.act.take()
        {
            // The draft is as it was.
            self.redraft();
            return self.show(from);
        }
        if self.view == View::Proof && self.proofs.closer.take().is_some() {
            return Vec::new();
        }
        if self.view == View::Drives {
            self.drives.layout.marks.clear();
            self.drives.on_data = false;
        }
        self.view = View::Drives;
        Vec::new()
    }

    /// A digit belongs to a drive; what is under the cursor goes there.
    fn digit(&mut self, digit: u8) -> Vec<Act> {
        self.drive_of_digit(digit).map_or_else(Vec::new, |drive| self.on_drive(drive))
    }

    /// What choosing a drive means in this view.
    pub(crate) fn on_drive(&mut self, drive: String) -> Vec<Act> {
        match self.view {
            View::Drives => self.send(&drive),
            View::Cleanup => return self.bring_find(drive),
            View::Records => match self.launcher_here() {
                Some(launcher) => return self.consider(Errand::Library(launcher, LibraryWish::New(drive))),
                None => self.over.message = Some("Choose a launcher first.".into()),
            },
            _ => self.over.message = Some(format!("Games are sent to {drive} in the Drives view.")),
        }
        Vec::new()
    }

    /// The find under the cursor.
    pub fn find_here(&self) -> Option<&CleanupFind> {
        let (find, anchors) = self.cleanup.finds.as_ref()?;
        find.get(self.cleanup.find.checked_sub(anchors.len())?)
    }

    /// Whether a launcher's profile says how a game is imported with it.
    pub fn has_guide(&self, launcher: &str) -> bool {
        let profile = self.survey.as_ref().and_then(|survey| survey.profile(launcher));
        profile.and_then(|profile| profile.adopt.as_ref()).is_some_and(|adopt| !adopt.guide.is_empty())
    }
}
