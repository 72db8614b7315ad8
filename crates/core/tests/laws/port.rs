//! A small port: two declared drives, a stand-in launcher, one game that has a file of every kind.

use std::cell::Cell;
use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::path::{Path, PathBuf};
use std::sync::LazyLock;
use std::time::{Duration, UNIX_EPOCH};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::Disk;
use deft_barge_core::haul::{Control, Haul, HaulEnd, HaulError, HaulEvent, undo_haul};
use deft_barge_core::item::{Policy, StageKind};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::learn::{LearnedLauncher, learn};
use deft_barge_core::plan::{Destination, Draft, Plan, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{GameId, Survey, survey};
use sha1::{Digest, Sha1};

pub struct Port {
    pub folder: tempfile::TempDir,
    state: tempfile::TempDir,
}

/// Whether the system's folder in memory has room for some dozens of ports.
static ROOM_IN_MEMORY: LazyLock<bool> = LazyLock::new(|| {
    let output = std::process::Command::new("df").args(["--output=avail", "-B1", "/dev/shm"]).output();
    let text = output.map(|output| String::from_utf8_lossy(&output.stdout).into_owned()).unwrap_or_default();
    text.lines().nth(1).and_then(|line| line.trim().parse::<u64>().ok()).is_some_and(|free| free > 1_000_000_000)
});

/// A folder in memory where that is to be had: these tests flush some hundred thousand times, and prove nothing about devices.
pub fn folder_in_memory() -> tempfile::TempDir {
    if *ROOM_IN_MEMORY { tempfile::tempdir_in("/dev/shm") } else { tempfile::tempdir() }.unwrap()
}

/// Declares a world with drives of these names, all of them there, and a home.
pub fn declare(top: &Path, drives: &[&str]) {
    let mut text = String::from("format = 1\nseed = 1\nhome = \"home\"\n");
    for (nth, name) in drives.iter().enumerate() {
        let tag = nth + 1;
        text.push_str(&format!(
            "[[drives]]\ntag = {tag}\nname = \"{name}\"\nroot = \"drives/{name}\"\ncapacity = 900000000\nkind = \"ssd\"\nfile-system = \"ext4\"\n"
        ));
        fs::create_dir_all(top.join("drives").join(name)).unwrap();
    }
    fs::create_dir_all(top.join("home")).unwrap();
    fs::write(top.join("world.toml"), text).unwrap();
}

/// Hauls the games in these folders to a drive, whole; `told` is what a failure says.
pub fn haul_folders(site: &Site, journal: &Journal, folders: &[PathBuf], to: &str, told: &str) -> HaulId {
    let found = survey(site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    for folder in folders {
        let game = found.games.iter().find(|game| game.found.install == *folder);
        let game = game.unwrap_or_else(|| panic!("{} is no game: {told}", folder.display()));
        draft.send(game.id.clone(), Destination::Drive(to.into()));
    }
    let plan = plan(site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked(), "{:?}\n{told}", plan.findings);
    let mut haul = Haul::begin(site, journal, &plan).unwrap();
    let id = haul.id();
    haul.run(&|_| {}, &Control::default()).unwrap();
    id
}

/// What a tree holds: kind, bytes, permissions and time of every name.
pub type Tree = BTreeMap<PathBuf, (u32, i64, i64, Vec<u8>)>;

pub fn tree(root: &Path) -> Tree {
    let mut out = Tree::new();
    let mut waiting = vec![root.to_path_buf()];
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let meta = path.symlink_metadata().unwrap();
            let bytes = if meta.is_symlink() {
                fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes()
            } else if meta.is_dir() {
                waiting.push(path.clone());
                Vec::new()
            } else {
                fs::read(&path).unwrap()
            };
            // A folder's time changes when a name in it goes; only what a game reads is compared.
            let time = if meta.is_dir() { (0, 0) } else { (meta.mtime(), meta.mtime_nsec()) };
            out.insert(path.strip_prefix(root).unwrap().to_path_buf(), (meta.mode(), time.0, time.1, bytes));
        }
    }
    out
}

