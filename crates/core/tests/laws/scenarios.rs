//! The hauls that every fault is tried on, and what must be true at the fault, after a resume, and after a return.

use std::collections::BTreeSet;
use std::path::PathBuf;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::Disk;
use deft_barge_core::haul::{Control, HaulError, HaulEvent, release_haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::Destination;

use crate::port::{Port, Tree, to_newhold};

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scenario {
    /// A haul to another drive, originals held.
    Haul,
    /// A haul to another drive, originals released at its end.
    HaulAndRelease,
    /// A release of kept originals.
    Release,
    /// A return while the originals are kept.
    ReturnHeld,
    /// A return after the release.
    ReturnReleased,
    /// A rename within one drive.
    Rename,
}

pub const ALL: [Scenario; 6] = [
    Scenario::Haul,
    Scenario::HaulAndRelease,
    Scenario::Release,
    Scenario::ReturnHeld,
    Scenario::ReturnReleased,
    Scenario::Rename,
];

/// Names that two trees do not have alike, and what of them differs.
pub fn differing(one: &Tree, other: &Tree) -> Vec<String> {
    let names: BTreeSet<&PathBuf> = one.keys().chain(other.keys()).collect();
    let what = |name: &PathBuf| match (one.get(name), other.get(name)) {
        (Some(a), Some(b)) if a == b => None,
        (Some(a), Some(b)) => {
            let bytes = if a.3 == b.3 { "" } else { "other bytes" };
            Some(format!("{}: {:o} {}.{} / {:o} {}.{} {bytes}", name.display(), a.0, a.1, a.2, b.0, b.1, b.2))
        }
        (a, _) => Some(format!("{}: only in the {}", name.display(), if a.is_some() { "first" } else { "second" })),
    };
    names.into_iter().filter_map(what).collect()
}

/// No such names.
pub const NONE: Vec<String> = Vec::new();

/// A port that is ready for a scenario, and what it was like at first.
pub struct Case {
    pub port: Port,
    scenario: Scenario,
    game: Tree,
    rest: Tree,
    records: Vec<Option<String>>,
}

impl Case {
    pub fn new(scenario: Scenario) -> Self {
        let port = Port::new();
        if scenario == Scenario::Rename {
            port.write("drives/swift/second/ledger.json", b"{\n  \"ledger\": 3,\n  \"titles\": []\n}\n");
            let rooms = serde_json::json!({"rooms": [{"folder": port.at("drives/swift/quillgate")}, {"folder": port.at("drives/swift/second")}]});
            port.write("home/.config/quillgate/rooms.json", rooms.to_string().as_bytes());
        }
        let (game, records) = (port.game(&port.old_place()), port.records());
        let case = Self { rest: port.the_rest(), port, scenario, game, records };
        match scenario {
            Scenario::Release | Scenario::ReturnHeld => drop(case.port.haul(None, to_newhold(), Policy::Hold).unwrap()),
            Scenario::ReturnReleased => drop(case.port.haul(None, to_newhold(), Policy::Release).unwrap()),
            Scenario::Haul | Scenario::HaulAndRelease | Scenario::Rename => {}
        }
        case
    }

    fn second_place(&self) -> PathBuf {
        self.port.at("drives/swift/second/regatta")
    }

    /// Does the scenario's act on this disk.
    pub fn act(&self, disk: Option<Disk>) -> Result<(), HaulError> {
        self.act_told(disk, &|_| {})
    }

    /// Does the scenario's act on this disk, and lets events be heard.
    pub fn act_told(&self, disk: Option<Disk>, hear: &dyn Fn(HaulEvent)) -> Result<(), HaulError> {
        match self.scenario {
            Scenario::Haul => self.port.haul_told(disk, to_newhold(), Policy::Hold, hear).map(drop),
            Scenario::HaulAndRelease => self.port.haul_told(disk, to_newhold(), Policy::Release, hear).map(drop),
            Scenario::Rename => {
                let to = Destination::Library(self.port.at("drives/swift/second"));
                self.port.haul_told(disk, to, Policy::Hold, hear).map(drop)
            }
            Scenario::Release | Scenario::ReturnHeld | Scenario::ReturnReleased => {
                let mut site = self.port.site();
                if let Some(disk) = disk {
                    site.disk = disk;
                }
                let (journal, _) = Journal::open(&site)?.recover()?;
                if self.scenario == Scenario::Release {
                    return release_haul(&site, &journal, HaulId(1), hear, &Control::default()).map(drop);
                }
                undo_haul(&site, &journal, HaulId(1), hear, &Control::default()).map(drop)
            }
        }
    }

    /// Laws 1, 2 and 4, at any instant.
    pub fn check_instant(&self, when: &str) {
        let port = &self.port;
        let whole = [port.old_place(), port.new_place(), self.second_place()]
            .iter()
            .any(|place| place.symlink_metadata().is_ok_and(|meta| meta.is_dir()) && port.game(place) == self.game);
        assert!(whole, "{:?}, {when}: no whole copy is left", self.scenario);
        assert!(port.leads_to_a_whole_copy(), "{:?}, {when}: the records lead to no whole copy", self.scenario);
        let touched = differing(&port.the_rest(), &self.rest);
        assert_eq!(touched, NONE, "{:?}, {when}: something else was touched", self.scenario);
    }

    /// What is true when the scenario's act is done.
    pub fn check_done(&self, when: &str) {
        self.check_instant(when);
        let port = &self.port;
        assert!(port.content(), "{:?}, {when}: the launcher is not content", self.scenario);
        let (old, new) = (port.old_place(), port.new_place());
        let places = match self.scenario {
            Scenario::Haul => vec![(&old, true), (&new, true)],
            Scenario::HaulAndRelease | Scenario::Release => vec![(&old, false), (&new, true)],
            Scenario::ReturnHeld | Scenario::ReturnReleased => vec![(&old, true), (&new, false)],
            Scenario::Rename => vec![(&old, false)],
        };
        for (place, there) in places {
            let items = deft_barge_core::journal::History::of(&port.site()).unwrap().hauls;
            let names: Vec<_> =
                items.iter().flat_map(|haul| &haul.items).map(|item| (&item.stage, &item.proof)).collect();
            assert_eq!(
                place.symlink_metadata().is_ok(),
                there,
                "{:?}, {when}: {} {names:?}",
                self.scenario,
                place.display()
            );
            if there {
                assert_eq!(differing(&port.game(place), &self.game), NONE, "{:?}, {when}", self.scenario);
            }
        }
        if self.scenario == Scenario::Rename {
            assert_eq!(differing(&port.game(&self.second_place()), &self.game), NONE, "{when}");
        }
        if matches!(self.scenario, Scenario::ReturnHeld | Scenario::ReturnReleased) {
            assert_eq!(port.records(), self.records, "{:?}, {when}: records are not what they were", self.scenario);
        }
        assert_eq!(port.litter(), Vec::<PathBuf>::new(), "{:?}, {when}", self.scenario);
    }

    /// Tries once more what a release had to leave, on a disk that works.
    pub fn release_what_was_left(&self) {
        let site = self.port.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let left = |item: &deft_barge_core::journal::ItemRow| matches!(item.stage, deft_barge_core::item::Stage::Released { left } if left > 0);
        for haul in journal.hauls().unwrap().iter().filter(|haul| haul.items.iter().any(left)) {
            release_haul(&site, &journal, haul.id, &|_| {}, &Control::default()).unwrap();
        }
    }

    /// Brings a failed act to its end, on a disk that works; an act that never began is done anew.
    pub fn recover_forward(&self, when: &str) {
        if !self.port.resume().unwrap_or_else(|e| panic!("{:?}, {when}: resume: {e} {e:?}", self.scenario)) {
            match self.act(None) {
                Ok(()) | Err(HaulError::Nothing(_)) => {}
                Err(error) => panic!("{:?}, {when}: again: {error} {error:?}", self.scenario),
            }
        }
        self.release_what_was_left();
        self.check_done(when);
    }

    /// Returns what a failed act left, on a disk that works.
    pub fn recover_back(&self, when: &str) {
        let site = self.port.site();
        let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
        let newest = journal.hauls().unwrap().first().map(|haul| haul.id);
        let Some(id) = unfinished.map(|row| row.id).or(newest) else { return };
        match undo_haul(&site, &journal, id, &|_| {}, &Control::default()) {
            Ok(_) | Err(HaulError::Nothing(_)) => {}
            Err(error) => panic!("{:?}, {when}: return: {error} {error:?}", self.scenario),
        }
        self.check_instant(when);
        assert!(self.port.content(), "{:?}, {when}: the launcher is not content", self.scenario);
        if matches!(self.scenario, Scenario::Haul | Scenario::HaulAndRelease | Scenario::Rename) {
            let old = self.port.game(&self.port.old_place());
            assert_eq!(differing(&old, &self.game), NONE, "{:?}, {when}: returned", self.scenario);
            assert_eq!(self.port.records(), self.records, "{:?}, {when}: records after the return", self.scenario);
        }
        assert_eq!(self.port.litter(), Vec::<PathBuf>::new(), "{:?}, {when}", self.scenario);
    }
}

#[test]
fn every_scenario_does_what_it_says_without_a_fault() {
    for scenario in ALL {
        let case = Case::new(scenario);
        case.act(None).unwrap();
        case.check_done("no fault");
    }
}

#[test]
fn every_scenario_can_be_returned_and_hauled_again_to_the_same_bytes() {
    for scenario in [Scenario::Haul, Scenario::HaulAndRelease, Scenario::Rename] {
        let case = Case::new(scenario);
        case.act(None).unwrap();
        let records = case.port.records();
        case.recover_back("returned");
        case.act(None).unwrap();
        case.check_done("again");
        assert_eq!(case.port.records(), records, "{scenario:?}: the same haul twice gives the same records");
    }
}
