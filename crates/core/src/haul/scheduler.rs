//! Lots side by side: those that share no drive, or a drive that serves many at once, go on at the same time.
//!
//! Law: a lot that needs the room of other originals begins when they are gone. A lot never overtakes an earlier one that
//! wants the same drive, and records of one launcher change in the order of the lots, since a later edit may build on an
//! earlier one.

use std::collections::HashSet;
use std::sync::{Condvar, Mutex};
use std::thread;
use std::time::Duration;

use crossbeam_channel::{RecvTimeoutError, unbounded};

use super::context::lock;
use super::error::HaulError;
use super::event::{Control, HaulEvent};
use crate::journal::LotRow;
use crate::plan::fight;
use crate::site::Site;

/// Lots that go on at the same time, at most: each has threads of its own.
const MOST: usize = 4;

/// Which lots are at their end, so that those behind them may change records.
#[derive(Default)]
struct Turns {
    ended: Mutex<HashSet<usize>>,
    changed: Condvar,
}

impl Turns {
    fn end(&self, lot: usize) {
        lock(&self.ended).insert(lot);
        self.changed.notify_all();
    }

    /// Waits for these lots.
    fn wait_for(&self, lots: &[usize], stop: &Control) -> Result<(), HaulError> {
        let mut ended = lock(&self.ended);
        while !lots.iter().all(|lot| ended.contains(lot)) {
            if stop.asked() {
                return Err(HaulError::Paused);
            }
            let waited = self.changed.wait_timeout(ended, Duration::from_millis(50));
            ended = waited.unwrap_or_else(std::sync::PoisonError::into_inner).0;
        }
        Ok(())
    }
}

type Turn<'a> = &'a dyn Fn() -> Result<(), HaulError>;

/// What is done with a lot: with whom it hears reports, and how it waits for its turn.
pub(crate) type LotWork<'a> = dyn Fn(LotRow, &dyn Fn(HaulEvent), Turn<'_>) -> Result<(), HaulError> + Sync + 'a;

/// Runs lots until all are at their end or none can go on; `failed` hears of those that could not, and `is_gone`
/// says whether a lot's originals have left. Reports on this thread.
pub(crate) fn side_by_side(
    site: &Site,
    lots: Vec<LotRow>,
    stop: &Control,
    report: &dyn Fn(HaulEvent),
    work: &LotWork<'_>,
    is_gone: &dyn Fn(&LotRow) -> bool,
    failed: &mut dyn FnMut(&LotRow, HaulError),
) {
    if let [only] = &lots[..] {
        return match work(only.clone(), report, &|| Ok(())) {
            Ok(()) => {}
            Err(error) => failed(only, error),
        };
    }
    enum News {
        Told(HaulEvent),
        Ended(usize, Result<(), HaulError>),
    }
    let turns = Turns::default();
    let (tell, told) = unbounded();
    let lots = &lots;
    let mut waiting: Vec<usize> = (0..lots.len()).collect();
    let mut running: Vec<usize> = Vec::new();
    let mut stuck: Vec<usize> = Vec::new();
    thread::scope(|scope| {
        loop {
            let mut passed: Vec<usize> = Vec::new();
            let alive: HashSet<usize> = waiting.iter().chain(&running).copied().collect();
            let mut homeless: Vec<(usize, usize)> = Vec::new();
            waiting.retain(|&n| {
                let fights = |other: &&usize| fight(site, &lots[n].planned, &lots[**other].planned);
                let is_hindered =
                    |other: &&usize| fights(other) || lots[n].planned.launcher == lots[**other].planned.launcher;
                if stuck.iter().any(|other| is_hindered(&other)) || stop.asked() {
                    turns.end(n);
                    return false;
                }
                // Its originals stay: what needs their room cannot begin.
                let in_the_way =
                    lots[n].planned.after.iter().find(|k| !alive.contains(k) && !lots.get(**k).is_some_and(is_gone));
                if let Some(k) = in_the_way {
                    homeless.push((n, *k));
                    turns.end(n);
                    return false;
                }
                let waits_for_room = lots[n].planned.after.iter().any(|k| alive.contains(k));
                if waits_for_room || running.len() >= MOST || running.iter().chain(&passed).any(|other| fights(&other))
                {
                    passed.push(n);
                    return true;
                }
                running.push(n);
                let (tell, turns) = (tell.clone(), &turns);
                let before: Vec<usize> =
                    (0..n).filter(|other| lots[*other].planned.launcher == lots[n].planned.launcher).collect();
                scope.spawn(move || {
                    let report = |event| drop(tell.send(News::Told(event)));
                    let turn = || turns.wait_for(&before, stop);
                    let work = || work(lots[n].clone(), &report, &turn);
                    // A fault of this program is no reason for the others to wait for this lot.
                    let result = std::panic::catch_unwind(std::panic::AssertUnwindSafe(work));
                    let result = result.unwrap_or(Err(HaulError::NeedsRecovery));
                    turns.end(n);
                    let _ = tell.send(News::Ended(n, result));
                });
                false
            });
            for (n, k) in homeless {
                stuck.push(n);
                let title = lots.get(k).map_or_else(String::new, |lot| lot.planned.title.clone());
                failed(&lots[n], HaulError::NoRoomYet { title });
            }
            if running.is_empty() {
                break;
            }
            match told.recv_timeout(Duration::from_millis(100)) {
                Ok(News::Told(event)) => report(event),
                Ok(News::Ended(n, result)) => {
                    running.retain(|other| *other != n);
                    if let Err(error) = result {
                        if !error.spares_other_lots() {
                            stuck.push(n);
                        }
                        failed(&lots[n], error);
                    }
                }
                Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected) => {}
            }
        }
    });
    // A lot that was asked to pause before it was begun has told nothing.
    if stop.asked()
        && let Some(lot) = lots.iter().find(|lot| !lot.stage.at_rest())
    {
        failed(lot, HaulError::Paused);
    }
}
