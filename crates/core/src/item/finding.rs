//! What a check says before a haul: a stop refuses, a caution asks, a note tells. The words are the interface's.

use std::path::PathBuf;

use serde::Serialize;

use crate::bytes::{Bytes, HaulId};
use crate::launcher::{Drift, PlaceFault, Staying, Update, WhyStaying};
use crate::site::Process;
use crate::survey::{GameId, Way};

/// How heavy a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Severity {
    /// Nothing is done while it stands.
    Blocker,
    /// A person has to accept it.
    Warning,
    /// To be known.
    Note,
}

/// What a file system cannot hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Limit {
    /// Symbolic links.
    Link,
    /// The name.
    Name,
    /// A file as large as this.
    Size,
    /// Another name in the same folder that differs in case only.
    Case,
    /// What is no file, folder or link.
    Kind,
    /// A whole path as long as it would be there: the system opens none that is longer than 4095 bytes.
    Path,
}

/// What a game does without where a file system cannot hold it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Nicety {
    /// Several names of one file, which become files of their own.
    Names,
    /// Attributes and access lists that people and programs have set.
    Attributes,
}

/// What was found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum FindingKind {
    /// The drive would hold more than its capacity less its reserve, also once all originals are gone.
    NoRoom { drive: String, lacks: Bytes, reserve: Bytes },
    /// Each drive has room for what is to lie on it, but no order of copies and releases was found that comes to it; `item` is
    /// the first that would not fit on `drive`, after `done` others.
    NoOrder { drive: String, lacks: Bytes, item: String, done: usize },
    /// With so much more room on a drive all of it would fit.
    MoreRoom { drive: String, bytes: Bytes },
    /// Without this item all others would fit.
    WithoutItem { item: String },
    /// The originals have to be let go as soon as their copy is proved, since a later item needs their room.
    MustRelease { drive: String, bytes: Bytes },
    /// No item can be tried before the others: all of them, or their order, hang together.
    NotTried,
    /// It has to wait on another drive in between, and is copied twice.
    WaitsOn { drive: String, bytes: Bytes },
    /// A program of the launcher is running.
    LauncherRunning { launcher: String, process: Process },
    /// A process uses the game's files or the record files.
    InUse { process: Process },
    /// Processes of other people cannot be looked into.
    NotAllVisible { count: usize },
    /// A record does not say what it should.
    RecordUnsound { file: PathBuf, location: String, says: String },
    /// The records cannot be changed as planned.
    RecordsUnchangeable { why: String },
    /// Something is at the target already.
    TargetThere { path: PathBuf },
    /// What a haul keeps is at the target: its originals, or the copy that an undo left.
    KeptThere { path: PathBuf, haul: HaulId },
    /// The target cannot be written.
    NotWritable { path: PathBuf },
    /// Only an administrator may write it, and this program has been started as none.
    AdministratorWrites { path: PathBuf },
    /// A record file has further names, which keep what it says now: a new file takes the place of this one alone.
    SeveralNames { path: PathBuf, names: u64 },
    /// The target lies inside the game, or the game inside the target.
    TargetInside { path: PathBuf },
    /// The game is there already.
    AlreadyThere { path: PathBuf },
    /// The install folder cannot be one.
    BadPlace { path: PathBuf, fault: PlaceFault },
    /// The launcher does not let it be moved.
    Sealed { reason: String },
    /// The game's folder cannot be read whole.
    SourceUnreadable { what: String },
    /// The target's file system cannot hold a file.
    CannotHold { path: String, limit: Limit, count: usize },
    /// Links that the target's file system cannot hold, all of which lead to files: copies of `bytes` could stand there instead.
    LinksNeeded { path: String, count: usize, bytes: Bytes },
    /// Copies of files will stand where links were.
    LinksCopied { count: usize, bytes: Bytes },
    /// Another game's folder lies inside this one's: moving one would take the other along.
    SharesFolder { with: String, path: PathBuf },
    /// The setting that says where user data lies is in the folder of a game that goes in the same haul, or relative to it.
    SettingGoes { with: String, file: PathBuf },
    /// Another launcher, or another entry of this one, knows the same folder; its records are not rewritten.
    AlsoKnown { as_title: String, launcher: String },
    /// Files have times that are still to come: a clock was wrong, and changes cannot be told by time.
    TimeAhead { path: String, count: usize },
    /// The drive can be unplugged: its launcher misses the game then.
    Removable { drive: String },
    /// The game's new drive reads so much slower than its old one; bytes per second.
    Slower { drive: String, reads: u64, read: u64 },
    /// The state folder's drive lacks room for the checksums.
    NoStateRoom { path: PathBuf, lacks: Bytes },
    /// Originals of this game from an earlier haul are still held.
    StillHeld { haul: HaulId, bytes: Bytes },
    /// The drive is not there yet: the plan says what would be.
    NotThereYet { drive: String },
    /// The destination is not there or not known.
    NoDestination { what: String },
    /// The launcher's library there is not known to it, and its profile does not say how to make one.
    NoLibrary { launcher: String, drive: String },
    /// Another haul is not at its end.
    HaulUnfinished { haul: HaulId },
    /// A link leads out of the game by a relative path, and will lead elsewhere from the new place.
    LinkLeadsOut { path: String, count: usize },
    /// The target's file system can't hold something that the game does without; it is given up.
    NicetyLost { what: Nicety },
    /// What the target's file system can hold is not known.
    AbilitiesUnknown { drive: String, file_system: String },
    /// An update waits.
    UpdateWaiting { update: Update },
    /// The launcher's claim is far from the true size.
    ClaimFar { claim: Bytes, size: Bytes },
    /// The launcher has no list of the game's files, so what it would download cannot be known.
    NoContentList { launcher: String },
    /// No drive letter of a compatibility layer leads to the target; `free` is one that could be made.
    NoLetter { prefix: PathBuf, path: PathBuf, free: Option<char> },
    /// A drive letter will be made: a link at `link`.
    LetterMade { letter: char, link: PathBuf },
    /// Another program holds a database that has to change.
    DatabaseHeld { path: PathBuf },
    /// Files that say where the game is, or may say it, stay as they are.
    FilesStay(Staying),
    /// Places that lead to the game and that none of its launcher's records covers: they will lead nowhere once the originals are gone.
    PlacesMissed { places: usize, files: Vec<PathBuf> },
    /// The files of a launcher have another shape than those that it was learned from.
    LauncherChanged { launcher: String, drift: Drift },
    /// User data goes, and a link at this old place leads to it.
    DataByLink { path: PathBuf },
    /// User data goes, and the game's own setting says where to.
    DataBySetting { file: PathBuf, asks_again: bool },
    /// A user directory goes: all programs that use it follow.
    DataByDirectory { path: PathBuf },
    /// That it is the game's is known by the name of this folder alone.
    DataByName { path: PathBuf },
    /// User data of the game lies elsewhere and stays there.
    DataStays { what: String, path: PathBuf, bytes: Bytes },
    /// It cannot go in this way.
    NoWay { way: Way },
    /// No link can be left at the old place: its file system holds none.
    NoLinkThere { path: PathBuf },
    /// A link is left at the old place.
    LinkLeft { path: PathBuf },
    /// A shortcut that can't be changed here goes on leading to the old place.
    ShortcutStays { path: PathBuf },
    /// It was set aside and let go of: there is no copy to bring it back from.
    LetGoForGood { path: PathBuf },
    /// It is set aside, and nothing else is known to hold these bytes.
    OnlyCopy { path: PathBuf },
    /// It is compared with the copy at this place, which stays.
    ComparedWith { path: PathBuf },
    /// No record is known to point to this folder: nothing would tell a launcher where it is.
    NothingTells { path: PathBuf },
    /// A folder goes that no record points to.
    LooseFolder { path: PathBuf },
    /// Something could not be looked into, and may hold a record.
    NotLookedInto { what: String },
    /// No record leads below this path.
    NothingLeadsThere { path: PathBuf },
    /// Files of the content list are missing: the launcher will download so much.
    Incomplete { files: usize, bytes: Bytes },
    /// The drive of this path is not there.
    DriveAway { drive: String, path: PathBuf },
    /// Another drive is where the drive of this path was.
    AnotherDrive { drive: String, path: PathBuf },
    /// What would be removed is the very folder that stays, seen by another path, or one lies in the other.
    SameFolder { path: PathBuf, other: PathBuf },
    /// The copy that stays is not what was verified; `path` is the first such file, or the folder.
    CopyNotWhole { path: PathBuf, count: u64 },
    /// The newest proof of it found differences.
    ProofFailed { count: u64 },
    /// The launcher's records point to `path` and not to the copy; `None` if it does not list the game any more.
    RecordsElsewhere { launcher: String, path: Option<PathBuf>, copy: PathBuf },
    /// The records of a launcher still point to what would be removed.
    StillListed { launcher: String, as_title: String, path: PathBuf },
    /// Another Deft Barge, of whatever user, works with this folder.
    TakenByAnother { path: PathBuf },
    /// The drive cannot be written.
    ReadOnlyDrive { path: PathBuf },
    /// The records are not found where they were; the game's files go back, and nothing is updated.
    NothingToUpdate { launcher: String },
    /// Files of the copy have changed since it was verified and are on no content list: they would be lost by an undo.
    NewerInCopy { path: String, count: usize },
    /// A library will be made.
    NewLibrary { launcher: String, path: PathBuf },
}

