//! This machine as a site.

use std::path::PathBuf;

use super::{Places, Site, SiteError};
use crate::disk::Disk;
use crate::platform::{MOUNTS, PROCESSES, drives_of_system};

impl Site {
    /// Reads the drives of this machine.
    ///
    /// # Errors
    /// [`SiteError::Read`] if the list of mounts cannot be read.
    pub fn of_system(places: Places) -> Result<Self, SiteError> {
        let drives = drives_of_system().map_err(|source| SiteError::Read { path: PathBuf::from(MOUNTS), source })?;
        let processes = PROCESSES.into();
        let mut site = Self { drives, places, processes, disk: Disk::default(), world: None, known: Vec::new() };
        site.recall_drives();
        Ok(site)
    }
}
