//! Putting text and JSON on standard output, or where a caller in the interface wants it: control characters visible, counts
//! grouped, columns in line.

use std::path::Path;

use serde_json::Value;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

use crate::fault::{Fault, Kind};

/// Makes control characters visible, so that no text from a file can steer the terminal.
///
/// C0 controls become their pictures (U+2400 on); C1 controls, marks that turn the direction of writing, and characters that take no
/// room become U+FFFD.
pub fn visible(text: &str) -> String {
    let one = |c: char| match c {
        '\n' => c,
        c if c < ' ' => char::from_u32(0x2400 + u32::from(c)).unwrap_or('\u{fffd}'),
        '\u{7f}' => '\u{2421}',
        '\u{80}'..='\u{9f}' => '\u{fffd}',
        c if is_unseen(c) => '\u{fffd}',
        c => c,
    };
    text.chars().map(one).collect()
}

/// Whether a character turns the direction of writing (Unicode Standard Annex 9, 2), or takes no room and joins or parts what it stands
/// between: two titles would look the same, or a line would be read in another order than it is written.
fn is_unseen(c: char) -> bool {
    matches!(
        c,
        '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}'
    )
}

/// A JSON document as text. Characters that nobody would see stand in it as escapes, which every reader turns back into them.
pub fn json_text(value: &Value) -> String {
    let text = serde_json::to_string_pretty(value).unwrap_or_default();
    if !text.chars().any(|c| is_unseen(c) || matches!(c, '\u{7f}'..='\u{9f}')) {
        return text;
    }
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        // They stand in strings alone, and all of them are in the first plane.
        if is_unseen(c) || matches!(c, '\u{7f}'..='\u{9f}') {
            out.push_str(&format!("\\u{:04x}", u32::from(c)));
        } else {
            out.push(c);
        }
    }
    out
}

/// A text of one line, with its control characters and line ends visible.
pub fn line(text: &str) -> String {
    visible(&text.replace('\n', "\u{240a}"))
}

/// A path of one line.
pub fn path(path: &Path) -> String {
    line(&path.to_string_lossy())
}

/// A count with its thousands set apart by thin spaces.
pub fn count(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (n, digit) in digits.chars().enumerate() {
        if n > 0 && (digits.len() - n).is_multiple_of(3) {
            out.push('\u{2009}');
        }
        out.push(digit);
    }
    out
}

/// The cells that a text takes: those of its characters, as a terminal draws them one after another. (As a whole it may be less wide: two
/// Arabic letters that are written as one are drawn in two cells.)
pub fn width(text: &str) -> usize {
    text.graphemes(true).map(UnicodeWidthStr::width).sum()
}

/// A text cut at its end to a number of cells, with an ellipsis.
pub fn cut(text: &str, cells: usize) -> String {
    if width(text) <= cells {
        return text.to_string();
    }
    let mut out = head(text, cells.saturating_sub(1)).to_string();
    if cells > 0 {
        out.push('…');
    }
    out
}

/// A text cut in its middle to a number of cells, as paths are.
pub fn cut_middle(text: &str, cells: usize) -> String {
    if width(text) <= cells {
        return text.to_string();
    }
    let front = cells.saturating_sub(1) / 3;
    let back = tail(text, cells.saturating_sub(1 + front));
    if cells == 0 { String::new() } else { format!("{}…{back}", head(text, front)) }
}

/// A text cut at its beginning to a number of cells, as what is typed is.
pub fn cut_front(text: &str, cells: usize) -> String {
    if width(text) <= cells {
        return text.to_string();
    }
    if cells == 0 { String::new() } else { format!("…{}", tail(text, cells.saturating_sub(1))) }
}

/// The beginning of a text that takes no more than these cells; what is drawn as one stays together.
fn head(text: &str, cells: usize) -> &str {
    let mut used = 0;
    let end = text.grapheme_indices(true).find(|(_, one)| {
        used += one.width();
        used > cells
    });
    &text[..end.map_or(text.len(), |(at, _)| at)]
}

/// The end of a text that takes no more than these cells.
fn tail(text: &str, cells: usize) -> &str {
    let mut used = 0;
    let last = text.grapheme_indices(true).rev().take_while(|(_, one)| {
        used += one.width();
        used <= cells
    });
    &text[last.last().map_or(text.len(), |(at, _)| at)..]
}

/// A text filled up with blanks to a number of cells, or cut to it.
pub fn pad(text: &str, cells: usize) -> String {
    let text = cut(text, cells);
    let blanks = cells.saturating_sub(width(&text));
    format!("{text}{}", " ".repeat(blanks))
}

