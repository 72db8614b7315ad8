//! What others do at the same time, again and again: a program that rewrites its list, one that touches the originals, a list that comes to
//! lead to what is cleaned up; and a worker of ours that fails.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc;
use std::thread;
use std::time::Duration;

use deft_barge_core::bytes::HaulId;
use deft_barge_core::cleanup::find;
use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::{Control, Haul, release_haul, undo_haul};
use deft_barge_core::item::{FindingKind, Policy};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::plan_removal;
use deft_barge_core::survey::CleanupAct;
use deft_barge_core::survey::survey;

use crate::port::{Port, to_newhold, tree};
use crate::records::refused;
use crate::scenarios::{NONE, differing};

fn journal(port: &Port) -> Journal {
    Journal::open(&port.site()).unwrap().recover().unwrap().0
}

/// Does something every so often until it is dropped.
struct Again(Arc<AtomicBool>, Option<thread::JoinHandle<()>>);

impl Again {
    fn and_again(every: Duration, act: impl Fn() + Send + 'static) -> Self {
        let stop = Arc::new(AtomicBool::new(false));
        let asked = Arc::clone(&stop);
        let run = move || {
            while !asked.load(Ordering::SeqCst) {
                act();
                thread::sleep(every);
            }
        };
        Self(stop, Some(thread::spawn(run)))
    }
}

impl Drop for Again {
    fn drop(&mut self) {
        self.0.store(true, Ordering::SeqCst);
        let _ = self.1.take().map(thread::JoinHandle::join);
    }
}

#[test]
fn a_program_of_any_name_that_keeps_writing_its_old_list_never_costs_the_originals() {
    for file in [
        "home/.config/quillgate/rooms.json",
        "drives/swift/quillgate/ledger.json",
        "home/.config/quillgate/recent.json",
    ] {
        let port = Port::new();
        let whole = port.game(&port.old_place());
        let (at, old) = (port.at(file), fs::read(port.at(file)).unwrap());
        let writes = Again::and_again(Duration::from_millis(50), move || {
            let fresh = at.with_extension("theirs");
            fs::write(&fresh, &old).unwrap();
            fs::rename(fresh, &at).unwrap();
        });
        let result = port.haul(None, to_newhold(), Policy::Release);
        // Its list leads to the old place whenever it has just been written: that has to be whole. What is no list leads nowhere.
        if !file.ends_with("recent.json") {
            assert_eq!(differing(&port.game(&port.old_place()), &whole), NONE, "{file}: {:?}", result.err());
        }
        assert!(port.new_place().join("data/pack").exists() || port.old_place().join("data/pack").exists(), "{file}");
        drop(writes);
        let _ = fs::remove_file(port.at(file).with_extension("theirs"));
        // When it has ended, a resume updates what it wrote, and the haul comes to its end.
        let (site, books) = (port.site(), journal(&port));
        let mut haul = Haul::of(&site, &books, HaulId(1)).unwrap();
        haul.run(&|_| {}, &Control::default()).unwrap_or_else(|error| panic!("{file}: {error:?}"));
        if !port.content() {
            haul.lead_again(&|_| {}, &Control::default()).unwrap_or_else(|error| panic!("{file}: {error:?}"));
        }
        drop(books);
        assert!(port.content() && port.new_place().exists(), "{file}");
    }
}

#[test]
fn a_file_that_is_touched_without_an_end_is_copied_some_times_and_not_for_ever() {
    let port = Port::new();
    let file = port.old_place().join("data/pack");
    let copies = Arc::new(std::sync::atomic::AtomicUsize::new(0));
    let touched = file.clone();
    let touches = Again::and_again(Duration::from_millis(2), move || {
        let now = fs::File::options().append(true).open(&touched);
        let _ = now.and_then(|file| file.set_modified(std::time::SystemTime::now()));
    });
    let gate = Counts(file.clone(), Arc::clone(&copies));
    let result = port.haul(Some(port.site().disk.and_gate(Arc::new(gate))), to_newhold(), Policy::Hold);
    let opened = copies.load(Ordering::SeqCst);
    assert!(opened <= 16, "opened {opened} times: {result:?}");
    drop(touches);
    if result.is_err() {
        assert!(port.content() && port.resume().unwrap());
    }
    assert!(port.content() && port.new_place().exists());
}

