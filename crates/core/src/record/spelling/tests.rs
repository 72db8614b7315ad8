#![cfg(unix)]

use std::os::unix::ffi::OsStrExt;

use super::*;
use crate::record::Letters;
use proptest::prelude::*;

fn bases() -> Bases {
    let drives = [('c', "/pfx/drive_c"), ('d', "/mnt/old"), ('z', "/")];
    Bases {
        home: Some("/home/me".into()),
        names: vec![("GAMES".into(), "/mnt/old/games".into())],
        letters: vec![Letters::of(Path::new("/pfx"), drives.map(|(l, p)| (l, PathBuf::from(p))).to_vec())],
        relative_to: Some("/mnt/old/lib".into()),
        case_blind: false,
    }
}

#[test]
fn every_spelling_is_read_and_kept_for_another_place() {
    for (text, path, new, wanted) in [
        ("/a//b/./c/", "/a/b/c", "/x/y", "/x/y/"),
        ("/a/b", "/a/b", "/x y/b", "/x y/b"),
        ("//a//b//c", "/a/b/c", "/x/c", "//x//c"),
        ("D:\\Games\\X", "/mnt/old/Games/X", "/mnt/old/other/X", "D:\\other\\X"),
        ("d:/Games/X/", "/mnt/old/Games/X", "/mnt/new/X", "z:/mnt/new/X/"),
        ("D:\\\\Games\\\\X", "/mnt/old/Games/X", "/mnt/new/X", "Z:\\\\mnt\\\\new\\\\X"),
        ("D:\\Games/X\\y", "/mnt/old/Games/X/y", "/mnt/new/X/y", "Z:\\mnt\\new/X\\y"),
        ("Z:\\", "/", "/mnt/old", "Z:\\mnt\\old\\"),
        ("Z:", "/", "/mnt", "Z:\\mnt"),
        ("C:\\a", "/pfx/drive_c/a", "/pfx/drive_c/b/c", "C:\\b\\c"),
        ("\\\\?\\D:\\Games", "/mnt/old/Games", "/x", "\\\\?\\Z:\\x"),
        ("file:///a/it%27s", "/a/it's", "/b's/it's", "file:///b%27s/it%27s"),
        ("file:///a/it's%28", "/a/it's(", "/(b)'/c", "file:///%28b)'/c"),
        ("file:///mnt/ö/x", "/mnt/ö/x", "/ä b/🎲/x", "file:///ä%20b/🎲/x"),
        ("file:///a/%c3%b6/x", "/a/ö/x", "/ä/x", "file:///%c3%a4/x"),
        ("~/g", "/home/me/g", "/home/me/h/g", "~/h/g"),
        ("~", "/home/me", "/home/me/g", "~/g"),
        ("$HOME/g", "/home/me/g", "/mnt/g", "/mnt/g"),
        ("${HOME}/g/", "/home/me/g", "/home/me/x", "${HOME}/x/"),
        ("%GAMES%\\x", "/mnt/old/games/x", "/mnt/old/games/y", "%GAMES%\\y"),
        ("%GAMES%\\x", "/mnt/old/games/x", "/mnt/old/y", "D:\\y"),
        ("file:///a%20b/%c3%a4", "/a b/ä", "/ü/ä", "file:///%c3%bc/%c3%a4"),
        ("file:///a(b)/x", "/a(b)/x", "/c d/x", "file:///c%20d/x"),
        ("file://localhost/a", "/a", "/b", "file://localhost/b"),
        ("File:///a%20b/x", "/a b/x", "/c d/x", "File:///c%20d/x"),
        ("fiLe:/.//a%20b", "/a b", "/c d", "fiLe:/c%20d"),
        ("FILE:///D:/a%20b", "/mnt/old/a b", "/mnt/old/c d", "FILE:///D:/c%20d"),
        ("file:/.//a%20b", "/a b", "/c d", "file:/c%20d"),
        ("file:///D:/a%20b", "/mnt/old/a b", "/mnt/old/c d", "file:///D:/c%20d"),
        ("fiLe:/.//", "/", "/c d", "fiLe:/c%20d//"),
        ("file:/.//a", "/a", "/", "file:/"),
        ("file://localhost//a", "/a", "/b", "file://localhost//b"),
        ("x/y", "/mnt/old/lib/x/y", "/mnt/old/lib/z", "z"),
        ("./x", "/mnt/old/lib/x", "/mnt/old/lib/z", "./z"),
        ("../x", "/mnt/old/lib/../x", "/mnt/z", "../../z"),
        ("x\\y", "/mnt/old/lib/x/y", "/mnt/old/lib/z/y", "z\\y"),
    ] {
        let (spelling, read) = Spelling::read(text, &bases()).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert_eq!(read, Path::new(path), "{text}");
        let written = spelling.write(Path::new(new), &bases()).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert_eq!(written.0, wanted, "{text}: {spelling:?}");
    }
}

