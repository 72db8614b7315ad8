//! Every format by the same laws: an edit changes its span and nothing else, reads back, and can be taken back
//! to the same bytes; broken and hostile files are refused in good time.

mod readings;

use proptest::prelude::*;
use proptest::test_runner::{Config, RngAlgorithm, TestRng, TestRunner};

use super::*;

/// Documents written by hand to be awkward, one or more per format.
pub(crate) const UGLY: &[(Format, &str)] = &[
    (
        Format::Json,
        "{\r\n\t\"a\\/b\" : [ 1,2.50 ,\"x\\/y\" ],\n  \"käse\": {\"q\\\"\": \"\\u00e4\", \"d\":1,\"d\":\"z\"},\n \"e\":[],\"o\":{ },\"n\":null}\n\n",
    ),
    (Format::Json, "\"only\""),
    (
        Format::Jsonc,
        "// über\n{\"a\": 1, /* \"b\": 2 */ \"c\": [\"C:\\\\x\", // why\n  \"/y\",\n], \"//\": \"/* no */\",}\n// end",
    ),
    (
        Format::Jsonc,
        "// why\n{at: 'C:\\\\x', $q_1: \"/y\", 'it\\'s': 'a \"b\" \\u00e4',\n  ü: [+1, .5, 0xFf, NaN, 2,], n: -Infinity, } /* end */",
    ),
    (
        Format::Table,
        "# games\nid,where to,\"said, so\"\r\n1,/mnt/a b/x,\"it is \"\"so\"\"\"\r\n2,C:\\g\\x,\r\n\r\n3,,\"two\nlines\"\r\n",
    ),
    (Format::Table, "/mnt/a b\t7\tone\n/ä/x\t12\t\n"),
    (
        Format::PropertyList,
        "<?xml version=\"1.0\"?>\n<!DOCTYPE plist>\n<plist version=\"1.0\"><dict>\n\t<key>at &amp; by</key><string>/mnt/a b/&#228;</string>\n\t<key>n</key><integer>7</integer><!-- why --><key>on</key><true/>\n\t<key>all</key><array><string><![CDATA[C:\\g]]></string><dict><key>x</key><string/></dict><dict/></array></dict></plist>\n",
    ),
    (
        Format::Yaml,
        "# start\n%YAML 1.2\n---\nname: Pale Signal # note\n'C:\\g\\x.exe': {at: \"/a/\\u00e4\", n: 12}\n\"q\\\"k\": [ 'it''s', plain one, \"two\" ]\nanchor: &here /mnt/ä/x\nalias: *here\ntagged: !!str 12\nlit: |\n  /one/line\n  /two\nfold: >-\n    folded\n    text\nempty:\nmulti: a\n  b\nlast: /end\n...\n",
    ),
    (Format::Yaml, "a: /x\n---\n- b\n- {c: 'd', \"/k v\": e}\n--- \n'z'\n"),
    (Format::Yaml, "- - /a b/c\n  - \"d\"   # c\n- x: &a1 !!str \"q\"  # anchored\n  ? key here\n  : v\n"),
    (
        Format::Toml,
        "# c\r\ntop = 'C:\\dir\\' # keep\r\nn = 1_000\r\n\"q.k\" = \"a\\tb\"\r\nx.y.z = true\r\n[games.\"C:/g/ä\"]\r\nat = \"\"\"\r\nlong \\\r\n  text\"\"\"\r\n[games.\"C:/g/ä\".more]\r\nd = 2020-01-01\r\nraw = '''it's'''\r\n[[list]]\r\np = \"/1\"\r\n[[list]]\r\np = '/2'\r\nin = { a = \"x\", 'b c' = [ \"/i\", '/j', ] }",
    ),
    (
        Format::Ini,
        "; c\n# d\nfree = standing\n[Paths]\r\n  Game = C:\\Games\\Pale Signal \r\nquoted=\"C:\\x y\"\nurl: http://x/?a=b\nC:\\key = v\n[Ü ber]\ndup=1\nDup=2\ndup = 3\nnone=\n[Paths]\nagain=/x;y\n[empty]",
    ),
    (
        Format::Desktop,
        "[Desktop Entry]\nType=Application\nName=Pale Signal\nName[de]=Blasses\\sZeichen\nExec=\"/g/a b/start\" --x %U\n# c\nPath = /g/a b\nIcon=/g/a b/i.png\nKeywords=a;b\\;c;\n\n[Desktop Action new]\nExec=sh -c \"echo \\\\\\\\\"\n",
    ),
    (
        Format::UserDirs,
        "# written by hand\nXDG_DOWNLOAD_DIR=\"$HOME/Down loads\"\nXDG_MUSIC_DIR=\"/mnt/m\\\"q\"\nXDG_X=/bare/path\nY='single q'\nnot an assignment\nZ=\"${HOME}/z\"\n",
    ),
    (
        Format::Xml,
        "<?xml version=\"1.0\"?>\n<!DOCTYPE r>\n<!-- <a b=\"c\"/> -->\n<r xmlns:q='urn:x'>\r\n <q:g at=\"/a &amp; b\" n='it&apos;s &#228;'/><g>/t&lt;x\n  y</g>\n <g><![CDATA[/c & d]]>tail</g><e  a = \"\" ></e>\n</r>\n",
    ),
    (
        Format::Hive,
        "WINE REGISTRY Version 2\n;; All keys relative to \\\\User\\\\S-1-5-21-0-0-0-1000\n\n#arch=win64\n\n[Software\\\\Drift \\x26 D\\xe4ughters\\\\Night] 1700000000\n#time=1da1b2c3d4e5f60\n@=\"C:\\\\G\\\\x\"\n\"Folder\"=\"Z:\\\\mnt\\\\a b\"\n\"Exp\"=str(2):\"%GAMES%\\\\x\"\n\"Hex\"=hex(2):43,00,3a,00,\\\n  5c,00,e4,00,00,00\n\"Many\"=str(7):\"C:\\\\one\\0C:\\\\two\\0\"\n\"ManyHex\"=hex(7):61,00,00,00,62,00,63,00,00,00,00,00\n\"Size\"=dword:0000abcd\n\"Raw\"=hex:01,02,\\\n  03\n\"q\\\"n\"=\"\\xd83d\\xdea2\\n\"\n\n[Software\\\\Drift \\x26 D\\xe4ughters] 1700000001\n",
    ),
    (
        Format::Hive,
        "Windows Registry Editor Version 5.00\r\n\r\n[HKEY_CURRENT_USER\\Software\\Märk\\Spiel]\r\n\"Path\"=\"D:\\\\Spiele\\\\X\"\r\n@=\"ü\"\r\n\"E\"=hex(2):44,00,3a,00,00,00\r\n",
    ),
    (Format::Lines, "/a/b c\r\n\n# no comment here\nC:\\x"),
    (Format::JsonLines, "{\"id\": \"fen\", \"at\": \"/g/Fen\"}\n\n{\"id\":7,\"at\":[\"\\u00e4\",1]}\r\n\"only\"\n"),
    (
        Format::Nested,
        "// games of this PC\n\"games\"\n{\n\t\"fen\"\n\t{\n\t\t\"title\"\t\t\"Fen \\\"two\\\"\"\n\t\t\"at\" \"C:\\\\Games\\\\Fen\" // here\n\t}\n\t\"fen\" { \"at\" \"/x\" }\n}\n",
    ),
    (
        Format::Nested,
        "# over\r\nversion = 3;\r\nlibrary \"main\" {\r\n  path = \"/mnt/a b\";  # c\r\n  sizes = ( 1, 2, 3 );\r\n  names = [ \"a\", b c, 'd' ];\r\n}\r\nlibrary \"second\" { path = /mnt/x; on = yes }\r\n",
    ),
    (
        Format::Nested,
        "-- saved by itself\nreturn {\n  [\"pale signal\"] = { root = \"/g\", dir = 'Pale Signal', list = { \"a\", \"b\" } },\n  --[[ none ]]\n  fen = { { at = \"/1\" }, { at = \"/2\" } },\n}\n",
    ),
    (
        Format::Nested,
        "game {\n  name Pale Signal\n  dir C:\\Games\\Pale Signal\n  tag\n}\ngame {\n  name Fen\n  dir /g/Fen#1\n}\n/* end */\n",
    ),
];

