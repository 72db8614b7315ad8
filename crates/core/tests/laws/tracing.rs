//! The trace: what a launcher nobody has described keeps written down is found, drafted, and moved without a profile.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, prove_haul, undo_haul};
use deft_barge_core::item::{FindingKind, LooseFolders, Policy, Residue, Severity};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::launcher::WhyStaying;
use deft_barge_core::plan::{Destination, Draft, MakeLetters, Plan, plan};
use deft_barge_core::record::{Content, Edit, Files, Mood};
use deft_barge_core::survey::{GameId, add_to_survey, survey};
use deft_barge_core::trace::usual_places;
use deft_barge_core::trace::{ChoiceFault, Sure, Trace, trace};
use deft_barge_harbor::launchers::Launcher;

use crate::house::{GAMES, House, same};
use crate::packers::{PACKED, packed};

const PLACES: [(&str, Launcher, &str, usize); 7] = [
    ("drives/cellar/ninepin/hexwood", Launcher::Ninepin, "np-03", 3),
    ("drives/swift/ninepin/Underhill Threshers", Launcher::Ninepin, "np-08", 3),
    ("drives/swift/lamp/pale-signal", Launcher::ParlourLamp, "pale-signal", 3),
    ("drives/cellar/fathom/quiet foundry", Launcher::FathomRow, "fr-21", 2),
    ("drives/swift/tolliver/gull-parliament", Launcher::Tolliver, "tv-11", 3),
    ("drives/swift/quillgate/saltflat-rally", Launcher::Quillgate, "qg-0107", 2),
    ("drives/cellar/quillgate/night-ferry", Launcher::Quillgate, "qg-0095", 2),
];

fn traced(house: &House, path: &Path) -> Trace {
    let site = house.site();
    trace(&site, path, &usual_places(&site, path), &|_| {})
}

fn planned(house: &House, trace: &Trace, to: &str) -> Plan {
    let site = house.site();
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut survey, trace);
    let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
    draft.send(id, Destination::Drive(to.into()));
    plan(&site, &survey, &draft, Policy::Hold)
}

#[test]
fn every_record_of_every_launcher_is_found_without_a_profile() {
    let house = House::new();
    let profiles = house.home().join(".config/deft-barge/profiles");
    fs::remove_dir_all(profiles).unwrap();
    for (place, _, id, least) in PLACES {
        let path = house.folder().join(place);
        let trace = traced(&house, &path);
        let shown: Vec<_> =
            trace.finds.iter().map(|f| (&f.record.file, &f.record.location, &f.record.text, f.sure)).collect();
        assert!(trace.finds.len() >= least, "{id}: {shown:#?}");
        assert!(trace.problems.is_empty(), "{id}: {:?}", trace.problems);
        for find in trace.sure() {
            assert!(find.record.spelling.is_empty() != find.record.meaning.base().is_some(), "{find:?}");
        }
    }
}

#[test]
fn a_folder_is_hauled_and_returned_by_its_trace_alone() {
    let house = House::new();
    fs::remove_dir_all(house.home().join(".config/deft-barge/profiles")).unwrap();
    let before = house.records();
    for (place, launcher, id, _) in &PLACES[..4] {
        let path = house.folder().join(place);
        let trace = traced(&house, &path);
        let plan = planned(&house, &trace, "newhold");
        assert!(!plan.blocked(), "{id}: {:?}", plan.findings);
        let haul = house.haul(&plan, None).unwrap();
        let history = History::of(&house.site()).unwrap();
        let proof = history.haul(haul).unwrap().items[0].proof.clone().unwrap();
        assert!(proof.records_lead_here && proof.differ == 0 && proof.missing == 0, "{id}: {proof:?}");
        let judged = launcher.judge(&launcher.home(&house.home()), id).unwrap();
        assert!(
            judged.content() && judged.folder.starts_with(house.folder().join("drives/newhold")),
            "{id}: {judged:?}"
        );
        house.give_back(haul);
        assert!(launcher.judge(&launcher.home(&house.home()), id).unwrap().content(), "{id}");
        same(&before, &house.records(), id);
    }
}

#[test]
fn a_traced_haul_whose_records_changed_afterwards_does_not_hold_its_proof() {
    let house = House::new();
    let path = house.folder().join("drives/swift/lamp/pale-signal");
    let trace = traced(&house, &path);
    let plan = planned(&house, &trace, "newhold");
    let haul = house.haul(&plan, None).unwrap();
    let db = rusqlite::Connection::open(house.home().join(".local/share/parlour-lamp/lamp.db")).unwrap();
    db.execute("update lit set path = '/elsewhere' where key = 'pale-signal'", []).unwrap();
    drop(db);
    let site = house.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let items = journal.haul(haul).unwrap().unwrap().items;
    let proofs = deft_barge_core::haul::prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
    assert!(!proofs[0].1.records_lead_here);
    assert!(Haul::begin(&site, &journal, &plan).is_ok_and(|mut haul| haul.run(&|_| {}, &Control::default()).is_err()));
}

#[test]
fn every_spelling_in_every_format_is_found_and_what_is_not_the_path_is_not() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    let write = |path: &str, text: &[u8]| {
        let at = top.join(path);
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(at, text).unwrap();
    };
    let game = top.join("games/Pale Signal");
    write("games/Pale Signal/start", b"");
    write("games/Pale Signal Two/start", b"");
    write("the other/keep", b"");
    let here = game.to_str().unwrap();
    let windows = format!("Z:{}", here.replace('/', "\\"));
    let wide = |text: &str| -> Vec<u8> {
        [0xff, 0xfe].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect()
    };
    let digits: Vec<String> =
        windows.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).map(|b| format!("{b:02x}")).collect();
    let uri = format!("file://{}", here.replace(' ', "%20"));
    write(
        "home/.config/a/plain.json",
        format!("{{\"x\": [{{\"at\": \"{here}\"}}], // c\n \"other\": \"{here} Two\"}}").as_bytes(),
    );
    write("home/.config/b/uri.yaml", format!("at: {uri}\nbelow: {uri}/start\n").as_bytes());
    // A tail that is no text cannot be said of another place, and must not be taken for the folder itself.
    write("home/.config/b/raw.yaml", format!("at: {uri}/%FF\n").as_bytes());
    write("home/.config/c/list.ini", format!("[p]\nall = /usr;{here};/x\ncmd = \"{here}/start\" --x\n").as_bytes());
    write(
        "home/.layer/system.reg",
        &wide(&format!(
            "Windows Registry Editor Version 5.00\r\n\r\n[K]\r\n\"a\"=\"{}\"\r\n\"b\"=hex(2):{}\r\n",
            windows.replace('\\', "\\\\"),
            digits.join(",")
        )),
    );
    fs::create_dir_all(top.join("home/.layer/dosdevices")).unwrap();
    std::os::unix::fs::symlink("/", top.join("home/.layer/dosdevices/z:")).unwrap();
    write("home/.config/d/notes", format!("It lies in {here}, I think.\nAnd not in {here} Two.\n").as_bytes());
    write("home/.config/d/blob.dat", &[b"\0\xff\0", here.as_bytes(), b"\0"].concat());
    write(
        "home/.local/share/e/in.xml",
        format!("<r><v j='{{&quot;p&quot;: &quot;{here}/start&quot;}}'/></r>").as_bytes(),
    );
    std::os::unix::fs::symlink(&game, top.join("home/.config/link")).unwrap();
    write(
        "world.toml",
        "format = 1\nhome = \"home\"\n[[drives]]\ntag = 1\nname = \"one\"\nroot = \"games\"\ncapacity = 1000000\nkind = \"ssd\"\nfile-system = \"ext4\"\n[[drives]]\ntag = 2\nname = \"two\"\nroot = \"the other\"\ncapacity = 1000000\nkind = \"ssd\"\nfile-system = \"ext4\"\n".to_string()
        .as_bytes(),
    );
    let site = deft_barge_core::site::Site::of_world(&top).unwrap();
    let trace = trace(&site, &game, &usual_places(&site, &game), &|_| {});
    let mut found: Vec<(String, String, Sure)> = trace
        .finds
        .iter()
        .map(|find| {
            let name = find.record.file.file_name().unwrap().to_string_lossy().into_owned();
            (name, find.record.meaning.to_string(), find.sure)
        })
        .collect();
    found.sort();
    let wanted = [
        ("blob.dat", "{folder}", Sure::Unreadable),
        ("in.xml", "{install}/{tail}", Sure::Certain),
        ("link", "{install}", Sure::Certain),
        ("list.ini", "{install}", Sure::Certain),
        ("list.ini", "{install}/{tail}", Sure::Certain),
        ("notes", "{install}", Sure::Certain),
        ("plain.json", "{install}", Sure::Certain),
        ("raw.yaml", "{folder}", Sure::Unreadable),
        ("system.reg", "{install}", Sure::Certain),
        ("system.reg", "{install}", Sure::Certain),
        ("uri.yaml", "{install}", Sure::Certain),
        ("uri.yaml", "{install}/{tail}", Sure::Certain),
    ];
    let wanted: Vec<_> = wanted.iter().map(|(a, b, c)| ((*a).to_string(), (*b).to_string(), *c)).collect();
    assert_eq!(found, wanted, "{:#?}\n{:?}", trace.finds, trace.problems);
    // What was found can be written for another place, each in its own spelling.
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut survey, &trace);
    let mut draft = Draft::default();
    draft.send(id, Destination::Drive("two".into()));
    let plan = plan(&site, &survey, &draft, Policy::Hold);
    let news: Vec<&str> = plan.items[0].previews.iter().map(|preview| preview.after.as_str()).collect();
    for part in
        ["the%20other/games/Pale%20Signal/start", "\\the other\\games\\Pale Signal", "/the other/games/Pale Signal"]
    {
        assert!(news.iter().any(|new| new.contains(part)), "{part}: {news:#?}");
    }
    assert_eq!(plan.items[0].edits.len(), 10, "{news:#?}");
}

