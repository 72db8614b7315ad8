//! Record files in memory: edits are made here first, all or none, and then go to the drive.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};

use serde_json::Value;

use super::cell::Cell;
use super::content::Content;
use super::database;
use super::document::{Document, DocumentError, NewValue, find_in};
use super::edit::{Edit, EditError, Entering, Following, Hop, Mood, Rewrite, Total, changed, in_file};
use super::place::{Place, Side, Step};
use super::rewriting::{new_text, rewritten};
use crate::platform::Look;
use crate::record::formats::Format;
use crate::site::real_path;

/// One file before and after a set of edits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileChange {
    /// The file, with links followed, unless the link itself changes.
    pub file: PathBuf,
    /// What it holds before.
    pub before: Content,
    /// What it holds afterwards.
    pub after: Content,
}

impl FileChange {
    /// Reads what the file holds now, in the manner of what it holds afterwards.
    ///
    /// # Errors
    /// As [`Content::now`].
    pub fn now(&self) -> Made<Content> {
        if let (Content::Cells(before), Content::Cells(after)) = (&self.before, &self.after) {
            // A row whose key changes is found by its old one until then.
            let keys_stay = before.iter().zip(after).all(|(old, new)| old.same_place(new));
            if !keys_stay && Content::now(&self.file, &self.before)? == self.before {
                return Ok(self.before.clone());
            }
        }
        let like = if self.after == Content::Absent { &self.before } else { &self.after };
        Content::now(&self.file, like)
    }
}

#[derive(Clone, Debug)]
pub(super) struct Slot {
    pub(super) change: FileChange,
    /// What a database says, with the edits that were made.
    pub(super) tables: Option<Value>,
}

/// Record files in memory, in the order in which they are to be written.
#[derive(Debug, Default)]
pub struct Files {
    slots: Vec<Slot>,
    /// Where the files below a folder are read for now: the copy is not there yet.
    carried: Option<(PathBuf, PathBuf)>,
    /// What some files held before and after the same edits, when they were made first.
    known: Vec<FileChange>,
}

pub(super) type Made<T> = Result<T, EditError>;

impl Files {
    /// Files below `to` are read where they are now, below `from`.
    pub fn carried(from: &Path, to: &Path) -> Self {
        Self { carried: Some((from.into(), to.into())), ..Self::default() }
    }

    /// The same, for edits that were made once in part: what their files held before and afterwards.
    pub(crate) fn knowing(known: &[FileChange]) -> Self {
        Self { known: known.to_vec(), ..Self::default() }
    }

    /// What a file held before and after the same edits, if they were made once.
    fn known(&self, file: &Path) -> Option<&FileChange> {
        let place = self.place_of(file, false);
        self.known.iter().find(|known| known.file == place)
    }

    /// The same files, now for another item.
    #[must_use]
    pub fn now_carried(self, from: &Path, to: &Path) -> Self {
        Self { carried: Some((from.into(), to.into())), ..self }
    }

    /// Has a link be where a folder is for now: it will have stepped aside by the time of the edits.
    pub fn suppose_link(&mut self, link: &Path, target: &Path) {
        let before = Content::Link(target.into());
        let change = FileChange { file: self.place_of(link, true), after: before.clone(), before };
        self.slots.push(Slot { change, tables: None });
    }

    fn place_of(&self, file: &Path, is_link: bool) -> PathBuf {
        // A record file that is a link is edited where it leads, so that the link stays one.
        if is_link {
            let folder = file.parent().map(real_path);
            return folder.unwrap_or_default().join(file.file_name().unwrap_or_default());
        }
        real_path(file)
    }

    fn read_at(&self, file: &Path) -> PathBuf {
        let carried = self.carried.as_ref().and_then(|(from, to)| {
            let below = file.strip_prefix(to).map(Path::to_path_buf);
            let below = below.or_else(|_| file.strip_prefix(real_path(to)).map(Path::to_path_buf));
            Some(from.join(below.ok()?))
        });
        carried.filter(|_| file.look_own_meta().is_err()).unwrap_or_else(|| file.into())
    }

