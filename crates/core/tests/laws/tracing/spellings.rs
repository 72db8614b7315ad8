//! Spellings of a path, several in one text, and names that go on.

use super::*;

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
        let new = haul_as(&house.site(), &plan, "records of a trace");
        let new = new.to_str().unwrap();
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
