//! What a plan finds, case by case, in a small demo world.

#![cfg(unix)]

mod several;

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_harbor::world::{Scale, make};

use super::*;
use crate::bytes::Bytes;
use crate::checksums::measure;
use crate::item::{Finding, FindingKind, Limit, PlannedItem, Policy, PreviewKind, Severity, Strategy};
use crate::platform::Abilities;
use crate::site::Site;
use crate::survey::{GameId, Survey, survey};

struct World {
    folder: tempfile::TempDir,
}

impl World {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        make(&folder.path().join("w"), 7, Scale::SMALL).unwrap();
        Self { folder }
    }

    fn at(&self, path: &str) -> PathBuf {
        self.folder.path().canonicalize().unwrap().join("w").join(path)
    }

    fn site(&self) -> Site {
        Site::of_world(&self.at("")).unwrap()
    }

    fn plan_on(&self, site: &Site, games: &[&str], to: &Destination) -> Plan {
        let survey = survey(site, Vec::new(), &|_| {});
        plan(site, &survey, &draft(games, to), Policy::Hold)
    }

    fn plan(&self, games: &[&str], drive: &str) -> Plan {
        self.plan_on(&self.site(), games, &Destination::Drive(drive.into()))
    }

    fn replace(&self, file: &str, from: &str, to: &str) {
        let text = fs::read_to_string(self.at(file)).unwrap();
        assert!(text.contains(from), "{file}: {from}");
        fs::write(self.at(file), text.replace(from, to)).unwrap();
    }
}

const SALTFLAT: &str = "quillgate/qg-0107";
const ORCHARD: &str = "quillgate/qg-0112";
const MOSS: &str = "quillgate/qg-0131";
const GAME: &str = "drives/swift/quillgate/saltflat-rally";

fn draft(games: &[&str], to: &Destination) -> Draft {
    let mut draft = Draft::default();
    for game in games {
        draft.send(GameId((*game).into()), to.clone());
    }
    draft
}

/// Kinds of what was found, but for what other people's processes hide.
fn kinds(plan: &Plan) -> Vec<String> {
    let kind = |finding: &Finding| serde_json::to_value(finding).unwrap()["kind"].as_str().unwrap().to_string();
    let mut kinds: Vec<String> = plan.findings.iter().map(kind).filter(|kind| kind != "not-all-visible").collect();
    kinds.dedup();
    kinds
}

fn has(plan: &Plan, kind: &str) -> bool {
    kinds(plan).iter().any(|known| known == kind)
}

#[test]
fn a_plain_game_may_go_and_nothing_is_written() {
    let world = World::new();
    let before = measure(&world.at(""));
    let plan = world.plan(&[SALTFLAT], "newhold");
    assert_eq!(kinds(&plan), ["data-stays", "new-library"]);
    assert!(!plan.blocked());
    let item = &plan.items[0];
    assert_eq!((item.mode, item.to.clone()), (Strategy::Copy, world.at("drives/newhold/quillgate/saltflat-rally")));
    let mut previews: Vec<PreviewKind> = item.previews.iter().map(|preview| preview.kind).collect();
    previews.dedup();
    use crate::item::PreviewKind::{Arrives, FileMade, Leaves, LibraryKnown, Replaced};
    assert_eq!(previews, [FileMade, LibraryKnown, Replaced, Arrives, Leaves]);
    assert_eq!(measure(&world.at("")), before);
    let back: PlannedItem = serde_json::from_str(&serde_json::to_string(item).unwrap()).unwrap();
    assert_eq!(&back, item, "the journal keeps an item whole");
}

#[test]
fn room_ends_at_the_reserve_to_the_byte() {
    let world = World::new();
    let mut site = world.site();
    let need = world.plan(&[SALTFLAT], "newhold").items[0].need;
    let newhold = |site: &Site| site.drives.iter().position(|drive| drive.name == "newhold").unwrap();
    let at = newhold(&site);
    let used = site.drives[at].usage().unwrap().used;
    site.drives[at].reserve = Bytes::new(1_000_000);
    for (spare, fits) in [(0, true), (1, true), (-1, false)] {
        let room = used.plus(need).plus(site.drives[at].reserve).count() as i64 + spare;
        site.drives[at].capacity = Bytes::new(room as u64);
        let plan = world.plan_on(&site, &[SALTFLAT], &Destination::Drive("newhold".into()));
        assert_eq!(!has(&plan, "no-room"), fits, "{spare}: {:?}", plan.findings);
        if !fits {
            assert!(
                plan.findings
                    .iter()
                    .any(|f| matches!(&f.kind, FindingKind::NoRoom { lacks, .. } if lacks.count() == 1))
            );
        }
    }
}

