//! The program without `--world`, on file systems that are really mounted: an ext4 image and a tmpfs.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

use crate::world::{PROGRAM, tree};
use deft_barge_harbor::world::PROFILE;

struct Mounts {
    folder: tempfile::TempDir,
    mounted: Vec<PathBuf>,
}

impl Drop for Mounts {
    fn drop(&mut self) {
        for point in self.mounted.iter().rev() {
            let _ = Command::new("umount").arg("-l").arg(point).status();
        }
    }
}

fn done(command: &mut Command) -> bool {
    command.stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok_and(|status| status.success())
}

/// Mounts both, or says loudly why not.
fn mounts() -> Option<Mounts> {
    let mut mounts = Mounts { folder: tempfile::tempdir().unwrap(), mounted: Vec::new() };
    let at = |name: &str| mounts.folder.path().canonicalize().unwrap().join(name);
    let (image, disk, memory) = (at("disk.img"), at("disk"), at("memory"));
    for point in [&disk, &memory] {
        fs::create_dir(point).unwrap();
    }
    fs::File::create(&image).unwrap().set_len(400_000_000).unwrap();
    let steps = [
        done(Command::new("mkfs.ext4").args(["-q", "-F"]).arg(&image)),
        done(Command::new("mount").args(["-o", "loop"]).arg(&image).arg(&disk)),
        done(Command::new("mount").args(["-t", "tmpfs", "-o", "size=300m", "tmpfs"]).arg(&memory)),
    ];
    mounts.mounted = vec![disk, memory];
    if steps != [true; 3] {
        eprintln!(
            "\n!!! NOT RUN: the test on really mounted drives needs root, mkfs.ext4 and loop devices ({steps:?}) !!!\n"
        );
        return None;
    }
    Some(mounts)
}

struct Machine<'a> {
    mounts: &'a Mounts,
    home: PathBuf,
}

impl Machine<'_> {
    fn at(&self, path: &str) -> PathBuf {
        self.mounts.folder.path().canonicalize().unwrap().join(path)
    }

    fn run(&self, words: &[&str]) -> Output {
        let mut command = Command::new(PROGRAM);
        for name in ["XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"] {
            command.env_remove(name);
        }
        command.env("HOME", &self.home).args(words).stdin(Stdio::null()).output().unwrap()
    }

    fn json(&self, words: &[&str]) -> serde_json::Value {
        let output = self.run(&[words, &["--json"]].concat());
        let text = String::from_utf8_lossy(&output.stdout);
        assert!(output.status.success(), "{words:?}: {text}");
        serde_json::from_str(&text).unwrap()
    }

    fn write(&self, path: &Path, text: &str) {
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }
}

/// What the system says is free for everybody, in bytes.
fn free(point: &Path) -> u64 {
    let output = Command::new("df").args(["--output=avail", "-B1"]).arg(point).output().unwrap();
    String::from_utf8_lossy(&output.stdout).lines().nth(1).unwrap().trim().parse().unwrap()
}

#[test]
fn a_game_moves_between_an_ext4_image_and_memory() {
    let Some(mounts) = mounts() else { return };
    let _turn = crate::world::World::new();
    let machine = Machine { home: mounts.folder.path().canonicalize().unwrap().join("home"), mounts: &mounts };
    let library = machine.at("disk/quillgate");
    let game = library.join("tidewright");
    let mut parts = Vec::new();
    for n in 0..3000_u32 {
        let path = format!("data/{:02}/file {n}.dat", n % 40);
        let bytes: Vec<u8> = (0..2000 + n % 9000).map(|b| (b.wrapping_mul(n + 1) >> 3) as u8).collect();
        fs::create_dir_all(game.join(&path).parent().unwrap()).unwrap();
        fs::write(game.join(&path), &bytes).unwrap();
        use sha1::Digest;
        let hash: String = sha1::Sha1::digest(&bytes).iter().map(|b| format!("{b:02x}")).collect();
        parts.push(serde_json::json!({ "path": path, "size": bytes.len(), "sha1": hash }));
    }
    machine.write(&game.join("go"), "#!/bin/sh\n");
    done(Command::new("chmod").arg("755").arg(game.join("go")));
    let own = machine.home.join(".config/quillgate");
    let title = serde_json::json!({ "id": "t1", "name": "Tidewright", "folder": "tidewright", "bytes": 12_000_000, "start": "go" });
    machine.write(&library.join("ledger.json"), &serde_json::json!({ "ledger": 3, "titles": [title] }).to_string());
    machine.write(&own.join("rooms.json"), &serde_json::json!({ "rooms": [{ "folder": library }] }).to_string());
    machine.write(&own.join("recent.json"), "{ \"starts\": [] }");
    machine.write(&own.join("contents/t1.json"), &serde_json::json!({ "parts": parts }).to_string());
    machine.write(&machine.home.join(".config/deft-barge/profiles/quillgate.toml"), PROFILE);

    let before = tree(&game);
    let survey = machine.json(&["survey"]);
    let drives = survey["drives"].as_array().unwrap();
    for (name, kind, file_system) in [("disk", "image", "ext4"), ("memory", "memory", "tmpfs")] {
        let root = machine.at(name);
        let drive = drives.iter().find(|drive| drive["root"] == root.to_str().unwrap()).unwrap();
        assert_eq!((&drive["kind"], &drive["file_system"]), (&kind.into(), &file_system.into()));
        assert_eq!(drive["free"], free(&root), "{name}");
    }
    let to = drives.iter().find(|drive| drive["root"] == machine.at("memory").to_str().unwrap()).unwrap();
    let haul = machine.json(&["haul", "tidewright", "--to", to["name"].as_str().unwrap(), "--yes"]);
    assert_eq!(haul["items"][0]["planned"]["mode"], "copy");
    let new = machine.at("memory/quillgate/tidewright");
    assert_eq!((tree(&game), tree(&new)), (before.clone(), before.clone()));
    let judge = || deft_barge_harbor::quillgate::judge(&own, "Tidewright").unwrap();
    assert!(judge().content() && judge().folder == new);
    machine.json(&["verify", "tidewright"]);
    let used = free(&machine.at("disk"));
    let released = machine.json(&["release"]);
    assert!(released["bytes"].as_u64().unwrap() > 9_000_000, "{released}");
    assert!(!game.exists());
    let came_back = free(&machine.at("disk")) - used;
    assert!(came_back > 9_000_000, "{came_back} of {released}");
    machine.json(&["undo", "1"]);
    assert_eq!(tree(&game), before);
    assert!(judge().content() && judge().folder == game && !new.exists());
}

