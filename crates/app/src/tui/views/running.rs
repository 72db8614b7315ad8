//! Running: how far it is and whether one may leave; at the end what is proved and what is held.

use std::time::Duration;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::{Amount, Progress, Stage, StageKind, Strategy};
use deft_barge_core::journal::{HaulRow, ItemRow};
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::canvas::{Canvas, Hit, bar, curve};
use super::super::state::State;
use super::super::theme::Theme;
use super::item_map;
use super::proof::small_zeros;
use super::whole::{draw_whole, goes};
use crate::commands::{View, Wish};
use crate::present::{about, count, cut_middle, in_cells, line, pad, path, words};
use crate::tui::model::{At, Errand, LongTask, RunningItem};

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    if !state.idle() {
        return draw_work(state, area, canvas);
    }
    if let Some(row) = state.unfinished() {
        return draw_unfinished(state, row, area, canvas);
    }
    if let Some(row) = state.newest() {
        return draw_end(state, row, area, canvas);
    }
    canvas.put_at(0, 0, "No hauls yet.", canvas.theme.text(), area);
    draw_fault(state, 2, area, canvas);
}

fn below(area: Rect, y: u16) -> Rect {
    Rect { y: area.y + y.min(area.height), height: area.height.saturating_sub(y), ..area }
}

/// Titles of the items that were not heard of yet.
fn waiting(state: &State) -> Vec<String> {
    let all: Vec<String> = match &state.running.work {
        Some(LongTask::Start(Errand::Draft(draft, ..))) => {
            let survey = state.survey.as_ref();
            let games =
                draft.items.iter().filter_map(|item| survey.and_then(|survey| survey.haulable(&item.game, item.way)));
            games.map(|game| game.found.title.clone()).collect()
        }
        Some(LongTask::Resume | LongTask::Agree(_)) | None => {
            let items = state.unfinished().into_iter().flat_map(|haul| &haul.items);
            items.filter(|item| !item.stage.at_rest()).map(|item| item.planned.title.clone()).collect()
        }
        _ => Vec::new(),
    };
    all.into_iter().filter(|title| state.running.items.iter().all(|row| row.title != *title)).collect()
}

fn draw_work(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let running = &state.running;
    if running.items.iter().all(|row| row.progress.is_none() && row.held_up.is_none()) {
        canvas.put_at(0, 0, begins(running.work.as_ref()), theme.text(), area);
        return draw_said(state, below(area, 2), canvas);
    }
    let mut y = draw_whole(state, area, canvas);
    let all: Vec<(usize, &RunningItem)> = running.items.iter().enumerate().collect();
    let (under_way, done): (Vec<_>, Vec<_>) = all.into_iter().partition(|(_, row)| row.runs());
    for (n, row) in done.iter().rev().take(usize::from(area.height / 4)).rev() {
        let text = format!("{}   {}", pad(&line(&row.title), 30), row.at.words());
        canvas.put_at(0, y, &text, theme.dim(), area);
        canvas.hit_row(y, area, Hit::Row(*n));
        y += 1;
    }
    // Beside what is done, or in a row of its own.
    let beside = Rect { height: 1, ..below(area, y.saturating_sub(u16::from(!done.is_empty()))) };
    let wish = asked(state);
    canvas.put_right(&wish, theme.text(), beside);
    y += u16::from(!done.is_empty() || !wish.is_empty());
    for (n, row) in &under_way {
        if y + 4 > area.height {
            break;
        }
        let place = below(area, y);
        let here = under_way.len() > 1 && *n == running.cursor;
        let rows = draw_item(row, under_way.len() == 1, here, place, canvas);
        canvas.hit(Rect { height: rows.min(place.height), ..place }, Hit::Row(*n));
        y += rows + 1;
    }
    let (waiting, goes) = (waiting(state), goes(state));
    for title in waiting.iter().take(usize::from(area.height / 4)) {
        let of = goes.get(title.as_str()).map_or("", String::as_str);
        canvas.put_at(0, y, &format!("{}   waits{of}", pad(&line(title), 30)), theme.dim(), area);
        y += 1;
    }
    y += u16::from(!waiting.is_empty());
    let progress = in_hand(&under_way, running.cursor);
    // What was said keeps a row or two, and more where there is room.
    let mapped = |y: u16| {
        let place = below(area, y);
        Rect { height: place.height.saturating_sub(2), ..place }
    };
    if area.height > y + 6 {
        let map = progress.map_or(0, |progress| item_map::rows(progress, mapped(y)));
        let said = in_cells(running.said.len()).min(MOST_SAID);
        let rows = (area.height - y).saturating_sub(map + said + 2).clamp(2, HIGHEST_CURVE);
        draw_rates(state, Rect { height: rows, ..below(area, y) }, canvas);
        y += rows + 1;
    }
    if let Some(progress) = progress {
        let rows = item_map::rows(progress, mapped(y));
        if rows > 0 {
            item_map::draw(progress, mapped(y), canvas);
            y += rows;
        }
    }
    draw_said(state, below(area, y), canvas);
}

