//! Hauls that fit only in one order, or only with a copy in between: planned, hauled, judged, killed and returned.

use std::collections::BTreeMap;
use std::fs;
use std::path::PathBuf;
use std::sync::Arc;

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::checksums::{EntryKind, walk};
use deft_barge_core::disk::{Act, Disk, Gate};
use deft_barge_core::haul::{Control, Haul, HaulError, HaulEvent, undo_haul};
use deft_barge_core::item::{FindingKind, Policy, Stage, Strategy, Trial};
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Done, Draft, MakeLetters, Plan, StepKind, Whereabouts, plan};
use deft_barge_core::survey::{GameId, Survey, survey};
use deft_barge_harbor::launchers::Launcher;

use crate::acts::{both_ways, every_fault};
use crate::house::{House, same};
use crate::port::tree;

const PALE: &str = "parlour-lamp/pale-signal";
const TIDE: &str = "parlour-lamp/tidewright";
const GULL: &str = "tolliver/tv-11";
const UNDERHILL: &str = "ninepin/np-08";
const HEXWOOD: &str = "ninepin/np-03";

/// Beacon House with just so many bytes free on each drive that is named.
fn house(free: &[(&str, u64)]) -> House {
    let house = House::new();
    for drive in survey(&house.site(), Vec::new(), &|_| {}).drives {
        let name = &drive.drive.name;
        let Some((_, free)) = free.iter().find(|(which, _)| which == name) else { continue };
        let world = house.folder().join("world.toml");
        let text = fs::read_to_string(&world).unwrap();
        let (head, rest) = text.split_at(text.find(&format!("name = \"{name}\"")).unwrap());
        let (at, end) =
            (rest.find("capacity = ").unwrap(), rest[rest.find("capacity = ").unwrap()..].find('\n').unwrap());
        let capacity = format!("reserve = 0\ncapacity = {}", drive.used.count() + free);
        fs::write(&world, format!("{head}{}{capacity}{}", &rest[..at], &rest[at + end..])).unwrap();
    }
    house
}

fn looked(house: &House) -> Survey {
    survey(&house.site(), Vec::new(), &|_| {})
}

fn planned(house: &House, items: &[(&str, &str)]) -> Plan {
    let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
    for (game, to) in items {
        draft.send(GameId((*game).into()), Destination::Drive((*to).into()));
    }
    plan(&house.site(), &looked(house), &draft, Policy::Hold)
}

fn run(house: &House, plan: &Plan, report: &dyn Fn(HaulEvent), stop: &Control) -> Result<(), HaulError> {
    let site = house.site();
    let (journal, unfinished) = Journal::open(&site)?.recover()?;
    let mut haul = match unfinished {
        Some(row) => Haul::of(&site, &journal, row.id)?,
        None => Haul::begin(&site, &journal, plan)?,
    };
    haul.run(report, stop).map(drop)
}

fn place(house: &House, game: &str) -> PathBuf {
    looked(house).game(&GameId(game.into())).unwrap().found.install.clone()
}

fn launcher(game: &str) -> Launcher {
    match game.split_once('/').unwrap().0 {
        "parlour-lamp" => Launcher::ParlourLamp,
        "tolliver" => Launcher::Tolliver,
        _ => Launcher::Ninepin,
    }
}

/// Hauls, looks, and returns; gives the drives on which the games lay.
fn there_and_back(house: &House, items: &[(&str, &str)], plan: &Plan) {
    let before: BTreeMap<&str, _> = items.iter().map(|(game, _)| (*game, tree(&place(house, game)))).collect();
    let records = house.records();
    run(house, plan, &|_| {}, &Control::default()).unwrap();
    for (game, to) in items {
        let now = looked(house);
        let found = now.game(&GameId((*game).into())).unwrap();
        assert_eq!(found.drive.as_deref(), Some(*to), "{game}");
        assert!(house.judge(launcher(game), game).content(), "{game}");
        assert_eq!(tree(&found.found.install).len(), before[game].len(), "{game}");
    }
    for drive in looked(house).drives {
        assert!(drive.used <= drive.drive.capacity, "{}", drive.drive.name);
    }
    let site = house.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    drop(journal);
    for (game, tree_before) in &before {
        assert!(house.judge(launcher(game), game).content(), "{game}, returned");
        let now = tree(&place(house, game));
        let names = |tree: &crate::port::Tree| tree.keys().cloned().collect::<Vec<_>>();
        assert_eq!(names(&now), names(tree_before), "{game}, returned");
    }
    same(&records, &house.records(), "returned");
}

