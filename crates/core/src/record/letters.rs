//! Drive letters of a Windows compatibility layer: links in the folder `dosdevices` of its prefix.
//!
//! Law: a letter is what its link says; a place gets the letter it had, if that still leads there,
//! else the one that leads nearest to it.

use crate::platform::Look;
use crate::site::real_path;
use std::path::{Path, PathBuf};
use thiserror::Error;

use crate::platform;

/// The drive letters of one prefix.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Letters {
    prefix: PathBuf,
    drives: Vec<(char, PathBuf)>,
}

impl Letters {
    /// Reads the letters of a prefix; without its folder of links there are none.
    pub fn read(prefix: &Path) -> Self {
        let folder = prefix.join("dosdevices");
        let mut drives = Vec::new();
        for letter in 'a'..='z' {
            let link = folder.join(format!("{letter}:"));
            if let Ok(target) = link.look_link() {
                drives.push((letter, real_path(&folder.join(target))));
            }
        }
        Self { prefix: prefix.into(), drives }
    }

    /// The letters that the system itself has; `None` where it has none.
    pub(crate) fn of_system() -> Option<Self> {
        let drives = platform::own_letters();
        (!drives.is_empty()).then(|| Self { prefix: PathBuf::new(), drives })
    }

    /// Letters that are known already.
    pub fn of(prefix: &Path, drives: Vec<(char, PathBuf)>) -> Self {
        Self { prefix: prefix.into(), drives }
    }

    /// The folder of the layer.
    pub fn prefix(&self) -> &Path {
        &self.prefix
    }

    /// The folder that a letter leads to.
    pub fn leads_to(&self, letter: char) -> Option<&Path> {
        let letter = letter.to_ascii_lowercase();
        self.drives.iter().find(|(known, _)| *known == letter).map(|(_, target)| target.as_path())
    }

    /// The letter for a place, and the way from where it leads.
    ///
    /// # Errors
    /// [`SpellingError::NoLetter`] if none leads there.
    pub fn letter_for(&self, path: &Path, usual: char) -> Result<(char, PathBuf), SpellingError> {
        let real = real_path(path);
        let way = |target: &Path| {
            let way = path.strip_prefix(target).or_else(|_| real.strip_prefix(target));
            way.map(Path::to_path_buf).ok()
        };
        let usual = usual.to_ascii_lowercase();
        if let Some(way) = self.leads_to(usual).and_then(way) {
            return Ok((usual, way));
        }
        let mut all: Vec<_> = self.drives.iter().filter_map(|(letter, target)| Some((*letter, way(target)?))).collect();
        all.sort_by_key(|(letter, way)| (way.components().count(), *letter));
        let none = || SpellingError::NoLetter { path: path.into(), prefix: self.prefix.clone() };
        all.into_iter().next().ok_or_else(none)
    }

    /// A letter that is free for a new drive, as people expect it: from `d` on, with the link it needs.
    ///
    /// Those of the system are not ours to make.
    pub fn free(&self) -> Option<(char, PathBuf)> {
        if self.prefix.as_os_str().is_empty() {
            return None;
        }
        let free = ('d'..='y').find(|letter| self.leads_to(*letter).is_none())?;
        Some((free, self.prefix.join("dosdevices").join(format!("{free}:"))))
    }

    /// The same letters and one more.
    #[must_use]
    pub fn with(&self, letter: char, target: &Path) -> Self {
        let mut letters = self.clone();
        letters.drives.push((letter, target.into()));
        letters
    }

    /// The same letters, if what lies below `old` lies below `new`.
    #[must_use]
    pub fn moved(&self, old: &Path, new: &Path) -> Self {
        let mut letters = self.clone();
        for (_, target) in &mut letters.drives {
            if let Ok(below) = target.strip_prefix(old) {
                *target = new.join(below);
            }
        }
        letters
    }

    /// What the usual variables stand for in this prefix, as far as their folders are there.
    pub fn names(&self) -> Vec<(String, PathBuf)> {
        let Some(drive) = self.leads_to('c').map(Path::to_path_buf) else { return Vec::new() };
        let users = platform::read_dir(drive.join("users")).into_iter().flatten().flatten();
        let mut users: Vec<PathBuf> =
            users.map(|entry| entry.path()).filter(|path| !path.ends_with("Public")).collect();
        users.sort();
        let mut names = vec![
            ("SystemDrive".to_string(), drive.clone()),
            ("ProgramFiles".into(), drive.join("Program Files")),
            ("ProgramFiles(x86)".into(), drive.join("Program Files (x86)")),
            ("ProgramData".into(), drive.join("ProgramData")),
            ("PUBLIC".into(), drive.join("users/Public")),
        ];
        if let Some(user) = users.first() {
            names.push(("USERPROFILE".into(), user.clone()));
            names.push(("APPDATA".into(), user.join("AppData/Roaming")));
            names.push(("LOCALAPPDATA".into(), user.join("AppData/Local")));
        }
        names
    }
}

/// Why a path cannot be read from a text, or written down in a spelling.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum SpellingError {
    /// A name is not UTF-8, or holds what this spelling takes for something else.
    #[error("{0} holds bytes that a record cannot hold in this spelling")]
    NotText(PathBuf),
    /// The text is no path that can be followed from here.
    #[error("{0:?} is not a path that can be followed")]
    NotAPath(String),
    /// No drive letter is known under this name.
    #[error("no drive letter {letter}: is known here, for {text:?}")]
    NoSuchLetter {
        /// The letter.
        letter: char,
        /// The text.
        text: String,
    },
    /// The drive letter leads to different places in the compatibility layers that may be meant.
    #[error("drive letter {letter}: points to different places in several compatibility layers, for {text:?}")]
    Ambiguous {
        /// The letter.
        letter: char,
        /// The text.
        text: String,
    },
    /// No drive letter of the compatibility layer leads there.
    #[error("no drive letter of {} points to {}", prefix.display(), path.display())]
    NoLetter {
        /// The place.
        path: PathBuf,
        /// The folder of the compatibility layer.
        prefix: PathBuf,
    },
    /// The text is relative to a folder that the place is not below.
    #[error("{} is not below {}, to which this record is relative", path.display(), base.display())]
    NotBelow {
        /// The place.
        path: PathBuf,
        /// The folder.
        base: PathBuf,
    },
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;

    #[test]
    fn letters_are_what_their_links_say() {
        let folder = tempfile::tempdir().unwrap();
        let prefix = folder.path().canonicalize().unwrap().join("pfx");
        std::fs::create_dir_all(prefix.join("dosdevices")).unwrap();
        std::fs::create_dir_all(prefix.join("drive_c/users/me")).unwrap();
        std::os::unix::fs::symlink("../drive_c", prefix.join("dosdevices/c:")).unwrap();
        std::os::unix::fs::symlink("/", prefix.join("dosdevices/z:")).unwrap();
        let letters = Letters::read(&prefix);
        assert_eq!(letters.leads_to('C'), Some(prefix.join("drive_c").as_path()));
        assert_eq!(
            letters.letter_for(&prefix.join("drive_c/x"), 'z').unwrap().0,
            'z',
            "the usual one, if it leads there"
        );
        assert_eq!(letters.letter_for(&prefix.join("drive_c/x"), 'q').unwrap(), ('c', "x".into()), "else the nearest");
        assert_eq!(letters.free().unwrap(), ('d', prefix.join("dosdevices/d:")));
        assert!(letters.names().contains(&("APPDATA".into(), prefix.join("drive_c/users/me/AppData/Roaming"))));
        assert!(Letters::read(Path::new("/nowhere")).letter_for(Path::new("/x"), 'c').is_err());
    }
}
