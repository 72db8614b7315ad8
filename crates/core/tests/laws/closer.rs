//! A closer look reads and changes nothing: every file of a fresh copy is the same block for block, and what became of one is
//! told by offset and bytes, as long as there are originals that are what they were. And a sketch says what the survey will.

use std::fs;
use std::path::Path;

use deft_barge_core::haul::{
    BlockState, ByteDifference, Closer, Control, HaulError, listed_entries, look_closer, prove_haul, release_haul,
};
use deft_barge_core::journal::{ItemRow, Journal};
use deft_barge_core::plan::MakeLetters;
use deft_barge_core::survey::{sketch, survey};

use crate::house::House;

fn hauled(house: &House, id: &str) -> ItemRow {
    let plan = house.plan(id, "newhold", MakeLetters::Yes);
    let haul = house.haul(&plan, None).unwrap();
    let (journal, _) = Journal::open(&house.site()).unwrap().recover().unwrap();
    journal.haul(haul).unwrap().unwrap().items.remove(0)
}

fn look(house: &House, item: &ItemRow, path: &str) -> Closer {
    look_closer(&house.site(), item, Path::new(path)).unwrap()
}

#[test]
fn every_file_of_a_copy_is_the_same_block_for_block_but_records_that_were_rewritten() {
    let house = House::new();
    for id in ["quillgate/qg-0107", "tolliver/tv-11"] {
        let item = hauled(&house, id);
        let files = listed_entries(&house.site(), &item).unwrap();
        let (mut seen, mut records) = (0, 0);
        for file in files.iter().filter(|file| !file.folder) {
            let Ok(closer) = look_closer(&house.site(), &item, &file.path) else { continue };
            seen += 1;
            records += usize::from(closer.record);
            let same = closer.blocks.iter().all(|block| *block == BlockState::Same);
            assert!(same || closer.record, "{}: {closer:?}", file.path.display());
        }
        assert!(seen > 3 && files.len() > seen, "{id}: links and folders have no blocks");
        assert_eq!(records, usize::from(id == "tolliver/tv-11"), "{id}");
    }
}

#[test]
fn a_byte_that_turned_over_is_told_with_its_offset_and_both_bytes_while_originals_are_held() {
    let house = House::new();
    let item = hauled(&house, "quillgate/qg-0107");
    let pack = item.planned.to.join("data/pack00.bin");
    let whole = fs::read(&pack).unwrap();
    let mut bytes = whole.clone();
    bytes[77] ^= 0x41;
    bytes.push(9);
    fs::write(&pack, &bytes).unwrap();
    let told = |offset: usize, copy| ByteDifference {
        offset: offset as u64,
        original: whole.get(offset).copied(),
        copy: Some(copy),
    };
    let closer = look(&house, &item, "data/pack00.bin");
    assert_eq!(closer.blocks, [BlockState::Differs]);
    assert_eq!(closer.bytes, [told(77, whole[77] ^ 0x41), told(whole.len(), 9)]);
    assert_eq!(closer.original, Some(item.planned.from.join("data/pack00.bin")));
    // Cut short, gone, and never there.
    fs::write(&pack, &whole[..whole.len() - 1]).unwrap();
    assert_eq!(look(&house, &item, "data/pack00.bin").blocks, [BlockState::Missing]);
    fs::remove_file(&pack).unwrap();
    assert_eq!(look(&house, &item, "data/pack00.bin").blocks, [BlockState::Missing]);
    let none = look_closer(&house.site(), &item, Path::new("../pack")).unwrap_err();
    assert!(matches!(none, HaulError::Nothing(_)), "{none}");
    // Originals that have changed since are no measure, and none are left after the release.
    fs::write(&pack, &bytes).unwrap();
    let held = item.planned.from.join("data/pack00.bin");
    fs::write(&held, &bytes).unwrap();
    assert_eq!(look(&house, &item, "data/pack00.bin").original, None);
    fs::write(&held, &whole).unwrap();
    fs::write(&pack, &whole).unwrap();
    let (journal, _) = Journal::open(&house.site()).unwrap().recover().unwrap();
    release_haul(&house.site(), &journal, item.haul, &|_| {}, &Control::default()).unwrap();
    let item = journal.haul(item.haul).unwrap().unwrap().items.remove(0);
    bytes.truncate(whole.len());
    fs::write(&pack, &bytes).unwrap();
    let closer = look(&house, &item, "data/pack00.bin");
    assert_eq!((closer.blocks, closer.bytes, closer.original), (vec![BlockState::Differs], Vec::new(), None));
}

