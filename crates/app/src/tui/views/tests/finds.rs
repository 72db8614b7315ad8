//! What lies about, what goes with games, and what is wrong.

use super::*;

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
