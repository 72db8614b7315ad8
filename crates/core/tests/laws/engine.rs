//! The haul engine on drives that fail in one way at a time: bad sectors, wrong bytes, no answer; and what a person can
//! do meanwhile.

use std::fs;
use std::io;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Condvar, Mutex};
use std::time::{Duration, Instant};

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::checksums::ItemPath;
use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::{Control, Haul, HaulError, HaulEvent, release_haul, take_from, undo_items};
use deft_barge_core::item::{Policy, Stage};
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, MakeLetters, Plan, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{GameId, survey};

use crate::house::House;
use crate::port::{Port, to_newhold, tree};
use crate::scenarios::{NONE, differing};

fn journal(site: &Site) -> Journal {
    Journal::open(site).unwrap().recover().unwrap().0
}

/// Sectors that cannot be read, and how often somebody has tried.
#[derive(Debug)]
struct BadSectors {
    file: PathBuf,
    bad: Vec<(u64, u64)>,
    tries: AtomicUsize,
}

impl Gate for BadSectors {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        match *act {
            Act::Read { path, offset, len } if path == self.file => {
                if self.bad.iter().any(|(from, to)| offset < *to && *from < offset + len) {
                    self.tries.fetch_add(1, Ordering::SeqCst);
                    return Err(io::Error::from_raw_os_error(5));
                }
                Ok(())
            }
            _ => Ok(()),
        }
    }
}

#[test]
fn what_cannot_be_read_is_told_to_the_sector_and_taken_from_another_copy_that_proves_itself() {
    let port = Port::new();
    let (before, records) = (port.game(&port.old_place()), port.records());
    let bad = vec![(4096, 4097), (1_000_000, 1_010_000), (4_290_000, 4_290_001)];
    let gate = Arc::new(BadSectors { file: port.old_place().join("data/pack"), bad, tries: AtomicUsize::new(0) });
    let mut site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    site.disk = site.disk.and_gate(gate.clone());
    let journal = journal(&site);
    let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
    let error = haul.run(&|_| {}, &Control::default()).unwrap_err();
    let first = matches!(&error, HaulError::Unreadable { path, count: 3, .. } if path.ends_with("data/pack"));
    assert!(first, "{error:?}");
    let item = journal.hauls().unwrap()[0].items[0].clone();
    let told: Vec<(u64, u64)> = item.unreadable.iter().map(|bad| (bad.from, bad.to)).collect();
    assert_eq!(told, [(4096, 8192), (999_424, 1_011_712), (4_288_512, 4_292_608)], "sectors, and no more than those");
    assert!(gate.tries.load(Ordering::SeqCst) < 200, "a drive that fails slowly is not asked for ever");
    // All other files were read back and are the same; the item is not placed; originals and records are as they were.
    let lines: Vec<_> = journal.lines(item.id).map(Result::unwrap).collect();
    let open: Vec<&Path> = lines.iter().filter(|line| !line.compared).map(|line| line.entry.path.as_path()).collect();
    assert!(open.contains(&Path::new("data/pack")) && !open.contains(&Path::new("data/small")), "{open:?}");
    assert!(matches!(item.stage, Stage::Copying { .. }) && !port.new_place().exists());
    assert_eq!((differing(&port.game(&port.old_place()), &before), port.records()), (NONE, records));

    // Copies that are not that file: of another size, with another byte, no file at all.
    let pack = ItemPath::new(Path::new("data/pack")).unwrap();
    let other = port.at("elsewhere");
    fs::create_dir(&other).unwrap();
    let copy = other.join("pack");
    fs::write(&copy, "short").unwrap();
    let refused =
        |from: &Path| matches!(take_from(&site, &journal, item.id, &pack, from), Err(HaulError::NotThatFile { .. }));
    assert!(refused(&copy) && refused(&other));
    let bytes = fs::read(port.old_place().join("data/pack")).unwrap();
    fs::write(&copy, &bytes).unwrap();
    fs::File::options().write(true).open(&copy).unwrap().write_at(b"!", 2_000_000).unwrap();
    assert!(refused(&copy));
    fs::write(&copy, &bytes).unwrap();
    take_from(&site, &journal, item.id, &pack, &copy).unwrap();
    // The drive still fails; the file comes from the other copy, and all is compared.
    Haul::of(&site, &journal, HaulId(1)).unwrap().run(&|_| {}, &Control::default()).unwrap();
    assert!(port.content());
    assert_eq!(differing(&port.game(&port.new_place()), &before), NONE);
    assert!(journal.unreadable(item.id).unwrap().is_empty());
    // The originals are not whole: they are not taken up again, but they can be let go.
    let back = undo_items(&site, &journal, HaulId(1), &[item.id], &|_| {}, &Control::default());
    assert!(matches!(back, Err(HaulError::Refused(_))), "{back:?}");
    assert!(port.content() && journal.hauls().unwrap().len() == 1);
    release_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert!(port.content() && !port.old_place().exists());
}

