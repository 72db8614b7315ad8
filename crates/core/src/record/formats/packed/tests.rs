//! Every packed format: what is read, what an edit changes, and what is not taken for one.

use super::*;
use crate::record::{Document, Place, Side};
use proptest::prelude::*;

fn value_of(bytes: &[u8], format: Format) -> Value {
    Document::parse(bytes.to_vec(), format).unwrap_or_else(|why| panic!("{format:?}: {why}")).value().clone()
}

#[test]
fn the_examples_of_the_standards_read_as_they_say() {
    // RFC 8949, appendix A; MessagePack's and BSON's own examples.
    let cbor: [(&[u8], &str); 12] = [
        (&[0x1b, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff], "18446744073709551615"),
        (&[0x38, 0x63], "-100"),
        (&[0xf9, 0x3e, 0x00], "1.5"),
        (&[0xf9, 0x7b, 0xff], "65504"),
        (&[0xf9, 0xc4, 0x00], "-4"),
        (&[0xfa, 0x47, 0xc3, 0x50, 0x00], "100000"),
        (&[0xfb, 0xc0, 0x10, 0x66, 0x66, 0x66, 0x66, 0x66, 0x66], "-4.1"),
        (&[0xf5], "true"),
        (&[0xc1, 0x1a, 0x51, 0x4b, 0x67, 0xb0], "1363896240"),
        (&[0x7f, 0x65, b's', b't', b'r', b'e', b'a', 0x64, b'm', b'i', b'n', b'g', 0xff], "\"streaming\""),
        (&[0x9f, 0x01, 0x82, 0x02, 0x03, 0x9f, 0x04, 0x05, 0xff, 0xff], "[1,[2,3],[4,5]]"),
        (&[0xbf, 0x61, b'a', 0x01, 0x61, b'b', 0x9f, 0x02, 0x03, 0xff, 0xff], "{\"a\":1,\"b\":[2,3]}"),
    ];
    for (bytes, wanted) in cbor {
        assert_eq!(value_of(bytes, Format::Cbor).to_string(), wanted, "{bytes:x?}");
    }
    let packed = [&[0x82, 0xa7][..], b"compact", &[0xc3, 0xa6], b"schema", &[0x00]].concat();
    assert_eq!(value_of(&packed, Format::MessagePack).to_string(), "{\"compact\":true,\"schema\":0}");
    for (bytes, wanted) in [
        (&[0xd0, 0x80][..], "-128"),
        (&[0xd3, 0xff, 0xff, 0xff, 0xff, 0x00, 0x00, 0x00, 0x00], "-4294967296"),
        (&[0xe0], "-32"),
        (&[0xcb, 0x3f, 0xf8, 0, 0, 0, 0, 0, 0], "1.5"),
        (&[0x92, 0xc0, 0xc4, 0x01, 0xff], "[null,null]"),
    ] {
        assert_eq!(value_of(bytes, Format::MessagePack).to_string(), wanted, "{bytes:x?}");
    }
    let bson = b"\x16\0\0\0\x02hello\0\x06\0\0\0world\0\0";
    assert_eq!(value_of(bson, Format::Bson).to_string(), "{\"hello\":\"world\"}");
    let bson = b"\x31\0\0\0\x04BSON\0\x26\0\0\0\x020\0\x08\0\0\0awesome\0\x011\0\x33\x33\x33\x33\x33\x33\x14\x40\x102\0\xc2\x07\0\0\0\0";
    assert_eq!(value_of(bson, Format::Bson).to_string(), "{\"BSON\":[\"awesome\",5.05,1986]}");
    // Protocol Buffers, "Encoding": test messages 1 to 3.
    assert_eq!(value_of(b"\x08\x96\x01", Format::Protobuf).to_string(), "{\"1\":150}");
    assert_eq!(value_of(b"\x12\x07testing", Format::Protobuf).to_string(), "{\"2\":\"testing\"}");
    assert_eq!(value_of(b"\x1a\x03\x08\x96\x01", Format::Protobuf).to_string(), "{\"3\":[{\"1\":150}]}");
    let dict = b"d3:cow3:moo4:spaml1:ai-3eee";
    assert_eq!(value_of(dict, Format::Bencode).to_string(), "{\"cow\":\"moo\",\"spam\":[\"a\",-3]}");
}

