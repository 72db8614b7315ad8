use super::*;
use crate::record::Edit;
use crate::record::Hop;
use crate::record::Mood;
use crate::record::Registering;
use crate::record::Rewrite;
use crate::record::Side;
use crate::record::{Total, Within};

struct World(tempfile::TempDir);

const A: &str = "{\n  \"total\": 12,\n  \"titles\": [\n    {\"id\": \"1\", \"at\": \"/a/x\"},\n    {\"id\": \"2\", \"at\": \"/a/y\"}\n  ]\n}\n";
const EMPTY: &str = "{\"total\": 0, \"titles\": []}\n";

impl World {
    fn new() -> Self {
        let world = Self(tempfile::tempdir().unwrap());
        world.write("a.json", A);
        world.write("places.json", "{\"places\": [{\"folder\": \"/a\"}], \"map\": {\"/a/x\": 1, \"/a/y\": 2}}");
        world
    }
    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }
    fn write(&self, name: &str, text: &str) {
        std::fs::write(self.path(name), text).unwrap();
    }
    fn edits(&self) -> Vec<Edit> {
        vec![
            Edit::Register(Registering {
                format: Format::Json,
                file: self.path("places.json"),
                list: "$.places".into(),
                entry: "{\"folder\": \"/b\"}".into(),
                path: None,
                made: Some((self.path("b.json"), EMPTY.into())),
                listed: false,
                library: None,
                id: None,
            }),
            Edit::Travel {
                from: self.path("a.json"),
                to: self.path("b.json"),
                format: Format::Json,
                list: "$.titles".into(),
                totals: vec![Total { location: "$.total".into(), amount: 5 }],
                id_at: Some("$.id".into()),
                id: "2".into(),
                rewrites: vec![Rewrite::of_value("$['at']", "/a/y", "/b/y")],
            },
            Edit::Replace {
                file: self.path("places.json"),
                format: Some(Format::Json),
                rewrite: Rewrite { side: Side::Key, ..Rewrite::of_value("$['map']['/a/y']", "/a/y", "/b/y") },
            },
        ]
    }
    fn make(&self, edits: &[Edit], mood: Mood) -> Result<Vec<FileChange>, EditError> {
        let mut files = Files::default();
        files.make(edits, mood)?;
        Ok(files.changes())
    }
    fn put(&self, changes: &[FileChange]) {
        for change in changes {
            match &change.after {
                Content::Bytes(bytes) => std::fs::write(&change.file, bytes).unwrap(),
                Content::Absent => std::fs::remove_file(&change.file).unwrap(),
                other => panic!("{other:?}"),
            }
        }
    }
    fn all(&self) -> Vec<Option<String>> {
        ["a.json", "b.json", "places.json"].map(|n| std::fs::read_to_string(self.path(n)).ok()).to_vec()
    }
}

#[test]
fn edits_turned_round_bring_back_every_leaf() {
    let world = World::new();
    let before = world.all();
    let changes = world.make(&world.edits(), Mood::Strict).unwrap();
    let names: Vec<_> = changes.iter().map(|c| c.file.file_name().unwrap().to_str().unwrap()).collect();
    assert_eq!(names, ["b.json", "places.json", "a.json"], "the entry arrives before it leaves");
    world.put(&changes);
    let after = world.all();
    assert!(after[1].as_ref().unwrap().contains("{\"id\": \"2\", \"at\": \"/b/y\"}"));
    assert!(after[0].as_ref().unwrap().contains("\"total\": 7") && after[1].as_ref().unwrap().contains("\"total\": 5"));
    assert!(after[2].as_ref().unwrap().contains("\"/a/x\": 1, \"/b/y\": 2"));
    world.put(&world.make(&Edit::turned_all(&world.edits()), Mood::Strict).unwrap());
    assert_eq!(world.all(), before);
}