    pub(super) fn slot(&mut self, file: &Path, is_link: bool) -> Made<&mut Slot> {
        let place = self.place_of(file, is_link);
        let at = if let Some(at) = self.slots.iter().position(|slot| slot.change.file == place) {
            at
        } else {
            let fault = |source| EditError::Read { file: file.into(), source };
            let from = self.read_at(&place);
            // An earlier item brings it there first, and has changed it by then.
            let brought = self.slots.iter().find(|slot| slot.change.file == from).map(|slot| slot.change.after.clone());
            let before = if let Some(Content::Bytes(bytes)) = brought {
                Content::Bytes(bytes)
            } else if is_link {
                match from.look_link() {
                    Ok(target) => Content::Link(target),
                    Err(error) if error.kind() == io::ErrorKind::NotFound => Content::Absent,
                    Err(_) => return Err(EditError::Exists { file: file.into() }),
                }
            } else {
                match database::whole_file(&from) {
                    Ok(bytes) if database::is_database(&bytes) => Content::Cells(Vec::new()),
                    Ok(bytes) => Content::Bytes(bytes),
                    Err(error) if error.kind() == io::ErrorKind::NotFound => Content::Absent,
                    Err(source) => return Err(fault(source)),
                }
            };
            let tables = matches!(before, Content::Cells(_)).then(|| database::read(&from)).transpose()?;
            let change = FileChange { file: place, after: before.clone(), before };
            self.slots.push(Slot { change, tables });
            self.slots.len() - 1
        };
        Ok(&mut self.slots[at])
    }

    fn bytes(&mut self, file: &Path) -> Made<Option<Vec<u8>>> {
        Ok(match &self.slot(file, false)?.change.after {
            Content::Bytes(bytes) => Some(bytes.clone()),
            _ => None,
        })
    }

    pub(crate) fn document(&mut self, file: &Path, format: Format) -> Made<Document> {
        let not_there = || EditError::Read { file: file.into(), source: io::ErrorKind::NotFound.into() };
        let bytes = self.bytes(file)?.ok_or_else(not_there)?;
        Document::parse(bytes, format).map_err(in_file(file))
    }

    fn put(&mut self, file: &Path, bytes: Option<Vec<u8>>) -> Made<()> {
        self.slot(file, false)?.change.after = bytes.map_or(Content::Absent, Content::Bytes);
        Ok(())
    }

    /// Makes all edits in memory, one after another.
    pub fn make(&mut self, edits: &[Edit], mood: Mood) -> Made<()> {
        let open = mood == Mood::Strict || !needs_others(edits) || self.some_are_open(edits);
        for run in runs(edits) {
            if !self.make_at_once(run, mood) {
                run.iter().try_for_each(|edit| self.make_one(edit, mood, open))?;
            }
        }
        Ok(())
    }

    /// Makes a change of a list of libraries.
    fn follow(&mut self, following: &Following, mood: Mood, open: bool) -> Made<()> {
        if self.is_database(&following.file)? {
            return if open || mood == Mood::Strict { self.follow_rows(following) } else { Ok(()) };
        }
        let bytes = self.document(&following.file, following.format)?.bytes();
        let was_made = self.known(&following.file).map(|known| (&known.before, &known.after));
        let was_made = was_made.and_then(|(before, after)| following.was_made(before, after, &bytes));
        let open = was_made.map_or(open, |made| !made);
        match following.made(bytes, mood, open)? {
            Some(bytes) => self.put(&following.file, Some(bytes)),
            None => Ok(()),
        }
    }

    /// Whether some of the edits, beside those of libraries, have yet to be made.
    fn some_are_open(&self, edits: &[Edit]) -> bool {
        let of_libraries =
            |edit: &&Edit| !matches!(edit, Edit::Follow(_) | Edit::Register { .. } | Edit::Unregister { .. });
        let rest: Vec<Edit> = edits.iter().filter(of_libraries).cloned().collect();
        let mut files = self.scratch();
        files.make(&rest, Mood::Again).is_err() || files.differs_from(self)
    }

    /// The same files, to be changed by way of trial.
    fn scratch(&self) -> Self {
        Self { slots: self.slots.clone(), carried: self.carried.clone(), known: Vec::new() }
    }

    /// Whether a file is not what it is in another set of them, which knows fewer.
    fn differs_from(&self, other: &Self) -> bool {
        let same = |slot: &Slot| match other.slots.iter().find(|known| known.change.file == slot.change.file) {
            Some(known) => known.change.after == slot.change.after,
            None => slot.change.before == slot.change.after,
        };
        !self.slots.iter().all(same)
    }

