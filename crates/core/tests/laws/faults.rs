//! Laws under faults: the n-th act on a disk fails, for every n.

use std::collections::HashMap;
use std::io;
use std::mem::{Discriminant, discriminant};
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};

use deft_barge_core::disk::{Act, Gate, What};

use crate::scenarios::{ALL, Case};

const NOT_PERMITTED: i32 = 1;
const NONE: i32 = 2;
const BROKEN: i32 = 5;
const ACCESS: i32 = 13;
const BUSY: i32 = 16;
const OTHER_DRIVE: i32 = 18;
const GONE: i32 = 19;
const INVALID: i32 = 22;
const TOO_MANY: i32 = 24;
const FULL: i32 = 28;
const READ_ONLY: i32 = 30;
const LINKS: i32 = 31;
const NO_DATA: i32 = 61;
const QUOTA: i32 = 122;

/// Errors that an act may meet, by the manual pages of the calls behind it.
fn fitting(act: &Act<'_>) -> &'static [i32] {
    match act {
        Act::ReadFolder(_) | Act::Look(_) => &[BROKEN, ACCESS, GONE],
        Act::OpenFolder(_) => &[BROKEN, ACCESS, TOO_MANY],
        Act::OpenRead(_) => &[BROKEN, ACCESS, NONE, TOO_MANY],
        Act::Read { .. } => &[BROKEN, NO_DATA, GONE],
        Act::Create(_) | Act::MakeFolder(_) => &[FULL, READ_ONLY, ACCESS, BROKEN],
        Act::OpenWrite(_) => &[BROKEN, ACCESS, READ_ONLY],
        Act::Write { .. } => &[FULL, BROKEN, QUOTA, READ_ONLY],
        Act::SetLen { .. } => &[FULL, BROKEN],
        Act::Flush(_) | Act::FlushFolder(_) | Act::FlushDrive(_) => &[BROKEN, FULL, QUOTA],
        Act::Meta(_) => &[BROKEN, NOT_PERMITTED, READ_ONLY],
        Act::MakeLink { .. } => &[FULL, NOT_PERMITTED, BROKEN],
        Act::HardLink { .. } => &[LINKS, NOT_PERMITTED, FULL],
        Act::Share { .. } => &[INVALID],
        Act::Rename { .. } => &[BROKEN, READ_ONLY, OTHER_DRIVE],
        Act::Replace { .. } | Act::Commit(_) => &[BROKEN, FULL],
        Act::Exchange { .. } => &[INVALID, BROKEN],
        Act::Remove { .. } => &[BROKEN, BUSY, READ_ONLY],
    }
}

/// The most errors that fit one act.
const MOST: usize = 4;

/// Fails the n-th act of a kind, and every act after it where `stays` is set, with one of the errors that fit it.
#[derive(Debug)]
struct Flaky {
    kind: Discriminant<Act<'static>>,
    met: AtomicUsize,
    fails_at: usize,
    stays: bool,
    which: usize,
    failing: AtomicBool,
}

impl Gate for Flaky {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let is_it = kind_of(act) == self.kind && self.met.fetch_add(1, Ordering::SeqCst) == self.fails_at;
        if is_it {
            self.failing.store(true, Ordering::SeqCst);
        }
        if is_it || (self.stays && self.failing.load(Ordering::SeqCst)) {
            let errors = fitting(act);
            return Err(io::Error::from_raw_os_error(errors[self.which % errors.len()]));
        }
        Ok(())
    }
}

/// Counts acts by their kind.
#[derive(Debug, Default)]
struct Counting(Mutex<HashMap<Discriminant<Act<'static>>, (usize, bool)>>);

impl Gate for Counting {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let mut counts = self.0.lock().unwrap();
        let count = counts.entry(kind_of(act)).or_insert((0, act.only_reads()));
        count.0 += 1;
        Ok(())
    }
}