/// The bytes of a file after edits that are made together, or each by itself; `None` if one cannot be made.
fn made(file: &Path, edits: &[Edit], mood: Mood, together: bool) -> Option<Vec<u8>> {
    let mut files = Files::default();
    let size = if together { edits.len() } else { 1 };
    edits.chunks(size).try_for_each(|some| files.make(some, mood)).ok()?;
    files.bytes(file).unwrap()
}

#[test]
fn many_edits_of_one_file_give_the_same_bytes_as_one_after_another_there_and_back() {
    let texts = [
        (Format::Json, "{\"a\": \"/o/fen\", \"b\": [\"/o/\\u0066en\", \"x\"], \"c\": {\"d\": \"/o/fen /o/fen\"}}\n"),
        (Format::Yaml, "a: /o/fen\nb: &x /o/fen # why\nc: \"/o/f\\x65n\"\nd: '/o/fen'\ne: |\n  /o/fen\nf: *x\n"),
        (Format::Toml, "a = \"/o/fen\"\nb = '/o/fen'\n[c]\nd = [\"/o/fen\", 7]\n"),
        (Format::Ini, "[a]\nb=/o/fen\nc=\"/o/fen\"\n[d]\nb=/o/fen\n"),
        (Format::Xml, "<a b=\"/o/fen\"><c>/o/fen</c><c>/o/f&#101;n</c><d><![CDATA[/o/fen]]></d></a>\n"),
        (Format::Hive, "REGEDIT4\n\n[A]\n\"b\"=\"/o/fen\"\n@=\"/o/fen\"\n[B]\n\"b\"=str(7):\"/o/fen\\0/o/fen\\0\"\n"),
        (Format::Lines, "/o/fen\nother\n/o/fen\n"),
    ];
    // What has to be quoted or escaped differently in each of them.
    for new in ["/n/fen", "/n/a b: c # d", "/n/\"ü\" & <x> 'y' \\ z", "/n/[x]=;{y}"] {
        for (format, text) in texts {
            let folder = tempfile::tempdir().unwrap();
            let file = folder.path().join("x");
            std::fs::write(&file, text).unwrap();
            let document = Document::parse(text.as_bytes().to_vec(), format).unwrap();
            let mut edits = Vec::new();
            document.leaves(&mut |leaf| {
                if leaf.side == Side::Value && leaf.text.trim_end() == "/o/fen" {
                    let new = leaf.text.replace("/o/fen", new);
                    let mut rewrite = Rewrite::of_value(&leaf.place.to_string(), &leaf.text, &new);
                    rewrite.written[0] = document.written(&leaf.place, Side::Value).map(str::to_string);
                    edits.push(Edit::Replace { file: file.clone(), format: Some(format), rewrite });
                }
            });
            assert!(edits.len() > 1, "{format:?}");
            let one_by_one = made(&file, &edits, Mood::Strict, false);
            assert_eq!(made(&file, &edits, Mood::Strict, true), one_by_one, "{format:?} {new}");
            // One that is not there spoils all of them, or changes nothing where it may be made already.
            let mut wrong = edits.clone();
            let Edit::Replace { rewrite, .. } = &mut wrong[1] else { panic!() };
            rewrite.old = "/else".into();
            for mood in [Mood::Strict, Mood::Again] {
                assert_eq!(made(&file, &wrong, mood, true), None, "{format:?}");
            }
            let Some(after) = one_by_one else { continue };
            std::fs::write(&file, &after).unwrap();
            assert_eq!(made(&file, &edits, Mood::Again, true).as_ref(), Some(&after), "made already: {format:?}");
            let back = Edit::turned_all(&edits);
            let back = made(&file, &back, Mood::Strict, true).map(|bytes| String::from_utf8(bytes).unwrap());
            assert_eq!(back.as_deref(), Some(text), "{format:?} {new}");
        }
    }
}

