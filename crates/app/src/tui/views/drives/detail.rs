//! What is told of the game under the cursor, and of the drive in focus.

use super::super::super::canvas::Canvas;
use super::super::super::state::State;
use super::super::super::theme::Theme;
use crate::present::{cut_middle, in_cells, line, path, words};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::{Destination, Load};
use deft_barge_core::survey::{DriveState, Game, Survey, UserData, Way};
use ratatui::layout::Rect;
use ratatui::style::Style;

pub(super) fn draw_detail(state: &State, survey: &Survey, area: Rect, wide: bool, canvas: &mut Canvas<'_>) {
    let Some(game) = state.game_here() else { return };
    let theme = canvas.theme;
    let width = usize::from(area.width);
    let launcher = survey.launcher(&game.launcher).map_or("", |launcher| launcher.name.as_str());
    let mut lines: Vec<(String, Style)> = vec![
        (format!("{}  {}", line(&game.found.title), line(launcher)), theme.strong()),
        (cut_middle(&path(&game.found.install), width), theme.dim()),
    ];
    if wide {
        lines.push((String::new(), theme.text()));
    }
    let size = format!("{} on disk, {} to read", game.size.on_disk, game.size.apparent);
    if survey.measured {
        lines.push((format!("{size}, in {}", words::several(game.size.files, "file")), theme.text()));
    } else {
        lines.push(("being measured ...".into(), theme.dim()));
    }
    if let (true, Some(claim)) = (wide, game.found.claim) {
        lines.push((format!("reported    {claim}, says its launcher"), theme.text()));
    }
    if wide {
        lines.push((records_line(game), theme.text()));
        if let Some(library) = &game.found.library {
            let at = cut_middle(&path(library), width.saturating_sub(12));
            lines.push((format!("library     {at}"), theme.text()));
        }
    }
    if let Some(goes) = goes_line(state, game, theme) {
        lines.push(goes);
    }
    lines.extend(data_lines(state, game, wide, theme));
    let troubles = trouble_lines(survey, game, theme);
    if !wide && lines.len() + troubles.len() > usize::from(area.height) {
        lines.remove(1);
    }
    lines.extend(troubles);
    for (y, (text, style)) in lines.iter().enumerate() {
        canvas.put_at(0, in_cells(y), text, *style, area);
    }
}

/// What there is to say of the drive in focus: how full it is, what its file system cannot hold, how fast it is.
pub(super) fn drive_lines(survey: &Survey, state: &DriveState) -> Vec<String> {
    let drive = &state.drive;
    let mut lines = vec![
        format!("{}: {} used of {}, {} kept free", line(&drive.name), state.used, drive.capacity, drive.reserve),
        format!("{} are games, {} kept originals", state.games, state.held),
    ];
    let able = &drive.abilities;
    let mut lacks: Vec<String> = Vec::new();
    for (has, word) in [(able.links, "links"), (able.hard_links, "hard links"), (able.permissions, "permissions")] {
        if !has {
            lacks.push(format!("no {word}"));
        }
    }
    lacks.extend(able.largest_file.map(|most| format!("no file over {most}")));
    if !able.forbidden.is_empty() {
        lacks.push(format!("no {} in names", able.forbidden));
    }
    if able.folds_case {
        lacks.push("no names that differ only in case".into());
    }
    let limits = match (lacks.is_empty(), able.known) {
        (true, true) => "it can store anything".into(),
        (true, false) => "unknown what it can't store".into(),
        (false, _) => lacks.join(", "),
    };
    lines.push(format!("{}: {limits}", line(&drive.file_system)));
    lines.push(match survey.speeds.probes.get(&drive.name) {
        Some(pace) => words::pace(&drive.name, pace),
        None => "its speed wasn't measured yet".into(),
    });
    lines.push(path(&drive.root));
    lines
}