fn parsed(bytes: &[u8], format: Format) -> Document {
    Document::parse(bytes.to_vec(), format)
        .unwrap_or_else(|e| panic!("{format:?}: {e}\n{}", String::from_utf8_lossy(bytes)))
}

fn all_leaves(document: &Document) -> Vec<(Place, Side, String)> {
    let mut all = Vec::new();
    document.leaves(&mut |leaf| all.push((leaf.place, leaf.side, leaf.text.into_owned())));
    all
}

/// Leaves that an edit of this one may change beside it: those below a key that has another name now.
fn others(document: &Document, place: &Place, side: Side) -> Vec<(Place, Side, String)> {
    let mut all = all_leaves(document);
    all.retain(|(p, s, _)| !(p == place && *s == side || side == Side::Key && p.0.starts_with(&place.0)));
    all
}

/// Edits one leaf and proves all that an edit promises. Gives whether the edit was made.
pub(crate) fn edit_and_back(bytes: &[u8], format: Format, nth: usize, new: &str) -> bool {
    let document = parsed(bytes, format);
    let leaves = all_leaves(&document);
    if leaves.is_empty() {
        return false;
    }
    let (place, side, old) = leaves[nth % leaves.len()].clone();
    let context = format!("{format:?} {place} {side:?} {old:?} -> {new:?}");
    // Where a key stands twice, the place leads to the last one, as it does for launchers.
    if document.leaf(&place, side).as_deref() != Some(old.as_str()) {
        return false;
    }
    let written = document.written(&place, side).unwrap().to_string();
    let edited = match document.replace(&place, side, new, None) {
        Ok(edited) => edited,
        Err(DocumentError::CannotHold { .. } | DocumentError::Unfaithful { .. } | DocumentError::Collision { .. }) => {
            return false;
        }
        Err(DocumentError::WrongKind { .. }) => return false,
        Err(error) => panic!("{context}: {error}"),
    };
    let again = parsed(&edited, format);
    let mut there = place.clone();
    if side == Side::Key {
        *there.0.last_mut().unwrap() = Step::Name(new.into());
    }
    assert_eq!(again.leaf(&there, side).as_deref(), Some(new), "{context}");
    assert_eq!(others(&document, &place, side), others(&again, &there, side), "{context}");
    // One span: what is before it and behind it is the same.
    let (a, b) = (document.text(), again.text());
    let before = a.bytes().zip(b.bytes()).take_while(|(a, b)| a == b).count();
    let behind = a.bytes().rev().zip(b.bytes().rev()).take_while(|(a, b)| a == b).count();
    let span = document.written_span(&place, side).unwrap();
    if document.places_of_key(&place, side) == 1 {
        assert!(before >= span.start && behind >= a.len() - span.end, "{context}\n{b}");
    }
    let back = again.replace(&there, side, &old, Some(&written)).unwrap_or_else(|e| panic!("{context}: back: {e}"));
    assert_eq!(String::from_utf8_lossy(&back), String::from_utf8_lossy(bytes), "{context}");
    true
}