/// Counts how often a file is opened.
#[derive(Debug)]
struct Counts(PathBuf, Arc<std::sync::atomic::AtomicUsize>);

impl Gate for Counts {
    fn before(&self, act: &Act<'_>) -> std::io::Result<()> {
        if matches!(act, Act::OpenRead(path) if **path == *self.0) {
            self.1.fetch_add(1, Ordering::SeqCst);
        }
        Ok(())
    }
}

/// Panics at the n-th read.
#[derive(Debug)]
struct Panics(std::sync::atomic::AtomicUsize);

impl Gate for Panics {
    fn before(&self, act: &Act<'_>) -> std::io::Result<()> {
        assert!(!matches!(act, Act::Read { .. }) || self.0.fetch_sub(1, Ordering::SeqCst) != 0, "a fault of ours");
        Ok(())
    }
}

#[test]
fn a_worker_that_panics_ends_the_haul_with_an_error_and_never_hangs_it() {
    for nth in [0, 1, 4, 8] {
        let (tell, told) = mpsc::channel();
        thread::spawn(move || {
            let port = Port::new();
            let gate = Panics(nth.into());
            let ended = port.haul(Some(port.site().disk.and_gate(Arc::new(gate))), to_newhold(), Policy::Release);
            tell.send((ended.map(drop).is_err(), port)).unwrap();
        });
        let (failed, port) = told.recv_timeout(Duration::from_mins(1)).expect("it hangs");
        assert!(failed && port.content(), "read {nth}");
        assert!(port.resume().unwrap() && port.content() && !port.old_place().exists(), "read {nth}");
    }
}

/// Copies files and folders, with their times; links as well.
fn copy_all(from: &Path, to: &Path) {
    fs::create_dir(to).unwrap();
    for entry in fs::read_dir(from).unwrap().flatten() {
        let (path, at) = (entry.path(), to.join(entry.file_name()));
        let kind = entry.file_type().unwrap();
        if kind.is_dir() {
            copy_all(&path, &at);
        } else if kind.is_symlink() {
            std::os::unix::fs::symlink(fs::read_link(&path).unwrap(), at).unwrap();
        } else {
            fs::copy(&path, &at).unwrap();
        }
    }
}

#[test]
fn an_old_copy_that_some_launchers_records_lead_to_is_not_cleaned_up() {
    for late in [false, true] {
        let port = Port::on_disk();
        let again = port.new_place();
        fs::create_dir_all(again.parent().unwrap()).unwrap();
        copy_all(&port.old_place(), &again);
        let whole = tree(&again);
        // Another launcher of this person plays it from there.
        let knows = || {
            port.second_launcher("newhold");
            let entry =
                serde_json::json!({"id": "g1", "name": "Regatta", "folder": "regatta", "bytes": 1, "start": "bin/go"});
            let ledger = serde_json::json!({"ledger": 3, "titles": [entry]});
            port.write("drives/newhold/quillgate/ledger.json", ledger.to_string().as_bytes());
        };
        if !late {
            knows();
        }
        let site = port.site();
        let seen = survey(&site, Vec::new(), &|_| {});
        let lying = find(&site, &seen, &History::default(), &|_| {});
        let old = lying.iter().find(|lying| lying.path == again);
        if !late {
            let acts = old.map(|old| old.acts.clone()).unwrap_or_default();
            assert!(!acts.contains(&CleanupAct::Release) && !acts.contains(&CleanupAct::Quarantine), "{acts:?}");
            continue;
        }
        // Planned while nobody knew of it, and let go of when somebody does.
        for act in [CleanupAct::Release, CleanupAct::Quarantine] {
            let _ = fs::remove_dir_all(port.at("home/.config/second"));
            let old = old.unwrap_or_else(|| {
                panic!(
                    "{lying:#?} {:?} {:?}",
                    seen.games
                        .iter()
                        .map(|g| (g.found.title.clone(), g.found.install.clone(), g.fault().cloned(), g.size))
                        .collect::<Vec<_>>(),
                    tree(&port.at("drives")).into_keys().collect::<Vec<_>>()
                )
            });
            if !old.acts.contains(&act) {
                continue;
            }
            let plan = plan_removal(&site, &seen, old, act);
            let books = journal(&port);
            let mut haul = Haul::begin(&site, &books, &plan).unwrap_or_else(|error| panic!("{act:?}: {error:?}"));
            let id = haul.id();
            haul.run(&|_| {}, &Control::default()).unwrap();
            knows();
            if act == CleanupAct::Quarantine {
                // It has another name until its release: what is listed is the place where it was.
                let _ = undo_haul(&site, &books, id, &|_| {}, &Control::default()).unwrap();
            } else {
                let listed = |kind: &FindingKind| matches!(kind, FindingKind::StillListed { .. });
                let said = release_haul(&site, &books, id, &|_| {}, &Control::default());
                assert!(refused(said, listed), "{act:?}");
                let _ = undo_haul(&site, &books, id, &|_| {}, &Control::default()).unwrap();
            }
            assert_eq!(tree(&again), whole, "{act:?}");
        }
    }
}

