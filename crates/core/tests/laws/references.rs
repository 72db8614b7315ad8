//! Launchers that say of each game its library by a number, a name or a key of it: learned, moved by, and refused where it may be chance.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, undo_haul};
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::{Known, LearnedLauncher, learn};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;
use serde_json::{Value, json};

use crate::port::{declare, folder_in_memory, haul_folders};

/// How such a launcher writes.
#[derive(Clone, Copy, Debug)]
struct Way {
    /// What its libraries are called: numbers of their own, words, their keys, or where they stand.
    ids: &'static str,
    /// Whether entries say the whole path as well.
    whole: bool,
    /// Whether libraries stand in a file of their own.
    apart: bool,
    sqlite: bool,
}

struct World {
    top: PathBuf,
    _folder: tempfile::TempDir,
    way: Way,
}

const GAMES: [(&str, &str); 8] = [
    ("Fen", "Fen"),
    ("moor-two", "Moor Two: Return"),
    ("Öd land", "Öd & Co"),
    ("Fen Two", "Fen Two"),
    ("tarn", "Tarn"),
    ("Gull Parade", "Gull Parade"),
    ("nine_tins", "Nine Tins"),
    ("Slow River", "Slow River (2020)"),
];

impl World {
    /// As many games, each in the library of its number, of three.
    fn new(way: Way, lie: &[usize]) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let world = Self { top, _folder: folder, way };
        for library in world.libraries() {
            fs::create_dir_all(library).unwrap();
        }
        for (n, library) in lie.iter().enumerate() {
            let at = world.libraries()[*library].join(GAMES[n].0);
            fs::create_dir_all(at.join("bin")).unwrap();
            fs::write(at.join("bin/go"), format!("#!/bin/sh\n# {n}\n")).unwrap();
            fs::write(at.join("data.pak"), vec![n as u8; 9000 + n]).unwrap();
        }
        for (file, value) in world.files(lie) {
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            write(&file, &value);
        }
        world
    }

    fn libraries(&self) -> [PathBuf; 3] {
        ["swift/games", "swift/more", "newhold/games"].map(|path| self.top.join("drives").join(path))
    }

    fn name_of(&self, library: usize) -> Value {
        match self.way.ids {
            "numbers" => json!(2 + 3 * library),
            "words" => json!(["alpha-shelf", "beta-shelf", "gamma-shelf"][library]),
            "keys" => json!(["k1", "k2", "k3"][library]),
            _ => json!(library),
        }
    }

    fn files(&self, lie: &[usize]) -> Vec<(PathBuf, Value)> {
        let home = self.top.join("home/.local/share/petrel");
        let paths = self.libraries().map(|path| path.to_str().unwrap().to_string());
        let entry = |n: usize| json!({"id": self.name_of(n), "path": paths[n], "caption": format!("Shelf {n}")});
        let libraries: Value = match self.way.ids {
            "keys" => (0..3)
                .map(|n| (self.name_of(n).as_str().unwrap().to_string(), json!({"path": paths[n]})))
                .collect::<serde_json::Map<_, _>>()
                .into(),
            "places" => (0..3).map(|n| json!({"path": paths[n]})).collect(),
            _ => (0..3).map(entry).collect(),
        };
        let game = |(n, library): (usize, &usize)| {
            let (folder, title) = GAMES[n];
            let mut game = json!({"code": 100 + 3 * n, "title": title, "shelf": self.name_of(*library), "v": 1});
            let (key, text) =
                if self.way.whole { ("at", format!("{}/{folder}", paths[*library])) } else { ("dir", folder.into()) };
            game[key] = text.into();
            game
        };
        let games: Value = lie.iter().enumerate().map(game).collect();
        let end = if self.way.sqlite { "db" } else { "json" };
        if self.way.apart {
            return vec![
                (home.join(format!("shelves.{end}")), json!({"shelves": libraries})),
                (home.join(format!("list.{end}")), json!({"games": games})),
            ];
        }
        vec![(home.join(format!("all.{end}")), json!({"shelves": libraries, "games": games}))]
    }

    fn judge(&self, lie: &[usize]) -> Result<(), String> {
        for (file, wanted) in self.files(lie) {
            let now = read(&file);
            if now != wanted {
                return Err(format!("{}: {now}\nnot {wanted}", file.display()));
            }
        }
        Ok(())
    }

    /// Hauls each of the first four games, undoes every other haul, and judges after each.
    fn haul_and_undo(&self, profile: &str, lie: &mut [usize]) {
        let way = self.way;
        let site = Site::of_world(&self.top).unwrap();
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), profile).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        for n in 0..4 {
            let found = survey(&site, Vec::new(), &|_| {});
            assert_eq!(found.games.len(), lie.len(), "{way:?}\n{profile}");
            let old = self.libraries()[lie[n]].join(GAMES[n].0);
            let id = haul_folders(&site, &journal, &[old], "newhold", &format!("{way:?}\n{profile}"));
            let before = lie[n];
            lie[n] = 2;
            self.judge(lie).unwrap_or_else(|why| panic!("{way:?}\n{profile}\n{why}"));
            if n % 2 == 0 {
                undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
                lie[n] = before;
                self.judge(lie).unwrap_or_else(|why| panic!("{way:?}, undone\n{profile}\n{why}"));
            }
        }
    }

    fn learned(&self) -> Vec<LearnedLauncher> {
        learn(&Site::of_world(&self.top).unwrap(), &[], &[], &|_| {}).launchers
    }
}

