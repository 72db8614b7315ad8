//! Counts of bytes and the ids of hauls and items, each a type of its own.
//!
//! Law: sizes are decimal (kB, MB, GB, TB), with one decimal; nothing converts silently.

use std::fmt;
use std::iter::Sum;

use serde::{Deserialize, Serialize};

/// A count of the file system as an index: as it is on every machine with 64 bits, else the largest, where nothing is.
#[expect(clippy::cast_possible_truncation, reason = "what is larger than the largest index is not cut")]
pub(crate) const fn index(count: u64) -> usize {
    if count > usize::MAX as u64 { usize::MAX } else { count as usize }
}

/// A count as a number with a sign, as launchers and the journal write it: no drive is as large as the largest.
pub(crate) fn signed(count: u64) -> i64 {
    i64::try_from(count).unwrap_or(i64::MAX)
}

/// A number of bytes that was reckoned as a fraction: the nearest whole one, and none below zero.
#[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it is cut to what a count can say first")]
pub(crate) fn whole(number: f64) -> u64 {
    number.round().max(0.0) as u64
}

/// Bytes as the file system counts them, never rounded. Subtraction is checked: no drive has less than nothing free.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Bytes(u64);

impl Bytes {
    /// No bytes at all.
    pub const ZERO: Self = Self(0);

    /// Takes a plain count.
    pub const fn new(count: u64) -> Self {
        Self(count)
    }

    /// Gives the plain count.
    pub const fn count(self) -> u64 {
        self.0
    }

    /// Adds; stays at the largest count instead of wrapping.
    #[must_use]
    pub const fn plus(self, other: Self) -> Self {
        Self(self.0.saturating_add(other.0))
    }

    /// Subtracts; `None` if less than nothing would be left.
    #[must_use]
    pub fn minus(self, other: Self) -> Option<Self> {
        self.0.checked_sub(other.0).map(Self)
    }

    /// Subtracts, and gives nothing where less than nothing would be left.
    #[must_use]
    pub const fn less(self, other: Self) -> Self {
        Self(self.0.saturating_sub(other.0))
    }

    /// The part that this is of `whole`, 0 to 1 and above; 0 of an empty whole.
    pub fn part_of(self, whole: Self) -> f64 {
        if whole.0 == 0 { 0.0 } else { self.0 as f64 / whole.0 as f64 }
    }
}

impl Sum for Bytes {
    fn sum<I: Iterator<Item = Self>>(counts: I) -> Self {
        counts.fold(Self::ZERO, Self::plus)
    }
}

impl fmt::Display for Bytes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        const UNITS: [&str; 5] = ["kB", "MB", "GB", "TB", "PB"];
        if self.0 < 1000 {
            return f.pad(&format!("{} B", self.0));
        }
        let mut value = self.0 as f64 / 1000.0;
        let mut unit = 0;
        // 999.95 would be printed as 1000.0 of the smaller unit.
        while value >= 999.95 && unit + 1 < UNITS.len() {
            value /= 1000.0;
            unit += 1;
        }
        f.pad(&format!("{value:.1} {}", UNITS[unit]))
    }
}

impl std::str::FromStr for Bytes {
    type Err = String;

    /// Reads a size as people write it: `120GB`, `38.5 MB`, `4096`. Units are decimal, their case does not count.
    fn from_str(text: &str) -> Result<Self, String> {
        let text = text.trim();
        let end = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
        let fault = || format!("{text:?} isn't a size, such as 120GB");
        let number: f64 = text[..end].parse().map_err(|_| fault())?;
        let unit = match text[end..].trim().to_lowercase().as_str() {
            "" | "b" => 1.0,
            "kb" => 1e3,
            "mb" => 1e6,
            "gb" => 1e9,
            "tb" => 1e12,
            _ => return Err(fault()),
        };
        Ok(Self(whole(number * unit)))
    }
}

/// Number of a haul in one state folder, counted from 1.
///
/// An item's number is not taken for it:
/// ```compile_fail
/// use deft_barge_core::bytes::{HaulId, ItemId};
/// fn of(haul: HaulId) -> i64 { haul.0 }
/// of(ItemId(1));
/// ```
/// while a haul's own is:
/// ```
/// use deft_barge_core::bytes::HaulId;
/// fn of(haul: HaulId) -> i64 { haul.0 }
/// assert_eq!(of(HaulId(1)), 1);
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct HaulId(pub i64);

impl fmt::Display for HaulId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// Number of an item in one state folder, counted from 1 over all hauls.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct ItemId(pub i64);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_are_read_as_people_write_them() {
        for (text, bytes) in
            [("120GB", 120_000_000_000), ("38.5 MB", 38_500_000), ("4096", 4096), ("1 tb", 1_000_000_000_000)]
        {
            assert_eq!(text.parse(), Ok(Bytes::new(bytes)), "{text}");
        }
        for text in ["", "GB", "12 GiB", "-1", "1.2.3 MB"] {
            assert!(text.parse::<Bytes>().is_err(), "{text}");
        }
    }

    #[test]
    fn sizes_are_decimal_with_one_decimal_and_never_read_a_thousand() {
        for (count, text) in [
            (0, "0 B"),
            (999, "999 B"),
            (1000, "1.0 kB"),
            (999_949, "999.9 kB"),
            (999_960, "1.0 MB"),
            (96_000_000_000, "96.0 GB"),
            (1_500_000_000_000, "1.5 TB"),
        ] {
            assert_eq!(Bytes::new(count).to_string(), text);
        }
    }

    #[test]
    fn less_than_nothing_is_refused() {
        assert_eq!(Bytes::new(1).minus(Bytes::new(2)), None);
        assert_eq!(Bytes::new(1).less(Bytes::new(2)), Bytes::ZERO);
    }
}
