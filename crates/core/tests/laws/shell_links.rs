//! Shortcuts of a Windows desktop: written here byte by byte as [MS-SHLLINK] has it, rewritten by a haul, and read by the same document.

use std::fs;
use std::path::Path;

use deft_barge_core::record::{Document, Format, Side};
use deft_barge_core::trace::Sure;

use crate::house::{House, same};
use crate::layers::planned;

fn u16s(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

fn u32_of(bytes: &[u8], at: usize) -> usize {
    u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize
}

fn u16_of(bytes: &[u8], at: usize) -> usize {
    u16::from_le_bytes(bytes[at..at + 2].try_into().unwrap()).into()
}

/// How a writer makes its links.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Writer {
    /// A desktop of today: long names in version 9, the path in UTF-16 as well, variables, further blocks.
    Desktop,
    /// One of long ago: version 3, texts in the code page.
    Old,
    /// An installer that writes no items.
    Plain,
    /// A desktop, for a target in a folder that it knows by its number.
    KnownFolder,
}

/// Item of a folder or file with its times.
fn item(name: &str, is_folder: bool, version: u8) -> Vec<u8> {
    let mut item = vec![0, 0, if is_folder { 0x31 } else { 0x32 }, 0, 9, 9, 0, 0, 0x7d, 0x5d, 0x84, 0x74, 0x10, 0];
    item.extend(name.to_ascii_uppercase().replace(|c: char| !c.is_ascii_alphanumeric(), "").bytes().take(6));
    item.extend(b"~1\0");
    item.resize(item.len().next_multiple_of(2), 0);
    let at = item.len() as u16;
    let mut long = vec![version, 0, 4, 0, 0xef, 0xbe, 0x7d, 0x5d, 0x84, 0x74, 0x7d, 0x5d, 0x84, 0x74, 0x14, 0];
    if version >= 7 {
        long.extend([0, 0, 1, 2, 3, 4, 5, 6, 7, 8, 0, 0, 0, 0, 0, 0, 0, 0]);
    }
    long.extend([0, 0]);
    long.extend([7; 8].iter().take(if version >= 9 { 8 } else { 0 }));
    long.extend([u16s(name), vec![0, 0], at.to_le_bytes().to_vec()].concat());
    item.extend((long.len() as u16 + 2).to_le_bytes());
    item.extend(long);
    let length = item.len() as u16;
    item.splice(..2, length.to_le_bytes());
    item
}

