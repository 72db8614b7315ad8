//! The house: which module may know which. Read from the `use` lines and the paths of every file, so that nobody has to remember it.
//!
//! Law: each folder knows only what stands before it in [`CORE`] and [`APP`], and no two files know each other, by whatever way round.
//! A `mod.rs` that only passes on what its files have is no room: an arrow goes to the file that has the thing.

#![allow(
    clippy::unwrap_used,
    clippy::disallowed_methods,
    reason = "tests build their worlds by hand and end at what should not be"
)]

mod arrows;
mod sentences;

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use arrows::Crate;

/// The rooms of core, each knowing only those before it.
const CORE: [&str; 19] = [
    "bytes",
    "platform",
    "disk",
    "checksums",
    "site",
    "record",
    "launcher",
    "trace",
    "survey",
    "item",
    "preflight",
    "plan",
    "learn",
    "journal",
    "haul",
    "audit",
    "cleanup",
    "pack",
    "lib",
];

/// The rooms of the app: how things are said, what is done, and the two faces of it, which do not know each other but for the start.
const APP: [&str; 13] = [
    "tell",
    "present",
    "surroundings",
    "completing",
    "request",
    "service",
    "diagnostics",
    "detached",
    "commands",
    "config",
    "tui",
    "cli",
    "main",
];

fn read(folder: &str) -> Crate {
    Crate::read(&Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(folder).join("src"))
}

/// The arrows from one room to another that stands behind it, or is not on the list.
fn running_back(all: &BTreeMap<Vec<String>, BTreeSet<Vec<String>>>, order: &[&str]) -> Vec<String> {
    let place = |module: &[String]| module.first().and_then(|room| order.iter().position(|known| known == room));
    let mut wrong = Vec::new();
    for (from, to) in all {
        for to in to.iter().filter(|to| from.first() != to.first()) {
            if place(to).is_none_or(|behind| place(from).is_none_or(|before| before < behind)) && !from.is_empty() {
                wrong.push(format!("{} knows {}", from.join("/"), to.join("/")));
            }
        }
    }
    wrong
}

#[test]
fn in_core_no_room_knows_one_that_stands_behind_it() {
    let wrong = running_back(&read("core").arrows(), &CORE);
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn in_core_no_files_know_each_other() {
    let circles = arrows::circles(&read("core").arrows());
    assert!(circles.is_empty(), "{circles:#?}");
}

#[test]
fn in_the_app_no_room_knows_one_that_stands_behind_it_and_no_files_know_each_other() {
    let arrows = read("app").arrows();
    let wrong = running_back(&arrows, &APP);
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    let circles = arrows::circles(&arrows);
    assert!(circles.is_empty(), "{circles:#?}");
}

/// Lines that a file may have, tests too.
const LONGEST_FILE: usize = 500;

#[test]
fn every_file_is_one_room_and_no_house() {
    let mut long = Vec::new();
    let mut seen = 0;
    for folder in ["core", "app", "charts", "harbor", "fuzz"] {
        let top = Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(folder);
        let mut folders = ["src", "tests", "benches"].map(|part| top.join(part)).to_vec();
        folders.retain(|part| part.is_dir());
        while let Some(folder) = folders.pop() {
            for entry in std::fs::read_dir(&folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                } else if path.extension().is_some_and(|end| end == "rs") {
                    let lines = std::fs::read_to_string(&path).unwrap().lines().count();
                    seen += 1;
                    long.extend((lines > LONGEST_FILE).then(|| format!("{}: {lines}", path.display())));
                }
            }
        }
    }
    assert!(seen > 400, "only {seen} files");
    assert!(long.is_empty(), "{}", long.join("\n"));
}