/// What is said before there is any progress to draw.
fn begins(work: Option<&LongTask>) -> &'static str {
    match work {
        Some(LongTask::Release(_)) => "Releasing originals that were verified and haven't changed ...",
        Some(LongTask::Undo(_)) => "Undoing ...",
        Some(LongTask::Verify(_)) => "Reading every byte again ...",
        None => "Following what was left running ...",
        _ => "Checking the drives once more, then starting ...",
    }
}

/// What was asked of the running haul: an end, or a limit and the bell.
fn asked(state: &State) -> String {
    let running = &state.running;
    let bell = if running.bell { "the bell rings at the end   " } else { "" };
    match (running.pausing, running.cancelling, running.cancelling_item, state.work.limit) {
        (_, true, ..) => "stopping at the next block, then undoing".to_string(),
        (_, _, Some(_), _) => "stopping at the next block, then cancelling one item".to_string(),
        (true, ..) => "pausing at the next block".to_string(),
        (.., Some(limit)) => format!("{bell}{limit}/s at most"),
        _ => bell.trim_end().to_string(),
    }
}

/// Rows of the curve of rates at most, and those that are kept for what was said where there is room.
const HIGHEST_CURVE: u16 = 10;
const MOST_SAID: u16 = 8;

/// How far the item under the cursor is, or else the first that is copied.
fn in_hand<'a>(under_way: &[(usize, &'a RunningItem)], cursor: usize) -> Option<&'a Progress> {
    let mapped =
        |(_, row): &&(usize, &'a RunningItem)| row.progress.as_ref().is_some_and(|progress| !progress.map.is_empty());
    let here = under_way.iter().filter(mapped).find(|(n, _)| *n == cursor);
    here.or_else(|| under_way.iter().find(mapped)).and_then(|(_, row)| row.progress.as_ref())
}

/// The rate over the last minutes: as many cells as there are, each the mean of as much time.
fn draw_rates(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let rates = &state.running.rates;
    // Before them stands the scale, behind them the time that they tell.
    let cells = usize::from(area.width.saturating_sub(14 + 16));
    let top = rates.iter().copied().fold(1.0, f64::max);
    // Twenty seconds to begin with, and all of the time that is known at the end.
    let each = rates.len().div_ceil(cells.max(1)).max(1);
    let all: Vec<f64> = rates.iter().copied().collect();
    let values: Vec<f64> = all.chunks(each).map(|part| part.iter().sum::<f64>() / part.len() as f64 / top).collect();
    let last = area.height.saturating_sub(1);
    canvas.put_at(0, 0, &format!("{:>8.0} MB/s", top / 1e6), theme.dim(), area);
    canvas.put_at(0, last, &format!("{:>8} MB/s", 0), theme.dim(), area);
    // Ten of them are a second.
    let seconds = rates.len().div_ceil(10);
    let span = if seconds < 120 { format!("{seconds} s") } else { format!("{} min", seconds / 60) };
    canvas.put_at(14 + in_cells(values.len()) + 2, last, &format!("the last {span}"), theme.dim(), area);
    for (y, row) in curve(&values, usize::from(area.height)).iter().enumerate() {
        canvas.put_at(14, in_cells(y), row, theme.faint(), area);
    }
}