/// What a person can have done to clear a finding, without leaving the plan.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "act")]
pub enum Clearing {
    /// Let drive letters be made.
    MakeLetters,
    /// Let copies stand where links were.
    CopyLinks,
    /// Move the folder as it is.
    MoveLoose,
    /// Learn the launcher again.
    LearnAgain,
    /// Let go of the originals of this haul.
    Release { haul: HaulId },
    /// Go on with this haul, or return it.
    Settle { haul: HaulId },
    /// Nothing but to wait: it goes away by itself.
    Wait,
    /// Take the item off the draft, or choose another drive.
    Redraft,
}

impl FindingKind {
    /// What would clear it, where something here can; a caution is accepted or heeded.
    pub fn clearing(&self) -> Option<Clearing> {
        match self {
            Self::NoLetter { free: Some(_), .. } => Some(Clearing::MakeLetters),
            Self::LinksNeeded { .. } => Some(Clearing::CopyLinks),
            Self::NothingTells { .. } => Some(Clearing::MoveLoose),
            Self::LauncherChanged { .. } => Some(Clearing::LearnAgain),
            Self::StillHeld { haul, .. } => Some(Clearing::Release { haul: *haul }),
            Self::HaulUnfinished { haul } => Some(Clearing::Settle { haul: *haul }),
            Self::LauncherRunning { .. }
            | Self::InUse { .. }
            | Self::TakenByAnother { .. }
            | Self::DatabaseHeld { .. } => Some(Clearing::Wait),
            Self::NoRoom { .. }
            | Self::NoOrder { .. }
            | Self::NoLetter { free: None, .. }
            | Self::CannotHold { .. }
            | Self::AlreadyThere { .. }
            | Self::TargetInside { .. }
            | Self::NotThereYet { .. }
            | Self::Sealed { .. } => Some(Clearing::Redraft),
            _ => None,
        }
    }

