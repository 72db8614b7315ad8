//! Names in scripts that are written from right to left, kept from turning the line around them.
//!
//! A terminal that knows such scripts reorders a whole line as soon as it holds one of their letters: figures and columns behind a
//! title would change places. Each stretch of them stands between isolates (Unicode Standard Annex 9, 2.4), so that it is turned by
//! itself. What is shown through here was made visible before (`show::visible`): no other such mark is in it.

use std::borrow::Cow;
use std::ops::Range;

use ratatui::buffer::Buffer;
use unicode_bidi::{BidiClass, bidi_class};

/// Begins a stretch that is written from right to left.
const ISOLATE: char = '\u{2067}';
/// Ends it.
const POP: char = '\u{2069}';

/// What a character does to the direction of what is around it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Pull {
    /// It turns it.
    Left,
    /// It goes with a stretch that it lies within.
    Along,
    /// It ends a stretch.
    Right,
}

fn pull(c: char) -> Pull {
    match bidi_class(c) {
        BidiClass::R | BidiClass::AL | BidiClass::AN => Pull::Left,
        BidiClass::L | BidiClass::B | BidiClass::S => Pull::Right,
        _ => Pull::Along,
    }
}

/// The stretches of right-to-left letters among items, with what lies between two letters of one; `gap` parts them.
fn stretches<T>(offers: &[T], pull: impl Fn(&T) -> Pull, gap: impl Fn(usize) -> bool) -> Vec<Range<usize>> {
    let mut found: Vec<Range<usize>> = Vec::new();
    let mut open = false;
    for (n, offer) in offers.iter().enumerate() {
        match pull(offer) {
            Pull::Left if open => found.last_mut().into_iter().for_each(|last| last.end = n + 1),
            Pull::Left => {
                found.push(n..n + 1);
                open = true;
            }
            Pull::Along if open => open = !gap(n),
            Pull::Along => {}
            Pull::Right => open = false,
        }
    }
    found
}

/// A text for a terminal, each stretch of right-to-left letters isolated.
pub fn isolated(text: &str) -> Cow<'_, str> {
    if text.is_ascii() || !text.chars().any(|c| pull(c) == Pull::Left) {
        return Cow::Borrowed(text);
    }
    let chars: Vec<char> = text.chars().collect();
    // Two blanks part the columns of a table.
    let gap = |n: usize| chars[n] == ' ' && chars.get(n + 1) == Some(&' ');
    let stretches = stretches(&chars, |c| pull(*c), gap);
    let mut out = String::with_capacity(text.len() + stretches.len() * 6);
    let mut next = stretches.iter().peekable();
    for (n, c) in chars.iter().enumerate() {
        if next.peek().is_some_and(|stretch| stretch.start == n) {
            out.push(ISOLATE);
        }
        out.push(*c);
        if next.next_if(|stretch| stretch.end == n + 1).is_some() {
            out.push(POP);
        }
    }
    Cow::Owned(out)
}

/// Does the same with what is drawn: the marks take no cell of their own.
pub fn isolate(buffer: &mut Buffer) {
    let width = usize::from(buffer.area.width).max(1);
    for row in buffer.content.chunks_mut(width) {
        if row.iter().all(|cell| cell.symbol().is_ascii()) {
            continue;
        }
        let of = |symbol: &str| {
            let pulls = symbol.chars().map(pull);
            // Frames and bars part columns.
            let first = symbol.chars().next();
            let frame = first.is_some_and(|c| matches!(c, '\u{2500}'..='\u{259f}'));
            if frame { Pull::Right } else { pulls.max_by_key(|pull| *pull != Pull::Along).unwrap_or(Pull::Along) }
        };
        let blank = |n: usize| row.get(n).is_some_and(|cell: &ratatui::buffer::Cell| cell.symbol() == " ");
        let found = stretches(row, |cell| of(cell.symbol()), |n| blank(n) && blank(n + 1));
        for stretch in found {
            let begun = format!("{ISOLATE}{}", row[stretch.start].symbol());
            row[stretch.start].set_symbol(&begun);
            let ended = format!("{}{POP}", row[stretch.end - 1].symbol());
            row[stretch.end - 1].set_symbol(&ended);
        }
    }
}

#[cfg(test)]
mod tests {
    use ratatui::layout::Rect;
    use ratatui::style::Style;
    use unicode_width::UnicodeWidthStr;

    use super::*;

    #[test]
    fn each_stretch_of_right_to_left_letters_stands_between_isolates() {
        for (text, shown) in [
            ("Fen  12 GB", "Fen  12 GB"),
            ("日の出  12 GB", "日の出  12 GB"),
            ("שלום  12 GB  on swift", "\u{2067}שלום\u{2069}  12 GB  on swift"),
            ("a שלום, עולם! b", "a \u{2067}שלום, עולם\u{2069}! b"),
            ("سلام 2  on سلام", "\u{2067}سلام\u{2069} 2  on \u{2067}سلام\u{2069}"),
            ("א\nב", "\u{2067}א\u{2069}\n\u{2067}ב\u{2069}"),
        ] {
            assert_eq!(isolated(text), shown, "{text:?}");
            assert_eq!(isolated(text).width(), text.width());
        }
    }

    #[test]
    fn what_is_drawn_keeps_its_cells_and_its_marks_are_in_pairs() {
        let mut buffer = Buffer::empty(Rect::new(0, 0, 30, 3));
        buffer.set_string(0, 0, "│ שלום עולם │ 12 GB │", Style::new());
        buffer.set_string(0, 1, "Fen   12 GB", Style::new());
        buffer.set_string(0, 2, "שלום   سلام", Style::new());
        let before = buffer.clone();
        isolate(&mut buffer);
        let row = |y: u16| (0..30).map(|x| buffer[(x, y)].symbol()).collect::<String>();
        assert!(row(0).starts_with("│ \u{2067}שלום עולם\u{2069} │ 12 GB │"), "{:?}", row(0));
        assert_eq!(row(1).trim_end(), "Fen   12 GB");
        assert_eq!(row(2).trim_end(), "\u{2067}שלום\u{2069}   \u{2067}سلام\u{2069}");
        for (now, then) in buffer.content.iter().zip(&before.content) {
            assert_eq!(now.symbol().width(), then.symbol().width());
        }
    }
}
