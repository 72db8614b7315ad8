//! A file on its way: what of it is copied, what is compared, and who may compare next.
//!
//! Law: a segment is compared once all its blocks are copied, and where a digest is made, in its turn; a file with a
//! block that cannot be read never becomes the same. Start at [`FileJob::dealt_with`].

use crate::bytes::index;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use crate::checksums::{BlockHash, Entry, block_count, block_span};
use crate::disk::{Disk, DiskFile};
use crate::haul::{HaulError, lock};
use crate::journal::{Attribute, Beside};
use crate::launcher::{Digest, DigestKind, ListedFile};
use crate::platform::Abilities;

/// Blocks of a large file that are flushed and compared together, while later ones are still copied: 128 MiB.
const SEGMENT: u64 = 32;

/// Where an item is copied from and to.
#[derive(Debug)]
pub(crate) struct CopyRoute {
    pub(crate) from: PathBuf,
    pub(crate) to: PathBuf,
    /// Whether the target's file system has holes.
    pub(crate) holes: bool,
    /// Whether the target may share the original's bytes, since both are on one file system that can.
    pub(crate) shares: bool,
    /// Time after which a drive that does not answer is said to hang.
    pub(crate) patience: Duration,
    /// Whether the originals' file system holds attributes.
    pub(crate) attributes: bool,
    /// What the target's file system can hold.
    pub(crate) target: Abilities,
}

/// A file on its way.
#[derive(Debug)]
pub(crate) struct FileJob {
    pub(crate) entry: Entry,
    /// Where its bytes stand among those of the item.
    pub(crate) start: u64,
    pub(crate) way: Arc<CopyRoute>,
    /// Another copy to read instead of the original.
    pub(crate) taken: Option<PathBuf>,
    pub(crate) digest: Option<DigestKind>,
    /// The digest that the launcher's content list has of a file of this length.
    wanted: Option<Vec<u8>>,
    /// Whether all its blocks were copied in an earlier run, which may not have got as far as its times.
    pub(crate) copied_before: bool,
    /// Attributes that the file had before it came to a file system that holds none.
    pub(crate) remembered: Vec<Attribute>,
    beside: Mutex<Beside>,
    state: Mutex<State>,
    pair: Mutex<Option<Arc<Pair>>>,
}

#[derive(Debug)]
struct State {
    hashes: Vec<Option<BlockHash>>,
    /// Blocks of each segment that are still to be copied.
    to_copy: Vec<u32>,
    /// Segments that are copied and wait for their turn.
    waiting: Vec<u64>,
    /// The segment whose turn it is.
    next: u64,
    /// Whether it is being compared.
    comparing: bool,
    /// Segments that are still to be compared.
    to_compare: u64,
    blocks_left: u64,
    lost: bool,
    digest: Option<Digest>,
}

impl State {
    fn turn(&mut self) -> Option<u64> {
        let next = self.next;
        let at = self.waiting.iter().position(|waits| *waits == next).filter(|_| !self.comparing)?;
        self.comparing = true;
        Some(self.waiting.swap_remove(at))
    }
}

#[derive(Debug)]
struct Pair {
    from: DiskFile,
    to: DiskFile,
    /// Whether the copy was made just now, so that what is not written reads as zeros.
    fresh: bool,
    /// Whether the copy shares the original's bytes already.
    shared: bool,
}

impl FileJob {
    /// Makes one of which the blocks in `known` are copied already.
    pub(crate) fn new(
        (entry, start): (Entry, u64),
        way: Arc<CopyRoute>,
        known: Vec<Option<BlockHash>>,
        taken: Option<PathBuf>,
        listed: Option<&(DigestKind, ListedFile)>,
        remembered: Vec<Attribute>,
    ) -> Self {
        let to_copy: Vec<u32> =
            known.chunks(index(SEGMENT)).map(|part| part.iter().map(|hash| u32::from(hash.is_none())).sum()).collect();
        let digest = listed.map(|(kind, _)| *kind);
        let wanted = listed.filter(|(_, listed)| listed.may_have(entry.size)).map(|(_, listed)| listed.hash.clone());
        let copied_before = known.iter().all(Option::is_some);
        let state = State {
            blocks_left: to_copy.iter().map(|n| u64::from(*n)).sum(),
            to_compare: to_copy.len() as u64,
            to_copy,
            hashes: known,
            waiting: Vec::new(),
            next: 0,
            comparing: false,
            lost: false,
            digest: digest.map(Digest::new),
        };
        let (state, pair, beside) = (Mutex::new(state), Mutex::default(), Mutex::default());
        Self { entry, start, way, taken, digest, wanted, copied_before, remembered, beside, state, pair }
    }

    /// Whether it is one block, which one worker copies as a whole.
    pub(crate) fn is_small(&self) -> bool {
        block_count(self.entry.size) == 1
    }

    pub(crate) fn from(&self) -> PathBuf {
        self.taken.clone().unwrap_or_else(|| self.entry.path.under(&self.way.from))
    }

    pub(crate) fn to(&self) -> PathBuf {
        self.entry.path.under(&self.way.to)
    }

    /// The blocks that are still to be copied.
    pub(crate) fn missing(&self) -> Vec<u64> {
        let state = lock(&self.state);
        let missing = state.hashes.iter().enumerate().filter(|(_, hash)| hash.is_none());
        missing.map(|(nth, _)| nth as u64).collect()
    }

