//! Texts of nested text: how they are read, and written as the old one stood there.

use std::borrow::Cow;

use crate::record::tree::Style;

pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    let inner = || raw.get(1..raw.len().saturating_sub(1)).unwrap_or(raw);
    match style {
        Style::NestedQuoted if raw.contains('\\') => Cow::Owned(unescaped(inner())),
        Style::NestedQuoted | Style::NestedRaw => Cow::Borrowed(inner()),
        _ => Cow::Borrowed(raw),
    }
}

fn unescaped(inner: &str) -> String {
    let mut out = String::with_capacity(inner.len());
    let mut rest = inner;
    while let Some(at) = rest.find('\\') {
        out.push_str(&rest[..at]);
        rest = &rest[at + 1..];
        let Some(c) = rest.chars().next() else { break };
        let digits = match c {
            'u' => 4,
            'x' => 2,
            _ => 0,
        };
        let code = rest.get(1..=digits).filter(|_| digits > 0).and_then(|hex| u32::from_str_radix(hex, 16).ok());
        if let Some(meant) = code.and_then(char::from_u32) {
            out.push(meant);
            rest = &rest[1 + digits..];
            continue;
        }
        match c {
            'n' => out.push('\n'),
            't' => out.push('\t'),
            'r' => out.push('\r'),
            '\\' | '"' | '\'' | '/' => out.push(c),
            // What it stands for is not known: it stays as it is written.
            other => out.extend(['\\', other]),
        }
        rest = &rest[c.len_utf8()..];
    }
    out.push_str(rest);
    out
}

/// How `new` is written where `raw` stands; `None` if it cannot be in that way.
pub(crate) fn encode(style: Style, new: &str, raw: &str) -> Option<String> {
    if new.chars().any(char::is_control) {
        return None;
    }
    let quote = raw.chars().next()?;
    match style {
        Style::NestedRaw => (!new.contains(quote) && !new.ends_with('\\')).then(|| format!("{quote}{new}{quote}")),
        Style::NestedQuoted => {
            let slashes = raw.contains("\\/");
            let mut out = String::from(quote);
            for c in new.chars() {
                if c == '\\' || c == quote || (slashes && c == '/') {
                    out.push('\\');
                }
                out.push(c);
            }
            out.push(quote);
            Some(out)
        }
        // A sign that means something to the reader stands bare only where one like it stood bare before.
        Style::NestedBare | Style::NestedWord | Style::NestedName => {
            let blank = style == Style::NestedBare;
            let odd = |c: char| "\"'{}[]()=:;,#".contains(c) || (c.is_whitespace() && !blank);
            let drive = |at: usize| at == 1 && new[2..].starts_with(['\\', '/']);
            let sound = new.char_indices().all(|(at, c)| !odd(c) || raw.contains(c) || (c == ':' && drive(at)));
            (sound && !new.is_empty() && new.trim() == new).then(|| new.to_string())
        }
        _ => None,
    }
}