#[test]
fn an_install_folder_below_the_library_goes_where_its_template_says() {
    let port = Port::new();
    let profile = port.at("home/.config/deft-barge/profiles/quillgate.toml");
    let text = fs::read_to_string(&profile).unwrap();
    fs::write(&profile, text.replace("install = \"{library}/{folder}\"", "install = \"{library}/hold/{folder}\""))
        .unwrap();
    let held = port.at("drives/swift/quillgate/hold/regatta");
    fs::create_dir_all(held.parent().unwrap()).unwrap();
    fs::rename(port.old_place(), &held).unwrap();
    fs::remove_file(held.join("inward")).unwrap();
    for (file, from, to) in [
        ("home/.config/quillgate/recent.json", "/quillgate/regatta", "/quillgate/hold/regatta"),
        ("drives/swift/quillgate/hold/regatta/own.ini", "/quillgate/regatta", "/quillgate/hold/regatta"),
    ] {
        let text = fs::read_to_string(port.at(file)).unwrap();
        fs::write(port.at(file), text.replace(from, to)).unwrap();
    }
    let db = rusqlite::Connection::open(port.launcher().join("played.db")).unwrap();
    db.execute("update played set at = replace(at, '/quillgate/', '/quillgate/hold/')", []).unwrap();
    drop(db);
    let game = || {
        let mut game = port.game(&held);
        // Written anew on its way back.
        game.remove(std::path::Path::new("own.ini"));
        game
    };
    let whole = game();
    for policy in [Policy::Hold, Policy::Release] {
        let end = port.haul(None, to_newhold(), policy).unwrap();
        let item = &end.items[0];
        assert_eq!(item.planned.to, port.at("drives/newhold/quillgate/hold/regatta"));
        assert!(item.proof.as_ref().is_some_and(|proof| proof.holds() && proof.records_lead_here), "{:?}", item.proof);
        let books = journal(&port);
        undo_haul(&port.site(), &books, item.haul, &|_| {}, &Control::default()).unwrap();
        assert_eq!(differing(&game(), &whole), NONE, "{policy:?}");
    }
}

