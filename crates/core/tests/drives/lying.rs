//! Drives that read without an error what they don't hold: once, for a while, or otherwise each time.

use super::*;

use std::io;
use std::os::unix::fs::FileExt;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use deft_barge_core::checksums::ItemPath;
use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::take_from;

/// A block of so small an ext4.
const BLOCK: u64 = 1024;

/// What a drive reads instead of what some of its blocks hold.
#[derive(Debug)]
struct Lies {
    image: fs::File,
    /// Where in the image these blocks lie, and what they hold.
    blocks: Vec<(u64, Vec<u8>)>,
    /// The file that they are of.
    file: PathBuf,
    /// Bytes that have to be read of the file.
    until: u64,
    read: AtomicU64,
    then: Then,
    control: Control,
}

/// What a drive does once it was read so far.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Then {
    /// It reads what it holds.
    Right,
    /// It reads something else again, each time.
    Otherwise,
    /// It can't read the file any more.
    Fails,
    /// It goes on, and a person asks for a pause.
    Pauses,
}

impl Lies {
    /// Has all blocks that begin with some bytes read as others.
    fn of(machine: &Machine, file: &str, begins: &[u8], (until, then): (u64, Then)) -> Self {
        for folder in ["from", "to"] {
            assert!(done(Command::new("sync").arg("--file-system").arg(machine.at(folder))));
        }
        let image = machine.at("from.img");
        let bytes = fs::read(&image).unwrap();
        let block = |at: usize| (at as u64, bytes[at..at + BLOCK as usize].to_vec());
        let found = (0..bytes.len() - BLOCK as usize).step_by(BLOCK as usize);
        let blocks: Vec<_> = found.filter(|at| bytes[*at..].starts_with(begins)).map(block).collect();
        assert!(!blocks.is_empty(), "{file} isn't in the image");
        let image = fs::File::options().read(true).write(true).open(&image).unwrap();
        let file = machine.at(OLD).join(file);
        let lies = Self { image, blocks, file, until, read: AtomicU64::new(0), then, control: Control::default() };
        lies.tell(Some(0xa5));
        lies
    }

    /// Has the blocks hold something else, or what they should.
    fn tell(&self, other: Option<u8>) {
        for (at, bytes) in &self.blocks {
            let other = other.map(|byte| vec![byte; bytes.len()]);
            self.image.write_all_at(other.as_ref().unwrap_or(bytes), *at).unwrap();
        }
        fs::write("/proc/sys/vm/drop_caches", "1").unwrap();
    }
}

impl Gate for Lies {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        match act {
            Act::Read { path, .. }
                if self.then == Then::Fails
                    && **path == *self.file
                    && self.read.load(Ordering::SeqCst) >= self.until =>
            {
                Err(io::Error::from_raw_os_error(5))
            }
            _ => Ok(()),
        }
    }

    fn after(&self, act: &Act<'_>) {
        let Act::Read { path, len, .. } = act else { return };
        if **path != *self.file {
            return;
        }
        let before = self.read.fetch_add(*len, Ordering::SeqCst);
        let now = before + len;
        match self.then {
            Then::Otherwise if before / self.until != now / self.until => self.tell(Some((now / self.until) as u8)),
            Then::Pauses if now >= self.until => self.control.ask(),
            Then::Right if before < self.until && now >= self.until => self.tell(None),
            _ => {}
        }
    }
}

const PACK: u64 = 30_000_000;

/// A machine whose game is whole in its launcher's eyes, and what it is.
fn machine() -> Option<(Machine, Tree, Holds)> {
    let machine = Machine::new(Kind::Ext4, Kind::Ext4, 150_000_000)?;
    let holds = holds(Kind::Ext4);
    machine.fill(300, PACK as u32, holds);
    let before = tree(&machine.at(OLD), holds);
    assert!(machine.content());
    Some((machine, before, holds))
}

/// A haul over a disk with a gate; gives what came of it, and how many blocks were copied again.
fn hauled(machine: &Machine, lies: &Arc<Lies>) -> (Result<(), HaulError>, u64) {
    let mut site = machine.site();
    let plan = machine.plan(&site, Policy::Hold);
    site.disk = site.disk.and_gate(lies.clone());
    let again = std::cell::Cell::new(0);
    let report = |event| {
        if let HaulEvent::Progress(progress) = event {
            again.set(progress.repaired);
            assert!(progress.compare.done <= progress.compare.all, "{:?}", progress.compare);
        }
    };
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let result = Haul::begin(&site, &journal, &plan).unwrap().run(&report, &lies.control).map(drop);
    (result, again.get())
}

fn file_begins(before: &Tree, file: &str) -> Vec<u8> {
    before[Path::new(file)].1[..64].to_vec()
}

#[test]
fn what_a_drive_reads_wrongly_once_is_found_by_the_content_list_and_copied_again() {
    for (file, length) in [("data/pack", PACK), ("data/58/file 268.dat", 268 * 37 % 9000)] {
        let Some((machine, before, holds)) = machine() else { return };
        assert_eq!(before[Path::new(file)].1.len() as u64, length);
        let lies = Arc::new(Lies::of(&machine, file, &file_begins(&before, file), (length, Then::Right)));
        let (result, again) = hauled(&machine, &lies);
        result.unwrap();
        assert!(lies.read.load(Ordering::SeqCst) >= 2 * length, "{file}: it is read a second time");
        assert!(again > 0, "{file}");
        assert!(machine.content(), "{file}");
        same(&machine, NEW, &before, holds, file);
        same(&machine, OLD, &before, holds, file);
        // The journal has what the original holds, not what was read at first: a proof of every byte holds, and so does the way back.
        let site = machine.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let items = journal.hauls().unwrap()[0].items.clone();
        let proofs = prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
        assert!(proofs[0].1.holds() && proofs[0].1.updated == 0, "{file}: {:?}", proofs[0].1);
        drop((journal, site));
        machine.give_back(1);
        assert!(machine.content() && !machine.at(NEW).exists(), "{file}");
        same(&machine, OLD, &before, holds, file);
    }
}

