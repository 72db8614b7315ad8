//! A profile drafted from a trace: for a person to read, mend and check.
//!
//! Law: every line comes from something that was found; what was guessed says so in a comment.

use std::path::{Path, PathBuf};

use serde_json::Value;

use super::find::{Find, Sure, Trace};
use crate::record::{Format, Place, Shape, Side, Source, Step};
use crate::site::Site;

/// Where a list of games may stand, as one find lets on.
struct Guess {
    file: PathBuf,
    shape: Shape,
    /// The entry of the game.
    entry: Place,
    /// Entries beside it that have the same key.
    siblings: usize,
    says: Value,
}

fn quoted(text: &str) -> String {
    toml::Value::String(text.into()).to_string()
}

fn scalar(value: &Value) -> Option<String> {
    match value {
        Value::String(text) => Some(text.clone()),
        Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}

fn step(step: &Step) -> String {
    Place(vec![step.clone()]).to_string()[1..].to_string()
}

/// Writes a profile from what a trace found.
pub fn draft_profile(site: &Site, trace: &Trace) -> String {
    let guess = best_guess(trace);
    let folder = trace.path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let mut out = format!(
        "# Drafted from a trace of {}.\n# Read it, correct it, then: deft-barge profile check FILE\nformat = 1\n",
        trace.path.display()
    );
    let Some(guess) = guess else {
        out.push_str("# No list of games was found that this path stands in; a haul can still use the trace itself.\n");
        return out;
    };
    let drafting = Drafting::new(site, trace, &guess, folder);
    out.push_str(&drafting.head());
    out.push_str(&drafting.games());
    for find in &trace.finds {
        out.push_str(&drafting.record(find));
    }
    out
}

/// The find that stands in what looks most like a list of games.
fn best_guess(trace: &Trace) -> Option<Guess> {
    let fits = |find: &&Find| {
        let record = &find.record;
        let says = record.meaning.is("install") || record.meaning.is("folder");
        says && record.inside.is_empty()
            && record.within.is_value()
            && record.side == Side::Value
            && record.shape != Shape::Link
            && !record.file.starts_with(&trace.path)
            && find.sure <= Sure::NameOnly
    };
    let mut best: Option<(bool, bool, Guess)> = None;
    for find in trace.finds.iter().filter(fits) {
        let Some(guess) = guess_of(find) else { continue };
        // A shortcut is the last place to look for a launcher, and a whole path a better sign than a name.
        let (list, whole) = (find.record.shape != Shape::Text(Format::Desktop), find.record.meaning.is("install"));
        let better = best.as_ref().is_none_or(|(best_list, best_whole, best)| {
            (list, whole, guess.siblings) > (*best_list, *best_whole, best.siblings)
        });
        if better {
            best = Some((list, whole, guess));
        }
    }
    best.map(|(.., guess)| guess)
}

fn guess_of(find: &Find) -> Option<Guess> {
    let record = &find.record;
    let place = Place::read(&record.location)?;
    let (key, entry) = place.0.split_last()?;
    let Step::Name(key) = key else { return None };
    let (_, list) = entry.split_last()?;
    let source = Source::read(&record.file, record.shape).ok()?;
    let entry = Place(entry.to_vec());
    let children = source.children(&Place(list.to_vec()))?;
    let alike = |child: &&Place| source.value_at(child).is_some_and(|value| value.get(key).is_some());
    let siblings = children.iter().filter(alike).count();
    let says = source.value_at(&entry)?.clone();
    Some(Guess { file: record.file.clone(), shape: record.shape, entry, siblings, says })
}

struct Drafting<'a> {
    site: &'a Site,
    trace: &'a Trace,
    guess: &'a Guess,
    folder: String,
    home: PathBuf,
    /// The member of an entry that holds its id, and the id; without a member the key is the id.
    id: (Option<String>, String),
}

impl<'a> Drafting<'a> {
    fn new(site: &'a Site, trace: &'a Trace, guess: &'a Guess, folder: String) -> Self {
        let member = |names: &[&str]| member(&guess.says, names);
        let key = match guess.entry.0.last() {
            Some(Step::Name(name)) => Some(name.clone()),
            _ => None,
        };
        let id = match (member(&["id", "code", "slug", "key"]), key) {
            (Some((name, id)), _) => (Some(name), id),
            (None, Some(key)) => (None, key),
            (None, None) => match member(&["name", "title"]) {
                Some((name, title)) => (Some(name), title),
                None => (None, folder.clone()),
            },
        };
        let home = guess.file.parent().unwrap_or(Path::new("/")).to_path_buf();
        Self { site, trace, guess, folder, home, id }
    }

    /// A path as a template of the places that every machine has.
    fn place(&self, path: &Path) -> String {
        let places = &self.site.places;
        let all =
            [("config", &places.config), ("data", &places.data), ("state", &places.state), ("user", &places.home)];
        for (name, place) in all {
            if let Ok(rest) = path.strip_prefix(place) {
                let rest = rest.to_string_lossy();
                return if rest.is_empty() { format!("{{{name}}}") } else { format!("{{{name}}}/{rest}") };
            }
        }
        path.to_string_lossy().into_owned()
    }

