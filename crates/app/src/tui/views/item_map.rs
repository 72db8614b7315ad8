//! The bytes of the item in hand on a map: what is written, verified, copied again, and what cannot be read.

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::{ByteState, Progress};
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::canvas::Canvas;
use super::super::theme::Theme;
use crate::present::{in_cells, line, pad};

/// Columns before the map, as those of the phases above it.
const LEFT: u16 = 12;

/// Columns below which what a cell is stands in a row of its own.
const NARROW: u16 = 130;

/// Rows of cells at most, and those of the words below them.
fn room(area: Rect) -> (usize, u16) {
    let words = 1 + u16::from(area.width < NARROW);
    (usize::from(area.height.saturating_sub(words + 1)).min(4), words)
}

/// Rows that it takes with what its signs are; nothing where it has no room.
pub(super) fn rows(progress: &Progress, area: Rect) -> u16 {
    let wide = usize::from(area.width.saturating_sub(LEFT));
    let (most, words) = room(area);
    if wide < 20 || progress.map.len() < 2 || most == 0 {
        return 0;
    }
    in_cells(progress.map.len().div_ceil(wide).min(most)) + words + 1
}

/// The cells, several made one where there is no room for all.
fn cells(progress: &Progress, most: usize) -> Vec<ByteState> {
    let all: Vec<ByteState> = progress.map.chars().filter_map(ByteState::of).collect();
    all.chunks(all.len().div_ceil(most.max(1)).max(1)).map(together).collect()
}

/// What several cells are as one: what cannot be read shows, and of the rest what all of them are.
fn together(cells: &[ByteState]) -> ByteState {
    let (least, most) = (cells.iter().min(), cells.iter().max());
    match (least, most) {
        (_, Some(ByteState::Unreadable)) => ByteState::Unreadable,
        (Some(ByteState::Verified), Some(ByteState::Repaired)) => ByteState::Repaired,
        (Some(ByteState::Waiting), Some(most)) if *most > ByteState::Waiting => ByteState::Partly,
        (Some(least), _) => *least,
        (None, _) => ByteState::Waiting,
    }
}

/// Draws the map and below it what its signs are.
pub(super) fn draw(progress: &Progress, area: Rect, canvas: &mut Canvas<'_>) {
    let wide = usize::from(area.width.saturating_sub(LEFT));
    let cells = cells(progress, wide * room(area).0);
    let theme = canvas.theme;
    let all = progress.copy.all.count();
    canvas.put_at(2, 0, &pad("its bytes", 9), theme.dim(), area);
    // As many in each row, so that no row ends short.
    let rows = cells.len().div_ceil(wide).max(1);
    let wide = cells.len().div_ceil(rows).max(1);
    for (n, state) in cells.iter().enumerate() {
        let (sign, style) = look(*state, theme);
        canvas.put_at(LEFT + in_cells(n % wide), in_cells(n / wide), sign, style, area);
    }
    let y = in_cells(rows);
    let narrow = area.width < NARROW;
    let each = Bytes::new(all.div_ceil(cells.len().max(1) as u64));
    let mut x = if narrow { 2 } else { LEFT };
    let shown = [
        (ByteState::Waiting, "to come"),
        (ByteState::Written, "written"),
        (ByteState::Verified, "verified"),
        (ByteState::Repaired, "copied again"),
        (ByteState::Unreadable, "unreadable"),
    ];
    // What went wrong is told of only where it did.
    let there = |state: &ByteState| *state < ByteState::Repaired || cells.contains(state);
    for (state, words) in shown.into_iter().filter(|(state, _)| there(state)) {
        let (sign, style) = look(state, theme);
        canvas.put_at(x, y, sign, style, area);
        canvas.put_at(x + 2, y, words, theme.dim(), area);
        x += in_cells(words.chars().count()) + 5;
    }
    let text = format!("{each} each, in the order of {}'s files", line(&progress.title));
    let (x, y) = if narrow { (2, y + 1) } else { (x, y) };
    canvas.put_at(x, y, &text, theme.dim(), area);
}

fn look(state: ByteState, theme: Theme) -> (&'static str, Style) {
    match state {
        ByteState::Waiting => ("·", theme.dim()),
        ByteState::Partly => ("▫", theme.dim()),
        ByteState::Written => ("▫", theme.text()),
        ByteState::Verified => ("▪", theme.good()),
        ByteState::Repaired => ("◈", theme.strong()),
        ByteState::Unreadable => ("✕", theme.danger()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn several_cells_are_what_all_of_them_are_and_what_cannot_be_read_shows() {
        let together = |letters: &str| together(&letters.chars().filter_map(ByteState::of).collect::<Vec<_>>());
        assert_eq!(together("vvxv"), ByteState::Unreadable);
        assert_eq!(together("vrv"), ByteState::Repaired);
        assert_eq!(together("wvr"), ByteState::Written);
        assert_eq!(together("-v"), ByteState::Partly);
        assert_eq!(together("--"), ByteState::Waiting);
    }
}
