//! Paths that are part of a value: a word of a command line, an item of a list, something in a sentence.
//!
//! Law: a part is the bytes between its bounds, quotes included; only it is replaced, and what replaces
//! it is quoted where the value would else fall apart.

use std::borrow::Cow;
use std::ops::Range;
use std::path::Path;

use serde::{Deserialize, Serialize};

use crate::platform::Look;
use crate::record::formats::Format;

/// What of a value is the path.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Within {
    /// All of it.
    #[default]
    Value,
    /// A word of a command line, quoted or not, or what stands behind its `=`.
    Command,
    /// An item of a list that is separated by `;`, or by `:` if it holds no `;`.
    List,
    /// Something in a text.
    Text,
}

impl Within {
    /// Whether it is all of the value.
    pub fn is_value(&self) -> bool {
        *self == Self::Value
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Quote {
    None,
    Single,
    Double,
    /// Single ones that end before each apostrophe and begin behind it, as shells have it: `'\''`, or `'"'"'`.
    Shell(&'static str),
}

/// How an apostrophe stands between two parts of a word of a shell (POSIX.1, "Quoting").
const APOSTROPHES: [&str; 2] = ["'\\''", "'\"'\"'"];

/// How words of a command line are quoted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Words {
    /// Desktop entries (Desktop Entry Specification, "The Exec key").
    Exec,
    /// Quotes hold everything but themselves; a backslash is a backslash.
    Plain,
}

/// A part of a value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part<'a> {
    /// Its place in the value, with its quotes.
    pub range: Range<usize>,
    /// What it says, without quotes and escapes.
    pub text: Cow<'a, str>,
    quote: Quote,
}

/// Signs at which a path in a text or command may begin and end.
const BOUNDS: [char; 18] =
    [' ', '\t', '\n', '\r', '"', '\'', '`', ';', ':', ',', '=', '<', '>', '|', '(', ')', '[', ']'];

/// Quotes, brackets and stops of writing beyond ASCII (Unicode, general categories Pi, Pf, Ps, Pe and Po) that bound a path as well.
pub const WRITTEN_BOUNDS: [char; 21] = [
    '“', '”', '„', '‟', '‚', '«', '»', '‹', '›', '」', '』', '）', '】', '》', '〉', '］', '、', '。', '，', '；', '…',
];

/// Those behind which a path may begin, and a name goes on: apostrophes, colons where a file system takes no other, words in brackets.
const IN_NAMES: [char; 10] = ['‘', '’', '：', '「', '『', '（', '【', '《', '〈', '［'];

fn is_end(c: char) -> bool {
    BOUNDS.contains(&c) || WRITTEN_BOUNDS.contains(&c)
}

fn is_bound(c: char) -> bool {
    is_end(c) || IN_NAMES.contains(&c)
}

/// Signs that end no path, and stand between two of them all the same.
fn joins(c: char) -> bool {
    matches!(c, '&' | '+' | '!' | '$' | '@' | '?' | '#' | '*') || c.is_control()
}

/// Whether a path may begin with these signs, wherever it leads.
fn begins_path(text: &str) -> bool {
    let letter = text.starts_with(|c: char| c.is_ascii_alphabetic()) && text[1..].starts_with(':');
    let drive = letter && text[2..].starts_with(['/', '\\']);
    drive || text.starts_with(['/', '\\']) || text.starts_with("file:")
}

/// Whether another path begins in a text behind a sign that parts paths: then it is one path only if that is there.
pub fn begins_again(text: &str) -> bool {
    let parts = |c: char| is_bound(c) && !matches!(c, ':' | '(' | '[') || joins(c);
    let behind = |(at, c): (usize, char)| parts(c) && begins_path(&text[at + c.len_utf8()..]);
    text.char_indices().skip(1).any(behind)
}

/// What a text is to somebody who looks for a path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PartFit {
    /// No path, or one that leads somewhere else where nothing is.
    No,
    /// A path to something else that is there.
    Other,
    /// The path that is looked for; nothing is there.
    Wanted,
    /// The path that is looked for, and it is there.
    There,
    /// The path that is looked for, and a folder is there.
    Folder,
}

impl PartFit {
    /// Of a path that is the one that is looked for.
    pub fn of_wanted(path: &Path) -> Self {
        match path.look_is_dir() {
            true => Self::Folder,
            false if path.look_exists() => Self::There,
            false => Self::Wanted,
        }
    }

