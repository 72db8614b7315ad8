//! The edits of many items, tried one item after another, in a time that grows with them and not with their square.
//!
//! Law: the first edits of each file are made as a haul makes them: spliced, read again, compared. Of a file that many items change, the
//! further ones are looked at in place: the text is there and says what it should, an entry is in the one list and not in the other, and
//! the new text can be written. The haul makes every edit in full in any case, and changes nothing if one fails. Start at
//! [`EditRehearsal::try_item`].

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::rc::Rc;

use super::document::Document;
use super::edit::{Edit, EditError, Mood, Rewrite, changed, in_file};
use super::fault::DocumentError;
use super::files::{Files, making::runs};
use super::place::{Place, Side, Step};
use super::rewriting::{new_text, rewritten};
use crate::record::formats::Format;

/// How often edits of one file are made in full: those of one item that follow one another, together.
const IN_FULL: usize = 24;

type TriedEdits<T> = Result<T, EditError>;

/// Ids of a list and where each stands.
type Ids = HashMap<String, Place>;

/// A list as it is on the drive.
type TriedList = (Document, Ids);

/// What was tried so far.
#[derive(Debug, Default)]
pub(crate) struct EditRehearsal {
    files: Files,
    /// How often edits of each file were made in full.
    full: HashMap<PathBuf, usize>,
    /// Files of which the further edits are looked at, as they were after the last one that was made.
    read: HashMap<PathBuf, Rc<Document>>,
    ids: HashMap<(PathBuf, String), Rc<Ids>>,
    /// Entries that an item before takes out of a list, and puts into one.
    gone: HashSet<(PathBuf, String)>,
    come: HashSet<(PathBuf, String)>,
    /// What texts say after the edits that were looked at, by their file and place.
    said: HashMap<(PathBuf, String), String>,
    /// Lists as they are on the drive, with the ids of their entries.
    lists: HashMap<(PathBuf, String), Option<TriedList>>,
}

impl EditRehearsal {
    /// Tries the edits of one item, after those of the items before it. Files below `to` are read where they are now, below `from`;
    /// `link`, if there is one, is supposed to lead to its target.
    ///
    /// # Errors
    /// [`EditError`] of the first edit that could not be made.
    pub(crate) fn try_item(
        &mut self,
        edits: &[Edit],
        (from, to): (&Path, &Path),
        link: Option<(&Path, &Path)>,
    ) -> TriedEdits<()> {
        let files = std::mem::take(&mut self.files);
        let mut files = files.now_carried(from, to);
        if let Some((link, target)) = link {
            files.suppose_link(link, target);
        }
        self.files = files;
        // Those of one file that follow one another are made together, with one look at all of it.
        for run in runs(edits) {
            // What one of its files says by now is known by looks alone, once some edits of it were made.
            let often = run.iter().flat_map(Edit::files).map(|file| self.full.get(file).copied().unwrap_or(0)).max();
            let mut seen = 0;
            while let Some(edit) = run.get(seen).filter(|_| often.is_some_and(|often| often >= IN_FULL))
                && self.look_at(edit)?
            {
                seen += 1;
            }
            let rest = run.get(seen..).unwrap_or_default();
            if rest.is_empty() {
                continue;
            }
            self.files.make(rest, Mood::Strict)?;
            let made: HashSet<&Path> = rest.iter().flat_map(Edit::files).collect();
            for file in made {
                *self.full.entry(file.into()).or_default() += 1;
                self.forget(file);
            }
        }
        // Databases are tried on copies, there and back: of one that many items change the first tell.
        let few = edits.iter().flat_map(Edit::files).any(|file| self.full.get(file).is_some_and(|n| *n <= IN_FULL));
        if few { self.files.rehearse() } else { Ok(()) }
    }

    /// The raw text of the entry that travels, as it stands on the drive; `None` of any other edit.
    pub(crate) fn entry_text(&mut self, edit: &Edit) -> Option<String> {
        let Edit::Travel { from, format, list, id_at, id, .. } = edit else { return None };
        let read = || {
            let document = Files::default().document(from, *format).ok()?;
            let ids = ids_of(from, &document, list, id_at.as_deref()).ok()?;
            Some((document, ids))
        };
        let known = self.lists.entry((from.clone(), list.clone())).or_insert_with(read);
        let (document, ids) = known.as_ref()?;
        document.raw(ids.get(id)?).map(str::to_string)
    }

    fn forget(&mut self, file: &Path) {
        if self.read.remove(file).is_some() {
            self.ids.retain(|(of, _), _| of != file);
        }
    }

    fn document(&mut self, file: &Path, format: Format) -> TriedEdits<Rc<Document>> {
        if let Some(known) = self.read.get(file) {
            return Ok(Rc::clone(known));
        }
        let document = Rc::new(self.files.document(file, format)?);
        self.read.insert(file.into(), Rc::clone(&document));
        Ok(document)
    }

