//! Frames drawn into a buffer and read as text, from a small demo world; keys go through the same door as a person's.

use std::time::{Duration, Instant};

use deft_barge_core::cleanup::find;
use deft_barge_core::haul::{Control, Haul, HaulEvent};
use deft_barge_core::item::{Amount, Policy, Progress};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Destination, Draft, anchors};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;
use deft_barge_harbor::world::{Scale, make};
use ratatui::buffer::Buffer;
use ratatui::crossterm::event::{
    Event as Input, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use ratatui::layout::Rect;

use super::super::dispatcher::plan_errand;
use super::super::state::State;
use super::super::theme::{Depth, Theme};
use super::draw_into;
use crate::commands::{COMMANDS, View, Where};
use crate::config::Ground;
use crate::service::Heard;
use crate::tui::model::{Act, Errand, Event, LongTask, Sheet};

pub(super) struct Stage {
    _folder: tempfile::TempDir,
    pub site: Site,
    pub state: State,
}

impl Stage {
    fn new() -> Self {
        Self::within(tempfile::tempdir().expect("a folder for the world"))
    }

    /// The same in a folder of this.
    pub fn within(folder: tempfile::TempDir) -> Self {
        let world = folder.path().join("w");
        make(&world, 7, Scale::SMALL).expect("a world");
        let site = Site::of_world(&world).expect("a site");
        let mut stage = Self { _folder: folder, site, state: State::new() };
        stage.survey();
        stage
    }

    fn survey(&mut self) {
        let survey = survey(&self.site, Vec::new(), &|_| {});
        self.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), Vec::new()));
    }

    pub fn press(&mut self, code: KeyCode) -> Vec<Act> {
        self.state.update(Event::Input(Input::Key(KeyEvent::new(code, KeyModifiers::NONE))))
    }

    /// Presses the keys of a text, one after another.
    fn type_in(&mut self, text: &str) {
        for c in text.chars() {
            self.press(KeyCode::Char(c));
        }
    }

    /// Does something with the mouse where a word stands on the screen.
    fn mouse(&mut self, kind: MouseEventKind, word: &str) -> Vec<Act> {
        let area = Rect::new(0, 0, 160, 47);
        let mut buffer = Buffer::empty(area);
        self.state.look.hits =
            draw_into(&self.state, Theme { depth: Depth::True, ground: Ground::Dark }, area, &mut buffer);
        let text = self.text(160, 47);
        let found =
            text.lines().enumerate().find_map(|(y, row)| row.find(word).map(|at| (row[..at].chars().count(), y)));
        let (column, row) = found.unwrap_or_else(|| panic!("{word} is not to be seen\n{text}"));
        let (column, row) = (column as u16 + 1, row as u16);
        self.state.update(Event::Input(Input::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE })))
    }

    /// Does what the interface would do on a thread: makes the plan that was asked for.
    pub fn plan(&mut self, acts: &[Act]) {
        let Some(Act::Plan(errand)) = acts.first() else { panic!("a plan was to be asked for: {acts:?}") };
        let mut survey = self.state.survey.clone().expect("a survey");
        survey.look_at_room();
        let (plan, places) = plan_errand(&self.site, &survey, errand, &|_| {});
        self.state.update(Event::Planned(Box::new(plan), places, errand.clone()));
    }

    /// Looks for what is lying around, as a thread would.
    pub fn find(&mut self, acts: &[Act]) {
        assert_eq!(acts, [Act::Find]);
        let survey = self.state.survey.clone().expect("a survey");
        let find = find(&self.site, &survey, &History::default(), &|_| {});
        self.state.update(Event::Found(find, anchors(&self.site, &survey)));
    }

    fn text(&self, width: u16, height: u16) -> String {
        text(&self.state, width, height, Depth::True)
    }
}

pub(super) fn text(state: &State, width: u16, height: u16, depth: Depth) -> String {
    let area = Rect::new(0, 0, width, height);
    let mut buffer = Buffer::empty(area);
    draw_into(state, Theme { depth, ground: Ground::Dark }, area, &mut buffer);
    let row = |y| {
        let (mut row, mut x) = (String::new(), 0);
        while x < width {
            let symbol = buffer[(x, y)].symbol();
            row.push_str(symbol);
            // What is two cells wide covers the next one.
            x += (crate::present::width(symbol) as u16).max(1);
        }
        row.trim_end().to_string()
    };
    (0..height).map(row).collect::<Vec<_>>().join("\n")
}

#[test]
fn the_first_frame_says_that_it_looks_and_no_size_breaks_any_view() {
    let state = State::new();
    assert!(text(&state, 100, 30, Depth::True).contains("Looking at drives"));
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    for code in ['D', 'H', 'R', 'P', 'L', 'E', 'F'] {
        let acts = stage.press(KeyCode::Char(code));
        if code == 'H' {
            stage.plan(&acts);
        }
        if code == 'F' {
            stage.find(&acts);
        }
        for help in [None, Some(0)] {
            stage.state.over.help = help;
            for (width, height) in
                [(80, 24), (81, 25), (160, 47), (240, 67), (120, 24), (80, 60), (1, 1), (79, 24), (3, 90)]
            {
                for depth in [Depth::True, Depth::Indexed, Depth::Sixteen, Depth::None] {
                    let drawn = text(&stage.state, width, height, depth);
                    assert_eq!(drawn.split('\n').count(), usize::from(height));
                    let whole = width >= 80 && height >= 24;
                    assert_eq!(drawn.contains("deft barge"), whole, "{width}x{height}\n{drawn}");
                }
            }
        }
        stage.state.over.help = None;
    }
    assert!(stage.text(60, 20).contains("80 x 24"));
}

#[test]
fn a_digit_sends_the_game_and_every_drive_shows_its_load_afterwards() {
    let mut stage = Stage::new();
    for (width, height) in [(80, 24), (160, 47)] {
        let before = stage.text(width, height);
        assert!(
            before.contains("Saltflat") && before.contains("newhold") && !before.contains("after this haul"),
            "{before}"
        );
    }
    stage.press(KeyCode::Char('4'));
    for (width, height) in [(80, 24), (160, 47)] {
        let after = stage.text(width, height);
        assert_eq!(after.matches("after this haul").count(), 2, "{after}");
        assert!(after.contains("→ 4") && after.contains("+Salt") && after.contains("1 game on this haul"), "{after}");
    }
    // The same digit again leaves it sent; 0 takes it off; a digit without a drive says so.
    stage.press(KeyCode::Char('4'));
    assert_eq!(stage.state.drafted.draft.items.len(), 1);
    stage.press(KeyCode::Char('9'));
    assert!(stage.text(160, 47).contains("No drive has the number 9"));
    stage.press(KeyCode::Char('0'));
    assert!(stage.state.drafted.draft.items.is_empty());
    assert!(!stage.text(160, 47).contains("after this haul"));
}

#[test]
fn drives_beyond_the_ninth_are_chosen_by_their_names() {
    let mut stage = Stage::new();
    let mut survey = *stage.state.survey.clone().map(Box::new).expect("a survey");
    for n in 5..=12 {
        let mut state = survey.drives[3].clone();
        state.drive.name = format!("shelf-{n}");
        state.drive.root = format!("/d/shelf-{n}").into();
        state.drive.tag = (n < 10).then_some(n);
        survey.drives.push(state);
    }
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), Vec::new()));
    stage.press(KeyCode::Char('#'));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        assert!(shown.contains("Which drive?") && shown.contains("newhold") && shown.contains("free"), "{shown}");
    }
    assert!(stage.text(160, 47).contains("shelf-12"));
    stage.type_in("f-12");
    stage.press(KeyCode::Enter);
    assert_eq!(stage.state.drafted.draft.items[0].to, Destination::Drive("shelf-12".into()));
    // The list of all acts has it as well, and where games are not sent it is said where they are.
    stage.press(KeyCode::Char(':'));
    stage.type_in("to shelf-11");
    stage.press(KeyCode::Enter);
    assert_eq!(stage.state.drafted.draft.items[0].to, Destination::Drive("shelf-11".into()));
    stage.press(KeyCode::Char('L'));
    stage.press(KeyCode::Char('#'));
    stage.type_in("shelf-12");
    stage.press(KeyCode::Enter);
    assert!(stage.text(160, 47).contains("in the Drives view"), "{}", stage.text(160, 47));
}

#[test]
fn what_does_not_fit_is_said_in_figures() {
    let mut stage = Stage::new();
    if let Some(survey) = &mut stage.state.survey {
        for drive in &mut survey.drives {
            if drive.drive.name == "newhold" {
                drive.drive.capacity = deft_barge_core::bytes::Bytes::new(1_000_000);
                drive.free = drive.drive.capacity;
            }
        }
    }
    stage.press(KeyCode::Char('4'));
    let drawn = stage.text(160, 47);
    assert!(drawn.contains("newhold lacks") && drawn.contains('▚'), "{drawn}");
}