    /// A record file as a template.
    fn file(&self, file: &Path) -> String {
        let text = match (file.strip_prefix(&self.trace.path), file.strip_prefix(&self.home)) {
            (Ok(rest), _) => format!("{{install}}/{}", rest.to_string_lossy()),
            (_, Ok(rest)) => format!("{{home}}/{}", rest.to_string_lossy()),
            _ => self.place(file),
        };
        let (folder, name) = text.rsplit_once('/').unwrap_or(("", &text));
        let name = if self.id.1.len() > 1 { name.replace(&self.id.1, "{id}") } else { name.to_string() };
        format!("{folder}/{name}")
    }

    fn head(&self) -> String {
        let name = self.home.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let id: String = name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
        let mut out = format!(
            "id = {}\nname = {}\nhome = [{}]\n# Its programs, none of which may run while its records change:\nprocesses = []\n",
            quoted(&id),
            quoted(&name),
            quoted(&self.place(&self.home))
        );
        let mut layers: Vec<String> = Vec::new();
        let used = |layer: &&crate::record::Letters| {
            let prefix = layer.prefix();
            prefix.starts_with(&self.home)
                || self.trace.sure().any(|find| {
                    find.record.spelling.starts_with("drive letter") && find.record.file.starts_with(prefix)
                })
        };
        for layer in self.trace.layers.iter().filter(used) {
            let prefix = layer.prefix();
            layers.push(match prefix.strip_prefix(&self.home) {
                Ok(rest) if rest.as_os_str().is_empty() => "{home}".into(),
                Ok(rest) => format!("{{home}}/{}", rest.display()),
                Err(_) => self.place(prefix),
            });
        }
        if !layers.is_empty() {
            let list: Vec<String> = layers.iter().map(|layer| quoted(layer)).collect();
            out.push_str(&format!("prefixes = [{}]\n", list.join(", ")));
        }
        out
    }

    fn games(&self) -> String {
        let mut list = self.guess.entry.clone();
        list.0.pop();
        let file_per_game = self.file(&self.guess.file).contains("{id}");
        let mut out = format!("\n[games]\nfile = {}\n", quoted(&self.file(&self.guess.file)));
        out.push_str(&as_line(&self.guess.file, self.guess.shape));
        if file_per_game {
            out.push_str(&format!("entries = {}\n", quoted(&self.guess.entry.to_string())));
        } else if self.guess.siblings > 1 || matches!(self.guess.entry.0.last(), Some(Step::Index(_))) {
            let all = Source::read(&self.guess.file, self.guess.shape).ok();
            let children = all.as_ref().and_then(|source| source.children(&list)).map_or(0, |all| all.len());
            if children == self.guess.siblings {
                out.push_str(&format!("list = {}\n", quoted(&list.to_string())));
            } else {
                out.push_str("# Only entries with this member are games.\n");
                let key = self.entry_keys().into_iter().next().unwrap_or_default();
                out.push_str(&format!("entries = {}\n", quoted(&format!("{list}[?@{key}]"))));
            }
        } else {
            out.push_str("# Only one game is listed now; where others would be is a guess.\n");
            out.push_str(&format!("list = {}\n", quoted(&list.to_string())));
        }
        if let (Some(name), false) = (&self.id.0, file_per_game) {
            out.push_str(&format!("id = {}\n", quoted(&format!("${}", step(&Step::Name(name.clone()))))));
        }
        for (says, names) in [("title", &["name", "title"][..]), ("claim", &["bytes", "size"])] {
            if let Some((name, _)) = member(&self.guess.says, names) {
                out.push_str(&format!("{says} = {}\n", quoted(&format!("${}", step(&Step::Name(name))))));
            }
        }
        let means = |name: &str| self.entry_finds().iter().any(|find| find.record.meaning.is(name));
        let above = self.trace.path.parent().unwrap_or(Path::new("/"));
        let install = if means("install") {
            "{install}".to_string()
        } else if means("parent") {
            "{parent}/{folder}".into()
        } else {
            format!("{}/{{folder}}", self.place(above))
        };
        out.push_str(&format!("install = {}\n", quoted(&install)));
        out
    }

    fn entry_finds(&self) -> Vec<&Find> {
        self.trace.finds.iter().filter(|find| self.in_entry(find).is_some()).collect()
    }

    fn entry_keys(&self) -> Vec<String> {
        self.entry_finds()
            .iter()
            .filter_map(|find| self.in_entry(find))
            .map(|steps| steps.iter().map(step).collect())
            .collect()
    }

    /// The steps from the entry to the find, if it stands there.
    fn in_entry(&self, find: &Find) -> Option<Vec<Step>> {
        let place = Place::read(&find.record.location)?;
        (find.record.file == self.guess.file && place.0.len() > self.guess.entry.0.len())
            .then(|| place.0.strip_prefix(self.guess.entry.0.as_slice()).map(<[Step]>::to_vec))?
    }

