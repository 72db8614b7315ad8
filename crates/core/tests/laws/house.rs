//! Beacon House, small: the demo's world with all its launchers, for hauls that are judged by the stand-ins.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::Gate;
use deft_barge_core::haul::{Control, Haul, HaulError, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Destination, Draft, MakeLetters, Plan, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{GameId, survey};
use deft_barge_harbor::launchers::Launcher;
use deft_barge_harbor::quillgate::Judgement;
use deft_barge_harbor::world::{self, Scale};

use crate::port::folder_in_memory;

/// A game of each launcher that can be moved.
pub const GAMES: [(&str, Option<Launcher>); 8] = [
    ("ninepin/np-03", Some(Launcher::Ninepin)),
    ("ninepin/np-08", Some(Launcher::Ninepin)),
    ("parlour-lamp/pale-signal", Some(Launcher::ParlourLamp)),
    ("parlour-lamp/tidewright", Some(Launcher::ParlourLamp)),
    ("fathom-row/fr-21", Some(Launcher::FathomRow)),
    ("fathom-row/fr-34", Some(Launcher::FathomRow)),
    ("tolliver/tv-11", Some(Launcher::Tolliver)),
    ("entries/paper-estuary", None),
];

pub struct House(tempfile::TempDir);

impl House {
    pub fn new() -> Self {
        let house = Self(folder_in_memory());
        world::make(&house.0.path().join("world"), 7, Scale::SMALL).unwrap();
        house
    }

    pub fn folder(&self) -> PathBuf {
        self.0.path().canonicalize().unwrap().join("world")
    }

    pub fn home(&self) -> PathBuf {
        self.folder().join("home")
    }

    pub fn site(&self) -> Site {
        Site::of_world(&self.folder()).unwrap()
    }

    pub fn plan(&self, game: &str, to: &str, letters: MakeLetters) -> Plan {
        let site = self.site();
        let survey = survey(&site, History::of(&site).unwrap().held(&site), &|_| {});
        let mut draft = Draft { letters, ..Draft::default() };
        draft.send(GameId(game.into()), Destination::Drive(to.into()));
        plan(&site, &survey, &draft, Policy::Hold)
    }

    pub fn haul(&self, plan: &Plan, gate: Option<Arc<dyn Gate>>) -> Result<HaulId, HaulError> {
        let mut site = self.site();
        if let Some(gate) = gate {
            site.disk = site.disk.and_gate(gate);
        }
        let (journal, _) = Journal::open(&site)?.recover()?;
        let mut haul = Haul::begin(&site, &journal, plan)?;
        haul.run(&|_| {}, &Control::default())?;
        Ok(journal.hauls()?[0].id)
    }

    pub fn give_back(&self, haul: HaulId) {
        let site = self.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
    }

    /// Takes a haul back and looks whether all records are what they were.
    pub fn back_to(&self, before: &BTreeMap<PathBuf, Vec<u8>>, haul: HaulId) {
        self.give_back(haul);
        same(before, &self.records(), "undone");
    }

    pub fn judge(&self, launcher: Launcher, game: &str) -> Judgement {
        let id = game.split_once('/').unwrap().1;
        launcher.judge(&launcher.home(&self.home()), id).unwrap_or_else(|why| panic!("{game}: {why}"))
    }

    /// What all record files hold; of a database what it says, since its own counters go on.
    pub fn records(&self) -> BTreeMap<PathBuf, Vec<u8>> {
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
                } else if text.ends_with("lamp.db") {
                    out.insert(path.clone(), said(&path));
                } else if text.contains("/home/") || text.ends_with("tolliver.ini") || text.ends_with("ledger.json") {
                    out.insert(path.clone(), fs::read(&path).unwrap());
                }
            }
        }
        out
    }
}

fn said(file: &Path) -> Vec<u8> {
    let db = rusqlite::Connection::open(file).unwrap();
    let mut rows = db.prepare("select key, path, bytes, typeof(bytes), extra from lit order by key").unwrap();
    let row = |row: &rusqlite::Row<'_>| {
        let text = |n| row.get::<_, String>(n);
        Ok(format!("{} {} {} {} {}\n", text(0)?, text(1)?, row.get::<_, i64>(2)?, text(3)?, text(4)?))
    };
    rows.query_map([], row).unwrap().map(Result::unwrap).collect::<String>().into_bytes()
}

pub fn same(before: &BTreeMap<PathBuf, Vec<u8>>, after: &BTreeMap<PathBuf, Vec<u8>>, when: &str) {
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