#[test]
fn the_plan_shows_findings_records_and_loads_and_starts_by_its_own_key_only() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Down);
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    assert!(stage.text(160, 47).contains("Reading records"));
    stage.plan(&acts);
    for (width, height) in [(80, 24), (160, 47)] {
        let drawn = stage.text(width, height);
        for word in ["Orchard of Nine Bells", "warning", "half downloaded", "swift > newhold", "load"] {
            assert!(drawn.contains(word), "{word}\n{drawn}");
        }
    }
    assert!(stage.text(160, 47).contains("the entry is added"));
    // Neither Enter nor s starts it; S does not before the caution is accepted.
    stage.press(KeyCode::Enter);
    assert!(stage.text(160, 47).contains("file by file"), "Enter shows what would be written");
    for code in [KeyCode::Enter, KeyCode::Char('s'), KeyCode::Char('S')] {
        assert_eq!(stage.press(code), Vec::new(), "{code:?}");
    }
    assert!(stage.text(160, 47).contains("Read the warnings first"));
    stage.press(KeyCode::Char('a'));
    let acts = stage.press(KeyCode::Char('S'));
    assert!(
        matches!(acts.as_slice(), [Act::Run(LongTask::Start(Errand::Draft(draft, ..)))] if draft.items.len() == 1),
        "{acts:?}"
    );
}

#[test]
fn a_plan_survives_going_back_and_a_changed_draft_is_planned_anew() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    stage.press(KeyCode::Esc);
    assert_eq!(stage.press(KeyCode::Enter), Vec::new(), "the plan is still there");
    stage.press(KeyCode::Esc);
    stage.press(KeyCode::Down);
    stage.press(KeyCode::Char('2'));
    let acts = stage.press(KeyCode::Enter);
    assert!(matches!(acts.as_slice(), [Act::Plan(Errand::Draft(draft, ..))] if draft.items.len() == 2), "{acts:?}");
}

/// A large item of which more than a half is copied, and about a half verified.
pub(super) fn half_copied(item: deft_barge_core::bytes::ItemId, title: String) -> Progress {
    let amount = |done: u64| Amount {
        done: deft_barge_core::bytes::Bytes::new(done),
        all: deft_barge_core::bytes::Bytes::new(88_000_000_000),
    };
    Progress {
        item,
        title,
        copy: amount(61_200_000_000),
        compare: amount(44_000_000_000),
        files: 1_214,
        files_all: 41_208,
        file: "data/pack07.bin".into(),
        block: (311, 512),
        rate: 143e6,
        mean: 131e6,
        copy_left: None,
        unreadable: deft_barge_core::bytes::Bytes::ZERO,
        left: Some(Duration::from_mins(9)),
        repaired: 2,
        map: format!("{}r{}p{}x{}", "v".repeat(199), "w".repeat(80), "-".repeat(118), ""),
    }
}

#[test]
fn a_running_haul_shows_its_phases_and_nothing_irreversible_happens_without_a_question() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    stage.press(KeyCode::Char('S'));
    let item = deft_barge_core::bytes::ItemId(1);
    let haul = deft_barge_core::bytes::HaulId(1);
    let title = "Saltflat Rally".to_string();
    stage.state.update(Event::Heard(Heard::of(HaulEvent::Stage {
        haul,
        item,
        title: title.clone(),
        stage: deft_barge_core::item::StageKind::Copying,
    })));
    stage.state.update(Event::Heard(Heard::of(HaulEvent::Progress(half_copied(item, title)))));
    for (width, height) in [(80, 24), (160, 47)] {
        let drawn = stage.text(width, height);
        for word in [
            "61.2 GB of   88.0 GB",
            "44.0 GB",
            "about 9 min left",
            "block 311 of 512",
            "data/pack07.bin",
            "2 copied again",
            "verified",
            "unreadable",
            " each, in the order of",
            "kept",
        ] {
            assert!(drawn.contains(word), "{word}\n{drawn}");
        }
        // All of it, whatever the size: half of what is copied and verified is counted, of one game.
        for word in ["haul 1", "0 of 1 games", "131 MB/s", "done at "] {
            assert!(drawn.contains(word), "{word}\n{drawn}");
        }
    }
    let drawn = stage.text(160, 47);
    assert!(drawn.contains("newhold     ▐") && drawn.contains("at the end"), "{drawn}");
    assert!(stage.press(KeyCode::Char('q')).is_empty());
    assert!(stage.text(80, 24).contains("A haul is running"));
    assert!(stage.press(KeyCode::Char('n')).is_empty());
    assert!(stage.press(KeyCode::Char('x')).is_empty());
    assert_eq!(stage.press(KeyCode::Char('y')), vec![Act::Pause]);
    assert!(stage.state.running.cancelling);
}

#[test]
fn titles_and_paths_from_files_cannot_steer_the_terminal() {
    let mut stage = Stage::new();
    if let Some(survey) = &mut stage.state.survey {
        let largest = survey.games.iter_mut().filter(|game| game.found.title == "Saltflat Rally");
        largest.for_each(|game| game.found.title = "Salt\u{1b}[2J\nflat\u{9b}".into());
    }
    stage.press(KeyCode::Char('4'));
    let drawn = stage.text(160, 47);
    assert!(drawn.contains("Salt␛[2J␊flat"), "{drawn}");
    assert!(!drawn.contains(['\u{1b}', '\u{9b}']));
}

#[test]
fn findings_are_looked_at_again_while_the_person_looks_and_accepted_cautions_stay_until_others_come() {
    let mut stage = Stage::new();
    // The second largest game has an update waiting: a caution.
    stage.press(KeyCode::Down);
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    stage.press(KeyCode::Char('a'));
    assert!(stage.state.may_start(), "{}", stage.text(160, 47));
    let tick = |stage: &mut Stage, seconds: u64| {
        stage.state.look.clock += Duration::from_secs(seconds);
        stage.state.update(Event::Tick)
    };
    assert_eq!(tick(&mut stage, 1), [Act::Quiet]);
    let again = tick(&mut stage, 5);
    stage.plan(&again);
    assert!(stage.state.may_start(), "the same cautions need no second yes");
    // Somebody fills the drive meanwhile.
    let newhold = stage.site.find_drive("newhold").expect("it is there").root.clone();
    let room = usize::try_from(stage.site.find_drive("newhold").expect("it is there").capacity.count()).expect("small");
    std::fs::write(newhold.join("filled"), vec![1; room - 100_000]).expect("a file");
    let again = tick(&mut stage, 5);
    stage.plan(&again);
    assert!(stage.text(160, 47).contains("newhold needs"), "{}", stage.text(160, 47));
    std::fs::remove_file(newhold.join("filled")).expect("a file");
    let again = tick(&mut stage, 5);
    stage.plan(&again);
    assert!(!stage.text(160, 47).contains("newhold needs"), "it goes away by itself");
    // A plan of an older draft that comes late is not shown.
    let late = tick(&mut stage, 5);
    stage.press(KeyCode::Char('Z'));
    let before = stage.text(160, 47);
    stage.plan(&late);
    assert_eq!(stage.text(160, 47), before);
}

#[test]
fn finds_show_what_lies_about_with_the_acts_that_fit_and_an_act_is_looked_at_before_it_is_done() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let drafted = stage.state.drafted.draft.clone();
    let acts = stage.press(KeyCode::Char('F'));
    assert!(stage.text(160, 47).contains("Looking into folders"));
    stage.find(&acts);
    // What is wrong stands first, and each row says what can be done.
    let shown = stage.text(160, 47);
    let at = |word: &str| shown.find(word).unwrap_or_else(|| panic!("{word}\n{shown}"));
    assert!(at("broken link") < at("unlisted") && shown.contains("- remove"), "{shown}");
    stage.press(KeyCode::Down);
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        for word in ["unlisted", "old copy", "broken link", "small-hours", "import it", "Harbour of Small Hours"] {
            assert!(shown.contains(word), "{word} {width}x{height}\n{shown}");
        }
    }
    // An act that does not fit says so, and does nothing.
    assert_eq!(stage.press(KeyCode::Char('-')), []);
    assert!(stage.text(160, 47).contains("can't be done with this one"));
    let acts = stage.press(KeyCode::Char('I'));
    assert!(matches!(acts.first(), Some(Act::Plan(Errand::Import(_)))), "{acts:?}");
    stage.plan(&acts);
    let shown = stage.text(160, 47);
    assert!(shown.contains("stays in place; update records, prove") && shown.contains("the entry is added"), "{shown}");
    let acts = stage.press(KeyCode::Char('S'));
    assert!(matches!(acts.first(), Some(Act::Run(LongTask::Start(Errand::Import(_))))), "{acts:?}");
    // Back from an act the draft is as it was.
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Char('F'));
    stage.find(&acts);
    stage.press(KeyCode::Down);
    let acts = stage.press(KeyCode::Char('Q'));
    stage.plan(&acts);
    assert!(stage.text(160, 47).contains("quarantine; keep"));
    stage.press(KeyCode::Esc);
    assert!(stage.text(160, 47).contains("could be freed") && stage.state.drafted.draft == drafted);
    let acts = stage.press(KeyCode::Char('H'));
    stage.plan(&acts);
    assert!(stage.text(160, 47).contains("Saltflat Rally"));
}

