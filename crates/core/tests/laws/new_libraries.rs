//! A game that goes to a drive where its launcher has no library yet: the list of libraries says the new one as its launcher would have
//! written it, in every format, and says nothing of it once the haul is undone.

use std::fs;
use std::path::PathBuf;

use deft_barge_core::haul::{Control, undo_haul};
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::site::Site;

use crate::port::{declare, folder_in_memory, haul_folders};

type Writer = fn(&[String]) -> String;

fn json(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

fn xml(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;").replace('\'', "&apos;")
}

fn each(libraries: &[String], one: impl Fn(usize, &String) -> String) -> String {
    libraries.iter().enumerate().map(|(n, library)| one(n, library)).collect()
}

const SHAPES: [(&str, &str, Writer); 14] = [
    ("JSON, a list", "l.json", |all| {
        let one = |at: &String| format!("{{\"at\": {}, \"on\": true}}", json(at));
        format!("{{\"all\": [{}]}}\n", all.iter().map(one).collect::<Vec<_>>().join(", "))
    }),
    ("JSON, texts on lines", "l.json", |all| {
        format!("[\n  {}\n]\n", all.iter().map(|at| json(at)).collect::<Vec<_>>().join(",\n  "))
    }),
    ("JSON, by number", "l.json", |all| {
        let one = |(n, at): (usize, &String)| format!("\"{n}\": {{\"at\": {}}}", json(at));
        format!("{{\"all\": {{{}}}}}\n", all.iter().enumerate().map(one).collect::<Vec<_>>().join(", "))
    }),
    ("JSON, by a name with a number", "l.json", |all| {
        let one = |(n, at): (usize, &String)| format!("\"shelf-{}\": {}", n + 1, json(at));
        format!("{{\"all\": {{{}}}}}\n", all.iter().enumerate().map(one).collect::<Vec<_>>().join(", "))
    }),
    ("YAML", "l.yml", |all| format!("v: 1\nall:\n{}", each(all, |_, at| format!("- at: {}\n  on: true\n", json(at))))),
    ("YAML, texts", "l.yml", |all| format!("all:\n{}last: 1\n", each(all, |_, at| format!("  - {}\n", json(at))))),
    ("TOML, tables", "l.toml", |all| {
        format!("v = 1\n{}", each(all, |_, at| format!("\n[[shelf]]\nat = {}\non = true\n", json(at))))
    }),
    ("TOML, a list", "l.toml", |all| {
        format!("v = 1\nshelves = [{}]\n", all.iter().map(|at| json(at)).collect::<Vec<_>>().join(", "))
    }),
    ("INI, by number", "l.ini", |all| {
        format!("[shelves]\n{}[view]\nmode=2\n", each(all, |n, at| format!("{}={at}\n", n + 1)))
    }),
    ("INI, by a name with a number", "l.ini", |all| {
        format!("[view]\nmode=2\n\n[shelves]\n{}", each(all, |n, at| format!("shelf{n} = {at}\n")))
    }),
    ("an export of a registry", "l.reg", |all| {
        let at = |at: &str| at.replace('\\', "\\\\");
        let one = |n: usize, path: &String| {
            format!("\r\n[HKEY_CURRENT_USER\\Software\\New & Old\\Shelves\\{}]\r\n\"At\"=\"{}\"\r\n", n + 1, at(path))
        };
        format!("Windows Registry Editor Version 5.00\r\n{}", each(all, one))
    }),
    ("XML", "l.xml", |all| {
        format!("<all>\n{}</all>\n", each(all, |_, at| format!("  <shelf on=\"1\" at=\"{}\"/>\n", xml(at))))
    }),
    ("nested text, by number", "l.dat", |all| {
        format!("\"all\"\n{{\n{}}}\n", each(all, |n, at| format!("\t\"{n}\"\n\t{{\n\t\t\"at\" {}\n\t}}\n", json(at))))
    }),
    ("lines", "l.txt", |all| each(all, |_, at| format!("{at}\n"))),
];

fn try_shape(what: &str, file: &str, writer: Writer, folder_name: &str) {
    let folder = folder_in_memory();
    let top = folder.path().canonicalize().unwrap();
    declare(&top, &["swift", "newhold", "far"]);
    let drives = top.join("drives");
    let shelf = |drive: &str| drives.join(drive).join(folder_name);
    let home = top.join("home/.config/petrel");
    fs::create_dir_all(&home).unwrap();
    let mut games: Vec<(String, PathBuf)> = Vec::new();
    for (name, drive) in [("Fen", "swift"), ("Moor", "swift"), ("Oed", "newhold")] {
        let at = shelf(drive).join(name);
        fs::create_dir_all(&at).unwrap();
        fs::write(at.join("go"), "#!/bin/sh\n").unwrap();
        fs::write(at.join("all.pak"), [7; 3000]).unwrap();
        games.push((name.to_lowercase(), at));
    }
    let list = |games: &[(String, PathBuf)]| {
        let one = |(code, at): &(String, PathBuf)| {
            format!("{{\"code\": \"{code}\", \"at\": {}}}", json(at.to_str().unwrap()))
        };
        format!("[\n  {}\n]\n", games.iter().map(one).collect::<Vec<_>>().join(",\n  "))
    };
    let text = |path: PathBuf| path.to_str().unwrap().to_string();
    let known = [text(shelf("swift")), text(shelf("newhold"))];
    fs::write(home.join("games.json"), list(&games)).unwrap();
    fs::write(home.join(file), writer(&known)).unwrap();
    let site = Site::of_world(&top).unwrap();
    let launcher = learn(&site, &[], &[], &|_| {}).launchers.remove(0);
    let told = format!("{what}\n{}", launcher.profile);
    assert_eq!((&launcher.doubt, launcher.libraries), (&None, 2), "{told}");
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let haul = haul_folders(&site, &journal, &[games[0].1.clone()], "far", &told);
    let said = || (fs::read_to_string(home.join(file)).unwrap(), fs::read_to_string(home.join("games.json")).unwrap());
    let mut now = games.clone();
    now[0].1 = shelf("far").join("Fen");
    let more: Vec<String> = known.iter().cloned().chain([text(shelf("far"))]).collect();
    assert_eq!(said(), (writer(&more), list(&now)), "{told}");
    undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
    assert_eq!(said(), (writer(&known), list(&games)), "{told}, undone");
}

#[test]
fn a_new_library_is_listed_as_its_launcher_would_list_it() {
    let mut wrong = Vec::new();
    for (what, file, writer) in SHAPES {
        for folder in ["games", "Ny's & 日本"] {
            if let Err(why) = std::panic::catch_unwind(|| try_shape(what, file, writer, folder)) {
                wrong.push(format!("{what} ({folder}): {}", why.downcast_ref::<String>().cloned().unwrap_or_default()));
            }
        }
    }
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n\n"));
}
