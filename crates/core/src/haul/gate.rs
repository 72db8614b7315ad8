//! The gate before every removal: whoever removes files of a game, of whatever command, gets leave here or nowhere.
//!
//! Law: it looks at what is there at this moment, not at what the journal believes. What stays is on its own drive, is another
//! folder, is what was verified, and is where the launcher's records lead; launcher and game are at rest; nobody's records
//! lead to what goes. Refused, it says why. Start at [`pass`].

use super::context::ItemContext;
use super::quiet::be_quiet;
use crate::haul::inspect::{
    Depth, Joined, LinkHandling, are_one, by_edits, content_list, edits_stand, has_digest, has_the_bytes, identity,
    is_as_it_was, is_folder_of, is_rewritten, merge_join, profiles_of, rewritten_at, what_records_say,
};
use crate::platform;
use std::collections::HashSet;
use std::path::{Path, PathBuf};
use std::time::Duration;

use super::error::HaulError;
use super::standing::settle;
use crate::bytes::ItemId;
use crate::checksums::{Entry, EntryKind};
use crate::disk::RemovalPermit;
use crate::item::{Finding, FindingKind, Strategy, WhyLeft};
use crate::journal::FileEntry;
use crate::launcher::read_places;
use crate::site::{Wanted, real_path};

/// What stays when something goes.
#[derive(Clone, Debug)]
pub(crate) enum Stays {
    /// The copy at this place, as the checksums of this item saw it.
    Copy { place: PathBuf, seen: ItemId },
    /// The originals, which the records lead to: what was made of them is given up.
    Originals(PathBuf),
    /// Nothing: it is the only copy, and a person was told so.
    Nothing,
}

/// Leave to remove, and what the look at what stays has found.
#[derive(Debug)]
pub(crate) struct Passed {
    pub(crate) permit: RemovalPermit,
    /// Files of the copy that are the game's own newer ones: their originals are the last of what they were.
    newer: HashSet<PathBuf>,
}

impl Passed {
    /// Why the original of a file of the copy has to stay, if it has to.
    pub(crate) fn keeps(&self, path: &Path) -> Option<WhyLeft> {
        self.newer.contains(path).then_some(WhyLeft::CopyChanged)
    }
}

fn refuse<T>(work: &ItemContext<'_>, kind: FindingKind) -> Result<T, HaulError> {
    Err(HaulError::Refused(vec![Finding::about(&work.item.planned.game, &work.item.planned.title, kind)]))
}

/// Gives leave to remove what is in `goes`.
///
/// # Errors
/// [`HaulError::Refused`] with the reason; and the error of a look that failed. Nothing was removed.
pub(crate) fn pass(work: &ItemContext<'_>, goes: &Path, stays: &Stays, depth: Depth) -> Result<Passed, HaulError> {
    let mut row = work.item.clone();
    let standing = settle(work.site, &mut row)?;
    for (end, path) in [(&standing.from, &row.planned.from), (&standing.to, &row.planned.to)] {
        end.required(&row.planned, path)?;
    }
    let disk = &work.site.disk;
    nobody_uses(work, goes)?;
    let place = match stays {
        Stays::Nothing => {
            nobody_lists(work, goes, None)?;
            is_not_the_last(work, &row.planned.from)?;
            return Ok(Passed { permit: RemovalPermit::of_the_only_copy(), newer: HashSet::new() });
        }
        Stays::Copy { place, .. } | Stays::Originals(place) => place,
    };
    if !disk.look(place).map_err(HaulError::disk("look at", place))?.is_some_and(|meta| meta.is_folder()) {
        return refuse(work, FindingKind::CopyNotWhole { path: place.clone(), count: 1 });
    }
    if are_one(goes, place)? {
        return refuse(work, FindingKind::SameFolder { path: goes.into(), other: place.clone() });
    }
    let permit = RemovalPermit::while_stays(place).map_err(HaulError::disk("look at", place))?;
    let newer = match stays {
        Stays::Copy { place, seen } => {
            be_quiet(work)?;
            records_lead_to(work, place)?;
            if written_just_now(work) {
                // A program that writes its list every few moments would lead them back just after the look.
                std::thread::sleep(SETTLED);
                records_lead_to(work, place)?;
            }
            nobody_lists(work, goes, Some(place))?;
            copy_is_whole(work, goes, place, *seen, depth)?
        }
        Stays::Originals(_) => {
            records_do_not_lead_to(work, goes)?;
            HashSet::new()
        }
        Stays::Nothing => HashSet::new(),
    };
    Ok(Passed { permit, newer })
}