#[test]
fn user_data_of_the_game_under_the_cursor_is_shown_and_sent_by_digits_in_each_of_its_ways() {
    let mut stage = Stage::new();
    while stage.state.game_here().is_some_and(|game| game.found.title != "Orchard of Nine Bells") {
        stage.press(KeyCode::Down);
    }
    let shown = stage.text(160, 47);
    assert!(shown.contains("saves") && shown.contains("in home"), "{shown}");
    stage.press(KeyCode::Char('V'));
    assert!(stage.state.over.message.as_ref().is_some_and(|message| message.contains("isn't on this haul")));
    stage.press(KeyCode::Char('i'));
    stage.press(KeyCode::Char('4'));
    assert!(stage.text(160, 47).contains("newhold, by the game's own setting"), "{}", stage.text(160, 47));
    assert_eq!(stage.state.drafted.draft.items.len(), 1, "the game itself stays");
    stage.press(KeyCode::Char('V'));
    assert!(stage.text(160, 47).contains("newhold, behind a link"));
    stage.press(KeyCode::Char('i'));
    stage.press(KeyCode::Char('4'));
    assert_eq!(stage.state.drafted.draft.items.len(), 2);
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let shown = stage.text(160, 47);
    assert!(shown.contains("Orchard of Nine Bells: saves") && shown.contains("a link at"), "{shown}");
}

#[test]
fn a_drive_that_has_another_path_stands_first_among_the_finds_and_is_re_anchored() {
    let mut stage = Stage::new();
    stage.site.remember_drives().expect("a state folder");
    let world = stage.site.world.clone().expect("a declared world");
    std::fs::rename(world.join("drives/cellar"), world.join("keller")).expect("a rename");
    let file = world.join("world.toml");
    let text = std::fs::read_to_string(&file).expect("the world file");
    std::fs::write(&file, text.replace("\"drives/cellar\"", "\"keller\"")).expect("a world file");
    stage.site = Site::of_world(&world).expect("a site");
    stage.survey();
    let acts = stage.press(KeyCode::Char('F'));
    stage.find(&acts);
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        assert!(shown.contains("moved drive") && shown.contains("=   remap its drive"), "{shown}");
    }
    let acts = stage.press(KeyCode::Char('='));
    assert!(matches!(acts.first(), Some(Act::Plan(Errand::Remap(..)))), "{acts:?}");
    stage.plan(&acts);
    let shown = stage.text(160, 47);
    assert!(shown.contains("records only") && shown.contains("user.reg"), "{shown}");
    for _ in 0..6 {
        stage.press(KeyCode::Tab);
    }
    let shown = stage.text(160, 47);
    assert!(shown.contains("rooms.json") && shown.contains("from the 7. on"), "{shown}");
}

#[test]
fn a_yes_to_a_cancel_that_comes_after_the_end_returns_that_haul_and_no_older_one() {
    let mut stage = Stage::new();
    let haul = |stage: &Stage, title: &str| {
        let survey = stage.state.survey.clone().expect("a survey");
        let mut draft = Draft::default();
        draft.send(survey.find_games(title)[0].id.clone(), Destination::Drive("newhold".into()));
        let (plan, _) = plan_errand(&stage.site, &survey, &Errand::Draft(draft, Policy::Hold, Vec::new()), &|_| {});
        let (journal, _) = Journal::open(&stage.site).expect("a journal").recover().expect("a journal");
        let mut haul = Haul::begin(&stage.site, &journal, &plan).expect("a haul");
        haul.run(&|_| {}, &Control::default()).expect("an end");
        haul.id()
    };
    haul(&stage, "Pale Signal");
    let look = |stage: &mut Stage| {
        let history = History::of(&stage.site).expect("a journal");
        let survey = survey(&stage.site, history.held(&stage.site), &|_| {});
        stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(history)), Vec::new()));
        stage.state.go_on_cancelling()
    };
    look(&mut stage);
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let acts = stage.press(KeyCode::Char('S'));
    let [Act::Run(work)] = acts.as_slice() else { panic!("{acts:?}") };
    stage.press(KeyCode::Char('x'));
    assert!(stage.text(100, 30).contains("undo what it did so far"));
    let id = haul(&stage, "Saltflat Rally");
    stage.state.update(Event::Ended { what: work.clone(), result: Ok(()) });
    assert_eq!(stage.press(KeyCode::Char('y')), [], "the older haul is not what was meant");
    assert_eq!(look(&mut stage), [Act::Run(LongTask::Undo(id))]);
}

/// Megabytes of twelve drives, from the smallest that anybody has to the largest.
const SIZES: [u64; 12] =
    [60, 191, 610, 2_000, 6_200, 20_000, 64_000, 200_000, 620_000, 2_000_000, 6_300_000, 20_000_000];

/// A survey with 2 000 games on twelve drives, with titles as long and odd as titles can be.
pub(super) fn extreme(stage: &Stage) -> State {
    let mut survey = stage.state.survey.clone().expect("a survey");
    let drive = survey.drives[0].clone();
    survey.drives = (0..12)
        .map(|n: u8| {
            let mut drive = drive.clone();
            drive.drive.name = if n == 7 {
                "a drive with a name that is much too long for any gutter".into()
            } else {
                format!("drive{n}")
            };
            drive.drive.tag = (n < 9).then_some(n + 1);
            drive.drive.capacity = deft_barge_core::bytes::Bytes::new(SIZES[usize::from(n)] * 1_000_000);
            drive
        })
        .collect();
    let games = survey.games.clone();
    survey.games = (0..2000_usize)
        .map(|n| {
            let mut game = games[n % games.len()].clone();
            game.id.0 = format!("{}-{n}", game.id.0);
            game.drive = (n % 13 != 12).then(|| survey.drives[n % 13].drive.name.clone());
            game.found.title = match n % 5 {
                0 => format!(
                    "{n} {}",
                    "a title of a game that goes on and on and has eighty letters or more in it, indeed"
                ),
                1 => format!("{n} 日の出の砂丘レース 完全版"),
                2 => format!("{n} \u{1b}[31mred\u{7} \u{202e}turned"),
                3 => format!("{n} שדה הברזל zero\u{200b}width e\u{301}"),
                _ => format!("Game {n}"),
            };
            game
        })
        .collect();
    let mut state = State::new();
    state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), Vec::new()));
    state
}

#[test]
fn every_view_draws_in_every_size_of_an_empty_world_a_usual_one_and_an_extreme_one() {
    let mut stage = Stage::new();
    let find = find(&stage.site, stage.state.survey.as_ref().expect("a survey"), &History::default(), &|_| {});
    let mut empty = State::new();
    let mut survey = stage.state.survey.clone().expect("a survey");
    (survey.launchers, survey.games, survey.user_data) = (Vec::new(), Vec::new(), Vec::new());
    survey.drives.truncate(1);
    empty.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), vec!["Quillgate".into()]));
    let mut huge = extreme(&stage);
    huge.update(Event::Found(find.clone(), Vec::new()));
    stage.state.update(Event::Found(find, Vec::new()));
    let usual = std::mem::replace(&mut stage.state, State::new());
    for (what, mut state) in [("nothing known", State::new()), ("empty", empty), ("usual", usual), ("extreme", huge)] {
        for view in View::ALL {
            state.view = view;
            for (width, height) in [(80, 24), (160, 47), (240, 67), (1, 1), (20, 5), (80, 90)] {
                for sheet in [false, true].into_iter().take(if width == 80 { 2 } else { 1 }) {
                    state.over.sheet = sheet.then(|| Sheet { lines: Vec::new(), ..Sheet::new("A sheet") });
                    let drawn = text(&state, width, height, Depth::True);
                    assert!(!drawn.contains(['\u{1b}', '\u{7}', '\u{202e}']), "{what} {view:?}");
                    if width >= 80 && height >= 24 {
                        let name = view.name();
                        assert!(drawn.contains(name), "{what} {view:?} {width}x{height}\n{drawn}");
                        let body: Vec<&str> = drawn.lines().skip(1).filter(|row| !row.trim().is_empty()).collect();
                        assert!(body.len() >= 2, "{what} {view:?} {width}x{height} is empty\n{drawn}");
                    }
                }
            }
        }
    }
}

#[test]
fn a_machine_without_launchers_says_what_was_looked_for_and_offers_folders_and_the_demo() {
    let stage = Stage::new();
    let mut survey = stage.state.survey.clone().expect("a survey");
    (survey.launchers, survey.games, survey.found) = (Vec::new(), Vec::new(), Vec::new());
    let mut state = State::new();
    state.first.profile_folder = "/settings/profiles".into();
    let acts = state.update(Event::Surveyed(
        Box::new(survey.clone()),
        Box::new(Ok(History::default())),
        vec!["Quillgate: none of its folders is here".into()],
    ));
    assert_eq!(acts, [Act::Find]);
    state.update(Event::Found(find(&stage.site, &survey, &History::default(), &|_| {}), Vec::new()));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = text(&state, width, height, Depth::True);
        for word in ["No launchers known", "/settings/profiles", "Quillgate: none", "look like games", "demo world"] {
            assert!(shown.contains(word), "{word}\n{shown}");
        }
    }
    // One key learns what is here; no path is typed.
    let acts = state.update(Event::Input(Input::Key(KeyEvent::new(KeyCode::Char('n'), KeyModifiers::NONE))));
    assert_eq!(acts, [Act::Do(1, crate::tui::tasks::Task::Learn)]);
    assert!(state.over.typing.is_none() && state.over.sheet.is_some());
}

