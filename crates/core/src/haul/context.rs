//! What the steps of an item work with: the site, the journal, the item, and a person's wishes.

use std::path::{Path, PathBuf};

use super::error::HaulError;
use std::time::{Duration, Instant};

use crate::checksums::Entry;

use crate::item::{Stage, Strategy};
use crate::journal::ItemRow;
use crate::platform::Abilities;

use super::event::{Control, HaulEvent};

use super::standing::settle;

use crate::journal::Journal;

use crate::site::Site;

use std::sync::Mutex;

use crate::haul::inspect::LinkHandling;

use super::standing::End;

use std::sync::{MutexGuard, PoisonError};

/// Checksums lines and hints that are written down together.
pub(crate) const BATCH: usize = 4000;

/// A name beside a folder that says what it is: what this haul has left of it. One that nobody has yet.
pub(crate) fn left_name(work: &ItemContext<'_>, folder: &Path) -> Result<PathBuf, HaulError> {
    let name = folder.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let id = work.item.haul;
    for n in 1.. {
        let other = folder.with_file_name(if n == 1 {
            format!("{name}.left-by-haul-{id}")
        } else {
            format!("{name}.left-by-haul-{id}-{n}")
        });
        if !work.site.disk.is_there(&other).map_err(HaulError::disk("look at", &other))? {
            return Ok(other);
        }
    }
    Err(HaulError::NeedsRecovery)
}

/// What the phases of an item work with.
pub(crate) struct ItemContext<'a> {
    pub(crate) site: &'a Site,
    pub(crate) journal: &'a Journal,
    pub(crate) item: ItemRow,
    pub(crate) report: &'a dyn Fn(HaulEvent),
    pub(crate) stop: &'a Control,
    /// Time after which a drive that does not answer is said to hang.
    pub(crate) patience: Duration,
    /// How often the originals were brought in line with their checksums in this run.
    pub(crate) round: usize,
    /// When originals and copy were last seen to be what they were.
    pub(crate) looked: Option<Instant>,
    /// Whether the drive of the originals is not there: what was verified already goes on without them.
    pub(crate) originals_away: bool,
    /// Whether a drive has another path than when the item was planned: its edits name the old one.
    pub(crate) moved: bool,
    /// Held while records change: two items may have records in one file.
    pub(crate) records: Option<&'a Mutex<()>>,
}

impl<'a> ItemContext<'a> {
    pub(crate) fn new(
        site: &'a Site,
        journal: &'a Journal,
        item: ItemRow,
        report: &'a dyn Fn(HaulEvent),
        stop: &'a Control,
    ) -> Self {
        Self {
            site,
            journal,
            item,
            report,
            stop,
            patience: PATIENCE,
            round: 0,
            looked: None,
            originals_away: false,
            moved: false,
            records: None,
        }
    }

    /// Finds the drives of the item as they are now, and refuses if one is not there that its stage needs.
    pub(crate) fn stand(&mut self) -> Result<(), HaulError> {
        let standing = settle(self.site, &mut self.item)?;
        self.moved |= standing.moved;
        self.originals_away = standing.from != End::There;
        let planned = &self.item.planned;
        let needs_originals = match (&self.item.stage, planned.mode) {
            // Originals that are kept are taken up where they are; the copy is needed when it goes.
            (_, Strategy::TakeBack) => false,
            (Stage::Planned | Stage::Copying { .. } | Stage::Renaming | Stage::Linked, _)
            | (
                _,
                Strategy::Rename | Strategy::Records | Strategy::Import | Strategy::Duplicate | Strategy::Quarantine,
            ) => true,
            // All of it was verified. If its old drive has gone since, the copy is all the more needed.
            (_, Strategy::Copy) => false,
        };
        standing.to.required(planned, &planned.to)?;
        if needs_originals { standing.from.required(planned, &planned.from) } else { Ok(()) }
    }

    /// Ends a longer piece of work where a pause was asked for.
    pub(crate) fn may_go_on(&self) -> Result<(), HaulError> {
        if self.stop.asked() { Err(HaulError::Paused) } else { Ok(()) }
    }

    /// Whether the copy may share the original's bytes: both lie on one file system, in parts that do not rename to each other.
    pub(crate) fn may_share(&self) -> bool {
        self.item.planned.from_drive.as_ref() == Some(&self.item.planned.to_drive)
    }

    /// Goes on to the next stage: the journal has it, durably, when this returns.
    pub(crate) fn set_stage(&mut self, next: Stage) -> Result<(), HaulError> {
        let next = self.item.stage.clone().to(next)?;
        self.journal.set_stage(self.item.id, &next)?;
        self.item.stage = next;
        self.tell_stage();
        Ok(())
    }

    pub(crate) fn tell_stage(&self) {
        tracing::info!(
            item = self.item.id.0,
            title = self.item.planned.title,
            stage = self.item.stage.kind().word(),
            "stage"
        );
        // Records alone change at once: there are no phases to follow.
        if self.item.planned.mode == Strategy::Records {
            return;
        }
        let (haul, item) = (self.item.haul, self.item.id);
        (self.report)(HaulEvent::Stage {
            haul,
            item,
            title: self.item.planned.title.clone(),
            stage: self.item.stage.kind(),
        });
    }

    /// What the target's file system can hold.
    pub(crate) fn abilities(&self) -> Abilities {
        let drive = self.site.find_drive(&self.item.planned.to_drive);
        drive.map_or_else(Abilities::all, |drive| drive.abilities.clone())
    }

    /// What the originals' file system can hold.
    pub(crate) fn source_abilities(&self) -> Abilities {
        self.site.abilities_at(self.item.held_at())
    }

    /// What of the originals is a file of its own on the target.
    pub(crate) fn originals(&self) -> LinkHandling {
        LinkHandling { names: !self.abilities().hard_links, ..LinkHandling::of(&self.item.planned) }
    }

    /// The owner that a link of ours gets: who is not root may give nothing away.
    pub(crate) fn owner_to_set(&self, entry: &Entry) -> Option<(u32, u32)> {
        crate::platform::is_root().then_some(entry.owner)
    }

    /// A name that only this item of this state folder uses.
    pub(crate) fn own_name(&self, what: &str) -> String {
        let whose = blake3::hash(self.site.state_folder().as_os_str().as_encoded_bytes()).to_hex();
        format!(".deft-barge-{what}-{}-{}", self.item.id.0, &whose[..8])
    }

    pub(crate) fn make_folder(&self, path: &Path) -> Result<(), HaulError> {
        self.site.disk.make_folder(path).map_err(HaulError::disk("make", path))
    }

    /// Makes the missing folders on the way, each durable before the next.
    pub(crate) fn make_way(&self, path: &Path) -> Result<(), HaulError> {
        let missing: Vec<&Path> = path.ancestors().take_while(|folder| !folder.is_dir()).collect();
        for folder in missing.into_iter().rev() {
            // Known before it is there: what an item has made goes again with it, if nothing else came to lie in it.
            self.journal.put_made(self.item.id, folder)?;
            match self.site.disk.make_folder(folder) {
                // Another item goes the same way at this moment.
                Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists && folder.is_dir() => {}
                made => made.map_err(HaulError::disk("make", folder))?,
            }
            let parent = folder.parent().unwrap_or(Path::new("/"));
            self.site.disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
        }
        Ok(())
    }
}

/// Time after which a drive that does not answer is said to hang.
pub(crate) const PATIENCE: Duration = Duration::from_secs(30);

pub(crate) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}
