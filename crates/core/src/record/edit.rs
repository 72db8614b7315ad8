//! Changes of records as values that can be looked at, made, made again after a crash, and turned round.
//!
//! Law: all edits of a lot are first made in memory ([`Files`]); only if every one of them could
//! be made do the new bytes go to the drive. An entry arrives before it leaves, so that at every
//! instant one list names the game.

use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::document::{Document, DocumentError, Format};
use super::place::{Place, Side, Step};
use crate::site::real_path;

/// A change within an entry that travels: `location` starts at the entry.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rewrite {
    /// JSONPath from the entry.
    pub location: String,
    /// Key or value.
    pub side: Side,
    /// What it says before.
    pub old: String,
    /// What it says afterwards.
    pub new: String,
}

/// One change of one or two record files.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "edit")]
pub enum Edit {
    /// A key or value says another text.
    Replace {
        /// The record file.
        file: PathBuf,
        /// The change, its location from the root of the file.
        #[serde(flatten)]
        rewrite: Rewrite,
    },
    /// An entry goes from one file's list to another's.
    Travel {
        /// The file it leaves.
        from: PathBuf,
        /// The file it arrives in.
        to: PathBuf,
        /// JSONPath of the list, in both.
        list: String,
        /// JSONPath from an entry to its id; `None` where the key is the id.
        id_at: Option<String>,
        /// The id.
        id: String,
        /// What changes in it on the way.
        rewrites: Vec<Rewrite>,
    },
    /// A library becomes known to its launcher.
    Register {
        /// The file that lists libraries.
        file: PathBuf,
        /// JSONPath of the list.
        list: String,
        /// The new entry, as JSON.
        entry: String,
        /// The library's own file, and the text it starts with.
        made: Option<(PathBuf, String)>,
    },
    /// A library that a haul made known is forgotten again, if nothing lives in it.
    Unregister {
        /// The file that lists libraries.
        file: PathBuf,
        /// JSONPath of the list.
        list: String,
        /// The entry, as JSON.
        entry: String,
        /// The library's own file, and the text that it holds when it is empty.
        made: Option<(PathBuf, String)>,
    },
}

/// Whether an edit that is made already is an error.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mood {
    /// Every record must say what the survey read.
    Strict,
    /// A record may say already what it is to say: for going on after a crash.
    Again,
}

/// Why edits were not made. Every record file holds the bytes it held before the call.
#[derive(Debug, Error)]
pub enum EditError {
    /// A record file cannot be read.
    #[error("cannot read {file}")]
    Read {
        /// The file.
        file: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// A record file is not what it should be, or an edit in it is impossible.
    #[error("{file}: {source}")]
    Document {
        /// The file.
        file: PathBuf,
        /// The fault.
        source: DocumentError,
    },
    /// A record does not say what the survey read.
    #[error("{file} {location} has changed since the survey")]
    RecordChanged {
        /// The file.
        file: PathBuf,
        /// The place in it.
        location: String,
    },
    /// A file that was to be made is there already with another content.
    #[error("{file} is there already")]
    Exists {
        /// The file.
        file: PathBuf,
    },
}

/// One file before and after a set of edits; `None` where the file is not there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileChange {
    /// The file, with links followed.
    pub file: PathBuf,
    /// Its bytes before.
    pub before: Option<Vec<u8>>,
    /// Its bytes after.
    pub after: Option<Vec<u8>>,
}

/// Record files in memory, in the order in which they are to be written.
#[derive(Debug, Default)]
pub struct Files(Vec<FileChange>);

impl Files {
    fn slot(&mut self, file: &Path) -> Result<&mut FileChange, EditError> {
        // A record file that is a link is edited where it leads, so that the link stays one.
        let file = real_path(file);
        let at = if let Some(at) = self.0.iter().position(|change| change.file == file) {
            at
        } else {
            let before = match std::fs::read(&file) {
                Ok(bytes) => Some(bytes),
                Err(error) if error.kind() == io::ErrorKind::NotFound => None,
                Err(source) => return Err(EditError::Read { file, source }),
            };
            self.0.push(FileChange { file, after: before.clone(), before });
            self.0.len() - 1
        };
        Ok(&mut self.0[at])
    }