/// Names that begin as the game's does belong to other games, in whatever format and whether they are there or not.
#[test]
fn records_of_a_game_whose_name_goes_on_stay_as_they_are() {
    let others =
        ["Fen Two", "Fen (2020)", "Fen - Gold", "Fen, Again", "Fen: Return", "Fen & Fell", "Fenland", "Fen.old"];
    for there in [false, true] {
        let house = House::new();
        let at = |name: &str| house.folder().join("drives/swift/games").join(name);
        fs::create_dir_all(at("Fen/bin")).unwrap();
        fs::write(at("Fen/bin/go"), "go").unwrap();
        for name in others.iter().filter(|_| there) {
            fs::create_dir_all(at(name).join("bin")).unwrap();
            fs::write(at(name).join("bin/go"), "go").unwrap();
        }
        let folder = house.home().join(".config/kite");
        fs::create_dir_all(&folder).unwrap();
        let path = |name: &str| at(name).to_str().unwrap().to_string();
        let all: Vec<String> =
            ["Fen"].iter().chain(&others).flat_map(|name| [path(name), path(name) + "/bin/go"]).collect();
        let keyed = |line: &dyn Fn(usize, &str) -> String| -> String {
            all.iter().enumerate().map(|(n, text)| line(n, text)).collect()
        };
        let xml = |text: &str| text.replace('&', "&amp;");
        let files = [
            ("list.json", serde_json::to_string_pretty(&all).unwrap()),
            ("list.yaml", keyed(&|n, text| format!("k{n}: '{text}'\n"))),
            ("list.toml", keyed(&|n, text| format!("k{n} = '{text}'\n"))),
            ("list.ini", format!("[games]\n{}", keyed(&|n, text| format!("k{n}={text}\n")))),
            ("list.xml", format!("<all>{}</all>\n", keyed(&|_, text| format!("<at>{}</at>", xml(text))))),
            ("list.txt", keyed(&|_, text| format!("{text}\n"))),
            (
                "list.desktop",
                keyed(&|n, text| {
                    let head = if n == 0 { "[Desktop Entry]".into() } else { format!("[Desktop Action a{n}]") };
                    format!("{head}\nName=Kite\nPath={text}\nExec=\"{text}\" %u\nX-Kite={text}\n")
                }),
            ),
            (
                "starts.json",
                serde_json::to_string(&all.iter().map(|text| format!("run \"{text}\" --full")).collect::<Vec<_>>())
                    .unwrap(),
            ),
        ];
        for (name, text) in &files {
            fs::write(folder.join(name), text).unwrap();
        }
        let trace = traced(&house, &at("Fen"));
        let plan = planned(&house, &trace, "newhold");
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let site = house.site();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let new = plan.items[0].to.to_str().unwrap();
        for (name, text) in &files {
            let now = fs::read_to_string(folder.join(name)).unwrap();
            let old = path("Fen");
            // The game's own are those that its name ends with, or that go on below it.
            let mut wanted = text.clone();
            for end in ["/bin/go", "\"", "'", "\n", "<"] {
                let (from, to) = (format!("{old}{end}"), format!("{new}{end}"));
                wanted = wanted.replace(&from, &to).replace(&from.replace('"', "\\\""), &to.replace('"', "\\\""));
            }
            assert_eq!(now, wanted, "{name}, others there: {there}");
        }
    }
}

/// An export of a registry is UTF-16 where the system writes it, and says some texts in the digits of their bytes.
#[test]
fn exports_of_a_registry_are_found_and_rewritten_in_either_encoding_and_a_later_one_is_told() {
    for name in ["Fen Two", "Öd & Weit", "日の出", "O\u{308}d & Weit", "Kite 🪁"] {
        let house = House::new();
        let path = house.folder().join("drives/swift/games").join(name);
        fs::create_dir_all(path.join("bin")).unwrap();
        fs::write(path.join("bin/go"), "go").unwrap();
        let digits = |text: String| -> String {
            let bytes: Vec<String> =
                text.encode_utf16().flat_map(u16::to_le_bytes).map(|byte| format!("{byte:02x}")).collect();
            bytes.chunks(23).map(|row| row.join(",")).collect::<Vec<_>>().join(",\\\r\n  ")
        };
        let at = path.to_str().unwrap();
        let values = [
            format!("\"Text\"=\"{at}\""),
            format!("\"Grows\"=hex(2):{}", digits(format!("{at}\0"))),
            format!("\"All\"=hex(7):{}", digits(format!("/elsewhere\0{at}/bin/go\0\0"))),
        ];
        let text = |values: &[String]| {
            format!(
                "Windows Registry Editor Version 5.00\r\n\r\n[HKEY_CURRENT_USER\\Kite]\r\n{}\r\n",
                values.join("\r\n")
            )
        };
        let wide = |text: &str| [vec![0xff, 0xfe], text.encode_utf16().flat_map(u16::to_le_bytes).collect()].concat();
        let folder = house.home().join(".config/kite");
        fs::create_dir_all(&folder).unwrap();
        // Each value in a file of its own as well: none is found by way of another.
        let mut files: Vec<(PathBuf, Vec<u8>)> = Vec::new();
        for (n, some) in [&values[..], &values[..1], &values[1..2], &values[2..]].into_iter().enumerate() {
            files.push((folder.join(format!("wide{n}.reg")), wide(&text(some))));
            files.push((folder.join(format!("plain{n}.reg")), text(some).into_bytes()));
        }
        for (file, bytes) in &files {
            fs::write(file, bytes).unwrap();
        }
        let trace = traced(&house, &path);
        let found = |file: &Path| {
            trace.finds.iter().filter(|find| find.record.file == file && find.sure == Sure::Certain).count()
        };
        let counts: Vec<usize> = files.iter().map(|(file, _)| found(file)).collect();
        assert_eq!(counts, [3, 3, 1, 1, 1, 1, 1, 1], "{name}: {:#?}", trace.finds);
        let plan = planned(&house, &trace, "newhold");
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let haul = house.haul(&plan, None).unwrap();
        let new = traced(&house, &plan.items[0].to);
        for ((file, _), count) in files.iter().zip(counts) {
            let now = new.finds.iter().filter(|find| find.record.file == *file && find.sure == Sure::Certain).count();
            assert_eq!(now, count, "{name}: {}", file.display());
        }
        let site = house.site();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        // What another program exports later is seen by a later proof.
        let late = folder.join("late.reg");
        fs::write(&late, wide(&text(&values[1..2]))).unwrap();
        let items = journal.haul(haul).unwrap().unwrap().items;
        let proofs = prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
        assert_eq!(proofs[0].1.residue.as_ref().unwrap().files, std::slice::from_ref(&late), "{name}");
        fs::remove_file(late).unwrap();
        undo_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
        for (file, bytes) in &files {
            assert_eq!(fs::read(file).unwrap(), *bytes, "{name}: {}", file.display());
        }
    }
}

