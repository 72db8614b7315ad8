//! How long a plan will take: from what drives of its kind do, from a probe, and from what past hauls reached.
//!
//! Law: a range, as wide as little is known; a past haul between the same drives counts most. Start at [`timing`].

use std::collections::HashMap;
use std::time::Duration;

use serde::Serialize;

use crate::item::{PlannedItem, Strategy};
use crate::site::{DriveSpeed, Run, Site, Speeds};

/// What a time is reckoned from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Basis {
    /// Past hauls between the same two drives.
    Hauls,
    /// Both drives were probed.
    Probe,
    /// Past hauls to or from one of them, or one of them was probed.
    Part,
    /// The kinds of the drives.
    Kind,
}

impl Basis {
    /// How far the truth may be below and above.
    fn spread(self) -> (f64, f64) {
        match self {
            Self::Hauls => (0.8, 1.25),
            Self::Probe => (0.75, 1.4),
            Self::Part => (0.6, 1.7),
            Self::Kind => (0.4, 2.5),
        }
    }
}

/// What takes longest.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "what")]
pub enum Slowest {
    /// Reading this drive.
    Reads { drive: String, bytes_per_second: f64 },
    /// Writing this drive, and reading back what was written.
    Writes { drive: String, bytes_per_second: f64 },
    /// The number of files on this drive.
    Files { drive: String },
}

/// How long something takes: at least and at most.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Span {
    /// At least, probably.
    pub low: Duration,
    /// At most, probably.
    pub high: Duration,
}

/// When an item is copied.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ItemTime {
    /// From the haul's start until it begins, by the middle of its range.
    pub begins: Duration,
    /// Until it ends.
    pub ends: Duration,
    /// How long it takes.
    pub span: Span,
    /// What takes longest; `None` if it is renamed.
    pub slowest: Option<Slowest>,
    /// What that is reckoned from.
    pub basis: Basis,
}

/// When everything is copied.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Timing {
    /// Each item, in the order of the plan.
    pub items: Vec<ItemTime>,
    /// The whole haul, items of other drives side by side.
    pub whole: Span,
}

/// Seconds of a copy between two drives that do so much by themselves, and what takes longest of it.
///
/// Reading goes beside writing, and what is written is read back from the same drive.
pub(crate) fn seconds(from: (&str, DriveSpeed), to: (&str, DriveSpeed), bytes: u64, files: u64) -> (f64, Slowest) {
    let (bytes, files) = (bytes as f64, files as f64);
    let read = bytes / from.1.read;
    let back = 1.0 / (1.0 / to.1.write + 1.0 / to.1.read);
    let write = bytes / back;
    // Small files keep both drives; several are under way at a time.
    let each = files * from.1.per_file.max(to.1.per_file);
    let longest = read.max(write);
    let slowest = if each > longest {
        let drive = if from.1.per_file > to.1.per_file { from.0 } else { to.0 };
        Slowest::Files { drive: drive.into() }
    } else if read > write {
        Slowest::Reads { drive: from.0.into(), bytes_per_second: from.1.read }
    } else {
        Slowest::Writes { drive: to.0.into(), bytes_per_second: to.1.write }
    };
    (longest + each, slowest)
}

/// Seconds that an item takes whatever its size.
const OF_A_LOT: f64 = 0.3;

impl Speeds {
    /// How much longer past runs took than they should have; the newest count. What was over in a moment says more of its beginning
    /// and its end than of the drives.
    fn factor(&self, site: &Site, fits: impl Fn(&Run) -> bool) -> Option<f64> {
        const NEWEST: usize = 8;
        const A_MOMENT: f64 = 1.5;
        let runs = self.runs.iter().filter(|run| run.seconds >= A_MOMENT && fits(run)).take(NEWEST);
        let sums = runs.fold((0.0, 0.0), |(took, should), run| {
            let (from, to) = (self.pace(site, &run.from), self.pace(site, &run.to));
            (took + run.seconds - OF_A_LOT, should + seconds((&run.from, from), (&run.to, to), run.bytes, run.files).0)
        });
        (sums.1 > 0.0 && sums.0 > 0.0).then(|| sums.0 / sums.1)
    }

