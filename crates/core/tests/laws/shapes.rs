//! Shapes that no profile describes and no format is made for: what can be rewritten is, to the byte; what cannot is named and stays.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::survey::{add_to_survey, survey};
use deft_barge_core::trace::{Find, Sure, trace, usual_places};

use crate::house::House;

const NAMES: [&str; 11] = [
    "Fen",
    "Fen Two",
    "Fen's Öd",
    "A & B 50% #1 $x",
    "海 Fen",
    "Öd",
    "Fen, Again",
    "Fen: [Gold] (2020)",
    "Kite 🪁 Two",
    // Letters and their marks as signs of their own.
    "O\u{308}d e\u{301}te\u{301}",
    "🪁",
];

/// Files that say a path, each in a shape of its own, as a launcher would have written it.
fn texts(path: &str) -> Vec<(&'static str, String)> {
    let escaped = |text: &str| text.replace('\\', "\\\\").replace('"', "\\\"");
    let windows = format!("Z:{}", path.replace('/', "\\"));
    let json = |text: &str| serde_json::to_string(text).unwrap();
    let ascii = |text: &str| -> String {
        let units = |c: char| -> String {
            c.encode_utf16(&mut [0; 2]).iter().map(|unit| format!("\\u{unit:04x}")).collect::<String>()
        };
        json(text).chars().map(|c| if c.is_ascii() { c.to_string() } else { units(c) }).collect()
    };
    let comma = |text: &str| if text.contains(',') { format!("\"{text}\"") } else { text.to_string() };
    let uri: String = path
        .bytes()
        .map(|b| {
            if b.is_ascii_alphanumeric() || b"/-._~".contains(&b) {
                char::from(b).to_string()
            } else {
                format!("%{b:02X}")
            }
        })
        .collect();
    let (p, w) = (escaped(path), escaped(&windows));
    vec![
        (
            "nested.txt",
            format!("\"games\"\n{{\n\t\"7\"\n\t{{\n\t\t\"path\"\t\t\"{p}\"\n\t\t\"size\"\t\t\"9\"\n\t}}\n}}\n"),
        ),
        ("layer/nested.txt", format!("\"7\"\n{{\n\t\"path\"\t\"{w}\"\n\t\"start\"\t\"{w}\\\\bin\\\\go\"\n}}\n")),
        (
            "table.lua",
            format!("-- games\nreturn {{\n  {{ id = 7, path = \"{p}\", size = 12, }},\n  {{ path = \"/x\" }},\n}}\n"),
        ),
        ("list.cfg", format!("(game (id 7) (path \"{p}\"))\n")),
        ("block.conf", format!("game {{\n  id = 7;\n  path = \"{p}\";\n}}\n")),
        ("lines.jsonl", format!("{{\"id\": 7, \"path\": {}}}\n{{\"id\": 8}}\n", json(path))),
        ("ascii.json", format!("{{\"path\": {}, \"other\": {}}}\n", ascii(path), ascii(&windows))),
        ("slashes.json", format!("{{\"path\": {}}}\n", json(path).replace('/', "\\/"))),
        ("table.tsv", format!("id\tpath\tsize\n7\t{path}\t900\n8\t/x\t1\n")),
        ("table.csv", format!("id,path,size\n7,{},900\n8,/x,1\n", comma(path))),
        ("all.csv", format!("\"id\",\"path\"\n\"7\",\"{path}\"\n")),
        ("quoted.cfg", format!("[game \"7\"]\n\tpath = \"{p}\"\n\tsize = 3\n")),
        ("uri.ini", format!("[a]\nat=file://{uri}\n")),
        ("pipe.txt", format!("7|A title|{path}|900\n")),
        ("colon.txt", format!("path: {path}\nsize: 900\n")),
        ("blank.txt", format!("path {path}\n")),
        ("ends.ini", format!("[a]\r\npath={path}\r\nb=1\r\n")),
        ("layer/win.ini", format!("[a]\npath={windows}\nstart={windows}\\bin\\go\n")),
        ("layer/mixed.ini", format!("[a]\npath=Z:{path}\n")),
        ("layer/long.ini", format!("[a]\npath=\\\\?\\{windows}\n")),
    ]
}

/// The same text in encodings that no mark tells.
fn encoded(path: &str) -> Vec<(&'static str, Vec<u8>)> {
    let text = format!("[a]\npath={path}\n");
    let units = |bytes: fn(u16) -> [u8; 2]| text.encode_utf16().flat_map(bytes).collect::<Vec<u8>>();
    let mut all = vec![
        ("low.ini", units(u16::to_le_bytes)),
        ("high.ini", units(u16::to_be_bytes)),
        ("four.ini", text.chars().flat_map(|c| u32::from(c).to_le_bytes()).collect()),
    ];
    // What the west has in one byte.
    let bytes: Option<Vec<u8>> = text.chars().map(|c| u8::try_from(u32::from(c)).ok()).collect();
    all.extend(bytes.map(|bytes| ("west.ini", bytes)));
    all
}

