//! Entries that say the game's place in parts: the folder above it apart from its name, or beside the whole path.
//!
//! Law: what games share is not taken for one game's own. Where other games lie beside the wanted one, an entry is the game's if another
//! entry, or another file, says another of them where this one says the wanted one.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use super::find::{Find, Sure};
use super::looking::{Hit, Looking, Means, find};
use crate::platform::{self, Look};
use crate::record::{Bases, Place, Shape, Side, Source, Spelling, Step, Within};
use crate::site::real_path;

/// Entries, and files beside one, that are looked into for another game.
const TRIED: usize = 2000;

/// Bytes of the largest such file.
const LARGEST: u64 = 1_000_000;

/// What the text of an element is called.
const TEXT: &str = "#text";

impl Looking<'_> {
    /// Adds the folder above the wanted one where an entry says it; `led` are the places of texts that lead to the wanted one or are its
    /// name. A name beside the folder that it lies in is certain from then on.
    pub(super) fn add_parts(
        &self,
        file: &Path,
        shape: Shape,
        source: &Source,
        bases: &Bases,
        led: &[(Place, usize)],
        finds: &mut Vec<Find>,
    ) {
        // The texts of each entry that start as many steps above the wanted path.
        let mut entries: BTreeMap<(Place, usize), Vec<&Place>> = BTreeMap::new();
        for (place, up) in led {
            entries.entry((entry_of(place), *up)).or_default().push(place);
        }
        let mut certain: HashSet<String> = HashSet::new();
        for ((entry, up), here) in entries {
            let mut near = true;
            let (mut entry, mut parents) = (entry.clone(), self.parents(source, members(source, &entry), bases, up));
            if parents.is_empty()
                && let Some(around) = around(&entry)
            {
                near = false;
                let inner = members(source, &around);
                let deeper = inner.iter().flat_map(|member| members(source, member)).collect::<Vec<_>>();
                parents = self.parents(source, inner.into_iter().chain(deeper).collect(), bases, up);
                entry = around;
            }
            if parents.is_empty() || !self.is_of_the_game((file, shape), source, &entry, &here, (near, up)) {
                continue;
            }
            let sure = if parents.len() == 1 { Sure::Certain } else { Sure::Likely };
            if sure == Sure::Certain {
                certain.extend(here.iter().map(ToString::to_string));
            }
            let found = parents.into_iter().map(|(place, text, spelling)| {
                let hit = Hit {
                    inside: Vec::new(),
                    side: Side::Value,
                    within: Within::Value,
                    written: source.written(&place, Side::Value).map(str::to_string),
                    text,
                    whole: None,
                    meaning: if up == 1 { Means::Parent } else { Means::Above(up) },
                    spelling: spelling.describe(),
                    sure,
                };
                find(file, shape, source, &place, hit)
            });
            finds.extend(found);
        }
        let named = finds.iter_mut().filter(|find| find.sure == Sure::NameOnly);
        named.filter(|find| certain.contains(&find.record.location)).for_each(|find| find.sure = Sure::Certain);
    }

    /// The texts of an entry that are the folder so many steps above the wanted one; none if it says another folder of that place.
    fn parents(
        &self,
        source: &Source,
        members: Vec<Place>,
        bases: &Bases,
        up: usize,
    ) -> Vec<(Place, String, Spelling)> {
        let Some(above) = self.wanted.ancestors().nth(up) else { return Vec::new() };
        let real_above = real_path(above);
        let is_above = |path: &Path| path == above || real_path(path) == real_above;
        let mut parents = Vec::new();
        for place in members.into_iter().flat_map(|member| texts_of(source, member)) {
            let Some(text) = source.leaf(&place, Side::Value).filter(|text| text != self.name) else { continue };
            let another =
                up == 1 && !text.is_empty() && !text.contains(['/', '\\', '.']) && above.join(&text).look_is_dir();
            let Ok((spelling, path)) = Spelling::read(&text, bases) else { continue };
            let absolute = Path::new(&text).is_absolute() || spelling.has_letter();
            let on_the_way = || up > 1 && self.wanted.starts_with(&path);
            let beside =
                || absolute && path.parent().is_some_and(is_above) && self.below(&path).is_none() && !on_the_way();
            if another || beside() {
                return Vec::new();
            }
            if absolute && is_above(&path) {
                parents.push((place, text, spelling));
            }
        }
        parents
    }

    /// Whether an entry is this game's own, and not settings that name the folder of all games and one of them. Where both do not stand
    /// side by side in it (`near`), no other games are no sign.
    fn is_of_the_game(
        &self,
        (file, shape): (&Path, Shape),
        source: &Source,
        entry: &Place,
        here: &[&Place],
        (near, up): (bool, usize),
    ) -> bool {
        let others = self.others(up);
        let named = matches!(entry.0.last(), Some(Step::Name(key)) if key == self.name);
        if (near && others.is_empty()) || named || file.file_stem().is_some_and(|stem| stem == self.name) {
            return true;
        }
        let says_another = |source: &Source, place: &Place| {
            let text = source.leaf(place, Side::Value).unwrap_or_default();
            text.split(['/', '\\']).any(|name| others.contains(name))
        };
        // The same place of other entries, at whatever depth the entries part.
        let parts = |depth: usize| {
            let beside = source.children(&Place(entry.0[..depth].to_vec())).unwrap_or_default();
            let alike = |place: &Place, beside: &Place| Place([&beside.0, &place.0[depth + 1..]].concat());
            beside
                .iter()
                .take(TRIED)
                .filter(|other| other.0[depth] != entry.0[depth])
                .any(|other| here.iter().any(|place| says_another(source, &alike(place, other))))
        };
        if (0..entry.0.len()).any(parts) {
            return true;
        }
        let listed = entry.0.iter().any(|step| matches!(step, Step::Index(_)));
        !listed
            && files_like(file).any(|path| {
                Source::read(&path, shape).is_ok_and(|other| here.iter().any(|place| says_another(&other, place)))
            })
    }

    /// Names of the folders that lie beside the wanted one, and beside those above it on a way of so many steps.
    fn others(&self, up: usize) -> HashSet<String> {
        let mut others = HashSet::new();
        for above in self.wanted.ancestors().skip(1).take(up) {
            for entry in platform::read_dir(above).into_iter().flatten().flatten() {
                let Ok(name) = entry.file_name().into_string() else { continue };
                let on_the_way = self.wanted.iter().any(|part| part == name.as_str());
                if !on_the_way && !name.starts_with('.') && entry.file_type().is_ok_and(|kind| kind.is_dir()) {
                    others.insert(name);
                }
            }
        }
        others
    }
}

