//! Letters, fields, the mouse and questions.

use super::*;

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
