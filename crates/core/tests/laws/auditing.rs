//! Audit, repair and start: what became of a game long after its move, brought from another copy, and seen to come up.

use std::fs::{self, FileTimes};
use std::path::Path;
use std::time::Duration;

use deft_barge_core::audit::{Audit, Fate, KeptBy, KeptChecksums, audit, keep, kept_checksums, mend, other_copies};
use deft_barge_core::disk::Disk;
use deft_barge_core::haul::{Control, StartError, command_of, start_game};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::MakeLetters;
use deft_barge_core::site::Sight;
use deft_barge_core::survey::{Game, GameId, Survey, survey};

use crate::house::House;

fn surveyed(house: &House) -> Survey {
    survey(&house.site(), Vec::new(), &|_| {})
}

fn game<'a>(survey: &'a Survey, id: &str) -> &'a Game {
    survey.game(&GameId(id.into())).unwrap()
}

fn look(disk: &Disk, kept: &KeptChecksums, folder: &Path) -> Audit {
    audit(disk, kept, folder, &|_| {}, &Control::default()).unwrap()
}

fn fates(audit: &Audit) -> Vec<(String, Fate)> {
    audit.findings.iter().map(|finding| (finding.path.display().to_string(), finding.fate)).collect()
}

/// Changes a byte and leaves the time as it was: what a dying disk does.
fn rot(file: &Path) {
    let time = fs::metadata(file).unwrap().modified().unwrap();
    let mut bytes = fs::read(file).unwrap();
    bytes[77] ^= 1;
    fs::write(file, bytes).unwrap();
    fs::File::options().write(true).open(file).unwrap().set_times(FileTimes::new().set_modified(time)).unwrap();
}

#[test]
fn what_is_damaged_is_told_from_what_was_written_and_from_what_came_and_went() {
    let house = House::new();
    let (site, survey) = (house.site(), surveyed(&house));
    // One that no haul has moved: a person keeps its checksums.
    let orchard = game(&survey, "quillgate/qg-0112");
    let folder = &orchard.found.install;
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    assert!(kept_checksums(&site, &journal, &orchard.id, folder).unwrap().is_none());
    keep(&site, &orchard.id, folder, &|_| {}, &Control::default()).unwrap();
    let kept = kept_checksums(&site, &journal, &orchard.id, folder).unwrap().unwrap();
    assert_eq!(kept.origin, KeptBy::Kept);
    let before = look(&site.disk, &kept, folder);
    assert!(before.sound() && before.findings.is_empty() && before.same > 20, "{before:?}");
    rot(&folder.join("data/pack01.bin"));
    fs::remove_file(folder.join("data/levels/empty.lvl")).unwrap();
    fs::write(folder.join("data/levels/two  words .lvl"), "an update").unwrap();
    fs::write(folder.join("settings.ini"), "new").unwrap();
    fs::remove_file(folder.join("levels")).unwrap();
    std::os::unix::fs::symlink("data", folder.join("levels")).unwrap();
    let after = look(&site.disk, &kept, folder);
    let told = fates(&after);
    let wanted = [
        ("data/pack01.bin", Fate::Damaged),
        ("data/levels/empty.lvl", Fate::Missing),
        ("data/levels/two  words .lvl", Fate::Changed),
        ("levels", Fate::Changed),
        ("settings.ini", Fate::New),
    ];
    assert_eq!(told, wanted.map(|(path, fate)| (path.to_string(), fate)));
    assert!(!after.sound());
    // A newer checksums takes its place.
    keep(&site, &orchard.id, folder, &|_| {}, &Control::default()).unwrap();
    let kept = kept_checksums(&site, &journal, &orchard.id, folder).unwrap().unwrap();
    assert!(look(&site.disk, &kept, folder).findings.is_empty());
}

#[test]
fn a_haul_keeps_the_checksums_and_a_damaged_file_comes_from_the_held_originals() {
    let house = House::new();
    for id in ["quillgate/qg-0107", "tolliver/tv-11"] {
        let plan = house.plan(id, "newhold", MakeLetters::Yes);
        house.haul(&plan, None).unwrap();
        let (site, survey) = (house.site(), surveyed(&house));
        let game = game(&survey, id);
        let folder = &game.found.install;
        assert!(folder.starts_with(house.folder().join("drives/newhold")));
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let kept = kept_checksums(&site, &journal, &game.id, folder).unwrap().unwrap();
        assert!(matches!(kept.origin, KeptBy::Haul(_)));
        // What the repoint rewrote within the item is what it should be, and links lead where they should.
        let found = look(&site.disk, &kept, folder);
        assert!(found.findings.is_empty(), "{id}: {found:?}");
        let pack = folder.join("data/pack00.bin");
        let whole = fs::read(&pack).unwrap();
        rot(&pack);
        fs::remove_dir_all(folder.join("bin")).unwrap();
        let found = look(&site.disk, &kept, folder);
        assert!(fates(&found).contains(&("data/pack00.bin".into(), Fate::Damaged)));
        assert!(fates(&found).contains(&("bin/start".into(), Fate::Missing)));
        let history = History::of(&site).unwrap();
        let copies = other_copies(&survey, &history, &game.id, &[]);
        assert_eq!(copies, [plan.items[0].from.clone()]);
        // A copy with other bytes is none.
        let wrong = house.folder().join("wrong");
        fs::create_dir_all(wrong.join("data")).unwrap();
        fs::write(wrong.join("data/pack00.bin"), vec![0; whole.len()]).unwrap();
        let stop = Control::default();
        let mended = mend(&site, &kept, folder, &found.findings, &[wrong, copies[0].clone()], &stop).unwrap();
        assert!(mended.iter().all(|mended| mended.from.as_ref().is_some_and(|from| from.starts_with(&copies[0]))));
        assert!(fs::read(&pack).unwrap() == whole);
        let again = look(&site.disk, &kept, folder);
        assert!(again.count(Fate::Damaged) == 0, "{again:?}");
        // Links are not brought, and are told as what they are.
        assert!(fates(&again).iter().all(|(path, _)| path.starts_with("bin/") && path != "bin/start"), "{again:?}");
    }
}

