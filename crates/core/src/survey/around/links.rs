//! Links around the games: where each leads, and whether it lives.

use super::values::{Around, SeenLink, game_id};
use crate::platform;
use std::collections::{HashMap, HashSet};
use std::path::{Component, Path, PathBuf};

use rayon::prelude::*;

use crate::launcher::{FoundLauncher, Record, UNSAID};
use crate::platform::Look;
use crate::record::{Bases, Meaning, Shape, Side, Spelling, Within};
use crate::site::{Site, real_path};

/// How deep links are looked for below the folders of settings and data, and below drives and libraries.
const DEEP: usize = 4;
const SHALLOW: usize = 2;

/// Where a link's text leads, seen from its folder, without following what it leads to.
pub(crate) fn where_link_leads(link: &Path, says: &Path) -> PathBuf {
    let folder = link.parent().map(real_path).unwrap_or_default();
    let mut out = PathBuf::new();
    for part in folder.join(says).components() {
        match part {
            Component::ParentDir => drop(out.pop()),
            Component::CurDir => {}
            other => out.push(other),
        }
    }
    out
}

fn below(folder: &Path, depth: usize, but: &HashSet<PathBuf>) -> Vec<PathBuf> {
    if but.contains(folder) {
        return Vec::new();
    }
    let (mut links, mut folders) = (Vec::new(), Vec::new());
    for entry in platform::read_dir(folder).into_iter().flatten().flatten() {
        let Ok(kind) = entry.file_type() else { continue };
        if kind.is_symlink() {
            links.push(entry.path());
        } else if kind.is_dir() && depth > 0 {
            folders.push(entry.path());
        }
    }
    let inner = folders.par_iter().map(|folder| below(folder, depth - 1, but)).flatten().collect::<Vec<_>>();
    links.extend(inner);
    links
}

/// Finds links that lead into games or nowhere, and adds the former to the games' records.
pub(crate) fn look(site: &Site, found: &mut [FoundLauncher], around: &mut Around) {
    let places = &site.places;
    let installs: Vec<PathBuf> = found.iter().flat_map(|f| &f.games).map(|game| game.install.clone()).collect();
    let mut skip: HashSet<PathBuf> = installs.iter().cloned().collect();
    // A library may be reached through a link: its games are the same folders by another path.
    skip.extend(installs.iter().map(|install| real_path(install)));
    skip.extend([site.state_folder(), places.home.join(".cache")]);
    let mut roots: Vec<(PathBuf, usize)> =
        [&places.config, &places.data, &places.state].map(|path| (path.clone(), DEEP)).to_vec();
    roots.push((places.home.clone(), SHALLOW));
    roots.extend(super::shortcuts::user_directories(site).into_iter().map(|(_, path, _)| (path, DEEP)));
    roots.extend(found.iter().flat_map(|f| &f.libraries).map(|library| (library.path.clone(), SHALLOW)));
    roots.extend(installs.iter().filter_map(|install| Some((install.parent()?.to_path_buf(), 1))));
    let tops = site.drives.iter().filter(|drive| !site.is_of_system(drive) && !drive.absent);
    roots.extend(tops.map(|drive| (drive.root.clone(), SHALLOW)));
    roots.sort();
    roots.dedup();
    let mut links: Vec<PathBuf> = roots.par_iter().map(|(root, depth)| below(root, *depth, &skip)).flatten().collect();
    links.sort();
    links.dedup();
    let mut lies: HashMap<PathBuf, Vec<(usize, usize)>> = HashMap::new();
    for (l, launcher) in found.iter().enumerate() {
        for (g, game) in launcher.games.iter().enumerate() {
            let mut places = vec![game.install.clone(), real_path(&game.install)];
            places.dedup();
            for place in places {
                lies.entry(place).or_default().push((l, g));
            }
        }
    }
    for link in links {
        let Ok(says) = link.look_link() else { continue };
        let leads_to = where_link_leads(&link, &says);
        let alive = link.look_meta().is_ok();
        let mut into = None;
        for above in leads_to.ancestors() {
            for (l, g) in lies.get(above).into_iter().flatten() {
                let launcher = &mut found[*l];
                let game = &launcher.games[*g];
                if game.fault.is_some() && alive {
                    continue;
                }
                into.get_or_insert_with(|| game_id(launcher, game));
                let below = leads_to.strip_prefix(above).unwrap_or(Path::new(""));
                let known = game.records.iter().any(|record| record.shape == Shape::Link && record.file == link);
                if let (Some(record), false) = (link_record(&link, &says, below), known || game.fault.is_some()) {
                    launcher.games[*g].records.push(record);
                }
            }
        }
        if into.is_some() || !alive {
            around.links.push(SeenLink { path: link, says, leads_to, alive, into, out_of: None });
        }
    }
    around.links.extend(out_of_games(found));
}

/// Links within games that lead out of them, near the top of each.
fn out_of_games(found: &[FoundLauncher]) -> Vec<SeenLink> {
    let games: Vec<_> =
        found.iter().flat_map(|launcher| launcher.games.iter().map(move |game| (launcher, game))).collect();
    let sound = games.par_iter().filter(|(_, game)| game.fault.is_none());
    let links = sound.flat_map(|(launcher, game)| {
        let real = real_path(&game.install);
        let out = below(&real, DEEP, &HashSet::new()).into_iter().filter_map(|link| {
            let says = link.look_link().ok()?;
            let leads_to = where_link_leads(&link, &says);
            let inside = leads_to.starts_with(&real) || leads_to.starts_with(&game.install);
            let (alive, out_of) = (link.look_meta().is_ok(), Some(game_id(launcher, game)));
            (!inside).then_some(SeenLink { path: link, says, leads_to, alive, into: None, out_of })
        });
        out.collect::<Vec<_>>()
    });
    links.collect()
}

/// The record that a link is of the folder it leads to, or of what lies `below` it.
pub(crate) fn link_record(link: &Path, says: &Path, below: &Path) -> Option<Record> {
    let text = says.to_str()?.to_string();
    let bases = Bases { relative_to: link.parent().map(Path::to_path_buf), ..Bases::default() };
    let (spelling, _) = Spelling::read(&text, &bases).ok()?;
    let meaning = |text: &str| Meaning::try_from(text.to_string()).unwrap_or_default();
    let tail = below.to_str().filter(|below| !below.is_empty()).map(str::to_string);
    Some(Record {
        file: link.into(),
        shape: Shape::Link,
        location: "$".into(),
        inside: Vec::new(),
        through: None,
        side: Side::Value,
        within: Within::Value,
        text,
        meaning: meaning(if tail.is_some() { "{install}/{tail}" } else { "{install}" }),
        spelling: spelling.describe(),
        sound: true,
        in_entry: false,
        tail,
        relative_to: says.is_relative().then(|| meaning("file")),
        whole: None,
        written: None,
        said_by: UNSAID,
    })
}