#[test]
fn a_drive_that_reads_nothing_any_more_is_gone_and_not_a_list_of_sectors() {
    let port = Port::new();
    for n in 0..40 {
        port.write(&format!("drives/swift/quillgate/regatta/many/{n}"), &vec![n; 9000]);
    }
    #[derive(Debug)]
    struct Dead(PathBuf, AtomicUsize);
    impl Gate for Dead {
        fn before(&self, act: &Act<'_>) -> io::Result<()> {
            match act {
                Act::Read { path, .. } if path.starts_with(&self.0) && self.1.fetch_add(1, Ordering::SeqCst) > 4 => {
                    Err(io::Error::from_raw_os_error(5))
                }
                _ => Ok(()),
            }
        }
    }
    let gate = Dead(port.old_place(), AtomicUsize::new(0));
    let error = port.haul(Some(port.site().disk.and_gate(Arc::new(gate))), to_newhold(), Policy::Hold).unwrap_err();
    assert!(matches!(error, HaulError::Disk { act: "read", .. }), "{error:?}");
    assert!(port.content() && !port.new_place().exists());
    assert!(port.resume().unwrap() && port.content());
}

/// Spoils what was written into the copy of one file, so many times.
#[derive(Debug)]
struct Spoiler(AtomicUsize);

impl Gate for Spoiler {
    fn before(&self, _: &Act<'_>) -> io::Result<()> {
        Ok(())
    }

    fn after(&self, act: &Act<'_>) {
        if let Act::Write { path, offset, .. } = act
            && path.to_string_lossy().contains(".deft-barge-copy")
            && path.ends_with("data/pack")
            && self.0.fetch_update(Ordering::SeqCst, Ordering::SeqCst, |n| n.checked_sub(1)).is_ok()
        {
            fs::File::options().write(true).open(path).unwrap().write_at(b"\xee", offset + 77).unwrap();
        }
    }
}

#[test]
fn a_block_that_differs_is_copied_again_so_many_times_and_no_more() {
    for (spoils, comes_right) in [(1, true), (2, true), (1000, false)] {
        let port = Port::new();
        let repaired = std::cell::Cell::new(0);
        let mut site = port.site();
        let plan = port.plan(&site, to_newhold(), Policy::Hold);
        site.disk = site.disk.and_gate(Arc::new(Spoiler(AtomicUsize::new(spoils))));
        let journal = journal(&site);
        let hear = |event| {
            if let HaulEvent::Progress(progress) = event {
                repaired.set(progress.repaired);
            }
        };
        let result = Haul::begin(&site, &journal, &plan).unwrap().run(&hear, &Control::default());
        assert_eq!(result.is_ok(), comes_right, "{spoils}: {result:?}");
        if comes_right {
            assert_eq!(repaired.get(), spoils as u64);
            assert_eq!(differing(&port.game(&port.new_place()), &port.game(&port.old_place())), NONE);
        } else {
            assert!(matches!(result, Err(HaulError::Differs { .. })));
            assert!((2..=8).contains(&repaired.get()), "{}", repaired.get());
            assert!(!port.new_place().exists());
        }
        assert!(port.content());
    }
}

