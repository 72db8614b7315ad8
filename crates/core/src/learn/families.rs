//! Lists of games of which each has a file of its own: files that are called and built alike.

use std::collections::{BTreeSet, HashMap};
use std::path::Path;

use super::evidence::Evidence;
use super::list::{Entry, GameList, ListAt, around};
use super::pattern::{Pattern, PatternStep};
use super::seen::{Seen, SeenFile};
use super::whose::folder_of;
use crate::platform::in_template;
use crate::record::{Place, Shape, Side, Source, Step, scalars_of};
use crate::site::Site;

/// Where files that belong together lie and how they are called: folder, end of the name, shape, place, side, and whether by the name.
type Key<'a> = (&'a Path, String, Shape, &'a Place, Side, bool);
type Family<'a> = (Key<'a>, Vec<(&'a SeenFile, &'a Seen)>);

/// Lists of one file for each game: files of one folder that say the same at the same place.
pub(super) fn families(site: &Site, evidence: &Evidence, files: &[SeenFile]) -> Vec<GameList> {
    let alike = alike(site, evidence, files);
    let mut all: Vec<_> = alike.into_values().collect();
    all.sort_by_key(|((folder, _, _, place, ..), _)| (folder.to_path_buf(), place.0.len(), (*place).clone()));
    all.into_iter().filter_map(family).collect()
}

/// Files that are called and built alike, by what makes them so.
fn alike<'a>(site: &Site, evidence: &Evidence, files: &'a [SeenFile]) -> HashMap<String, Family<'a>> {
    let mut alike: HashMap<String, Family<'a>> = HashMap::new();
    for file in files {
        // One that leads to several games is a list of its own.
        let dirs: BTreeSet<&Path> = file.seen.iter().map(|seen| seen.dir.as_path()).collect();
        let apart =
            |dir: &&Path| !dirs.iter().any(|other| other != dir && (dir.starts_with(other) || other.starts_with(dir)));
        if dirs.iter().filter(|dir| apart(dir)).count() > 1 {
            continue;
        }
        // Beside one another, or of one name in a folder each; such folders are in the launcher's own.
        let Some(folder) = file.file.parent() else { continue };
        let home = folder_of(site, &file.file, evidence);
        let end = file.file.extension().unwrap_or_default().to_string_lossy().into_owned();
        let own = file.file.file_name().map(|name| format!("/{}", name.to_string_lossy())).unwrap_or_default();
        let above = folder.parent().filter(|above| above.starts_with(&home));
        let ways = [Some((folder, end)), above.map(|above| (above, own))];
        for (seen, (folder, end)) in file.seen.iter().flat_map(|seen| ways.iter().flatten().map(move |way| (seen, way)))
        {
            let key = (*folder, end.clone(), file.shape, &seen.place, seen.side, seen.by_name);
            let name =
                format!("{}\0{end}\0{}\0{}\0{:?}{}", folder.display(), file.shape, seen.place, seen.side, seen.by_name);
            alike.entry(name).or_insert_with(|| (key, Vec::new())).1.push((file, seen));
        }
    }
    alike
}

/// One list of files that are alike, where they tell games apart.
fn family(((folder, end, shape, place, side, by_name), members): Family<'_>) -> Option<GameList> {
    let dirs: BTreeSet<&Path> = members.iter().map(|(_, seen)| seen.dir.as_path()).collect();
    // Of several files that say one folder each, several folders.
    if dirs.len() < 2 || dirs.len() * 2 < members.len() + 1 || side == Side::Key {
        return None;
    }
    let below = |file: &'_ SeenFile| {
        let path = file.file.strip_prefix(folder).ok()?;
        path.to_str().map(|_| in_template(path))
    };
    let names: Vec<String> = members.iter().filter_map(|(file, _)| below(file)).collect();
    // Of files in folders of their own only these differ.
    let firsts: Vec<&str> = names.iter().map(|name| name.strip_suffix(end.as_str()).unwrap_or(name)).collect();
    let own = end.starts_with('/');
    let parted = if own { around(&firsts) } else { around(&names.iter().map(String::as_str).collect::<Vec<_>>()) };
    let (before, mut after) = parted?;
    if own {
        after.push_str(&end);
    }
    // A place that a number leads to is one of several of a file.
    if place.0.iter().any(|step| matches!(step, Step::Index(n) if *n > 0)) {
        return None;
    }
    let entries = members.iter().map(|(file, seen)| {
        let source = Source::read(&file.file, file.shape).ok();
        let value = source.as_ref().and_then(|source| source.value_at(&Place::default()));
        let scalars = value.map(|value| scalars_of(&value)).unwrap_or_default();
        Entry { file: file.file.clone(), place: Place::default(), dir: Some(seen.dir.clone()), scalars }
    });
    let entries = entries.collect();
    let exact = |step: &Step| match step {
        Step::Name(name) => PatternStep::Name(name.clone()),
        Step::Index(_) => PatternStep::Any,
    };
    let to_path = Pattern(place.0.iter().map(exact).collect());
    let at = ListAt::Each { folder: folder.into(), before, after };
    let list = GameList::new(at, shape, (Pattern::default(), to_path), by_name, entries);
    Some(GameList { side, ..list })
}