    fn json(&mut self, file: &Path) -> Result<Document, EditError> {
        let slot = self.slot(file)?;
        let Some(bytes) = &slot.after else {
            let source = io::Error::from(io::ErrorKind::NotFound);
            return Err(EditError::Read { file: slot.file.clone(), source });
        };
        Document::parse(bytes.clone(), Format::of_name(&slot.file))
            .map_err(|source| EditError::Document { file: slot.file.clone(), source })
    }

    fn put(&mut self, file: &Path, bytes: Option<Vec<u8>>) -> Result<(), EditError> {
        self.slot(file)?.after = bytes;
        Ok(())
    }

    /// Makes all edits in memory, one after another.
    pub fn make(&mut self, edits: &[Edit], mood: Mood) -> Result<(), EditError> {
        edits.iter().try_for_each(|edit| self.make_one(edit, mood))
    }

    /// The files that differ from what they held, in the order in which they are to be written.
    pub fn changes(self) -> Vec<FileChange> {
        self.0.into_iter().filter(|change| change.before != change.after).collect()
    }

    fn make_one(&mut self, edit: &Edit, mood: Mood) -> Result<(), EditError> {
        match edit {
            Edit::Replace { file, rewrite } => {
                let json = self.json(file)?;
                if let Some(bytes) = rewritten(&json, rewrite, mood, file)? {
                    self.put(file, Some(bytes))?;
                }
                Ok(())
            }
            Edit::Travel { from, to, list, id_at, id, rewrites } => {
                self.travel(from, to, list, &Wanted { id_at: id_at.as_deref(), id }, rewrites, mood)
            }
            Edit::Register { file, list, entry, made } => {
                if let Some((made, text)) = made {
                    match self.slot(made)?.after.clone() {
                        None => self.put(made, Some(text.clone().into_bytes()))?,
                        Some(_) if mood == Mood::Again => {}
                        Some(bytes) if bytes == text.as_bytes() => {}
                        Some(_) if entry_like(&self.json(file)?, file, list, entry)?.is_some() => {}
                        Some(_) => return Err(EditError::Exists { file: made.clone() }),
                    }
                }
                let json = self.json(file)?;
                if entry_like(&json, file, list, entry)?.is_none() {
                    let at = json.find_one(list).map_err(in_file(file))?;
                    let bytes = json.append(&at, None, entry).map_err(in_file(file))?;
                    self.put(file, Some(bytes))?;
                }
                Ok(())
            }
            Edit::Unregister { file, list, entry, made } => {
                if let Some((made, text)) = made {
                    let empty = match &self.slot(made)?.after {
                        None => true,
                        Some(bytes) => same_json(bytes, text.as_bytes()),
                    };
                    if !empty {
                        return Ok(());
                    }
                    self.put(made, None)?;
                }
                let json = self.json(file)?;
                if let Some(nth) = entry_like(&json, file, list, entry)? {
                    let at = json.find_one(list).map_err(in_file(file))?;
                    self.put(file, Some(json.remove(&at, nth).map_err(in_file(file))?))?;
                }
                Ok(())
            }
        }
    }

