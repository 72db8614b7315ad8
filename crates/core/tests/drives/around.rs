//! User data, links left behind and re-anchoring on file systems that are really mounted, those without links included.

use std::fs;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Policy};
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, Plan, anchors, plan, plan_anchor};
use deft_barge_core::survey::{GameId, ListedData, Survey, Way, list_file, list_text, survey};

use super::{Machine, holds, tree};
use crate::mounts::Kind;

const DATA: &str = "data/quillgate/g1/mods";

impl Machine {
    fn surveyed(&self) -> Survey {
        survey(&self.site(), Vec::new(), &|_| {})
    }

    /// Says that a folder on the first drive holds mods of the game.
    fn with_mods(&self) {
        let mods = self.at("from/mods");
        self.write(&mods.join("more/cargo.pak"), &vec![7; 5_000_000]);
        self.write(&mods.join("list.txt"), b"cargo");
        let listed = ListedData {
            game: GameId("quillgate/g1".into()),
            kind: deft_barge_core::launcher::DataKind::Mods,
            path: mods,
        };
        let file = list_file(&self.site());
        self.write(&file, list_text(&[listed]).as_bytes());
    }

    fn planned(&self, id: &str, way: Option<Way>) -> Plan {
        let site = self.site();
        let to = site.drive_of(&self.at("to")).unwrap().name.clone();
        let mut draft = Draft::default();
        draft.send_by(GameId(id.into()), Destination::Drive(to), way);
        plan(&site, &self.surveyed(), &draft, Policy::Hold)
    }

    fn run(&self, plan: &Plan) {
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let site = self.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        Haul::begin(&site, &journal, plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    }

    fn newest(&self) -> HaulId {
        let site = self.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        journal.hauls().unwrap()[0].id
    }

    fn undo(&self, id: HaulId) {
        let site = self.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
    }
}

#[test]
fn user_data_goes_behind_a_link_to_every_file_system_and_comes_back() {
    for to in [Kind::Btrfs, Kind::Xfs, Kind::Ntfs, Kind::Exfat] {
        let Some(machine) = Machine::new(Kind::Ext4, to, 400_000_000) else { return };
        let all = holds(Kind::Ext4).and(holds(to));
        machine.fill(20, 1_000_000, all);
        machine.with_mods();
        let mods = machine.at("from/mods");
        let before = tree(&mods, all);
        for released in [false, true] {
            let when = format!("{to:?}, released: {released}");
            let plan = machine.planned(DATA, None);
            machine.run(&plan);
            let there = &plan.items[0].to;
            assert!(there.starts_with(machine.at("to")) && fs::read_link(&mods).unwrap() == *there, "{when}");
            assert_eq!(fs::read(mods.join("list.txt")).unwrap(), b"cargo", "{when}");
            let haul = machine.newest();
            if released {
                let site = machine.site();
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                let removed = release_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
                assert!(removed.left.is_empty(), "{when}: {removed:?}");
            }
            machine.undo(haul);
            assert!(mods.symlink_metadata().unwrap().is_dir() && !there.exists(), "{when}");
            assert!(tree(&mods, all) == before, "{when}");
        }
    }
}

#[test]
fn where_a_file_system_holds_no_links_none_is_offered_or_left() {
    let Some(machine) = Machine::new(Kind::Exfat, Kind::Ext4, 400_000_000) else { return };
    machine.fill(20, 1_000_000, holds(Kind::Exfat));
    machine.with_mods();
    let survey = machine.surveyed();
    let mods = survey.data(&GameId(DATA.into())).unwrap();
    assert!(mods.ways.is_empty() && mods.fault.is_none() && mods.size.files == 2, "{mods:?}");
    let plan = machine.planned("quillgate/g1", Some(Way::Link));
    assert!(plan.blocked() && plan.findings.iter().any(|f| matches!(f.kind, FindingKind::NoLinkThere { .. })));
    // Without a link it goes, and nothing is left at the old place.
    machine.run(&machine.planned("quillgate/g1", None));
    assert!(machine.content());
}

#[test]
fn a_drive_that_is_mounted_elsewhere_is_known_by_its_file_system_and_re_anchored() {
    for kind in [Kind::Ext4, Kind::Btrfs, Kind::Xfs, Kind::Ntfs, Kind::Exfat] {
        let Some(mut machine) = Machine::new(kind, Kind::Ext4, 400_000_000) else { return };
        machine.fill(20, 1_000_000, holds(kind));
        machine.site().remember_drives().unwrap();
        assert!(machine.content());
        let (old, new) = (machine.at("from"), machine.at("elsewhere"));
        machine.mounts.pull("from");
        let away = machine.surveyed();
        // Its library is not there; nothing of it is taken for lost or for another drive's.
        assert!(anchors(&machine.site(), &away).is_empty(), "{kind:?}");
        fs::create_dir(&new).unwrap();
        let image = machine.at("from.img");
        machine.mounts.put_back("elsewhere", kind, &image);
        let (site, survey) = (machine.site(), machine.surveyed());
        let found = anchors(&site, &survey);
        assert!(
            found.iter().any(|anchor| anchor.known && anchor.old == old && anchor.new == new),
            "{kind:?}: {found:?}"
        );
        assert!(!machine.content(), "{kind:?}");
        let plan = plan_anchor(&site, &survey, &old, &new, &|_| {});
        machine.run(&plan);
        assert!(machine.content(), "{kind:?}");
        machine.undo(machine.newest());
        assert!(!machine.content(), "{kind:?}");
    }
}
