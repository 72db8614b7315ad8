//! A launcher that installs or moves a game while it is watched: what it writes then is what was learned of it, or the reason not to.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::learn::{Doubt, Watch, Watched, Witness};
use deft_barge_core::site::Site;

use crate::made_launchers::MadeWorld;
use crate::port::{declare, folder_in_memory};

/// Looks until something was seen, or nothing is any more.
fn seen(watch: &mut Watch, site: &Site) -> Option<Witness> {
    for _ in 0..12 {
        if let Watched::Game(witness) = watch.look(site) {
            return Some(*witness);
        }
    }
    None
}

fn try_move(seed: u64) -> bool {
    let mut world = MadeWorld::new(seed);
    let site = world.site();
    let what = format!("seed {seed}: {:?}", world.style);
    let mut watch = Watch::begin(&site, &[], &[], &|_| {});
    assert!(seen(&mut watch, &site).is_none(), "{what}: nothing happened, and something was seen");
    // The first game's folder is where new games go, by a setting that stays.
    let root = |n: usize| world.games[n].root.clone();
    let others = |n: &usize| (0..world.games.len()).any(|other| other != *n && root(other) == root(*n));
    let Some(game) = (1..world.games.len()).find(others) else { return false };
    let Some(other) = (0..world.games.len()).map(root).find(|other| *other != root(game)) else { return false };
    let from = PathBuf::from(world.games[game].path());
    world.launcher_moves(game, Path::new(&other));
    let witness = seen(&mut watch, &site).unwrap_or_else(|| panic!("{what}: not seen"));
    let told = format!("{what}\n{}\n{:?}", witness.launcher.profile, witness.launcher.doubt);
    match &witness.launcher.doubt {
        None => {}
        Some(Doubt::AlsoChanged { .. } | Doubt::Unmovable { .. }) => panic!("{told}"),
        Some(_) => return false,
    }
    assert_eq!((witness.from.as_ref(), witness.known), (Some(&from), false), "{told}");
    assert_eq!(witness.to, PathBuf::from(world.games[game].path()), "{told}");
    true
}

#[test]
fn what_a_launcher_writes_of_a_move_is_what_was_learned_of_it() {
    let seeds = if std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some() { 150 } else { 20 };
    let only: Option<u64> = std::env::var("DEFT_BARGE_SEED").ok().and_then(|seed| seed.parse().ok());
    let (mut wrong, mut moved) = (Vec::new(), 0);
    for seed in only.map_or(0..seeds, |seed| seed..seed + 1) {
        match std::panic::catch_unwind(|| try_move(seed)) {
            Ok(tried) => moved += u64::from(tried),
            Err(why) => wrong.push(why.downcast_ref::<String>().cloned().unwrap_or_default()),
        }
    }
    println!("{moved} moves were as learned");
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n\n"));
    assert!(only.is_some() || moved * 4 >= seeds, "{moved} of {seeds}");
}

/// A launcher with games in two libraries and a file that says something of them in a way that no path shows.
struct Shelves {
    top: PathBuf,
    site: Site,
    _folder: tempfile::TempDir,
}

impl Shelves {
    fn new(games: &[&str]) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        fs::create_dir_all(top.join("home/.config/kite")).unwrap();
        let shelves = Self { site: Site::of_world(&top).unwrap(), top, _folder: folder };
        for name in games {
            shelves.install(name);
        }
        shelves
    }

    fn at(&self, drive: &str, name: &str) -> PathBuf {
        self.top.join("drives").join(drive).join("g").join(name)
    }

    fn install(&self, name: &str) {
        let game = self.at("swift", name);
        fs::create_dir_all(&game).unwrap();
        fs::write(game.join("go"), "#!/bin/sh\n").unwrap();
        fs::write(game.join("all.pak"), vec![7; 3000 + name.len()]).unwrap();
    }

    fn list(&self, games: &[(&str, &str)]) {
        let one = |(n, (name, drive)): (usize, &(&str, &str))| serde_json::json!({"nr": format!("k{n}"), "called": name, "at": self.at(drive, name)});
        let all: Vec<_> = games.iter().enumerate().map(one).collect();
        self.say("list.json", &serde_json::json!(all).to_string());
    }

    fn say(&self, file: &str, text: &str) {
        fs::write(self.top.join("home/.config/kite").join(file), text).unwrap();
    }
}

#[test]
fn a_launcher_of_one_game_is_learned_once_it_installs_another() {
    let shelves = Shelves::new(&["Fen"]);
    shelves.list(&[("Fen", "swift")]);
    let mut watch = Watch::begin(&shelves.site, &[], &[], &|_| {});
    // What changes and names no game is nothing to go by.
    shelves.say("window.json", "{\"w\": 800}");
    assert!(seen(&mut watch, &shelves.site).is_none());
    shelves.install("Moor");
    shelves.list(&[("Fen", "swift"), ("Moor", "swift")]);
    let witness = seen(&mut watch, &shelves.site).unwrap();
    assert_eq!((witness.launcher.doubt, witness.from), (None, None));
    assert_eq!(witness.to, shelves.at("swift", "Moor"));
}

