//! Manifests as launchers write them and as they break: what is read, what is a problem, and that the rest stands.

use std::fs;
use std::path::{Path, PathBuf};

use super::*;
use crate::disk::Disk;
use crate::record::Values;
use crate::site::{Places, Site, real_path};

const PROFILE: &str = r#"
format = 1
id = "quay"
name = "Quay"
home = ["{config}/quay"]
[libraries]
file = "{home}/l.json"
list = "$"
path = "$.at"
[games]
file = "{library}/g.json"
list = "$.all"
id = "$.id"
title = "$.name"
install = "{library}/{folder}"
claim = "$.size"
program = "$.run"
sealed = "$.fixed"
last-run = "$.last"
update = { have = "$.up[0]", want = "$.up[1]" }
[[games.records]]
selector = "$.dir"
meaning = "{folder}"
[contents]
file = "{home}/{id}.json"
list = "$"
path = "$.p"
size = "$.s"
hash = "$.h"
algorithm = "sha1"
"#;

struct World {
    folder: tempfile::TempDir,
    site: Site,
    profile: Profile,
}

impl World {
    /// One library with the game "x", and this text as its list of games.
    fn new(games: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let top = real_path(folder.path());
        let home = top.join("home");
        fs::create_dir_all(Places::usual(&home).config.join("quay")).unwrap();
        fs::create_dir_all(top.join("lib/x")).unwrap();
        let site = Site {
            drives: Vec::new(),
            places: Places::usual(&home),
            processes: "/proc".into(),
            disk: Disk::default(),
            world: None,
            known: Vec::new(),
        };
        let world = Self { folder, site, profile: Profile::parse(PROFILE, Path::new("p")).unwrap() };
        let libraries = serde_json::json!([{ "at": top.join("lib") }, { "at": "relative" }, { "no": 1 }, { "at": top.join("gone") }]);
        fs::write(world.own("quay/l.json"), libraries.to_string()).unwrap();
        fs::write(world.at("lib/g.json"), games).unwrap();
        world
    }

    fn at(&self, path: &str) -> PathBuf {
        real_path(self.folder.path()).join(path)
    }

    /// Below the folder of configuration, wherever that is here.
    fn own(&self, path: &str) -> PathBuf {
        self.site.places.config.join(path)
    }

    fn read(&self) -> FoundLauncher {
        read_launchers(&self.site, std::slice::from_ref(&self.profile)).remove(0)
    }

    fn contents(&self, text: &str) -> Result<Option<ContentList>, ContentsError> {
        fs::write(self.own("quay/a.json"), text).unwrap();
        ContentList::read(&self.profile, &self.read().values(&self.site).with("id", "a"))
    }
}

#[test]
fn everything_that_an_entry_says_is_read() {
    let world = World::new(
        r#"{"all": [{"id": "a", "name": "A", "dir": "x", "size": 12, "run": "go", "fixed": "glued", "last": "2026-01-02T03:04:05Z", "up": [1, 3]}]}"#,
    );
    let found = world.read();
    let game = &found.games[0];
    assert_eq!((game.title.as_str(), game.install.clone(), game.fault.clone()), ("A", world.at("lib/x"), None));
    assert_eq!(
        (game.claim.unwrap().count(), game.program.as_deref(), game.sealed.as_deref()),
        (12, Some("go"), Some("glued"))
    );
    assert_eq!(game.last_run.unwrap().to_string(), "2026-01-02T03:04:05Z");
    assert_eq!(game.update.map(|update| (update.have.count(), update.want.count())), Some((1, 3)));
    assert_eq!(game.records.len(), 1);
    assert!(game.records[0].sound && game.records[0].in_entry);
    // Of the four libraries one has a relative folder and one none: problems; one is not there: shown as away.
    let libraries: Vec<(bool, bool)> = found.libraries.iter().map(|l| (l.default, l.present)).collect();
    assert_eq!(libraries, [(true, true), (false, false)]);
    assert_eq!(found.problems.len(), 2);
}