#[test]
fn a_database_with_a_collation_that_is_unknown_here_is_a_finding_or_comes_back_as_it_was() {
    let port = Port::new();
    let file = port.launcher().join("played.db");
    let db = rusqlite::Connection::open(&file).unwrap();
    db.execute_batch(
        "create table seen(id text primary key, at text collate nocase);
         create index by_place on seen(at);
         insert into seen select id, at from played;
         pragma writable_schema = on;
         update sqlite_schema set sql = replace(sql, 'collate nocase', 'collate harbour') where name = 'seen';",
    )
    .unwrap();
    drop(db);
    let profile = port.at("home/.config/deft-barge/profiles/quillgate.toml");
    let more = "\n[[records]]\nfile = \"{home}/played.db\"\nselector = \"$.seen['{id}'].at\"\nmeaning = \"{install}/{tail}\"\n\n[contents]";
    let text = fs::read_to_string(&profile).unwrap().replacen("\n[contents]", more, 1);
    fs::write(&profile, text).unwrap();
    let before = fs::read(&file).unwrap();
    let site = port.site();
    let plan = port.plan(&site, to_newhold(), Policy::Hold);
    if plan.blocked() {
        let told = plan.findings.iter().any(|finding| matches!(finding.kind, FindingKind::RecordsUnchangeable { .. }));
        assert!(told, "{:?}", plan.findings);
    } else {
        port.haul(None, to_newhold(), Policy::Hold).unwrap();
        undo_haul(&site, &journal(&port), HaulId(1), &|_| {}, &Control::default()).unwrap();
    }
    assert!(port.content());
    assert_eq!(fs::read(&file).unwrap(), before);
}

#[test]
fn a_launchers_own_folder_and_ours_are_no_games_by_whatever_entrance() {
    use deft_barge_core::launcher::PlaceFault;
    use deft_barge_core::plan::{Import, plan_import};
    use deft_barge_core::survey::{CleanupFind, FindKind};
    let port = Port::new();
    // By its list.
    let rooms = serde_json::json!({"rooms": [{"folder": port.at("drives/swift/quillgate")}, {"folder": port.at("home/.config")}]});
    port.write("home/.config/quillgate/rooms.json", rooms.to_string().as_bytes());
    let title =
        |id: &str, folder: &str| serde_json::json!({"id": id, "name": id, "folder": folder, "bytes": 1, "start": "go"});
    let ledger = serde_json::json!({"ledger": 3, "titles": [title("own", "quillgate"), title("ours", "deft-barge"), title("deep", "deft-barge/profiles")]});
    port.write("home/.config/ledger.json", ledger.to_string().as_bytes());
    let site = port.site();
    let seen = survey(&site, Vec::new(), &|_| {});
    let fault = |id: &str| seen.games.iter().find(|game| game.found.id == id).and_then(|game| game.fault().cloned());
    assert_eq!(fault("own"), Some(PlaceFault::Launcher));
    assert_eq!((fault("ours"), fault("deep")), (Some(PlaceFault::Ours), Some(PlaceFault::Ours)));
    // By adopting, and by cleaning up.
    let bad = |kind: &FindingKind| matches!(kind, FindingKind::BadPlace { fault: PlaceFault::Ours, .. });
    for place in [site.profile_folder(), site.state_folder()] {
        fs::create_dir_all(&place).unwrap();
        let adoption = Import {
            path: place.clone(),
            launcher: "quillgate".into(),
            id: "new".into(),
            title: None,
            program: None,
            to: None,
        };
        let plan = plan_import(&site, &seen, &adoption);
        assert!(plan.findings.iter().any(|finding| bad(&finding.kind)), "{:?}", plan.findings);
        let what = FindKind::Unlisted { programs: 1, packs: 0, fits: None };
        let lying = CleanupFind {
            path: place,
            drive: None,
            size: deft_barge_core::checksums::Size::default(),
            what,
            acts: vec![CleanupAct::Quarantine],
        };
        let plan = plan_removal(&site, &seen, &lying, CleanupAct::Quarantine);
        assert!(plan.findings.iter().any(|finding| bad(&finding.kind)), "{:?}", plan.findings);
    }
}

#[test]
fn a_link_keeps_its_owner_and_another_owner_is_a_difference() {
    use std::os::unix::fs::{MetadataExt, lchown};
    let port = Port::new();
    let link = port.old_place().join("link");
    if lchown(&link, Some(12_345), Some(54_321)).is_err() {
        eprintln!("\n!!! NOT RUN: the test of owners needs root !!!\n");
        assert!(std::env::var_os("CI").is_none(), "this test has to run under CI");
        return;
    }
    port.haul(None, to_newhold(), Policy::Hold).unwrap();
    let copy = port.new_place().join("link");
    let owner = |path: &Path| path.symlink_metadata().map(|meta| (meta.uid(), meta.gid())).unwrap();
    assert_eq!(owner(&copy), (12_345, 54_321));
    lchown(&copy, Some(0), Some(0)).unwrap();
    let (site, books) = (port.site(), journal(&port));
    let items = books.haul(HaulId(1)).unwrap().unwrap().items;
    let proofs = deft_barge_core::haul::prove_haul(&site, &books, &items, &|_| {}, &Control::default()).unwrap();
    assert_eq!(proofs[0].1.differ, 1, "{:?}", proofs[0].1);
    undo_haul(&site, &books, HaulId(1), &|_| {}, &Control::default()).unwrap();
    assert_eq!(owner(&link), (12_345, 54_321));
}

