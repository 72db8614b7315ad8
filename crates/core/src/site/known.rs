//! Drives that were seen before: so that one that is away is told from one that is lost, and one that has another path is
//! known again. Format: `docs/formats.md`, "Known drives".
//!
//! Law: a drive is known by the id of its file system, never by its name or path alone.

use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::{Site, real_path};
use crate::platform::{self};

/// A drive that was seen.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct KnownDrive {
    /// Id of its file system.
    pub id: String,
    /// The name that it had last.
    pub name: String,
    /// Where it was mounted, the last place first.
    pub roots: Vec<PathBuf>,
}

/// A drive that is where another path led before.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct MovedDrive {
    /// Its name now.
    pub name: String,
    /// Where it was.
    pub old: PathBuf,
    /// Where it is.
    pub new: PathBuf,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct KnownFile {
    format: u32,
    drives: Vec<KnownDrive>,
}

/// Places of a drive, and drives, that are remembered at most: our own bounds.
const ROOTS: usize = 5;
const DRIVES: usize = 100;

fn file(site: &Site) -> PathBuf {
    site.state_folder().join("drives.json")
}

impl Site {
    /// Reads which drives were seen before; a file that is not there or cannot be read knows none.
    pub fn recall_drives(&mut self) {
        let text = platform::read_to_string(file(self)).unwrap_or_default();
        let known: Option<KnownFile> = serde_json::from_str(&text).ok();
        self.known = known.filter(|known| known.format == 1).map(|known| known.drives).unwrap_or_default();
    }

    /// Writes down which drives are there, for later surveys. Does nothing if that is known already.
    ///
    /// # Errors
    /// What the system said; nothing is lost by it but that memory.
    pub fn remember_drives(&self) -> std::io::Result<()> {
        let mut known = self.known.clone();
        for drive in self.drives.iter().filter(|drive| !drive.absent) {
            let Some(id) = &drive.id else { continue };
            let at = known.iter().position(|other| other.id == *id);
            let mut entry = at.map_or_else(
                || KnownDrive { id: id.clone(), name: String::new(), roots: Vec::new() },
                |at| known.remove(at),
            );
            entry.name.clone_from(&drive.name);
            entry.roots.retain(|root| *root != drive.root);
            entry.roots.insert(0, drive.root.clone());
            entry.roots.truncate(ROOTS);
            known.push(entry);
        }
        known.sort_by(|a, b| a.name.cmp(&b.name).then_with(|| a.id.cmp(&b.id)));
        known.truncate(DRIVES);
        if known == self.known {
            return Ok(());
        }
        let path = file(self);
        platform::make_private(&self.state_folder())?;
        let text = serde_json::to_string_pretty(&KnownFile { format: 1, drives: known }).unwrap_or_default();
        platform::write_private(&path, (text + "\n").as_bytes())
    }

    /// The drive that was at this path and is not there now: its name.
    pub fn away_at(&self, path: &Path) -> Option<&str> {
        let is_there = |known: &KnownDrive| self.drives.iter().any(|drive| drive.id.as_ref() == Some(&known.id));
        let taken = self.mount_of(path).map(|mount| mount.as_os_str().len()).unwrap_or_default();
        let known = self.known.iter().filter(|known| !is_there(known));
        let here = |known: &&KnownDrive| {
            // What another drive covers now is that drive's, and not the one's that is away.
            known
                .roots
                .iter()
                .any(|root| path.starts_with(root) && root.as_os_str().len() > taken.min(root.as_os_str().len() - 1))
        };
        known.filter(here).map(|known| known.name.as_str()).next()
    }

    /// Drives that are there under another path than before, with each path that they had and that nothing else has now.
    pub fn moved_drives(&self) -> Vec<MovedDrive> {
        let mut moved = Vec::new();
        for drive in self.drives.iter().filter(|drive| !drive.absent) {
            let Some(known) = self.known.iter().find(|known| Some(&known.id) == drive.id.as_ref()) else { continue };
            for old in known.roots.iter().filter(|root| !drive.mounts.contains(root)) {
                let covered = self.drives.iter().any(|other| other.mounts.contains(old));
                if !covered && real_path(old) != drive.root {
                    moved.push(MovedDrive { name: drive.name.clone(), old: old.clone(), new: drive.root.clone() });
                }
            }
        }
        moved
    }
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;

    fn world(folder: &Path, root: &str) -> Site {
        fs::create_dir_all(folder.join(root)).unwrap();
        fs::create_dir_all(folder.join("drives/swift")).unwrap();
        let drive = |name: &str, root: &str| {
            format!(
                "[[drives]]\nname = \"{name}\"\nroot = \"{root}\"\ncapacity = 1000\nkind = \"usb\"\nfile-system = \"ext4\"\n"
            )
        };
        let stick = if root.is_empty() { String::new() } else { drive("stick", root) };
        let text = format!("format = 1\nhome = \"home\"\n{}{stick}", drive("swift", "drives/swift"));
        fs::write(folder.join("world.toml"), text).unwrap();
        Site::of_world(folder).unwrap()
    }

    #[test]
    fn a_drive_is_known_again_under_another_path_and_missed_where_it_was() {
        let folder = tempfile::tempdir().unwrap();
        let top = real_path(folder.path());
        let site = world(&top, "drives/stick");
        assert!(site.moved_drives().is_empty() && site.known.is_empty());
        site.remember_drives().unwrap();
        let away = world(&top, "");
        assert_eq!(away.away_at(&top.join("drives/stick/games/x")), Some("stick"));
        assert_eq!(away.away_at(&top.join("drives/stickier")), None);
        away.remember_drives().unwrap();
        let moved = world(&top, "mnt/other");
        let old = top.join("drives/stick");
        assert_eq!(moved.away_at(&old.join("x")), None);
        assert_eq!(moved.moved_drives(), [MovedDrive { name: "stick".into(), old, new: top.join("mnt/other") }]);
        moved.remember_drives().unwrap();
        // What it was before is not forgotten by looking once more.
        assert_eq!(world(&top, "mnt/other").moved_drives().len(), 1);
        fs::write(world(&top, "mnt/other").state_folder().join("drives.json"), "{").unwrap();
        assert!(world(&top, "mnt/other").moved_drives().is_empty());
    }
}
