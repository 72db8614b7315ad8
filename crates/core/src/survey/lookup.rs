//! What a survey found, to be asked for many games at once: each question is answered in about the same time, however many
//! there are.
//!
//! Start at [`Lookup::of`].

use std::collections::{BTreeMap, HashMap};
use std::ops::Bound;
use std::path::Path;

use super::game::{Game, GameId};
use super::games::{Held, Survey};
use crate::survey::around::{Shortcut, UserData, Way};

/// Indexes of a survey.
pub struct Lookup<'a> {
    /// The survey itself.
    pub survey: &'a Survey,
    games: HashMap<&'a GameId, &'a Game>,
    /// By the whole id, by the launcher's id, and by the title in small letters.
    words: HashMap<String, Vec<usize>>,
    /// By install folder; those below a folder follow it.
    folders: BTreeMap<&'a Path, Vec<&'a Game>>,
    data: HashMap<&'a GameId, &'a UserData>,
    data_of: HashMap<&'a GameId, Vec<&'a UserData>>,
    shortcuts: HashMap<&'a GameId, Vec<&'a Shortcut>>,
    held: HashMap<&'a GameId, Vec<&'a Held>>,
}

impl<'a> Lookup<'a> {
    /// Indexes a survey.
    pub fn of(survey: &'a Survey) -> Self {
        let mut lookup = Self {
            survey,
            games: HashMap::new(),
            words: HashMap::new(),
            folders: BTreeMap::new(),
            data: HashMap::new(),
            data_of: HashMap::new(),
            shortcuts: HashMap::new(),
            held: HashMap::new(),
        };
        for (n, game) in survey.games.iter().enumerate() {
            lookup.games.entry(&game.id).or_insert(game);
            lookup.folders.entry(&game.found.install).or_default().push(game);
            let mut words = [game.id.0.clone(), game.found.id.clone(), title_word(&game.found.title)];
            words.sort_unstable();
            for (k, word) in words.iter().enumerate() {
                if k == 0 || words[k - 1] != *word {
                    lookup.words.entry(word.clone()).or_default().push(n);
                }
            }
        }
        for data in &survey.user_data {
            lookup.data.entry(&data.id).or_insert(data);
            if let Some(game) = &data.game {
                lookup.data_of.entry(game).or_default().push(data);
            }
        }
        for shortcut in &survey.shortcuts {
            lookup.shortcuts.entry(&shortcut.game).or_default().push(shortcut);
        }
        for held in &survey.held {
            lookup.held.entry(&held.game).or_default().push(held);
        }
        lookup
    }

    /// What an item of a draft moves, like [`Survey::haulable`].
    pub fn haulable(&self, id: &GameId, way: Option<Way>) -> Option<&'a Game> {
        let of_data = || {
            let data = self.data(id)?;
            let way = way.or_else(|| data.ways.first().copied());
            data.items.iter().find(|(by, _)| Some(*by) == way).map(|(_, game)| game)
        };
        self.games.get(id).copied().or_else(of_data)
    }

    /// The user data of this name.
    pub fn data(&self, id: &GameId) -> Option<&'a UserData> {
        self.data.get(id).copied()
    }

    /// Games that a person may mean by a word, like [`Survey::find_games`].
    pub fn find_games(&self, word: &str) -> Vec<&'a Game> {
        let mut exact: Vec<usize> = self.words_of(word).chain(self.words_of(&title_word(word))).collect();
        // An id is meant as it is written; what only its small letters would give is a title.
        let low = title_word(word);
        exact.retain(|n| {
            let game = &self.survey.games[*n];
            game.id.0 == word || game.found.id == word || title_word(&game.found.title) == low
        });
        exact.sort_unstable();
        exact.dedup();
        if exact.is_empty() {
            return self.survey.find_games(word);
        }
        exact.into_iter().map(|n| &self.survey.games[n]).collect()
    }

    fn words_of(&self, word: &str) -> impl Iterator<Item = usize> + use<'_, 'a> {
        self.words.get(word).into_iter().flatten().copied()
    }

    /// Games whose install folder is this one or lies in it.
    pub fn games_in<'b>(&'b self, folder: &'b Path) -> impl Iterator<Item = &'a Game> + use<'a, 'b> {
        let from = (Bound::Included(folder), Bound::Unbounded);
        let below = self.folders.range::<Path, _>(from).take_while(move |(path, _)| path.starts_with(folder));
        below.flat_map(|(_, games)| games.iter().copied())
    }

    /// User data of a game.
    pub fn data_of(&self, game: &GameId) -> &[&'a UserData] {
        self.data_of.get(game).map_or(&[], Vec::as_slice)
    }

    /// Shortcuts to a game.
    pub fn shortcuts_to(&self, game: &GameId) -> &[&'a Shortcut] {
        self.shortcuts.get(game).map_or(&[], Vec::as_slice)
    }

    /// Originals that are kept of this game.
    pub fn held_of(&self, game: &GameId) -> &[&'a Held] {
        self.held.get(game).map_or(&[], Vec::as_slice)
    }
}

