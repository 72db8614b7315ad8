//! What a file says with the documents in its texts opened, as if what they say stood there.
//!
//! Law: a place goes through such a text only where nothing of the file itself stands at it.

use serde_json::Value;

use super::document::Document;
use super::edit::Hop;
use super::place::{Place, Side, Step};
use crate::record::formats::Format;

/// Bytes of the largest text that is opened.
const LARGEST_TEXT: usize = 8 << 20;

/// Documents within documents that are opened, one in another.
pub(crate) const DEEPEST_WITHIN: usize = 3;

/// The values of a file and of the documents in its texts.
#[derive(Debug)]
pub(crate) struct Opened {
    value: Value,
    /// Where the texts stand that are documents, from the outermost, with their formats.
    texts: Vec<(Place, Format)>,
}

impl Opened {
    /// Opens the texts of a file; `None` if none is a document.
    pub(crate) fn of(plain: &Value) -> Option<Self> {
        let mut texts = Vec::new();
        let value = opened(plain, &mut Vec::new(), 0, &mut texts)?;
        Some(Self { value, texts })
    }

    pub(crate) fn value(&self) -> &Value {
        &self.value
    }

    /// The text of the file that a place lies in, and the way on in its documents; `None` where it lies in none.
    pub(crate) fn split(&self, place: &Place) -> Option<(Place, Vec<Hop>)> {
        let mut through: Vec<_> = self.texts.iter().filter(|(text, _)| is_below(place, text)).collect();
        through.sort_by_key(|(text, _)| text.0.len());
        let (outer, _) = through.first()?;
        let ends = through.iter().skip(1).map(|(text, _)| text.0.len()).chain([place.0.len()]);
        let hop = |((text, format), end): (&&(Place, Format), usize)| Hop {
            format: *format,
            location: Place(place.0[text.0.len()..end].to_vec()).to_string(),
        };
        Some((outer.clone(), through.iter().zip(ends).map(hop).collect()))
    }

    /// The texts and names within these documents that are documents no more.
    pub(crate) fn leaves(&self) -> Vec<(Place, Side, String)> {
        let mut all = Vec::new();
        let outermost =
            self.texts.iter().filter(|(text, _)| !self.texts.iter().any(|(other, _)| is_below(text, other)));
        for (text, format) in outermost {
            if let Some(value) = text.of(&self.value) {
                add_leaves(value, *format, &mut text.0.clone(), &mut all);
            }
        }
        all
    }
}

fn is_below(place: &Place, text: &Place) -> bool {
    place.0.len() > text.0.len() && place.0.starts_with(&text.0)
}

fn add_leaves(value: &Value, format: Format, at: &mut Vec<Step>, all: &mut Vec<(Place, Side, String)>) {
    match value {
        Value::Object(members) => {
            for (name, value) in members {
                at.push(Step::Name(name.clone()));
                if format == Format::Json {
                    all.push((Place(at.clone()), Side::Key, name.clone()));
                }
                add_leaves(value, format, at, all);
                at.pop();
            }
        }
        Value::Array(elements) => {
            for (n, value) in elements.iter().enumerate() {
                at.push(Step::Index(n));
                add_leaves(value, format, at, all);
                at.pop();
            }
        }
        Value::String(text) => all.push((Place(at.clone()), Side::Value, text.clone())),
        _ => {}
    }
}

/// A value with its texts opened; `None` if none of them is a document.
fn opened(value: &Value, at: &mut Vec<Step>, depth: usize, texts: &mut Vec<(Place, Format)>) -> Option<Value> {
    match value {
        Value::Object(members) => {
            let mut new = None;
            for (name, value) in members {
                at.push(Step::Name(name.clone()));
                if let Some(value) = opened(value, at, depth, texts) {
                    new.get_or_insert_with(|| members.clone()).insert(name.clone(), value);
                }
                at.pop();
            }
            new.map(Value::Object)
        }
        Value::Array(elements) => {
            let mut new = None;
            for (n, value) in elements.iter().enumerate() {
                at.push(Step::Index(n));
                if let Some(value) = opened(value, at, depth, texts) {
                    new.get_or_insert_with(|| elements.clone())[n] = value;
                }
                at.pop();
            }
            new.map(Value::Array)
        }
        Value::String(text) if depth < DEEPEST_WITHIN => {
            let (format, value) = document_in(text)?;
            texts.push((Place(at.clone()), format));
            let inner = opened(&value, at, depth + 1, texts);
            Some(inner.unwrap_or(value))
        }
        _ => None,
    }
}

/// The format of a document that a text may be, by what it begins with.
pub(crate) fn format_within(text: &str) -> Option<Format> {
    match text.trim_start().as_bytes().first()? {
        b'{' | b'[' => Some(Format::Json),
        b'<' => Some(Format::Xml),
        _ => None,
    }
}

/// The document that a text is, if that has members or elements.
fn document_in(text: &str) -> Option<(Format, Value)> {
    let format = format_within(text).filter(|_| text.len() <= LARGEST_TEXT)?;
    let document = Document::parse(text.as_bytes().to_vec(), format).ok()?;
    let value = document.value();
    (value.is_object() || value.is_array()).then(|| (format, value.clone()))
}