/// Small files beside one that end as it does.
fn files_like(file: &Path) -> impl Iterator<Item = PathBuf> + use<'_> {
    let entries = file.parent().and_then(|folder| platform::read_dir(folder).ok()).into_iter().flatten().flatten();
    let alike = move |path: &PathBuf| path != file && path.extension() == file.extension();
    let paths = entries.map(|entry| entry.path()).filter(alike);
    paths.filter(|path| path.look_own_meta().is_ok_and(|meta| meta.is_file() && meta.size <= LARGEST)).take(TRIED)
}

/// A member of an entry, and the texts of the elements of its name.
fn texts_of(source: &Source, member: Place) -> Vec<Place> {
    let elements = source.children(&member).unwrap_or_default();
    let is_element = |place: &&Place| matches!(place.0.last(), Some(Step::Index(_)));
    let of_elements: Vec<Place> =
        elements.iter().filter(is_element).map(|element| element.child(Step::Name(TEXT.into()))).collect();
    std::iter::once(member).chain(of_elements).collect()
}

fn members(source: &Source, entry: &Place) -> Vec<Place> {
    source.children(entry).unwrap_or_default()
}

/// The entry around an object that is a member of it; none around one of the whole file.
pub(crate) fn around(object: &Place) -> Option<Place> {
    match object.0.as_slice() {
        [_, .., Step::Name(_)] => Some(Place(object.0[..object.0.len() - 1].to_vec())),
        _ => None,
    }
}

/// The entry that a place belongs to: what holds it, or what holds the element whose text it is.
pub(crate) fn entry_of(place: &Place) -> Place {
    match place.0.as_slice() {
        [rest @ .., Step::Name(_), Step::Index(_), Step::Name(text)] if text == TEXT => Place(rest.to_vec()),
        [rest @ .., _] => Place(rest.to_vec()),
        [] => Place::default(),
    }
}