    /// How heavy it is.
    #[expect(clippy::too_many_lines, reason = "a table: a line for each kind")]
    pub fn severity(&self) -> Severity {
        match self {
            Self::UpdateWaiting { .. }
            | Self::ClaimFar { .. }
            | Self::LinkLeadsOut { .. }
            | Self::LinksCopied { .. }
            | Self::AlsoKnown { .. }
            | Self::MustRelease { .. }
            | Self::DataByDirectory { .. }
            | Self::DataByName { .. }
            | Self::OnlyCopy { .. }
            | Self::Incomplete { .. }
            | Self::NotLookedInto { .. }
            | Self::ShortcutStays { .. }
            | Self::WaitsOn { .. }
            | Self::NicetyLost { .. }
            | Self::AbilitiesUnknown { .. }
            | Self::PlacesMissed { .. }
            | Self::FilesStay(Staying {
                why: WhyStaying::NameOnly | WhyStaying::Unreadable | WhyStaying::Checksum,
                ..
            })
            | Self::NoContentList { .. }
            | Self::NothingToUpdate { .. }
            | Self::SeveralNames { .. }
            | Self::NewerInCopy { .. } => Severity::Warning,
            Self::NewLibrary { .. }
            | Self::FilesStay(_)
            | Self::LetterMade { .. }
            | Self::MoreRoom { .. }
            | Self::WithoutItem { .. }
            | Self::NotTried
            | Self::DataByLink { .. }
            | Self::DataBySetting { .. }
            | Self::DataStays { .. }
            | Self::LinkLeft { .. }
            | Self::LooseFolder { .. }
            | Self::ComparedWith { .. }
            | Self::TimeAhead { .. }
            | Self::Removable { .. }
            | Self::Slower { .. }
            | Self::StillHeld { .. }
            | Self::NotAllVisible { .. } => Severity::Note,
            Self::NoRoom { .. }
            | Self::NoOrder { .. }
            | Self::NoLetter { .. }
            | Self::DatabaseHeld { .. }
            | Self::LauncherRunning { .. }
            | Self::InUse { .. }
            | Self::RecordUnsound { .. }
            | Self::RecordsUnchangeable { .. }
            | Self::TargetThere { .. }
            | Self::KeptThere { .. }
            | Self::NotWritable { .. }
            | Self::AdministratorWrites { .. }
            | Self::TargetInside { .. }
            | Self::AlreadyThere { .. }
            | Self::BadPlace { .. }
            | Self::Sealed { .. }
            | Self::SourceUnreadable { .. }
            | Self::CannotHold { .. }
            | Self::LinksNeeded { .. }
            | Self::NotThereYet { .. }
            | Self::SharesFolder { .. }
            | Self::SettingGoes { .. }
            | Self::NoStateRoom { .. }
            | Self::NoDestination { .. }
            | Self::NoLibrary { .. }
            | Self::NoWay { .. }
            | Self::NoLinkThere { .. }
            | Self::LetGoForGood { .. }
            | Self::NothingLeadsThere { .. }
            | Self::NothingTells { .. }
            | Self::LauncherChanged { .. }
            | Self::DriveAway { .. }
            | Self::AnotherDrive { .. }
            | Self::SameFolder { .. }
            | Self::CopyNotWhole { .. }
            | Self::ProofFailed { .. }
            | Self::RecordsElsewhere { .. }
            | Self::StillListed { .. }
            | Self::ReadOnlyDrive { .. }
            | Self::TakenByAnother { .. }
            | Self::HaulUnfinished { .. } => Severity::Blocker,
        }
    }
}

/// A finding and the item it is about.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// How heavy it is.
    pub severity: Severity,
    /// The game, or what is moved like one; `None` if it is about the whole haul.
    pub item: Option<GameId>,
    /// Its title, for people.
    pub title: Option<String>,
    /// What was found.
    #[serde(flatten)]
    pub kind: FindingKind,
}

impl Finding {
    /// Says something about the whole haul.
    pub fn general(kind: FindingKind) -> Self {
        Self { severity: kind.severity(), item: None, title: None, kind }
    }

    /// Says something about one item.
    pub fn about(item: &GameId, title: &str, kind: FindingKind) -> Self {
        Self { item: Some(item.clone()), title: Some(title.into()), ..Self::general(kind) }
    }
}
