//! What the interface knows and what it wants: `update` takes an event and gives acts; nothing here touches a disk.

use crate::tui::model::{
    Act, CleanupScreen, Drafted, DrivesScreen, Errand, Event, FirstLook, HaulScreen, LogScreen, Look, Over, Proofs,
    RecordsScreen, Running, Work,
};
use std::time::Duration;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::{Finding, FindingKind, Severity};
use deft_barge_core::journal::{HaulRow, History};
use deft_barge_core::plan::{Anchor, Plan, projected};

use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use deft_barge_core::survey::{CleanupFind, FindKind};
use deft_barge_core::trace::Find;
use ratatui::crossterm::event::{Event as Input, KeyCode, KeyEventKind};

use crate::commands::{View, Wish};
use crate::config::Settings;
use crate::present::Fault;

/// All that is shown.
pub struct State {
    pub view: View,
    pub survey: Option<Survey>,
    pub history: History,
    pub drafted: Drafted,
    pub drives: DrivesScreen,
    pub haul: HaulScreen,
    pub running: Running,
    pub proofs: Proofs,
    pub log: LogScreen,
    pub records: RecordsScreen,
    pub cleanup: CleanupScreen,
    pub first: FirstLook,
    pub over: Over,
    pub look: Look,
    pub work: Work,
}

impl State {
    #[cfg(test)]
    pub fn new() -> Self {
        Self::with(Settings::default())
    }

    pub fn with(settings: Settings) -> Self {
        let message = settings.problem.map(|what| format!("Settings are ignored: {what}."));
        Self {
            view: View::Drives,
            survey: None,
            history: History::default(),
            drafted: Drafted::default(),
            drives: DrivesScreen::default(),
            haul: HaulScreen::default(),
            running: Running::default(),
            proofs: Proofs::default(),
            log: LogScreen::default(),
            records: RecordsScreen::default(),
            cleanup: CleanupScreen::default(),
            first: FirstLook::default(),
            over: Over { message, ..Over::default() },
            look: Look {
                keys: settings.keys,
                ground: settings.ground,
                clock: Duration::ZERO,
                hits: Vec::new(),
                too_small: false,
            },
            work: Work { bell: settings.bell, ..Work::default() },
        }
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
        let cautions = |plan: &Plan| plan.findings.iter().any(|f| f.severity == Severity::Warning);
        let free = self.idle() && self.unfinished().is_none();
        free && self
            .haul
            .plan
            .as_ref()
            .is_some_and(|plan| !plan.items.is_empty() && !plan.blocked() && (self.haul.accepted || !cautions(plan)))
    }

    /// Whether nothing that writes is being done, here or by a program of ours that was left running.
    pub fn idle(&self) -> bool {
        self.running.work.is_none() && !self.running.elsewhere
    }

    /// Whether no launcher is known here.
    pub fn first_look(&self) -> bool {
        self.survey.as_ref().is_some_and(|survey| survey.measured && survey.launchers.is_empty())
    }

    /// How long the next event may be waited for before something shown grows old.
    pub fn patience(&self) -> Duration {
        match self.view {
            _ if !self.idle() => Duration::from_millis(250),
            View::Haul => Duration::from_secs(1),
            _ => Duration::from_hours(1),
        }
    }

    /// Takes an event and says what is to be done.
    pub fn update(&mut self, event: Event) -> Vec<Act> {
        let mut acts = self.taken(event);
        acts.extend(self.read_haul_here());
        acts
    }

    fn taken(&mut self, event: Event) -> Vec<Act> {
        match event {
            Event::Input(input) => return self.input(input),
            Event::Tick => return self.tick(),
            Event::Measured { done, of } => self.work.measured = (done, of),
            Event::Passing(text) => self.work.passing = text,
            Event::Sketched(survey) => self.sketched(*survey),
            Event::HaulRead(haul, events) => self.history.add(*haul, events),
            Event::Surveyed(survey, history, profiles) => {
                self.first.profiles = profiles;
                return self.surveyed(*survey, *history);
            }
            Event::Found(find, anchors) => return self.found(find, anchors),
            // The draft may have been changed since.
            Event::Planned(plan, places, errand) if errand == self.errand() => self.planned(*plan, places),
            Event::Limited(limit) if self.work.limit.is_none() => {
                self.work.limit = limit;
                // Who goes on at once is heard before what was known is read.
                return if self.running.work.is_some() { vec![Act::Limit(limit)] } else { Vec::new() };
            }
            Event::Planned(..) | Event::Limited(_) | Event::Terminate => {}
            Event::Quiet(findings) => self.quieted(findings),
            Event::Said(text) => self.over.message = Some(text),
            Event::Completed(asked, completed) => self.completed(&asked, completed),
            Event::Drafts(kept) => self.choose_draft(kept),
            Event::Opened(file) => self.opened(&file),
            Event::Heard(heard) => self.heard(heard),
            Event::Elsewhere(goes_on) => return self.elsewhere(goes_on),
            Event::Told(id, told) => self.told(id, told),
            Event::Done(id, result) => return self.task_done(id, result),
            Event::Tree(item, files) => self.tree_came(item, *files),
            Event::Closer(item, path, closer) => self.closer_came(item, path, *closer),
            Event::Proved(haul, proofs) => self.proved(haul, proofs),
            Event::Ended { what, result } => return self.ended(what, result),
            Event::Moved(site) => return self.moved(&site),
        }
        Vec::new()
    }

