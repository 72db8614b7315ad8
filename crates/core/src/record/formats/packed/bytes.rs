//! The bytes that a document's text stands for, and where each stands in it.

use std::ops::Range;

use crate::record::encoding::bytes_of;
use crate::record::tree::Fault;

/// Bytes of a document, and where they stand in its text.
pub(super) struct Bytes {
    all: Vec<u8>,
    /// Where every [`STEP`]th byte stands in the text.
    marks: Vec<usize>,
}

const STEP: usize = 64;

impl Bytes {
    pub fn new(text: &str) -> Self {
        let all = bytes_of(text);
        let mut marks = Vec::with_capacity(all.len() / STEP + 1);
        let mut at = 0;
        for (n, byte) in all.iter().enumerate() {
            if n % STEP == 0 {
                marks.push(at);
            }
            at += width(*byte);
        }
        if all.len().is_multiple_of(STEP) {
            marks.push(at);
        }
        Self { all, marks }
    }

    pub fn len(&self) -> usize {
        self.all.len()
    }

    /// Where a byte stands in the text; the end, beyond the last one.
    pub fn at(&self, n: usize) -> usize {
        let n = n.min(self.all.len());
        let mark = n / STEP * STEP;
        let behind: usize = self.all.get(mark..n).unwrap_or_default().iter().map(|byte| width(*byte)).sum();
        self.marks.get(n / STEP).copied().unwrap_or_default() + behind
    }

    pub fn span(&self, bytes: Range<usize>) -> Range<usize> {
        self.at(bytes.start)..self.at(bytes.end)
    }

    pub fn get(&self, range: Range<usize>) -> Result<&[u8], Fault> {
        self.all.get(range.clone()).ok_or_else(|| Fault::new(range.start, "the bytes end in the middle of a value"))
    }

    pub fn byte(&self, at: usize) -> Result<u8, Fault> {
        self.all.get(at).copied().ok_or_else(|| Fault::new(at, "the bytes end in the middle of a value"))
    }

    /// A length of `width` bytes.
    pub fn length(&self, at: usize, width: usize, low_first: bool) -> Result<usize, Fault> {
        let bytes = self.get(at..at + width)?;
        let number = number(bytes, low_first);
        usize::try_from(number).map_err(|_| Fault::new(at, "a length is larger than the file"))
    }
}

/// Bytes that a byte takes in the text.
fn width(byte: u8) -> usize {
    if byte < 0x80 { 1 } else { 2 }
}

/// A number without sign of up to eight bytes.
pub(super) fn number(bytes: &[u8], low_first: bool) -> u64 {
    let add = |sum: u64, byte: &u8| (sum << 8) | u64::from(*byte);
    if low_first { bytes.iter().rev().fold(0, add) } else { bytes.iter().fold(0, add) }
}