fn link(writer: Writer, folder: &str, program: &str) -> Vec<u8> {
    let path = format!("{folder}\\{program}");
    let (has_items, is_wide) = (writer != Writer::Plain, writer != Writer::Old);
    let mut bytes = vec![0x4c, 0, 0, 0, 1, 0x14, 2, 0, 0, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x46];
    let flags: u32 = 2 | (1 << 4) | (1 << 5) | (1 << 6) | u32::from(has_items) | if is_wide { 0x80 } else { 0 };
    bytes.extend(flags.to_le_bytes());
    bytes.extend([0x20, 0, 0, 0]);
    bytes.resize(0x4c, 5);
    if has_items {
        let mut list = vec![0x14, 0, 0x1f, 0x50];
        list.extend([0xe0, 0x4f, 0xd0, 0x20, 0xea, 0x3a, 0x69, 0x10, 0xa2, 0xd8, 8, 0, 0x2b, 0x30, 0x30, 0x9d]);
        let mut parts = path.split('\\');
        let mut drive = [vec![0x19, 0, 0x2f], parts.next().unwrap().as_bytes().to_vec(), b"\\".to_vec()].concat();
        drive.resize(0x19, 0);
        list.extend(drive);
        let parts: Vec<&str> = parts.collect();
        for (nth, name) in parts.iter().enumerate() {
            list.extend(item(name, nth + 1 < parts.len(), if is_wide { 9 } else { 3 }));
        }
        list.extend([0, 0]);
        bytes.extend((list.len() as u16).to_le_bytes());
        bytes.extend(list);
    }
    let volume = [&[0x15, 0, 0, 0, 3, 0, 0, 0, 1, 2, 3, 4, 0x10, 0, 0, 0][..], b"disk\0"].concat();
    let head = if is_wide { 0x24 } else { 0x1c };
    let (base, suffix) = (head + volume.len(), head + volume.len() + path.len() + 1);
    let (wide_base, wide_suffix) = (suffix + 1, suffix + 1 + 2 * path.encode_utf16().count() + 2);
    let size = if is_wide { wide_suffix + 2 } else { suffix + 1 };
    let mut info = [size, head, 1, head, base, 0, suffix].map(|n| (n as u32).to_le_bytes()).concat();
    if is_wide {
        info.extend([wide_base, wide_suffix].map(|n| (n as u32).to_le_bytes()).concat());
    }
    info.extend([volume, path.as_bytes().to_vec(), vec![0, 0]].concat());
    if is_wide {
        info.extend([u16s(&path), vec![0; 4]].concat());
    }
    assert_eq!(info.len(), size);
    bytes.extend(info);
    for text in [folder.to_string(), format!("-data \"{folder}\\data\" -x"), path.clone()] {
        bytes.extend((text.encode_utf16().count() as u16).to_le_bytes());
        bytes.extend(if is_wide { u16s(&text) } else { text.into_bytes() });
    }
    let block = |kind: u32, data: Vec<u8>| {
        [(data.len() as u32 + 8).to_le_bytes(), kind.to_le_bytes()].concat().into_iter().chain(data)
    };
    if writer == Writer::Desktop {
        let mut data = path.as_bytes().to_vec();
        data.resize(260, 0);
        data.extend(u16s(&path));
        data.resize(780, 0);
        bytes.extend(block(0xa000_0001, data));
        bytes.extend(block(0xa000_0003, [vec![0x58, 0, 0, 0, 0, 0, 0, 0], vec![3; 80]].concat()));
    }
    if writer == Writer::KnownFolder {
        bytes.extend(block(0xa000_000b, [vec![9; 16], vec![0x2d, 0, 0, 0]].concat()));
    }
    bytes.extend([0; 4]);
    bytes
}

/// What a link says of its target, read as the document has it: by its items, in the code page, in UTF-16, in the texts behind.
fn says(bytes: &[u8]) -> Vec<String> {
    let (flags, mut at, mut out) = (u32_of(bytes, 20), 0x4c, Vec::new());
    let wide_text = |from: usize, units: usize| {
        let units = bytes[from..from + 2 * units].as_chunks().0.iter().map(|two| u16::from_le_bytes(*two));
        String::from_utf16(&units.collect::<Vec<_>>()).unwrap()
    };
    let wide_length = |from: usize| (0..bytes.len()).position(|n| u16_of(bytes, from + 2 * n) == 0).unwrap();
    let narrow = |from: usize| {
        let length = bytes[from..].iter().position(|byte| *byte == 0).unwrap();
        String::from_utf8(bytes[from..from + length].to_vec()).unwrap()
    };
    if flags & 1 != 0 {
        let end = at + 2 + u16_of(bytes, at);
        let (mut item, mut path) = (at + 2, Vec::new());
        while u16_of(bytes, item) != 0 {
            let size = u16_of(bytes, item);
            match bytes[item + 2] {
                0x1f => {}
                0x2f => path.push(narrow(item + 3).trim_end_matches('\\').to_string()),
                _ => {
                    let long = item + u16_of(bytes, item + size - 2);
                    let name = long + if u16_of(bytes, long + 2) == 9 { 46 } else { 20 };
                    path.push(wide_text(name, wide_length(name)));
                }
            }
            item += size;
        }
        assert_eq!(item + 2, end);
        out.push(path.join("\\"));
        at = end;
    }
    let (size, head) = (u32_of(bytes, at), u32_of(bytes, at + 4));
    out.push(narrow(at + u32_of(bytes, at + 16)) + &narrow(at + u32_of(bytes, at + 24)));
    if head >= 0x24 {
        let [base, suffix] = [28, 32].map(|field| at + u32_of(bytes, at + field));
        out.push(wide_text(base, wide_length(base)) + &wide_text(suffix, wide_length(suffix)));
    }
    at += size;
    for _ in 0..3 {
        let count = u16_of(bytes, at);
        let is_wide = flags & 0x80 != 0;
        out.push(if is_wide {
            wide_text(at + 2, count)
        } else {
            String::from_utf8(bytes[at + 2..at + 2 + count].into()).unwrap()
        });
        at += 2 + count * if is_wide { 2 } else { 1 };
    }
    while u32_of(bytes, at) >= 4 {
        if u32_of(bytes, at + 4) == 0xa000_0001 {
            out.extend([narrow(at + 8), wide_text(at + 268, wide_length(at + 268))]);
        }
        at += u32_of(bytes, at);
    }
    assert_eq!(at + 4, bytes.len());
    out
}

