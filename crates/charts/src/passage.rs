//! How a haul went: its items through their phases beside what was forecast, and how fast its bytes went.

use std::time::Duration;

use deft_barge_core::bytes::{Bytes, ItemId};
use deft_barge_core::item::StageKind;
use deft_barge_core::journal::{Came, HaulRow, ItemRow, Sample, Telemetry};
use jiff::{SignedDuration, Timestamp};

use crate::Drawing;
use crate::clock::{Clock, Stretch};
use crate::figures::span;
use crate::page::{
    AMBER, DIM, FAINT, Ink, LAUNCHERS, MARGIN, Mark, OTHER, PAPER, Page, RED, Rect, Side, TEXT, TOP, draw,
};

const LABEL: i32 = 220;
/// Height of an item's row.
const ROW: i32 = 44;
/// Items that are drawn.
const MOST: usize = 60;
/// The first row below the axis of time.
const FIRST: i32 = TOP + 40;

/// Pulses are kept to this: one may seem to come before a mark that it came after.
const MOMENT: SignedDuration = SignedDuration::from_millis(1);

/// What is done with an item in a stretch of time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Phase {
    Copy,
    Compare,
    Wait,
    Repoint,
    Prove,
    Release,
    GiveUp,
}

const PHASES: [(Phase, &str); 7] = [
    (Phase::Copy, "copied and verified"),
    (Phase::Compare, "verified to the end"),
    (Phase::Wait, "waited"),
    (Phase::Repoint, "records updated"),
    (Phase::Prove, "proved"),
    (Phase::Release, "released"),
    (Phase::GiveUp, "cancelled"),
];

impl Phase {
    /// What follows a stage.
    fn after(stage: StageKind) -> Option<Self> {
        match stage {
            StageKind::Copying => Some(Self::Copy),
            StageKind::Verified => Some(Self::Wait),
            StageKind::Renaming | StageKind::Linked | StageKind::Placed | StageKind::UpdatingRecords => {
                Some(Self::Repoint)
            }
            StageKind::RecordsUpdated => Some(Self::Prove),
            StageKind::Releasing => Some(Self::Release),
            StageKind::Cancelling => Some(Self::GiveUp),
            _ => None,
        }
    }

    fn mark(self) -> Mark {
        match self {
            Self::Copy => Mark::Filled(AMBER),
            Self::Compare => Mark::Hatched,
            Self::Wait => Mark::Filled(PAPER),
            Self::Repoint => Mark::Filled(TEXT),
            Self::Prove => Mark::Filled(OTHER),
            Self::Release => Mark::Filled(DIM),
            Self::GiveUp => Mark::Filled(LAUNCHERS[4]),
        }
    }
}

/// What is drawn of an item.
struct Row<'a> {
    item: &'a ItemRow,
    phases: Vec<(Phase, Stretch)>,
    forecast: Option<Stretch>,
}

/// The phases of an item, in the order of time.
fn phases(passage: &Telemetry, item: ItemId) -> Vec<(Phase, Stretch)> {
    let pulses: Vec<&Sample> = passage.pulses.iter().filter(|pulse| pulse.item == item).collect();
    // Of a program that was killed the last that is known is its last pulse.
    let alive = |from: Timestamp, until: Timestamp| {
        let until = until.saturating_sub(MOMENT).unwrap_or(until);
        pulses.iter().map(|pulse| pulse.at).filter(|at| (from..until).contains(at)).max().unwrap_or(from)
    };
    let mut all = Vec::new();
    let mut open: Option<(Phase, Timestamp)> = None;
    let mut stage = None;
    for mark in passage.marks.iter().filter(|mark| mark.item == item) {
        let resumed = mark.came == Came::Resumed;
        if let Some((phase, from)) = open.take() {
            let until = if resumed { alive(from, mark.at) } else { mark.at };
            all.push((phase, (from, until.max(from))));
        }
        if let Came::To(reached) = mark.came {
            stage = Some(reached);
        }
        let goes_on = resumed || matches!(mark.came, Came::To(_));
        open = stage.and_then(Phase::after).filter(|_| goes_on).map(|phase| (phase, mark.at));
    }
    if let Some((phase, from)) = open {
        all.push((phase, (from, alive(from, Timestamp::MAX))));
    }
    all.into_iter().flat_map(|(phase, stretch)| split(phase, stretch, &pulses)).collect()
}