/// A drive that answers nothing about one folder until it is let go.
#[derive(Debug, Default)]
struct Hangs {
    below: PathBuf,
    free: Mutex<bool>,
    freed: Condvar,
    met: AtomicBool,
}

impl Gate for Hangs {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        if matches!(act, Act::Read { path, .. } if path.starts_with(&self.below)) {
            self.met.store(true, Ordering::SeqCst);
            let free = self.free.lock().unwrap();
            drop(self.freed.wait_while(free, |free| !*free).unwrap());
        }
        Ok(())
    }
}

#[test]
fn a_drive_that_does_not_answer_is_told_and_the_haul_can_be_left_and_resumed() {
    let port = Port::new();
    let gate = Arc::new(Hangs { below: port.old_place(), ..Hangs::default() });
    let mut site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let plain = site.disk.clone();
    site.disk = plain.and_gate(gate.clone());
    let journal = journal(&site);
    let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
    haul.set_patience(Duration::from_millis(200));
    let stop = Control::default();
    let told = std::cell::Cell::new(0);
    let hear = |event| {
        if let HaulEvent::Hung { path, .. } = event {
            assert!(!path.as_os_str().is_empty());
            told.set(told.get() + 1);
            stop.ask();
        }
    };
    let begun = Instant::now();
    let error = haul.run(&hear, &stop).unwrap_err();
    assert!(matches!(error, HaulError::Hung { .. }), "{error:?}");
    assert!(told.get() > 0 && gate.met.load(Ordering::SeqCst));
    assert!(begun.elapsed() < Duration::from_secs(20), "nobody waits for the drive");
    assert!(matches!(haul.run(&hear, &Control::default()), Err(HaulError::NeedsRecovery)), "what it does is in doubt");
    let copy = port.litter()[0].clone();
    let copied = || -> u64 {
        tree(&port.at("drives/newhold/quillgate").join(copy.file_name().unwrap()))
            .values()
            .map(|file| file.3.len() as u64)
            .sum()
    };
    let copied_before = copied();
    *gate.free.lock().unwrap() = true;
    gate.freed.notify_all();
    std::thread::sleep(Duration::from_millis(300));
    assert_eq!(copied(), copied_before, "the hands that were left behind write nothing more");
    assert!(port.content());
    site.disk = plain;
    Haul::of(&site, &journal, HaulId(1)).unwrap().run(&|_| {}, &Control::default()).unwrap();
    assert!(port.content());
    assert_eq!(differing(&port.game(&port.new_place()), &port.game(&port.old_place())), NONE);
}

#[test]
fn a_limit_can_be_lifted_while_the_haul_waits_for_it() {
    let port = Port::new();
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let journal = journal(&site);
    let control = Control::default();
    control.set_limit(Some(Bytes::new(1)));
    let heard = std::cell::Cell::new(0);
    let hear = |event| {
        if let HaulEvent::Progress(progress) = event {
            // At one byte a second the game would take two months.
            assert!(heard.get() > 3 || progress.copy.done < progress.copy.all);
            heard.set(heard.get() + 1);
            if heard.get() == 4 {
                control.set_limit(None);
            }
        }
    };
    Haul::begin(&site, &journal, &plan).unwrap().run(&hear, &control).unwrap();
    assert!(heard.get() >= 4 && port.content());
}

#[test]
fn small_files_are_told_of_as_they_are_copied_also_where_a_limit_makes_them_slow() {
    let port = Port::new();
    for n in 0..30 {
        std::fs::write(port.old_place().join(format!("small-{n}")), vec![n as u8; 20_000]).unwrap();
    }
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    let control = Control::default();
    control.set_limit(Some(Bytes::new(300_000)));
    let amounts = std::cell::RefCell::new(std::collections::BTreeSet::new());
    let hear = |event| {
        if let HaulEvent::Progress(progress) = event {
            amounts.borrow_mut().insert(progress.copy.done);
            // Enough was heard: the rest of the game may be quick.
            if amounts.borrow().len() > 8 {
                control.set_limit(None);
            }
        }
    };
    Haul::begin(&site, &journal(&site), &plan).unwrap().run(&hear, &control).unwrap();
    assert!(amounts.borrow().len() > 8, "{:?}", amounts.borrow());
}

