//! Records found anew: what leads to one place is made to lead to another, by what the files say at this moment.
//!
//! Law: neither the position nor the text that a record had when its haul was planned is relied on. What is gone and need not be there
//! is nothing to do; what leads to a third place stays. Start at [`lead_anew`].

use std::path::{Path, PathBuf};

use super::rewrites::{MakeLetters, Target, edits};
use super::unchangeable::Unchangeable;
use crate::item::PlannedItem;
use crate::launcher::{FoundGame, FoundLauncher, load_profiles, read_launcher_supposing};
use crate::record::{Edit, EditError, FileChange, Files, Mood, Spelling};
use crate::site::Site;

/// What leading records anew comes to.
#[derive(Debug)]
pub(crate) struct Leading {
    /// The record files that change.
    pub(crate) changes: Vec<FileChange>,
    /// Whether the launcher lists the game; `true` where no profile describes it.
    pub(crate) listed: bool,
    /// Records that the haul had and that were not found.
    pub(crate) missed: Vec<EditError>,
}

/// Makes, in memory, what has the records of an item lead to `to` instead of `from`. `own` are the item's own edits, for what no profile
/// describes, `made` what it, or the haul that it undoes, made of record files.
///
/// # Errors
/// [`EditError`] if a record that was found cannot be changed.
pub(crate) fn lead_anew(
    site: &Site,
    planned: &PlannedItem,
    (own, made): (&[Edit], &[FileChange]),
    (from, to): (&Path, &Path),
) -> Result<Leading, EditError> {
    let mut files = Files::carried(planned.source(), &planned.to).after(made);
    let (found, listed) = match of_profile(site, planned, own, from, to) {
        Some(Ok(edits)) => (edits, true),
        Some(Err(why)) => return Err(EditError::Impossible { why }),
        None => (Vec::new(), planned.launcher.is_empty() || !has_profile(site, planned)),
    };
    files.make(&found, Mood::Again)?;
    // What the profile has covered is done; of the rest the item's own edits say what it was.
    let covered = |edit: &&Edit| {
        let same_file = |other: &Edit| other.files().iter().any(|file| edit.files().contains(file));
        !matches!(edit, Edit::Register(_) | Edit::Unregister(_) | Edit::Made { .. }) && found.iter().any(same_file)
    };
    let rest: Vec<Edit> = own.iter().filter(|edit| !covered(edit)).cloned().collect();
    let missed = files.make_where_found(&rest);
    // A launcher that forgot the library has its entry all the same, in that library's list: once both are there, it is listed.
    let of_list =
        |edit: &&Edit| matches!(edit, Edit::Travel { .. } | Edit::Relocate { .. } | Edit::Enter(_) | Edit::Register(_));
    let entry: Vec<Edit> = rest.iter().filter(of_list).cloned().collect();
    let travels = entry.iter().any(|edit| !matches!(edit, Edit::Register(_)));
    let listed = listed || (travels && files.make(&entry, Mood::Again).is_ok());
    Ok(Leading { changes: files.changes(), listed, missed })
}

/// The library that a place is in: by the profile's template for install folders, else the one that is listed, or that the haul makes
/// known, else the folder above.
fn library_of(site: &Site, found: &FoundLauncher, game: &FoundGame, own: &[Edit], to: &Path) -> Option<PathBuf> {
    let template = &found.profile.games.install;
    let fits = |library: &&Path| {
        let values = found.values(site).with("id", &game.id).with("folder", &game.folder);
        let values = values.with("library", library.to_string_lossy());
        template.fill(&values).is_ok_and(|install| Path::new(&install) == to)
    };
    let by_template = to.ancestors().skip(1).find(fits).filter(|_| template.names("library"));
    let listed = || found.libraries.iter().map(|known| known.path.as_path()).filter(|library| to.starts_with(library));
    let listed = || listed().max_by_key(|library| library.components().count());
    let of_own = || {
        own.iter().find_map(|edit| match edit {
            Edit::Follow(following) => {
                let bases = found.bases(site);
                let bases = bases.seen_from(&following.file);
                let says = [&following.from, &following.to].map(|text| Spelling::read(text, &bases));
                let paths = says.into_iter().filter_map(|read| read.ok().map(|(_, path)| path));
                paths.filter(|library| to.starts_with(library)).max_by_key(|library| library.components().count())
            }
            _ => None,
        })
    };
    by_template.or_else(listed).map(Path::to_path_buf).or_else(of_own).or_else(|| to.parent().map(Path::to_path_buf))
}

fn has_profile(site: &Site, planned: &PlannedItem) -> bool {
    load_profiles(&site.profile_folder()).0.iter().any(|profile| profile.id == planned.launcher)
}

/// The edits of the launcher's own records; `None` if no profile describes it or it does not list the game.
fn of_profile(
    site: &Site,
    planned: &PlannedItem,
    own: &[Edit],
    from: &Path,
    to: &Path,
) -> Option<Result<Vec<Edit>, String>> {
    let (launcher, id) = planned.game.0.split_once('/')?;
    let profile = load_profiles(&site.profile_folder()).0.into_iter().find(|profile| profile.id == launcher)?;
    let found = read_launcher_supposing(site, &profile, id, from)?;
    let mut game = found.games.iter().find(|game| game.id == id)?.clone();
    // A game of several launchers' files: what is not sound under this supposition leads elsewhere, and stays.
    game.install = from.into();
    let library = library_of(site, &found, &game, own, to);
    let library = library.as_deref().filter(|_| profile.libraries.is_some());
    let known = |library: &Path| found.libraries.iter().any(|known| known.path == library);
    let registers = own.iter().any(|edit| matches!(edit, Edit::Register(_)));
    let root = site.drive_of(to).map_or_else(|| to.into(), |drive| drive.root.clone());
    let target = Target {
        install: to,
        library,
        new_library: registers && library.is_some_and(|library| !known(library)),
        root: &root,
        letters: if own.iter().any(|edit| matches!(edit, Edit::Link { old: None, .. })) {
            MakeLetters::Yes
        } else {
            MakeLetters::No
        },
    };
    let made = edits(site, &found, &game, &target, &[]).map(|repointing| repointing.edits);
    Some(made.map_err(Unchangeable::why))
}