    /// Looks whether an edit could be made; `false` if it is one that has to be made to know.
    fn look_at(&mut self, edit: &Edit) -> TriedEdits<bool> {
        match edit {
            Edit::Replace { file, format: Some(format), rewrite }
                if rewrite.side == Side::Value || !rewrite.inside.is_empty() =>
            {
                let document = self.document(file, *format)?;
                self.look_at_text(&document, rewrite, file)?;
                Ok(true)
            }
            Edit::Travel { from, to, format, list, id_at, id, rewrites, totals } => {
                let (leaving, arriving) = (self.document(from, *format)?, self.document(to, *format)?);
                let moved = |file: &Path| changed(file, &format!("{list} {id}"));
                let key = |file: &Path| (file.to_path_buf(), id.clone());
                let here = self.ids(from, &leaving, list, id_at.as_deref())?.get(id).cloned();
                let here = here.filter(|_| !self.gone.contains(&key(from)));
                let there = self.ids(to, &arriving, list, id_at.as_deref())?.contains_key(id);
                if there && !self.gone.contains(&key(to)) || self.come.contains(&key(to)) {
                    return Err(moved(to));
                }
                // What an edit before brought here was looked at then, and goes on, or back.
                if self.come.remove(&key(from)) {
                    if !(there && self.gone.remove(&key(to))) {
                        self.come.insert(key(to));
                    }
                    return Ok(true);
                }
                let Some(place) = here else { return Err(moved(from)) };
                let raw = leaving.raw(&place).unwrap_or_default();
                let mut entry = Document::parse(raw.as_bytes().to_vec(), *format).map_err(in_file(from))?;
                for rewrite in rewrites {
                    if let Some(bytes) = rewritten(&entry, rewrite, Mood::Strict, from)? {
                        entry = Document::parse(bytes, *format).map_err(in_file(from))?;
                    }
                }
                for (file, document) in [(from, &leaving), (to, &arriving)] {
                    for total in totals {
                        let at = document.find(&total.location).map_err(in_file(file))?.into_iter().next();
                        let says =
                            at.map(|at| document.leaf(&at, Side::Value).and_then(|text| text.parse::<i64>().ok()));
                        if says == Some(None) {
                            return Err(changed(file, &total.location));
                        }
                    }
                }
                self.gone.insert(key(from));
                self.come.insert(key(to));
                Ok(true)
            }
            _ => Ok(false),
        }
    }

    /// Looks whether a text says what it should, and can be written as what it is to say.
    fn look_at_text(&mut self, document: &Document, rewrite: &Rewrite, file: &Path) -> TriedEdits<()> {
        let place = match document.find_one(&rewrite.location) {
            Ok(place) => place,
            Err(DocumentError::NotOne { .. }) => return Err(changed(file, &rewrite.location)),
            Err(source) => return Err(in_file(file)(source)),
        };
        let key = (file.to_path_buf(), place.to_string());
        let says = self.said.get(&key).cloned().or_else(|| document.leaf(&place, Side::Value));
        let says = says.ok_or_else(|| changed(file, &rewrite.location))?;
        let new = new_text(&says, rewrite, &rewrite.inside, Some(document.format()), Mood::Strict, file)?;
        let new = new.ok_or_else(|| changed(file, &rewrite.location))?;
        document.can_hold(&place, Side::Value, &new).map_err(in_file(file))?;
        self.said.insert(key, new);
        Ok(())
    }

    fn ids(&mut self, file: &Path, document: &Document, list: &str, id_at: Option<&str>) -> TriedEdits<Rc<Ids>> {
        let at = (file.to_path_buf(), list.to_string());
        if let Some(known) = self.ids.get(&at) {
            return Ok(Rc::clone(known));
        }
        let ids = ids_of(file, document, list, id_at)?;
        let ids = Rc::new(ids);
        self.ids.insert(at, Rc::clone(&ids));
        Ok(ids)
    }
}