#[test]
fn marked_games_are_sent_together_and_arrows_go_along_the_blocks() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char(' '));
    stage.press(KeyCode::Down);
    stage.press(KeyCode::Char(' '));
    assert!(stage.text(160, 47).contains("◆ 2") && stage.text(80, 24).contains('◆'));
    stage.press(KeyCode::Char('4'));
    assert_eq!(stage.state.drafted.draft.items.len(), 2);
    assert!(stage.text(160, 47).contains("2 games were sent to newhold"));
    assert!(stage.state.drives.layout.marks.is_empty());
    // Sorted by title the list goes another way than the blocks.
    stage.press(KeyCode::Home);
    for _ in 0..3 {
        stage.press(KeyCode::Char('s'));
    }
    stage.press(KeyCode::Home);
    let first = stage.state.game_here().expect("a game").clone();
    assert_eq!(first.found.title, "Gull Parliament");
    stage.press(KeyCode::Left);
    let before = stage.state.game_here().expect("a game").clone();
    assert!(before.size.on_disk >= first.size.on_disk && before.id != first.id, "{}", before.found.title);
    // The filter shows what is on the haul alone.
    for _ in 0..3 {
        stage.press(KeyCode::Char('f'));
    }
    assert_eq!(stage.state.drives.layout.list.len(), 2);
    stage.press(KeyCode::Char('*'));
    stage.press(KeyCode::Char('0'));
    assert!(stage.state.drafted.draft.items.is_empty());
    // Drives that differ much are seen beside one another.
    let linear = stage.text(160, 47);
    stage.press(KeyCode::Char('%'));
    assert_ne!(linear.lines().nth(12), stage.text(160, 47).lines().nth(12));
}

#[test]
fn a_game_is_found_by_letters_and_an_act_by_its_words_wherever_one_is() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('E'));
    stage.press(KeyCode::Char('/'));
    stage.type_in("reg");
    assert!(stage.text(160, 47).contains("Glasswing Regatta"));
    stage.press(KeyCode::Enter);
    assert_eq!((stage.state.view, stage.state.drives.drive), (View::Drives, 1));
    assert_eq!(stage.state.game_here().expect("a game").found.title, "Glasswing Regatta");
    stage.press(KeyCode::Char(':'));
    stage.type_in("send newhold");
    stage.press(KeyCode::Enter);
    assert_eq!(stage.state.drafted.draft.items.len(), 1);
    stage.press(KeyCode::Char(':'));
    stage.type_in("start the haul");
    stage.press(KeyCode::Enter);
    assert_eq!(stage.state.view, View::Haul, "an act of another view is done there");
    // Before a letter is typed, what was done lately stands first, the newest above.
    stage.press(KeyCode::Esc);
    stage.press(KeyCode::Char('E'));
    stage.press(KeyCode::Char(':'));
    let offers = stage.state.over.chooser.as_ref().map(|chooser| chooser.offers.clone()).unwrap_or_default();
    let first: Vec<&str> = offers.iter().take(2).map(|offer| offer.text.as_str()).collect();
    assert!(first[0].contains("haul") && first[1].ends_with("to newhold"), "{first:?}");
    // Every command but those of cursors is in the palette.
    stage.press(KeyCode::Esc);
    for command in COMMANDS.iter().filter(|command| command.place != Where::Everywhere) {
        stage.press(KeyCode::Char(':'));
        stage.type_in(command.words);
        let offers = stage.state.over.chooser.as_ref().map_or(0, |chooser| chooser.offers.len());
        assert!(offers >= 1, "{}", command.words);
        stage.press(KeyCode::Esc);
    }
}

#[test]
fn a_block_is_dragged_to_another_hull_and_what_is_clicked_is_what_is_seen() {
    let mut stage = Stage::new();
    stage.mouse(MouseEventKind::Down(MouseButton::Left), "Saltflat R");
    stage.mouse(MouseEventKind::Drag(MouseButton::Left), "newhold");
    assert!(stage.text(160, 47).contains("Drop here to send Saltflat Rally to newhold"));
    stage.mouse(MouseEventKind::Up(MouseButton::Left), "newhold");
    let sent: Vec<_> = stage.state.drafted.draft.items.iter().map(|item| item.to.clone()).collect();
    assert_eq!(sent, [Destination::Drive("newhold".into())]);
    // Let go over nothing, or over its own drive, it stays.
    stage.mouse(MouseEventKind::Down(MouseButton::Left), "Orchard of Nine");
    stage.mouse(MouseEventKind::Up(MouseButton::Left), "files");
    assert_eq!(stage.state.drafted.draft.items.len(), 1);
    assert_eq!(stage.state.game_here().expect("a game").found.title, "Orchard of Nine Bells");
    stage.mouse(MouseEventKind::ScrollDown, "files");
    assert_ne!(stage.state.game_here().expect("a game").found.title, "Orchard of Nine Bells");
    let acts = stage.mouse(MouseEventKind::Down(MouseButton::Left), "Records");
    assert_eq!((acts, stage.state.view), (Vec::new(), View::Records));
    stage.mouse(MouseEventKind::Down(MouseButton::Left), "Drives");
    let acts = stage.mouse(MouseEventKind::Down(MouseButton::Left), "enter haul");
    assert!(matches!(acts.first(), Some(Act::Plan(_))), "{acts:?}");
}

#[test]
fn what_is_pasted_goes_into_the_field_and_nowhere_else() {
    let mut stage = Stage::new();
    let paste = |stage: &mut Stage, text: &str| {
        stage.state.update(Event::Input(Input::Paste(text.into())));
    };
    paste(&mut stage, "S\ny");
    assert!(stage.state.over.message.as_ref().is_some_and(|text| text.contains("No field to paste into")));
    stage.press(KeyCode::Char('E'));
    stage.press(KeyCode::Char('t'));
    stage.state.update(Event::Input(Input::Key(KeyEvent::new(KeyCode::Char('u'), KeyModifiers::CONTROL))));
    paste(&mut stage, "/a path/of a game\nq");
    assert_eq!(stage.state.over.typing.as_ref().expect("a field").text(), "/a path/of a game");
    let acts = stage.press(KeyCode::Enter);
    assert!(matches!(acts.as_slice(), [Act::Do(..)]), "{acts:?}");
}

#[test]
fn ctrl_c_asks_whatever_is_open_and_no_key_does_it_alone() {
    let mut stage = Stage::new();
    stage.state.running.work = Some(LongTask::Resume);
    let ctrl_c = Input::Key(KeyEvent::new(KeyCode::Char('c'), KeyModifiers::CONTROL));
    for open in [KeyCode::Char(':'), KeyCode::Char('?'), KeyCode::Char('/')] {
        stage.press(open);
        assert_eq!(stage.state.update(Event::Input(ctrl_c.clone())), []);
        let shown = stage.text(160, 47);
        assert!(shown.contains("A haul is running") && shown.contains("w quit, it continues"), "{shown}");
        assert_eq!(stage.press(KeyCode::Char('n')), []);
        stage.press(KeyCode::Esc);
        stage.press(KeyCode::Esc);
    }
    stage.state.update(Event::Input(ctrl_c));
    assert_eq!(stage.press(KeyCode::Char('w')), [Act::Pause]);
}

#[test]
fn a_sketch_is_shown_until_the_survey_is_there_and_the_cursor_stays_on_its_game() {
    let stage = Stage::new();
    let sketch = deft_barge_core::survey::sketch(&stage.site, Vec::new());
    let mut state = State::new();
    state.update(Event::Sketched(Box::new(sketch)));
    let shown = text(&state, 160, 47, Depth::True);
    assert!(
        shown.contains("Saltflat Rally") && shown.contains("reported") && shown.contains("Measuring games"),
        "{shown}"
    );
    for code in [KeyCode::Down, KeyCode::Char('4'), KeyCode::Enter] {
        let acts = state.update(Event::Input(Input::Key(KeyEvent::new(code, KeyModifiers::NONE))));
        assert_eq!(acts, [], "nothing is planned by claims");
    }
    let here = state.game_here().expect("a game").id.clone();
    let survey = stage.state.survey.clone().expect("a survey");
    state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), Vec::new()));
    assert_eq!(state.game_here().expect("a game").id, here);
    assert_eq!(state.drafted.draft.items.len(), 1, "what was sent meanwhile stays sent");
}

