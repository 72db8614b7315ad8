//! Suggestions: which games to send where, so that a drive has room, is empty, or holds what is played most.
//!
//! Law: whole games only, never one that cannot be moved, never where it would not fit above the reserve; each line has its
//! reason and can be changed. Pure; start at [`suggest`].

use jiff::Timestamp;
use serde::Serialize;

use super::draft::{Destination, Draft};
use crate::bytes::Bytes;
use crate::plan::placement::{bytes_there, loads_now};
use crate::platform::DriveKind;
use crate::survey::{Game, GameId, Survey};

/// What a person wants of a suggestion.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Aim {
    /// So many bytes more on this drive.
    Free { drive: String, bytes: Bytes },
    /// Every game off this drive.
    Empty { drive: String },
    /// What was played last on this drive, as much as it holds.
    Played { drive: String },
    /// Every drive has its reserve.
    KeepReserves,
}

/// Why a line stands in a suggestion.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "why")]
pub enum Why {
    /// It gives back so much room on the drive that it leaves.
    MakesRoom { drive: String, bytes: Bytes },
    /// It was last played then; `None` if that is not known.
    LastPlayed { at: Option<Timestamp> },
    /// It is among those that were played last.
    PlayedMost { at: Timestamp },
    /// The only other drive with room for it.
    OnlyPlace,
}

/// A game and where it should go.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Line {
    /// The game.
    pub game: GameId,
    /// Its title.
    pub title: String,
    /// Name of the drive.
    pub to: String,
    /// Why.
    pub why: Vec<Why>,
}

/// What a suggestion leaves undone.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "miss")]
pub enum Miss {
    /// A game that its launcher does not let be moved, or whose place is not sound.
    Fixed { title: String },
    /// No drive has room for it, or none can hold it.
    NoPlace { title: String },
    /// So much is still lacking on the drive.
    StillLacks { drive: String, bytes: Bytes },
    /// There is no such drive.
    NoDrive { drive: String },
}

/// Lines to make a draft of, and what they do not reach.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Suggestion {
    /// The lines.
    pub lines: Vec<Line>,
    /// What is left undone.
    pub misses: Vec<Miss>,
}

impl Suggestion {
    /// The draft that it comes to.
    pub fn draft(&self) -> Draft {
        let mut draft = Draft::default();
        for line in &self.lines {
            draft.send(line.game.clone(), Destination::Drive(line.to.clone()));
        }
        draft
    }
}

/// How lately a game was played: 2 within 30 days, 1 within 180 days, 0 before that or not known.
fn usage(game: &Game, now: Timestamp) -> u8 {
    const DAY: i64 = 86_400;
    match game.found.last_run.map(|at| now.duration_since(at).as_secs() / DAY) {
        Some(days) if days < 30 => 2,
        Some(days) if days < 180 => 1,
        _ => 0,
    }
}

fn is_movable(game: &Game) -> bool {
    game.found.sealed.is_none() && game.fault().is_none() && game.drive.is_some()
}

/// Room on drives that is left as a suggestion grows.
struct Rooms<'a> {
    survey: &'a Survey,
    free: Vec<u64>,
}

impl<'a> Rooms<'a> {
    fn new(survey: &'a Survey) -> Self {
        let free = loads_now(survey).iter().map(|load| load.most().less(load.now).count()).collect();
        Self { survey, free }
    }

    fn need(&self, game: &Game, drive: usize) -> u64 {
        bytes_there(self.survey, game, drive).count()
    }

    /// Whether a drive can hold a game, as far as the survey knows, and it does not lie there.
    fn can_hold(&self, game: &Game, drive: usize) -> bool {
        let drive = &self.survey.drives[drive].drive;
        game.drive.as_ref() != Some(&drive.name) && !drive.read_only && (drive.abilities.links || game.size.links == 0)
    }

