//! A record file as it is read, whatever it is: a document, a database, or a link.

use std::fmt;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::database;
use super::document::{Document, DocumentError, find_in};
use super::edit::{EditError, Hop};
use super::place::{Place, Side, Step};
use crate::platform::{self, Look};
use crate::record::formats::Format;

/// What a record file is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub enum Shape {
    /// A text file.
    Text(Format),
    /// A SQLite database: `$.table.key.column`.
    Sqlite,
    /// A symbolic link, whose target is the record.
    Link,
}

impl TryFrom<String> for Shape {
    type Error = String;

    fn try_from(name: String) -> Result<Self, String> {
        match name.as_str() {
            "sqlite" => Ok(Self::Sqlite),
            "link" => Ok(Self::Link),
            other => {
                let format = serde_json::from_value(Value::from(other)).map(Self::Text);
                format.map_err(|_| {
                    let all: Vec<String> = Format::ALL.iter().map(|f| Self::Text(*f).to_string()).collect();
                    format!("{other:?} is no format; there are {}, sqlite and link", all.join(", "))
                })
            }
        }
    }
}

impl From<Shape> for String {
    fn from(shape: Shape) -> Self {
        shape.to_string()
    }
}

impl fmt::Display for Shape {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Sqlite => f.write_str("sqlite"),
            Self::Link => f.write_str("link"),
            Self::Text(format) => match serde_json::to_value(format) {
                Ok(Value::String(name)) => f.write_str(&name),
                _ => Err(fmt::Error),
            },
        }
    }
}

impl Shape {
    /// What a file of this name is, if nothing else is said.
    pub fn of_name(file: &Path) -> Self {
        match file.extension().and_then(|end| end.to_str()) {
            Some("db" | "sqlite" | "sqlite3" | "db3") => Self::Sqlite,
            _ => Self::Text(Format::of_name(file)),
        }
    }

    /// The format of a text file.
    pub fn format(self) -> Option<Format> {
        match self {
            Self::Text(format) => Some(format),
            Self::Sqlite | Self::Link => None,
        }
    }
}

/// A record file that was read.
#[derive(Debug)]
pub enum Source {
    /// A text file.
    Text(Box<Document>),
    /// What a database says.
    Tables(Tables),
    /// Where a link leads.
    Link(PathBuf),
}

/// What a database says: its tables by their names, their rows by their keys, their columns by their names.
#[derive(Debug)]
pub struct Tables {
    cells: Value,
    /// The same with the values of the JSON documents that stand in cells, where there are any.
    opened: Option<Value>,
}

/// Bytes of the largest cell that is looked into.
const LARGEST_CELL: usize = 1 << 20;

impl Tables {
    fn of(cells: Value) -> Self {
        let mut documents: Vec<(Place, Value)> = Vec::new();
        for (table, rows) in cells.as_object().into_iter().flatten() {
            for (key, row) in rows.as_object().into_iter().flatten() {
                for (column, cell) in row.as_object().into_iter().flatten() {
                    let document = cell.as_str().and_then(document_in);
                    let at = || Place([table, key, column].map(|name| Step::Name(name.clone())).to_vec());
                    documents.extend(document.map(|document| (at(), document)));
                }
            }
        }
        // Most have none: then nothing is copied.
        let opened = (!documents.is_empty()).then(|| {
            let mut opened = cells.clone();
            for (place, document) in documents {
                if let Some(cell) = place.of_mut(&mut opened) {
                    *cell = document;
                }
            }
            opened
        });
        Self { cells, opened }
    }

    /// Its cells as they are, by table, key and column.
    pub fn cells(&self) -> &Value {
        &self.cells
    }

    fn opened(&self) -> &Value {
        self.opened.as_ref().unwrap_or(&self.cells)
    }

    /// The texts within the documents of its cells.
    pub fn leaves_within(&self) -> Vec<(Place, String)> {
        let mut all = Vec::new();
        if let Some(opened) = &self.opened {
            add_texts(opened, &mut Vec::new(), &mut all);
        }
        all
    }
}

/// The steps to a cell: its table, the key of its row, its column.
const TO_CELL: usize = 3;

fn add_texts(value: &Value, at: &mut Vec<Step>, all: &mut Vec<(Place, String)>) {
    let mut each = |step: Step, value: &Value| {
        at.push(step);
        add_texts(value, at, all);
        at.pop();
    };
    match value {
        Value::Object(members) => members.iter().for_each(|(name, value)| each(Step::Name(name.clone()), value)),
        Value::Array(elements) => elements.iter().enumerate().for_each(|(n, value)| each(Step::Index(n), value)),
        Value::String(text) if at.len() > TO_CELL => all.push((Place(at.clone()), text.clone())),
        _ => {}
    }
}