#[test]
fn what_is_in_the_way_at_the_target_is_a_stop() {
    let world = World::new();
    fs::create_dir_all(world.at("drives/newhold/quillgate/saltflat-rally")).unwrap();
    assert!(has(&world.plan(&[SALTFLAT], "newhold"), "target-there"));
    assert!(has(&world.plan(&[SALTFLAT], "swift"), "already-there"));

    let world = World::new();
    let mut site = world.site();
    site.drives[3].read_only = true;
    let plan = world.plan_on(&site, &[SALTFLAT], &Destination::Drive("newhold".into()));
    assert!(has(&plan, "not-writable") && plan.blocked());

    let world = World::new();
    let inside = world.at(GAME).join("mods");
    fs::write(inside.join("ledger.json"), "{\"ledger\": 3, \"titles\": []}").unwrap();
    let room = format!("\"rooms\": [{{\"folder\": {inside:?}}},");
    world.replace("home/.config/quillgate/rooms.json", "\"rooms\": [", &room);
    let plan = world.plan_on(&world.site(), &[SALTFLAT], &Destination::Library(inside));
    assert!(has(&plan, "target-inside"), "{:?}", plan.findings);
    let plan = world.plan_on(&world.site(), &[SALTFLAT], &Destination::Library("/no/such/library".into()));
    assert_eq!(kinds(&plan), ["no-destination"]);
}

#[test]
fn records_that_do_not_fit_are_stops() {
    let world = World::new();
    world.replace("home/.config/quillgate/recent.json", "saltflat-rally/bin/start", "another/bin/start");
    let plan = world.plan(&[SALTFLAT], "newhold");
    let stop = plan.findings.iter().find(|f| matches!(f.kind, FindingKind::RecordUnsound { .. })).unwrap();
    assert_eq!(stop.severity, Severity::Blocker);

    // A library folder that somebody began by hand, unknown to the launcher.
    let world = World::new();
    fs::create_dir_all(world.at("drives/newhold/quillgate")).unwrap();
    fs::write(world.at("drives/newhold/quillgate/ledger.json"), "{\"titles\": [{\"id\": \"x\"}]}").unwrap();
    assert!(has(&world.plan(&[SALTFLAT], "newhold"), "records-unchangeable"));

    // The other list names the game already.
    let world = World::new();
    world.replace("drives/cellar/quillgate/ledger.json", "qg-0140", "qg-0107");
    let plan = world.plan(&[SALTFLAT], "cellar");
    assert!(has(&plan, "records-unchangeable") || has(&plan, "cannot-hold"), "{:?}", plan.findings);
}

#[test]
fn cautions_ask_and_do_not_refuse() {
    let world = World::new();
    assert!(has(&world.plan(&[ORCHARD], "newhold"), "update-waiting"));
    world.replace("drives/swift/quillgate/ledger.json", "\"bytes\": 865000", "\"bytes\": 90000000");
    let plan = world.plan(&[MOSS], "newhold");
    assert!(has(&plan, "claim-far") && !plan.blocked());
    fs::remove_file(world.at("home/.config/quillgate/contents/qg-0107.json")).unwrap();
    std::os::unix::fs::symlink("../../elsewhere", world.at(GAME).join("out")).unwrap();
    let plan = world.plan(&[SALTFLAT], "newhold");
    assert!(has(&plan, "no-content-list") && has(&plan, "link-leads-out") && !plan.blocked());
}

