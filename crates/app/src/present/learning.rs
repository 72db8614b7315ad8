//! What is said of launchers that were learned.

use std::path::Path;
use std::time::Duration;

use deft_barge_core::learn::{Candidate, Doubt, Known, LearnedLauncher, Question, Rehearsal};
use deft_barge_core::site::Site;

use super::{line, path, words};

fn known(known: Known) -> &'static str {
    match known {
        Known::Title => "title",
        Known::Size => "size",
        Known::Program => "program",
        Known::LastRun => "last run",
        Known::Library => "library",
        Known::Counter => "number of games",
    }
}

/// `a`, `a and b`, `a, b and c`.
fn listed(all: &[String]) -> String {
    match all {
        [] => String::new(),
        [one] => one.clone(),
        [rest @ .., last] => format!("{} and {last}", rest.join(", ")),
    }
}

/// A launcher in a line, and what was found out about it in some more.
pub fn launcher(site: &Site, launcher: &LearnedLauncher) -> Vec<String> {
    let mut drives: Vec<String> =
        launcher.games.iter().filter_map(|game| site.drive_of(&game.install).map(|drive| line(&drive.name))).collect();
    drives.sort();
    drives.dedup();
    let on = if drives.is_empty() { String::new() } else { format!(" on {}", listed(&drives)) };
    let what = if launcher.games.is_empty() {
        words::plural(launcher.libraries, "library", "libraries")
    } else {
        words::several(launcher.games.len(), "game")
    };
    let all: Vec<String> = launcher.known.iter().map(|one| known(*one).to_string()).collect();
    let known = if all.is_empty() { String::new() } else { format!("; {} known", listed(&all)) };
    let lists = match (&launcher.doubt, launcher.content_lists) {
        (Some(_), _) => "",
        (None, true) => "; content lists known",
        (None, false) => "; no content list",
    };
    let more = match launcher.record_files {
        0 => String::new(),
        n => format!(", records in {}", words::plural(n, "more file", "more files")),
    };
    vec![
        format!("{}: {what}{on}{known}{lists}.", line(&launcher.name)),
        format!("  list in {}{more}", path(&launcher.list)),
    ]
}

/// What was proved, in a sentence.
pub fn proof(launcher: &LearnedLauncher) -> String {
    format!(
        "{} rehearsed and undone: {} covered, none left behind",
        words::plural(launcher.rehearsed, "move", "moves"),
        words::several(launcher.covered, "place")
    )
}

/// What a rehearsal came to.
pub fn rehearsal(rehearsal: &Rehearsal) -> String {
    let moves = words::plural(rehearsal.moves, "move", "moves");
    let without = match rehearsal.without {
        0 => String::new(),
        n => format!("; {} nowhere else to go", words::plural(n, "game has", "games have")),
    };
    match &rehearsal.doubt {
        None => format!("rehearsed: {moves}, none left anything behind, all undone{without}"),
        Some(why) => format!("rehearsed: {moves}, then {}{without}", doubt(why)),
    }
}

/// What a person does while it is watched.
pub fn how_to_watch(files: usize) -> [String; 3] {
    [
        format!(
            "Watching {}. Now do one of these in the launcher, with one small game:",
            words::several(files, "file")
        ),
        "  - move it to another drive or library: that shows most, since it can be compared".into(),
        "  - or install one, if there's only one game so far".into(),
    ]
}

/// What is waited for.
pub fn waiting(files: usize, since: Duration) -> String {
    let since = format!("{}:{:02}", since.as_secs() / 60, since.as_secs() % 60);
    match files {
        0 => format!("{since}  nothing has changed yet"),
        n => format!("{since}  {} changed; waiting for a game that is installed or moved", words::several(n, "file")),
    }
}

/// Whether a program that had a launcher's files open is that launcher.
pub fn its_program(name: &str, program: &str, pid: u32) -> String {
    format!(
        "{name}: {program} ({pid}) had its files open. Is that the launcher?\n  1  yes: it must not run while its records change\n  2  no"
    )
}

/// What a launcher did.
pub fn witnessed(name: &str, to: &Path, from: Option<&Path>) -> String {
    match from {
        Some(from) => format!("{name} moved {} to {}.", path(from), path(to)),
        None => format!("{name} installed {}.", path(to)),
    }
}