/// A list of games in each format: two games, and numbers beside them.
fn lists(paths: [&str; 2]) -> [(Format, Vec<u8>, &'static str); 5] {
    let short = |text: &str| match text.len() {
        length @ 0..=31 => [&[0xa0 | length as u8][..], text.as_bytes()].concat(),
        length @ 32..=255 => [&[0xd9, length as u8][..], text.as_bytes()].concat(),
        length => [&[0xda][..], &(length as u16).to_be_bytes(), text.as_bytes()].concat(),
    };
    let mut message = vec![0x81];
    message.extend(short("games"));
    message.push(0x92);
    let mut cbor = b"\xa1\x65games\x9f".to_vec();
    let mut bencode = b"d5:gamesl".to_vec();
    let mut inner = Vec::new();
    let mut proto = Vec::new();
    for (n, path) in paths.into_iter().enumerate() {
        message.push(0x82);
        message.extend([short("at"), short(path), short("size"), vec![0xce, 0, 0, 0, 7]].concat());
        cbor.extend(b"\xa2\x62at");
        let length = path.len() as u16;
        match length {
            0..=23 => cbor.push(0x60 | length as u8),
            24..=255 => cbor.extend([0x78, length as u8]),
            _ => cbor.extend([&[0x79][..], &length.to_be_bytes()].concat()),
        }
        cbor.extend(path.as_bytes());
        cbor.extend(b"\x64size\x1a\0\0\0\x07");
        bencode.extend(format!("d2:at{}:{path}4:sizei7ee", path.len()).as_bytes());
        let text = |text: &str| [&(text.len() as u32 + 1).to_le_bytes()[..], text.as_bytes(), &[0]].concat();
        let body = [b"\x02at\0".to_vec(), text(path), b"\x10size\0\x07\0\0\0".to_vec(), vec![0]].concat();
        inner.extend([&[0x03][..], n.to_string().as_bytes(), &[0]].concat());
        inner.extend([&(body.len() as u32 + 4).to_le_bytes()[..], &body].concat());
        let path = [varint::width_kept(path.len() as u64, b""), path.as_bytes().to_vec()].concat();
        let body = [b"\x0a".to_vec(), path, b"\x10\x07".to_vec()].concat();
        proto.extend([b"\x1a".to_vec(), varint::width_kept(body.len() as u64, b""), body].concat());
    }
    cbor.push(0xff);
    bencode.extend(b"ee");
    inner.push(0);
    let list = [&(inner.len() as u32 + 4).to_le_bytes()[..], &inner].concat();
    let body = [b"\x04games\0".to_vec(), list, vec![0]].concat();
    let bson = [&(body.len() as u32 + 4).to_le_bytes()[..], &body].concat();
    [
        (Format::MessagePack, message, "$.games[1].at"),
        (Format::Cbor, cbor, "$.games[1].at"),
        (Format::Bencode, bencode, "$.games[1].at"),
        (Format::Bson, bson, "$.games[1].at"),
        (Format::Protobuf, proto, "$.3[1].1"),
    ]
}

fn place(selector: &str) -> Place {
    let quoted = selector.replace(".3", "['3']").replace(".1", "['1']").replace(".2", "['2']");
    Place::read(&quoted).unwrap()
}

#[test]
fn another_path_gives_the_very_bytes_that_its_own_launcher_would_write() {
    let long = format!("/mnt/{}/Föhn", "far/".repeat(90));
    let middle = format!("/m/{}x", "y/".repeat(50));
    let paths = ["/g/F", "/games/one/Fen & Two", middle.as_str(), long.as_str(), "/日本/游戏"];
    for from in paths {
        for to in paths {
            let all = lists(["/g/Fen", from]).into_iter().zip(lists(["/g/Fen", to]));
            for ((format, before, at), (_, after, _)) in all {
                let document = Document::parse(before.clone(), format).unwrap();
                assert_eq!(document.bytes(), before, "{format:?}");
                let made = document.replace(&place(at), Side::Value, to, None);
                assert_eq!(made.as_deref(), Ok(after.as_slice()), "{format:?}: {from} to {to}");
                let value = crate::record::document::NewValue { place: place(at), new: to.into(), written: None };
                assert_eq!(document.replace_all(&[value]).as_deref(), Some(after.as_slice()), "{format:?}");
                assert_eq!(packed_format_of(&before), Some(format), "{from}");
            }
        }
    }
}

#[test]
fn the_first_bytes_tell_what_need_not_be_read_any_further() {
    let long = format!("/mnt/{}/Föhn", "far/".repeat(2000));
    for path in ["/g/Fen", long.as_str()] {
        for (format, bytes, _) in lists([path, "/g/Lodge"]) {
            let start = &bytes[..bytes.len().min(4096)];
            assert!(packed_may_begin(start, bytes.len() as u64), "{format:?}");
        }
    }
    // Pictures, programs, archives, sounds, text.
    let heads: [&[u8]; 9] = [
        b"\x89PNG\r\n\x1a\n\0\0\0\x0dIHDR\0\0\x02\x80\0\0\x01\xe0",
        b"\xff\xd8\xff\xe0\0\x10JFIF\0\x01\x01\0\0\x48",
        b"\x7fELF\x02\x01\x01\0\0\0\0\0\0\0\0\0\x03\0\x3e\0",
        b"MZ\x90\0\x03\0\0\0\x04\0\0\0\xff\xff\0\0\xb8\0\0\0",
        b"PK\x03\x04\x14\0\0\0\x08\0\x21\x52\x21\0\xb7\xac\xce\x34\x2d\0",
        b"\x1f\x8b\x08\0\0\0\0\0\0\x03\xed\xbd\x07\x60\x1c\x49\x96\x25\x26",
        b"OggS\0\x02\0\0\0\0\0\0\0\0\xaa\x22\0\0\0\0",
        b"\0\0\0\x20ftypisom\0\0\x02\0isomiso2",
        b"all that stands here is text, and no more than that",
    ];
    for head in heads {
        let start = [head, &[0; 64]].concat();
        assert!(!packed_may_begin(&start, 70_000), "{head:x?}");
    }
}

#[test]
fn a_number_keeps_the_width_that_its_writer_gave_it() {
    for (format, bytes, _) in lists(["/g/Fen", "/g/Lodge"]) {
        let at = if format == Format::Protobuf { place("$.3[1].2") } else { place("$.games[1].size") };
        let document = Document::parse(bytes.clone(), format).unwrap();
        let wide = document.replace(&at, Side::Value, "70000", None).unwrap();
        let back = Document::parse(wide.clone(), format).unwrap();
        assert_eq!(back.leaf(&at, Side::Value).as_deref(), Some("70000"), "{format:?}");
        let fixed = matches!(format, Format::MessagePack | Format::Cbor | Format::Bson);
        assert!(!fixed || wide.len() == bytes.len(), "{format:?}");
        // What needed its width says nothing of its writer: then how it was written before does.
        let written = document.written(&at, Side::Value);
        assert_eq!(back.replace(&at, Side::Value, "7", written).as_deref(), Ok(bytes.as_slice()), "{format:?}");
        let near = Document::parse(document.replace(&at, Side::Value, "9", None).unwrap(), format).unwrap();
        assert_eq!(near.replace(&at, Side::Value, "7", None).as_deref(), Ok(bytes.as_slice()), "{format:?}");
        assert!(document.replace(&at, Side::Value, "many", None).is_err());
    }
}

#[test]
fn what_may_be_text_or_a_message_is_left_as_bytes() {
    // A field whose text is `2$…` and reads as a message as well: no sign says which of both it is.
    let path = format!("/mnt/games/{}", "x".repeat(0x24 - 11));
    let both = [b"2$".to_vec(), path.clone().into_bytes()].concat();
    let bytes = [vec![0x22, both.len() as u8], both, b"\x12\x0bsomething e".to_vec()].concat();
    let document = Document::parse(bytes, Format::Protobuf).unwrap();
    assert_eq!(document.value()["4"], Value::Null);
    assert_eq!(document.value()["2"], "something e");
    // Beside another that can only be a text it is one.
    let bytes = [b"\x22\x04/g/x".to_vec(), [vec![0x22, 2 + 0x24], b"2$".to_vec(), path.into_bytes()].concat()].concat();
    let document = Document::parse(bytes, Format::Protobuf).unwrap();
    assert!(document.value()["4"][1].as_str().unwrap().starts_with("2$/mnt"));
}

#[test]
fn what_is_no_whole_file_of_a_format_is_not_taken_for_one() {
    for (format, bytes, _) in lists(["/g/Fen", "/g/Lodge"]) {
        for cut in 1..bytes.len() {
            let found = packed_format_of(&bytes[..cut]);
            // A protocol buffer may end behind any field.
            assert!(found.is_none() || (format == Format::Protobuf && found == Some(format)), "{format:?}: {cut}");
        }
        let more = [&bytes[..], b"\x01\x02"].concat();
        assert_eq!(packed_format_of(&more), None, "{format:?}");
    }
    for text in ["{\"a\": 1}", "<a/>", "path = /g/Fen\n", "dir = /g\n", "likes: 3\n", "\"2$\" = 3\n", ""] {
        assert_eq!(packed_format_of(text.as_bytes()), None, "{text}");
    }
}

#[test]
fn bytes_that_go_on_and_on_are_refused_and_never_followed() {
    for (format, open) in [
        (Format::MessagePack, &b"\x91"[..]),
        (Format::MessagePack, b"\x81\xa1a"),
        (Format::MessagePack, b"\xdd\xff\xff\xff\xff"),
        (Format::MessagePack, b"\xdf\xff\xff\xff\xff"),
        (Format::MessagePack, b"\xdb\xff\xff\xff\xff"),
        (Format::Cbor, b"\x81"),
        (Format::Cbor, b"\xc1"),
        (Format::Cbor, b"\x9f"),
        (Format::Cbor, b"\x7f"),
        (Format::Cbor, b"\x9b\xff\xff\xff\xff\xff\xff\xff\xff"),
        (Format::Cbor, b"\x7b\xff\xff\xff\xff\xff\xff\xff\xff"),
        (Format::Bencode, b"l"),
        (Format::Bencode, b"d1:a"),
        (Format::Bencode, b"99999999999999999999:"),
        (Format::Bson, b"\xff\xff\xff\x7f\x03a\0"),
        (Format::Bson, b"\0\0\0\0"),
        (Format::BinaryPropertyList, b"bplist00\xaf\x12\xff\xff\xff\xff"),
        (Format::Protobuf, b"\x0a"),
        (Format::Protobuf, b"\x0a\xff\xff\xff\xff\xff\xff\xff\xff\xff\x01"),
    ] {
        let read = Document::parse(open.repeat(100_000), format);
        assert!(read.is_err() || format == Format::Protobuf, "{format:?} {open:x?}");
        let _ = packed_format_of(&open.repeat(100_000));
    }
}

/// A link to `D:\Games\Fen\go.exe` as a compatibility layer writes it, with its working folder and arguments.
fn shell_link() -> Vec<u8> {
    const DIGITS: &str = "\
        4c0000000114020000000000c000000000000046b300000000000000000000000000000000000000000000000000000000000000000000000000000001000000\
        000000000000000000000000cf0014001f00e04fd020ea3a6910a2d808002b30309d190023443a5c000000000000000000000000000000000000003600310000\
        0000007d5d8474100047616d65730022000000000000007d5d84747d5d847400000000470061006d00650073000000140030003100000000007d5d8474100046\
        656e001e000000000000007d5d84747d5d847400000000460065006e00000012003a00320000000000000000000000676f2e6578650000240000000000000000\
        000000000000000000000067006f002e00650078006500000016000000420000001c000000010000001c0000002d000000000000004100000011000000030000\
        00000000441000000000443a5c47616d65735c46656e5c676f2e65786500000d0044003a005c00470061006d00650073005c00460065006e00000013002f0063\
        0020006300640020003e00200043003a005c006f00750074002e00740078007400000000000000\
    ";
    let digits: Vec<u8> = DIGITS.chars().filter_map(|c| c.to_digit(16)).map(|digit| digit as u8).collect();
    digits.as_chunks::<2>().0.iter().map(|[high, low]| high << 4 | low).collect()
}

#[test]
fn a_link_of_a_compatibility_layer_is_read_and_written_as_it_writes_them() {
    let bytes = shell_link();
    let mut document = Document::parse(bytes.clone(), Format::ShellLink).unwrap();
    assert_eq!(packed_format_of(&bytes), Some(Format::ShellLink));
    let wanted = serde_json::json!({
        "items": "D:\\Games\\Fen\\go.exe", "base_path": "D:\\Games\\Fen\\go.exe", "path_suffix": "",
        "working_dir": "D:\\Games\\Fen", "arguments": "/c cd > C:\\out.txt",
    });
    assert_eq!(*document.value(), wanted);
    for (key, new) in [("items", "E:\\Fen\\go.exe"), ("base_path", "E:\\Fen\\go.exe"), ("working_dir", "E:\\Fen")] {
        let made = document.replace(&place(&format!("$.{key}")), Side::Value, new, None).unwrap();
        document = Document::parse(made, Format::ShellLink).unwrap();
        assert_eq!(document.value()[key], new);
    }
    // It counts the zero at the end of a text, and marks no long names.
    let made = document.bytes();
    let working_dir = [&[7, 0][..], b"E\0:\0\\\0F\0e\0n\0\0\0"].concat();
    assert!(made.windows(working_dir.len()).any(|part| part == working_dir));
    assert!(!made.windows(4).any(|four| four == [4, 0, 0xef, 0xbe]));
    // The item of the program is as it was, with its times.
    let program = &bytes[0xe1..0xe1 + usize::from(bytes[0xe1])];
    assert!(program.ends_with(b"e\0x\0e\0\0\0\x16\0") && made.windows(program.len()).any(|part| part == program));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 10_000, ..ProptestConfig::default() })]

    /// What was damaged is refused or given back as it is, and an edit of it reads back.
    #[test]
    fn damaged_bytes_are_refused_or_read_and_edited_like_others(
        which in 0..6_usize,
        damage in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..4),
        cut in any::<prop::sample::Index>(),
        nth in any::<prop::sample::Index>(),
    ) {
        let lists = lists(["/g/Fen", "/games/Moor's End"]).map(|(format, bytes, _)| (format, bytes));
        let (format, mut bytes) = lists.get(which).cloned().unwrap_or_else(|| (Format::ShellLink, shell_link()));
        for (at, byte) in damage {
            let at = at.index(bytes.len());
            bytes[at] = byte;
        }
        // Half of them end early.
        let cut = cut.index(2 * bytes.len());
        bytes.truncate(cut.max(1));
        let Ok(document) = Document::parse(bytes.clone(), format) else { return Ok(()) };
        prop_assert_eq!(document.bytes(), bytes);
        let mut texts = Vec::new();
        document.leaves(&mut |leaf| texts.extend((leaf.side == Side::Value).then(|| leaf.place.clone())));
        if texts.is_empty() {
            return Ok(());
        }
        let place = &texts[nth.index(texts.len())];
        if let Ok(made) = document.replace(place, Side::Value, "/mnt/new", None) {
            let now = Document::parse(made, format).unwrap();
            prop_assert_eq!(now.leaf(place, Side::Value), Some("/mnt/new".to_string()));
        }
    }
}