#[test]
fn what_a_launcher_changes_beside_is_a_doubt_and_a_time_is_none() {
    let before = [("Fen", "swift"), ("Moor", "swift"), ("Oed", "newhold")];
    let after = [("Fen", "newhold"), ("Moor", "swift"), ("Oed", "newhold")];
    type Case = (&'static str, &'static str, &'static str, fn(&Option<Doubt>) -> bool);
    let cases: [Case; 5] = [
        ("nothing", "", "", Option::is_none),
        (
            "a time",
            "{\"at\": \"2026-11-02T10:00:00Z\", \"n\": 1793613600}",
            "{\"at\": \"2026-11-02T11:30:00Z\", \"n\": 1793619000}",
            Option::is_none,
        ),
        ("a count", "{\"here\": 2, \"there\": 1}", "{\"here\": 1, \"there\": 2}", |doubt| {
            matches!(doubt, Some(Doubt::Counters(_)))
        }),
        ("a sum of bytes", "{\"used\": 6017}", "{\"used\": 3004}", |doubt| matches!(doubt, Some(Doubt::Counters(_)))),
        ("a drive's name", "{\"of\": {\"k0\": \"first\"}}", "{\"of\": {\"k0\": \"second\"}}", |doubt| {
            matches!(doubt, Some(Doubt::AlsoChanged { .. }))
        }),
    ];
    for (what, was, is, wanted) in cases {
        let shelves = Shelves::new(&["Fen", "Moor", "Oed"]);
        fs::create_dir_all(shelves.at("newhold", "")).unwrap();
        fs::rename(shelves.at("swift", "Oed"), shelves.at("newhold", "Oed")).unwrap();
        shelves.list(&before);
        shelves.say("more.json", was);
        let mut watch = Watch::begin(&shelves.site, &[], &[], &|_| {});
        fs::rename(shelves.at("swift", "Fen"), shelves.at("newhold", "Fen")).unwrap();
        shelves.list(&after);
        shelves.say("more.json", is);
        let witness = seen(&mut watch, &shelves.site).unwrap_or_else(|| panic!("{what}: not seen"));
        assert_eq!(witness.from, Some(shelves.at("swift", "Fen")), "{what}");
        assert!(wanted(&witness.launcher.doubt), "{what}: {:?}\n{}", witness.launcher.doubt, witness.launcher.profile);
        assert!(witness.launcher.doubt.is_some() || witness.agree == 1, "{what}: {}", witness.agree);
    }
}

#[test]
fn a_move_by_a_launcher_with_a_profile_judges_that_profile() {
    let before = [("Fen", "swift"), ("Moor", "swift")];
    for (extra, sound) in [("", true), ("{\"last\": \"Fen on swift\"}", false)] {
        let shelves = Shelves::new(&["Fen", "Moor"]);
        shelves.list(&before);
        shelves.say("more.json", extra);
        let launcher = deft_barge_core::learn::learn(&shelves.site, &[], &[], &|_| {}).launchers.remove(0);
        let profile = deft_barge_core::launcher::Profile::parse(&launcher.profile, Path::new("kite.toml")).unwrap();
        let mut watch = Watch::begin(&shelves.site, &[], &[profile], &|_| {});
        fs::create_dir_all(shelves.at("newhold", "")).unwrap();
        fs::rename(shelves.at("swift", "Fen"), shelves.at("newhold", "Fen")).unwrap();
        shelves.list(&[("Fen", "newhold"), ("Moor", "swift")]);
        shelves.say("more.json", &extra.replace("swift", "newhold"));
        let witness = seen(&mut watch, &shelves.site).unwrap();
        assert!(witness.known && witness.launcher.doubt.is_none() == sound, "{:?}", witness.launcher.doubt);
    }
}

/// What a database says is compared cell by cell, and so is what lies in a folder that a link leads to.
#[test]
fn databases_and_what_lies_behind_a_link_are_compared_as_well() {
    type Case = (&'static str, &'static str, fn(&Option<Doubt>) -> bool);
    let cases: [Case; 3] = [
        ("nothing more", "", Option::is_none),
        ("a count", "update more set n = n - 1;", |doubt| matches!(doubt, Some(Doubt::Counters(_)))),
        ("a name", "update more set drive = 'second';", |doubt| matches!(doubt, Some(Doubt::AlsoChanged { .. }))),
    ];
    for (what, more, wanted) in cases {
        let shelves = Shelves::new(&["Fen", "Moor"]);
        let (home, real) = (shelves.top.join("home/.config/kite"), shelves.top.join("home/.kite"));
        fs::rename(&home, &real).unwrap();
        std::os::unix::fs::symlink(&real, &home).unwrap();
        let db = rusqlite::Connection::open(home.join("all.db")).unwrap();
        let row = |name: &str| {
            format!("insert into games (code, at) values ('k-{name}', '{}');", shelves.at("swift", name).display())
        };
        let tables = "create table games (nr integer primary key, code text, at text); create table more (nr integer primary key, n int, drive text);
            insert into more (n, drive) values (7, 'first');";
        db.execute_batch(&format!("{tables}{}{}", row("Fen"), row("Moor"))).unwrap();
        let mut watch = Watch::begin(&shelves.site, &[], &[], &|_| {});
        fs::create_dir_all(shelves.at("newhold", "")).unwrap();
        fs::rename(shelves.at("swift", "Fen"), shelves.at("newhold", "Fen")).unwrap();
        let moved = format!("update games set at = '{}' where code = 'k-Fen';", shelves.at("newhold", "Fen").display());
        db.execute_batch(&format!("{moved}{more}")).unwrap();
        let witness = seen(&mut watch, &shelves.site).unwrap_or_else(|| panic!("{what}: not seen"));
        let told = format!("{what}: {:?}\n{}", witness.launcher.doubt, witness.launcher.profile);
        assert!(wanted(&witness.launcher.doubt), "{told}");
        assert!(witness.launcher.doubt.is_some() || witness.agree == 1, "{told}: {}", witness.agree);
    }
}
