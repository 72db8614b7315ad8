//! The course of a plan: in which order its items go, whose originals have to be let go for others, who waits elsewhere.
//!
//! Law: what the schedule says of loads is what a replay of it gives. Start at [`Schedule::of`].

use std::collections::{BTreeSet, HashMap, HashSet};

use super::result::{PlanStep, StepKind};
use crate::bytes::Bytes;
use crate::item::{Finding, FindingKind, PlannedItem, Policy, Strategy, Trial};
use crate::plan::order::{DriveRoom, Move, Order, OrderFound, OrderItem, find_order, only_needed_releases, replay};
use crate::plan::order::{Remedy, shorten, smallest_change};
use crate::plan::placement::{Load, Placement, loads_now};
use crate::platform::{Abilities, Drive};
use crate::survey::Survey;

/// One item of the course.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Leg<'a> {
    /// Place of its placement.
    pub(crate) placement: usize,
    /// The drive on which it waits in between; `None` if this leg ends at its placement.
    pub(crate) staging: Option<&'a String>,
    pub(crate) policy: Policy,
    pub(crate) after: Vec<usize>,
}

/// The items in their order.
pub(crate) struct Schedule<'a> {
    pub(crate) legs: Vec<Leg<'a>>,
    /// Whether the first item is the one that is tried.
    pub(crate) tried: bool,
}

/// The drives of a survey as rooms, in its order.
pub(crate) fn rooms(survey: &Survey) -> Vec<DriveRoom> {
    let room = |load: Load| DriveRoom { used: load.now.count(), most: load.most().count() };
    loads_now(survey).into_iter().map(room).collect()
}

