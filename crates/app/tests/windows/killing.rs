//! The real program ended by the system at random moments; after each, resume or return, judged by the launcher and by every byte.

use std::thread;
use std::time::{Duration, Instant};

use deft_barge_harbor::launchers::Launcher;

use crate::world::{World, tree};

/// Kills of a usual run; `DEFT_BARGE_KILLS` asks for more.
const KILLS: u64 = 20;

/// What is killed: by files and by the registry, there and back.
const WORDS: [&[&str]; 4] = [
    &["haul", "saltflat", "--to", "newhold", "--yes"],
    &["haul", "The Quiet Foundry", "--to", "newhold", "--yes"],
    &["undo", "--yes"],
    &["haul", "saltflat", "--to", "newhold", "--yes", "--release"],
];

const GAMES: [(Launcher, &str); 2] =
    [(Launcher::Quillgate, "Saltflat Rally"), (Launcher::FathomRow, "The Quiet Foundry")];

#[test]
fn ended_at_random_moments_it_resumes_or_returns_with_every_byte() {
    let kills = std::env::var("DEFT_BARGE_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(KILLS);
    let mut seed = 20_261_130_u64;
    let mut below = |most: u64| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) % most.max(1)
    };
    let mut span = [Duration::ZERO; 4];
    let (mut resumed, mut returned, mut ended) = (0, 0, 0);
    for n in 0..kills {
        let which = (n % 4) as usize;
        let world = World::new();
        let before: Vec<_> = GAMES.map(|(launcher, title)| tree(&world.judge(launcher, title).folder)).into();
        if which == 2 {
            world.expect(WORDS[0], 0);
        }
        let begun = Instant::now();
        if span[which].is_zero() {
            world.expect(WORDS[which], 0);
            span[which] = begun.elapsed();
        } else {
            let wait = Duration::from_micros(below(span[which].as_micros() as u64));
            let mut child = world.started(WORDS[which]);
            thread::sleep(wait);
            let _ = child.kill();
            let met = !child.wait().unwrap().success();
            if world.unfinished() {
                if below(2) == 0 {
                    world.expect(&["resume"], 0);
                    resumed += 1;
                } else {
                    world.expect(&["undo", "--yes"], 0);
                    returned += 1;
                }
                assert!(!world.unfinished(), "kill {n}, {:?} after {wait:?}", WORDS[which]);
            } else if !met {
                ended += 1;
            }
        }
        for ((launcher, title), bytes) in GAMES.iter().zip(&before) {
            let now = world.judge(*launcher, title);
            assert!(now.content(), "kill {n}, {:?}: {now:?}", WORDS[which]);
            assert_eq!(tree(&now.folder), *bytes, "kill {n}, {:?}: {title}", WORDS[which]);
        }
        let litter: Vec<_> =
            world.all().into_keys().filter(|path| path.to_string_lossy().contains(".deft-barge")).collect();
        assert!(litter.is_empty(), "kill {n}: {litter:?}");
    }
    println!("{kills} kills: {resumed} resumed, {returned} returned, {ended} had ended");
    assert!(resumed + returned > 0, "no kill met a haul");
}
