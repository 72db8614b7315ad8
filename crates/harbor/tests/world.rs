//! The demo's world and its judge: always the same bytes, and a judge that sees what is wrong.
#![expect(clippy::unwrap_used, reason = "tests build and break worlds by hand")]

use std::collections::BTreeMap;
use std::fs;
use std::io::{BufRead, BufReader};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use deft_barge_harbor::quillgate::judge;
use deft_barge_harbor::world::{GAMES, Scale, WorldError, is_there, make, remove};

struct World(tempfile::TempDir);

impl World {
    fn new(seed: u64) -> Self {
        let world = Self(tempfile::tempdir().unwrap());
        make(&world.at(""), seed, Scale::SMALL).unwrap();
        world
    }

    fn at(&self, path: &str) -> PathBuf {
        self.0.path().join("w").join(path)
    }

    fn home(&self) -> PathBuf {
        self.at("home/.config/quillgate")
    }

    /// Bytes and times of all files, with the world's own place taken out of what its files say.
    fn bytes(&self) -> BTreeMap<PathBuf, (i64, Vec<u8>)> {
        let (root, mut out) = (self.at("").canonicalize().unwrap(), BTreeMap::new());
        let mut waiting = vec![root.clone()];
        while let Some(folder) = waiting.pop() {
            for entry in fs::read_dir(folder).unwrap().flatten() {
                let (path, meta) = (entry.path(), entry.metadata().unwrap());
                if meta.is_dir() {
                    waiting.push(path);
                } else if meta.is_file() {
                    let name = path.strip_prefix(&root).unwrap().to_path_buf();
                    let end = path.extension().and_then(|end| end.to_str()).unwrap_or_default();
                    // A database's own bytes are SQLite's affair.
                    if end == "db" {
                        continue;
                    }
                    let text = ["json", "ini", "xml", "desktop", "reg", "toml"].contains(&end);
                    let bytes = fs::read(&path).unwrap();
                    let here = root.to_str().unwrap();
                    let bytes = if text {
                        String::from_utf8(bytes)
                            .unwrap()
                            .replace(here, "")
                            .replace(&here.replace('/', "\\\\"), "")
                            .into_bytes()
                    } else {
                        bytes
                    };
                    out.insert(name, (if text || meta.nlink() > 1 { 0 } else { meta.mtime() }, bytes));
                }
            }
        }
        out.retain(|path, _| path.starts_with("drives") || path.starts_with("home"));
        out
    }
}

#[test]
fn the_same_seed_gives_the_same_bytes_and_another_seed_others() {
    let (one, again, other) = (World::new(7), World::new(7), World::new(8));
    // Times of texts are those of writing.
    let strip =
        |world: &World| world.bytes().into_iter().map(|(path, (_, bytes))| (path, bytes)).collect::<BTreeMap<_, _>>();
    assert!(strip(&one) == strip(&again));
    assert!(strip(&one) != strip(&other));
    assert_eq!(one.bytes().len(), other.bytes().len());
}

#[test]
fn every_kind_of_file_and_every_trouble_is_there() {
    let world = World::new(7);
    let game = world.at("drives/swift/quillgate/saltflat-rally");
    let meta = |path: &str| game.join(path).symlink_metadata().unwrap();
    assert!(meta("data/cache.img").blocks() * 512 < meta("data/cache.img").len(), "a sparse file");
    assert_eq!(meta("data/voices.bin").ino(), meta("data/shared/voices.bin").ino(), "a hard-linked pair");
    assert!(meta("levels").is_symlink() && game.join("bin/voices").is_file() && game.join("bin/first-pack").is_file());
    assert_eq!(game.join("mods/none yet").read_dir().unwrap().count(), 0);
    assert_ne!(meta("bin/start").permissions().mode() & 0o100, 0);
    for name in ["Straße nach Süden.lvl", "日の出 dunes.lvl", "two  words .lvl", "what lies beyond?.lvl", "empty.lvl"]
    {
        assert!(game.join("data/levels").join(name).is_file(), "{name}");
    }
    let drives: std::collections::BTreeSet<&str> = GAMES.iter().map(|game| game.drive).collect();
    assert!(GAMES.len() >= 7 && drives.len() == 3);
    assert!(GAMES.iter().any(|g| g.update.0 < g.update.1) && GAMES.iter().any(|g| g.sealed.is_some()));
    assert!(GAMES.iter().any(|g| g.claim.is_some()));
    assert!(fs::read_to_string(world.at("world.toml")).unwrap().contains("unreadable"));
}

#[test]
fn the_judge_is_content_with_every_game_as_it_was_made() {
    let world = World::new(7);
    for game in &GAMES {
        let judgement = judge(&world.home(), game.title).unwrap();
        assert!(judgement.content() && judgement.right > 3, "{judgement:?}");
        assert_eq!(judge(&world.home(), game.id).unwrap(), judgement);
    }
    assert!(judge(&world.home(), "No such game").is_err());
    assert!(judge(Path::new("/nowhere"), "Saltflat Rally").is_err());
}