    fn is_wanted(self) -> bool {
        matches!(self, Self::Wanted | Self::There | Self::Folder)
    }
}

/// Finds the parts of a value that `fit` says are wanted.
pub fn find_parts<'a>(
    value: &'a str,
    within: Within,
    format: Option<Format>,
    fit: &dyn Fn(&str) -> PartFit,
) -> Vec<Part<'a>> {
    let whole = || Part { range: 0..value.len(), text: Cow::Borrowed(value), quote: Quote::None };
    let candidates = match within {
        Within::Value => vec![whole()],
        Within::Command => words(value, rules(format)),
        Within::List => items(value),
        Within::Text => return in_text(value, fit),
    };
    let plain = rules(format) == Words::Plain;
    let ours = |part: &Part<'_>| {
        let found = fit(&part.text);
        // Several paths in a row read as a long one that is not there.
        if found == PartFit::Wanted && part.quote == Quote::None && begins_again(&part.text) {
            return false;
        }
        // Where blanks part words only by custom, a path may go on behind one.
        let may_go_on = plain && !within.is_value() && part.quote == Quote::None;
        found.is_wanted() && !(may_go_on && goes_on(value, &part.range, found, fit))
    };
    candidates.into_iter().filter(ours).collect()
}

/// Whether a path in a value is but the beginning of another one: of one that is there, or, where it leads to a folder, of one whose
/// name goes on behind a blank or a sign before any other path begins.
fn goes_on(value: &str, range: &Range<usize>, found: PartFit, fit: &dyn Fn(&str) -> PartFit) -> bool {
    let longer = ends(value, range.start).filter(|end| *end > range.end).take(ENDS);
    if longer.into_iter().any(|end| fit(&value[range.start..end]) == PartFit::Other) {
        return true;
    }
    if found != PartFit::Folder {
        return false;
    }
    let rest = &value[range.end..];
    // Within quotes nothing behind them counts.
    let quote = value[..range.start].chars().next_back().filter(|c| matches!(c, '"' | '\'' | '`'));
    let quoted = quote.and_then(|quote| rest.find(quote));
    let rest = &rest[..quoted.unwrap_or(rest.len())];
    let separator = rest.find(['/', '\\']);
    let between = &rest[..separator.unwrap_or(rest.len())];
    // Another path, an option, a value or a text of its own begins there.
    let begins = |c: char| (is_bound(c) && !matches!(c, ')' | ']' | '>')) || matches!(c, '~' | '.' | '}' | '%');
    // What stands there shows that it is one, whatever sign is before it.
    let leads = |at: usize| {
        let start = range.end + at;
        let there = |end| !matches!(fit(&value[start..end]), PartFit::No | PartFit::Wanted);
        between.chars().all(joins) && ends(value, start).take(ENDS).any(there)
    };
    let apart =
        separator.is_some_and(|at| between.chars().next_back().is_none_or(begins) || between == "->" || leads(at));
    let option =
        between.match_indices(" -").any(|(at, _)| !between[at + 2..].starts_with(' ') && at + 2 < between.len());
    let other = between.contains(['"', '\'', '`', '=', '<', '>', '|', ';', '\n', '\r', '\t']) || option;
    // Without a further separator all of the value, or of what is quoted, is a name that goes on: a folder takes no words.
    let is_all = (range.start == 0 || quoted.is_some()) && between.contains(' ');
    (separator.is_some() || is_all) && !apart && !other
}

/// How another path is written in place of a part; `None` if the value cannot hold it there.
pub fn write_part(value: &str, part: &Part<'_>, new: &str, within: Within, format: Option<Format>) -> Option<String> {
    let exec = format == Some(Format::Desktop);
    match within {
        Within::Value | Within::Text => Some(new.to_string()),
        Within::List => (!new.contains(list_sign(value))).then(|| new.to_string()),
        Within::Command => {
            let reserved = |c: char| {
                if exec {
                    c.is_ascii_whitespace() || "\"'\\><~|&;$*?#()`".contains(c)
                } else {
                    c.is_ascii_whitespace() || c == '\''
                }
            };
            // Who took an apostrophe for what it is takes it so again, where the word is still one with it.
            let still_one = || {
                let (start, end) = (part.range.start, part.range.end);
                let value = format!("{}{new}{}", &value[..start], &value[end..]);
                let is_it = |word: &Part<'_>| word.range == (start..start + new.len()) && word.text == new;
                part.text.contains('\'') && words(&value, Words::Plain).iter().any(is_it)
            };
            match part.quote {
                Quote::None if !exec && still_one() => Some(new.into()),
                Quote::None if !new.contains(reserved) => Some(if exec { new.replace('%', "%%") } else { new.into() }),
                Quote::Single if !new.contains('\'') => Some(format!("'{new}'")),
                Quote::Shell(apostrophe) => Some(format!("'{}'", new.replace('\'', apostrophe))),
                _ => quoted(new, exec),
            }
        }
    }
}