/// A file that speaks of another game alone has none of this one's places, in whatever way its format writes what stands around them.
#[test]
fn files_that_speak_of_a_game_whose_name_goes_on_are_none_of_this_ones() {
    for there in [false, true] {
        let house = House::new();
        let at = |name: &str| house.folder().join("drives/swift/games").join(name);
        let folder = house.home().join(".config/kite");
        fs::create_dir_all(&folder).unwrap();
        fs::create_dir_all(at("Fen/bin")).unwrap();
        fs::write(at("Fen/bin/go"), "go").unwrap();
        for (n, name) in ["Fen Two", "Fen - Gold", "Fen, Again", "Fen & Fell", "Fenland", "Fen.old"].iter().enumerate()
        {
            if there {
                fs::create_dir_all(at(name).join("bin")).unwrap();
                fs::write(at(name).join("bin/go"), "go").unwrap();
            }
            let path = at(name).to_str().unwrap().to_string();
            for (m, text) in [
                format!("\"{path}/bin/go\" --full"),
                serde_json::json!({"in": path}).to_string(),
                format!("--at=\"{path}\" --full"),
                format!("'{path}' \"{path}\""),
            ]
            .iter()
            .enumerate()
            {
                let json = serde_json::Value::from(text.as_str()).to_string();
                let xml = text.replace('&', "&amp;").replace('"', "&quot;").replace('<', "&lt;");
                let yaml = text.replace('\'', "''");
                for (end, text) in [
                    ("json", format!("{{\"v\": 1, \"at\": {json}}}\n")),
                    ("jsonl", format!("{{\"v\": {json}}}\n{{\"v\": 2}}\n")),
                    ("xml", format!("<all>\n  <at>{xml}</at>\n  <b at=\"{xml}\"/>\n</all>\n")),
                    ("toml", format!("v = 1\nat = {json}\n")),
                    ("yaml", format!("v: 1\nat: '{yaml}'\nit: {json}\n")),
                    ("dat", format!("\"games\"\n{{\n\t\"at\" {json}\n\t\"b\" \"1\"\n}}\n")),
                    ("ini", format!("[g]\nv=1\nat={text}\nit={json}\n")),
                    ("conf", format!("v = 1\nat = {json}\n")),
                    ("reg", format!("REGEDIT4\n\n[A]\n\"v\"=\"1\"\n\"at\"={json}\n")),
                    ("txt", format!("first\n{text}\nlast\n")),
                    ("cfg", format!("games {{\n  at = {json};\n  b = 1;\n}}\n")),
                ] {
                    fs::write(folder.join(format!("list-{n}-{m}.{end}")), text).unwrap();
                }
            }
        }
        let trace = traced(&house, &at("Fen"));
        let wrong: Vec<_> = trace.finds.iter().filter(|find| find.sure <= Sure::Likely).collect();
        assert!(wrong.is_empty(), "others there: {there}: {wrong:#?}");
        assert!(trace.problems.is_empty(), "{:?}", trace.problems);
    }
}

/// All that one text says of the game changes at once, and a key that is a path after what is found by way of it.
#[test]
fn texts_with_several_paths_and_keys_with_paths_below_them_are_rewritten_whole_and_come_back() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Fen Moor");
    fs::create_dir_all(at.join("bin")).unwrap();
    for name in ["go", "setup"] {
        fs::write(at.join("bin").join(name), name).unwrap();
    }
    let folder = house.home().join(".config/kite");
    fs::create_dir_all(&folder).unwrap();
    let old = at.to_str().unwrap().to_string();
    let value = serde_json::json!({
        "sentence": format!("It lies in {old}, and starts with {old}/bin/go."),
        "twice": format!("copy \"{old}\" \"{old}\""),
        "start": format!("\"{old}/bin/setup\" --then \"{old}/bin/go\" --dir=\"{old}\""),
        "list": format!("{old}/bin;/usr/bin;{old}/bin"),
        "by_path": { old.clone(): { "at": old, "inner": { format!("{old}/bin"): [format!("{old}/bin/go")] } } },
    });
    let text = serde_json::to_string_pretty(&value).unwrap();
    let file = folder.join("all.json");
    fs::write(&file, &text).unwrap();
    let trace = traced(&house, &at);
    let plan = planned(&house, &trace, "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let site = house.site();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    assert_eq!(fs::read_to_string(&file).unwrap(), text.replace(&old, plan.items[0].to.to_str().unwrap()));
    let edits = Edit::turned_all(&plan.items[0].edits);
    let mut files = Files::default();
    files.make(&edits, Mood::Strict).unwrap();
    let change = files.changes().into_iter().find(|change| change.file.ends_with("all.json")).unwrap();
    assert_eq!(change.after, Content::Bytes(text.into_bytes()));
}

/// An element of a list of arguments is one argument, blanks and all; a text that is called something is parted at them by its launcher.
#[test]
fn the_value_of_an_option_is_one_path_where_nothing_parts_it_and_a_word_elsewhere() {
    use deft_barge_core::record::Within;
    for (name, called) in [("Fen", Within::Command), ("Fen Two", Within::Text)] {
        let house = House::new();
        let at = house.folder().join("drives/swift/kites").join(name);
        fs::create_dir_all(at.join("bin")).unwrap();
        fs::write(at.join("bin/go"), "#!/bin/sh\n").unwrap();
        fs::create_dir_all(house.folder().join("drives/swift/kites/Fen/bin")).unwrap();
        let old = at.to_str().unwrap();
        let said = |at: &str| serde_json::json!([{"args": [format!("--root={at}"), format!("-d={at}/bin"), "--x=1"], "more": format!("--root={at}")}]);
        let file = house.home().join(".config/kite/list.json");
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(&file, said(old).to_string()).unwrap();
        let trace = traced(&house, &at);
        let within: Vec<(&str, Within)> =
            trace.sure().map(|find| (find.record.location.as_str(), find.record.within)).collect();
        let args = [("$[0]['args'][0]", Within::Text), ("$[0]['args'][1]", Within::Text), ("$[0]['more']", called)];
        assert_eq!(within, args, "{name}");
        let plan = planned(&house, &trace, "newhold");
        let site = house.site();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let new = plan.items[0].to.to_str().unwrap();
        assert_eq!(fs::read_to_string(&file).unwrap(), said(new).to_string(), "{name}");
    }
}