/// The ids of a list's entries, and where each stands.
fn ids_of(file: &Path, document: &Document, list: &str, id_at: Option<&str>) -> TriedEdits<Ids> {
    let place = document.find_one(list).map_err(in_file(file))?;
    let wrong = || in_file(file)(DocumentError::WrongKind { place: place.to_string() });
    let mut ids = Ids::new();
    for entry in document.children(&place).ok_or_else(wrong)? {
        let id = match (id_at, entry.0.last()) {
            (None, Some(Step::Name(name))) => Some(name.clone()),
            (None, _) => None,
            (Some(selector), _) => document.below(&entry, selector).map_err(in_file(file))?,
        };
        // Of one that is listed twice the first counts.
        if let Some(id) = id {
            ids.entry(id).or_insert(entry);
        }
    }
    Ok(ids)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A folder with a list of so many games, and the edits that would move each of them to another list.
    fn world(games: usize) -> (tempfile::TempDir, Vec<Vec<Edit>>) {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let entries: Vec<String> = (0..games).map(|n| format!("{{\"id\": \"{n}\", \"at\": \"/a/{n}\"}}")).collect();
        std::fs::write(at("a.json"), format!("{{\"sum\": 9, \"list\": [{}]}}", entries.join(", "))).unwrap();
        std::fs::write(at("b.json"), "{\"sum\": 0, \"list\": []}").unwrap();
        let starts: Vec<String> = (0..games).map(|n| format!("\"/a/{n}\"")).collect();
        std::fs::write(at("c.json"), format!("[{}]", starts.join(", "))).unwrap();
        let item = |n: usize| {
            let (old, new) = (format!("/a/{n}"), format!("/b/{n}"));
            vec![
                Edit::Travel {
                    from: at("a.json"),
                    to: at("b.json"),
                    format: Format::Json,
                    list: "$.list".into(),
                    id_at: Some("$.id".into()),
                    id: n.to_string(),
                    rewrites: vec![Rewrite::of_value("$['at']", &old, &new)],
                    totals: vec![super::super::edit::Total { location: "$.sum".into(), amount: 1 }],
                },
                Edit::Replace {
                    file: at("c.json"),
                    format: Some(Format::Json),
                    rewrite: Rewrite::of_value(&format!("$[{n}]"), &old, &new),
                },
            ]
        };
        let items = (0..games).map(item).collect();
        (folder, items)
    }

    fn all(items: &[Vec<Edit>]) -> Vec<bool> {
        let mut trial = EditRehearsal::default();
        items.iter().map(|edits| trial.try_item(edits, (Path::new("/a"), Path::new("/b")), None).is_ok()).collect()
    }

    #[test]
    fn each_item_is_judged_as_if_all_before_it_were_made_however_many_there_are() {
        let (folder, mut items) = world(90);
        assert!(all(&items).into_iter().all(|sound| sound));
        // Whatever is wrong is seen beyond those that are made in full as well.
        let at = |n: usize| [Some(n), (n >= 60).then_some(n)];
        for broken in [5, 60] {
            for what in 0..4 {
                let mut items = items.clone();
                match (what, &mut items[broken][..]) {
                    (0, [Edit::Travel { id, .. }, _]) => *id = "nobody".into(),
                    (1, [Edit::Travel { rewrites, .. }, _]) => rewrites[0].old = "/q".into(),
                    (2, [_, Edit::Replace { rewrite, .. }]) => rewrite.old = "/q".into(),
                    (_, [_, Edit::Replace { rewrite, .. }]) => rewrite.location = "$[4000]".into(),
                    _ => panic!(),
                }
                let said = all(&items);
                assert!(!said[broken], "{broken}, {what}: {:?}", at(broken));
                assert!(said[..broken].iter().all(|sound| *sound), "{broken}, {what}");
            }
        }
        // Games that wait elsewhere first: what led there is taken back in the act that leads on.
        let mut waiting = items.clone();
        std::fs::write(folder.path().join("d.json"), "{\"sum\": 0, \"list\": []}").unwrap();
        for item in &items {
            let mut on = Edit::turned_all(item);
            on.extend(item.iter().cloned().map(|edit| match edit {
                Edit::Travel { from, format, list, id_at, id, rewrites, totals, .. } => {
                    let to = folder.path().join("d.json");
                    Edit::Travel { from, to, format, list, id_at, id, rewrites, totals }
                }
                other => other,
            }));
            waiting.push(on);
        }
        assert_eq!(all(&waiting).iter().position(|sound| !sound), None);
        // The same game twice: the second finds it gone.
        items[80] = items[40].clone();
        assert_eq!(all(&items).iter().position(|sound| !sound), Some(80));
        // A sum that is none.
        std::fs::write(folder.path().join("b.json"), "{\"sum\": \"no\", \"list\": []}").unwrap();
        assert!(!all(&items)[0]);
    }

    #[test]
    fn all_edits_of_one_file_are_made_together_and_a_fault_in_one_of_them_is_told() {
        let (folder, all) = world(60);
        let starts: Vec<Edit> = all.iter().map(|edits| edits[1].clone()).collect();
        let mut rehearsal = EditRehearsal::default();
        rehearsal.try_item(&starts, (Path::new("/a"), Path::new("/b")), None).unwrap();
        let file = folder.path().join("c.json");
        assert_eq!(rehearsal.full.get(&file), Some(&1), "one look at the file, not one for each of 60 edits");
        let mut wrong = starts;
        if let Edit::Replace { rewrite, .. } = &mut wrong[50] {
            *rewrite = Rewrite::of_value("$[50]", "/a/elsewhere", "/b/50");
        }
        let error = EditRehearsal::default().try_item(&wrong, (Path::new("/a"), Path::new("/b")), None).unwrap_err();
        assert!(error.to_string().contains("$[50]"), "{error}");
    }
}