/// Begins a haul that is paused within the pack, of which what was read until then was wrong; the drive is right from then on.
fn paused_half_way(machine: &Machine, before: &Tree) {
    let begins = file_begins(before, "data/pack");
    let lies = Arc::new(Lies::of(machine, "data/pack", &begins, (PACK / 3 * 2, Then::Pauses)));
    // One block after another.
    lies.control.set_limit(Some(deft_barge_core::bytes::Bytes::new(20_000_000)));
    let (result, _) = hauled(machine, &lies);
    assert!(matches!(result, Err(HaulError::Paused)), "{result:?}");
    // The cable is another one now.
    lies.tell(None);
}

/// The unfinished copy of the pack, and where it holds what was read wrongly.
fn copied_wrongly(machine: &Machine) -> (fs::File, Vec<u64>) {
    let parts = fs::read_dir(machine.at("to/quillgate")).unwrap().flatten();
    let copy = parts.map(|entry| entry.path()).find(|path| path.to_string_lossy().contains("copy")).unwrap();
    let copy = fs::File::options().read(true).write(true).open(copy.join("data/pack")).unwrap();
    let mut now = [0; BLOCK as usize];
    let is_wrong = |at: &u64| copy.read_at(&mut now, *at).unwrap() == now.len() && now.iter().all(|byte| *byte == 0xa5);
    let wrong: Vec<u64> = (0..PACK).step_by(BLOCK as usize).filter(is_wrong).collect();
    assert!(!wrong.is_empty(), "nothing was copied before the pause");
    (copy, wrong)
}

#[test]
fn a_copy_that_is_spoilt_where_its_original_was_read_wrongly_is_copied_anew() {
    let Some((machine, before, holds)) = machine() else { return };
    // Nobody but the copy says what the original was.
    fs::remove_file(machine.launcher().join("contents/g1.json")).unwrap();
    paused_half_way(&machine, &before);
    let (copy, wrong) = copied_wrongly(&machine);
    for at in wrong {
        copy.write_all_at(b"spoilt", at).unwrap();
    }
    machine.resume().unwrap();
    same(&machine, NEW, &before, holds, "resumed");
}

#[test]
fn what_fails_at_its_second_reading_is_told_as_unreadable_and_comes_from_another_copy() {
    for (file, length) in [("data/pack", PACK), ("data/58/file 268.dat", 268 * 37 % 9000)] {
        let Some((machine, before, holds)) = machine() else { return };
        let lies = Arc::new(Lies::of(&machine, file, &file_begins(&before, file), (length, Then::Fails)));
        let (result, _) = hauled(&machine, &lies);
        assert!(matches!(result, Err(HaulError::Unreadable { .. })), "{result:?}");
        {
            let site = machine.site();
            let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
            let item = &journal.hauls().unwrap()[0].items[0];
            assert!(matches!(item.stage, Stage::Copying { .. }));
            assert!(item.unreadable.iter().all(|bad| bad.path == Path::new(file)), "{:?}", item.unreadable);
            assert_eq!(item.unreadable.iter().map(|bad| bad.to - bad.from).sum::<u64>(), length);
            // The drive stays wrong, and another copy is right: what was read wrongly at first doesn't speak against that.
            let (other, path) = (machine.at("another copy"), ItemPath::new(Path::new(file)).unwrap());
            fs::write(&other, &before[Path::new(file)].1).unwrap();
            take_from(&site, &journal, item.id, &path, &other).unwrap();
        }
        assert!(!machine.at(NEW).exists());
        machine.resume().unwrap();
        assert!(machine.content(), "{file}");
        same(&machine, NEW, &before, holds, file);
    }
}

#[test]
fn what_a_drive_read_wrongly_before_a_pause_is_found_behind_it() {
    let Some((machine, before, holds)) = machine() else { return };
    paused_half_way(&machine, &before);
    copied_wrongly(&machine);
    machine.resume().unwrap();
    assert!(machine.content());
    same(&machine, NEW, &before, holds, "resumed");
}

#[test]
fn a_drive_that_reads_otherwise_each_time_ends_the_haul_and_a_game_that_was_changed_does_not() {
    let Some((machine, before, holds)) = machine() else { return };
    let lies = Arc::new(Lies::of(&machine, "data/pack", &file_begins(&before, "data/pack"), (PACK, Then::Otherwise)));
    let (result, _) = hauled(&machine, &lies);
    assert!(matches!(result, Err(HaulError::SourceChanged { .. })), "{result:?}");
    assert!(!machine.at(NEW).exists());
    lies.tell(None);
    machine.resume().unwrap();
    assert!(machine.content());
    same(&machine, NEW, &before, holds, "resumed");
    drop(machine);

    // Somebody changed a file of the game: it is read twice, is the same, and goes as it is.
    let Some((machine, _, holds)) = self::machine() else { return };
    let file = machine.at(OLD).join("data/pack");
    fs::File::options().write(true).open(&file).unwrap().write_all_at(b"changed", 5_000_000).unwrap();
    let before = tree(&machine.at(OLD), holds);
    machine.haul(&|_| {}, &Control::default()).unwrap();
    same(&machine, NEW, &before, holds, "changed by a person");
    assert!(!machine.content(), "its launcher would have downloaded it before as well");
}