/// Cuts a copy where all was copied and the rest was compared alone.
fn split(phase: Phase, (from, to): Stretch, pulses: &[&Sample]) -> Vec<(Phase, Stretch)> {
    let most = pulses.iter().map(|pulse| pulse.copied).max();
    let copied = pulses.iter().find(|pulse| Some(pulse.copied) == most).map(|pulse| pulse.at);
    match copied.filter(|_| phase == Phase::Copy) {
        Some(at) if at <= from => vec![(Phase::Compare, (from, to))],
        Some(at) if at < to => vec![(Phase::Copy, (from, at)), (Phase::Compare, (at, to))],
        _ => vec![(phase, (from, to))],
    }
}

fn later(at: Timestamp, by: Duration) -> Timestamp {
    SignedDuration::try_from(by).ok().and_then(|by| at.saturating_add(by).ok()).unwrap_or(at)
}

fn pair(item: &ItemRow) -> String {
    format!("{} > {}", item.planned.from_drive.as_deref().unwrap_or("home"), item.planned.to_drive)
}

/// Draws the items of a haul over time: what was forecast of each, and the phases that it went through. Breaks are cut out.
pub fn timeline(haul: &HaulRow, passage: &Telemetry) -> Drawing {
    let mut items = by_drives(haul);
    let more = items.len().saturating_sub(MOST);
    items.truncate(MOST);
    let rows: Vec<Row<'_>> = items
        .into_iter()
        .map(|item| {
            let forecast = passage.forecast.get(&item.id);
            let forecast = forecast.map(|(from, to)| (later(haul.made, *from), later(haul.made, *to)));
            Row { item, phases: phases(passage, item.id), forecast }
        })
        .collect();
    let stretches: Vec<Stretch> =
        rows.iter().flat_map(|row| row.phases.iter().map(|(_, stretch)| *stretch).chain(row.forecast)).collect();
    let title = format!("Haul {}: what was done when", haul.id);
    draw(&title, haul.made, (1000, (FIRST + rows.len().max(1) as i32 * ROW + 90) as u32), |page| {
        let width = page.width() - 2 * MARGIN - LABEL;
        if stretches.is_empty() {
            page.text(
                page.width() / 2,
                FIRST,
                12.0,
                DIM,
                Side::Middle,
                "The journal doesn't say when its items arrived.",
            );
            return;
        }
        let clock = Clock::new(stretches.clone(), MARGIN + LABEL, width);
        let bottom = FIRST + rows.len() as i32 * ROW;
        clock.draw(page, TOP, bottom);
        for (n, row) in rows.iter().enumerate() {
            draw_row(page, row, passage, &clock, FIRST + n as i32 * ROW);
        }
        if more > 0 {
            let text = format!("and {more} more");
            page.text(MARGIN, bottom + 4, 10.0, DIM, Side::Left, &text);
        }
        page.legend(&legend(&rows, passage));
    })
}

/// Items of the same drives stand together, in the order of the first of them.
fn by_drives(haul: &HaulRow) -> Vec<&ItemRow> {
    let mut pairs: Vec<String> = Vec::new();
    for item in &haul.items {
        if !pairs.contains(&pair(item)) {
            pairs.push(pair(item));
        }
    }
    let mut items: Vec<&ItemRow> = haul.items.iter().collect();
    items.sort_by_key(|item| pairs.iter().position(|other| *other == pair(item)));
    items
}

