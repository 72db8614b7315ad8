//! Records: where is it written down. Launchers, their libraries and games, and every record with its health.

use deft_barge_core::launcher::Record;
use deft_barge_core::record::Side;
use deft_barge_core::survey::{Game, Launcher, Survey};
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::canvas::{Canvas, Hit, first_shown};
use super::super::state::State;
use super::super::theme::Theme;
use super::list_and_detail;
use crate::commands::{View, Wish};
use crate::present::{cut_middle, in_cells, line, pad, path, words};
use crate::tui::model::RecordRow;

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let Some(survey) = &state.survey else {
        canvas.put_at(2, 1, "Looking at launchers ...", theme.text(), area);
        return;
    };
    if state.records.rows.is_empty() {
        let key = state.look.keys.name(Wish::Learn, View::Records);
        let text = format!("No launchers known here. {key} learns them from the games that are installed.");
        canvas.put_at(2, 1, &text, theme.text(), area);
        return;
    }
    let (list, detail) = list_and_detail(area, area.width * 11 / 20);
    let rows = usize::from(list.height);
    let first = first_shown(state.records.cursor, rows, state.records.rows.len());
    for (n, row) in state.records.rows.iter().enumerate().skip(first).take(rows) {
        let y = in_cells(n - first);
        draw_row(state, survey, *row, n == state.records.cursor, y, list, canvas);
        canvas.hit_row(y, list, Hit::Row(n));
    }
    if let Some(row) = state.record_row() {
        draw_detail(state, survey, row, detail, canvas);
    }
}

/// How sound the records of a game are, in a word.
fn health(game: &Game) -> (String, bool) {
    let bad = game.found.records.iter().filter(|record| !record.sound).count();
    let records = words::several(game.found.records.len(), "record");
    match (game.fault().is_some(), bad) {
        (true, _) => ("wrong place".into(), false),
        (false, 0) => (format!("{records}, all OK"), true),
        (false, n) => (format!("{records}, {n} wrong"), false),
    }
}

fn draw_row(state: &State, survey: &Survey, row: RecordRow, here: bool, y: u16, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let style = if here { theme.cursor() } else { theme.text() };
    canvas.fill(y, style, area);
    let mark = if here { "▸" } else { " " };
    let width = usize::from(area.width);
    let open = |id: &str| state.records.is_turned(id);
    match row {
        RecordRow::Problem(n) => {
            let problem = &survey.problems[n];
            let text = format!("{mark} {}: {}", path(&problem.file), line(&problem.what));
            canvas.put_at(0, y, &text, Style { fg: theme.danger().fg, ..style }, area);
        }
        RecordRow::Launcher(n) => {
            let launcher = &survey.launchers[n];
            let sign = if open(&launcher.id) { "▸" } else { "▾" };
            let running = if launcher.running.is_empty() { "" } else { "   running" };
            let problems = launcher.problems.len();
            let problems = if problems > 0 {
                format!("   {} unreadable", words::several(problems, "file"))
            } else {
                String::new()
            };
            let changed = if launcher.drift.is_some() { "   changed" } else { "" };
            let text = format!("{mark} {sign} {}{running}{changed}{problems}", line(&launcher.name));
            let style = if here { style } else { theme.strong() };
            canvas.put_at(0, y, &text, style, area);
        }
        RecordRow::Library(n, library) => {
            let library = &survey.launchers[n].libraries[library];
            let drive = library.drive.as_deref().unwrap_or("offline");
            let default = if library.default { ", takes new installs" } else { "" };
            let head = format!("{mark}     library on {drive}, {}{default}   ", words::several(library.games, "game"));
            let room = width.saturating_sub(head.chars().count());
            canvas.put_at(0, y, &format!("{head}{}", cut_middle(&path(&library.path), room)), style, area);
        }
        RecordRow::Game(n) => {
            let game = &survey.games[n];
            let sign = if open(&game.id.0) { "▾" } else { "▸" };
            let (health, sound) = health(game);
            canvas.put_at(0, y, &format!("{mark}   {sign} {}", pad(&line(&game.found.title), 32)), style, area);
            let tint = if sound { style } else { Style { fg: theme.danger().fg, ..style } };
            canvas.put_at(40, y, &health, tint, area);
        }
        RecordRow::Record(game, n) => {
            let record = &survey.games[game].found.records[n];
            let file = record.file.file_name().map(|name| line(&name.to_string_lossy())).unwrap_or_default();
            let sound = if record.sound { "" } else { "  WRONG" };
            let text = format!("{mark}       {}  {}{sound}", file, line(&place_of(record)));
            let tint = if record.sound { style } else { Style { fg: theme.danger().fg, ..style } };
            canvas.put_at(0, y, &text, tint, area);
        }
    }
}