/// The kind of an act, whatever it is done to.
fn kind_of(act: &Act<'_>) -> Discriminant<Act<'static>> {
    let nowhere = Path::new("");
    let (path, offset, len) = (nowhere, 0, 0);
    discriminant(&match act {
        Act::Look(_) => Act::Look(path),
        Act::OpenFolder(_) => Act::OpenFolder(path),
        Act::OpenRead(_) => Act::OpenRead(path),
        Act::Read { .. } => Act::Read { path, offset, len },
        Act::ReadFolder(_) => Act::ReadFolder(path),
        Act::Create(_) => Act::Create(path),
        Act::OpenWrite(_) => Act::OpenWrite(path),
        Act::Write { .. } => Act::Write { path, offset, len },
        Act::SetLen { .. } => Act::SetLen { path, len },
        Act::Flush(_) => Act::Flush(path),
        Act::FlushFolder(_) => Act::FlushFolder(path),
        Act::FlushDrive(_) => Act::FlushDrive(path),
        Act::Share { .. } => Act::Share { at: path, of: path },
        Act::Meta(_) => Act::Meta(path),
        Act::MakeFolder(_) => Act::MakeFolder(path),
        Act::MakeLink { .. } => Act::MakeLink { at: path },
        Act::HardLink { .. } => Act::HardLink { at: path, of: path },
        Act::Rename { .. } => Act::Rename { from: path, to: path },
        Act::Replace { .. } => Act::Replace { from: path, to: path },
        Act::Exchange { .. } => Act::Exchange { one: path, other: path },
        Act::Commit(_) => Act::Commit(path),
        Act::Remove { .. } => Act::Remove { path, what: What::File },
    })
}

/// Some of `count` acts, the first and the last among them.
fn some(count: usize, most: usize) -> Vec<usize> {
    let mut all: Vec<usize> = (0..most.min(count)).map(|n| n * (count - 1) / (most.min(count) - 1).max(1)).collect();
    all.dedup();
    all
}

#[test]
fn a_failure_at_any_act_leaves_a_whole_copy_and_can_be_resumed_or_returned() {
    /// Acts of each kind that are tried every day: looks and reads, and acts that change something.
    const SOME: [usize; 2] = [4, 9];
    let (mut failed, mut passed, mut tried) = (0, 0, 0);
    // Some of each kind take long enough for every day; all of them with all errors are tried where that is asked for.
    let all = std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some();
    for scenario in ALL {
        let count = Arc::new(Counting::default());
        let case = Case::new(scenario);
        case.act(Some(case.port.site().disk.and_gate(count.clone()))).unwrap();
        let counts = count.0.lock().unwrap().clone();
        assert!(counts.len() >= 5, "{scenario:?}: {counts:?}");
        for (kind, (acts, only_reads)) in counts {
            let chosen = if all { (0..acts).collect() } else { some(acts, SOME[usize::from(!only_reads)]) };
            for (n, which) in chosen.into_iter().flat_map(|n| (0..MOST).map(move |which| (n, which))) {
                if !all && which != (n + scenario as usize) % MOST {
                    continue;
                }
                tried += 1;
                let when = format!("act {n} of {acts} of {kind:?} fails with error {which}");
                let case = Case::new(scenario);
                // Acts of several threads come in another order each time; a late fault may meet none.
                let gate = Flaky {
                    kind,
                    met: AtomicUsize::new(0),
                    fails_at: n,
                    stays: (n + which) % 3 == 0,
                    which,
                    failing: AtomicBool::new(false),
                };
                match case.act(Some(case.port.site().disk.and_gate(Arc::new(gate)))) {
                    Ok(()) => {
                        passed += 1;
                        // What cannot be removed is left and named, and is no failure.
                        case.release_what_was_left();
                        case.check_done(&when);
                        continue;
                    }
                    Err(_) => failed += 1,
                }
                case.check_instant(&when);
                if tried % 2 == 0 { case.recover_forward(&when) } else { case.recover_back(&when) }
            }
        }
    }
    println!("{failed} faults met, {passed} passed by");
    assert!(failed > 100, "{failed} faults met, {passed} passed by");
    assert!(passed > 0, "a few failures are of no consequence: a link that cannot be made is a rename instead");
}
