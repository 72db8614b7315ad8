//! Edits made one after another in what files hold, as far as they can be.

use super::super::content::Content;
use super::super::document::{Document, NewValue};
use super::super::edit::{Edit, EditError, Following, Hop, Mood, Rewrite, changed, in_file};
use super::super::place::{Place, Side};
use super::super::rewriting::{new_text, rewritten};
use super::super::selectors::find_in;
use super::cells::text_at;
use super::entries::{Travel, entry_like, is_known, is_taken};
use super::{Files, Made, Slot};
use crate::record::Registering;
use crate::record::formats::Format;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

impl Files {
    /// Makes all edits in memory, one after another.
    ///
    /// # Errors
    /// [`EditError`] of the first edit that can't be made; nothing is changed then.
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
        let of_libraries = |edit: &&Edit| !matches!(edit, Edit::Follow(_) | Edit::Register(_) | Edit::Unregister(_));
        let rest: Vec<Edit> = edits.iter().filter(of_libraries).cloned().collect();
        let mut files = self.scratch();
        files.make(&rest, Mood::Again).is_err() || files.differs_from(self)
    }

    /// The same files, to be changed by way of trial.
    fn scratch(&self) -> Self {
        Self { slots: self.slots.clone(), carried: self.carried.clone(), known: Vec::new(), pages: self.pages.clone() }
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
            let before = nth.and_then(|nth| values.get(nth)).map(|value: &NewValue| value.new.clone());
            let Some(says) = before.or_else(|| document.leaf(&place, Side::Value)) else { return false };
            let new = match new_text(&says, rewrite, &rewrite.inside, Some(*format), mood, file) {
                Ok(Some(new)) => new,
                Ok(None) => continue,
                Err(_) => return false,
            };
            let written = rewrite.written[1].clone().filter(|_| rewrite.inside.is_empty());
            let value = NewValue { place: place.clone(), new, written };
            if let Some(before) = nth.and_then(|nth| values.get_mut(nth)) {
                *before = value;
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
            Edit::Made { file, old, new } => self.make_small(file, (old.as_deref(), new.as_deref()), mood),
            Edit::Enter(entering) => self.enter(entering, mood),
            Edit::Leave(entering) => self.leave(entering, mood),
            Edit::Follow(following) => self.follow(following, mood, open),
            Edit::Register(Registering { file, list, entry, path, id, made: None, listed: false, .. })
                if self.is_database(file)? =>
            {
                self.register_row(file, (list, entry), path.as_deref(), id.as_deref())
            }
            Edit::Unregister(Registering { file, list, entry, made: None, listed: false, .. })
                if self.is_database(file)? =>
            {
                self.unregister_row(file, (list, entry))
            }
            Edit::Register(_) => self.register(edit, mood),
            Edit::Unregister(_) => self.unregister(edit),
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

    /// Makes a small file come to be, or go.
    fn make_small(&mut self, file: &Path, (old, new): (Option<&str>, Option<&str>), mood: Mood) -> Made<()> {
        let says = self.bytes(file)?;
        let is = |text: Option<&str>| says.as_deref() == text.map(str::as_bytes);
        if is(old) {
            return self.put(file, new.map(|new| new.as_bytes().to_vec()));
        }
        if mood == Mood::Again && is(new) { Ok(()) } else { Err(EditError::Exists { file: file.into() }) }
    }

    /// Makes a library known to its launcher.
    fn register(&mut self, edit: &Edit, mood: Mood) -> Made<()> {
        let Edit::Register(Registering { file, format, list, entry, path, made, listed, id, .. }) = edit else {
            return Ok(());
        };
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

    /// Has a launcher forget a library again, if nothing lives in it.
    fn unregister(&mut self, edit: &Edit) -> Made<()> {
        let Edit::Unregister(Registering { file, format, list, entry, made, listed, .. }) = edit else { return Ok(()) };
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

/// Whether a record file that holds this lists the library still that an edit takes off its list.
pub(crate) fn still_lists(edit: &Edit, content: &Content) -> bool {
    let Edit::Unregister(Registering { file, format, list, entry, path, .. }) = edit else { return false };
    match content {
        Content::Bytes(bytes) => Document::parse(bytes.clone(), *format)
            .is_ok_and(|document| is_known(&document, file, (list, path.as_deref()), entry).unwrap_or(true)),
        // Of a database only what changes is known: its row goes, or it stays.
        Content::Cells(cells) => !cells.iter().any(|cell| cell.column.is_empty() && cell.text.is_empty()),
        _ => false,
    }
}

fn same_value(one: &[u8], other: &[u8], format: Format) -> bool {
    let read = |bytes: &[u8]| Document::parse(bytes.to_vec(), format).map(|document| document.value().clone());
    match (read(one), read(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => one == other,
    }
}
