//! Waiting until no launcher, helper or game uses what is to change.

use super::context::ItemContext;
use super::error::HaulError;
use super::event::HaulEvent;
use std::time::{Duration, Instant};

use crate::item::{Finding, Severity};

use crate::preflight::quiet;

/// The programs that have to end before records change.
fn in_the_way(work: &ItemContext<'_>) -> Vec<Finding> {
    let mut findings = quiet(work.site, std::slice::from_ref(&work.item.planned));
    findings.retain(|finding| finding.severity == Severity::Blocker);
    findings
}

/// Refuses while a launcher, a helper or a game is running.
pub(crate) fn be_quiet(work: &ItemContext<'_>) -> Result<(), HaulError> {
    let findings = in_the_way(work);
    if findings.is_empty() { Ok(()) } else { Err(HaulError::Refused(findings)) }
}

/// Waits until no launcher, helper or game is running, and says what it waits for.
pub(crate) fn wait_until_quiet(work: &ItemContext<'_>) -> Result<(), HaulError> {
    const LOOK: Duration = Duration::from_secs(1);
    loop {
        let findings = in_the_way(work);
        if findings.is_empty() {
            return Ok(());
        }
        let (item, title) = (work.item.id, work.item.planned.title.clone());
        (work.report)(HaulEvent::Waiting { item, title, findings });
        let begun = Instant::now();
        while begun.elapsed() < LOOK {
            work.may_go_on()?;
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}
