//! Running: how far it is and whether one may leave; at the end what is proved and what is held.

use deft_barge_core::haul::{Amount, HaulRow, LotRow, Proof, Stage};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::widgets::{Paragraph, Sparkline, Widget, Wrap};

use super::super::lanes::Lane;
use super::super::state::{Errand, State, Work};
use super::super::theme::Theme;
use super::{bar, put_at};
use crate::show::{count, cut_middle, line, pad, path};
use crate::wording::{self, about};

pub(super) fn draw(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    if state.running.work.is_some() {
        return draw_work(state, theme, area, buffer);
    }
    if let Some(row) = state.unfinished() {
        return draw_unfinished(state, row, theme, area, buffer);
    }
    if let Some(row) = state.newest() {
        return draw_end(state, row, theme, area, buffer);
    }
    put_at(0, 0, "Nothing was hauled yet.", theme.text(), area, buffer);
    draw_fault(state, theme, 2, area, buffer);
}

/// Titles of the lots that were not heard of yet.
fn waiting(state: &State) -> Vec<String> {
    let all: Vec<String> = match &state.running.work {
        Some(Work::Start(Errand::Draft(draft))) => {
            let survey = state.survey.as_ref();
            let games = draft.lots.iter().filter_map(|lot| survey.and_then(|survey| survey.cargo(&lot.game, lot.way)));
            games.map(|game| game.found.title.clone()).collect()
        }
        Some(Work::Resume | Work::Agree(_)) => {
            let lots = state.unfinished().into_iter().flat_map(|haul| &haul.lots);
            lots.filter(|lot| !lot.stage.at_rest()).map(|lot| lot.planned.title.clone()).collect()
        }
        _ => Vec::new(),
    };
    all.into_iter().filter(|title| state.running.lanes.iter().all(|lane| lane.title != *title)).collect()
}

fn draw_work(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let running = &state.running;
    let mut y = 0;
    if running.lanes.iter().all(|lane| lane.progress.is_none() && lane.held_up.is_none()) {
        let what = match running.work {
            Some(Work::Release(_)) => "Letting go of originals: only what was compared and is unchanged since ...",
            Some(Work::Return(_)) => "Taking back ...",
            _ => "Looking at the drives once more, and beginning ...",
        };
        put_at(0, 0, what, theme.text(), area, buffer);
        return draw_said(state, theme, Rect { y: area.y + 2, height: area.height.saturating_sub(2), ..area }, buffer);
    }
    let wish = match (running.pausing, running.cancelling, state.limit) {
        (_, true, _) => "stopping at the next block, then returning".to_string(),
        (true, ..) => "pausing at the next block".to_string(),
        (.., Some(limit)) => format!("{limit}/s at most"),
        _ => String::new(),
    };
    let (under_way, done): (Vec<&Lane>, Vec<&Lane>) = running.lanes.iter().partition(|lane| lane.runs());
    for lane in done.iter().rev().take(usize::from(area.height / 4)).rev() {
        put_at(0, y, &format!("{}   {}", pad(&line(&lane.title), 30), lane.stage), theme.dim(), area, buffer);
        y += 1;
    }
    super::right_aligned(&wish, theme.text(), Rect { y: area.y, height: 1, ..area }, buffer);
    y += u16::from(!done.is_empty() || !wish.is_empty());
    for lane in &under_way {
        if y + 4 > area.height {
            break;
        }
        let place = Rect { y: area.y + y, height: area.height - y, ..area };
        y += draw_lane(lane, under_way.len() == 1, theme, place, buffer) + 1;
    }
    let waiting = waiting(state);
    for title in waiting.iter().take(usize::from(area.height / 4)) {
        put_at(0, y, &format!("{}   waits", pad(&line(title), 30)), theme.dim(), area, buffer);
        y += 1;
    }
    y += u16::from(!waiting.is_empty());
    if area.height > y + 8 {
        put_at(0, y, "rate", theme.dim(), area, buffer);
        let width = usize::from(area.width.saturating_sub(12));
        let rates: Vec<u64> = running.rates.iter().rev().take(width).rev().map(|rate| (rate / 1e4) as u64).collect();
        let top = running.rates.iter().copied().fold(0.0, f64::max);
        let chart = Rect { x: area.x + 12, y: area.y + y, width: area.width.saturating_sub(12), height: 3 };
        put_at(0, y + 1, &format!("to {:.0} MB/s", top / 1e6), theme.faint(), area, buffer);
        Sparkline::default().data(&rates).style(theme.dim()).render(chart, buffer);
        y += 4;
    }
    draw_said(state, theme, Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area }, buffer);
}