impl<'a> Schedule<'a> {
    /// Finds the order of the items, and says what a person has to agree to, or why there is none.
    pub(crate) fn of(
        survey: &'a Survey,
        placements: &[Placement<'a>],
        trial: Trial,
        findings: &mut Vec<Finding>,
    ) -> Self {
        let drive_at = |name: &str| survey.drives.iter().position(|state| state.drive.name == name);
        let copies =
            |placement: &Placement<'_>| placement.mode == Strategy::Copy && drive_at(&placement.drive.name).is_some();
        // What is renamed needs no room, and hinders nothing.
        let renamed = placements.iter().enumerate().filter(|(_, placement)| !copies(placement));
        let mut legs: Vec<Leg<'a>> = renamed.map(|(n, _)| Leg::straight(n)).collect();
        let copied: Vec<usize> = (0..placements.len()).filter(|n| copies(&placements[*n])).collect();
        let rooms = rooms(survey);
        let items: Vec<OrderItem> = copied.iter().map(|n| order_item(survey, &placements[*n])).collect();
        let order = find_order(&rooms, &items);
        let OrderFound::Order(order) = order else {
            findings.extend(why_not(survey, &rooms, &items, &copied, placements));
            legs.extend(copied.into_iter().map(Leg::straight));
            return Self { legs, tried: false };
        };
        let order = shortened(survey, &rooms, &items, &copied, placements, order);
        let (order, tried) =
            if trial == Trial::None { (order, false) } else { try_one(&rooms, &items, &copied, placements, order) };
        if trial != Trial::None && !tried {
            findings.push(Finding::general(FindingKind::NotTried));
        }
        // A trial goes before what is only renamed.
        let renamed = if tried { std::mem::take(&mut legs) } else { Vec::new() };
        let base = legs.len();
        legs.extend(legs_of(survey, base, (&items, &copied, placements), &order, findings));
        legs.extend(renamed);
        Self { legs, tried }
    }

    /// How full every drive is at each step, and at most. Items that could not be planned are missing.
    pub(crate) fn loads(&self, survey: &Survey, items: &[PlannedItem], policy: Policy) -> (Vec<Load>, Vec<PlanStep>) {
        let mut loads = loads_now(survey);
        let mut used: Vec<Bytes> = loads.iter().map(|load| load.now).collect();
        let mut steps = vec![PlanStep { item: None, kind: StepKind::Begin, used: used.clone() }];
        let at = |name: &str| survey.drives.iter().position(|state| state.drive.name == name);
        let mut later: Vec<(usize, Bytes)> = Vec::new();
        let mut earlier = HashSet::new();
        for (n, item) in items.iter().enumerate() {
            let waited = !earlier.insert(&item.game);
            if item.mode != Strategy::Copy {
                continue;
            }
            if let Some(to) = at(&item.to_drive) {
                used[to] = used[to].plus(item.need);
            }
            steps.push(PlanStep { item: Some(n), kind: StepKind::Copied, used: used.clone() });
            let Some(from) = item.from_drive.as_deref().and_then(at) else { continue };
            // A copy that waited in between takes what it needed there.
            let bytes = if waited { item.need } else { item.size.on_disk };
            if item.policy == Policy::Release || policy == Policy::Release {
                used[from] = used[from].less(bytes);
                steps.push(PlanStep { item: Some(n), kind: StepKind::LetGo, used: used.clone() });
            } else {
                later.push((from, bytes));
            }
        }
        for (place, load) in loads.iter_mut().enumerate() {
            load.peak = steps.iter().map(|step| step.used[place]).max().unwrap_or(load.now);
            let held: Bytes = later.iter().filter(|(from, _)| *from == place).map(|(_, bytes)| *bytes).sum();
            load.after = used[place].less(held);
        }
        (loads, steps)
    }
}

/// What the search for an order knows of an item.
fn order_item(survey: &Survey, placement: &Placement<'_>) -> OrderItem {
    let drive_at = |name: &str| survey.drives.iter().position(|state| state.drive.name == name);
    let to = drive_at(&placement.drive.name).unwrap_or(0);
    // A copy between parts of one drive makes no room there that anything waits for.
    let from = placement.game.drive.as_deref().and_then(drive_at).filter(|from| *from != to);
    let need = |(at, state): (usize, &crate::survey::DriveState)| {
        let may_wait = Some(at) != from && can_wait(placement, &state.drive);
        (at == to || may_wait).then(|| placement.need.count())
    };
    let needs = survey.drives.iter().enumerate().map(need).collect();
    OrderItem { from, to, leaves: placement.size.on_disk.count(), needs }
}

/// The moves of an order as legs behind the first `base`, each after those that it waits for.
fn legs_of<'a>(
    survey: &'a Survey,
    base: usize,
    (items, copied, placements): (&[OrderItem], &[usize], &[Placement<'a>]),
    order: &Order,
    findings: &mut Vec<Finding>,
) -> Vec<Leg<'a>> {
    let mut legs = Vec::new();
    // Who waits elsewhere in between has left its drive for that.
    let mut again = HashSet::new();
    let mut goes: Vec<bool> = order.moves.iter().rev().map(|step| !again.insert(step.item) || step.release).collect();
    goes.reverse();
    // Moves so far that make room on a drive, and those of an item.
    let mut room_on: HashMap<usize, Vec<usize>> = HashMap::new();
    let mut of_item: HashMap<usize, Vec<usize>> = HashMap::new();
    for (n, step) in order.moves.iter().enumerate() {
        let item = &items[step.item];
        let placement = &placements[copied[step.item]];
        let drive = |at: usize| &survey.drives[at].drive.name;
        let staging = (step.to != item.to).then(|| drive(step.to));
        let say = |kind| Finding::about(&placement.game.id, &placement.game.found.title, kind);
        if let Some(drive) = staging {
            findings.push(say(FindingKind::WaitsOn { drive: drive.clone(), bytes: placement.need }));
        }
        if let (true, Some(from)) = (goes[n] && step.from == item.from, step.from) {
            let kind = FindingKind::MustRelease { drive: drive(from).clone(), bytes: placement.size.on_disk };
            findings.push(say(kind));
        }
        // What makes room there goes before it; and it cannot leave a place before it has come there.
        let before = room_on.get(&step.to).into_iter().chain(of_item.get(&step.item)).flatten();
        let after: BTreeSet<usize> = before.map(|k| base + k).collect();
        let after = after.into_iter().collect();
        if let (true, Some(from)) = (goes[n], step.from) {
            room_on.entry(from).or_default().push(n);
        }
        of_item.entry(step.item).or_default().push(n);
        let policy = if goes[n] { Policy::Release } else { Policy::Hold };
        legs.push(Leg { placement: copied[step.item], staging, policy, after });
    }
    legs
}

impl Leg<'_> {
    fn straight(placement: usize) -> Self {
        Self { placement, staging: None, policy: Policy::Hold, after: Vec::new() }
    }
}

