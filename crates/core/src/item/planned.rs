//! One item as a plan has it: where it lies, where it goes, by which strategy, and every edit of every record.

use serde::{Deserialize, Serialize};
use std::path::PathBuf;

use crate::bytes::Bytes;
use crate::launcher::Origin;
use crate::survey::GameId;

use std::path::Path;

use super::preview::Preview;
use crate::checksums::Size;

use crate::platform::Look;
use crate::record::Edit;
use crate::site::DrivePlace;

/// Whether the first item of a haul is tried before the others go.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Trial {
    /// All go one after another.
    #[default]
    None,
    /// The others wait for a person's yes.
    Waits,
    /// The person has said yes.
    Agreed,
}

/// What becomes of a link on a drive that has none.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Links {
    /// It is a link, or the item does not go there.
    #[default]
    Keep,
    /// A copy of the file that it leads to stands in its place.
    Copies,
}

/// When originals are released.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Policy {
    /// They are held until a person says so.
    #[default]
    Hold,
    /// As soon as their item is proved.
    Release,
}

/// How an item gets to its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Strategy {
    /// Copied, compared, and the originals held.
    Copy,
    /// Renamed: it stays on its file system.
    Rename,
    /// The kept originals are taken up again, and what was the copy is let go.
    TakeBack,
    /// Only records change.
    Records,
    /// It stays where it is, and becomes known to its launcher.
    #[serde(alias = "adopt")]
    Import,
    /// It is a copy that lies about, and is compared with the one at `to`, which stays.
    #[serde(alias = "spare")]
    Duplicate,
    /// It is renamed beside its place, and let go of at the release.
    #[serde(alias = "set-aside")]
    Quarantine,
}

/// What becomes of a folder that no record is known to point to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LooseFolders {
    /// It is not moved: nothing would tell a launcher.
    #[default]
    Refuse,
    /// It is moved as it is.
    Move,
}

/// Another name for originals, beside their place, while a link at the old place leads to where they are.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Displaced {
    /// The old place: a folder before the haul, a link after it.
    pub old: PathBuf,
    /// The name that the originals have from the haul's beginning on.
    pub held: PathBuf,
}

impl Displaced {
    /// The name beside a folder.
    pub fn of(old: &Path) -> Self {
        let name = old.file_name().unwrap_or_default().to_string_lossy();
        Self { old: old.into(), held: old.with_file_name(format!(".deft-barge-aside-{name}")) }
    }
}

/// One item as it would be hauled.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedItem {
    /// The game.
    pub game: GameId,
    /// What made it known; an older journal says it by the launcher alone.
    #[serde(default)]
    pub origin: Origin,
    /// Its title.
    pub title: String,
    /// Id of the launcher's profile.
    pub launcher: String,
    /// Name of the launcher.
    pub launcher_name: String,
    /// Names of the launcher's programs.
    pub processes: Vec<String>,
    /// Install folder now.
    pub from: PathBuf,
    /// Install folder afterwards.
    pub to: PathBuf,
    /// The same place by its drive, whatever path that has; `None` in an older journal.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from_place: Option<DrivePlace>,
    /// Where it goes by its drive.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to_place: Option<DrivePlace>,
    /// Name of the drive now.
    pub from_drive: Option<String>,
    /// Name of the drive afterwards.
    pub to_drive: String,
    /// How it gets there.
    pub mode: Strategy,
    /// Its size.
    pub size: Size,
    /// Bytes that it needs on the target.
    pub need: Bytes,
    /// What becomes of its links there.
    #[serde(default)]
    pub links: Links,
    /// When its originals are released: as soon as it is proved where a later item needs their room, else as the haul says.
    #[serde(default)]
    pub policy: Policy,
    /// Places in the haul of items whose originals have to be gone before this one is copied, since it needs their room.
    #[serde(default)]
    pub after: Vec<usize>,
    /// Whether what it is copied from stays for good: a copy that was let go of comes back.
    #[serde(default)]
    pub keeps: bool,
    /// Where the originals step aside for a link; `from` is that name.
    #[serde(default)]
    pub aside: Option<Displaced>,
    /// Edits of records, in their order.
    pub edits: Vec<Edit>,
    /// The edits as they look.
    pub previews: Vec<Preview>,
}

impl PlannedItem {
    /// An item with nothing but what it is and where it goes: of no size, no launcher and no records.
    pub fn bare((origin, game): (Origin, GameId), title: String, mode: Strategy, from: PathBuf, to: PathBuf) -> Self {
        Self {
            game,
            origin,
            title,
            launcher: String::new(),
            launcher_name: String::new(),
            processes: Vec::new(),
            from_drive: None,
            to_drive: String::new(),
            from,
            to,
            from_place: None,
            to_place: None,
            mode,
            size: Size::default(),
            need: Bytes::ZERO,
            links: Links::Keep,
            policy: Policy::Hold,
            after: Vec::new(),
            keeps: false,
            aside: None,
            edits: Vec::new(),
            previews: Vec::new(),
        }
    }

    /// Where the item lies as long as the haul has not begun.
    pub fn source(&self) -> &Path {
        match &self.aside {
            Some(aside) if aside.held == self.from && !self.from.look_is_dir() => &aside.old,
            _ => &self.from,
        }
    }

    /// Where the item lay before the haul, whatever has stepped aside since.
    pub fn origin(&self) -> &Path {
        let stepped = self.aside.as_ref().filter(|aside| aside.held == self.from);
        stepped.map_or(&self.from, |aside| &aside.old)
    }

    /// Where the item lies afterwards: what has stepped back is at its old place.
    pub fn place(&self) -> &Path {
        match &self.aside {
            Some(aside) if aside.held == self.to && !self.to.look_is_dir() => &aside.old,
            _ => &self.to,
        }
    }

    /// The record files that the item changes, each once.
    pub fn record_files(&self) -> Vec<&Path> {
        let mut files: Vec<&Path> = self.edits.iter().flat_map(Edit::files).collect();
        files.sort_unstable();
        files.dedup();
        files
    }
}