/// A launcher may find a game by a checksum of its path, or refuse a file that is not what a checksum says: nobody here keeps those true.
#[test]
fn checksums_of_the_path_and_of_files_that_say_it_are_named_and_a_launcher_that_has_them_is_not_learned() {
    use deft_barge_core::learn::{Doubt, learn};
    use sha1::Digest as _;
    let house = House::new();
    let kites = kites(&house);
    let at = |nth: usize| kites[nth].clone();
    let sha1 = sha1_of;
    let entries = |more: &dyn Fn(usize) -> String| -> String {
        let entry = |nth| format!("{{\"id\": \"k{nth}\", \"at\": \"{}\"{}}}", at(nth), more(nth));
        format!("[{}]", (0..3).map(entry).collect::<Vec<_>>().join(", "))
    };
    let plain = entries(&|_| String::new());
    let crc = crc32fast::hash(plain.as_bytes());
    // What is said of a game's archive, and a number of the launcher's, are no checksums of these.
    let fair = entries(&|nth| format!(", \"archive\": \"{}\"", sha1(&format!("archive {nth}"))));
    let raw = sha1::Sha1::digest(at(1));
    let packed = {
        let entry = |nth| format!("d2:at{}:{}2:id2:k{nth}e", at(nth).len(), at(nth));
        let head = format!("d3:alll{}e3:sum20:", (0..3).map(entry).collect::<String>());
        [head.as_bytes(), raw.as_slice(), b"e"].concat()
    };
    type Case = (&'static str, Vec<(&'static str, String)>, Option<&'static str>);
    let cases: Vec<Case> = vec![
        (
            "a key of the path",
            vec![("a.json", entries(&|nth| format!(", \"key\": \"{}\"", sha1(&at(nth)))))],
            Some("a.json"),
        ),
        (
            "in capitals",
            vec![("a.json", entries(&|nth| format!(", \"key\": \"{}\"", sha1(&at(nth)).to_uppercase())))],
            Some("a.json"),
        ),
        (
            "beside the file",
            vec![("a.json", plain.clone()), ("a.json.crc", format!("{crc:08x}\n"))],
            Some("a.json.crc"),
        ),
        ("in a list", vec![("a.json", plain.clone()), ("sums", format!("{}  a.json\n", sha1(&plain)))], Some("sums")),
        ("of a part", vec![("a.json", format!("{{\"sum\": {crc}, \"games\": {plain}}}\n"))], Some("a.json")),
        (
            "by its name",
            vec![("a.json", format!("{{\"hmac\": \"{}\", \"games\": {plain}}}\n", sha1("?")))],
            Some("a.json"),
        ),
        (
            "none",
            vec![
                ("a.json", format!("{{\"build\": 20261129, \"games\": {fair}}}\n")),
                ("b", format!("{:08x}", crc ^ 1)),
            ],
            None,
        ),
    ];
    let texts = cases.into_iter().map(|(what, files, holds)| {
        let files: Vec<(&str, Vec<u8>)> = files.into_iter().map(|(name, text)| (name, text.into_bytes())).collect();
        (what, files, holds)
    });
    for (what, files, holds) in texts.chain([("in bytes", vec![("a.dat", packed)], Some("a.dat"))]) {
        let folder = house.home().join(".config/kite");
        let _ = fs::remove_dir_all(&folder);
        fs::create_dir_all(&folder).unwrap();
        for (name, text) in &files {
            fs::write(folder.join(name), text).unwrap();
        }
        let trace = traced(&house, Path::new(&kites[1]));
        assert!(trace.finds.iter().any(|find| find.sure == Sure::Certain), "{what}");
        let sums = trace.finds.iter().filter(|find| find.sure == Sure::Checksum);
        let sums: Vec<PathBuf> = sums.map(|find| find.record.file.clone()).collect();
        assert_eq!(sums, holds.map(|name| folder.join(name)).into_iter().collect::<Vec<_>>(), "{what}");
        let plan = planned(&house, &trace, "newhold");
        let told = plan.findings.iter().any(|finding| {
            matches!(&finding.kind, FindingKind::FilesStay(staying) if staying.why == WhyStaying::Checksum)
                && finding.severity == Severity::Warning
        });
        assert_eq!(told, holds.is_some(), "{what}: {:?}", plan.findings);
        let learned = learn(&house.site(), &[], &[], &|_| {}).launchers;
        let launcher = learned.iter().find(|one| one.home == folder).unwrap_or_else(|| panic!("{what}: {learned:?}"));
        assert_eq!(launcher.doubt, holds.map(|name| Doubt::Checksum(folder.join(name))), "{what}");
        // What the old path comes to stands there still, though the file was rewritten.
        if ["a key of the path", "in bytes"].contains(&what) {
            let site = house.site();
            let journal = Journal::open(&site).unwrap().recover().unwrap().0;
            let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
            let id = haul.id();
            haul.run(&|_| {}, &Control::default()).unwrap();
            let proof = journal.haul(id).unwrap().unwrap().items[0].proof.clone().unwrap();
            let unclear = holds.map(|name| folder.join(name)).into_iter().collect();
            assert_eq!(proof.residue.map(|residue| (residue.places, residue.unclear)), Some((0, unclear)), "{what}");
            undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        }
    }
}

/// Another launcher's checksums are named, and no reason against the one that keeps none.
#[test]
fn a_launcher_is_learned_though_another_one_keeps_checksums_of_its_paths() {
    use deft_barge_core::learn::learn;
    let house = House::new();
    let kites = kites(&house);
    let folder = house.home().join(".config/kite");
    let list: Vec<_> = kites.iter().enumerate().map(|(n, at)| serde_json::json!({"id": n + 70, "at": at})).collect();
    let other = house.home().join(".config/heron/keys.json");
    let keys = serde_json::json!({"recent": [{"named": "Fen 1", "key": sha1_of(&kites[1])}]});
    for (file, text) in [(folder.join("a.json"), serde_json::json!(list)), (other.clone(), keys)] {
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(file, text.to_string()).unwrap();
    }
    let trace = traced(&house, Path::new(&kites[1]));
    assert!(trace.finds.iter().any(|find| find.sure == Sure::Checksum && find.record.file == other));
    let learned = learn(&house.site(), &[], &[], &|_| {}).launchers;
    let launcher = learned.iter().find(|one| one.home == folder).expect("a launcher");
    assert_eq!(launcher.doubt, None);
}

/// Three games of a launcher that no profile describes, by their folders.
fn kites(house: &House) -> Vec<String> {
    let made = |nth: u8| {
        let at = house.folder().join(format!("drives/swift/kites/Fen {nth}"));
        fs::create_dir_all(at.join("bin")).unwrap();
        fs::write(at.join("bin/go"), "#!/bin/sh\n").unwrap();
        fs::write(at.join("data.pak"), vec![nth; 5000]).unwrap();
        at.to_str().unwrap().to_string()
    };
    (0..3).map(made).collect()
}

fn sha1_of(text: &str) -> String {
    use sha1::Digest as _;
    sha1::Sha1::digest(text).iter().map(|byte| format!("{byte:02x}")).collect()
}