fn nasty() -> impl Strategy<Value = String> {
    let chosen = [
        "",
        " ",
        "/mnt/new drive/Spiele & mehr",
        "C:\\new\\temp",
        "it's \"so\"",
        "a\nb",
        "ä日🚢",
        "true",
        "12",
        "~",
        "null",
        "- x",
        "a: b",
        "x #y",
        "]]>",
        "&amp;",
        "<b>",
        "${HOME}/x",
        "%U",
        "#",
        "=",
        "[x]",
        "'''",
        "\"\"\"",
        "\u{1}\u{1f}",
        "\\",
        "\\\\",
        "a,b",
        "{x}",
        "*a",
        "&a",
        "!t",
        "|",
        ">",
        "@",
        "`",
        "\t",
        "x ",
        " x",
        "\r\n",
        "\u{85}\u{2028}",
        "0x10",
        "1e3",
        "yes",
        "\u{feff}",
        "\\0",
        "\\x41",
        "a;b:c",
        "---",
        "...",
        "? x",
        "x:",
        "e\u{301}",
    ];
    prop_oneof![
        3 => prop::sample::select(chosen.to_vec()).prop_map(str::to_string),
        1 => "\\PC{0,12}",
        1 => "[\\x00-\\x1f\"'\\\\/:#äß日🚢\\[\\]{}<>&%$ ]{0,10}",
    ]
}

