//! Hauls between file systems that are really mounted. The stand-in launcher judges; every byte is compared here.
#![expect(clippy::too_many_lines, reason = "what a test goes through is read from end to end")]
#![expect(clippy::unwrap_used, clippy::disallowed_methods, reason = "tests build and break drives by hand")]

mod around;
mod lying;
mod mounts;
mod outside;
mod phases;
mod troubles;

use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::path::{Path, PathBuf};
use std::process::Command;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::{Disk, Meta};
use deft_barge_core::haul::{Control, Haul, HaulError, HaulEvent, prove_haul, release_haul, undo_haul};
use deft_barge_core::item::{Policy, Stage};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Destination, Draft, Plan, plan};
use deft_barge_core::site::{Places, Site};
use deft_barge_core::survey::{GameId, survey};

use mounts::{Kind, Mounts, done};

/// What a file system can hold besides names and bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Holds {
    links: bool,
    odd_names: bool,
    modes: bool,
    attributes: bool,
}

fn holds(kind: Kind) -> Holds {
    let all = Holds { links: true, odd_names: true, modes: true, attributes: true };
    match kind {
        Kind::Ntfs => Holds { odd_names: false, modes: false, attributes: false, ..all },
        Kind::Exfat => Holds { links: false, odd_names: false, modes: false, attributes: false },
        _ => all,
    }
}

impl Holds {
    fn and(self, other: Self) -> Self {
        Self {
            links: self.links && other.links,
            odd_names: self.odd_names && other.odd_names,
            modes: self.modes && other.modes,
            attributes: self.attributes && other.attributes,
        }
    }
}

/// Kind, bytes, and what both sides can keep of the rest: permissions, seconds of the time, an attribute.
type Tree = BTreeMap<PathBuf, (char, Vec<u8>, u32, i64, Vec<u8>)>;

fn tree(root: &Path, holds: Holds) -> Tree {
    let mut out = Tree::new();
    let mut waiting = vec![root.to_path_buf()];
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(&folder).unwrap().flatten() {
            let path = entry.path();
            let meta = path.symlink_metadata().unwrap();
            let (kind, bytes) = if meta.is_symlink() {
                ('l', fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes())
            } else if meta.is_dir() {
                waiting.push(path.clone());
                ('d', Vec::new())
            } else {
                ('f', fs::read(&path).unwrap())
            };
            let mode = if holds.modes && kind != 'l' { meta.mode() } else { 0 };
            // exFAT keeps times to ten milliseconds.
            let time = if kind == 'f' { meta.mtime() } else { 0 };
            let mut value = [0; 64];
            let length = if holds.attributes && kind == 'f' {
                rustix::fs::lgetxattr(&path, "user.barge", &mut value[..]).unwrap_or(0)
            } else {
                0
            };
            let name = path.strip_prefix(root).unwrap().to_path_buf();
            out.insert(name, (kind, bytes, mode, time, value[..length].to_vec()));
        }
    }
    out
}

/// A machine whose person has one game, on the drive `from`; `to` is the other one.
pub struct Machine {
    mounts: Mounts,
    home: PathBuf,
}

const OLD: &str = "from/quillgate/regatta";
const NEW: &str = "to/quillgate/regatta";

impl Machine {
    /// `None`, said loudly, where such file systems cannot be mounted.
    fn new(from: Kind, to: Kind, bytes: u64) -> Option<Self> {
        let mut mounts = Mounts::new();
        if !mounts.add("from", from, bytes) || !mounts.add("to", to, bytes) {
            return None;
        }
        let home = mounts.at("home");
        Some(Self { mounts, home })
    }

    fn at(&self, path: &str) -> PathBuf {
        self.mounts.at(path)
    }

    fn launcher(&self) -> PathBuf {
        self.home.join(".config/quillgate")
    }