/// Draws an item that is under way; gives the rows that it took. What comes later has rows of its own if it is `alone`.
fn draw_item(row: &RunningItem, alone: bool, here: bool, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    let copying = row.copies();
    let mark = if here { "▸ " } else { "" };
    canvas.put_at(0, 0, &format!("{mark}{}", line(&row.title)), theme.strong(), area);
    let left = row.progress.as_ref().and_then(|progress| progress.left).filter(|_| copying);
    let left = left.map_or_else(String::new, |left| format!("{} left", about(left)));
    canvas.put_right(&left, theme.text(), Rect { height: 1, ..area });
    let mut y = 1;
    let cells = usize::from(area.width).saturating_sub(64).clamp(10, 100);
    if let Some(progress) = &row.progress {
        if progress.copy.all.count() > 0 {
            let rates = format!("{:.0} MB/s, mean {:.0}", progress.rate / 1e6, progress.mean / 1e6);
            let rate = if copying { rates } else { String::new() };
            phase("copy", progress.copy, &rate, cells, y, area, canvas);
            y += 1;
        }
        let files = format!("{} of {} files", count(progress.files), count(progress.files_all));
        let name =
            if matches!(row.at, At::Stage(StageKind::Releasing | StageKind::Cancelling)) { "remove" } else { "verify" };
        phase(name, progress.compare, &files, cells, y, area, canvas);
        y += 1;
    }
    if let Some(text) = &row.held_up {
        let place = Rect { x: area.x + 2, width: area.width.saturating_sub(2), ..below(area, y) };
        y += canvas.put_wrapped(text, theme.danger(), Rect { height: place.height.min(2), ..place });
    }
    if alone {
        for (name, words) in later(row.at) {
            canvas.put_at(2, y, name, theme.dim(), area);
            canvas.put_at(12, y, words, if words == WAITS { theme.dim() } else { theme.text() }, area);
            y += 1;
        }
    } else if !copying {
        let (name, words) = later(row.at).into_iter().rfind(|(_, words)| *words != WAITS).unwrap_or(("", ""));
        canvas.put_at(2, y, name, theme.dim(), area);
        canvas.put_at(12, y, words, theme.text(), area);
        y += 1;
    }
    let Some(progress) = row.progress.as_ref().filter(|_| copying || alone) else { return y };
    let mut more = String::new();
    let (nth, blocks) = progress.block;
    if blocks > 1 {
        more += &format!("   block {} of {}", count(nth), count(blocks));
    }
    if progress.repaired > 0 {
        more += &format!("   {} copied again", count(progress.repaired));
    }
    if progress.unreadable.count() > 0 {
        more += &format!("   {} unreadable", progress.unreadable);
    }
    let room = usize::from(area.width).saturating_sub(more.chars().count() + 2);
    canvas.put_at(2, y, &format!("{}{more}", cut_middle(&path(&progress.file), room)), theme.dim(), area);
    y += 1;
    y
}

fn phase(name: &str, amount: Amount, more: &str, cells: usize, y: u16, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let part = amount.done.part_of(amount.all);
    let style = if part >= 1.0 { theme.good() } else { theme.text() };
    canvas.put_at(2, y, name, theme.dim(), area);
    canvas.put_at(12, y, &bar(part, cells), style, area);
    let text = format!("{:>9} of {:>9}", amount.done.to_string(), amount.all.to_string());
    canvas.put_at(14 + in_cells(cells), y, &text, theme.text(), area);
    canvas.put_at(38 + in_cells(cells), y, more, theme.dim(), area);
}

