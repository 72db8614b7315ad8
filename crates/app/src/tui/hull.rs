//! A drive as a hull, to scale, with its cargo in it. Laying out is pure; drawing only paints it.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::theme::{Depth, Theme};
use crate::show::cut;

/// What a block of cargo is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cargo {
    /// Files of no game.
    Other,
    /// A game that stays.
    Game { launcher: usize },
    /// A game that will leave, for the drive with this digit.
    Leaving { launcher: usize, to: Option<u8> },
    /// A game that will have arrived.
    Arriving,
    /// Held originals.
    Held,
}

/// A block of cargo before it is laid out.
#[derive(Clone, Debug, PartialEq)]
pub struct Block {
    pub cargo: Cargo,
    pub title: String,
    pub bytes: u64,
    pub here: bool,
}

/// A block in cells: first cell and number of cells.
#[derive(Clone, Debug, PartialEq)]
pub struct Laid {
    pub start: u16,
    pub width: u16,
    pub block: Block,
}

/// Lays blocks out in a hull of `width` cells that holds `capacity` bytes.
///
/// A block is as wide as its bytes; the smallest ones get a cell as long as there are cells. What does
/// not fit goes beyond `width`, up to `most` cells.
pub fn lay_out(blocks: &[Block], capacity: u64, width: u16, most: u16) -> Vec<Laid> {
    let mut out: Vec<Laid> = Vec::new();
    let mut before = 0_u64;
    let mut start = 0_u16;
    for block in blocks.iter().filter(|block| block.bytes > 0) {
        before += block.bytes;
        let exact = before as f64 / capacity.max(1) as f64 * f64::from(width);
        let end = (exact.round() as u16).max(start + 1).min(most);
        if end > start {
            out.push(Laid { start, width: end - start, block: block.clone() });
        }
        start = start.max(end);
    }
    out
}

/// How a hull is drawn.
pub struct Hull<'a> {
    pub blocks: &'a [Block],
    pub capacity: u64,
    /// Bytes up to the mark of the reserve.
    pub reserve_at: u64,
    /// Cells between its ends.
    pub width: u16,
    pub theme: Theme,
}

impl Hull<'_> {
    /// Draws the hull at the left of `area`, over all its rows.
    pub fn draw(&self, area: Rect, buffer: &mut Buffer) {
        if area.width < 4 {
            return;
        }
        let theme = self.theme;
        let most = area.width.saturating_sub(2);
        let width = self.width.min(most);
        let mark = (self.reserve_at as f64 / self.capacity.max(1) as f64 * f64::from(width)).round() as u16;
        for row in area.y..area.bottom() {
            buffer.set_string(area.x, row, "▐", theme.dim());
            for cell in 0..width {
                let (sign, style) = if cell == mark { ("┊", theme.text()) } else { ("·", theme.faint()) };
                buffer.set_string(area.x + 1 + cell, row, sign, style);
            }
            buffer.set_string(area.x + 1 + width, row, "▌", theme.dim());
        }
        for laid in lay_out(self.blocks, self.capacity, width, most) {
            self.block(&laid, area, width, buffer);
        }
    }

    fn block(&self, laid: &Laid, area: Rect, width: u16, buffer: &mut Buffer) {
        let theme = self.theme;
        let (style, fill) = self.style(laid.block.cargo);
        for row in area.y..area.bottom() {
            for cell in laid.start..laid.start + laid.width {
                // Beyond the end of the hull nothing is held: the load spills.
                let (sign, style) = if cell >= width { ("▚", theme.danger()) } else { (fill, style) };
                buffer.set_string(area.x + 1 + cell, row, sign, style);
            }
            // The edge tells two blocks of one launcher apart.
            let edge = if laid.block.here { "▌" } else { "▏" };
            if laid.start < width {
                let edge_style = if laid.block.here {
                    Style::new().fg(theme.strong().fg.unwrap_or_default())
                } else {
                    theme.ground()
                };
                buffer.set_string(
                    area.x + 1 + laid.start,
                    row,
                    edge,
                    style.patch(Style { bg: style.bg, ..edge_style }),
                );
            }
        }
        // What spills keeps its sign: no title is written over it.
        let inside = (laid.start + laid.width).min(width).saturating_sub(laid.start);
        let room = usize::from(inside.saturating_sub(1));
        let text = match laid.block.cargo {
            Cargo::Leaving { to: Some(to), .. } if room > 3 => format!("→{to} {}", laid.block.title),
            Cargo::Arriving if room > 2 => format!("+{}", laid.block.title),
            _ => laid.block.title.clone(),
        };
        let style = if laid.block.here { style.add_modifier(ratatui::style::Modifier::BOLD) } else { style };
        if room > 1 {
            buffer.set_string(area.x + 2 + laid.start, area.y, cut(&text, room), style);
        }
        if laid.block.here && area.height > 1 && room > 1 {
            buffer.set_string(area.x + 2 + laid.start, area.bottom() - 1, "▔".repeat(room), style);
        }
    }

    fn style(&self, cargo: Cargo) -> (Style, &'static str) {
        let theme = self.theme;
        let plain = theme.depth == Depth::None;
        match cargo {
            Cargo::Other => (theme.other(), if plain { "▒" } else { " " }),
            Cargo::Game { launcher } => (theme.cargo(launcher), " "),
            Cargo::Leaving { launcher, .. } => (theme.hollow(launcher), if plain { "░" } else { " " }),
            Cargo::Arriving => (theme.arriving(), if plain { "+" } else { " " }),
            Cargo::Held => (theme.held(), "╱"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn block(bytes: u64) -> Block {
        Block { cargo: Cargo::Other, title: "x".into(), bytes, here: false }
    }

    #[test]
    fn blocks_are_to_scale_and_touch_each_other() {
        let laid = lay_out(&[block(250), block(250), block(500)], 1000, 40, 60);
        let spans: Vec<_> = laid.iter().map(|l| (l.start, l.width)).collect();
        assert_eq!(spans, [(0, 10), (10, 10), (20, 20)]);
    }

    #[test]
    fn what_does_not_fit_spills_and_never_leaves_the_screen() {
        let laid = lay_out(&[block(900), block(400)], 1000, 40, 45);
        assert_eq!(laid[1].start + laid[1].width, 45);
        for most in 0..5 {
            for laid in lay_out(&vec![block(1); 30], 3, 3, most) {
                assert!(laid.start + laid.width <= most);
            }
        }
    }

    #[test]
    fn a_hull_draws_in_any_area() {
        let theme = Theme { depth: Depth::True };
        let blocks = [block(10), Block { cargo: Cargo::Held, here: true, ..block(30) }];
        let hull = Hull { blocks: &blocks, capacity: 50, reserve_at: 45, width: 30, theme };
        for (width, height) in [(0, 0), (1, 1), (5, 1), (40, 2), (12, 3)] {
            let area = Rect::new(0, 0, width, height);
            hull.draw(area, &mut Buffer::empty(area));
        }
    }
}
