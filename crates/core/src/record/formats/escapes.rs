//! Escapes: what the writer of a text had escaped stays escaped, in the same way.
//!
//! Law: a text says the same with and without what is taken over here; where that is not sure, nothing is.

use super::decode;
use crate::record::tree::Style;

/// A character and how it is written.
type Unit<'t> = (char, &'t str);

/// `plain`, which is how a format writes a new text, with the escapes of `raw`, the text that it replaces.
pub(super) fn carried_over(style: Style, raw: &str, plain: &str) -> Option<String> {
    let (sign, quote) = match style {
        Style::JsonText | Style::YamlDouble | Style::TomlBasic => ('\\', "\""),
        Style::XmlAttribute(_) | Style::XmlText => ('&', ""),
        _ => return None,
    };
    if !raw.contains(sign) {
        return None;
    }
    let inner = |text| -> Option<&str> { str::strip_prefix(text, quote)?.strip_suffix(quote) };
    let (old, new) = (units(style, sign, inner(raw)?)?, units(style, sign, inner(plain)?)?);
    let alike = |(a, b): &(&Unit<'_>, &Unit<'_>)| a.0 == b.0;
    let front = old.iter().zip(&new).take_while(alike).count();
    let most = old.len().min(new.len()) - front;
    let back = old.iter().rev().zip(new.iter().rev()).take(most).take_while(alike).count();
    let between = new.iter().take(new.len() - back).skip(front).map(|unit| habit(style, sign, &old, *unit));
    let mut text = quote.to_string();
    text.extend(old.iter().take(front).map(|unit| unit.1));
    text.extend(between);
    text.extend(old.iter().skip(old.len() - back).map(|unit| unit.1));
    text.push_str(quote);
    (decode(style, &text) == decode(style, plain)).then_some(text)
}

/// A text in its characters; `None` where an escape stands for none, or for several.
fn units(style: Style, sign: char, text: &str) -> Option<Vec<Unit<'_>>> {
    let mut units = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        let (meant, length) = if c == sign {
            let length = escape_length(sign, rest)?;
            let written = rest.get(..length)?;
            let alone = if sign == '&' { written.to_string() } else { format!("\"{written}\"") };
            let says = decode(style, &alone);
            let mut says = says.chars();
            (says.next().filter(|_| says.next().is_none())?, length)
        } else if c.is_control() {
            // Ends of lines are folded by some readers.
            return None;
        } else {
            (c, c.len_utf8())
        };
        units.push((meant, &rest[..length]));
        rest = &rest[length..];
    }
    Some(units)
}

fn escape_length(sign: char, rest: &str) -> Option<usize> {
    if sign == '&' {
        return rest.find(';').map(|end| end + 1);
    }
    Some(match rest[1..].chars().next()? {
        // A pair of surrogates is one character.
        'u' if rest
            .get(2..4)
            .is_some_and(|two| matches!(two.to_ascii_lowercase().as_str(), "d8" | "d9" | "da" | "db")) =>
        {
            12
        }
        'u' => 6,
        'U' => 10,
        'x' => 4,
        c => 1 + c.len_utf8(),
    })
}

/// How the writer of `old` would have written a character: as it did there, else, beyond ASCII, in the way of its other escapes.
fn habit(style: Style, sign: char, old: &[Unit<'_>], (c, written): Unit<'_>) -> String {
    let mut same = old.iter().filter(|unit| unit.0 == c).map(|unit| unit.1);
    if let Some(first) = same.next() {
        let always = first.starts_with(sign) && same.all(|other| other.starts_with(sign));
        return if always { first } else { written }.to_string();
    }
    let mut beyond = old.iter().filter(|unit| !unit.0.is_ascii()).map(|unit| unit.1);
    let Some(sample) = beyond.next().filter(|first| first.starts_with(sign)) else { return written.to_string() };
    if c.is_ascii() || !beyond.all(|other| other.starts_with(sign)) {
        return written.to_string();
    }
    by_number(style, sample, c)
}

/// A character by its number, as `sample` has it.
fn by_number(style: Style, sample: &str, c: char) -> String {
    let code = u32::from(c);
    let digits = sample.trim_start_matches(|c: char| !c.is_ascii_digit() && !"abcdefABCDEF".contains(c));
    let upper = digits.contains(|c: char| c.is_ascii_uppercase());
    let hex = |code: u32, width: usize| {
        if upper { format!("{code:0width$X}") } else { format!("{code:0width$x}") }
    };
    if let Some(rest) = sample.strip_prefix("&#") {
        let Some(rest) = rest.strip_prefix('x') else { return format!("&#{code};") };
        let width = if rest.starts_with('0') { rest.len() - 1 } else { 0 };
        return format!("&#x{};", hex(code, width));
    }
    if sample.starts_with('&') {
        return c.to_string();
    }
    match code {
        ..=0xff if sample.starts_with("\\x") => format!("\\x{}", hex(code, 2)),
        ..=0xffff if !sample.starts_with("\\U") => format!("\\u{}", hex(code, 4)),
        _ if style == Style::JsonText => {
            let mut pair = [0; 2];
            c.encode_utf16(&mut pair).iter().map(|unit| format!("\\u{}", hex(u32::from(*unit), 4))).collect()
        }
        _ => format!("\\U{}", hex(code, 8)),
    }
}
