//! The list of games beside the drives.

use super::super::super::canvas::{Canvas, Hit, first_shown};
use super::super::super::state::State;
use crate::commands::{View, Wish};
use crate::present::{count, in_cells, line, pad};
use crate::tui::model::{Filter, Sort};
use deft_barge_core::launcher::PlaceFault;
use deft_barge_core::plan::Destination;
use deft_barge_core::survey::{Game, Survey};
use jiff::Timestamp;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

pub(super) fn draw_list(state: &State, survey: &Survey, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let drive = survey.drives.get(state.drives.drive);
    let layout = &state.drives.layout;
    let columns = Columns::of(area.width);
    let wide = columns != Columns::Few;
    let taken = match columns {
        Columns::All => 69,
        Columns::Some => 45,
        Columns::Few => 32,
    };
    let title_width = usize::from(area.width).saturating_sub(taken).max(12);
    let name = drive.map_or("offline".into(), |drive| format!("on {}", line(&drive.drive.name)));
    let sorted = if layout.sort == Sort::Size { String::new() } else { format!(", {}", layout.sort.words()) };
    let filtered = if layout.filter == Filter::All { String::new() } else { format!(", {}", layout.filter.words()) };
    let marked = match layout.marks.len() {
        0 => String::new(),
        n => format!("   ◆ {n}"),
    };
    let heading = format!(
        "      {} {}{:>10} {:>9}",
        pad(&format!("{name}{filtered}{sorted}{marked}"), title_width),
        if wide { pad("  launcher", 14) } else { String::new() },
        if survey.measured { "on disk" } else { "reported" },
        "files",
    );
    canvas.put_at(0, 0, &heading, theme.dim(), area);
    if columns == Columns::All {
        canvas.put_at(in_cells(title_width) + 43, 0, "last run", theme.dim(), area);
    }
    if layout.list.is_empty() {
        let held = layout.holds.get(state.drives.drive).is_some_and(|hold| !hold.is_empty());
        let tag = drive.and_then(|drive| drive.drive.tag).map_or("-".to_string(), |tag| tag.to_string());
        let text = if held {
            format!(
                "No game here is {}. {} shows others.",
                layout.filter.words(),
                state.look.keys.name(Wish::Filter, View::Drives)
            )
        } else {
            format!("No games here. On another drive, {tag} sends the game under the cursor here.")
        };
        canvas.put_at(6, 2, &text, theme.text(), area);
        return;
    }
    let rows = usize::from(area.height.saturating_sub(1));
    let first = first_shown(layout.cursor, rows, layout.list.len());
    for (at, n) in layout.list.iter().enumerate().skip(first).take(rows) {
        let y = in_cells(at - first) + 1;
        let row = ListRow { state, survey, game: &survey.games[*n], title_width, columns, here: at == layout.cursor };
        row.draw(y, area, canvas);
        canvas.hit_row(y, area, Hit::Game(*n));
    }
    let hidden = layout.list.len().saturating_sub(first + rows);
    if hidden > 0 {
        canvas.put_right(&format!("+{}", count(hidden as u64)), theme.dim(), Rect { height: 1, ..area });
    }
}

/// What the list says beside title, bytes and files.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Columns {
    /// The launcher, the last run, and in words what is wrong.
    All,
    /// The launcher.
    Some,
    Few,
}

impl Columns {
    fn of(width: u16) -> Self {
        match width {
            90.. => Self::All,
            70.. => Self::Some,
            _ => Self::Few,
        }
    }
}

/// A line of the list.
struct ListRow<'a> {
    state: &'a State,
    survey: &'a Survey,
    game: &'a Game,
    title_width: usize,
    columns: Columns,
    here: bool,
}

