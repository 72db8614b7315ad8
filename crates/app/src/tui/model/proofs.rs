//! Proofs and what was looked at closer.

use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::haul::{Closer, ListedEntry};
use deft_barge_core::item::Proof;
use std::collections::{HashMap, HashSet};
use std::path::PathBuf;

/// Where a line of the tree stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Standing {
    Same,
    Differs,
    Missing,
    Extra,
    WouldDownload,
    NotCompared,
}

/// A line of the tree that is shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TreeRow {
    pub path: PathBuf,
    pub depth: usize,
    pub folder: bool,
    pub open: bool,
    pub size: u64,
    /// Files in it, of a folder.
    pub files: u64,
    /// Files in it that are not the same; of a file 0 or 1.
    pub bad: u64,
    pub standing: Standing,
}

/// What the Proof view knows.
#[derive(Clone, Debug, Default)]
pub struct Proofs {
    pub haul: Option<HaulId>,
    /// Whether a person has chosen that haul; else it is the newest one with a proof.
    pub(crate) chosen: bool,
    pub item: usize,
    /// Proofs that were made anew since the journal was read.
    pub fresh: HashMap<PathBuf, Proof>,
    pub files: Option<(ItemId, Vec<ListedEntry>)>,
    pub fault: Option<String>,
    pub open: HashSet<PathBuf>,
    pub rows: Vec<TreeRow>,
    pub cursor: usize,
    pub closer: Option<Closer>,
    /// What is being looked at closer.
    pub looking: Option<PathBuf>,
}
