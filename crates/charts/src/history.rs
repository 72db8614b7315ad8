//! The history: bytes moved, freed and held per month.

use std::collections::BTreeMap;

use deft_barge_core::bytes::{Bytes, ItemId};
use deft_barge_core::item::{Stage, Strategy};
use deft_barge_core::journal::LogLine;
use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::Drawing;
use crate::page::{AMBER, DIM, FAINT, LAUNCHERS, MARGIN, Mark, Page, Rect, Side, TEXT, TOP, draw};

/// Months that are shown: the newest ones.
const MOST: usize = 24;

/// What happened in a month.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Month {
    moved: Bytes,
    freed: Bytes,
    /// Held at its end.
    held: Bytes,
}

/// A month as a number that grows by one.
fn month_of(at: Timestamp) -> i32 {
    let date = at.to_zoned(TimeZone::UTC).date();
    i32::from(date.year()) * 12 + i32::from(date.month()) - 1
}

/// Draws the months from the first haul to now, the newest 24 of them; `released` says when originals were let go.
pub fn history(log: &[LogLine], released: &BTreeMap<ItemId, Timestamp>, now: Timestamp) -> Drawing {
    let months = months(log, released, now);
    draw("What was hauled, freed and kept, by month", now, (1000, 520), |page| {
        let place = Rect::new(MARGIN + 70, TOP + 10, page.width() - 2 * MARGIN - 70, page.height() - TOP - 110);
        if months.is_empty() {
            page.text(page.width() / 2, page.height() / 2, 14.0, DIM, Side::Middle, "No hauls yet.");
            return;
        }
        draw_months(page, place, &months);
        page.legend(&[
            (Mark::Filled(AMBER), "hauled".into()),
            (Mark::Filled(LAUNCHERS[0]), "freed".into()),
            (Mark::Hatched, "kept at the month's end".into()),
        ]);
    })
}

fn months(log: &[LogLine], released: &BTreeMap<ItemId, Timestamp>, now: Timestamp) -> Vec<(i32, Month)> {
    let mut months: BTreeMap<i32, Month> = BTreeMap::new();
    let this = month_of(now);
    let Some(first) = log.iter().map(|haul| month_of(haul.made)).min() else { return Vec::new() };
    for month in first..=this {
        months.insert(month, Month::default());
    }
    for haul in log {
        let made = month_of(haul.made);
        for item in haul.items.iter().filter(|item| item.mode == Strategy::Copy && item.stage.records_are_updated()) {
            let bytes = item.on_disk;
            let month = months.entry(made).or_default();
            month.moved = month.moved.plus(bytes);
            // What the log does not tell of is counted in the month of its haul.
            let is_gone = matches!(item.stage, Stage::Released { .. });
            let freed = is_gone.then(|| released.get(&item.id).map_or(made, |at| month_of(*at)));
            if let Some(month) = freed.and_then(|freed| months.get_mut(&freed)) {
                month.freed = month.freed.plus(bytes);
            }
            let until = freed.unwrap_or(if item.holds_originals() { this + 1 } else { made });
            for (_, month) in months.range_mut(made..until.max(made)) {
                month.held = month.held.plus(bytes);
            }
        }
    }
    let skip = months.len().saturating_sub(MOST);
    months.into_iter().skip(skip).collect()
}

fn draw_months(page: &mut Page, place: Rect, months: &[(i32, Month)]) {
    let most = months.iter().flat_map(|(_, m)| [m.moved, m.freed, m.held]).max().unwrap_or(Bytes::ZERO);
    let top = most.count().max(1);
    let bottom = place.y + place.height;
    for quarter in 0..=4_u64 {
        let y = bottom - (f64::from(place.height) * quarter as f64 / 4.0).round() as i32;
        page.line((place.x, y), (place.x + place.width, y), if quarter == 0 { TEXT } else { FAINT }, 1);
        page.text(place.x - 8, y - 6, 10.0, DIM, Side::Right, &Bytes::new(top / 4 * quarter).to_string());
    }
    let each = place.width / months.len() as i32;
    let bar = (each / 4).clamp(2, 40);
    for (n, (number, month)) in months.iter().enumerate() {
        let x = place.x + n as i32 * each + (each - 3 * bar) / 2;
        for (k, bytes) in [month.moved, month.freed, month.held].into_iter().enumerate() {
            let height = (bytes.count() as f64 / top as f64 * f64::from(place.height)).round() as i32;
            let rect = Rect::new(x + k as i32 * bar, bottom - height, bar, height);
            match k {
                0 => page.fill(rect, AMBER),
                1 => page.fill(rect, LAUNCHERS[0]),
                _ => page.hatch(rect, DIM),
            }
            if height > 0 {
                page.frame(rect, TEXT);
            }
        }
        // As many names as there is room for.
        let step = ((60 + each - 1) / each.max(1)).max(1) as usize;
        if n % step == 0 {
            let name = format!("{}-{:02}", number / 12, number % 12 + 1);
            page.text(place.x + n as i32 * each + each / 2, bottom + 10, 10.0, DIM, Side::Middle, &name);
        }
    }
}