#[test]
fn a_path_that_would_be_too_long_and_a_record_file_with_further_names_are_found_in_planning() {
    let world = World::new();
    let too_long = |to: &str| {
        let plan = world.plan(&[MOSS], to);
        plan.findings.iter().any(|f| matches!(f.kind, FindingKind::CannotHold { limit: Limit::Path, .. }))
    };
    assert!(!too_long("newhold"));
    // As long as the system opens where it lies.
    let mut deep = world.at("drives/swift/quillgate/Moss & Meridian");
    while deep.as_os_str().len() < 3800 {
        deep.push("d".repeat(100));
        fs::create_dir(&deep).unwrap();
    }
    deep.push("e".repeat(4095 - deep.as_os_str().len() - 1 - 100));
    fs::create_dir(&deep).unwrap();
    deep.push("f".repeat(4095 - deep.as_os_str().len() - 1));
    fs::write(&deep, "x").unwrap();
    assert!(too_long("newhold"));

    let list = world.at("drives/swift/quillgate/ledger.json");
    let named = |plan: &Plan| {
        plan.findings.iter().any(|f| matches!(&f.kind, FindingKind::SeveralNames { path, names: 2 } if *path == list))
    };
    assert!(!named(&world.plan(&[SALTFLAT], "newhold")));
    fs::hard_link(&list, world.at("saved.json")).unwrap();
    let plan = world.plan(&[SALTFLAT], "newhold");
    assert!(named(&plan) && !plan.blocked(), "{:?}", kinds(&plan));
}

#[test]
fn what_a_file_system_cannot_hold_is_found_before_anything_is_copied() {
    let world = World::new();
    let plan = world.plan(&[SALTFLAT], "pocket");
    let limits: Vec<Limit> = plan
        .findings
        .iter()
        .filter_map(|f| if let FindingKind::CannotHold { limit, .. } = f.kind { Some(limit) } else { None })
        .collect();
    assert!(limits.contains(&Limit::Link) && limits.contains(&Limit::Name), "{limits:?}");
    assert!(has(&plan, "nicety-lost") && plan.blocked());

    // Moss & Meridian has neither links nor odd names: it fits the stick, until two names differ in case only.
    assert!(!has(&world.plan(&[MOSS], "pocket"), "cannot-hold"));
    let moss = world.at("drives/swift/quillgate/Moss & Meridian");
    fs::write(moss.join("Read me"), "a").unwrap();
    fs::write(moss.join("READ ME"), "b").unwrap();
    assert!(has(&world.plan(&[MOSS], "pocket"), "cannot-hold"));
    fs::remove_file(moss.join("READ ME")).unwrap();

    let mut site = world.site();
    site.drives[2].abilities =
        Abilities { largest_file: Some(Bytes::new(10_000)), ..Abilities::of_file_system("vfat") };
    let plan = world.plan_on(&site, &[MOSS], &Destination::Drive("pocket".into()));
    let large = plan.findings.iter().find(|f| matches!(f.kind, FindingKind::CannotHold { limit: Limit::Size, .. }));
    assert!(large.is_some());

    let made = std::process::Command::new("mkfifo").arg(moss.join("pipe")).status().unwrap();
    assert!(made.success());
    let plan = world.plan(&[MOSS], "newhold");
    assert!(plan.findings.iter().any(|f| matches!(f.kind, FindingKind::CannotHold { limit: Limit::Kind, .. })));
}

#[test]
fn a_launcher_of_another_shape_is_planned_from_its_profile_alone() {
    // Ids are keys, the place is absolute and stands in a value and in a key; nothing travels.
    let world = World::new();
    let game = world.at("drives/swift/crates/copper \"q\" kite");
    fs::create_dir_all(&game).unwrap();
    fs::write(game.join("go"), "x").unwrap();
    let own = world.at("home/.config/crates");
    fs::create_dir_all(&own).unwrap();
    let list = serde_json::json!({ "roots": [{"at": world.at("drives/swift/crates")}, {"at": world.at("drives/newhold/crates")}] });
    fs::create_dir_all(world.at("drives/newhold/crates")).unwrap();
    let mut games = serde_json::json!({ "games": { "k'1": { "path": format!("{}/", game.display()) } } });
    games["windows"] = serde_json::json!({ game.to_str().unwrap(): { "width": 3 } });
    fs::write(own.join("roots.json"), list.to_string()).unwrap();
    fs::write(own.join("games.json"), games.to_string()).unwrap();
    let profile = r#"
format = 1
id = "crates"
name = "Crates"
home = ["{config}/absent", "{config}/crates"]
[libraries]
file = "{home}/roots.json"
list = "$.roots"
path = "$.at"
default = "last"
[games]
file = "{home}/games.json"
list = "$.games"
install = "{install}"
[[games.records]]
selector = "$.path"
meaning = "{install}"
[[records]]
file = "{home}/games.json"
selector = "$.windows[*]"
on = "key"
meaning = "{install}"
"#;
    fs::write(world.at("home/.config/deft-barge/profiles/crates.toml"), profile).unwrap();
    let site = world.site();
    let survey = survey(&site, Vec::new(), &|_| {});
    let launcher = survey.launcher("crates").unwrap();
    assert!(launcher.problems.is_empty() && launcher.libraries[1].default && !launcher.libraries[0].default);
    let known = survey.game(&GameId("crates/k'1".into())).unwrap();
    assert_eq!((known.found.install.as_path(), known.found.records.len()), (game.as_path(), 2));
    let plan = plan(&site, &survey, &draft(&["crates/k'1"], &Destination::Drive("newhold".into())), Policy::Hold);
    assert_eq!(kinds(&plan), ["no-content-list"]);
    let item = &plan.items[0];
    let new = world.at("drives/newhold/crates/copper \"q\" kite");
    assert_eq!(item.to, new);
    let texts: Vec<&str> = item.previews.iter().map(|preview| preview.after.as_str()).collect();
    let path = new.to_str().unwrap();
    assert_eq!(texts, [format!("{path}/").as_str(), path], "the slash at the end is kept");
    let mut files = crate::record::Files::default();
    files.make(&item.edits, crate::record::Mood::Strict).unwrap();
    let crate::record::Content::Bytes(after) = files.changes().remove(0).after else { panic!("no bytes") };
    let after: serde_json::Value = serde_json::from_slice(&after).unwrap();
    assert_eq!(after["windows"][path]["width"], 3);
    assert_eq!(after["games"]["k'1"]["path"], format!("{path}/"));
    assert!(Path::new(&game).exists());
}