    /// Makes the edits of one text file with one splice; `false`, and nothing done, where that cannot be.
    fn make_at_once(&mut self, run: &[Edit], mood: Mood) -> bool {
        let [Edit::Replace { file, format: Some(format), .. }, _, ..] = run else { return false };
        let Ok(document) = self.document(file, *format) else { return false };
        let mut values: Vec<NewValue> = Vec::with_capacity(run.len());
        let mut known: HashMap<Place, usize> = HashMap::new();
        for edit in run {
            let Edit::Replace { rewrite, .. } = edit else { return false };
            let Ok(place) = document.find_one(&rewrite.location) else { return false };
            // A text with several paths has been changed by the edits before.
            let nth = known.get(&place).copied();
            let before = nth.map(|nth| values[nth].new.clone());
            let Some(says) = before.or_else(|| document.leaf(&place, Side::Value)) else { return false };
            let new = match new_text(&says, rewrite, &rewrite.inside, Some(*format), mood, file) {
                Ok(Some(new)) => new,
                Ok(None) => continue,
                Err(_) => return false,
            };
            let written = rewrite.written[1].clone().filter(|_| rewrite.inside.is_empty());
            let value = NewValue { place: place.clone(), new, written };
            if let Some(nth) = nth {
                values[nth] = value;
            } else {
                known.insert(place, values.len());
                values.push(value);
            }
        }
        if values.is_empty() {
            return true;
        }
        let bytes = document.replace_all(&values);
        bytes.is_some_and(|bytes| self.put(file, Some(bytes)).is_ok())
    }

    /// Makes each edit where its record is found now: at its place, or anywhere in its list if entries have come, gone or changed places.
    /// One that is made already, or whose record is gone, changes nothing. Gives those that were not found.
    pub fn make_where_found(&mut self, edits: &[Edit]) -> Vec<EditError> {
        let mut missed = Vec::new();
        let open = !needs_others(edits) || self.some_are_open(edits);
        for run in runs(edits) {
            if !self.make_at_once(run, Mood::Again) {
                self.make_each_where_found(run, open, &mut missed);
            }
        }
        missed
    }

    fn make_each_where_found(&mut self, edits: &[Edit], open: bool, missed: &mut Vec<EditError>) {
        for edit in edits {
            let Err(error) = self.make_one(edit, Mood::Again, open) else { continue };
            let elsewhere = self.relocated(edit);
            let mut made = false;
            for edit in &elsewhere {
                made |= self.make_one(edit, Mood::Strict, open).is_ok();
            }
            if !made {
                missed.push(error);
            }
        }
    }

    /// The same change of a text, wherever the list that holds it has it now.
    fn relocated(&mut self, edit: &Edit) -> Vec<Edit> {
        let Edit::Replace { file, format, rewrite } = edit else { return Vec::new() };
        // A name alone may be anybody's: only a path is this game's wherever it stands.
        if !rewrite.old.contains(['/', '\\']) || rewrite.side == Side::Key {
            return Vec::new();
        }
        let pattern = any_entry(&rewrite.location, format.is_none());
        let found = match format {
            Some(format) => {
                self.document(file, *format).and_then(|document| document.find(&pattern).map_err(in_file(file)))
            }
            None => match self.slot(file, false).map(|slot| slot.tables.clone()) {
                Ok(Some(tables)) => find_in(&tables, &pattern).map_err(in_file(file)),
                Ok(None) => Ok(Vec::new()),
                Err(error) => Err(error),
            },
        };
        let at = |place: &Place, inside: Vec<Hop>| Edit::Replace {
            file: file.clone(),
            format: *format,
            rewrite: Rewrite { location: place.to_string(), inside, ..rewrite.clone() },
        };
        let mut all = Vec::new();
        for place in found.unwrap_or_default() {
            all.push(at(&place, rewrite.inside.clone()));
            // The list may be that of a document within the text.
            let Some((first, rest)) = rewrite.inside.split_first() else { continue };
            let says = match format {
                Some(format) => self.document(file, *format).ok().and_then(|of| of.leaf(&place, Side::Value)),
                None => self.slot(file, false).ok().and_then(|slot| text_at(slot.tables.as_ref()?, &place)),
            };
            let inner = says.and_then(|text| Document::parse(text.into_bytes(), first.format).ok());
            let inner = inner.and_then(|inner| inner.find(&any_entry(&first.location, false)).ok());
            for entry in inner.unwrap_or_default() {
                let hop = Hop { format: first.format, location: entry.to_string() };
                all.push(at(&place, [&[hop], rest].concat()));
            }
        }
        all
    }

    /// Tries the changes of databases on copies, there and back.
    ///
    /// # Errors
    /// [`EditError`] of one that does not let it be, or not be taken back.
    pub fn rehearse(&self) -> Made<()> {
        for change in self.slots.iter().map(|slot| &slot.change) {
            if let (Content::Cells(before), Content::Cells(after)) = (&change.before, &change.after)
                && !before.is_empty()
                && !database::rehearse(&change.file, before, after)?
            {
                let why = format!("{} changes more than its records, and couldn't be undone", change.file.display());
                return Err(EditError::Impossible { why });
            }
        }
        Ok(())
    }

