//! Log: what was done, and what is still held. Held originals stand on top, since letting go of them is what people forget.

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::Strategy;
use deft_barge_core::journal::{HaulRow, ItemRow, LogLine};
use jiff::tz::TimeZone;
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::canvas::{Canvas, Hit, first_shown};
use super::super::state::State;
use super::super::theme::Theme;
use super::list_and_detail;
use crate::commands::{View, Wish};
use crate::present::{count, cut_middle, in_cells, line, pad, path, words};
use crate::tui::model::LogRow;

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    if state.log.rows.is_empty() {
        let text = match state.log.search.as_str() {
            "" => "No hauls yet.".to_string(),
            search => format!("No haul has {:?} in a title, a drive, its day or its number.", line(search)),
        };
        canvas.put_at(2, 1, &text, theme.text(), area);
        return;
    }
    let (list, detail) = list_and_detail(area, area.width * 3 / 5);
    let taken = draw_kept(state, list, canvas);
    let list = Rect { y: list.y + taken, height: list.height - taken, ..list };
    let rows = usize::from(list.height);
    let first = first_shown(state.log.cursor, rows, state.log.rows.len());
    for (n, row) in state.log.rows.iter().enumerate().skip(first).take(rows) {
        let y = in_cells(n - first);
        draw_row(state, *row, n == state.log.cursor, y, list, canvas);
        if !matches!(row, LogRow::Day(_)) {
            canvas.hit_row(y, list, Hit::Row(n));
        }
    }
    if let Some(haul) = state.haul_here() {
        draw_haul(state, haul, detail, canvas);
    }
}

/// How much of each drive is kept originals, to scale, where there is room for it; gives the rows that it took.
fn draw_kept(state: &State, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    let Some(survey) = state.survey.as_ref().filter(|_| state.log.search.is_empty()) else { return 0 };
    let keeping: Vec<_> = survey.drives.iter().filter(|drive| drive.held > Bytes::ZERO).collect();
    let wanted = in_cells(keeping.len()) + 1;
    if keeping.is_empty() || area.height < wanted + 8 || area.width < 70 {
        return 0;
    }
    let cells = usize::from(area.width).saturating_sub(54).clamp(14, 60);
    for (y, state) in keeping.iter().enumerate() {
        let (y, capacity) = (in_cells(y), state.drive.capacity);
        canvas.put_at(0, y, &pad(&line(&state.drive.name), 11), theme.dim(), area);
        let (used, kept) = (state.used.count() as f64, state.held.count() as f64);
        let of_drive = [((used - kept).max(0.0), "█", theme.faint()), (kept, "╱", theme.text())];
        let x = canvas.put_parts((12, y), cells, capacity.count() as f64, &of_drive, area);
        let text = format!("{} kept, {:.0}% of {capacity}", state.held, state.held.part_of(capacity) * 100.0);
        canvas.put_at(x + 2, y, &text, theme.text(), area);
    }
    wanted
}

fn draw_row(state: &State, row: LogRow, here: bool, y: u16, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let style = if here { theme.cursor() } else { theme.text() };
    let mark = if here { "▸" } else { " " };
    let width = usize::from(area.width);
    match row {
        LogRow::Day(day) => canvas.put_at(0, y, &day.strftime("%A, %-d %B %Y").to_string(), theme.dim(), area),
        LogRow::Held(n, haul) => {
            let Some(held) = state.survey.as_ref().and_then(|survey| survey.held.get(n)) else { return };
            canvas.fill(y, style, area);
            let drive = held.drive.as_deref().unwrap_or(words::NO_DRIVE);
            let title = pad(&line(&held.title), width.saturating_sub(58).max(14));
            let text = format!("{mark} kept   {:>9}  {title}   {drive}, haul {haul}", held.bytes.to_string());
            canvas.put_at(0, y, &pad(&text, width), style, area);
        }
        LogRow::Haul(id) => {
            let Some(haul) = state.history.line(id) else { return };
            canvas.fill(y, style, area);
            let at = haul.made.to_zoned(TimeZone::system()).strftime("%H:%M").to_string();
            let is_of_records = haul.items.iter().all(|item| item.mode == Strategy::Records);
            let bytes = if is_of_records { String::new() } else { haul.bytes().to_string() };
            let took = took(haul).map_or_else(String::new, |span| format!("   {span}"));
            let text = format!(
                "{mark} {at}  {bytes:>9}  {}   {}{took}",
                pad(&what(haul), width.saturating_sub(58).max(14)),
                words::haul_state(haul)
            );
            canvas.put_at(0, y, &pad(&text, width), style, area);
        }
    }
}

