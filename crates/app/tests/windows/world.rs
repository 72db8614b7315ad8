//! A small demo world and the program run on it.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::time::SystemTime;

use deft_barge_core::site::real_path;
use deft_barge_harbor::launchers::Launcher;
use deft_barge_harbor::quillgate::Judgement;
use deft_barge_harbor::world::{Scale, make, remove};

pub const PROGRAM: &str = env!("CARGO_BIN_EXE_deft-barge");

pub struct World(tempfile::TempDir);

impl Drop for World {
    fn drop(&mut self) {
        // What a launcher keeps of it in the registry goes as well.
        let _ = remove(&self.folder());
    }
}

/// Time and bytes of every file below a folder; of folders their names.
pub type Tree = BTreeMap<PathBuf, (Option<SystemTime>, Vec<u8>)>;

pub fn tree(root: &Path) -> Tree {
    let mut out = Tree::new();
    let mut waiting = vec![root.to_path_buf()];
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let meta = path.symlink_metadata().unwrap();
            let what = if meta.is_dir() {
                waiting.push(path.clone());
                (None, Vec::new())
            } else {
                (meta.modified().ok(), fs::read(&path).unwrap())
            };
            out.insert(path.strip_prefix(root).unwrap().to_path_buf(), what);
        }
    }
    out
}

impl World {
    pub fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        make(&folder.path().join("world"), 7, Scale::SMALL).unwrap();
        Self(folder)
    }

    pub fn folder(&self) -> PathBuf {
        real_path(&self.0.path().join("world"))
    }

    pub fn at(&self, path: &str) -> PathBuf {
        path.split('/').fold(self.folder(), |at, name| at.join(name))
    }

    pub fn command(&self, words: &[&str]) -> Command {
        let mut command = Command::new(PROGRAM);
        command.arg("--world").arg(self.folder()).args(words).stdin(Stdio::null());
        command
    }

    pub fn started(&self, words: &[&str]) -> Child {
        self.command(words).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap()
    }

    pub fn run(&self, words: &[&str]) -> Output {
        self.command(words).output().unwrap()
    }

    /// Runs and expects this exit code; gives what was said.
    pub fn expect(&self, words: &[&str], code: i32) -> String {
        let output = self.run(words);
        let (out, err) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        assert_eq!(output.status.code(), Some(code), "{words:?}\n{out}\n{err}");
        format!("{out}{err}")
    }

    /// Runs with `--json` and expects this exit code; gives the one document.
    pub fn json(&self, words: &[&str], code: i32) -> serde_json::Value {
        let output = self.run(&[words, &["--json"]].concat());
        let out = String::from_utf8_lossy(&output.stdout);
        assert_eq!(output.status.code(), Some(code), "{words:?}\n{out}\n{}", String::from_utf8_lossy(&output.stderr));
        serde_json::from_str(&out).unwrap()
    }

    pub fn home_of(&self, launcher: Launcher) -> PathBuf {
        real_path(&launcher.home(&self.at("home")))
    }

    pub fn judge(&self, launcher: Launcher, game: &str) -> Judgement {
        launcher.judge(&self.home_of(launcher), game).unwrap()
    }

    /// The bytes of every file but the program's own state.
    pub fn all(&self) -> Tree {
        let mut all = tree(&self.folder());
        all.retain(|path, _| !path.starts_with("home/AppData/Local/deft-barge"));
        for (path, (time, _)) in &mut all {
            // A record file that was written twice has another time; its bytes are what counts.
            if path.extension().is_some_and(|end| end == "json") || path.starts_with("home") {
                *time = None;
            }
        }
        all
    }

    /// Whether the newest log has an item that is neither done nor taken back.
    pub fn unfinished(&self) -> bool {
        let log = self.json(&["log"], 0);
        let at_rest = ["proved", "released", "cancelled", "undone"];
        let items = log["hauls"].as_array().unwrap().iter().flat_map(|haul| haul["items"].as_array().unwrap());
        items.map(|item| item["stage"]["stage"].as_str().unwrap()).any(|stage| !at_rest.contains(&stage))
    }
}
