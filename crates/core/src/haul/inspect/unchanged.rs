//! Whether originals and copy are still what was verified.

use std::path::{Path, PathBuf};

use super::bytes::has_the_bytes;
use std::time::{Duration, Instant};

use super::merge::{Joined, LinkHandling, first_change, is_as_it_was, merge_join};
use super::rewritten::{Rewritten, is_rewritten, rewritten_at};
use crate::haul::{HaulError, ItemContext};

use crate::checksums::EntryKind;

/// Finds the first line of a copy at `root` that is not there as it was when it was compared, and how many there are.
pub(crate) fn not_as_seen(work: &ItemContext<'_>, root: &Path) -> Result<Option<(PathBuf, u64)>, HaulError> {
    if !work.site.disk.is_folder(root).map_err(HaulError::disk("look at", root))? {
        return Ok(Some((root.into(), 1)));
    }
    let steady = work.abilities().steady();
    let mut missing: Option<(PathBuf, u64)> = None;
    let mut rewritten: Option<Rewritten> = None;
    merge_join(&work.site.disk, work.journal, work.item.id, root, LinkHandling::of(&work.item.planned), &mut |met| {
        let path = match met {
            Joined::Both(line, entry) if is_as_it_was(&line, &entry, steady) => return Ok(()),
            // Brought back from a backup, or touched: its bytes tell.
            Joined::Both(line, entry)
                if entry.kind == EntryKind::File
                    && has_the_bytes(&work.site.disk, work.stop, &line.entry.path.under(root), &line)? =>
            {
                return Ok(());
            }
            Joined::New(_) | Joined::Other(_) => return Ok(()),
            Joined::Both(line, _) | Joined::Gone(line) => line.entry.path,
        };
        let (game, place) = (&work.item.planned.game, &work.item.planned.to);
        let known = match &rewritten {
            Some(known) => known,
            None => rewritten.insert(rewritten_at(work.site, work.journal, game, place)?),
        };
        if is_rewritten(known, path.as_path(), &path.under(root)) {
            return Ok(());
        }
        // A record of the item's own may have been changed by a repoint that this journal does not know of.
        let at = path.under(root);
        if work.item.planned.record_files().contains(&at.as_path())
            && work.site.disk.look(&at).map_err(HaulError::disk("look at", &at))?.is_some_and(|meta| meta.size > 0)
        {
            return Ok(());
        }
        missing.get_or_insert_with(|| (path.under(root), 0)).1 += 1;
        Ok(())
    })?;
    Ok(missing)
}

/// Whether originals and copy are both what was compared, as of some moments ago at most.
pub(crate) fn both_are_the_same(work: &mut ItemContext<'_>, copy: &Path) -> Result<(), HaulError> {
    /// What was seen so short a time ago is not looked at once more.
    const FRESH: Duration = Duration::from_secs(2);
    if work.looked.is_some_and(|then| then.elapsed() < FRESH) {
        return Ok(());
    }
    let (disk, journal, item) = (&work.site.disk, work.journal, work.item.id);
    let (from, apart, steady) = (&work.item.planned.from, work.originals(), work.source_abilities().steady());
    if work.originals_away {
        return match not_as_seen(work, copy)? {
            Some((path, count)) => Err(HaulError::Changed { path, count }),
            None => Ok(()),
        };
    }
    // Both are walked at the same time: they mostly lie on two drives.
    let (seen, changed) = std::thread::scope(|scope| {
        let originals = scope.spawn(move || first_change(disk, journal, item, from, apart, steady));
        (not_as_seen(work, copy), originals.join())
    });
    if let Some((path, count)) = seen? {
        return Err(HaulError::Changed { path, count });
    }
    if let Some(path) = changed.map_err(|_| HaulError::NeedsRecovery)?? {
        return Err(HaulError::SourceChanged { path });
    }
    work.looked = Some(Instant::now());
    Ok(())
}