/// What says how long each of its texts is, in a format of bytes: another path is another length.
fn packed(path: &str) -> Vec<(&'static str, Vec<u8>)> {
    let bytes = path.as_bytes();
    let size = u8::try_from(bytes.len()).unwrap();
    vec![
        ("more.bin", [&[0x08, 7, 0x22, size], bytes, &[0x28, 1]].concat()),
        ("map.bin", [b"\x81\xa4path\xd9", &[size][..], bytes].concat()),
        ("object.bin", [b"\xa1\x64path\x78", &[size][..], bytes].concat()),
        ("counted.txt", format!("d4:path{}:{path}e", bytes.len()).into_bytes()),
    ]
}

/// What says how long it is, or is written as nothing here reads it: it stays, and is named.
fn counted(path: &str) -> Vec<(&'static str, Vec<u8>)> {
    let bytes = path.as_bytes();
    let size = u8::try_from(bytes.len()).unwrap();
    let percent: String = bytes.iter().map(|b| format!("%{b:02X}")).collect();
    let plain: String = percent_but_letters(path);
    assert!(bytes.len() < 128, "one byte says the length in each of them");
    vec![
        ("fields.bin", [&[0x0a, size], bytes].concat()),
        ("texts.bin", [&[4][..], b"path", &[size], bytes].concat()),
        ("string.txt", format!("{}:{path},", bytes.len()).into_bytes()),
        (
            "encoded.json",
            format!("{{\"id\": 7, \"blob\": \"{}\"}}\n", base64(format!("{{\"at\":\"{path}\"}}").as_bytes()))
                .into_bytes(),
        ),
        ("encoded.ini", format!("[a]\nother=1\nstate={}\n", base64(format!("7|{path}|1").as_bytes())).into_bytes()),
        ("query.ini", format!("[a]\nrun=kite://run?dir={plain}&x=1\n").into_bytes()),
        ("percent.bin", [b"\x01", percent.as_bytes()].concat()),
    ]
}

/// RFC 4648, section 4.
fn base64(bytes: &[u8]) -> String {
    const SIGNS: &[u8] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let three = |part: &[u8]| -> String {
        let bits = part.iter().fold(0_u32, |bits, byte| bits << 8 | u32::from(*byte)) << (8 * (3 - part.len()));
        let sign =
            |n: usize| if n > part.len() { '=' } else { char::from(SIGNS[(bits >> (18 - 6 * n)) as usize & 63]) };
        (0..4).map(sign).collect()
    };
    bytes.chunks(3).map(three).collect()
}

fn percent_but_letters(text: &str) -> String {
    let one = |b: u8| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") };
    text.bytes().map(one).collect()
}

#[test]
fn what_is_understood_is_rewritten_to_the_byte_and_what_is_not_is_named_and_stays() {
    for name in NAMES {
        let house = House::new();
        let site = house.site();
        let root = house.folder().join("drives/swift/g");
        let old = root.join(name);
        for (file, text) in [("bin/go", "go"), ("data", "d")] {
            fs::create_dir_all(old.join(file).parent().unwrap()).unwrap();
            fs::write(old.join(file), text).unwrap();
        }
        fs::create_dir_all(root.join("Zed")).unwrap();
        let (config, layer) = (house.home().join(".config/kite"), house.home().join(".layer"));
        fs::create_dir_all(&config).unwrap();
        fs::create_dir_all(layer.join("dosdevices")).unwrap();
        fs::create_dir_all(layer.join("drive_c/kite")).unwrap();
        std::os::unix::fs::symlink("/", layer.join("dosdevices/z:")).unwrap();
        let at = |file: &str| match file.strip_prefix("layer/") {
            Some(file) => layer.join("drive_c/kite").join(file),
            None => config.join(file),
        };
        let said = |path: &Path| -> BTreeMap<PathBuf, Vec<u8>> {
            let path = path.to_str().unwrap();
            let texts = texts(path).into_iter().map(|(file, text)| (file, text.into_bytes()));
            texts.chain(encoded(path)).chain(packed(path)).map(|(file, bytes)| (at(file), bytes)).collect()
        };
        let before = said(&old);
        let stays: BTreeMap<PathBuf, Vec<u8>> =
            counted(old.to_str().unwrap()).into_iter().map(|(file, bytes)| (at(file), bytes)).collect();
        for (file, bytes) in before.iter().chain(&stays) {
            fs::write(file, bytes).unwrap();
        }
        let traced = trace(&site, &old, &usual_places(&site, &old), &|_| {});
        let mut survey = survey(&site, Vec::new(), &|_| {});
        let id = add_to_survey(&site, &mut survey, &traced);
        let mut draft = Draft::default();
        draft.send(id, Destination::Drive("newhold".into()));
        let plan = plan(&site, &survey, &draft, Policy::Hold);
        assert!(!plan.blocked(), "{name}: {:?}", plan.findings);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
        let shown = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        for (file, wanted) in said(&plan.items[0].to).iter().chain(&stays) {
            let now = fs::read(file).unwrap();
            assert!(now == *wanted, "{name}: {}\n{}\nnot\n{}", file.display(), shown(&now), shown(wanted));
        }
        let left: Vec<PathBuf> = traced.staying().into_iter().flat_map(|staying| staying.files).collect();
        for file in stays.keys().filter(|file| !file.ends_with("percent.bin")) {
            assert!(left.contains(file), "{name}: {} is not named", file.display());
        }
        undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
        for (file, bytes) in before.iter().chain(&stays) {
            assert!(fs::read(file).unwrap() == *bytes, "{name}: {}, undone", file.display());
        }
    }
}

