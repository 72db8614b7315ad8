//! Orders with copies in between: items that wait on another drive, where drives are too full to change places directly.

use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap};

use super::rooms::{DriveRoom, Move, Order, OrderFound, OrderItem};
use super::search::{Outcome, Search};

/// Ways of items to lie on drives that are all looked at; more are left to the heuristic.
const EXACT: usize = 20_000;

/// Finds an order in which some items wait elsewhere, with the fewest bytes moved twice where there are few items.
///
/// `proved` is whether there is none without.
pub(crate) fn find(rooms: &[DriveRoom], items: &[OrderItem], proved: bool) -> OrderFound {
    let ways = items.iter().try_fold(1_usize, |ways, _| ways.checked_mul(rooms.len() + 1));
    match ways {
        Some(ways) if ways <= EXACT * 4 && items.len() <= 7 => exact(rooms, items),
        _ => heuristic(rooms, items, proved),
    }
}

/// Where every item lies: a drive, or `u8::MAX` for one that is none of the rooms.
type Standings = Vec<u8>;

/// For each way to lie the bytes moved until then, and the move before with where all lay until then.
type KnownStates = HashMap<Standings, (u64, Option<(Standings, Move)>)>;

/// Looks at all ways to lie, cheapest first (A*: what still has to arrive has to be moved in any case).
fn exact(rooms: &[DriveRoom], items: &[OrderItem]) -> OrderFound {
    let place = |drive: Option<usize>| drive.map_or(u8::MAX, number);
    let begin: Standings = items.iter().map(|item| place(item.from)).collect();
    let goal: Standings = items.iter().map(|item| number(item.to)).collect();
    let rest = |places: &Standings| -> u64 {
        let open = places.iter().zip(&goal).zip(items).filter(|((at, to), _)| at != to);
        open.fold(0, |sum: u64, (_, item)| sum.saturating_add(item.arrives()))
    };
    let all = rest(&begin);
    let mut best: KnownStates = HashMap::from([(begin.clone(), (0, None))]);
    let mut waiting = BinaryHeap::from([Reverse((all, 0_u64, begin.clone()))]);
    while let Some(Reverse((_, cost, places))) = waiting.pop() {
        if places == goal {
            let extra = cost.saturating_sub(all);
            return OrderFound::Order(Order { moves: way(&best, &begin, places), extra, least_extra: extra });
        }
        if best.get(&places).is_some_and(|(known, _)| *known < cost) {
            continue;
        }
        let used = used_at(rooms, items, &places);
        for (n, item) in items.iter().enumerate() {
            for to in 0..rooms.len() {
                let Some(need) = item.needs[to].filter(|_| places[n] != number(to)) else { continue };
                if used[to].saturating_add(need) > rooms[to].most {
                    continue;
                }
                let mut next = places.clone();
                next[n] = number(to);
                let cost = cost.saturating_add(need);
                if best.get(&next).is_none_or(|(known, _)| cost < *known) {
                    let from = (places[n] != u8::MAX).then_some(usize::from(places[n]));
                    let step = Move { item: n, from, to, release: true };
                    best.insert(next.clone(), (cost, Some((places.clone(), step))));
                    waiting.push(Reverse((cost.saturating_add(rest(&next)), cost, next)));
                }
            }
        }
    }
    OrderFound::None
}

/// A drive as a standing has it; orders of more than fit are not looked for so.
fn number(drive: usize) -> u8 {
    u8::try_from(drive).unwrap_or(u8::MAX)
}

fn used_at(rooms: &[DriveRoom], items: &[OrderItem], places: &Standings) -> Vec<u64> {
    let mut used: Vec<u64> = rooms.iter().map(|room| room.used).collect();
    for (item, at) in items.iter().zip(places) {
        let was = item.from.map_or(u8::MAX, number);
        if *at == was {
            continue;
        }
        if let Some(from) = item.from {
            used[from] = used[from].saturating_sub(item.leaves);
        }
        let at = usize::from(*at);
        used[at] = used[at].saturating_add(item.leaves(at));
    }
    used
}