/// One item: its title and drives, its forecast, what was done when, and where it stopped.
fn draw_row(page: &mut Page, row: &Row<'_>, passage: &Telemetry, clock: &Clock, y: i32) {
    let Row { item, phases, forecast } = row;
    let title = page.cut(&item.planned.title, 12.0, LABEL - 14);
    page.text(MARGIN, y + 6, 12.0, TEXT, Side::Left, &title);
    let drives = page.cut(&pair(item), 10.0, LABEL - 14);
    page.text(MARGIN, y + 24, 10.0, DIM, Side::Left, &drives);
    if let Some((from, to)) = forecast {
        let x = clock.at(*from);
        let rect = Rect::new(x, y + 6, (clock.at(*to) - x).max(2), 6);
        page.fill(rect, FAINT);
    }
    for (phase, (from, to)) in phases {
        let x = clock.at(*from);
        let rect = Rect::new(x, y + 15, (clock.at(*to) - x).max(1), 18);
        paint(page, rect, phase.mark());
    }
    stops(page, passage, item.id, clock, y + 15);
}

fn legend(rows: &[Row<'_>], passage: &Telemetry) -> Vec<(Mark, String)> {
    let went = |phase: Phase| rows.iter().any(|row| row.phases.iter().any(|(own, _)| *own == phase));
    let mut legend: Vec<(Mark, String)> = Vec::new();
    if rows.iter().any(|row| row.forecast.is_some()) {
        legend.push((Mark::Filled(FAINT), "forecast".into()));
    }
    legend.extend(PHASES.iter().filter(|(phase, _)| went(*phase)).map(|(phase, word)| (phase.mark(), (*word).into())));
    let known = |came: Came| passage.marks.iter().any(|mark| mark.came == came);
    if known(Came::Stopped) {
        legend.push((Mark::Line(RED), "stopped".into()));
    }
    if known(Came::Paused) {
        legend.push((Mark::Line(DIM), "paused".into()));
    }
    legend
}

fn paint(page: &mut Page, rect: Rect, mark: Mark) {
    match mark {
        Mark::Filled(ink) => page.fill(rect, ink),
        Mark::Hatched => page.hatch(rect, DIM),
        Mark::Hollow(_) | Mark::Line(_) | Mark::Cross(_) => {}
    }
    page.frame(rect, TEXT);
}

/// Upright lines where an item was paused or could not go on.
fn stops(page: &mut Page, passage: &Telemetry, item: ItemId, clock: &Clock, y: i32) {
    for mark in passage.marks.iter().filter(|mark| mark.item == item) {
        let ink = match mark.came {
            Came::Stopped => RED,
            Came::Paused => DIM,
            _ => continue,
        };
        let x = clock.at(mark.at);
        page.line((x, y - 4), (x, y + 22), ink, 2);
    }
}

/// Bytes per second of an item between two pulses.
#[derive(Clone, Copy, Debug)]
struct Pace {
    stretch: Stretch,
    copied: f64,
    compared: f64,
    limit: Option<Bytes>,
}

/// What was reached between pulses that follow one another with no stop between them.
fn paces(passage: &Telemetry) -> Vec<Pace> {
    let stopped = |item: ItemId, (from, to): Stretch| {
        let later = |at: Timestamp| at.saturating_add(MOMENT).unwrap_or(at);
        let between = |at: Timestamp| later(from) < at && at <= later(to);
        passage.marks.iter().any(|mark| mark.item == item && !matches!(mark.came, Came::To(_)) && between(mark.at))
    };
    let pace = |pair: &[Sample]| {
        let (one, next) = (&pair[0], &pair[1]);
        let stretch = (one.at, next.at);
        let seconds = next.at.duration_since(one.at).as_secs_f64();
        if one.item != next.item || seconds <= 0.0 || stopped(one.item, stretch) {
            return None;
        }
        let rate = |before: Bytes, after: Bytes| after.less(before).count() as f64 / seconds;
        let (copied, compared) = (rate(one.copied, next.copied), rate(one.compared, next.compared));
        Some(Pace { stretch, copied, compared, limit: next.limit })
    };
    passage.pulses.windows(2).filter_map(pace).collect()
}

/// What was reached in a moment of all items together.
#[derive(Clone, Copy, Debug, Default)]
struct Reached {
    copied: f64,
    compared: f64,
    limit: Option<Bytes>,
    runs: bool,
}

fn reached(paces: &[Pace], (from, to): Stretch) -> Reached {
    let whole = to.duration_since(from).as_secs_f64().max(1e-9);
    let mut sum = Reached::default();
    for pace in paces {
        let (begin, end) = (pace.stretch.0.max(from), pace.stretch.1.min(to));
        if begin < end {
            let part = end.duration_since(begin).as_secs_f64() / whole;
            sum.copied += pace.copied * part;
            sum.compared += pace.compared * part;
            sum.limit = sum.limit.max(pace.limit);
            sum.runs = true;
        }
    }
    sum
}

/// Draws how fast a haul's bytes were copied and compared, with limits, breaks and errors.
pub fn rate(haul: &HaulRow, passage: &Telemetry) -> Drawing {
    /// Units of the page for each figure.
    const STEP: i32 = 4;
    let paces = paces(passage);
    let title = format!("Haul {}: how fast it went", haul.id);
    draw(&title, haul.made, (1000, 500), |page| {
        let place = Rect::new(MARGIN + 80, FIRST + 6, page.width() - 2 * MARGIN - 80, page.height() - FIRST - 106);
        if paces.is_empty() {
            let text = "The journal doesn't say how fast it was.";
            page.text(page.width() / 2, FIRST, 12.0, DIM, Side::Middle, text);
            return;
        }
        let clock = Clock::new(paces.iter().map(|pace| pace.stretch).collect(), place.x, place.width);
        let figures: Vec<(i32, Option<Reached>)> = (place.x..place.x + place.width)
            .step_by(STEP as usize)
            .map(|x| {
                let (from, to) = (clock.when(f64::from(x)), clock.when(f64::from(x + STEP)));
                (x, from.zip(to).map(|stretch| reached(&paces, stretch)).filter(|reached| reached.runs))
            })
            .collect();
        let each = || figures.iter().filter_map(|(_, reached)| reached.as_ref());
        let most = each().map(|reached| reached.copied.max(reached.compared)).fold(0.0, f64::max);
        let limit = each().filter_map(|reached| reached.limit).max();
        // A limit that is far above is not worth the room.
        let limit = limit.map(|limit| limit.count() as f64).filter(|limit| *limit < most * 2.0);
        let top = round(most.max(limit.unwrap_or(0.0)));
        let bottom = place.y + place.height;
        let y = |rate: f64| bottom - (rate.min(top) / top * f64::from(place.height)).round() as i32;
        for quarter in 0..=4 {
            let rate = top * f64::from(quarter) / 4.0;
            page.line((place.x, y(rate)), (place.x + place.width, y(rate)), FAINT, 1);
            let text = format!("{}/s", Bytes::new(rate as u64));
            page.text(place.x - 8, y(rate) - 6, 10.0, DIM, Side::Right, &text);
        }
        clock.draw(page, TOP, bottom);
        for (x, reached) in figures.iter().filter_map(|(x, reached)| Some((*x, reached.as_ref()?))) {
            page.fill(Rect::new(x, y(reached.copied), STEP, bottom - y(reached.copied)), AMBER);
        }
        line_of(page, &figures, &|reached| Some(y(reached.compared)), TEXT);
        line_of(
            page,
            &figures,
            &|reached| reached.limit.filter(|_| limit.is_some()).map(|limit| y(limit.count() as f64)),
            RED,
        );
        page.line((place.x, bottom), (place.x + place.width, bottom), TEXT, 1);
        let faults = faults(passage);
        for (at, unreadable) in &faults {
            page.cross(clock.at(*at), bottom + 12, if *unreadable { RED } else { TEXT });
        }
        summary(page, passage, &paces, bottom + 26);
        page.legend(&rate_legend(limit.is_some(), &faults));
    })
}

fn rate_legend(limited: bool, faults: &[(Timestamp, bool)]) -> Vec<(Mark, String)> {
    let mut legend = vec![
        (Mark::Filled(AMBER), "copied: read from the old drive, written to the new one".into()),
        (Mark::Line(TEXT), "compared: read back from the new drive".into()),
    ];
    if limited {
        legend.push((Mark::Line(RED), "limit".into()));
    }
    if faults.iter().any(|(_, unreadable)| *unreadable) {
        legend.push((Mark::Cross(RED), "unreadable".into()));
    }
    if faults.iter().any(|(_, unreadable)| !unreadable) {
        legend.push((Mark::Cross(TEXT), "differed, copied again".into()));
    }
    legend
}

/// The next rate whose quarters are easy to read: 1, 2, 4, 6, 8 and the same with noughts.
fn round(rate: f64) -> f64 {
    let ten = 10_f64.powf(rate.max(1.0).log10().floor());
    [1.0, 2.0, 4.0, 6.0, 8.0, 10.0].into_iter().map(|part| part * ten).find(|top| *top >= rate).unwrap_or(rate)
}

/// Draws a line through what was reached, in pieces where there are breaks.
fn line_of(page: &mut Page, figures: &[(i32, Option<Reached>)], height: &dyn Fn(&Reached) -> Option<i32>, ink: Ink) {
    let mut piece: Vec<(i32, i32)> = Vec::new();
    for (x, reached) in figures {
        match reached.as_ref().and_then(height) {
            Some(y) => piece.push((x + 2, y)),
            None => draw_piece(page, &mut piece, ink),
        }
    }
    draw_piece(page, &mut piece, ink);
}

fn draw_piece(page: &mut Page, piece: &mut Vec<(i32, i32)>, ink: Ink) {
    if let [only] = piece[..] {
        piece.push((only.0 + 2, only.1));
    }
    if piece.len() > 1 {
        page.path(piece, ink, 2);
    }
    piece.clear();
}

/// When bytes could not be read (true), and when blocks that differed were copied again.
fn faults(passage: &Telemetry) -> Vec<(Timestamp, bool)> {
    let mut all = Vec::new();
    let mut last: Option<&Sample> = None;
    for pulse in &passage.pulses {
        let before = last.filter(|last| last.item == pulse.item);
        let (bad, repaired) = before.map_or((Bytes::ZERO, 0), |before| (before.unreadable, before.repaired));
        all.extend((pulse.unreadable > bad).then_some((pulse.at, true)));
        all.extend((pulse.repaired > repaired).then_some((pulse.at, false)));
        last = Some(pulse);
    }
    all
}

/// What it came to, below the curves.
fn summary(page: &mut Page, passage: &Telemetry, paces: &[Pace], y: i32) {
    let mut copied = Bytes::ZERO;
    for item in passage.pulses.chunk_by(|one, next| one.item == next.item) {
        copied = copied.plus(item.iter().map(|pulse| pulse.copied).max().unwrap_or_default());
    }
    // Items beside one another run in the same time.
    let mut stretches: Vec<Stretch> = paces.iter().map(|pace| pace.stretch).collect();
    stretches.sort_unstable();
    let (mut ran, mut until) = (0.0, Timestamp::MIN);
    for (from, to) in stretches {
        let from = from.max(until);
        if to > from {
            ran += to.duration_since(from).as_secs_f64();
            until = to;
        }
    }
    let time = span(Duration::try_from_secs_f64(ran).unwrap_or_default());
    let mean = Bytes::new((copied.count() as f64 / ran.max(0.001)) as u64);
    let text = format!("{copied} copied in {time}, {mean}/s on average");
    page.text(page.width() - MARGIN, y, 10.0, TEXT, Side::Right, &text);
}