    pub(crate) fn missing_bytes(&self) -> u64 {
        self.missing().into_iter().map(|nth| block_span(self.entry.size, nth).1 as u64).sum()
    }

    pub(crate) fn hash(&self, nth: u64) -> Option<BlockHash> {
        lock(&self.state).hashes.get(index(nth)).copied().flatten()
    }

    pub(crate) fn set_hash(&self, nth: u64, hash: BlockHash) {
        if let Some(known) = lock(&self.state).hashes.get_mut(index(nth)) {
            *known = Some(hash);
        }
    }

    /// Keeps what stands beside the bytes of the original and of the copy.
    pub(crate) fn set_beside(&self, beside: Beside) {
        *lock(&self.beside) = beside;
    }

    pub(crate) fn beside(&self) -> Beside {
        lock(&self.beside).clone()
    }

    pub(crate) fn take_in_digest(&self, bytes: &[u8]) {
        if let Some(digest) = &mut lock(&self.state).digest {
            digest.take(bytes);
        }
    }

    pub(crate) fn begin_digest(&self) {
        lock(&self.state).digest = self.digest.map(Digest::new);
    }

    /// Whether a digest is the listed one; where none is listed, whatever is there is as good.
    pub(crate) fn is_as_listed(&self, digest: Option<&[u8]>) -> bool {
        self.wanted.as_deref().is_none_or(|wanted| digest == Some(wanted))
    }

    pub(crate) fn end_digest(&self) -> Option<Vec<u8>> {
        lock(&self.state).digest.take().map(Digest::end)
    }

    /// The blocks of a segment.
    pub(crate) fn segment(&self, nth: u64) -> std::ops::Range<u64> {
        nth * SEGMENT..block_count(self.entry.size).min((nth + 1) * SEGMENT)
    }

    /// The segments that nothing has to be copied of any more.
    pub(crate) fn whole_segments(&self) -> Vec<u64> {
        let state = lock(&self.state);
        state.to_copy.iter().enumerate().filter(|(_, left)| **left == 0).map(|(nth, _)| nth as u64).collect()
    }

    /// Says that a segment is copied; gives the one that may be compared now, if there is one.
    ///
    /// A digest is made from the first byte to the last: then segments are compared in their order, one at a time.
    pub(crate) fn ready(&self, segment: u64) -> Option<u64> {
        let mut state = lock(&self.state);
        if self.digest.is_none() {
            return Some(segment);
        }
        state.waiting.push(segment);
        state.turn()
    }

    /// Says that a segment was compared; gives one that may be compared now, and whether it was the last one.
    pub(crate) fn compared(&self) -> (Option<u64>, bool) {
        let mut state = lock(&self.state);
        state.to_compare -= 1;
        state.comparing = false;
        state.next += 1;
        let over = state.to_compare == 0;
        (state.turn(), over)
    }

    /// Says that a block was dealt with, `lost` if it cannot be read; gives the segment if it is copied, and whether all are over.
    pub(crate) fn dealt_with(&self, nth: u64, lost: bool) -> (Option<u64>, bool, bool) {
        let mut state = lock(&self.state);
        state.lost |= lost;
        state.blocks_left -= 1;
        let over = state.blocks_left == 0;
        let segment = nth / SEGMENT;
        // A segment with a lost block is never compared: its count stays above zero.
        let left = state.to_copy.get_mut(index(segment)).map_or(1, |left| {
            *left -= u32::from(!lost);
            *left
        });
        let whole = (left == 0).then_some(segment);
        (whole, over, state.lost)
    }

    /// Opens original and copy, once for all workers.
    pub(crate) fn open(&self, disk: &Disk) -> Result<DiskPair, HaulError> {
        let mut slot = lock(&self.pair);
        if let Some(pair) = slot.as_ref() {
            return Ok(DiskPair(Arc::clone(pair)));
        }
        let (from_path, to_path) = (self.from(), self.to());
        let from = disk.open_original(&from_path).map_err(HaulError::disk("open", &from_path))?;
        let (to, there) = match disk.create(&to_path) {
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => (disk.open_write(&to_path), true),
            other => (other, false),
        };
        let to = to.map_err(HaulError::disk("make", &to_path))?;
        let shared = self.way.shares && !there && self.entry.size > 0 && disk.share(&from, &to).is_ok();
        let large = !self.is_small();
        if !shared && (there || (large && self.way.holes) || self.has_holes()) {
            // A longer rest of an earlier try is cut off; holes are what is not written afterwards.
            disk.set_len(&to, self.entry.size).map_err(HaulError::disk("size", &to_path))?;
        }
        let pair = Arc::new(Pair { from, to, fresh: !there, shared });
        if large {
            *slot = Some(Arc::clone(&pair));
        }
        Ok(DiskPair(pair))
    }

    /// Lets go of original and copy.
    pub(crate) fn close(&self) {
        lock(&self.pair).take();
    }

    /// Whether the original has holes that the copy can have too.
    pub(crate) fn has_holes(&self) -> bool {
        self.way.holes && self.entry.allocated < self.entry.size
    }
}

/// Original and copy, open.
pub(crate) struct DiskPair(Arc<Pair>);

impl DiskPair {
    pub(crate) fn from(&self) -> &DiskFile {
        &self.0.from
    }

    pub(crate) fn to(&self) -> &DiskFile {
        &self.0.to
    }

    pub(crate) fn fresh(&self) -> bool {
        self.0.fresh
    }

    pub(crate) fn shared(&self) -> bool {
        self.0.shared
    }
}