/// Draws a lot that is under way; gives the rows that it took. What comes later has rows of its own if it is `alone`.
fn draw_lane(lane: &Lane, alone: bool, theme: Theme, area: Rect, buffer: &mut Buffer) -> u16 {
    let stage = lane.stage;
    let copying = matches!(stage, "copying" | "begins");
    put_at(0, 0, &line(&lane.title), theme.strong(), area, buffer);
    let left = lane.progress.as_ref().and_then(|progress| progress.left).filter(|_| copying);
    let left = left.map_or_else(String::new, |left| format!("{} left", about(left)));
    super::right_aligned(&left, theme.text(), Rect { height: 1, ..area }, buffer);
    let mut y = 1;
    let cells = usize::from(area.width).saturating_sub(54).clamp(10, 100);
    if let Some(progress) = &lane.progress {
        if progress.copy.all.count() > 0 {
            let rates = format!("{:.0} MB/s, mean {:.0}", progress.rate / 1e6, progress.mean / 1e6);
            let rate = if copying { rates } else { String::new() };
            phase("copy", progress.copy, &rate, cells, y, theme, area, buffer);
            y += 1;
        }
        let files = format!("{} of {} files", count(progress.files), count(progress.files_all));
        let name = if matches!(stage, "releasing" | "giving-up") { "remove" } else { "compare" };
        phase(name, progress.compare, &files, cells, y, theme, area, buffer);
        y += 1;
    }
    if let Some((_, text)) = &lane.held_up {
        let rows = 2.min(area.height.saturating_sub(y));
        let place = Rect { x: area.x + 2, y: area.y + y, width: area.width.saturating_sub(2), height: rows };
        Paragraph::new(crate::show::visible(text))
            .style(theme.danger())
            .wrap(Wrap { trim: true })
            .render(place, buffer);
        y += rows;
    }
    if alone {
        for (name, words) in later(stage) {
            put_at(2, y, name, theme.dim(), area, buffer);
            put_at(12, y, words, if words == "waits" { theme.faint() } else { theme.text() }, area, buffer);
            y += 1;
        }
    } else if !copying {
        let (name, words) = later(stage).into_iter().rfind(|(_, words)| *words != "waits").unwrap_or(("", ""));
        put_at(2, y, name, theme.dim(), area, buffer);
        put_at(12, y, words, theme.text(), area, buffer);
        y += 1;
    }
    let Some(progress) = lane.progress.as_ref().filter(|_| copying || alone) else { return y };
    let mut more = String::new();
    if progress.block.1 > 1 {
        more += &format!("   block {} of {}", count(progress.block.0), count(progress.block.1));
    }
    if progress.repaired > 0 {
        more += &format!("   {} copied again", count(progress.repaired));
    }
    if progress.unreadable.count() > 0 {
        more += &format!("   {} cannot be read", progress.unreadable);
    }
    let room = usize::from(area.width).saturating_sub(more.chars().count() + 2);
    put_at(2, y, &format!("{}{more}", cut_middle(&path(&progress.file), room)), theme.dim(), area, buffer);
    y + 1
}