/// What the phases behind copy and verify are at.
fn later(at: At) -> [(&'static str, &'static str); 3] {
    use StageKind::{Proved, RecordsUpdated, Released, Releasing, UpdatingRecords};
    let At::Stage(stage) = at else { return [("records", WAITS), ("proof", WAITS), ("originals", "kept")] };
    let records = match stage {
        UpdatingRecords => "updating",
        RecordsUpdated | Proved | Releasing | Released => "done: they point to the new folder",
        _ => WAITS,
    };
    let proof = match stage {
        RecordsUpdated => "checking what the launcher would download",
        Proved | Releasing | Released => "done",
        _ => WAITS,
    };
    let originals = match stage {
        Releasing => "deleting",
        Released => "deleted",
        _ => "kept",
    };
    [("records", records), ("proof", proof), ("originals", originals)]
}

/// What has not begun.
const WAITS: &str = "waits";

fn ago(then: Duration, now: Duration) -> String {
    match now.saturating_sub(then).as_secs() {
        0 => "now".into(),
        seconds @ 1..=99 => format!("{seconds} s ago"),
        seconds => format!("{} min ago", seconds / 60),
    }
}

fn draw_said(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let rows = usize::from(area.height);
    let said = &state.running.said;
    for (n, told) in said.iter().skip(said.len().saturating_sub(rows)).enumerate() {
        let text = format!("{:>10}  {}", ago(told.at, state.look.clock), line(&told.text));
        canvas.put_at(0, in_cells(n), &text, canvas.theme.dim(), area);
    }
}

fn draw_unfinished(state: &State, row: &HaulRow, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let tried = state.tried().is_some();
    let heading = if tried {
        format!("Haul {} has moved its first game and waits for you.", row.id)
    } else {
        format!("Haul {} is unfinished.", row.id)
    };
    canvas.put_at(0, 0, &heading, theme.strong(), area);
    let mut y = 2;
    for item in &row.items {
        canvas.put_at(
            0,
            y,
            &format!("  {} {}", pad(&line(&item.planned.title), 30), words::stage_word(&item.stage)),
            theme.text(),
            area,
        );
        y += 1;
        if let Some(error) = &item.error {
            let place = Rect { x: area.x + 4, width: area.width.saturating_sub(4), ..below(area, y) };
            y += canvas.put_wrapped(error, theme.danger(), Rect { height: place.height.min(3), ..place });
        }
        for bad in item.unreadable.iter().take(3) {
            let text = format!("cannot be read: {}, bytes {} to {}", path(&bad.path), bad.from, bad.to);
            canvas.put_at(4, y, &text, theme.danger(), area);
            y += 1;
        }
    }
    y += 1;
    y += draw_fault(state, y, area, canvas);
    let key = |wish| state.look.keys.name(wish, View::Running);
    let (go_on, cancel, undo) = (key(Wish::Resume), key(Wish::Cancel), key(Wish::Undo));
    let text = if tried {
        format!(
            "Launch that game once. Then {go_on} continues with the others, {cancel} leaves them where they are, {undo} undoes everything."
        )
    } else {
        format!(
            "Every original is complete, and every record points to a complete copy. {go_on} resumes, {cancel} cancels what is unfinished, {undo} undoes everything."
        )
    };
    y += canvas.put_wrapped(&text, theme.text(), below(area, y));
    if row.items.iter().any(|item| !item.unreadable.is_empty()) {
        let text = format!("{} repairs an unreadable file from another copy.", key(Wish::RepairCopy));
        y += canvas.put_wrapped(&text, theme.text(), below(area, y));
    }
    draw_said(state, below(area, y + 1), canvas);
}

fn draw_fault(state: &State, y: u16, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let Some(fault) = &state.running.fault else { return 0 };
    if fault.kind == crate::present::Kind::Interrupted {
        return 0;
    }
    let mut text = fault.sentence.clone();
    for finding in &fault.findings {
        text = format!("{text} {}", words::finding_sentence(finding));
    }
    let place = below(area, y);
    canvas.put_wrapped(&text, canvas.theme.danger(), Rect { height: place.height.min(4), ..place }) + 1
}