/// From one moment to the next one thing is done, and the drives change by just that; they begin and end as their loads say.
fn moments_agree(plan: &Plan) {
    let moments = plan.moments();
    let (first, last) = (moments.first().unwrap(), moments.last().unwrap());
    assert_eq!((first.done, last.done), (Done::Nothing, Done::Released));
    for (n, load) in plan.loads.iter().enumerate() {
        assert_eq!((first.used[n], last.used[n]), (load.now, load.after), "{load:?}");
        for two in moments.windows(2) {
            let (before, after) = (two[0].used[n], two[1].used[n]);
            match two[1].done {
                Done::Copied(item) if plan.items[item].to_drive == load.drive => assert!(after > before),
                Done::LetGo(item) if plan.items[item].from_drive.as_ref() == Some(&load.drive) => {
                    assert!(after < before);
                }
                Done::Released => assert!(after <= before),
                _ => assert_eq!(after, before, "{:?} on {}", two[1].done, load.drive),
            }
        }
    }
    let (before, after) = (plan.whereabouts(&moments[..1]), plan.whereabouts(&moments));
    assert_eq!(before, Whereabouts::default());
    assert_eq!(after.there, (0..plan.items.len()).collect());
    assert_eq!(after.gone, after.there);
}

#[test]
fn what_fits_only_in_one_order_goes_in_that_order_with_the_room_of_proved_originals() {
    // Nothing fits on swift before something has left it.
    let house = house(&[("swift", 60_000)]);
    let items = [(TIDE, "swift"), (PALE, "cellar"), (HEXWOOD, "newhold")];
    let plan = planned(&house, &items);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    let order: Vec<&str> = plan.items.iter().map(|item| item.game.0.as_str()).collect();
    let at = |game: &str| order.iter().position(|other| *other == game).unwrap();
    assert!(at(PALE) < at(TIDE), "{order:?}");
    assert_eq!(plan.items[at(PALE)].policy, Policy::Release);
    assert_eq!(plan.items[at(TIDE)].after, [at(PALE)]);
    assert_eq!(plan.items[at(HEXWOOD)].policy, Policy::Hold, "nobody needs its room");
    let must = |kind: &FindingKind| matches!(kind, FindingKind::MustRelease { drive, .. } if drive == "swift");
    assert_eq!(plan.findings.iter().filter(|finding| must(&finding.kind)).count(), 1);
    // The load over time is that of the drives, and never above what they hold.
    for (n, load) in plan.loads.iter().enumerate() {
        let used: Vec<Bytes> = plan.steps.iter().map(|step| step.used[n]).collect();
        assert_eq!((used[0], *used.iter().max().unwrap()), (load.now, load.peak));
        assert!(load.peak <= load.most() || load.peak == load.now, "{load:?}");
    }
    assert_eq!(plan.steps.iter().filter(|step| step.kind == StepKind::LetGo).count(), 1);
    moments_agree(&plan);
    there_and_back(&house, &items, &plan);
}