    /// The drives that have room for a game: those that stay plugged in first, and of those the emptiest.
    fn places(&self, game: &Game) -> Vec<usize> {
        let fits = |drive: &usize| self.can_hold(game, *drive) && self.need(game, *drive) <= self.free[*drive];
        let mut places: Vec<usize> = (0..self.free.len()).filter(fits).collect();
        places.sort_by_key(|drive| {
            let kind = self.survey.drives[*drive].drive.kind;
            (matches!(kind, DriveKind::Usb | DriveKind::Network), u64::MAX - self.free[*drive])
        });
        places
    }

    /// Puts all of these games somewhere, if that can be done; exact as long as the tries last. Largest first.
    fn pack(&mut self, games: &[&Game]) -> Option<Vec<usize>> {
        let mut order: Vec<usize> = (0..games.len()).collect();
        order.sort_by_key(|n| std::cmp::Reverse(games[*n].size.on_disk));
        let mut places = vec![0; games.len()];
        let mut tries = 20_000;
        self.pack_from(games, &order, &mut places, &mut tries).then_some(places)
    }

    fn pack_from(&mut self, games: &[&Game], order: &[usize], places: &mut [usize], tries: &mut usize) -> bool {
        let Some((&n, rest)) = order.split_first() else { return true };
        for place in self.places(games[n]) {
            if *tries == 0 {
                return false;
            }
            *tries -= 1;
            let need = self.need(games[n], place);
            self.free[place] -= need;
            places[n] = place;
            if self.pack_from(games, rest, places, tries) {
                return true;
            }
            self.free[place] += need;
        }
        false
    }

    fn name(&self, drive: usize) -> String {
        self.survey.drives[drive].drive.name.clone()
    }
}

/// Suggests items. The survey is all that counts: nothing is looked at, nothing written.
pub fn suggest(survey: &Survey, aim: &Aim) -> Suggestion {
    let mut rooms = Rooms::new(survey);
    let mut out = Suggestion::default();
    let known = |name: &str| survey.drives.iter().position(|state| state.drive.name == *name);
    match aim {
        Aim::Free { drive, .. } | Aim::Empty { drive } | Aim::Played { drive } if known(drive).is_none() => {
            out.misses.push(Miss::NoDrive { drive: drive.clone() });
        }
        Aim::Free { drive, bytes } => free(survey, &mut rooms, drive, *bytes, &mut out),
        Aim::Empty { drive } => empty(survey, &mut rooms, drive, &mut out),
        Aim::Played { drive } => played(survey, &mut rooms, drive, &mut out),
        Aim::KeepReserves => {
            for load in loads_now(survey) {
                let lacks = load.now.less(load.most());
                if lacks > Bytes::ZERO {
                    free(survey, &mut rooms, &load.drive, lacks, &mut out);
                }
            }
        }
    }
    out
}

fn on<'a>(survey: &'a Survey, drive: &str) -> Vec<&'a Game> {
    survey.games.iter().filter(|game| game.drive.as_deref() == Some(drive)).collect()
}

/// A choice of games, as good as its cost is small: how many, how lately played, and bytes above what is wanted.
type Cost = (usize, u32, u64);

/// The search for the fewest games that make room.
struct Choosing<'a, 'r> {
    games: Vec<&'a Game>,
    rooms: &'r mut Rooms<'a>,
    wanted: u64,
    best: Option<(Cost, Vec<usize>, Vec<usize>)>,
    now: Timestamp,
    tries: usize,
}

