//! Frames drawn into a buffer and read as text, from a small demo world; keys go through the same door as a person's.

mod fields;
mod finds;
mod hauls;

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
pub(super) use hauls::half_copied;

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