fn title_word(title: &str) -> String {
    title.to_lowercase()
}

#[cfg(test)]
mod tests {
    use super::super::made_up;
    use super::*;

    /// A lookup gives for every word and folder what the survey gives when it is looked through from end to end.
    #[test]
    fn it_gives_what_a_search_from_end_to_end_gives() {
        let model = made_up::game("model", "swift", 1, None);
        let mut survey = made_up::survey_of(vec![made_up::drive("swift", 10, 1, 0)], Vec::new());
        // The top of a file system, as it is called here.
        let top = |path: &str| if cfg!(windows) { format!("C:{path}") } else { path.to_string() };
        let titles = [
            ("a/One", "One", "/g/fen"),
            ("a/one", "ONE", "/g/fen-two"),
            ("b/two", "One Two", "/g/fen/inside"),
            ("b/3", "a/one", "/g/fen"),
            ("c/ß", "STRASSE ß", "/g/fen/inside/deeper"),
            ("c/two", "two", "/g"),
        ];
        for (id, title, install) in titles {
            let mut game = model.clone();
            game.id = GameId(id.into());
            game.found.id = id.split('/').next_back().unwrap().into();
            game.found.title = title.into();
            game.found.install = top(install).into();
            survey.games.push(game);
        }
        let lookup = Lookup::of(&survey);
        let ids = |games: Vec<&Game>| games.iter().map(|game| game.id.0.clone()).collect::<Vec<_>>();
        for word in [
            "One", "one", "ONE", "a/One", "a/one", "A/ONE", "two", "Two", "3", "ß", "strasse", "nothing", "", "o",
            "/g/fen", "/g/fen/", "/g/f",
        ] {
            let word = if word.starts_with('/') { top(word) } else { word.to_string() };
            assert_eq!(ids(lookup.find_games(&word)), ids(survey.find_games(&word)), "{word:?}");
        }
        assert_eq!(ids(survey.find_games(&top("/g/fen/"))), ["a/One", "b/3"], "the folder that they lie in");
        for folder in ["/g", "/g/fen", "/g/fen/inside", "/g/fe", "/", "/elsewhere"].map(top) {
            let folder = Path::new(&folder);
            let within = |game: &&Game| game.found.install.starts_with(folder);
            let mut plain = ids(survey.games.iter().filter(within).collect());
            let mut found = ids(lookup.games_in(folder).collect());
            plain.sort();
            found.sort();
            assert_eq!(found, plain, "{folder:?}");
        }
        for game in &survey.games {
            assert_eq!(
                lookup.haulable(&game.id, None).map(|game| &game.id),
                survey.haulable(&game.id, None).map(|game| &game.id)
            );
        }
    }
}