#[test]
fn edits_half_made_can_be_made_again_from_any_point() {
    let world = World::new();
    let changes = world.make(&world.edits(), Mood::Strict).unwrap();
    for done in 0..=changes.len() {
        let again = World::new();
        let changes = again.make(&again.edits(), Mood::Strict).unwrap();
        again.put(&changes[..done]);
        let rest = again.make(&again.edits(), Mood::Again).unwrap();
        again.put(&rest);
        let strip = |w: &World| {
            w.all().into_iter().map(|t| t.map(|t| t.replace(w.0.path().to_str().unwrap(), ""))).collect::<Vec<_>>()
        };
        let whole = World::new();
        whole.put(&whole.make(&whole.edits(), Mood::Strict).unwrap());
        assert_eq!(strip(&again), strip(&whole), "done={done}");
    }
}

#[test]
fn what_does_not_say_what_the_survey_read_is_refused_and_nothing_changes() {
    for (file, from, to) in
        [("a.json", "/a/y", "/q/y"), ("a.json", "\"id\": \"2\"", "\"id\": \"3\""), ("places.json", "/a/y", "/z")]
    {
        let world = World::new();
        world.write(file, &std::fs::read_to_string(world.path(file)).unwrap().replace(from, to));
        let before = world.all();
        assert!(matches!(world.make(&world.edits(), Mood::Strict), Err(EditError::RecordChanged { .. })), "{from}");
        assert_eq!(world.all(), before);
    }
}

#[test]
fn a_library_with_other_games_stays_known() {
    let world = World::new();
    world.put(&world.make(&world.edits(), Mood::Strict).unwrap());
    let held = std::fs::read_to_string(world.path("b.json")).unwrap();
    world.write("b.json", &held.replace('[', "[{\"id\": \"7\"},"));
    world.put(&world.make(&Edit::turned_all(&world.edits()), Mood::Strict).unwrap());
    assert!(world.all()[1].as_ref().unwrap().contains("\"7\""));
    assert!(world.all()[2].as_ref().unwrap().contains("\"/b\""));
}

#[test]
fn documents_within_texts_change_in_their_own_span() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.yaml");
    let text = "a: '{\"at\": \"/a/x\", \"xml\": \"<r p=''/a/x'' q=\\\"1\\\"/>\"}' # c\n";
    std::fs::write(&file, text).unwrap();
    let hop = |format, location: &str| Hop { format, location: location.into() };
    let edits = [
        Edit::Replace {
            file: file.clone(),
            format: Some(Format::Yaml),
            rewrite: Rewrite {
                inside: vec![hop(Format::Json, "$.at")],
                ..Rewrite::of_value("$.a", "/a/x", "/b \"y\"")
            },
        },
        Edit::Replace {
            file: file.clone(),
            format: Some(Format::Yaml),
            rewrite: Rewrite {
                inside: vec![hop(Format::Json, "$.xml"), hop(Format::Xml, "$.r['@p']")],
                ..Rewrite::of_value("$.a", "/a/x", "/b & c")
            },
        },
    ];
    let mut files = Files::default();
    files.make(&edits, Mood::Strict).unwrap();
    let change = files.changes().remove(0);
    let Content::Bytes(bytes) = &change.after else { panic!() };
    let wanted = "a: '{\"at\": \"/b \\\"y\\\"\", \"xml\": \"<r p=''/b &amp; c'' q=\\\"1\\\"/>\"}' # c\n";
    assert_eq!(String::from_utf8_lossy(bytes), wanted);
    std::fs::write(&file, bytes).unwrap();
    let mut files = Files::default();
    files.make(&edits, Mood::Again).unwrap();
    assert!(files.changes().is_empty(), "made already");
    let mut files = Files::default();
    files.make(&Edit::turned_all(&edits), Mood::Strict).unwrap();
    assert_eq!(files.changes().remove(0).after, Content::Bytes(text.into()));
}

#[test]
fn two_games_in_one_list_change_one_after_the_other() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.ini");
    std::fs::write(&file, "[s]\nall = /a/x;/a/xy;/a/z\n").unwrap();
    let edit = |old: &str, new: &str| Edit::Replace {
        file: file.clone(),
        format: Some(Format::Ini),
        rewrite: Rewrite { within: Within::List, ..Rewrite::of_value("$.s.all", old, new) },
    };
    let edits = [edit("/a/x", "/b/x"), edit("/a/z", "/c/z")];
    let mut files = Files::default();
    files.make(&edits, Mood::Strict).unwrap();
    assert_eq!(files.changes()[0].after, Content::Bytes("[s]\nall = /b/x;/a/xy;/c/z\n".into()));
    let mut files = Files::default();
    assert!(files.make(&Edit::turned_all(&edits), Mood::Strict).is_err());
}

