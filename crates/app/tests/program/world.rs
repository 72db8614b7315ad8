//! A small demo world and the program run on it.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

use deft_barge_harbor::quillgate::{Judgement, judge};
use deft_barge_harbor::world::{Scale, make};

pub const PROGRAM: &str = env!("CARGO_BIN_EXE_deft-barge");

pub struct World(tempfile::TempDir);

/// Kind, time and bytes of every name below a folder; folders' times left out.
pub type Tree = BTreeMap<PathBuf, (u32, i64, i64, Vec<u8>)>;

pub fn tree(root: &Path) -> Tree {
    let mut out = Tree::new();
    let mut waiting = vec![root.to_path_buf()];
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let meta = path.symlink_metadata().unwrap();
            let (bytes, time) = if meta.is_dir() {
                waiting.push(path.clone());
                (Vec::new(), (0, 0))
            } else if meta.is_symlink() {
                // An absolute link into the game goes with it; what counts is what it leads to.
                let leads = path.canonicalize().ok().and_then(|p| p.strip_prefix(root).map(Path::to_path_buf).ok());
                (leads.unwrap_or_default().into_os_string().into_encoded_bytes(), (meta.mtime(), meta.mtime_nsec()))
            } else {
                (fs::read(&path).unwrap(), (meta.mtime(), meta.mtime_nsec()))
            };
            out.insert(path.strip_prefix(root).unwrap().to_path_buf(), (meta.mode(), time.0, time.1, bytes));
        }
    }
    out
}

/// A folder in memory where that has room: what is flushed to a device proves nothing here, and takes most of the time.
fn folder_in_memory() -> tempfile::TempDir {
    let output = Command::new("df").args(["--output=avail", "-B1", "/dev/shm"]).output();
    let text = output.map(|output| String::from_utf8_lossy(&output.stdout).into_owned()).unwrap_or_default();
    let free = text.lines().nth(1).and_then(|line| line.trim().parse::<u64>().ok()).unwrap_or_default();
    if free > 2_000_000_000 { tempfile::tempdir_in("/dev/shm") } else { tempfile::tempdir() }.unwrap()
}

impl World {
    /// A world in memory. A launcher that one test starts is none of another test's: it says the folder of its own world.
    pub fn new() -> Self {
        Self::made(Scale::SMALL, folder_in_memory())
    }

    /// A world on a file system of a device, where folders take room and flushes take their time.
    pub fn on_disk() -> Self {
        Self::made(Scale::SMALL, tempfile::tempdir_in("/var/tmp").unwrap())
    }

    /// A world that takes some seconds to haul in, at the lowest rate.
    pub fn slow() -> Self {
        Self::made(Scale(100), folder_in_memory())
    }

    fn made(scale: Scale, folder: tempfile::TempDir) -> Self {
        make(&folder.path().join("world"), 7, scale).unwrap();
        Self(folder)
    }

    pub fn folder(&self) -> PathBuf {
        self.0.path().join("world").canonicalize().unwrap()
    }

    pub fn at(&self, path: &str) -> PathBuf {
        self.folder().join(path)
    }

    pub fn old_place(&self) -> PathBuf {
        self.at("drives/swift/quillgate/saltflat-rally")
    }

    pub fn new_place(&self) -> PathBuf {
        self.at("drives/newhold/quillgate/saltflat-rally")
    }

    pub fn command(&self, words: &[&str]) -> Command {
        let mut command = Command::new(PROGRAM);
        command.arg("--world").arg(self.folder()).args(words).stdin(Stdio::null());
        command
    }

    pub fn run(&self, words: &[&str]) -> Output {
        self.command(words).output().unwrap()
    }

    /// Runs and expects this exit code; gives standard output.
    pub fn expect(&self, words: &[&str], code: i32) -> String {
        let output = self.run(words);
        let (out, err) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        assert_eq!(output.status.code(), Some(code), "{words:?}\n{out}\n{err}");
        format!("{out}{}", if code == 0 { String::new() } else { err.into_owned() })
    }

    /// Runs with `--json` and expects this exit code; gives the one document.
    pub fn json(&self, words: &[&str], code: i32) -> serde_json::Value {
        let output = self.run(&[words, &["--json"]].concat());
        let out = String::from_utf8_lossy(&output.stdout);
        assert_eq!(output.status.code(), Some(code), "{words:?}\n{out}\n{}", String::from_utf8_lossy(&output.stderr));
        assert_eq!(output.stderr, b"", "{words:?}");
        let value: serde_json::Value = serde_json::from_str(&out).unwrap();
        assert_eq!(value["format"], 3);
        value
    }

    pub fn launcher(&self) -> PathBuf {
        self.at("home/.config/quillgate")
    }

    pub fn judge(&self, game: &str) -> Judgement {
        judge(&self.launcher(), game).unwrap()
    }

    pub fn replace_in(&self, file: &str, from: &str, to: &str) {
        let path = self.at(file);
        let text = fs::read_to_string(&path).unwrap();
        assert!(text.contains(from), "{file} does not hold {from}");
        fs::write(path, text.replacen(from, to, 1)).unwrap();
    }

    /// The bytes of every file but the program's own state.
    pub fn all(&self) -> Tree {
        let mut all = tree(&self.folder());
        all.retain(|path, _| !path.starts_with("home/.local"));
        for (path, (_, second, nanosecond, _)) in &mut all {
            // A record file that was written twice has another time; its bytes are what counts.
            if path.extension().is_some_and(|e| e == "json") || path.starts_with("home") {
                (*second, *nanosecond) = (0, 0);
            }
        }
        all
    }
}
