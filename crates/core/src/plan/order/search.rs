//! The search for an order without copies in between: depth first, over which items are moved, each set of them once.
//!
//! Law: an item whose drive has room for all that is still to arrive there can go at once: that hinders nothing, and frees
//! room elsewhere. Only the others are tried in turn.

use std::collections::HashSet;

use super::rooms::{DriveRoom, OrderItem};

/// Sets of moved items, of up to 20, that are looked at before the search gives up; of more items fewer.
const BUDGET: usize = 60_000;

/// What a search came to.
pub(crate) enum Outcome {
    /// The items in an order that fits, if every original goes at once.
    Order(Vec<usize>),
    /// There is none.
    None,
    /// It gave up.
    Unknown,
}

pub(crate) struct Search<'a> {
    items: &'a [OrderItem],
    free: Vec<i128>,
    /// Bytes still to arrive on each drive.
    arriving: Vec<i128>,
    moved: Vec<u64>,
    order: Vec<usize>,
    seen: HashSet<Vec<u64>>,
    /// The longest order that was tried.
    pub(crate) furthest: Vec<usize>,
    budget: usize,
}

impl<'a> Search<'a> {
    pub(crate) fn new(rooms: &[DriveRoom], items: &'a [OrderItem]) -> Self {
        let mut arriving = vec![0; rooms.len()];
        for item in items {
            arriving[item.to] += i128::from(item.arrives());
        }
        Self {
            items,
            free: rooms.iter().map(|room| i128::from(room.most) - i128::from(room.used)).collect(),
            arriving,
            moved: vec![0; items.len().div_ceil(64)],
            order: Vec::new(),
            seen: HashSet::new(),
            furthest: Vec::new(),
            // A set of many items takes longer to look at.
            budget: (BUDGET * 20 / items.len().max(20)).max(2),
        }
    }

    /// The same search, for somebody who waits for a key to be answered.
    pub(crate) fn in_haste(self) -> Self {
        Self { budget: (self.budget / 20).max(2), ..self }
    }

    pub(crate) fn run(&mut self) -> Outcome {
        match self.go_on() {
            Some(true) => Outcome::Order(std::mem::take(&mut self.order)),
            Some(false) => Outcome::None,
            None => Outcome::Unknown,
        }
    }

    fn is_moved(&self, n: usize) -> bool {
        self.moved[n / 64] >> (n % 64) & 1 == 1
    }

    fn turn(&mut self, n: usize, sign: i128) {
        let item = &self.items[n];
        let arrives = i128::from(item.arrives());
        self.free[item.to] -= sign * arrives;
        self.arriving[item.to] -= sign * arrives;
        if let Some(from) = item.from {
            self.free[from] += sign * i128::from(item.leaves);
        }
        self.moved[n / 64] ^= 1 << (n % 64);
    }

    fn make(&mut self, n: usize) {
        self.turn(n, 1);
        self.order.push(n);
    }

    fn take_back(&mut self, count: usize) {
        while self.order.len() > count {
            if let Some(n) = self.order.pop() {
                self.turn(n, -1);
            }
        }
    }

    /// Moves all that hinders nothing.
    fn make_safe_moves(&mut self) {
        loop {
            let before = self.order.len();
            for n in 0..self.items.len() {
                let to = self.items[n].to;
                if !self.is_moved(n) && self.arriving[to] <= self.free[to] {
                    self.make(n);
                }
            }
            if self.order.len() == before {
                return;
            }
        }
    }

    /// Whether the rest can be moved; `None` if the budget ran out.
    fn go_on(&mut self) -> Option<bool> {
        let begun = self.order.len();
        self.make_safe_moves();
        if self.order.len() > self.furthest.len() {
            self.furthest.clone_from(&self.order);
        }
        if self.order.len() == self.items.len() {
            return Some(true);
        }
        if self.seen.contains(&self.moved) {
            self.take_back(begun);
            return Some(false);
        }
        if self.seen.len() >= self.budget {
            return None;
        }
        self.seen.insert(self.moved.clone());
        let fits =
            |n: &usize| !self.is_moved(*n) && i128::from(self.items[*n].arrives()) <= self.free[self.items[*n].to];
        let mut next: Vec<usize> = (0..self.items.len()).filter(fits).collect();
        // First what makes most room where room is short, for least of what is short.
        next.sort_by_cached_key(|n| {
            let item = &self.items[*n];
            let short = |drive: usize| (self.arriving[drive] - self.free[drive]).max(0);
            let helps = item.from.map_or(0, |from| i128::from(item.leaves).min(short(from)));
            i128::from(item.arrives()).min(short(item.to)) - helps
        });
        for n in next {
            let at = self.order.len();
            self.make(n);
            if self.go_on()? {
                return Some(true);
            }
            self.take_back(at);
        }
        self.take_back(begun);
        Some(false)
    }
}
