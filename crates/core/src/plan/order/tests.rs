//! Orders against brute force, and every order replayed on a plain model of the drives.

use std::collections::BTreeMap;

use super::*;
use crate::survey::made_up::Numbers;

/// Drives that are nearly full, and items that want to change places.
fn case(numbers: &mut Numbers, count: u64) -> (Vec<DriveRoom>, Vec<OrderItem>) {
    let drives = 2 + numbers.below(3) as usize;
    let mut used = vec![0; drives];
    let mut items = Vec::new();
    for _ in 0..count {
        let from = numbers.below(drives as u64) as usize;
        let to = (from + 1 + numbers.below(drives as u64 - 1) as usize) % drives;
        let size = 1 + numbers.below(12);
        let needs = (0..drives).map(|drive| {
            let can_wait = numbers.below(4) > 0;
            (drive == to || (can_wait && drive != from)).then(|| size + numbers.below(2))
        });
        let needs = needs.collect();
        used[from] += size;
        let from = Some(from).filter(|_| numbers.below(9) > 0);
        items.push(OrderItem { from, to, leaves: size, needs });
    }
    // Mostly there is room for what there will be in the end, and a little more.
    let end = |drive: usize| {
        let arrive: u64 = items.iter().filter(|item| item.to == drive).map(|item| item.needs[drive].unwrap_or(0)).sum();
        let leave: u64 = items.iter().filter(|item| item.from == Some(drive)).map(|item| item.leaves).sum();
        (used[drive] + arrive).saturating_sub(leave)
    };
    let ends: Vec<u64> = (0..drives).map(end).collect();
    let room = |drive: usize| {
        let (others, spare) = (numbers.below(5), numbers.below(9));
        let enough = if numbers.below(5) > 0 { ends[drive].max(used[drive]) } else { used[drive] };
        DriveRoom { used: used[drive] + others, most: enough + others + spare }
    };
    ((0..drives).map(room).collect(), items)
}

/// The plain model: what is where, as whole copies; every copy and every removal is done by hand.
struct Model<'a> {
    rooms: &'a [DriveRoom],
    items: &'a [OrderItem],
    there: BTreeMap<(usize, usize), u64>,
    base: Vec<u64>,
}

impl<'a> Model<'a> {
    fn new(rooms: &'a [DriveRoom], items: &'a [OrderItem]) -> Self {
        let mut base: Vec<u64> = rooms.iter().map(|room| room.used).collect();
        let mut there = BTreeMap::new();
        for (n, item) in items.iter().enumerate() {
            if let Some(from) = item.from {
                base[from] -= item.leaves;
                there.insert((n, from), item.leaves);
            }
        }
        Self { rooms, items, there, base }
    }

    fn used(&self, drive: usize) -> u64 {
        self.base[drive] + self.there.iter().filter(|((_, at), _)| *at == drive).map(|(_, bytes)| bytes).sum::<u64>()
    }

    /// Copies; `false` if the drive would go below its reserve.
    fn copy(&mut self, n: usize, to: usize) -> bool {
        let Some(need) = self.items[n].needs[to] else { return false };
        self.there.insert((n, to), need);
        self.used(to) <= self.rooms[to].most
    }
}

fn check(rooms: &[DriveRoom], items: &[OrderItem], order: &Order) {
    let mut model = Model::new(rooms, items);
    let mut at: Vec<Option<usize>> = items.iter().map(|item| item.from).collect();
    let mut moved = 0;
    let rows = replay(rooms, items, &order.moves).unwrap();
    for (n, step) in order.moves.iter().enumerate() {
        assert_eq!(step.from, at[step.item], "{order:?}");
        assert!(model.copy(step.item, step.to), "below the reserve: {rooms:?} {items:?} {order:?}");
        let used: Vec<u64> = (0..rooms.len()).map(|drive| model.used(drive)).collect();
        assert_eq!(rows[n + 1], used, "{order:?}");
        moved += items[step.item].needs[step.to].unwrap();
        at[step.item] = Some(step.to);
        if step.release {
            model.there.remove(&(step.item, step.from.unwrap()));
        }
    }
    for (item, at) in items.iter().zip(&at) {
        assert_eq!(*at, Some(item.to), "everything is where it was to go");
    }
    let direct: u64 = items.iter().map(|item| item.needs[item.to].unwrap()).sum();
    assert_eq!(order.extra, moved - direct);
    assert!(order.least_extra <= order.extra);
}

