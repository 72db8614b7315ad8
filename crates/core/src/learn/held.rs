//! Lists of games that stand in the entries of their libraries.
//!
//! Law: what the entry of a library holds is of that library, and of no other. Start at [`joined_over`].

use super::list::{Entry, GameList, ListAt};
use crate::platform::Look;

/// Whether a list, or some of it, stands in the entries of libraries.
pub(super) fn is_within(list: &GameList, libraries: &GameList) -> bool {
    list.file() == libraries.file() && list.entries.iter().any(|entry| library_around(libraries, entry).is_some())
}

/// A list whose entries say their folders' names, with the folders in the libraries that hold them; `None` if one is no entry in a library's.
pub(super) fn held_by(mut list: GameList, libraries: &GameList) -> Option<GameList> {
    let to_path = list.to_path.first();
    for entry in &mut list.entries {
        let library = library_around(libraries, entry).filter(|one| one.place != entry.place)?;
        let name = entry.scalars.get(&to_path).filter(|name| !name.is_empty());
        let folder = library.dir.as_ref().zip(name).map(|(dir, name)| dir.join(name));
        entry.dir = folder.filter(|dir| dir.as_path().look_is_dir());
    }
    list.held = true;
    Some(list)
}

/// The library in whose entry another entry stands.
fn library_around<'a>(libraries: &'a GameList, entry: &Entry) -> Option<&'a Entry> {
    libraries.entries.iter().find(|library| entry.place.0.starts_with(&library.place.0))
}

/// Has lists that stand alike in the entries of different libraries be one: where these have names, each seemed to be a list of its own.
pub(super) fn joined_over(lists: Vec<GameList>, libraries: &[GameList]) -> Vec<GameList> {
    let mut all: Vec<GameList> = Vec::new();
    for mut list in lists {
        let around = libraries.iter().filter(|of| matches!(list.at, ListAt::One(_)) && of.file() == list.file());
        let around = around.filter_map(|of| Some((of, list.entries.first().and_then(|one| library_around(of, one))?)));
        let held = around.into_iter().find(|(of, library)| {
            let inside = |entry: &Entry| library_around(of, entry).is_some_and(|one| one.place == library.place);
            list.entries.iter().all(|entry| inside(entry) && entry.place != library.place)
        });
        let Some((of, library)) = held else {
            all.push(list);
            continue;
        };
        let below = list.to_entry.0.split_off(library.place.0.len());
        list.to_entry.0 = of.to_entry.0.iter().cloned().chain(below).collect();
        let alike = |one: &&mut GameList| {
            (one.file(), one.shape, &one.to_entry, &one.to_path, one.side, one.by_name)
                == (list.file(), list.shape, &list.to_entry, &list.to_path, list.side, list.by_name)
        };
        match all.iter_mut().find(alike) {
            Some(one) => {
                one.pure &= list.pure;
                one.entries.extend(list.entries);
            }
            None => all.push(list),
        }
    }
    all
}
