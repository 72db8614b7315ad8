//! The real program ended by the system at random moments; after each, resume or return, judged by the launcher and by every byte.

use std::fs;
use std::process::Child;
use std::thread;
use std::time::{Duration, Instant, SystemTime};

use deft_barge_harbor::launchers::Launcher;

use crate::world::{Tree, World, tree};

/// Kills of a usual run; `DEFT_BARGE_KILLS` asks for more.
const KILLS: u64 = 12;

/// What is killed: by files and by the registry, there and back.
const WORDS: [&[&str]; 4] = [
    &["haul", "saltflat", "--to", "newhold", "--yes"],
    &["haul", "The Quiet Foundry", "--to", "newhold", "--yes"],
    &["undo", "--yes"],
    &["haul", "saltflat", "--to", "newhold", "--yes", "--release"],
];

/// Which of them undoes what another did before.
const UNDO: usize = 2;

const GAMES: [(Launcher, &str); 2] =
    [(Launcher::Quillgate, "Saltflat Rally"), (Launcher::FathomRow, "The Quiet Foundry")];

/// What is seen of the journal from outside: it changes when the haul is written down.
fn journal(world: &World) -> Option<(u64, SystemTime)> {
    let meta = fs::metadata(world.at("home/AppData/Local/deft-barge/journal.db-wal")).ok()?;
    Some((meta.len(), meta.modified().ok()?))
}

/// A world in which the words can be said.
fn prepared(which: usize) -> World {
    let world = World::new();
    if which == UNDO {
        world.expect(WORDS[0], 0);
    }
    world
}

fn folders(world: &World) -> Vec<Tree> {
    GAMES.map(|(launcher, title)| tree(&world.judge(launcher, title).folder)).into()
}

#[test]
fn ended_at_random_moments_it_resumes_or_returns_with_every_byte() {
    let kills = std::env::var("DEFT_BARGE_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(KILLS);
    let mut seed = 20_261_130_u64;
    let mut below = |most: u64| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) % most.max(1)
    };
    // How long each takes, from the journal's first line where that is what kills count from.
    let mut spans = [Duration::ZERO; WORDS.len()];
    for (which, span) in spans.iter_mut().enumerate() {
        let world = prepared(which);
        let mut child = started(&world, which);
        let begun = Instant::now();
        assert!(child.wait().unwrap().success());
        *span = begun.elapsed();
    }
    let (mut resumed, mut returned, mut beside, mut ended) = (0, 0, 0, 0);
    let mut n = 0;
    // Where many come too early or too late there are more of them.
    while n < kills || (resumed + returned < kills / 4 && n < kills * 4) {
        let which = (n % 4) as usize;
        let world = prepared(which);
        let before = folders(&world);
        let wait = Duration::from_micros(below(spans[which].as_micros() as u64));
        let when = format!("kill {n}, {:?} after {wait:?}", WORDS[which]);
        let mut child = started(&world, which);
        thread::sleep(wait);
        let _ = child.kill();
        let killed = !child.wait().unwrap().success();
        if world.unfinished() {
            if below(2) == 0 {
                world.expect(&["resume"], 0);
                resumed += 1;
            } else {
                world.expect(&["undo", "--yes"], 0);
                returned += 1;
            }
            assert!(!world.unfinished(), "{when}");
        } else if killed {
            beside += 1;
        } else {
            ended += 1;
        }
        for ((launcher, title), bytes) in GAMES.iter().zip(&before) {
            let now = world.judge(*launcher, title);
            assert!(now.content(), "{when}: {now:?}");
            assert_eq!(tree(&now.folder), *bytes, "{when}: {title}");
        }
        let litter: Vec<_> =
            world.all().into_keys().filter(|path| path.to_string_lossy().contains(".deft-barge")).collect();
        assert!(litter.is_empty(), "{when}: {litter:?}");
        n += 1;
    }
    println!(
        "{n} kills: {resumed} resumed, {returned} returned, {beside} before or behind the haul itself, {ended} had ended"
    );
    assert!(resumed + returned >= kills / 4, "too few kills met a haul: {resumed} resumed, {returned} returned");
}

/// Starts it; a haul has been written down by then.
fn started(world: &World, which: usize) -> Child {
    let before = journal(world);
    let child = world.started(WORDS[which]);
    let begun = Instant::now();
    while which != UNDO && journal(world) == before && begun.elapsed() < Duration::from_secs(20) {
        thread::sleep(Duration::from_millis(1));
    }
    child
}