/// Lets the first write into each of two folders through only when both have come, or says that one waited in vain.
#[derive(Debug, Default)]
struct Meeting {
    places: [PathBuf; 2],
    come: Mutex<[bool; 2]>,
    changed: Condvar,
    alone: AtomicBool,
}

impl Gate for Meeting {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        if !matches!(act, Act::Write { .. }) {
            return Ok(());
        }
        let Some(n) = self.places.iter().position(|place| act.path().starts_with(place)) else { return Ok(()) };
        if self.alone.load(Ordering::SeqCst) {
            return Ok(());
        }
        let mut come = self.come.lock().unwrap();
        come[n] = true;
        self.changed.notify_all();
        let waited = self.changed.wait_timeout_while(come, Duration::from_secs(5), |come| *come != [true; 2]).unwrap();
        if waited.1.timed_out() {
            self.alone.store(true, Ordering::SeqCst);
        }
        Ok(())
    }
}

fn plan_of(site: &Site, items: &[(&str, &str)]) -> Plan {
    let survey = survey(site, Vec::new(), &|_| {});
    let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
    for (game, to) in items {
        draft.send(GameId((*game).into()), Destination::Drive((*to).into()));
    }
    plan(site, &survey, &draft, Policy::Hold)
}

/// Two games of two drives, hauled to two others; gives whether both were written at the same time.
fn side_by_side(house: &House, items: &[(&str, &str)], kinds: &[(&str, &str)]) -> bool {
    let world = house.folder().join("world.toml");
    let mut text = fs::read_to_string(&world).unwrap();
    for (from, to) in kinds {
        text = text.replace(from, to);
    }
    fs::write(&world, text).unwrap();
    let mut site = house.site();
    let plan = plan_of(&site, items);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let places = [plan.items[0].to.parent().unwrap().into(), plan.items[1].to.parent().unwrap().into()];
    let gate = Arc::new(Meeting { places, ..Meeting::default() });
    site.disk = site.disk.and_gate(gate.clone());
    let journal = journal(&site);
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let items = &journal.hauls().unwrap()[0].items;
    assert!(items.iter().all(|item| matches!(item.stage, Stage::Proved { holds: true })), "{items:?}");
    !gate.alone.load(Ordering::SeqCst)
}

#[test]
fn items_of_other_drives_go_on_at_the_same_time_and_never_two_on_one_spinning_disk() {
    // Both lie on one drive. Flash on a fast bus serves two at once, a disk that spins does not.
    let items = [("parlour-lamp/pale-signal", "newhold"), ("ninepin/np-08", "pocket")];
    assert!(side_by_side(&House::new(), &items, &[]));
    assert!(!side_by_side(&House::new(), &items, &[("kind = \"nvme\"", "kind = \"disk\"")]));
    // From one drive to another there is one way.
    assert!(!side_by_side(&House::new(), &[(items[0].0, "newhold"), (items[1].0, "newhold")], &[]));
}

/// Makes a folder just before the haul does.
#[derive(Debug)]
struct Sooner(PathBuf);

impl Gate for Sooner {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        match act {
            Act::MakeFolder(path) if *path == self.0 => fs::create_dir(path),
            _ => Ok(()),
        }
    }
}