    /// How long a copy takes, in seconds, with its comparison.
    pub fn estimate(&self, site: &Site, from: &str, to: &str, bytes: u64, files: u64) -> (f64, Slowest, Basis) {
        let (one, other) = (self.pace(site, from), self.pace(site, to));
        let (plain, slowest) = seconds((from, one), (to, other), bytes, files);
        if let Some(factor) = self.factor(site, |run| run.from == from && run.to == to) {
            return (plain * factor, told(slowest, factor), Basis::Hauls);
        }
        let probed = [from, to].map(|drive| self.probes.contains_key(drive));
        if probed == [true, true] {
            return (plain, slowest, Basis::Probe);
        }
        // What is written sets the pace more often than what is read.
        let part = self.factor(site, |run| run.to == to).or_else(|| self.factor(site, |run| run.from == from));
        match part {
            Some(factor) => (plain * factor, told(slowest, factor), Basis::Part),
            None if probed != [false, false] => (plain, slowest, Basis::Part),
            None => (plain, slowest, Basis::Kind),
        }
    }
}

/// The rates that go with what past hauls reached.
fn told(slowest: Slowest, factor: f64) -> Slowest {
    match slowest {
        Slowest::Reads { drive, bytes_per_second } => {
            Slowest::Reads { drive, bytes_per_second: bytes_per_second / factor }
        }
        Slowest::Writes { drive, bytes_per_second } => {
            Slowest::Writes { drive, bytes_per_second: bytes_per_second / factor }
        }
        files @ Slowest::Files { .. } => files,
    }
}

/// When each item begins and ends, and how long all takes. `fight` is whether two items wait for one another.
pub fn timing(
    site: &Site,
    speeds: &Speeds,
    items: &[PlannedItem],
    fight: &dyn Fn(&PlannedItem, &PlannedItem) -> bool,
) -> Timing {
    let known: Vec<(f64, Option<Slowest>, Basis)> = items.iter().map(|item| of_item(site, speeds, item)).collect();
    // Whether two items wait for one another is a matter of their drives: items with the same ones are told apart by nothing.
    let mut ways: HashMap<(Option<&str>, &str), usize> = HashMap::new();
    let mut firsts: Vec<&PlannedItem> = Vec::new();
    let way_of: Vec<usize> = items
        .iter()
        .map(|item| {
            *ways.entry((item.from_drive.as_deref(), item.to_drive.as_str())).or_insert_with(|| {
                firsts.push(item);
                firsts.len() - 1
            })
        })
        .collect();
    let fights: Vec<Vec<usize>> =
        firsts.iter().map(|one| (0..firsts.len()).filter(|other| fight(one, firsts[*other])).collect()).collect();
    let schedule = |stretch: &dyn Fn(Basis) -> f64| -> Vec<(f64, f64)> {
        let mut times: Vec<(f64, f64)> = Vec::new();
        let mut last = vec![0.0_f64; firsts.len()];
        for (n, item) in items.iter().enumerate() {
            // It begins when those before it that want the same drives, or whose room it needs, have ended.
            let of_drives = fights[way_of[n]].iter().map(|way| last[*way]);
            let of_room = item.after.iter().filter(|k| **k < n).map(|k| times[*k].1);
            let begins = of_drives.chain(of_room).fold(0.0, f64::max);
            let ends = begins + known[n].0 * stretch(known[n].2);
            last[way_of[n]] = last[way_of[n]].max(ends);
            times.push((begins, ends));
        }
        times
    };
    let end = |times: &[(f64, f64)]| times.iter().map(|(_, ends)| *ends).fold(0.0, f64::max);
    let (low, high) = (schedule(&|basis| basis.spread().0), schedule(&|basis| basis.spread().1));
    let middle = schedule(&|_| 1.0);
    let time = Duration::from_secs_f64;
    let items = middle.iter().zip(&known).map(|(&(begins, ends), (seconds, slowest, basis))| ItemTime {
        begins: time(begins),
        ends: time(ends),
        span: Span { low: time(seconds * basis.spread().0), high: time(seconds * basis.spread().1) },
        slowest: slowest.clone(),
        basis: *basis,
    });
    Timing { items: items.collect(), whole: Span { low: time(end(&low)), high: time(end(&high)) } }
}

