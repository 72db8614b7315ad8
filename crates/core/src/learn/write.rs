//! A learned profile as text.

use std::collections::BTreeSet;
use std::path::Path;

use super::contents::LearnedContents;
use super::home::Home;
use super::libraries::LearnedLibraries;
use super::list::{GameList, ListAt};
use super::pattern::PatternStep;
use super::records::{LearnedRecords, Said, list_file};
use super::roles::Roles;
use crate::launcher::{LearnedFrom, Profile, read_launchers};
use crate::platform::in_template;
use crate::record::{LibrarySays, Side};
use crate::site::Site;

fn quoted(text: &str) -> String {
    toml::Value::String(text.into()).to_string()
}

fn quoted_all(texts: &[String]) -> String {
    let all: Vec<String> = texts.iter().map(|text| quoted(text)).collect();
    format!("[{}]", all.join(", "))
}

/// The text of the profile.
pub(super) fn profile(
    home: &Home,
    list: &GameList,
    libraries: Option<&LearnedLibraries>,
    roles: &Roles,
    records: &LearnedRecords,
    contents: Option<&LearnedContents>,
) -> String {
    let mut out = format!(
        "# Learned from the games that were installed.\nformat = 1\nid = {}\nname = {}\nhome = [{}]\n",
        quoted(&home.id),
        quoted(&home.name),
        quoted(&home.template)
    );
    if !home.processes.is_empty() {
        out.push_str(&format!("processes = {}\n", quoted_all(&home.processes)));
    }
    if !home.prefixes.is_empty() {
        out.push_str(&format!("prefixes = {}\n", quoted_all(&home.prefixes)));
    }
    if let Some(libraries) = libraries {
        out.push_str(&libraries_lines(libraries, list));
    }
    out.push_str(&format!(
        "\n[games]\nfile = {}\nas = {}\n",
        quoted(&list_file(home, list)),
        quoted(&list.shape.to_string())
    ));
    out.push_str(&entries_line(list));
    if list.lies_in_libraries() {
        out.push_str("travels = true\n");
    }
    let lines = [
        ("id", &roles.id),
        ("title", &roles.title),
        ("reported", &roles.claim),
        ("program", &roles.program),
        ("last-run", &roles.last_run),
    ];
    for (key, selector) in lines {
        if let Some(selector) = selector {
            out.push_str(&format!("{key} = {}\n", quoted(selector)));
        }
    }
    out.push_str(&format!("install = {}\n", quoted(&install_template(list))));
    out.push_str(&folders_lines(list, libraries.is_some()));
    for said in &records.entry {
        out.push_str("\n[[games.records]]\n");
        out.push_str(&lines_of(said));
    }
    for (file, shape, said) in &records.file {
        out.push_str(&format!("\n[[records]]\nfile = {}\nas = {}\n", quoted(file), quoted(shape)));
        out.push_str(&lines_of(said));
    }
    if let Some(contents) = contents {
        out.push_str(&contents_lines(contents));
    }
    out
}

/// Where a game lies, in the words of its launcher.
fn install_template(list: &GameList) -> String {
    match &list.at {
        _ if list.is_below() => "{install}".to_string(),
        ListAt::InLibraries { sub: Some(sub), .. } if sub.as_os_str().is_empty() => "{library}/{folder}".to_string(),
        ListAt::InLibraries { sub: Some(sub), .. } => format!("{{library}}/{}/{{folder}}", in_template(sub)),
        _ if list.held || list.reference.as_ref().is_some_and(|reference| reference.alone) => {
            "{library}/{folder}".into()
        }
        _ if list.by_name => "{parent}/{folder}".into(),
        _ => "{install}".into(),
    }
}

