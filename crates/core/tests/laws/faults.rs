//! Laws under faults: the n-th act on a disk fails, for every n.

use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use deft_barge_core::disk::{Act, Gate};

use crate::scenarios::{ALL, Case};

/// Fails the n-th act, and every one after it where `stays` is set.
#[derive(Debug)]
struct Flaky {
    acts: AtomicUsize,
    fails_at: usize,
    stays: bool,
}

impl Flaky {
    fn at(fails_at: usize, stays: bool) -> Arc<Self> {
        Arc::new(Self { acts: AtomicUsize::new(0), fails_at, stays })
    }
}

impl Gate for Flaky {
    fn before(&self, _: &Act<'_>) -> io::Result<()> {
        let nth = self.acts.fetch_add(1, Ordering::SeqCst);
        if nth == self.fails_at || (self.stays && nth > self.fails_at) {
            return Err(io::Error::from_raw_os_error(if nth.is_multiple_of(2) { 5 } else { 28 }));
        }
        Ok(())
    }
}

#[test]
fn a_failure_at_any_act_leaves_a_whole_copy_and_can_be_resumed_or_returned() {
    let (mut failed, mut passed) = (0, 0);
    for scenario in ALL {
        let count = Flaky::at(usize::MAX, false);
        let case = Case::new(scenario);
        case.act(Some(case.port.site().disk.and_gate(count.clone()))).unwrap();
        let acts = count.acts.load(Ordering::SeqCst);
        assert!(acts > 10, "{scenario:?}: {acts} acts");
        for n in 0..acts {
            let when = format!("act {n} of {acts} fails");
            let case = Case::new(scenario);
            // Acts of several threads come in another order each time; a late fault may meet none.
            match case.act(Some(case.port.site().disk.and_gate(Flaky::at(n, n % 3 == 0)))) {
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
    assert!(failed > 100, "{failed} faults met, {passed} passed by");
    assert!(passed > 0, "a few failures are of no consequence: a link that cannot be made is a rename instead");
}
