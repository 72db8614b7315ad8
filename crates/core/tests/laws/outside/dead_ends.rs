//! No state is a dead end, whatever is away.

use super::*;

/// From every stage, with either drive away and back again, something leads on and comes to an end.
#[test]
fn no_state_is_a_dead_end() {
    let mut walked = 0;
    for word in ["copying", "verified", "placed", "updating-records", "records-updated"] {
        for drive in ["swift", "newhold"] {
            for back in [false, true] {
                for leaving in [false, true] {
                    let port = Port::new();
                    left_at(&port, word, Policy::Hold);
                    unplug(&port, drive);
                    let when = format!("{word}, {drive} away, back {back}, leaving {leaving}");
                    let before = tree(port.folder.path());
                    let first = if leaving { undo(&port, 1).map(drop) } else { resume(&port, 1) };
                    // Whatever it says, nothing of a game has gone.
                    let gone = before.keys().filter(|path| {
                        path.to_string_lossy().contains("data/pack") && !port.folder.path().join(path).exists()
                    });
                    let moved = port.new_place().join("data/pack").exists()
                        || port.at("away-newhold/quillgate/regatta/data/pack").exists();
                    assert!(gone.count() == 0 || moved, "{when}: {first:?}");
                    if back {
                        plug(&port, drive);
                        let open = row(&port, 1).unfinished();
                        let on = if open { resume(&port, 1) } else { Ok(()) };
                        on.unwrap_or_else(|error| panic!("{when}: {error:?}"));
                        assert!(port.content(), "{when}");
                    } else if row(&port, 1).unfinished() {
                        let (site, books) = (port.site(), journal(&port));
                        let all: Vec<_> = row(&port, 1).items.iter().map(|item| item.id).collect();
                        let left =
                            undo_leaving(&site, &books, HaulId(1), &all, Stuck::IsLeft, &|_| {}, &Control::default());
                        assert!(left.is_ok() || !row(&port, 1).unfinished(), "{when}: {left:?}");
                    }
                    walked += 1;
                }
            }
        }
    }
    assert_eq!(walked, 40);
}

