use super::*;

#[test]
fn the_needle_is_in_every_form_of_a_name() {
    for name in ["Pale Signal", "ä-Straße", "日の出", "x"] {
        let needle = Needle::new(name);
        let units: Vec<u16> = name.encode_utf16().collect();
        let json = serde_json::to_string(name).unwrap();
        let ascii: String = name
            .chars()
            .map(|c| if c.is_ascii() { c.to_string() } else { format!("\\u{:04x}", u32::from(c)) })
            .collect();
        let percent: String = name
            .bytes()
            .map(|b| if b.is_ascii_alphanumeric() { char::from(b).to_string() } else { format!("%{b:02X}") })
            .collect();
        let registry: String =
            name.chars().map(|c| if c.is_ascii() { c.to_string() } else { format!("\\x{:x}", u32::from(c)) }).collect();
        for form in [name.to_string(), json, ascii, percent, registry, name.to_uppercase()] {
            let ascii_only = name.is_ascii() || form != name.to_uppercase();
            assert!(!ascii_only || needle.is_in(&form), "{name}: {form}");
        }
        let wide: Vec<u8> = units.iter().flat_map(|u| u.to_le_bytes()).collect();
        assert!(needle.fast.is_match(&wide), "{name}");
        let wide: Vec<u8> = units.iter().flat_map(|u| u.to_be_bytes()).collect();
        assert!(needle.fast.is_match(&wide), "{name}");
        let digits: Vec<String> = units.iter().flat_map(|u| u.to_le_bytes()).map(|b| format!("{b:02x}")).collect();
        assert!(needle.hive.is_match(digits.join(",").as_bytes()), "{name}");
        assert!(needle.hive.is_match(digits.join(",\\\n  ").as_bytes()), "{name}");
        assert!(!needle.is_in("something else"), "{name}");
    }
}

#[test]
fn a_file_holds_a_name_in_whatever_encoding_it_is() {
    let names = ["Pale Signal", "ä-Straße", "日の出", "x", "Elsewhere"];
    let wide = |text: &str, low_first: bool| -> Vec<u8> {
        let bytes = |unit: u16| if low_first { unit.to_le_bytes() } else { unit.to_be_bytes() };
        text.encode_utf16().flat_map(bytes).collect()
    };
    for (nth, name) in names.iter().enumerate().take(4) {
        let said = format!("at = /mnt/g/{name}/bin\nother = 12\n");
        let digits: Vec<String> = wide(&said, true).iter().map(|byte| format!("{byte:02x}")).collect();
        let rows: Vec<String> = digits.chunks(20).map(|row| row.join(",")).collect();
        let registry = format!("REGEDIT4\r\n\r\n[A]\r\n\"b\"=hex(2):{}\r\n", rows.join(",\\\r\n  "));
        let marked = [b"\xff\xfe".to_vec(), wide(&registry, true)].concat();
        let latin = encoding_rs::WINDOWS_1252.encode(&said).0.into_owned();
        let files = [
            ("UTF-8", said.clone().into_bytes()),
            ("UTF-16", wide(&said, true)),
            ("UTF-16, high byte first", wide(&said, false)),
            ("windows-1252", if name.chars().all(|c| (c as u32) < 256) { latin } else { said.clone().into_bytes() }),
            ("bytes", [b"\x01\xff\xfe\x00".to_vec(), said.clone().into_bytes(), vec![0xc3, 0x28]].concat()),
            ("digits of a registry", registry.clone().into_bytes()),
            ("digits of a registry in UTF-16", marked),
        ];
        for (what, bytes) in files {
            let found = Needles::new(names.into_iter()).in_bytes(bytes);
            assert!(found.contains(&nth) && !found.contains(&4), "{name} in {what}: {found:?}");
        }
    }
}

#[test]
fn what_is_encoded_in_base64_holds_the_needle_wherever_the_name_stands_in_it() {
    for name in ["Pale Signal", "ä-Straße>>??", "日の出 here", "Seven", "Fen"] {
        for before in ["/", "{\"at\": \"/mnt/games/", "D:\\", "ab/", "a/"] {
            for behind in ["", "/", "\"}", "/bin/go --x"] {
                let said = format!("{before}{name}{behind}");
                for text in [STANDARD_NO_PAD.encode(&said), URL_SAFE_NO_PAD.encode(&said)] {
                    assert!(Needle::new(name).is_in(&text), "{said}: {text}");
                    let all = Needles::new([name].into_iter());
                    assert_eq!(all.in_text(&text), [0], "{said}: {text}");
                    let line = format!("x = \"{text}==\"");
                    if text.len() >= 12 {
                        assert!(said_in_base64(&line).any(|one| one == said), "{said}: {text}");
                    }
                }
            }
        }
        assert!(!Needle::new(name).is_in(&STANDARD_NO_PAD.encode("another text that is no name at all")));
    }
}