impl Port {
    pub fn new() -> Self {
        let port = Self { folder: folder_in_memory(), state: folder_in_memory() };
        port.build();
        port
    }

    /// A port outside of memory: what lies about is not looked for in the system's own folders.
    pub fn on_disk() -> Self {
        let folder = || tempfile::tempdir_in("/var/tmp").unwrap();
        let port = Self { folder: folder(), state: folder() };
        port.build();
        port
    }

    pub fn at(&self, path: &str) -> PathBuf {
        self.folder.path().canonicalize().unwrap().join(path)
    }

    pub fn old_place(&self) -> PathBuf {
        self.at("drives/swift/quillgate/regatta")
    }

    pub fn new_place(&self) -> PathBuf {
        self.at("drives/newhold/quillgate/regatta")
    }

    pub fn launcher(&self) -> PathBuf {
        self.at("home/.config/quillgate")
    }

    /// Another launcher of the same kind, with its one library on a drive.
    pub fn second_launcher(&self, drive: &str) {
        let profile = fs::read_to_string(self.at("home/.config/deft-barge/profiles/quillgate.toml")).unwrap();
        let profile = profile
            .replacen("id = \"quillgate\"", "id = \"second\"", 1)
            .replace(".config/quillgate", ".config/second")
            .replace("{config}/quillgate", "{config}/second");
        self.write("home/.config/deft-barge/profiles/second.toml", profile.as_bytes());
        let rooms = serde_json::json!({"rooms": [{"folder": self.at("drives").join(drive).join("quillgate")}]});
        fs::create_dir_all(self.at("home/.config/second")).unwrap();
        self.write("home/.config/second/rooms.json", rooms.to_string().as_bytes());
    }

    pub fn write(&self, path: &str, bytes: &[u8]) {
        let at = self.at(path);
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(&at, bytes).unwrap();
        let time = UNIX_EPOCH + Duration::new(1_750_000_000, 123_456_789);
        fs::File::options().write(true).open(&at).unwrap().set_modified(time).unwrap();
    }

