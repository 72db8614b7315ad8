//! The views: each draws from the state alone. Shared here: the head line and the foot.

mod blocks;
mod cleanup;
mod drives;
mod first;
mod haul;
mod item_map;
mod log;
mod moments;
mod over;
mod proof;
mod records;
mod running;
mod whole;

use deft_barge_core::bytes::Bytes;
use ratatui::Frame;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Widget, Wrap};

use super::canvas::{Canvas, Hit, Hits, rows_of};
use super::state::State;
use super::theme::Theme;
use crate::commands::{View, Wish};
use crate::present::{in_cells, line, words};

/// Draws everything, and gives what lies where.
pub fn draw(state: &State, theme: Theme, frame: &mut Frame<'_>) -> Hits {
    let area = frame.area();
    draw_into(state, theme, area, frame.buffer_mut())
}

/// Whether a window has no room for the views.
pub fn is_too_small(width: u16, height: u16) -> bool {
    width < 80 || height < 24
}

/// Draws everything into a buffer; any size will do.
pub fn draw_into(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) -> Hits {
    buffer.set_style(area, theme.ground());
    if is_too_small(area.width, area.height) {
        let text =
            format!("Deft Barge needs a window of 80 x 24 characters; this one has {} x {}.", area.width, area.height);
        Paragraph::new(text).style(theme.text()).wrap(Wrap { trim: true }).render(area, buffer);
        return Vec::new();
    }
    let mut canvas = Canvas { buffer, theme, hits: Vec::new() };
    let canvas = &mut canvas;
    head(state, Rect { height: 1, ..area }, canvas);
    let body = Rect { x: area.x + 1, y: area.y + 2, width: area.width - 2, height: area.height - 5 };
    match state.view {
        View::Drives if state.survey.as_ref().is_some_and(|s| s.measured && s.launchers.is_empty()) => {
            first::draw(state, body, canvas);
        }
        View::Drives => drives::draw(state, body, canvas),
        View::Haul => haul::draw(state, body, canvas),
        View::Running => running::draw(state, body, canvas),
        View::Proof => proof::draw(state, body, canvas),
        View::Log => log::draw(state, body, canvas),
        View::Records => records::draw(state, body, canvas),
        View::Cleanup => cleanup::draw(state, body, canvas),
    }
    foot(state, Rect { x: area.x + 1, y: area.bottom() - 2, width: area.width - 2, height: 2 }, canvas);
    let over = Rect { y: area.y + 1, height: area.height - 3, ..area };
    over::draw(state, over, canvas);
    std::mem::take(&mut canvas.hits)
}

fn head(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let items = state.drafted.draft.items.len();
    canvas.put(" deft barge ", theme.strong(), area);
    let mut x = 13;
    for view in View::ALL {
        let mut name = view.name().to_string();
        match view {
            View::Haul if items > 0 => name = format!("{name} {items}"),
            View::Running if !state.idle() => name.push_str(" ▸"),
            _ => {}
        }
        let key = state.look.keys.name(Wish::Show(view), state.view);
        let style = if state.view == view { theme.badge() } else { theme.dim() };
        // The letter that leads there stands in the name, or before it where it does not.
        let at = name
            .char_indices()
            .find(|(_, c)| c.to_string().eq_ignore_ascii_case(&key))
            .map(|(at, c)| (at, c.len_utf8()));
        let text = if at.is_some() || key.is_empty() { name.clone() } else { format!("{key} {name}") };
        let (at, len) = at.unwrap_or((0, key.len()));
        let line = Line::from(vec![
            Span::styled(format!(" {}", &text[..at]), style),
            Span::styled(text[at..at + len].to_string(), style.add_modifier(Modifier::UNDERLINED)),
            Span::styled(format!("{} ", &text[at + len..]), style),
        ]);
        let width = in_cells(crate::present::width(&text)) + 2;
        if x + width > area.width {
            break;
        }
        let place = Rect { x: area.x + x, width, ..area };
        line.render(place, canvas.buffer);
        canvas.hit(place, Hit::View(view));
        x += width;
    }
    let left = usize::from(area.width.saturating_sub(x));
    let (done, of) = state.work.measured;
    let right = match &state.survey {
        None => "looking around ".to_string(),
        Some(survey) if !survey.measured => format!("measured {done} of {of} "),
        Some(survey) => {
            let bytes: Bytes = survey.games.iter().map(|game| game.size.on_disk).sum();
            format!(
                "{} · {} · {bytes} ",
                words::several(survey.launchers.len(), "launcher"),
                words::several(survey.games.len(), "game")
            )
        }
    };
    // Where there is no room for all of it, its end says most.
    let parts: Vec<&str> = right.split(" · ").collect();
    let fits = (0..parts.len()).map(|n| parts[n..].join(" · ")).find(|text| crate::present::width(text) + 1 < left);
    canvas.put_right(&fits.unwrap_or_default(), theme.dim(), area);
}