    fn record(&self, find: &Find) -> String {
        let record = &find.record;
        let line = find.line.map(|line| format!(", line {line}")).unwrap_or_default();
        let sure = match find.sure {
            Sure::Certain => "certain",
            Sure::Likely => "likely",
            Sure::NameOnly => "the name alone",
            Sure::Unreadable => {
                return format!(
                    "\n# {} holds the name and is not text: it cannot be rewritten.\n",
                    record.file.display()
                );
            }
            Sure::Log | Sure::Backup | Sure::Cache => {
                let what = match find.sure {
                    Sure::Log => "a log",
                    Sure::Backup => "a backup",
                    _ => "a cache",
                };
                return format!("\n# {}{line}: {what}, left as it is.\n", record.file.display());
            }
        };
        let mut out = format!("\n# {}{line}: {sure}; {}\n", record.file.display(), words(&record.spelling));
        let entry = self.in_entry(find);
        // A name alone may be a title that happens to be the same, unless nothing else says where the game is.
        let known = self.entry_finds().iter().any(|find| find.record.meaning.is("install"));
        let off = if find.sure == Sure::NameOnly && (entry.is_none() || known) { "# " } else { "" };
        let mut lines = Vec::new();
        if let Some(steps) = &entry {
            lines.push("[[games.records]]".to_string());
            lines.push(format!("selector = {}", quoted(&format!("${}", steps.iter().map(step).collect::<String>()))));
        } else {
            lines.push("[[records]]".into());
            lines.push(format!("file = {}", quoted(&self.file(&record.file))));
            lines.extend(as_line(&record.file, record.shape).lines().map(str::to_string));
            if record.shape != Shape::Link {
                lines.push(format!("selector = {}", quoted(&self.selector(find))));
            }
        }
        if !record.inside.is_empty() {
            let hop = |hop: &crate::record::Hop| {
                format!(
                    "{{ as = {}, selector = {} }}",
                    quoted(&Shape::Text(hop.format).to_string()),
                    quoted(&hop.location)
                )
            };
            let hops: Vec<String> = record.inside.iter().map(hop).collect();
            lines.push(format!("inside = [{}]", hops.join(", ")));
        }
        if record.side == Side::Key {
            lines.push("on = \"key\"".into());
        }
        if !record.within.is_value() {
            let within = serde_json::to_value(record.within).ok().and_then(|v| v.as_str().map(str::to_string));
            lines.push(format!("within = {}", quoted(&within.unwrap_or_default())));
        }
        if let Some(base) = &record.relative_to {
            lines.push(format!("relative-to = {}", quoted(&base.to_string())));
        }
        lines.push(format!("meaning = {}", quoted(&record.meaning.to_string())));
        for line in lines {
            out.push_str(&format!("{off}{line}\n"));
        }
        out
    }

    /// A selector that finds the same for every game: by the id where it stands beside, else everywhere in the list.
    fn selector(&self, find: &Find) -> String {
        let record = &find.record;
        let Some(place) = Place::read(&record.location) else { return record.location.clone() };
        let source = Source::read(&record.file, record.shape).ok();
        let mut out = String::from("$");
        for (n, one) in place.0.iter().enumerate() {
            let here = Place(place.0[..=n].to_vec());
            let says = source.as_ref().and_then(|source| source.value_at(&here));
            let beside = says.and_then(Value::as_object).and_then(|object| {
                object
                    .iter()
                    .find(|(_, value)| scalar(value).as_ref() == Some(&self.id.1))
                    .map(|(name, _)| name.clone())
            });
            let last = n + 1 == place.0.len();
            match (beside, one) {
                (Some(name), _) => out.push_str(&format!("[?@{} == '{{id}}']", step(&Step::Name(name)))),
                (None, Step::Name(name)) if *name == self.id.1 => out.push_str("['{id}']"),
                (None, Step::Name(name)) if *name == self.folder => out.push_str("['{folder}']"),
                (None, Step::Name(_)) if last && record.side == Side::Key => out.push_str("[*]"),
                (None, Step::Index(_)) => out.push_str("[*]"),
                (None, Step::Name(name)) => {
                    let text = step(&Step::Name(name.clone()));
                    // Braces would be read as names of the template.
                    out.push_str(&if text.contains(['{', '}']) { "[*]".into() } else { text });
                }
            }
        }
        out
    }
}

fn words(spelling: &str) -> &str {
    if spelling.is_empty() { "no path" } else { spelling }
}

/// The line that says what a file is, where its name does not.
fn as_line(file: &Path, shape: Shape) -> String {
    if Shape::of_name(file) == shape { String::new() } else { format!("as = {}\n", quoted(&shape.to_string())) }
}

/// The member of an entry that has one of these names, but for its case and signs, and what it says.
fn member(entry: &Value, names: &[&str]) -> Option<(String, String)> {
    let plain = |name: &str| name.trim_start_matches('@').to_lowercase();
    let object = entry.as_object()?;
    names.iter().find_map(|wanted| {
        let (name, value) = object.iter().find(|(name, _)| plain(name) == *wanted)?;
        scalar(value).map(|text| (name.clone(), text))
    })
}