/// Leaves a haul, its release or its undo at a point, as a pause does.
fn come_to(port: &Port, state: &'static str) {
    let stop = Control::default();
    match state {
        "proved" => drop(port.haul(None, to_newhold(), Policy::Hold).unwrap()),
        "releasing" => {
            port.haul(None, to_newhold(), Policy::Hold).unwrap();
            let (site, books) = (port.site(), journal(port));
            let ended = release_haul(&site, &books, HaulId(1), &at_stage("releasing", &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        "cancelling" => {
            left_at(port, "placed", Policy::Hold);
            let (site, books) = (port.site(), journal(port));
            let ended = undo_haul(&site, &books, HaulId(1), &at_stage("cancelling", &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        "undoing" | "undone and not cleaned up" => {
            port.haul(None, to_newhold(), Policy::Hold).unwrap();
            let (site, books) = (port.site(), journal(port));
            let at = if state == "undoing" { "placed" } else { "releasing" };
            let ended = undo_haul(&site, &books, HaulId(1), &at_stage(at, &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        "hauled back" => {
            port.haul(None, to_newhold(), Policy::Release).unwrap();
            let (site, books) = (port.site(), journal(port));
            let ended = undo_haul(&site, &books, HaulId(1), &at_stage("verified", &stop), &stop);
            assert!(matches!(ended, Err(HaulError::Paused)), "{ended:?}");
        }
        stage => left_at(port, stage, Policy::Hold),
    }
}

/// Every state, with either drive away or none, with the list as it was or edited, with or without the drive coming back, by a resume, an
/// undo or a release first: nothing of the game is lost, and something comes to an end.
#[test]
fn from_every_state_with_drives_away_and_lists_edited_something_comes_to_an_end() {
    type Change = fn(&mut Vec<serde_json::Value>);
    let edits: [(&str, Change); 3] = [
        ("as it was", |_| {}),
        ("sorted and longer", |titles| {
            titles.insert(0, other("n1"));
            titles.reverse();
        }),
        ("cut", |titles| titles.retain(|title| title["id"] == "g1")),
    ];
    let states = [
        "copying",
        "verified",
        "placed",
        "updating-records",
        "records-updated",
        "proved",
        "releasing",
        "cancelling",
        "undoing",
        "undone and not cleaned up",
        "hauled back",
    ];
    // On a usual day every fourth of them.
    let every = if crate::acts::every_fault() { 1 } else { 4 };
    let (mut walked, mut all) = (0, 0);
    for state in states {
        for drive in [None, Some("swift"), Some("newhold")] {
            for (what, edit) in edits {
                for first in ["resume", "undo", "release"] {
                    all += 1;
                    if all % every != 0 {
                        continue;
                    }
                    let when = format!("{state}, {drive:?} away, list {what}, {first}");
                    let port = Port::new();
                    let whole = port.game(&port.old_place());
                    come_to(&port, state);
                    // The other library's list has a sum in it, which its launcher keeps.
                    change_list(&port, "swift", edit);
                    if let Some(drive) = drive {
                        unplug(&port, drive);
                    }
                    let newest = || History::of(&port.site()).unwrap().hauls[0].id.0;
                    let said = match first {
                        "resume" => resume(&port, newest()),
                        "undo" => undo(&port, newest()).map(drop),
                        _ => release(&port, newest()).map(drop),
                    };
                    // What is refused is refused with a reason that can be told.
                    if let Err(error) = &said {
                        assert!(!error.to_string().is_empty(), "{when}");
                    }
                    if let Some(drive) = drive {
                        plug(&port, drive);
                    }
                    for _ in 0..2 {
                        if row(&port, newest()).unfinished() {
                            let ended = resume(&port, newest());
                            ended.unwrap_or_else(|error| panic!("{when}, after {said:?}: {error:?}"));
                        }
                    }
                    assert!(!History::of(&port.site()).unwrap().hauls.iter().any(HaulRow::unfinished), "{when}");
                    assert!(port.content(), "{when}, after {said:?}");
                    let place = if port.new_place().exists() && !port.old_place().exists() {
                        port.new_place()
                    } else {
                        port.old_place()
                    };
                    assert_eq!(differing(&port.game(&place), &whole), NONE, "{when}, after {said:?}");
                    walked += 1;
                }
            }
        }
    }
    assert_eq!(walked, 11 * 3 * 3 * 3 / every);
}

fn undo_and_leave(port: &Port, haul: i64) -> Result<Option<HaulId>, HaulError> {
    let (site, books) = (port.site(), journal(port));
    let all: Vec<_> = row(port, haul).items.iter().map(|item| item.id).collect();
    undo_leaving(&site, &books, HaulId(haul), &all, Stuck::IsLeft, &|_| {}, &Control::default())
}

/// The drive that a game was hauled to has died; its originals are kept, and a part of the records lay on that drive.
#[test]
fn with_the_drive_of_the_copy_gone_for_good_the_kept_originals_are_played_again() {
    for word in ["updating-records", "records-updated", "proved"] {
        for edited in [false, true] {
            let when = format!("{word}, list edited {edited}");
            let port = Port::new();
            let whole = port.game(&port.old_place());
            if word == "proved" {
                port.haul(None, to_newhold(), Policy::Hold).unwrap();
            } else {
                left_at(&port, word, Policy::Hold);
            }
            if edited {
                change_list(&port, "swift", |titles| titles.insert(0, other("n1")));
            }
            unplug(&port, "newhold");
            let rooms = fs::read(port.launcher().join("rooms.json")).unwrap();
            assert!(refused(undo(&port, 1).map(drop), away), "{when}");
            undo_and_leave(&port, 1).unwrap_or_else(|error| panic!("{when}: {error:?}"));
            let history = History::of(&port.site()).unwrap();
            let left = History::remains(&port.site(), history.hauls[0].id).unwrap();
            let left = |path: &Path| {
                left.iter().any(|(_, left)| left.iter().any(|l| l.path == path && l.why == WhyLeft::DriveAway))
            };
            assert!(left(&port.new_place()) && left(&port.at("drives/newhold/quillgate/ledger.json")), "{when}");
            assert!(!history.hauls.iter().any(HaulRow::unfinished), "{when}");
            assert!(port.content() && port.leads_to_a_whole_copy(), "{when}");
            assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "{when}");
            if word != "proved" {
                continue;
            }
            // The drive was not dead after all, and its library is added again: its list still has the game, as a second entry, and
            // nothing of it goes as long as it does.
            plug(&port, "newhold");
            fs::write(port.launcher().join("rooms.json"), rooms).unwrap();
            let listed = |kind: &FindingKind| matches!(kind, FindingKind::StillListed { .. });
            let said = release(&port, 2);
            assert!(
                matches!(&said, Err(HaulError::Refused(f)) if f.iter().any(|f| listed(&f.kind))),
                "{when}: {said:?}"
            );
            change_list(&port, "newhold", Vec::clear);
            release(&port, 2).unwrap();
            assert!(!port.new_place().exists() && port.content(), "{when}");
        }
    }
}

#[test]
fn a_library_behind_a_link_is_hauled_released_and_undone_with_the_links_in_its_games() {
    for relative in [false, true] {
        let port = Port::new();
        fs::rename(port.at("drives/swift/quillgate"), port.at("drives/swift/real")).unwrap();
        let target = if relative { PathBuf::from("real") } else { port.at("drives/swift/real") };
        symlink(target, port.at("drives/swift/quillgate")).unwrap();
        let originals = tree(&port.at("drives/swift/real/regatta"));
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        assert!(port.content(), "relative {relative}");
        assert_eq!(tree(&port.at("drives/swift/real/regatta")), originals, "the originals are only read");
        let inward = fs::read_link(port.new_place().join("inward")).unwrap();
        assert_eq!(inward, port.new_place().join("data"), "relative {relative}");
        undo(&port, 1).unwrap();
        assert!(port.content() && !port.new_place().exists());
        assert_eq!(tree(&port.at("drives/swift/real/regatta")), originals);
        port.haul(None, to_newhold(), Policy::Release).unwrap();
        assert!(port.content() && !port.at("drives/swift/real/regatta").exists());
        undo(&port, 3).unwrap();
        assert!(port.content() && port.old_place().join("data/pack").exists());
        assert!(port.at("drives/swift/quillgate").is_symlink());
    }
}

/// A second launcher with the same games, in the same lists, that nobody tells of a haul.
fn another_launcher(port: &Port) {
    let profile = fs::read_to_string(port.at("home/.config/deft-barge/profiles/quillgate.toml")).unwrap();
    let profile = profile.replacen("id = \"quillgate\"", "id = \"second\"", 1).replacen(
        "name = \"Quillgate\"",
        "name = \"Second\"",
        1,
    );
    port.write("home/.config/deft-barge/profiles/second.toml", profile.as_bytes());
}

#[test]
fn what_another_launcher_knows_as_well_is_not_released_within_the_haul() {
    let port = Port::new();
    another_launcher(&port);
    let site = port.site();
    let listed = |kind: &FindingKind| matches!(kind, FindingKind::StillListed { .. });
    let held = port.plan(&site, to_newhold(), Policy::Hold);
    assert!(!held.findings.iter().any(|finding| listed(&finding.kind)));
    let released = port.plan(&site, to_newhold(), Policy::Release);
    assert!(
        released.blocked() && released.findings.iter().any(|finding| listed(&finding.kind)),
        "{:?}",
        released.findings
    );
}

#[test]
fn the_only_copy_of_a_game_is_not_offered_for_removal_when_its_launcher_has_forgotten_where_it_is() {
    use deft_barge_core::cleanup::find;
    use deft_barge_core::plan::plan_removal;
    use deft_barge_core::survey::CleanupAct;
    let port = Port::on_disk();
    let records = port.records();
    port.haul(None, to_newhold(), Policy::Release).unwrap();
    write_back(&port, &records);
    let site = port.site();
    let seen = deft_barge_core::survey::survey(&site, Vec::new(), &|_| {});
    let lying = find(&site, &seen, &History::of(&site).unwrap(), &|_| {});
    assert!(lying.iter().any(|lying| lying.path == port.new_place()), "{lying:?}");
    for lying in lying.iter().filter(|lying| lying.path == port.new_place()) {
        assert!(
            !lying.acts.contains(&CleanupAct::Quarantine) && !lying.acts.contains(&CleanupAct::Release),
            "{lying:?}"
        );
        // And who asks for it all the same is refused before the last copy goes.
        let plan = plan_removal(&site, &seen, lying, CleanupAct::Quarantine);
        if plan.blocked() {
            continue;
        }
        let books = journal(&port);
        let mut haul = Haul::begin(&site, &books, &plan).unwrap();
        let id = haul.id();
        haul.run(&|_| {}, &Control::default()).unwrap();
        let result = release_haul(&site, &books, id, &|_| {}, &Control::default());
        assert!(result.is_err(), "{result:?}");
    }
    let all = tree(&port.at("drives/newhold"));
    assert!(all.keys().any(|path| path.ends_with("data/pack")));
}
