//! A record file as it is read, whatever it is: a document, a database, or a link.

use std::borrow::Cow;
use std::fmt;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::database;
use super::document::{Document, value_within};
use super::edit::{EditError, Hop};
use super::fault::DocumentError;
use super::opened::Opened;
use super::place::{Place, Side, Step};
use super::selectors::find_in;
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
                    format!("{other:?} isn't a format; the formats are {}, sqlite and link", all.join(", "))
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
        if platform::is_in_registry(file) {
            return Self::Text(Format::Hive);
        }
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
    /// The same with the documents in cells opened, where there are any.
    opened: Option<Opened>,
}

impl Tables {
    fn of(cells: Value) -> Self {
        let opened = Opened::of(&cells, &value_within);
        Self { cells, opened }
    }

    /// Its cells as they are, by table, key and column.
    pub fn cells(&self) -> &Value {
        &self.cells
    }

    fn opened(&self) -> &Value {
        self.opened.as_ref().map_or(&self.cells, Opened::value)
    }
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
    ///
    /// # Errors
    /// [`DocumentError::Selector`] of what is no JSONPath, or of one that would take too long.
    pub fn find(&self, selector: &str) -> Result<Vec<Place>, DocumentError> {
        match self {
            Self::Text(document) => {
                let found = document.find(selector)?;
                match document.opened().filter(|_| found.is_empty()) {
                    Some(opened) => found_in(opened.value(), selector),
                    None => Ok(found),
                }
            }
            Self::Tables(tables) => found_in(tables.opened(), selector),
            Self::Link(_) => Ok(vec![Place::default()]),
        }
    }

    /// Finds the one place that a JSONPath selects.
    ///
    /// # Errors
    /// The same, and [`DocumentError::NotOne`] of none or several.
    pub fn find_one(&self, selector: &str) -> Result<Place, DocumentError> {
        let mut places = self.find(selector)?;
        match places.len() {
            1 => Ok(places.remove(0)),
            found => Err(DocumentError::NotOne { selector: selector.into(), found }),
        }
    }

    /// The text of a key, or of a text or number value, decoded.
    pub fn leaf(&self, place: &Place, side: Side) -> Option<String> {
        let itself = match (self, side) {
            (Self::Text(document), _) => document.leaf(place, side),
            (Self::Tables(tables), Side::Value) => place.of(&tables.cells).and_then(text_of_value),
            (Self::Link(target), Side::Value) => target.to_str().map(str::to_string),
            (_, Side::Key) => None,
        };
        itself.or_else(|| {
            let (_, hops) = self.split(place)?;
            let value = place.of(self.opened()?.value())?;
            match (side, place.0.last(), hops.last()) {
                (Side::Value, ..) => text_of_value(value),
                (Side::Key, Some(Step::Name(name)), Some(hop)) if hop.format == Format::Json => Some(name.clone()),
                _ => None,
            }
        })
    }

    /// How a key or value is written in its file, where it is a text file.
    pub fn written(&self, place: &Place, side: Side) -> Option<&str> {
        match self {
            Self::Text(document) => document.written(place, side),
            _ => None,
        }
    }

    /// The value at a place.
    pub fn value_at(&self, place: &Place) -> Option<Cow<'_, Value>> {
        match self {
            Self::Text(document) => {
                let within = || place.of(document.opened()?.value()).map(Cow::Borrowed);
                document.value_at(place).or_else(within)
            }
            Self::Tables(tables) => place.of(tables.opened()).map(Cow::Borrowed),
            Self::Link(_) => None,
        }
    }

    /// The list at a place, if it has no more than so many elements.
    pub(crate) fn short_list_at(&self, place: &Place, most: usize) -> Option<Value> {
        match self {
            Self::Text(document) if document.has(place) => document.short_list_at(place, most),
            _ => self
                .value_at(place)
                .filter(|value| value.as_array().is_some_and(|list| list.len() <= most))
                .map(Cow::into_owned),
        }
    }

    /// The places of the elements or members of a list.
    pub fn children(&self, list: &Place) -> Option<Vec<Place>> {
        match self {
            Self::Text(document) => document.children(list).or_else(|| children_in(document.opened()?.value(), list)),
            Self::Tables(tables) => children_in(tables.opened(), list),
            Self::Link(_) => None,
        }
    }

    /// Line of a place, from 1, where there are lines.
    pub fn line(&self, place: &Place) -> Option<usize> {
        match self {
            Self::Text(document) if !document.format().is_packed() => {
                let outer = self.split(place).map(|(outer, _)| outer);
                Some(document.line(outer.as_ref().unwrap_or(place)))
            }
            _ => None,
        }
    }

    /// What it says with the documents in its texts opened, where there are any.
    fn opened(&self) -> Option<&Opened> {
        match self {
            Self::Text(document) => document.opened(),
            Self::Tables(tables) => tables.opened.as_ref(),
            Self::Link(_) => None,
        }
    }

    /// The text of the file itself that a place lies in, and the way on in its documents; `None` of a place of the file itself.
    pub fn split(&self, place: &Place) -> Option<(Place, Vec<Hop>)> {
        let itself = match self {
            Self::Text(document) => document.has(place),
            Self::Tables(tables) => place.of(&tables.cells).is_some(),
            Self::Link(_) => true,
        };
        let (outer, through) = self.opened().filter(|_| !itself)?.split(place)?;
        let hop = |(format, place): (Format, Place)| Hop { format, location: place.to_string() };
        Some((outer, through.into_iter().map(hop).collect()))
    }

    /// The texts and names within the documents of its texts.
    pub fn leaves_within(&self) -> Vec<(Place, Side, String)> {
        self.opened().map(Opened::leaves).unwrap_or_default()
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

fn found_in(value: &Value, selector: &str) -> Result<Vec<Place>, DocumentError> {
    match Place::read(selector) {
        Some(place) => Ok(place.of(value).map(|_| place.clone()).into_iter().collect()),
        None => find_in(value, selector),
    }
}

fn children_in(value: &Value, list: &Place) -> Option<Vec<Place>> {
    match list.of(value)? {
        Value::Object(all) => Some(all.keys().map(|name| list.child(Step::Name(name.clone()))).collect()),
        Value::Array(all) => Some((0..all.len()).map(|n| list.child(Step::Index(n))).collect()),
        _ => None,
    }
}

fn text_of_value(value: &Value) -> Option<String> {
    match value {
        Value::String(text) => Some(text.clone()),
        Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}
