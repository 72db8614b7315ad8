//! Entries that are elements of XML.

use super::super::document::Document;
use super::super::fault::DocumentError;
use super::super::place::{Place, Step};
use crate::record::formats::Format;
use serde_json::Value;

impl Document {
    /// An element comes behind the last one of its name, on a line of its own if that one has one; the first of its name behind all
    /// others, with these blanks before it.
    pub(super) fn append_element(
        &self,
        list: &Place,
        raw: &str,
        blank: Option<&str>,
    ) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let entry = Self::parse(raw.trim().as_bytes().to_vec(), Format::Xml).map_err(|_| wrong())?;
        let Some(Step::Name(name)) = list.0.last() else { return Err(wrong()) };
        let value = entry.value().get(name).cloned().ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        if list.of(self.value()).is_none() {
            let above = Place(list.0.iter().take(list.0.len() - 1).cloned().collect());
            let element = above.of_mut(&mut meant).and_then(Value::as_object_mut).ok_or_else(wrong)?;
            element.insert(name.clone(), Value::Array(vec![value]));
            return self.append_first_element(&above, raw.trim(), blank, &meant);
        }
        list.of_mut(&mut meant).and_then(Value::as_array_mut).ok_or_else(wrong)?.push(value);
        let (_, children) = self.child_spans(list).ok_or_else(wrong)?;
        let last = children.last().ok_or_else(wrong)?;
        let before = &self.text()[..last.0];
        let gap = &before[before.trim_end_matches([' ', '\t', '\r', '\n']).len()..];
        self.with(last.1..last.1, &format!("{gap}{}", raw.trim()), &meant, list)
    }

    /// An element in one that has none of its name.
    pub(super) fn append_first_element(
        &self,
        above: &Place,
        raw: &str,
        blank: Option<&str>,
        meant: &Value,
    ) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: above.to_string() };
        let (span, _) = self.child_spans(above).ok_or_else(wrong)?;
        let text = self.text();
        let element = &text[span.clone()];
        let line = text[..span.start].rfind('\n').map_or(0, |n| n + 1);
        let indent: String = text[line..].chars().take_while(|c| matches!(c, ' ' | '\t')).collect();
        let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let step = step_of(text, &indent);
        let blank = match blank {
            Some(blank) => blank.to_string(),
            None if text[line..span.start].trim().is_empty() && text.contains('\n') => format!("{end}{indent}{step}"),
            None => String::new(),
        };
        let behind = if blank.contains('\n') { format!("{end}{indent}") } else { String::new() };
        let head = end_of_tag(element).ok_or_else(wrong)?;
        if element[..head].ends_with('/') {
            let name = element[1..].split([' ', '\t', '\r', '\n', '/', '>']).next().unwrap_or_default();
            let from = element[..head - 1].trim_end().len();
            let new = format!(">{blank}{raw}{behind}</{name}>");
            return self.with(span.start + from..span.end, &new, meant, above);
        }
        let inner = head + 1..element.rfind("</").ok_or_else(wrong)?;
        let said = element[inner.clone()].trim_end();
        let (from, to) = (inner.start + said.len(), if said.is_empty() { inner.end } else { inner.start + said.len() });
        let behind = if said.is_empty() { behind } else { String::new() };
        self.with(span.start + from..span.start + to, &format!("{blank}{raw}{behind}"), meant, above)
    }

    pub(super) fn remove_element(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (_, children) = self.child_spans(list).ok_or_else(wrong)?;
        let element = children.get(nth).ok_or_else(wrong)?;
        let mut meant = self.value().clone();
        let target = list.of_mut(&mut meant).and_then(Value::as_array_mut).ok_or_else(wrong)?;
        target.remove(nth);
        if target.is_empty() {
            let (last, above) = list.0.split_last().ok_or_else(wrong)?;
            let Step::Name(name) = last else { return Err(wrong()) };
            let above = Place(above.to_vec());
            above.of_mut(&mut meant).and_then(Value::as_object_mut).ok_or_else(wrong)?.shift_remove(name);
        }
        let before = &self.text()[..element.0];
        let from = before.trim_end_matches([' ', '\t', '\r', '\n']).len();
        self.with(from..element.1, "", &meant, list)
    }
}

/// Where the tag ends with which an element begins: what stands in quotes may hold its sign.
fn end_of_tag(element: &str) -> Option<usize> {
    let mut quote = None;
    element.bytes().position(|byte| {
        match quote {
            Some(sign) if sign == byte => quote = None,
            None if matches!(byte, b'"' | b'\'') => quote = Some(byte),
            _ => {}
        }
        byte == b'>' && quote.is_none()
    })
}

/// What a line is indented by beyond one with this indent, as the text has it elsewhere.
pub(super) fn step_of(text: &str, indent: &str) -> String {
    /// Lines that are looked at.
    const LINES: usize = 2000;
    if indent.contains('\t') || (indent.is_empty() && text.contains("\n\t")) {
        return "\t".into();
    }
    let blanks = text.lines().take(LINES).map(|line| line.len() - line.trim_start_matches(' ').len());
    " ".repeat(blanks.filter(|count| *count > 0).min().unwrap_or(2).min(8))
}
