//! Acts that fail, a program that ends and a power that is cut, at every kind of act: a whole copy is left, the records lead to it, and
//! what was begun is ended or taken back to the byte.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::mem::discriminant;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;
use deft_barge_windows::facts;

use crate::world::{Kept, Tree, declared, fill, text, tree};

/// The launcher: its list in the registry, of which it keeps a copy in a file.
const PROFILE: &str = r#"
format = 1
id = "heron"
name = "Heron"
home = ["{data}/heron"]

[games]
file = "{registry}/HKEY_CURRENT_USER/Software/@@"
entries = "$[?@.Id]"
id = "$.Id"
title = "$.Id"
place = "{drive}/games"
install = "{install}"

[[games.records]]
selector = "$.Folder"
meaning = "{install}"

[[records]]
file = "{home}/starts.json"
selector = "$.starts[?@.id == '{id}'].program"
meaning = "{install}/{tail}"
"#;

struct Port {
    top: PathBuf,
    kept: Kept,
    _folder: tempfile::TempDir,
}

impl Port {
    fn new() -> Self {
        let (folder, top) = declared(&["swift", "newhold"]);
        let name = top.file_name().unwrap().to_string_lossy().into_owned();
        let port = Self { kept: Kept::of("Heron", &top), top, _folder: folder };
        let game = port.old_place();
        fill(&game, &[("bin/go.exe", 900), ("data/a.pak", 300_000), ("data/more/b.pak", 5000), ("empty", 0)]);
        let locked = game.join("data").join("a.pak");
        let mut rights = fs::metadata(&locked).unwrap().permissions();
        rights.set_readonly(true);
        fs::set_permissions(&locked, rights).unwrap();
        port.kept.set("\\fen", "Id", 1, "fen");
        port.kept.set("\\fen", "Folder", 1, game.to_str().unwrap());
        let own = port.at(&["home", "AppData", "Local", "heron"]);
        fs::create_dir_all(&own).unwrap();
        let program = serde_json::Value::from(game.join("bin").join("go.exe").to_str().unwrap());
        fs::write(own.join("starts.json"), format!("{{\"starts\": [{{\"id\": \"fen\", \"program\": {program}}}]}}\n"))
            .unwrap();
        let profiles = port.site().profile_folder();
        fs::create_dir_all(&profiles).unwrap();
        fs::write(profiles.join("heron.toml"), PROFILE.replace("@@", &format!("Heron {name}"))).unwrap();
        port
    }

    fn at(&self, names: &[&str]) -> PathBuf {
        names.iter().fold(self.top.clone(), |at, name| at.join(name))
    }

    fn old_place(&self) -> PathBuf {
        self.at(&["drives", "swift", "games", "fen"])
    }

    fn new_place(&self) -> PathBuf {
        self.at(&["drives", "newhold", "games", "fen"])
    }

    fn site(&self) -> Site {
        Site::of_world(&self.top).unwrap()
    }

    fn gated(&self, gate: Arc<dyn Gate>) -> Site {
        let site = self.site();
        Site { disk: site.disk.clone().and_gate(gate), ..site }
    }

    /// What the registry says of the game, and the file.
    fn says(&self) -> (PathBuf, PathBuf) {
        let keys = self.kept.all();
        let fen = keys.iter().find(|key| key.below == "fen").unwrap();
        let folder = text(fen.values.iter().find(|value| value.name == "Folder").unwrap()).into();
        let starts = fs::read_to_string(self.at(&["home", "AppData", "Local", "heron", "starts.json"])).unwrap();
        let list: serde_json::Value = serde_json::from_str(&starts).unwrap();
        (folder, list["starts"][0]["program"].as_str().unwrap().into())
    }

    /// Hauls the game, whole.
    fn haul(&self, site: &Site) -> Result<(), String> {
        let found = survey(site, Vec::new(), &|_| {});
        let mut draft = Draft::default();
        for game in &found.games {
            draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        }
        let plan = plan_of(site, &found, &draft, Policy::Hold);
        assert!(!plan.blocked() && plan.items.len() == 1, "{:?}", plan.findings);
        let journal = Journal::open(site).unwrap().recover().unwrap().0;
        let mut haul = Haul::begin(site, &journal, &plan).map_err(|error| error.to_string())?;
        let end = haul.run(&|_| {}, &Control::default()).map_err(|error| error.to_string())?;
        if end.differs() { Err(format!("{end:?}")) } else { Ok(()) }
    }

