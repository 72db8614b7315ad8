//! An axis of time from which long breaks are cut out: a haul that waited for a week is still drawn by the seconds in which it ran.

use std::time::Duration;

use jiff::Timestamp;

use crate::figures::span;
use crate::page::{DIM, FAINT, Page, Side, TEXT};

/// A stretch of time, from its first moment to its last.
pub(crate) type Stretch = (Timestamp, Timestamp);

/// Units that a break takes, where there is room.
const BREAK: f64 = 26.0;

/// Moments on a line from `x` on, `width` units long.
#[derive(Debug)]
pub(crate) struct Clock {
    /// Stretches that are drawn, in order, each with where it begins.
    kept: Vec<(Stretch, f64)>,
    x: i32,
    width: i32,
    /// Units for a second.
    scale: f64,
}

fn seconds((from, to): Stretch) -> f64 {
    to.duration_since(from).as_secs_f64().max(0.0)
}

/// Stretches in order, with those joined that are no farther apart than this.
fn joined(stretches: Vec<Stretch>, apart: Duration) -> Vec<Stretch> {
    let mut all: Vec<Stretch> = Vec::new();
    for (from, to) in stretches {
        match all.last_mut() {
            Some(last) if from <= last.1 || from.duration_since(last.1).unsigned_abs() <= apart => {
                last.1 = to.max(last.1);
            }
            _ => all.push((from, to)),
        }
    }
    all
}

impl Clock {
    /// Keeps the stretches in which something happened; what lies between them is cut out where it is long. At least one.
    pub(crate) fn new(mut stretches: Vec<Stretch>, x: i32, width: i32) -> Self {
        stretches.sort_unstable();
        let ran = joined(stretches, Duration::ZERO);
        let whole: f64 = ran.iter().copied().map(seconds).sum();
        let kept = joined(ran, Duration::try_from_secs_f64((whole * 0.15).max(1.0)).unwrap_or_default());
        // Very many breaks are narrow: most of the room is for what is between them.
        let breaks = kept.len().saturating_sub(1) as f64;
        let pause = (f64::from(width) * 0.4 / breaks.max(1.0)).min(BREAK);
        let whole: f64 = kept.iter().copied().map(seconds).sum();
        let scale = (f64::from(width) - pause * breaks) / whole.max(1e-3);
        let mut at = f64::from(x);
        let mut placed = Vec::new();
        for stretch in kept {
            placed.push((stretch, at));
            at += seconds(stretch) * scale + pause;
        }
        Self { kept: placed, x, width, scale }
    }

    /// Where a moment is; one within a break is at its beginning.
    pub(crate) fn at(&self, when: Timestamp) -> i32 {
        let piece = self.kept.iter().rev().find(|((from, _), _)| *from <= when).or(self.kept.first());
        let Some(((from, to), x)) = piece else { return self.x };
        let when = when.clamp(*from, *to);
        ((x + seconds((*from, when)) * self.scale).round() as i32).clamp(self.x, self.x + self.width)
    }

    /// The moment at a place, for a place within no break.
    pub(crate) fn when(&self, place: f64) -> Option<Timestamp> {
        let ((from, to), x) = self.kept.iter().rev().find(|(_, x)| *x <= place)?;
        let when = from.saturating_add(jiff::SignedDuration::from_secs_f64((place - x) / self.scale)).ok()?;
        (when <= *to).then_some(when)
    }

    /// Draws the time that ran in quarters at `y`, lines from there down to `bottom`, and the breaks with how long they were.
    pub(crate) fn draw(&self, page: &mut Page, y: i32, bottom: i32) {
        let whole: f64 = self.kept.iter().map(|(stretch, _)| seconds(*stretch)).sum();
        let (mut last, mut free) = (String::new(), i32::MIN);
        for quarter in 0..=4 {
            let ran = whole * f64::from(quarter) / 4.0;
            let text = span(Duration::try_from_secs_f64(ran).unwrap_or_default());
            let width = page.width_of(&text, 10.0);
            let x = self.after(ran);
            let (side, left) = match quarter {
                0 => (Side::Left, x),
                4 => (Side::Right, x - width),
                _ => (Side::Middle, x - width / 2),
            };
            page.line((x, y + 16), (x, bottom), FAINT, 1);
            // Breaks may bring two of them together.
            if text != last && left > free {
                page.text(x, y, 10.0, DIM, side, &text);
                (last, free) = (text, left + width + 8);
            }
        }
        let mut free = i32::MIN;
        for pair in self.kept.windows(2) {
            let (before, after) = (pair[0], pair[1]);
            let (from, to) = (self.at(before.0.1), after.1.round() as i32);
            let edges = if to - from > 12 { vec![from + 4, to - 4] } else { vec![i32::midpoint(from, to)] };
            for x in edges {
                page.dashes((x, y + 34), (x, bottom), DIM);
            }
            let later = Duration::try_from(after.0.0.duration_since(before.0.1)).unwrap_or_default();
            let text = format!("{} later", span(later));
            let width = page.width_of(&text, 9.0);
            let middle = i32::midpoint(from, to).clamp(self.x + width / 2, self.x + self.width - width / 2);
            if middle - width / 2 > free {
                page.text(middle, y + 19, 9.0, TEXT, Side::Middle, &text);
                free = middle + width / 2 + 6;
            }
        }
    }

    /// Where so many seconds have run.
    fn after(&self, ran: f64) -> i32 {
        let mut left = ran;
        for ((from, to), x) in &self.kept {
            let length = seconds((*from, *to));
            if left <= length + 1e-9 {
                return (x + left * self.scale).round() as i32;
            }
            left -= length;
        }
        self.x + self.width
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn moment(seconds: i64) -> Timestamp {
        Timestamp::from_second(1_000_000 + seconds).expect("a moment")
    }

    #[test]
    fn long_breaks_are_cut_out_and_short_ones_are_not() {
        let stretches = vec![(moment(0), moment(40)), (moment(43), moment(60)), (moment(90_000), moment(90_040))];
        let clock = Clock::new(stretches, 100, 626);
        assert_eq!((clock.at(moment(0)), clock.at(moment(60)), clock.at(moment(90_000))), (100, 460, 486));
        assert_eq!(clock.at(moment(90_040)), 726);
        assert_eq!((clock.at(moment(-5)), clock.at(moment(999_999)), clock.at(moment(5_000))), (100, 726, 460));
        assert_eq!(clock.when(160.0), Some(moment(10)));
        assert_eq!(clock.when(470.0), None, "nothing is in a break");
    }

    #[test]
    fn whatever_there_is_lies_on_the_line_and_in_the_order_of_time() {
        let odd: [Vec<Stretch>; 4] = [
            Vec::new(),
            vec![(moment(5), moment(5))],
            (0..500).map(|n| (moment(n * 10_000), moment(n * 10_000 + 3))).collect(),
            vec![(moment(0), moment(1_000_000)), (moment(3), moment(9))],
        ];
        for stretches in odd {
            let clock = Clock::new(stretches.clone(), 40, 300);
            let places: Vec<i32> = (-5..6_000_000).step_by(997).map(|n| clock.at(moment(n))).collect();
            assert!(places.is_sorted() && places.iter().all(|x| (40..=340).contains(x)), "{stretches:?}");
        }
    }
}