/// A profile whose every record is written in another way, the files that it speaks of, and what they say of a move.
#[expect(clippy::too_many_lines, reason = "one world, every kind of record")]
#[test]
fn every_kind_of_record_is_planned_in_its_own_spelling() {
    let world = World::new();
    let game = world.at("drives/swift/shed/Pale Kite");
    fs::create_dir_all(game.join("bin")).unwrap();
    fs::write(game.join("bin/go"), "x").unwrap();
    let here = game.to_str().unwrap();
    let write = |path: &str, text: String| {
        let at = world.at(path);
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(at, text).unwrap();
    };
    let own = "home/.config/shed";
    fs::create_dir_all(world.at(own).join("layer/dosdevices")).unwrap();
    std::os::unix::fs::symlink("/", world.at(own).join("layer/dosdevices/y:")).unwrap();
    let windows = format!("y:{}", here.to_uppercase().replace('/', "\\"));
    write(&format!("{own}/titles/kite.toml"), format!("[title]\nname = 'Pale Kite'\nwhere = '{windows}'\n"));
    write(
        &format!("{own}/start.ini"),
        format!("[run]\nkite = start --dir=\"{here}/bin\" --fast\nsearch = /usr;{here};/opt\n"),
    );
    write(&format!("{own}/notes.txt"), format!("old\nkite: it lies in {here}, and is fine\n"));
    let text = serde_json::json!({ "inner": format!("<r><g at='{here}/bin/go'/></r>") }).to_string();
    write(&format!("{own}/deep.json"), serde_json::json!({ "kite": text }).to_string());
    write(
        &format!("{own}/uris.json"),
        serde_json::json!({ "kite": format!("file://{}", here.replace(' ', "%20")) }).to_string(),
    );
    write(&format!("{own}/near.yaml"), "kite: Pale Kite/bin # below the shed\n".into());
    write("drives/swift/shed/Pale Kite/own.cfg", "[a]\nhome: ./bin/go\n".into());
    std::os::unix::fs::symlink(&game, world.at(own).join("kite")).unwrap();
    let profile = r#"
format = 1
id = "shed"
name = "Shed"
home = ["{config}/shed"]
prefixes = ["{home}/layer"]
[games]
file = "{home}/titles/{id}.toml"
entries = "$.title"
title = "$.name"
place = "{drive}/the shed"
install = "{install}"
[[games.records]]
selector = "$.where"
meaning = "{install}"
[[records]]
file = "{home}/start.ini"
selector = "$.run['{id}']"
within = "command"
meaning = "{install}/{tail}"
[[records]]
file = "{home}/start.ini"
selector = "$.run.search"
within = "list"
meaning = "{install}"
[[records]]
file = "{home}/notes.txt"
selector = "$[*]"
within = "text"
meaning = "{install}"
[[records]]
file = "{home}/deep.json"
selector = "$['{id}']"
inside = [{ as = "json", selector = "$.inner" }, { as = "xml", selector = "$.r.g[0]['@at']" }]
meaning = "{install}/{tail}"
[[records]]
file = "{home}/uris.json"
selector = "$['{id}']"
meaning = "{install}"
[[records]]
file = "{home}/near.yaml"
selector = "$['{id}']"
relative-to = "{parent}"
meaning = "{install}/{tail}"
[[records]]
file = "{install}/own.cfg"
selector = "$.a.home"
relative-to = "file"
meaning = "{install}/{tail}"
[[records]]
file = "{home}/{id}"
as = "link"
meaning = "{install}"
"#;
    write("home/.config/deft-barge/profiles/shed.toml", profile.into());
    let plan = world.plan(&["shed/kite"], "newhold");
    assert_eq!(kinds(&plan), ["no-content-list"], "{:?}", plan.findings);
    let item = &plan.items[0];
    let new = world.at("drives/newhold/the shed/Pale Kite");
    assert_eq!(item.to, new);
    let new = new.to_str().unwrap();
    let news: Vec<String> = item.previews.iter().map(|preview| preview.after.clone()).collect();
    let common = world.at("drives").to_str().unwrap().to_uppercase().replace('/', "\\");
    assert_eq!(
        news,
        [
            // Above the changed part the true letters stand, since only they are known to lead there; below it the old ones.
            format!("y:{}\\PALE KITE", world.at("drives/newhold/the shed").to_str().unwrap().replace('/', "\\")),
            format!("\"{new}/bin\""),
            new.to_string(),
            format!("kite: it lies in {new}, and is fine"),
            format!("{new}/bin/go"),
            format!("file://{}", new.replace(' ', "%20")),
            new.to_string(),
        ],
        "{common}"
    );
    // What is relative to where the game goes says the same afterwards.
    assert_eq!(item.edits.len(), news.len());
    let game = survey(&world.site(), Vec::new(), &|_| {});
    let game = game.game(&GameId("shed/kite".into())).unwrap();
    assert_eq!(game.found.records.len(), 9);
    assert!(game.found.records.iter().all(|record| record.sound));
    assert_eq!(game.found.records[0].spelling, "drive letter y:, backslashes");
}

