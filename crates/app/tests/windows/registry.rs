//! A launcher that keeps its games in the registry itself, read by another program than ours; its helper, which holds files open.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Command, Stdio};

use deft_barge_harbor::launchers::Launcher;
use deft_barge_windows::{Hive, Key, Value, read_below, set_value};

use crate::world::{PROGRAM, World};

const GAME: &str = "The Quiet Foundry";

/// The maker's key, which is one for each world: the one whose values lead into this one.
fn key_of(world: &World) -> String {
    let maker = "Software\\Drift & Daughters";
    let all = read_below(Hive::User, maker.as_ref()).unwrap();
    let here = world.folder().to_string_lossy().into_owned();
    let names = |key: &Key| key.values.iter().any(|value| text(value).contains(&here));
    let below = all.iter().find(|key| names(key)).unwrap().below.to_string_lossy().into_owned();
    format!("{maker}\\{}", below.split('\\').next().unwrap())
}

fn text(value: &Value) -> String {
    let units: Vec<u16> =
        value.data.chunks(2).map(|pair| u16::from_le_bytes([pair[0], *pair.get(1).unwrap_or(&0)])).collect();
    String::from_utf16_lossy(&units).trim_end_matches('\0').to_string()
}

fn all_of(key: &str) -> Vec<Key> {
    read_below(Hive::User, key.as_ref()).unwrap()
}

/// What Windows' own program for it says of a value.
fn said_by_reg(key: &str, value: &str) -> String {
    let output = Command::new("reg").args(["query", &format!("HKCU\\{key}"), "/v", value]).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    String::from_utf8_lossy(&output.stdout).into_owned()
}

#[test]
fn values_change_as_one_and_come_back_to_the_byte() {
    let world = World::new();
    let key = key_of(&world);
    // What else a maker keeps there, of every type; none of it may change.
    for (nth, (kind, data)) in [
        (0, vec![]),
        (1, vec![65, 0]),
        (1, b"a\0\n\0b\0\0\0".to_vec()),
        (3, vec![1, 2, 3]),
        (5, vec![1, 0, 0, 0]),
        (7, b"x\0\0\0y\0\0\0\0\0".to_vec()),
        (11, vec![9; 8]),
        (77, vec![0xd8; 3]),
    ]
    .into_iter()
    .enumerate()
    {
        let value = Value { name: format!("other {nth} \"\\").into(), kind, data };
        set_value(Hive::User, format!("{key}\\fr-21\\More [x]").as_ref(), &value).unwrap();
        set_value(Hive::User, format!("{key}\\fr-21").as_ref(), &value).unwrap();
    }
    let before = all_of(&key);
    world.expect(&["haul", GAME, "--to", "newhold", "--yes"], 0);
    let place = world.judge(Launcher::FathomRow, GAME);
    assert!(place.content() && place.folder.starts_with(world.at("drives/newhold")), "{place:?}");
    let fresh = format!("{key}\\fr-21");
    assert!(
        said_by_reg(&fresh, "Berth").contains(&*place.folder.to_string_lossy()),
        "{}",
        said_by_reg(&fresh, "Berth")
    );
    let program = said_by_reg(&fresh, "Program");
    assert!(program.contains("REG_EXPAND_SZ") && program.contains("newhold"), "{program}");
    let changed: Vec<(String, String)> = before
        .iter()
        .zip(all_of(&key))
        .flat_map(|(old, new)| old.values.clone().into_iter().zip(new.values))
        .filter(|(old, new)| old != new)
        .map(|(old, new)| {
            assert_eq!((&old.name, old.kind), (&new.name, new.kind));
            (old.name.to_string_lossy().into_owned(), text(&new))
        })
        .collect();
    assert_eq!(changed.iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>(), ["Berth", "Program"], "{changed:?}");
    world.expect(&["undo", "--yes"], 0);
    assert_eq!(all_of(&key), before);
    // And what the launcher wrote meanwhile stays.
    world.expect(&["haul", GAME, "--to", "newhold", "--yes"], 0);
    let own = Value { name: "Played".into(), kind: 4, data: vec![7, 0, 0, 0] };
    set_value(Hive::User, fresh.as_ref(), &own).unwrap();
    world.expect(&["release", "--yes"], 0);
    world.expect(&["undo", "--yes"], 0);
    let mut now = all_of(&key);
    for one in &mut now {
        one.values.retain(|value| *value != own);
    }
    assert_eq!(now, before);
    assert!(world.judge(Launcher::FathomRow, GAME).content());
}

#[test]
fn a_helper_that_holds_a_file_stands_in_the_way_until_it_ends() {
    let world = World::new();
    let mut command = Command::new(PROGRAM);
    command.args(["stand-in", "fathom-row", "--home"]).arg(world.home_of(Launcher::FathomRow)).arg("helper");
    let mut helper = command.stdout(Stdio::piped()).stdin(Stdio::null()).spawn().unwrap();
    let mut said = String::new();
    BufReader::new(helper.stdout.take().unwrap()).read_line(&mut said).unwrap();
    assert!(said.contains("It holds 2 files"), "{said}");
    let refused = world.run(&["haul", GAME, "--to", "newhold", "--yes"]);
    let text = format!("{}{}", String::from_utf8_lossy(&refused.stdout), String::from_utf8_lossy(&refused.stderr));
    let folder = world.judge(Launcher::FathomRow, GAME).folder;
    helper.kill().unwrap();
    helper.wait().unwrap();
    assert_eq!(refused.status.code(), Some(3), "{text}");
    assert!(text.contains("pack00.bin") || text.contains(&helper.id().to_string()), "{text}");
    assert!(folder.starts_with(world.at("drives/cellar")) && Path::new(&folder).is_dir());
    world.expect(&["haul", GAME, "--to", "newhold", "--yes"], 0);
}