#[test]
fn whatever_a_place_is_called_what_is_written_is_read_as_it() {
    let first = ["e:", "c:", "~", "~me", "$HOME", "$X", "%GAMES%", "file:", "a\\b", "e:\\x", ".x", "ö %41"];
    for (text, base) in [
        ("file:///a/b", "/"),
        ("file:/./a", "/"),
        ("/a", "/"),
        ("x/y", "/mnt/old/lib"),
        ("./x", "/mnt/old/lib"),
        ("~/g", "/home/me"),
        ("$HOME/g", "/home/me"),
        ("%GAMES%\\x", "/mnt/old/games"),
        ("D:\\Games", "/mnt/old"),
    ] {
        let (spelling, _) = Spelling::read(text, &bases()).unwrap();
        for place in first.iter().flat_map(|name| [Path::new(base).join(name), Path::new(base).join(name).join("e:")]) {
            let Ok(written) = spelling.write(&place, &bases()) else {
                // What parts names here, or what the names of a drive with a letter can't have.
                let refused = if text.starts_with('D') { &['\\', ':'][..] } else { &['\\'] };
                assert!(
                    place.to_str().unwrap().contains(refused) && !text.starts_with(['/', 'f']),
                    "{text}: {place:?}"
                );
                continue;
            };
            let back = Spelling::read(&written.0, &bases()).map(|(_, path)| path);
            assert_eq!(back.as_ref(), Ok(&place), "{text} becomes {}", written.0);
        }
    }
    let (kept, _) = Spelling::read("file:/./e:/a", &bases()).unwrap();
    assert_eq!(kept.write(Path::new("/e:/a"), &bases()).unwrap().0, "file:/e%3A/a");
    let (below, _) = Spelling::read("x", &bases()).unwrap();
    assert_eq!(below.write(Path::new("/mnt/old/lib/~x"), &bases()).unwrap().0, "./~x");
}

/// A path without the ways up in it.
fn straight(path: &Path) -> PathBuf {
    path.components().fold(PathBuf::new(), |mut straight, part| {
        if part == Component::ParentDir {
            straight.pop();
        } else {
            straight.push(part);
        }
        straight
    })
}

/// Every text of up to five parts behind every lead.
#[test]
fn however_separators_and_dots_stand_a_place_comes_back_and_a_text_without_dots_is_the_same() {
    let leads =
        ["file:", "File://", "file://localhost", "file:///D:", "", "./", "D:", "\\\\?\\D:", "~", "$HOME", "%GAMES%"];
    let mut texts = vec![String::new()];
    for _ in 0..5 {
        let longer = texts.iter().flat_map(|text| ["/", "\\", ".", "a", ":"].map(|part| format!("{text}{part}")));
        texts = std::iter::once(String::new()).chain(longer).collect();
        texts.sort();
        texts.dedup();
    }
    let bases = bases();
    let mut read = 0;
    for text in leads.iter().flat_map(|lead| texts.iter().map(move |text| format!("{lead}{text}"))) {
        let Ok((spelling, place)) = Spelling::read(&text, &bases) else { continue };
        read += 1;
        let dots = text.split(['/', '\\']).any(|name| name == ".");
        for wanted in
            [&place, Path::new("/"), Path::new("/a:/b"), Path::new("/mnt/old/games/a"), Path::new("/home/me/a:")]
        {
            let Ok(written) = spelling.write(wanted, &bases) else { continue };
            let back = Spelling::read(&written.0, &bases).map(|(_, place)| straight(&place));
            assert_eq!(back, Ok(straight(wanted)), "{text} is written {}", written.0);
            assert!(wanted != place || dots || written.0 == text, "{text} is written {}", written.0);
        }
    }
    assert!(read > 10_000, "{read}");
}

#[test]
fn of_several_layers_that_know_a_letter_the_one_in_which_the_place_is_there_is_meant() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    std::fs::create_dir_all(top.join("two/games/x")).unwrap();
    let layer = |name: &str| Letters::of(&top.join(name), vec![('d', top.join(name)), ('e', top.join("both"))]);
    let bases = Bases { letters: vec![layer("one"), layer("two")], ..Bases::default() };
    let (spelling, path) = Spelling::read("D:\\games\\x", &bases).unwrap();
    assert_eq!(path, top.join("two/games/x"));
    // It is written by the letters of the same layer.
    assert_eq!(spelling.write(&top.join("two/other"), &bases).unwrap().0, "D:\\other");
    assert_eq!(spelling.write(&top.join("both/x"), &bases).unwrap().0, "E:\\x");
    assert!(spelling.write(&top.join("one/x"), &bases).is_err(), "the other layer's letter is none of this one's");
    let (_, nowhere) = Spelling::read("D:\\gone", &bases).unwrap();
    assert_eq!(nowhere, top.join("one/gone"), "else the first");
}