    /// The files that differ from what they held, in the order in which they are to be written.
    pub fn changes(self) -> Vec<FileChange> {
        self.slots.into_iter().map(|slot| slot.change).filter(|change| change.before != change.after).collect()
    }

    /// Makes one edit; `open` is whether others of its item have yet to be made.
    fn make_one(&mut self, edit: &Edit, mood: Mood, open: bool) -> Made<()> {
        match edit {
            Edit::Replace { file, format: None, rewrite } => self.replace_cell(file, rewrite, mood),
            Edit::Replace { file, format: Some(format), rewrite } => {
                let document = self.document(file, *format)?;
                match rewritten(&document, rewrite, mood, file)? {
                    Some(bytes) => self.put(file, Some(bytes)),
                    None => Ok(()),
                }
            }
            Edit::Travel { from, to, format, list, id_at, id, rewrites, totals } => {
                let travel = Travel { from, to, format: *format, list, id_at: id_at.as_deref(), id, rewrites, totals };
                self.travel(&travel, mood)
            }
            Edit::Relocate { from, to, format, rewrites } => self.relocate((from, to), *format, rewrites, mood),
            Edit::Made { file, old, new } => {
                let says = self.bytes(file)?;
                let is = |text: &Option<String>| says.as_deref() == text.as_ref().map(String::as_bytes);
                if is(old) {
                    return self.put(file, new.clone().map(String::into_bytes));
                }
                if mood == Mood::Again && is(new) { Ok(()) } else { Err(EditError::Exists { file: file.clone() }) }
            }
            Edit::Enter(entering) => self.enter(entering, mood),
            Edit::Leave(entering) => self.leave(entering, mood),
            Edit::Follow(following) => self.follow(following, mood, open),
            Edit::Register { file, list, entry, path, id, made: None, listed: false, .. }
                if self.is_database(file)? =>
            {
                self.register_row(file, (list, entry), path.as_deref(), id.as_deref())
            }
            Edit::Unregister { file, list, entry, made: None, listed: false, .. } if self.is_database(file)? => {
                self.unregister_row(file, (list, entry))
            }
            Edit::Register { file, format, list, entry, path, made, listed, id, .. } => {
                let known = |document: &Document| is_known(document, file, (list, path.as_deref()), entry);
                if let Some((made, text)) = made {
                    match self.bytes(made)? {
                        None => self.put(made, Some(text.clone().into_bytes()))?,
                        Some(_) if *listed || mood == Mood::Again => {}
                        Some(bytes) if bytes == text.as_bytes() => {}
                        Some(_) if known(&self.document(file, *format)?)? => {}
                        Some(_) => return Err(EditError::Exists { file: made.clone() }),
                    }
                }
                if *listed {
                    return Ok(());
                }
                let document = self.document(file, *format)?;
                if !known(&document)? {
                    if let Some(id) = id
                        && is_taken(&document, file, (list, id), entry)?
                    {
                        return Err(changed(file, list));
                    }
                    let at = document.find_one(list).map_err(in_file(file))?;
                    let bytes = document.append(&at, None, entry).map_err(in_file(file))?;
                    self.put(file, Some(bytes))?;
                }
                Ok(())
            }
            Edit::Unregister { file, format, list, entry, made, listed, .. } => {
                if let Some((made, text)) = made {
                    let empty = match self.bytes(made)? {
                        None => true,
                        Some(bytes) => same_value(&bytes, text.as_bytes(), *format),
                    };
                    if !empty {
                        return Ok(());
                    }
                    self.put(made, None)?;
                }
                if *listed {
                    return Ok(());
                }
                let document = self.document(file, *format)?;
                if let Some(nth) = entry_like(&document, file, list, entry)? {
                    let at = document.find_one(list).map_err(in_file(file))?;
                    self.put(file, Some(document.remove(&at, nth).map_err(in_file(file))?))?;
                }
                Ok(())
            }
            Edit::Order { file, format, list, at, says, new, .. } => {
                let document = self.document(file, *format)?;
                let place = document.find_one(list).map_err(in_file(file))?;
                let entries = document.children(&place).unwrap_or_default();
                let is = |entry: &Place| document.below(entry, at).is_ok_and(|text| text.as_deref() == Some(says));
                let nth = entries.iter().position(is).ok_or_else(|| changed(file, list))?;
                let to = (*new).min(entries.len() - 1);
                self.put(file, Some(document.put_at(&place, nth, to).map_err(in_file(file))?))
            }
            Edit::Link { link, old, new } => {
                let wanted = |target: &Option<PathBuf>| target.clone().map_or(Content::Absent, Content::Link);
                let slot = self.slot(link, true)?;
                if slot.change.after == wanted(old) || (mood == Mood::Again && slot.change.after == wanted(new)) {
                    slot.change.after = wanted(new);
                    return Ok(());
                }
                Err(changed(link, "link"))
            }
        }
    }

