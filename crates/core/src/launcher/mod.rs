//! Launchers: profiles that say where they keep their records, and what those records say now.
//!
//! Law: no launcher is known here by name; everything comes from a [`Profile`]. Reading changes nothing,
//! and a broken file spoils no more than what it describes. Start at [`read_launchers`].

mod check;
mod checksum_lines;
mod contents;
mod drift;
mod found;
mod matching;
mod origin;
mod place;
mod profile;
mod reading;
mod sample;
mod settings;
mod shape;
mod shortcuts;

#[cfg(test)]
mod tests;

pub use check::{CheckLine, Mismatch, ProfileCheck, check_profile};
pub use checksum_lines::{ChecksumLine, Column, is_checksum_remark, read_checksum_line};
pub use contents::{ContentList, ContentsError, Digest, DigestKind, ListedFile, content_ids};
pub(crate) use contents::{from_hex, path_of, with_backslashes};
pub use found::{FoundGame, FoundLauncher, FoundLibrary, ListEntry, Problem, Staying, Update, WhyStaying};
pub use matching::Record;
pub(crate) use matching::{base_in, base_of};
pub use origin::Origin;
pub use place::{PlaceFault, is_of_the_system, place_fault};
pub use profile::{
    Adopt, AdoptFile, Algorithm, Carry, Contents, DataKind, DefaultLibrary, EntryRecord, FileRecord, Games, GuideStep,
    Inside, LearnedFrom, Libraries, Need, Profile, ProfileError, SettingAt, Until, UpdateAt, UserDataAt, load_profiles,
};
pub use reading::read_launchers;
pub(crate) use reading::{home_of, read_launcher_supposing, read_only, read_places};
pub(crate) use sample::check_lists;
pub use sample::{ListCheck, ListFault, ListFaultKind};
pub use settings::UNSAID;
pub(crate) use settings::{plain_record, read_setting};
pub use shape::{Drift, EntryShape};
pub use shortcuts::shortcut_records;
