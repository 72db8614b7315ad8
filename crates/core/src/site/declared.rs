//! A declared site: folders that a `world.toml` names as drives. Format: `docs/formats.md`, "World file".

use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

use serde::Deserialize;

use super::{Places, Site, SiteError};
use crate::bytes::Bytes;
use crate::disk::{DeclaredFault, DeclaredRules, Disk};
use crate::platform;
use crate::platform::{Abilities, Drive, DriveKind};

#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct WorldFile {
    format: u32,
    #[serde(default)]
    #[expect(dead_code, reason = "says how the world was made; core has no use for it")]
    seed: Option<u64>,
    home: PathBuf,
    drives: Vec<DriveEntry>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct DriveEntry {
    tag: Option<u8>,
    name: String,
    /// Id of its file system; its name where nothing is said.
    id: Option<String>,
    root: PathBuf,
    capacity: u64,
    kind: DriveKind,
    file_system: String,
    reserve: Option<u64>,
    #[serde(default)]
    read_only: bool,
    #[serde(default)]
    unreadable: Vec<UnreadableEntry>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct UnreadableEntry {
    file: PathBuf,
    from: u64,
    bytes: u64,
}

impl Site {
    /// Reads the `world.toml` in `folder`. Every path in it is relative to that folder and stays in it.
    ///
    /// # Errors
    /// [`SiteError::Read`] if it cannot be read, [`SiteError::World`] with line and fault if it is not sound.
    pub fn of_world(folder: &Path) -> Result<Self, SiteError> {
        let path = folder.join("world.toml");
        let read = |source| SiteError::Read { path: path.clone(), source };
        let folder = platform::real(folder).map_err(read)?;
        let text = platform::read_to_string(&path).map_err(read)?;
        let wrong = |what: String| SiteError::World { path: path.clone(), what };
        let file: WorldFile = toml::from_str(&text).map_err(|e| wrong(e.to_string()))?;
        if file.format != 1 {
            return Err(wrong(format!("format {} is not known here; this program reads 1", file.format)));
        }
        let mut drives: Vec<(Drive, Vec<DeclaredFault>)> = Vec::new();
        for entry in file.drives {
            let name = entry.name.clone();
            let twice = drives.iter().any(|(d, _)| d.name == name || (d.tag.is_some() && d.tag == entry.tag));
            if twice {
                return Err(wrong(format!("drive {name:?} repeats a name or a tag")));
            }
            if entry.tag.is_some_and(|tag| !(1..=9).contains(&tag)) {
                return Err(wrong(format!("drive {name:?}: a tag is a digit from 1 to 9")));
            }
            drives.push(drive(&folder, entry).map_err(wrong)?);
        }
        let home = inside(&folder, &file.home).map_err(wrong)?;
        drives.sort_by_key(|(drive, _)| drive.tag.unwrap_or(u8::MAX));
        let rules = DeclaredRules::new(drives.clone());
        let mut site = Self {
            drives: drives.into_iter().map(|(drive, _)| drive).collect(),
            places: Places::usual(&home),
            processes: crate::platform::PROCESSES.into(),
            disk: Disk::with_gates(vec![Arc::new(rules)]),
            world: Some(folder),
            known: Vec::new(),
        };
        site.recall_drives();
        Ok(site)
    }
}

fn drive(folder: &Path, entry: DriveEntry) -> Result<(Drive, Vec<DeclaredFault>), String> {
    let root = inside(folder, &entry.root)?;
    if !root.is_dir() {
        return Err(format!("drive {:?}: there is no folder {}", entry.name, root.display()));
    }
    let root = platform::real(&root).map_err(|e| format!("drive {:?}: {e}", entry.name))?;
    let capacity = Bytes::new(entry.capacity);
    let mut unreadable = Vec::new();
    for bad in entry.unreadable {
        let file = inside(&root, &bad.file)?;
        unreadable.push(DeclaredFault { file, from: bad.from, bytes: bad.bytes });
    }
    let drive = Drive {
        tag: entry.tag,
        id: entry.id.or_else(|| Some(entry.name.clone())),
        name: entry.name,
        mounts: vec![root.clone()],
        root,
        kind: entry.kind,
        device: None,
        abilities: Abilities::of_file_system(&entry.file_system),
        file_system: entry.file_system,
        read_only: entry.read_only,
        capacity,
        reserve: entry.reserve.map_or_else(|| Drive::usual_reserve(capacity), Bytes::new),
        declared: true,
        absent: false,
    };
    Ok((drive, unreadable))
}

fn inside(folder: &Path, path: &Path) -> Result<PathBuf, String> {
    if path.components().all(|c| matches!(c, Component::Normal(_))) {
        Ok(folder.join(path))
    } else {
        Err(format!("{} must be a path below the world's folder", path.display()))
    }
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;

    fn world(text: &str) -> Result<Site, SiteError> {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir_all(folder.path().join("drives/swift")).unwrap();
        fs::write(folder.path().join("world.toml"), text).unwrap();
        Site::of_world(folder.path())
    }

    const DRIVE: &str = "[[drives]]\ntag = 1\nname = \"swift\"\nroot = \"drives/swift\"\ncapacity = 1000\nkind = \"nvme\"\nfile-system = \"exfat\"\n";

    #[test]
    fn a_world_names_folders_as_drives() {
        let site = world(&format!("format = 1\nhome = \"home\"\n{DRIVE}")).unwrap();
        assert_eq!(site.drives[0].reserve, Bytes::new(50));
        assert!(!site.drives[0].abilities.links);
        assert!(site.find_drive("1").is_some() && site.find_drive("swift").is_some());
        assert!(site.find_drive("2").is_none());
    }

    #[test]
    fn a_broken_world_file_is_refused_with_its_line() {
        for (text, part) in [
            ("format = 1\nhome = \"home\"\ndrives = 3", "line 3"),
            ("format = 9\nhome = \"home\"\ndrives = []", "format 9"),
            (&format!("format = 1\nhome = \"../x\"\n{DRIVE}"), "below the world"),
            (&format!("format = 1\nhome = \"h\"\n{DRIVE}{DRIVE}"), "repeats"),
            (&format!("format = 1\nhome = \"h\"\ncolour = 1\n{DRIVE}"), "unknown field"),
        ] {
            let error = world(text).unwrap_err().to_string();
            assert!(error.contains(part), "{error}");
        }
    }
}