#[test]
fn a_proof_tells_each_block_that_differs_also_behind_the_end_of_a_file_that_was_cut() {
    const BLOCK: usize = 4 << 20;
    let house = House::new();
    // Room for a file of two blocks.
    let roomy =
        fs::read_to_string(house.folder().join("world.toml")).unwrap().replace("\ncapacity = ", "\ncapacity = 10");
    fs::write(house.folder().join("world.toml"), roomy).unwrap();
    let before = survey(&house.site(), Vec::new(), &|_| {});
    let game = before.games.iter().find(|game| game.id.0 == "quillgate/qg-0107").unwrap();
    let whole: Vec<u8> = (0..BLOCK + 5).map(|n| (n / BLOCK) as u8).collect();
    fs::write(game.found.install.join("data/large.bin"), &whole).unwrap();
    let item = hauled(&house, "quillgate/qg-0107");
    let (journal, _) = Journal::open(&house.site()).unwrap().recover().unwrap();
    let items = journal.haul(item.haul).unwrap().unwrap().items;
    let told = |bytes: &[u8]| {
        fs::write(item.planned.to.join("data/large.bin"), bytes).unwrap();
        let proofs = prove_haul(&house.site(), &journal, &items, &|_| {}, &Control::default()).unwrap();
        let [found] = proofs[0].1.differences.as_slice() else { panic!("{proofs:?}") };
        assert_eq!((found.path.as_str(), proofs[0].1.differ), ("data/large.bin", 1));
        (0..4).filter(|block| found.has(*block)).collect::<Vec<u64>>()
    };
    let turned = |blocks: &[usize]| {
        let mut bytes = whole.clone();
        for block in blocks {
            bytes[block * BLOCK + 3] ^= 8;
        }
        bytes
    };
    assert_eq!(told(&turned(&[1])), [1]);
    assert_eq!(told(&turned(&[0])), [0]);
    assert_eq!(told(&turned(&[0, 1])), [0, 1]);
    assert_eq!(told(&whole[..BLOCK]), [1]);
    assert_eq!(told(&turned(&[0])[..9]), [0, 1]);
    assert_eq!(told(b""), [0, 1]);
    // The last block is another one now.
    assert_eq!(told(&[whole.clone(), vec![7; 10]].concat()), [1]);
}

#[test]
fn a_sketch_says_what_the_survey_will_but_for_sizes() {
    let house = House::new();
    let site = house.site();
    let (sketch, survey) = (sketch(&site, Vec::new()), survey(&site, Vec::new(), &|_| {}));
    assert!(!sketch.measured && survey.measured);
    let games = |survey: &deft_barge_core::survey::Survey| -> Vec<_> {
        survey.games.iter().map(|game| (game.id.clone(), game.drive.clone(), game.found.install.clone())).collect()
    };
    assert_eq!(games(&sketch), games(&survey));
    assert!(sketch.games.iter().all(|game| game.found.claim.unwrap_or_default() == game.size.on_disk));
    let drives = |survey: &deft_barge_core::survey::Survey| -> Vec<_> {
        survey.drives.iter().map(|drive| (drive.drive.name.clone(), drive.drive.capacity)).collect()
    };
    assert_eq!(drives(&sketch), drives(&survey));
}

#[test]
fn a_haul_is_read_alone_as_it_is_read_among_all() {
    let house = House::new();
    hauled(&house, "quillgate/qg-0107");
    hauled(&house, "tolliver/tv-11");
    let (journal, _) = Journal::open(&house.site()).unwrap().recover().unwrap();
    let all = journal.hauls().unwrap();
    assert_eq!(all.len(), 2);
    assert!(all[0].id.0 > all[1].id.0, "newest first");
    for haul in &all {
        let alone = journal.haul(haul.id).unwrap().unwrap();
        assert_eq!(serde_json::to_value(&alone).unwrap(), serde_json::to_value(haul).unwrap());
        for item in &haul.items {
            let alone = journal.item(item.id).unwrap().unwrap();
            assert_eq!(serde_json::to_value(&alone).unwrap(), serde_json::to_value(item).unwrap());
        }
    }
    assert!(journal.haul(deft_barge_core::bytes::HaulId(9)).unwrap().is_none());
    assert!(journal.item(deft_barge_core::bytes::ItemId(99)).unwrap().is_none());
}
