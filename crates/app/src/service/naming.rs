//! What a word on the command line names: a drive, a launcher, and what was meant by one that names nothing.

use std::path::PathBuf;

use deft_barge_core::platform::Drive;
use deft_barge_core::site::Site;
use deft_barge_core::survey::{Launcher, Survey};

use crate::present::{Fault, line};

/// How much two names have to be alike for one to be suggested for the other; 1 is the same.
const ALIKE: f64 = 0.7;
const MOST_SUGGESTIONS: usize = 3;

/// Where everything that can be named is listed.
pub(super) const SURVEY: &str = "List what you have with: deft-barge survey";

/// The folder that a word is a path to, from where one is; `None` of a word that is no path.
pub(super) fn folder(word: &str) -> Option<PathBuf> {
    let is_path = word.contains('/') || [".", ".."].contains(&word);
    std::path::absolute(word).ok().filter(|_| is_path)
}

/// The drive of this name, digit or folder.
pub(super) fn find_drive<'a>(site: &'a Site, word: &str) -> Option<&'a Drive> {
    site.find_drive(word).or_else(|| site.find_drive(&folder(word)?.to_string_lossy()))
}

/// The drive that a word names.
pub(super) fn drive<'a>(site: &'a Site, word: &str) -> Result<&'a Drive, Fault> {
    find_drive(site, word).ok_or_else(|| {
        let names = site.drives.iter().map(|drive| drive.name.as_str());
        unknown("drive", word, names.collect())
    })
}

/// The launcher that a word names, by its id or its name.
pub(super) fn launcher<'a>(survey: &'a Survey, word: &str) -> Result<&'a Launcher, Fault> {
    let low = word.to_lowercase();
    let found = survey.launchers.iter().find(|l| l.id == *word || l.name.to_lowercase() == low);
    found.ok_or_else(|| unknown("launcher", word, survey.launchers.iter().map(|l| l.name.as_str()).collect()))
}

/// The fault that no game has this name, with those that it is like, else with user data that it is like.
pub(super) fn no_game(survey: &Survey, word: &str) -> Fault {
    let games = survey.games.iter().flat_map(|game| [game.found.title.as_str(), game.found.id.as_str()]);
    let mut near = alike(word, games);
    if near.is_empty() {
        near = alike(word, survey.user_data.iter().map(|data| data.title.as_str()));
    }
    unlisted("game", word, &near)
}

/// The fault that nothing of a kind has this name: what it is like, else a few that there are.
pub(super) fn unknown(kind: &str, word: &str, names: Vec<&str>) -> Fault {
    let near = alike(word, names.iter().copied());
    if !near.is_empty() || names.is_empty() {
        return unlisted(kind, word, &near);
    }
    let shown = names.iter().map(|name| line(name)).collect::<Vec<_>>().join(", ");
    Fault::usage(format!("No {kind} is called {word:?}."), format!("You have: {shown}."))
}

fn unlisted(kind: &str, word: &str, near: &[String]) -> Fault {
    let sentence = format!("No {kind} is called {word:?}.");
    let hint = match near {
        [] => SURVEY.to_string(),
        [one] => format!("Did you mean {one}?"),
        [rest @ .., last] => format!("Did you mean {} or {last}?", rest.join(", ")),
    };
    Fault::usage(sentence, hint)
}

/// The names that a word is like, the likest first: as a whole, or as many words of it as the word has.
fn alike<'a>(word: &str, names: impl Iterator<Item = &'a str>) -> Vec<String> {
    let low = word.to_lowercase();
    let count = low.split_whitespace().count().max(1);
    let mut all: Vec<(f64, &str)> = names
        .map(|name| {
            let name_low = name.to_lowercase();
            let words: Vec<&str> = name_low.split_whitespace().collect();
            let runs = words.windows(count).map(|run| run.join(" "));
            let likest = runs.chain([name_low.clone()]).map(|run| strsim::normalized_damerau_levenshtein(&low, &run));
            (likest.fold(0.0, f64::max), name)
        })
        .filter(|(alike, _)| *alike >= ALIKE)
        .collect();
    all.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.1.cmp(b.1)));
    all.dedup_by(|a, b| a.1 == b.1);
    all.into_iter().take(MOST_SUGGESTIONS).map(|(_, name)| line(name)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const GAMES: [&str; 4] = ["Saltflat Rally", "The Quiet Foundry", "Night Ferry to Oslow", "夜の航路"];

    #[test]
    fn a_misspelt_word_is_like_a_part_of_a_name() {
        for (typed, meant) in [
            ("saltflt", "Saltflat Rally"),
            ("slatflat rally", "Saltflat Rally"),
            ("quite foundry", "The Quiet Foundry"),
            ("nigth ferry", "Night Ferry to Oslow"),
            ("夜の航跡", "夜の航路"),
        ] {
            assert_eq!(alike(typed, GAMES.into_iter()), [meant], "{typed}");
        }
    }

    #[test]
    fn a_word_that_is_like_nothing_suggests_nothing() {
        for typed in ["", "x", "umbrella", "   "] {
            assert!(alike(typed, GAMES.into_iter()).is_empty(), "{typed}");
        }
    }

    #[test]
    fn what_is_named_without_a_likeness_is_told_what_there_is() {
        let fault = unknown("drive", "umbrella", vec!["swift", "cellar\u{1b}[2J"]);
        assert_eq!(fault.hint, "You have: swift, cellar␛[2J.");
        assert_eq!(unknown("drive", "celar", vec!["swift", "cellar"]).hint, "Did you mean cellar?");
        assert_eq!(unknown("drive", "swift", vec![]).hint, SURVEY);
    }
}
