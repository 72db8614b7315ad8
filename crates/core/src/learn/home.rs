//! The folder that is a launcher's own, and what it is called.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use super::evidence::Evidence;
use super::in_libraries::is_a_library;
use super::list::{GameList, ListAt};
use super::whose::folder_of;
use crate::platform::in_template;
use crate::record::{Bases, Letters, Spelling};
use crate::site::{Site, real_path};

/// A launcher's own folder.
#[derive(Clone, Debug)]
pub(super) struct Home {
    pub id: String,
    pub name: String,
    pub path: PathBuf,
    /// The folder as a template.
    pub template: String,
    /// Templates of the folders of compatibility layers that its paths go through.
    pub prefixes: Vec<String>,
    /// Names of the programs in it.
    pub processes: Vec<String>,
}

impl Home {
    /// Of a launcher with this list, and lists of libraries.
    pub fn of(site: &Site, list: &GameList, libraries: &[GameList], evidence: &Evidence) -> Self {
        let path = folder_of(site, list.file(), evidence);
        let places = [&site.places.config, &site.places.data, &site.places.state, &site.places.home];
        // A file that lies beside those of all others is called after its launcher.
        let stem = || list.shown().file_stem().unwrap_or_default().to_string_lossy().into_owned();
        // A layer is called after what keeps it.
        let above = path.strip_prefix(site.places.config.as_path()).or(path.strip_prefix(site.places.data.as_path()));
        let keeper =
            above.ok().and_then(|below| below.components().next()).map(|first| first.as_os_str().to_os_string());
        let own = if places.contains(&&path) {
            stem()
        } else {
            let name = keeper.unwrap_or_else(|| path.file_name().unwrap_or_default().to_os_string());
            name.to_string_lossy().into_owned()
        };
        let words = own.trim_start_matches('.').split(['-', '_', ' ', '.']).filter(|word| !word.is_empty());
        let name: Vec<String> = words.map(capital).collect();
        let name = if name.is_empty() { "Launcher".to_string() } else { name.join(" ") };
        let id: String = name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
        let layers = evidence.layers.iter().map(Letters::prefix);
        let near = layers.filter(|prefix| path.starts_with(prefix) || prefix.starts_with(&path));
        let mut prefixes: Vec<String> = near.map(|prefix| template_of(site, prefix)).collect();
        if prefixes.is_empty() {
            let mut all = libraries.iter().chain([list]);
            let layers = all.find_map(|list| layers_of(list, &evidence.layers)).unwrap_or_default();
            prefixes.extend(layers.into_iter().map(|layer| template_of(site, layer.prefix())));
        }
        Self { id, name, template: template_of(site, &path), processes: programs_in(&path), prefixes, path }
    }

    /// The same under an id that no other has.
    pub fn named_apart(mut self, ids: &mut BTreeSet<String>) -> Self {
        let mut nth = 1;
        let plain = self.id.clone();
        while !ids.insert(self.id.clone()) {
            nth += 1;
            self.id = format!("{plain}-{nth}");
        }
        self
    }

    /// Whether its records lie among the games, so that they would have to go where these go.
    pub fn is_beside_games(&self, site: &Site, list: &GameList) -> bool {
        // The person's own folder holds launchers as well as games.
        let above = list.dirs().filter_map(Path::parent).filter(|above| is_a_library(site, above));
        let above: BTreeSet<&Path> = above.collect();
        if list.lies_in_libraries() {
            return false;
        }
        let folder = match &list.at {
            ListAt::One(file) => file.parent().unwrap_or(Path::new("/")),
            ListAt::Each { folder, .. } => folder,
            ListAt::InLibraries { below, .. } => below,
        };
        // A launcher that keeps its games in its own folder keeps its lists there as well.
        above.iter().any(|above| folder.starts_with(above)) || list.dirs().any(|dir| list.file().starts_with(dir))
    }
}

/// The layer by whose letters the entries of a list lead to their games; several only if these letters lead to the top of all files in each,
/// as then it doesn't matter which one is meant.
fn layers_of<'l>(list: &GameList, layers: &'l [Letters]) -> Option<Vec<&'l Letters>> {
    let own = list.to_path.first();
    let said = || list.entries.iter().filter_map(|entry| Some((entry.scalars.get(&own)?, entry.dir.as_deref()?)));
    let leads = |layer: &&Letters| {
        let bases = Bases { letters: vec![(*layer).clone()], ..Bases::default() };
        let read = |text: &str| Spelling::read(text, &bases).ok().filter(|(spelling, _)| spelling.has_letter());
        said().next().is_some()
            && said()
                .all(|(text, dir)| read(text).is_some_and(|(_, path)| real_path(&path).starts_with(real_path(dir))))
    };
    let leading: Vec<&Letters> = layers.iter().filter(leads).collect();
    let letters = || said().filter_map(|(text, _)| text.chars().next());
    let is_top = |layer: &&Letters| letters().all(|letter| layer.leads_to(letter) == Some(Path::new("/")));
    (leading.len() == 1 || (leading.len() > 1 && leading.iter().all(is_top))).then_some(leading)
}

fn capital(word: &str) -> String {
    let mut chars = word.chars();
    chars.next().map(|first| first.to_uppercase().chain(chars).collect()).unwrap_or_default()
}

/// A path as a template of the folders that every machine has.
pub(super) fn template_of(site: &Site, path: &Path) -> String {
    let places = &site.places;
    let all = [("config", &places.config), ("data", &places.data), ("state", &places.state), ("user", &places.home)];
    for (name, place) in all {
        if let Ok(rest) = path.strip_prefix(place) {
            let rest = in_template(rest);
            return if rest.is_empty() { format!("{{{name}}}") } else { format!("{{{name}}}/{rest}") };
        }
    }
    let key = crate::platform::REGISTRY.and_then(|registry| path.strip_prefix(registry).ok());
    if let Some(key) = key {
        return format!("{{registry}}/{}", in_template(key).trim_start_matches('/'));
    }
    in_template(path)
}

/// Names of the programs that lie in a launcher's folder.
fn programs_in(folder: &Path) -> Vec<String> {
    let entries = crate::platform::read_dir(folder).into_iter().flatten().flatten();
    let files = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_file()));
    let programs = files.filter(|entry| crate::survey::is_program(&entry.path()));
    let mut names: Vec<String> = programs.filter_map(|entry| entry.file_name().into_string().ok()).collect();
    names.sort();
    names
}
