//! Entries that are sections of a text, or keys of a registry.

use super::super::document::{Document, Spans};
use super::super::fault::DocumentError;
use super::super::place::{Place, Step};
use crate::record::formats::Format;

impl Document {
    /// Whether a list is that of all sections of a text.
    pub(crate) fn is_of_sections(&self, list: &Place) -> bool {
        matches!(self.format(), Format::Ini | Format::Hive) && list.0.is_empty()
    }

    /// A section as it is written, from its head to the last line that says something in it.
    pub(crate) fn section(&self, nth: usize) -> Option<&str> {
        let (start, end) = self.sections()?.get(nth).copied()?;
        Some(&self.text()[start..end])
    }

    /// Where sections begin and end; `None` where one stands in two parts.
    fn sections(&self) -> Option<Spans> {
        let (text, root) = (self.text(), Place::default());
        let children = self.children(&root)?;
        let (_, spans) = self.child_spans(&root)?;
        let is_whole = |place: &Place| self.times_written(place) == 1;
        if spans.len() != children.len() || !children.iter().all(is_whole) {
            return None;
        }
        let line = |at: usize| text[..at].rfind('\n').map_or(0, |n| n + 1);
        let starts: Vec<usize> = spans.iter().map(|(start, _)| line(*start)).collect();
        let ends = starts.iter().skip(1).copied().chain([text.len()]);
        // What stands above the next head, or says nothing, is none of its own.
        let own = |(start, end): (usize, usize)| {
            let mut own = text[start..end].trim_end();
            while let Some((before, last)) = own.rsplit_once('\n')
                && last.trim_start().starts_with([';', '#'])
                && !last.trim_start().starts_with("#time=")
            {
                own = before.trim_end();
            }
            (start, start + own.len())
        };
        Some(starts.iter().copied().zip(ends).map(own).collect())
    }

    pub(super) fn append_section(&self, list: &Place, written: &str) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let (key, value) = self.read_entry(list, written)?;
        let (key, sections) = (key.ok_or_else(wrong)?, self.sections().ok_or_else(wrong)?);
        let mut meant = self.value().clone();
        let object = meant.as_object_mut().ok_or_else(wrong)?;
        if object.contains_key(&key) {
            return Err(DocumentError::Collision { place: list.to_string(), key });
        }
        object.insert(key, value);
        let text = self.text();
        let last = sections.last().ok_or_else(wrong)?;
        let end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let before =
            sections.len().checked_sub(2).and_then(|nth| sections.get(nth)).map(|before| &text[before.1..last.0]);
        let gap = before.filter(|gap| gap.contains('\n') && gap.trim().is_empty());
        let gap = gap.map_or_else(|| end.repeat(2), str::to_string);
        self.with(last.1..last.1, &format!("{gap}{written}"), &meant, list)
    }

    pub(super) fn remove_section(&self, list: &Place, nth: usize) -> Result<Vec<u8>, DocumentError> {
        let wrong = || DocumentError::WrongKind { place: list.to_string() };
        let sections = self.sections().ok_or_else(wrong)?;
        let own = sections.get(nth).copied().ok_or_else(wrong)?;
        let children = self.children(list).ok_or_else(wrong)?;
        let Some(Step::Name(name)) = children.get(nth).and_then(|place| place.0.last()) else { return Err(wrong()) };
        let mut meant = self.value().clone();
        meant.as_object_mut().ok_or_else(wrong)?.shift_remove(name);
        let text = self.text();
        let above = nth
            .checked_sub(1)
            .and_then(|nth| sections.get(nth))
            .map(|above| above.1)
            .filter(|end| text[*end..own.0].trim().is_empty());
        let cut = match (above, sections.get(nth + 1)) {
            (Some(above), _) => above..own.1,
            (None, Some(next)) if text[own.1..next.0].trim().is_empty() => own.0..next.0,
            (None, _) => own.0..own.1,
        };
        self.with(cut, "", &meant, list)
    }
}