#[test]
fn a_row_whose_key_is_its_path_is_changed_made_again_and_turned_round() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.db");
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(
        "create table t(at text primary key, note text, j text);
         insert into t values('/a/x', 'in /a/x', '{\"p\": \"/a/x\"}'), ('/a/xy', 'other', null)",
    )
    .unwrap();
    drop(db);
    let edit = |column: &str, inside: Vec<Hop>| Edit::Replace {
        file: file.clone(),
        format: None,
        rewrite: Rewrite { inside, ..Rewrite::of_value(&format!("$['t']['/a/x']['{column}']"), "/a/x", "/b/x") },
    };
    let hop = Hop { format: Format::Json, location: "$.p".into() };
    let edits = [edit("at", Vec::new()), edit("j", vec![hop])];
    let write = |edits: &[Edit], mood| {
        let mut files = Files::default();
        files.make(edits, mood).unwrap();
        files.rehearse().unwrap();
        let changes = files.changes();
        for change in &changes {
            let (Content::Cells(before), Content::Cells(after)) = (&change.before, &change.after) else { panic!() };
            database::write_cells(&file, before, after).unwrap();
            assert_eq!(Content::now(&file, &change.after).unwrap(), change.after);
        }
        changes.len()
    };
    let was = database::read(&file).unwrap();
    assert_eq!(write(&edits, Mood::Strict), 1);
    let now = database::read(&file).unwrap();
    assert_eq!(now["t"]["/b/x"]["j"], "{\"p\": \"/b/x\"}");
    assert_eq!(write(&Edit::turned_all(&edits), Mood::Strict), 1);
    assert_eq!(database::read(&file).unwrap(), was);
}

#[test]
fn a_number_that_another_row_has_for_its_key_leads_to_no_other_row() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.db");
    let db = rusqlite::Connection::open(&file).unwrap();
    let rows = "create table t(nr integer primary key, shelf integer); insert into t values(2, 2), (5, 5), (7, 2)";
    db.execute_batch(rows).unwrap();
    let rewrite = Rewrite::of_value("$['t']['5']['shelf']", "5", "2");
    let edits = [Edit::Replace { file: file.clone(), format: None, rewrite }];
    let back = Edit::turned_all(&edits);
    // In memory, one after the other.
    let mut files = Files::default();
    files.make(&edits, Mood::Strict).unwrap();
    files.make(&back, Mood::Strict).unwrap();
    let changes = files.changes();
    assert!(changes.iter().all(|change| change.before.says_the_same(&change.after)), "{changes:?}");
    // On what was written.
    let was = database::read(&file).unwrap();
    for edits in [&edits[..], &back] {
        let mut files = Files::default();
        files.make(edits, Mood::Strict).unwrap();
        for change in files.changes() {
            let (Content::Cells(before), Content::Cells(after)) = (&change.before, &change.after) else { panic!() };
            assert!(before.iter().all(|cell| cell.key == "5"), "{before:?}");
            database::write_cells(&file, before, after).unwrap();
        }
    }
    assert_eq!(database::read(&file).unwrap(), was);
    // A row that is gone is no other row.
    db.execute_batch("delete from t where nr = 5").unwrap();
    for edits in [&edits[..], &back] {
        assert!(Files::default().make(edits, Mood::Strict).is_err());
        assert!(Files::default().make(edits, Mood::Again).is_err());
    }
}

