//! How long something takes.

use std::time::{Duration, Instant};

/// The middle and the slowest of some runs.
pub fn times(runs: usize, mut act: impl FnMut()) -> (Duration, Duration) {
    let one = |_| {
        let begun = Instant::now();
        act();
        begun.elapsed()
    };
    let mut all: Vec<Duration> = (0..runs).map(one).collect();
    all.sort();
    (all[runs / 2], all[runs - 1])
}

/// Says the two times of a thing.
pub fn say(what: &str, (middle, slowest): (Duration, Duration)) {
    println!("{what}: {:.2} ms, {:.2} ms at most", middle.as_secs_f64() * 1e3, slowest.as_secs_f64() * 1e3);
}
