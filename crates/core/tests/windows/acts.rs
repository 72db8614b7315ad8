//! What the disk's acts and looks do.

use std::ffi::OsStr;
use std::fs;
use std::os::windows::fs::MetadataExt;
use std::path::{Path, PathBuf};

use deft_barge_core::checksums::{EntryKind, ItemPath, walk};
use deft_barge_core::disk::{Disk, Meta};
use deft_barge_core::site::{Places, Site, real_path};

use crate::world::literal;

/// `FILE_ATTRIBUTE_HIDDEN`.
const HIDDEN: u32 = 2;

fn top() -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let top = real_path(folder.path());
    assert!(!top.to_string_lossy().starts_with(r"\\?\"), "{}", top.display());
    (folder, top)
}

#[test]
fn drives_have_a_letter_room_and_an_identity_of_their_own() {
    let (_folder, top) = top();
    let site = Site::of_system(Places::usual(&top)).unwrap();
    assert!(!site.drives.is_empty());
    for drive in &site.drives {
        assert!(drive.root.is_dir(), "{drive:?}");
        let usage = drive.usage().unwrap();
        assert!(usage.capacity >= usage.used && usage.capacity >= usage.free, "{usage:?}");
    }
    let of_top = site.drive_of(&top).unwrap();
    assert!(top.starts_with(&of_top.root), "{} on {}", top.display(), of_top.root.display());
    let place = site.place_at(&top.join("games")).unwrap();
    let found = site.find_place(&place, &top.join("games")).unwrap();
    assert!(format!("{found:?}").contains("At("), "{found:?}");
}

#[test]
fn bytes_are_written_flushed_read_past_the_cache_and_renamed_where_nothing_is() {
    let (_folder, top) = top();
    let disk = Disk::default();
    let at = |name: &str| top.join(name);
    let bytes: Vec<u8> = (0..10_000_u32).map(|n| (n % 251) as u8).collect();
    let file = disk.create(&at("new")).unwrap();
    disk.write_at(&file, &bytes, 0).unwrap();
    disk.flush(&file).unwrap();
    drop(file);
    disk.flush_folder(&top).unwrap();
    let mut read = vec![0; bytes.len()];
    let file = disk.open_read(&at("new")).unwrap();
    assert_eq!(disk.read_at(&file, &mut read, 0).unwrap(), bytes.len());
    assert_eq!(read, bytes);
    drop(file);
    assert!(disk.create(&at("new")).is_err(), "what is there is never written over");
    fs::write(at("other"), "other").unwrap();
    assert!(disk.rename(&at("new"), &at("other")).is_err());
    assert_eq!(fs::read(at("other")).unwrap(), b"other");
    disk.rename(&at("new"), &at("Ö ✓ name")).unwrap();
    assert_eq!(fs::read(at("Ö ✓ name")).unwrap(), bytes);
    disk.remove_record(&at("other")).unwrap();
    assert!(!at("other").exists());
}

#[test]
fn times_and_attributes_go_with_a_file_and_long_paths_are_paths() {
    let (_folder, top) = top();
    let disk = Disk::default();
    let mut deep = top.clone();
    while deep.as_os_str().len() < 400 {
        deep.push("a folder with a name of thirty");
    }
    fs::create_dir_all(&deep).unwrap();
    let path = deep.join("file");
    let file = disk.create(&path).unwrap();
    disk.write_at(&file, b"x", 0).unwrap();
    let seen = file.look().unwrap();
    let modified_ns = 1_600_000_000_123_456_700;
    let meta = Meta { mode: seen.mode | HIDDEN << 12, owner: (0, 0), modified_ns, attributes: Vec::new() };
    disk.set_meta(&file, &meta).unwrap();
    drop(file);
    let seen = disk.look(&path).unwrap().unwrap();
    assert_eq!(seen.modified_ns, modified_ns);
    assert!(path.metadata().unwrap().file_attributes() & HIDDEN != 0);
    assert_eq!(seen.mode, meta.mode);
    let walked = walk(&disk, &top).unwrap();
    let last = walked.entries.last().unwrap();
    assert_eq!((last.path.under(&top), &last.kind, last.modified_ns), (path, &EntryKind::File, modified_ns));
    let key = last.path.key();
    assert!(!key.contains(&b'\\') && ItemPath::of_key(&key).as_ref() == Some(&last.path));
}

#[test]
fn names_that_usual_paths_would_lose_are_names_like_others() {
    let (_folder, top) = top();
    let disk = Disk::default();
    let (game, copy) = (top.join("game"), top.join("copy"));
    let folders = ["data", "data ", "data/aux", "data/more."];
    let files =
        ["readme", "readme.", "readme .. ", "nul", "con.txt", "data/a", "data /a", "data/aux/a", "data/more./LPT3"];
    let bytes = |name: &str| format!("what {name:?} holds");
    disk.make_folder(&game).unwrap();
    disk.make_folder(&copy).unwrap();
    for name in folders {
        disk.make_folder(&game.join(name)).unwrap();
    }
    for name in files {
        let path = literal(&game.join(name));
        fs::write(path, bytes(name)).unwrap();
    }
    let walked = walk(&disk, &game).unwrap();
    let seen: Vec<PathBuf> = walked.entries.iter().map(|entry| entry.path.as_path().into()).collect();
    for name in files.iter().chain(&folders) {
        assert!(seen.contains(&Path::new(name).components().collect()), "{name:?}: {seen:?}");
    }
    assert_eq!(seen.len(), 1 + files.len() + folders.len(), "and the game's own folder");
    assert_eq!(deft_barge_core::platform::allocated_below(&game), allocated(&game), "each counts once");
    for name in folders {
        disk.make_folder(&copy.join(name)).unwrap();
    }
    for name in files {
        let (from, to) = (game.join(name), copy.join(name));
        let mut read = vec![0; 100];
        let file = disk.open_original(&from).unwrap();
        let count = disk.read_at(&file, &mut read, 0).unwrap();
        assert_eq!(String::from_utf8_lossy(&read[..count]), bytes(name));
        let file = disk.create(&top.join("new ")).unwrap();
        disk.write_at(&file, &read[..count], 0).unwrap();
        disk.flush(&file).unwrap();
        drop(file);
        disk.rename(&top.join("new "), &to).unwrap();
        assert!(disk.rename(&from, &to).is_err(), "what is there stays");
        assert_eq!(disk.look(&to).unwrap().unwrap().size, count as u64);
        disk.hard_link(&to, &copy.join("one more.")).unwrap();
        assert_eq!(disk.look(&to).unwrap().unwrap().names, 2, "{name:?}");
        disk.remove_record(&copy.join("one more.")).unwrap();
    }
    for name in files {
        assert_eq!(fs::read_to_string(literal(&copy.join(name))).unwrap(), bytes(name));
    }
    let folder = disk.open_folder(&game.join("data ")).unwrap();
    assert!(folder.look(OsStr::new("a")).unwrap().unwrap().size == bytes("data /a").len() as u64);
    // A folder above a game may be called so.
    assert_eq!(real_path(&game.join("data/aux/a")), game.join("data").join("aux").join("a"));
    assert_eq!(real_path(&game.join("data/aux")), game.join("data").join("aux"));
}

/// What the files and folders below one take.
fn allocated(folder: &Path) -> deft_barge_core::bytes::Bytes {
    let walked = walk(&Disk::default(), folder).unwrap();
    deft_barge_core::bytes::Bytes::new(walked.entries.iter().map(|entry| entry.allocated).sum())
}

#[test]
fn removing_goes_by_the_open_folder_and_through_no_link() {
    let (_folder, top) = top();
    let disk = Disk::default();
    let at = |name: &str| top.join(name);
    fs::create_dir_all(at("game/data")).unwrap();
    fs::create_dir_all(at("elsewhere")).unwrap();
    fs::write(at("elsewhere/kept"), "kept").unwrap();
    fs::write(at("game/data/pack"), "pack").unwrap();
    let folder = disk.open_folder(&at("game")).unwrap();
    let data = folder.open_below(Path::new("data")).unwrap();
    assert!(data.look(OsStr::new("pack")).unwrap().unwrap().is_file());
    assert!(data.look(OsStr::new("none")).unwrap().is_none());
    assert_eq!(folder.identity().unwrap().0, data.identity().unwrap().0);
    drop(data);
    // The very folder is meant, wherever its path leads by now.
    fs::rename(at("game"), at("moved")).unwrap();
    fs::create_dir_all(at("game/data")).unwrap();
    fs::write(at("game/data/pack"), "another").unwrap();
    let there = folder.open_below(Path::new("data")).unwrap().look(OsStr::new("pack")).unwrap().unwrap();
    assert_eq!(there.size, 4, "not the longer one that has the path now");
    drop(folder);
    assert_eq!(fs::read(at("game/data/pack")).unwrap(), b"another");
    // A link to a folder is one link, and never what it leads to.
    if disk.make_link(&at("elsewhere"), &at("link")).is_ok() {
        assert!(disk.look(&at("link")).unwrap().unwrap().is_link());
        assert!(disk.open_folder(&at("link")).is_err(), "a link is no folder");
        disk.remove_record(&at("link")).unwrap();
        assert_eq!(fs::read(at("elsewhere/kept")).unwrap(), b"kept");
    } else {
        println!("!!! this system makes no links: that part did not run !!!");
    }
}
