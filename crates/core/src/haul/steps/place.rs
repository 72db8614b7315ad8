//! Putting a compared copy in its place, and renaming an item that stays on its file system.
//!
//! Law: names are made durable where they come to be before they are made durable where they leave.
//! A rename is bridged by a link, so that old and new records lead to the whole game all the time.

use crate::platform;
use crate::platform::cannot_exchange;
use std::path::Path;

use crate::checksums::{EntryKind, WalkEnd, walk_each};
use crate::disk::What;
use crate::haul::copy::aimed;
use crate::haul::inspect::{both_are_the_same, not_as_seen};
use crate::haul::{HaulError, ItemContext};
use crate::item::Stage;

fn is_link(path: &Path) -> bool {
    platform::look_itself(path).is_ok_and(|meta| meta.is_link())
}

/// Whether a link at the new place is the one that bridges it to the old one.
fn is_bridge(to: &Path, from: &Path) -> bool {
    to.read_link().is_ok_and(|target| target == from)
}

fn is_folder(path: &Path) -> bool {
    platform::look_itself(path).is_ok_and(|meta| meta.is_folder())
}

/// Renames the folder of ours to the item's place, if the originals are still what was compared.
pub(crate) fn place(work: &mut ItemContext<'_>, staging: &Path) -> Result<(), HaulError> {
    let to = work.item.planned.to.clone();
    let disk = work.site.disk.clone();
    let look = |path: &Path| disk.look(path).map_err(HaulError::disk("look at", path));
    match (look(staging)?.is_some_and(|meta| meta.is_folder()), look(&to)?.is_some()) {
        (true, false) => {
            match both_are_the_same(work, staging) {
                Ok(()) => {}
                Err(HaulError::Changed { .. } | HaulError::SourceChanged { .. }) => {
                    return work.set_stage(Stage::Copying { staging: staging.into() });
                }
                Err(error) => return Err(error),
            }
            disk.rename(staging, &to).map_err(HaulError::disk("rename", &to))?;
        }
        // A crash came between the rename and the journal: the folder is the one that was compared.
        (false, true) if is_ours(work, &to)? => {}
        (false, false) => return work.set_stage(Stage::Copying { staging: staging.into() }),
        (_, true) => return Err(HaulError::NotOurs { path: to }),
    }
    if let Some(parent) = to.parent() {
        disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))?;
    }
    work.set_stage(Stage::Placed)
}

/// Whether a folder is the one that was verified: by its inode where that is steady, else by all that is in it.
pub(crate) fn is_ours(work: &ItemContext<'_>, to: &Path) -> Result<bool, HaulError> {
    let root = work.journal.lines(work.item.id).next().transpose()?;
    let there = crate::haul::copy::seen(to)?;
    let steady = work.abilities().steady().inodes;
    let known = root.and_then(|line| line.there).is_some_and(|known| known.inode == there.inode);
    Ok(steady && known || not_as_seen(work, to)?.is_none())
}

/// Bridges the new place by a link to the old one; a file system without links renames at once.
pub(crate) fn link(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let (from, to) = (work.item.planned.from.clone(), work.item.planned.to.clone());
    if matches!(work.item.stage, Stage::Planned) {
        if platform::look_itself(&to).is_ok() {
            return Err(HaulError::NotOurs { path: to });
        }
        work.make_way(to.parent().unwrap_or(Path::new("/")))?;
        let links = work.abilities().links && work.abilities().known;
        work.set_stage(if links { Stage::Linked } else { Stage::Renaming })?;
    }
    if matches!(work.item.stage, Stage::Renaming) {
        return rename(work);
    }
    if is_bridge(&to, &from) {
        return Ok(());
    }
    if platform::look_itself(&to).is_ok() {
        return Err(HaulError::NotOurs { path: to });
    }
    if work.site.disk.make_link(&from, &to).is_err() {
        work.set_stage(Stage::Renaming)?;
        return rename(work);
    }
    flush_parent(work, &to)
}

