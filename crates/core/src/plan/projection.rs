//! What a draft would do to the drives: a pure function for every key press.

use std::collections::HashMap;

use super::schedule::quick_peaks;
use crate::plan::drafts::Draft;

use crate::bytes::Bytes;
use crate::plan::order::{DriveRoom, OrderItem};
use crate::plan::placement::{Load, bytes_there, drive_of, loads_now};
use crate::survey::{Game, GameId, Survey};

/// The load of every drive if the draft were hauled: pure, and quick enough for every key press.
///
/// Where not all fits while every original is held, but in some order in which originals go when their copy is proved, the
/// peak is that of this order.
pub fn projected(survey: &Survey, draft: &Draft) -> Vec<Load> {
    let mut loads = loads_now(survey);
    let place: HashMap<&str, usize> =
        survey.drives.iter().enumerate().map(|(n, state)| (state.drive.name.as_str(), n)).collect();
    let mut games: HashMap<&GameId, &Game> = survey.games.iter().map(|game| (&game.id, game)).collect();
    games.extend(survey.user_data.iter().filter_map(|data| Some((&data.id, survey.haulable(&data.id, None)?))));
    let mut items = Vec::new();
    for item in &draft.items {
        let Some(game) = games.get(&item.game) else { continue };
        let to = drive_of(survey, &item.to);
        if to == game.drive {
            continue;
        }
        let from = game.drive.as_deref().and_then(|name| place.get(name).copied());
        if let Some(from) = from {
            loads[from].after = loads[from].after.less(game.size.on_disk);
        }
        let Some(to) = to.as_deref().and_then(|name| place.get(name).copied()) else { continue };
        let bytes = bytes_there(survey, game, to);
        loads[to].peak = loads[to].peak.plus(bytes);
        loads[to].after = loads[to].after.plus(bytes);
        let needs = (0..loads.len()).map(|drive| (drive == to).then_some(bytes.count())).collect();
        items.push(OrderItem { from, to, leaves: game.size.on_disk.count(), needs });
    }
    if loads.iter().any(|load| load.lacks().is_some()) {
        let rooms: Vec<DriveRoom> =
            loads.iter().map(|load| DriveRoom { used: load.now.count(), most: load.most().count() }).collect();
        for (load, peak) in loads.iter_mut().zip(quick_peaks(&rooms, &items).into_iter().flatten()) {
            load.peak = Bytes::new(peak);
        }
    }
    loads
}