fn quoted(new: &str, exec: bool) -> Option<String> {
    if !exec {
        return (!new.contains('"')).then(|| format!("\"{new}\""));
    }
    let mut out = String::from("\"");
    for c in new.chars() {
        match c {
            '"' | '`' | '$' | '\\' => out.extend(['\\', c]),
            '%' => out.push_str("%%"),
            c => out.push(c),
        }
    }
    out.push('"');
    Some(out)
}

/// Puts `new` in place of every word or item that is written as `old`; `None` if there is none.
///
/// Of a text in sentences nobody can tell where a path ends without looking at the drive: it is replaced as a whole.
pub(crate) fn with_part(value: &str, old: &str, new: &str, within: Within, format: Option<Format>) -> Option<String> {
    let candidates = match within {
        Within::Value | Within::Text => return (value == old).then(|| new.to_string()),
        Within::Command => words(value, rules(format)),
        Within::List => items(value),
    };
    let (mut out, mut from, mut found) = (String::new(), 0, false);
    for part in candidates.iter().filter(|part| &value[part.range.clone()] == old) {
        if part.range.start >= from {
            out.push_str(&value[from..part.range.start]);
            out.push_str(new);
            from = part.range.end;
            found = true;
        }
    }
    out.push_str(&value[from..]);
    found.then_some(out)
}

fn rules(format: Option<Format>) -> Words {
    if format == Some(Format::Desktop) { Words::Exec } else { Words::Plain }
}

/// The words of a command line, and what stands behind `=` in them.
#[expect(clippy::indexing_slicing, reason = "`at` is looked at before each byte")]
fn words(value: &str, rules: Words) -> Vec<Part<'_>> {
    let bytes = value.as_bytes();
    let (mut parts, mut at) = (Vec::new(), 0);
    while at < bytes.len() {
        if bytes[at].is_ascii_whitespace() {
            at += 1;
            continue;
        }
        let start = at;
        let mut pieces = vec![start];
        while at < bytes.len() && !bytes[at].is_ascii_whitespace() {
            match bytes[at] {
                quote @ (b'"' | b'\'') => at = quote_end(bytes, at, quote, rules),
                b'=' => {
                    at += 1;
                    pieces.push(at);
                }
                b'\\' if rules == Words::Exec => at = (at + 2).min(bytes.len()),
                // A shell's apostrophe between two parts in quotes.
                b'\\' if at > start && bytes[at - 1] == b'\'' && bytes[at..].starts_with(b"\\''") => at += 2,
                _ => at += 1,
            }
        }
        at = value.ceil_char_boundary(at);
        for from in pieces {
            parts.push(part(value, from..at, rules));
        }
    }
    parts
}

#[expect(clippy::indexing_slicing, reason = "`at` is looked at before each byte")]
fn quote_end(bytes: &[u8], start: usize, quote: u8, rules: Words) -> usize {
    let mut at = start + 1;
    while at < bytes.len() && bytes[at] != quote {
        at += if bytes[at] == b'\\' && rules == Words::Exec && quote == b'"' { 2 } else { 1 };
    }
    (at + 1).min(bytes.len())
}

