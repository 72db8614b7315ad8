//! How far an item is: amounts, rates and the time left.

use crate::bytes::whole;
use std::collections::VecDeque;
use std::path::PathBuf;

use serde::{Deserialize, Serialize};
use std::time::{Duration, Instant};

use crate::bytes::{Bytes, ItemId};
use crate::site::DriveSpeed;

/// So much of so much.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Amount {
    /// Bytes done.
    pub done: Bytes,
    /// Bytes in all.
    pub all: Bytes,
}

/// How far an item is. Sent at most ten times a second.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Progress {
    /// The item.
    pub item: ItemId,
    /// Title of its game.
    pub title: String,
    /// Copied.
    pub copy: Amount,
    /// Read back and compared.
    pub compare: Amount,
    /// Files compared.
    pub files: u64,
    /// Files in all.
    pub files_all: u64,
    /// The file in hand, within the item.
    pub file: PathBuf,
    /// Block in hand of that file, from 1, and their number.
    pub block: (u64, u64),
    /// Bytes per second over the last seconds.
    pub rate: f64,
    /// Bytes per second since it began or was resumed.
    pub mean: f64,
    /// Time that copying and comparing will still take, from the mean rate; `None` while it is not known.
    pub left: Option<Duration>,
    /// Time that copying alone will still take.
    pub copy_left: Option<Duration>,
    /// Bytes that cannot be read, so far.
    pub unreadable: Bytes,
    /// Blocks that were copied again because they differed.
    pub repaired: u64,
    /// What became of its bytes so far, while they are copied: a letter of [`super::ByteState`] for each equal part, in the order
    /// of its files.
    #[serde(default)]
    pub map: String,
}

impl Progress {
    /// Nothing done yet of `compare` bytes in `files_all` files.
    pub(crate) fn begun(item: ItemId, title: &str, compare: u64, files_all: u64) -> Self {
        Self {
            item,
            title: title.into(),
            copy: Amount::default(),
            compare: Amount { done: Bytes::ZERO, all: Bytes::new(compare) },
            files: 0,
            files_all,
            file: PathBuf::new(),
            block: (0, 0),
            rate: 0.0,
            mean: 0.0,
            left: None,
            copy_left: None,
            unreadable: Bytes::ZERO,
            repaired: 0,
            map: String::new(),
        }
    }
}

impl Progress {
    /// Works out rates and times, of what was done since `pace` began.
    pub(crate) fn reckon(&mut self, pace: &mut RateMeter) {
        self.reckon_at(pace, Instant::now());
    }

    fn reckon_at(&mut self, pace: &mut RateMeter, now: Instant) {
        let (copied, compared) = (self.copy.done.count(), self.compare.done.count());
        let (copied_then, compared_then) = *pace.base.get_or_insert((copied, compared));
        let (by_copy, by_compare) = (copied.saturating_sub(copied_then), compared.saturating_sub(compared_then));
        // A byte is moved when it is copied: the rate that people know counts those. Where nothing is copied, those compared.
        let counts = if self.copy.all > Bytes::ZERO { by_copy } else { by_compare };
        self.rate = pace.rate(counts, now);
        self.mean = pace.mean(counts, now);
        let rest = |amount: Amount| amount.all.less(amount.done).count();
        let work = |copy: u64, compare: u64| copy + whole(compare as f64 * pace.weight);
        let (done, left) = (work(by_copy, by_compare), work(rest(self.copy), rest(self.compare)));
        let (done_copy, left_copy) = (by_copy, rest(self.copy));
        self.left = pace.left(done, left, now);
        // Copying goes at its own mean rate, beside comparing.
        self.copy_left = self.left.filter(|_| done_copy > 0).map(|whole| {
            let part = left_copy as f64 / left.max(1) as f64;
            whole.mul_f64(part.clamp(0.0, 1.0))
        });
    }
}

impl Progress {
    /// Has the times not be shorter than a limit of the rate lets them be, however fast it went before.
    pub(crate) fn hold_to(&mut self, limit: Option<Bytes>) {
        let Some(limit) = limit.filter(|limit| *limit > Bytes::ZERO) else { return };
        let rest = self.copy.all.less(self.copy.done).count();
        let least = Duration::from_secs_f64(rest as f64 / limit.count() as f64);
        self.left = self.left.map(|left| left.max(least));
        self.copy_left = self.copy_left.map(|left| left.max(least));
    }
}

/// Turns counts into rates and a time left; says when it is time to tell.
#[derive(Debug)]
pub(crate) struct RateMeter {
    begun: Instant,
    told: Option<Instant>,
    recent: VecDeque<(Instant, u64)>,
    /// Bytes copied and compared when it began.
    base: Option<(u64, u64)>,
    /// Time for a byte that is compared, as a part of the time for one that is copied.
    weight: f64,
    /// What was done when it last became more, and when that was.
    last: Option<(u64, Instant)>,
}