#[test]
fn the_drives_are_shown_at_each_step_of_a_haul() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    stage.press(KeyCode::Down);
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let row = |stage: &Stage, drive: &str, width, height| {
        let text = stage.text(width, height);
        let row = text.lines().rev().find(|row| row.trim_start().starts_with(drive) && row.contains("free,"));
        row.unwrap_or_else(|| panic!("{drive}\n{text}")).to_string()
    };
    for (width, height) in [(80, 24), (160, 47)] {
        stage.state.haul.moment = 0;
        assert!(stage.text(width, height).contains("step 0 of 3"));
        let (swift, newhold) = (row(&stage, "swift", width, height), row(&stage, "newhold", width, height));
        assert!(newhold.contains("0% used"), "{newhold}");
        stage.press(KeyCode::Right);
        assert!(stage.text(width, height).contains("step 1 of 3"));
        assert_eq!(row(&stage, "swift", width, height), swift, "the originals are kept");
        assert_ne!(row(&stage, "newhold", width, height), newhold);
        for _ in 0..4 {
            stage.press(KeyCode::Right);
        }
        assert!(stage.text(width, height).contains("step 3 of 3"));
        assert_ne!(row(&stage, "swift", width, height), swift, "they are released in the end");
        for _ in 0..4 {
            stage.press(KeyCode::Left);
        }
        assert_eq!(row(&stage, "swift", width, height), swift);
    }
    assert!(stage.text(160, 47).contains("before the haul"));
    // By mouse as well: the sign at its end goes on, and any place of it is a step.
    stage.mouse(MouseEventKind::Down(MouseButton::Left), "─▶");
    assert!(stage.text(160, 47).contains("step 1 of 3") && stage.text(160, 47).contains("+Saltflat"));
    stage.mouse(MouseEventKind::Down(MouseButton::Left), "──▶");
    assert!(stage.text(160, 47).contains("step 3 of 3"), "{}", stage.text(160, 47));
    // What the draft is, the steps are.
    stage.press(KeyCode::Char('D'));
    stage.press(KeyCode::Char('0'));
    assert_eq!(stage.state.haul.moment, 0);
}

#[test]
fn hints_name_what_works_now() {
    let mut stage = Stage::new();
    let foot = |stage: &Stage| stage.text(160, 47).lines().last().unwrap_or_default().to_string();
    stage.press(KeyCode::Char('R'));
    assert!(!foot(&stage).contains("pause") && !foot(&stage).contains("undo"), "{}", foot(&stage));
    stage.press(KeyCode::Char('P'));
    assert!(!foot(&stage).contains("verify") && !foot(&stage).contains("release"), "{}", foot(&stage));
    stage.press(KeyCode::Char('D'));
    assert!(!foot(&stage).contains("haul") && foot(&stage).contains("mark"), "{}", foot(&stage));
    stage.press(KeyCode::Char('4'));
    assert!(foot(&stage).contains("enter haul"), "{}", foot(&stage));
    stage.press(KeyCode::Down);
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let warned = foot(&stage);
    stage.press(KeyCode::Char('a'));
    assert!(warned.contains("a accept") && !warned.contains("S start"), "{warned}");
    assert!(!foot(&stage).contains("a accept") && foot(&stage).contains("S start"), "{}", foot(&stage));
}

#[test]
fn a_proof_that_does_not_hold_shows_where_and_which_bytes() {
    let mut stage = Stage::new();
    let survey = stage.state.survey.clone().expect("a survey");
    let mut draft = Draft::default();
    draft.send(survey.find_games("Saltflat")[0].id.clone(), Destination::Drive("newhold".into()));
    let (plan, _) = plan_errand(&stage.site, &survey, &Errand::Draft(draft, Policy::Hold, Vec::new()), &|_| {});
    let (journal, _) = Journal::open(&stage.site).expect("a journal").recover().expect("a journal");
    let mut haul = Haul::begin(&stage.site, &journal, &plan).expect("a haul");
    haul.run(&|_| {}, &Control::default()).expect("an end");
    let id = haul.id();
    // A byte turns over on the new drive.
    let install = plan.items[0].to.clone();
    let mut bytes = std::fs::read(install.join("data/pack00.bin")).expect("a pack");
    bytes[1000] ^= 0xff;
    let was = bytes[1000] ^ 0xff;
    std::fs::write(install.join("data/pack00.bin"), &bytes).expect("a pack");
    let row = journal.haul(id).expect("a haul").expect("a haul");
    let history = History::of(&stage.site).expect("a journal");
    let proofs = deft_barge_core::haul::prove_haul(&stage.site, &journal, &row.items, &|_| {}, &Control::default());
    let files = deft_barge_core::haul::listed_entries(&stage.site, &row.items[0]);
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(history)), Vec::new()));
    assert_eq!(stage.press(KeyCode::Char('P')), [Act::Tree(row.items[0].id)]);
    stage.state.update(Event::Tree(row.items[0].id, Box::new(files.map_err(Into::into))));
    let shown = stage.text(160, 47);
    assert!(shown.contains("It is the same"), "as the haul has proved it: {shown}");
    assert!(!shown.contains("next difference"), "hints name what works now: {shown}");
    stage.state.update(Event::Proved(id, proofs.expect("proofs")));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        assert!(shown.contains("It is NOT the same") && shown.contains("1 not"), "{shown}");
    }
    // The next difference is found in whatever folder it lies, from either side.
    assert!(stage.text(160, 47).contains("] next difference"));
    for key in [']', '['] {
        stage.press(KeyCode::Home);
        stage.press(KeyCode::Char(key));
        assert_eq!(stage.state.proofs.rows[stage.state.proofs.cursor].path.as_os_str(), "data/pack00.bin");
        assert!(stage.text(160, 47).contains("DIFFERS"));
    }
    let acts = stage.press(KeyCode::Enter);
    let [Act::Closer(item, path)] = acts.as_slice() else { panic!("{acts:?}") };
    let closer = deft_barge_core::haul::look_closer(&stage.site, &row.items[0], path).expect("a closer look");
    assert_eq!(closer.bytes.len(), 1);
    stage.state.update(Event::Closer(*item, path.clone(), Box::new(Ok(closer))));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        let bytes = format!("{was:02x}        {:02x}", was ^ 0xff);
        assert!(shown.contains("1,000") && shown.contains(&bytes) && shown.contains('✕'), "{bytes}\n{shown}");
    }
    // A record that the repoint rewrote differs as it should, unless the proof says that it is damaged as well.
    stage.state.proofs.closer.as_mut().expect("a closer look").record = true;
    assert!(stage.text(160, 47).contains("1 is not the same"), "{}", stage.text(160, 47));
    let differences =
        std::mem::take(&mut stage.state.proofs.fresh.values_mut().next().expect("a fresh proof").differences);
    assert!(stage.text(160, 47).contains("updated by this haul"));
    stage.state.proofs.fresh.values_mut().next().expect("a fresh proof").differences = differences;
    // Mending asks first.
    stage.press(KeyCode::Esc);
    assert_eq!(stage.press(KeyCode::Char('m')), []);
    assert!(stage.text(160, 47).contains("Repair Saltflat Rally"));
    assert!(matches!(stage.press(KeyCode::Char('y')).as_slice(), [Act::Do(..)]));
}

#[test]
fn the_log_shows_held_originals_first_and_each_act_means_the_haul_under_the_cursor() {
    let mut stage = Stage::new();
    for title in ["Pale Signal", "Saltflat Rally"] {
        let survey = survey(&stage.site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        draft.send(survey.find_games(title)[0].id.clone(), Destination::Drive("newhold".into()));
        let (plan, _) = plan_errand(&stage.site, &survey, &Errand::Draft(draft, Policy::Hold, Vec::new()), &|_| {});
        let (journal, _) = Journal::open(&stage.site).expect("a journal").recover().expect("a journal");
        Haul::begin(&stage.site, &journal, &plan).expect("a haul").run(&|_| {}, &Control::default()).expect("an end");
    }
    let history = History::of(&stage.site).expect("a journal");
    let survey = survey(&stage.site, history.held(&stage.site), &|_| {});
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(history)), Vec::new()));
    stage.press(KeyCode::Char('L'));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        let held = shown.find("kept").expect("kept originals");
        assert!(shown.contains("Pale Signal") && held < shown.find("proved").expect("a haul"), "{shown}");
    }
    // The last line is the oldest haul.
    stage.press(KeyCode::End);
    stage.press(KeyCode::Char('u'));
    assert!(stage.text(160, 47).contains("Undo haul 1 (Pale Signal)?"), "{}", stage.text(160, 47));
    let acts = stage.press(KeyCode::Char('y'));
    assert_eq!(acts, [Act::Run(LongTask::Undo(deft_barge_core::bytes::HaulId(1)))]);
    // While the journal is being read nothing is asked; then it is, unless the person did something else meanwhile.
    for (then, asks) in [(None, true), (Some(KeyCode::Up), false)] {
        stage.state.running.work = None;
        stage.state.work.looking = true;
        stage.press(KeyCode::Char('L'));
        stage.press(KeyCode::End);
        stage.press(KeyCode::Char('u'));
        assert!(stage.text(160, 47).contains("Reading the journal ..."), "{}", stage.text(160, 47));
        if let Some(key) = then {
            stage.press(key);
        }
        let history = History::of(&stage.site).expect("a journal");
        let survey = deft_barge_core::survey::survey(&stage.site, history.held(&stage.site), &|_| {});
        stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(history)), Vec::new()));
        assert_eq!(stage.text(160, 47).contains("Undo haul 1 (Pale Signal)?"), asks, "{}", stage.text(160, 47));
        stage.press(KeyCode::Esc);
    }
}