/// The fewest bytes moved twice, over all ways to lie, every original let go at once; `None` if there is no way.
fn brute(rooms: &[DriveRoom], items: &[OrderItem]) -> Option<u64> {
    let drives = rooms.len() + 1;
    let count = drives.pow(items.len() as u32);
    let place = |state: usize, n: usize| state / drives.pow(n as u32) % drives;
    let code = |places: &[usize]| places.iter().enumerate().map(|(n, at)| at * drives.pow(n as u32)).sum::<usize>();
    let begin = code(&items.iter().map(|item| item.from.unwrap_or(rooms.len())).collect::<Vec<_>>());
    let end = code(&items.iter().map(|item| item.to).collect::<Vec<_>>());
    let mut cost = vec![u64::MAX; count];
    cost[begin] = 0;
    // Until nothing gets cheaper any more.
    loop {
        let mut changed = false;
        for state in 0..count {
            if cost[state] == u64::MAX {
                continue;
            }
            let mut model = Model::new(rooms, items);
            for (n, item) in items.iter().enumerate() {
                let at = place(state, n);
                if Some(at) != item.from && at != rooms.len() {
                    if let Some(from) = item.from {
                        model.there.remove(&(n, from));
                    }
                    model.there.insert((n, at), item.needs[at].unwrap_or(0));
                }
            }
            let used: Vec<u64> = (0..rooms.len()).map(|drive| model.used(drive)).collect();
            for (n, item) in items.iter().enumerate() {
                let at = place(state, n);
                for to in 0..rooms.len() {
                    let Some(need) = item.needs[to].filter(|need| to != at && used[to] + need <= rooms[to].most) else {
                        continue;
                    };
                    let next = state + to * drives.pow(n as u32) - at * drives.pow(n as u32);
                    if cost[state] + need < cost[next] {
                        cost[next] = cost[state] + need;
                        changed = true;
                    }
                }
            }
        }
        if !changed {
            break;
        }
    }
    let direct: u64 = items.iter().map(|item| item.needs[item.to].unwrap()).sum();
    (cost[end] < u64::MAX).then(|| cost[end] - direct)
}

/// Orders that fit with each original let go at once, tried one after another.
fn any_permutation(rooms: &[DriveRoom], items: &[OrderItem], used: &mut Vec<u64>, left: &mut Vec<usize>) -> bool {
    if left.is_empty() {
        return true;
    }
    for n in 0..left.len() {
        let item = &items[left[n]];
        let need = item.needs[item.to].unwrap();
        if used[item.to] + need > rooms[item.to].most {
            continue;
        }
        let which = left.remove(n);
        used[item.to] += need;
        if let Some(from) = item.from {
            used[from] -= item.leaves;
        }
        if any_permutation(rooms, items, used, left) {
            return true;
        }
        used[item.to] -= need;
        if let Some(from) = item.from {
            used[from] += item.leaves;
        }
        left.insert(n, which);
    }
    false
}

#[test]
fn an_order_is_found_whenever_there_is_one_and_moves_the_fewest_bytes_twice() {
    let mut numbers = Numbers(88_172_645_463_325_252);
    let (mut none, mut plain, mut twice, mut released) = (0, 0, 0, 0);
    for round in 0..12_000_u64 {
        // Brute force on seven items is slow: few of those.
        let items = match round {
            _ if round % 3000 == 0 => 7,
            _ if round % 200 == 0 => 6,
            _ => 1 + round % 5,
        };
        let (rooms, items) = case(&mut numbers, items);
        let least = brute(&rooms, &items);
        match find_order(&rooms, &items) {
            OrderFound::Order(order) => {
                check(&rooms, &items, &order);
                assert_eq!(Some(order.extra), least, "{rooms:?} {items:?} {order:?}");
                assert_eq!(order.least_extra, order.extra);
                if order.extra > 0 {
                    twice += 1;
                } else {
                    plain += 1;
                }
                released += usize::from(order.moves.iter().any(|step| step.release));
            }
            OrderFound::None => {
                assert_eq!(least, None, "{rooms:?} {items:?}");
                none += 1;
            }
            OrderFound::Unknown => panic!("so few items are looked at to the end: {rooms:?} {items:?}"),
        }
    }
    assert!(none > 100 && plain > 100 && twice > 50 && released > 100, "{none} {plain} {twice} {released}");
}

#[test]
fn seven_items_are_ordered_without_copies_in_between_whenever_that_can_be() {
    let mut numbers = Numbers(5_172_645_463_325_252);
    let mut found = [0, 0];
    for _ in 0..2000 {
        let (rooms, items) = case(&mut numbers, 7);
        let mut used: Vec<u64> = rooms.iter().map(|room| room.used).collect();
        let can = any_permutation(&rooms, &items, &mut used, &mut (0..items.len()).collect());
        let order = find_order(&rooms, &items);
        let without = matches!(&order, OrderFound::Order(order) if order.extra == 0);
        assert_eq!(can, without, "{rooms:?} {items:?}");
        if let OrderFound::Order(order) = order {
            check(&rooms, &items, &order);
        }
        found[usize::from(can)] += 1;
    }
    assert!(found[0] > 100 && found[1] > 100, "{found:?}");
}