#[test]
fn who_prints_is_the_command_line_alone() {
    let printing = ["println!", "print!", "stdout()"];
    let mut found = Vec::new();
    for (module, text) in read("app").texts() {
        // The interface draws on the terminal; a sink and a fault end at the command line.
        let may = module.first().is_none_or(|room| ["tui", "cli", "diagnostics"].contains(&room.as_str()))
            || ["service/sink", "present/fault"].contains(&module.join("/").as_str());
        found.extend(
            printing.iter().filter(|how| !may && text.contains(**how)).map(|how| format!("{} {how}", module.join("/"))),
        );
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
}

#[test]
fn outside_of_the_platforms_own_folder_nothing_knows_the_system_by_its_own_names() {
    let own = ["rustix", "procfs", "nix", "libc", "std::os::", "cfg(target_os", "cfg(unix", "cfg(windows"];
    let in_platform = |module: &[String]| {
        ["linux", "windows"].iter().any(|system| module.starts_with(&["platform".into(), (*system).into()]))
            // Where it is chosen which of the two there is.
            || *module == ["platform"]
    };
    let (core, app) = (read("core"), read("app"));
    let knows = |text: &str| own.into_iter().filter(|name| text.contains(name)).collect::<Vec<_>>();
    let outside = core.texts().filter(|(module, _)| !in_platform(module)).chain(app.texts());
    let wrong: Vec<String> = outside
        .flat_map(|(module, text)| {
            knows(text).into_iter().map(move |name| format!("{} names {name}", module.join("/")))
        })
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    let platform = core.texts().filter(|(module, _)| in_platform(module)).flat_map(|(_, text)| knows(text));
    assert!(platform.count() > 1, "the platform itself does, or this test sees nothing");
}

#[test]
fn an_arrow_back_and_a_circle_are_seen() {
    let folder = tempfile::tempdir().unwrap();
    let file = |path: &str, text: &str| {
        let path = folder.path().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    };
    file("lib.rs", "mod low;\nmod high;\n");
    file("low/mod.rs", "mod one;\nmod two;\npub use one::One;\npub(crate) use two::{Two as Second};\n");
    file("low/one.rs", "// use crate::high::Nothing;\nuse super::two::{\n    Two,\n};\npub struct One;\n");
    file(
        "low/two.rs",
        "pub struct Two;\nfn f() -> crate::low::One { todo!(\"crate::high::Nothing\") }\n#[cfg(test)]\nmod tests {\n    use crate::high::High;\n}\n",
    );
    file("high.rs", "use crate::low::{One, Second};\npub struct High;\n");
    let found = Crate::read(folder.path());
    let arrows = found.arrows();
    let of = |path: &str| path.split('/').map(str::to_string).collect::<Vec<_>>();
    assert_eq!(arrows[&of("high")], BTreeSet::from([of("low/one"), of("low/two")]), "through what a folder passes on");
    assert_eq!(arrows::circles(&arrows), [[of("low/one"), of("low/two")].map(|file| file.join("/")).to_vec()]);
    assert_eq!(running_back(&arrows, &["low", "high"]), [""; 0]);
    assert_eq!(running_back(&arrows, &["high", "low"]).len(), 2);
    file("low/two.rs", "use crate::high::High;\npub struct Two;\n");
    let arrows = Crate::read(folder.path()).arrows();
    assert_eq!(running_back(&arrows, &["low", "high"]), ["low/two knows high"]);
    assert_eq!(arrows::circles(&arrows).len(), 1);
}

/// Names of types that a text declares for others to use, tests left out.
fn types_in(text: &str) -> Vec<String> {
    let text = text.split("#[cfg(test)]").next().unwrap_or_default();
    let declares = |line: &str| {
        let line = line.strip_prefix("pub(crate) ").or_else(|| line.strip_prefix("pub "))?;
        let kinds = ["struct ", "enum ", "trait ", "type "];
        let name = kinds.iter().find_map(|kind| line.strip_prefix(kind))?;
        Some(name.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect())
    };
    text.lines().filter_map(declares).collect()
}

#[test]
fn no_two_types_of_core_have_one_name() {
    let mut files: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    let mut waiting = vec![Path::new(env!("CARGO_MANIFEST_DIR")).join("src")];
    while let Some(folder) = waiting.pop() {
        for entry in std::fs::read_dir(&folder).unwrap().flatten() {
            let path = entry.path();
            if path.is_dir() {
                // Of the platforms one is built at a time, and each has the same types.
                waiting.extend((!path.ends_with("platform/windows")).then_some(path));
            } else if path.extension().is_some_and(|end| end == "rs") {
                for name in types_in(&std::fs::read_to_string(&path).unwrap()) {
                    files.entry(name).or_default().insert(path.display().to_string());
                }
            }
        }
    }
    assert!(files.len() > 200, "{} types", files.len());
    let twice: Vec<_> = files.iter().filter(|(_, files)| files.len() > 1).collect();
    assert!(twice.is_empty(), "{twice:#?}");
    assert_eq!(
        types_in("pub struct A;\n#[derive(Debug)]\npub(crate) enum B {}\nstruct C;\n    pub type D = u8;\n"),
        ["A", "B"]
    );
}