    fn is_database(&mut self, file: &Path) -> Made<bool> {
        Ok(self.slot(file, false)?.tables.is_some())
    }

    /// Changes one cell of a database.
    fn replace_cell(&mut self, file: &Path, rewrite: &Rewrite, mood: Mood) -> Made<()> {
        let slot = self.slot(file, false)?;
        let Some(tables) = &mut slot.tables else {
            return Err(EditError::Read { file: file.into(), source: io::ErrorKind::NotFound.into() });
        };
        let found = find_in(tables, &rewrite.location).map_err(in_file(file))?;
        // A row whose key is its path, or has it for a part, has another key once that is written. What is no path may stand there as the
        // key of any other row.
        let is_path = rewrite.old.contains(['/', '\\']) && rewrite.new.contains(['/', '\\']);
        let renamed = |from: &str, to: &str| {
            let place = Place::read(&rewrite.location).filter(|_| is_path)?;
            under_key(place, from, to).filter(|place| place.of(tables).is_some())
        };
        let place = match found.as_slice() {
            [place] => place.clone(),
            [] => match (renamed(&rewrite.new, &rewrite.old), renamed(&rewrite.old, &rewrite.new), mood) {
                (Some(place), ..) => place,
                (None, Some(_), Mood::Again) => return Ok(()),
                _ => return Err(changed(file, &rewrite.location)),
            },
            _ => return Err(changed(file, &rewrite.location)),
        };
        let [Step::Name(table), Step::Name(key), Step::Name(column)] = place.0.as_slice() else {
            return Err(in_file(file)(DocumentError::WrongKind { place: place.to_string() }));
        };
        let value = place.of_mut(tables).ok_or_else(|| changed(file, &rewrite.location))?;
        let says = match &*value {
            Value::String(text) => text.clone(),
            Value::Number(number) => number.to_string(),
            _ => return Err(changed(file, &rewrite.location)),
        };
        let Some(new) = new_text(&says, rewrite, &rewrite.inside, None, mood, file)? else { return Ok(()) };
        if value.is_number() && new.parse::<f64>().is_err() {
            return Err(in_file(file)(DocumentError::CannotHold { place: place.to_string(), new }));
        }
        *value = if value.is_number() { serde_json::from_str(&new).unwrap_or(Value::Null) } else { new.clone().into() };
        let cell = |text: String| Cell { table: table.clone(), key: key.clone(), column: column.clone(), text };
        let (old, mut new) = (cell(says), cell(new));
        // A path may be the key of its row: then the row has another one afterwards.
        new.key = database::key_after(&slot.change.file, &old, &new.text)?;
        if let (Content::Cells(before), Content::Cells(after)) = (&mut slot.change.before, &mut slot.change.after) {
            let (table, old_key, new_key) = (old.table.clone(), old.key.clone(), new.key.clone());
            if let Some(nth) = before.iter().position(|other| other.same_place(&old)) {
                after[nth] = new;
            } else {
                before.push(old);
                after.push(new);
            }
            // Other cells of that row are found by its new key from then on.
            if old_key != new_key {
                let row =
                    before.iter().zip(after.iter_mut()).filter(|(old, _)| old.table == table && old.key == old_key);
                row.for_each(|(_, new)| new.key.clone_from(&new_key));
            } else if let Some(moved) = before
                .iter()
                .zip(after.iter())
                .find(|(old, new)| old.table == table && old.key == old_key && new.key != old_key)
            {
                let key = moved.1.key.clone();
                after
                    .iter_mut()
                    .zip(before.iter())
                    .filter(|(_, old)| old.table == table && old.key == old_key)
                    .for_each(|(new, _)| new.key.clone_from(&key));
            }
        }
        Ok(())
    }

