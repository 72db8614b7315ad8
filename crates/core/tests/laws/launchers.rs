//! Every way of keeping records: each demo launcher's game is hauled, judged by its stand-in, and returned;
//! and at every act on a record a failure leaves something that the next start turns all new or all old.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::{Haul, History, Journal, Stop, release_haul, return_haul};
use deft_barge_core::plan::{Destination, Draft, FindingKind, MakeLetters, Plan, Policy, Weight, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{GameId, survey};
use deft_barge_harbor::launchers::Launcher;
use deft_barge_harbor::quillgate::Judgement;
use deft_barge_harbor::world::{self, Scale};

const GAMES: [(&str, Option<Launcher>); 8] = [
    ("ninepin/np-03", Some(Launcher::Ninepin)),
    ("ninepin/np-08", Some(Launcher::Ninepin)),
    ("parlour-lamp/pale-signal", Some(Launcher::ParlourLamp)),
    ("parlour-lamp/tidewright", Some(Launcher::ParlourLamp)),
    ("fathom-row/fr-21", Some(Launcher::FathomRow)),
    ("fathom-row/fr-34", Some(Launcher::FathomRow)),
    ("tolliver/tv-11", Some(Launcher::Tolliver)),
    ("entries/paper-estuary", None),
];

struct House(tempfile::TempDir);

impl House {
    fn new() -> Self {
        let house = Self(tempfile::tempdir().unwrap());
        world::make(&house.0.path().join("world"), 7, Scale::SMALL).unwrap();
        house
    }

    fn folder(&self) -> PathBuf {
        self.0.path().canonicalize().unwrap().join("world")
    }

    fn home(&self) -> PathBuf {
        self.folder().join("home")
    }

    fn site(&self) -> Site {
        Site::of_world(&self.folder()).unwrap()
    }

    fn plan(&self, game: &str, to: &str, letters: MakeLetters) -> Plan {
        let site = self.site();
        let survey = survey(&site, History::of(&site).unwrap().held(&site), &|_| {});
        let mut draft = Draft { letters, ..Draft::default() };
        draft.send(GameId(game.into()), Destination::Drive(to.into()));
        plan(&site, &survey, &draft, Policy::Hold)
    }

    fn haul(&self, plan: &Plan, gate: Option<Arc<dyn Gate>>) -> Result<HaulId, deft_barge_core::haul::HaulError> {
        let mut site = self.site();
        if let Some(gate) = gate {
            site.disk = site.disk.and_gate(gate);
        }
        let (journal, _) = Journal::open(&site)?.recover()?;
        let mut haul = Haul::begin(&site, &journal, plan)?;
        haul.run(&|_| {}, &Stop::default())?;
        Ok(journal.hauls()?[0].id)
    }

    fn give_back(&self, haul: HaulId) {
        let site = self.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        return_haul(&site, &journal, haul, &|_| {}, &Stop::default()).unwrap();
    }

    fn judge(&self, launcher: Launcher, game: &str) -> Judgement {
        let id = game.split_once('/').unwrap().1;
        launcher.judge(&launcher.home(&self.home()), id).unwrap_or_else(|why| panic!("{game}: {why}"))
    }

    /// What all record files hold; of a database what it says, since its own counters go on.
    fn records(&self) -> BTreeMap<PathBuf, Vec<u8>> {
        let mut out = BTreeMap::new();
        let mut waiting = vec![self.folder()];
        while let Some(folder) = waiting.pop() {
            for entry in fs::read_dir(&folder).unwrap().flatten() {
                let path = entry.path();
                let text = path.to_string_lossy().into_owned();
                let meta = path.symlink_metadata().unwrap();
                if text.contains("deft-barge") {
                    continue;
                }
                if meta.is_symlink() {
                    out.insert(path.clone(), fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes());
                } else if meta.is_dir() {
                    waiting.push(path);
                } else if text.ends_with(".db") {
                    out.insert(path.clone(), said(&path));
                } else if text.contains("/home/") || text.ends_with(".ini") || text.ends_with("ledger.json") {
                    out.insert(path.clone(), fs::read(&path).unwrap());
                }
            }
        }
        out
    }
}

fn said(file: &Path) -> Vec<u8> {
    let db = rusqlite::Connection::open(file).unwrap();
    let mut rows = db.prepare("select slug, path, bytes, typeof(bytes), extra from lit order by slug").unwrap();
    let row = |row: &rusqlite::Row<'_>| {
        let text = |n| row.get::<_, String>(n);
        Ok(format!("{} {} {} {} {}\n", text(0)?, text(1)?, row.get::<_, i64>(2)?, text(3)?, text(4)?))
    };
    rows.query_map([], row).unwrap().map(Result::unwrap).collect::<String>().into_bytes()
}

fn same(before: &BTreeMap<PathBuf, Vec<u8>>, after: &BTreeMap<PathBuf, Vec<u8>>, when: &str) {
    for (path, bytes) in before {
        let now = after.get(path).map(|now| String::from_utf8_lossy(now));
        assert_eq!(now, Some(String::from_utf8_lossy(bytes)), "{when}: {}", path.display());
    }
    assert_eq!(
        before.len(),
        after.len(),
        "{when}: {:?}",
        after.keys().filter(|p| !before.contains_key(*p)).collect::<Vec<_>>()
    );
}