/// Where in its file a record stands.
fn place_of(record: &Record) -> String {
    let mut place = record.location.clone();
    for hop in &record.inside {
        place.push_str(&format!(" > {}", hop.location));
    }
    if record.side == Side::Key {
        place.push_str(" (key)");
    }
    place
}

fn draw_detail(state: &State, survey: &Survey, row: RecordRow, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let width = usize::from(area.width);
    let shown = |at: &std::path::Path, label: usize| cut_middle(&path(at), width.saturating_sub(label));
    let mut lines: Vec<(String, Style)> = Vec::new();
    match row {
        RecordRow::Problem(n) => {
            let problem = &survey.problems[n];
            lines.push((shown(&problem.file, 0), theme.strong()));
            let at = problem.line.map_or_else(String::new, |line| format!("line {line}: "));
            lines.push((format!("{at}{}", line(&problem.what)), theme.danger()));
        }
        RecordRow::Launcher(n) => lines = launcher_lines(state, &survey.launchers[n], theme, width),
        RecordRow::Library(n, library) => {
            let library = &survey.launchers[n].libraries[library];
            lines.push((shown(&library.path, 0), theme.strong()));
            lines.push((format!("{} of {}", library.bytes, words::several(library.games, "game")), theme.text()));
            let key = state.look.keys.name(Wish::TakesInstalls, View::Records);
            let words =
                if library.default { "Takes new installs.".into() } else { format!("{key} sends new installs here.") };
            lines.push((words, theme.dim()));
        }
        RecordRow::Game(n) => lines = game_lines(state, &survey.games[n], theme, width),
        RecordRow::Record(game, n) => {
            let record = &survey.games[game].found.records[n];
            lines.push((shown(&record.file, 0), theme.strong()));
            lines.push((format!("place     {}", line(&place_of(record))), theme.text()));
            lines.push((format!("says      {}", line(&record.text)), theme.text()));
            lines.push((format!("means     {}", record.meaning), theme.text()));
            if !record.spelling.is_empty() {
                lines.push((format!("spelling  {}", record.spelling), theme.text()));
            }
            lines.push((format!("format    {}", record.shape), theme.dim()));
            let (words, style) = if record.sound {
                ("It points to the game.", theme.good())
            } else {
                ("It doesn't point to the game. Repair it in the launcher.", theme.danger())
            };
            lines.push((words.into(), style));
        }
    }
    let mut y = 0;
    for (text, style) in &lines {
        if crate::present::width(text) > width {
            let place = Rect { y: area.y + y.min(area.height), height: area.height.saturating_sub(y).min(3), ..area };
            y += canvas.put_wrapped(text, *style, place);
        } else {
            canvas.put_at(0, y, text, *style, area);
            y += 1;
        }
    }
}