#[test]
fn the_judge_sees_a_missing_a_changed_and_an_unstartable_file_and_a_start_that_leads_nowhere() {
    type Harm = fn(&Path);
    let damage: [(&str, Harm); 4] = [
        ("missing", |game| fs::remove_file(game.join("data/pack01.bin")).unwrap()),
        ("wrong", |game| {
            let file = game.join("data/pack00.bin");
            let mut bytes = fs::read(&file).unwrap();
            bytes[77] ^= 4;
            fs::write(file, bytes).unwrap();
        }),
        ("start", |game| fs::set_permissions(game.join("bin/start"), fs::Permissions::from_mode(0o644)).unwrap()),
        ("lead", |game| {
            let recent = game.ancestors().nth(4).unwrap().join("home/.config/quillgate/recent.json");
            let text = fs::read_to_string(&recent).unwrap();
            fs::write(&recent, text.replace("saltflat-rally/bin", "elsewhere/bin")).unwrap();
        }),
    ];
    for (what, harm) in damage {
        let world = World::new(7);
        harm(&world.at("drives/swift/quillgate/saltflat-rally"));
        let judgement = judge(&world.home(), "Saltflat Rally").unwrap();
        assert!(!judgement.content(), "{what}: {judgement:?}");
        let seen = (judgement.missing, judgement.wrong, judgement.could_start, judgement.starts_lead);
        let wanted = match what {
            "missing" => (1, 0, true, true),
            "wrong" => (0, 1, true, true),
            "start" => (0, 0, false, true),
            _ => (0, 0, true, false),
        };
        assert_eq!(seen, wanted, "{what}");
        assert_eq!(judgement.download > 0, matches!(what, "missing" | "wrong"));
        let program = Command::new(env!("CARGO_BIN_EXE_quillgate"))
            .arg("--home")
            .arg(world.home())
            .args(["check", "qg-0107"])
            .output()
            .unwrap();
        assert_eq!(program.status.code(), Some(1), "{what}");
    }
}

#[test]
fn a_running_launcher_writes_back_what_it_remembers() {
    let world = World::new(7);
    let rooms = world.home().join("rooms.json");
    let remembered = fs::read(&rooms).unwrap();
    let mut launcher = Command::new(env!("CARGO_BIN_EXE_quillgate"))
        .arg("--home")
        .arg(world.home())
        .arg("run")
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut said = String::new();
    BufReader::new(launcher.stdout.take().unwrap()).read_line(&mut said).unwrap();
    assert!(said.contains(&launcher.id().to_string()));
    let name = fs::read_to_string(format!("/proc/{}/comm", launcher.id())).unwrap();
    assert_eq!(name.trim(), "quillgate");
    fs::write(&rooms, "{}").unwrap();
    Command::new("kill").arg(launcher.id().to_string()).status().unwrap();
    assert!(launcher.wait().unwrap().success());
    assert_eq!(fs::read(&rooms).unwrap(), remembered);
}

#[test]
fn only_a_world_is_removed_and_nothing_is_made_over_what_is_there() {
    let world = World::new(7);
    assert!(is_there(&world.at("")));
    assert!(matches!(make(&world.at(""), 7, Scale::SMALL), Err(WorldError::InTheWay(_))));
    fs::write(world.at("mine.txt"), "mine").unwrap();
    remove(&world.at("")).unwrap();
    assert!(!is_there(&world.at("")) && !world.at("drives").exists());
    assert_eq!(fs::read(world.at("mine.txt")).unwrap(), b"mine");
    assert!(matches!(remove(&world.at("")), Err(WorldError::InTheWay(_))));
}

#[test]
fn every_stand_in_is_content_at_first_and_sees_a_record_that_was_forgotten() {
    use deft_barge_harbor::launchers::Launcher;
    let world = World::new(7);
    let home = world.at("home");
    // What a person who changes one of several records leaves behind.
    for (launcher, game, file, from, to) in [
        (Launcher::Ninepin, "Hexwood Couriers", "lanes.toml", "D:/ninepin/", "E:/ninepin/"),
        (Launcher::Ninepin, "np-03", "starts.yaml", "D:\\ninepin\\hexwood", "D:/ninepin/hexwood"),
        (Launcher::FathomRow, "fr-21", "layer/user.reg", "\\\\bin\\\\start", "\\\\start"),
        (Launcher::FathomRow, "The Quiet Foundry", "layer/user.reg", "\"Berth\"=\"Z:\\\\", "\"Berth\"=\"C:\\\\"),
        (Launcher::Tolliver, "tv-11", "shelf.xml", "swift/tolliver/gull-parliament", "swift/tolliver/gull"),
        (
            Launcher::Tolliver,
            "Gull Parliament",
            "../../../drives/swift/tolliver/gull-parliament/tolliver.ini",
            "id = tv-11",
            "id = tv-12",
        ),
        (Launcher::ParlourLamp, "pale-signal", "lists/pale-signal.json", "\"size\":", "\"size\":1"),
        (
            Launcher::Quillgate,
            "Moss & Meridian",
            "../../../drives/swift/quillgate/ledger.json",
            "\"holds\": ",
            "\"holds\": 1",
        ),
    ] {
        let own = launcher.home(&home);
        let judged = launcher.judge(&own, game);
        assert!(
            judged.as_ref().is_ok_and(deft_barge_harbor::quillgate::Judgement::content),
            "{launcher:?} {game}: {judged:?}"
        );
        let file = own.join(file);
        let text = fs::read_to_string(&file).unwrap();
        assert!(text.contains(from), "{launcher:?}: {from} in {text}");
        fs::write(&file, text.replace(from, to)).unwrap();
        let judged = launcher.judge(&own, game);
        let seen = judged.as_ref().map_or(true, |judgement| !judgement.content());
        // Sizes are told, not judged: what counts there are the hashes of the pieces.
        assert!(seen || launcher == Launcher::ParlourLamp, "{launcher:?} {game} {to}: {judged:?}");
        fs::write(&file, text).unwrap();
    }
    let pack = world.at("drives/swift/lamp/pale-signal/data/pack00.bin");
    let mut bytes = fs::read(&pack).unwrap();
    *bytes.last_mut().unwrap() ^= 1;
    fs::write(&pack, bytes).unwrap();
    let judged = Launcher::ParlourLamp.judge(&Launcher::ParlourLamp.home(&home), "pale-signal").unwrap();
    assert!(judged.wrong == 1 && judged.download > 0 && !judged.content(), "{judged:?}");
}