#[test]
fn where_everything_fits_nothing_is_let_go_and_the_order_is_the_one_given() {
    let rooms = [DriveRoom { used: 50, most: 90 }, DriveRoom { used: 10, most: 60 }];
    let item = |from: usize, to: usize, size| OrderItem {
        from: Some(from),
        to,
        leaves: size,
        needs: (0..2).map(|drive| (drive == to).then_some(size)).collect(),
    };
    let items = [item(0, 1, 30), item(1, 0, 10), item(0, 1, 20)];
    let OrderFound::Order(order) = find_order(&rooms, &items) else { panic!("it fits") };
    assert_eq!(order.moves.iter().map(|step| step.item).collect::<Vec<_>>(), [0, 1, 2]);
    assert!(order.moves.iter().all(|step| !step.release));
    // With less room one original has to go, and one is enough.
    let rooms = [DriveRoom { used: 50, most: 55 }, DriveRoom { used: 10, most: 60 }];
    let OrderFound::Order(order) = find_order(&rooms, &items) else { panic!("it fits in another order") };
    assert_eq!(order.moves.iter().filter(|step| step.release).count(), 1);
    check(&rooms, &items, &order);
}

#[test]
fn what_would_make_it_work_does_and_a_byte_less_does_not() {
    let mut numbers = Numbers(991_264_546_332);
    let (mut rooms_tried, mut without_tried) = (0, 0);
    for _ in 0..3000 {
        let (rooms, items) = case(&mut numbers, 4);
        if !matches!(find_order(&rooms, &items), OrderFound::None) {
            continue;
        }
        let (lacks, remedies) = smallest_change(&rooms, &items);
        assert!(!lacks.is_empty() && lacks.iter().all(|lack| lack.bytes > 0), "{rooms:?} {items:?}");
        for remedy in remedies {
            match remedy {
                Remedy::DriveRoom { drive, bytes } => {
                    let with = |bytes: u64| {
                        let mut rooms = rooms.clone();
                        rooms[drive].most += bytes;
                        brute(&rooms, &items).is_some()
                    };
                    assert!(with(bytes) && !with(bytes - 1), "{rooms:?} {items:?} {remedy:?}");
                    rooms_tried += 1;
                }
                Remedy::Without { item: n } => {
                    let mut rest = items.clone();
                    rest.remove(n);
                    assert!(brute(&rooms, &rest).is_some());
                    without_tried += 1;
                }
            }
        }
    }
    assert!(rooms_tried > 50 && without_tried > 50, "{rooms_tried} {without_tried}");
}

#[test]
fn hundreds_of_items_on_nearly_full_drives_are_ordered_and_never_go_below_a_reserve() {
    let mut numbers = Numbers(31_264_546_332);
    let mut found = 0;
    for _ in 0..20 {
        let drives = 8;
        let mut used = vec![0; drives];
        let mut items: Vec<OrderItem> = Vec::new();
        for _ in 0..300 {
            let from = numbers.below(8) as usize;
            let to = (from + 1 + numbers.below(7) as usize) % drives;
            let size = 1 + numbers.below(120_000_000_000);
            used[from] += size;
            let needs = (0..drives).map(|drive| (drive != from).then_some(size)).collect();
            items.push(OrderItem { from: Some(from), to, leaves: size, needs });
        }
        let arriving = |drive: usize| items.iter().filter(|item| item.to == drive).map(|item| item.leaves).sum::<u64>();
        let leaving =
            |drive: usize| items.iter().filter(|item| item.from == Some(drive)).map(|item| item.leaves).sum::<u64>();
        // DriveRoom for what there will be in the end, and little more than for the largest item.
        let most = |drive: usize| (used[drive] + arriving(drive) - leaving(drive)).max(used[drive]) + 130_000_000_000;
        let rooms: Vec<DriveRoom> =
            (0..drives).map(|drive| DriveRoom { used: used[drive], most: most(drive) }).collect();
        if let OrderFound::Order(order) = find_order(&rooms, &items) {
            check(&rooms, &items, &order);
            found += 1;
        }
    }
    assert!(found >= 19, "{found} of 20");
}

#[test]
fn an_order_is_made_shorter_and_neither_moves_more_nor_lets_more_go() {
    let mut numbers = Numbers(4_172_645_463_325);
    let (mut shorter, mut same) = (0, 0);
    for _ in 0..3000 {
        let (rooms, items) = case(&mut numbers, 6);
        let OrderFound::Order(order) = find_order(&rooms, &items) else { continue };
        let seconds = |step: &Move| 1.0 + items[step.item].leaves as f64;
        let goes = |order: &Order| order.moves.iter().filter(|step| step.release).count();
        let then = shorten(&rooms, &items, order.clone(), &seconds);
        check(&rooms, &items, &then);
        assert_eq!(then.extra, order.extra);
        assert!(goes(&then) <= goes(&order));
        let (before, after) = (shorten::length(&order.moves, &seconds), shorten::length(&then.moves, &seconds));
        assert!(after <= before);
        shorter += usize::from(after < before);
        same += usize::from(after >= before);
    }
    assert!(shorter > 20 && same > 100, "{shorter} {same}");
}
