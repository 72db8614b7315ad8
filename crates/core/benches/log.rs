//! How fast a long log opens, is listed and searched: `HAULS=10000 ENTRIES=10000000 cargo bench --bench log`. The journal is made in a
//! folder of its own below `BENCH_DIR` or `/var/tmp`, of some 150 bytes for each line of checksums.
#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a program that measures")]

mod timing;

use std::hint::black_box;
use std::path::Path;

use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::{History, Journal, check_journal};
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;
use rusqlite::{Connection, params};
use timing::{say, times};

fn number(name: &str, usual: i64) -> i64 {
    std::env::var(name).ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}

/// Hauls of three items each, of plans as the demo world has them, all released but for the newest; and their checksums.
fn fill(site: &Site, database: &Path, hauls: i64, entries: i64) {
    let survey = survey(site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    for game in &survey.games {
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
    }
    let planned: Vec<String> = plan(site, &survey, &draft, Policy::Hold)
        .items
        .iter()
        .map(|item| serde_json::to_string(item).unwrap())
        .collect();
    let db = Connection::open(database).unwrap();
    let all = db.unchecked_transaction().unwrap();
    let each = entries / (hauls * 3).max(1);
    for haul in 1..=hauls {
        let made = format!("{}-{:02}-{:02}T10:00:00Z", 2020 + haul % 6, 1 + haul % 12, 1 + haul % 28);
        all.execute("insert into haul values(?1, ?2, '\"hold\"', null)", params![haul, made]).unwrap();
        for nth in 0..3 {
            let stage =
                if haul == hauls { r#"{"stage":"proved","holds":true}"# } else { r#"{"stage":"released","left":0}"# };
            let text = &planned[((haul * 3 + nth) % planned.len() as i64) as usize];
            let sql = "insert into lot(haul, planned, stage) values(?1, ?2, ?3)";
            all.prepare_cached(sql).unwrap().execute(params![haul, text, stage]).unwrap();
            let item = all.last_insert_rowid();
            for word in ["proved", "released"] {
                let sql = "insert into event(at, haul, lot, word, detail) values(?1, ?2, ?3, ?4, 'a title')";
                all.prepare_cached(sql).unwrap().execute(params![made, haul, item, word]).unwrap();
            }
            for entry in 0..each {
                let path = format!("data\0{:03}\0part {entry:07}.dat", entry % 200).into_bytes();
                let sql = "insert into entry(lot, path, kind, size, allocated, modified_s, modified_ns, inode, mode, user, grp, compared, hash)
                  values(?1, ?2, 'file', 70000, 73728, 1760000000, 5, ?3, 420, 0, 0, 1, zeroblob(32))";
                all.prepare_cached(sql).unwrap().execute(params![item, path, entry]).unwrap();
            }
        }
    }
    all.commit().unwrap();
}

fn main() {
    let (hauls, entries) = (number("HAULS", 10_000), number("ENTRIES", 300_000));
    let under = std::env::var("BENCH_DIR").unwrap_or_else(|_| "/var/tmp".into());
    let folder = tempfile::tempdir_in(under).unwrap();
    deft_barge_harbor::world::make(folder.path(), 7, deft_barge_harbor::world::Scale::SMALL).unwrap();
    let site = Site::of_world(folder.path()).unwrap();
    drop(Journal::open(&site).unwrap());
    let database = site.state_folder().join("journal.db");
    fill(&site, &database, hauls, entries);
    let state = check_journal(&site).unwrap().unwrap();
    println!("{} hauls, {} items, {} lines of checksums, {}", state.hauls, state.items, state.entries, state.bytes);
    say(
        "opened, and what is under way found",
        times(9, || drop(black_box(Journal::open(&site).unwrap().recover().unwrap()))),
    );
    say("listed, with the newest hauls whole", times(9, || drop(black_box(History::recent(&site).unwrap()))));
    let history = History::recent(&site).unwrap();
    say(
        "searched for a title",
        times(9, || {
            black_box(history.search("ferry 2023").count());
        }),
    );
    say(
        "searched for what there is not",
        times(9, || {
            black_box(history.search("not there").count());
        }),
    );
    say("one haul read whole", times(9, || drop(black_box(History::one(&site, HaulId(hauls / 2)).unwrap()))));
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    say(
        "first page of checksums",
        times(9, || {
            black_box(journal.lines(ItemId(hauls)).take(1000).count());
        }),
    );
    say("every haul read whole", times(3, || drop(black_box(History::of(&site).unwrap()))));
}