/// Why a launcher wasn't learned, and what can be done about it.
pub fn doubt(doubt: &Doubt) -> String {
    match doubt {
        Doubt::OneGame => {
            "one game alone doesn't show how its launcher lists games. Install a second one with it, then learn again"
                .into()
        }
        Doubt::NoId => "nothing in its list tells the games apart for good".into(),
        Doubt::NoList => "it lists folders that hold games, and no list of these games is understood".into(),
        Doubt::Beside => {
            "files that lie with the games name them and would have to move with them, and how isn't clear".into()
        }
        Doubt::Counters(file) | Doubt::MayCount { file, .. } => format!(
            "{} says something of each library's games, and what exactly isn't clear, so a move couldn't keep it true",
            path(file)
        ),
        Doubt::NotClear(file) => {
            format!("what {} lists isn't clear: its games' libraries, or something else", path(file))
        }
        Doubt::NotFound(folder) => format!("{} is listed, and can't be a game's folder", path(folder)),
        Doubt::Unreadable { file, what } => format!("{}: {}", path(file), line(what)),
        Doubt::NoPlace(file) => {
            format!("how {} says where each of its games is isn't clear", path(file))
        }
        Doubt::Checksum(file) => format!(
            "{} holds a checksum of what a move would rewrite, so its launcher might refuse what is moved",
            path(file)
        ),
        Doubt::NotUnderstood(file) => {
            format!("{} names its games and can't be rewritten, so its launcher may miss what is moved", path(file))
        }
        Doubt::Missed { title, file, location } => format!(
            "{} points to {} at {}, and what that place is for isn't clear",
            path(file),
            line(title),
            line(location)
        ),
        Doubt::Unmovable { title, what } => format!("a rehearsed move of {} failed: {}", line(title), line(what)),
        Doubt::Foreign { title, file } => {
            format!("a rehearsed move of {} changed what {} says of another game", line(title), path(file))
        }
        Doubt::AlsoChanged { title, file, says } => format!(
            "when the launcher moved {}, it also changed {} in {}, and what that is for isn't clear",
            line(title),
            line(says),
            path(file)
        ),
        Doubt::NotUndone { title, file } => {
            format!("a rehearsed move of {} couldn't be undone to the same bytes in {}", line(title), path(file))
        }
    }
}

/// What a candidate says of some games; of what may say a library, what it is called and which library that would be.
fn examples(candidate: &Candidate) -> String {
    let name = candidate.name().map_or_else(String::new, |name| format!("{} ", line(&name)));
    let libraries = candidate.libraries.iter().map(|library| path(library));
    let with_library =
        candidate.examples.iter().zip(libraries).map(|(says, library)| format!("{name}{}: {library}", line(says)));
    let all: Vec<String> = if candidate.libraries.is_empty() {
        candidate.examples.iter().map(|text| line(text)).collect()
    } else {
        with_library.collect()
    };
    all.join(" · ")
}

/// A question, with numbered answers.
pub fn question(name: &str, question: &Question) -> String {
    let asks = match question.about {
        Known::Library => "does this say which library a game is in?".to_string(),
        Known::Counter => "does this count the games in each library?".to_string(),
        about => format!("which of these is the {} of a game?", known(about)),
    };
    let mut out = vec![format!("{}: {asks}", line(name))];
    for (n, candidate) in question.candidates.iter().enumerate() {
        let says = match (candidate.none, question.about) {
            (true, Known::Counter) => "no, nothing here counts them".to_string(),
            (true, _) => "no, nothing here says it".to_string(),
            (false, _) => examples(candidate),
        };
        out.push(format!("  {}  {says}", n + 1));
    }
    out.join("\n")
}

/// What was taken for the answer to a question.
pub fn taken(question: &Question) -> String {
    if question.about == Known::Library && question.candidates.first().is_some_and(|candidate| candidate.none) {
        return "it was taken that nothing says which library a game is in".into();
    }
    if let (Known::Counter, Some(first)) = (question.about, question.candidates.first()) {
        return if first.none {
            "it was taken that nothing counts the games in each library".into()
        } else {
            format!("taken to count the games in each library: {}", examples(first))
        };
    }
    let first = question.candidates.first().and_then(|candidate| candidate.examples.first());
    if let (Known::Library, Some(first)) = (question.about, question.candidates.first()) {
        return format!("taken to say which library a game is in: {}", examples(first));
    }
    let example = first.map(|text| format!(", such as {:?}", line(text))).unwrap_or_default();
    format!("the {} was taken to be the likeliest of {}{example}", known(question.about), question.candidates.len())
}
