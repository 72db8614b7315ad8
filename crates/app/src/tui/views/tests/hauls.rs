//! Plans, running hauls, their proofs and their log.

use super::*;

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
pub(in crate::tui::views) fn half_copied(item: deft_barge_core::bytes::ItemId, title: String) -> Progress {
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