#[test]
fn a_way_that_another_item_makes_at_the_same_moment_is_gone_and_a_place_that_is_taken_is_not() {
    let port = Port::new();
    let library = Arc::new(Sooner(port.at("drives/newhold/quillgate")));
    port.haul(Some(port.site().disk.and_gate(library)), to_newhold(), Policy::Hold).unwrap();
    assert!(port.content() && port.new_place().is_dir());
    let taken = Port::new();
    #[derive(Debug)]
    struct Taken;
    impl Gate for Taken {
        fn before(&self, act: &Act<'_>) -> io::Result<()> {
            match act {
                Act::MakeFolder(path) if path.to_string_lossy().contains(".deft-barge-copy") && !path.exists() => {
                    fs::create_dir(path)
                }
                _ => Ok(()),
            }
        }
    }
    let refused = taken.haul(Some(taken.site().disk.and_gate(Arc::new(Taken))), to_newhold(), Policy::Hold);
    assert!(matches!(refused, Err(HaulError::Disk { .. } | HaulError::NotOurs { .. })), "{refused:?}");
    assert!(taken.content() && !taken.new_place().exists());
}

#[test]
fn one_game_of_a_haul_is_returned_and_the_other_stays() {
    let house = House::new();
    let site = house.site();
    let plan = plan_of(&site, &[("parlour-lamp/pale-signal", "newhold"), ("ninepin/np-08", "newhold")]);
    let (stays, goes) = (plan.items[0].clone(), plan.items[1].clone());
    let journal = journal(&site);
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let items = journal.hauls().unwrap()[0].items.clone();
    undo_items(&site, &journal, HaulId(1), &[items[1].id], &|_| {}, &Control::default()).unwrap();
    assert!(stays.to.is_dir() && goes.from.is_dir() && !goes.to.exists());
    assert_eq!(journal.item(items[0].id).unwrap().unwrap().stage, Stage::Proved { holds: true });
    assert_eq!(journal.item(items[1].id).unwrap().unwrap().stage, Stage::Undone);
    // A return can be returned: the game is hauled again to where it was.
    let back = journal.hauls().unwrap()[0].clone();
    undo_items(&site, &journal, back.id, &[back.items[0].id], &|_| {}, &Control::default()).unwrap();
    assert!(goes.to.is_dir() && !goes.from.exists());
    use deft_barge_harbor::launchers::Launcher;
    for (launcher, game) in [(Launcher::ParlourLamp, "parlour-lamp/pale-signal"), (Launcher::Ninepin, "ninepin/np-08")]
    {
        assert!(house.judge(launcher, game).content(), "{game}");
    }
}

#[test]
fn a_program_that_writes_into_the_game_while_it_is_copied_never_makes_a_copy_that_differs() {
    let mut outcomes = [0, 0];
    for n in 0..12 {
        let port = Port::new();
        let file = port.old_place().join("data/pack");
        let over = AtomicBool::new(false);
        let (site, control) = (port.site(), Control::default());
        control.set_limit(Some(Bytes::new(30_000_000)));
        let plan = port.plan(&site, to_newhold(), Policy::Hold);
        let journal = journal(&site);
        let result = std::thread::scope(|scope| {
            scope.spawn(|| {
                // It goes on for some rounds of the haul, or for none.
                for turn in 0_u64..(n * 6) {
                    if over.load(Ordering::SeqCst) {
                        break;
                    }
                    let open = fs::File::options().write(true).open(&file).unwrap();
                    open.write_at(&turn.to_le_bytes(), turn * 60_000 % 4_000_000).unwrap();
                    drop(open);
                    std::thread::sleep(Duration::from_millis(9));
                }
            });
            let result = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &control);
            over.store(true, Ordering::SeqCst);
            result
        });
        match result {
            Ok(_) => {
                outcomes[0] += 1;
                let pack = |place: PathBuf| fs::read(place.join("data/pack")).unwrap();
                // Once it is proved the two may part: what the program writes then is the original's own.
                let copy = port.new_place().join("data/pack").metadata().unwrap().modified().unwrap();
                if copy == file.metadata().unwrap().modified().unwrap() {
                    assert!(pack(port.new_place()) == pack(port.old_place()));
                }
            }
            Err(HaulError::SourceChanged { .. }) => {
                outcomes[1] += 1;
                assert!(!port.new_place().exists() || port.records()[1].as_ref().unwrap().contains("swift"));
            }
            Err(error) => panic!("{error:?}"),
        }
    }
    println!("{} hauled, {} refused", outcomes[0], outcomes[1]);
    assert!(outcomes[0] > 0);
}
