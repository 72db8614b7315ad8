//! Several compatibility layers on one machine, whose drive letters lead to different drives: each file is read in the layer it lies in.

use std::fs;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, release_haul};
use deft_barge_core::item::{FindingKind, Policy, Severity};
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, MakeLetters, Plan, plan};
use deft_barge_core::survey::{add_to_survey, survey};
use deft_barge_core::trace::{Sure, Trace, trace, usual_places};

use crate::house::House;

const FILES: [&str; 3] = ["user.reg", "drive_c/users/me/AppData/Roaming/fen.ini", "drive_c/ProgramData/fen.json"];

/// A layer with its D, and three files that speak of a game there.
fn layer(house: &House, name: &str, drive: &str) -> PathBuf {
    let layer = house.home().join(".local/share/layers").join(name);
    for folder in ["dosdevices", "drive_c/users/me/AppData/Roaming", "drive_c/ProgramData"] {
        fs::create_dir_all(layer.join(folder)).unwrap();
    }
    symlink("../drive_c", layer.join("dosdevices/c:")).unwrap();
    symlink(house.folder().join("drives").join(drive), layer.join("dosdevices/d:")).unwrap();
    let path = r"D:\\Games\\Fen Two";
    let texts = [
        format!("WINE REGISTRY Version 2\n\n[Software\\\\Kites\\\\Fen] 1700000000\n\"At\"=\"{path}\"\n"),
        "[game]\nat=D:\\Games\\Fen Two\ndata=%APPDATA%\\fen\n".to_string(),
        format!("{{\"at\": \"{path}\\\\bin\"}}\n"),
    ];
    for (file, text) in FILES.iter().zip(texts) {
        fs::write(layer.join(file), text).unwrap();
    }
    layer
}

fn texts(layer: &Path) -> Vec<String> {
    FILES.iter().map(|file| fs::read_to_string(layer.join(file)).unwrap()).collect()
}

/// A folder traced, and the plan that moves it to the new drive, with new letters.
pub fn planned(house: &House, game: &Path) -> (Trace, Plan) {
    let (trace, plan) = planned_with(house, game, MakeLetters::Yes);
    assert!(!plan.blocked(), "{:?}", plan.findings);
    (trace, plan)
}

fn planned_with(house: &House, game: &Path, letters: MakeLetters) -> (Trace, Plan) {
    let site = house.site();
    let trace = trace(&site, game, &usual_places(&site, game), &|_| {});
    let mut survey = survey(&site, Vec::new(), &|_| {});
    let id = add_to_survey(&site, &mut survey, &trace);
    let mut draft = Draft { letters, ..Draft::default() };
    draft.send(id, Destination::Drive("newhold".into()));
    (trace, plan(&site, &survey, &draft, Policy::Hold))
}

#[test]
fn a_letter_leads_where_the_layer_of_its_file_says_and_new_ones_are_made_in_that_layer() {
    let house = House::new();
    // In the order of their names, and the other way round.
    let layers = [layer(&house, "one", "swift"), layer(&house, "two", "cellar")];
    let games = ["swift", "cellar"].map(|drive| house.folder().join("drives").join(drive).join("Games/Fen Two"));
    for game in &games {
        fs::create_dir_all(game.join("bin")).unwrap();
        fs::write(game.join("bin/go.exe"), vec![7; 5000]).unwrap();
    }
    let before = house.records();
    for (nth, game) in games.iter().enumerate() {
        let (own, other) = (&layers[nth], &layers[1 - nth]);
        let untouched = texts(other);
        let (trace, plan) = planned(&house, game);
        let sure = trace.finds.iter().filter(|find| find.sure == Sure::Certain).map(|find| find.record.file.clone());
        let mut sure: Vec<PathBuf> = sure.collect();
        sure.sort();
        let mut wanted = FILES.map(|file| own.join(file));
        wanted.sort();
        assert_eq!(sure, wanted, "{}", game.display());
        let haul = house.haul(&plan, None).unwrap();
        assert_eq!(fs::read_link(own.join("dosdevices/e:")).unwrap(), house.folder().join("drives/newhold"));
        assert_eq!(fs::read_dir(other.join("dosdevices")).unwrap().count(), 2);
        assert!(texts(own).iter().all(|text| text.contains("E:\\") && !text.contains("D:\\")), "{:?}", texts(own));
        assert_eq!(texts(other), untouched);
        house.back_to(&before, haul);
    }
}

/// Records that cannot be rewritten stop a haul for that reason alone: nobody says that there are none.
#[test]
fn records_that_want_a_letter_are_told_as_that_and_not_called_missing() {
    let house = House::new();
    layer(&house, "one", "swift");
    let game = house.folder().join("drives/swift/Games/Fen Two");
    fs::create_dir_all(&game).unwrap();
    fs::write(game.join("go.exe"), vec![7; 5000]).unwrap();
    let (_, plan) = planned_with(&house, &game, MakeLetters::No);
    let stops = plan.findings.iter().filter(|finding| finding.severity == Severity::Blocker);
    let kinds: Vec<&FindingKind> = stops.map(|finding| &finding.kind).collect();
    assert!(matches!(kinds.as_slice(), [FindingKind::NoLetter { .. }]), "{kinds:?}");
}

