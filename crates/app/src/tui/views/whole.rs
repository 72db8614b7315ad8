//! The haul as a whole while it runs: how far all of it is, when it will be done, and the drives as they fill.

use std::collections::{HashMap, VecDeque};
use std::time::Duration;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::{PlannedItem, Policy, StageKind, Strategy};
use jiff::Zoned;
use ratatui::layout::Rect;

use super::super::canvas::{Canvas, bar};
use super::super::state::State;
use crate::present::{in_cells, line, pad, words};
use crate::tui::model::{At, Errand, LongTask, RunningItem};

/// An item of the haul in hand, with its row once it has been heard of.
struct Part<'a> {
    item: &'a PlannedItem,
    row: Option<&'a RunningItem>,
}

/// The items of the haul that runs; none where it is not known.
fn parts(state: &State) -> Vec<Part<'_>> {
    let items: Vec<&PlannedItem> = match &state.running.work {
        Some(LongTask::Start(Errand::Draft(..))) => state.haul.plan.iter().flat_map(|plan| &plan.items).collect(),
        Some(LongTask::Resume | LongTask::Agree(_)) | None => {
            state.unfinished().into_iter().flat_map(|haul| &haul.items).map(|item| &item.planned).collect()
        }
        Some(_) => Vec::new(),
    };
    // Of several items of one title the first row is the first one's.
    let mut heard: HashMap<&str, VecDeque<&RunningItem>> = HashMap::new();
    for row in &state.running.items {
        heard.entry(&row.title).or_default().push_back(row);
    }
    let row = |title: &str| heard.get_mut(title).and_then(VecDeque::pop_front);
    let parts = items.into_iter().scan(row, |row, item| Some(Part { item, row: row(&item.title) }));
    parts.collect()
}

/// What the items that were not heard of yet move, and where to, by their titles.
pub(super) fn goes(state: &State) -> HashMap<&str, String> {
    let waiting = parts(state).into_iter().filter(|part| part.row.is_none()).map(|part| part.item);
    let one = |item: &PlannedItem| format!("{:>12}   {}", item.size.on_disk.to_string(), words::drives_of(item));
    waiting.map(|item| (item.title.as_str(), one(item))).collect()
}

impl Part<'_> {
    fn is_done(&self) -> bool {
        use StageKind::{Proved, Released};
        self.row.is_some_and(|row| matches!(row.at, At::Stage(Proved | Released)))
    }

    fn is_copied(&self) -> bool {
        matches!(self.item.mode, Strategy::Copy)
    }

    /// Bytes that are copied, of all that there are to copy.
    fn copied(&self) -> (u64, u64) {
        let progress = self.row.and_then(|row| row.progress.as_ref());
        let progress = progress.map(|progress| progress.copy).filter(|copy| copy.all.count() > 0);
        // What it is once it is counted; before that what the plan says.
        let planned = if self.is_copied() { self.item.size.apparent.count() } else { 0 };
        let all = progress.map_or(planned, |copy| copy.all.count());
        let done = progress.map_or(0, |copy| copy.done.count());
        (if self.is_done() { all } else { done }, all)
    }

    /// The part of its work that is done: copying and verifying are half of it each.
    fn done(&self) -> f64 {
        if self.is_done() {
            return 1.0;
        }
        let Some(progress) = self.row.and_then(|row| row.progress.as_ref()) else { return 0.0 };
        let all = progress.copy.all.count() + progress.compare.all.count();
        let done = progress.copy.done.count() + progress.compare.done.count();
        if all == 0 { 0.0 } else { done as f64 / all as f64 }
    }
}