/// Tables of a database are lists of rows with a number of their own.
fn write(file: &Path, value: &Value) {
    if file.extension().is_some_and(|end| end == "json") {
        return fs::write(file, serde_json::to_string_pretty(value).unwrap()).unwrap();
    }
    let db = rusqlite::Connection::open(file).unwrap();
    for (table, rows) in value.as_object().unwrap() {
        for (n, row) in rows.as_array().unwrap().iter().enumerate() {
            let row = row.as_object().unwrap();
            let names: Vec<String> = row.keys().map(|name| format!("\"{name}\"")).collect();
            if n == 0 {
                db.execute(&format!("create table {table} (nr integer primary key, {})", names.join(", ")), ())
                    .unwrap();
            }
            let values: Vec<rusqlite::types::Value> = row
                .values()
                .map(|value| value.as_i64().map_or_else(|| value.as_str().unwrap().to_string().into(), Into::into))
                .collect();
            let marks = vec!["?"; values.len()].join(", ");
            db.execute(
                &format!("insert into {table} ({}) values ({marks})", names.join(", ")),
                rusqlite::params_from_iter(values),
            )
            .unwrap();
        }
    }
}

fn read(file: &Path) -> Value {
    if file.extension().is_some_and(|end| end == "json") {
        return serde_json::from_str(&fs::read_to_string(file).unwrap()).unwrap();
    }
    let db = rusqlite::Connection::open(file).unwrap();
    let mut all = serde_json::Map::new();
    let tables: Vec<String> = {
        let mut rows = db.prepare("select name from sqlite_master where type = 'table'").unwrap();
        rows.query_map((), |row| row.get(0)).unwrap().map(Result::unwrap).collect()
    };
    for table in tables {
        let mut rows = db.prepare(&format!("select * from {table} order by nr")).unwrap();
        let names: Vec<String> = rows.column_names().map(ToString::to_string).collect();
        let mut list = Vec::new();
        let mut found = rows.query(()).unwrap();
        while let Some(row) = found.next().unwrap() {
            let value = |n: usize| match row.get_ref(n).unwrap() {
                rusqlite::types::ValueRef::Integer(n) => Value::from(n),
                other => other.as_str().unwrap().into(),
            };
            list.push((1..names.len()).map(|n| (names[n].clone(), value(n))).collect::<serde_json::Map<_, _>>());
        }
        all.insert(table, json!(list));
    }
    all.into()
}

/// All ways that make sense: tables have no keys and no places of their own, and rows no order that counts.
fn ways() -> Vec<Way> {
    let mut all = Vec::new();
    for ids in ["numbers", "words", "keys", "places"] {
        for n in 0..8_u8 {
            let way = Way { ids, whole: n & 1 != 0, apart: n & 2 != 0, sqlite: n & 4 != 0 };
            if !way.sqlite || matches!(ids, "numbers" | "words") {
                all.push(way);
            }
        }
    }
    all
}

