//! Numbers that may count the games of each library, and may be those numbers by chance: a question, and a profile for each answer.

use super::entries::LauncherLists;
use super::learned::{Candidate, Doubt, Known, LearnedLauncher, Question};
use super::list::GameList;
use super::write;

/// Numbers of which somebody is asked, at most.
const MOST: usize = 3;

/// Learns a launcher in one way, and with each answer where a number may count its games.
pub(super) fn counted(lists: &LauncherLists, learn: &dyn Fn(&LauncherLists) -> LearnedLauncher) -> LearnedLauncher {
    let mut launcher = learn(lists);
    let Some(Doubt::MayCount { file, selectors }) = launcher.doubt.clone() else { return launcher };
    let with = |counters: Vec<String>| {
        let games = GameList { counters: Some(counters), ..lists.games.clone() };
        let mut way = learn(&LauncherLists { games, ..lists.clone() });
        way.profile = write::asked_once_more(&way.profile, way.questions.len());
        way
    };
    let mut ways: Vec<(Option<&String>, LearnedLauncher)> = Vec::new();
    if selectors.len() <= MOST {
        ways.extend(selectors.iter().map(|one| (Some(one), with(vec![one.clone()]))));
        ways.push((None, with(Vec::new())));
        ways.retain(|(_, way)| way.doubt.is_none());
    }
    if ways.is_empty() {
        launcher.doubt = Some(Doubt::Counters(file));
        return launcher;
    }
    // The likeliest is what is called a count, and the least likely what is called something else.
    ways.sort_by_key(|(selector, _)| selector.map_or(1, |selector| if is_called_a_count(selector) { 0 } else { 2 }));
    let candidate = |(selector, way): &(Option<&String>, LearnedLauncher)| match selector {
        Some(selector) => counter(lists, selector, way.profile.clone()),
        None => Candidate::none(Some(way.profile.clone())),
    };
    let mut candidates: Vec<Candidate> = ways.iter().map(candidate).collect();
    if candidates.iter().all(|candidate| !candidate.none) {
        candidates.push(Candidate::none(None));
    }
    let mut launcher = ways.remove(0).1;
    launcher.questions.insert(0, Question { about: Known::Counter, candidates });
    launcher
}

/// What is asked of a launcher about counts of games.
pub(super) fn asked_of(launcher: &LearnedLauncher) -> Vec<Question> {
    launcher.questions.iter().filter(|question| question.about == Known::Counter).cloned().collect()
}

/// Whether the last name on the way to a number is that of a count.
fn is_called_a_count(selector: &str) -> bool {
    let name = Candidate { selector: selector.into(), ..Candidate::none(None) }.name().unwrap_or_default();
    let name = name.to_lowercase();
    let words = ["count", "game", "title", "num", "total", "items", "apps", "entries", "installed"];
    words.iter().any(|word| name.contains(word))
}

/// The answer that a number counts the games of its library: what it says of each.
fn counter(lists: &LauncherLists, selector: &str, profile: String) -> Candidate {
    let entries = lists.libraries.iter().flat_map(|list| &list.entries).take(3);
    let said = entries.filter_map(|entry| Some((entry.scalars.get(selector)?.clone(), entry.dir.clone()?)));
    let (examples, libraries) = said.unzip();
    Candidate { selector: selector.into(), examples, libraries, none: false, profile: Some(profile), then: Vec::new() }
}
