//! Surveys of nothing real, for tests.

use std::path::PathBuf;

use jiff::Timestamp;

use super::game::{Game, GameId};
use super::{DriveState, Survey};
use crate::bytes::Bytes;
use crate::checksums::Size;
use crate::launcher::FoundGame;
use crate::platform::{Abilities, Drive, DriveKind};

/// Numbers that are always the same.
pub(crate) struct Numbers(pub(crate) u64);

impl Numbers {
    pub(crate) fn below(&mut self, most: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % most
    }
}

const NOW: &str = "2026-06-13T10:00:00Z";

pub(crate) fn drive(name: &str, capacity: u64, used: u64, reserve: u64) -> DriveState {
    let (capacity, used) = (Bytes::new(capacity), Bytes::new(used));
    let drive = Drive {
        id: None,
        tag: None,
        name: name.into(),
        root: PathBuf::from("/d").join(name),
        mounts: Vec::new(),
        kind: DriveKind::Ssd,
        device: None,
        file_system: "ext4".into(),
        abilities: Abilities::all(),
        read_only: false,
        capacity,
        reserve: Bytes::new(reserve),
        declared: true,
        absent: false,
    };
    DriveState { drive, used, free: capacity.less(used), games: Bytes::ZERO, held: Bytes::ZERO }
}

pub(crate) fn game(id: &str, drive: &str, bytes: u64, days_ago: Option<i64>) -> Game {
    let now: Timestamp = NOW.parse().unwrap();
    let last_run = days_ago.map(|days| now - std::time::Duration::from_secs(days as u64 * 86_400));
    let place = PathBuf::from("/d").join(drive).join(id);
    let found = FoundGame { last_run, ..FoundGame::unlisted(id.into(), format!("Game {id}"), &place, id.into()) };
    let size =
        Size { on_disk: Bytes::new(bytes), apparent: Bytes::new(bytes), files: 1, whole: true, ..Size::default() };
    Game { id: GameId(format!("quay/{id}")), launcher: "quay".into(), found, drive: Some(drive.into()), size }
}

pub(crate) fn survey_of(drives: Vec<DriveState>, games: Vec<Game>) -> Survey {
    Survey {
        made: NOW.parse().unwrap(),
        drives,
        launchers: Vec::new(),
        games,
        user_data: Vec::new(),
        shortcuts: Vec::new(),
        links: Vec::new(),
        held: Vec::new(),
        problems: Vec::new(),
        speeds: crate::site::Speeds::default(),
        found: Vec::new(),
        measured: true,
    }
}
