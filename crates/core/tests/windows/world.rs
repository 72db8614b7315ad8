//! What the tests here have in common: worlds of empty drives, folders as they are, and a launcher's keys that go with their test.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::site::real_path;
use deft_barge_windows::{Hive, Key, Value, delete_key, read_below, set_value};

/// Names below a folder with the bytes of files.
pub type Tree = BTreeMap<PathBuf, Vec<u8>>;

pub fn tree(root: &Path) -> Tree {
    let mut out = Tree::new();
    let mut waiting = vec![root.to_path_buf()];
    while let Some(folder) = waiting.pop() {
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let is_folder = path.is_dir();
            let bytes = if is_folder { Vec::new() } else { fs::read(&path).unwrap() };
            out.insert(path.strip_prefix(root).unwrap().into(), bytes);
            waiting.extend(is_folder.then_some(path));
        }
    }
    out
}

/// A folder with a world in it that has drives of these names, all of them empty; and the way to it.
pub fn declared(drives: &[&str]) -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let top = real_path(folder.path());
    let mut text = String::from("format = 1\nseed = 1\nhome = \"home\"\n");
    for (nth, drive) in drives.iter().enumerate() {
        let tag = nth + 1;
        text.push_str(&format!(
            "[[drives]]\ntag = {tag}\nname = \"{drive}\"\nroot = \"drives/{drive}\"\ncapacity = 900000000\nkind = \"ssd\"\nfile-system = \"ntfs\"\n"
        ));
        fs::create_dir_all(top.join("drives").join(drive)).unwrap();
    }
    fs::create_dir_all(top.join("home")).unwrap();
    fs::write(top.join("world.toml"), text).unwrap();
    (folder, top)
}

/// Writes files of some sizes below a folder.
pub fn fill(folder: &Path, files: &[(&str, usize)]) {
    for (path, size) in files {
        let at = path.split('/').fold(folder.to_path_buf(), |at, name| at.join(name));
        fs::create_dir_all(at.parent().unwrap()).unwrap();
        fs::write(at, (0..*size).map(|n| (n * 7 % 251) as u8).collect::<Vec<_>>()).unwrap();
    }
}

/// A key of a launcher, with all below it; gone with its test.
pub struct Kept(pub String);

impl Drop for Kept {
    fn drop(&mut self) {
        for key in self.all().iter().rev() {
            let below = key.below.to_string_lossy();
            let path = if below.is_empty() { self.0.clone() } else { format!("{}\\{below}", self.0) };
            let _ = delete_key(Hive::User, path.as_ref());
        }
    }
}

impl Kept {
    /// One that no other test has: it is called after the world's folder.
    pub fn of(maker: &str, top: &Path) -> Self {
        Self(format!("Software\\{maker} {}", top.file_name().unwrap().to_string_lossy()))
    }

    pub fn all(&self) -> Vec<Key> {
        read_below(Hive::User, self.0.as_ref()).unwrap_or_default()
    }

    pub fn set(&self, below: &str, name: &str, kind: u32, text: &str) {
        let data = match kind {
            4 => text.parse::<u32>().unwrap().to_le_bytes().to_vec(),
            _ => text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect(),
        };
        let key = format!("{}{below}", self.0);
        set_value(Hive::User, key.as_ref(), &Value { name: name.into(), kind, data }).unwrap();
    }

    /// All values, each as a line.
    pub fn said(&self) -> Vec<String> {
        said(&self.all())
    }
}

/// The values of some keys, each as a line.
pub fn said(keys: &[Key]) -> Vec<String> {
    let line = |key: &Key, value: &Value| format!("{:?} {:?} {}", key.below, value.name, text(value));
    keys.iter().flat_map(|key| key.values.iter().map(move |value| line(key, value))).collect()
}

/// The text of a value, without the zero at its end.
pub fn text(value: &Value) -> String {
    let pair = |pair: &[u8]| u16::from_le_bytes([pair[0], *pair.get(1).unwrap_or(&0)]);
    let units: Vec<u16> = value.data.chunks(2).map(pair).collect();
    String::from_utf16_lossy(&units).trim_end_matches('\0').to_string()
}

/// A path that the system takes to the letter.
pub fn literal(path: &Path) -> PathBuf {
    let parts: PathBuf = path.components().collect();
    format!(r"\\?\{}", parts.display()).into()
}