    fn travel(&mut self, travel: &Travel<'_>, mood: Mood) -> Made<()> {
        let Travel { from, to, format, list, .. } = *travel;
        if mood == Mood::Again && self.bytes(from)?.is_none() {
            // The list it would leave was never made, or is gone already: it must be in the other one.
            let arrived = travel.find(&self.document(to, format)?, to)?;
            return arrived.map(drop).ok_or_else(|| changed(to, list));
        }
        let leaving = self.document(from, format)?;
        let here = travel.find(&leaving, from)?;
        let arriving = self.document(to, format)?;
        let there = travel.find(&arriving, to)?;
        let moved = |file: &Path| changed(file, &format!("{list} {}", travel.id));
        match (&here, &there, mood) {
            (Some(_), None, _) | (Some(_), Some(_), Mood::Again) => {}
            (None, Some(_), Mood::Again) => return Ok(()),
            (None, ..) => return Err(moved(from)),
            (Some(_), Some(_), Mood::Strict) => return Err(moved(to)),
        }
        let Some((nth, place)) = here else { return Ok(()) };
        if there.is_none() {
            let raw = leaving.raw(&place).unwrap_or_default();
            let mut entry = Document::parse(raw.as_bytes().to_vec(), format).map_err(in_file(from))?;
            for rewrite in travel.rewrites {
                if let Some(bytes) = rewritten(&entry, rewrite, mood, from)? {
                    entry = Document::parse(bytes, format).map_err(in_file(from))?;
                }
            }
            let key = travel.id_at.is_none().then_some(travel.id);
            let at = arriving.find_one(list).map_err(in_file(to))?;
            let bytes = arriving.append(&at, key, entry.text()).map_err(in_file(to))?;
            let bytes = travel.counted(bytes, 1, to)?;
            self.put(to, Some(bytes))?;
            self.write_first(to, from);
        }
        let list_place = leaving.find_one(list).map_err(in_file(from))?;
        let bytes = leaving.remove(&list_place, nth).map_err(in_file(from))?;
        let bytes = travel.counted(bytes, -1, from)?;
        self.put(from, Some(bytes))
    }

    /// Has one file be written before another: what a game has arrives before it leaves.
    fn write_first(&mut self, first: &Path, then: &Path) {
        let (first, then) = (self.place_of(first, false), self.place_of(then, false));
        let position = |file: &Path| self.slots.iter().position(|slot| slot.change.file == file);
        if let (Some(late), Some(early)) = (position(&first), position(&then))
            && early < late
        {
            let slot = self.slots.remove(late);
            self.slots.insert(early, slot);
        }
    }

    fn relocate(&mut self, (from, to): (&Path, &Path), format: Format, rewrites: &[Rewrite], mood: Mood) -> Made<()> {
        let there = self.bytes(to)?;
        let Some(here) = self.bytes(from)? else {
            let arrived = mood == Mood::Again && there.is_some();
            return if arrived { Ok(()) } else { Err(changed(from, "$")) };
        };
        let mut document = Document::parse(here, format).map_err(in_file(from))?;
        for rewrite in rewrites {
            if let Some(bytes) = rewritten(&document, rewrite, mood, from)? {
                document = Document::parse(bytes, format).map_err(in_file(from))?;
            }
        }
        let bytes = document.bytes();
        match there {
            None => self.put(to, Some(bytes))?,
            // A crash has left both.
            Some(there) if mood == Mood::Again && there == bytes => {}
            Some(_) => return Err(EditError::Exists { file: to.into() }),
        }
        self.write_first(to, from);
        self.put(from, None)
    }

    fn enter(&mut self, entering: &Entering, mood: Mood) -> Made<()> {
        let Entering { file, format, list, id_at, id, entry, totals } = entering;
        let key = id_at.is_none().then_some(id.as_str());
        let travel =
            Travel { from: file, to: file, format: *format, list, id_at: id_at.as_deref(), id, rewrites: &[], totals };
        let document = self.document(file, *format)?;
        match travel.find(&document, file)? {
            Some(_) if mood == Mood::Again => return Ok(()),
            Some(_) => return Err(changed(file, &format!("{list} {id}"))),
            None => {}
        }
        let at = document.find_one(list).map_err(in_file(file))?;
        let bytes = document.append(&at, key, entry).map_err(in_file(file))?;
        let bytes = travel.counted(bytes, 1, file)?;
        self.put(file, Some(bytes))
    }

    fn leave(&mut self, entering: &Entering, mood: Mood) -> Made<()> {
        let Entering { file, format, list, id_at, id, totals, .. } = entering;
        let travel =
            Travel { from: file, to: file, format: *format, list, id_at: id_at.as_deref(), id, rewrites: &[], totals };
        if mood == Mood::Again && self.bytes(file)?.is_none() {
            // The list is gone with all that was in it.
            return Ok(());
        }
        let document = self.document(file, *format)?;
        let Some((nth, _)) = travel.find(&document, file)? else {
            return if mood == Mood::Again { Ok(()) } else { Err(changed(file, &format!("{list} {id}"))) };
        };
        let at = document.find_one(list).map_err(in_file(file))?;
        let bytes = document.remove(&at, nth).map_err(in_file(file))?;
        let bytes = travel.counted(bytes, -1, file)?;
        self.put(file, Some(bytes))
    }