const WRITERS: [Writer; 4] = [Writer::Desktop, Writer::Old, Writer::Plain, Writer::KnownFolder];

#[test]
fn every_text_of_a_link_is_written_there_and_back_to_the_same_bytes() {
    let places =
        ["D:\\Games\\Fen Two", "E:\\Fen Two", "D:\\Games\\far\\down\\Fen Two", "D:\\Games\\Fen", "C:\\a\\b\\c\\d"];
    for writer in WRITERS {
        for (from, to) in places.iter().flat_map(|from| places.iter().map(move |to| (from, to))) {
            let before = link(writer, from, "bin\\go.exe");
            let mut document = Document::parse(before.clone(), Format::ShellLink).unwrap();
            assert_eq!(document.bytes(), before, "{writer:?}");
            let mut all = Vec::new();
            document.leaves(&mut |leaf| {
                if leaf.side == Side::Value && leaf.text.contains(from) {
                    let written = document.written(&leaf.place, Side::Value).unwrap().to_string();
                    all.push((leaf.place.clone(), leaf.text.to_string(), written));
                }
            });
            // A known folder's items are not touched: its system puts others in their place.
            let readable = says(&before).len() - usize::from(writer == Writer::KnownFolder);
            assert_eq!(all.len(), readable, "{writer:?}: {all:?}");
            for (place, text, _) in &all {
                let made = document.replace(place, Side::Value, &text.replace(from, to), None).unwrap();
                document = Document::parse(made, Format::ShellLink).unwrap();
            }
            let now = says(&document.bytes());
            let left = usize::from(writer == Writer::KnownFolder);
            assert_eq!(now[left..], says(&link(writer, to, "bin\\go.exe"))[left..], "{writer:?}: {from} to {to}");
            for (place, text, written) in &all {
                let made = document.replace(place, Side::Value, text, Some(written)).unwrap();
                document = Document::parse(made, Format::ShellLink).unwrap();
            }
            assert_eq!(document.bytes(), before, "{writer:?}: {from} to {to} and back");
        }
    }
}

#[test]
fn a_field_without_room_and_a_sign_that_a_code_page_may_lack_are_refused() {
    let document = Document::parse(link(Writer::Desktop, "D:\\Fen", "go.exe"), Format::ShellLink).unwrap();
    let replace = |place: &str, new: &str| {
        let place = document.find_one(place).unwrap();
        document.replace(&place, Side::Value, new, None).is_ok()
    };
    let (fits, long) = (format!("D:\\{}", "x".repeat(256)), format!("D:\\{}", "x".repeat(257)));
    assert!(replace("$.target_variable", &fits) && !replace("$.target_variable", &long));
    assert!(replace("$.target_variable_unicode", &fits) && !replace("$.target_variable_unicode", &long));
    assert!(replace("$.base_path_unicode", "D:\\Föhn\\go.exe") && replace("$.items", "D:\\Föhn\\go.exe"));
    assert!(!replace("$.base_path", "D:\\Föhn\\go.exe"), "which code page it is in is not known");
    for no_path in ["", "D:", "D:\\", "go.exe", "\\\\host\\share\\go.exe", "D:\\a\\\\b", "D:\\a/b"] {
        assert!(!replace("$.items", no_path), "{no_path}");
    }
}

