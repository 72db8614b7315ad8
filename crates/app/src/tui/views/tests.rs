//! Frames drawn into a buffer and read as text, from a small demo world; keys go through the same door as a person's.

use std::time::Duration;

use deft_barge_core::finds::find;
use deft_barge_core::haul::{Amount, Control, Haul, HaulEvent, History, Journal, Progress};
use deft_barge_core::plan::{Destination, Draft, anchors};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;
use deft_barge_harbor::world::{Scale, make};
use ratatui::buffer::Buffer;
use ratatui::crossterm::event::{Event as Input, KeyCode, KeyEvent, KeyModifiers};
use ratatui::layout::Rect;

use super::super::plan_errand;
use super::super::state::{Act, Errand, Event, State, Work};
use super::super::theme::{Depth, Theme};
use super::draw_into;

struct Stage {
    _folder: tempfile::TempDir,
    site: Site,
    state: State,
}

impl Stage {
    fn new() -> Self {
        let folder = tempfile::tempdir().expect("a folder for the world");
        let world = folder.path().join("w");
        make(&world, 7, Scale::SMALL).expect("a world");
        let site = Site::of_world(&world).expect("a site");
        let mut stage = Self { _folder: folder, site, state: State::new() };
        stage.survey();
        stage
    }

    fn survey(&mut self) {
        let survey = survey(&self.site, Vec::new(), &|_| {});
        self.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(History::default()))));
    }

    fn press(&mut self, code: KeyCode) -> Vec<Act> {
        self.state.update(Event::Input(Input::Key(KeyEvent::new(code, KeyModifiers::NONE))))
    }

    /// Does what the interface would do on a thread: makes the plan that was asked for.
    fn plan(&mut self, acts: &[Act]) {
        let Some(Act::Plan(errand)) = acts.first() else { panic!("a plan was to be asked for: {acts:?}") };
        let mut survey = self.state.survey.clone().expect("a survey");
        survey.look_at_room();
        let plan = plan_errand(&self.site, &survey, errand);
        self.state.update(Event::Planned(Box::new(plan), errand.clone()));
    }

    /// Looks for what is lying about, as a thread would.
    fn find(&mut self, acts: &[Act]) {
        assert_eq!(acts, [Act::Find]);
        let survey = self.state.survey.clone().expect("a survey");
        let lying = find(&self.site, &survey, &History::default(), &|_| {});
        self.state.update(Event::Found(lying, anchors(&self.site, &survey)));
    }

    fn text(&self, width: u16, height: u16) -> String {
        text(&self.state, width, height, Depth::True)
    }
}

fn text(state: &State, width: u16, height: u16, depth: Depth) -> String {
    let area = Rect::new(0, 0, width, height);
    let mut buffer = Buffer::empty(area);
    draw_into(state, Theme { depth }, area, &mut buffer);
    let row = |y| (0..width).map(|x| buffer[(x, y)].symbol()).collect::<String>().trim_end().to_string();
    (0..height).map(row).collect::<Vec<_>>().join("\n")
}

