//! What a file says with the documents in its texts opened, as if what they say stood there.
//!
//! Law: a place goes through such a text only where nothing of the file itself stands at it.

use serde_json::Value;

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
    /// Opens the texts of a file, of which `read` gives what those say that are documents; `None` if none is one.
    pub(crate) fn of(plain: &Value, read: Reader<'_>) -> Option<Self> {
        let mut opening = Opening { read, at: Vec::new(), texts: Vec::new() };
        let value = opening.opened(plain, 0)?;
        Some(Self { value, texts: opening.texts })
    }

    pub(crate) fn value(&self) -> &Value {
        &self.value
    }

    /// The text of the file that a place lies in, and the way on in its documents; `None` where it lies in none.
    pub(crate) fn split(&self, place: &Place) -> Option<(Place, Vec<(Format, Place)>)> {
        let mut through: Vec<_> = self.texts.iter().filter(|(text, _)| is_below(place, text)).collect();
        through.sort_by_key(|(text, _)| text.0.len());
        let (outer, _) = through.first()?;
        let ends = through.iter().skip(1).map(|(text, _)| text.0.len()).chain([place.0.len()]);
        let hop = |((text, format), end): (&&(Place, Format), usize)| {
            (*format, Place(place.0.iter().take(end).skip(text.0.len()).cloned().collect()))
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

/// What a document of a format says, if a text is one.
type Reader<'a> = &'a dyn Fn(&str, Format) -> Option<Value>;

struct Opening<'a> {
    read: Reader<'a>,
    at: Vec<Step>,
    texts: Vec<(Place, Format)>,
}

impl Opening<'_> {
    /// A value with its texts opened; `None` if none of them is a document.
    fn opened(&mut self, value: &Value, depth: usize) -> Option<Value> {
        match value {
            Value::Object(members) => {
                let mut new = None;
                for (name, value) in members {
                    if let Some(value) = self.child(Step::Name(name.clone()), value, depth) {
                        new.get_or_insert_with(|| members.clone()).insert(name.clone(), value);
                    }
                }
                new.map(Value::Object)
            }
            Value::Array(elements) => {
                let mut new = None;
                for (n, value) in elements.iter().enumerate() {
                    if let Some(value) = self.child(Step::Index(n), value, depth) {
                        let new: &mut Vec<Value> = new.get_or_insert_with(|| elements.clone());
                        new.splice(n..=n, [value]);
                    }
                }
                new.map(Value::Array)
            }
            Value::String(text) if depth < DEEPEST_WITHIN && text.len() <= LARGEST_TEXT => {
                let format = format_within(text)?;
                let value = (self.read)(text, format).filter(|value| value.is_object() || value.is_array())?;
                self.texts.push((Place(self.at.clone()), format));
                Some(self.opened(&value, depth + 1).unwrap_or(value))
            }
            _ => None,
        }
    }

    fn child(&mut self, step: Step, value: &Value, depth: usize) -> Option<Value> {
        self.at.push(step);
        let opened = self.opened(value, depth);
        self.at.pop();
        opened
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