/// The value of a JSON document (RFC 8259) that a text is, if that has members or elements.
fn document_in(text: &str) -> Option<Value> {
    if text.len() > LARGEST_CELL || !text.trim_start().starts_with(['{', '[']) {
        return None;
    }
    let document = Document::parse(text.as_bytes().to_vec(), Format::Json).ok()?;
    Some(document.value().clone())
}

/// A place within the document of a database's cell as the cell, and the way on in its document.
pub(crate) fn within_cell(location: &str) -> Option<(String, Hop)> {
    let place = Place::read(location).filter(|place| place.0.len() > TO_CELL)?;
    let (cell, rest) = place.0.split_at(TO_CELL);
    let hop = Hop { format: Format::Json, location: Place(rest.to_vec()).to_string() };
    Some((Place(cell.to_vec()).to_string(), hop))
}

impl Source {
    /// Reads a file.
    ///
    /// # Errors
    /// [`EditError::Read`], [`EditError::Document`] with the line, [`EditError::Database`].
    pub fn read(file: &Path, shape: Shape) -> Result<Self, EditError> {
        let fault = |source| EditError::Read { file: file.into(), source };
        match shape {
            Shape::Sqlite => Ok(Self::Tables(Tables::of(database::read(file)?))),
            Shape::Link => file.look_link().map(Self::Link).map_err(fault),
            Shape::Text(format) => {
                let bytes = platform::read(file).map_err(fault)?;
                let document = Document::parse(bytes, format);
                document
                    .map(|document| Self::Text(Box::new(document)))
                    .map_err(|source| EditError::Document { file: file.into(), source })
            }
        }
    }

    /// Finds all places that a JSONPath selects.
    pub fn find(&self, selector: &str) -> Result<Vec<Place>, DocumentError> {
        match self {
            Self::Text(document) => document.find(selector),
            Self::Tables(tables) => match Place::read(selector) {
                Some(place) => Ok(place.of(tables.opened()).map(|_| place.clone()).into_iter().collect()),
                None => find_in(tables.opened(), selector),
            },
            Self::Link(_) => Ok(vec![Place::default()]),
        }
    }

    /// Finds the one place that a JSONPath selects.
    pub fn find_one(&self, selector: &str) -> Result<Place, DocumentError> {
        let mut places = self.find(selector)?;
        match places.len() {
            1 => Ok(places.remove(0)),
            found => Err(DocumentError::NotOne { selector: selector.into(), found }),
        }
    }

    /// The text of a key, or of a text or number value, decoded.
    pub fn leaf(&self, place: &Place, side: Side) -> Option<String> {
        match (self, side) {
            (Self::Text(document), _) => document.leaf(place, side),
            (Self::Tables(tables), Side::Value) => {
                match place.of(&tables.cells).or_else(|| place.of(tables.opened()))? {
                    Value::String(text) => Some(text.clone()),
                    Value::Number(number) => Some(number.to_string()),
                    _ => None,
                }
            }
            (Self::Link(target), Side::Value) => target.to_str().map(str::to_string),
            (_, Side::Key) => None,
        }
    }

    /// How a key or value is written in its file, where it is a text file.
    pub fn written(&self, place: &Place, side: Side) -> Option<&str> {
        match self {
            Self::Text(document) => document.written(place, side),
            _ => None,
        }
    }

    /// The value at a place.
    pub fn value_at(&self, place: &Place) -> Option<&Value> {
        match self {
            Self::Text(document) => place.of(document.value()),
            Self::Tables(tables) => place.of(tables.opened()),
            Self::Link(_) => None,
        }
    }

    /// The places of the elements or members of a list.
    pub fn children(&self, list: &Place) -> Option<Vec<Place>> {
        match self {
            Self::Text(document) => document.children(list),
            Self::Tables(tables) => match list.of(tables.opened())? {
                Value::Object(all) => Some(all.keys().map(|name| list.child(Step::Name(name.clone()))).collect()),
                Value::Array(all) => Some((0..all.len()).map(|n| list.child(Step::Index(n))).collect()),
                _ => None,
            },
            Self::Link(_) => None,
        }
    }

    /// Line of a place, from 1, where there are lines.
    pub fn line(&self, place: &Place) -> Option<usize> {
        match self {
            Self::Text(document) if !document.format().is_packed() => Some(document.line(place)),
            _ => None,
        }
    }

    /// The text that a JSONPath finds below a place.
    pub fn below(&self, place: &Place, selector: &str) -> Option<String> {
        let found = self.find(&joined(place, selector)).ok()?;
        self.leaf(found.first()?, Side::Value)
    }
}

/// A JSONPath that starts at a place, from the root.
pub fn joined(place: &Place, selector: &str) -> String {
    format!("{place}{}", selector.strip_prefix('$').unwrap_or(selector))
}
