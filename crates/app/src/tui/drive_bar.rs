//! A drive as a bar, to scale, with what is on it. Laying out is pure; drawing only paints it.

use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

use super::canvas::{Canvas, Hit};
use super::theme::Theme;
use crate::present::cut;

/// What a block is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum BlockKind {
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

/// A block before it is laid out.
#[derive(Clone, Debug, PartialEq)]
pub struct Block<'a> {
    pub kind: BlockKind,
    pub title: &'a str,
    pub bytes: u64,
    pub here: bool,
    pub marked: bool,
    /// What the mouse means by it.
    pub hit: Option<Hit>,
}

/// Cells of a bar: the first one, their number, and the blocks in them. Many small ones share a cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Laid {
    pub start: u16,
    pub width: u16,
    pub first: usize,
    pub count: usize,
}

/// Lays blocks out in a bar of `width` cells that holds `capacity` bytes.
///
/// A block is as wide as its bytes; blocks too small for a cell share one, and are never told larger than they are together.
/// What does not fit goes beyond `width`, up to `most` cells.
pub fn lay_out(blocks: &[Block<'_>], capacity: u64, width: u16, most: u16) -> Vec<Laid> {
    let mut out: Vec<Laid> = Vec::new();
    let (mut before, mut start, mut waiting) = (0_u64, 0_u16, 0_usize);
    for (n, block) in blocks.iter().enumerate() {
        before += block.bytes;
        let exact = before as f64 / capacity.max(1) as f64 * f64::from(width);
        let end = (exact.round() as u16).min(most);
        if end > start {
            out.push(Laid { start, width: end - start, first: waiting, count: n + 1 - waiting });
            (start, waiting) = (end, n + 1);
        }
    }
    // The rest is less than half a cell, and shares the last one.
    if blocks[waiting..].iter().any(|block| block.bytes > 0) {
        match out.last_mut() {
            Some(last) => last.count += blocks.len() - waiting,
            None if width.min(most) > 0 => {
                out.push(Laid { start, width: 1, first: waiting, count: blocks.len() - waiting });
            }
            None => {}
        }
    }
    out
}

/// How a bar is drawn.
pub struct DriveBar<'a> {
    pub blocks: &'a [Block<'a>],
    pub capacity: u64,
    /// Bytes up to the mark of the reserve.
    pub reserve_at: u64,
    /// Cells between its ends.
    pub width: u16,
}

impl DriveBar<'_> {
    /// Draws the bar at the left of `area`, over all its rows.
    pub fn draw(&self, area: Rect, canvas: &mut Canvas<'_>) {
        if area.width < 4 {
            return;
        }
        let theme = canvas.theme;
        let most = area.width.saturating_sub(2);
        let width = self.width.min(most);
        let mark = (self.reserve_at as f64 / self.capacity.max(1) as f64 * f64::from(width)).round() as u16;
        for row in area.y..area.bottom() {
            canvas.buffer.set_string(area.x, row, "▐", theme.dim());
            for cell in 0..width {
                let (sign, style) = if cell == mark { ("┊", theme.text()) } else { ("·", theme.faint()) };
                canvas.buffer.set_string(area.x + 1 + cell, row, sign, style);
            }
            canvas.buffer.set_string(area.x + 1 + width, row, "▌", theme.dim());
        }
        for laid in lay_out(self.blocks, self.capacity, width, most) {
            self.block(laid, area, width, canvas);
        }
    }

    fn block(&self, laid: Laid, area: Rect, width: u16, canvas: &mut Canvas<'_>) {
        let theme = canvas.theme;
        let inside = &self.blocks[laid.first..laid.first + laid.count];
        let here = inside.iter().find(|block| block.here);
        let largest = inside.iter().max_by_key(|block| block.bytes);
        let Some(block) = here.or(largest) else { return };
        let (style, fill) = style_of(theme, block.kind);
        for row in area.y..area.bottom() {
            for cell in laid.start..laid.start + laid.width {
                // Beyond the end of the bar nothing is held: the load spills.
                let (sign, style) = if cell >= width { ("▚", theme.danger()) } else { (fill, style) };
                canvas.buffer.set_string(area.x + 1 + cell, row, sign, style);
            }
            // The edge tells two blocks of one launcher apart.
            let edge = if block.here { "▌" } else { "▏" };
            if laid.start < width {
                let edge_style =
                    if block.here { Style::new().fg(theme.strong().fg.unwrap_or_default()) } else { theme.ground() };
                let style = style.patch(Style { bg: style.bg, ..edge_style });
                canvas.buffer.set_string(area.x + 1 + laid.start, row, edge, style);
            }
        }
        if let Some(hit) = block.hit {
            let cells = Rect { x: area.x + 1 + laid.start, width: laid.width, ..area };
            canvas.hit(cells, hit);
        }
        // What spills keeps its sign: no title is written over it.
        let inside_bar = (laid.start + laid.width).min(width).saturating_sub(laid.start);
        let room = usize::from(inside_bar.saturating_sub(1));
        // What shares its cells with crumbs is still named; a cell of many small ones is nobody's.
        let all: u64 = inside.iter().map(|block| block.bytes).sum();
        let alone = block.bytes >= all / 10 * 9;
        let title = if alone { title_of(block, room) } else { String::new() };
        let marked = if inside.iter().any(|block| block.marked) { "◆" } else { "" };
        let style = if block.here { style.add_modifier(Modifier::BOLD) } else { style };
        if room > 1 {
            canvas.buffer.set_string(area.x + 2 + laid.start, area.y, cut(&format!("{marked}{title}"), room), style);
        } else if !marked.is_empty() && inside_bar > 0 {
            canvas.buffer.set_string(area.x + 1 + laid.start, area.y, marked, style);
        }
        if block.here && area.height > 1 && room > 1 {
            canvas.buffer.set_string(area.x + 2 + laid.start, area.bottom() - 1, "▔".repeat(room), style);
        }
    }
}

