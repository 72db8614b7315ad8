//! Where we are: drives, folders for settings and state, the list of processes, and the disk.
//!
//! Law: core asks nothing of the machine behind its caller's back; it is given a [`Site`], read
//! from the machine by [`Site::of_system`] or declared in a `world.toml` read by [`Site::of_world`].

mod declared;
mod identity;
mod known;
mod process;
mod speed;
mod system;

pub use crate::platform::{Mount, Process, Sight, Wanted, parse_mountinfo, real_path};
pub use identity::{DriveIdentity, DrivePlace, Presence};
pub use known::{KnownDrive, MovedDrive};
pub use speed::{DriveSpeed, Run, Speeds};

use crate::platform::{Abilities, Drive, Look, PersonFolders};
use std::io;
use std::path::{Path, PathBuf};

use thiserror::Error;

use crate::disk::Disk;
use crate::platform;

/// Reads a text file that anybody may have put there: a pipe, a socket or a device is refused and not waited for, and so is a file
/// that is larger than any of ours.
///
/// # Errors
/// What the system says; [`io::ErrorKind::InvalidInput`] for what is no file, [`io::ErrorKind::FileTooLarge`].
pub fn read_text(path: &Path) -> io::Result<String> {
    platform::read_to_string(path)
}

/// Whether something is there, links followed: a file, a folder, or a key of the registry.
pub fn is_there(path: &Path) -> bool {
    path.look_exists()
}

/// The folders of a person on this machine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Places {
    /// The home folder.
    pub home: PathBuf,
    /// Where programs keep settings; ours are in `deft-barge` below it.
    pub config: PathBuf,
    /// Where programs keep data.
    pub data: PathBuf,
    /// Where programs keep state; ours is in `deft-barge` below it.
    pub state: PathBuf,
}

impl Places {
    /// Gives the places that the system has in a home where nothing else is set.
    pub fn usual(home: &Path) -> Self {
        Self {
            home: home.into(),
            config: platform::usual_config(home),
            data: platform::usual_data(home),
            state: platform::usual_state(home),
        }
    }
}

impl Places {
    /// What variables of written paths stand for here, whatever the environment says.
    pub(crate) fn names(&self) -> Vec<(String, PathBuf)> {
        let (home, config) = (self.home.clone(), self.config.clone());
        platform::own_names(&PersonFolders { home, config, data: self.data.clone(), state: self.state.clone() })
    }
}

/// Why there is no site.
#[derive(Debug, Error)]
pub enum SiteError {
    /// A file that describes the site cannot be read.
    #[error("couldn't read {path}")]
    Read {
        /// The file.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// The world file is not what it should be; `what` names line and fault.
    #[error("{path} is not a world file: {what}")]
    World {
        /// The file.
        path: PathBuf,
        /// Line, column and fault.
        what: String,
    },
}

/// Everything that core knows of the machine it works on.
#[derive(Clone, Debug)]
pub struct Site {
    /// Drives, those with a digit first, in the order of their digits.
    pub drives: Vec<Drive>,
    /// Folders of the person.
    pub places: Places,
    /// Folder in which processes are listed, `/proc` but for tests.
    pub processes: PathBuf,
    /// The door to all writing.
    pub disk: Disk,
    /// The folder of a declared world; `None` on a real machine.
    pub world: Option<PathBuf>,
    /// Drives that were seen before.
    pub known: Vec<KnownDrive>,
}

impl Site {
    /// The folder of profiles, one `*.toml` each.
    pub fn profile_folder(&self) -> PathBuf {
        self.places.config.join("deft-barge/profiles")
    }

    /// The folder of the journal and its lock.
    pub fn state_folder(&self) -> PathBuf {
        self.places.state.join("deft-barge")
    }

    /// Puts a file into the state folder, in one act. Nobody else may read it.
    ///
    /// # Errors
    /// What the system says.
    pub fn write_state(&self, name: &str, bytes: &[u8]) -> std::io::Result<()> {
        platform::make_private(&self.state_folder())?;
        platform::write_private(&self.state_folder().join(name), bytes)
    }

    /// Opens a file of the state folder to be written anew, or further. Nobody else may read it.
    ///
    /// # Errors
    /// What the system says.
    pub fn open_state(&self, name: &str, further: bool) -> std::io::Result<std::fs::File> {
        platform::make_private(&self.state_folder())?;
        let file = self.state_folder().join(name);
        if further { platform::append_private(&file) } else { platform::create_private(&file) }
    }

    /// Whether a drive is the one that the system and the person's home are on, by its very top.
    pub(crate) fn is_of_system(&self, drive: &Drive) -> bool {
        drive.root.parent().is_none() && self.places.home.starts_with(&drive.root)
    }

    /// The top of what people put on a drive. The top of the system's own belongs to the system: there it is the person's home.
    pub fn top_of<'a>(&'a self, drive: &'a Drive) -> &'a Path {
        if self.is_of_system(drive) { &self.places.home } else { &drive.root }
    }

    /// The drive on which a path lies, through existing links of its folders.
    pub fn drive_of(&self, path: &Path) -> Option<&Drive> {
        let real = real_path(path);
        self.mount_of(&real).and_then(|mount| self.drives.iter().find(|d| d.mounts.contains(mount)))
    }

    /// What the file system at a path can hold; everything where no drive is known there.
    pub fn abilities_at(&self, path: &Path) -> Abilities {
        self.drive_of(path).map_or_else(Abilities::all, |drive| drive.abilities.clone())
    }

    /// The mount point of a drive under which a path lies: the longest one.
    pub fn mount_of(&self, path: &Path) -> Option<&PathBuf> {
        let all = self.drives.iter().flat_map(|drive| &drive.mounts);
        all.filter(|mount| path.starts_with(mount)).max_by_key(|mount| mount.as_os_str().len())
    }

    /// Finds a drive by its digit, its name, or a folder where it is mounted.
    pub fn find_drive(&self, word: &str) -> Option<&Drive> {
        let digit = word.parse().ok().filter(|_| word.len() == 1);
        let by_name = self.drives.iter().find(|drive| drive.name == word);
        let by_digit = || self.drives.iter().find(|drive| digit.is_some() && drive.tag == digit);
        by_name.or_else(by_digit).or_else(|| self.drive_at(Path::new(word)))
    }

    /// The drive that is mounted at a folder.
    fn drive_at(&self, folder: &Path) -> Option<&Drive> {
        if !folder.is_absolute() {
            return None;
        }
        let real = real_path(folder);
        let is_at = |drive: &&Drive| drive.root == real || drive.mounts.contains(&real);
        self.drives.iter().find(is_at)
    }
}
