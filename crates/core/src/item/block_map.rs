//! The bytes of an item on a map: what became of each part of them so far.
//!
//! Law: a cell is verified once all its bytes are; what cannot be read is never covered by anything else. Start at [`BlockMap`].

/// Cells of a map at most.
const CELLS: u64 = 400;

/// Bytes of a cell at least.
const LEAST: u64 = 4096;

/// What became of a part of an item's bytes. Each is told by a letter.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ByteState {
    /// Nothing yet: `-`.
    Waiting,
    /// Some of it is written: `p`.
    Partly,
    /// All of it is written: `w`.
    Written,
    /// All of it was read back and is the same: `v`.
    Verified,
    /// The same, and some of it had to be copied again: `r`.
    Repaired,
    /// Some of it cannot be read: `x`.
    Unreadable,
}

impl ByteState {
    /// Each with its letter.
    const LETTERS: [(Self, char); 6] = [
        (Self::Waiting, '-'),
        (Self::Partly, 'p'),
        (Self::Written, 'w'),
        (Self::Verified, 'v'),
        (Self::Repaired, 'r'),
        (Self::Unreadable, 'x'),
    ];

    /// The state that a letter tells.
    pub fn of(letter: char) -> Option<Self> {
        Self::LETTERS.iter().find(|(_, own)| *own == letter).map(|(state, _)| *state)
    }

    fn letter(self) -> char {
        Self::LETTERS.iter().find(|(state, _)| *state == self).map_or('-', |(_, letter)| *letter)
    }
}

#[derive(Clone, Debug, Default)]
struct Cell {
    all: u64,
    written: u64,
    verified: u64,
    repaired: bool,
    unreadable: bool,
}

/// The bytes of an item in the order of its files, in cells of as many each.
#[derive(Clone, Debug)]
pub(crate) struct BlockMap {
    span: u64,
    cells: Vec<Cell>,
}

/// What happens to bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum BlockChange {
    Written,
    Verified,
    Repaired,
    Unreadable,
}

impl BlockMap {
    /// A map of so many bytes, nothing of which is done.
    pub(crate) fn of(bytes: u64) -> Self {
        let span = bytes.div_ceil(CELLS).max(LEAST);
        let cell = |nth: u64| Cell { all: span.min(bytes - nth * span), ..Cell::default() };
        Self { span, cells: (0..bytes.div_ceil(span)).map(cell).collect() }
    }

    /// Notes what happened to a stretch of bytes.
    pub(crate) fn note(&mut self, from: u64, length: u64, change: BlockChange) {
        let end = from + length;
        let mut at = from;
        while at < end {
            let next = end.min((at / self.span + 1) * self.span);
            let Some(cell) = usize::try_from(at / self.span).ok().and_then(|nth| self.cells.get_mut(nth)) else {
                return;
            };
            match change {
                BlockChange::Written => cell.written += next - at,
                BlockChange::Verified => cell.verified += next - at,
                BlockChange::Repaired => cell.repaired = true,
                BlockChange::Unreadable => cell.unreadable = true,
            }
            at = next;
        }
    }

    /// A letter for each cell.
    pub(crate) fn letters(&self) -> String {
        let state = |cell: &Cell| match cell {
            Cell { unreadable: true, .. } => ByteState::Unreadable,
            Cell { all, verified, repaired, .. } if verified >= all => {
                if *repaired {
                    ByteState::Repaired
                } else {
                    ByteState::Verified
                }
            }
            Cell { all, written, .. } if written >= all => ByteState::Written,
            Cell { written: 0, .. } => ByteState::Waiting,
            _ => ByteState::Partly,
        };
        self.cells.iter().map(|cell| state(cell).letter()).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_cell_is_what_all_of_its_bytes_are_and_what_cannot_be_read_stays() {
        let mut map = BlockMap::of(4 * LEAST + 10);
        assert_eq!(map.letters(), "-----");
        map.note(0, 2 * LEAST + 1, BlockChange::Written);
        assert_eq!(map.letters(), "wwp--");
        map.note(0, LEAST + 1, BlockChange::Verified);
        map.note(3, 1, BlockChange::Repaired);
        assert_eq!(map.letters(), "rwp--");
        map.note(4 * LEAST, 10, BlockChange::Written);
        map.note(4 * LEAST, 10, BlockChange::Verified);
        map.note(3 * LEAST, 1, BlockChange::Unreadable);
        map.note(3 * LEAST, LEAST, BlockChange::Written);
        assert_eq!(map.letters(), "rwpxv");
        // Beyond its end there is nothing.
        map.note(5 * LEAST, LEAST, BlockChange::Written);
        assert_eq!(BlockMap::of(0).letters(), "");
        assert_eq!(BlockMap::of(1 << 40).letters().len(), CELLS as usize);
        for (state, letter) in ByteState::LETTERS {
            assert_eq!((ByteState::of(letter), state.letter()), (Some(state), letter));
        }
    }
}
