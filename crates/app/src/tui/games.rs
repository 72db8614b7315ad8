//! The games of the Drives view: how they are listed, marked and sent, and what goes along.

use crate::commands::{View, Wish};
use crate::tui::model::{Coming, Filter, Scale, Sort};
use std::collections::HashMap;

use deft_barge_core::plan::Destination;
use deft_barge_core::survey::{Game, GameId, Survey, UserData, Way};

use super::state::State;
use crate::present::words;

impl State {
    /// Works out what lies where, after a survey.
    pub(crate) fn lay_out_drives(&mut self) {
        let Some(survey) = &self.survey else { return };
        let place: HashMap<&str, usize> =
            survey.drives.iter().enumerate().map(|(n, state)| (state.drive.name.as_str(), n)).collect();
        let mut holds = vec![Vec::new(); survey.drives.len() + 1];
        for (n, game) in survey.games.iter().enumerate() {
            let at = game.drive.as_deref().and_then(|name| place.get(name).copied());
            holds[at.unwrap_or(survey.drives.len())].push(n);
        }
        for hold in &mut holds {
            hold.sort_by_key(|n| std::cmp::Reverse(survey.games[*n].size.on_disk));
        }
        if holds.last().is_some_and(Vec::is_empty) {
            holds.pop();
        }
        self.drives.layout.holds = holds;
        self.drives.drive = self.drives.drive.min(self.drives.layout.holds.len().saturating_sub(1));
        self.relist();
    }

    /// Lists the drive in focus anew; the cursor stays on its game.
    pub(crate) fn relist(&mut self) {
        let here = self.drives.layout.list.get(self.drives.layout.cursor).copied();
        let Some(survey) = &self.survey else { return };
        let mut list = self.drives.layout.holds.get(self.drives.drive).cloned().unwrap_or_default();
        let filter = self.drives.layout.filter;
        list.retain(|n| passes(survey, &survey.games[*n], filter, &self.drives.layout.sent));
        let game = |n: &usize| &survey.games[*n];
        match self.drives.layout.sort {
            Sort::Size => {}
            Sort::LastRun => list.sort_by_key(|n| std::cmp::Reverse(game(n).found.last_run)),
            Sort::Launcher => list.sort_by(|a, b| game(a).launcher.cmp(&game(b).launcher)),
            Sort::Title => list.sort_by_key(|n| game(n).found.title.to_lowercase()),
        }
        let at = here.and_then(|here| list.iter().position(|n| *n == here));
        self.drives.layout.cursor = at.unwrap_or(self.drives.layout.cursor).min(list.len().saturating_sub(1));
        self.drives.layout.list = list;
    }

    /// Works out what the draft comes to, once for all frames that show it.
    pub(crate) fn recount(&mut self) {
        let Some(survey) = &self.survey else { return };
        let games: HashMap<&GameId, &Game> = survey.games.iter().map(|game| (&game.id, game)).collect();
        let place = |to: &Destination| match to {
            Destination::Drive(name) => survey.drives.iter().position(|state| state.drive.name == *name),
            Destination::Library(_) => None,
        };
        let coming = self.drafted.draft.items.iter().filter_map(|item| {
            let game = games.get(&item.game).copied().or_else(|| survey.haulable(&item.game, item.way))?;
            Some(Coming { drive: place(&item.to), title: game.found.title.clone(), bytes: game.size.on_disk })
        });
        self.drives.layout.coming = coming.collect();
        self.drives.layout.sent =
            self.drafted.draft.items.iter().map(|item| (item.game.clone(), item.to.clone())).collect();
    }

    /// The game under the cursor.
    pub fn game_here(&self) -> Option<&Game> {
        let at = *self.drives.layout.list.get(self.drives.layout.cursor)?;
        self.survey.as_ref()?.games.get(at)
    }