#[test]
fn a_record_is_found_wherever_its_list_has_it_now_and_one_that_is_gone_is_nothing_to_do() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("x.json");
    let edit = |nth: usize| Edit::Replace {
        file: file.clone(),
        format: Some(Format::Json),
        rewrite: Rewrite::of_value(&format!("$['all'][{nth}]['at']"), "/a/x", "/b/x"),
    };
    let made = |text: &str| {
        std::fs::write(&file, text).unwrap();
        let mut files = Files::default();
        let missed = files.make_where_found(&[edit(0)]).len();
        let after = files.changes().pop().map(|change| match change.after {
            Content::Bytes(bytes) => String::from_utf8(bytes).unwrap(),
            other => panic!("{other:?}"),
        });
        (missed, after)
    };
    let changed = |text: &str| (0, Some(text.to_string()));
    assert_eq!(made("{\"all\": [{\"at\": \"/a/x\"}]}"), changed("{\"all\": [{\"at\": \"/b/x\"}]}"));
    let moved = "{\"all\": [{\"at\": \"/a/xy\"}, {\"at\": \"/q\"}, {\"at\": \"/a/x\"}]}";
    assert_eq!(made(moved), changed(&moved.replace("/a/x\"", "/b/x\"")));
    assert_eq!(made("{\"all\": [{\"at\": \"/b/x\"}]}"), (0, None), "made already");
    assert_eq!(made("{\"all\": []}"), (1, None), "gone");
}

#[cfg(unix)]
#[test]
fn cells_and_links_are_changes_like_any_other() {
    let folder = tempfile::tempdir().unwrap();
    let (file, link) = (folder.path().join("x.db"), folder.path().join("to"));
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(
        "create table t(id text primary key, p text, j text); insert into t values('g', '/a', '{\"p\": \"/a\"}')",
    )
    .unwrap();
    drop(db);
    std::os::unix::fs::symlink("/a", &link).unwrap();
    let edits = [
        Edit::Replace { file: file.clone(), format: None, rewrite: Rewrite::of_value("$.t.g.p", "/a", "/b") },
        Edit::Replace {
            file: file.clone(),
            format: None,
            rewrite: Rewrite {
                inside: vec![Hop { format: Format::Json, location: "$.p".into() }],
                ..Rewrite::of_value("$.t[?@.id == 'g'].j", "/a", "/b")
            },
        },
        Edit::Link { link: link.clone(), old: Some("/a".into()), new: Some("/b".into()) },
        Edit::Link { link: folder.path().join("new"), old: None, new: Some("/b".into()) },
    ];
    let mut files = Files::default();
    files.make(&edits, Mood::Strict).unwrap();
    let changes = files.changes();
    assert_eq!(changes.len(), 3);
    let Content::Cells(after) = &changes[0].after else { panic!() };
    assert_eq!(after.iter().map(|c| c.text.as_str()).collect::<Vec<_>>(), ["/b", "{\"p\": \"/b\"}"]);
    assert_eq!(changes[1].after, Content::Link("/b".into()));
    assert_eq!(Content::now(&changes[0].file, &changes[0].before).unwrap(), changes[0].before);
    assert_eq!(Content::now(&link, &changes[1].after).unwrap(), changes[1].before);
    let mut files = Files::default();
    assert!(files.make(&Edit::turned_all(&edits), Mood::Strict).is_err());
}

