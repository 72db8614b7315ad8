//! Laws of what is read from files.

use std::cell::RefCell;
use std::path::{Component, Path, PathBuf};
use std::sync::OnceLock;

use deft_barge_core::launcher::Profile;
use deft_barge_core::plan::DraftFile;
use deft_barge_core::record::{
    Bases, Content, Document, Format, Letters, Meaning, PartFit, Side, Spelling, Values, Within, find_parts, write_part,
};
use deft_barge_core::site::{Site, parse_mountinfo};
use deft_barge_core::survey::Names;
use tempfile::TempDir;

use super::{chosen, two_lines};

/// Most leaves of one document that are looked at: the fuzzer is to try many documents, not one for long.
const LEAVES: usize = 40;

/// A document gives back the very bytes that it was read from; what is written into a leaf reads back, and writing the old text
/// again gives the old bytes.
pub fn formats(data: &[u8]) {
    let (which, bytes) = chosen(data);
    let format = Format::ALL[which % Format::ALL.len()];
    let Ok(document) = Document::parse(bytes.to_vec(), format) else { return };
    assert_eq!(document.bytes(), bytes, "{format:?}: what was read is not what is given back");
    let _ = document.value();
    let mut seen = Vec::new();
    document.leaves(&mut |leaf| {
        if seen.len() < LEAVES {
            seen.push((leaf.place.clone(), leaf.side, leaf.text.into_owned()));
        }
    });
    for (place, side, text) in seen {
        let _ = document.line(&place);
        let Some(written) = document.written(&place, side).map(str::to_string) else { continue };
        for new in ["/mnt/new/Öl \"x\"'\\& b", "", "plain"] {
            let Ok(changed) = document.replace(&place, side, new, None) else { continue };
            let again =
                Document::parse_after(changed, format, document.page().as_ref()).expect("what was written can be read");
            // A key that is written anew has another place.
            if side == Side::Key {
                continue;
            }
            assert_eq!(again.leaf(&place, side).as_deref(), Some(new), "{format:?} {place}");
            // Of several members of one name the last one counts.
            if document.leaf(&place, side).as_deref() != Some(&text) {
                continue;
            }
            // Where a value was empty, the blanks around it may lie on either side of the new one.
            if new.is_empty() || text.is_empty() {
                continue;
            }
            let back = again.replace(&place, side, &text, Some(&written));
            assert_eq!(back.ok().as_deref(), Some(bytes), "{format:?} {place}: the old text gives other bytes");
        }
    }
}

/// A template that was filled is read back as what it was filled with.
pub fn templates(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let (template, value) = two_lines(text);
    let Ok(meaning) = Meaning::try_from(template.to_string()) else { return };
    assert_eq!(Meaning::try_from(meaning.to_string()).as_ref(), Ok(&meaning));
    let values = Values::default().with("install", "/g/a b").with("id", "7\"'x").with("folder", "a b");
    let _ = meaning.fill_quoted(&values);
    if let Ok(filled) = meaning.fill(&values) {
        assert_eq!(meaning.read(&filled, &values).as_ref(), Some(&values), "{meaning} says {filled:?}");
    }
    if let Some(found) = meaning.read(value, &values) {
        assert_eq!(meaning.fill(&found).as_deref(), Ok(value), "{meaning} was read from it");
    }
}

/// A selector finds places that are there, or is refused.
pub fn jsonpath(data: &[u8]) {
    const TEXT: &str =
        r#"{"a": [{"id": "g1", "n": 1}, {"id": "g2", "n": [true, null]}], "o": {"C:\\x y": {"at": "/g"}}, "": -1.5}"#;
    thread_local! {
        static DOCUMENT: RefCell<Option<Document>> = const { RefCell::new(None) };
    }
    let Ok(selector) = std::str::from_utf8(data) else { return };
    DOCUMENT.with_borrow_mut(|document| {
        let document = document.get_or_insert_with(|| Document::parse(TEXT.into(), Format::Json).expect("it is JSON"));
        for place in document.find(selector).unwrap_or_default() {
            assert!(document.raw(&place).is_some(), "{selector} finds {place}");
        }
    });
}

/// A profile is sound or refused with a text that is no page; every selector of a sound one can be asked.
pub fn profiles(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    match Profile::parse(text, Path::new("/p/x.toml")) {
        Ok(profile) => assert!(!profile.id.is_empty()),
        Err(error) => assert!(error.to_string().len() < 2 * text.len() + 2000, "{error}"),
    }
}

/// A world's drives lie in its folder, whatever its file says.
pub fn worlds(data: &[u8]) {
    static FOLDER: OnceLock<TempDir> = OnceLock::new();
    let folder = FOLDER.get_or_init(|| {
        let folder = tempfile::tempdir().expect("a folder can be made");
        for name in ["home", "drives/one", "drives/two"] {
            std::fs::create_dir_all(folder.path().join(name)).expect("a folder can be made");
        }
        folder
    });
    let _ = std::fs::write(folder.path().join("world.toml"), data);
    let Ok(site) = Site::of_world(folder.path()) else { return };
    let top = folder.path().canonicalize().expect("the folder is there");
    for drive in &site.drives {
        assert!(drive.root.starts_with(&top), "{}", drive.root.display());
        let _ = drive.usage();
    }
}