    /// Goes on with what was begun, or takes it back.
    fn recover(&self, goes_on: bool) {
        let site = self.site();
        let (journal, unfinished) = Journal::open(&site).unwrap().recover().unwrap();
        let Some(row) = unfinished else { return };
        if goes_on {
            Haul::of(&site, &journal, row.id).unwrap().run(&|_| {}, &Control::default()).unwrap();
        } else {
            undo_haul(&site, &journal, row.id, &|_| {}, &Control::default()).unwrap();
        }
    }

    /// The game is whole where its records lead, and nothing of ours lies about.
    fn check(&self, game: &Tree, when: &str) -> bool {
        let (folder, program) = self.says();
        assert!(program.starts_with(&folder) && program.is_file(), "{when}: {folder:?}, {program:?}");
        assert_eq!(tree(&folder), *game, "{when}: a byte differs");
        assert!(fs::metadata(folder.join("data").join("a.pak")).unwrap().permissions().readonly(), "{when}");
        for drive in ["swift", "newhold"] {
            let litter: Vec<PathBuf> = tree(&self.at(&["drives", drive])).into_keys().collect();
            let ours = litter.iter().find(|path| path.to_string_lossy().contains(".deft-barge"));
            assert_eq!(ours, None, "{when}");
        }
        folder == self.new_place()
    }
}

/// What happens at the n-th act, and afterwards.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Fault {
    /// That act fails, and no other.
    Fails,
    /// The program has ended: nothing happens any more.
    Ends,
    /// The power is cut as well: of what was not flushed the names are left, as a file system keeps them that writes them down first, and
    /// zeros in place of the bytes.
    PowerGoes,
}

#[derive(Debug)]
struct Faulty {
    fault: Fault,
    at: usize,
    seen: Mutex<Seen>,
}

#[derive(Debug, Default)]
struct Seen {
    acts: usize,
    met: bool,
    /// Bytes that are on the drive, by the number of their file.
    durable: HashMap<u64, Vec<u8>>,
}

fn number(path: &Path) -> Option<u64> {
    facts(&fs::File::open(path).ok()?).ok().map(|facts| facts.id)
}

impl Faulty {
    fn new(fault: Fault, at: usize) -> Arc<Self> {
        Arc::new(Self { fault, at, seen: Mutex::default() })
    }

    fn remember_all(&self, below: &Path) {
        let mut seen = self.seen.lock().unwrap();
        for path in tree(below).into_keys().map(|path| below.join(path)).filter(|path| path.is_file()) {
            let bytes = fs::read(&path).unwrap();
            seen.durable.extend(number(&path).map(|number| (number, bytes)));
        }
    }

    /// What is on the drive once the power is back.
    fn fall_back(&self, below: &Path) {
        let seen = self.seen.lock().unwrap();
        for path in tree(below).into_keys().map(|path| below.join(path)).filter(|path| path.is_file()) {
            let Some(number) = number(&path) else { continue };
            let now = fs::read(&path).unwrap();
            let then = seen.durable.get(&number).cloned().unwrap_or_else(|| vec![0; now.len()]);
            if then != now {
                let mut rights = fs::metadata(&path).unwrap().permissions();
                #[expect(clippy::permissions_set_readonly_false, reason = "it is put back")]
                rights.set_readonly(false);
                let before = fs::metadata(&path).unwrap().permissions();
                fs::set_permissions(&path, rights).unwrap();
                fs::write(&path, then).unwrap();
                fs::set_permissions(&path, before).unwrap();
            }
        }
    }
}

impl Gate for Faulty {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let mut seen = self.seen.lock().unwrap();
        if act.only_reads() {
            return if seen.met && self.fault != Fault::Fails {
                Err(io::Error::from_raw_os_error(1117))
            } else {
                Ok(())
            };
        }
        let now = seen.acts == self.at;
        seen.acts += 1;
        seen.met |= now;
        if now || (seen.met && self.fault != Fault::Fails) { Err(io::Error::from_raw_os_error(1117)) } else { Ok(()) }
    }

    fn after(&self, act: &Act<'_>) {
        if let Act::Flush(path) = act
            && let (Some(number), Ok(bytes)) = (number(path), fs::read(path))
        {
            self.seen.lock().unwrap().durable.insert(number, bytes);
        }
        if let Act::FlushDrive(path) = act {
            panic!("no whole drive is flushed here: {}", path.display());
        }
    }
}

