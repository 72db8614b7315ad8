//! Entries that come into files, leave them, or travel from one to another.

use super::super::document::Document;
use super::super::edit::{EditError, Entering, Mood, Rewrite, Total, changed, in_file};
use super::super::fault::DocumentError;
use super::super::place::{Place, Side, Step};
use super::super::rewriting::rewritten;
use super::super::selectors::find_in;
use super::{Files, Made, text_of};
use crate::record::formats::Format;
use std::path::Path;

impl Files {
    pub(super) fn travel(&mut self, travel: &Travel<'_>, mood: Mood) -> Made<()> {
        let Travel { from, to, format, list, .. } = *travel;
        if mood == Mood::Again && self.bytes(from)?.is_none() {
            // The list it would leave was never made, or is gone already: it must be in the other one.
            let arrived = travel.find(&self.document(to, format)?, to)?;
            return arrived.map(drop).ok_or_else(|| changed(to, list));
        }
        let leaving = self.document(from, format)?;
        let here = travel.find(&leaving, from)?;
        let arriving = self.document_like(to, format, from)?;
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

    pub(super) fn relocate(
        &mut self,
        (from, to): (&Path, &Path),
        format: Format,
        rewrites: &[Rewrite],
        mood: Mood,
    ) -> Made<()> {
        let there = self.bytes(to)?;
        let Some(here) = self.bytes(from)? else {
            let arrived = mood == Mood::Again && there.is_some();
            return if arrived { Ok(()) } else { Err(changed(from, "$")) };
        };
        let mut document = self.document_of(here, format, &[from, to])?;
        for rewrite in rewrites {
            if let Some(bytes) = rewritten(&document, rewrite, mood, from)? {
                document = self.document_of(bytes, format, &[from, to])?;
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

    pub(super) fn enter(&mut self, entering: &Entering, mood: Mood) -> Made<()> {
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

    pub(super) fn leave(&mut self, entering: &Entering, mood: Mood) -> Made<()> {
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
}

pub(super) struct Travel<'a> {
    pub(super) from: &'a Path,
    pub(super) to: &'a Path,
    pub(super) format: Format,
    pub(super) list: &'a str,
    pub(super) id_at: Option<&'a str>,
    pub(super) id: &'a str,
    pub(super) rewrites: &'a [Rewrite],
    pub(super) totals: &'a [Total],
}

impl Travel<'_> {
    /// Finds the entry with this id: its number in the list and its place.
    pub(super) fn find(&self, document: &Document, file: &Path) -> Made<Option<(usize, Place)>> {
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

/// The entry of a list that says the same as this one.
pub(super) fn entry_like(document: &Document, file: &Path, list: &str, entry: &str) -> Made<Option<usize>> {
    let at = document.find_one(list).map_err(in_file(file))?;
    let (_, wanted) = document.read_entry(&at, entry).map_err(in_file(file))?;
    let wanted = Some(wanted);
    let children = document.children(&at).unwrap_or_default();
    Ok(children.iter().position(|place| place.of(document.value()) == wanted.as_ref()))
}

/// Whether a list of libraries has an entry already that leads where a new one would, whatever else it says by now.
pub(super) fn is_known(
    document: &Document,
    file: &Path,
    (list, path): (&str, Option<&str>),
    entry: &str,
) -> Made<bool> {
    let Some(path) = path else { return Ok(entry_like(document, file, list, entry)?.is_some()) };
    let at = document.find_one(list).map_err(in_file(file))?;
    let (_, new) = document.read_entry(&at, entry).map_err(in_file(file))?;
    let place = find_in(&new, path).map_err(in_file(file))?.into_iter().next();
    let says = place.and_then(|place| place.of(&new)?.as_str().map(str::to_string));
    let leads = |entry: &Place| document.below(entry, path).is_ok_and(|text| text.is_some() && text == says);
    Ok(document.children(&at).unwrap_or_default().iter().any(leads))
}

/// Whether another entry has the number already that a new one would have.
pub(super) fn is_taken(document: &Document, file: &Path, (list, id): (&str, &str), entry: &str) -> Made<bool> {
    let at = document.find_one(list).map_err(in_file(file))?;
    let (_, new) = document.read_entry(&at, entry).map_err(in_file(file))?;
    let place = find_in(&new, id).map_err(in_file(file))?.into_iter().next();
    let says = place.and_then(|place| place.of(&new).map(text_of));
    let has = |entry: &Place| document.below(entry, id).is_ok_and(|text| text.is_some() && text == says);
    Ok(document.children(&at).unwrap_or_default().iter().any(has))
}