impl RateMeter {
    pub(crate) fn new() -> Self {
        Self { begun: Instant::now(), told: None, recent: VecDeque::new(), base: None, weight: 1.0, last: None }
    }

    /// One for a drive that reads back faster or more slowly than it writes.
    pub(crate) fn of_drive(drive: DriveSpeed) -> Self {
        let weight = if drive.read > 0.0 { drive.write / drive.read } else { 1.0 };
        Self { weight: weight.clamp(0.05, 2.0), ..Self::new() }
    }

    /// One that tells nothing of work that is done within half a second.
    pub(crate) fn patient() -> Self {
        Self { told: Some(Instant::now() + Duration::from_millis(400)), ..Self::new() }
    }

    /// Whether a tenth of a second has gone by since the last telling.
    pub(crate) fn due(&mut self) -> bool {
        let now = Instant::now();
        let due = self.told.is_none_or(|told| now >= told + Duration::from_millis(100));
        if due {
            self.told = Some(now);
        }
        due
    }

    /// Bytes per second over the last three seconds, for `done` bytes by now.
    fn rate(&mut self, done: u64, now: Instant) -> f64 {
        self.recent.push_back((now, done));
        while self.recent.len() > 2 && self.recent.front().is_some_and(|(then, _)| now - *then > Duration::from_secs(3))
        {
            self.recent.pop_front();
        }
        let (then, before) = self.recent.front().copied().unwrap_or((now, done));
        let seconds = (now - then).as_secs_f64();
        if seconds > 0.05 { done.saturating_sub(before) as f64 / seconds } else { 0.0 }
    }

    /// Bytes per second since the beginning.
    fn mean(&self, done: u64, now: Instant) -> f64 {
        let seconds = (now - self.begun).as_secs_f64();
        if seconds > 0.05 { done as f64 / seconds } else { 0.0 }
    }

    /// Time for `rest` more bytes at the mean rate of the `done` ones, up to when the last of these was done.
    ///
    /// Bytes come by blocks: while one is under way, less is left every moment, and not more.
    fn left(&mut self, done: u64, rest: u64, now: Instant) -> Option<Duration> {
        let (before, at) = self.last.unwrap_or((0, now));
        let at = if done == before { at } else { now };
        self.last = Some((done, at));
        let seconds = (at - self.begun).as_secs_f64();
        if done == 0 || (now - self.begun).as_secs_f64() <= 0.2 {
            return None;
        }
        let by_rate = seconds * rest as f64 / done as f64;
        // A drive that stands still for long does not make it shorter.
        let left = (by_rate - (now - at).as_secs_f64()).max(by_rate / 2.0);
        Some(Duration::from_secs_f64(left))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Copies and compares by blocks of 4 MB, each act at its own rate, and gives what was told of the whole time at each tenth of a second.
    fn told(size: u64, write: f64, read: f64) -> (f64, Vec<(f64, f64)>) {
        const BLOCK: u64 = 4_000_000;
        let mut progress = Progress::begun(ItemId(1), "x", size, 1);
        progress.copy.all = Bytes::new(size);
        let mut pace = RateMeter::of_drive(DriveSpeed { write, read, per_file: 0.0 });
        let blocks = size / BLOCK;
        let each = |rate: f64| BLOCK as f64 / rate;
        // A block is compared as soon as it is written.
        let whole = blocks as f64 * (each(write) + each(read));
        let mut all = Vec::new();
        for tenth in 0..crate::bytes::whole(whole * 10.0) {
            let at = tenth as f64 / 10.0;
            let (done, into) = (at / (each(write) + each(read)), at % (each(write) + each(read)));
            let compared = Bytes::new(crate::bytes::whole(done.floor()) * BLOCK);
            progress.copy.done = if into >= each(write) { compared.plus(Bytes::new(BLOCK)) } else { compared };
            progress.compare.done = compared;
            let now = pace.begun + Duration::from_secs_f64(at);
            progress.reckon_at(&mut pace, now);
            if let Some(left) = progress.left {
                all.push((at / whole, at + left.as_secs_f64()));
            }
        }
        (whole, all)
    }

    #[test]
    fn what_is_left_is_told_within_a_quarter_after_the_first_tenth() {
        for (write, read) in [(8e6, 8e6), (8e6, 80e6), (80e6, 500e6), (500e6, 3e9), (12e6, 9e6)] {
            let (took, told) = told(200_000_000, write, read);
            let later: Vec<_> = told.iter().filter(|(done, _)| *done >= 0.1).collect();
            assert!(!later.is_empty(), "{write} {read}");
            for (done, whole) in later {
                assert!((whole - took).abs() / took < 0.25, "{write} {read}: at {done:.2} {whole:.2} of {took:.2}");
            }
        }
    }
}
