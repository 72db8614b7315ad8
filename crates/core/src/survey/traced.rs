//! A traced folder as a game: what somebody moves whose launcher nobody has described.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::path::{Path, PathBuf};

use super::game::{Game, GameId};
use super::games::Survey;
use crate::checksums::measure;
use crate::launcher::{FoundGame, FoundLauncher, Origin, Profile, Staying, WhyStaying, place_fault};
use crate::record::Meaning;
use crate::site::Site;
use crate::trace::{Find, Sure, Trace};

impl Trace {
    /// The folder as a game with the records that were found.
    pub fn as_game(&self, site: &Site) -> FoundGame {
        let folder = self.path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let id = self.path.to_string_lossy().into_owned();
        FoundGame {
            fault: place_fault(site, &self.path, None),
            root: self.root(),
            records: self.sure().map(|find| find.record.clone()).collect(),
            staying: self.staying(),
            ..FoundGame::unlisted(id, folder.clone(), &self.path, folder)
        }
    }

    /// The folder above from which records say the way down, if they say it through folders between.
    fn root(&self) -> Option<PathBuf> {
        let up = self.sure().find_map(|find| find.up)?;
        self.path.ancestors().nth(up).map(Path::to_path_buf)
    }

    /// The files that stay as they are although they say the path or its name, by the reason; none of them is rewritten.
    pub fn staying(&self) -> Vec<Staying> {
        let rewritten: HashSet<&Path> = self.sure().map(|find| find.record.file.as_path()).collect();
        let why = |sure| match sure {
            Sure::Certain | Sure::Likely => None,
            Sure::NameOnly => Some(WhyStaying::NameOnly),
            Sure::Unreadable => Some(WhyStaying::Unreadable),
            Sure::Checksum => Some(WhyStaying::Checksum),
            Sure::Log => Some(WhyStaying::Log),
            Sure::Backup => Some(WhyStaying::Backup),
            Sure::Cache => Some(WhyStaying::Cache),
            Sure::Chosen => Some(WhyStaying::Chosen),
        };
        let mut staying: BTreeMap<WhyStaying, BTreeSet<PathBuf>> = BTreeMap::new();
        // A checksum may stand in the very file that is rewritten.
        let apart = |find: &Find| matches!(find.sure, Sure::Chosen | Sure::Checksum);
        let stays = |find: &&Find| apart(find) || !rewritten.contains(find.record.file.as_path());
        for find in self.finds.iter().filter(stays) {
            if let Some(why) = why(find.sure) {
                staying.entry(why).or_default().insert(find.record.file.clone());
            }
        }
        staying.into_iter().map(|(why, files)| Staying { why, files: files.into_iter().collect() }).collect()
    }

    pub(crate) fn as_found(&self, site: &Site) -> FoundLauncher {
        let profile = Profile::made_up(Origin::Traced, "Traced records", None);
        let home = self.path.parent().unwrap_or(Path::new("/")).to_path_buf();
        let letters = self.layers.clone();
        let games = vec![self.as_game(site)];
        FoundLauncher { games, letters, ..FoundLauncher::bare(profile, home) }
    }
}

/// Adds a traced folder to a survey under the id of a launcher that it seems to have, and with the place where it goes on a
/// drive; gives its id.
pub(crate) fn add_as(site: &Site, survey: &mut Survey, trace: &Trace, origin: Origin, place: Option<&str>) -> GameId {
    let mut found = trace.as_found(site);
    found.profile.origin = origin;
    found.profile.id = origin.profile_id().unwrap_or_default().into();
    let launcher = found.profile.id.clone();
    found.profile.games.place = place.and_then(|place| Meaning::try_from(place.to_string()).ok());
    let game = found.games[0].clone();
    // Where it lies now is no sign of where others should go.
    found.games.retain(|_| place.is_none());
    let id = GameId::made_up(origin, &game.id);
    survey.games.retain(|other| other.id != id);
    survey.games.push(Game {
        id: id.clone(),
        launcher: launcher.clone(),
        drive: site.drive_of(&game.install).map(|drive| drive.name.clone()),
        size: if game.fault.is_none() { measure(&game.install) } else { crate::checksums::Size::default() },
        found: game,
    });
    survey.found.retain(|other| other.profile.origin != origin);
    survey.found.push(found);
    id
}

/// Adds a traced folder to a survey, so that it can be drafted, planned and hauled like any game; gives its id.
pub fn add_to_survey(site: &Site, survey: &mut Survey, trace: &Trace) -> GameId {
    add_as(site, survey, trace, Origin::Traced, None)
}
