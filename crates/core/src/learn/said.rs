//! What the files of a launcher said and say, and whether the difference is more than times.
//!
//! Law: where something stands in a list does not count; a number that moved by one, by the game's files or by its bytes is a count, and
//! any text but a time is something to be known. Start at [`Noted`].

use std::collections::BTreeMap;
use std::path::Path;

use serde_json::Value;

use super::learned::Doubt;
use crate::bytes::Bytes;
use crate::launcher::FoundGame;
use crate::platform::{self, Look};
use crate::record::{Cell, Content, Document, Format, Shape, Source};
use crate::survey::FolderListing;
use crate::trace::shapes;

/// What a file said when it was noted.
pub(super) enum Noted {
    /// A file of text, or of a format of bytes.
    Bytes(Vec<u8>),
    /// The cells of a database.
    Cells(Value),
}

impl Noted {
    /// Reads what a file says now; `None` if it cannot be read.
    pub fn now(file: &Path) -> Option<Self> {
        if shapes(file).first() == Some(&Shape::Sqlite) {
            return Self::cells(file).map(Self::Cells);
        }
        platform::read(file).ok().map(Self::Bytes)
    }

    fn cells(file: &Path) -> Option<Value> {
        match Source::read(file, Shape::Sqlite).ok()? {
            Source::Tables(tables) => Some(tables.cells().clone()),
            _ => None,
        }
    }

    /// What it would say after a change, made to what is there now.
    pub fn after(file: &Path, before: &Content, after: &Content) -> Option<Self> {
        match (before, after) {
            (_, Content::Bytes(bytes)) => Some(Self::Bytes(bytes.clone())),
            (Content::Cells(old), Content::Cells(new)) => {
                let mut cells = Self::cells(file)?;
                old.iter().zip(new).try_for_each(|(old, new)| put(&mut cells, old, new))?;
                Some(Self::Cells(cells))
            }
            _ => None,
        }
    }

    /// Its texts and numbers; `None` of a file that no format reads, or that is no more than lines.
    pub fn says(&self, file: &Path) -> Option<Says> {
        match self {
            Self::Bytes(bytes) => said(file, bytes),
            Self::Cells(cells) => {
                let mut all = Vec::new();
                // Rows are told by their keys in one table and by numbers in another: neither is a name.
                for (table, rows) in cells.as_object()? {
                    rows.as_object().into_iter().flatten().for_each(|(_, row)| add_said(row, table, &mut all));
                }
                Some(all)
            }
        }
    }
}

/// Has a cell say something else, under another key if its row has one then.
fn put(cells: &mut Value, old: &Cell, new: &Cell) -> Option<()> {
    let rows = cells.get_mut(&old.table)?.as_object_mut()?;
    if old.key != new.key
        && let Some(row) = rows.remove(&old.key)
    {
        rows.insert(new.key.clone(), row);
    }
    *rows.get_mut(&new.key)?.get_mut(&new.column)? = new.text.clone().into();
    Some(())
}

/// Numbers by which what a launcher counts changes when this game goes.
pub(super) struct Sums(Vec<u64>);

impl Sums {
    pub fn of(game: &FoundGame) -> Self {
        let files: Vec<u64> = FolderListing::lazily(&game.install)
            .filter_map(|file| file.look_own_meta().ok().map(|meta| meta.size))
            .collect();
        let claim = game.claim.map(Bytes::count);
        Self([1, files.len() as u64, files.iter().sum()].into_iter().chain(claim).collect())
    }

    /// Looks whether what a file says differs by more than times.
    pub fn compare(&self, file: &Path, game: &FoundGame, was: &Says, is: &Says) -> Result<(), Doubt> {
        let (gone, came) = (without(was, is), without(is, was));
        let number = |(_, text): &(String, String)| text.parse::<u64>().ok();
        let numbers: Vec<u64> = came.iter().filter_map(number).collect();
        let counts = |n: u64| numbers.iter().any(|other| self.0.contains(&n.abs_diff(*other)));
        if gone.iter().filter_map(number).any(counts) {
            return Err(Doubt::Counters(file.into()));
        }
        let tells =
            |(_, text): &&(String, String)| !text.is_empty() && text.parse::<f64>().is_err() && !is_a_time(text);
        match gone.iter().chain(&came).find(tells) {
            Some((_, text)) => {
                let says: String = text.chars().take(80).collect();
                Err(Doubt::AlsoChanged { title: game.title.clone(), file: file.into(), says })
            }
            None => Ok(()),
        }
    }
}

/// What the first says and the second does not, each as often as it is more often there.
fn without(first: &Says, second: &Says) -> Says {
    let mut there: BTreeMap<&(String, String), usize> = BTreeMap::new();
    for text in second {
        *there.entry(text).or_default() += 1;
    }
    let more = first.iter().filter(|text| match there.get_mut(text) {
        Some(left) if *left > 0 => {
            *left -= 1;
            false
        }
        _ => true,
    });
    more.cloned().collect()
}

/// Whether a text is a date or a time of day: mostly digits and the signs between them.
fn is_a_time(text: &str) -> bool {
    let digits = text.bytes().filter(u8::is_ascii_digit).count();
    let plain = || text.bytes().all(|byte| byte.is_ascii_digit() || b"-:./ TZ+".contains(&byte));
    digits > 3 && (text.parse::<jiff::Timestamp>().is_ok() || plain())
}

/// What a file says: each text and number with the names on the way there. Where it stands in a list does not count.
pub(super) type Says = Vec<(String, String)>;

fn said(file: &Path, bytes: &[u8]) -> Option<Says> {
    let formats = shapes(file).into_iter().filter_map(Shape::format);
    let mut read = formats.filter(|format| *format != Format::Lines);
    let document = read.find_map(|format| Document::parse(bytes.to_vec(), format).ok())?;
    let mut all = Vec::new();
    add_said(document.value(), "", &mut all);
    Some(all)
}

fn add_said(value: &Value, way: &str, all: &mut Says) {
    match value {
        Value::String(text) => all.push((way.into(), text.clone())),
        Value::Number(number) => all.push((way.into(), number.to_string())),
        Value::Array(elements) => elements.iter().for_each(|element| add_said(element, way, all)),
        Value::Object(members) => members.iter().for_each(|(name, value)| {
            // A path that is a name is told as a text.
            let is_path = name.contains(['/', '\\']);
            if is_path {
                all.push((way.into(), name.clone()));
            }
            add_said(value, &format!("{way}.{}", if is_path { "" } else { name }), all);
        }),
        Value::Null | Value::Bool(_) => {}
    }
}