fn runner(cases: u32) -> TestRunner {
    let config = Config { cases, failure_persistence: None, ..Config::default() };
    TestRunner::new_with_rng(config, TestRng::deterministic_rng(RngAlgorithm::ChaCha))
}

#[test]
fn an_edit_changes_its_span_alone_reads_back_and_can_be_taken_back_to_the_same_bytes() {
    for (format, text) in UGLY {
        let (mut made, mut tried) = (0, 0);
        let encodings = [Encoding::Utf8, Encoding::Utf8Marked, Encoding::Utf16Le, Encoding::Utf16Be];
        let ends = ["", "\n", "\r\n"];
        let given =
            (nasty(), 0..64_usize, prop::sample::select(encodings.to_vec()), prop::sample::select(ends.to_vec()));
        let counts = std::cell::RefCell::new((&mut made, &mut tried));
        runner(400)
            .run(&given, |(new, nth, encoding, end)| {
                let text =
                    if end.is_empty() { (*text).to_string() } else { text.replace("\r\n", "\n").replace('\n', end) };
                let ok = edit_and_back_in(&encoding.write(&[&text]), *format, nth, &new);
                let mut counts = counts.borrow_mut();
                *counts.0 += usize::from(ok);
                *counts.1 += 1;
                Ok(())
            })
            .unwrap();
        // A format that holds every text refuses next to nothing; lines refuse what has an end of line in it.
        let least = match format {
            Format::Json => 55,
            Format::Jsonc | Format::Yaml | Format::Toml | Format::Hive | Format::Desktop | Format::Xml => 45,
            _ => 30,
        };
        assert!(made * 100 >= tried * least, "{format:?}: {made} of {tried} edits were made");
    }
}

fn edit_and_back_in(bytes: &[u8], format: Format, nth: usize, new: &str) -> bool {
    edit_and_back(bytes, format, nth, new)
}

