//! What follows an edit in a packed format: lengths that stand before what they count, and tables of where things stand.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;

use super::formats;
use super::tree::{Table, Tree};

/// Bytes that a text of characters of one byte each stands for.
fn bytes(text: &str) -> i64 {
    text.chars().count().cast_signed() as i64
}

/// Pieces with those lengths before what they count that change by them: what stands within others is longer first.
pub(super) fn with_lengths<'t>(
    text: &str,
    tree: &Tree,
    pieces: Vec<(Range<usize>, &'t str)>,
) -> Option<Vec<(Range<usize>, Cow<'t, str>)>> {
    let more = |span: &Range<usize>, way: &str| bytes(way) - bytes(&text[span.clone()]);
    let mut grown: BTreeMap<usize, i64> = pieces.iter().map(|(span, way)| (span.start, more(span, way))).collect();
    let mut all: Vec<(Range<usize>, Cow<'t, str>)> =
        pieces.into_iter().map(|(span, way)| (span, Cow::Borrowed(way))).collect();
    for length in tree.counted.iter().rev() {
        let by: i64 = grown.range(length.counts.clone()).map(|(_, by)| by).sum();
        if by == 0 {
            continue;
        }
        let old = &text[length.at.clone()];
        let count = bytes(&text[length.counts.clone()]) + by;
        let way = formats::length_as(old, count.unsigned_abs(), length.fixed);
        grown.insert(length.at.start, more(&length.at, &way));
        all.push((length.at.clone(), Cow::Owned(way)));
    }
    if let Some(table) = &tree.table {
        let way = table_after(text, table, &grown)?;
        all.push((table.at.clone(), Cow::Owned(way)));
    }
    all.sort_by_key(|(span, _)| span.start);
    Some(all)
}

/// A table for things that stand where they do once the bytes at these places have grown by so many.
fn table_after(text: &str, table: &Table, grown: &BTreeMap<usize, i64>) -> Option<String> {
    let mut places: Vec<usize> = table.targets.iter().copied().chain([table.at.start]).collect();
    places.sort_unstable();
    // How many bytes stand before each place afterwards.
    let mut known: BTreeMap<usize, usize> = BTreeMap::new();
    let (mut from, mut count) = (0, 0);
    for place in places {
        count += bytes(&text[from..place]);
        from = place;
        let by: i64 = grown.range(..place).map(|(_, by)| by).sum();
        known.insert(place, usize::try_from(count + by).ok()?);
    }
    let targets: Option<Vec<usize>> = table.targets.iter().map(|place| known.get(place).copied()).collect();
    formats::table_as(&text[table.at.clone()], *known.get(&table.at.start)?, &targets?)
}