#[test]
fn a_library_that_is_referred_to_by_what_it_is_called_is_learned_and_kept_true() {
    let step = if std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some() { 1 } else { 3 };
    for way in ways().into_iter().step_by(step) {
        let mut lie = [0, 1, 0, 0, 1, 0, 0, 1];
        let world = World::new(way, &lie);
        let learned = world.learned();
        let [launcher] = learned.as_slice() else { panic!("{way:?}: {learned:?}") };
        assert_eq!(launcher.doubt, None, "{way:?}\n{}", launcher.profile);
        assert!(launcher.profile.contains("{library-id}"), "{way:?}\n{}", launcher.profile);
        world.haul_and_undo(&launcher.profile, &mut lie);
    }
}

/// The number of the answer that the shelf says the library, and of that which says that nothing does.
fn answers(launcher: &LearnedLauncher) -> Option<(usize, usize)> {
    let question = launcher.questions.iter().position(|question| question.about == Known::Library)?;
    assert_eq!(question, 0, "what everything else depends on is asked first");
    let candidates = &launcher.questions[0].candidates;
    let shelf = candidates.iter().position(|one| one.name().as_deref() == Some("shelf") && !one.libraries.is_empty());
    Some((shelf.unwrap(), candidates.iter().position(|one| one.none).unwrap()))
}

/// Where all games are in one library, a number that is the same for all of them may be anything: that is asked, and each answer holds.
#[test]
fn a_reference_that_may_be_chance_is_asked_about() {
    let full = std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some();
    for (nth, way) in ways().into_iter().enumerate() {
        let world = World::new(way, &[0; 4]);
        let learned = world.learned();
        let [launcher] = learned.as_slice() else { panic!("{way:?}: {learned:?}") };
        // A row's own number may be referred to as well, and is beside a name that is sure: that is not understood.
        if way.ids == "words" && way.sqlite {
            assert!(launcher.doubt.is_some(), "{way:?}\n{}", launcher.profile);
            continue;
        }
        assert_eq!(launcher.doubt, None, "{way:?}");
        let sure = way.ids == "words";
        // A nought that stands everywhere says nothing.
        let nought = way.ids == "places" && way.whole;
        let Some((shelf, none)) = answers(launcher) else {
            assert!(sure || nought, "{way:?}: {:?}\n{}", launcher.questions, launcher.profile);
            assert_eq!(launcher.profile.contains("{library-id}"), sure, "{way:?}\n{}", launcher.profile);
            continue;
        };
        assert!(!sure && !nought, "{way:?}: {:?}", launcher.questions);
        let (mut yes, mut no) = (launcher.clone(), launcher.clone());
        yes.answer(0, shelf);
        no.answer(0, none);
        assert!(yes.doubt.is_none() && yes.profile.contains("{library-id}"), "{way:?}\n{}", yes.profile);
        // What says nothing else of its place says its library, or is not understood.
        assert_eq!(no.doubt.is_none(), way.whole, "{way:?}: {:?}", no.doubt);
        assert!(!way.whole || !no.profile.contains("{library-id}"), "{way:?}\n{}", no.profile);
        if full || nth.is_multiple_of(3) {
            world.haul_and_undo(&yes.profile, &mut [0; 4]);
        }
    }
}

/// A mark of one sign tells the libraries of few games by chance.
#[test]
fn a_mark_of_few_games_that_may_be_anything_is_asked_about() {
    for way in ways() {
        let world = World::new(way, &[0, 1, 0, 1]);
        let sign = matches!(way.ids, "places" | "numbers");
        for launcher in world.learned() {
            assert_eq!(launcher.doubt, None, "{way:?}\n{}", launcher.profile);
            assert_eq!(answers(&launcher).is_some(), sign, "{way:?}: {:?}\n{}", launcher.questions, launcher.profile);
        }
    }
}

/// A folder of that name in both libraries does not make two of the one in which all games are: what may be chance is asked.
#[test]
fn a_folder_that_lies_in_both_libraries_tells_nothing() {
    let way = Way { ids: "keys", whole: false, apart: false, sqlite: false };
    let world = World::new(way, &[0; 8]);
    fs::create_dir_all(world.libraries()[1].join(GAMES[0].0)).unwrap();
    for launcher in world.learned() {
        assert!(answers(&launcher).is_some(), "{:?}\n{}", launcher.doubt, launcher.profile);
    }
}