#[test]
fn a_long_log_is_searched_and_a_haul_is_read_whole_when_it_is_looked_at() {
    let mut stage = Stage::new();
    let survey = survey(&stage.site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    draft.send(survey.find_games("Pale Signal")[0].id.clone(), Destination::Drive("newhold".into()));
    let (plan, _) = plan_errand(&stage.site, &survey, &Errand::Draft(draft, Policy::Release, Vec::new()), &|_| {});
    let (journal, _) = Journal::open(&stage.site).expect("a journal").recover().expect("a journal");
    Haul::begin(&stage.site, &journal, &plan).expect("a haul").run(&|_| {}, &Control::default()).expect("an end");
    let mut history = History::recent(&stage.site).expect("a journal");
    // Some thousand hauls before it, of which a line alone is known.
    let line = history.lines[0].clone();
    let older = |n: i64| {
        let mut line = line.clone();
        line.id = deft_barge_core::bytes::HaulId(n);
        line.items[0].title = format!("Title {}", n % 1000);
        line
    };
    history.lines = (1..=3000).rev().map(older).collect();
    history.lines[0].items[0].title = "Pale Signal".into();
    let (whole, events) = (history.hauls.remove(0), std::mem::take(&mut history.events));
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(history)), Vec::new()));
    let id = deft_barge_core::bytes::HaulId(3000);
    assert_eq!(stage.press(KeyCode::Char('L')), [Act::ReadHaul(id)]);
    assert_eq!(stage.press(KeyCode::Home), [], "it is asked for once");
    let row = deft_barge_core::journal::HaulRow { id, ..whole };
    stage.state.update(Event::HaulRead(Box::new(row), events));
    let shown = stage.text(160, 47);
    assert!(shown.contains("3,000 hauls") && shown.contains("swift > newhold"), "{shown}");
    stage.press(KeyCode::Char('/'));
    stage.type_in("title 77 ");
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        assert!(shown.contains("Title 773") && !shown.contains("Pale Signal"), "{shown}");
    }
    let found = |stage: &Stage| stage.state.log.found;
    // Of each thousand: 77, nine that end with it, and 770 to 779, of which 777 is one of those.
    assert_eq!(found(&stage), 3 * 19);
    stage.type_in("nothing");
    assert!(stage.text(160, 47).contains("No haul has"), "{}", stage.text(160, 47));
    stage.press(KeyCode::Esc);
    assert_eq!((found(&stage), stage.state.over.typing.is_none()), (3000, true));
    // An old haul whose proof is looked at stays so when all is looked at afresh.
    stage.press(KeyCode::Enter);
    assert_eq!((stage.state.view, stage.state.proofs.haul), (View::Proof, Some(id)));
    let mut afresh = stage.state.history.clone();
    afresh.hauls.clear();
    let survey = stage.state.survey.clone().expect("a survey");
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(afresh)), Vec::new()));
    assert_eq!((stage.state.proofs.haul, stage.state.items_proved().len()), (Some(id), 1));
    stage.press(KeyCode::Char('L'));
    // What is searched for stays after Enter, and a key edits it.
    stage.press(KeyCode::Char('/'));
    stage.type_in("2999");
    stage.press(KeyCode::Enter);
    assert_eq!(found(&stage), 1);
    assert_eq!(stage.press(KeyCode::Char('W')), [Act::Report(deft_barge_core::bytes::HaulId(2999))]);
}

#[test]
fn each_view_writes_what_it_shows_as_drawings_and_as_a_table() {
    let mut stage = Stage::new();
    assert_eq!(stage.press(KeyCode::Char('W')), []);
    assert!(stage.text(160, 47).contains("No hauls to report yet"), "{}", stage.text(160, 47));
    stage.press(KeyCode::Char('H'));
    assert_eq!(stage.press(KeyCode::Char('T')), []);
    assert!(stage.text(160, 47).contains("no plan yet"), "{}", stage.text(160, 47));
    let views = [('D', View::Drives), ('L', View::Log), ('P', View::Proof), ('E', View::Records), ('F', View::Cleanup)];
    for (key, view) in views {
        stage.press(KeyCode::Char(key));
        assert_eq!(stage.press(KeyCode::Char('T')), [Act::Table(view)]);
        let acts = stage.press(KeyCode::Char('d'));
        assert!(matches!(acts.as_slice(), [Act::Draw(pictures)] if !pictures.is_empty()), "{view:?}: {acts:?}");
    }
}

/// Not a test: how long a frame of each view takes with 2 000 games. Run by `scripts/bench-interface`.
#[test]
#[ignore = "a measurement, for a release build"]
fn frame_times() {
    let stage = Stage::new();
    let mut state = extreme(&stage);
    let find = find(&stage.site, stage.state.survey.as_ref().expect("a survey"), &History::default(), &|_| {});
    state.update(Event::Found(find, Vec::new()));
    let press = |state: &mut State, c| {
        state.update(Event::Input(Input::Key(KeyEvent::new(KeyCode::Char(c), KeyModifiers::NONE))))
    };
    press(&mut state, '*');
    let sent = Instant::now();
    press(&mut state, '4');
    println!("send     {} games   {:8.3} ms", state.drafted.draft.items.len(), sent.elapsed().as_secs_f64() * 1000.0);
    let area = Rect::new(0, 0, 160, 47);
    for view in View::ALL {
        state.view = view;
        let mut times: Vec<f64> = (0..200)
            .map(|_| {
                let begun = Instant::now();
                let mut buffer = Buffer::empty(area);
                draw_into(&state, Theme { depth: Depth::True, ground: Ground::Dark }, area, &mut buffer);
                begun.elapsed().as_secs_f64() * 1000.0
            })
            .collect();
        times.sort_by(f64::total_cmp);
        println!("{:8} median {:8.3} ms   worst {:8.3} ms", view.name(), times[100], times[199]);
    }
}

#[test]
fn what_is_thought_of_is_drawn_and_a_library_is_a_place_to_send_to() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('+'));
    stage.type_in("crate:2TB:usb:exfat");
    assert_eq!(stage.press(KeyCode::Enter), [Act::Survey]);
    assert_eq!(stage.state.drafted.what_if.len(), 1);
    stage.press(KeyCode::Char('+'));
    stage.type_in("crate");
    stage.press(KeyCode::Enter);
    assert!(stage.text(160, 47).contains("a size is missing"));
    // Quillgate has libraries on other drives: each is a place by its path.
    stage.press(KeyCode::Char(':'));
    stage.type_in("into the library cellar");
    stage.press(KeyCode::Enter);
    let sent = stage.state.drafted.draft.items.first().map(|item| item.to.clone());
    assert!(matches!(&sent, Some(Destination::Library(path)) if path.ends_with("cellar/quillgate")), "{sent:?}");
    // The drive in focus says what it cannot hold.
    while stage.state.drives.drive != 2 {
        stage.press(KeyCode::Tab);
    }
    let shown = stage.text(160, 47);
    assert!(shown.contains("exfat: no links") && shown.contains("kept free"), "{shown}");
}

#[test]
fn what_is_wrong_stands_first_in_records() {
    let mut stage = Stage::new();
    let mut survey = stage.state.survey.clone().expect("a survey");
    let last = survey.launchers.last().expect("launchers").clone();
    let mut games = survey.games.iter_mut().filter(|game| game.launcher == last.id);
    let game = games.next_back().expect("a game of it");
    game.found.records[0].sound = false;
    let title = game.found.title.clone();
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), Vec::new()));
    stage.press(KeyCode::Char('E'));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        let lines: Vec<&str> = shown.lines().collect();
        assert!(lines[2].contains(&last.name), "{}\n{shown}", last.name);
        let at = lines.iter().position(|line| line.contains("1 wrong"));
        assert!(at.is_some_and(|at| lines[at].contains(&title)), "{title}\n{shown}");
    }
}

#[test]
fn a_stray_that_fits_no_list_is_adopted_as_what_the_person_says_and_a_question_is_answered_by_a_click() {
    let mut stage = Stage::new();
    let survey = stage.state.survey.clone().expect("a survey");
    let mut find = find(&stage.site, &survey, &History::default(), &|_| {});
    for find in &mut find {
        if let deft_barge_core::survey::FindKind::Unlisted { fits, .. } = &mut find.what {
            *fits = None;
        }
    }
    stage.state.update(Event::Found(find, Vec::new()));
    stage.state.view = View::Cleanup;
    stage.press(KeyCode::Down);
    stage.press(KeyCode::Char('I'));
    stage.type_in("quillgate/qg-0171");
    let acts = stage.press(KeyCode::Enter);
    let [Act::Plan(Errand::Import(import))] = acts.as_slice() else { panic!("{acts:?}") };
    assert_eq!((import.launcher.as_str(), import.id.as_str()), ("quillgate", "qg-0171"));
    stage.state.running.work = Some(LongTask::Resume);
    stage.press(KeyCode::Char('q'));
    assert_eq!(stage.mouse(MouseEventKind::Down(MouseButton::Left), "A haul is running"), [], "only answers answer");
    assert_eq!(stage.mouse(MouseEventKind::Down(MouseButton::Left), "y pause and quit"), [Act::Pause]);
}