impl Choosing<'_, '_> {
    /// Chooses `left` more games from `from` on.
    fn choose(&mut self, chosen: &mut Vec<usize>, from: usize, left: usize, sum: u64) {
        if self.tries == 0 {
            return;
        }
        self.tries -= 1;
        if left == 0 {
            if sum < self.wanted {
                return;
            }
            let used = chosen.iter().map(|n| u32::from(usage(self.games[*n], self.now))).sum();
            let cost = (chosen.len(), used, sum - self.wanted);
            if self.best.as_ref().is_some_and(|(best, ..)| *best <= cost) {
                return;
            }
            let games: Vec<_> = chosen.iter().map(|n| self.games[*n]).collect();
            let before = self.rooms.free.clone();
            if let Some(places) = self.rooms.pack(&games) {
                self.best = Some((cost, chosen.clone(), places));
            }
            self.rooms.free = before;
            return;
        }
        for n in from..=self.games.len().saturating_sub(left) {
            // Largest first: what follows is no larger, so that too little here stays too little.
            let most: u64 = self.games[n..n + left].iter().map(|game| game.size.on_disk.count()).sum();
            if sum + most < self.wanted {
                return;
            }
            chosen.push(n);
            self.choose(chosen, n + 1, left - 1, sum + self.games[n].size.on_disk.count());
            chosen.pop();
        }
    }
}

fn free<'a>(survey: &'a Survey, rooms: &mut Rooms<'a>, drive: &str, wanted: Bytes, out: &mut Suggestion) {
    let taken = |game: &&Game| out.lines.iter().any(|line| line.game == game.id);
    let mut games: Vec<&Game> = on(survey, drive)
        .into_iter()
        .filter(|game| is_movable(game) && !rooms.places(game).is_empty() && !taken(game))
        .collect();
    games.sort_by_key(|game| std::cmp::Reverse(game.size.on_disk));
    let count = games.len();
    let mut choosing = Choosing { games, rooms, wanted: wanted.count(), best: None, now: survey.made, tries: 400_000 };
    for many in 1..=count {
        choosing.choose(&mut Vec::new(), 0, many, 0);
        if choosing.best.is_some() || choosing.tries == 0 {
            break;
        }
    }
    let Choosing { games, best, .. } = choosing;
    let chosen = match best {
        Some((_, chosen, places)) => chosen.into_iter().zip(places).map(|(n, place)| (games[n], place)).collect(),
        // Not so much can be freed, or it is not found soon: as much as finds a place, largest first.
        None => largest_first(rooms, &games, wanted.count()),
    };
    let freed: Bytes = chosen.iter().map(|(game, _)| game.size.on_disk).sum();
    for (game, place) in chosen {
        let need = rooms.need(game, place);
        rooms.free[place] = rooms.free[place].saturating_sub(need);
        out.lines.push(leaving(rooms, game, place, drive));
    }
    let bytes = wanted.less(freed);
    if bytes > Bytes::ZERO {
        out.misses.push(Miss::StillLacks { drive: drive.into(), bytes });
    }
}

fn largest_first<'a>(rooms: &mut Rooms<'a>, games: &[&'a Game], wanted: u64) -> Vec<(&'a Game, usize)> {
    let before = rooms.free.clone();
    let (mut chosen, mut sum) = (Vec::new(), 0);
    for game in games {
        if sum >= wanted {
            break;
        }
        if let Some(place) = rooms.places(game).first().copied() {
            rooms.free[place] -= rooms.need(game, place);
            sum += game.size.on_disk.count();
            chosen.push((*game, place));
        }
    }
    rooms.free = before;
    chosen
}

fn leaving(rooms: &Rooms<'_>, game: &Game, place: usize, drive: &str) -> Line {
    let mut why = vec![
        Why::MakesRoom { drive: drive.into(), bytes: game.size.on_disk },
        Why::LastPlayed { at: game.found.last_run },
    ];
    let others = (0..rooms.free.len()).filter(|other| *other != place && rooms.can_hold(game, *other));
    if others.into_iter().all(|other| rooms.need(game, other) > rooms.free[other]) {
        why.push(Why::OnlyPlace);
    }
    Line { game: game.id.clone(), title: game.found.title.clone(), to: rooms.name(place), why }
}