    /// The raw text of an entry of a list, in the bytes of its file.
    pub fn entry_in(bytes: &[u8], format: Format, list: &str, id_at: Option<&str>, id: &str) -> Option<String> {
        let file = Path::new("the list");
        let travel = Travel { from: file, to: file, format, list, id_at, id, rewrites: &[], totals: &[] };
        let document = Document::parse(bytes.to_vec(), format).ok()?;
        let (_, place) = travel.find(&document, file).ok()??;
        document.raw(&place).map(str::to_string)
    }
}

/// Whether a change of a list of libraries needs the game's other records to tell if it was made.
fn needs_others(edits: &[Edit]) -> bool {
    edits.iter().any(|edit| matches!(edit, Edit::Follow(following) if !following.is_told_by_file()))
}

/// A location with any entry of its lists instead of one: numbers are left out, and the key of a row in a database.
fn any_entry(location: &str, database: bool) -> String {
    let mut out = String::new();
    let mut rest = location;
    let mut nth = 0;
    while let Some(start) = rest.find('[') {
        let Some(length) = rest[start..].find(']') else { break };
        let step = &rest[start + 1..start + length];
        out.push_str(&rest[..start]);
        nth += 1;
        let number = !step.is_empty() && step.bytes().all(|byte| byte.is_ascii_digit());
        if number || (database && nth == 2) {
            out.push_str("[*]");
        } else {
            out.push_str(&rest[start..=start + length]);
        }
        rest = &rest[start + length + 1..];
    }
    out.push_str(rest);
    out
}

struct Travel<'a> {
    from: &'a Path,
    to: &'a Path,
    format: Format,
    list: &'a str,
    id_at: Option<&'a str>,
    id: &'a str,
    rewrites: &'a [Rewrite],
    totals: &'a [Total],
}

impl Travel<'_> {
    /// Finds the entry with this id: its number in the list and its place.
    fn find(&self, document: &Document, file: &Path) -> Made<Option<(usize, Place)>> {
        let at = document.find_one(self.list).map_err(in_file(file))?;
        let wrong = || in_file(file)(DocumentError::WrongKind { place: at.to_string() });
        for (n, place) in document.children(&at).ok_or_else(wrong)?.into_iter().enumerate() {
            let id = match (self.id_at, place.0.last()) {
                (None, Some(Step::Name(name))) => Some(name.clone()),
                (None, _) => None,
                (Some(selector), _) => document.below(&place, selector).map_err(in_file(file))?,
            };
            if id.as_deref() == Some(self.id) {
                return Ok(Some((n, place)));
            }
        }
        Ok(None)
    }

    /// Keeps the numbers true that count what is in the list.
    fn counted(&self, mut bytes: Vec<u8>, sign: i64, file: &Path) -> Made<Vec<u8>> {
        for total in self.totals {
            let document = Document::parse(bytes.clone(), self.format).map_err(in_file(file))?;
            let Some(place) = document.find(&total.location).map_err(in_file(file))?.into_iter().next() else {
                continue;
            };
            let says = document.leaf(&place, Side::Value).and_then(|text| text.parse::<i64>().ok());
            let Some(says) = says else { return Err(changed(file, &total.location)) };
            let new = (says + sign * total.amount).max(0).to_string();
            bytes = document.replace(&place, Side::Value, &new, None).map_err(in_file(file))?;
        }
        Ok(bytes)
    }
}

fn text_at(tables: &Value, place: &Place) -> Option<String> {
    place.of(tables)?.as_str().map(str::to_string)
}

/// The place of a cell whose row has `to` in its key where it had `from`; `None` of a key that is not made of it.
fn under_key(place: Place, from: &str, to: &str) -> Option<Place> {
    let [table, Step::Name(key), column] = <[Step; 3]>::try_from(place.0).ok()? else { return None };
    let key = match serde_json::from_str::<Vec<Value>>(&key) {
        // A key of several columns is a list of their texts.
        Ok(mut parts) => {
            *parts.iter_mut().find(|part| part.as_str() == Some(from))? = to.into();
            Value::Array(parts).to_string()
        }
        Err(_) => (key == from).then(|| to.to_string())?,
    };
    Some(Place(vec![table, Step::Name(key), column]))
}

/// The edits in their order, those that follow one another and change values of one text file together.
pub(crate) fn runs(edits: &[Edit]) -> Vec<&[Edit]> {
    let value = |edit: &Edit| match edit {
        Edit::Replace { file, format: Some(format), rewrite } => {
            (rewrite.side == Side::Value || !rewrite.inside.is_empty()).then(|| (file.clone(), *format))
        }
        _ => None,
    };
    let together = |one: &Edit, other: &Edit| value(one).is_some() && value(one) == value(other);
    edits.chunk_by(together).collect()
}