/// The folders that games are told by, and the place of a new one.
fn folders_lines(list: &GameList, has_libraries: bool) -> String {
    if list.folders.is_empty() {
        return String::new();
    }
    let folders = format!("folders = {}\n", quoted_all(&list.folders));
    // A game that lay elsewhere on another drive would not be known there.
    match list.folders.iter().find(|folder| folder.starts_with("{drive}")) {
        Some(place) if !has_libraries => format!("{folders}place = {}\n", quoted(place)),
        _ => folders,
    }
}

/// What the profile says of its libraries.
fn libraries_lines(libraries: &LearnedLibraries, list: &GameList) -> String {
    let mut out = String::new();
    let lines =
        [("file", &libraries.file), ("as", &libraries.shape), ("list", &libraries.list), ("path", &libraries.path)];
    out.push_str("\n[libraries]\n");
    for (key, text) in lines {
        out.push_str(&format!("{key} = {}\n", quoted(text)));
    }
    if let Some(entries) = &libraries.entries {
        out.push_str(&format!("entries = {}\n", quoted(entries)));
    }
    out.push_str("default = \"none\"\n");
    if let Some(reference) = &list.reference {
        out.push_str(&format!("id = {}\n", quoted(&reference.id)));
    }
    // What games refer to a new one by only its launcher could say, unless it is the next number.
    if list.reference.is_none() || libraries.new_entry.is_some() {
        out.push_str(&format!("new = {}\n", quoted(&libraries.new)));
    }
    if let Some(entry) = &libraries.new_entry {
        out.push_str(&format!("new-entry = {}\n", quoted(entry)));
    }
    if let Some(own) = &libraries.own_file {
        if let Some(total) = &own.total {
            out.push_str(&format!("total = {}\n", quoted(total)));
        }
        out.push_str(&format!("new-file = {}\n", quoted(&own.new_file)));
    }
    if let Some(selector) = &libraries.named_by {
        out.push_str(&format!("named-by = {}\n", quoted(selector)));
    }
    for part in &libraries.holds {
        let says = match part.says {
            LibrarySays::Games => "games",
            LibrarySays::Count => "count",
            LibrarySays::Bytes => "bytes",
            LibrarySays::Entries => "entries",
        };
        out.push_str(&format!(
            "\n[[libraries.holds]]\nselector = {}\nsays = {}\n",
            quoted(&part.selector),
            quoted(says)
        ));
        if let Some(id) = &part.id {
            out.push_str(&format!("id = {}\n", quoted(id)));
        }
        if let Some(bytes) = &part.bytes {
            out.push_str(&format!("bytes = {}\n", quoted(bytes)));
        }
    }
    out
}

/// A profile with what it was learned from, before all else that it says.
pub(super) fn with_learned(profile: &str, from: &LearnedFrom) -> String {
    let LearnedFrom { games, moves, places, asked, .. } = from;
    let lines = format!("\n[learned]\ngames = {games}\nmoves = {moves}\nplaces = {places}\nasked = {asked}\n");
    match profile.find("\n[") {
        Some(at) => format!("{}{lines}{}", &profile[..at], &profile[at..]),
        None => profile.into(),
    }
}

/// A profile with what the entries of its lists say now; `before` is what they said when it was learned before.
pub(super) fn with_shapes(site: &Site, profile: &str, before: Option<&LearnedFrom>) -> String {
    let Ok(read) = Profile::parse(profile, Path::new("learned.toml")) else { return profile.into() };
    let Some(found) = read_launchers(site, &[read]).pop() else { return profile.into() };
    let shapes = [
        ("entry", found.shape_of_games(before.and_then(|before| before.entry.as_ref()))),
        ("library", found.shape_of_libraries(before.and_then(|before| before.library.as_ref()))),
    ];
    let mut out = profile.to_string();
    for (of, shape) in shapes {
        let Some(shape) = shape else { continue };
        let all = |keys: &BTreeSet<String>| quoted_all(&keys.iter().cloned().collect::<Vec<_>>());
        let (always, sometimes) = (all(&shape.always), all(&shape.sometimes));
        out.push_str(&format!("\n[learned.{of}]\nalways = {always}\nsometimes = {sometimes}\n"));
    }
    out
}