    fn write(&self, path: &Path, bytes: &[u8]) {
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, bytes).unwrap();
    }

    /// Makes the game: a pack of some blocks, `small` small files, and every other kind of file that is held.
    fn fill(&self, small: u32, pack: u32, holds: Holds) {
        let game = self.at(OLD);
        let bytes: Vec<u8> = (0..pack).map(|n| (n / 5 % 251) as u8).collect();
        self.write(&game.join("data/pack"), &bytes);
        for n in 0..small {
            let bytes: Vec<u8> = (0..n * 37 % 9000).map(|b| (b.wrapping_mul(n + 1) >> 2) as u8).collect();
            self.write(&game.join(format!("data/{:02}/file {n}.dat", n % 70)), &bytes);
        }
        self.write(&game.join("go"), b"#!/bin/sh\n");
        fs::set_permissions(game.join("go"), fs::Permissions::from_mode(0o755)).unwrap();
        fs::create_dir_all(game.join("mods/none")).unwrap();
        self.write(&game.join("data/ä 日"), b"x");
        fs::File::create(game.join("hole")).unwrap().set_len(6_000_000).unwrap();
        if holds.odd_names {
            self.write(&game.join(OsStr::from_bytes(b"odd\xff")), b"o");
        }
        if holds.links {
            symlink("data/pack", game.join("link")).unwrap();
            symlink(game.join("data"), game.join("inward")).unwrap();
            fs::hard_link(game.join("go"), game.join("twin")).unwrap();
        }
        if holds.modes {
            fs::set_permissions(game.join("data/01/file 1.dat"), fs::Permissions::from_mode(0o440)).unwrap();
        }
        if holds.attributes {
            rustix::fs::setxattr(game.join("go"), "user.barge", b"a\0b", rustix::fs::XattrFlags::empty()).unwrap();
        }
        let text = |value: serde_json::Value| value.to_string().into_bytes();
        let title = serde_json::json!({"id": "g1", "name": "Regatta", "folder": "regatta", "bytes": 1, "start": "go"});
        let library = game.parent().unwrap();
        self.write(&library.join("ledger.json"), &text(serde_json::json!({"ledger": 3, "titles": [title]})));
        self.write(&self.launcher().join("rooms.json"), &text(serde_json::json!({"rooms": [{"folder": library}]})));
        self.write(&self.launcher().join("recent.json"), &text(serde_json::json!({"starts": []})));
        let parts: Vec<serde_json::Value> = tree(&game, holds)
            .into_iter()
            .filter(|(path, (kind, ..))| *kind == 'f' && path.to_str().is_some())
            .map(|(path, (_, bytes, ..))| {
                use sha1::Digest;
                let hash: String = sha1::Sha1::digest(&bytes).iter().map(|b| format!("{b:02x}")).collect();
                serde_json::json!({"path": path, "size": bytes.len(), "sha1": hash})
            })
            .collect();
        self.write(&self.launcher().join("contents/g1.json"), &text(serde_json::json!({ "parts": parts })));
        let profile = self.home.join(".config/deft-barge/profiles/quillgate.toml");
        // The processes of this site are all of the machine's: a stand-in that another test has started is not this one.
        let own =
            deft_barge_harbor::world::PROFILE.replace("processes = [\"quillgate\"]", "processes = [\"drives-own\"]");
        assert!(own.contains("drives-own"));
        self.write(&profile, own.as_bytes());
    }

    fn site(&self) -> Site {
        Site::of_system(Places::usual(&self.home)).unwrap()
    }

    fn plan(&self, site: &Site, policy: Policy) -> Plan {
        let survey = survey(site, History::of(site).unwrap().held(site), &|_| {});
        let mut draft = Draft::default();
        // Another run of these tests may have mounted drives with the same names.
        let to = site.drive_of(&self.at("to")).unwrap().name.clone();
        draft.send(GameId("quillgate/g1".into()), Destination::Drive(to));
        plan(site, &survey, &draft, policy)
    }

    fn haul(&self, report: &dyn Fn(HaulEvent), stop: &Control) -> Result<(), HaulError> {
        let site = self.site();
        let plan = self.plan(&site, Policy::Hold);
        let (journal, _) = Journal::open(&site)?.recover()?;
        Haul::begin(&site, &journal, &plan)?.run(report, stop).map(drop)
    }

    fn resume(&self) -> Result<(), HaulError> {
        let site = self.site();
        let (journal, unfinished) = Journal::open(&site)?.recover()?;
        let id = unfinished.expect("a haul is under way").id;
        Haul::of(&site, &journal, id)?.run(&|_| {}, &Control::default()).map(drop)
    }

    fn give_back(&self, id: i64) {
        let site = self.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        undo_haul(&site, &journal, HaulId(id), &|_| {}, &Control::default()).unwrap();
    }

    fn content(&self) -> bool {
        let judged = deft_barge_harbor::quillgate::judge(&self.launcher(), "g1");
        let content = judged.as_ref().is_ok_and(deft_barge_harbor::quillgate::Judgement::content);
        if !content {
            eprintln!("not content: {judged:?}");
        }
        content
    }
}