#[test]
fn two_full_drives_change_places_over_a_third_one() {
    let house = house(&[("swift", 60_000), ("cellar", 60_000), ("newhold", 6_000_000)]);
    for items in [[(TIDE, "swift"), (PALE, "cellar")], [(HEXWOOD, "swift"), (GULL, "cellar")]] {
        let house = if items[0].0 == TIDE {
            &house
        } else {
            &self::house(&[("swift", 60_000), ("cellar", 60_000), ("newhold", 6_000_000)])
        };
        let plan = planned(house, &items);
        assert!(!plan.blocked(), "{:?}", plan.findings);
        assert_eq!(plan.items.len(), 3, "one of them goes twice");
        let waits = |kind: &FindingKind| matches!(kind, FindingKind::WaitsOn { drive, .. } if drive == "newhold");
        assert!(plan.findings.iter().any(|finding| waits(&finding.kind)), "{:?}", plan.findings);
        assert!(plan.items.iter().all(|item| item.mode == Strategy::Copy));
        there_and_back(house, &items, &plan);
    }
}

#[test]
fn a_haul_in_an_order_goes_on_or_back_from_every_stage_at_which_it_was_left() {
    let items = [(TIDE, "swift"), (PALE, "cellar")];
    let free = [("swift", 60_000), ("cellar", 60_000), ("newhold", 6_000_000)];
    let (mut on, mut back) = (0, 0);
    for (left_at, goes_back) in both_ways((0..).step_by(if every_fault() { 1 } else { 3 })) {
        let house = house(&free);
        let (plan, records) = (planned(&house, &items), house.records());
        let (seen, stop) = (std::cell::Cell::new(0), Control::default());
        let leave = |event: HaulEvent| {
            if matches!(event, HaulEvent::Stage { .. }) {
                if seen.get() == left_at {
                    stop.ask();
                }
                seen.set(seen.get() + 1);
            }
        };
        let left = run(&house, &plan, &leave, &stop);
        if left.is_ok() && seen.get() <= left_at {
            break;
        }
        // Half made copies are in the way of what goes back, and go first.
        if goes_back {
            let site = house.site();
            let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
            let returned = undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default());
            returned.unwrap_or_else(|why| panic!("{left_at}: {why:?}"));
            back += 1;
        } else {
            if left.is_err() {
                run(&house, &plan, &|_| {}, &Control::default()).unwrap_or_else(|why| panic!("{left_at}: {why}"));
            }
            on += 1;
        }
        for (n, (game, to)) in items.iter().enumerate() {
            let to = if goes_back { items[1 - n].1 } else { to };
            let now = looked(&house);
            assert_eq!(now.game(&GameId((*game).into())).unwrap().drive.as_deref(), Some(to), "{left_at}");
            assert!(house.judge(launcher(game), game).content(), "{left_at}");
        }
        if goes_back {
            same(&records, &house.records(), &format!("returned from {left_at}"));
        }
    }
    assert!(on > 3 && back > 3, "{on} {back}");
}

#[test]
fn what_does_not_fit_in_any_order_says_what_would_help() {
    let free = [("swift", 60_000), ("cellar", 60_000), ("newhold", 10_000), ("pocket", 10_000)];
    let house = house(&free);
    let plan = planned(&house, &[(TIDE, "swift"), (PALE, "cellar")]);
    let kinds: Vec<&FindingKind> = plan.findings.iter().map(|finding| &finding.kind).collect();
    assert!(kinds.iter().any(|kind| matches!(kind, FindingKind::NoOrder { done: 0, .. })), "{kinds:?}");
    let more = kinds.iter().find_map(|kind| match kind {
        FindingKind::MoreRoom { drive, bytes } => Some((drive.clone(), bytes.count())),
        _ => None,
    });
    let (drive, bytes) = more.unwrap();
    assert!(kinds.iter().any(|kind| matches!(kind, FindingKind::WithoutItem { .. })) || bytes > 0);
    // With just that much it is planned.
    let free = free.map(|(name, free)| (name, if name == drive { free + bytes } else { free }));
    let house = self::house(&free);
    let plan = planned(&house, &[(TIDE, "swift"), (PALE, "cellar")]);
    assert!(!plan.blocked(), "{:?}", plan.findings);
}