/// The same of a profile about which something else is asked.
pub(super) fn asked_once_more(profile: &str, asked: usize) -> String {
    profile.replacen(&format!("\nasked = {asked}\n"), &format!("\nasked = {}\n", asked + 1), 1)
}

/// A profile without its content lists.
pub(super) fn without_contents(profile: &str) -> String {
    profile.split(CONTENTS).next().unwrap_or_default().to_string()
}

const CONTENTS: &str = "\n[contents]\n";

fn contents_lines(contents: &LearnedContents) -> String {
    let form = &contents.form;
    let mut out = format!("{CONTENTS}file = {}\nalgorithm = {}\n", quoted(&contents.file), quoted(form.algorithm));
    if form.below {
        out.push_str("below = \"{folder}\"\n");
    }
    if !form.columns.is_empty() {
        let columns: Vec<String> = form.columns.iter().map(ToString::to_string).collect();
        out.push_str(&format!("columns = {}\n", quoted_all(&columns)));
        return out;
    }
    let lines = [("as", &form.shape), ("list", &form.list), ("path", &form.path), ("hash", &form.hash)];
    for (key, text) in lines {
        out.push_str(&format!("{key} = {}\n", quoted(text)));
    }
    if form.on_key {
        out.push_str("on = \"key\"\n");
    }
    if let Some(piece) = form.piece {
        out.push_str(&format!("piece = {piece}\n"));
    }
    if let Some(size) = &form.size {
        out.push_str(&format!("size = {}\n", quoted(size)));
    }
    out
}

fn entries_line(list: &GameList) -> String {
    if matches!(list.at, ListAt::Each { .. } | ListAt::InLibraries { name: Some(_), .. }) {
        return "entries = \"$\"\n".into();
    }
    let mut above = list.to_entry.clone();
    let last = above.0.pop();
    let plain = above.0.iter().all(|step| matches!(step, PatternStep::Name(_)));
    if list.pure && plain && last == Some(PatternStep::Any) {
        return format!("list = {}\n", quoted(&above.selector()));
    }
    let path = list.to_path.selector();
    let filter = match (last, path.as_str()) {
        (Some(PatternStep::Any), _) if list.pure => "[*]".to_string(),
        // The entry is the path itself.
        (Some(PatternStep::Any), "$") if list.side == Side::Value => "[?match(@, '(/|~|[A-Za-z]:|file:).*')]".into(),
        (Some(PatternStep::Any), "$") => "[*]".into(),
        (Some(PatternStep::Any), path) => format!("[?@{}]", &path[1..]),
        (Some(PatternStep::Name(name)), _) => crate::record::step_text(&crate::record::Step::Name(name)),
        (Some(PatternStep::Where(filter)), _) => filter,
        (Some(PatternStep::Nth(nth)), _) => format!("[{nth}]"),
        (None, _) => String::new(),
    };
    format!("entries = {}\n", quoted(&format!("{}{filter}", above.selector())))
}

fn lines_of(said: &Said) -> String {
    let mut out = format!("selector = {}\n", quoted(&said.selector));
    if !said.inside.is_empty() {
        let hop = |(format, selector): &(String, String)| {
            format!("{{ as = {}, selector = {} }}", quoted(format), quoted(selector))
        };
        let hops: Vec<String> = said.inside.iter().map(hop).collect();
        out.push_str(&format!("inside = [{}]\n", hops.join(", ")));
    }
    if said.on_key {
        out.push_str("on = \"key\"\n");
    }
    if !said.within.is_empty() {
        out.push_str(&format!("within = {}\n", quoted(&said.within)));
    }
    if !said.relative.is_empty() {
        out.push_str(&format!("relative-to = {}\n", quoted(&said.relative)));
    }
    out.push_str(&format!("meaning = {}\n", quoted(&said.meaning)));
    out
}
