//! Times, drafts, suggestions and speeds.

use super::super::text::{count, visible};
use super::{NO_DRIVE, several};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::{Basis, DraftFile, ItemTime, Load, Misfit, Miss, Slowest, Span, Why};
use deft_barge_core::site::DriveSpeed;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use std::collections::BTreeSet;
use std::time::Duration;

/// A time as people say it.
pub fn about(time: Duration) -> String {
    let seconds = time.as_secs();
    match seconds {
        0..=1 => "about a second".into(),
        2..=89 => format!("about {seconds} s"),
        90..=5399 => format!("about {} min", (seconds + 30) / 60),
        _ => format!("about {} h {} min", seconds / 3600, seconds % 3600 / 60),
    }
}

/// A range of times as people say it.
pub fn span(span: Span) -> String {
    let (low, high) = (about(span.low), about(span.high));
    if low == high {
        return low;
    }
    format!("{low} to {}", high.trim_start_matches("about "))
}

/// How long an item takes, why, and how that is known.
pub fn item_time(time: &ItemTime) -> String {
    let named = |drive: &str| if drive.is_empty() { NO_DRIVE.to_string() } else { drive.to_string() };
    let rate = |rate: f64| format!("{}/s", Bytes::new(rate as u64));
    let why = match &time.slowest {
        Some(Slowest::Reads { drive, bytes_per_second }) => {
            format!(": {} reads {}", named(drive), rate(*bytes_per_second))
        }
        Some(Slowest::Writes { drive, bytes_per_second }) => {
            format!(": {} writes {}", named(drive), rate(*bytes_per_second))
        }
        Some(Slowest::Files { drive }) => format!(": many small files on {}", named(drive)),
        None => String::new(),
    };
    let basis = match time.basis {
        Basis::Hauls => "from past hauls",
        Basis::Probe => "as probed",
        Basis::Part => "from one of the drives",
        Basis::Kind => "a guess from the kinds of drives; probe them to know more",
    };
    format!("{}{} ({basis})", span(time.span), visible(&why))
}

/// How a drive's load changes.
pub fn load(load: &Load) -> String {
    let percent = |bytes: Bytes| bytes.part_of(load.capacity) * 100.0;
    format!(
        "load      {} now {:>3.0}%, at most {:>3.0}%, {:>3.0}% once the originals are released",
        super::super::text::pad(&super::super::text::line(&load.drive), 12),
        percent(load.now),
        percent(load.peak),
        percent(load.after)
    )
}

/// A moment as the clock on the wall has it.
pub fn moment(at: Timestamp) -> String {
    at.to_zoned(TimeZone::system()).strftime("%Y-%m-%d %H:%M").to_string()
}

/// Whether a drive may be measured.
pub fn probe_question(drive: &str) -> String {
    let drive = super::super::text::line(drive);
    format!("Measure {drive}? That writes up to 256 MB to it and deletes them again; it takes up to ten seconds.")
}

/// What a probe has measured.
pub fn pace(drive: &str, pace: &DriveSpeed) -> String {
    let rate = |rate: f64| Bytes::new(rate as u64);
    format!(
        "{} reads {}/s and writes {}/s; each small file takes {:.1} ms",
        super::super::text::line(drive),
        rate(pace.read),
        rate(pace.write),
        pace.per_file * 1000.0
    )
}

/// What a draft that is kept would do, and the day it was saved.
pub fn kept_draft(file: &DraftFile, saved: Option<Timestamp>) -> String {
    let drives: BTreeSet<&str> = file.items.iter().filter_map(|item| item.to.as_deref()).collect();
    let to = match drives.iter().collect::<Vec<_>>().as_slice() {
        [] => String::new(),
        [one] => format!(" to {one}"),
        [one, other] => format!(" to {one} and {other}"),
        more => format!(" to {} drives", more.len()),
    };
    let day = saved.map(|saved| saved.to_zoned(TimeZone::system()).strftime("   %-d %b %Y").to_string());
    visible(&format!("{}{to}{}", several(file.items.len(), "game"), day.unwrap_or_default()))
}

/// Why a line stands in a suggestion.
pub fn why(why: &Why, now: Timestamp) -> String {
    let days = |at: Timestamp| match now.duration_since(at).as_secs() / 86_400 {
        days if days <= 0 => "today".to_string(),
        1 => "a day ago".into(),
        days => format!("{} days ago", count(days as u64)),
    };
    match why {
        Why::MakesRoom { drive, bytes } => format!("frees {bytes} on {drive}"),
        Why::LastPlayed { at: Some(at) } => format!("last played {}", days(*at)),
        Why::LastPlayed { at: None } => "last played: unknown".into(),
        Why::PlayedMost { at } => format!("played {}", days(*at)),
        Why::OnlyPlace => "the only drive with room".into(),
    }
}

/// What a suggestion leaves undone.
pub fn miss(miss: &Miss) -> String {
    visible(&match miss {
        Miss::Fixed { title } => format!("{title} can't be moved."),
        Miss::NoPlace { title } => format!("{title}: no other drive has room for it."),
        Miss::StillLacks { drive, bytes } => {
            format!("{drive} still needs {bytes}: no more of its games fit elsewhere.")
        }
        Miss::NoDrive { drive } => format!("No drive is called {drive}."),
    })
}

/// What has changed since a draft was written.
pub fn misfit(misfit: &Misfit) -> String {
    match misfit {
        Misfit::GameGone { title, .. } => format!("{title} isn't installed any more"),
        Misfit::Moved { title, was, now } => {
            format!("{title} was in {} and is in {} now", was.display(), now.display())
        }
        Misfit::DriveGone { title, drive } => format!("{title}: no drive is called {drive}"),
        Misfit::LibraryGone { title, library } => format!("{title}: the library {} is gone", library.display()),
        Misfit::NoPlace { title } => format!("{title}: no destination"),
    }
}
