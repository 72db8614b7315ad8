//! An order in which lots fit: a copy needs its room before the original leaves, and held originals do not leave at all.
//!
//! Law: replayed move by move, no drive that something arrives on goes above what it may hold. Originals are let go only
//! where room is needed, a copy in between only where there is no order without. Pure; start at [`find_order`].

mod lack;
mod search;
mod shorten;
mod staging;

#[cfg(test)]
mod tests;

pub use lack::{Lack, Remedy, smallest_change};
pub use shorten::shorten;

use search::Search;

/// A drive, as far as an order is concerned. Bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Room {
    /// In use now.
    pub used: u64,
    /// That may be in use at most: the capacity without the reserve and what is withheld.
    pub most: u64,
}

/// A lot, as far as an order is concerned. Drives are places in the list of rooms.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Cargo {
    /// The drive that it lies on; `None` if that drive is none of the rooms.
    pub from: Option<usize>,
    /// The drive that it goes to; never the one that it lies on.
    pub to: usize,
    /// Bytes that come back on its drive when the original is let go.
    pub leaves: u64,
    /// Bytes that it needs on each drive; `None` where it cannot lie, even for a while.
    pub needs: Vec<Option<u64>>,
}

impl Cargo {
    /// Bytes that it needs where it goes to.
    fn arrives(&self) -> u64 {
        self.needs[self.to].unwrap_or(u64::MAX)
    }

    /// Bytes that come back where it lies now, if it lies on `drive` in between or from the beginning.
    fn leaves(&self, drive: usize) -> u64 {
        if self.from == Some(drive) { self.leaves } else { self.needs[drive].unwrap_or(0) }
    }
}

/// One move of an order: a copy to a drive, proved, and whether the original then goes at once.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Move {
    /// Which cargo.
    pub cargo: usize,
    /// From where; `None` as in [`Cargo::from`].
    pub from: Option<usize>,
    /// Where to: its destination, or a drive on which it waits.
    pub to: usize,
    /// Whether what lies where it came from has to be let go for a later move.
    pub release: bool,
}

/// An order in which everything fits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Order {
    /// The moves, one after another. A cargo that waits on a drive in between has several.
    pub moves: Vec<Move>,
    /// Bytes that are moved more than once: those of the copies in between.
    pub extra: u64,
    /// Bytes that have to be moved more than once in any order, as far as that is known; `extra` where it is the least.
    pub least_extra: u64,
}

/// What came of looking for an order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Found {
    /// There is one.
    Order(Order),
    /// There is none.
    None,
    /// None was found in the time that an order may take; there may be one.
    Unknown,
}

/// Bytes in use on each drive once the moves so far are made, with originals that need not go still there.
///
/// Gives a row before the first move and one after each copy; `Err` has the place of the move, the drive and the bytes it
/// lacks.
pub fn replay(rooms: &[Room], cargo: &[Cargo], moves: &[Move]) -> Result<Vec<Vec<u64>>, (usize, usize, u64)> {
    let mut used: Vec<u64> = rooms.iter().map(|room| room.used).collect();
    let mut rows = vec![used.clone()];
    for (n, step) in moves.iter().enumerate() {
        let cargo = &cargo[step.cargo];
        let after = used[step.to].saturating_add(cargo.needs[step.to].unwrap_or(u64::MAX));
        if after > rooms[step.to].most {
            return Err((n, step.to, after - rooms[step.to].most));
        }
        used[step.to] = after;
        rows.push(used.clone());
        if let (true, Some(from)) = (step.release, step.from) {
            used[from] = used[from].saturating_sub(cargo.leaves(from));
        }
    }
    Ok(rows)
}

/// Finds an order for all cargo. Where all fits with every original held, it is the order given, and nothing is let go.
///
/// Fewest bytes moved twice; then few originals let go. Exact as long as the search ends within its bounds, which it does
/// for some 20 lots that hinder one another, and for any number that does not.
pub fn find_order(rooms: &[Room], cargo: &[Cargo]) -> Found {
    let plain: Vec<Move> = cargo
        .iter()
        .enumerate()
        .map(|(n, lot)| Move { cargo: n, from: lot.from, to: lot.to, release: false })
        .collect();
    if replay(rooms, cargo, &plain).is_ok() {
        return Found::Order(Order { moves: plain, extra: 0, least_extra: 0 });
    }
    if cargo.iter().any(|lot| lot.needs[lot.to].is_none()) || !lack::overfull(rooms, cargo).is_empty() {
        return Found::None;
    }
    match Search::new(rooms, cargo).run() {
        search::Outcome::Order(order) => {
            let moves =
                order.into_iter().map(|n| Move { cargo: n, from: cargo[n].from, to: cargo[n].to, release: true });
            Found::Order(Order { moves: only_needed_releases(rooms, cargo, moves.collect()), extra: 0, least_extra: 0 })
        }
        search::Outcome::None => with_staging(rooms, cargo, true),
        search::Outcome::Unknown => with_staging(rooms, cargo, false),
    }
}

/// Finds an order without copies in between, for somebody who waits for a key to be answered: it gives up sooner.
pub fn find_straight(rooms: &[Room], cargo: &[Cargo]) -> Found {
    match Search::new(rooms, cargo).in_haste().run() {
        search::Outcome::Order(order) => {
            let moves =
                order.into_iter().map(|n| Move { cargo: n, from: cargo[n].from, to: cargo[n].to, release: true });
            Found::Order(Order { moves: only_needed_releases(rooms, cargo, moves.collect()), extra: 0, least_extra: 0 })
        }
        search::Outcome::None => Found::None,
        search::Outcome::Unknown => Found::Unknown,
    }
}

fn with_staging(rooms: &[Room], cargo: &[Cargo], proved: bool) -> Found {
    match staging::find(rooms, cargo, proved) {
        Found::Order(order) => Found::Order(Order { moves: only_needed_releases(rooms, cargo, order.moves), ..order }),
        other => other,
    }
}

/// Keeps those releases of an order that a later move needs. What waited in between always goes: its copy is proved.
///
/// Where room is needed, the fewest bytes of originals that are enough go, as far as one of them or the largest ones are.
pub(crate) fn only_needed_releases(rooms: &[Room], cargo: &[Cargo], mut moves: Vec<Move>) -> Vec<Move> {
    let mut used: Vec<u64> = rooms.iter().map(|room| room.used).collect();
    for step in &mut moves {
        step.release = step.from.is_some_and(|from| cargo[step.cargo].from != Some(from));
    }
    for n in 0..moves.len() {
        let (to, need) = (moves[n].to, cargo[moves[n].cargo].needs[moves[n].to].unwrap_or(u64::MAX));
        while used[to].saturating_add(need) > rooms[to].most {
            let lacks = used[to].saturating_add(need) - rooms[to].most;
            let held = |k: &usize| !moves[*k].release && moves[*k].from == Some(to);
            let bytes = |k: &usize| cargo[moves[*k].cargo].leaves(to);
            let enough = (0..n).filter(held).filter(|k| bytes(k) >= lacks).min_by_key(bytes);
            let Some(goes) = enough.or_else(|| (0..n).filter(held).max_by_key(bytes)) else { break };
            used[to] = used[to].saturating_sub(bytes(&goes));
            moves[goes].release = true;
        }
        used[to] = used[to].saturating_add(need);
        if let (true, Some(from)) = (moves[n].release, moves[n].from) {
            used[from] = used[from].saturating_sub(cargo[moves[n].cargo].leaves(from));
        }
    }
    moves
}
