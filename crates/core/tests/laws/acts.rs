//! The acts of a haul, counted: which of them are tried every day, and which where all are asked for.

use std::collections::HashMap;
use std::hash::Hash;
use std::io;
use std::mem::{Discriminant, discriminant};
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};

use deft_barge_core::disk::{Act, Gate, What};
use deft_barge_core::haul::HaulEvent;
use deft_barge_core::item::StageKind;

use crate::scenarios::{Case, Scenario};

/// Whether every fault is tried at every act; some of each kind take long enough for every day.
pub fn every_fault() -> bool {
    std::env::var_os("DEFT_BARGE_ALL_FAULTS").is_some()
}

/// Each act twice, to go on after it and to go back: what mends one of the two may hide what the other needs.
pub fn both_ways(acts: impl IntoIterator<Item = usize>) -> impl Iterator<Item = (usize, bool)> {
    acts.into_iter().flat_map(|act| [(act, true), (act, false)])
}

/// Kills the program at an act on a record: it and whatever comes after it does not happen.
#[derive(Debug)]
pub struct KilledAtRecords {
    is_record: fn(&str) -> bool,
    from: usize,
    acts: AtomicUsize,
}

impl KilledAtRecords {
    pub fn new(is_record: fn(&str) -> bool, from: usize) -> Arc<Self> {
        Arc::new(Self { is_record, from, acts: AtomicUsize::new(0) })
    }

    /// Acts on records so far.
    pub fn acts(&self) -> usize {
        self.acts.load(Ordering::SeqCst)
    }
}

impl Gate for KilledAtRecords {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let killed = || Err(io::Error::from_raw_os_error(5));
        let counts = !act.only_reads() && (self.is_record)(&act.path().to_string_lossy());
        if counts && self.acts.fetch_add(1, Ordering::SeqCst) >= self.from {
            return killed();
        }
        if self.acts() > self.from { killed() } else { Ok(()) }
    }
}

pub type ActKind = Discriminant<Act<'static>>;

/// The kind of an act, whatever it is done to.
pub fn kind_of(act: &Act<'_>) -> ActKind {
    let nowhere = Path::new("");
    let (path, offset, len) = (nowhere, 0, 0);
    discriminant(&match act {
        Act::Look(_) => Act::Look(path),
        Act::OpenFolder(_) => Act::OpenFolder(path),
        Act::OpenRead(_) => Act::OpenRead(path),
        Act::Read { .. } => Act::Read { path, offset, len },
        Act::ReadFolder(_) => Act::ReadFolder(path),
        Act::Create(_) => Act::Create(path),
        Act::OpenWrite(_) => Act::OpenWrite(path),
        Act::Write { .. } => Act::Write { path, offset, len },
        Act::SetLen { .. } => Act::SetLen { path, len },
        Act::Flush(_) => Act::Flush(path),
        Act::FlushFolder(_) => Act::FlushFolder(path),
        Act::FlushDrive(_) => Act::FlushDrive(path),
        Act::Share { .. } => Act::Share { at: path, of: path },
        Act::Meta(_) => Act::Meta(path),
        Act::MakeFolder(_) => Act::MakeFolder(path),
        Act::MakeLink { .. } => Act::MakeLink { at: path },
        Act::HardLink { .. } => Act::HardLink { at: path, of: path },
        Act::Rename { .. } => Act::Rename { from: path, to: path },
        Act::Replace { .. } => Act::Replace { from: path, to: path },
        Act::Exchange { .. } => Act::Exchange { one: path, other: path },
        Act::Commit(_) => Act::Commit(path),
        Act::Remove { .. } => Act::Remove { path, what: What::File },
    })
}

/// An act that was done: its kind, the stage that its haul had told of last, and whether it changed something.
#[derive(Clone, Copy)]
struct Done {
    kind: ActKind,
    stage: Option<StageKind>,
    changes: bool,
}

/// Writes down what acts a haul does at which stage.
#[derive(Default)]
pub struct ActLog {
    stage: Mutex<Option<StageKind>>,
    done: Mutex<Vec<Done>>,
}

impl std::fmt::Debug for ActLog {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("ActLog")
    }
}

impl Gate for ActLog {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let stage = *self.stage.lock().unwrap();
        self.done.lock().unwrap().push(Done { kind: kind_of(act), stage, changes: !act.only_reads() });
        Ok(())
    }
}

/// The first, the middle and the last of these.
fn some(of: &[usize]) -> Vec<usize> {
    let mut chosen = vec![of[0], of[of.len() / 2], of[of.len() - 1]];
    chosen.dedup();
    chosen
}

/// Numbers of the acts to try of so many of one kind: the first, the middle and the last, or all.
pub fn days_choice(acts: usize) -> Vec<usize> {
    let all: Vec<usize> = (0..acts).collect();
    if every_fault() { all } else { some(&all) }
}

impl ActLog {
    /// The acts of a scenario that meets no fault.
    pub fn of(scenario: Scenario) -> Arc<Self> {
        let log = Arc::new(Self::default());
        let case = Case::new(scenario);
        let disk = case.port.site().disk.and_gate(log.clone());
        let hear = |event| {
            if let HaulEvent::Stage { stage, .. } = event {
                *log.stage.lock().unwrap() = Some(stage);
            }
        };
        case.act_told(Some(disk), &hear).unwrap();
        log
    }

    /// For each kind of act the numbers of those to try, counted within the kind: the first, the middle and the last of each stage,
    /// or all.
    pub fn chosen_by_kind(&self, every: bool) -> Vec<(ActKind, Vec<usize>)> {
        let done = self.done.lock().unwrap();
        let mut kinds: Vec<(ActKind, Vec<Option<StageKind>>)> = Vec::new();
        for act in &*done {
            match kinds.iter_mut().find(|(kind, _)| *kind == act.kind) {
                Some((_, stages)) => stages.push(act.stage),
                None => kinds.push((act.kind, vec![act.stage])),
            }
        }
        assert!(kinds.len() >= 5, "{kinds:?}");
        kinds.into_iter().map(|(kind, stages)| (kind, chosen(stages.into_iter(), every))).collect()
    }

    /// Numbers of the acts to try of those that change something: of each kind and stage the first, the middle and the last, or all.
    pub fn chosen_changes(&self, every: bool) -> Vec<usize> {
        let done = self.done.lock().unwrap();
        chosen(done.iter().filter(|act| act.changes).map(|act| (act.kind, act.stage)), every)
    }
}

fn chosen<L: Eq + Hash>(labels: impl Iterator<Item = L>, every: bool) -> Vec<usize> {
    let mut by_label: HashMap<L, Vec<usize>> = HashMap::new();
    for (n, label) in labels.enumerate() {
        by_label.entry(label).or_default().push(n);
    }
    let mut chosen: Vec<usize> = by_label.into_values().flat_map(|of| if every { of } else { some(&of) }).collect();
    chosen.sort_unstable();
    chosen
}