/// Time in which a program that keeps writing its records shows.
const SETTLED: Duration = Duration::from_millis(120);

/// Whether a record file of the item was written a moment ago, by us or by another program.
fn written_just_now(work: &ItemContext<'_>) -> bool {
    let young = |file: &Path| {
        let modified = file.metadata().and_then(|meta| meta.modified());
        modified.is_ok_and(|time| time.elapsed().is_ok_and(|age| age < SETTLED * 8))
    };
    work.item.planned.record_files().into_iter().any(young)
}

/// Refuses while a program has something open of what goes.
fn nobody_uses(work: &ItemContext<'_>, goes: &Path) -> Result<(), HaulError> {
    let paths = [real_path(goes)];
    let (processes, _) = work.site.processes_using(Wanted { names: &[], paths: &paths });
    let planned = &work.item.planned;
    let found = |process| Finding::about(&planned.game, &planned.title, FindingKind::InUse { process });
    let findings: Vec<Finding> = processes.into_iter().map(found).collect();
    if findings.is_empty() { Ok(()) } else { Err(HaulError::Refused(findings)) }
}

/// Refuses if the launcher's records lead anywhere but to the copy: then what goes may be what is played.
pub(crate) fn records_lead_to(work: &ItemContext<'_>, copy: &Path) -> Result<(), HaulError> {
    let planned = &work.item.planned;
    if by_edits(planned) {
        // No profile says what to ask. Its edits are asked, unless the item has no records at all.
        let moved = planned.mode == Strategy::Duplicate || is_folder_of(&planned.to, copy) && edits_stand(planned);
        let later = !is_folder_of(&planned.to, copy);
        return if moved || later { Ok(()) } else { refuse(work, elsewhere(work, None, copy)) };
    }
    match what_records_say(work.site, &planned.game) {
        Some(game) if is_folder_of(&game.install, copy) => Ok(()),
        Some(game) => refuse(work, elsewhere(work, Some(game.install), copy)),
        // Its launcher lists it no more: an undo had nothing to update, and nobody's records lead to what goes.
        None if work.item.takes_back.is_some() => Ok(()),
        None => refuse(work, elsewhere(work, None, copy)),
    }
}

fn elsewhere(work: &ItemContext<'_>, path: Option<PathBuf>, copy: &Path) -> FindingKind {
    FindingKind::RecordsElsewhere { launcher: work.item.planned.launcher_name.clone(), path, copy: copy.into() }
}

/// Refuses if the records lead to what would be given up: a journal that was brought back from a backup knows less than they do.
fn records_do_not_lead_to(work: &ItemContext<'_>, goes: &Path) -> Result<(), HaulError> {
    let planned = &work.item.planned;
    nobody_lists(work, goes, None)?;
    if by_edits(planned) && !planned.edits.is_empty() && is_folder_of(goes, &planned.to) && edits_stand(planned) {
        return refuse(work, elsewhere(work, Some(goes.into()), &planned.from));
    }
    Ok(())
}

/// Refuses if the records of any launcher lead to what goes: another one than the item's may know the folder as well.
fn nobody_lists(work: &ItemContext<'_>, goes: &Path, copy: Option<&Path>) -> Result<(), HaulError> {
    let Some(wanted) = identity(goes)? else { return Ok(()) };
    for found in read_places(work.site, &profiles_of(work.site)) {
        let games = found.games.iter().map(|game| (&game.title, &game.install));
        let all = games.chain(found.listed_again.iter().map(|(title, install)| (title, install)));
        for (as_title, install) in all.filter(|(_, install)| copy != Some(install.as_path())) {
            if identity(install).ok().flatten() == Some(wanted) {
                let (launcher, as_title) = (found.profile.name.clone(), as_title.clone());
                return refuse(work, FindingKind::StillListed { launcher, as_title, path: goes.into() });
            }
        }
    }
    Ok(())
}

/// Refuses if what was set aside is the only whole copy of a game that a launcher lists, though its records lead elsewhere now.
fn is_not_the_last(work: &ItemContext<'_>, was: &Path) -> Result<(), HaulError> {
    let hauls = work.journal.hauls()?;
    let here = work.site.place_at(was).ok();
    let brought = hauls.iter().flat_map(|haul| &haul.items).filter(|item| item.id != work.item.id);
    for item in brought.filter(|item| item.stage.records_are_updated() && item.is_at(was, here.as_ref())) {
        if let Some(game) = what_records_say(work.site, &item.planned.game)
            && game.fault.is_some()
        {
            let (launcher, path) = (item.planned.launcher_name.clone(), Some(game.install));
            return refuse(work, FindingKind::RecordsElsewhere { launcher, path, copy: was.into() });
        }
    }
    Ok(())
}