#[test]
fn what_a_spelling_cannot_say_is_refused() {
    let mut few = bases();
    few.letters = vec![Letters::of(Path::new("/pfx"), vec![('c', "/pfx/drive_c".into())])];
    let (spelling, _) = Spelling::read("C:\\a", &few).unwrap();
    assert!(matches!(spelling.write(Path::new("/mnt/x"), &few), Err(SpellingError::NoLetter { .. })));
    assert!(matches!(Spelling::read("E:\\a", &few), Err(SpellingError::NoSuchLetter { letter: 'E', .. })));
    let (spelling, _) = Spelling::read("x/y", &few).unwrap();
    assert!(matches!(spelling.write(Path::new("/mnt/x"), &few), Err(SpellingError::NotBelow { .. })));
    let (spelling, _) = Spelling::read("D:\\a", &bases()).unwrap();
    assert!(matches!(spelling.write(Path::new("/mnt/old/a\\b"), &bases()), Err(SpellingError::NotText(_))));
    let raw = Path::new(std::ffi::OsStr::from_bytes(b"/a/\xff"));
    assert!(matches!(Spelling::plain().write(raw, &bases()), Err(SpellingError::NotText(_))));
    let (uri, _) = Spelling::read("file:///a", &bases()).unwrap();
    assert_eq!(uri.write(raw, &bases()).unwrap().0, "file:///a/%FF");
}

#[test]
fn what_is_no_path_is_refused() {
    let none = Bases::default();
    for text in
        ["", "a/b", "C:/x", "/a\0b", "~x", "http://x/y", "file://host/x", "file:///a%2fb", "$X/a", "%a", "/a\nb"]
    {
        assert!(Spelling::read(text, &none).is_err(), "{text}");
    }
    assert!(Spelling::read("C:x", &bases()).is_ok_and(|(s, _)| !s.has_letter()), "a name with a colon");
}

#[test]
fn letters_of_another_case_lead_to_the_entry_that_is_there_and_stay_as_written() {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().canonicalize().unwrap();
    std::fs::create_dir_all(top.join("Games/Pale Signal/bin")).unwrap();
    std::fs::create_dir_all(top.join("new/Pale Signal/bin")).unwrap();
    let layer = Letters::of(&top, vec![('d', top.clone())]);
    let bases = Bases { letters: vec![layer], ..Bases::default() };
    let (spelling, path) = Spelling::read("D:\\GAMES\\pale signal\\BIN", &bases).unwrap();
    assert_eq!(path, top.join("Games/Pale Signal/bin"));
    let new = spelling.write(&top.join("new/Pale Signal/bin"), &bases).unwrap();
    assert_eq!(new.0, "D:\\new\\pale signal\\BIN");
    std::fs::create_dir_all(top.join("gAMES")).unwrap();
    let (_, path) = Spelling::read("D:\\GAMES", &bases).unwrap();
    assert_eq!(path, top.join("GAMES"), "of two that are alike none is meant");
}

proptest! {
    #[test]
    fn what_is_read_is_written_back_as_it_was(
        lead in prop::sample::select(vec!["/", "//", "D:\\", "z:/", "~/", "$HOME/", "file:///", "\\\\?\\D:\\", "%GAMES%\\", "", "./"]),
        names in prop::collection::vec("[a-zA-Zäß日 ._-]{1,6}", 1..5),
        separators in prop::collection::vec(0..3_usize, 5),
        end: bool,
    ) {
        let windows = lead.contains('\\') || lead.contains(':') && !lead.starts_with("file");
        let choices = if windows { ["\\", "/", "\\\\"] } else { ["/", "/", "//"] };
        let mut text = lead.to_string();
        let names: Vec<_> = names.into_iter().filter(|n| n != "." && n != ".." && !n.starts_with(' ')).collect();
        prop_assume!(!names.is_empty() && !names[0].starts_with('.'));
        for (n, name) in names.iter().enumerate() {
            text.push_str(if n == 0 { "" } else { choices[separators[n]] });
            text.push_str(&if lead.starts_with("file") { percent(name.as_bytes(), &PercentHabits::default()) } else { name.clone() });
        }
        if end { text.push_str(choices[separators[4]]); }
        let (spelling, path) = Spelling::read(&text, &bases()).unwrap();
        prop_assert_eq!(spelling.write(&path, &bases()).unwrap().0, text.clone());
        // Another place and back again.
        let base = if lead.is_empty() || lead == "./" { "/mnt/old/lib" } else { "/mnt/old" };
        let other = Path::new(base).join("quite/else").join(path.file_name().unwrap());
        let there = spelling.write(&other, &bases()).unwrap().0;
        let (second, read) = Spelling::read(&there, &bases()).unwrap();
        prop_assert_eq!(&read, &other, "{} -> {}", text, there);
        prop_assert_eq!(second.write(&other, &bases()).unwrap().0, there);
    }
}
