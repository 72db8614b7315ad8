//! What in one text leads to the folder, or says its name.

use super::super::find::Sure;
use super::{HIGHEST, Hit, LONGEST_WAY, Looking, Means, key_of};
use crate::platform::Look;
use crate::record::DEEPEST_WITHIN;
use crate::record::Document;
use crate::record::Part;
use crate::record::PartFit;
use crate::record::begins_again;
use crate::record::find_parts;
use crate::record::format_within;
use crate::trace::looking::Bases;
use crate::trace::looking::Format;
use crate::trace::looking::Hop;
use crate::trace::looking::Side;
use crate::trace::looking::Spelling;
use crate::trace::looking::Within;
use crate::trace::looking::leads_out;
use std::path::Path;

impl Looking<'_> {
    /// A relative text that leads to the wanted path, or on below it, from a folder above.
    fn way(&self, text: &str, bases: &Bases) -> Option<Hit> {
        if !text.contains(['/', '\\']) || text.contains(['\n', ';']) || text.len() > LONGEST_WAY {
            return None;
        }
        let mut above = self.wanted.ancestors().enumerate().skip(1).take(HIGHEST);
        above.find_map(|(up, above)| {
            let (spelling, path) = Spelling::read(text, &bases.relative_to(above)).ok()?;
            let below = path.strip_prefix(self.wanted).ok().filter(|_| spelling.is_relative())?;
            let meaning = Means::Way { up, below: below.to_str().filter(|below| !leads_out(Path::new(below)))?.into() };
            let (text, spelling, sure) = (text.to_string(), spelling.describe(), Sure::NameOnly);
            above.parent().is_some().then(|| Hit { text, meaning, spelling, sure, ..self.unreadable_hit() })
        })
    }

    pub(super) fn hits(
        &self,
        text: &str,
        format: Option<Format>,
        key: Option<&str>,
        bases: &Bases,
        depth: usize,
    ) -> Vec<Hit> {
        if text == self.name || (!bases.letters.is_empty() && text.to_lowercase() == self.name.to_lowercase()) {
            return vec![name_alone(text)];
        }
        let command = format == Some(Format::Desktop) && matches!(key, Some("Exec" | "TryExec"));
        let mut whole = Vec::new();
        if !command && let Some((spelling, path, Some(below))) = self.read(text, bases) {
            let relative = spelling.is_relative();
            let sure = if relative { Sure::Likely } else { Sure::Certain };
            let there = self.is_there(&path);
            let several = !there && begins_again(text);
            // Any text is a relative path; only one that leads to something that is there is taken for one.
            if (!relative || there) && !several {
                whole.push(hit(Within::Value, text.into(), None, &below, &spelling, sure));
            }
            // A command line or a list reads as a path as well; what is there decides.
            if there || (!whole.is_empty() && !text.contains([' ', ';', ':', '='])) {
                return whole;
            }
        }
        if let Some(hits) = self.within_documents(text, bases, depth) {
            return hits;
        }
        let absolute = Bases { relative_to: None, ..bases.clone() };
        let fit = |text: &str| match self.read(text, &absolute) {
            Some((_, path, Some(_))) => PartFit::of_wanted(&self.place_now(&path)),
            Some((_, path, None)) if path.look_exists() => PartFit::Other,
            _ => PartFit::No,
        };
        // An argument on its own, as an element of a list or with blanks that part nothing: all behind its sign is one path. What is called
        // something may be parted at blanks.
        let alone = |from: &usize| !command && (key.is_none() || text[*from..].contains(' '));
        if let Some(from) = value_of_option(text).filter(alone)
            && let Some((spelling, path, Some(below))) = self.read(&text[from..], &absolute)
            && self.is_there(&path)
        {
            let whole = Some((text.to_string(), from));
            return vec![hit(Within::Text, text[from..].to_string(), whole, &below, &spelling, Sure::Certain)];
        }
        let is_read = !whole.is_empty();
        match self.parts(text, (format, command), (&absolute, &fit), is_read) {
            // A part that is all of the value is the value.
            Some((_, true)) if is_read => whole,
            Some((hits, _)) => hits,
            None if !is_read => self.way(text, bases).into_iter().collect(),
            None => whole,
        }
    }

    /// The parts of a text that lead to the folder, in the way of parting it that has most; and whether one is all of it,
    /// which says nothing where the text as a whole was read as a path.
    fn parts(
        &self,
        text: &str,
        (format, command): (Option<Format>, bool),
        (absolute, fit): (&Bases, &dyn Fn(&str) -> PartFit),
        is_read: bool,
    ) -> Option<(Vec<Hit>, bool)> {
        let list = text.contains(';') || (text.contains(':') && !text.contains(' '));
        let ways: &[Within] = match (command, list) {
            (true, _) => &[Within::Command],
            (false, true) => &[Within::List, Within::Command, Within::Text],
            (false, false) => &[Within::Command, Within::Text],
        };
        // In an entry of a menu one key alone is a command, whose words end at blanks for sure.
        let words_of = format.filter(|format| *format != Format::Desktop || command);
        let mut best: Option<(Vec<Hit>, bool)> = None;
        for within in ways {
            let parts = find_parts(text, *within, words_of, fit);
            let hit = |part: &Part<'_>| {
                let (spelling, _, below) = self.read(&part.text, absolute)?;
                let whole = (*within == Within::Text).then(|| (text.to_string(), part.range.start));
                Some(hit(*within, text[part.range.clone()].to_string(), whole, &below?, &spelling, Sure::Certain))
            };
            let hits: Vec<Hit> = parts.iter().filter_map(hit).collect();
            let is_all = parts.iter().any(|part| part.range == (0..text.len()));
            if is_all && is_read && best.is_none() {
                return Some((hits, true));
            }
            // Another way of parting may find more of them: none is left behind.
            if hits.len() > best.as_ref().map_or(0, |(hits, _)| hits.len()) {
                best = Some((hits, is_all));
            }
        }
        best
    }

    /// The hits in a text that is a document of its own; `None` if it is none.
    fn within_documents(&self, text: &str, bases: &Bases, depth: usize) -> Option<Vec<Hit>> {
        let format = format_within(text)?;
        if depth >= DEEPEST_WITHIN {
            return None;
        }
        let document = Document::parse(text.as_bytes().to_vec(), format).ok()?;
        let mut hits = Vec::new();
        document.leaves(&mut |leaf| {
            if !self.may_name(&leaf.text) {
                return;
            }
            for mut hit in self.hits(&leaf.text, Some(format), key_of(&leaf.place, leaf.side), bases, depth + 1) {
                if hit.inside.is_empty() {
                    hit.side = leaf.side;
                    hit.written = document.written(&leaf.place, leaf.side).map(str::to_string);
                }
                hit.inside.insert(0, Hop { format, location: leaf.place.to_string() });
                hits.push(hit);
            }
        });
        (!hits.is_empty()).then_some(hits)
    }
}

/// A path that was found, in what way it is written.
fn hit(
    within: Within,
    text: String,
    whole: Option<(String, usize)>,
    below: &str,
    spelling: &Spelling,
    sure: Sure,
) -> Hit {
    Hit {
        inside: Vec::new(),
        side: Side::Value,
        within,
        text,
        whole,
        written: None,
        meaning: if below.is_empty() { Means::Install } else { Means::Below(below.into()) },
        spelling: spelling.describe(),
        sure,
    }
}

/// The name of the folder and nothing else.
fn name_alone(text: &str) -> Hit {
    Hit {
        inside: Vec::new(),
        side: Side::Value,
        within: Within::Value,
        text: text.into(),
        whole: None,
        written: None,
        meaning: Means::Folder,
        spelling: String::new(),
        sure: Sure::NameOnly,
    }
}

/// Where the value of an option begins, as in `--root=/games/Fen`.
fn value_of_option(text: &str) -> Option<usize> {
    let at = text.find('=').filter(|_| text.starts_with('-'))?;
    let plain = |text: &str| !text.contains(|c: char| c.is_whitespace() || matches!(c, '"' | '\'' | ';'));
    plain(&text[..at]).then_some(at + 1)
}