fn part(value: &str, range: Range<usize>, rules: Words) -> Part<'_> {
    let raw = &value[range.clone()];
    let inner = |quote: char| raw.strip_prefix(quote).and_then(|raw| raw.strip_suffix(quote)).filter(|_| raw.len() > 1);
    let (quote, inner) = match (inner('"'), inner('\'')) {
        (Some(inner), _) => (Quote::Double, inner),
        (_, Some(inner)) => (Quote::Single, inner),
        _ => (Quote::None, raw),
    };
    let apostrophe = APOSTROPHES.into_iter().find(|apostrophe| inner.contains(apostrophe));
    if let (Quote::Single, Some(apostrophe)) = (quote, apostrophe) {
        return Part { range, text: Cow::Owned(inner.replace(apostrophe, "'")), quote: Quote::Shell(apostrophe) };
    }
    let text = if rules == Words::Exec && inner.contains(['\\', '%']) {
        let mut out = String::with_capacity(inner.len());
        let mut chars = inner.chars().peekable();
        while let Some(c) = chars.next() {
            let escaped = c == '\\' && quote != Quote::Single && chars.peek().is_some_and(|c| "\"`$\\ ".contains(*c));
            let doubled = c == '%' && chars.peek() == Some(&'%');
            match chars.peek().copied() {
                Some(next) if escaped || doubled => {
                    out.push(next);
                    chars.next();
                }
                _ => out.push(c),
            }
        }
        Cow::Owned(out)
    } else {
        Cow::Borrowed(inner)
    };
    Part { range, text, quote }
}

fn list_sign(value: &str) -> char {
    if value.contains(';') { ';' } else { ':' }
}

fn items(value: &str) -> Vec<Part<'_>> {
    let sign = list_sign(value);
    let (mut parts, mut from) = (Vec::new(), 0);
    let ends = value.match_indices(sign).map(|(at, _)| at).filter(|at| sign == ';' || !of_letter(value, *at));
    for end in ends.chain([value.len()]) {
        let item = &value[from..end];
        let left = item.len() - item.trim_start_matches([' ', '\t']).len();
        let body = item.trim_matches([' ', '\t']);
        let range = from + left..from + left + body.len();
        parts.push(Part { range, text: Cow::Borrowed(body), quote: Quote::None });
        from = end + 1;
    }
    parts
}

/// Whether a colon belongs to a drive letter or a scheme and parts nothing.
fn of_letter(value: &str, at: usize) -> bool {
    let before = &value[..at];
    let letter = before.chars().next_back().is_some_and(|c| c.is_ascii_alphabetic())
        && before[..before.len() - 1].chars().next_back().is_none_or(is_bound);
    let slash = value[at + 1..].starts_with(['/', '\\']);
    (letter && (slash || value[at + 1..].is_empty())) || (slash && value[at + 1..].starts_with("//"))
}

/// How many ends of a path in a text are tried for each beginning.
const ENDS: usize = 64;

fn in_text<'a>(value: &'a str, fit: &dyn Fn(&str) -> PartFit) -> Vec<Part<'a>> {
    let mut parts = Vec::new();
    let mut free = 0;
    let mut before = None;
    for (start, c) in value.char_indices() {
        let bound = before.is_none_or(|c| is_bound(c) || joins(c));
        before = Some(c);
        let begins = matches!(c, '/' | '\\' | '~' | '$' | '%')
            || (c.is_ascii_alphabetic() && value[start + 1..].starts_with([':', 'i', 'I']));
        if start < free || !bound || !begins {
            continue;
        }
        let mut chosen: Option<(usize, PartFit)> = None;
        for end in ends(value, start).take(ENDS) {
            match (fit(&value[start..end]), chosen) {
                // The longest that is there, whatever it is; if none is, the shortest.
                (found @ (PartFit::Other | PartFit::There | PartFit::Folder), _) | (found @ PartFit::Wanted, None) => {
                    chosen = Some((end, found));
                }
                _ => {}
            }
        }
        if let Some((end, found)) = chosen.filter(|(_, found)| found.is_wanted()) {
            if goes_on(value, &(start..end), found, fit) {
                free = end;
                continue;
            }
            parts.push(Part { range: start..end, text: Cow::Borrowed(&value[start..end]), quote: Quote::None });
            free = end;
        }
    }
    parts
}

fn ends(value: &str, start: usize) -> impl Iterator<Item = usize> {
    let bounds = value[start..].char_indices().skip(1).filter_map(move |(at, c)| {
        let at = start + at;
        let last = value[at + c.len_utf8()..].chars().next().is_none_or(char::is_whitespace);
        // A sentence ends there, words in bold, or an arrow begins.
        let stop = (matches!(c, '.' | '!' | '?' | '*') && last) || value[at..].starts_with("->");
        let joins = joins(c) && begins_path(&value[at + c.len_utf8()..]);
        let letter = c == ':' && of_letter(value, at);
        ((is_end(c) && !letter) || stop || joins).then_some(at)
    });
    bounds.chain([value.len()])
}

#[cfg(test)]
mod tests;
