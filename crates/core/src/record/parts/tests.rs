use super::*;

fn moved(value: &str, within: Within, format: Option<Format>, new: &str) -> Option<String> {
    let fit = |text: &str| match text {
        "/g/a b" => PartFit::There,
        "/g/a" | "C:\\g\\a" | "/g/it's" => PartFit::Wanted,
        "/g/a c" => PartFit::Other,
        _ => PartFit::No,
    };
    let parts = find_parts(value, within, format, &fit);
    let mut out = value.to_string();
    for part in parts.iter().rev() {
        let written = write_part(value, part, new, within, format)?;
        if within == Within::Text {
            out.replace_range(part.range.clone(), &written);
        } else {
            out = with_part(&out, &value[part.range.clone()], &written, within, format)?;
        }
    }
    (!parts.is_empty()).then_some(out)
}

#[test]
fn of_several_paths_in_one_text_each_is_found_whatever_parts_them() {
    let fit = |text: &str| match text {
        "/g/a" => PartFit::Folder,
        "/g/a/x" => PartFit::There,
        "/o" => PartFit::Other,
        // What begins with ours and goes on reads as something in it.
        text if text.starts_with("/g/a/") => PartFit::Wanted,
        _ => PartFit::No,
    };
    let signs = [
        ",", "|", ";", " ", "\t", "\n", "\u{1f}", "=", ">", "<", "->", "=>", ", ", " | ", "; ", "&", "+", "!", "$",
        "@", "?", "#", "*", "\"", "、", "，", "；", "”, “", "» «",
    ];
    for sign in signs {
        for (value, ours) in [
            (format!("/g/a{sign}/o"), vec!["/g/a"]),
            (format!("/o{sign}/g/a"), vec!["/g/a"]),
            (format!("/g/a/x{sign}/g/a"), vec!["/g/a/x", "/g/a"]),
            (format!("/g/a{sign}/o{sign}/g/a/x"), vec!["/g/a", "/g/a/x"]),
        ] {
            let found = find_parts(&value, Within::Text, None, &fit);
            let found: Vec<&str> = found.iter().map(|part| part.text.as_ref()).collect();
            assert_eq!(found, ours, "{value:?}");
            let words = find_parts(&value, Within::Command, None, &fit);
            assert!(!words.iter().any(|part| begins_again(&part.text)), "{value:?}: {words:?}");
        }
    }
    // A name that goes on is another's, whatever sign it goes on with.
    for value in [
        "/g/a’s",
        "/g/a：b",
        "/g/a（b）",
        "/g/a【b】 c",
        "/g/a’s c/x",
        "/g/a!/data",
        "/g/a+/data",
        "/g/a & co/data",
        "/g/a-b",
        "/g/a#1",
    ] {
        assert_eq!(find_parts(value, Within::Text, None, &fit), [], "{value}");
    }
    for value in ["“/g/a”", "„/g/a“", "«/g/a»", "*/g/a*", "（/g/a）", "在：/g/a。", "/g/a->x"] {
        assert_eq!(find_parts(value, Within::Text, None, &fit).len(), 1, "{value}");
    }
}

#[test]
fn only_the_path_within_is_replaced_and_quoted_where_it_must_be() {
    use Within::{Command, List, Text, Value};
    let desktop = Some(Format::Desktop);
    for (value, within, format, new, wanted) in [
        ("/g/a", Value, None, "/n w", "/n w"),
        ("\"/g/a b\" --x /g/ab", Command, None, "/n w", "\"/n w\" --x /g/ab"),
        ("env A=1 /g/a %U", Command, desktop, "/n", "env A=1 /n %U"),
        ("/g/a %U", Command, desktop, "/n w", "\"/n w\" %U"),
        ("/g/a %U", Command, desktop, "/n$5%", "\"/n\\$5%%\" %U"),
        ("run --dir=/g/a --y", Command, None, "/n w", "run --dir=\"/n w\" --y"),
        ("run --dir=\"/g/a b\"", Command, None, "/n", "run --dir=\"/n\""),
        ("C:\\g\\a -w", Command, None, "D:\\n", "D:\\n -w"),
        ("'/g/a b' x", Command, None, "/n", "'/n' x"),
        ("cd '/g/it'\\''s' && run 'b c'", Command, None, "/n's w", "cd '/n'\\''s w' && run 'b c'"),
        ("cd '/g/it'\"'\"'s' && run", Command, None, "/n's w", "cd '/n'\"'\"'s w' && run"),
        ("cd \"/g/it's\" && run", Command, None, "/n's w", "cd \"/n's w\" && run"),
        ("--at='/g/it'\\''s'", Command, None, "/n", "--at='/n'"),
        ("/usr;/g/a;/x", List, None, "/n w", "/usr;/n w;/x"),
        ("/usr:/g/a:/g/a/x", List, None, "/n", "/usr:/n:/g/a/x"),
        ("C:\\x;C:\\g\\a;", List, None, "D:\\n", "C:\\x;D:\\n;"),
        ("It lies in /g/a b, not in /g/ab.", Text, None, "/n w", "It lies in /n w, not in /g/ab."),
        ("Look at /g/a.", Text, None, "/n", "Look at /n."),
        ("(C:\\g\\a)", Text, None, "D:\\n", "(D:\\n)"),
    ] {
        assert_eq!(moved(value, within, format, new).as_deref(), Some(wanted), "{value}");
    }
    assert_eq!(moved("/usr;/g/a", List, None, "/n;w"), None, "a list that would fall apart");
    assert_eq!(moved("\"/g/a\" x", Command, None, "/n\"w"), None);
    assert_eq!(moved("in /g/a c", Text, None, "/n"), None, "another folder that begins alike and is there");
    assert_eq!(moved("/g/a;/g/a b", List, None, "/n").as_deref(), Some("/n;/n"));
    assert_eq!(moved("/g/a;/g/a c", List, None, "/n").as_deref(), Some("/n;/g/a c"));
    assert_eq!(moved("/other/g/a", Text, None, "/n"), None, "the end of another path");
}