    /// Puts the cursor on a game, on whatever drive it lies.
    pub(crate) fn go_to(&mut self, id: &GameId) {
        let Some(survey) = &self.survey else { return };
        let Some(at) = survey.games.iter().position(|game| game.id == *id) else { return };
        let Some(drive) = self.drives.layout.holds.iter().position(|hold| hold.contains(&at)) else { return };
        self.drives.drive = drive;
        self.relist();
        if !self.drives.layout.list.contains(&at) {
            self.drives.layout.filter = Filter::All;
            self.relist();
        }
        self.drives.layout.cursor = self.drives.layout.list.iter().position(|n| *n == at).unwrap_or(0);
    }

    /// Goes along the blocks of the bar, whatever the list is sorted by.
    pub(crate) fn step_block(&mut self, forward: bool) {
        let (Some(survey), Some(hold)) = (&self.survey, self.drives.layout.holds.get(self.drives.drive)) else {
            return;
        };
        let here =
            self.drives.layout.list.get(self.drives.layout.cursor).and_then(|n| hold.iter().position(|m| m == n));
        let next = match (here, forward) {
            (None, _) => 0,
            (Some(at), true) => at + 1,
            (Some(at), false) => at.saturating_sub(1),
        };
        if let Some(id) = hold.get(next).map(|n| survey.games[*n].id.clone()) {
            self.go_to(&id);
        }
    }

    pub(crate) fn step_drive(&mut self, forward: bool) {
        let count = self.drives.layout.holds.len();
        if count > 0 {
            self.drives.drive =
                if forward { (self.drives.drive + 1) % count } else { (self.drives.drive + count - 1) % count };
            self.drives.layout.cursor = 0;
            self.drives.layout.list.clear();
            self.drives.on_data = false;
            self.relist();
        }
    }

    pub(crate) fn sort_on(&mut self) {
        self.drives.layout.sort = self.drives.layout.sort.next();
        self.relist();
        self.over.message = Some(format!("The list is sorted {}.", self.drives.layout.sort.words()));
    }

    pub(crate) fn filter_on(&mut self) {
        self.drives.layout.filter = self.drives.layout.filter.next();
        self.drives.layout.cursor = 0;
        self.relist();
        self.over.message = Some(format!("The list shows games: {}.", self.drives.layout.filter.words()));
    }

    pub(crate) fn scale_on(&mut self) {
        let (scale, words) = match self.drives.layout.scale {
            Scale::Linear => {
                (Scale::Root, "Drives are drawn to the square root of their capacity, so small ones can be seen.")
            }
            Scale::Root => (Scale::Linear, "Drives are drawn to their capacity."),
        };
        self.drives.layout.scale = scale;
        self.over.message = Some(words.into());
    }

    pub(crate) fn mark(&mut self) {
        let Some(id) = self.game_here().map(|game| game.id.clone()) else { return };
        if !self.drives.layout.marks.remove(&id) {
            self.drives.layout.marks.insert(id);
        }
        self.drives.layout.cursor =
            (self.drives.layout.cursor + 1).min(self.drives.layout.list.len().saturating_sub(1));
    }

    pub(crate) fn mark_all(&mut self) {
        let Some(survey) = &self.survey else { return };
        let all: Vec<GameId> = self.drives.layout.list.iter().map(|n| survey.games[*n].id.clone()).collect();
        if all.iter().all(|id| self.drives.layout.marks.contains(id)) {
            self.drives.layout.marks.clear();
        } else {
            self.drives.layout.marks.extend(all);
        }
    }

    /// The marked games, or the one under the cursor.
    pub(crate) fn meant(&self) -> Vec<GameId> {
        if self.drives.layout.marks.is_empty() {
            return self.game_here().map(|game| game.id.clone()).into_iter().collect();
        }
        let games = self.survey.iter().flat_map(|survey| &survey.games);
        games.filter(|game| self.drives.layout.marks.contains(&game.id)).map(|game| game.id.clone()).collect()
    }

    /// The name of the drive with a digit.
    pub(crate) fn drive_of_digit(&mut self, digit: u8) -> Option<String> {
        let drives = self.survey.iter().flat_map(|survey| &survey.drives);
        let name = drives.filter(|d| d.drive.tag == Some(digit)).map(|d| d.drive.name.clone()).next();
        if name.is_none() {
            self.over.message = Some(format!("No drive has the number {digit}."));
        }
        name
    }