/// What counts its bytes, is no text, or says what was is named and left; what says what is is rewritten.
#[test]
fn logs_backups_caches_and_texts_that_count_their_bytes_stay_as_they_are_and_are_named() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Fen Moor");
    fs::create_dir_all(&at).unwrap();
    fs::write(at.join("go"), "go").unwrap();
    let old = at.to_str().unwrap().to_string();
    let folder = house.home().join(".config/kite");
    let live = format!("{{\"games\": [{{\"at\": \"{old}\"}}]}}");
    let lines = |count: usize| "a line\n".repeat(count);
    let n = old.len();
    let files: Vec<(&str, String, Sure)> = vec![
        ("list.json", live.clone(), Sure::Certain),
        ("list.json.bak", live.clone(), Sure::Backup),
        ("list.json~", live.clone(), Sure::Backup),
        ("list.json.1", live.clone(), Sure::Backup),
        ("list-2026-01-02.json", live.clone(), Sure::Backup),
        ("backups/list.json", live.clone(), Sure::Backup),
        ("run.log", format!("started {old}\n"), Sure::Log),
        ("logs/today.txt", format!("started {old}\n"), Sure::Log),
        ("history", format!("2026-01-02 10:00:00 a\n2026-01-02 10:00:01 {old}\n2026-01-02 10:00:02 b\n"), Sure::Log),
        ("GPUCache/index.json", live.clone(), Sure::Cache),
        ("state.txt", format!("a:1:{{s:2:\"at\";s:{n}:\"{old}\";}}"), Sure::Unreadable),
        ("state.txt.bak", format!("a:1:{{s:2:\"at\";s:{n}:\"{old}\";}}"), Sure::Backup),
        ("logs/state.dat", format!("d2:at{n}:{old}e and more"), Sure::Log),
        ("state.net", format!("2:at,{n}:{old},"), Sure::Unreadable),
        ("state.dat", format!("d2:at{n}:{old}e and more"), Sure::Unreadable),
        ("packed.txt", format!("{}{old}\n\0\u{1}more", lines(2000)), Sure::Unreadable),
        ("control.ini", format!("[a]\nat={old}\nraw=\u{2}\u{3}\n"), Sure::Unreadable),
        // Cut short: its lines would say the path in another spelling.
        ("cut.json", live.replace(' ', "\\u0020").replace(&live[live.len() - 2..], ""), Sure::Unreadable),
        ("cut.xml", format!("<all><at>{}</at><x></all>", old.replace(' ', "&#32;")), Sure::Unreadable),
    ];
    for (name, text, _) in &files {
        let file = folder.join(name);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(file, text).unwrap();
    }
    let trace = traced(&house, &at);
    for (name, text, sure) in &files {
        let finds: Vec<Sure> =
            trace.finds.iter().filter(|find| find.record.file == folder.join(name)).map(|find| find.sure).collect();
        assert_eq!(finds, [*sure], "{name}: {text:.80}");
    }
    let plan = planned(&house, &trace, "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    // The plan names each of them, with the reason.
    let staying = plan.findings.iter().filter_map(|finding| match &finding.kind {
        FindingKind::FilesStay(staying) => Some((staying.why, staying.files.len(), finding.severity)),
        _ => None,
    });
    let staying: Vec<_> = staying.collect();
    assert_eq!(
        staying,
        [
            (WhyStaying::Unreadable, 7, Severity::Warning),
            (WhyStaying::Log, 4, Severity::Note),
            (WhyStaying::Backup, 6, Severity::Note),
            (WhyStaying::Cache, 1, Severity::Note),
        ]
    );
    let site = house.site();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    for (name, text, sure) in &files {
        let new = plan.items[0].to.to_str().unwrap();
        let wanted = if *sure == Sure::Certain { text.replace(&old, new) } else { text.clone() };
        assert_eq!(fs::read_to_string(folder.join(name)).unwrap(), wanted, "{name}");
    }
}

/// Formats of bytes are rewritten as their own launcher would write them, wherever the path goes; what they say and nobody reads is named.
#[test]
fn formats_of_bytes_are_rewritten_as_their_launchers_would_and_what_is_not_read_is_named() {
    for folder in ["Fen Moor", "Moor's End", "Öd & 50% land", "o", "海 Fen", "O\u{308}d land", "Kite 🪁"] {
        let house = House::new();
        let at = house.folder().join("drives/swift/games").join(folder);
        fs::create_dir_all(&at).unwrap();
        fs::create_dir_all(at.with_file_name("Fen Moor Two")).unwrap();
        fs::write(at.join("go"), "go").unwrap();
        let home = house.home().join(".config/kite");
        fs::create_dir_all(&home).unwrap();
        let other = at.with_file_name("Fen Moor Two");
        let said = |path: &Path| {
            let path = path.to_str().unwrap();
            serde_json::json!({"v": 7, "games": [
                {"at": path, "run": format!("\"{path}/go\" --full"), "deep": {"more": {"uri": format!("{path}/save/x")}}},
                {"at": other.to_str().unwrap(), "run": "none", "deep": {"more": {"uri": "none"}}},
            ]})
        };
        for end in PACKED {
            fs::write(home.join(format!("list.{end}")), packed(end, &said(&at))).unwrap();
        }
        // A picture in it that happens to say the path.
        let mut raw = b"\x81\xa3art\xc4\xff".to_vec();
        let hidden = format!("\0\u{80}{}/go\0", at.display());
        let hidden = [&[0xff, 0xfe][..], hidden.as_bytes()].concat();
        raw.extend([hidden.clone(), vec![0; 255 - hidden.len()]].concat());
        fs::write(home.join("art.msgpack"), &raw).unwrap();
        let trace = traced(&house, &at);
        let of = |name: &str| -> Vec<Sure> {
            trace.finds.iter().filter(|find| find.record.file == home.join(name)).map(|find| find.sure).collect()
        };
        for end in PACKED {
            assert_eq!(of(&format!("list.{end}")), [Sure::Certain; 3], "{folder}: {end}");
        }
        assert_eq!(of("art.msgpack"), [Sure::Unreadable], "{folder}");
        let plan = planned(&house, &trace, "newhold");
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let site = house.site();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        for end in PACKED {
            let now = fs::read(home.join(format!("list.{end}"))).unwrap();
            assert_eq!(now, packed(end, &said(&plan.items[0].to)), "{folder}: {end}");
        }
        undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
        for end in PACKED {
            assert_eq!(fs::read(home.join(format!("list.{end}"))).unwrap(), packed(end, &said(&at)), "{folder}: {end}");
        }
        assert_eq!(fs::read(home.join("art.msgpack")).unwrap(), raw);
    }
}

/// A person leaves out a place and takes in another, by number; what cannot be followed changes nothing.
#[test]
fn places_are_left_out_and_taken_as_a_person_chooses() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Fen Moor");
    fs::create_dir_all(&at).unwrap();
    fs::write(at.join("go"), "go").unwrap();
    let old = at.to_str().unwrap().to_string();
    let home = house.home().join(".config/kite");
    fs::create_dir_all(&home).unwrap();
    let text = format!("{{\"one\": \"{old}\", \"two\": \"{old}/go\"}}");
    for name in ["list.json", "list.json.bak", "run.log"] {
        fs::write(home.join(name), &text).unwrap();
    }
    fs::write(home.join("packed"), format!("{old}\0\u{1}")).unwrap();
    let trace = traced(&house, &at);
    let number = |file: &str, place: &str| {
        let is = |find: &deft_barge_core::trace::Find| {
            find.record.file == home.join(file) && (place.is_empty() || find.record.location.contains(place))
        };
        trace.finds.iter().position(is).unwrap() + 1
    };
    let (left, taken, packed) = (number("list.json", "two"), number("list.json.bak", "one"), number("packed", ""));
    for (leave, take, fault) in [
        (vec![left, 99], vec![taken], ChoiceFault::NoSuch(99)),
        (vec![0], vec![], ChoiceFault::NoSuch(0)),
        (vec![left], vec![packed], ChoiceFault::CannotBeRewritten(packed)),
    ] {
        let mut other = trace.clone();
        assert_eq!(other.choose(&leave, &take), Err(fault));
        let same = other.finds.iter().zip(&trace.finds).all(|(one, two)| one.sure == two.sure);
        assert!(same, "nothing is changed by {leave:?} and {take:?}");
    }
    let mut chosen = trace.clone();
    assert_eq!(chosen.choose(&[left], &[taken]), Ok(()));
    let plan = planned(&house, &chosen, "newhold");
    let stays = plan.findings.iter().any(|finding| {
        matches!(&finding.kind, FindingKind::FilesStay(staying) if staying.why == WhyStaying::Chosen && staying.files == [home.join("list.json")])
    });
    assert!(stays, "{:?}", plan.findings);
    let site = house.site();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let new = plan.items[0].to.to_str().unwrap();
    let first = text.replacen(&old, new, 1);
    for (name, wanted) in [("list.json", &first), ("list.json.bak", &first), ("run.log", &text)] {
        assert_eq!(&fs::read_to_string(home.join(name)).unwrap(), wanted, "{name}");
    }
    // The proof says that a place still points to the old folder.
    let proof = journal.haul(HaulId(1)).unwrap().unwrap().items[0].proof.clone().unwrap();
    assert!(proof.residue.is_some_and(|residue| residue.places > 0));
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    for name in ["list.json", "list.json.bak", "run.log"] {
        assert_eq!(fs::read_to_string(home.join(name)).unwrap(), text, "{name}");
    }
}

