//! What lies over a view: the help, the chooser, a sheet.

use ratatui::crossterm::event::KeyCode;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::widgets::{Clear, Widget};
use tui_input::Input;

use super::super::canvas::{Canvas, Hit, first_shown};
use super::super::state::State;
use crate::commands::Press;
use crate::present::{cut, cut_front, in_cells, line, pad, width};
use crate::tui::model::{Chooser, ESC, Of, Sheet, Tone};

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    if let Some(sheet) = &state.over.sheet {
        draw_sheet(sheet, area, canvas);
    }
    if let Some(chooser) = &state.over.chooser {
        draw_chooser(state, chooser, area, canvas);
    }
    if let Some(top) = state.over.help {
        draw_help(state, top, area, canvas);
    }
}

/// Clears a place for a sheet, and gives what is within its margin.
fn clear(area: Rect, canvas: &mut Canvas<'_>) -> Rect {
    Clear.render(area, canvas.buffer);
    let style = canvas.theme.sheet();
    canvas.buffer.set_style(area, style);
    if style.bg.is_none() {
        // Without a ground of its own a line above and below says where it ends.
        for y in [area.y, area.bottom().saturating_sub(1)] {
            canvas.buffer.set_string(area.x, y, "─".repeat(usize::from(area.width)), style);
        }
    }
    Rect { x: area.x + 3, y: area.y + 1, width: area.width.saturating_sub(6), height: area.height.saturating_sub(2) }
}

fn centred(width: u16, height: u16, area: Rect) -> Rect {
    let (width, height) = (width.min(area.width), height.min(area.height));
    Rect { x: area.x + (area.width - width) / 2, y: area.y + (area.height - height) / 2, width, height }
}

fn draw_help(state: &State, top: usize, area: Rect, canvas: &mut Canvas<'_>) {
    let lines = state.look.keys.help(state.view);
    let place = centred(100.min(area.width.saturating_sub(4)), in_cells(lines.len()) + 4, area);
    let inner = clear(place, canvas);
    let style = canvas.theme.sheet();
    let title = format!("Keys of {}", state.view.name());
    canvas.put(&title, style.add_modifier(Modifier::BOLD), inner);
    let rows = usize::from(inner.height.saturating_sub(2));
    let top = top.min(lines.len().saturating_sub(rows));
    for (n, (keys, words)) in lines.iter().skip(top).take(rows).enumerate() {
        canvas.put_at(0, in_cells(n) + 2, &pad(keys, 20), style, inner);
        canvas.put_at(21, in_cells(n) + 2, words, style, inner);
    }
    if lines.len() > rows {
        let more = format!("{} to {} of {}", top + 1, (top + rows).min(lines.len()), lines.len());
        canvas.put_right(&format!("{more}, ↓ ↑"), style, Rect { height: 1, ..inner });
    }
}

fn draw_chooser(state: &State, chooser: &Chooser, area: Rect, canvas: &mut Canvas<'_>) {
    // As high as what there is to choose from, whatever the letters leave of it.
    let all = match chooser.of {
        Of::Drafts => state.over.drafts.as_ref().map_or(0, Vec::len),
        Of::Drives => state.survey.as_ref().map_or(0, |survey| survey.drives.len()),
        Of::Places => state.haul.places.len(),
        Of::Acts | Of::Games => usize::MAX,
    };
    let height = u16::try_from(all.saturating_add(5)).unwrap_or(u16::MAX).min(area.height * 3 / 4);
    let place = centred(104.min(area.width.saturating_sub(4)), height, area);
    let inner = clear(place, canvas);
    let style = canvas.theme.sheet();
    let (question, nothing) = match chooser.of {
        Of::Acts => ("Do what?", "No command matches."),
        Of::Games => ("Which game?", "No game matches."),
        Of::Drives => ("Which drive?", "No drive matches."),
        Of::Places => ("Which places? Enter changes one, Esc plans with them.", "No place matches."),
        Of::Drafts if state.over.drafts.is_none() => ("Which draft?", "Listing them ..."),
        Of::Drafts => ("Which draft?", "No draft matches."),
    };
    put_field(question, &chooser.input, style.add_modifier(Modifier::BOLD), inner, canvas);
    if chooser.offers.is_empty() {
        canvas.put_at(0, 2, nothing, style, inner);
    }
    let rows = usize::from(inner.height.saturating_sub(2));
    let first = first_shown(chooser.cursor, rows, chooser.offers.len());
    for (n, offer) in chooser.offers.iter().enumerate().skip(first).take(rows) {
        let y = in_cells(n - first) + 2;
        let here = n == chooser.cursor;
        let style = if here { style.add_modifier(Modifier::REVERSED) } else { style };
        let width = usize::from(inner.width);
        let room = width.saturating_sub(crate::present::width(&offer.aside) + 3);
        let text = format!("{} {} {}", if here { "▸" } else { " " }, pad(&line(&offer.text), room), offer.aside);
        canvas.put_at(0, y, &pad(&text, width), style, inner);
        canvas.hit_row(y, inner, Hit::Choice(n));
    }
}

