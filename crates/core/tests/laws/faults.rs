//! Laws under faults: the n-th act on a disk fails, for every n.

use std::io;
use std::mem::Discriminant;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use deft_barge_core::disk::{Act, Gate};

use crate::acts::{ActLog, every_fault, kind_of};
use crate::scenarios::{Case, Scenario};

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

/// Failures of many acts of a scenario, each with one of its errors and gone on or back from; all of them with all errors, both
/// ways, where that is asked for.
fn fails_at_any_act(scenario: Scenario) {
    let every = every_fault();
    let log = ActLog::of(scenario);
    let (mut failed, mut passed, mut tried) = (0, 0, 0);
    for (kind, chosen) in log.chosen_by_kind(every) {
        let faults = chosen.into_iter().flat_map(|n| (0..MOST).map(move |which| (n, which)));
        for (n, which) in faults.filter(|(n, which)| every || *which == (n + scenario as usize) % MOST) {
            tried += 1;
            for goes_on in [true, false].into_iter().filter(|goes_on| every || *goes_on == (tried % 2 == 0)) {
                let when = format!("act {n} of {kind:?} fails with error {which}");
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
                if case.act(Some(case.port.site().disk.and_gate(Arc::new(gate)))).is_ok() {
                    passed += 1;
                    // What cannot be removed is left and named, and is no failure.
                    case.release_what_was_left();
                    case.check_done(&when);
                    continue;
                }
                failed += 1;
                case.check_instant(&when);
                if goes_on { case.recover_forward(&when) } else { case.recover_back(&when) }
            }
        }
    }
    println!("{failed} faults met, {passed} passed by");
    assert!(failed >= 5, "{failed} faults met, {passed} passed by");
    assert!(passed > 0, "a few failures are of no consequence: a link that cannot be made is a rename instead");
}

#[test]
fn a_failure_at_any_act_of_a_haul_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    fails_at_any_act(Scenario::Haul);
}

#[test]
fn a_failure_at_any_act_of_a_haul_that_releases_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    fails_at_any_act(Scenario::HaulAndRelease);
}

#[test]
fn a_failure_at_any_act_of_a_release_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    fails_at_any_act(Scenario::Release);
}

#[test]
fn a_failure_at_any_act_of_an_undo_with_originals_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    fails_at_any_act(Scenario::ReturnHeld);
}

#[test]
fn a_failure_at_any_act_of_an_undo_without_originals_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    fails_at_any_act(Scenario::ReturnReleased);
}

#[test]
fn a_failure_at_any_act_of_a_rename_leaves_a_whole_copy_and_can_be_resumed_or_undone() {
    fails_at_any_act(Scenario::Rename);
}