fn same(machine: &Machine, one: &str, before: &Tree, holds: Holds, when: &str) {
    let mut now = tree(&machine.at(one), holds);
    // An absolute link into the game goes with it.
    if let Some(inward) = now.get_mut(Path::new("inward")) {
        assert_eq!(inward.1, machine.at(one).join("data").into_os_string().into_encoded_bytes(), "{when}");
        inward.1 = machine.at(OLD).join("data").into_os_string().into_encoded_bytes();
    }
    let names = |tree: &Tree| tree.keys().cloned().collect::<Vec<_>>();
    assert_eq!(names(&now), names(before), "{when}");
    for (name, entry) in &now {
        let shown =
            |entry: &(char, Vec<u8>, u32, i64, Vec<u8>)| (entry.0, entry.1.len(), entry.2, entry.3, entry.4.clone());
        assert_eq!(shown(entry), shown(&before[name]), "{when}: {}", name.display());
        assert!(entry.1 == before[name].1, "{when}: bytes of {}", name.display());
    }
}

/// Hauls, proves, releases and returns between two kinds of file system.
fn there_and_back(from: Kind, to: Kind, small: u32) {
    let Some(machine) = Machine::new(from, to, 400_000_000) else { return };
    let holds = holds(from).and(holds(to));
    machine.fill(small, 9_000_000, holds);
    let before = tree(&machine.at(OLD), holds);
    let when = format!("{from:?} to {to:?}");
    let begun = std::time::Instant::now();
    machine.haul(&|_| {}, &Control::default()).unwrap_or_else(|error| panic!("{when}: {error:?}"));
    let took = begun.elapsed();
    assert!(machine.content(), "{when}");
    same(&machine, NEW, &before, holds, &when);
    let site = machine.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let items = journal.hauls().unwrap()[0].items.clone();
    let proofs = prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
    assert!(proofs[0].1.holds() && proofs[0].1.extra == 0, "{when}: {:?}", proofs[0].1);
    let removed = release_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert_eq!(removed.left.len(), 0, "{when}: {:?}", removed.left);
    assert!(!machine.at(OLD).exists() && machine.content(), "{when}");
    drop((journal, site));
    machine.give_back(1);
    assert!(machine.content() && !machine.at(NEW).exists(), "{when}");
    same(&machine, OLD, &before, holds, &format!("{when}, returned"));
    println!(
        "{when}: {} names, haul {:.1} s, there and back {:.1} s",
        before.len(),
        took.as_secs_f64(),
        begun.elapsed().as_secs_f64()
    );
}

#[test]
fn games_move_between_all_file_systems_of_linux_with_all_that_they_hold() {
    for (from, to) in
        [(Kind::Ext4, Kind::Btrfs), (Kind::Btrfs, Kind::Xfs), (Kind::Xfs, Kind::Tmpfs), (Kind::Tmpfs, Kind::Ext4)]
    {
        there_and_back(from, to, 5000);
    }
}

#[test]
fn games_move_to_and_from_file_systems_that_hold_less() {
    for (from, to) in [(Kind::Ext4, Kind::Ntfs), (Kind::Ntfs, Kind::Exfat), (Kind::Exfat, Kind::Xfs)] {
        there_and_back(from, to, 5000);
    }
}

#[test]
fn a_time_near_to_now_is_kept_where_times_are_heeded_only_together() {
    let mut mounts = Mounts::new();
    if !mounts.add("stick", Kind::Exfat, 60_000_000) {
        return;
    }
    let disk = Disk::default();
    for before in [1_u64, 2, 4, 60] {
        let path = mounts.at("stick").join(format!("{before} s ago"));
        let file = disk.create(&path).unwrap();
        disk.write_at(&file, b"x", 0).unwrap();
        let then = std::time::SystemTime::now() - std::time::Duration::from_secs(before);
        let then = then.duration_since(std::time::UNIX_EPOCH).unwrap();
        let modified_ns = then.as_nanos() as i128;
        disk.set_meta(&file, &Meta { mode: 0o644, owner: (0, 0), modified_ns, attributes: Vec::new() }).unwrap();
        let seconds = fs::metadata(&path).unwrap().mtime() as u64;
        assert!(then.as_secs() - seconds < 2, "{before}: {seconds} is not {}", then.as_secs());
    }
}