/// Files of a launcher in a code page, with a game at `old`; `more` is what else one of them says.
fn files_in_a_page(old: &str, more: &str) -> [(&'static str, String); 4] {
    let list = |entries: &str| format!("{{\"list\": [{entries}], \"n\": 0}}\n");
    let entry = format!("{{\"id\": \"1\", \"at\": \"{old}\"}}");
    [
        ("one.ini", format!("[a]\n{more}at={old}\n")),
        ("from.json", list(&entry)),
        ("to.json", list("")),
        ("own.ini", format!("[a]\nat={old}\n")),
    ]
}

/// The game goes to `/new/Fen` in each of them; its entry in the list takes its text with it where `kept`.
fn edits_in_a_page(at: &dyn Fn(&str) -> PathBuf, old: &str, kept: bool) -> [Edit; 3] {
    let says = |place: &str| Rewrite::of_value(place, old, "/new/Fen");
    [
        Edit::Replace { file: at("one.ini"), format: Some(Format::Ini), rewrite: says("$.a.at") },
        Edit::Travel {
            from: at("from.json"),
            to: at("to.json"),
            format: Format::Json,
            list: "$.list".into(),
            id_at: Some("$.id".into()),
            id: "1".into(),
            rewrites: if kept { vec![] } else { vec![says("$.at")] },
            totals: vec![],
        },
        Edit::Relocate { from: at("own.ini"), to: at("gone.ini"), format: Format::Ini, rewrites: vec![says("$.a.at")] },
    ]
}

/// What the journal keeps of changes once nothing resumes them.
fn kept_by_the_journal(changes: Vec<FileChange>) -> Vec<FileChange> {
    let row = |content: Content| Content::of_row(content.to_row().as_deref()).unwrap();
    let kept = |change: FileChange| {
        let (before, after) = super::super::content::forgotten(change.before, change.after);
        FileChange { file: change.file, before: row(before), after: row(after) }
    };
    changes.into_iter().map(kept).collect()
}

/// The one letter beyond ASCII of a file leaves it with the path that had it, or nearly all of them do: the launcher goes on in ASCII, and
/// the way back writes the letters in the page in which they were.
#[test]
fn letters_of_a_code_page_come_back_in_it_after_a_file_has_become_ascii_and_was_written_by_others() {
    let russian = ("windows-1251", "/g/Долгая дорога");
    let cases = [("windows-1252", "/g/Öd", ""), (russian.0, russian.1, ""), (russian.0, russian.1, "note=дорога\n")];
    let japanese = ("shift_jis", "/g/海の記憶、その二つの道", "");
    for (label, old, more) in cases.into_iter().chain([japanese]) {
        let page = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap();
        let bytes = |text: &str| page.encode(text).0.into_owned();
        for kept in [false, true] {
            let world = World::new();
            for (name, text) in files_in_a_page(old, more) {
                std::fs::write(world.path(name), bytes(&text)).unwrap();
            }
            let edits = edits_in_a_page(&|name| world.path(name), old, kept);
            let changes = world.make(&edits, Mood::Strict).unwrap();
            world.put(&changes);
            // An entry with letters takes its page with it.
            let arrived = std::fs::read(world.path("to.json")).unwrap();
            assert!(!kept || arrived.windows(bytes(old).len()).any(|part| part == bytes(old)), "{label}: {arrived:?}");
            // The launcher writes all of them.
            let since = [("one.ini", "[a]\n", "[a]\nruns=1\n"), ("from.json", "\"n\": 0", "\"n\": 7")];
            for (name, from, to) in since.into_iter().chain([("gone.ini", "[a]\n", "[a]\nruns=1\n")]) {
                let was = std::fs::read(world.path(name)).unwrap();
                let place = was.windows(from.len()).position(|part| part == from.as_bytes()).unwrap();
                let now = [&was[..place], to.as_bytes(), &was[place + from.len()..]].concat();
                std::fs::write(world.path(name), now).unwrap();
            }
            let mut back = Files::default().after(&kept_by_the_journal(changes));
            back.make(&Edit::turned_all(&edits), Mood::Strict).unwrap();
            world.put(&back.changes());
            for (name, text) in files_in_a_page(old, more) {
                let text = if text.starts_with("[a]") { text.replace("[a]\n", "[a]\nruns=1\n") } else { text };
                let text = if name == "from.json" { text.replace("\"n\": 0", "\"n\": 7") } else { text };
                // Blanks between entries may be others.
                let solid = |bytes: Vec<u8>| bytes.into_iter().filter(|b| !b.is_ascii_whitespace()).collect::<Vec<_>>();
                let (now, wanted) = (solid(std::fs::read(world.path(name)).unwrap()), solid(bytes(&text)));
                assert!(now == wanted, "{label} {name}: {}", String::from_utf8_lossy(&now));
            }
        }
    }
}