/// Takes a drive away just before the n-th act, as somebody who pulls it: an empty folder is where it was.
#[derive(Debug)]
struct Pulls {
    nth: usize,
    seen: std::sync::atomic::AtomicUsize,
    drive: PathBuf,
    away: PathBuf,
}

impl Gate for Pulls {
    fn before(&self, _: &Act<'_>) -> std::io::Result<()> {
        if self.seen.fetch_add(1, Ordering::SeqCst) == self.nth {
            fs::rename(&self.drive, &self.away)?;
            fs::create_dir(&self.drive)?;
        }
        Ok(())
    }
}

/// A drive goes at any act of a haul that releases, and of an undo; it comes back, and all of it comes to its end.
#[test]
fn a_drive_that_is_pulled_at_any_act_costs_nothing_and_the_haul_goes_on_when_it_is_back() {
    let samples = if crate::acts::every_fault() { 200 } else { 12 };
    for drive in ["swift", "newhold"] {
        for undoes in [false, true] {
            let mut acts = None;
            for sample in 0..=samples {
                let port = Port::new();
                let whole = port.game(&port.old_place());
                if undoes {
                    port.haul(None, to_newhold(), Policy::Hold).unwrap();
                }
                // The first run tells how many acts there are.
                let nth = acts.map_or(usize::MAX, |acts: usize| (acts - 1) * (sample - 1) / (samples - 1));
                let (at, away) = (port.at(&format!("drives/{drive}")), port.at(&format!("away-{drive}")));
                let pulls = Arc::new(Pulls { nth, seen: 0.into(), drive: at.clone(), away: away.clone() });
                let mut site = port.site();
                site.disk = site.disk.and_gate(Arc::clone(&pulls) as Arc<dyn Gate>);
                let when = format!("{drive} pulled at act {nth}, undo {undoes}");
                let said = if undoes {
                    undo_haul(&site, &journal(&port), HaulId(1), &|_| {}, &Control::default()).map(drop)
                } else {
                    let plan = port.plan(&port.site(), to_newhold(), Policy::Release);
                    let books = journal(&port);
                    Haul::begin(&site, &books, &plan)
                        .and_then(|mut haul| haul.run(&|_| {}, &Control::default()))
                        .map(drop)
                };
                if acts.is_none() {
                    said.unwrap_or_else(|error| panic!("{when}: {error:?}"));
                    acts = Some(pulls.seen.load(Ordering::SeqCst));
                    continue;
                }
                if away.exists() {
                    let made = tree(&at).into_keys().filter(|path| at.join(path).is_file()).collect::<Vec<_>>();
                    assert!(made.is_empty(), "{when}: {made:?} where the drive was");
                    fs::remove_dir_all(&at).unwrap();
                    fs::rename(&away, &at).unwrap();
                }
                let newest = || History::of(&port.site()).unwrap().hauls.first().cloned();
                if newest().is_some_and(|haul| haul.unfinished()) {
                    assert!(
                        port.resume().unwrap_or_else(|error| panic!("{when}, after {said:?}: {error:?}")),
                        "{when}"
                    );
                }
                assert!(port.content(), "{when}, after {said:?}");
                let here = if port.old_place().exists() { port.old_place() } else { port.new_place() };
                assert_eq!(differing(&port.game(&here), &whole), NONE, "{when}, after {said:?}");
                assert_eq!(port.litter(), Vec::<PathBuf>::new(), "{when}, after {said:?}");
            }
        }
    }
}