/// The order, with items of other drives drawn ahead where that makes the whole shorter.
fn shortened(
    survey: &Survey,
    rooms: &[DriveRoom],
    items: &[OrderItem],
    copied: &[usize],
    placements: &[Placement<'_>],
    order: Order,
) -> Order {
    let pace = |drive: usize| survey.speeds.pace_of(&survey.drives[drive].drive);
    let seconds = |step: &Move| {
        let bytes = items[step.item].needs[step.to].unwrap_or(0);
        let from = step.from.map_or_else(|| pace(step.to), pace);
        let files = placements[copied[step.item]].size.files;
        super::estimate::seconds(("", from), ("", pace(step.to)), bytes, files).0
    };
    shorten(rooms, items, order, &seconds)
}

/// Puts the smallest item of the largest group that goes the same way first, if all still fits then; gives whether it does.
///
/// A group is the items of one launcher between the same two drives: what goes well with one of them goes well with all.
fn try_one(
    rooms: &[DriveRoom],
    items: &[OrderItem],
    copied: &[usize],
    placements: &[Placement<'_>],
    order: Order,
) -> (Order, bool) {
    let way = |n: usize| {
        let placement = &placements[copied[n]];
        (&placement.game.launcher, &placement.game.drive, &placement.drive.name)
    };
    let bytes = |n: usize| items[n].leaves;
    let mut groups = HashMap::new();
    for n in 0..items.len() {
        *groups.entry(way(n)).or_insert(0) += bytes(n);
    }
    let Some(largest) = (0..items.len()).max_by_key(|n| groups[&way(*n)]) else { return (order, false) };
    let smallest = (0..items.len()).filter(|n| way(*n) == way(largest)).min_by_key(|n| bytes(*n));
    let at = order.moves.iter().position(|step| Some(step.item) == smallest);
    let several = order.moves.iter().filter(|step| Some(step.item) == smallest).count() > 1;
    let Some(at) = at.filter(|_| !several && items.len() > 1) else { return (order, false) };
    let mut moves = order.moves.clone();
    let first = moves.remove(at);
    moves.insert(0, first);
    let moves = only_needed_releases(rooms, items, moves);
    match replay(rooms, items, &moves) {
        Ok(_) => (Order { moves, ..order }, true),
        Err(_) => (order, false),
    }
}

/// Whether a drive can hold a game for a while: all that the game's own drive or its destination can hold.
fn can_wait(placement: &Placement<'_>, drive: &Drive) -> bool {
    let holds = |other: &Abilities| {
        let here = &drive.abilities;
        (here.links || !other.links)
            && (here.hard_links || !other.hard_links)
            && (here.sparse || !other.sparse)
            && (here.permissions || !other.permissions)
            && (here.largest_file.is_none() || here.largest_file >= other.largest_file && other.largest_file.is_some())
            && here.forbidden.chars().all(|c| other.forbidden.contains(c))
            && (!here.folds_case || other.folds_case)
    };
    drive.abilities.known && !drive.read_only && holds(&placement.drive.abilities)
}

/// What stands in the way of every order, and what would clear it.
fn why_not(
    survey: &Survey,
    rooms: &[DriveRoom],
    items: &[OrderItem],
    copied: &[usize],
    placements: &[Placement<'_>],
) -> Vec<Finding> {
    let (lacks, remedies) = smallest_change(rooms, items);
    let drive = |at: usize| &survey.drives[at].drive;
    let title = |n: usize| placements[copied[n]].game.found.title.clone();
    let lacks = lacks.into_iter().map(|lack| {
        let (name, bytes) = (drive(lack.drive).name.clone(), Bytes::new(lack.bytes));
        match lack.item {
            None => FindingKind::NoRoom { drive: name, lacks: bytes, reserve: drive(lack.drive).reserve },
            Some(n) => FindingKind::NoOrder { drive: name, lacks: bytes, item: title(n), done: lack.step },
        }
    });
    let several = items.len() > 1;
    let remedies = remedies.into_iter().filter_map(|remedy| match remedy {
        Remedy::DriveRoom { drive: at, bytes } => {
            Some(FindingKind::MoreRoom { drive: drive(at).name.clone(), bytes: Bytes::new(bytes) })
        }
        Remedy::Without { item } => several.then(|| FindingKind::WithoutItem { item: title(item) }),
    });
    lacks.chain(remedies).map(Finding::general).collect()
}

/// Whether all of a draft could be copied, one after another, with originals let go where room is needed; gives the bytes in
/// use on each drive at the fullest moment. By the sizes that the survey knows, and without copies in between.
pub(crate) fn quick_peaks(rooms: &[DriveRoom], items: &[OrderItem]) -> Option<Vec<u64>> {
    let OrderFound::Order(order) = crate::plan::order::find_straight(rooms, items) else { return None };
    let rows = crate::plan::order::replay(rooms, items, &order.moves).ok()?;
    Some((0..rooms.len()).map(|drive| rows.iter().map(|row| row[drive]).max().unwrap_or(0)).collect())
}