    fn build(&self) {
        let game = "drives/swift/quillgate/regatta";
        // More than a block, and made once.
        static BIG: LazyLock<Vec<u8>> = LazyLock::new(|| (0..4_300_000_u32).map(|n| (n / 7 % 253) as u8).collect());
        let files: [(&str, &[u8]); 5] = [
            ("bin/go", b"#!/bin/sh\n"),
            ("data/pack", &BIG),
            ("data/small", b"seven"),
            ("empty", b""),
            ("data/ä 日", b"x"),
        ];
        let mut parts = Vec::new();
        for (path, bytes) in files {
            self.write(&format!("{game}/{path}"), bytes);
            let hash: String = Sha1::digest(bytes).iter().map(|b| format!("{b:02x}")).collect();
            parts.push(serde_json::json!({"path": path, "size": bytes.len(), "sha1": hash}));
        }
        let root = self.at(game);
        fs::set_permissions(root.join("bin/go"), fs::Permissions::from_mode(0o755)).unwrap();
        fs::hard_link(root.join("data/small"), root.join("data/twin")).unwrap();
        fs::write(root.join(OsStr::from_bytes(b"odd\xff")), "o").unwrap();
        let hole = fs::File::create(root.join("hole")).unwrap();
        hole.set_len(300_000).unwrap();
        // Records of other kinds: in the game's own folder, and in a database.
        self.write(&format!("{game}/own.ini"), format!("[g]\nat = {}\n", root.display()).as_bytes());
        fs::create_dir_all(self.launcher()).unwrap();
        let db = rusqlite::Connection::open(self.launcher().join("played.db")).unwrap();
        db.execute_batch("create table played(id text primary key, at text)").unwrap();
        let program = root.join("bin/go").to_string_lossy().into_owned();
        db.execute("insert into played values('g1', ?1)", [program]).unwrap();
        drop(db);
        symlink("data/pack", root.join("link")).unwrap();
        symlink(root.join("data"), root.join("inward")).unwrap();
        fs::create_dir_all(root.join("mods/none")).unwrap();
        let text = |value: serde_json::Value| serde_json::to_string_pretty(&value).unwrap() + "\n";
        let entry = serde_json::json!({"id": "g1", "name": "Regatta", "folder": "regatta", "bytes": 4_700_000, "start": "bin/go"});
        let other = serde_json::json!({"id": "g2", "name": "Other", "folder": "other", "bytes": 1, "start": "go"});
        self.write(
            "drives/swift/quillgate/ledger.json",
            text(serde_json::json!({"ledger": 3, "titles": [entry, other]})).as_bytes(),
        );
        self.write("drives/swift/quillgate/other/go", b"!");
        self.write("drives/newhold/keep/this", b"not ours");
        self.write(
            "home/.config/quillgate/rooms.json",
            text(serde_json::json!({"rooms": [{"folder": self.at("drives/swift/quillgate")}]})).as_bytes(),
        );
        self.write("home/.config/quillgate/contents/g1.json", text(serde_json::json!({"parts": parts})).as_bytes());
        let program = root.join("bin/go");
        self.write(
            "home/.config/quillgate/recent.json",
            text(serde_json::json!({"starts": [{"title": "g1", "program": program}]})).as_bytes(),
        );
        let more = "\n[[records]]\nfile = \"{install}/own.ini\"\nselector = \"$.g.at\"\nmeaning = \"{install}\"\n
[[records]]\nfile = \"{home}/played.db\"\nselector = \"$.played['{id}'].at\"\nmeaning = \"{install}/{tail}\"\n";
        let (head, contents) = deft_barge_harbor::world::PROFILE.split_once("[contents]").unwrap();
        let profile = format!("{head}{more}\n[contents]{contents}");
        self.write("home/.config/deft-barge/profiles/quillgate.toml", profile.as_bytes());
        let mut world = "format = 1\nhome = \"home\"\n".to_string();
        for (tag, name) in [(1, "swift"), (2, "newhold")] {
            world += &format!(
                "[[drives]]\ntag = {tag}\nname = \"{name}\"\nroot = \"drives/{name}\"\ncapacity = 40000000\nkind = \"ssd\"\nfile-system = \"ext4\"\n"
            );
        }
        self.write("world.toml", world.as_bytes());
    }

    /// The site, with its journal outside of the world, so that a cut of the world's power leaves it.
    pub fn site(&self) -> Site {
        let mut site = Site::of_world(self.folder.path()).unwrap();
        site.places.state = self.state.path().into();
        site
    }

    pub fn plan(&self, site: &Site, to: Destination, policy: Policy) -> Plan {
        let survey = survey(site, History::of(site).unwrap().held(site), &|_| {});
        let mut draft = Draft::default();
        draft.send(GameId("quillgate/g1".into()), to);
        plan(site, &survey, &draft, policy)
    }

    pub fn haul(&self, disk: Option<Disk>, to: Destination, policy: Policy) -> Result<HaulEnd, HaulError> {
        self.haul_told(disk, to, policy, &|_| {})
    }

    /// A haul whose events are heard.
    pub fn haul_told(
        &self,
        disk: Option<Disk>,
        to: Destination,
        policy: Policy,
        hear: &dyn Fn(HaulEvent),
    ) -> Result<HaulEnd, HaulError> {
        let mut site = self.site();
        let plan = self.plan(&site, to, policy);
        if let Some(disk) = disk {
            site.disk = disk;
        }
        let (journal, _) = Journal::open(&site)?.recover()?;
        Haul::begin(&site, &journal, &plan)?.run(hear, &Control::default())
    }

