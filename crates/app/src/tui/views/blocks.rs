//! All blocks of a game on one map, in the order of its files: what a proof says of each.

use std::collections::HashMap;

use deft_barge_core::checksums::BLOCK;
use deft_barge_core::haul::ListedEntry;
use deft_barge_core::item::{Difference, DifferenceKind, Proof};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

use super::super::canvas::Canvas;
use super::super::state::State;
use crate::present::{in_cells, words};

/// What is known of a block, the worst last: several may share a cell.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Known {
    Same,
    NotRead,
    Differs,
}

/// Draws the map into an area, with a line that says what its signs are. What lies under the cursor stands out.
pub(super) fn draw(state: &State, proof: &Proof, area: Rect, canvas: &mut Canvas<'_>) {
    let Some((_, files)) = &state.proofs.files else { return };
    if area.height < 4 || area.width < 24 {
        return;
    }
    let theme = canvas.theme;
    let width = usize::from(area.width);
    let room = width * usize::from(area.height - 2);
    // Of some ten thousand files each is asked in each frame: bytes are compared, and no parts of paths.
    let cursor = state.proofs.rows.get(state.proofs.cursor).map(|row| row.path.as_os_str().as_encoded_bytes());
    let is_here = |file: &ListedEntry| {
        let rest = cursor.and_then(|row| file.path.as_os_str().as_encoded_bytes().strip_prefix(row));
        rest.is_some_and(|rest| rest.first().is_none_or(|byte| std::path::is_separator(char::from(*byte))))
    };
    let map = map_of(files, proof, &is_here, room);
    let Some(each) = map.each else { return };
    let share = if each > 1 { format!(", {each} to a cell") } else { String::new() };
    let text = format!("{} of at most 4.2 MB, in the order of the files{share}", words::several(map.blocks, "block"));
    canvas.put_at(0, 0, &text, theme.dim(), area);
    for (n, (known, here)) in map.cells.iter().enumerate() {
        let (sign, style) = match known {
            Known::Same => ("▪", theme.good()),
            Known::NotRead => ("·", theme.dim()),
            Known::Differs => ("✕", theme.danger()),
        };
        let style = match (here, theme.plain()) {
            (true, false) => Style { bg: theme.cursor().bg.or(style.bg), ..style },
            (true, true) => style.add_modifier(Modifier::UNDERLINED),
            (false, _) => style,
        };
        canvas.put_at(in_cells(n % width), in_cells(n / width) + 1, sign, style, area);
    }
    let rows = in_cells(map.cells.len().div_ceil(width));
    canvas.put_at(0, rows + 1, "▪ the same   ✕ differs or is missing   · not read", theme.dim(), area);
}

struct Map {
    blocks: usize,
    /// Blocks that share a cell; nothing where there are no blocks.
    each: Option<usize>,
    /// What is known, and whether the cursor is on it.
    cells: Vec<(Known, bool)>,
}

/// The cells of so many at most. A file has a block at least.
fn map_of(files: &[ListedEntry], proof: &Proof, is_here: &dyn Fn(&ListedEntry) -> bool, most: usize) -> Map {
    let mut wrong: HashMap<&str, &Difference> = HashMap::new();
    for difference in &proof.differences {
        // What is new was not there to be read, and its metadata is no byte of a file.
        if !matches!(difference.kind, DifferenceKind::Extra | DifferenceKind::Beside) {
            wrong.insert(&difference.path, difference);
        }
    }
    let blocks = |file: &ListedEntry| file.size.div_ceil(BLOCK).max(1) as usize;
    let files = || files.iter().filter(|file| !file.folder);
    let all: usize = files().map(blocks).sum();
    let each = all.div_ceil(most.max(1)).max(1);
    let mut cells: Vec<(Known, bool)> = Vec::with_capacity(all / each + 1);
    let mut nth = 0;
    for file in files() {
        let own = if file.compared { Known::Same } else { Known::NotRead };
        let fault = if wrong.is_empty() { None } else { wrong.get(file.path.to_string_lossy().as_ref()) };
        let here = is_here(file);
        let (first, last) = (nth, nth + blocks(file) - 1);
        for cell in first / each..=last / each {
            let (from, to) = ((cell * each).max(first) - first, (cell * each + each - 1).min(last) - first);
            let differs = fault.is_some_and(|fault| (from..=to).any(|block| fault.has(block as u64)));
            let known = if differs { Known::Differs } else { own };
            match cells.get_mut(cell) {
                Some(shared) => *shared = (shared.0.max(known), shared.1 | here),
                None => cells.push((known, here)),
            }
        }
        nth = last + 1;
    }
    Map { blocks: all, each: (all > 0).then_some(each), cells }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(path: &str, size: u64, compared: bool) -> ListedEntry {
        ListedEntry { path: path.into(), size, folder: false, compared }
    }

    #[test]
    fn each_block_has_a_cell_and_of_several_in_one_the_worst_counts() {
        let files = [file("a", 0, true), file("b", 3 * BLOCK, true), file("c", BLOCK + 1, false), file("d", 9, true)];
        let on_b = |file: &ListedEntry| file.path.ends_with("b");
        let mut proof: Proof = Proof::default();
        let cells = map_of(&files, &proof, &on_b, 100);
        assert_eq!((cells.blocks, cells.each), (7, Some(1)));
        let known: Vec<Known> = cells.cells.iter().map(|cell| cell.0).collect();
        assert_eq!(known, [vec![Known::Same; 4], vec![Known::NotRead; 2], vec![Known::Same]].concat());
        assert_eq!(cells.cells.iter().filter(|cell| cell.1).count(), 3);
        proof.differences.push(Difference::new("d", DifferenceKind::Missing));
        let cells = map_of(&files, &proof, &on_b, 3);
        assert_eq!((cells.each, cells.cells.len()), (Some(3), 3));
        assert_eq!(cells.cells[2].0, Known::Differs);
        assert_eq!(map_of(&[], &proof, &on_b, 3).each, None);
        // Of a file that was read block by block the others are the same.
        let second = Difference { blocks: vec![(1, 1)], ..Difference::new("b", DifferenceKind::Differs) };
        proof.differences = vec![second];
        let known: Vec<Known> = map_of(&files, &proof, &on_b, 100).cells.iter().map(|cell| cell.0).collect();
        assert_eq!(known[..4], [Known::Same, Known::Same, Known::Differs, Known::Same]);
    }
}