fn title_of(block: &Block<'_>, room: usize) -> String {
    let title = crate::present::line(block.title);
    match block.kind {
        BlockKind::Leaving { to: Some(to), .. } if room > 3 => format!("→{to} {title}"),
        BlockKind::Arriving if room > 2 => format!("+{title}"),
        _ => title,
    }
}

fn style_of(theme: Theme, kind: BlockKind) -> (Style, &'static str) {
    let plain = theme.plain();
    match kind {
        BlockKind::Other => (theme.other(), if plain { "▒" } else { " " }),
        BlockKind::Game { launcher } => (theme.game(launcher), theme.pattern(launcher)),
        BlockKind::Leaving { launcher, .. } => {
            (theme.hollow(launcher), if plain { "░" } else { theme.pattern(launcher) })
        }
        BlockKind::Arriving => (theme.arriving(), if plain { "+" } else { " " }),
        BlockKind::Held => (theme.held(), "╱"),
    }
}

#[cfg(test)]
mod tests {
    use ratatui::buffer::Buffer;

    use super::super::theme::Depth;
    use super::*;
    use crate::config::Ground;

    fn block(bytes: u64) -> Block<'static> {
        Block { kind: BlockKind::Other, title: "x", bytes, here: false, marked: false, hit: None }
    }

    fn spans(blocks: &[Block<'_>], capacity: u64, width: u16, most: u16) -> Vec<(u16, u16)> {
        lay_out(blocks, capacity, width, most).iter().map(|l| (l.start, l.width)).collect()
    }

    #[test]
    fn blocks_are_to_scale_and_touch_each_other() {
        assert_eq!(spans(&[block(250), block(250), block(500)], 1000, 40, 60), [(0, 10), (10, 10), (20, 20)]);
    }

    #[test]
    fn two_thousand_small_blocks_share_cells_and_take_no_more_room_than_they_are() {
        let blocks = vec![block(100); 2000];
        let laid = lay_out(&blocks, 400_000, 130, 150);
        assert_eq!(laid.iter().map(|l| l.count).sum::<usize>(), 2000);
        assert_eq!(laid.iter().map(|l| l.width).sum::<u16>(), 65, "half of the drive");
    }

    #[test]
    fn what_does_not_fit_spills_and_never_leaves_the_screen() {
        assert_eq!(spans(&[block(900), block(400)], 1000, 40, 45), [(0, 36), (36, 9)]);
        for most in 0..5 {
            for laid in lay_out(&vec![block(1); 30], 3, 3, most) {
                assert!(laid.start + laid.width <= most);
            }
        }
    }

    #[test]
    fn what_is_less_than_a_cell_is_still_seen() {
        assert_eq!(spans(&[block(1)], 1_000_000, 40, 60), [(0, 1)]);
        assert_eq!(spans(&[block(0)], 1_000_000, 40, 60), []);
    }

    #[test]
    fn a_hull_draws_in_any_area() {
        let theme = Theme { depth: Depth::True, ground: Ground::Dark };
        let blocks = [block(10), Block { kind: BlockKind::Held, here: true, marked: true, ..block(30) }];
        let bar = DriveBar { blocks: &blocks, capacity: 50, reserve_at: 45, width: 30 };
        for (width, height) in [(0, 0), (1, 1), (5, 1), (40, 2), (12, 3)] {
            let area = Rect::new(0, 0, width, height);
            bar.draw(area, &mut Canvas { buffer: &mut Buffer::empty(area), theme, hits: Vec::new() });
        }
    }
}