fn flush_parent(work: &ItemContext<'_>, path: &Path) -> Result<(), HaulError> {
    let parent = path.parent().unwrap_or(Path::new("/"));
    work.site.disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))
}

/// Renames without a bridge. Between this and the repoint the records lead nowhere; the journal knows.
pub(crate) fn rename(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    move_folder(work)?;
    work.set_stage(Stage::Placed)
}

fn move_folder(work: &ItemContext<'_>) -> Result<(), HaulError> {
    let (from, to) = (&work.item.planned.from, &work.item.planned.to);
    if is_folder(from) {
        work.site.disk.rename(from, to).map_err(HaulError::disk("rename", to))?;
    }
    flush_parent(work, to)?;
    flush_parent(work, from)
}

/// Re-aims the absolute links inside a renamed item that lead to its old place. Does nothing twice.
///
/// Before the swap the new place is reached through the bridge, so that these links lead somewhere all the time.
fn aim_links(work: &ItemContext<'_>) -> Result<(), HaulError> {
    let (from, to) = (&work.item.planned.from, &work.item.planned.to);
    let root = if is_folder(from) { from } else { to };
    let disk = &work.site.disk;
    let mut links = Vec::new();
    walk_each(disk, root, &mut |found| {
        if let WalkEnd::Entry(entry) = found
            && matches!(entry.kind, EntryKind::Link(_))
        {
            links.push(entry);
        }
        Ok::<(), std::io::Error>(())
    })
    .map_err(HaulError::disk("read", root))?;
    for entry in links {
        let EntryKind::Link(target) = &entry.kind else { continue };
        let Some(aim) = aimed(target, from, to) else { continue };
        let at = entry.path.under(root);
        let fresh = at.with_file_name(work.own_name("link"));
        if is_link(&fresh) {
            disk.remove_own(&fresh, What::File).map_err(HaulError::disk("remove", &fresh))?;
        }
        disk.make_link(&aim, &fresh).map_err(HaulError::disk("link", &fresh))?;
        disk.set_link_meta(&fresh, entry.modified_ns, work.owner_to_set(&entry))
            .map_err(HaulError::disk("set the time of", &fresh))?;
        disk.replace(&fresh, &at).map_err(HaulError::disk("replace", &at))?;
        flush_parent(work, &at)?;
    }
    Ok(())
}

/// Swaps the folder and the bridging link in one step, and removes the link. Does nothing twice.
pub(crate) fn swap(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    let (from, to) = (work.item.planned.from.clone(), work.item.planned.to.clone());
    let disk = work.site.disk.clone();
    aim_links(work)?;
    if is_link(&to) && is_folder(&from) {
        match disk.exchange(&from, &to) {
            Ok(()) => {
                flush_parent(work, &to)?;
                flush_parent(work, &from)?;
            }
            // A file system that cannot swap names in one step. After any other error the bridge stays.
            Err(error) if !cannot_exchange(&error) => return Err(HaulError::disk("swap", &to)(error)),
            Err(_) => disk.remove_link(&to).map_err(HaulError::disk("remove", &to))?,
        }
    }
    if platform::look_itself(&to).is_err() {
        move_folder(work)?;
    }
    if is_link(&from) {
        disk.remove_link(&from).map_err(HaulError::disk("remove", &from))?;
        flush_parent(work, &from)?;
    }
    Ok(())
}

/// Takes back a bridge or a rename whose item is given up.
pub(crate) fn unplace(work: &mut ItemContext<'_>) -> Result<(), HaulError> {
    // Nothing was made yet: whatever is at the new place is somebody else's.
    if work.item.stage == Stage::Planned {
        return Ok(());
    }
    let (from, to) = (work.item.planned.from.clone(), work.item.planned.to.clone());
    if is_bridge(&to, &from) {
        work.site.disk.remove_link(&to).map_err(HaulError::disk("remove", &to))?;
    } else if is_folder(&to) && platform::look_itself(&from).is_err() {
        work.site.disk.rename(&to, &from).map_err(HaulError::disk("rename", &from))?;
        flush_parent(work, &from)?;
    }
    flush_parent(work, &to)
}