/// What a haul was, in few words.
fn what(haul: &LogLine) -> String {
    let returned = haul.returns.map_or_else(String::new, |id| format!("undo of {id}: "));
    let first = haul.items.first().map_or("nothing", |item| item.title.as_str());
    let more = match haul.items.len() {
        0 | 1 => String::new(),
        n => format!(" and {} more", n - 1),
    };
    line(&format!("{returned}{first}{more}"))
}

/// How long a haul took, from its beginning to its last proof.
fn took(haul: &LogLine) -> Option<String> {
    let span = haul.proved?.duration_since(haul.made);
    Some(words::about(std::time::Duration::try_from(span).ok()?))
}

fn draw_haul(state: &State, haul: &HaulRow, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let made = haul.made.to_zoned(TimeZone::system()).strftime("%-d %B %Y, %H:%M").to_string();
    canvas.put_at(
        0,
        0,
        &format!("Haul {}, {made}: {}", haul.id, words::haul_state(&haul.into())),
        theme.strong(),
        area,
    );
    let mut y = 1;
    let ways = words::drives_of_each(haul.items.iter().map(|item| &item.planned));
    for (item, way) in haul.items.iter().zip(&ways) {
        if y + 2 > area.height {
            canvas.put_at(0, y, "and more", theme.dim(), area);
            return;
        }
        let planned = &item.planned;
        let text = format!("{} {way}   {}", pad(&line(&planned.title), 28), words::stage_word(&item.stage));
        canvas.put_at(0, y, &text, theme.text(), area);
        let place = cut_middle(&path(planned.place()), usize::from(area.width).saturating_sub(4));
        canvas.put_at(2, y + 1, &place, theme.dim(), area);
        y += 2;
        if let Some(error) = &item.error {
            canvas.put_at(2, y, &line(error), theme.danger(), area);
            y += 1;
        }
    }
    y += 1;
    for act in offers(state, haul) {
        canvas.put_at(0, y, &act, theme.text(), area);
        y += 1;
    }
    y += 1;
    let told = state.history.events.iter().filter(|event| event.haul == haul.id);
    for event in told.take(usize::from(area.height.saturating_sub(y))) {
        let at = event.at.to_zoned(TimeZone::system()).strftime("%H:%M:%S").to_string();
        canvas.put_at(
            0,
            y,
            &format!("{at}  {} {}", words::event_word(event.word), line(&event.detail)),
            theme.dim(),
            area,
        );
        y += 1;
    }
}

/// What can be done with a haul of the log, each with its key.
fn offers(state: &State, haul: &HaulRow) -> Vec<String> {
    let mut acts = Vec::new();
    let key = |wish| state.look.keys.name(wish, View::Log);
    if haul.unfinished() {
        let go_on = state.look.keys.name(Wish::Resume, View::Running);
        acts.push(format!("{}, then {go_on} resumes it", state.look.keys.name(Wish::Show(View::Running), View::Log)));
    }
    if haul.items.iter().any(ItemRow::holds_originals) {
        acts.push(format!("{} releases the originals that it keeps", key(Wish::Release)));
    }
    if state.to_undo().is_some_and(|other| other.id == haul.id) {
        acts.push(format!("{} undoes it", key(Wish::Undo)));
    }
    if haul.items.iter().any(|item| item.proof.is_some()) {
        acts.push(format!("{} looks at its proof", key(Wish::Open)));
    }
    acts
}

pub(crate) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let held: Bytes = state.survey.iter().flat_map(|survey| &survey.held).map(|held| held.bytes).sum();
    let hauls = match state.log.search.as_str() {
        "" => words::several(state.history.lines.len(), "haul"),
        search => format!(
            "{} of {} with {:?}",
            count(state.log.found as u64),
            words::several(state.history.lines.len(), "haul"),
            line(search)
        ),
    };
    if held == Bytes::ZERO {
        return (format!("{hauls}; no originals are kept."), theme.text());
    }
    (format!("{hauls}; {held} of originals are kept and take room until you release them."), theme.text())
}