/// A program that serves a drive and is stopped: whoever looks at the drive waits. It goes on when this is dropped, so that the drive can
/// be unmounted.
struct Stopped(String);

impl Drop for Stopped {
    fn drop(&mut self) {
        let _ = Command::new("kill").args(["-CONT", &self.0]).status();
    }
}

#[test]
fn a_drive_that_does_not_answer_is_left_out_and_named_and_all_else_goes_on() {
    let Some(mut mounts) = mounts() else { return };
    let _turn = crate::world::World::new();
    let top = mounts.folder.path().canonicalize().unwrap();
    let (image, nas) = (top.join("nas.img"), top.join("nas"));
    fs::create_dir(&nas).unwrap();
    fs::File::create(&image).unwrap().set_len(60_000_000).unwrap();
    let device = Command::new("losetup").args(["--find", "--show"]).arg(&image).output().unwrap();
    let device = String::from_utf8_lossy(&device.stdout).trim().to_string();
    let made =
        done(Command::new("mkfs.exfat").arg(&image)) && done(Command::new("mount.exfat-fuse").arg(&device).arg(&nas));
    if !made {
        eprintln!("\n!!! NOT RUN: the test of a drive that hangs needs root, exfat-fuse and loop devices !!!\n");
        return;
    }
    mounts.mounted.push(nas.clone());
    let machine = Machine { home: top.join("home"), mounts: &mounts };
    let own = machine.home.join(".config/quillgate");
    for (drive, id) in [("nas", "n1"), ("disk", "d1")] {
        let title =
            serde_json::json!({ "id": id, "name": format!("On {drive}"), "folder": "game", "bytes": 3, "start": "go" });
        machine.write(&machine.at(drive).join("quillgate/game/go"), "#!/");
        let ledger = serde_json::json!({ "ledger": 3, "titles": [title] });
        machine.write(&machine.at(drive).join("quillgate/ledger.json"), &ledger.to_string());
    }
    let rooms = [machine.at("disk/quillgate"), machine.at("nas/quillgate")]
        .map(|folder| serde_json::json!({ "folder": folder }));
    machine.write(&own.join("rooms.json"), &serde_json::json!({ "rooms": rooms }).to_string());
    machine.write(&own.join("recent.json"), "{ \"starts\": [] }");
    machine.write(&machine.home.join(".config/deft-barge/profiles/quillgate.toml"), PROFILE);
    // Links lead there as well, and the home has one.
    std::os::unix::fs::symlink(&nas, machine.home.join("games")).unwrap();
    assert_eq!(machine.json(&["survey"])["games"].as_array().unwrap().len(), 2);

    let serving = Command::new("pgrep").args(["-f", &format!("mount.exfat-fuse {device}")]).output().unwrap();
    let serving = String::from_utf8_lossy(&serving.stdout).trim().to_string();
    assert!(done(Command::new("kill").args(["-STOP", &serving])), "{serving:?}");
    let stopped = Stopped(serving);
    let there = nas.join("quillgate/game");
    let there = there.to_str().unwrap();
    for words in [
        &["log"][..],
        &["cleanup"],
        &["data", "list"],
        &["profile", "check"],
        &["trace", there],
        &["plan", "On disk", "--to", "memory"],
        &["plan", "On nas", "--to", "memory"],
        &["plan", "On disk", "--to", "nas"],
        &["import", there],
        &["audit", "On disk"],
        &["journal", "check"],
        &["haul", "On disk", "--to", "memory", "--yes"],
        &["undo", "--yes"],
    ] {
        let mut command = Command::new("timeout");
        command.args(["-s", "KILL", "20", PROGRAM]).args(words).env("HOME", &machine.home).stdin(Stdio::null());
        for name in ["XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"] {
            command.env_remove(name);
        }
        let output = command.output().unwrap();
        assert!(
            output.status.code().is_some_and(|code| code < 100),
            "{words:?} waits for a drive that does not answer"
        );
        if words[0] == "haul" || words[0] == "undo" {
            assert!(output.status.success(), "{words:?}: {}", String::from_utf8_lossy(&output.stderr));
        }
    }
    let survey = machine.json(&["survey"]);
    let titles: Vec<_> = survey["games"].as_array().unwrap().iter().map(|game| game["title"].clone()).collect();
    assert_eq!(titles, ["On disk"]);
    let problems = survey["problems"].as_array().unwrap();
    let named = problems
        .iter()
        .any(|one| one["file"] == nas.to_str().unwrap() && one["what"].as_str().unwrap().contains("doesn't answer"));
    assert!(named, "{problems:?}");
    // Once it answers, all is as it was.
    drop(stopped);
    assert_eq!(machine.json(&["survey"])["games"].as_array().unwrap().len(), 2);
    let _ = Command::new("losetup").args(["-d", &device]).status();
}