fn draw_end(state: &State, row: &HaulRow, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let head = match row.returns {
        Some(undone) => format!("Haul {undone} is undone, by haul {}: {}", row.id, words::haul_state(&row.into())),
        None => format!("Haul {}: {}", row.id, words::haul_state(&row.into())),
    };
    canvas.put_at(0, 0, &head, theme.strong(), area);
    let mut y = 2;
    y += draw_fault(state, y, area, canvas);
    for item in &row.items {
        if y + 3 > area.height {
            let key = state.look.keys.name(Wish::Show(View::Proof), View::Running);
            let text = format!("and more, in the Proof view ({key})");
            canvas.put_at(0, area.height.saturating_sub(1), &text, theme.dim(), area);
            return;
        }
        y += draw_item_end(item, row.returns.is_some(), below(area, y), canvas) + 1;
    }
    let held =
        state.history.hauls.iter().find(|haul| !haul.unfinished() && haul.items.iter().any(ItemRow::holds_originals));
    if let Some(held) = held {
        let bytes: Bytes =
            held.items.iter().filter(|item| item.holds_originals()).map(|item| item.planned.size.on_disk).sum();
        let key = |wish| state.look.keys.name(wish, View::Running);
        let text = format!(
            "{bytes} of originals are kept (haul {}). Launch the game once; then {} releases them, {} undoes the haul.",
            held.id,
            key(Wish::Release),
            key(Wish::Undo)
        );
        y += canvas.put_wrapped(&text, theme.text(), below(area, y)) + 1;
    }
    draw_said(state, below(area, y), canvas);
}

fn draw_item_end(item: &ItemRow, is_undo: bool, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    if item.planned.mode == Strategy::Records {
        // Nothing was copied: what there is to say is how much was rewritten.
        canvas.put_at(0, 0, &line(&item.planned.title), theme.strong(), area);
        let (places, files) = (item.planned.previews.len(), item.planned.record_files().len());
        let what = format!(
            "{} in {} rewritten; {}",
            words::several(places, "place"),
            words::several(files, "file"),
            words::stage_word(&item.stage)
        );
        canvas.put_at(2, 1, &what, theme.text(), area);
        return 2;
    }
    canvas.put_at(0, 0, &pad(&line(&item.planned.title), 30), theme.strong(), area);
    // What an undo released is its own copy at the other place: here it counts that the game is back.
    let is_back = is_undo && matches!(item.stage, Stage::Released { .. });
    let state = if is_back { "is back in" } else { words::stage_word(&item.stage) };
    canvas.put_at(32, 0, state, theme.text(), area);
    let place = cut_middle(&path(&item.planned.to), usize::from(area.width).saturating_sub(46));
    canvas.put_at(44, 0, &place, theme.dim(), area);
    let Some(proof) = &item.proof else { return 1 };
    let mut y = small_zeros(proof, below(area, 1), canvas) + 1;
    if let Stage::Released { left } = item.stage
        && left > 0
    {
        let text = format!(
            "{} changed since they were verified and stay in {}",
            words::plural(left as usize, "file was", "files were"),
            path(&item.planned.from)
        );
        canvas.put_at(2, y, &text, theme.text(), area);
        y += 1;
    }
    y
}

pub(crate) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let running = &state.running;
    let key = |wish| state.look.keys.name(wish, View::Running);
    let text = match (&running.work, running.cancelling, running.pausing) {
        (None, ..) if running.elsewhere => {
            "This haul keeps running without the interface; you can quit at any time.".into()
        }
        (Some(_), true, _) => "Cancelling: stops at the next block, then undoes what it did.".into(),
        (Some(_), _, true) => "Pausing at the next block.".into(),
        (Some(_), ..) => {
            format!(
                "You can switch views; the haul continues. {} quits and leaves it running.",
                key(Wish::LeaveRunning)
            )
        }
        (None, ..) if state.tried().is_some() => format!(
            "{} continues with the others, {} leaves them where they are, {} undoes all.",
            key(Wish::Resume),
            key(Wish::Cancel),
            key(Wish::Undo)
        ),
        (None, ..) if state.unfinished().is_some() => format!(
            "{} resumes, {} cancels what is unfinished, {} undoes all.",
            key(Wish::Resume),
            key(Wish::Cancel),
            key(Wish::Undo)
        ),
        (None, ..) => "Nothing is running.".into(),
    };
    (text, theme.text())
}