/// How many seconds an item takes by itself, on what drive that hangs, and how that is known.
fn of_item(site: &Site, speeds: &Speeds, item: &PlannedItem) -> (f64, Option<Slowest>, Basis) {
    let from = item.from_drive.as_deref().unwrap_or_default();
    if item.mode != Strategy::Copy {
        return (0.5, None, Basis::Hauls);
    }
    let (seconds, slowest, basis) =
        speeds.estimate(site, from, &item.to_drive, item.size.on_disk.count().max(item.need.count()), item.size.files);
    (seconds + OF_A_LOT, Some(slowest), basis)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::Disk;
    use crate::platform::DriveKind;
    use crate::site::Places;
    use crate::survey::made_up::drive;
    use std::path::Path;

    fn site() -> Site {
        let mut drives: Vec<_> = ["fast", "slow"].map(|name| drive(name, 1 << 40, 0, 0).drive).into();
        drives[0].kind = DriveKind::Nvme;
        drives[1].kind = DriveKind::Usb;
        Site {
            drives,
            places: Places::usual(Path::new("/h")),
            processes: "/proc".into(),
            disk: Disk::default(),
            world: None,
            known: Vec::new(),
        }
    }

    fn run(bytes: u64, files: u64, seconds: f64) -> Run {
        Run { from: "fast".into(), to: "slow".into(), bytes, files, seconds }
    }

    #[test]
    fn past_hauls_between_the_same_drives_say_how_long_the_next_takes() {
        let site = site();
        let guess = Speeds::default().estimate(&site, "fast", "slow", 40_000_000_000, 20);
        assert_eq!(guess.2, Basis::Kind);
        assert!(matches!(&guess.1, Slowest::Writes { drive, .. } if drive == "slow"), "{guess:?}");
        // It reached 40 MB/s with the reading back.
        let speeds =
            Speeds { runs: vec![run(8_000_000_000, 10, 200.0), run(4_000_000_000, 4, 100.0)], ..Speeds::default() };
        let (seconds, _, basis) = speeds.estimate(&site, "fast", "slow", 40_000_000_000, 20);
        assert_eq!(basis, Basis::Hauls);
        assert!((950.0..1050.0).contains(&seconds), "{seconds}");
        // The other way round it is a hint and no more.
        assert_eq!(speeds.estimate(&site, "slow", "fast", 1, 1).2, Basis::Kind);
        assert_eq!(speeds.estimate(&site, "other", "slow", 1, 1).2, Basis::Part);
    }

    #[test]
    fn a_run_of_a_moment_does_not_make_all_later_ones_seem_slow() {
        let site = site();
        let plain = Speeds::default().estimate(&site, "fast", "slow", 100_000_000, 1000).0;
        let speeds = Speeds { runs: vec![run(2_300_000, 42, 0.6)], ..Speeds::default() };
        let learned = speeds.estimate(&site, "fast", "slow", 100_000_000, 1000);
        assert_eq!((learned.0, learned.2), (plain, Basis::Kind));
        // One that is slow for long does.
        let speeds = Speeds { runs: vec![run(1_000_000_000, 42, 600.0)], ..Speeds::default() };
        assert!(speeds.estimate(&site, "fast", "slow", 100_000_000, 1000).0 > plain * 5.0);
    }

    #[test]
    fn many_small_files_take_longer_than_their_bytes() {
        let site = site();
        let (few, many) = (
            Speeds::default().estimate(&site, "fast", "slow", 1_000_000_000, 10),
            Speeds::default().estimate(&site, "fast", "slow", 1_000_000_000, 100_000),
        );
        assert!(many.0 > few.0 * 5.0);
        assert!(matches!(many.1, Slowest::Files { ref drive } if drive == "slow"));
    }

    #[test]
    fn a_probe_narrows_the_range() {
        let mut speeds = Speeds::default();
        let pace = DriveSpeed { read: 100e6, write: 50e6, per_file: 0.001 };
        speeds.probes.insert("slow".into(), pace);
        let (seconds, slowest, basis) = speeds.estimate(&site(), "fast", "slow", 1_000_000_000, 0);
        assert_eq!(basis, Basis::Part);
        assert!((29.9..30.1).contains(&seconds), "{seconds}");
        assert_eq!(slowest, Slowest::Writes { drive: "slow".into(), bytes_per_second: 50e6 });
        let spreads = [Basis::Hauls, Basis::Probe, Basis::Part, Basis::Kind].map(Basis::spread);
        assert!(spreads.is_sorted_by(|a, b| a.0 >= b.0 && a.1 <= b.1));
    }
}
