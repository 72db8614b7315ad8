//! Which file of a crate knows which, by its `use` lines and its paths. Tests are left out: they may know everything.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;
use std::sync::LazyLock;

use regex::Regex;

/// A module by the names on the way to it.
pub type Module = Vec<String>;

/// The sources of a crate.
pub struct Crate {
    /// The text of each file, without comments, texts and tests.
    files: BTreeMap<Module, String>,
    /// What a module passes on under a name, and where it has it from.
    passed_on: BTreeMap<(Module, String), Vec<String>>,
}

fn regex(text: &str) -> Regex {
    Regex::new(text).unwrap()
}

static USE: LazyLock<Regex> = LazyLock::new(|| regex(r"(?m)^[ \t]*(pub(?:\([^)]*\))?[ \t]+)?use[ \t]+([^;]+);"));
static PATH: LazyLock<Regex> = LazyLock::new(|| regex(r"\b(?:crate|super)(?:::[A-Za-z_]\w*)+"));
static PLAIN: LazyLock<Regex> = LazyLock::new(|| regex("(?s)//[^\n]*|\"(?:\\\\.|[^\"\\\\])*\""));

/// The text without what is not code.
fn code(text: &str) -> String {
    let text = PLAIN.replace_all(text, "\"\"");
    let tests = regex(r"(?m)^#\[cfg\(test\)\]\n(?:#\[[^\n]*\]\n)*(?:pub(?:\([^)]*\))? )?mod \w+( \{)?");
    match tests.captures_iter(&text).find(|found| found.get(1).is_some()) {
        Some(found) => text[..found.get(0).unwrap().start()].into(),
        None => text.into_owned(),
    }
}

/// The paths of a `use`, with the name that each gets.
fn leaves(tree: &str) -> Vec<(Vec<String>, String)> {
    let (before, inner) = tree.split_once('{').map_or((tree, None), |(before, rest)| (before, rest.rsplit_once('}')));
    let names =
        |path: &str| path.split("::").map(str::trim).filter(|name| !name.is_empty()).map(str::to_string).collect();
    let Some((inner, _)) = inner else {
        let (path, alias) = tree.split_once(" as ").map_or((tree, None), |(path, alias)| (path, Some(alias.trim())));
        let path: Vec<String> = names(path);
        let name = alias.map(str::to_string).or_else(|| path.last().cloned()).unwrap_or_default();
        return vec![(path, name)];
    };
    let (mut depth, mut from, mut parts) = (0, 0, Vec::new());
    for (at, c) in inner.char_indices() {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                parts.push(&inner[from..at]);
                from = at + 1;
            }
            _ => {}
        }
    }
    parts.push(&inner[from..]);
    let head: Vec<String> = names(before);
    let below = parts.into_iter().filter(|part| !part.trim().is_empty()).flat_map(|part| leaves(part.trim()));
    below.map(|(path, name)| (head.iter().cloned().chain(path).collect(), name)).collect()
}

impl Crate {
    /// Reads all files below a folder of sources.
    pub fn read(folder: &Path) -> Self {
        let mut all = Self { files: BTreeMap::new(), passed_on: BTreeMap::new() };
        all.gather(folder, &mut Vec::new());
        let mut passed_on = BTreeMap::new();
        for (module, text) in &all.files {
            for found in USE.captures_iter(text).filter(|found| found.get(1).is_some()) {
                for (path, name) in leaves(&found[2]) {
                    if let Some(path) = all.whole_path(module, &path) {
                        passed_on.insert((module.clone(), name), path);
                    }
                }
            }
        }
        all.passed_on = passed_on;
        all
    }

    fn gather(&mut self, folder: &Path, module: &mut Module) {
        for entry in fs::read_dir(folder).unwrap().map(Result::unwrap) {
            let (path, name) = (entry.path(), entry.file_name().into_string().unwrap());
            if path.is_dir() && name == "tests" {
                continue;
            }
            if path.is_dir() {
                module.push(name);
                self.gather(&path, module);
                module.pop();
            } else if let Some(stem) = name.strip_suffix(".rs").filter(|stem| !["tests", "made_up"].contains(stem)) {
                let mut own = module.clone();
                if !["mod", "lib", "main"].contains(&stem) {
                    own.push(stem.into());
                }
                self.files.insert(own, code(&fs::read_to_string(&path).unwrap()));
            }
        }
    }