#[test]
fn what_cannot_be_read_is_damaged_and_lost_where_no_copy_has_it() {
    let house = House::new();
    let (site, survey) = (house.site(), surveyed(&house));
    let herons = game(&survey, "quillgate/qg-0140");
    let old = house.folder().join("drives/pocket/old games/brass-herons");
    // Its checksums are taken of the old copy, since the disk cannot read the game.
    let kept = keep(&site, &herons.id, &old, &|_| {}, &Control::default()).unwrap();
    let folder = &herons.found.install;
    let found = look(&site.disk, &kept, folder);
    let [damaged] = found.findings.as_slice() else { panic!("{found:?}") };
    assert!(damaged.fate == Fate::Damaged && damaged.why.is_some() && damaged.path.ends_with("pack01.bin"));
    let stop = Control::default();
    assert_eq!(mend(&site, &kept, folder, &found.findings, &[], &stop).unwrap()[0].from, None);
    assert!(keep(&site, &herons.id, folder, &|_| {}, &stop).is_err());
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let still = kept_checksums(&site, &journal, &herons.id, folder).unwrap().unwrap();
    assert_eq!(still.lines, kept.lines, "the older one stays");
}

#[test]
fn a_game_that_is_started_is_seen_to_come_up_from_where_it_lies_and_noted_as_tried() {
    let house = House::new();
    let plan = house.plan("quillgate/qg-0107", "newhold", MakeLetters::Yes);
    let haul = house.haul(&plan, None).unwrap();
    let (site, survey) = (house.site(), surveyed(&house));
    let rally = game(&survey, "quillgate/qg-0107");
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let command = command_of(&site, &survey, rally, None).unwrap();
    let wait = Duration::from_secs(20);
    let started = start_game(&site, &journal, rally, &command, wait, &Control::default()).unwrap();
    let process = started.process.unwrap();
    assert!(matches!(&process.why, Sight::Uses(path) if path.starts_with(&plan.items[0].to)), "{process:?}");
    // A program that comes up from elsewhere is not taken for it, although it works in the game's folder.
    let pale = game(&survey, "parlour-lamp/pale-signal");
    let other = ["/bin/sleep".to_string(), "0.3".into()];
    assert_eq!(start_game(&site, &journal, pale, &other, wait, &Control::default()).unwrap().process, None);
    assert!(matches!(command_of(&site, &survey, pale, None), Err(StartError::NoProgram)));
    for program in ["bin/none", "../../../../../bin/sh", "data"] {
        assert!(matches!(command_of(&site, &survey, pale, Some(program)), Err(StartError::NotThere(_))), "{program}");
    }
    drop(journal);
    let events = History::of(&site).unwrap().events;
    let tried: Vec<_> =
        events.iter().filter(|event| event.word == deft_barge_core::journal::EventKind::Launched).collect();
    assert_eq!(tried.len(), 2);
    assert!(tried.iter().any(|event| event.haul == haul && event.detail.contains("process ")));
}

#[test]
fn a_repair_never_writes_through_a_link_to_files_outside_the_game() {
    let house = House::new();
    let plan = house.plan("quillgate/qg-0107", "newhold", MakeLetters::Yes);
    house.haul(&plan, None).unwrap();
    let (site, survey) = (house.site(), surveyed(&house));
    let game = game(&survey, "quillgate/qg-0107");
    let folder = &game.found.install;
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let kept = kept_checksums(&site, &journal, &game.id, folder).unwrap().unwrap();
    // Somebody else's folder stands where the game's data was, by a link.
    let outside = house.folder().join("outside");
    fs::create_dir(&outside).unwrap();
    fs::write(outside.join("pack00.bin"), "somebody else's").unwrap();
    fs::rename(folder.join("data"), house.folder().join("kept data")).unwrap();
    std::os::unix::fs::symlink(&outside, folder.join("data")).unwrap();
    let found = look(&site.disk, &kept, folder);
    let copies = other_copies(&survey, &History::of(&site).unwrap(), &game.id, &[]);
    assert!(!copies.is_empty() && fates(&found).contains(&("data/pack00.bin".into(), Fate::Missing)));
    assert!(mend(&site, &kept, folder, &found.findings, &copies, &Control::default()).is_err());
    assert_eq!(fs::read(outside.join("pack00.bin")).unwrap(), b"somebody else's");
    assert_eq!(fs::read_dir(&outside).unwrap().count(), 1);
}