fn records_line(game: &Game) -> String {
    let names = game.found.records.iter().map(|record| record.file.file_name());
    let mut files: Vec<String> =
        names.map(|name| name.map(|name| line(&name.to_string_lossy())).unwrap_or_default()).collect();
    files.dedup();
    let sound = if game.found.records.iter().all(|record| record.sound) { "all OK" } else { "WRONG" };
    format!("records     {}, {sound}: {}", game.found.records.len(), files.join(", "))
}

fn goes_line(state: &State, game: &Game, theme: Theme) -> Option<(String, Style)> {
    let Destination::Drive(name) = state.drives.layout.sent.get(&game.id)? else { return None };
    let load = state.haul.loads.iter().find(|load| load.drive == *name);
    let free = load.map_or(Bytes::ZERO, |load| load.capacity.less(load.withheld).less(load.peak));
    let (fits, style) = match load.and_then(Load::lacks) {
        Some(lacks) => (format!("lacks {lacks}"), theme.danger()),
        None => (format!("fits, {free} left"), theme.moving()),
    };
    let item = state.drafted.draft.items.iter().find(|item| item.game == game.id);
    let link = if item.is_some_and(|item| item.way == Some(Way::Link)) { ", a link stays" } else { "" };
    Some((format!("goes to     {name}   {fits}{link}"), style))
}

fn data_lines(state: &State, game: &Game, wide: bool, theme: Theme) -> Vec<(String, Style)> {
    let mut lines = Vec::new();
    // Where there is little room, only what is being dealt with.
    let is_shown = |data: &&UserData| {
        wide || state.drives.on_data || state.drafted.draft.items.iter().any(|item| item.game == data.id)
    };
    for data in state.data_here().into_iter().filter(is_shown) {
        let at = data.drive.as_deref().unwrap_or(words::NO_DRIVE);
        let behind = if data.link.is_some() { ", behind a link" } else { "" };
        let item = state.drafted.draft.items.iter().find(|item| item.game == data.id);
        let fault = data.fault.as_ref().map(|fault| format!("   {}", words::place_fault(fault)));
        let fault = fault.unwrap_or_default();
        let larger = if data.size.on_disk > game.size.on_disk { ", larger than the game" } else { "" };
        let size = data.size.on_disk;
        let text = format!("{:<11} {size} in {at}{behind}{larger}{fault}", words::data_kind(data.kind));
        let style = if state.drives.on_data { theme.cursor() } else { theme.text() };
        lines.push((text, style));
        if let Some(item) = item {
            let way = item.way.or_else(|| data.ways.first().copied()).map_or("", words::way_words);
            let to = match &item.to {
                Destination::Drive(name) => name.clone(),
                Destination::Library(place) => path(place),
            };
            lines.push((format!("  goes to   {to}, {way}"), theme.moving()));
        }
    }
    lines
}

fn trouble_lines(survey: &Survey, game: &Game, theme: Theme) -> Vec<(String, Style)> {
    let mut troubles = Vec::new();
    if let Some(fault) = game.fault() {
        troubles.push((format!("blocker     {}", words::place_fault(fault)), theme.danger()));
    }
    if let Some(reason) = &game.found.sealed {
        troubles.push((format!("locked      {}", line(reason)), theme.danger()));
    }
    if let Some(update) = game.update() {
        troubles.push((
            format!("warning     an update is half downloaded: {} of {}", update.have, update.want),
            theme.text(),
        ));
    }
    if survey.measured && game.claim_is_far() {
        troubles.push(("warning     the launcher's reported size is far from the true size".into(), theme.text()));
    }
    if survey.launcher(&game.launcher).is_some_and(|launcher| launcher.drift.is_some()) {
        troubles
            .push(("blocker     its launcher has changed since it was learned; see Records".into(), theme.danger()));
    }
    if let Some(process) = survey.launcher(&game.launcher).and_then(|launcher| launcher.running.first()) {
        troubles.push((format!("blocker     its launcher is running (process {})", process.pid), theme.danger()));
    }
    troubles
}