    /// A path as it is from the top of the crate; `None` if it leads into another crate.
    fn whole_path(&self, module: &Module, path: &[String]) -> Option<Vec<String>> {
        let first = path.first()?.as_str();
        let rest = || path[1..].iter().cloned();
        match first {
            "crate" => Some(rest().collect()),
            "self" => Some(module.iter().cloned().chain(rest()).collect()),
            "super" => {
                let up = path.iter().take_while(|name| *name == "super").count();
                let above = &module[..module.len().checked_sub(up)?];
                Some(above.iter().chain(&path[up..]).cloned().collect())
            }
            _ => {
                let below: Module = module.iter().cloned().chain([first.to_string()]).collect();
                self.files.contains_key(&below).then(|| module.iter().cloned().chain(path.iter().cloned()).collect())
            }
        }
    }

    /// The file that has what a path from the top leads to.
    fn has(&self, path: &[String]) -> Option<Module> {
        let mut path = path.to_vec();
        for _ in 0..20 {
            let deepest = (0..=path.len()).rev().find(|n| self.files.contains_key(&path[..*n]))?;
            // A name that is passed on goes before a file of the same name.
            let passing = [deepest.saturating_sub(1), deepest].into_iter().find_map(|n| {
                let origin = self.passed_on.get(&(path[..n].to_vec(), path.get(n)?.clone()))?;
                let same = n < deepest && n + 1 < path.len();
                (!same && path[..=n] != origin[..])
                    .then(|| origin.iter().chain(&path[n + 1..]).cloned().collect::<Vec<_>>())
            });
            match passing {
                Some(next) => path = next,
                None => return Some(path[..deepest].to_vec()),
            }
        }
        None
    }

    /// Which file knows which others.
    pub fn arrows(&self) -> BTreeMap<Module, BTreeSet<Module>> {
        let mut all: BTreeMap<Module, BTreeSet<Module>> = BTreeMap::new();
        for (module, text) in &self.files {
            let used = USE.captures_iter(text).filter(|found| found.get(1).is_none());
            let mut paths: Vec<Vec<String>> = used.flat_map(|found| leaves(&found[2])).map(|(path, _)| path).collect();
            let rest = USE.replace_all(text, "");
            paths.extend(PATH.find_iter(&rest).map(|found| found.as_str().split("::").map(str::to_string).collect()));
            let known = paths.iter().filter_map(|path| self.has(&self.whole_path(module, path)?));
            let known = known.filter(|known| known != module && !known.is_empty());
            all.entry(module.clone()).or_default().extend(known);
        }
        all
    }

    /// The code of every file.
    pub fn texts(&self) -> impl Iterator<Item = (&Module, &str)> {
        self.files.iter().map(|(module, text)| (module, text.as_str()))
    }
}

/// Files that know each other, by whatever way round; each circle once.
pub fn circles(arrows: &BTreeMap<Module, BTreeSet<Module>>) -> Vec<Vec<String>> {
    let reach = |from: &Module| {
        let (mut seen, mut next) = (BTreeSet::new(), vec![from]);
        while let Some(module) = next.pop() {
            for known in arrows.get(module).into_iter().flatten() {
                if seen.insert(known) {
                    next.push(known);
                }
            }
        }
        seen
    };
    let reached: BTreeMap<&Module, BTreeSet<&Module>> = arrows.keys().map(|module| (module, reach(module))).collect();
    let mut found = BTreeSet::new();
    for (module, behind) in reached.iter().filter(|(module, behind)| behind.contains(*module)) {
        let members = behind.iter().filter(|other| reached.get(**other).is_some_and(|back| back.contains(*module)));
        found.insert(members.map(|member| member.join("/")).collect::<Vec<_>>());
    }
    found.into_iter().collect()
}
