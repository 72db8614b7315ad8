//! An order in which items fit: a copy needs its room before the original leaves, and kept originals do not leave at all.
//!
//! Law: replayed move by move, no drive that something arrives on goes above what it may hold. Originals are let go only
//! where room is needed, a copy in between only where there is no order without. Pure; start at [`find_order`].

use super::rooms::{DriveRoom, Move, Order, OrderFound, OrderItem, overfull, replay};
use super::search::{self, Search};
use super::staging;

/// Finds an order for all items. Where all fits with every original held, it is the order given, and nothing is let go.
///
/// Fewest bytes moved twice; then few originals let go. Exact as long as the search ends within its bounds, which it does
/// for some 20 items that hinder one another, and for any number that does not.
pub fn find_order(rooms: &[DriveRoom], items: &[OrderItem]) -> OrderFound {
    let plain: Vec<Move> = items
        .iter()
        .enumerate()
        .map(|(n, item)| Move { item: n, from: item.from, to: item.to, release: false })
        .collect();
    if replay(rooms, items, &plain).is_ok() {
        return OrderFound::Order(Order { moves: plain, extra: 0, least_extra: 0 });
    }
    if items.iter().any(|item| item.needs[item.to].is_none()) || !overfull(rooms, items).is_empty() {
        return OrderFound::None;
    }
    match Search::new(rooms, items).run() {
        search::Outcome::Order(order) => straight(rooms, items, order),
        search::Outcome::None => with_staging(rooms, items, true),
        search::Outcome::Unknown => with_staging(rooms, items, false),
    }
}

/// Finds an order without copies in between, for somebody who waits for a key to be answered: it gives up sooner.
pub fn find_straight(rooms: &[DriveRoom], items: &[OrderItem]) -> OrderFound {
    match Search::new(rooms, items).in_haste().run() {
        search::Outcome::Order(order) => straight(rooms, items, order),
        search::Outcome::None => OrderFound::None,
        search::Outcome::Unknown => OrderFound::Unknown,
    }
}

/// An order in which each item goes once, and releases what others need.
fn straight(rooms: &[DriveRoom], items: &[OrderItem], order: Vec<usize>) -> OrderFound {
    let moves = order.into_iter().map(|n| Move { item: n, from: items[n].from, to: items[n].to, release: true });
    OrderFound::Order(Order { moves: only_needed_releases(rooms, items, moves.collect()), extra: 0, least_extra: 0 })
}

fn with_staging(rooms: &[DriveRoom], items: &[OrderItem], proved: bool) -> OrderFound {
    match staging::find(rooms, items, proved) {
        OrderFound::Order(order) => {
            OrderFound::Order(Order { moves: only_needed_releases(rooms, items, order.moves), ..order })
        }
        other => other,
    }
}

/// Keeps those releases of an order that a later move needs. What waited in between always goes: its copy is proved.
///
/// Where room is needed, the fewest bytes of originals that are enough go, as far as one of them or the largest ones are.
pub(crate) fn only_needed_releases(rooms: &[DriveRoom], items: &[OrderItem], mut moves: Vec<Move>) -> Vec<Move> {
    let mut used: Vec<u64> = rooms.iter().map(|room| room.used).collect();
    for step in &mut moves {
        step.release = step.from.is_some_and(|from| items[step.item].from != Some(from));
    }
    for n in 0..moves.len() {
        let (to, need) = (moves[n].to, items[moves[n].item].needs[moves[n].to].unwrap_or(u64::MAX));
        while used[to].saturating_add(need) > rooms[to].most {
            let lacks = used[to].saturating_add(need) - rooms[to].most;
            let held = |k: &usize| !moves[*k].release && moves[*k].from == Some(to);
            let bytes = |k: &usize| items[moves[*k].item].leaves(to);
            let enough = (0..n).filter(held).filter(|k| bytes(k) >= lacks).min_by_key(bytes);
            let Some(goes) = enough.or_else(|| (0..n).filter(held).max_by_key(bytes)) else { break };
            used[to] = used[to].saturating_sub(bytes(&goes));
            moves[goes].release = true;
        }
        used[to] = used[to].saturating_add(need);
        if let (true, Some(from)) = (moves[n].release, moves[n].from) {
            used[from] = used[from].saturating_sub(items[moves[n].item].leaves(from));
        }
    }
    moves
}
