//! Rows of a database that are entries of a launcher's list of libraries: they come, go, and count games.
//!
//! Law: a row comes with all its columns, and goes only if it says what it said when it came.

use std::path::Path;

use serde_json::{Map, Value};

use super::cell::Cell;
use super::content::Content;
use super::database;
use super::edit::{Following, LibrarySays, changed, in_file};
use super::fault::DocumentError;
use super::files::{Files, Made, Slot, text_of};
use super::place::{Place, Step};
use super::selectors::find_in;

impl Files {
    /// Changes the numbers that the rows of two libraries say of their games.
    pub(super) fn follow_rows(&mut self, following: &Following) -> Made<()> {
        let (file, list) = (&following.file, &following.list);
        let slot = self.slot(file, false)?;
        let place = Place::read(list).unwrap_or_default();
        let [Step::Name(table)] = place.0.as_slice() else {
            return Err(in_file(file)(DocumentError::WrongKind { place: list.clone() }));
        };
        for (says, by) in [(&following.to, 1), (&following.from, -1)] {
            let rows = rows_of(slot, file, list, table)?;
            let leads = |row: &Value| {
                let found = find_in(row, &following.path).ok().and_then(|found| found.into_iter().next());
                found.and_then(|place| place.of(row).map(text_of)).as_ref() == Some(says)
            };
            let key = rows.iter().find(|(_, row)| leads(row)).map(|(key, _)| key.clone());
            let key = key.ok_or_else(|| changed(file, &format!("{list} {says}")))?;
            for part in &following.parts {
                let amount = match part.says {
                    LibrarySays::Count => by,
                    LibrarySays::Bytes => by * following.bytes,
                    LibrarySays::Games | LibrarySays::Entries => {
                        let place = format!("{list} {}", part.selector);
                        return Err(in_file(file)(DocumentError::WrongKind { place }));
                    }
                };
                let column = Place::read(&part.selector).and_then(|place| match place.0.as_slice() {
                    [Step::Name(column)] => Some(column.clone()),
                    _ => None,
                });
                let wrong = || changed(file, &format!("{list}['{key}'] {}", part.selector));
                let column = column.ok_or_else(wrong)?;
                let rows = rows_of(slot, file, list, table)?;
                let value = rows.get_mut(&key).and_then(|row| row.get_mut(&column)).ok_or_else(wrong)?;
                let old = text_of(value);
                let new = (old.parse::<i64>().map_err(|_| wrong())? + amount).max(0);
                *value = if value.is_number() { new.into() } else { new.to_string().into() };
                let row = rows.get(&key).and_then(Value::as_object).cloned();
                if comes(slot, table, &key) {
                    // What a row says that is not there yet is all in it.
                    note(slot, database::row_cell(table, &key, None), database::row_cell(table, &key, row.as_ref()));
                } else {
                    let cell = |text| Cell { table: table.clone(), key: key.clone(), column: column.clone(), text };
                    note(slot, cell(old), cell(new.to_string()));
                }
            }
        }
        Ok(())
    }

    /// Puts the row of a new library into a table, unless one leads there already.
    pub(super) fn register_row(
        &mut self,
        file: &Path,
        (list, entry): (&str, &str),
        path: Option<&str>,
        id: Option<&str>,
    ) -> Made<()> {
        let slot = self.slot(file, false)?;
        let (table, row, key) = row_of(&slot.change.file, list, entry)?;
        let rows = rows_of(slot, file, list, &table)?;
        let says = |row: &Map<String, Value>, selector: Option<&str>| {
            let row = Value::Object(row.clone());
            let place = find_in(&row, selector?).ok()?.into_iter().next()?;
            place.of(&row).map(text_of)
        };
        let has = |selector: Option<&str>| {
            let new = says(&row, selector);
            new.is_some() && rows.values().any(|other| other.as_object().and_then(|other| says(other, selector)) == new)
        };
        if has(path) {
            return Ok(());
        }
        let next = || rows.keys().filter_map(|key| key.parse::<i64>().ok()).max().map_or(1, |last| last + 1);
        let key = key.unwrap_or_else(|| next().to_string());
        if has(id) || rows.contains_key(&key) {
            return Err(changed(file, list));
        }
        rows.insert(key.clone(), Value::Object(row.clone()));
        let (none, some) = (database::row_cell(&table, &key, None), database::row_cell(&table, &key, Some(&row)));
        note(slot, none, some);
        Ok(())
    }

