//! Items side by side: those that share no drive, or a drive that serves many at once, go on at the same time.
//!
//! Law: an item that needs the room of other originals begins when they are gone. An item never overtakes an earlier one that
//! wants the same drive, and records of one launcher change in the order of the items, since a later edit may build on an
//! earlier one.

use std::collections::HashSet;
use std::sync::{Condvar, Mutex};
use std::thread;
use std::time::Duration;

use crossbeam_channel::{RecvTimeoutError, unbounded};

use super::context::lock;
use super::error::HaulError;
use super::event::{Control, HaulEvent};
use crate::journal::ItemRow;
use crate::plan::fight;
use crate::site::Site;

/// Items that go on at the same time, at most: each has threads of its own.
const MOST: usize = 4;

/// Which items are at their end, so that those behind them may change records.
#[derive(Default)]
struct Turns {
    ended: Mutex<HashSet<usize>>,
    changed: Condvar,
}

impl Turns {
    fn end(&self, item: usize) {
        lock(&self.ended).insert(item);
        self.changed.notify_all();
    }

    /// Waits for these items.
    fn wait_for(&self, items: &[usize], stop: &Control) -> Result<(), HaulError> {
        let mut ended = lock(&self.ended);
        while !items.iter().all(|item| ended.contains(item)) {
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

/// What is done with an item: with whom it hears reports, and how it waits for its turn.
pub(crate) type ItemWork<'a> = dyn Fn(ItemRow, &dyn Fn(HaulEvent), Turn<'_>) -> Result<(), HaulError> + Sync + 'a;

/// Runs items until all are at their end or none can go on; `failed` hears of those that could not, and `is_gone`
/// says whether an item's originals have left. Reports on this thread.
pub(crate) fn side_by_side(
    site: &Site,
    items: Vec<ItemRow>,
    stop: &Control,
    report: &dyn Fn(HaulEvent),
    work: &ItemWork<'_>,
    is_gone: &dyn Fn(&ItemRow) -> bool,
    failed: &mut dyn FnMut(&ItemRow, HaulError),
) {
    if let [only] = &items[..] {
        return match work(only.clone(), report, &|| Ok(())) {
            Ok(()) => {}
            Err(error) => failed(only, error),
        };
    }
    enum News {
        WorkerEvent(HaulEvent),
        Ended(usize, Result<(), HaulError>),
    }
    let turns = Turns::default();
    let (tell, told) = unbounded();
    let items = &items;
    let mut waiting: Vec<usize> = (0..items.len()).collect();
    let mut running: Vec<usize> = Vec::new();
    let mut stuck: Vec<usize> = Vec::new();
    thread::scope(|scope| {
        loop {
            let mut passed: Vec<usize> = Vec::new();
            let alive: HashSet<usize> = waiting.iter().chain(&running).copied().collect();
            let mut homeless: Vec<(usize, usize)> = Vec::new();
            waiting.retain(|&n| {
                let fights = |other: &&usize| fight(site, &items[n].planned, &items[**other].planned);
                let is_hindered =
                    |other: &&usize| fights(other) || items[n].planned.launcher == items[**other].planned.launcher;
                if stuck.iter().any(|other| is_hindered(&other)) || stop.asked() {
                    turns.end(n);
                    return false;
                }
                // Its originals stay: what needs their room cannot begin.
                let in_the_way =
                    items[n].planned.after.iter().find(|k| !alive.contains(k) && !items.get(**k).is_some_and(is_gone));
                if let Some(k) = in_the_way {
                    homeless.push((n, *k));
                    turns.end(n);
                    return false;
                }
                let waits_for_room = items[n].planned.after.iter().any(|k| alive.contains(k));
                if waits_for_room || running.len() >= MOST || running.iter().chain(&passed).any(|other| fights(&other))
                {
                    passed.push(n);
                    return true;
                }
                running.push(n);
                let (tell, turns) = (tell.clone(), &turns);
                let before: Vec<usize> =
                    (0..n).filter(|other| items[*other].planned.launcher == items[n].planned.launcher).collect();
                scope.spawn(move || {
                    let report = |event| drop(tell.send(News::WorkerEvent(event)));
                    let turn = || turns.wait_for(&before, stop);
                    let work = || work(items[n].clone(), &report, &turn);
                    // A fault of this program is no reason for the others to wait for this item.
                    let result = std::panic::catch_unwind(std::panic::AssertUnwindSafe(work));
                    let result = result.unwrap_or(Err(HaulError::NeedsRecovery));
                    turns.end(n);
                    #[expect(
                        clippy::let_underscore_must_use,
                        reason = "who has stopped listening has heard of another failure"
                    )]
                    let _ = tell.send(News::Ended(n, result));
                });
                false
            });
            for (n, k) in homeless {
                stuck.push(n);
                let title = items.get(k).map_or_else(String::new, |item| item.planned.title.clone());
                failed(&items[n], HaulError::NoRoomYet { title });
            }
            if running.is_empty() {
                break;
            }
            match told.recv_timeout(Duration::from_millis(100)) {
                Ok(News::WorkerEvent(event)) => report(event),
                Ok(News::Ended(n, result)) => {
                    running.retain(|other| *other != n);
                    if let Err(error) = result {
                        if !error.spares_other_items() {
                            stuck.push(n);
                        }
                        failed(&items[n], error);
                    }
                }
                Err(RecvTimeoutError::Timeout | RecvTimeoutError::Disconnected) => {}
            }
        }
    });
    // An item that was asked to pause before it was begun has told nothing.
    if stop.asked()
        && let Some(item) = items.iter().find(|item| !item.stage.at_rest())
    {
        failed(item, HaulError::Paused);
    }
}