#[test]
fn a_letter_that_one_haul_made_stays_while_the_game_of_another_is_reached_by_it() {
    let house = House::new();
    let layer = layer(&house, "one", "swift");
    let games = two_games(&house);
    let moor = layer.join("drive_c/ProgramData/moor.ini");
    fs::write(&moor, "[game]\nat=D:\\Games\\Moor\\bin\n").unwrap();
    let before = house.records();
    let (_, plan) = planned(&house, &games[0]);
    let first = house.haul(&plan, None).unwrap();
    let (_, plan) = planned(&house, &games[1]);
    let second = house.haul(&plan, None).unwrap();
    let letter = layer.join("dosdevices/e:");
    assert!(letter.is_symlink() && fs::read_to_string(&moor).unwrap().contains("E:\\Games\\Moor"));
    house.give_back(first);
    assert!(texts(&layer).iter().all(|text| text.contains("D:\\")), "{:?}", texts(&layer));
    assert!(letter.join("Games/Moor/bin/go.exe").exists(), "Moor is reached by it still");
    house.back_to(&before, second);
}

#[test]
fn a_letter_that_leads_to_two_games_by_two_layers_is_named_and_never_rewritten() {
    let house = House::new();
    layer(&house, "one", "swift");
    layer(&house, "two", "cellar");
    let games = ["swift", "cellar"].map(|drive| house.folder().join("drives").join(drive).join("Games/Fen Two"));
    for game in &games {
        fs::create_dir_all(game.join("bin")).unwrap();
        fs::write(game.join("bin/go.exe"), vec![7; 5000]).unwrap();
    }
    let list = house.home().join(".config/kites.json");
    fs::write(&list, "[{\"at\": \"D:\\\\Games\\\\Fen Two\"}]\n").unwrap();
    let (trace, plan) = planned(&house, &games[1]);
    let said: Vec<Sure> = trace.finds.iter().filter(|find| find.record.file == list).map(|find| find.sure).collect();
    assert_eq!(said, [Sure::Unreadable]);
    let before = fs::read(&list).unwrap();
    let haul = house.haul(&plan, None).unwrap();
    assert_eq!(fs::read(&list).unwrap(), before);
    house.give_back(haul);
}

#[test]
fn links_from_a_game_to_its_own_folder_lead_to_the_copy_and_come_back_as_they_were_written() {
    let house = House::new();
    let game = house.folder().join("drives/swift/Games/Fen Two");
    fs::create_dir_all(game.join("layer/dosdevices")).unwrap();
    fs::write(game.join("go.exe"), vec![7; 5000]).unwrap();
    fs::write(house.home().join(".config/kites.json"), format!("[\"{}\"]\n", game.display())).unwrap();
    let own = game.to_str().unwrap();
    let ways = [own.into(), format!("{own}/"), format!("{own}//layer"), format!("{own}/layer/"), "../..".to_string()];
    for (nth, way) in ways.iter().enumerate() {
        symlink(way, game.join(format!("layer/dosdevices/{nth}"))).unwrap();
    }
    let said = |game: &Path| {
        let link = |nth: usize| fs::read_link(game.join(format!("layer/dosdevices/{nth}"))).unwrap();
        (0..ways.len()).map(|nth| link(nth).into_os_string().into_string().unwrap()).collect::<Vec<_>>()
    };
    let (_, plan) = planned(&house, &game);
    let to = plan.items[0].to.clone();
    let haul = house.haul(&plan, None).unwrap();
    let wanted: Vec<String> = ways.iter().map(|way| way.replace(own, to.to_str().unwrap())).collect();
    assert_eq!(said(&to), wanted);
    // What comes back is a copy as well.
    let site = house.site();
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    release_haul(&site, &journal, haul, &|_| {}, &Control::default()).unwrap();
    drop(journal);
    house.give_back(haul);
    assert_eq!(said(&game), ways);
}

#[test]
fn a_letter_in_a_file_outside_of_the_layers_leads_there_in_each_of_those_that_may_be_meant() {
    let house = House::new();
    let layers = [layer(&house, "one", "swift"), layer(&house, "two", "swift"), layer(&house, "three", "cellar")];
    let game = house.folder().join("drives/swift/Games/Fen Two");
    fs::create_dir_all(game.join("bin")).unwrap();
    fs::write(game.join("bin/go.exe"), vec![7; 5000]).unwrap();
    let list = house.home().join(".config/kites.json");
    fs::write(&list, "[{\"at\": \"D:\\\\Games\\\\Fen Two\"}]\n").unwrap();
    let before = house.records();
    let (_, plan) = planned(&house, &game);
    let haul = house.haul(&plan, None).unwrap();
    assert!(fs::read_to_string(&list).unwrap().contains("E:\\\\Games\\\\Fen Two"));
    let new = house.folder().join("drives/newhold");
    for (nth, layer) in layers.iter().enumerate() {
        let letter = fs::read_link(layer.join("dosdevices/e:")).ok();
        assert_eq!(letter.as_ref(), (nth < 2).then_some(&new), "{}", layer.display());
    }
    house.back_to(&before, haul);
}

#[test]
fn a_letter_goes_with_its_haul_though_records_of_another_game_there_say_an_address() {
    let house = House::new();
    let layer = layer(&house, "one", "swift");
    let games = two_games(&house);
    let address = format!("[\"file://{}/drives/swift/Games/Moor\"]\n", house.folder().display());
    fs::write(house.home().join(".config/moor.json"), address).unwrap();
    let (_, plan) = planned(&house, &games[0]);
    let first = house.haul(&plan, None).unwrap();
    let (_, plan) = planned(&house, &games[1]);
    let second = house.haul(&plan, None).unwrap();
    house.give_back(first);
    assert!(!layer.join("dosdevices/e:").is_symlink(), "nothing is reached by it any more");
    house.give_back(second);
}

/// Two games of one folder.
fn two_games(house: &House) -> [PathBuf; 2] {
    let games = ["Fen Two", "Moor"].map(|name| house.folder().join("drives/swift/Games").join(name));
    for game in &games {
        fs::create_dir_all(game.join("bin")).unwrap();
        fs::write(game.join("bin/go.exe"), vec![7; 5000]).unwrap();
    }
    games
}