#[test]
fn the_first_frame_says_that_it_looks_and_no_size_breaks_any_view() {
    let state = State::new();
    assert!(text(&state, 100, 30, Depth::True).contains("Looking at drives"));
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    for code in ['d', 'h', 'r', 'f'] {
        let acts = stage.press(KeyCode::Char(code));
        if code == 'h' {
            stage.plan(&acts);
        }
        if code == 'f' {
            stage.find(&acts);
        }
        for help in [false, true] {
            stage.state.help = help;
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
        stage.state.help = false;
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
    assert_eq!(stage.state.draft.lots.len(), 1);
    stage.press(KeyCode::Char('9'));
    assert!(stage.text(160, 47).contains("No drive has the digit 9"));
    stage.press(KeyCode::Char('0'));
    assert!(stage.state.draft.lots.is_empty());
    assert!(!stage.text(160, 47).contains("after this haul"));
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
        for word in ["Orchard of Nine Bells", "caution", "an update is waiting", "swift > newhold", "load"] {
            assert!(drawn.contains(word), "{word}\n{drawn}");
        }
    }
    assert!(stage.text(160, 47).contains("the entry arrives"));
    // Neither Enter nor s starts it; S does not before the caution is accepted.
    for code in [KeyCode::Enter, KeyCode::Char('s'), KeyCode::Char('S')] {
        assert_eq!(stage.press(code), Vec::new(), "{code:?}");
    }
    assert!(stage.text(160, 47).contains("Cautions are waiting"));
    stage.press(KeyCode::Char('a'));
    let acts = stage.press(KeyCode::Char('S'));
    assert!(
        matches!(acts.as_slice(), [Act::Run(Work::Start(Errand::Draft(draft)))] if draft.lots.len() == 1),
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
    assert!(matches!(acts.as_slice(), [Act::Plan(Errand::Draft(draft))] if draft.lots.len() == 2), "{acts:?}");
}

#[test]
fn a_running_haul_shows_its_phases_and_nothing_irreversible_happens_without_a_question() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    stage.press(KeyCode::Char('S'));
    let amount = |done: u64| Amount {
        done: deft_barge_core::bytes::Bytes::new(done),
        all: deft_barge_core::bytes::Bytes::new(88_000_000_000),
    };
    let lot = deft_barge_core::bytes::LotId(1);
    let haul = deft_barge_core::bytes::HaulId(1);
    let title = "Saltflat Rally".to_string();
    stage.state.update(Event::Haul(HaulEvent::Stage { haul, lot, title: title.clone(), stage: "copying" }));
    stage.state.update(Event::Haul(HaulEvent::Progress(Progress {
        lot,
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
    })));
    for (width, height) in [(80, 24), (160, 47)] {
        let drawn = stage.text(width, height);
        for word in [
            "61.2 GB of   88.0 GB",
            "44.0 GB",
            "about 9 min left",
            "block 311 of 512",
            "data/pack07.bin",
            "2 copied again",
            "stay until told",
        ] {
            assert!(drawn.contains(word), "{word}\n{drawn}");
        }
    }
    assert!(stage.press(KeyCode::Char('q')).is_empty());
    assert!(stage.text(80, 24).contains("A haul is running"));
    assert!(stage.press(KeyCode::Char('n')).is_empty());
    assert!(stage.press(KeyCode::Char('c')).is_empty());
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
        stage.state.clock += Duration::from_secs(seconds);
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
    assert!(stage.text(160, 47).contains("newhold lacks"), "{}", stage.text(160, 47));
    std::fs::remove_file(newhold.join("filled")).expect("a file");
    let again = tick(&mut stage, 5);
    stage.plan(&again);
    assert!(!stage.text(160, 47).contains("newhold lacks"), "it goes away by itself");
    // A plan of an older draft that comes late is not shown.
    let late = tick(&mut stage, 5);
    stage.press(KeyCode::Char('t'));
    let before = stage.text(160, 47);
    stage.plan(&late);
    assert_eq!(stage.text(160, 47), before);
}

#[test]
fn finds_show_what_lies_about_with_the_acts_that_fit_and_an_act_is_looked_at_before_it_is_done() {
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let drafted = stage.state.draft.clone();
    let acts = stage.press(KeyCode::Char('f'));
    assert!(stage.text(160, 47).contains("Looking into folders"));
    stage.find(&acts);
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        for word in ["stray", "leftover", "broken link", "small-hours", "adopt it", "Harbour of Small Hours"] {
            assert!(shown.contains(word), "{word} {width}x{height}\n{shown}");
        }
    }
    // An act that does not fit says so, and does nothing.
    assert_eq!(stage.press(KeyCode::Char('x')), []);
    assert!(stage.text(160, 47).contains("does not fit"));
    let acts = stage.press(KeyCode::Char('a'));
    assert!(matches!(acts.first(), Some(Act::Plan(Errand::Adoption(_)))), "{acts:?}");
    stage.plan(&acts);
    let shown = stage.text(160, 47);
    assert!(shown.contains("stays where it is; records, prove") && shown.contains("the entry arrives"), "{shown}");
    let acts = stage.press(KeyCode::Char('S'));
    assert!(matches!(acts.first(), Some(Act::Run(Work::Start(Errand::Adoption(_))))), "{acts:?}");
    // Back from an act the draft is as it was.
    let mut stage = Stage::new();
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Char('f'));
    stage.find(&acts);
    let acts = stage.press(KeyCode::Char('s'));
    stage.plan(&acts);
    assert!(stage.text(160, 47).contains("set aside, hold"));
    stage.press(KeyCode::Esc);
    assert!(stage.text(160, 47).contains("lying about") && stage.state.draft == drafted);
    let acts = stage.press(KeyCode::Char('h'));
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
    stage.press(KeyCode::Char('v'));
    assert!(stage.state.message.as_ref().is_some_and(|message| message.contains("not on this haul")));
    stage.press(KeyCode::Char('u'));
    stage.press(KeyCode::Char('4'));
    assert!(stage.text(160, 47).contains("newhold, by the game's own setting"), "{}", stage.text(160, 47));
    assert_eq!(stage.state.draft.lots.len(), 1, "the game itself stays");
    stage.press(KeyCode::Char('v'));
    assert!(stage.text(160, 47).contains("newhold, behind a link"));
    stage.press(KeyCode::Char('u'));
    stage.press(KeyCode::Char('4'));
    assert_eq!(stage.state.draft.lots.len(), 2);
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let shown = stage.text(160, 47);
    assert!(shown.contains("Orchard of Nine Bells: saves") && shown.contains("a link in"), "{shown}");
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
    let acts = stage.press(KeyCode::Char('f'));
    stage.find(&acts);
    for (width, height) in [(80, 24), (160, 47)] {
        let shown = stage.text(width, height);
        assert!(shown.contains("moved drive") && shown.contains("n   re-anchor its drive"), "{shown}");
    }
    let acts = stage.press(KeyCode::Char('n'));
    assert!(matches!(acts.first(), Some(Act::Plan(Errand::Anchor(..)))), "{acts:?}");
    stage.plan(&acts);
    let shown = stage.text(160, 47);
    assert!(shown.contains("records alone") && shown.contains("rooms.json"), "{shown}");
}