fn way(best: &KnownStates, begin: &Standings, end: Standings) -> Vec<Move> {
    let mut moves = Vec::new();
    let mut at = end;
    while at != *begin {
        let Some((_, Some((before, step)))) = best.get(&at) else { break };
        moves.push(*step);
        at = before.clone();
    }
    moves.reverse();
    moves
}

/// Moves what fits; where nothing fits any more, lets the smallest item that makes room for another wait elsewhere.
fn heuristic(rooms: &[DriveRoom], items: &[OrderItem], proved: bool) -> OrderFound {
    let mut rooms = rooms.to_vec();
    // What is still to be moved, from where it lies by now.
    let mut open: Vec<(usize, OrderItem)> = items.iter().cloned().enumerate().collect();
    let (mut moves, mut extra) = (Vec::new(), 0_u64);
    // At most every item waits once.
    for _ in 0..=items.len() {
        let items: Vec<OrderItem> = open.iter().map(|(_, item)| item.clone()).collect();
        let mut search = Search::new(&rooms, &items);
        let outcome = search.run();
        let order = match outcome {
            Outcome::Order(order) => order,
            Outcome::None | Outcome::Unknown => std::mem::take(&mut search.furthest),
        };
        let ended = order.len() == items.len();
        for &n in &order {
            let item = &items[n];
            rooms[item.to].used = rooms[item.to].used.saturating_add(item.arrives());
            if let Some(from) = item.from {
                rooms[from].used = rooms[from].used.saturating_sub(item.leaves);
            }
            moves.push(Move { item: open[n].0, from: item.from, to: item.to, release: true });
        }
        let mut n = 0;
        open.retain(|_| {
            n += 1;
            !order.contains(&(n - 1))
        });
        if ended {
            let least = items.iter().flat_map(|item| item.needs.iter().flatten()).min().copied().unwrap_or(0);
            return OrderFound::Order(Order { moves, extra, least_extra: if proved { least.min(extra) } else { 0 } });
        }
        let Some((n, to)) = who_waits_where(&rooms, &open) else { return OrderFound::Unknown };
        let (whose, item) = &mut open[n];
        let need = item.needs[to].unwrap_or(0);
        moves.push(Move { item: *whose, from: item.from, to, release: true });
        rooms[to].used = rooms[to].used.saturating_add(need);
        if let Some(from) = item.from {
            rooms[from].used = rooms[from].used.saturating_sub(item.leaves);
        }
        (item.from, item.leaves) = (Some(to), need);
        extra = extra.saturating_add(need);
    }
    OrderFound::Unknown
}

/// The item that should wait elsewhere, and where: the smallest one that lets another arrive, else the smallest on a full drive.
fn who_waits_where(rooms: &[DriveRoom], open: &[(usize, OrderItem)]) -> Option<(usize, usize)> {
    let free = |drive: usize| rooms[drive].most.saturating_sub(rooms[drive].used);
    let mut best: Option<((bool, u64), (usize, usize))> = None;
    for (n, (_, item)) in open.iter().enumerate() {
        let Some(from) = item.from else { continue };
        let helps =
            open.iter().any(|(_, other)| other.to == from && other.arrives() <= free(from).saturating_add(item.leaves));
        let is_wanted = open.iter().any(|(_, other)| other.to == from);
        if !is_wanted {
            continue;
        }
        for (to, need) in item.needs.iter().enumerate() {
            let Some(need) = need.filter(|need| to != from && to != item.to && *need <= free(to)) else { continue };
            let worth = (!helps, need);
            if best.is_none_or(|(known, _)| worth < known) {
                best = Some((worth, (n, to)));
            }
        }
    }
    best.map(|(_, where_to)| where_to)
}
