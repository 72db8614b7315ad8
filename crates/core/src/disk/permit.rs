//! Leave to remove files of a game. Only the gate before a removal gives it ([`crate::haul`]), and without it no function
//! of the disk removes such a file.
//!
//! Law: what stays is looked at again all through the removal: when its folder is not what it was, not one more file goes.

use crate::platform;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::time::{Duration, Instant};

/// Leave to remove what a gate has looked at.
#[derive(Debug)]
pub struct RemovalPermit {
    stays: Option<Watched>,
}

/// The folder that stays, and when it was looked at last.
#[derive(Debug)]
struct Watched {
    path: PathBuf,
    identity: (u64, u64),
    looked: Mutex<Instant>,
}

impl RemovalPermit {
    /// Gives leave as long as the folder at `stays` is the one that it is now.
    ///
    /// # Errors
    /// What the system said to a look at it.
    pub(crate) fn while_stays(stays: &Path) -> io::Result<Self> {
        let meta = platform::look_behind(stays)?;
        if !meta.is_folder() {
            return Err(io::ErrorKind::NotADirectory.into());
        }
        let watched = Watched { path: stays.into(), identity: meta.identity(), looked: Mutex::new(Instant::now()) };
        Ok(Self { stays: Some(watched) })
    }

    /// Gives leave where nothing else holds these bytes, and a person was told so.
    pub(crate) fn of_the_only_copy() -> Self {
        Self { stays: None }
    }

    /// Looks whether what stays is still there. A look a moment ago is good enough.
    pub(crate) fn check(&self) -> io::Result<()> {
        /// Between two looks; a drive that goes away takes longer than this to be noticed by anybody.
        const FRESH: Duration = Duration::from_millis(20);
        let Some(watched) = &self.stays else { return Ok(()) };
        let mut looked = watched.looked.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if looked.elapsed() < FRESH {
            return Ok(());
        }
        let meta = platform::look_behind(&watched.path)?;
        if meta.identity() != watched.identity {
            return Err(platform::SystemError::NoDevice.into());
        }
        *looked = Instant::now();
        Ok(())
    }
}
