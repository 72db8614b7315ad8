//! Places that lead to a game and that no record of its launcher covers: nobody would rewrite them.

use std::collections::HashSet;
use std::path::PathBuf;

use super::find::{Find, Sure};
use crate::launcher::{FoundGame, Record};
use crate::record::Side;
use crate::site::real_path;

/// A place, whatever links its file is reached by, with the steps within the documents that stand there.
type At = (PathBuf, String, Side);

fn at(record: &Record, location: String) -> At {
    let inside = record.inside.iter().map(|hop| hop.location.trim_start_matches('$'));
    (real_path(&record.file), inside.fold(location, |at, hop| at + hop), record.side)
}

/// Where a record of a game stands, from the root of its file.
pub(crate) fn whole_place(game: &FoundGame, record: &Record) -> String {
    if record.in_entry {
        format!("{}{}", game.entry.location, record.location.trim_start_matches('$'))
    } else {
        record.location.clone()
    }
}

/// The finds that lead to the game and that none of its records covers. A name that stands alone needs none, nor does the way down to it: they
/// stay the same wherever the game goes.
pub(crate) fn uncovered<'a>(game: &FoundGame, finds: &'a [Find]) -> Vec<&'a Find> {
    let leads = |find: &&Find| {
        let stays = find.record.meaning.is("folder") || find.record.is_a_way_down();
        matches!(find.sure, Sure::Certain | Sure::Likely) && !stays
    };
    without_covered(game, finds.iter().filter(leads)).collect()
}

/// The finds that none of a game's records covers.
pub(crate) fn without_covered<'a>(
    game: &FoundGame,
    finds: impl Iterator<Item = &'a Find>,
) -> impl Iterator<Item = &'a Find> {
    let sound = game.records.iter().filter(|record| record.sound);
    let covered: HashSet<At> = sound.map(|record| at(record, whole_place(game, record))).collect();
    finds.filter(move |find| !covered.contains(&at(&find.record, find.record.location.clone())))
}