fn draw_sheet(sheet: &Sheet, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let width = if area.width < 130 { area.width } else { area.width.saturating_sub(4).min(150) };
    let place = centred(width, in_cells(sheet.lines.len()).saturating_add(6).max(9), area);
    let inner = clear(place, canvas);
    let ground = theme.sheet();
    let tint = |style: ratatui::style::Style| ratatui::style::Style { bg: ground.bg.or(style.bg), ..style };
    let title = Rect { height: 1, ..inner };
    canvas.put(&sheet.title, tint(theme.strong()), title);
    let rows = usize::from(inner.height.saturating_sub(4));
    // While something is done its end is seen; afterwards one reads from the top.
    let last = sheet.lines.len().saturating_sub(rows);
    let top = if sheet.task.is_some() { last } else { sheet.top.min(last) };
    for (n, (tone, text)) in sheet.lines.iter().skip(top).take(rows).enumerate() {
        let style = match tone {
            Tone::Text => theme.text(),
            Tone::Dim | Tone::Old => theme.dim(),
            Tone::Strong => theme.strong(),
            Tone::Danger => theme.danger(),
            Tone::New => theme.moving(),
        };
        canvas.put_at(0, in_cells(n) + 2, text, tint(style), inner);
    }
    let foot = Rect { y: inner.bottom().saturating_sub(1), height: 1, ..inner };
    let mut x = 0;
    let mut put = |text: &str, hit: Option<char>, canvas: &mut Canvas<'_>| {
        let place = Rect {
            x: foot.x + x,
            width: in_cells(crate::present::width(text)).min(foot.width.saturating_sub(x)),
            ..foot
        };
        canvas.put(text, tint(theme.dim()), place);
        if let Some(key) = hit {
            canvas.hit(place, Hit::Answer(key));
        }
        x += place.width + 3;
    };
    if sheet.answers > 0 {
        canvas.put("", tint(theme.dim()), foot);
        for nth in 1..=sheet.answers {
            put(&nth.to_string(), char::from_digit(nth as u32, 10), canvas);
        }
        put("answers", None, canvas);
    }
    if let Some((key, words, _)) = sheet.then.as_ref().filter(|_| sheet.task.is_none()) {
        let sign = if let KeyCode::Char(sign) = key { Some(*sign) } else { None };
        put(&format!("{} {words}", Press { code: *key, ctrl: false }), sign, canvas);
    }
    put(if sheet.task.is_some() { "esc stops it" } else { "esc closes" }, Some(ESC), canvas);
    if sheet.lines.len() > rows {
        put("↓ ↑ more", None, canvas);
    }
    let waits = sheet.task.is_some() && sheet.answers == 0;
    let passing = if waits && sheet.passing.is_empty() { "working ..." } else { &sheet.passing };
    canvas.put_right(passing, tint(theme.text()), foot);
}

/// Puts a question and the field behind it into one row, with a mark where the cursor is.
pub(crate) fn put_field(question: &str, input: &Input, style: Style, area: Rect, canvas: &mut Canvas<'_>) {
    let room = usize::from(area.width).saturating_sub(width(question) + 2);
    let (before, behind) = input.value().split_at(at_character(input.value(), input.cursor()));
    // What is around the cursor is what one looks at.
    let before = cut_front(before, room);
    let behind = cut(behind, room.saturating_sub(width(&before)));
    canvas.put(&format!("{question} {before}▏{behind}"), style, area);
}

/// The byte at which a character of a text begins.
fn at_character(text: &str, n: usize) -> usize {
    text.char_indices().nth(n).map_or(text.len(), |(at, _)| at)
}
