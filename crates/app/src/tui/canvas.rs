//! What a frame is drawn on: the cells, the styles, and what lies where for the mouse.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::Line;
use ratatui::widgets::{Paragraph, Widget, Wrap};

use super::theme::Theme;
use crate::commands::{View, Wish};
use crate::present::{cut, in_cells, line};

/// What a cell of the screen stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Hit {
    View(View),
    Wish(Wish),
    /// A drive, by its place in the survey.
    Drive(usize),
    /// A game, by its place in the survey, in a bar or a list.
    Game(usize),
    /// Files of no game, on a drive.
    Other(usize),
    /// Held originals, by their place in the survey.
    Held(usize),
    /// A line of the list of the view.
    Row(usize),
    /// A line of the chooser.
    Choice(usize),
    /// A key that answers the question.
    Answer(char),
    /// A moment of the plan.
    Moment(usize),
}

/// Areas and what they stand for; later ones lie on top.
pub type Hits = Vec<(Rect, Hit)>;

/// A frame that is being drawn.
pub struct Canvas<'a> {
    pub buffer: &'a mut Buffer,
    pub theme: Theme,
    pub hits: Hits,
}

impl Canvas<'_> {
    /// Puts one line of text at the beginning of an area, cut to it, whatever stands in it made visible.
    pub fn put(&mut self, text: &str, style: Style, area: Rect) {
        if area.height > 0 && area.width > 0 {
            self.buffer.set_string(area.x, area.y, cut(&line(text), usize::from(area.width)), style);
        }
    }

    /// Puts a bar of so many cells, in which each part of the whole has its own sign and style, and the rest is dotted. Gives the column
    /// after it.
    pub fn put_parts(
        &mut self,
        (x, y): (u16, u16),
        cells: usize,
        whole: f64,
        parts: &[(f64, &str, Style)],
        area: Rect,
    ) -> u16 {
        self.put_at(x, y, "▐", self.theme.dim(), area);
        let mut drawn = 0;
        for (part, sign, style) in parts {
            // A part that is there is seen, however small it is.
            let count = (part / whole.max(1.0) * cells as f64).round() as usize;
            let count = count.max(usize::from(*part > 0.0)).min(cells - drawn);
            self.put_at(x + 1 + in_cells(drawn), y, &sign.repeat(count), *style, area);
            drawn += count;
        }
        self.put_at(x + 1 + in_cells(drawn), y, &"·".repeat(cells - drawn), self.theme.faint(), area);
        let end = x + 1 + in_cells(cells);
        self.put_at(end, y, "▌", self.theme.dim(), area);
        end + 1
    }

    /// Puts text at column `x` of row `y` of an area, as far as there is room.
    pub fn put_at(&mut self, x: u16, y: u16, text: &str, style: Style, area: Rect) {
        if y < area.height && x < area.width {
            self.put(text, style, Rect { x: area.x + x, y: area.y + y, width: area.width - x, height: 1 });
        }
    }

    /// Puts text at the right end of the first row of an area, if there is room for all of it.
    pub fn put_right(&mut self, text: &str, style: Style, area: Rect) {
        let width = in_cells(crate::present::width(text));
        if width <= area.width && area.height > 0 {
            self.put(text, style, Rect { x: area.right() - width, width, height: 1, ..area });
        }
    }

    /// Puts text that goes on in the next row, and gives the rows that it took.
    pub fn put_wrapped(&mut self, text: &str, style: Style, area: Rect) -> u16 {
        let paragraph = Paragraph::new(crate::present::visible(text)).style(style).wrap(Wrap { trim: true });
        let rows = rows_of(text, area.width).min(area.height);
        paragraph.render(Rect { height: rows, ..area }, self.buffer);
        rows
    }

    /// Puts a line of several styles.
    pub fn put_line(&mut self, y: u16, text: Line<'_>, area: Rect) {
        if y < area.height {
            text.render(Rect { y: area.y + y, height: 1, ..area }, self.buffer);
        }
    }

    /// Fills a row of an area.
    pub fn fill(&mut self, y: u16, style: Style, area: Rect) {
        if y < area.height {
            self.buffer.set_string(area.x, area.y + y, " ".repeat(usize::from(area.width)), style);
        }
    }

    /// Says what an area stands for.
    pub fn hit(&mut self, area: Rect, hit: Hit) {
        self.hits.push((area.intersection(self.buffer.area), hit));
    }

    /// Says what a row of an area stands for.
    pub fn hit_row(&mut self, y: u16, area: Rect, hit: Hit) {
        if y < area.height {
            self.hit(Rect { y: area.y + y, height: 1, ..area }, hit);
        }
    }
}

/// Rows that a text takes, by the cells of its words.
pub fn rows_of(text: &str, width: u16) -> u16 {
    let width = usize::from(width.max(1));
    let mut rows = 0;
    for part in text.split('\n') {
        let mut used = 0;
        rows += 1;
        for word in part.split(' ') {
            let cells = crate::present::width(word);
            if used > 0 && used + 1 + cells > width {
                rows += 1;
                used = cells;
            } else {
                used += cells + usize::from(used > 0);
            }
            // A word longer than a row is broken.
            rows += (used.saturating_sub(1)) / width;
            used = if used > width { used % width } else { used };
        }
    }
    in_cells(rows)
}

/// What lies in a cell.
pub fn hit_at(hits: &Hits, x: u16, y: u16) -> Option<Hit> {
    hits.iter().rev().find(|(area, _)| area.contains((x, y).into())).map(|(_, hit)| *hit)
}

/// A part as a bar of so many cells.
pub fn bar(part: f64, cells: usize) -> String {
    let full = (part.clamp(0.0, 1.0) * cells as f64).round() as usize;
    format!("{}{}", "━".repeat(full), "┄".repeat(cells - full))
}

/// A line of values from 0 to 1, one cell each, in eighths of a row; `rows` of them beneath one another, top first.
pub fn curve(values: &[f64], rows: usize) -> Vec<String> {
    const STEPS: [&str; 9] = [" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
    let cell = |value: f64, row: usize| {
        let eighths = value.clamp(0.0, 1.0) * rows as f64 * 8.0 - ((rows - 1 - row) * 8) as f64;
        STEPS[eighths.round().clamp(0.0, 8.0) as usize]
    };
    (0..rows).map(|row| values.iter().map(|value| cell(*value, row)).collect()).collect()
}

/// The first line that is shown, so that the one under the cursor is seen, and those around it.
pub fn first_shown(cursor: usize, rows: usize, all: usize) -> usize {
    cursor.saturating_sub(rows.saturating_sub(1) * 2 / 3).min(all.saturating_sub(rows))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_curve_is_as_high_as_its_values() {
        assert_eq!(curve(&[0.0, 0.5, 1.0], 2), ["  █", " ██"]);
        assert_eq!(curve(&[0.25], 1), ["▂"]);
        assert_eq!(curve(&[7.0, f64::NAN], 1)[0].chars().next(), Some('█'));
    }

    #[test]
    fn the_line_under_the_cursor_is_always_shown() {
        for all in 0..40 {
            for rows in 1..12 {
                for cursor in 0..all {
                    let first = first_shown(cursor, rows, all);
                    assert!(first <= cursor && cursor < first + rows, "{cursor} of {all} in {rows}");
                }
            }
        }
    }

    #[test]
    fn rows_are_counted_as_words_are_broken() {
        assert_eq!(rows_of("one two three", 7), 2);
        assert_eq!(rows_of("one\ntwo", 20), 2);
        assert_eq!(rows_of("", 5), 1);
    }
}
