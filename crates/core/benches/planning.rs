//! How fast a draft is reckoned: the loads of all drives at a key press, and an order for many items on nearly full drives.
#![expect(clippy::unwrap_used, clippy::print_stdout, clippy::disallowed_methods, reason = "a program that measures")]

mod timing;

use std::hint::black_box;
use std::time::Instant;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::{Aim, Destination, Draft, projected, suggest};
use deft_barge_core::plan::{DriveRoom, OrderFound, OrderItem, find_order};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{Survey, survey};
use timing::{say, times};

struct Numbers(u64);

impl Numbers {
    fn below(&mut self, most: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % most
    }
}

/// A survey of a thousand games on eight drives, read from a world of empty folders; their sizes are made up afterwards.
fn thousand() -> Survey {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path();
    let mut world = "format = 1\nhome = \"home\"\n".to_string();
    let mut games = Vec::new();
    for drive in 0..8 {
        let root = top.join(format!("drives/d{drive}"));
        for n in 0..125 {
            let at = root.join(format!("game {n}"));
            std::fs::create_dir_all(&at).unwrap();
            games.push(
                serde_json::json!({"id": format!("g{drive}-{n}"), "name": format!("Game {drive} {n}"), "at": at}),
            );
        }
        world += &format!(
            "[[drives]]\ntag = {}\nname = \"d{drive}\"\nroot = \"drives/d{drive}\"\ncapacity = 4000000000000\nkind = \"ssd\"\nfile-system = \"ext4\"\n",
            drive + 1
        );
    }
    let own = top.join("home/.config/quay");
    let profiles = top.join("home/.config/deft-barge/profiles");
    std::fs::create_dir_all(&own).unwrap();
    std::fs::create_dir_all(&profiles).unwrap();
    std::fs::write(own.join("all.json"), serde_json::json!({ "games": games }).to_string()).unwrap();
    let profile = "format = 1\nid = \"quay\"\nname = \"Quay\"\nhome = [\"{config}/quay\"]\n[games]\nfile = \"{home}/all.json\"\nlist = \"$.games\"\nid = \"$.id\"\ntitle = \"$.name\"\ninstall = \"{install}\"\n[[games.records]]\nselector = \"$.at\"\nmeaning = \"{install}\"\n";
    std::fs::write(profiles.join("quay.toml"), profile).unwrap();
    std::fs::write(top.join("world.toml"), world).unwrap();
    let site = Site::of_world(top).unwrap();
    let mut survey = survey(&site, Vec::new(), &|_| {});
    assert_eq!(survey.games.len(), 1000);
    let mut numbers = Numbers(77);
    for game in &mut survey.games {
        let bytes = Bytes::new(1_000_000_000 + numbers.below(60_000_000_000));
        (game.size.on_disk, game.size.apparent) = (bytes, bytes);
    }
    for state in &mut survey.drives {
        let on = |game: &&deft_barge_core::survey::Game| game.drive.as_ref() == Some(&state.drive.name);
        state.used = survey.games.iter().filter(on).map(|game| game.size.on_disk).sum();
        state.drive.capacity = state.used.plus(Bytes::new(200_000_000_000));
        state.free = state.drive.capacity.less(state.used);
    }
    survey
}

fn main() {
    let survey = thousand();
    let mut draft = Draft::default();
    let names: Vec<String> = survey.drives.iter().map(|state| state.drive.name.clone()).collect();
    say("loads of a draft of 1 item, 1 000 games", {
        draft.send(survey.games[0].id.clone(), Destination::Drive(names[1].clone()));
        times(50, || drop(black_box(projected(&survey, &draft))))
    });
    for (n, game) in survey.games.iter().enumerate() {
        draft.send(game.id.clone(), Destination::Drive(names[(n / 125 + 1 + n % 7) % 8].clone()));
    }
    say("loads of a draft of 1 000 items, 1 000 games", times(20, || drop(black_box(projected(&survey, &draft)))));
    let aim = Aim::Free { drive: names[0].clone(), bytes: Bytes::new(150_000_000_000) };
    say("a suggestion among 125 games", times(10, || drop(black_box(suggest(&survey, &aim)))));

    let mut numbers = Numbers(31_264_546_332);
    let (mut found, mut all) = (0, Vec::new());
    for spare in [2_000_000_000_u64, 20_000_000_000, 60_000_000_000, 130_000_000_000] {
        for _ in 0..5 {
            let mut used = [0; 8];
            let mut cargo: Vec<OrderItem> = Vec::new();
            for _ in 0..300 {
                let from = numbers.below(8) as usize;
                let to = (from + 1 + numbers.below(7) as usize) % 8;
                let size = 1 + numbers.below(120_000_000_000);
                used[from] += size;
                let needs = (0..8).map(|drive| (drive != from).then_some(size)).collect();
                cargo.push(OrderItem { from: Some(from), to, leaves: size, needs });
            }
            let sum =
                |fits: &dyn Fn(&&OrderItem) -> bool| cargo.iter().filter(fits).map(|item| item.leaves).sum::<u64>();
            let rooms: Vec<DriveRoom> = (0..8)
                .map(|drive| {
                    let end = used[drive] + sum(&|item| item.to == drive) - sum(&|item| item.from == Some(drive));
                    DriveRoom { used: used[drive], most: end.max(used[drive]) + spare }
                })
                .collect();
            let begun = Instant::now();
            let order = black_box(find_order(&rooms, &cargo));
            all.push(begun.elapsed());
            found += usize::from(matches!(order, OrderFound::Order(_)));
        }
    }
    all.sort();
    say(&format!("an order of 300 items on 8 full drives, found in {found} of 20 cases"), (all[10], all[19]));
}