/// A folder that no record points to is not moved as if it were a game; a person can say that it is to go all the same.
#[test]
fn a_folder_that_nothing_points_to_goes_only_when_a_person_says_so() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Zephyr Nine");
    fs::create_dir_all(&at).unwrap();
    fs::write(at.join("go"), "go").unwrap();
    // The name alone, which may be anything's.
    let folder = house.home().join(".config/kite");
    fs::create_dir_all(&folder).unwrap();
    fs::write(folder.join("notes.json"), "{\"title\": \"Zephyr Nine\"}").unwrap();
    let trace = traced(&house, &at);
    let refused = planned(&house, &trace, "newhold");
    let tells = |plan: &Plan, kind: &dyn Fn(&FindingKind) -> bool| plan.findings.iter().any(|f| kind(&f.kind));
    assert!(
        refused.blocked() && tells(&refused, &|kind| matches!(kind, FindingKind::NothingTells { path } if *path == at))
    );
    let site = house.site();
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut survey, &trace);
    let mut draft = Draft { loose: LooseFolders::Move, ..Draft::default() };
    draft.send(id, Destination::Drive("newhold".into()));
    let loose = plan(&site, &survey, &draft, Policy::Hold);
    assert!(
        !loose.blocked() && tells(&loose, &|kind| matches!(kind, FindingKind::LooseFolder { .. })),
        "{:?}",
        loose.findings
    );
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &loose).unwrap().run(&|_| {}, &Control::default()).unwrap();
    assert!(loose.items[0].to.join("go").is_file());
    drop(journal);
    // With one record that is certain nothing has to be said.
    fs::write(folder.join("list.json"), format!("{{\"at\": \"{}\"}}", at.display())).unwrap();
    assert!(!planned(&house, &traced(&house, &at), "cellar").blocked());
}

/// What cannot be read as text is named where the name stands in it, and not where another word holds it.
#[test]
fn a_file_that_cannot_be_read_is_named_if_it_holds_the_name_and_not_if_another_word_does() {
    let wide = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
    for (name, within) in
        [("Fen", "offended"), ("Öre Vale", "Öre Valentine"), ("Kite & Co", "a kite is a kite"), ("2077", "120778")]
    {
        let house = House::new();
        let at = house.folder().join("drives/swift/games").join(name);
        fs::create_dir_all(&at).unwrap();
        fs::write(at.join("go"), "go").unwrap();
        let folder = house.home().join(".config/kite");
        fs::create_dir_all(&folder).unwrap();
        let zero = |parts: &[&[u8]]| [&b"\x00\x01bin\x00"[..], &parts.concat(), b"\x00end\xff"].concat();
        let percent: String = name
            .bytes()
            .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
            .collect();
        let files: [(&str, Vec<u8>, bool); 6] = [
            ("plain.bin", zero(&[b"/games/", name.as_bytes()]), true),
            ("wide.bin", zero(&[&wide("/games/"), &wide(name), &wide("/bin")]), true),
            ("percent.bin", zero(&[b"file:///games%2F", percent.as_bytes(), b"%2Fbin"]), true),
            ("other.bin", zero(&[b"say ", within.as_bytes(), b" so"]), false),
            ("widely.bin", zero(&[&wide("say "), &wide(within), &wide(" so")]), false),
            ("begins.bin", [name.as_bytes(), b"\x00\x01\x02"].concat(), true),
        ];
        for (file, bytes, _) in &files {
            fs::write(folder.join(file), bytes).unwrap();
        }
        let trace = traced(&house, &at);
        for (file, _, named) in files {
            let found = trace.finds.iter().find(|find| find.record.file == folder.join(file));
            assert_eq!(found.map(|find| find.sure), named.then_some(Sure::Unreadable), "{name}: {file}");
        }
    }
}

/// What a file holds decides how it is read, and not its name.
#[test]
fn a_list_in_brackets_is_read_as_what_it_is_whatever_its_name() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Fen");
    fs::create_dir_all(&at).unwrap();
    fs::write(at.join("go"), "go").unwrap();
    let folder = house.home().join(".config/kite");
    fs::create_dir_all(&folder).unwrap();
    let path = at.to_str().unwrap();
    let (one, many) = (format!("[\"{path}\"]\n"), format!("[\n  \"{path}\",\n  {{\"at\": \"{path}/go\"}}\n]\n"));
    let section = format!("[{path}]\nname = Fen\nat = {path}\n");
    let files =
        [("games.lst", &one), ("games.dat", &many), ("games", &one), ("kept.conf", &section), ("kept.lst", &section)];
    for (name, text) in &files {
        fs::write(folder.join(name), text).unwrap();
    }
    let trace = traced(&house, &at);
    assert!(trace.problems.is_empty(), "{:?}", trace.problems);
    let plan = planned(&house, &trace, "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let site = house.site();
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let new = plan.items[0].to.to_str().unwrap();
    for (name, text) in &files {
        assert_eq!(fs::read_to_string(folder.join(name)).unwrap(), text.replace(path, new), "{name}");
    }
}

/// Settings that name a library's folder and a game, and are of no game.
fn shared_settings(name: &str, root: &str) -> Vec<(&'static str, String)> {
    vec![
        ("settings.json", serde_json::json!({"library": root, "last": name}).to_string()),
        ("names.json", serde_json::json!({"x": {"root": root, "a": name, "b": "Other"}, "y": 1}).to_string()),
        (
            "view.json",
            serde_json::json!({"v": {"library": {"path": root}, "current": {"game": name}}, "w": {"x": {"y": 1}}})
                .to_string(),
        ),
        ("settings.ini", format!("library={root}\nlast={name}\n")),
        ("sections.ini", format!("[general]\nsize=3\n[library]\npath={root}\ncurrent={name}\n")),
        ("rooms.json", serde_json::json!([{"path": root, "last": name}, {"path": "/x", "last": "Moor"}]).to_string()),
        ("starts.toml", format!("[games]\npath = '{root}'\nlast = \"{name}\"\n[view]\nlast = \"list\"\n")),
    ]
}