/// A document: `value` with its format and kind at the front.
pub fn document(kind: &str, value: Value) -> Value {
    let mut document = serde_json::Map::new();
    document.insert("format".into(), 1.into());
    document.insert("kind".into(), kind.into());
    match value {
        Value::Object(fields) => document.extend(fields),
        other => {
            document.insert(kind.into(), other);
        }
    }
    let mut document = Value::Object(document);
    without_contents(&mut document);
    document
}

/// Takes what record files hold beside paths out of a document: a launcher's entry may hold what is nobody else's business.
fn without_contents(value: &mut Value) {
    let kind = |fields: &serde_json::Map<String, Value>, name: &str| {
        fields.get(name).and_then(Value::as_str).map(str::to_string)
    };
    match value {
        Value::Array(all) => all.iter_mut().for_each(without_contents),
        Value::Object(fields) => {
            let (edit, shown) = (kind(fields, "edit"), kind(fields, "kind"));
            let whole_files = edit.as_deref() == Some("made");
            let entries = ["arrives", "leaves", "file-made", "file-goes", "library-known"];
            let place = fields.contains_key("location");
            let whole = place && shown.is_some_and(|kind| entries.contains(&kind.as_str()));
            for (name, value) in fields.iter_mut() {
                let hidden = match name.as_str() {
                    "written" => place,
                    "entry" | "made" => edit.is_some() && !matches!(value, Value::Array(_)),
                    "old" | "new" => whole_files,
                    "before" | "after" => whole,
                    _ => false,
                };
                match value {
                    value if hidden => *value = Value::Null,
                    // The file of a library that is made, and what it holds.
                    Value::Array(made) if name == "made" && edit.is_some() => made.truncate(1),
                    value => without_contents(value),
                }
            }
        }
        _ => {}
    }
}

/// Turns a value of core into JSON.
pub fn to_json(value: &impl serde::Serialize) -> Result<Value, Fault> {
    serde_json::to_value(value)
        .map_err(|error| Fault::new(Kind::Failed, format!("A value cannot be written as JSON: {error}."), ""))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn documents_hold_the_paths_of_records_and_nothing_else_of_their_files() {
        let secret = "token-5417";
        let edits = serde_json::json!([
            {"edit": "enter", "file": "/a", "id": "1", "entry": secret},
            {"edit": "register", "file": "/a", "entry": secret, "made": ["/lib/list.json", secret]},
            {"edit": "made", "file": "/a", "old": null, "new": secret},
            {"edit": "replace", "file": "/a", "location": "$.x", "old": "/o", "new": "/n", "written": [secret, null]},
            {"edit": "travel", "from": "/a", "to": "/b", "rewrites": [{"location": "$.x", "old": "/o", "new": "/n", "written": [secret, secret]}]},
        ]);
        let previews = serde_json::json!([
            {"kind": "arrives", "location": "$.list", "before": "", "after": secret},
            {"kind": "replaced", "location": "$.x", "before": "/o", "after": "/n"},
        ]);
        let mut document = serde_json::json!({"kind": "plan", "items": [{"edits": edits, "previews": previews}], "written": 5, "after": [1]});
        without_contents(&mut document);
        let text = document.to_string();
        assert!(!text.contains(secret), "{text}");
        for kept in ["/lib/list.json", "\"/o\"", "\"/n\"", "\"written\":5", "\"after\":[1]"] {
            assert!(text.contains(kept), "{kept}: {text}");
        }
    }

    #[test]
    fn no_escape_sequence_gets_through() {
        let nasty = "a\u{1b}[31mred\u{7}\u{9b}2J\u{202e}b\r\n";
        let shown = line(nasty);
        assert_eq!(shown, "a␛[31mred␇\u{fffd}2J\u{fffd}b␍␊");
        assert!(!visible(nasty).contains(['\u{1b}', '\u{9b}', '\r', '\u{7}']));
    }

    #[test]
    fn texts_are_cut_by_the_cells_they_take() {
        assert_eq!(cut("日の出 dunes", 6), "日の…");
        assert_eq!(cut_middle("/drives/swift/quillgate/orchard", 15), "/dri…te/orchard");
        assert_eq!(pad("ab", 4), "ab  ");
        for cells in 0..20 {
            assert!(width(&cut_middle("/日/の/出/dunes/and/more", cells)) <= cells);
            assert_eq!(width(&pad("日の出 dunes", cells)), cells);
            // Two letters that are written as one, and a letter with marks of its own.
            for text in ["سلام 2", "e\u{301}e\u{301}e\u{301}e\u{301}", "👩\u{200d}🚀 x"] {
                assert_eq!(width(&pad(text, cells)), cells, "{text}");
                assert!(width(&cut_front(text, cells)) <= cells && width(&cut_middle(text, cells)) <= cells);
            }
        }
    }

    #[test]
    fn counts_are_grouped() {
        assert_eq!([0, 999, 41_208, 1_000_000].map(count), ["0", "999", "41\u{2009}208", "1\u{2009}000\u{2009}000"]);
    }
}
