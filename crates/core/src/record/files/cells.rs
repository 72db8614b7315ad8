//! Cells of databases that are rewritten.

use super::super::cell::Cell;
use super::super::content::Content;
use super::super::database;
use super::super::edit::{EditError, Mood, Rewrite, changed, in_file};
use super::super::fault::DocumentError;
use super::super::place::{Place, Step};
use super::super::rewriting::new_text;
use super::super::selectors::find_in;
use super::{Files, Made};
use serde_json::Value;
use std::io;
use std::path::Path;

impl Files {
    pub(super) fn is_database(&mut self, file: &Path) -> Made<bool> {
        Ok(self.slot(file, false)?.tables.is_some())
    }

    /// Changes one cell of a database.
    pub(super) fn replace_cell(&mut self, file: &Path, rewrite: &Rewrite, mood: Mood) -> Made<()> {
        let slot = self.slot(file, false)?;
        let Some(tables) = &mut slot.tables else {
            return Err(EditError::Read { file: file.into(), source: io::ErrorKind::NotFound.into() });
        };
        let Some(place) = cell_place(tables, rewrite, mood, file)? else { return Ok(()) };
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
            note_cell((before, after), old, new);
        }
        Ok(())
    }
}

/// Where the cell of a change is; `None` where it was changed already.
fn cell_place(tables: &Value, rewrite: &Rewrite, mood: Mood, file: &Path) -> Made<Option<Place>> {
    let found = find_in(tables, &rewrite.location).map_err(in_file(file))?;
    // A row whose key is its path, or has it for a part, has another key once that is written. What is no path may stand there as the
    // key of any other row.
    let is_path = rewrite.old.contains(['/', '\\']) && rewrite.new.contains(['/', '\\']);
    let renamed = |from: &str, to: &str| {
        let place = Place::read(&rewrite.location).filter(|_| is_path)?;
        under_key(place, from, to).filter(|place| place.of(tables).is_some())
    };
    match found.as_slice() {
        [place] => Ok(Some(place.clone())),
        [] => match (renamed(&rewrite.new, &rewrite.old), renamed(&rewrite.old, &rewrite.new), mood) {
            (Some(place), ..) => Ok(Some(place)),
            (None, Some(_), Mood::Again) => Ok(None),
            _ => Err(changed(file, &rewrite.location)),
        },
        _ => Err(changed(file, &rewrite.location)),
    }
}

/// Writes down what a cell said before and says now, among those of its database.
fn note_cell((before, after): (&mut Vec<Cell>, &mut Vec<Cell>), old: Cell, new: Cell) {
    let (table, old_key, new_key) = (old.table.clone(), old.key.clone(), new.key.clone());
    let known = before.iter().position(|other| other.same_place(&old));
    if let Some(known) = known.and_then(|nth| after.get_mut(nth)) {
        *known = new;
    } else {
        before.push(old);
        after.push(new);
    }
    let of_row = |cell: &Cell| cell.table == table && cell.key == old_key;
    // Other cells of that row are found by its new key from then on.
    let key = if old_key == new_key {
        let moved = before.iter().zip(after.iter()).find(|(old, new)| of_row(old) && new.key != old_key);
        moved.map(|(_, new)| new.key.clone())
    } else {
        Some(new_key)
    };
    if let Some(key) = key {
        let row = before.iter().zip(after.iter_mut()).filter(|(old, _)| of_row(old));
        row.for_each(|(_, new)| new.key.clone_from(&key));
    }
}

pub(super) fn text_at(tables: &Value, place: &Place) -> Option<String> {
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