#[test]
fn every_text_can_be_a_value_where_the_format_holds_every_text() {
    let texts = ["", "C:\\a b\\", "it's \"so\" #1 & <2>", "a\nb\tc", "ä日🚢", "true", "12", "- x: y"];
    for (format, text, place) in [
        (Format::Json, "{\"a\": \"x\"}", "$.a"),
        (Format::Jsonc, "{\"a\": \"x\", /**/}", "$.a"),
        (Format::Yaml, "a: x\n", "$.a"),
        (Format::Yaml, "{a: 'x', b: y}\n", "$.a"),
        (Format::Yaml, "a: \"x\" # c\n", "$.a"),
        (Format::Yaml, "a: |\n  x\nb: c\n", "$.a"),
        (Format::Toml, "a = \"x\"\n", "$.a"),
        (Format::Toml, "a = 'x'\n", "$.a"),
        (Format::Toml, "a = '''x'''\n", "$.a"),
        (Format::Desktop, "[D]\na=x\n", "$.D.a"),
        (Format::Xml, "<r a=\"x\"/>", "$.r['@a']"),
        (Format::Xml, "<r a='x'/>", "$.r['@a']"),
        (Format::Hive, "WINE REGISTRY Version 2\n[k] 1\n\"a\"=\"x\"\n", "$.k.a"),
        (Format::Hive, "WINE REGISTRY Version 2\n[k] 1\n\"a\"=hex(2):78,00,00,00\n", "$.k.a"),
    ] {
        for new in texts {
            let document = parsed(text.as_bytes(), format);
            let place = document.find_one(place).unwrap();
            let edited = document.replace(&place, Side::Value, new, None);
            let edited = edited.unwrap_or_else(|e| panic!("{format:?} {text:?} {new:?}: {e}"));
            assert_eq!(parsed(&edited, format).leaf(&place, Side::Value).as_deref(), Some(new));
        }
    }
}

#[test]
fn broken_input_is_refused_or_read_but_never_a_panic_or_a_hang() {
    for (format, text) in UGLY {
        let (mut refused, mut read) = (0, 0);
        let counts = std::cell::RefCell::new((&mut refused, &mut read));
        let bytes = text.as_bytes().to_vec();
        let signs = b"\"'\\[]{}<>&:#,=\n\r\t |>-!*@%$;/x0\xff\xc3".to_vec();
        let damage = (0..bytes.len(), prop::sample::select(signs), 0..5_u8, 0..bytes.len());
        let several = prop::collection::vec(damage, 1..4);
        // Texts are read alike by every system.
        let cases = if cfg!(windows) { 500 } else { 10_000 };
        let started = std::time::Instant::now();
        runner(cases)
            .run(&several, |all| {
                let mut bytes = bytes.clone();
                for (at, sign, how, other) in all {
                    let at = at.min(bytes.len().saturating_sub(1));
                    match how {
                        0 => bytes.truncate(at),
                        1 => bytes.insert(at, sign),
                        2 => drop(bytes.splice(at..at, std::iter::repeat_n(sign, 300))),
                        3 if !bytes.is_empty() => bytes[at] = sign,
                        _ => {
                            let other = other.min(bytes.len());
                            let (a, b) = (at.min(other), at.max(other));
                            drop(bytes.drain(a..b));
                        }
                    }
                }
                match Document::parse(bytes, *format) {
                    Ok(document) => {
                        *counts.borrow_mut().1 += 1;
                        let leaves = all_leaves(&document);
                        if let Some((place, side, _)) = leaves.first() {
                            let _ = document.replace(place, *side, "/new", None);
                        }
                    }
                    Err(_) => *counts.borrow_mut().0 += 1,
                }
                Ok(())
            })
            .unwrap();
        let lenient =
            matches!(format, Format::Ini | Format::Desktop | Format::UserDirs | Format::Lines | Format::Nested);
        assert!(read > 0 && refused > 0, "{format:?}: {refused} refused, {read} read");
        assert!(lenient || refused * 10 > read, "{format:?}: {refused} refused, {read} read");
        let took = started.elapsed().as_secs();
        assert!(took < 120, "{format:?}: {took} s for {cases} inputs");
    }
}

