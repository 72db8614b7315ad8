//! Putting text and JSON on standard output, or where a caller in the interface wants it: control characters visible, counts
//! grouped, columns in line.

use std::path::Path;
use unicode_segmentation::UnicodeSegmentation;

use unicode_width::UnicodeWidthStr;

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
pub(crate) fn is_unseen(c: char) -> bool {
    matches!(
        c,
        '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}'
    )
}

/// A text of one line, with its control characters and line ends visible.
pub fn line(text: &str) -> String {
    visible(&text.replace('\n', "\u{240a}"))
}

/// A path of one line.
pub fn path(path: &Path) -> String {
    line(&path.to_string_lossy())
}

/// A text as one word of a shell's command line, so that a command that is shown can be copied.
pub fn shell_word(text: &str) -> String {
    let shown = line(text);
    deft_barge_core::platform::shell_word(&shown)
}

/// A count with commas between its thousands.
pub fn count(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (n, digit) in digits.chars().enumerate() {
        if n > 0 && (digits.len() - n).is_multiple_of(3) {
            out.push(',');
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

/// A number as one of cells on a screen: no terminal is wider or higher than this, and sums of some of them stay numbers of cells.
pub fn in_cells(n: usize) -> u16 {
    const MOST: u16 = 10_000;
    u16::try_from(n).map_or(MOST, |n| n.min(MOST))
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

#[cfg(test)]
mod tests {
    use super::*;

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
        assert_eq!([0, 999, 41_208, 1_000_000].map(count), ["0", "999", "41,208", "1,000,000"]);
    }
}