#[test]
fn a_yes_to_a_cancel_that_comes_after_the_end_returns_that_haul_and_no_older_one() {
    let mut stage = Stage::new();
    let haul = |stage: &Stage, title: &str| {
        let survey = stage.state.survey.clone().expect("a survey");
        let mut draft = Draft::default();
        draft.send(survey.find_games(title)[0].id.clone(), Destination::Drive("newhold".into()));
        let plan = plan_errand(&stage.site, &survey, &Errand::Draft(draft));
        let (journal, _) = Journal::open(&stage.site).expect("a journal").recover().expect("a journal");
        let mut haul = Haul::begin(&stage.site, &journal, &plan).expect("a haul");
        haul.run(&|_| {}, &Control::default()).expect("an end");
        haul.id()
    };
    haul(&stage, "Pale Signal");
    let look = |stage: &mut Stage| {
        let history = History::of(&stage.site).expect("a journal");
        let survey = survey(&stage.site, history.held(&stage.site), &|_| {});
        stage.state.update(Event::Surveyed(Box::new(survey), Box::new(Ok(history))));
        stage.state.go_on_cancelling()
    };
    look(&mut stage);
    stage.press(KeyCode::Char('4'));
    let acts = stage.press(KeyCode::Enter);
    stage.plan(&acts);
    let acts = stage.press(KeyCode::Char('S'));
    let [Act::Run(work)] = acts.as_slice() else { panic!("{acts:?}") };
    stage.press(KeyCode::Char('c'));
    assert!(stage.text(100, 30).contains("Stop, and return"));
    let id = haul(&stage, "Saltflat Rally");
    stage.state.update(Event::Ended { what: work.clone(), result: Ok(()) });
    assert_eq!(stage.press(KeyCode::Char('y')), [], "the older haul is not what was meant");
    assert_eq!(look(&mut stage), [Act::Run(Work::Return(id))]);
}