#[test]
fn a_relative_record_that_cannot_say_the_new_place_is_a_stop() {
    let world = World::new();
    world.replace(
        "home/.config/deft-barge/profiles/tolliver.toml",
        "meaning = \"{install}\"\n\n[[records]]",
        "relative-to = \"{library}\"\nmeaning = \"{install}\"\n\n[[records]]",
    );
    world.replace(
        "home/.config/tolliver/shelf.xml",
        &format!("at=\"{}/", world.at("drives/swift/tolliver").display()),
        "at=\"",
    );
    let survey = survey(&world.site(), Vec::new(), &|_| {});
    let problems = &survey.launcher("tolliver").unwrap().problems;
    // Its library is not known before its place is: the text cannot be followed, and that is said with its line.
    assert!(problems.iter().any(|p| p.what.contains("tv-11") && p.line == Some(6)), "{problems:?}");
    assert!(survey.game(&GameId("tolliver/tv-11".into())).is_none());
}

#[test]
fn a_database_that_is_held_and_a_record_file_that_is_read_only_are_stops() {
    let world = World::new();
    let file = world.at("home/.local/share/parlour-lamp/lamp.db");
    let holding = std::process::Command::new("sqlite3")
        .arg(&file)
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn();
    if let Ok(mut other) = holding {
        use std::io::{BufRead, BufReader, Write};
        let mut input = other.stdin.take().unwrap();
        writeln!(input, "begin immediate; select 'holds';").unwrap();
        BufReader::new(other.stdout.take().unwrap()).read_line(&mut String::new()).unwrap();
        let plan = world.plan(&["parlour-lamp/pale-signal"], "newhold");
        assert!(has(&plan, "database-held") && plan.blocked(), "{:?}", plan.findings);
        drop(input);
        other.wait().unwrap();
    }
    assert!(!world.plan(&["parlour-lamp/pale-signal"], "newhold").blocked());
    // A drive that is read-only is one for its record files, too.
    let mut site = world.site();
    let swift = site.drives.iter_mut().find(|drive| drive.name == "swift").unwrap();
    swift.read_only = true;
    let plan = world.plan_on(&site, &[SALTFLAT], &Destination::Drive("newhold".into()));
    assert!(has(&plan, "not-writable"), "{:?}", plan.findings);
}