#[test]
fn the_beginning_of_another_path_is_not_ours_whether_that_is_there_or_not() {
    for there in [true, false] {
        let fit = |text: &str| match text {
            "/g/Fen" => PartFit::Folder,
            "/g/Fen/go" => PartFit::There,
            _ if there && (text.starts_with("/g/Fen ") || text.starts_with("/g/Fen:")) => PartFit::Other,
            _ => PartFit::No,
        };
        let found = |value: &str, within| {
            find_parts(value, within, None, &fit).iter().map(|part| part.text.to_string()).collect::<Vec<_>>()
        };
        for within in [Within::Command, Within::Text, Within::List] {
            for value in [
                "/g/Fen Two/go",
                "/g/Fen Two",
                "/g/Fen (2020)/go",
                "/g/Fen: Two/go",
                "/g/Fen, Two/go",
                "/g/Fen & Two/go --quiet",
                "/g/Fen - Two/go",
                "run /g/Fen Two/go",
                "run \"/g/Fen Two\" --full",
                "run '/g/Fen & Two' /x",
            ] {
                let none = found(value, within);
                assert!(none.is_empty(), "{value}, {within:?}, {there}: {none:?}");
            }
        }
    }
    let fit = |text: &str| match text {
        "/g/Fen" => PartFit::Folder,
        "/g/Fen/go" => PartFit::There,
        _ => PartFit::No,
    };
    for (value, within, wanted) in [
        ("/g/Fen /other/x", Within::Command, "/g/Fen"),
        ("/g/Fen/go data/x", Within::Command, "/g/Fen/go"),
        ("cd /g/Fen && ./go", Within::Text, "/g/Fen"),
        ("at /g/Fen or C:\\x", Within::Text, "/g/Fen"),
        ("--dir=/g/Fen --log=a/b", Within::Command, "/g/Fen"),
        ("/g/Fen:/usr/bin", Within::List, "/g/Fen"),
        ("/g/Fen;data/x", Within::List, "/g/Fen"),
        ("\"/g/Fen\" Two/go", Within::Command, "/g/Fen"),
        ("run \"/g/Fen\" --full", Within::Text, "/g/Fen"),
        ("run '/g/Fen --full'", Within::Text, "/g/Fen"),
    ] {
        let parts = find_parts(value, within, None, &fit);
        assert_eq!(parts.iter().map(|part| part.text.as_ref()).collect::<Vec<_>>(), [wanted], "{value}");
    }
}

#[test]
fn a_path_with_blanks_in_a_text_goes_as_far_as_it_is_there() {
    let fit = |text: &str| match text {
        "/g/a" => PartFit::Wanted,
        "/g/a b/c d" => PartFit::There,
        _ => PartFit::No,
    };
    let parts = find_parts("see /g/a b/c d and more", Within::Text, None, &fit);
    assert_eq!(parts.iter().map(|p| p.text.as_ref()).collect::<Vec<_>>(), ["/g/a b/c d"]);
}

#[test]
fn a_word_with_an_apostrophe_gets_no_quotes_where_it_had_one_and_none_and_gets_them_elsewhere() {
    for (value, old, new, wanted) in [
        ("go /g/Fen's", "/g/Fen's", "/n/Fen's", Some("/n/Fen's")),
        ("go /g/Fen", "/g/Fen", "/n's/Fen", Some("\"/n's/Fen\"")),
        ("go '/g/Fen' now", "/g/Fen", "/n's/Fen", Some("\"/n's/Fen\"")),
    ] {
        let parts = find_parts(value, Within::Command, None, &|text| {
            if text == old { PartFit::There } else { PartFit::No }
        });
        assert_eq!(parts.len(), 1, "{value}");
        assert_eq!(write_part(value, &parts[0], new, Within::Command, None).as_deref(), wanted, "{value}");
    }
}