/// Objects that stand in one another, or in the table, could not be changed one by one.
#[test]
fn a_list_whose_objects_stand_in_one_another_is_refused() {
    let whole = |offsets: [u8; 3]| {
        let numbers = [3, 0, 17].map(u64::to_be_bytes).concat();
        [&b"bplist00\xa2\x01\x02\x52ab\x52cd"[..], &offsets, &[0; 6], &[1, 1], &numbers].concat()
    };
    let read = |offsets| Document::parse(whole(offsets), Format::BinaryPropertyList).is_ok();
    assert!(read([8, 11, 14]));
    for offsets in [[8, 11, 12], [8, 11, 11], [8, 14, 16], [8, 9, 14], [8, 11, 17], [8, 11, 7]] {
        assert!(!read(offsets), "{offsets:?}");
    }
}

/// An array of one object that is itself, and one in which each level stands twice for the next: neither is followed for ever.
#[test]
fn a_list_that_refers_to_itself_is_refused() {
    let end = |count: u64, table: u64| {
        let numbers = [count, 0, table].map(u64::to_be_bytes).concat();
        [&[0; 6][..], &[1, 1], &numbers].concat()
    };
    let own = [&b"bplist00\xa1\x00\x08"[..], &end(1, 10)].concat();
    assert!(Document::parse(own, Format::BinaryPropertyList).is_err());
    let levels: Vec<u8> = (0..60_u8).flat_map(|n| [0xa2, n + 1, n + 1]).collect();
    let offsets: Vec<u8> = (0..=60_u8).map(|n| 8 + 3 * n).collect();
    let twice = [&b"bplist00"[..], &levels, &[0x51, b'x'], &offsets, &end(61, 190)].concat();
    assert!(Document::parse(twice, Format::BinaryPropertyList).is_err());
}
