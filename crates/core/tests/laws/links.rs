//! Links on a drive that has none: a stop, unless copies of the files they lead to may stand there.

use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::symlink;

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::haul::{Control, Haul, HaulError, Removed, release_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Limit, Links, Policy, Stage};
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Draft, Plan, plan};
use deft_barge_core::survey::{GameId, survey};

use crate::port::{Port, once_verified, to_newhold};
use crate::scenarios::{NONE, differing};

/// A port whose second drive has no links, with a game that has two of them, both to files.
fn port() -> Port {
    let port = Port::new();
    let world = fs::read_to_string(port.at("world.toml")).unwrap();
    let (swift, newhold) = world.split_at(world.rfind("ext4").unwrap());
    port.write("world.toml", format!("{swift}{}", newhold.replace("ext4", "exfat")).as_bytes());
    let game = port.old_place();
    fs::remove_file(game.join("inward")).unwrap();
    fs::remove_file(game.join(OsStr::from_bytes(b"odd\xff"))).unwrap();
    port.write("home/outside.cfg", b"keys");
    symlink(port.at("home/outside.cfg"), game.join("bin/keys")).unwrap();
    port
}

fn planned(port: &Port, links: Links) -> Plan {
    let site = port.site();
    let survey = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft { links, ..Draft::default() };
    draft.send(GameId("quillgate/g1".into()), to_newhold());
    plan(&site, &survey, &draft, Policy::Hold)
}

fn hauled(port: &Port) {
    let plan = planned(port, Links::Copies);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let item = &journal.hauls().unwrap()[0].items[0];
    assert_eq!(item.stage, Stage::Proved { holds: true }, "{:?}", item.proof);
}

fn release(port: &Port) -> Result<Removed, HaulError> {
    let site = port.site();
    let (journal, _) = Journal::open(&site)?.recover()?;
    release_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default())
}

fn give_back(port: &Port) {
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
}

#[test]
fn links_to_files_are_a_stop_that_copies_clear_and_other_links_stay_one() {
    let port = port();
    let has = |plan: &Plan, test: &dyn Fn(&FindingKind) -> bool| plan.findings.iter().any(|f| test(&f.kind));
    let plan = planned(&port, Links::Keep);
    let room = Bytes::new(4_300_000_u64.next_multiple_of(4096) + 4096);
    assert!(has(&plan, &|kind| matches!(kind, FindingKind::LinksNeeded { count: 2, bytes, .. } if *bytes == room)));
    assert!(plan.blocked());
    let need = plan.items[0].need;
    let plan = planned(&port, Links::Copies);
    assert!(has(&plan, &|kind| matches!(kind, FindingKind::LinksCopied { count: 2, .. })) && !plan.blocked());
    assert_eq!(plan.items[0].need, need.plus(room), "copies need room");
    // A link to a folder and one that leads nowhere have no copy.
    for target in ["data", "nowhere"] {
        symlink(target, port.old_place().join(target.to_owned() + " link")).unwrap();
        let plan = planned(&port, Links::Copies);
        let stop = |kind: &FindingKind| matches!(kind, FindingKind::CannotHold { limit: Limit::Link, count: 1, .. });
        assert!(plan.blocked() && has(&plan, &stop), "{target}: {:?}", plan.findings);
        fs::remove_file(port.old_place().join(target.to_owned() + " link")).unwrap();
    }
}

#[test]
fn copies_stand_where_links_were_and_a_return_brings_the_links_back() {
    let port = port();
    let before = port.game(&port.old_place());
    hauled(&port);
    let there = port.new_place();
    for (link, of) in [("link", "data/pack"), ("bin/keys", "bin/keys")] {
        assert!(there.join(link).symlink_metadata().unwrap().is_file(), "{link}");
        assert_eq!(fs::read(there.join(link)).unwrap(), fs::read(port.old_place().join(of)).unwrap(), "{link}");
    }
    assert!(port.content());
    give_back(&port);
    assert_eq!(differing(&port.game(&port.old_place()), &before), NONE);
    assert!(port.content() && !there.exists());
}

#[test]
fn a_release_takes_the_links_and_never_what_they_lead_to_and_the_copies_come_back() {
    let port = port();
    hauled(&port);
    assert_eq!(release(&port).unwrap().left, Vec::new());
    assert!(!port.old_place().exists());
    assert_eq!(fs::read(port.at("home/outside.cfg")).unwrap(), b"keys", "it lies outside of the item");
    give_back(&port);
    assert!(port.content() && !port.new_place().exists());
    assert_eq!(fs::read(port.old_place().join("bin/keys")).unwrap(), b"keys");
    assert_eq!(fs::metadata(port.old_place().join("link")).unwrap().len(), 4_300_000);
}

#[test]
fn a_link_that_leads_elsewhere_since_stays_at_the_release_and_a_changed_file_behind_one_is_copied_again() {
    let port = port();
    hauled(&port);
    let link = port.old_place().join("bin/keys");
    fs::remove_file(&link).unwrap();
    symlink("/nowhere/at/all", &link).unwrap();
    let left = release(&port).unwrap().left;
    // The folder it lies in stays with it.
    assert!(left.iter().any(|path| path.path.ends_with("bin/keys")), "{left:?}");
    assert!(link.is_symlink() && !port.old_place().join("link").is_symlink());

    let port = self::port();
    let plan = planned(&port, Links::Copies);
    let site = port.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let touched = std::cell::Cell::new(false);
    let touch = once_verified(&touched, || {
        port.write("home/outside.cfg", b"other keys");
    });
    Haul::begin(&site, &journal, &plan).unwrap().run(&touch, &Control::default()).unwrap();
    assert!(touched.get());
    assert_eq!(fs::read(port.new_place().join("bin/keys")).unwrap(), b"other keys");
}
