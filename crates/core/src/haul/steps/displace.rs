//! Stepping aside: originals get another name beside their place, and a link at the old one leads to them, so that
//! their records, which are that link, can be repointed like any other.
//!
//! Law: at every instant the old place leads to the whole originals; where a file system cannot swap two names in one
//! step there is a moment in which it does not, and the journal knows. Both ways do nothing twice.

use crate::platform;
use std::path::Path;

use crate::haul::{HaulError, ItemContext};
use crate::item::Displaced;
use crate::platform::cannot_exchange;

fn leads(link: &Path, to: &Path) -> bool {
    link.read_link().is_ok_and(|target| target == to)
}

fn is_folder(path: &Path) -> bool {
    platform::look_itself(path).is_ok_and(|meta| meta.is_folder())
}

fn is_there(path: &Path) -> bool {
    platform::look_itself(path).is_ok()
}

/// The names of an item whose originals step aside before it begins.
fn goes(work: &ItemContext<'_>) -> Option<Displaced> {
    work.item.planned.aside.clone().filter(|aside| aside.held == work.item.planned.from)
}

fn remove(work: &ItemContext<'_>, link: &Path) -> Result<(), HaulError> {
    work.site.disk.remove_link(link).map_err(HaulError::disk("remove", link))
}

fn link(work: &ItemContext<'_>, link: &Path, target: &Path) -> Result<(), HaulError> {
    work.site.disk.make_link(target, link).map_err(HaulError::disk("link", link))
}

/// Swaps two names in one step; `false` if the file system cannot.
fn exchanged(work: &ItemContext<'_>, one: &Path, other: &Path) -> Result<bool, HaulError> {
    match work.site.disk.exchange(one, other) {
        Ok(()) => Ok(true),
        Err(error) if cannot_exchange(&error) => Ok(false),
        Err(error) => Err(HaulError::disk("swap", other)(error)),
    }
}

fn rename(work: &ItemContext<'_>, from: &Path, to: &Path) -> Result<(), HaulError> {
    work.site.disk.rename(from, to).map_err(HaulError::disk("rename", to))
}

fn flush(work: &ItemContext<'_>, aside: &Displaced) -> Result<(), HaulError> {
    let parent = aside.old.parent().unwrap_or(Path::new("/"));
    work.site.disk.flush_folder(parent).map_err(HaulError::disk("flush", parent))
}

/// Has the originals of an item step aside.
pub(crate) fn step_aside(work: &ItemContext<'_>) -> Result<(), HaulError> {
    let Some(aside) = goes(work) else { return Ok(()) };
    let (old, held) = (&aside.old, &aside.held);
    if is_folder(old) {
        // It leads to itself until the names are swapped: from then on the old place leads to the originals.
        if is_there(held) && !leads(held, held) {
            return Err(HaulError::NotOurs { path: held.clone() });
        }
        if !is_there(held) {
            link(work, held, held)?;
            flush(work, &aside)?;
        }
        if !exchanged(work, old, held)? {
            remove(work, held)?;
            rename(work, old, held)?;
        }
    }
    if is_folder(held) && !is_there(old) {
        link(work, old, held)?;
    }
    if !is_folder(held) || !leads(old, held) {
        return Err(HaulError::NotOurs { path: old.clone() });
    }
    flush(work, &aside)
}

/// Brings originals that stepped aside, or that a return has brought back there, to their old place.
pub(crate) fn step_back(work: &ItemContext<'_>) -> Result<(), HaulError> {
    let Some(aside) = work.item.planned.aside.clone() else { return Ok(()) };
    let (old, held) = (&aside.old, &aside.held);
    if is_folder(held) {
        if leads(old, held) {
            if !exchanged(work, old, held)? {
                remove(work, old)?;
                rename(work, held, old)?;
            }
        } else if is_there(old) {
            return Err(HaulError::NotOurs { path: old.clone() });
        } else {
            rename(work, held, old)?;
        }
        flush(work, &aside)?;
    }
    if leads(held, held) {
        remove(work, held)?;
        flush(work, &aside)?;
    }
    Ok(())
}