    /// Sends what is meant to a drive; what lies there already stays.
    pub(crate) fn send(&mut self, drive: &str) {
        if self.drives.on_data {
            return self.send_data(drive);
        }
        let ids = self.meant();
        let marked = !self.drives.layout.marks.is_empty();
        for id in ids {
            self.send_game(&id, drive);
        }
        if marked {
            let count = self.drives.layout.marks.len();
            self.drives.layout.marks.clear();
            let games = words::plural(count, "game was", "games were");
            self.over.message = Some(format!("{games} sent to {drive}; none is marked any more."));
        }
        self.redraft();
    }

    pub(crate) fn send_game(&mut self, id: &GameId, drive: &str) {
        let Some(game) = self.survey.as_ref().and_then(|survey| survey.game(id)) else { return };
        if game.drive.as_deref() == Some(drive) {
            self.drafted.draft.keep(id);
            return;
        }
        let way = self.drafted.draft.items.iter().find(|item| item.game == *id).and_then(|item| item.way);
        self.drafted.draft.send_by(id.clone(), Destination::Drive(drive.into()), way);
    }

    pub(crate) fn keep_here(&mut self) {
        for id in self.meant() {
            self.drafted.draft.keep(&id);
        }
        self.drives.layout.marks.clear();
        self.redraft();
    }

    /// Has a link left at the old place of the game under the cursor, or not.
    pub(crate) fn leave_link(&mut self) {
        let Some(id) = self.game_here().map(|game| game.id.clone()) else { return };
        let Some(item) = self.drafted.draft.items.iter_mut().find(|item| item.game == id) else {
            self.over.message = Some("This game isn't on the haul. Press a drive's number to send it.".into());
            return;
        };
        item.way = if item.way.is_none() { Some(Way::Link) } else { None };
        self.redraft();
    }

    /// User data of the game under the cursor.
    pub fn data_here(&self) -> Vec<&UserData> {
        let (Some(survey), Some(game)) = (&self.survey, self.game_here()) else { return Vec::new() };
        survey.user_data.iter().filter(|data| data.game.as_ref() == Some(&game.id)).collect()
    }

    pub(crate) fn turn_to_data(&mut self) {
        let can_go = self.data_here().iter().any(|data| !data.ways.is_empty());
        self.drives.on_data = !self.drives.on_data && can_go;
        if !can_go {
            self.over.message = Some("This game has no user data that can move.".into());
        }
    }

    /// Sends the user data of the game under the cursor to a drive; leaves what lies there already.
    fn send_data(&mut self, drive: &str) {
        let all: Vec<_> = self
            .data_here()
            .into_iter()
            .filter(|data| !data.ways.is_empty())
            .map(|data| (data.id.clone(), data.drive.as_deref() == Some(drive)))
            .collect();
        for (id, is_there) in all {
            if is_there {
                self.drafted.draft.keep(&id);
            } else {
                self.drafted.draft.send(id, Destination::Drive(drive.into()));
            }
        }
        self.redraft();
    }

    /// Has the user data of the game under the cursor go in the next of its ways.
    pub(crate) fn other_way(&mut self) {
        let ways: Vec<_> = self.data_here().into_iter().map(|data| (data.id.clone(), data.ways.clone())).collect();
        let mut turned = false;
        for (id, ways) in ways {
            let Some(item) = self.drafted.draft.items.iter_mut().find(|item| item.game == id) else { continue };
            let now = ways.iter().position(|way| Some(*way) == item.way).unwrap_or(0);
            item.way = ways.get((now + 1) % ways.len().max(1)).copied();
            turned = true;
        }
        if turned {
            self.redraft();
        } else {
            let key = self.look.keys.name(Wish::UserData, View::Drives);
            self.over.message = Some(format!("Its user data isn't on this haul. Press {key}, then a drive's number."));
        }
    }
}

fn passes(survey: &Survey, game: &Game, filter: Filter, sent: &HashMap<GameId, Destination>) -> bool {
    match filter {
        Filter::All => true,
        Filter::Fits => survey.fits_elsewhere(game),
        Filter::Updates => game.update().is_some(),
        Filter::Haul => sent.contains_key(&game.id),
    }
}