/// A draft that was read is read again from its own text.
pub fn drafts(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let Ok(draft) = DraftFile::parse(text) else { return };
    assert_eq!(DraftFile::parse(&draft.text()).ok().as_ref(), Some(&draft));
}

/// What a row of the journal says of a record file is refused or read, and read again from what it is written as.
pub fn patches(data: &[u8]) {
    let (length, rest) = chosen(data);
    let (row, text) = rest.split_at(rest.len().min(length));
    if let Some(content) = Content::of_row(Some(row)) {
        let again = Content::of_row(content.to_row().as_deref());
        assert_eq!(again.as_ref(), Some(&content));
        let _ = content.made_of(&Content::Bytes(text.into()));
    }
}

/// A path that was read in some spelling is written in it as it was; another one that is written is read as itself.
pub fn spellings(data: &[u8]) {
    static PREFIX: OnceLock<TempDir> = OnceLock::new();
    let (which, bytes) = chosen(data);
    let Ok(written) = std::str::from_utf8(bytes) else { return };
    let prefix = PREFIX.get_or_init(|| {
        let folder = tempfile::tempdir().expect("a folder can be made");
        let letters = folder.path().join("dosdevices");
        std::fs::create_dir_all(&letters).expect("a folder can be made");
        for (letter, target) in [("c:", "/layer/c"), ("d:", "/mnt/d"), ("z:", "/")] {
            std::os::unix::fs::symlink(target, letters.join(letter)).expect("a link can be made");
        }
        folder
    });
    let bases = Bases {
        home: Some("/home/me".into()),
        names: vec![("GAMES".into(), PathBuf::from("/mnt/d/games"))],
        letters: vec![Letters::read(prefix.path())],
        relative_to: (which & 1 == 1).then(|| "/home/me/own".into()),
        case_blind: which & 2 == 2,
    };
    if let Ok((spelling, place)) = Spelling::read(written, &bases) {
        let same = spelling.write(&place, &bases).map(|written| written.0);
        if let Ok(same) = same {
            let back = Spelling::read(&same, &bases).map(|(_, place)| place);
            assert_eq!(back.as_ref(), Ok(&place), "{written:?} is written {same:?}");
        }
        let other = Path::new("/mnt/d/games/Neu & Öl");
        if let Ok(new) = spelling.write(other, &bases) {
            let read = Spelling::read(&new.0, &bases).map(|(_, place)| without_dots(&place));
            assert_eq!(read.as_deref(), Ok(other), "{written:?} becomes {:?}", &new.0);
        }
    }
    let wanted = |text: &str| match text {
        "/g/Fen" => PartFit::Folder,
        "/g/Fen Two" => PartFit::Other,
        _ => PartFit::No,
    };
    for within in [Within::Value, Within::Command, Within::List, Within::Text] {
        for format in [None, Some(Format::Desktop), Some(Format::Json)] {
            for part in find_parts(written, within, format, &wanted) {
                assert!(written.get(part.range.clone()).is_some(), "{within:?}");
                let _ = write_part(written, &part, "/mnt/new/Öl x", within, format);
            }
        }
    }
}

/// A path without `..`, which a spelling keeps.
fn without_dots(path: &Path) -> PathBuf {
    let mut out = PathBuf::new();
    for part in path.components() {
        match part {
            Component::ParentDir => drop(out.pop()),
            part => out.push(part),
        }
    }
    out
}

/// Names for a shell hold nothing that it would take for its own.
pub fn names(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let names = Names::read(text);
    assert!(!names.games.iter().chain(&names.drives).any(|name| name.contains(char::is_control) || name.is_empty()));
}

/// A line of the kernel's list of mounts is read or passed over.
pub fn mounts(data: &[u8]) {
    let lines = data.split(|byte| *byte == b'\n').count();
    assert!(parse_mountinfo(data).len() <= lines);
}

/// Checksum lines: what is read stands in the line, and lines that are written are read as they were meant.
pub fn checksums(data: &[u8]) {
    use deft_barge_core::launcher::{Column, is_checksum_remark, read_checksum_line};
    const ORDERS: [&[Column]; 4] = [
        &[Column::Hash, Column::Path],
        &[Column::Path, Column::Hash],
        &[Column::Hash, Column::Size, Column::Path],
        &[Column::Path, Column::Other, Column::Size, Column::Hash],
    ];
    let (chosen, rest) = chosen(data);
    let text = String::from_utf8_lossy(rest);
    for line in text.lines() {
        if let Some(read) = read_checksum_line(line, ORDERS[chosen % ORDERS.len()]) {
            assert!(!read.path.is_empty() && line.contains(read.hash), "{line:?}: {read:?}");
            assert!(line.starts_with('\\') || line.contains(read.path.as_ref()), "{line:?}: {read:?}");
            assert!(read.size.is_none_or(|size| line.contains(size)), "{line:?}: {read:?}");
        }
        let path = line.trim_matches([' ', '\t', ',', ';', '|', '*', '"', '\r']);
        if !path.is_empty() && path.chars().all(|c| c.is_ascii_graphic()) && !is_checksum_remark(path) {
            let written = format!("00ff  {path}");
            let back = read_checksum_line(&written, ORDERS[0]).expect("a hash and a path");
            assert_eq!((back.hash, back.path.as_ref()), ("00ff", path));
        }
    }
}