/// A layer whose drive D is `drive`, with links on its desktop.
fn layer(house: &House, drive: &str, links: &[(&str, Vec<u8>)]) {
    let layer = house.home().join(".local/share/layer");
    let desktop = layer.join("drive_c/users/me/Desktop");
    fs::create_dir_all(&desktop).unwrap();
    fs::create_dir_all(layer.join("dosdevices")).unwrap();
    for (letter, to) in [("c:", Path::new("../drive_c")), ("d:", &house.folder().join(drive)), ("z:", Path::new("/"))] {
        std::os::unix::fs::symlink(to, layer.join("dosdevices").join(letter)).unwrap();
    }
    for (name, bytes) in links {
        fs::write(desktop.join(name), bytes).unwrap();
    }
}

#[test]
fn links_follow_a_game_and_come_back_to_the_same_bytes_and_others_stay() {
    let house = House::new();
    let game = house.folder().join("drives/swift/Games/Fen Two");
    for folder in ["Fen Two", "Fen"] {
        let at = game.with_file_name(folder);
        fs::create_dir_all(at.join("bin")).unwrap();
        fs::write(at.join("bin/go.exe"), vec![7; 5000]).unwrap();
    }
    let links = [
        ("desktop.lnk", link(Writer::Desktop, "D:\\Games\\Fen Two", "bin\\go.exe")),
        ("old.lnk", link(Writer::Old, "D:\\Games\\Fen Two", "bin\\go.exe")),
        ("plain.lnk", link(Writer::Plain, "D:\\Games\\Fen Two", "bin\\go.exe")),
        ("other.lnk", link(Writer::Desktop, "D:\\Games\\Fen", "bin\\go.exe")),
        ("longer.lnk", link(Writer::Old, "D:\\Games\\Fen Two B", "bin\\go.exe")),
    ];
    layer(&house, "drives/swift", &links);
    let before = house.records();
    let (trace, plan) = planned(&house, &game);
    let unsure: Vec<_> = trace.finds.iter().filter(|find| find.sure != Sure::Certain).collect();
    assert!(unsure.is_empty(), "{unsure:#?}");
    let haul = house.haul(&plan, None).unwrap();
    let desktop = house.home().join(".local/share/layer/drive_c/users/me/Desktop");
    for (name, old) in &links {
        let now = fs::read(desktop.join(name)).unwrap();
        if matches!(*name, "other.lnk" | "longer.lnk") {
            assert!(now == *old, "{name}");
            continue;
        }
        for (was, is) in says(old).into_iter().zip(says(&now)) {
            let (head, tail) = was.split_once("D:\\Games\\Fen Two").unwrap();
            let path = is.strip_prefix(head).and_then(|is| is.strip_suffix(tail)).unwrap_or_else(|| panic!("{is}"));
            let (letter, rest) = path.split_once(":\\").unwrap();
            let letters = house.home().join(".local/share/layer/dosdevices");
            let root = letters.join(format!("{}:", letter.to_lowercase())).canonicalize();
            let root = root.unwrap_or_else(|why| panic!("{is}: {why}"));
            assert_eq!(root.join(rest.replace('\\', "/")), plan.items[0].to, "{name}: {is}");
        }
    }
    house.give_back(haul);
    same(&before, &house.records(), "undone");
}

#[test]
fn a_link_through_a_folder_that_is_known_by_its_number_is_named_as_one_that_stays_in_part() {
    let house = House::new();
    let game = house.folder().join("drives/swift/Games/Fen Two");
    fs::create_dir_all(game.join("bin")).unwrap();
    fs::write(game.join("bin/go.exe"), vec![7; 5000]).unwrap();
    layer(&house, "drives/swift", &[("known.lnk", link(Writer::KnownFolder, "D:\\Games\\Fen Two", "bin\\go.exe"))]);
    let (trace, _) = planned(&house, &game);
    assert!(trace.finds.iter().any(|find| find.sure == Sure::Certain), "its texts are written");
    assert!(trace.finds.iter().any(|find| find.sure == Sure::Unreadable), "its items are not: {:#?}", trace.finds);
}