    fn travel(
        &mut self,
        from: &Path,
        to: &Path,
        list: &str,
        wanted: &Wanted<'_>,
        rewrites: &[Rewrite],
        mood: Mood,
    ) -> Result<(), EditError> {
        if mood == Mood::Again && self.slot(from)?.after.is_none() {
            // The list it would leave was never made, or is gone already: it must be in the other one.
            let arrived = wanted.find(&self.json(to)?, to, list)?;
            return arrived
                .map(drop)
                .ok_or_else(|| EditError::RecordChanged { file: to.into(), location: list.into() });
        }
        let leaving = self.json(from)?;
        let here = wanted.find(&leaving, from, list)?;
        let arriving = self.json(to)?;
        let there = wanted.find(&arriving, to, list)?;
        let changed =
            |file: &Path| EditError::RecordChanged { file: file.into(), location: format!("{list} {}", wanted.id) };
        match (&here, there, mood) {
            (Some(_), None, _) | (Some(_), Some(_), Mood::Again) => {}
            (None, Some(_), Mood::Again) => return Ok(()),
            (None, ..) => return Err(changed(from)),
            (Some(_), Some(_), Mood::Strict) => return Err(changed(to)),
        }
        let Some((nth, place)) = here else { return Ok(()) };
        if wanted.find(&arriving, to, list)?.is_none() {
            let raw = leaving.raw(&place).unwrap_or_default();
            let mut entry = Document::parse(raw.as_bytes().to_vec(), leaving.format()).map_err(in_file(from))?;
            for rewrite in rewrites {
                if let Some(bytes) = rewritten(&entry, rewrite, mood, from)? {
                    entry = Document::parse(bytes, leaving.format()).map_err(in_file(from))?;
                }
            }
            let key = wanted.id_at.is_none().then_some(wanted.id);
            let at = arriving.find_one(list).map_err(in_file(to))?;
            let raw = String::from_utf8_lossy(&entry.bytes()).into_owned();
            // Touched first, so written first: the entry arrives before it leaves.
            self.put(to, Some(arriving.append(&at, key, &raw).map_err(in_file(to))?))?;
            let position = |files: &Self, file: &Path| files.0.iter().position(|c| c.file == real_path(file));
            if let (Some(a), Some(b)) = (position(self, to), position(self, from))
                && b < a
            {
                let late = self.0.remove(a);
                self.0.insert(b, late);
            }
        }
        let list_place = leaving.find_one(list).map_err(in_file(from))?;
        self.put(from, Some(leaving.remove(&list_place, nth).map_err(in_file(from))?))
    }
}

struct Wanted<'a> {
    id_at: Option<&'a str>,
    id: &'a str,
}

impl Wanted<'_> {
    /// Finds the entry with this id: its number in the list and its place.
    fn find(&self, json: &Document, file: &Path, list: &str) -> Result<Option<(usize, Place)>, EditError> {
        let at = json.find_one(list).map_err(in_file(file))?;
        let children = json.children(&at).ok_or_else(|| EditError::Document {
            file: file.into(),
            source: DocumentError::WrongKind { place: at.to_string() },
        })?;
        for (n, place) in children.into_iter().enumerate() {
            let id = match (self.id_at, place.0.last()) {
                (None, Some(Step::Name(name))) => Some(name.clone()),
                (None, _) => None,
                (Some(selector), _) => below(json, &place, selector).map_err(in_file(file))?,
            };
            if id.as_deref() == Some(self.id) {
                return Ok(Some((n, place)));
            }
        }
        Ok(None)
    }
}

/// The text that a JSONPath finds below an entry, if it finds one.
fn below(json: &Document, entry: &Place, selector: &str) -> Result<Option<String>, DocumentError> {
    let whole = format!("{entry}{}", selector.strip_prefix('$').unwrap_or(selector));
    let found = json.find(&whole)?;
    Ok(found.first().and_then(|place| json.leaf(place, Side::Value)))
}

fn in_file(file: &Path) -> impl Fn(DocumentError) -> EditError + '_ {
    move |source| EditError::Document { file: file.into(), source }
}

fn rewritten(json: &Document, rewrite: &Rewrite, mood: Mood, file: &Path) -> Result<Option<Vec<u8>>, EditError> {
    let changed = || EditError::RecordChanged { file: file.into(), location: rewrite.location.clone() };
    let place = match json.find_one(&rewrite.location) {
        Ok(place) => place,
        // A key that has its new name already is not found under its old one.
        Err(DocumentError::NotOne { .. }) if rewrite.side == Side::Key && mood == Mood::Again => return Ok(None),
        Err(DocumentError::NotOne { .. }) => return Err(changed()),
        Err(source) => return Err(EditError::Document { file: file.into(), source }),
    };
    let says = json.leaf(&place, rewrite.side);
    if says.as_ref() == Some(&rewrite.old) {
        return json.replace(&place, rewrite.side, &rewrite.new, None).map(Some).map_err(in_file(file));
    }
    if mood == Mood::Again && says.as_ref() == Some(&rewrite.new) { Ok(None) } else { Err(changed()) }
}

fn entry_like(json: &Document, file: &Path, list: &str, entry: &str) -> Result<Option<usize>, EditError> {
    let wanted: Option<serde_json::Value> = serde_json::from_str(entry).ok();
    let at = json.find_one(list).map_err(in_file(file))?;
    let children = json.children(&at).unwrap_or_default();
    Ok(children.iter().position(|place| place.of(json.value()) == wanted.as_ref()))
}