#[test]
fn text_in_a_code_page_is_rewritten_where_the_page_is_known_and_named_where_it_is_not() {
    let pages = [
        "windows-1252",
        "windows-1250",
        "windows-1251",
        "koi8-r",
        "iso-8859-5",
        "windows-1253",
        "shift_jis",
        "gbk",
        "euc-kr",
    ];
    let words = [
        ("Kůň a řeka", "Žluťoučký kůň\n"),
        ("Öd", "name=Große Räume für alle\n"),
        ("Мир", "имя=Долгая дорога и война\n"),
        ("Μικρός κόσμος", "όνομα=Ο μεγάλος δρόμος\n"),
        ("海の記憶", "名前=長い道の記憶\n"),
        ("바다", "이름=긴 길의 기억\n"),
    ];
    let mut rewritten = 0;
    for label in pages {
        let page = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap();
        for (name, more) in words {
            let bytes = |text: &str| {
                let (bytes, _, lacks) = page.encode(text);
                (!lacks).then(|| bytes.into_owned())
            };
            if bytes(&format!("{name}{more}")).is_some() {
                rewritten += in_a_code_page(name, more, label, &|text| bytes(text).unwrap());
            }
        }
    }
    assert!(rewritten > 20, "{rewritten}");
}

/// Files that say a path in a code page: how many of them are rewritten; the others are named.
fn in_a_code_page(name: &str, more: &str, label: &str, bytes: &dyn Fn(&str) -> Vec<u8>) -> usize {
    let house = House::new();
    let site = house.site();
    let old = house.folder().join("drives/swift/g").join(name);
    fs::create_dir_all(&old).unwrap();
    fs::write(old.join("go"), "go").unwrap();
    let config = house.home().join(".config/kite");
    fs::create_dir_all(&config).unwrap();
    let said = |path: &Path| {
        let path = path.to_str().unwrap();
        let all = [
            ("told.xml", format!("<?xml version=\"1.0\" encoding=\"{label}\"?>\n<a at=\"{path}\"/>\n")),
            ("long.ini", format!("[a]\nat={path}\n{more}")),
            ("short.txt", format!("{path}\n")),
        ];
        let plain = serde_json::json!({ "at": path }).to_string().into_bytes();
        all.map(|(file, text)| (file, bytes(&text))).into_iter().chain([("plain.json", plain)]).collect::<Vec<_>>()
    };
    for (file, text) in said(&old) {
        fs::write(config.join(file), text).unwrap();
    }
    // A name that goes on is another's.
    let others = [format!("[a]\nat={} Two/go\n{more}", old.display()), format!("{} Two\n", old.display())];
    for (nth, text) in others.iter().enumerate() {
        fs::write(config.join(format!("other{nth}.ini")), bytes(text)).unwrap();
    }
    let traced = trace(&site, &old, &usual_places(&site, &old), &|_| {});
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut survey, &traced);
    let mut draft = Draft::default();
    draft.send(id, Destination::Drive("newhold".into()));
    let plan = plan(&site, &survey, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{label} {name}: {:?}", plan.findings);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    for (nth, text) in others.iter().enumerate() {
        let file = config.join(format!("other{nth}.ini"));
        assert!(fs::read(&file).unwrap() == bytes(text), "{label} {name}: another's file");
        // Bytes that are no text to anybody here may be named all the same.
        let is_found =
            |find: &Find| find.record.file == file && (label == "windows-1252" || find.sure != Sure::Unreadable);
        assert!(!traced.finds.iter().any(is_found), "{label} {name}: {:?}", traced.finds);
    }
    let left: Vec<PathBuf> = traced.staying().into_iter().flat_map(|staying| staying.files).collect();
    let mut rewritten = 0;
    for ((file, before), (_, after)) in said(&old).into_iter().zip(said(&plan.items[0].to)) {
        let now = fs::read(config.join(file)).unwrap();
        let is_new = now == after;
        rewritten += usize::from(is_new);
        let is_named = now == before && left.contains(&config.join(file));
        assert!(is_new || is_named, "{label} {name}: {file} {}", String::from_utf8_lossy(&now));
        assert!(is_new || !["told.xml", "plain.json"].contains(&file), "{label} {name}: {file} is only named");
    }
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    for (file, text) in said(&old) {
        assert!(fs::read(config.join(file)).unwrap() == text, "{label} {name}: {file}, undone");
    }
    rewritten
}
