//! An order made shorter: neighbours change places where items of other drives can then go on while one waits for room.
//!
//! Law: neither more bytes are moved nor more originals let go than before.

use super::find::only_needed_releases;
use super::rooms::{DriveRoom, Move, Order, OrderItem, replay};

/// Moves of an order that are still looked at: of more, every change takes longer to reckon than it may win.
const MOST: usize = 60;

/// Seconds until the last move has ended: a move waits for those before it that use one of its drives, or move the same item.
pub(crate) fn length(moves: &[Move], seconds: &dyn Fn(&Move) -> f64) -> f64 {
    let mut ends: Vec<f64> = Vec::new();
    for (n, step) in moves.iter().enumerate() {
        let waits = |k: &usize| {
            let other = &moves[*k];
            let uses = |drive: Option<usize>| drive.is_some() && (other.from == drive || Some(other.to) == drive);
            uses(step.from) || uses(Some(step.to)) || other.item == step.item
        };
        let begins = (0..n).filter(waits).map(|k| ends[k]).fold(0.0, f64::max);
        ends.push(begins + seconds(step));
    }
    ends.into_iter().fold(0.0, f64::max)
}

/// Changes neighbours of an order in which room is short, as long as that makes the whole shorter. `seconds` is what a move
/// takes by itself. Where nothing has to be let go the order is the one that was wanted, and stays.
pub fn shorten(rooms: &[DriveRoom], items: &[OrderItem], mut order: Order, seconds: &dyn Fn(&Move) -> f64) -> Order {
    let goes = |order: &Order| order.moves.iter().filter(|step| step.release).count();
    if order.moves.len() > MOST || goes(&order) == 0 {
        return order;
    }
    let mut best = length(&order.moves, seconds);
    loop {
        let before = best;
        for n in 1..order.moves.len() {
            let mut moves = order.moves.clone();
            moves.swap(n - 1, n);
            if moves[n - 1].item == moves[n].item {
                continue;
            }
            let other = Order { moves: only_needed_releases(rooms, items, moves), ..order.clone() };
            let takes = length(&other.moves, seconds);
            if replay(rooms, items, &other.moves).is_ok() && goes(&other) <= goes(&order) && takes < best * 0.999 {
                (best, order) = (takes, other);
            }
        }
        if best >= before {
            return order;
        }
    }
}