    /// Goes on with what a fault left, on a disk that works.
    pub fn resume(&self) -> Result<bool, HaulError> {
        let site = self.site();
        let (journal, unfinished) = Journal::open(&site)?.recover()?;
        let Some(row) = unfinished else { return Ok(false) };
        Haul::of(&site, &journal, row.id)?.run(&|_| {}, &Control::default())?;
        Ok(true)
    }

    /// Whether the stand-in launcher would be content.
    pub fn content(&self) -> bool {
        deft_barge_harbor::quillgate::judge(&self.launcher(), "g1").is_ok_and(|judgement| {
            let folder = judgement.folder.as_path();
            let own = fs::read_to_string(folder.join("own.ini")).unwrap_or_default();
            let agree = own == format!("[g]\nat = {}\n", folder.display()) && self.played() == folder.join("bin/go");
            judgement.content() && agree
        })
    }

    /// Where the database leads.
    fn played(&self) -> PathBuf {
        let db = rusqlite::Connection::open(self.launcher().join("played.db")).unwrap();
        let at: String = db.query_row("select at from played where id = 'g1'", [], |row| row.get(0)).unwrap();
        at.into()
    }

    /// Whether every record leads to a whole copy, be it the old or the new one: while records change, some lead here and some there.
    pub fn leads_to_a_whole_copy(&self) -> bool {
        let recent: serde_json::Value =
            serde_json::from_slice(&fs::read(self.launcher().join("recent.json")).unwrap()).unwrap();
        let program = PathBuf::from(recent["starts"][0]["program"].as_str().unwrap());
        let judged = deft_barge_harbor::quillgate::judge(&self.launcher(), "g1");
        program.is_file()
            && self.played().is_file()
            && judged.is_ok_and(|judgement| judgement.download == 0 && judgement.could_start)
    }

    /// The bytes of all record files.
    pub fn records(&self) -> Vec<Option<String>> {
        let files = [
            "home/.config/quillgate/rooms.json",
            "home/.config/quillgate/recent.json",
            "drives/swift/quillgate/ledger.json",
            "drives/newhold/quillgate/ledger.json",
        ];
        let mut all: Vec<_> = files.iter().map(|file| fs::read_to_string(self.at(file)).ok()).collect();
        all.push(Some(self.played().to_string_lossy().into_owned()));
        all.push(fs::read_to_string(self.old_place().join("own.ini")).ok());
        all
    }

    /// The game as it is at `place`. An absolute link into the game may lead there by its old or its new place
    /// while it is renamed, and is whole as long as it leads to what it should.
    pub fn game(&self, place: &Path) -> Tree {
        let mut game = tree(place);
        game.retain(|path, _| !path.to_string_lossy().contains(".deft-barge-"));
        // Its own record says where it lies, here or there; whether it says the right one, `content` tells.
        if let Some(own) = game.get_mut(Path::new("own.ini")) {
            let places = [self.old_place(), self.new_place(), self.at("drives/swift/second/regatta")];
            if places.iter().any(|place| own.3 == format!("[g]\nat = {}\n", place.display()).as_bytes()) {
                *own = (own.0, 0, 0, b"own".to_vec());
            }
        }
        if let Some(inward) = game.get_mut(Path::new("inward")) {
            let leads = place.join("inward").canonicalize().ok();
            if leads.is_some() && leads == place.join("data").canonicalize().ok() {
                inward.3 = b"data".to_vec();
            }
        }
        game
    }

    /// What must never change: everything but the game, what is made for it, and its records.
    pub fn the_rest(&self) -> Tree {
        let mut all = tree(&self.at("drives"));
        all.retain(|path, _| {
            let text = path.to_string_lossy();
            !text.contains("regatta")
                && !text.contains(".deft-barge")
                && !text.ends_with("ledger.json")
                && text != "newhold/quillgate"
        });
        all
    }

