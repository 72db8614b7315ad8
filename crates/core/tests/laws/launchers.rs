//! Every way of keeping records: each demo launcher's game is hauled, judged by its stand-in, and returned;
//! and at every act on a record a failure leaves something that the next start turns all new or all old.

use std::fs;
use std::path::Path;

use deft_barge_core::haul::{Control, Haul, release_haul};
use deft_barge_core::item::{FindingKind, Policy, Severity};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Destination, Draft, LibraryWish, MakeLetters, plan, plan_library};
use deft_barge_core::survey::{GameId, survey};
use deft_barge_harbor::launchers::Launcher;

use crate::acts::{KilledAtRecords, both_ways, days_choice};
use crate::house::{GAMES, House, same};

#[test]
fn each_launcher_is_content_after_a_haul_and_after_a_return_and_its_records_are_the_same_bytes_again() {
    let house = House::new();
    let before = house.records();
    for (game, launcher) in GAMES {
        for released in [false, true] {
            let when = format!("{game}, released: {released}");
            let plan = house.plan(game, "newhold", MakeLetters::Yes);
            assert!(!plan.blocked(), "{when}: {:?}", plan.findings);
            let haul = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
            let site = house.site();
            let history = History::of(&site).unwrap();
            let item = &history.haul(haul).unwrap().items[0];
            assert!(item.proof.as_ref().is_some_and(deft_barge_core::item::Proof::holds), "{when}: {:?}", item.proof);
            if let Some(launcher) = launcher {
                let judged = house.judge(launcher, game);
                assert!(judged.content(), "{when}: {judged:?}");
                assert_eq!(judged.folder.canonicalize().unwrap(), plan.items[0].to, "{when}");
            }
            if released {
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                let removed = release_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
                assert_eq!(removed.left, [], "{when}");
                assert!(!plan.items[0].from.exists(), "{when}");
            }
            house.give_back(haul);
            if let Some(launcher) = launcher {
                assert!(house.judge(launcher, game).content(), "{when}: after the return");
            }
            assert!(!plan.items[0].to.exists(), "{when}: the copy is gone");
            let library = plan.items[0].to.parent().unwrap();
            assert!(launcher != Some(Launcher::Tolliver) || !library.exists(), "{when}: so is the library made for it");
            same(&before, &house.records(), &when);
        }
    }
}

/// Whether a path is that of a record.
fn is_record(path: &str) -> bool {
    let kept = path.contains("/home/.config/")
        || path.contains("/home/.local/share/")
        || Path::new(path).extension().is_some_and(|end| end == "ini");
    kept && !path.contains("/home/.local/state")
}

#[test]
fn killed_at_any_act_on_a_record_all_are_new_or_all_are_old_at_the_next_start() {
    let house = House::new();
    let before = house.records();
    let mut kills = 0;
    for (game, launcher) in GAMES {
        let plan = house.plan(game, "newhold", MakeLetters::Yes);
        let count = KilledAtRecords::new(is_record, usize::MAX);
        let haul = house.haul(&plan, Some(count.clone())).unwrap();
        let new = house.records();
        house.give_back(haul);
        let acts = count.acts();
        assert!(acts >= 2, "{game}: {acts} acts on records");
        for (n, resumes) in both_ways(days_choice(acts)) {
            let when = format!("{game}: act {n} of {acts} on records");
            let gate = KilledAtRecords::new(is_record, n);
            house.haul(&plan, Some(gate)).expect_err(&when);
            kills += 1;
            let site = house.site();
            let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
            let haul = unfinished.unwrap_or_else(|| panic!("{when}: nothing is left to do")).id;
            if resumes {
                Haul::of(&site, &journal, haul).unwrap().run(&|_| {}, &Control::default()).unwrap();
                drop(journal);
                same(&new, &house.records(), &when);
                assert!(launcher.is_none_or(|launcher| house.judge(launcher, game).content()), "{when}");
                house.give_back(haul);
            } else {
                drop(journal);
                house.give_back(haul);
            }
            assert!(launcher.is_none_or(|launcher| house.judge(launcher, game).content()), "{when}: after the return");
            same(&before, &house.records(), &when);
        }
    }
    assert!(kills > 40, "{kills}");
}

#[test]
fn libraries_are_made_known_and_chosen_for_new_installs_and_all_is_returned() {
    let house = House::new();
    let before = house.records();
    let drives = house.folder().join("drives");
    let change = |launcher: &str, wish: LibraryWish| {
        let site = house.site();
        let survey = survey(&site, Vec::new(), &|_| {});
        house.haul(&plan_library(&site, &survey, launcher, &wish), None)
    };
    let default = |launcher: &str| {
        let survey = survey(&house.site(), Vec::new(), &|_| {});
        let all = survey.launcher(launcher).unwrap().libraries.clone();
        (all.iter().find(|library| library.default).unwrap().path.clone(), all.len())
    };
    for launcher in ["quillgate", "tolliver"] {
        let (first, count) = default(launcher);
        let made = change(launcher, LibraryWish::New("newhold".into())).unwrap();
        let new = drives.join("newhold").join(launcher);
        assert!(new.is_dir());
        assert_eq!(default(launcher), (first.clone(), count + 1), "{launcher}");
        let chosen = change(launcher, LibraryWish::Default(new.clone())).unwrap();
        assert_eq!(default(launcher), (new.clone(), count + 1), "{launcher}");
        assert!(change(launcher, LibraryWish::Default(new.clone())).is_err(), "it is the default already");
        assert!(change(launcher, LibraryWish::New("newhold".into())).is_err(), "it is there already");
        house.give_back(chosen);
        assert_eq!(default(launcher), (first.clone(), count + 1), "{launcher}");
        house.give_back(made);
        assert_eq!(default(launcher), (first, count), "{launcher}");
        assert!(!new.exists());
        same(&before, &house.records(), launcher);
    }
    assert!(change("ninepin", LibraryWish::New("newhold".into())).is_err(), "a launcher without libraries");
    assert!(change("quillgate", LibraryWish::Default(drives.join("nowhere"))).is_err());
}