    /// Takes the row of a library out of a table, if it says what it said.
    pub(super) fn unregister_row(&mut self, file: &Path, (list, entry): (&str, &str)) -> Made<()> {
        let slot = self.slot(file, false)?;
        let (table, row, key) = row_of(&slot.change.file, list, entry)?;
        let rows = rows_of(slot, file, list, &table)?;
        let is = |(known, other): &(&String, &Value)| {
            key.as_ref().is_none_or(|key| key == *known) && other.as_object() == Some(&row)
        };
        let Some(key) = rows.iter().find(is).map(|(key, _)| key.clone()) else { return Ok(()) };
        rows.remove(&key);
        // What was changed in it just now is part of what it said.
        let mut row = row;
        if let (Content::Cells(before), Content::Cells(after)) = (&mut slot.change.before, &mut slot.change.after) {
            let of_row = |cell: &Cell| cell.table == table && cell.key == key && !cell.column.is_empty();
            for cell in before.iter().filter(|cell| of_row(cell)) {
                if let Some(value) = row.get_mut(&cell.column) {
                    let number = cell.text.parse::<i64>().ok().filter(|_| value.is_number());
                    *value = number.map_or_else(|| cell.text.clone().into(), Value::from);
                }
            }
            let kept: Vec<(Cell, Cell)> =
                before.drain(..).zip(after.drain(..)).filter(|(cell, _)| !of_row(cell)).collect();
            (*before, *after) = kept.into_iter().unzip();
        }
        let (none, some) = (database::row_cell(&table, &key, None), database::row_cell(&table, &key, Some(&row)));
        note(slot, some, none);
        Ok(())
    }
}

/// The table of a list, an entry as a row with all its columns, and its key where its columns say that.
fn row_of(file: &Path, list: &str, entry: &str) -> Made<(String, Map<String, Value>, Option<String>)> {
    let wrong = || in_file(file)(DocumentError::WrongKind { place: list.into() });
    let place = Place::read(list).unwrap_or_default();
    let [Step::Name(table)] = place.0.as_slice() else { return Err(wrong()) };
    let Ok(Value::Object(mut given)) = serde_json::from_str(entry) else { return Err(wrong()) };
    let (names, keys) = database::columns_of(file, table)?;
    let mut row = Map::new();
    for name in &names {
        row.insert(name.clone(), given.remove(name).unwrap_or(Value::Null));
    }
    if !given.is_empty() {
        return Err(wrong());
    }
    let of_key = |name: &String| row.get(name).map(text_of);
    let key = match keys.as_slice() {
        [] => None,
        [one] => of_key(one),
        several => Some(Value::from(several.iter().filter_map(of_key).collect::<Vec<_>>()).to_string()),
    };
    Ok((table.clone(), row, key))
}

fn rows_of<'a>(slot: &'a mut Slot, file: &Path, list: &str, table: &str) -> Made<&'a mut Map<String, Value>> {
    let rows = slot.tables.as_mut().and_then(|tables| tables.get_mut(table)?.as_object_mut());
    rows.ok_or_else(|| changed(file, list))
}

/// Notes that a row or a cell says something else from now on.
fn note(slot: &mut Slot, old: Cell, new: Cell) {
    if let (Content::Cells(before), Content::Cells(after)) = (&mut slot.change.before, &mut slot.change.after) {
        let known = before.iter().position(|other| other.same_place(&old));
        if let Some(known) = known.and_then(|nth| after.get_mut(nth)) {
            *known = new;
        } else {
            before.push(old);
            after.push(new);
        }
    }
}

/// Whether a row comes with this change.
fn comes(slot: &Slot, table: &str, key: &str) -> bool {
    let is_it = |cell: &Cell| cell.table == table && cell.key == key && cell.column.is_empty() && cell.text.is_empty();
    matches!(&slot.change.before, Content::Cells(before) if before.iter().any(is_it))
}