#[test]
fn of_several_places_those_count_that_point_to_the_game_and_none_that_does_is_told() {
    let mut world = World::new(r#"{"all": [{"id": "a", "dir": "x"}]}"#);
    let text = format!(
        "{PROFILE}[[records]]\nfile = \"{{home}}/{{id}}.sh\"\nas = \"lines\"\nselector = \"$[*]\"\nwithin = \"command\"\nmeaning = \"{{install}}\"\n"
    );
    world.profile = Profile::parse(&text, Path::new("p")).unwrap();
    let script = |path: &Path| {
        fs::write(world.own("quay/a.sh"), format!("#!/bin/sh\ncd '{}' && ./go\n", path.display())).unwrap();
        let game = world.read().games.remove(0);
        game.records.iter().filter(|record| !record.in_entry).map(|record| record.sound).collect::<Vec<_>>()
    };
    assert_eq!(script(&world.at("lib/x")), [true]);
    assert_eq!(script(&world.at("lib/y")), [false, false], "what should be there and isn't");
}

#[test]
fn an_update_that_is_whole_and_a_seal_that_is_none_are_neither() {
    for (text, sealed, waits) in [
        (r#""fixed": null, "up": [3, 3]"#, false, false),
        (r#""fixed": false"#, false, false),
        (r#""fixed": "", "up": [0, 0]"#, false, false),
        (r#""fixed": true, "up": [0, 1]"#, true, true),
    ] {
        let world = World::new(&format!(r#"{{"all": [{{"id": "a", "dir": "x", {text}}}]}}"#));
        let game = &world.read().games[0];
        assert_eq!((game.sealed.is_some(), game.update.is_some()), (sealed, waits), "{text}");
        assert_eq!(game.title, "a", "without a title the id stands for it");
    }
}

#[test]
fn a_broken_entry_is_a_problem_with_its_line_and_the_others_are_read() {
    let world = World::new(
        "{\"all\": [\n{\"dir\": \"x\"},\n{\"id\": \"b\"},\n{\"id\": \"c\", \"dir\": \"x\"},\n{\"id\": \"c\", \"dir\": \"x\"}\n]}",
    );
    let found = world.read();
    assert_eq!(found.games.iter().map(|game| game.id.as_str()).collect::<Vec<_>>(), ["c"]);
    let lines: Vec<_> = found.problems.iter().filter(|p| p.file.ends_with("g.json")).map(|p| p.line).collect();
    // The one without a folder is of a game that is not installed.
    assert_eq!(lines, [Some(2), Some(5)]);
    for (text, part) in [("{\"all\": [", "line"), ("{\"all\": 3}", "not a list"), ("{}", "finds 0"), ("", "empty")] {
        let found = World::new(text).read();
        assert!(found.games.is_empty());
        assert!(found.problems.iter().any(|p| p.what.contains(part)), "{text}: {:?}", found.problems);
    }
}

#[test]
fn dangerous_folders_are_read_and_marked() {
    for (folder, fault) in [("/", PlaceFault::TooHigh), ("../lib/x", PlaceFault::GoesUp), ("y", PlaceFault::Missing)] {
        let world = World::new(&format!(r#"{{"all": [{{"id": "a", "dir": {folder:?}}}]}}"#));
        assert_eq!(world.read().games[0].fault, Some(fault), "{folder}");
    }
}

#[test]
fn a_launcher_that_is_not_here_is_left_out() {
    let world = World::new("{}");
    fs::remove_dir_all(world.own("quay")).unwrap();
    assert!(read_launchers(&world.site, std::slice::from_ref(&world.profile)).is_empty());
}

#[test]
fn content_lists_are_read_and_broken_ones_refused() {
    let world = World::new("{\"all\": []}");
    assert!(ContentList::read(&world.profile, &world.read().values(&world.site).with("id", "none")).unwrap().is_none());
    let list = world.contents(r#"[{"p": "a/b", "s": 3, "h": "00fF"}]"#).unwrap().unwrap();
    assert_eq!(
        list.listed(Path::new("a/b")).map(|listed| (listed.size, listed.hash.clone())),
        Some((Some(3), vec![0, 255]))
    );
    assert!(list.listed(Path::new("a")).is_none());
    for (text, part) in [
        (r#"[{"p": "../b", "s": 3, "h": "00"}]"#, "leads out"),
        (r#"[{"p": "/b", "s": 3, "h": "00"}]"#, "leads out"),
        (r#"[{"p": "b", "s": -3, "h": "00"}]"#, "whole number"),
        (r#"[{"p": "b", "s": 3, "h": "0"}]"#, "hexadecimal"),
        (r#"[{"p": "b", "s": 3}]"#, "lacks"),
        ("[", "line 1"),
    ] {
        let error = world.contents(text).unwrap_err().to_string();
        assert!(error.contains(part) && error.contains("a.json"), "{text}: {error}");
    }
    assert!(ContentList::read(&world.profile, &Values::default()).is_err());
}

#[test]
fn the_digest_is_the_one_of_the_standard() {
    // FIPS 180-4, the example "abc".
    let mut digest = Digest::new(DigestKind::Sha1);
    digest.take(b"ab");
    digest.take(b"c");
    let hex: String = digest.end().iter().map(|byte| format!("{byte:02x}")).collect();
    assert_eq!(hex, "a9993e364706816aba3e25717850c26c9cd0d89d");
}

#[test]
fn a_check_counts_games_it_does_not_list_records_some_games_lack_and_tries_content_lists() {
    let world = World::new(
        r#"{"all": [{"id": "a", "name": "A", "dir": "x"}, {"id": "b", "name": "B", "dir": "y", "more": "y"}]}"#,
    );
    let record = "[[games.records]]\nselector = \"$.more\"\nmeaning = \"{folder}\"\n[contents]";
    let profile = Profile::parse(&PROFILE.replacen("[contents]", record, 1), Path::new("p")).unwrap();
    let libraries = serde_json::json!([{ "at": world.at("lib") }]);
    fs::write(world.own("quay/l.json"), libraries.to_string()).unwrap();
    fs::create_dir_all(world.at("lib/y")).unwrap();
    for game in ["x", "y"] {
        fs::write(world.at(&format!("lib/{game}/data")), b"abc").unwrap();
    }
    let sha1_of_abc = "a9993e364706816aba3e25717850c26c9cd0d89d";
    let list = |hash: &str| format!(r#"[{{"p": "data", "s": 3, "h": "{hash}"}}]"#);
    fs::write(world.own("quay/a.json"), list(sha1_of_abc)).unwrap();
    let check = check_profile(&world.site, &profile);
    assert!(check.sound(), "{check:#?}");
    assert_eq!(check.lines[1].missing_in, ["A"], "{check:#?}");
    let lists = check.lists.clone().unwrap();
    assert_eq!((lists.agree, lists.files, lists.without), (1, 1, vec!["B".to_string()]));

    // A list that speaks of other bytes, or can't be read, is one that finds nothing to download where there is.
    for (text, unreadable) in [(list(&"0".repeat(40)), false), ("[".into(), true), ("[]".into(), false)] {
        fs::write(world.own("quay/b.json"), &text).unwrap();
        let check = check_profile(&world.site, &profile);
        let faults = check.lists.as_ref().unwrap().faults.clone();
        assert!(!check.sound() && faults.len() == 1 && faults[0].title == "B", "{text}: {faults:?}");
        assert_eq!(matches!(faults[0].what, ListFaultKind::Unreadable(_)), unreadable, "{text}");
    }
    fs::write(world.own("quay/b.json"), list(sha1_of_abc)).unwrap();

    // Folders beside the games: a few are named, and most of them are games that the profile doesn't find.
    for (n, sound) in [(1, true), (2, false)] {
        fs::create_dir_all(world.at(&format!("lib/other {n}"))).unwrap();
        fs::write(world.at(&format!("lib/other {n}/data")), b"abc").unwrap();
        let check = check_profile(&world.site, &profile);
        assert_eq!((check.unlisted.len(), check.sound()), (n, sound), "{check:#?}");
    }
    fs::create_dir_all(world.at("lib/empty")).unwrap();
    assert_eq!(check_profile(&world.site, &profile).unlisted.len(), 2, "an empty folder is no game");
}

#[test]
fn content_lists_of_lines_of_keys_and_without_sizes_are_read() {
    let read = |contents: &str, text: &str| {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("list.txt");
        fs::write(&file, text).unwrap();
        let contents: Contents = toml::from_str(&format!("file = \"x\"\n{contents}")).unwrap();
        let list = ContentList::read_file(&contents, &file, Some("g").filter(|_| contents.below.is_some()))
            .map_err(|error| error.to_string())?
            .unwrap();
        let one = |listed: &ListedFile| (listed.path.clone(), listed.size, listed.hash[0]);
        Ok::<_, String>((list.kind, list.listed_files.iter().map(one).collect::<Vec<_>>()))
    };
    let (a, b) = ((PathBuf::from("a/b c"), None, 0x0f), (PathBuf::from("d"), None, 0xf0));
    let lines = "columns = [\"hash\", \"path\"]\nalgorithm = \"crc32\"";
    let text = "# made by hand\n0f000000  ./a/b c\r\n\nF0000000 *d\n";
    assert_eq!(read(lines, text), Ok((DigestKind::Crc32, vec![a.clone(), b.clone()])));
    assert_eq!(read(lines, "0f000000  a\\b c\n"), Ok((DigestKind::Crc32, vec![a.clone()])));
    assert_eq!(read(lines, "sum,path\n0f000000,a/b c\n"), Ok((DigestKind::Crc32, vec![a.clone()])), "a heading");
    let below = "columns = [\"hash\", \"path\"]\nbelow = \"{folder}\"\nalgorithm = \"crc32\"";
    assert_eq!(
        read(below, "0f000000  g/a/b c\nf0000000  ./g/d\n"),
        Ok((DigestKind::Crc32, vec![a.clone(), b.clone()]))
    );
    assert!(read(below, "0f000000  h/a\n").unwrap_err().contains("leads out"));
    let keys = "as = \"json\"\nlist = \"$.all\"\non = \"key\"\nalgorithm = \"blake3\"";
    let text = r#"{"all": {"a/b c": "0f00", "d": "f000"}}"#;
    assert_eq!(read(keys, text), Ok((DigestKind::Blake3, vec![a, b])));
    for (contents, text, part) in [
        (lines, "0f000000  ../a\n", "leads out"),
        (lines, "0f000000  /etc/x\n", "leads out"),
        (lines, "what is this\n", "not hexadecimal"),
        (lines, "lone\n", "line 1"),
        ("columns = [\"hash\", \"size\", \"path\"]\nalgorithm = \"md5\"", "0f x a\n", "whole number"),
        (keys, r#"{"all": {"..\\x": "0f"}}"#, "leads out"),
    ] {
        let error = read(contents, text).unwrap_err();
        assert!(error.contains(part), "{text:?}: {error}");
    }
}