fn empty<'a>(survey: &'a Survey, rooms: &mut Rooms<'a>, drive: &str, out: &mut Suggestion) {
    let (mut movable, fixed): (Vec<&Game>, Vec<&Game>) =
        on(survey, drive).into_iter().partition(|game| is_movable(game));
    out.misses.extend(fixed.iter().map(|game| Miss::Fixed { title: game.found.title.clone() }));
    movable.sort_by_key(|game| std::cmp::Reverse(game.size.on_disk));
    let (mut games, nowhere): (Vec<&Game>, Vec<&Game>) =
        movable.into_iter().partition(|game| !rooms.places(game).is_empty());
    out.misses.extend(nowhere.iter().map(|game| Miss::NoPlace { title: game.found.title.clone() }));
    loop {
        if let Some(places) = rooms.pack(&games) {
            for (game, place) in games.iter().zip(places) {
                out.lines.push(leaving(rooms, game, place, drive));
            }
            return;
        }
        // Together they fit nowhere: the smallest one stays, until the others do.
        let Some(stays) = games.pop() else { return };
        out.misses.push(Miss::NoPlace { title: stays.found.title.clone() });
    }
}

/// The games that were played last come to the drive, as many as it holds; the least played leave it for that.
fn played<'a>(survey: &'a Survey, rooms: &mut Rooms<'a>, drive: &str, out: &mut Suggestion) {
    let Some(target) = survey.drives.iter().position(|state| state.drive.name == drive) else { return };
    let here: Vec<&Game> = on(survey, drive);
    let mut ranked: Vec<&Game> =
        survey.games.iter().filter(|game| is_movable(game) && game.found.last_run.is_some()).collect();
    ranked.sort_by_key(|game| std::cmp::Reverse(game.found.last_run));
    // All that could be there, if everything that can leave did.
    let leaves: u64 = here.iter().filter(|game| is_movable(game)).map(|game| game.size.on_disk.count()).sum();
    // Of a drive above its reserve something has to leave before anything comes.
    let load = &loads_now(survey)[target];
    let over = load.now.less(load.most()).count();
    let mut room = (rooms.free[target] + leaves).saturating_sub(over);
    let mut stays: Vec<&Game> = Vec::new();
    let mut comes: Vec<&Game> = Vec::new();
    for game in ranked {
        let is_here = game.drive.as_deref() == Some(drive);
        let need = if is_here { game.size.on_disk.count() } else { rooms.need(game, target) };
        if need > room || (!is_here && !rooms.can_hold(game, target)) {
            continue;
        }
        room -= need;
        if is_here { stays.push(game) } else { comes.push(game) }
    }
    let wanted: u64 = comes.iter().map(|game| rooms.need(game, target)).sum();
    let lacks = if comes.is_empty() { 0 } else { wanted.saturating_sub(rooms.free[target]) + over };
    if lacks > 0 {
        let is_kept = |game: &&Game| stays.iter().any(|kept| kept.id == game.id);
        let mut others: Vec<&Game> = here.iter().copied().filter(|game| is_movable(game) && !is_kept(game)).collect();
        others.sort_by_key(|game| (game.found.last_run, std::cmp::Reverse(game.size.on_disk)));
        let mut made = 0;
        for game in others {
            if made >= lacks {
                break;
            }
            let Some(place) = rooms.places(game).first().copied() else { continue };
            rooms.free[place] -= rooms.need(game, place);
            made += game.size.on_disk.count();
            out.lines.push(leaving(rooms, game, place, drive));
        }
        rooms.free[target] += made.saturating_sub(over);
    }
    for game in comes {
        let need = rooms.need(game, target);
        if need > rooms.free[target] {
            out.misses.push(Miss::NoPlace { title: game.found.title.clone() });
            continue;
        }
        rooms.free[target] -= need;
        let why = game.found.last_run.map(|at| Why::PlayedMost { at }).into_iter().collect();
        out.lines.push(Line { game: game.id.clone(), title: game.found.title.clone(), to: drive.into(), why });
    }
}

#[cfg(test)]
mod tests;