fn launcher_lines(state: &State, launcher: &Launcher, theme: Theme, width: usize) -> Vec<(String, Style)> {
    let mut lines = vec![
        (line(&launcher.name), theme.strong()),
        (format!("home      {}", cut_middle(&path(&launcher.home), width.saturating_sub(10))), theme.text()),
        (format!("profile   {}.toml", line(&launcher.id)), theme.text()),
    ];
    if let Some(learned) = &launcher.learned {
        let (proved, asked) = words::learned_from(learned);
        lines.push((format!("learned   {proved}"), theme.text()));
        lines.extend(asked.map(|asked| (format!("          {asked}"), theme.dim())));
    }
    if let Some(drift) = &launcher.drift {
        lines.push((format!("changed   {}", words::changed(&launcher.name, drift)), theme.danger()));
        let key = state.look.keys.name(Wish::Learn, View::Records);
        lines.push((format!("          {key} learns it again."), theme.dim()));
    }
    match launcher.running.first() {
        Some(process) => lines.push((format!("running   process {}", process.pid), theme.danger())),
        None => lines.push(("running   no".into(), theme.text())),
    }
    for problem in launcher.problems.iter().take(4) {
        lines.push((format!("{}: {}", path(&problem.file), line(&problem.what)), theme.danger()));
    }
    let default = launcher.libraries.iter().find(|library| library.default);
    if let Some(library) = default {
        lines.push((
            format!("installs  go to {}", cut_middle(&path(&library.path), width.saturating_sub(16))),
            theme.text(),
        ));
    }
    let found = state.survey.iter().flat_map(|survey| &survey.found).find(|found| found.profile.id == launcher.id);
    if found.is_some_and(|found| found.profile.libraries.as_ref().is_some_and(|libraries| libraries.new.is_some())) {
        lines.push(("A drive's number makes a library there.".into(), theme.dim()));
    }
    let key = state.look.keys.name(Wish::CheckProfiles, View::Records);
    lines.push((format!("{key} checks every profile against this machine."), theme.dim()));
    lines
}

fn game_lines(state: &State, game: &Game, theme: Theme, width: usize) -> Vec<(String, Style)> {
    let mut lines = vec![
        (line(&game.found.title), theme.strong()),
        (cut_middle(&path(&game.found.install), width), theme.dim()),
        (format!("{} in {}", game.size.on_disk, words::several(game.size.files, "file")), theme.text()),
    ];
    if let Some(fault) = game.fault() {
        lines.push((format!("blocker   {}", words::place_fault(fault)), theme.danger()));
    }
    let mut files: Vec<&std::path::Path> = game.found.records.iter().map(|record| record.file.as_path()).collect();
    files.sort_unstable();
    files.dedup();
    lines.push((
        format!("{} in {}:", words::several(game.found.records.len(), "record"), words::several(files.len(), "file")),
        theme.text(),
    ));
    lines.extend(
        files.iter().map(|file| (format!("  {}", cut_middle(&path(file), width.saturating_sub(2))), theme.dim())),
    );
    let key = |wish| state.look.keys.name(wish, View::Records);
    lines.push((format!("{} shows each record, {} traces a folder.", key(Wish::Open), key(Wish::Trace)), theme.dim()));
    lines
}

pub(crate) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let Some(survey) = &state.survey else { return (String::new(), theme.text()) };
    let records: usize = survey.games.iter().map(|game| game.found.records.len()).sum();
    let bad = survey.games.iter().filter(|game| !health(game).1).count();
    if let Some(launcher) = survey.launchers.iter().find(|launcher| launcher.drift.is_some()) {
        let key = state.look.keys.name(Wish::Learn, View::Records);
        let text = format!("{} has changed since it was learned: {key} learns it again.", line(&launcher.name));
        return (text, theme.danger());
    }
    let text = format!("{} of {}", words::several(records, "record"), words::several(survey.games.len(), "game"));
    if records == 0 {
        return ("No records yet.".into(), theme.text());
    }
    if bad == 0 {
        return (format!("{text}: all records OK."), theme.text());
    }
    (
        format!("{text}: {} wrong.", words::plural(bad, "game has records that are", "games have records that are")),
        theme.danger(),
    )
}
