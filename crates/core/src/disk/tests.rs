//! The disk's own promises: nothing is written over, no link is followed, and gates see every act.

#![cfg(unix)]

use std::fs;
use std::io;
use std::os::unix::fs::{MetadataExt, symlink};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use super::*;

struct Place(tempfile::TempDir);

impl Place {
    fn new() -> Self {
        let place = Self(tempfile::tempdir().unwrap());
        fs::write(place.at("a"), "alpha").unwrap();
        fs::write(place.at("b"), "beta").unwrap();
        fs::create_dir(place.at("folder")).unwrap();
        fs::write(place.at("folder/inner"), "inner").unwrap();
        symlink("folder", place.at("link")).unwrap();
        place
    }

    fn at(&self, path: &str) -> PathBuf {
        self.0.path().join(path)
    }
}

#[test]
fn making_and_renaming_never_write_over_what_is_there() {
    let place = Place::new();
    let disk = Disk::default();
    let exists = |result: io::Result<()>| assert_eq!(result.unwrap_err().kind(), io::ErrorKind::AlreadyExists);
    exists(disk.create(&place.at("a")).map(drop));
    exists(disk.create(&place.at("link")).map(drop));
    exists(disk.make_folder(&place.at("folder")));
    exists(disk.make_link(Path::new("x"), &place.at("a")));
    exists(disk.hard_link(&place.at("b"), &place.at("a")));
    exists(disk.rename(&place.at("b"), &place.at("a")));
    assert_eq!(fs::read(place.at("a")).unwrap(), b"alpha");
    disk.rename(&place.at("b"), &place.at("c")).unwrap();
    disk.replace(&place.at("c"), &place.at("a")).unwrap();
    assert_eq!(fs::read(place.at("a")).unwrap(), b"beta");
    disk.exchange(&place.at("a"), &place.at("folder")).unwrap();
    assert!(place.at("a").join("inner").exists() && place.at("folder").is_file());
}

#[test]
fn no_link_is_followed_at_the_last_name() {
    let place = Place::new();
    symlink("a", place.at("to-a")).unwrap();
    let disk = Disk::default();
    assert!(disk.open_read(&place.at("to-a")).is_err());
    assert!(disk.open_write(&place.at("to-a")).is_err());
    assert!(disk.open_folder(&place.at("link")).is_err());
    let top = disk.open_folder(place.0.path()).unwrap();
    assert!(top.open("link".as_ref()).is_err());
    let permit = RemovalPermit::of_the_only_copy();
    assert!(disk.remove_in(&permit, &top, "link".as_ref(), What::Folder).is_err());
    disk.remove_in(&permit, &top, "link".as_ref(), What::File).unwrap();
    disk.remove_record(&place.at("to-a")).unwrap();
    assert!(place.at("folder/inner").exists() && place.at("a").exists());
    assert!(disk.remove_empty_folder(&place.at("folder")).is_err(), "what is in it keeps it");
    assert!(top.look("nothing".as_ref()).unwrap().is_none());
}

#[test]
fn times_permissions_and_attributes_are_set_to_the_nanosecond() {
    let place = Place::new();
    let disk = Disk::default();
    let file = disk.create(&place.at("new")).unwrap();
    disk.write_at(&file, b"xyz", 2).unwrap();
    let meta = Meta {
        mode: 0o4751,
        owner: (place.at("a").metadata().unwrap().uid(), place.at("a").metadata().unwrap().gid()),
        modified_ns: 1_234_567_890_987_654_321,
        attributes: vec![(b"user.barge".to_vec(), b"\xff\0".to_vec())],
    };
    disk.set_meta(&file, &meta).unwrap();
    disk.flush(&file).unwrap();
    let seen = place.at("new").metadata().unwrap();
    assert_eq!((seen.mode() & 0o7777, seen.mtime(), seen.mtime_nsec()), (0o4751, 1_234_567_890, 987_654_321));
    assert_eq!(seen.len(), 5);
    let attributes = attributes_of(&place.at("new")).unwrap();
    // A file system without attributes of this name space keeps none, and that is no error.
    assert!(attributes == meta.attributes || attributes.is_empty());
    let mut buffer = [9; 8];
    assert_eq!(disk.read_at(&file, &mut buffer, 0).unwrap(), 5);
    assert_eq!(&buffer[..5], b"\0\0xyz");
    disk.set_link_meta(&place.at("link"), -1, None).unwrap();
    assert_eq!(place.at("link").symlink_metadata().unwrap().mtime(), -1);
}

#[derive(Debug, Default)]
struct Witness {
    before: Mutex<Vec<String>>,
    after: Mutex<Vec<String>>,
    refuses: bool,
}

impl Gate for Witness {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        self.before.lock().unwrap().push(format!("{act:?}"));
        if self.refuses { Err(io::Error::from_raw_os_error(5)) } else { Ok(()) }
    }

    fn after(&self, act: &Act<'_>) {
        self.after.lock().unwrap().push(format!("{act:?}"));
    }
}

#[test]
fn every_act_passes_the_gates_before_and_behind_and_a_refused_one_does_nothing() {
    for refuses in [false, true] {
        let place = Place::new();
        let witness = Arc::new(Witness { refuses, ..Witness::default() });
        let plain = Disk::default();
        let disk = plain.and_gate(witness.clone());
        let file = plain.open_write(&place.at("a")).unwrap();
        let top = plain.open_folder(place.0.path()).unwrap();
        let results = [
            disk.open_read(&place.at("a")).map(drop),
            disk.read_at(&file, &mut [0; 2], 0).map(drop),
            disk.create(&place.at("n1")).map(drop),
            disk.open_write(&place.at("a")).map(drop),
            disk.write_at(&file, b"z", 0),
            disk.set_len(&file, 3),
            disk.flush(&file),
            disk.flush_folder(place.0.path()),
            disk.make_folder(&place.at("n2")),
            disk.make_link(Path::new("x"), &place.at("n3")),
            disk.hard_link(&place.at("a"), &place.at("n4")),
            disk.rename(&place.at("b"), &place.at("n5")),
            disk.replace(&place.at("folder/inner"), &place.at("n6")),
            disk.exchange(&place.at("a"), &place.at("folder")),
            disk.remove_in(&RemovalPermit::of_the_only_copy(), &top, "link".as_ref(), What::File),
        ];
        let count = results.len();
        assert!(results.iter().all(|result| result.is_err() == refuses), "{results:?}");
        assert_eq!(witness.before.lock().unwrap().len(), count);
        assert_eq!(witness.after.lock().unwrap().len(), if refuses { 0 } else { count });
        if refuses {
            assert_eq!(fs::read(place.at("a")).unwrap(), b"alpha");
            assert_eq!(fs::read_dir(place.0.path()).unwrap().count(), 4);
        }
    }
}