#[expect(clippy::too_many_arguments, reason = "a row of a table")]
fn phase(name: &str, amount: Amount, more: &str, cells: usize, y: u16, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let part = amount.done.part_of(amount.all);
    let style = if part >= 1.0 { theme.good() } else { theme.text() };
    put_at(2, y, name, theme.dim(), area, buffer);
    put_at(12, y, &bar(part, cells), style, area, buffer);
    let text = format!("{:>9} of {:>9}", amount.done.to_string(), amount.all.to_string());
    put_at(14 + cells as u16, y, &text, theme.text(), area, buffer);
    put_at(38 + cells as u16, y, more, theme.dim(), area, buffer);
}

/// What the phases behind copy and compare are at.
fn later(stage: &str) -> [(&'static str, &'static str); 3] {
    let repointed = matches!(stage, "repointed" | "proved" | "releasing" | "released");
    let proved = matches!(stage, "proved" | "releasing" | "released");
    let repoint = match stage {
        "repointing" => "record files are being replaced",
        _ if repointed => "done: the records lead to the new place",
        _ => "waits",
    };
    let prove = match stage {
        "repointed" => "asking what the launcher would download",
        _ if proved => "done",
        _ => "waits",
    };
    let originals = match stage {
        "releasing" => "are being let go",
        "released" => "let go",
        _ => "stay until told",
    };
    [("repoint", repoint), ("prove", prove), ("originals", originals)]
}

fn draw_said(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let rows = usize::from(area.height);
    let said = &state.running.said;
    for (n, line_said) in said.iter().skip(said.len().saturating_sub(rows)).enumerate() {
        let seconds = state.clock.saturating_sub(line_said.at).as_secs();
        let when = if seconds == 0 { "now".to_string() } else { format!("{seconds} s ago") };
        put_at(0, n as u16, &format!("{when:>10}  {}", line(&line_said.text)), theme.dim(), area, buffer);
    }
}

fn draw_unfinished(state: &State, row: &HaulRow, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let tried = state.tried().is_some();
    let heading = if tried {
        format!("Haul {} has tried its first game and waits for you.", row.id)
    } else {
        format!("Haul {} was under way and is not at its end.", row.id)
    };
    put_at(0, 0, &heading, theme.strong(), area, buffer);
    let mut y = 2;
    for lot in &row.lots {
        put_at(
            0,
            y,
            &format!("  {} {}", pad(&line(&lot.planned.title), 30), lot.stage.word()),
            theme.text(),
            area,
            buffer,
        );
        y += 1;
        if let Some(error) = &lot.error {
            put_at(4, y, &line(error), theme.danger(), area, buffer);
            y += 1;
        }
    }
    y += 1;
    y += draw_fault(state, theme, y, area, buffer);
    let text = if tried {
        "Start that game once. Then g goes on with the others, c leaves them where they are, u undoes all of it."
    } else {
        "Every original is whole, and every record leads to a whole copy. g goes on where it was, c gives up what is unfinished, u undoes all of it."
    };
    put_at(0, y, text, theme.text(), area, buffer);
}

fn draw_fault(state: &State, theme: Theme, y: u16, area: Rect, buffer: &mut Buffer) -> u16 {
    let Some(fault) = &state.running.fault else { return 0 };
    if fault.kind == crate::fault::Kind::Interrupted {
        return 0;
    }
    let mut text = fault.sentence.clone();
    for finding in &fault.findings {
        text = format!("{text} {}", wording::finding_sentence(finding));
    }
    let rows = 3.min(area.height.saturating_sub(y));
    let place = Rect { y: area.y + y.min(area.height), height: rows, ..area };
    Paragraph::new(crate::show::visible(&text)).style(theme.danger()).wrap(Wrap { trim: true }).render(place, buffer);
    rows + 1
}