fn same_json(one: &[u8], other: &[u8]) -> bool {
    let read = |bytes: &[u8]| Document::parse(bytes.to_vec(), Format::Json).map(|json| json.value().clone());
    match (read(one), read(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => one == other,
    }
}

impl Rewrite {
    fn turned(&self) -> Self {
        let mut location = self.location.clone();
        if self.side == Side::Key {
            // The last step of a normalized path is the key itself.
            let old = Place(vec![Step::Name(self.old.clone())]).to_string();
            let new = Place(vec![Step::Name(self.new.clone())]).to_string();
            if let Some(list) = location.strip_suffix(&old[1..]) {
                location = format!("{list}{}", &new[1..]);
            }
        }
        Self { location, side: self.side, old: self.new.clone(), new: self.old.clone() }
    }
}

impl Edit {
    /// The edit that takes this one back.
    #[must_use]
    pub fn turned(&self) -> Self {
        match self.clone() {
            Self::Replace { file, rewrite } => Self::Replace { file, rewrite: rewrite.turned() },
            Self::Travel { from, to, list, id_at, id, rewrites } => Self::Travel {
                from: to,
                to: from,
                list,
                id_at,
                id,
                rewrites: rewrites.iter().rev().map(Rewrite::turned).collect(),
            },
            Self::Register { file, list, entry, made } => Self::Unregister { file, list, entry, made },
            Self::Unregister { file, list, entry, made } => Self::Register { file, list, entry, made },
        }
    }

    /// The raw text of the entry that travels, as it stands now; `None` of any other edit.
    pub fn entry_text(&self) -> Option<String> {
        let Self::Travel { from, list, id_at, id, .. } = self else { return None };
        let json = Files::default().json(from).ok()?;
        let (_, place) = Wanted { id_at: id_at.as_deref(), id }.find(&json, from, list).ok()??;
        json.raw(&place).map(str::to_string)
    }

    /// Turns round a set of edits: the last one first.
    pub fn turned_all(edits: &[Self]) -> Vec<Self> {
        edits.iter().rev().map(Self::turned).collect()
    }

    /// The record files that the edit reads or writes.
    pub fn files(&self) -> Vec<&Path> {
        match self {
            Self::Replace { file, .. } => vec![file],
            Self::Travel { from, to, .. } => vec![to, from],
            Self::Register { file, made, .. } | Self::Unregister { file, made, .. } => {
                made.iter().map(|(made, _)| made.as_path()).chain([file.as_path()]).collect()
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct World(tempfile::TempDir);

    const A: &str =
        "{\n  \"titles\": [\n    {\"id\": \"1\", \"at\": \"/a/x\"},\n    {\"id\": \"2\", \"at\": \"/a/y\"}\n  ]\n}\n";
    const EMPTY: &str = "{\"titles\": []}\n";

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
                Edit::Register {
                    file: self.path("places.json"),
                    list: "$.places".into(),
                    entry: "{\"folder\": \"/b\"}".into(),
                    made: Some((self.path("b.json"), EMPTY.into())),
                },
                Edit::Travel {
                    from: self.path("a.json"),
                    to: self.path("b.json"),
                    list: "$.titles".into(),
                    id_at: Some("$.id".into()),
                    id: "2".into(),
                    rewrites: vec![Rewrite {
                        location: "$['at']".into(),
                        side: Side::Value,
                        old: "/a/y".into(),
                        new: "/b/y".into(),
                    }],
                },
                Edit::Replace {
                    file: self.path("places.json"),
                    rewrite: Rewrite {
                        location: "$['map']['/a/y']".into(),
                        side: Side::Key,
                        old: "/a/y".into(),
                        new: "/b/y".into(),
                    },
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
                    Some(bytes) => std::fs::write(&change.file, bytes).unwrap(),
                    None => std::fs::remove_file(&change.file).unwrap(),
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
        assert!(after[2].as_ref().unwrap().contains("\"/a/x\": 1, \"/b/y\": 2"));
        world.put(&world.make(&Edit::turned_all(&world.edits()), Mood::Strict).unwrap());
        assert_eq!(world.all(), before);
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
}
