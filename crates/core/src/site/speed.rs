//! What is known of the speeds of drives.

use std::collections::HashMap;

use serde::Serialize;

use super::Site;
use crate::platform::{Drive, DriveKind};

/// What a drive does, by itself.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct DriveSpeed {
    /// Bytes per second that are read.
    pub read: f64,
    /// Bytes per second that are written and flushed.
    pub write: f64,
    /// Seconds for each file, over those for its bytes.
    pub per_file: f64,
}

impl DriveSpeed {
    /// What drives of a kind do at least mostly; our own measure, and rough.
    pub fn of_kind(kind: DriveKind) -> Self {
        let (read, write, per_file) = match kind {
            DriveKind::Nvme => (1500e6, 900e6, 0.000_1),
            DriveKind::Ssd => (450e6, 380e6, 0.000_2),
            DriveKind::Disk => (130e6, 110e6, 0.004),
            DriveKind::Usb => (90e6, 25e6, 0.006),
            DriveKind::Network => (80e6, 60e6, 0.005),
            DriveKind::Memory => (3000e6, 2000e6, 0.000_05),
            DriveKind::Image => (400e6, 300e6, 0.000_3),
            DriveKind::Unknown => (120e6, 90e6, 0.003),
        };
        Self { read, write, per_file }
    }
}

/// What a copy with its comparison took.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Run {
    /// Name of the drive that was read.
    pub from: String,
    /// Name of the drive that was written and read back.
    pub to: String,
    /// Bytes copied.
    pub bytes: u64,
    /// Files copied.
    pub files: u64,
    /// Seconds of copying and comparing.
    pub seconds: f64,
}

/// What is known of the speeds of drives.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Speeds {
    /// Probed drives, by name.
    pub probes: HashMap<String, DriveSpeed>,
    /// Past runs, newest first.
    pub runs: Vec<Run>,
}

impl Speeds {
    /// What a drive does by itself: as probed, else as drives of its kind do.
    pub fn pace(&self, site: &Site, drive: &str) -> DriveSpeed {
        let kind = || site.find_drive(drive).map_or(DriveKind::Unknown, |drive| drive.kind);
        self.probes.get(drive).copied().unwrap_or_else(|| DriveSpeed::of_kind(kind()))
    }

    /// What this drive does by itself.
    pub(crate) fn pace_of(&self, drive: &Drive) -> DriveSpeed {
        self.probes.get(&drive.name).copied().unwrap_or_else(|| DriveSpeed::of_kind(drive.kind))
    }
}
