//! What is left, or cannot be rewritten, and named.

use super::*;

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
    let new = haul_as(&house.site(), &plan, "records of a trace");
    let new = new.to_str().unwrap();
    for (name, text) in &files {
        assert_eq!(fs::read_to_string(folder.join(name)).unwrap(), text.replace(path, new), "{name}");
    }
}
