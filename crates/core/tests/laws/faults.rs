//! Laws under faults: the n-th act on a disk fails, for every n.

use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use deft_barge_core::disk::{Act, Gate};

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
        Act::ReadFolder(_) => &[BROKEN, ACCESS, GONE],
        Act::Look(_) => &[BROKEN, ACCESS, GONE],
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

/// Fails the n-th act, and every one after it where `stays` is set, with one of the errors that fit it.
#[derive(Debug)]
struct Flaky {
    acts: AtomicUsize,
    fails_at: usize,
    stays: bool,
    which: usize,
}

impl Flaky {
    fn at(fails_at: usize, stays: bool, which: usize) -> Arc<Self> {
        Arc::new(Self { acts: AtomicUsize::new(0), fails_at, stays, which })
    }
}

impl Gate for Flaky {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let nth = self.acts.fetch_add(1, Ordering::SeqCst);
        if nth == self.fails_at || (self.stays && nth > self.fails_at) {
            let errors = fitting(act);
            return Err(io::Error::from_raw_os_error(errors[self.which % errors.len()]));
        }
        Ok(())
    }
}

#[test]
fn a_failure_at_any_act_leaves_a_whole_copy_and_can_be_resumed_or_returned() {
    let (mut failed, mut passed) = (0, 0);
    // One error for each act takes long enough for every day; all of them are tried where that is asked for.
    let all = std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some();
    for scenario in ALL {
        let count = Flaky::at(usize::MAX, false, 0);
        let case = Case::new(scenario);
        case.act(Some(case.port.site().disk.and_gate(count.clone()))).unwrap();
        let acts = count.acts.load(Ordering::SeqCst);
        assert!(acts > 10, "{scenario:?}: {acts} acts");
        for (n, which) in (0..acts).flat_map(|n| (0..MOST).map(move |which| (n, which))) {
            if !all && which != n % MOST {
                continue;
            }
            let when = format!("act {n} of {acts} fails with error {which}");
            let case = Case::new(scenario);
            // Acts of several threads come in another order each time; a late fault may meet none.
            let gate = Flaky::at(n, (n + which) % 3 == 0, which);
            match case.act(Some(case.port.site().disk.and_gate(gate))) {
                Ok(()) => {
                    passed += 1;
                    case.check_done(&when);
                    continue;
                }
                Err(_) => failed += 1,
            }
            case.check_instant(&when);
            if n % 2 == 0 { case.recover_forward(&when) } else { case.recover_back(&when) }
        }
    }
    println!("{failed} faults met, {passed} passed by");
    assert!(failed > 100, "{failed} faults met, {passed} passed by");
    assert!(passed > 0, "a few failures are of no consequence: a link that cannot be made is a rename instead");
}
