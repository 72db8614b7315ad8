//! Items side by side: those that share no drive, or a drive that serves many at once, go on at the same time.
//!
//! Law: an item that needs the room of other originals begins when they are gone. An item never overtakes an earlier one that
//! wants the same drive, and records of one launcher change in the order of the items, since a later edit may build on an
//! earlier one.

use std::collections::HashSet;
use std::sync::{Condvar, Mutex};
use std::thread;
use std::time::Duration;

use crossbeam_channel::{RecvTimeoutError, Sender, unbounded};

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

/// What a worker says.
enum News {
    WorkerEvent(HaulEvent),
    Ended(usize, Result<(), HaulError>),
}

/// Items by their numbers: those that wait, those that are under way, and those that stopped in the way of others.
struct Queue<'a> {
    site: &'a Site,
    items: &'a [ItemRow],
    stop: &'a Control,
    is_gone: &'a dyn Fn(&ItemRow) -> bool,
    waiting: Vec<usize>,
    running: Vec<usize>,
    stuck: Vec<usize>,
}

/// What a thread of an item needs.
struct Worker<'a> {
    work: &'a ItemWork<'a>,
    turns: &'a Turns,
    stop: &'a Control,
}

impl Worker<'_> {
    /// Does the work of an item; records wait for those before it.
    fn run(&self, n: usize, item: &ItemRow, before: &[usize], tell: &Sender<News>) {
        let report = |event| drop(tell.send(News::WorkerEvent(event)));
        let turn = || self.turns.wait_for(before, self.stop);
        let work = || (self.work)(item.clone(), &report, &turn);
        // A fault of this program is no reason for the others to wait for this item.
        let result = std::panic::catch_unwind(std::panic::AssertUnwindSafe(work));
        let result = result.unwrap_or(Err(HaulError::NeedsRecovery));
        self.turns.end(n);
        #[expect(clippy::let_underscore_must_use, reason = "who has stopped listening has heard of another failure")]
        let _ = tell.send(News::Ended(n, result));
    }
}

/// What becomes of items that waited.
#[derive(Default)]
struct Next {
    begin: Vec<usize>,
    /// Those that will not begin.
    given_up: Vec<usize>,
    /// Those of them whose room is not free, each with the item whose originals stay in it.
    homeless: Vec<(usize, usize)>,
}

impl Queue<'_> {
    /// Takes those from the line that can begin now, or never will.
    fn next(&mut self) -> Next {
        let (site, items) = (self.site, self.items);
        let alive: HashSet<usize> = self.waiting.iter().chain(&self.running).copied().collect();
        let mut next = Next::default();
        let mut passed: Vec<usize> = Vec::new();
        for n in std::mem::take(&mut self.waiting) {
            let Some(item) = items.get(n) else { continue };
            let planned = |other: &usize| items.get(*other).map(|other| &other.planned);
            let fights = |other: &&usize| planned(other).is_some_and(|other| fight(site, &item.planned, other));
            let is_hindered = |other: &&usize| {
                fights(other) || planned(other).is_some_and(|other| other.launcher == item.planned.launcher)
            };
            if self.stuck.iter().any(|other| is_hindered(&other)) || self.stop.asked() {
                next.given_up.push(n);
                continue;
            }
            // Its originals stay: what needs their room cannot begin.
            let stays = |k: &&usize| !alive.contains(k) && !items.get(**k).is_some_and(self.is_gone);
            if let Some(k) = item.planned.after.iter().find(stays) {
                next.homeless.push((n, *k));
                next.given_up.push(n);
                continue;
            }
            let waits_for_room = item.planned.after.iter().any(|k| alive.contains(k));
            let is_full = self.running.len() >= MOST;
            if waits_for_room || is_full || self.running.iter().chain(&passed).any(|other| fights(&other)) {
                passed.push(n);
            } else {
                self.running.push(n);
                next.begin.push(n);
            }
        }
        self.waiting = passed;
        self.stuck.extend(next.homeless.iter().map(|(n, _)| *n));
        next
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
        return work(only.clone(), report, &|| Ok(())).unwrap_or_else(|error| failed(only, error));
    }
    let turns = Turns::default();
    let (tell, told) = unbounded();
    let items = &items;
    let mut queue =
        Queue { site, items, stop, is_gone, waiting: (0..items.len()).collect(), running: vec![], stuck: vec![] };
    thread::scope(|scope| {
        loop {
            let next = queue.next();
            next.given_up.iter().for_each(|n| turns.end(*n));
            for n in next.begin {
                let (tell, worker) = (tell.clone(), Worker { work, turns: &turns, stop });
                let Some(item) = items.get(n) else { continue };
                let of_launcher = |(_, other): &(usize, &ItemRow)| other.planned.launcher == item.planned.launcher;
                let before: Vec<usize> = items.iter().enumerate().take(n).filter(of_launcher).map(|(n, _)| n).collect();
                scope.spawn(move || {
                    worker.run(n, item, &before, &tell);
                });
            }
            for (n, k) in next.homeless {
                let title = items.get(k).map_or_else(String::new, |item| item.planned.title.clone());
                if let Some(item) = items.get(n) {
                    failed(item, HaulError::NoRoomYet { title });
                }
            }
            if queue.running.is_empty() {
                break;
            }
            match told.recv_timeout(Duration::from_millis(100)) {
                Ok(News::WorkerEvent(event)) => report(event),
                Ok(News::Ended(n, result)) => {
                    queue.running.retain(|other| *other != n);
                    if let Err(error) = result {
                        if !error.spares_other_items() {
                            queue.stuck.push(n);
                        }
                        if let Some(item) = items.get(n) {
                            failed(item, error);
                        }
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