/// The folder above the game and its name, written apart or beside the whole path: both lead to the new place afterwards. What all
/// games of a folder share stays as it is.
#[test]
fn a_root_and_a_name_apart_are_rewritten_together_and_what_other_games_share_stays() {
    for name in ["Fen", "Öd & 'Fen' Two"] {
        let house = House::new();
        let site = house.site();
        let root = house.folder().join("drives/swift/games");
        for game in [name, "Other"] {
            fs::create_dir_all(root.join(game)).unwrap();
            fs::write(root.join(game).join("go"), "go").unwrap();
        }
        let folder = house.home().join(".config/kite");
        fs::create_dir_all(folder.join("one")).unwrap();
        let at = |root: &str| {
            let xml = |text: &str| text.replace('&', "&amp;");
            let entry = |game: &str, root: &str| serde_json::json!({"id": game.len(), "root": root, "folder": game});
            let old = house.folder().join("drives/swift/games").to_str().unwrap().to_string();
            let (n, x) = (name, xml(name));
            [
                ("list.json", serde_json::to_string_pretty(&[entry(n, root), entry("Other", &old)]).unwrap()),
                (
                    "whole.json",
                    serde_json::json!([{"at": format!("{root}/{n}"), "in": root}, {"at": format!("{old}/Other"), "in": old}])
                        .to_string(),
                ),
                (
                    "deep.json",
                    serde_json::json!({"v": 1, "all": {"x": {"place": entry(n, root)}, "y": {"place": entry("Other", &old)}}})
                        .to_string(),
                ),
                (
                    "apart.json",
                    serde_json::json!({"all": [{"place": {"lib": root}, "dir": {"name": n}}, {"place": {"lib": old}, "dir": {"name": "Other"}}]})
                        .to_string(),
                ),
                (
                    "apart.yaml",
                    format!("a:\n  lib: {root}\n  dir:\n    name: \"{n}\"\nb:\n  lib: {old}\n  dir:\n    name: Other\n"),
                ),
                ("named.ini", format!("[general]\nroot={old}\n[{n}]\nroot={root}\nfolder={n}\n")),
                ("keyed.json", serde_json::json!({"a": entry(n, root), "b": entry("Other", &old)}).to_string()),
                ("one/1.json", entry(n, root).to_string()),
                ("one/2.json", entry("Other", &old).to_string()),
                ("list.yaml", format!("- root: {root}\n  folder: \"{n}\"\n- root: {old}\n  folder: Other\n")),
                (
                    "list.toml",
                    format!(
                        "[[game]]\nroot = \"{root}\"\nfolder = \"{n}\"\n[[game]]\nroot = \"{old}\"\nfolder = \"Other\"\n"
                    ),
                ),
                ("list.ini", format!("[1]\nroot={root}\nfolder={n}\n[2]\nroot={old}\nfolder=Other\n")),
                (
                    "parts.xml",
                    format!(
                        "<all><game><root>{root}</root><folder>{x}</folder></game><game><root>{old}</root><folder>Other</folder></game></all>"
                    ),
                ),
                (
                    "given.xml",
                    format!("<all><game root=\"{root}\" folder=\"{x}\"/><game root=\"{old}\" folder=\"Other\"/></all>"),
                ),
            ]
        };
        let shared = |root: &str| shared_settings(name, root);
        let old = root.to_str().unwrap();
        let new = house.folder().join("drives/newhold/games");
        for (file, text) in at(old).iter().chain(&shared(old)) {
            fs::write(folder.join(file), text).unwrap();
        }
        let trace = traced(&house, &root.join(name));
        let plan = planned(&house, &trace, "newhold");
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        assert_eq!(plan.items[0].to, new.join(name));
        for (file, text) in at(new.to_str().unwrap()).iter().chain(&shared(old)) {
            assert_eq!(fs::read_to_string(folder.join(file)).unwrap(), *text, "{name}: {file}");
        }
        // What stays is named.
        let staying: Vec<_> = trace.staying().into_iter().flat_map(|staying| staying.files).collect();
        for (file, _) in shared(old) {
            assert!(staying.contains(&folder.join(file)), "{name}: {file}: {staying:?}");
        }
        undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
        for (file, text) in at(old).iter().chain(&shared(old)) {
            assert_eq!(fs::read_to_string(folder.join(file)).unwrap(), *text, "{name}: {file}, undone");
        }
    }
}

/// Settings that somebody keeps elsewhere, with links at their usual places: the files change, and the links stay links. What a link
/// of the game leads to, what lies outside of the home and the drives, and another game behind a link stay as they are.
#[test]
fn records_behind_links_are_found_and_rewritten_and_the_links_stay() {
    let house = House::new();
    let site = house.site();
    let at = house.folder().join("drives/swift/games/Fen");
    let other = house.folder().join("drives/swift/games/Other");
    for game in [&at, &other] {
        fs::create_dir_all(game).unwrap();
        fs::write(game.join("go"), "go").unwrap();
    }
    let outside = tempfile::tempdir().unwrap();
    let (config, kept) = (house.home().join(".config"), house.home().join("kept"));
    let says = |game: &Path| serde_json::json!({ "at": game }).to_string();
    let link = |to: &Path, at: &Path| std::os::unix::fs::symlink(to, at).unwrap();
    for folder in ["file", "folder/deep", "of the game"] {
        fs::create_dir_all(kept.join(folder)).unwrap();
    }
    fs::create_dir_all(config.join("kite")).unwrap();
    let on_drive = house.folder().join("drives/cellar/settings");
    fs::create_dir_all(&on_drive).unwrap();
    let ours = [kept.join("file/list.json"), kept.join("folder/deep/list.json"), on_drive.join("list.json")];
    let not_ours = [kept.join("of the game/list.json"), outside.path().join("list.json")];
    for file in ours.iter().chain(&not_ours) {
        fs::write(file, says(&at)).unwrap();
    }
    let links = [
        (config.join("kite/list.json"), PathBuf::from("../../kept/file/list.json")),
        (config.join("heron"), kept.join("folder")),
        (config.join("gull"), on_drive.clone()),
        (config.join("kite/away.json"), not_ours[1].clone()),
        (config.join("home"), house.home()),
        (config.join("kite/other"), other.clone()),
        (config.join("kite/round"), config.clone()),
        (at.join("saves"), kept.join("of the game")),
    ];
    for (from, to) in &links {
        link(to, from);
    }
    let trace = traced(&house, &at);
    let found: BTreeSet<&Path> = trace.finds.iter().map(|find| find.record.file.as_path()).collect();
    assert_eq!(found, ours.iter().map(PathBuf::as_path).collect(), "{:?}", trace.problems);
    let followed: BTreeSet<&Path> = trace.followed.iter().map(|followed| followed.link.as_path()).collect();
    assert_eq!(followed, links[..3].iter().map(|(link, _)| link.as_path()).collect());
    let plan = planned(&house, &trace, "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    let is = |game: &Path, when: &str| {
        for file in &ours {
            assert_eq!(fs::read_to_string(file).unwrap(), says(game), "{when}: {}", file.display());
        }
        for (from, to) in &links[..7] {
            assert_eq!(fs::read_link(from).unwrap(), *to, "{when}");
        }
        for file in &not_ours {
            assert_eq!(fs::read_to_string(file).unwrap(), says(&at), "{when}: {}", file.display());
        }
    };
    is(&plan.items[0].to, "hauled");
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    is(&at, "undone");
}

/// What no record of a profile covers is said before a haul, with its file; what is covered, what says a name alone, logs, and files that
/// another launcher's profile covers are not.
#[test]
fn a_plan_names_the_places_that_no_record_covers() {
    let house = House::new();
    let missed = |house: &House| -> Vec<(usize, Vec<PathBuf>)> {
        let plan = house.plan("parlour-lamp/pale-signal", "newhold", MakeLetters::No);
        let kinds = plan.findings.into_iter().map(|finding| finding.kind);
        let missed = kinds.filter_map(|kind| match kind {
            FindingKind::PlacesMissed { places, files } => Some((places, files)),
            _ => None,
        });
        missed.collect()
    };
    assert_eq!(missed(&house), []);
    let folder = house.home().join(".local/share/parlour-lamp");
    let path = house.folder().join("drives/swift/lamp/pale-signal");
    fs::write(folder.join("lamp.log"), format!("2026-01-01 10:00:00 started {}\n", path.display()).repeat(4)).unwrap();
    fs::write(folder.join("names.json"), serde_json::json!({"last": "pale-signal"}).to_string()).unwrap();
    let beside = serde_json::json!({"at": path.with_file_name("pale-signal-2")});
    fs::write(folder.join("beside.json"), beside.to_string()).unwrap();
    assert_eq!(missed(&house), [], "nothing of that leads there");
    let tools = house.home().join(".config/tools");
    fs::create_dir_all(&tools).unwrap();
    fs::write(
        tools.join("pads.json"),
        serde_json::json!({"pads": [{"for": path}, {"in": path.join("bin")}]}).to_string(),
    )
    .unwrap();
    assert_eq!(missed(&house), [(2, vec![tools.join("pads.json")])]);
    fs::write(
        folder.join("index.dat"),
        [b"\x07\0\x01\x02", path.as_os_str().as_encoded_bytes(), b"\0\xff\x03"].concat(),
    )
    .unwrap();
    // A haul makes no more of it than a plan says, and says it again at its end.
    let plan = house.plan("parlour-lamp/pale-signal", "newhold", MakeLetters::No);
    let haul = house.haul(&plan, None).unwrap();
    assert!(fs::read_to_string(tools.join("pads.json")).unwrap().contains(path.to_str().unwrap()));
    let residue = residues(&house, haul).remove(0);
    assert_eq!((residue.places, residue.files), (2, vec![tools.join("pads.json")]));
    let mentions = ["beside.json", "index.dat", "lamp.log", "names.json"].map(|name| folder.join(name));
    let left: BTreeSet<PathBuf> = residue.left.into_iter().collect();
    assert_eq!(residue.unclear, [mentions[1].clone()]);
    assert!(left.contains(&mentions[2]) && left.contains(&mentions[3]) && !left.contains(&mentions[1]), "{left:?}");
    house.give_back(haul);
    let back = residues(&house, HaulId(haul.0 + 1)).remove(0);
    assert_eq!((back.places, back.files), (0, Vec::new()), "nothing leads to the copy");
}