#[test]
fn places_that_a_trace_found_are_left_and_taken_by_key_and_the_plan_follows() {
    let mut stage = Stage::new();
    let acts = stage.press(KeyCode::Char('F'));
    stage.find(&acts);
    let (mut finds, _) = stage.state.cleanup.finds.clone().expect("finds");
    // A folder that fits no list is moved with what a trace finds.
    for find in &mut finds {
        if let deft_barge_core::survey::FindKind::Unlisted { fits, .. } = &mut find.what {
            *fits = None;
        }
    }
    let at = finds.iter().position(|find| matches!(find.what, deft_barge_core::survey::FindKind::Unlisted { .. }));
    let at = at.expect("an unlisted folder");
    let folder = finds[at].path.to_string_lossy().into_owned();
    let config = stage.site.places.config.clone();
    for (name, text) in [
        ("starts.json", format!("{{\"last\": {folder:?}}}\n")),
        ("shelf.ini", format!("[shelf]\nfirst={folder}\n")),
        ("starts.log", format!("12:01 started {folder}\n")),
    ] {
        std::fs::write(config.join(name), text).expect("a record");
    }
    stage.state.update(Event::Found(finds, Vec::new()));
    (0..at).for_each(|_| drop(stage.press(KeyCode::Down)));
    let acts = stage.press(KeyCode::Char('3'));
    stage.plan(&acts);
    let written = |stage: &Stage| -> Vec<String> {
        let items = stage.state.haul.plan.iter().flat_map(|plan| &plan.items);
        let files = items.flat_map(|item| &item.previews).filter_map(|preview| preview.file.file_name());
        let mut files: Vec<String> = files.map(|name| name.to_string_lossy().into_owned()).collect();
        files.sort();
        files
    };
    assert_eq!(written(&stage), ["shelf.ini", "starts.json"]);
    stage.press(KeyCode::Char('.'));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        for (file, what) in [("starts.json", "rewritten"), ("shelf.ini", "rewritten"), ("starts.log", "left: a log")] {
            let row = shown.lines().find(|row| row.contains(file) && row.contains(what));
            assert!(row.is_some(), "{file} {what} {width}x{height}\n{shown}");
        }
    }
    // Letters narrow the list, and Enter turns what is under the cursor.
    stage.type_in("starts");
    let turn = |stage: &mut Stage, file: &str| {
        let (offers, cursor) =
            stage.state.over.chooser.as_ref().map(|chooser| (chooser.offers.clone(), chooser.cursor)).expect("a list");
        let wanted = offers.iter().position(|offer| offer.text.starts_with(file)).expect("the place");
        (0..cursor).for_each(|_| drop(stage.press(KeyCode::Up)));
        (0..wanted).for_each(|_| drop(stage.press(KeyCode::Down)));
        assert_eq!(stage.press(KeyCode::Enter), []);
    };
    turn(&mut stage, "starts.json");
    turn(&mut stage, "starts.log");
    let shown = stage.text(160, 47);
    assert!(shown.contains("left: your choice") && shown.contains("rewritten: your choice"), "{shown}");
    assert_eq!(stage.press(KeyCode::Char('S')), [], "letters go into the field, nothing starts");
    let acts = stage.press(KeyCode::Esc);
    stage.plan(&acts);
    assert_eq!(written(&stage), ["shelf.ini", "starts.log"]);
    let shown = stage.text(160, 47);
    assert!(shown.contains("you chose to leave"), "what is left is named\n{shown}");
    // What starts is what was chosen.
    stage.press(KeyCode::Char('a'));
    let acts = stage.press(KeyCode::Char('S'));
    let [Act::Run(LongTask::Start(Errand::Traced(_, _, otherwise)))] = acts.as_slice() else { panic!("{acts:?}") };
    assert_eq!(otherwise.len(), 2);
}

#[test]
fn nobody_leaves_over_a_failure_and_what_moves_files_in_a_sheet_is_stopped_first() {
    let failed = || Err(crate::present::Fault::new(crate::present::Kind::Failed, "The drive is gone.", ""));
    let paused = || Err(crate::present::Fault::new(crate::present::Kind::Interrupted, "Paused.", ""));
    let leaving = || {
        let mut stage = Stage::new();
        stage.state.running.work = Some(LongTask::Resume);
        stage.press(KeyCode::Char('q'));
        assert_eq!(stage.press(KeyCode::Char('w')), [Act::Pause]);
        stage
    };
    let mut stage = leaving();
    let acts = stage.state.update(Event::Ended { what: LongTask::Resume, result: failed() });
    assert_eq!(acts, [Act::Survey]);
    stage.state.view = View::Running;
    assert!(stage.text(160, 47).contains("The drive is gone."));
    let acts = leaving().state.update(Event::Ended { what: LongTask::Resume, result: paused() });
    assert_eq!(acts, [Act::Detach, Act::Leave]);
    let acts = leaving().state.update(Event::Ended { what: LongTask::Resume, result: Ok(()) });
    assert_eq!(acts, [Act::Leave], "it had ended already");
    // A carrying that is under way in a sheet.
    let mut stage = Stage::new();
    stage.state.update(Event::Input(Input::Key(KeyEvent::new(KeyCode::Char('p'), KeyModifiers::CONTROL))));
    stage.type_in("Wickerbox");
    stage.press(KeyCode::Enter);
    stage.state.update(Event::Done(1, Ok(0)));
    assert!(matches!(stage.press(KeyCode::Char('S')).as_slice(), [Act::Do(2, _)]));
    let ctrl_c = Input::Key(KeyEvent::new(KeyCode::Char('c'), KeyModifiers::CONTROL));
    assert_eq!(stage.state.update(Event::Input(ctrl_c)), []);
    assert!(stage.text(160, 47).contains("Stop at the next block"));
    assert_eq!(stage.press(KeyCode::Char('y')), [Act::StopTask]);
    assert_eq!(stage.state.update(Event::Done(2, paused().map(|()| 5))), [Act::Leave]);
}

#[test]
fn a_haul_that_runs_elsewhere_is_paused_and_one_item_of_it_given_up_from_here() {
    let mut stage = Stage::new();
    let (haul, item) = (deft_barge_core::bytes::HaulId(3), deft_barge_core::bytes::ItemId(8));
    stage.state.update(Event::Elsewhere(true));
    let heard =
        Heard::Stage { haul, item, title: "Saltflat Rally".into(), stage: deft_barge_core::item::StageKind::Copying };
    stage.state.update(Event::Heard(heard));
    stage.press(KeyCode::Char('R'));
    assert!(stage.text(160, 47).contains("This haul keeps running"));
    assert_eq!(stage.press(KeyCode::Char('q')), [Act::Leave], "it goes on by itself");
    stage.press(KeyCode::Char('X'));
    assert_eq!(stage.press(KeyCode::Char('y')), [Act::Pause]);
    assert_eq!(stage.state.update(Event::Elsewhere(false)), [Act::Run(LongTask::CancelItem(haul, item))]);
}

#[test]
fn a_field_has_a_cursor_and_remembers_what_was_typed_before() {
    use crate::tui::model::Typed;
    let mut stage = Stage::new();
    let field = |stage: &Stage| stage.state.over.typing.as_ref().map(|typing| typing.text().to_string());
    stage.state.type_in(Typed::SaveAs, "two words");
    for key in [KeyCode::Home, KeyCode::Char('x'), KeyCode::Delete, KeyCode::End, KeyCode::Left, KeyCode::Char('é')] {
        stage.press(key);
    }
    assert_eq!(field(&stage).as_deref(), Some("xwo wordés"));
    let drawn = stage.text(80, 24);
    assert!(drawn.contains("xwo wordé▏s"), "the cursor is where it is\n{drawn}");
    stage.press(KeyCode::Enter);
    stage.state.type_in(Typed::SaveAs, "");
    for (key, text) in [(KeyCode::Up, "xwo wordés"), (KeyCode::Up, "xwo wordés"), (KeyCode::Down, "")] {
        stage.press(key);
        assert_eq!(field(&stage).as_deref(), Some(text), "{key:?}");
    }
    for (_, height) in [(80, 24), (1, 1)] {
        stage.text(1, height);
    }
}

#[test]
fn a_plan_says_first_what_goes_for_good_what_is_kept_what_is_written_and_what_is_asked() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let plan = stage.state.haul.plan.clone().expect("a plan");
    let records = plan.items[0].previews.len();
    for (width, height) in [(80, 24), (160, 47)] {
        let drawn = stage.text(width, height);
        let promise =
            |row: &&str| ["deleted for good", "written "].iter().any(|label| row.trim_start().starts_with(label));
        let rows: Vec<&str> = drawn.lines().filter(promise).collect();
        assert_eq!(rows.len(), 2, "{drawn}");
        assert!(rows[0].contains("nothing") && rows[1].contains(&format!("{records} records")), "{drawn}");
        assert!(drawn.contains(&format!("kept                {}", plan.items[0].size.on_disk)), "{drawn}");
    }
    // With its originals released by the haul they are what goes.
    let mut freeing = plan;
    freeing.policy = deft_barge_core::item::Policy::Release;
    stage.state.haul.plan = Some(freeing);
    let drawn = stage.text(160, 47);
    let row = drawn.lines().find(|row| row.contains("deleted for good")).expect("the row");
    assert!(row.contains("originals of Saltflat Rally, once proved"), "{drawn}");
}