/// How writers write one character that they escape; `None` where such a writer leaves it as it is.
fn escapes(c: char, dialect: usize) -> String {
    let mut bytes = [0; 4];
    let bytes = c.encode_utf8(&mut bytes).as_bytes().to_vec();
    let mut units = [0; 2];
    let units = c.encode_utf16(&mut units).to_vec();
    let all = |form: &dyn Fn(u16) -> String| units.iter().map(|unit| form(*unit)).collect::<String>();
    let each = |form: &dyn Fn(u8) -> String| bytes.iter().map(|byte| form(*byte)).collect::<String>();
    match dialect {
        0 => all(&|unit| format!("\\u{unit:04x}")),
        1 => all(&|unit| format!("\\u{unit:04X}")),
        2 => all(&|unit| format!("\\x{unit:x}")),
        3 => format!("\\U{:08X}", u32::from(c)),
        4 => format!("\\u{{{:x}}}", u32::from(c)),
        5 => format!("&#{};", u32::from(c)),
        6 => format!("&#x{:04X};", u32::from(c)),
        7 => each(&|byte| format!("%{byte:02X}")),
        8 => each(&|byte| format!("\\x{byte:02x}")),
        9 => each(&|byte| format!("\\{byte:03o}")),
        _ if c.is_ascii() => format!("\\{c}"),
        _ => c.to_string(),
    }
}

#[test]
fn a_name_is_found_whatever_its_writer_escapes_of_it() {
    let names = [
        "Ö b",
        "ä 9",
        "日 X 出",
        "é'",
        "3 & 4",
        "µ",
        "🎲 7",
        "a-b",
        "Ü%",
        "Pale Signal",
        "Fen Two",
        "Drift & Däughters",
    ];
    // What a writer leaves as it is: all of ASCII, letters and digits, nothing, or nothing but the blank.
    let leaves: [fn(char) -> bool; 4] = [
        |c| c.is_ascii(),
        |c| c.is_ascii_alphanumeric(),
        |c| c.is_alphanumeric(),
        |c| c == ' ' || c.is_ascii_alphanumeric(),
    ];
    let wide = |text: &str, bytes: fn(u16) -> [u8; 2]| -> Vec<u8> { text.encode_utf16().flat_map(bytes).collect() };
    for name in names {
        let (needle, whole) = (Needle::new(name), WholeName::new(name));
        for (n, leaves) in leaves.iter().enumerate() {
            for dialect in 0..11 {
                let written = |c: char| if leaves(c) { c.to_string() } else { escapes(c, dialect) };
                let text = format!("at=/games/{}/bin", name.chars().map(written).collect::<String>());
                let shown = format!("{name}: {text} ({n}, {dialect})");
                assert!(needle.fast.is_match(text.as_bytes()), "{shown}");
                assert!(whole.is_in(text.as_bytes()), "{shown}: whole");
                assert!(needle.fast.is_match(&wide(&text, u16::to_le_bytes)), "{shown}: UTF-16");
                assert!(needle.fast.is_match(&wide(&text, u16::to_be_bytes)), "{shown}: UTF-16, the other way round");
            }
        }
        for (other, text) in [(name.to_lowercase(), "lower"), (name.to_uppercase(), "upper")] {
            assert!(needle.fast.is_match(other.as_bytes()) || other.contains("SS"), "{name}: {text} case");
        }
        for nothing in ["\0\0\0 \\ & ;", "/games/Another/bin", "Oe b, ae 9"] {
            assert!(!needle.fast.is_match(nothing.as_bytes()), "{name}: {nothing}");
        }
    }
}

#[test]
fn a_name_at_the_seam_of_two_reads_is_found() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("f");
    let needle = Needle::new("pale-signal");
    let mut buffer = vec![0; 8192];
    for at in [0, 4000, 8185, 8190, 12_000, 30_000] {
        let mut bytes = vec![b'.'; 40_000];
        bytes[at..at + 11].copy_from_slice(b"pale-signal");
        std::fs::write(&file, &bytes).unwrap();
        assert!(needle.is_in_file(&file, &mut buffer).unwrap(), "{at}");
    }
    std::fs::write(&file, vec![b'.'; 40_000]).unwrap();
    assert!(!needle.is_in_file(&file, &mut buffer).unwrap());
}

#[test]
fn the_end_of_a_path_is_found_as_writers_have_it_and_its_name_alone_is_not() {
    let path = PathEnd::new(Path::new("/mnt/games/Fen's 2"));
    for text in [
        "dir=%2Fmnt%2Fgames%2FFen%27s%202&x",
        "Z:\\\\mnt\\\\games\\\\Fen's 2\"",
        r"'/mnt/games/Fen'\''s 2'",
        "/mnt/games/Fen's 2/bin",
        r"/mnt/games/Fen\'s\ 2",
        "“/mnt/games/Fen's 2”",
        "「/mnt/games/Fen's 2」",
        "在：/mnt/games/Fen's 2。",
        "*/mnt/games/Fen's 2*",
        "/mnt/games/Fen's 2->x",
    ] {
        assert!(path.is_in(text), "{text}");
    }
    for text in [
        "https://x/Fen's 2/about",
        "/mnt/games/Fen's 22",
        "/other/Fen's 2",
        "games and Fen's 2",
        "/mnt/games/Fen's 2’s",
        "/mnt/games/Fen's 2：b",
        "/mnt/games/Fen's 2（b）",
    ] {
        assert!(!path.is_in(text), "{text}");
    }
}