/// Looks at every file of the copy. None may be missing; one that does not look as it did is read; one that has other bytes must
/// be what the launcher's list wants, or else be the game's own newer file. Gives those newer files.
fn copy_is_whole(
    work: &ItemContext<'_>,
    goes: &Path,
    copy: &Path,
    seen: ItemId,
    depth: Depth,
) -> Result<HashSet<PathBuf>, HaulError> {
    let (disk, stop, steady) = (&work.site.disk, work.stop, work.site.abilities_at(copy).steady());
    let contents = content_list(work)?;
    let rewritten = rewritten_at(work.site, work.journal, &work.item.planned.game, copy)?;
    let one_drive = identity(goes)?.zip(identity(copy)?).is_some_and(|(goes, copy)| goes.0 == copy.0);
    let (mut bad, mut newer): (Option<(PathBuf, u64)>, _) = (None, HashSet::new());
    // The same file under both folders is no second copy of it, unless it has a name in each.
    let is_the_same_file = |line: &FileEntry, entry: &Entry| {
        let there = platform::look_itself(line.entry.path.under(goes));
        one_drive && entry.names <= 1 && there.is_ok_and(|meta| meta.inode == entry.inode)
    };
    let mut look = |line: &FileEntry, entry: &Entry| -> Result<bool, HaulError> {
        let (path, at) = (line.entry.path.as_path(), line.entry.path.under(copy));
        if !matches!(line.entry.kind, EntryKind::File | EntryKind::Again(_)) || entry.kind != EntryKind::File {
            return Ok(is_same_kind_of_name(line, entry, &at, goes));
        }
        if is_the_same_file(line, entry) {
            return Ok(false);
        }
        if depth == Depth::Seen && is_as_it_was(line, entry, steady) || is_rewritten(&rewritten, path, &at) {
            return Ok(true);
        }
        // A further name has no hashes of its own: those of the first name are the file's.
        let of = if let EntryKind::Again(of) = &line.entry.kind { Some(of) } else { None };
        let first = of.map(|of| work.journal.line(seen, of)).transpose()?.flatten();
        let line = first.as_ref().unwrap_or(line);
        if has_the_bytes(disk, stop, &at, line)? {
            return Ok(true);
        }
        if let Some((kind, listed)) = contents.as_ref().and_then(|list| Some((list.kind, list.listed(path)?))) {
            return Ok(listed.may_have(entry.size) && has_digest(disk, &at, kind, listed)?);
        }
        // A file that was emptied is nobody's newer one.
        if entry.size == 0 && line.entry.size > 0 {
            return Ok(false);
        }
        newer.insert(path.to_path_buf());
        Ok(true)
    };
    merge_join(&work.site.disk, work.journal, seen, copy, LinkHandling::of(&work.item.planned), &mut |met| {
        work.may_go_on()?;
        let path = match met {
            Joined::Both(line, entry) if look(&line, &entry)? => return Ok(()),
            Joined::Both(line, _) | Joined::Gone(line) => line.entry.path,
            Joined::New(_) | Joined::Other(_) => return Ok(()),
        };
        bad.get_or_insert_with(|| (path.under(copy), 0)).1 += 1;
        Ok(())
    })?;
    match bad {
        Some((path, count)) => refuse(work, FindingKind::CopyNotWhole { path, count }),
        None => Ok(newer),
    }
}

/// Whether a folder is one in the copy too, and a link one that leads alike; `false` of a file that is none there.
fn is_same_kind_of_name(line: &FileEntry, entry: &Entry, at: &Path, goes: &Path) -> bool {
    match &line.entry.kind {
        EntryKind::Folder => entry.kind == EntryKind::Folder,
        EntryKind::Link(_) => matches!(entry.kind, EntryKind::Link(_)) && leads_alike(at, line, goes),
        EntryKind::File | EntryKind::Again(_) => false,
    }
}

/// Whether a link of the copy leads to something where the original's does: one that dangles now has lost what it led to.
fn leads_alike(at: &Path, line: &FileEntry, goes: &Path) -> bool {
    let EntryKind::Link(target) = &line.entry.kind else { return false };
    let says_the_same = at.read_link().is_ok_and(|now| now == *target);
    // What could not be looked at is not taken for gone.
    let dangles = |link: &Path| matches!(link.try_exists(), Ok(false));
    says_the_same || at.exists() || dangles(&line.entry.path.under(goes))
}