    fn found(&mut self, mut find: Vec<CleanupFind>, anchors: Vec<Anchor>) -> Vec<Act> {
        if self.first_look() {
            // Of folders that may be anything the largest is what one has come for.
            find.retain(|find| matches!(find.what, FindKind::Unlisted { .. }));
            find.sort_by_key(|find| std::cmp::Reverse(find.size.on_disk));
        }
        self.cleanup.find = self.cleanup.find.min((find.len() + anchors.len()).saturating_sub(1));
        self.cleanup.finds = Some((find, anchors));
        self.work.passing.clear();
        if self.cleanup.wants_copy {
            return self.ask_for_copy();
        }
        Vec::new()
    }

    /// What another process does began, or came to its end.
    fn elsewhere(&mut self, goes_on: bool) -> Vec<Act> {
        let ended = self.running.elsewhere && !goes_on;
        self.running.elsewhere = goes_on;
        if ended {
            self.running.pausing = false;
            if let (Some(item), Some(haul)) = (self.running.cancelling_item.take(), self.running.haul) {
                return self.give_up_item(haul, item);
            }
            self.work.looking = true;
            return self.rung("Deft Barge: ended").into_iter().chain([Act::Survey]).collect();
        }
        Vec::new()
    }

    /// Everything is of another site from now on; what was set for this sitting stays.
    fn moved(&mut self, site: &Site) -> Vec<Act> {
        let (keys, ground) = (self.look.keys.clone(), self.look.ground);
        *self = Self::with(Settings::default());
        (self.look.keys, self.look.ground) = (keys, ground);
        (self.first.profile_folder, self.first.home) = (site.profile_folder(), site.places.home.clone());
        vec![Act::Survey]
    }

    fn input(&mut self, input: Input) -> Vec<Act> {
        match input {
            Input::Key(key) if key.kind != KeyEventKind::Release => {
                self.over.message = None;
                if self.look.too_small {
                    // Nobody says yes to what cannot be read. To leave is always possible.
                    let wish = self.look.keys.wish(key, self.view);
                    return if matches!(wish, Some(Wish::Quit)) { self.leave_unseen() } else { Vec::new() };
                }
                if let Some(question) = self.over.question.take() {
                    return self.answered(question, key.code);
                }
                // Whatever is open, Ctrl-C asks to leave, and Ctrl-Z stops.
                let mut wish = self.look.keys.wish(key, self.view);
                if self.first_look() && self.view == View::Drives {
                    // Where there is no game to act on, what is offered is what makes one known.
                    let offered = self.look.keys.wish(key, View::Records);
                    wish = offered.filter(|wish| matches!(wish, Wish::Trace | Wish::Learn | Wish::Watch)).or(wish);
                }
                if key.modifiers.contains(ratatui::crossterm::event::KeyModifiers::CONTROL)
                    && matches!(wish, Some(Wish::Quit | Wish::Suspend))
                {
                    return wish.map_or_else(Vec::new, |wish| self.wished(wish));
                }
                if let Some(typing) = self.over.typing.take() {
                    return self.type_on(typing, key);
                }
                if let Some(chooser) = self.over.chooser.take() {
                    return self.choose_on(chooser, key);
                }
                if self.over.help.is_some() {
                    self.scroll_help(wish, key.code);
                    return Vec::new();
                }
                if self.over.sheet.is_some() {
                    return self.sheet_key(wish, key.code);
                }
                wish.map_or_else(Vec::new, |wish| self.wished(wish))
            }
            Input::Mouse(mouse) => self.mouse(mouse),
            Input::Paste(text) => {
                self.paste(&text);
                Vec::new()
            }
            _ => Vec::new(),
        }
    }

    fn scroll_help(&mut self, wish: Option<Wish>, code: KeyCode) {
        let top = self.over.help.take().unwrap_or(0);
        self.over.help = match wish {
            Some(Wish::Down) => Some(top + 1),
            Some(Wish::Up) => Some(top.saturating_sub(1)),
            Some(Wish::PageDown) => Some(top + 10),
            Some(Wish::PageUp) => Some(top.saturating_sub(10)),
            _ if code == KeyCode::Null => Some(top),
            _ => None,
        };
    }

    fn planned(&mut self, plan: Plan, places: Vec<Find>) {
        let cautions = |plan: &Plan| -> Vec<Finding> {
            plan.findings.iter().filter(|finding| finding.severity == Severity::Warning).cloned().collect()
        };
        // Cautions that were accepted stay so, as long as no others have come.
        self.haul.accepted &= self.haul.plan.as_ref().is_some_and(|before| cautions(before) == cautions(&plan));
        self.haul.planning = false;
        self.work.passing.clear();
        self.haul.planned_in = self.look.clock.saturating_sub(self.haul.asked_plan);
        self.haul.item = self.haul.item.min(plan.items.len().saturating_sub(1));
        self.haul.plan = Some(plan);
        self.haul.places = places;
    }

