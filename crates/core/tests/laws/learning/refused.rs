//! What is not sure is not learned, with the reason.

use super::*;

#[test]
fn one_game_is_not_enough_and_entries_of_games_that_are_elsewhere_are_examples() {
    let (_folder, site, top) = world_of(&["Fen".into()]);
    let list = top.join("home/.config/kite/list.json");
    fs::write(&list, serde_json::json!([entry(&top, "Fen", 1)]).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!(learned.launchers[0].doubt, Some(Doubt::OneGame));
    let away = serde_json::json!({"nr": "a-9", "called": "Moor", "at": "/media/other/games/Moor"});
    fs::write(&list, serde_json::json!([entry(&top, "Fen", 1), away]).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    let launcher = &learned.launchers[0];
    assert_eq!((launcher.doubt.as_ref(), launcher.games.len(), launcher.rehearsed), (None, 1, 1), "{launcher:#?}");
}

#[test]
fn a_list_of_libraries_alone_is_said_and_folders_of_somebodys_work_are_no_games() {
    let (_folder, site, top) = world_of(&["Fen".into(), "Moor".into()]);
    let libraries = serde_json::json!({"rooms": [{"folder": top.join("drives/swift/g")}]});
    fs::write(top.join("home/.config/kite/rooms.json"), libraries.to_string()).unwrap();
    let work = top.join("home/.config/writer");
    fs::create_dir_all(&work).unwrap();
    let folders = ["one", "two"].map(|name| top.join("home/work").join(name));
    for folder in &folders {
        fs::create_dir_all(folder.join(".git")).unwrap();
        fs::write(folder.join("build"), "#!/bin/sh\n").unwrap();
    }
    let recent = serde_json::json!({"recent": folders.iter().map(|at| serde_json::json!({"at": at, "n": at.file_name().unwrap().to_str()})).collect::<Vec<_>>()});
    fs::write(work.join("recent.json"), recent.to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    let all: Vec<_> =
        learned.launchers.iter().map(|one| (one.name.as_str(), one.libraries, one.doubt.clone())).collect();
    assert_eq!(all, [("Kite", 1, Some(Doubt::NoList))]);
}

/// A written profile that forgets a record, or takes another game's for its own, is found out by a rehearsal.
#[test]
fn a_rehearsal_finds_what_a_profile_would_leave_behind_or_take_from_another_game() {
    let names = ["Fen".to_string(), "Moor".to_string()];
    let (_folder, site, top) = world_of(&names);
    let list: Vec<_> = names
        .iter()
        .enumerate()
        .map(|(nr, name)| {
            let mut entry = entry(&top, name, nr);
            entry["run"] = format!("{}/start", entry["at"].as_str().unwrap()).into();
            entry["lib"] = top.join("drives/swift/g").to_str().unwrap().into();
            entry
        })
        .collect();
    let file = top.join("home/.config/kite/list.json");
    fs::write(&file, serde_json::json!({"all": list}).to_string()).unwrap();
    let profile = |records: &[(&str, &str)]| {
        let head = "format = 1\nid = \"kite\"\nname = \"Kite\"\nhome = [\"{config}/kite\"]\n[games]\nfile = \"{home}/list.json\"\nlist = \"$.all\"\nid = \"$.nr\"\ninstall = \"{install}\"\n";
        let records = records.iter().map(|(selector, meaning)| {
            format!("[[games.records]]\nselector = \"{selector}\"\nmeaning = \"{meaning}\"\n")
        });
        Profile::parse(&(head.to_string() + &records.collect::<String>()), Path::new("kite.toml")).unwrap()
    };
    let whole = [("$.at", "{install}"), ("$.run", "{install}/{tail}"), ("$.lib", "{parent}")];
    let sound = rehearse(&site, &profile(&whole));
    assert_eq!((sound.moves, sound.doubt), (2, None));
    let forgets = rehearse(&site, &profile(&whole[..1]));
    assert!(matches!(&forgets.doubt, Some(Doubt::Missed { location, .. }) if location.contains("run")), "{forgets:?}");
    let before = fs::read_to_string(&file).unwrap();
    assert!(before.contains("drives/swift/g/Fen"), "nothing was written: {before}");
    // A launcher that keeps a checksum of its list would refuse what a haul has written.
    let sum = file.with_extension("sum");
    fs::write(&sum, format!("crc32 {:08x}\n", crc32fast::hash(before.as_bytes()))).unwrap();
    assert_eq!(rehearse(&site, &profile(&whole)).doubt, Some(Doubt::Checksum(sum.clone())));
    fs::write(&sum, "crc32 00000000\n").unwrap();
    assert_eq!(rehearse(&site, &profile(&whole)).doubt, None);
    // What is called one may be of something else.
    let called = serde_json::json!({"checksum": "0badcafe", "all": list});
    fs::write(&file, called.to_string()).unwrap();
    assert_eq!(rehearse(&site, &profile(&whole)).doubt, None);
}

#[test]
fn a_file_that_names_games_and_is_not_understood_is_the_reason_why_a_launcher_is_not_learned() {
    let names = ["Fen".to_string(), "Moor".to_string()];
    let (_folder, site, top) = world_of(&names);
    let list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    let home = top.join("home/.config/kite");
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let at = top.join("drives/swift/g/Fen");
    fs::write(home.join("thumbs.bin"), [b"\0\x01".as_slice(), at.to_str().unwrap().as_bytes(), b"\0"].concat())
        .unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!(learned.launchers[0].doubt, Some(Doubt::NotUnderstood(home.join("thumbs.bin"))));
}

/// Launchers whose files have one name, and lie beside one another, are launchers of their own.
#[test]
fn files_of_one_name_in_the_folders_of_several_launchers_are_not_one_launchers() {
    for games in [1, 3] {
        let names: Vec<String> = (0..3 * games).map(|n| format!("Game {n}")).collect();
        let (_folder, site, top) = world_of(&names);
        for (nth, some) in names.chunks(games).enumerate() {
            let home = top.join(format!("home/.config/launcher{nth}"));
            fs::create_dir_all(&home).unwrap();
            let list: Vec<_> = some.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
            fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
        }
        let learned = learn(&site, &[], &[], &|_| {});
        let doubts: Vec<_> = learned.launchers.iter().map(|one| (one.games.len(), one.doubt.clone())).collect();
        let doubt = (games == 1).then_some(Doubt::OneGame);
        assert_eq!(doubts, vec![(games, doubt); 3], "{:?}", learned.launchers);
    }
}

/// Where a list may be that of the libraries and does not show how it grows, nothing is learned that would leave a library out.
#[test]
fn libraries_that_are_not_sure_are_a_reason_not_to_learn() {
    let names = ["Fen".to_string(), "Moor".to_string()];
    let (_folder, site, top) = world_of(&names);
    let home = top.join("home/.config/kite");
    let mut list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let root = top.join("drives/swift/g");
    let doubt = || learn(&site, &[], &[], &|_| {}).launchers[0].doubt.clone();
    fs::write(home.join("settings.json"), serde_json::json!({"view": {"last": root}}).to_string()).unwrap();
    assert_eq!(doubt(), None, "a setting is no list");
    // One library, under a key.
    let one = |key: &str| {
        let one = serde_json::json!({"libraries": {key: {"path": root, "caption": "x"}}});
        fs::write(home.join("roots.json"), one.to_string()).unwrap();
    };
    one("0");
    let learned = learn(&site, &[], &[], &|_| {});
    assert_eq!((learned.launchers[0].doubt.as_ref(), learned.launchers[0].libraries), (None, 1), "a number numbers");
    one("main");
    assert_eq!(doubt(), Some(Doubt::NotClear(home.join("roots.json"))));
    // A list that holds some of the games.
    let away = top.join("drives/swift/away/Tarn");
    fs::create_dir_all(&away).unwrap();
    fs::write(away.join("start"), "#!/bin/sh\n").unwrap();
    list.push(serde_json::json!({"nr": "a-7", "called": "Tarn", "at": away}));
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let some = serde_json::json!({"libraries": [{"path": root, "caption": "x"}]});
    fs::write(home.join("roots.json"), some.to_string()).unwrap();
    assert_eq!(doubt(), Some(Doubt::NotClear(home.join("roots.json"))));
}

#[test]
fn what_ties_games_to_libraries_and_cannot_be_kept_true_is_a_reason_not_to_learn() {
    let names = ["Fen", "Moor Two", "gull", "Tarn"].map(str::to_string);
    let index = |roots: [&Path; 2], more: [serde_json::Value; 2]| {
        let [one, two] = more;
        serde_json::json!({"shelves": [{"at": roots[0], "x": one}, {"at": roots[1], "x": two}]}).to_string()
    };
    let json = |of: [&str; 2]| of.map(serde_json::Value::from);
    type Case = (&'static str, [serde_json::Value; 2], fn(usize) -> serde_json::Value);
    let cases: [Case; 6] = [
        ("ids in a text", json(["a-0,a-2", "a-1,a-3"]), |_| 0.into()),
        ("ids in words", json(["a-0 a-2", "a-1 a-3"]), |_| 0.into()),
        ("names of folders", json(["Fen; gull", "Moor Two; Tarn"]), |_| 0.into()),
        ("a number of the library", [serde_json::json!(4), serde_json::json!(9)], |n| [4, 9][n % 2].into()),
        ("a name of the library", json(["main", "other"]), |n| ["main", "other"][n % 2].into()),
        ("which one of them", json(["p", "p"]), |n| (n % 2).into()),
    ];
    for (what, more, of) in cases {
        let (_folder, site, top) = world_of(&names);
        let (home, root, second) =
            (top.join("home/.config/kite"), top.join("drives/swift/g"), top.join("drives/swift/h"));
        fs::create_dir_all(&second).unwrap();
        let mut list = Vec::new();
        for (nr, name) in names.iter().enumerate() {
            let mut one = entry(&top, name, nr);
            if nr % 2 == 1 {
                fs::rename(root.join(name), second.join(name)).unwrap();
                one["at"] = second.join(name).to_str().unwrap().into();
            }
            one["of"] = of(nr);
            list.push(one);
        }
        fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
        fs::write(home.join("shelves.json"), index([&root, &second], more)).unwrap();
        let learned = learn(&site, &[], &[], &|_| {});
        let doubt = &learned.launchers[0].doubt;
        // What refers to the library by more than one sign is kept true; one sign may be anything of so few games.
        if what.contains("a name of the library") {
            assert_eq!(*doubt, None, "{what}");
            assert!(learned.launchers[0].profile.contains("{library-id}"), "{what}");
            continue;
        }
        if what.contains("a number of the library") || what == "which one of them" {
            let asked = learned.launchers[0].questions.first().map(|question| question.about);
            assert_eq!((doubt, asked), (&None, Some(Known::Library)), "{what}");
            continue;
        }
        assert!(matches!(doubt, Some(Doubt::Counters(_) | Doubt::NotClear(_))), "{what}: {doubt:?}");
    }
    // Which game is where, by a folder that is neither above them nor a library.
    let (_folder, site, top) = world_of(&names);
    let home = top.join("home/.config/kite");
    let list: Vec<_> = names.iter().enumerate().map(|(nr, name)| entry(&top, name, nr)).collect();
    fs::write(home.join("list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    let above = top.join("drives/swift");
    fs::write(home.join("in.json"), serde_json::json!({"a-0": above, "a-1": above, "a-2": above}).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    assert!(learned.launchers[0].doubt.is_none(), "the top of a drive is no folder of games");
}

#[test]
fn files_that_lie_with_the_games_and_would_stay_behind_are_a_reason_not_to_learn() {
    let names = ["Fen", "Moor Two", "gull"].map(str::to_string);
    let learned = |deep: &str, write: &dyn Fn(&Path, &str)| {
        let (_folder, site, top) = world_of(&names);
        let (from, shelf) = (top.join("drives/swift/g"), top.join("drives/swift").join(deep));
        fs::create_dir_all(shelf.parent().unwrap()).unwrap();
        fs::rename(&from, &shelf).unwrap();
        let one = |(nr, name): (usize, &String)| serde_json::json!({"nr": format!("a-{nr}"), "called": name, "at": shelf.join(name)});
        let list: Vec<_> = names.iter().enumerate().map(one).collect();
        fs::write(top.join("home/.config/kite/list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
        for name in &names {
            write(&shelf, name);
        }
        learn(&site, &[], &[], &|_| {}).launchers[0].doubt.clone()
    };
    for deep in ["h", "far/below/all/of/it"] {
        assert_eq!(learned(deep, &|_, _| {}), None, "{deep}");
        let note = |shelf: &Path, name: &str, file: &str, bytes: &[u8]| {
            fs::create_dir_all(shelf.join("notes")).unwrap();
            fs::write(shelf.join("notes").join(file.replace('%', name)), bytes).unwrap();
        };
        let by_name = learned(deep, &|shelf, name| {
            note(shelf, name, "%.json", serde_json::json!({"in": name, "v": 1}).to_string().as_bytes());
        });
        assert_eq!(by_name, Some(Doubt::Beside), "{deep}");
        let binary = learned(deep, &|shelf, name| {
            note(
                shelf,
                name,
                "of %.bin",
                &[&[0, 1, 2, 7][..], shelf.join(name).as_os_str().as_encoded_bytes(), &[0, 9]].concat(),
            );
        });
        assert!(matches!(binary, Some(Doubt::Beside | Doubt::NotUnderstood(_))), "{deep}: {binary:?}");
        // What lists a game's files by its id is that game's, though it says no name.
        let sums = |which: &[usize]| {
            learned(deep, &|shelf, name| {
                let nr = names.iter().position(|other| other == name).unwrap();
                fs::write(shelf.join(name).join("data.pak"), name.repeat(50)).unwrap();
                if !which.contains(&nr) {
                    return;
                }
                let sum = |file: &str| blake3::hash(&fs::read(shelf.join(name).join(file)).unwrap()).to_hex();
                let text = format!("{}  start\n{}  data.pak\n", sum("start"), sum("data.pak"));
                note(shelf, name, &format!("a-{nr}.sums"), text.as_bytes());
            })
        };
        assert_eq!(sums(&[0, 1, 2]), Some(Doubt::Beside), "{deep}");
        assert_eq!(sums(&[0, 2]), Some(Doubt::Beside), "{deep}: two of three");
        assert_eq!(sums(&[1]), None, "{deep}: somebody's own");
        // What says nothing of a game may lie there.
        assert_eq!(learned(deep, &|shelf, name| note(shelf, name, "%.txt", b"read me")), None, "{deep}");
    }
}

#[test]
fn games_in_the_persons_own_folder_do_not_make_all_that_lies_there_theirs() {
    let names = ["Fen", "Moor Two"].map(str::to_string);
    let (_folder, site, top) = world_of(&names);
    let mut list = Vec::new();
    for (nr, name) in names.iter().enumerate() {
        fs::rename(top.join("drives/swift/g").join(name), top.join("home").join(name)).unwrap();
        list.push(serde_json::json!({"nr": format!("a-{nr}"), "called": name, "at": top.join("home").join(name)}));
    }
    fs::write(top.join("home/.config/kite/list.json"), serde_json::json!({"all": list}).to_string()).unwrap();
    fs::create_dir_all(top.join("home/.config/other")).unwrap();
    fs::write(top.join("home/.config/other/seen.json"), serde_json::json!({"name": "Fen"}).to_string()).unwrap();
    let learned = learn(&site, &[], &[], &|_| {});
    let kite = learned.launchers.iter().find(|one| one.name == "Kite").unwrap();
    assert_eq!(kite.doubt, None);
}