#[test]
fn deep_nesting_bombs_and_long_lines_are_bounded() {
    let deep = 200_000;
    for (format, text) in [
        (Format::Json, "[".repeat(deep)),
        (Format::Json, "{\"a\":".repeat(deep)),
        (Format::Jsonc, "/*".repeat(deep)),
        (Format::Yaml, "[".repeat(deep)),
        (Format::Yaml, "- ".repeat(2000)),
        (Format::Yaml, "? ".repeat(2000)),
        (Format::Yaml, (0..2000).map(|n| format!("{}a:\n", " ".repeat(n))).collect()),
        (Format::Toml, format!("a = {}", "[".repeat(deep))),
        (Format::Toml, format!("a = {}", "{a=".repeat(2000))),
        (Format::JsonLines, "[".repeat(deep)),
        (Format::Nested, "a{".repeat(deep)),
        (Format::Nested, "a = [(".repeat(deep)),
        (Format::Nested, "{".repeat(deep)),
        (Format::Xml, "<a>".repeat(deep)),
        (Format::Xml, "<!DOCTYPE a [<!ENTITY b \"c\"><!ENTITY d \"&b;&b;\">]><a>&d;</a>".into()),
    ] {
        let refused = Document::parse(text.clone().into_bytes(), format);
        assert!(refused.is_err(), "{format:?} {}", &text[..20]);
    }
    // Aliases are not followed, so that a few lines cannot stand for a billion.
    let mut bomb = String::from("a0: &a0 [x, x]\n");
    for n in 1..40 {
        bomb.push_str(&format!("a{n}: &a{n} [*a{0}, *a{0}, *a{0}]\n", n - 1));
    }
    assert_eq!(all_leaves(&parsed(bomb.as_bytes(), Format::Yaml)).len(), 42);
    let long = "x".repeat(20_000_000);
    for (format, text) in [
        (Format::Json, format!("{{\"a\": \"{long}\", \"b\": \"/x\"}}")),
        (Format::Ini, format!("[s]\na={long}\nb=/x\n")),
        (Format::Lines, format!("{long}\n/x")),
        (Format::Nested, format!("a \"{long}\"\nb \"/x\"\n")),
    ] {
        let document = parsed(text.as_bytes(), format);
        let mut last = None;
        document.leaves(&mut |leaf| last = Some((leaf.place, leaf.side)));
        let (place, side) = last.unwrap();
        let edited = document.replace(&place, side, "/yy", None).unwrap();
        assert_eq!(edited.len(), text.len() + 1);
    }
}

#[test]
fn a_key_keeps_its_place_and_refuses_a_collision() {
    for (format, text, old, new, wanted, taken) in [
        (Format::Json, "{\"/a\": 1, \"/b\": 2}", "/a", "/c", "{\"/c\": 1, \"/b\": 2}", "/b"),
        (Format::Yaml, "/a: 1\n/b: 2\n", "/a", "/c d", "/c d: 1\n/b: 2\n", "/b"),
        (Format::Toml, "['/a']\nx=1\n['/a'.y]\n['/b']\n", "/a", "/c", "['/c']\nx=1\n['/c'.y]\n['/b']\n", "/b"),
        (Format::Ini, "[/a]\nx=1\n[/b]\n[/a]\ny=2\n", "/a", "/c", "[/c]\nx=1\n[/b]\n[/c]\ny=2\n", "/b"),
        (
            Format::Hive,
            "WINE REGISTRY Version 2\n[S\\\\/a] 17\n\"x\"=\"1\"\n[S\\\\/b] 17\n",
            "S\\/a",
            "S\\/c",
            "WINE REGISTRY Version 2\n[S\\\\/c] 17\n\"x\"=\"1\"\n[S\\\\/b] 17\n",
            "S\\/b",
        ),
    ] {
        let document = parsed(text.as_bytes(), format);
        let place = Place(vec![Step::Name(old.into())]);
        let edited = document.replace(&place, Side::Key, new, None).unwrap();
        assert_eq!(String::from_utf8(edited).unwrap(), wanted);
        assert!(matches!(document.replace(&place, Side::Key, taken, None), Err(DocumentError::Collision { .. })));
    }
}