impl ListRow<'_> {
    pub(super) fn draw(&self, y: u16, area: Rect, canvas: &mut Canvas<'_>) {
        let Self { state, survey, game, title_width, columns, here } = *self;
        let wide = columns != Columns::Few;
        let theme = canvas.theme;
        let style = if here { theme.cursor() } else { theme.text() };
        if here {
            canvas.fill(y, style, area);
        }
        let marked = state.drives.layout.marks.contains(&game.id);
        canvas.put_at(0, y, if here { "▸" } else { " " }, style, area);
        canvas.put_at(1, y, if marked { "◆" } else { "" }, style, area);
        if let Some(to) = state.drives.layout.sent.get(&game.id) {
            let tag = match to {
                Destination::Drive(name) => survey.drive(name).and_then(|d| d.drive.tag),
                Destination::Library(_) => None,
            };
            let to = tag.map_or("→ -".into(), |tag| format!("→ {tag}"));
            let moving = Style { fg: theme.moving().fg, ..style };
            canvas.put_at(2, y, &to, moving, area);
        }
        let launcher = survey.launcher(&game.launcher).map_or("", |launcher| launcher.name.as_str());
        let files = if survey.measured { count(game.size.files) } else { String::new() };
        let text = format!(
            "{} {}{:>10} {files:>9}",
            pad(&line(&game.found.title), title_width),
            if wide { format!("  {}", pad(&line(launcher), 12)) } else { String::new() },
            game.size.on_disk,
        );
        canvas.put_at(6, y, &text, style, area);
        if wide {
            let nth = survey.launchers.iter().position(|launcher| launcher.id == game.launcher).unwrap_or(0);
            // The cursor's line is turned round; a colour is not.
            let swatch = theme.game(nth);
            let swatch = if theme.plain() { swatch } else { swatch.remove_modifier(Modifier::REVERSED) };
            canvas.put_at(in_cells(title_width) + 7, y, theme.pattern(nth), swatch, area);
        }
        if columns == Columns::All {
            let last = game.found.last_run.map_or("not known".into(), |then| ago(then, survey.made));
            canvas.put_at(in_cells(title_width) + 43, y, &last, style, area);
        }
        if let Some((sign, word, is_stop)) = trouble(survey, game) {
            let colour = if is_stop { theme.danger().fg } else { style.fg };
            let text = if columns == Columns::All { word } else { sign };
            let at = if columns == Columns::All { in_cells(title_width) + 57 } else { area.width.saturating_sub(1) };
            canvas.put_at(at, y, text, Style { fg: colour, ..style }, area);
        }
    }
}

/// How long ago, in the largest unit that says something.
fn ago(then: Timestamp, now: Timestamp) -> String {
    let seconds = now.duration_since(then).as_secs().max(0);
    match seconds {
        0..=59 => "just now".into(),
        60..=5399 => format!("{} min ago", seconds / 60),
        5400..=129_599 => format!("{} h ago", (seconds + 1800) / 3600),
        129_600..=5_183_999 => format!("{} days ago", (seconds + 43_200) / 86_400),
        _ => format!("{} months ago", (seconds + 1_296_000) / 2_592_000),
    }
}

/// What is wrong with a game by itself: a sign, a word, and whether it keeps the game from being moved.
fn trouble(survey: &Survey, game: &Game) -> Option<(&'static str, &'static str, bool)> {
    let running = survey.launcher(&game.launcher).is_some_and(|launcher| !launcher.running.is_empty());
    match game.fault() {
        Some(PlaceFault::Missing) => Some(("■", "missing", true)),
        Some(PlaceFault::Away(_)) => Some(("■", "offline", true)),
        Some(PlaceFault::Elsewhere(..)) => Some(("■", "remap", true)),
        Some(PlaceFault::Silent(_)) => Some(("■", "silent drive", true)),
        Some(_) => Some(("■", "misplaced", true)),
        None if game.found.sealed.is_some() => Some(("■", "locked", true)),
        None if running => Some(("■", "running", true)),
        None if game.update().is_some() => Some(("!", "updating", false)),
        None if survey.measured && game.claim_is_far() => Some(("!", "other size", false)),
        None => None,
    }
}
