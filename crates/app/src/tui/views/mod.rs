//! The views: each draws from the state alone. Shared here: the head line, the foot, questions, help.

mod drives;
mod finds;
mod haul;
mod running;

use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Clear, Paragraph, Widget, Wrap};
use unicode_width::UnicodeWidthStr;

use super::choosing::{Typed, Typing};
use super::keys::{self, View};
use super::state::State;
use super::theme::Theme;
use crate::show::{count, cut, line};

/// Draws everything.
pub fn draw(state: &State, theme: Theme, frame: &mut Frame<'_>) {
    let area = frame.area();
    draw_into(state, theme, area, frame.buffer_mut());
}

/// Draws everything into a buffer; any size will do.
pub fn draw_into(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    buffer.set_style(area, theme.ground());
    if area.width < 80 || area.height < 24 {
        let text =
            format!("Deft Barge needs a window of 80 x 24 characters; this one has {} x {}.", area.width, area.height);
        Paragraph::new(text).style(theme.text()).wrap(Wrap { trim: true }).render(area, buffer);
        return;
    }
    head(state, theme, Rect { height: 1, ..area }, buffer);
    let body = Rect { x: area.x + 1, y: area.y + 2, width: area.width - 2, height: area.height - 5 };
    match state.view {
        View::Drives => drives::draw(state, theme, body, buffer),
        View::Haul => haul::draw(state, theme, body, buffer),
        View::Running => running::draw(state, theme, body, buffer),
        View::Finds => finds::draw(state, theme, body, buffer),
    }
    foot(state, theme, Rect { x: area.x + 1, y: area.bottom() - 2, width: area.width - 2, height: 2 }, buffer);
    if state.help {
        help(state, theme, area, buffer);
    }
}

fn head(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let lots = state.draft.lots.len();
    let haul = if lots == 0 { "Haul".to_string() } else { format!("Haul {lots}") };
    let running = if state.running.work.is_some() { "Running ▸" } else { "Running" };
    let mut spans = vec![Span::styled(" deft barge ", theme.strong()), Span::raw("  ")];
    for (view, name) in
        [(View::Drives, "Drives"), (View::Haul, haul.as_str()), (View::Running, running), (View::Finds, "Finds")]
    {
        let style = if state.view == view { theme.badge() } else { theme.dim() };
        spans.push(Span::styled(format!(" {name} "), style));
        spans.push(Span::raw(" "));
    }
    let used: usize = spans.iter().map(|span| span.content.width()).sum();
    Line::from(spans).render(area, buffer);
    let left = usize::from(area.width).saturating_sub(used);
    let right = match &state.survey {
        None => "looking around".to_string(),
        Some(survey) => {
            let bytes: deft_barge_core::bytes::Bytes = survey.games.iter().map(|game| game.size.on_disk).sum();
            format!(
                "{} · {} · {bytes} ",
                several(survey.launchers.len(), "launcher"),
                several(survey.games.len(), "game")
            )
        }
    };
    // Where there is no room for all of it, its end says most.
    let parts: Vec<&str> = right.split(" · ").collect();
    let fits = (0..parts.len()).map(|n| parts[n..].join(" · ")).find(|text| text.width() + 1 < left);
    right_aligned(&fits.unwrap_or_default(), theme.dim(), area, buffer);
}

fn several(number: usize, word: &str) -> String {
    let ending = if number == 1 { "" } else { "s" };
    format!("{} {word}{ending}", count(number as u64))
}

fn foot(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let upper = Rect { height: 1, ..area };
    let lower = Rect { y: area.y + 1, height: 1, ..area };
    if let Some(question) = &state.question {
        put(&question.text, theme.strong(), upper, buffer);
        put("y yes   any other key no", theme.text(), lower, buffer);
        return;
    }
    if let Some(Typing { what, text }) = &state.typing {
        let (question, hint) = match what {
            Typed::Room => ("How much room should be made here?", "such as 60GB   enter suggests   esc leaves it"),
            Typed::SaveAs => ("Under which name should this draft be kept?", "enter saves   esc leaves it"),
            Typed::Open => ("Which draft should be opened?", "its name   enter opens   esc leaves it"),
        };
        put(&format!("{question} {text}▏"), theme.strong(), upper, buffer);
        put(hint, theme.text(), lower, buffer);
        return;
    }
    if let Some(message) = &state.message {
        put(&line(message), theme.strong(), upper, buffer);
    } else {
        let (text, style) = match state.view {
            View::Drives => drives::summary(state, theme),
            View::Haul => haul::summary(state, theme),
            View::Running => running::summary(state, theme),
            View::Finds => finds::summary(state, theme),
        };
        put(&text, style, upper, buffer);
    }
    let hints = match state.view {
        View::Drives => "1-9 send  0 stays  u data  F room  E empty  M played  enter haul  ? keys",
        View::Finds => "↑↓ find   a adopt   l let go   s set aside   n re-anchor   esc back   ? keys",
        View::Haul => "↑↓ lot   a accept cautions   t try one first   S start   esc back   ? keys",
        View::Running => "p pause   - slower   + faster   g go on   c cancel   l let go   u undo   ? keys",
    };
    put(hints, theme.dim(), lower, buffer);
}

/// Puts one line of text, cut to the area, whatever stands in it made visible.
fn put(text: &str, style: Style, area: Rect, buffer: &mut Buffer) {
    if area.height > 0 && area.width > 0 {
        buffer.set_string(area.x, area.y, cut(&line(text), usize::from(area.width)), style);
    }
}

/// Puts text at column `x` of row `y` of an area, as far as there is room.
fn put_at(x: u16, y: u16, text: &str, style: Style, area: Rect, buffer: &mut Buffer) {
    if y < area.height && x < area.width {
        put(text, style, Rect { x: area.x + x, y: area.y + y, width: area.width - x, height: 1 }, buffer);
    }
}

fn right_aligned(text: &str, style: Style, area: Rect, buffer: &mut Buffer) {
    let width = text.width() as u16;
    if width <= area.width {
        put(text, style, Rect { x: area.right() - width, width, ..area }, buffer);
    }
}

/// A part as a bar of so many cells.
fn bar(part: f64, cells: usize) -> String {
    let full = (part.clamp(0.0, 1.0) * cells as f64).round() as usize;
    format!("{}{}", "━".repeat(full), "┄".repeat(cells - full))
}

fn help(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let lines = keys::help(state.view);
    // The first line of the screen stays to be seen; where there is little room, the help does without blank lines.
    let room = area.height.saturating_sub(1);
    let blank = u16::from(lines.len() as u16 + 4 <= room);
    let height = (lines.len() as u16 + 1 + 3 * blank).min(room);
    let width = 64.min(area.width);
    let y = area.y + 1 + (room - height) / 2;
    let inner = Rect { x: area.x + (area.width - width) / 2, y, width, height };
    Clear.render(inner, buffer);
    buffer.set_style(inner, theme.cursor());
    let style = theme.cursor();
    let title = format!("Keys of {:?}", state.view);
    put_at(3, blank, &title, style.add_modifier(ratatui::style::Modifier::BOLD), inner, buffer);
    for (n, (key, words)) in lines.iter().enumerate() {
        let row = n as u16 + 1 + 2 * blank;
        put_at(3, row, key, style, inner, buffer);
        put_at(18, row, words, style, inner, buffer);
    }
}

#[cfg(test)]
mod tests;