/// What the hauls of a house found at their end.
fn residues(house: &House, haul: HaulId) -> Vec<Residue> {
    let history = History::of(&house.site()).unwrap();
    let proofs = history.haul(haul).unwrap().items.iter().map(|item| item.proof.clone().unwrap());
    proofs.map(|proof| proof.residue.expect("it was searched")).collect()
}

/// Nothing leads to the old folder of a game whose records are all known, whatever launcher it is of; what a launcher writes later is
/// seen by a later proof.
#[test]
fn a_haul_ends_with_what_still_points_to_the_old_folders() {
    for released in [false, true] {
        let house = House::new();
        let site = house.site();
        let survey = survey(&site, Vec::new(), &|_| {});
        let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
        for (game, _) in GAMES {
            draft.send(GameId(game.into()), Destination::Drive("newhold".into()));
        }
        let plan = plan(&site, &survey, &draft, if released { Policy::Release } else { Policy::Hold });
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let haul = house.haul(&plan, None).unwrap();
        let found = residues(&house, haul);
        let items = History::of(&site).unwrap().haul(haul).unwrap().items.clone();
        for (item, residue) in items.iter().zip(&found) {
            assert_eq!(
                (residue.places, residue.files.as_slice()),
                (0, [].as_slice()),
                "{}: {residue:?}",
                item.planned.title
            );
            let lists = [&residue.files, &residue.left, &residue.unclear];
            let all: Vec<&PathBuf> = lists.into_iter().flatten().collect();
            let once: BTreeSet<&PathBuf> = all.iter().copied().collect();
            assert_eq!(all.len(), once.len(), "each file is in one list");
            assert!(
                !once
                    .iter()
                    .any(|file| file.starts_with(item.planned.origin()) || file.starts_with(item.planned.place()))
            );
        }
        let late = house.home().join(".config/late.json");
        fs::write(&late, serde_json::json!({"last": items[0].planned.origin()}).to_string()).unwrap();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let proofs = prove_haul(&site, &journal, &items, &|_| {}, &Control::default()).unwrap();
        let residue = proofs[0].1.residue.clone().unwrap();
        assert_eq!((residue.places, residue.files), (1, vec![late]));
        assert_eq!(residues(&house, haul)[0].places, 1, "the journal has it as well");
        let rest = proofs[1..].iter().map(|(_, proof)| proof.residue.as_ref().unwrap().places).sum::<u64>();
        assert_eq!(rest, 0);
    }
}

#[test]
fn a_path_that_leads_out_of_the_folder_again_is_none_of_its_records() {
    let house = House::new();
    let at = house.folder().join("drives/swift/games/Fen Moor");
    let other = at.parent().unwrap().join("Other");
    for folder in [&at, &other] {
        fs::create_dir_all(folder.join("bin")).unwrap();
        fs::write(folder.join("bin/go"), "go").unwrap();
    }
    let path = at.to_str().unwrap();
    let text = format!(
        "{{\"live\": \"{path}\", \"out\": \"{path}/../Other/bin/go\", \"up\": \"{path}/..\", \"in\": \"{path}/bin/../bin/go\"}}"
    );
    let file = house.home().join(".config/kite/list.json");
    fs::create_dir_all(file.parent().unwrap()).unwrap();
    fs::write(&file, &text).unwrap();
    let trace = traced(&house, &at);
    let places: Vec<&str> = trace.sure().map(|find| find.record.location.as_str()).collect();
    assert_eq!(places, ["$['in']", "$['live']"], "{:#?}", trace.finds);
}

/// Of several paths of a game in one text none is left behind, whatever parts them and whatever else stands between; all come back.
#[test]
fn several_paths_in_one_text_are_all_rewritten_and_come_back() {
    const SIGNS: [&str; 19] =
        [",", "|", ";", ":", " ", "\t", ", ", " | ", "; ", "->", "=>", ">", "&", "+", "*", "”, “", "、", "，", "» «"];
    for name in ["Fen", "Fen Two"] {
        let house = House::new();
        let at = |name: &str| house.folder().join("drives/swift/games").join(name);
        for game in [name, "Moor"] {
            fs::create_dir_all(at(game).join("bin")).unwrap();
            fs::write(at(game).join("bin/go"), "go").unwrap();
        }
        let folder = house.home().join(".config/kite");
        fs::create_dir_all(&folder).unwrap();
        let other = at("Moor").to_str().unwrap().to_string();
        // Two in it, one beside another's on either side, and the same one twice.
        let values = |own: &str, sign: &str| {
            [
                [format!("{own}/bin"), format!("{own}/bin/go")].join(sign),
                [own, &other].join(sign),
                [other.as_str(), own, other.as_str()].join(sign),
                [own, own].join(sign),
            ]
        };
        // A key of an INI file ends at the first of these, and a path of its own begins in it.
        let files = |own: &str| -> Vec<(String, String)> {
            let signs = SIGNS.iter().enumerate().filter(|(_, sign)| !sign.contains('='));
            let all = signs
                .flat_map(|(n, sign)| values(own, sign).into_iter().enumerate().map(move |(k, value)| (n, k, value)));
            all.flat_map(|(n, k, value)| {
                [
                    (format!("{n}-{k}.ini"), format!("[a]\ndirs={value}\nn=1\n")),
                    (format!("{n}-{k}.json"), serde_json::json!({ "dirs": value }).to_string()),
                    (format!("{n}-{k}.txt"), format!("looks in {value}\n")),
                ]
            })
            .collect()
        };
        let old = at(name).to_str().unwrap().to_string();
        for (file, text) in files(&old) {
            fs::write(folder.join(file), text).unwrap();
        }
        let plan = planned(&house, &traced(&house, &at(name)), "newhold");
        assert!(!plan.blocked(), "{:?}", plan.findings);
        let new = plan.items[0].to.to_str().unwrap().to_string();
        let site = house.site();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
        let id = haul.id();
        haul.run(&|_| {}, &Control::default()).unwrap();
        let differing = |own: &str| -> Vec<String> {
            let read = |file: &str| fs::read_to_string(folder.join(file)).unwrap();
            let wrong =
                |(file, text): (String, String)| (read(&file) != text).then(|| format!("{file}: {:?}", read(&file)));
            files(own).into_iter().filter_map(wrong).collect()
        };
        assert_eq!(differing(&new), Vec::<String>::new(), "{name}");
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        assert_eq!(differing(&old), Vec::<String>::new(), "{name}, undone");
    }
}