#[test]
fn entries_come_and_go_in_the_layout_of_their_list() {
    let text = "{\n  \"all\": [\n    {\"id\": 1},\n    {\"id\": 2}\n  ]\n}\n";
    let json = parsed(text.as_bytes(), Format::Json);
    let list = json.find_one("$.all").unwrap();
    let more = json.append(&list, None, "{\"id\": 3}").unwrap();
    let wanted = "{\n  \"all\": [\n    {\"id\": 1},\n    {\"id\": 2},\n    {\"id\": 3}\n  ]\n}\n";
    assert_eq!(String::from_utf8(more.clone()).unwrap(), wanted);
    assert_eq!(parsed(&more, Format::Json).remove(&list, 2).unwrap(), text.as_bytes());
    let first = json.put_at(&list, 1, 0).unwrap();
    let wanted = "{\n  \"all\": [\n    {\"id\": 2},\n    {\"id\": 1}\n  ]\n}\n";
    assert_eq!(String::from_utf8(first).unwrap(), wanted);
    let mut now = json.bytes();
    for _ in 0..2 {
        now = parsed(&now, Format::Json).remove(&list, 0).unwrap();
    }
    assert_eq!(String::from_utf8(now.clone()).unwrap(), "{\n  \"all\": []\n}\n");
    let first = parsed(&now, Format::Json).append(&list, None, "{\"id\": 9}").unwrap();
    assert_eq!(String::from_utf8(first).unwrap(), "{\n  \"all\": [\n    {\"id\": 9}\n  ]\n}\n");
    for step in [" ", "  ", "    ", "\t"] {
        let text = format!("{{\n{step}\"o\": {{\n{step}{step}\"all\": []\n{step}}}\n}}\n");
        let empty = parsed(text.as_bytes(), Format::Json);
        let list = empty.find_one("$.o.all").unwrap();
        let one = empty.append(&list, None, "7").unwrap();
        let deep = format!("\n{step}{step}{step}7\n{step}{step}]");
        assert_eq!(String::from_utf8(one.clone()).unwrap(), text.replace(']', &deep), "{step:?}");
        assert_eq!(parsed(&one, Format::Json).remove(&list, 0).unwrap(), text.as_bytes(), "{step:?}");
    }
    let object = parsed(b"{\"o\": {\"d\":\"z\"}}", Format::Json);
    let keyed = object.append(&object.find_one("$.o").unwrap(), Some("n\"w"), "[]").unwrap();
    assert_eq!(String::from_utf8(keyed).unwrap(), "{\"o\": {\"d\":\"z\",\"n\\\"w\":[]}}");

    let text = "<r>\n  <!-- a -->\n  <p at=\"/1\"/>\n  <p at=\"/2\"/>\n</r>\n";
    let xml = parsed(text.as_bytes(), Format::Xml);
    let list = xml.find_one("$.r.p").unwrap();
    let more = xml.append(&list, None, "<p at=\"/3\" />").unwrap();
    assert_eq!(String::from_utf8(more.clone()).unwrap(), text.replace("\n</r>", "\n  <p at=\"/3\" />\n</r>"));
    assert_eq!(parsed(&more, Format::Xml).remove(&list, 2).unwrap(), text.as_bytes());
    let commented = parsed(b"{\"a\": [ // one\n 1, // last\n 2 // end\n]}", Format::Jsonc);
    let list = commented.find_one("$.a").unwrap();
    let more = parsed(&commented.append(&list, None, "3").unwrap(), Format::Jsonc);
    assert_eq!(more.value()["a"], serde_json::json!([1, 2, 3]));

    let text = "{\"id\": 1}\r\n{\"id\": 2}\r\n";
    let lines = parsed(text.as_bytes(), Format::JsonLines);
    let more = lines.append(&Place::default(), None, "{\"id\": 3}").unwrap();
    assert_eq!(String::from_utf8(more.clone()).unwrap(), format!("{text}{{\"id\": 3}}\r\n"));
    let more = parsed(&more, Format::JsonLines);
    assert_eq!(more.remove(&Place::default(), 2).unwrap(), text.as_bytes());
    assert_eq!(more.remove(&Place::default(), 0).unwrap(), b"{\"id\": 2}\r\n{\"id\": 3}\r\n");
}