    /// Names of ours that must not be left behind.
    pub fn litter(&self) -> Vec<PathBuf> {
        let all = tree(self.folder.path()).into_keys();
        all.filter(|path| path.file_name().is_some_and(|n| n.to_string_lossy().starts_with(".deft-barge"))).collect()
    }
}

pub fn to_newhold() -> Destination {
    Destination::Drive("newhold".into())
}

/// Does something when an item is verified, the first time, and notes that it was done.
pub fn once_verified<'a>(done: &'a Cell<bool>, act: impl Fn() + 'a) -> impl Fn(HaulEvent) + 'a {
    move |event| {
        if matches!(event, HaulEvent::Stage { stage: StageKind::Verified, .. }) && !done.replace(true) {
            act();
        }
    }
}

/// Learns the one launcher of a world and keeps its profile under a name.
pub fn learned_alone(site: &Site, games: usize, name: &str, what: &str) -> LearnedLauncher {
    let mut learned = learn(site, &[], &[], &|_| {}).launchers;
    assert_eq!(learned.len(), 1, "{what}: {learned:?}");
    let launcher = learned.remove(0);
    assert_eq!((&launcher.doubt, launcher.games.len()), (&None, games), "{what}\n{}", launcher.profile);
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join(name), &launcher.profile).unwrap();
    launcher
}

/// Hauls a game to `newhold` and gives its new place.
pub fn haul_one(site: &Site, found: &Survey, game: &GameId, what: &str) -> PathBuf {
    let mut draft = Draft::default();
    draft.send(game.clone(), Destination::Drive("newhold".into()));
    haul_as(site, &plan(site, found, &draft, Policy::Hold), what)
}

/// Does what a plan of one game says, and gives the new place of the game.
pub fn haul_as(site: &Site, plan: &Plan, what: &str) -> PathBuf {
    assert!(!plan.blocked(), "{what}: {:?}", plan.findings);
    let journal = Journal::open(site).unwrap().recover().unwrap().0;
    Haul::begin(site, &journal, plan).unwrap().run(&|_| {}, &Control::default()).unwrap();
    plan.items[0].to.clone()
}

/// Undoes the newest haul of a world.
pub fn undo_newest(site: &Site) {
    let journal = Journal::open(site).unwrap().recover().unwrap().0;
    let newest = journal.hauls().unwrap().iter().map(|haul| haul.id).max().unwrap();
    undo_haul(site, &journal, newest, &|_| {}, &Control::default()).unwrap();
}

/// Where a game of a [`LearnedWorld`] lies on a drive.
pub fn path_on(top: &Path, drive: &str, folder: &str) -> String {
    top.join("drives").join(drive).join("games").join(folder).to_str().unwrap().to_string()
}

/// A launcher with its games on one drive, learned.
pub struct LearnedWorld {
    pub top: PathBuf,
    /// The file with its records.
    pub file: PathBuf,
    pub site: Site,
    pub journal: Journal,
    pub profile: String,
    _folder: tempfile::TempDir,
}

impl LearnedWorld {
    /// Makes games in these folders, has their records written, and learns them.
    pub fn learned(what: &str, file: &str, folders: &[&str], write: &dyn Fn(&Path, &[String])) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let file = top.join("home/.local/share/petrel").join(file);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        let paths: Vec<String> = folders.iter().map(|folder| path_on(&top, "swift", folder)).collect();
        for (n, path) in paths.iter().map(Path::new).enumerate() {
            fs::create_dir_all(path.join("bin")).unwrap();
            fs::write(path.join("bin/go"), format!("#!/bin/sh\n# {n}\n")).unwrap();
            fs::write(path.join("data.pak"), vec![n as u8; 9000 + n]).unwrap();
        }
        write(&file, &paths);
        let site = Site::of_world(&top).unwrap();
        let launcher = learned_alone(&site, folders.len(), "petrel.toml", what);
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        Self { top, file, site, journal, profile: launcher.profile, _folder: folder }
    }
}