/// Spoils a copy as soon as it is in its place.
#[derive(Debug)]
struct Spoiling(PathBuf);

impl Gate for Spoiling {
    fn before(&self, _: &Act<'_>) -> std::io::Result<()> {
        Ok(())
    }

    fn after(&self, act: &Act<'_>) {
        if matches!(act, Act::Rename { to, .. } if *to == self.0) {
            let all = walk(&Disk::default(), &self.0).unwrap().entries;
            let first = all.iter().find(|entry| entry.kind == EntryKind::File && entry.size > 100).unwrap();
            fs::write(first.path.under(&self.0), "spoilt").unwrap();
        }
    }
}

#[test]
fn what_needs_the_room_of_originals_that_stay_is_not_begun() {
    let house = house(&[("swift", 60_000)]);
    let plan = planned(&house, &[(TIDE, "swift"), (PALE, "cellar")]);
    let old = place(&house, PALE);
    let mut site = house.site();
    site.disk = site.disk.and_gate(Arc::new(Spoiling(plan.items[0].to.clone())));
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    // Its proof does not hold: nothing may be let go, and nothing may be copied into that room.
    let error = Haul::begin(&site, &journal, &plan).unwrap().run(&|_| {}, &Control::default()).unwrap_err();
    assert!(matches!(error, HaulError::NoRoomYet { .. }), "{error:?}");
    assert!(old.exists(), "its originals are kept");
    let stages: Vec<Stage> = journal.hauls().unwrap()[0].items.iter().map(|item| item.stage.clone()).collect();
    assert_eq!(stages, [Stage::Proved { holds: false }, Stage::Planned]);
}

#[test]
fn the_smallest_game_is_tried_and_the_others_wait_for_a_yes() {
    for said_yes in [true, false] {
        let house = House::new();
        let (game, records) = (place(&house, HEXWOOD), house.records());
        let mut draft = Draft { letters: MakeLetters::Yes, trial: Trial::Waits, ..Draft::default() };
        for game in [HEXWOOD, UNDERHILL, PALE] {
            draft.send(GameId(game.into()), Destination::Drive("newhold".into()));
        }
        let survey = looked(&house);
        let plan = plan(&house.site(), &survey, &draft, Policy::Hold);
        assert_eq!(plan.trial, Trial::Waits);
        let tried = survey.game(&plan.items[0].game).unwrap();
        let alike = |item: &&deft_barge_core::item::PlannedItem| {
            item.launcher == plan.items[0].launcher && item.from_drive == plan.items[0].from_drive
        };
        let least = plan.items.iter().filter(alike).map(|item| item.size.on_disk).min();
        assert_eq!(Some(tried.size.on_disk), least);
        run(&house, &plan, &|_| {}, &Control::default()).unwrap();
        let site = house.site();
        let (journal, open) = Journal::open(&site).unwrap().recover().unwrap();
        let row = open.expect("it waits");
        let planned = row.items.iter().filter(|item| item.stage == Stage::Planned).count();
        assert_eq!((&row.items[0].stage, planned), (&Stage::Proved { holds: true }, 2));
        // Without a yes a resume does nothing more.
        Haul::of(&site, &journal, row.id).unwrap().run(&|_| {}, &Control::default()).unwrap();
        assert_eq!(journal.hauls().unwrap()[0].items[1].stage, Stage::Planned);
        if said_yes {
            journal.set_trial(row.id, Trial::Agreed).unwrap();
            Haul::of(&site, &journal, row.id).unwrap().run(&|_| {}, &Control::default()).unwrap();
            assert!(journal.hauls().unwrap()[0].items.iter().all(|item| item.stage == Stage::Proved { holds: true }));
        } else {
            undo_haul(&site, &journal, row.id, &|_| {}, &Control::default()).unwrap();
            same(&records, &house.records(), "returned");
            assert!(game.is_dir());
        }
    }
}