#[test]
fn a_drive_letter_that_is_missing_is_a_stop_and_is_made_only_when_that_was_chosen() {
    let house = House::new();
    let before = house.records();
    let plan = house.plan("ninepin/np-03", "newhold", MakeLetters::No);
    let missing =
        |f: &&deft_barge_core::item::Finding| matches!(&f.kind, FindingKind::NoLetter { free: Some('f'), .. });
    assert_eq!(plan.findings.iter().find(missing).map(|f| f.severity), Some(Severity::Blocker));
    assert!(house.haul(&plan, None).is_err());
    same(&before, &house.records(), "refused");
    let plan = house.plan("ninepin/np-03", "newhold", MakeLetters::Yes);
    house.haul(&plan, None).unwrap();
    let link = house.home().join(".config/ninepin/layer/dosdevices/f:");
    assert_eq!(fs::read_link(link).unwrap(), house.folder().join("drives/newhold"));
    let starts = fs::read_to_string(house.home().join(".config/ninepin/starts.yaml")).unwrap();
    assert!(starts.contains("'F:\\ninepin\\hexwood\\bin\\start': {lane: np-03"), "{starts}");
    // The next one finds the letter.
    let plan = house.plan("ninepin/np-08", "newhold", MakeLetters::No);
    assert!(!plan.blocked(), "{:?}", plan.findings);
}

#[test]
fn a_sealed_title_is_refused_and_a_record_that_says_something_else_is_a_stop() {
    let house = House::new();
    let plan = house.plan("tolliver/tv-12", "newhold", MakeLetters::No);
    assert!(plan.findings.iter().any(|f| matches!(f.kind, FindingKind::Sealed { .. })));
    let own = house.folder().join("drives/swift/tolliver/gull-parliament/tolliver.ini");
    let text = fs::read_to_string(&own).unwrap();
    fs::write(&own, text.replace("folder = /", "folder = /elsewhere/")).unwrap();
    let plan = house.plan("tolliver/tv-11", "newhold", MakeLetters::No);
    assert!(plan.findings.iter().any(|f| matches!(f.kind, FindingKind::RecordUnsound { .. })), "{:?}", plan.findings);
}

#[test]
fn a_record_file_that_is_a_link_is_changed_where_it_leads_and_keeps_what_it_is() {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};
    let house = House::new();
    let shelf = house.home().join(".config/tolliver/shelf.xml");
    let elsewhere = house.home().join("kept elsewhere.xml");
    fs::rename(&shelf, &elsewhere).unwrap();
    fs::set_permissions(&elsewhere, fs::Permissions::from_mode(0o640)).unwrap();
    std::os::unix::fs::symlink(&elsewhere, &shelf).unwrap();
    let owner = elsewhere.metadata().unwrap().uid();
    let plan = house.plan("tolliver/tv-11", "newhold", MakeLetters::No);
    let haul = house.haul(&plan, None).unwrap();
    assert!(house.judge(Launcher::Tolliver, "tolliver/tv-11").content());
    assert_eq!(fs::read_link(&shelf).unwrap(), elsewhere, "the link is still one");
    let meta = elsewhere.metadata().unwrap();
    assert_eq!((meta.mode() & 0o7777, meta.uid()), (0o640, owner));
    house.give_back(haul);
    assert!(house.judge(Launcher::Tolliver, "tolliver/tv-11").content());
    assert_eq!(fs::read_link(&shelf).unwrap(), elsewhere);
}

#[test]
fn several_games_of_one_file_go_in_one_haul_and_come_back_one_by_one_or_together() {
    let house = House::new();
    let before = house.records();
    let site = house.site();
    let found = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
    for (game, _) in GAMES {
        draft.send(GameId(game.into()), Destination::Drive("newhold".into()));
    }
    let plan = plan(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked() && plan.items.len() == GAMES.len(), "{:?}", plan.findings);
    let letters = plan.findings.iter().filter(|f| matches!(f.kind, FindingKind::LetterMade { .. })).count();
    assert_eq!(letters, 1, "the second game uses the letter of the first");
    let haul = house.haul(&plan, None).unwrap();
    for (game, launcher) in GAMES {
        assert!(launcher.is_none_or(|launcher| house.judge(launcher, game).content()), "{game}");
    }
    house.give_back(haul);
    same(&before, &house.records(), "all at once");
}

#[test]
fn what_the_launcher_wrote_since_stays_when_a_haul_is_returned() {
    let house = House::new();
    let plan = house.plan("tolliver/tv-11", "newhold", MakeLetters::No);
    let haul = house.haul(&plan, None).unwrap();
    let shelf = house.home().join(".config/tolliver/shelf.xml");
    let text = fs::read_to_string(&shelf).unwrap();
    fs::write(&shelf, text.replace("</tolliver>", "  <seen on=\"today\"/>\n</tolliver>")).unwrap();
    let own = plan.items[0].to.join("tolliver.ini");
    let text = fs::read_to_string(&own).unwrap();
    fs::write(&own, text.replace("language = en", "language = de")).unwrap();
    house.give_back(haul);
    assert!(house.judge(Launcher::Tolliver, "tolliver/tv-11").content());
    let text = fs::read_to_string(&shelf).unwrap();
    assert!(text.contains("<seen on=\"today\"/>") && !text.contains("newhold"), "{text}");
}