fn draw_end(state: &State, row: &HaulRow, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let head = format!("Haul {}: {}", row.id, wording::haul_state(row));
    put_at(0, 0, &head, theme.strong(), area, buffer);
    let mut y = 2;
    y += draw_fault(state, theme, y, area, buffer);
    for lot in &row.lots {
        if y + 3 > area.height {
            put_at(0, area.height.saturating_sub(1), "and more; see: deft-barge log", theme.dim(), area, buffer);
            return;
        }
        y += draw_lot_end(lot, theme, Rect { y: area.y + y, height: area.height - y, ..area }, buffer) + 1;
    }
    if let Some(held) = state.to_let_go() {
        let bytes: deft_barge_core::bytes::Bytes =
            held.lots.iter().filter(|l| l.holds_originals()).map(|l| l.planned.size.on_disk).sum();
        let text = format!(
            "{bytes} of originals are held (haul {}). Start the game once; then l lets go of them, u puts everything back.",
            held.id
        );
        put_at(0, y, &text, theme.text(), area, buffer);
        y += 2;
    }
    draw_said(
        state,
        theme,
        Rect { y: area.y + y.min(area.height), height: area.height.saturating_sub(y), ..area },
        buffer,
    );
}

fn draw_lot_end(lot: &LotRow, theme: Theme, area: Rect, buffer: &mut Buffer) -> u16 {
    put_at(0, 0, &line(&lot.planned.title), theme.strong(), area, buffer);
    put_at(32, 0, lot.stage.word(), theme.text(), area, buffer);
    let place = cut_middle(&path(&lot.planned.to), usize::from(area.width).saturating_sub(46));
    put_at(44, 0, &place, theme.dim(), area, buffer);
    let Some(proof) = &lot.proof else { return 1 };
    let mut y =
        draw_zeros(proof, theme, Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area }, buffer) + 1;
    if let Stage::Released { left } = lot.stage
        && left > 0
    {
        put_at(
            2,
            y,
            &format!("{left} files were not what was compared and stay in {}", path(&lot.planned.from)),
            theme.text(),
            area,
            buffer,
        );
        y += 1;
    }
    y
}

/// The four totals that must be zero.
fn draw_zeros(proof: &Proof, theme: Theme, area: Rect, buffer: &mut Buffer) -> u16 {
    let style = |zero: bool| -> Style { if zero { theme.good() } else { theme.danger() } };
    let download = proof.to_download.map_or("?".to_string(), |bytes| bytes.to_string());
    let none = proof.to_download.is_none_or(|bytes| bytes.count() == 0);
    let totals = [
        (count(proof.differ), "differ", proof.differ == 0),
        (count(proof.missing), "missing", proof.missing == 0),
        (count(proof.extra), "extra", proof.extra == 0),
        (download, "to download", none),
    ];
    for (n, (figure, word, zero)) in totals.iter().enumerate() {
        let x = 2 + n as u16 * 16;
        put_at(x, 0, &format!("{figure} {word}"), style(*zero), area, buffer);
    }
    let how = if proof.read { "every byte was read back" } else { "by names and sizes" };
    let records = if proof.records_lead_here { "its records lead here" } else { "ITS RECORDS LEAD ELSEWHERE" };
    let text = format!("{} files, {}: {how}; {records}", count(proof.files), proof.bytes);
    put_at(2, 1, &text, theme.dim(), area, buffer);
    for (n, difference) in proof.differences.iter().take(3).enumerate() {
        put_at(
            2,
            2 + n as u16,
            &format!("{:?}: {}", difference.kind, line(&difference.path)),
            theme.danger(),
            area,
            buffer,
        );
    }
    2 + proof.differences.len().min(3) as u16
}

pub(super) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let running = &state.running;
    let text = match (&running.work, running.cancelling, running.pausing) {
        (Some(_), true, _) => "Cancelling: it stops at the next block, and what was done is returned.",
        (Some(_), _, true) => "Pausing at the next block.",
        (Some(_), ..) => "You may leave this view; the haul goes on. Leaving the program pauses it.",
        (None, ..) if state.tried().is_some() => {
            "g goes on with the others, c leaves them where they are, u undoes all."
        }
        (None, ..) if state.unfinished().is_some() => "g goes on, c gives up what is unfinished, u undoes all.",
        (None, ..) => "Nothing is running.",
    };
    (text.into(), theme.text())
}