#[test]
fn each_launcher_is_content_after_a_haul_and_after_a_return_and_its_records_are_the_same_bytes_again() {
    let house = House::new();
    let before = house.records();
    for (game, launcher) in GAMES {
        for released in [false, true] {
            let when = format!("{game}, released: {released}");
            let plan = house.plan(game, "newhold", MakeLetters::Yes);
            assert!(!plan.stopped(), "{when}: {:?}", plan.findings);
            let haul = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
            let site = house.site();
            let history = History::of(&site).unwrap();
            let lot = &history.haul(haul).unwrap().lots[0];
            assert!(lot.proof.as_ref().is_some_and(|proof| proof.holds()), "{when}: {:?}", lot.proof);
            if let Some(launcher) = launcher {
                let judged = house.judge(launcher, game);
                assert!(judged.content(), "{when}: {judged:?}");
                assert_eq!(judged.folder.canonicalize().unwrap(), plan.lots[0].to, "{when}");
            }
            if released {
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                let removed = release_haul(&site, &journal, haul, &|_| {}, &Stop::default()).unwrap();
                assert_eq!(removed.left, [], "{when}");
                assert!(!plan.lots[0].from.exists(), "{when}");
            }
            house.give_back(haul);
            if let Some(launcher) = launcher {
                assert!(house.judge(launcher, game).content(), "{when}: after the return");
            }
            assert!(!plan.lots[0].to.exists(), "{when}: the copy is gone");
            same(&before, &house.records(), &when);
        }
    }
}

/// Fails every act on a record from the n-th on, as if the program had been killed there.
#[derive(Debug)]
struct Killed {
    acts: AtomicUsize,
    from: usize,
}

impl Gate for Killed {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let text = act.path().to_string_lossy();
        let record = text.contains("/home/.config/") || text.contains("/home/.local/share/") || text.ends_with(".ini");
        let own = text.contains("/home/.local/state") || act.only_reads();
        if record && !own && self.acts.fetch_add(1, Ordering::SeqCst) >= self.from {
            return Err(io::Error::from_raw_os_error(5));
        }
        // Killed is killed: nothing else happens from there on either.
        if self.acts.load(Ordering::SeqCst) > self.from { Err(io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }
}

#[test]
fn killed_at_any_act_on_a_record_all_are_new_or_all_are_old_at_the_next_start() {
    let house = House::new();
    let before = house.records();
    let mut kills = 0;
    for (game, launcher) in GAMES {
        let plan = house.plan(game, "newhold", MakeLetters::Yes);
        let count = Arc::new(Killed { acts: AtomicUsize::new(0), from: usize::MAX });
        let haul = house.haul(&plan, Some(count.clone())).unwrap();
        let new = house.records();
        house.give_back(haul);
        let acts = count.acts.load(Ordering::SeqCst);
        assert!(acts >= 2, "{game}: {acts} acts on records");
        for n in 0..acts {
            let when = format!("{game}: act {n} of {acts} on records");
            let gate = Arc::new(Killed { acts: AtomicUsize::new(0), from: n });
            house.haul(&plan, Some(gate)).expect_err(&when);
            kills += 1;
            let site = house.site();
            let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
            let haul = unfinished.unwrap_or_else(|| panic!("{when}: nothing is left to do")).id;
            if n % 2 == 0 {
                Haul::of(&site, &journal, haul).unwrap().run(&|_| {}, &Stop::default()).unwrap();
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
fn a_drive_letter_that_is_missing_is_a_stop_and_is_made_only_when_that_was_chosen() {
    let house = House::new();
    let before = house.records();
    let plan = house.plan("ninepin/np-03", "newhold", MakeLetters::No);
    let missing =
        |f: &&deft_barge_core::plan::Finding| matches!(&f.kind, FindingKind::NoLetter { free: Some('f'), .. });
    assert_eq!(plan.findings.iter().find(missing).map(|f| f.weight), Some(Weight::Stop));
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
    assert!(!plan.stopped(), "{:?}", plan.findings);
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
fn what_the_launcher_wrote_since_stays_when_a_haul_is_returned() {
    let house = House::new();
    let plan = house.plan("tolliver/tv-11", "newhold", MakeLetters::No);
    let haul = house.haul(&plan, None).unwrap();
    let shelf = house.home().join(".config/tolliver/shelf.xml");
    let text = fs::read_to_string(&shelf).unwrap();
    fs::write(&shelf, text.replace("</tolliver>", "  <seen on=\"today\"/>\n</tolliver>")).unwrap();
    let own = plan.lots[0].to.join("tolliver.ini");
    let text = fs::read_to_string(&own).unwrap();
    fs::write(&own, text.replace("language = en", "language = de")).unwrap();
    house.give_back(haul);
    assert!(house.judge(Launcher::Tolliver, "tolliver/tv-11").content());
    let text = fs::read_to_string(&shelf).unwrap();
    assert!(text.contains("<seen on=\"today\"/>") && !text.contains("newhold"), "{text}");
}
