//! The real program killed with -9 at random moments; after each, resume or return, judged by the stand-in
//! launcher and by comparing every byte. Kills show that a haul can be resumed; power cuts are tried in core's laws.

use std::thread;
use std::time::{Duration, Instant, SystemTime};

use crate::outside::interrupted;
use crate::world::{Tree, World, tree};

/// Kills of a run of every day; `DEFT_BARGE_KILLS` asks for more.
const KILLS: u64 = 50;

/// Numbers from a seed, so that a failing run can be had again: a linear congruence (Knuth, MMIX).
struct Random(u64);

impl Random {
    fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % most.max(1)
    }
}

/// What is killed: a haul, one that releases, a return, a release, two games of which one needs the room of the other, and a cleanup.
fn words(which: u64, world: &World) -> Vec<String> {
    let stray = world.at("drives/pocket/old games/brass-herons");
    let words: &[&str] = match which {
        0 => &["haul", "saltflat", "--to", "newhold", "--yes"],
        1 => &["haul", "saltflat", "--to", "newhold", "--yes", "--release"],
        2 => &["undo", "--yes"],
        3 => &["release", "--yes"],
        4 => &["haul", "glasswing=swift", "saltflat=newhold", "--yes"],
        _ => &["cleanup", "quarantine", stray.to_str().unwrap(), "--yes"],
    };
    words.iter().map(std::string::ToString::to_string).collect()
}

fn prepared(which: u64) -> World {
    // In memory a haul is over before most kills meet it.
    let world = World::on_disk();
    if which == 2 || which == 3 {
        expect(&world, 0, 0);
    }
    if which == 4 {
        crate::planning::fill(&world, "swift", 400_000);
    }
    world
}

fn expect(world: &World, which: u64, code: i32) {
    let words = words(which, world);
    world.expect(&words.iter().map(String::as_str).collect::<Vec<_>>(), code);
}

fn command(world: &World, words: &[impl AsRef<str>]) -> std::process::Child {
    let words: Vec<&str> = words.iter().map(AsRef::as_ref).collect();
    let null = std::process::Stdio::null;
    world.command(&words).stdout(null()).stderr(null()).spawn().unwrap()
}

fn unfinished(world: &World) -> bool {
    let log = world.json(&["log"], 0);
    let at_rest = ["proved", "released", "cancelled", "undone"];
    let items = log["hauls"].as_array().unwrap().iter().flat_map(|haul| haul["items"].as_array().unwrap());
    items.map(|item| item["stage"]["stage"].as_str().unwrap()).any(|stage| !at_rest.contains(&stage))
}

/// What is seen of the journal from outside: it changes when the haul is written down.
fn journal(world: &World) -> Option<(u64, SystemTime)> {
    let meta = std::fs::metadata(world.at("home/.local/state/deft-barge/journal.db-wal")).ok()?;
    Some((meta.len(), meta.modified().ok()?))
}

const GAMES: [&str; 2] = ["Saltflat Rally", "Glasswing Regatta"];

/// The games, as their launcher finds them.
fn games(world: &World) -> [Tree; 2] {
    GAMES.map(|title| tree(&world.judge(title).folder))
}

fn check(world: &World, before: &[Tree; 2], rest: &Tree, when: &str) {
    for (title, game) in GAMES.into_iter().zip(before) {
        assert!(world.judge(title).content(), "{when}: {:?}", world.judge(title));
        assert_eq!(tree(&world.judge(title).folder), *game, "{when}: a byte of {title} differs");
    }
    let mut now = world.all();
    now.retain(|path, _| rest.contains_key(path));
    assert_eq!(now, *rest, "{when}: something else was touched");
    let litter: Vec<_> =
        world.all().into_keys().filter(|path| path.to_string_lossy().contains(".deft-barge")).collect();
    assert!(litter.is_empty(), "{when}: {litter:?}");
}

/// Kills that have to meet a haul, and not what is before or behind it.
const ENOUGH: usize = 12;

/// What leads on after a kill.
fn way_on(n: u64) -> &'static [&'static str] {
    if n.is_multiple_of(2) { &["resume"] } else { &["undo", "--yes"] }
}