#[test]
fn each_drive_says_whether_the_game_under_the_cursor_fits_and_the_list_says_in_words_what_is_wrong() {
    let mut stage = Stage::new();
    let text = stage.text(160, 47);
    let game = stage.state.game_here().expect("a game").clone();
    let survey = stage.state.survey.as_ref().expect("a survey");
    for drive in &survey.drives {
        let has = text.contains(&format!("of {}", drive.drive.capacity));
        assert!(has, "{}: its capacity\n{text}", drive.drive.name);
    }
    let title = &game.found.title;
    let fits = text.matches(&format!("room for {title}, ")).count();
    let others = text.matches(&format!("more for {title}")).count() + text.matches(&format!(" of {title}")).count();
    assert_eq!(fits + others, survey.drives.len() - 1, "{text}");
    assert!(fits > 0 && others > 0, "{text}");
    assert!(text.contains("updating"), "{text}");
    // Once it is sent there, that drive shows what will be.
    stage.press(KeyCode::Char('4'));
    let text = stage.text(160, 47);
    assert_eq!(text.matches(&format!("room for {title}, ")).count(), fits - 1, "{text}");
    assert!(text.contains("after this haul"), "{text}");
}

#[test]
fn findings_of_one_kind_are_told_once_with_all_that_they_are_about() {
    let mut stage = Stage::new();
    // Every game of the drive in focus: each has saves that stay, or an update, or none of both.
    let games = stage.state.drives.layout.list.len();
    for _ in 0..games {
        stage.press(KeyCode::Char('4'));
        stage.press(KeyCode::Down);
    }
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let plan = stage.state.haul.plan.as_ref().expect("a plan").clone();
    let mut kinds: Vec<Vec<&str>> = Vec::new();
    let mut firsts = Vec::new();
    for finding in &plan.findings {
        let kind = (finding.severity, std::mem::discriminant(&finding.kind));
        let title = finding.title.as_deref().unwrap_or_default();
        if let Some(nth) = firsts.iter().position(|known| *known == kind) {
            kinds[nth].push(title);
        } else {
            firsts.push(kind);
            kinds.push(vec![title]);
        }
    }
    let many: Vec<&Vec<&str>> = kinds.iter().filter(|titles| titles.len() > 2).collect();
    assert!(!many.is_empty(), "{:?}", plan.findings);
    let text = stage.text(160, 47);
    for titles in many {
        assert!(text.contains(&format!("and {} more like it", titles.len() - 1)), "{text}");
        assert!(titles.iter().all(|title| text.contains(title)), "{titles:?}\n{text}");
    }
    // The item under the cursor is the one of which its finding is told whole.
    let nth = plan.items.iter().position(|item| {
        let own = plan.findings.iter().filter(|finding| finding.item.as_ref() == Some(&item.game));
        own.clone().count() > 0
    });
    for _ in 0..nth.expect("an item with a finding") {
        stage.press(KeyCode::Down);
    }
    let item = &plan.items[stage.state.haul.item];
    let own = plan.findings.iter().find(|finding| finding.item.as_ref() == Some(&item.game)).expect("its finding");
    let said = crate::present::words::finding_sentence(own);
    let start: String = said.chars().take(60).collect();
    assert!(stage.text(160, 47).contains(&start), "{start}\n{}", stage.text(160, 47));
}

#[test]
fn a_field_is_filled_up_by_tab_and_what_was_typed_since_is_kept() {
    use crate::service::{Completed, Wanted};
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('E'));
    stage.press(KeyCode::Char('t'));
    stage.type_in("/w");
    let asked = stage.state.update(Event::Input(Input::Key(KeyEvent::new(KeyCode::Tab, KeyModifiers::NONE))));
    assert_eq!(asked, [Act::Complete(Wanted::Path, "/w".into())]);
    let completed = Completed { text: "/week".into(), more: vec!["week/".into(), "weekend/".into()] };
    stage.state.update(Event::Completed("/w".into(), completed.clone()));
    let shown = stage.text(80, 24);
    assert!(shown.contains("week/   weekend/"), "{shown}");
    // What comes late fits another text.
    stage.press(KeyCode::Char('e'));
    stage.state.update(Event::Completed("/w".into(), completed));
    let typing = stage.state.over.typing.as_ref().expect("a field");
    assert_eq!((typing.text(), typing.more.len()), ("/weeke", 0));
    // What takes no name of a file is left as it is.
    stage.press(KeyCode::Esc);
    stage.press(KeyCode::Char('D'));
    stage.press(KeyCode::Char('M'));
    let asked = stage.state.update(Event::Input(Input::Key(KeyEvent::new(KeyCode::Tab, KeyModifiers::NONE))));
    assert_eq!(asked, []);
}

#[test]
fn a_saved_draft_is_chosen_from_a_list_by_letters_or_with_the_mouse() {
    use crate::service::drafts;
    let mut stage = Stage::new();
    assert_eq!(stage.press(KeyCode::Char('O')), [Act::Drafts]);
    stage.state.update(Event::Drafts(drafts::kept(&stage.site)));
    assert!(
        stage.text(80, 24).contains("No draft has been saved yet; w saves the one on screen."),
        "{}",
        stage.text(80, 24)
    );
    stage.press(KeyCode::Char('2'));
    stage.press(KeyCode::Char('w'));
    stage.type_in("week end");
    let saved = stage.press(KeyCode::Enter);
    let [Act::Save(name, file)] = saved.as_slice() else { panic!("{saved:?}") };
    drafts::keep(&stage.site, name, file).expect("a draft");
    drafts::keep(&stage.site, "later", file).expect("another");
    std::fs::write(drafts::place(&stage.site, "torn"), "form").expect("a file");
    for (name, ago) in [("week end", 90), ("later", 60), ("torn", 30)] {
        let file = std::fs::File::options().write(true).open(drafts::place(&stage.site, name)).expect("a file");
        let then = std::time::SystemTime::now() - Duration::from_secs(ago);
        file.set_modified(then).expect("a time");
    }
    stage.press(KeyCode::Char('O'));
    stage.state.update(Event::Drafts(drafts::kept(&stage.site)));
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        let row = |name: &str| shown.lines().find(|line| line.contains(name)).unwrap_or_else(|| panic!("{shown}"));
        assert!(row("week end").contains("1 game to "), "{shown}");
        assert!(row("torn").contains("can't be read"), "{shown}");
        let at = |name: &str| shown.find(name).expect("a draft");
        assert!(at("torn") < at("later") && at("later") < at("week end"), "the newest first: {shown}");
    }
    stage.type_in("wk");
    assert_eq!(stage.press(KeyCode::Enter), [Act::Open("week end".into())]);
    assert!(stage.state.over.chooser.is_none());
    stage.press(KeyCode::Char('O'));
    stage.state.update(Event::Drafts(drafts::kept(&stage.site)));
    assert_eq!(stage.mouse(MouseEventKind::Down(MouseButton::Left), "later"), [Act::Open("later".into())]);
    // What is typed before the list is there is meant for it, and a list that comes late covers nothing that was opened since.
    stage.press(KeyCode::Char('O'));
    stage.type_in("wk");
    assert!(stage.text(80, 24).contains("Which draft? wk") && stage.state.over.typing.is_none());
    stage.state.update(Event::Drafts(drafts::kept(&stage.site)));
    let text = stage.text(80, 24);
    assert!(text.contains("week end") && !text.contains("torn"), "{text}");
    stage.press(KeyCode::Esc);
    stage.press(KeyCode::Char('O'));
    stage.press(KeyCode::Esc);
    stage.press(KeyCode::Char(':'));
    stage.state.update(Event::Drafts(drafts::kept(&stage.site)));
    assert_eq!(stage.state.over.chooser.as_ref().map(|chooser| chooser.of), Some(crate::tui::model::Of::Acts));
}

#[test]
fn a_launcher_that_has_changed_since_it_was_learned_is_told_of_where_its_games_are() {
    use deft_barge_core::launcher::Drift;
    let mut stage = Stage::new();
    let mut survey = survey(&stage.site, Vec::new(), &|_| {});
    let file = "/a/rather/long/way/to/the/folder/of/a/launcher/with/its/list/of/all/games.json";
    let drift = Drift { file: file.into(), gone: vec!["at".into()], new: vec!["seat".into()], lost: None };
    for launcher in &mut survey.launchers {
        launcher.drift = Some(drift.clone());
    }
    stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default())), Vec::new()));
    for (width, height) in [(80, 24), (160, 47)] {
        stage.press(KeyCode::Char('D'));
        let drives = stage.text(width, height);
        assert!(drives.contains("has changed since it was learned; see Records (E)"), "{drives}");
        stage.press(KeyCode::Char('E'));
        let records = stage.text(width, height);
        let told: String = records.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(told.contains("contain seat instead of at"), "{records}");
        assert!(told.contains("n learns it again"), "{records}");
    }
}