/// The entry of a list that says the same as this one.
fn entry_like(document: &Document, file: &Path, list: &str, entry: &str) -> Made<Option<usize>> {
    let at = document.find_one(list).map_err(in_file(file))?;
    let (_, wanted) = document.read_entry(&at, entry).map_err(in_file(file))?;
    let wanted = Some(wanted);
    let children = document.children(&at).unwrap_or_default();
    Ok(children.iter().position(|place| place.of(document.value()) == wanted.as_ref()))
}

/// Whether a list of libraries has an entry already that leads where a new one would, whatever else it says by now.
fn is_known(document: &Document, file: &Path, (list, path): (&str, Option<&str>), entry: &str) -> Made<bool> {
    let Some(path) = path else { return Ok(entry_like(document, file, list, entry)?.is_some()) };
    let at = document.find_one(list).map_err(in_file(file))?;
    let (_, new) = document.read_entry(&at, entry).map_err(in_file(file))?;
    let place = find_in(&new, path).map_err(in_file(file))?.into_iter().next();
    let says = place.and_then(|place| place.of(&new)?.as_str().map(str::to_string));
    let leads = |entry: &Place| document.below(entry, path).is_ok_and(|text| text.is_some() && text == says);
    Ok(document.children(&at).unwrap_or_default().iter().any(leads))
}

/// The text of a text or a number.
pub(super) fn text_of(value: &Value) -> String {
    value.as_str().map_or_else(|| value.to_string(), str::to_string)
}

/// Whether a record file that holds this lists the library still that an edit takes off its list.
pub(crate) fn still_lists(edit: &Edit, content: &Content) -> bool {
    let Edit::Unregister { file, format, list, entry, path, .. } = edit else { return false };
    match content {
        Content::Bytes(bytes) => Document::parse(bytes.clone(), *format)
            .is_ok_and(|document| is_known(&document, file, (list, path.as_deref()), entry).unwrap_or(true)),
        // Of a database only what changes is known: its row goes, or it stays.
        Content::Cells(cells) => !cells.iter().any(|cell| cell.column.is_empty() && cell.text.is_empty()),
        _ => false,
    }
}

/// Whether another entry has the number already that a new one would have.
fn is_taken(document: &Document, file: &Path, (list, id): (&str, &str), entry: &str) -> Made<bool> {
    let at = document.find_one(list).map_err(in_file(file))?;
    let (_, new) = document.read_entry(&at, entry).map_err(in_file(file))?;
    let place = find_in(&new, id).map_err(in_file(file))?.into_iter().next();
    let says = place.and_then(|place| place.of(&new).map(text_of));
    let has = |entry: &Place| document.below(entry, id).is_ok_and(|text| text.is_some() && text == says);
    Ok(document.children(&at).unwrap_or_default().iter().any(has))
}

fn same_value(one: &[u8], other: &[u8], format: Format) -> bool {
    let read = |bytes: &[u8]| Document::parse(bytes.to_vec(), format).map(|document| document.value().clone());
    match (read(one), read(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => one == other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Within;

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
                Edit::Register {
                    format: Format::Json,
                    file: self.path("places.json"),
                    list: "$.places".into(),
                    entry: "{\"folder\": \"/b\"}".into(),
                    path: None,
                    made: Some((self.path("b.json"), EMPTY.into())),
                    listed: false,
                    library: None,
                    id: None,
                },
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
        assert!(
            after[0].as_ref().unwrap().contains("\"total\": 7") && after[1].as_ref().unwrap().contains("\"total\": 5")
        );
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
            (
                Format::Json,
                "{\"a\": \"/o/fen\", \"b\": [\"/o/\\u0066en\", \"x\"], \"c\": {\"d\": \"/o/fen /o/fen\"}}\n",
            ),
            (Format::Yaml, "a: /o/fen\nb: &x /o/fen # why\nc: \"/o/f\\x65n\"\nd: '/o/fen'\ne: |\n  /o/fen\nf: *x\n"),
            (Format::Toml, "a = \"/o/fen\"\nb = '/o/fen'\n[c]\nd = [\"/o/fen\", 7]\n"),
            (Format::Ini, "[a]\nb=/o/fen\nc=\"/o/fen\"\n[d]\nb=/o/fen\n"),
            (Format::Xml, "<a b=\"/o/fen\"><c>/o/fen</c><c>/o/f&#101;n</c><d><![CDATA[/o/fen]]></d></a>\n"),
            (
                Format::Hive,
                "REGEDIT4\n\n[A]\n\"b\"=\"/o/fen\"\n@=\"/o/fen\"\n[B]\n\"b\"=str(7):\"/o/fen\\0/o/fen\\0\"\n",
            ),
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
}