/// A list and what is said of its line: beside one another where there is room, else beneath.
fn list_and_detail(area: Rect, list_width: u16) -> (Rect, Rect) {
    if area.width >= 120 {
        let list = Rect { width: list_width, ..area };
        return (list, Rect { x: list.right() + 3, width: area.width.saturating_sub(list.width + 3), ..area });
    }
    let below = 9.min(area.height / 2);
    let list = Rect { height: area.height.saturating_sub(below), ..area };
    (list, Rect { y: list.bottom() + 1, height: below.saturating_sub(1), ..area })
}

fn summary(state: &State, theme: Theme) -> (String, Style) {
    match state.view {
        View::Drives => drives::summary(state, theme),
        View::Haul => haul::summary(state, theme),
        View::Running => running::summary(state, theme),
        View::Proof => proof::summary(state, theme),
        View::Log => log::summary(state, theme),
        View::Records => records::summary(state, theme),
        View::Cleanup => cleanup::summary(state, theme),
    }
}

fn foot(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let upper = Rect { height: 1, ..area };
    let lower = Rect { y: area.y + 1, height: 1, ..area };
    if let Some(question) = &state.over.question {
        put_up(&question.text, theme.strong(), area, canvas);
        let mut x = 0;
        let answers = question.answers.iter().map(|(key, words, _)| (format!("{key} {words}"), *key));
        for (text, key) in answers.chain([("any other key no".to_string(), '\u{1b}')]) {
            let place = Rect {
                x: lower.x + x,
                width: in_cells(crate::present::width(&text)).min(lower.width.saturating_sub(x)),
                ..lower
            };
            canvas.put(&text, theme.text(), place);
            canvas.hit(place, Hit::Answer(key));
            x += in_cells(crate::present::width(&text)) + 3;
        }
        return;
    }
    if let Some(typing) = &state.over.typing {
        let (question, hint) = typing.what.words();
        over::put_field(question, &typing.input, theme.strong(), upper, canvas);
        let more = if area.width < 110 { "" } else { "   up: typed before   ctrl-u: clear" };
        let help = match typing.more.as_slice() {
            [] => format!("{hint}   enter: do it{more}   esc: leave"),
            more => more.iter().map(|name| line(name)).collect::<Vec<_>>().join("   "),
        };
        canvas.put(&help, theme.text(), lower);
        return;
    }
    let (text, style) = match &state.over.message {
        Some(message) => (message.clone(), theme.strong()),
        None => summary(state, theme),
    };
    put_up(&text.replace('\n', " "), style, area, canvas);
    draw_hints(state, lower, canvas);
}

/// Puts a text into the upper row of the foot; what is too long for it begins rows higher, and is not cut before four of them.
fn put_up(text: &str, style: Style, area: Rect, canvas: &mut Canvas<'_>) {
    let rows = rows_of(text, area.width).clamp(1, 4);
    let place = Rect { y: area.y + 1 - rows, height: rows, ..area };
    for row in 0..rows {
        canvas.fill(row, canvas.theme.text(), place);
    }
    canvas.put_wrapped(text, style, place);
}

/// The keys of the view, as many as there is room for; those that lead to all others always.
fn draw_hints(state: &State, lower: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let mut hints = state.look.keys.hints(state.view);
    hints.retain(|(_, _, wish)| state.works_now(*wish));
    let width_of = |(key, words, _): &(String, &str, Wish)| {
        in_cells(crate::present::width(key) + crate::present::width(words) + 1)
    };
    let is_last = |(_, _, wish): &(String, &str, Wish)| matches!(wish, Wish::Palette | Wish::Help);
    let last: u16 = hints.iter().filter(|hint| is_last(hint)).map(|hint| width_of(hint) + 2).sum();
    let mut x = 0;
    for hint in hints {
        let width = width_of(&hint);
        let room = if is_last(&hint) { lower.width } else { lower.width.saturating_sub(last) };
        if x + width > room {
            continue;
        }
        let (key, words, wish) = hint;
        let place = Rect { x: lower.x + x, width, ..lower };
        canvas.put(&key, theme.text(), place);
        canvas.put_at(in_cells(crate::present::width(&key)) + 1, 0, words, theme.dim(), place);
        canvas.hit(place, Hit::Wish(wish));
        x += width + 2;
    }
}

#[cfg(test)]
mod frames;
#[cfg(test)]
mod tests;