/// Draws the haul as a whole; gives the rows that it took, none where nothing is known of it.
pub(super) fn draw_whole(state: &State, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let parts = parts(state);
    let (copied, all) = parts.iter().map(Part::copied).fold((0, 0), |sum, part| (sum.0 + part.0, sum.1 + part.1));
    if all == 0 {
        return 0;
    }
    let theme = canvas.theme;
    // By its bytes: a large game is more of the haul than a small one.
    let done = parts.iter().map(|part| part.done() * part.copied().1 as f64).sum::<f64>() / all as f64;
    let rate: f64 = parts
        .iter()
        .filter_map(|part| part.row?.progress.as_ref().filter(|_| part.row.is_some_and(RunningItem::copies)))
        .map(|progress| progress.mean)
        .sum();
    let mut texts = vec![
        format!("{:3.0}%", done * 100.0),
        format!("{} of {} games", parts.iter().filter(|part| part.is_done()).count(), parts.len()),
        format!("{} of {}", Bytes::new(copied), Bytes::new(all)),
    ];
    if rate > 0.0 && copied < all {
        texts.push(format!("{:.0} MB/s", rate / 1e6));
        let left = Duration::try_from_secs_f64((all - copied) as f64 / rate).unwrap_or(Duration::ZERO);
        if let Ok(end) = Zoned::now().checked_add(left) {
            texts.push(format!("done at {}", end.strftime("%H:%M")));
        }
    }
    let text = texts.join(if area.width < 100 { "  " } else { "   " });
    let name = state.running.haul.map_or_else(|| "haul".to_string(), |haul| format!("haul {haul}"));
    canvas.put_at(0, 0, &name, theme.strong(), area);
    let cells = usize::from(area.width).saturating_sub(12 + 3 + text.chars().count()).min(60);
    if cells >= 8 {
        canvas.put_at(12, 0, &bar(done, cells), theme.text(), area);
        canvas.put_at(12 + in_cells(cells) + 3, 0, &text, theme.text(), area);
    } else {
        canvas.put_at(12, 0, &text, theme.text(), area);
    }
    if area.height < 30 {
        return 2;
    }
    let drives = draw_drives(state, &parts, Rect { y: area.y + 1, height: area.height - 1, ..area }, canvas);
    drives + 2
}

/// The drives that the haul fills and empties, to their own scale: in use, arrived, still to come, and what goes at the end.
fn draw_drives(state: &State, parts: &[Part<'_>], area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    let Some(survey) = &state.survey else { return 0 };
    let named = |part: &&Part<'_>, name: &str| part.item.to_drive == name && part.is_copied();
    let leaves = |part: &&Part<'_>, name: &str| part.item.from_drive.as_deref() == Some(name) && part.is_copied();
    let mut y = 0;
    let cells = usize::from(area.width).saturating_sub(62).clamp(20, 70);
    for drive in &survey.drives {
        let name = drive.drive.name.as_str();
        let comes: Vec<&Part<'_>> = parts.iter().filter(|part| named(part, name)).collect();
        let goes: Vec<&Part<'_>> = parts.iter().filter(|part| leaves(part, name)).collect();
        if comes.is_empty() && goes.is_empty() {
            continue;
        }
        let need = |part: &&&Part<'_>| part.item.need.count() as f64;
        let share = |part: &&&Part<'_>| {
            let (copied, all) = part.copied();
            if all == 0 { 0.0 } else { copied as f64 / all as f64 }
        };
        let arrived: f64 = comes.iter().map(|part| need(&part) * share(&part)).sum();
        let to_come = comes.iter().map(|part| need(&part)).sum::<f64>() - arrived;
        // Only what the plan lets go of within the haul; what is kept stays until a person says so.
        let of_haul = state.haul.plan.as_ref().is_some_and(|plan| plan.policy == Policy::Release);
        let freed = |part: &&&Part<'_>| of_haul || part.item.policy == Policy::Release;
        let gone = |part: &&&Part<'_>| part.row.is_some_and(|row| row.at == At::Stage(StageKind::Released));
        let bytes = |part: &&Part<'_>| part.item.size.on_disk.count() as f64;
        let (went, to_go): (Vec<&Part<'_>>, Vec<&Part<'_>>) =
            goes.iter().filter(|part| freed(part)).copied().partition(|part| gone(&part));
        let (went, to_go) = (went.iter().map(bytes).sum::<f64>(), to_go.iter().map(bytes).sum::<f64>());
        let capacity = (drive.drive.capacity.count() as f64).max(1.0);
        let stays = drive.used.count() as f64 - went - to_go;
        let now = drive.used.count() as f64 - went + arrived;
        let after = now + to_come - to_go;
        canvas.put_at(0, y, &pad(&line(name), 11), theme.dim(), area);
        let of_drive = [
            (stays, "█", theme.faint()),
            (to_go, "▒", theme.dim()),
            (arrived, "█", theme.moving()),
            (to_come, "░", theme.moving()),
        ];
        let x = canvas.put_parts((12, y), cells, capacity, &of_drive, area);
        let percent = |bytes: f64| format!("{:.0}%", bytes / capacity * 100.0);
        let mut text = if (now - after).abs() < 1.0 {
            format!("{} full", percent(now))
        } else {
            format!("{} full, {} at the end", percent(now), percent(after))
        };
        let kept: f64 = goes.iter().filter(|part| !freed(part)).map(bytes).sum();
        if kept > 0.0 {
            text.push_str(&format!(", {} kept", Bytes::new(kept as u64)));
        }
        canvas.put_at(x + 2, y, &text, theme.dim(), area);
        y += 1;
    }
    y
}