    fn quieted(&mut self, findings: Vec<Finding>) {
        let Some(plan) = &mut self.haul.plan else { return };
        let stopped = plan.blocked();
        plan.findings.retain(|finding| !is_quiet(&finding.kind));
        plan.findings.extend(findings);
        plan.findings.sort_by_key(|finding| finding.severity);
        if stopped && !plan.blocked() {
            // What was said of the stop is not true any more.
            self.over.message = None;
        }
    }

    fn tick(&mut self) -> Vec<Act> {
        /// How often all findings are looked at again, where that is soon done; running programs are every second.
        const AGAIN: Duration = Duration::from_secs(5);
        let watching = self.view == View::Haul && self.haul.plan.is_some() && self.idle();
        if watching && self.look.clock.saturating_sub(self.haul.asked_quiet) >= Duration::from_secs(1) {
            self.haul.asked_quiet = self.look.clock;
            if self.look.clock.saturating_sub(self.haul.asked_plan) >= AGAIN && self.haul.planned_in < AGAIN / 10 {
                self.haul.asked_plan = self.look.clock;
                return vec![Act::Plan(self.errand())];
            }
            return vec![Act::Quiet];
        }
        Vec::new()
    }

    /// Shows what there is by what launchers say, until the survey is there.
    fn sketched(&mut self, survey: Survey) {
        if self.survey.is_none() {
            self.first_focus(&survey);
            self.survey = Some(survey);
            self.lay_out_drives();
        }
    }

    fn first_focus(&mut self, survey: &Survey) {
        // The first look is at a drive with games on it.
        let with_games = survey.drives.iter().position(|state| state.games > Bytes::ZERO);
        self.drives.drive = with_games.unwrap_or(0);
    }

    fn surveyed(&mut self, survey: Survey, history: Result<History, Fault>) -> Vec<Act> {
        self.work.looking = false;
        match history {
            Ok(history) => {
                let before = std::mem::replace(&mut self.history, history);
                self.keep_what_is_looked_at(before);
            }
            Err(fault) => self.over.message = Some(fault.text()),
        }
        let here = self.game_here().map(|game| game.id.clone());
        let first = !self.survey.as_ref().is_some_and(|survey| survey.measured);
        if first && self.survey.is_none() {
            self.first_focus(&survey);
        }
        if first && self.unfinished().is_some() {
            self.view = View::Running;
        }
        self.drafted.draft.items.retain(|item| survey.haulable(&item.game, item.way).is_some());
        let known = |id: &deft_barge_core::survey::GameId| survey.game(id).is_some();
        self.drives.layout.marks.retain(known);
        self.cleanup.finds = None;
        self.survey = Some(survey);
        self.lay_out_drives();
        if let Some(id) = here {
            self.go_to(&id);
        }
        self.redraft();
        self.relist_log();
        self.relist_records();
        self.relist_proofs();
        // What is looked at is looked at anew.
        let mut acts = self.show(self.view);
        if self.first_look() && self.view != View::Cleanup {
            acts.push(Act::Find);
        }
        self.ask_what_waited();
        acts
    }

    /// What the plan is made of.
    pub fn errand(&self) -> Errand {
        let draft = || Errand::Draft(self.drafted.draft.clone(), self.drafted.policy, self.drafted.what_if.clone());
        self.haul.act.as_ref().map_or_else(draft, |(errand, _)| errand.clone())
    }

    pub(crate) fn redraft(&mut self) {
        if let Some(survey) = &self.survey {
            self.haul.loads = projected(survey, &self.drafted.draft);
        }
        self.recount();
        self.haul.plan = None;
        self.haul.places.clear();
        self.haul.act = None;
        self.haul.accepted = false;
        (self.haul.change, self.haul.moment) = (0, 0);
        self.relist();
    }

    /// Looks at the plan of an act in the Haul view; Esc comes back to where it was asked for.
    pub(crate) fn consider(&mut self, errand: Errand) -> Vec<Act> {
        self.redraft();
        self.haul.act = Some((errand, self.view));
        self.show(View::Haul)
    }

    pub(crate) fn show(&mut self, view: View) -> Vec<Act> {
        self.view = view;
        let known = self.survey.as_ref().is_some_and(|survey| survey.measured);
        match view {
            View::Cleanup if self.cleanup.finds.is_none() && known => vec![Act::Find],
            View::Haul
                if self.haul.plan.is_none()
                    && known
                    && (self.haul.act.is_some() || !self.drafted.draft.items.is_empty()) =>
            {
                self.haul.planning = true;
                (self.haul.asked_quiet, self.haul.asked_plan) = (self.look.clock, self.look.clock);
                vec![Act::Plan(self.errand())]
            }
            View::Proof => self.relist_proofs(),
            _ => Vec::new(),
        }
    }
}

fn is_quiet(kind: &FindingKind) -> bool {
    matches!(kind, FindingKind::LauncherRunning { .. } | FindingKind::InUse { .. } | FindingKind::NotAllVisible { .. })
}