#[test]
fn killed_at_fifty_random_moments_it_resumes_or_returns_with_every_byte() {
    let kills = std::env::var("DEFT_BARGE_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(KILLS);
    let mut random = Random(20_261_123 + kills);
    let (mut resumed, mut returned, mut ended, mut before_begin, mut twice) = (0_usize, 0_usize, 0, 0, 0);
    let mut spans = [Duration::ZERO; 6];
    for (which, span) in (0..).zip(spans.iter_mut()) {
        let world = prepared(which);
        let begun = Instant::now();
        expect(&world, which, 0);
        *span = begun.elapsed();
    }
    let mut n = 0;
    // On a machine that slows down meanwhile many kills come too early or too late: then there are more of them.
    while n < kills || (resumed + returned < ENOUGH && n < kills * 3) {
        n += 1;
        let which = [0, 1, 4, 2, 3, 5][(n % 6) as usize];
        let world = prepared(which);
        let before_all = games(&world);
        let mut rest = world.all();
        rest.retain(|path, _| {
            let text = path.to_string_lossy();
            !text.contains("saltflat")
                && !text.contains("glasswing")
                && !text.ends_with("ledger.json")
                && !text.starts_with("home")
                && text != "drives/newhold/quillgate"
        });
        let span = spans[which as usize].as_micros() as u64;
        let wait = Duration::from_micros(random.below(if which == 3 { span } else { span * 2 / 3 }));
        let before = journal(&world);
        let words = words(which, &world);
        let when = format!("kill {n}, {words:?} after {wait:?}");
        let mut child = command(&world, &words);
        if which != 3 {
            // Most kills are to meet the haul itself and not the survey before it: they count from the journal's first line.
            let begun = Instant::now();
            while journal(&world) == before && begun.elapsed() < Duration::from_secs(5) {
                thread::sleep(Duration::from_micros(200));
            }
        }
        thread::sleep(wait);
        let _ = child.kill();
        let killed = !child.wait().unwrap().success();

        let mut when = when;
        if unfinished(&world) && n % 3 != 1 {
            // What goes on is killed as well, and what leads on from there may be the other way.
            let again = Duration::from_micros(random.below(span / 3));
            when = format!("{when}, {:?} killed after {again:?}", way_on(n));
            let mut child = command(&world, way_on(n));
            thread::sleep(again);
            let _ = child.kill();
            if !child.wait().unwrap().success() {
                twice += 1;
            }
        }
        if unfinished(&world) {
            let way = way_on(n + n / 3);
            world.expect(way, 0);
            if way == ["resume"] {
                resumed += 1;
            } else {
                returned += 1;
            }
            assert!(!unfinished(&world), "{when}");
        } else if killed {
            before_begin += 1;
        } else {
            ended += 1;
        }
        let aside = world.at("drives/pocket/old games/brass-herons");
        if !aside.exists() {
            // What was set aside is there again when that is undone.
            world.expect(&["undo", "--yes"], 0);
        }
        check(&world, &before_all, &rest, &when);
    }
    println!(
        "{n} kills, {twice} of them once more while it went on: {resumed} resumed, {returned} returned, {before_begin} before or behind the haul itself, {ended} had ended"
    );
    assert!(resumed + returned >= ENOUGH, "too few kills met a haul: {resumed} resumed, {returned} returned");
}

/// Starts a haul and sends it a signal so long after its journal was written; its exit code.
fn signalled(world: &World, words: &[&str], wait: Duration) -> Option<i32> {
    let before = journal(world);
    let mut child = command(world, words);
    // From the moment that the haul is written down: how long it takes to come so far says the load of the machine.
    while journal(world) == before && child.try_wait().unwrap().is_none() {
        thread::sleep(Duration::from_millis(1));
    }
    thread::sleep(wait);
    let _ = std::process::Command::new("kill")
        .args(["-INT", &child.id().to_string()])
        .stderr(std::process::Stdio::null())
        .status();
    child.wait().unwrap().code()
}

#[test]
fn a_signal_at_any_moment_pauses_or_comes_too_late() {
    let world = World::on_disk();
    let game = tree(&world.old_place());
    for wait in [0, 10, 20, 40, 80, 160] {
        let code = signalled(&world, &["haul", "saltflat", "--to", "newhold", "--yes"], Duration::from_millis(wait));
        if code == Some(5) {
            world.expect(&["resume"], 0);
        }
        if code == Some(5) || code == Some(0) {
            assert_eq!(tree(&world.new_place()), game);
        }
        assert!(world.judge("Saltflat Rally").content(), "after {wait} ms, exit {code:?}");
        let _ = world.run(&["undo", "--yes"]);
        assert_eq!(tree(&world.old_place()), game);
    }
}

#[test]
fn a_signal_while_it_copies_always_pauses_and_keeps_what_was_copied() {
    let world = World::slow();
    let game = tree(&world.old_place());
    let words = ["haul", "saltflat", "--to", "newhold", "--yes", "--limit", "1"];
    for (signal, after) in [("-INT", 0), ("-INT", 700), ("-TERM", 0), ("-HUP", 100)] {
        let said = interrupted(&world, &words, signal, Duration::from_millis(after));
        assert!(said.contains("Resume with: deft-barge resume"), "{said}");
        assert!(unfinished(&world), "{signal}");
        assert!(world.judge("Saltflat Rally").content(), "{signal}");
        assert_eq!(tree(&world.old_place()), game, "{signal}");
        world.expect(&["resume", "--limit", "0"], 0);
        assert_eq!(tree(&world.new_place()), game, "{signal}");
        assert!(world.judge("Saltflat Rally").content(), "{signal}");
        world.expect(&["undo", "--yes"], 0);
        assert_eq!(tree(&world.old_place()), game, "{signal}");
    }
}
