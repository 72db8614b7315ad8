//! A traced folder as a game: what somebody moves whose launcher nobody has described.

use std::path::Path;

use super::{Sure, Trace};
use crate::launcher::{Entry, Found, FoundGame, Profile, place_fault};
use crate::record::{Format, Meaning, Shape};
use crate::site::Site;
use crate::survey::{Game, GameId, Survey};
use crate::tally::measure;

/// Id of the profile that a traced folder seems to have.
pub const TRACED: &str = "traced";

impl Trace {
    /// The folder as a game with the records that were found.
    pub fn as_game(&self, site: &Site) -> FoundGame {
        let folder = self.path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let unsure = self.finds.iter().filter(|find| matches!(find.sure, Sure::NameOnly | Sure::Unreadable)).count();
        FoundGame {
            id: self.path.to_string_lossy().into_owned(),
            title: folder.clone(),
            fault: place_fault(site, &self.path, None),
            install: self.path.clone(),
            folder,
            library: None,
            claim: None,
            program: None,
            sealed: None,
            last_run: None,
            update: None,
            entry: Entry {
                file: self.path.clone(),
                shape: Shape::Text(Format::Lines),
                list: None,
                id_at: None,
                travels: false,
                location: "$".into(),
            },
            records: self.sure().map(|find| find.record.clone()).collect(),
            unsure,
        }
    }

    pub(crate) fn as_found(&self, site: &Site) -> Found {
        let profile = Profile::made_up(TRACED, "Traced records", None);
        let home = self.path.parent().unwrap_or(Path::new("/")).to_path_buf();
        let letters = self.layers.clone();
        let games = vec![self.as_game(site)];
        Found { games, letters, ..Found::bare(profile, home) }
    }
}

/// Adds a traced folder to a survey under the id of a launcher that it seems to have, and with the place where it goes on a
/// drive; gives its id.
pub(crate) fn add_as(site: &Site, survey: &mut Survey, trace: &Trace, launcher: &str, place: Option<&str>) -> GameId {
    let mut found = trace.as_found(site);
    found.profile.id = launcher.into();
    found.profile.games.place = place.and_then(|place| Meaning::try_from(place.to_string()).ok());
    let game = found.games[0].clone();
    // Where it lies now is no sign of where others should go.
    found.games.retain(|_| place.is_none());
    let id = GameId(format!("{launcher}/{}", game.id));
    survey.games.retain(|other| other.id != id);
    survey.games.push(Game {
        id: id.clone(),
        launcher: launcher.into(),
        drive: site.drive_of(&game.install).map(|drive| drive.name.clone()),
        size: if game.fault.is_none() { measure(&game.install) } else { crate::tally::Size::default() },
        found: game,
    });
    survey.found.retain(|other| other.profile.id != launcher);
    survey.found.push(found);
    id
}

/// Adds a traced folder to a survey, so that it can be drafted, planned and hauled like any game; gives its id.
pub fn add_to_survey(site: &Site, survey: &mut Survey, trace: &Trace) -> GameId {
    add_as(site, survey, trace, TRACED, None)
}