/// Counts the acts that change something, by kind.
#[derive(Debug, Default)]
struct Counting(Mutex<Vec<std::mem::Discriminant<Act<'static>>>>);

impl Gate for Counting {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        if !act.only_reads() {
            self.0.lock().unwrap().push(kind(act));
        }
        Ok(())
    }
}

/// The kind of an act, whatever it is done to.
fn kind(act: &Act<'_>) -> std::mem::Discriminant<Act<'static>> {
    let path = Path::new("");
    discriminant(&match act {
        Act::Create(_) => Act::Create(path),
        Act::OpenWrite(_) => Act::OpenWrite(path),
        Act::Write { .. } => Act::Write { path, offset: 0, len: 0 },
        Act::SetLen { .. } => Act::SetLen { path, len: 0 },
        Act::Flush(_) => Act::Flush(path),
        Act::FlushFolder(_) => Act::FlushFolder(path),
        Act::Meta(_) => Act::Meta(path),
        Act::MakeFolder(_) => Act::MakeFolder(path),
        Act::Rename { .. } => Act::Rename { from: path, to: path },
        Act::Replace { .. } => Act::Replace { from: path, to: path },
        Act::Commit(_) => Act::Commit(path),
        _ => Act::Look(path),
    })
}

/// Numbers of the acts to try: of each kind the first, the middle and the last, or all.
fn chosen() -> Vec<usize> {
    let port = Port::new();
    let counting = Arc::new(Counting::default());
    port.haul(&port.gated(counting.clone())).unwrap();
    let kinds = counting.0.lock().unwrap().clone();
    if std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some() {
        return (0..kinds.len()).collect();
    }
    let mut of_kind: HashMap<_, Vec<usize>> = HashMap::new();
    kinds.into_iter().enumerate().for_each(|(n, kind)| of_kind.entry(kind).or_default().push(n));
    assert!(of_kind.len() >= 6, "{of_kind:?}");
    let some = |all: &Vec<usize>| [all[0], all[all.len() / 2], all[all.len() - 1]];
    let mut chosen: Vec<usize> = of_kind.values().flat_map(some).collect();
    chosen.sort_unstable();
    chosen.dedup();
    chosen
}

fn meets(fault: Fault) {
    let (mut met, mut forward) = (0, 0);
    for n in chosen() {
        for goes_on in [true, false] {
            let port = Port::new();
            let game = tree(&port.old_place());
            let when = format!("{fault:?} at act {n}, goes on: {goes_on}");
            let gate = Faulty::new(fault, n);
            gate.remember_all(&port.at(&["drives"]));
            let failed = port.haul(&port.gated(gate.clone())).is_err();
            if fault == Fault::PowerGoes {
                gate.fall_back(&port.at(&["drives"]));
            }
            let whole = [port.old_place(), port.new_place()].iter().any(|place| tree(place) == game);
            assert!(whole, "{when}: no whole copy");
            met += usize::from(failed);
            if failed {
                port.recover(goes_on);
            }
            let is_new = port.check(&game, &when);
            assert!(!failed || is_new == goes_on || !port.new_place().exists(), "{when}");
            forward += usize::from(failed && is_new);
        }
    }
    println!("{fault:?}: {met} met, {forward} went on");
    assert!(met > 10, "{met} met");
}

#[test]
fn an_act_that_fails_leaves_a_whole_copy_and_the_haul_can_be_ended_or_taken_back() {
    meets(Fault::Fails);
}

#[test]
fn a_program_that_ends_at_any_act_leaves_a_whole_copy_and_the_haul_can_be_ended_or_taken_back() {
    meets(Fault::Ends);
}

#[test]
fn a_power_cut_at_any_act_leaves_a_whole_copy_and_the_haul_can_be_ended_or_taken_back() {
    meets(Fault::PowerGoes);
}

#[test]
fn the_stand_in_for_power_loses_what_was_not_flushed() {
    let port = Port::new();
    let gate = Faulty::new(Fault::PowerGoes, usize::MAX);
    gate.remember_all(&port.at(&["drives"]));
    let disk = port.site().disk.and_gate(gate.clone());
    let at = |name: &str| port.at(&["drives", "newhold", name]);
    for (name, flushed) in [("kept", true), ("hollow", false)] {
        let file = disk.create(&at(name)).unwrap();
        disk.write_at(&file, b"abc", 0).unwrap();
        if flushed {
            disk.flush(&file).unwrap();
        }
    }
    gate.fall_back(&port.at(&["drives"]));
    assert_eq!(fs::read(at("kept")).unwrap(), b"abc");
    assert_eq!(fs::read(at("hollow")).unwrap(), [0; 3]);
}
