//! Figures as people read them: dates, times, parts.

use std::time::Duration;

use deft_barge_core::bytes::Bytes;
use jiff::Timestamp;
use jiff::tz::TimeZone;

/// A moment as the clock on the wall has it, with the zone.
pub(crate) fn date(at: Timestamp) -> String {
    at.to_zoned(TimeZone::system()).strftime("%Y-%m-%d %H:%M %Z").to_string()
}

/// How long something takes, as axes say it.
pub(crate) fn span(time: Duration) -> String {
    match time.as_secs() {
        0 if time.is_zero() => "0".into(),
        0 | 1 => format!("{:.1} s", time.as_secs_f64()),
        2..=99 => format!("{:.0} s", time.as_secs_f64()),
        seconds @ 100..=5999 => format!("{} min", (seconds + 30) / 60),
        seconds @ 6000..=172_799 => format!("{} h {:02} min", seconds / 3600, seconds % 3600 / 60),
        seconds => format!("{} d {} h", seconds / 86_400, seconds % 86_400 / 3600),
    }
}

/// A part of a drive in percent.
pub(crate) fn percent(bytes: Bytes, of: Bytes) -> String {
    format!("{:.0}%", bytes.part_of(of) * 100.0)
}

/// A text of one line that XML can hold: control characters and turns of the writing's direction become U+FFFD.
pub(crate) fn plain(text: &str) -> String {
    let one = |c: char| match c {
        c if c.is_control() => '\u{fffd}',
        '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{fffe}' | '\u{ffff}' => {
            '\u{fffd}'
        }
        c => c,
    };
    text.chars().map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_said_in_the_unit_that_fits() {
        let said = [0, 1, 5, 99, 100, 3600, 7260, 180_000].map(|seconds| span(Duration::from_secs(seconds)));
        assert_eq!(said, ["0", "1.0 s", "5 s", "99 s", "2 min", "60 min", "2 h 01 min", "2 d 2 h"]);
        assert_eq!(span(Duration::from_millis(340)), "0.3 s");
    }

    #[test]
    fn nothing_that_xml_forbids_gets_through() {
        assert_eq!(plain("a\u{1b}[2J\n\u{202e}b\u{ffff}"), "a\u{fffd}[2J\u{fffd}\u{fffd}b\u{fffd}");
    }
}
