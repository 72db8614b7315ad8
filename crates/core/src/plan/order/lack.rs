//! Why there is no order: which drive lacks how much, and the smallest change with which there would be one.

use super::find::find_order;
use super::rooms::overfull;
use super::rooms::{DriveRoom, OrderFound, OrderItem};
use super::search::{Outcome, Search};

/// DriveRoom that a drive lacks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Lack {
    /// The move before which it lacks, from 0; the number of all items where it lacks in the end, whatever the order.
    pub step: usize,
    /// The item that cannot arrive; `None` where it is the sum of all.
    pub item: Option<usize>,
    /// The drive.
    pub drive: usize,
    /// Bytes.
    pub bytes: u64,
}

/// A change with which an order would be found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Remedy {
    /// So many bytes more that may be used on this drive.
    DriveRoom { drive: usize, bytes: u64 },
    /// One item less.
    Without { item: usize },
}

/// Says where an order ends, if none was found, and the smallest change with which one would be: the fewest bytes of room on
/// one drive, and the smallest item that could be left out.
pub fn smallest_change(rooms: &[DriveRoom], items: &[OrderItem]) -> (Vec<Lack>, Vec<Remedy>) {
    let in_the_end = overfull(rooms, items);
    let lacks = if in_the_end.is_empty() {
        stuck(rooms, items)
    } else {
        let lack = |(drive, bytes)| Lack { step: items.len(), item: None, drive, bytes };
        in_the_end.into_iter().map(lack).collect()
    };
    let mut remedies = Vec::new();
    let room = |drive: usize| more_room(rooms, items, drive).map(|bytes| (bytes, drive));
    if let Some((bytes, drive)) = (0..rooms.len()).filter_map(room).min() {
        remedies.push(Remedy::DriveRoom { drive, bytes });
    }
    let mut by_size: Vec<usize> = (0..items.len()).collect();
    by_size.sort_by_key(|n| items[*n].arrives());
    let is_enough = |n: &usize| {
        let mut rest = items.to_vec();
        rest.remove(*n);
        is_found(rooms, &rest)
    };
    // Of many items the few smallest and largest are tried: each try is a search.
    if items.len() > 40 {
        by_size.drain(20..items.len() - 20);
    }
    remedies.extend(by_size.into_iter().find(is_enough).map(|item| Remedy::Without { item }));
    (lacks, remedies)
}

fn is_found(rooms: &[DriveRoom], items: &[OrderItem]) -> bool {
    matches!(find_order(rooms, items), OrderFound::Order(_))
}

/// The fewest bytes more on this drive with which there is an order; `None` if no room there is enough.
fn more_room(rooms: &[DriveRoom], items: &[OrderItem], drive: usize) -> Option<u64> {
    let arriving: u64 =
        items.iter().filter(|item| item.to == drive).fold(0, |sum: u64, item| sum.saturating_add(item.arrives()));
    let fits = |bytes: u64| {
        let mut rooms = rooms.to_vec();
        rooms[drive].most = rooms[drive].most.saturating_add(bytes);
        is_found(&rooms, items)
    };
    let over = rooms[drive].used.saturating_sub(rooms[drive].most);
    // With this much all that arrives fits beside what is there, and one item more may wait.
    let one_more = items.iter().filter_map(|item| item.needs[drive]).max().unwrap_or(0);
    let enough = arriving.saturating_add(over).saturating_add(one_more);
    if !fits(enough) {
        return None;
    }
    let (mut low, mut high) = (0, enough);
    while high - low > 1 {
        let middle = low + (high - low) / 2;
        if fits(middle) { high = middle } else { low = middle }
    }
    Some(high)
}

/// Where the order that goes furthest ends: for each drive that something still has to arrive on, the least that it lacks.
fn stuck(rooms: &[DriveRoom], items: &[OrderItem]) -> Vec<Lack> {
    let mut search = Search::new(rooms, items);
    let order = match search.run() {
        Outcome::Order(order) => order,
        Outcome::None | Outcome::Unknown => std::mem::take(&mut search.furthest),
    };
    let mut used: Vec<u64> = rooms.iter().map(|room| room.used).collect();
    for &n in &order {
        used[items[n].to] = used[items[n].to].saturating_add(items[n].arrives());
        if let Some(from) = items[n].from {
            used[from] = used[from].saturating_sub(items[n].leaves);
        }
    }
    let mut lacks: Vec<Lack> = Vec::new();
    for (n, item) in items.iter().enumerate().filter(|(n, _)| !order.contains(n)) {
        let bytes = used[item.to].saturating_add(item.arrives()).saturating_sub(rooms[item.to].most);
        let lack = Lack { step: order.len(), item: Some(n), drive: item.to, bytes };
        match lacks.iter_mut().find(|known| known.drive == item.to) {
            Some(known) if known.bytes <= bytes => {}
            Some(known) => *known = lack,
            None => lacks.push(lack),
        }
    }
    lacks
}
