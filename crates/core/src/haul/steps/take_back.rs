//! Kept originals are read, compared with their checksums, and taken up again.

use crate::haul::inspect::{
    Depth, Joined, LinkHandling, ProofSubject, content_list, is_as_it_was, look, merge_join, rewritten_at,
};
use crate::haul::{BATCH, HaulError, ItemContext};

use crate::checksums::EntryKind;
use crate::item::Stage;
use crate::journal::{FileEntry, There};

/// Reads the kept originals and compares them with the checksums, before anything leads to them again.
pub(crate) fn take_up(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let Some(old) = work.item.takes_back else { return Err(HaulError::NeedsRecovery) };
    let mut lines = work.journal.lines(old);
    loop {
        let some = lines.by_ref().take(BATCH).map(|line| line.map(swapped)).collect::<Result<Vec<_>, _>>()?;
        if some.is_empty() {
            break;
        }
        work.journal.put_entries(work.item.id, &some)?;
    }
    let planned = &work.item.planned;
    let contents = content_list(work)?;
    let rewritten = rewritten_at(work.site, work.journal, &planned.game, &planned.to)?;
    let subject = ProofSubject {
        journal: work.journal,
        item: work.item.id,
        title: &planned.title,
        install: &planned.to,
        contents: contents.as_ref(),
        rewritten: &rewritten,
        apart: LinkHandling::of(planned),
        abilities: work.site.abilities_at(&planned.to),
        // The checksums alone decide: what somebody set beside the bytes is no reason to keep a game away.
        beside: false,
    };
    let proof = look(&work.site.disk, &subject, Depth::Read, work.report, work.stop)?;
    let same = proof.differ == 0 && proof.missing == 0;
    if !same {
        let first = proof.differences.first().map(|d| planned.to.join(&d.path));
        let count = (proof.differ + proof.missing).max(1);
        return Err(HaulError::Changed { path: first.unwrap_or_else(|| planned.to.clone()), count });
    }
    work.journal.set_all_compared(work.item.id)?;
    see_again(work)?;
    work.set_stage(Stage::Placed)
}

/// Writes down what is seen of files that were just read and are the same, where it is not what was seen before.
fn see_again(work: &ItemContext<'_>) -> Result<(), HaulError> {
    let (place, steady) = (work.item.planned.to.clone(), work.abilities().steady());
    let mut seen: Vec<FileEntry> = Vec::new();
    merge_join(
        &work.site.disk,
        work.journal,
        work.item.id,
        &place,
        LinkHandling::of(&work.item.planned),
        &mut |met| {
            if let Joined::Both(mut line, entry) = met
                && line.entry.kind != EntryKind::Folder
                && !is_as_it_was(&line, &entry, steady)
            {
                line.there =
                    Some(There { inode: entry.inode, modified_ns: entry.modified_ns, changed_ns: entry.changed_ns });
                seen.push(line);
            }
            Ok(())
        },
    )?;
    Ok(work.journal.put_entries(work.item.id, &seen)?)
}

/// A line with original and copy in each other's place.
fn swapped(line: FileEntry) -> FileEntry {
    let (inode, modified_ns, changed_ns) = (line.entry.inode, line.entry.modified_ns, line.entry.changed_ns);
    let there = There { inode, modified_ns, changed_ns };
    let mut entry = line.entry.clone();
    if let Some(copy) = line.there {
        (entry.inode, entry.modified_ns, entry.changed_ns) = (copy.inode, copy.modified_ns, copy.changed_ns);
    }
    FileEntry { entry, there: Some(there), compared: false, taken: None, ..line }
}
