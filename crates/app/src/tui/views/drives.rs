//! Drives: what lies where, and what fits where.

use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::{Destination, Load};
use deft_barge_core::survey::{DriveState, Game, Survey, UserData};
use jiff::Timestamp;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::hull::{Block, Cargo, Hull};
use super::super::state::{State, largest_first};
use super::super::theme::Theme;
use super::{put_at, several};
use crate::show::{count, cut_middle, line, pad};
use crate::wording;

pub(super) fn draw(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(survey) = &state.survey else {
        put_at(2, 1, "Looking at drives and launchers ...", theme.text(), area, buffer);
        let (done, of) = state.measured;
        if of > 0 {
            put_at(
                2,
                3,
                &format!("{} of {} games measured", count(done as u64), count(of as u64)),
                theme.dim(),
                area,
                buffer,
            );
        }
        return;
    };
    if survey.drives.is_empty() {
        put_at(2, 1, "No drive was found that games could lie on.", theme.text(), area, buffer);
        return;
    }
    let hulls = draw_hulls(state, survey, theme, area, buffer);
    let rest = Rect { y: area.y + hulls + 1, height: area.height.saturating_sub(hulls + 1), ..area };
    if rest.height > 0 {
        let wide = rest.width >= 120;
        let list = Rect { width: if wide { rest.width * 3 / 5 } else { rest.width }, ..rest };
        let list = Rect { height: if wide { list.height } else { list.height.saturating_sub(4) }, ..list };
        let detail = if wide {
            Rect { x: list.right() + 2, width: rest.width.saturating_sub(list.width + 2), ..rest }
        } else {
            Rect { y: list.bottom(), height: 4.min(rest.height), ..rest }
        };
        draw_list(state, survey, theme, list, buffer);
        draw_detail(state, survey, theme, detail, wide, buffer);
    }
}

/// Rows that each drive takes, by how much room there is.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Height {
    /// Two rows, a caption, the row after the haul, a blank one.
    Tall,
    /// One row, and one after the haul if it changes.
    Flat,
}

impl Height {
    /// Cells left of the hulls.
    fn gutter(self) -> u16 {
        match self {
            Self::Tall => 22,
            Self::Flat => 27,
        }
    }
}

fn draw_hulls(state: &State, survey: &Survey, theme: Theme, area: Rect, buffer: &mut Buffer) -> u16 {
    let largest = survey.drives.iter().map(|d| d.drive.capacity.count()).max().unwrap_or(1);
    let count = survey.drives.len() as u16;
    let height = if count * 5 + 14 <= area.height { Height::Tall } else { Height::Flat };
    let room = area.width.saturating_sub(height.gutter() + 2);
    let mut y = 0;
    // The list below keeps at least six rows; with many drives the one in focus stays in sight.
    let most = area.height.saturating_sub(10).max(4);
    let each = if height == Height::Tall { 5 } else { 2 };
    let shown = usize::from((most / each).max(1));
    let first = (state.drive + 1).saturating_sub(shown);
    for (n, drive) in survey.drives.iter().enumerate().skip(first) {
        if y + each > most + 1 {
            break;
        }
        let width = (drive.drive.capacity.count() as f64 / largest as f64 * f64::from(room)).round().max(8.0) as u16;
        let load = state.loads.iter().find(|load| load.drive == drive.drive.name);
        let row = Row { state, survey, drive, load, theme, width, focus: n == state.drive };
        y += row.draw(Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area }, height, buffer);
    }
    let hidden = survey.drives.len().saturating_sub(shown);
    if hidden > 0 {
        put_at(0, y, &format!("and {} (tab)", several(hidden, "more drive")), theme.dim(), area, buffer);
        y += 1;
    }
    y
}

struct Row<'a> {
    state: &'a State,
    survey: &'a Survey,
    drive: &'a DriveState,
    load: Option<&'a Load>,
    theme: Theme,
    width: u16,
    focus: bool,
}

impl Row<'_> {
    fn draw(&self, area: Rect, height: Height, buffer: &mut Buffer) -> u16 {
        let theme = self.theme;
        let drive = &self.drive.drive;
        let tag = drive.tag.map_or("-".to_string(), |tag| tag.to_string());
        let badge = if self.focus { theme.badge() } else { theme.cursor() };
        let name_style = if self.focus { theme.strong() } else { theme.text() };
        put_at(0, 0, &format!(" {tag} "), badge, area, buffer);
        put_at(4, 0, &pad(&line(&drive.name), 16), name_style, area, buffer);
        let read_only = if drive.read_only { " ro" } else { "" };
        let kind = format!("{} · {}{read_only}", wording::drive_kind(drive.kind), drive.file_system);
        let free = format!("{} free", self.drive.free);
        let gutter = height.gutter();
        let now = Rect { x: area.x + gutter, width: area.width.saturating_sub(gutter), ..area };
        let changes = self.load.is_some_and(|load| load.after != load.now || load.peak != load.now);
        match height {
            Height::Tall => {
                put_at(4, 1, &kind, theme.dim(), area, buffer);
                put_at(4, 2, &free, theme.text(), area, buffer);
                self.hull(&self.cargo_now()).draw(Rect { height: 2, ..now }, buffer);
                if changes {
                    put_at(gutter + 1, 2, &self.after_caption(), self.after_style(), area, buffer);
                    self.hull(&self.cargo_after()).draw(Rect { y: now.y + 3, height: 1, ..now }, buffer);
                }
                5
            }
            Height::Flat => {
                put_at(12, 0, &format!(" {free:>13}"), theme.dim(), area, buffer);
                self.hull(&self.cargo_now()).draw(Rect { height: 1, ..now }, buffer);
                if changes {
                    put_at(4, 1, &pad(&self.after_caption(), 17), self.after_style(), area, buffer);
                    self.hull(&self.cargo_after()).draw(Rect { y: now.y + 1, height: 1, ..now }, buffer);
                } else {
                    put_at(4, 1, &kind, theme.dim(), area, buffer);
                }
                2
            }
        }
    }

    fn after_caption(&self) -> String {
        match self.load.and_then(Load::lacks) {
            Some(lacks) => format!("lacks {lacks}"),
            None => "after this haul".into(),
        }
    }

    fn after_style(&self) -> Style {
        if self.load.and_then(Load::lacks).is_some() { self.theme.danger() } else { self.theme.dim() }
    }

    fn hull<'b>(&self, blocks: &'b [Block]) -> Hull<'b> {
        let drive = &self.drive.drive;
        let capacity = drive.capacity.count();
        let reserve_at = drive.capacity.less(drive.reserve).count();
        Hull { blocks, capacity, reserve_at, width: self.width, theme: self.theme }
    }

    fn launcher(&self, game: &Game) -> usize {
        self.survey.launchers.iter().position(|launcher| launcher.id == game.launcher).unwrap_or(0)
    }

    fn other(&self) -> Block {
        let bytes = self.drive.used.less(self.drive.games).less(self.drive.held).count();
        Block { cargo: Cargo::Other, title: "other".into(), bytes, here: false }
    }

    fn held(&self) -> Vec<Block> {
        let name = Some(&self.drive.drive.name);
        let held = self.survey.held.iter().filter(|held| held.drive.as_ref() == name);
        held.map(|held| Block { cargo: Cargo::Held, title: line(&held.title), bytes: held.bytes.count(), here: false })
            .collect()
    }

    fn is_here(&self, game: &Game) -> bool {
        self.state.game_here().is_some_and(|here| here.id == game.id)
    }

    fn cargo_now(&self) -> Vec<Block> {
        let name = Some(&self.drive.drive.name);
        let block = |game: &Game| {
            let launcher = self.launcher(game);
            let cargo = match self.state.draft.destination(&game.id) {
                Some(to) => Cargo::Leaving { launcher, to: self.leaves_for(to) },
                None => Cargo::Game { launcher },
            };
            Block { cargo, title: line(&game.found.title), bytes: game.size.on_disk.count(), here: self.is_here(game) }
        };
        let games = largest_first(self.survey.games.iter().filter(|game| game.drive.as_ref() == name));
        let games = games.into_iter().map(block);
        [self.other()].into_iter().chain(games).chain(self.held()).collect()
    }

    /// The digit of the drive that a destination lies on.
    fn leaves_for(&self, to: &Destination) -> Option<u8> {
        match to {
            Destination::Drive(name) => self.survey.drive(name).and_then(|state| state.drive.tag),
            Destination::Library(_) => None,
        }
    }

    fn cargo_after(&self) -> Vec<Block> {
        let name = &self.drive.drive.name;
        let goes_here =
            |game: &&Game| self.state.draft.destination(&game.id) == Some(&Destination::Drive(name.clone()));
        let stays =
            |game: &&Game| game.drive.as_ref() == Some(name) && self.state.draft.destination(&game.id).is_none();
        let block = |game: &Game, cargo| Block {
            cargo,
            title: line(&game.found.title),
            bytes: game.size.on_disk.count(),
            here: false,
        };
        let staying = largest_first(self.survey.games.iter().filter(stays))
            .into_iter()
            .map(|game| block(game, Cargo::Game { launcher: self.launcher(game) }));
        let arriving = self.survey.games.iter().filter(goes_here).map(|game| block(game, Cargo::Arriving));
        [self.other()].into_iter().chain(staying).chain(self.held()).chain(arriving).collect()
    }
}

fn draw_list(state: &State, survey: &Survey, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(drive) = survey.drives.get(state.drive) else { return };
    let games = state.games_here();
    let wide = area.width >= 70;
    let title_width = usize::from(area.width).saturating_sub(if wide { 60 } else { 32 }).max(12);
    let heading = format!(
        "      {} {}{:>10} {:>9}",
        pad(&format!("on {}", line(&drive.drive.name)), title_width),
        if wide { pad("launcher", 12) } else { String::new() },
        "on disk",
        "files",
    );
    put_at(0, 0, &heading, theme.dim(), area, buffer);
    if wide {
        put_at(title_width as u16 + 43, 0, "last run", theme.dim(), area, buffer);
    }
    if games.is_empty() {
        let tag = drive.drive.tag.map_or("-".to_string(), |tag| tag.to_string());
        let text = format!("No game lies here. On another drive, {tag} sends the game under the cursor here.");
        put_at(6, 2, &text, theme.text(), area, buffer);
        return;
    }
    let rows = usize::from(area.height.saturating_sub(1));
    let first = (state.game + 1).saturating_sub(rows);
    for (n, game) in games.iter().enumerate().skip(first).take(rows) {
        let y = (n - first) as u16 + 1;
        let to = state.draft.destination(&game.id).map(|to| match to {
            Destination::Drive(name) => {
                survey.drive(name).and_then(|d| d.drive.tag).map_or("→ -".into(), |tag| format!("→ {tag}"))
            }
            Destination::Library(_) => "→ -".to_string(),
        });
        let here = n == state.game;
        let style = if here { theme.cursor() } else { theme.text() };
        if here {
            put_at(0, y, &" ".repeat(usize::from(area.width)), style, area, buffer);
        }
        let mark = if here { "▸" } else { " " };
        put_at(0, y, mark, style, area, buffer);
        if let Some(to) = to {
            let moving = Style { fg: theme.moving().fg, ..style };
            put_at(2, y, &to, moving, area, buffer);
        }
        let launcher = survey.launcher(&game.launcher).map_or("", |launcher| launcher.name.as_str());
        let text = format!(
            "{} {}{:>10} {:>9}",
            pad(&line(&game.found.title), title_width),
            if wide { pad(&line(launcher), 12) } else { String::new() },
            game.size.on_disk,
            count(game.size.files)
        );
        put_at(6, y, &text, style, area, buffer);
        if wide {
            let last = game.found.last_run.map_or("not known".into(), |then| ago(then, survey.made));
            put_at(title_width as u16 + 43, y, &last, style, area, buffer);
        }
        if let Some(sign) = trouble(game) {
            let colour = if sign == "■" { theme.danger().fg } else { style.fg };
            put_at(area.width.saturating_sub(1), y, sign, Style { fg: colour, ..style }, area, buffer);
        }
    }
}

/// A sign for a game that has a stop or a caution of its own.
fn trouble(game: &Game) -> Option<&'static str> {
    if game.fault().is_some() || game.found.sealed.is_some() {
        return Some("■");
    }
    (game.update().is_some() || game.claim_is_far()).then_some("!")
}

/// How long ago, in the largest unit that says something.
fn ago(then: Timestamp, now: Timestamp) -> String {
    let seconds = now.duration_since(then).as_secs().max(0);
    match seconds {
        0..=5399 => format!("{} min ago", seconds / 60),
        5400..=129_599 => format!("{} h ago", (seconds + 1800) / 3600),
        129_600..=5_183_999 => format!("{} days ago", (seconds + 43_200) / 86_400),
        _ => format!("{} months ago", (seconds + 1_296_000) / 2_592_000),
    }
}

fn draw_detail(state: &State, survey: &Survey, theme: Theme, area: Rect, wide: bool, buffer: &mut Buffer) {
    let Some(game) = state.game_here() else { return };
    let width = usize::from(area.width);
    let mut lines: Vec<(String, Style)> = vec![
        (line(&game.found.title), theme.strong()),
        (cut_middle(&crate::show::path(&game.found.install), width), theme.dim()),
    ];
    if wide {
        lines.push((String::new(), theme.text()));
    }
    let size = format!("{} on disk, {} to read", game.size.on_disk, game.size.apparent);
    let files = format!("{size}, in {} files", count(game.size.files));
    lines.push((files, theme.text()));
    if let (true, Some(claim)) = (wide, game.found.claim) {
        lines.push((format!("claim       its launcher says {claim}"), theme.text()));
    }
    let mut files: Vec<String> = game
        .found
        .records
        .iter()
        .map(|record| record.file.file_name().map(|name| line(&name.to_string_lossy())).unwrap_or_default())
        .collect();
    files.dedup();
    if wide {
        let sound = if game.found.records.iter().all(|record| record.sound) { "sound" } else { "not sound" };
        lines.push((format!("records     {}, {sound}: {}", game.found.records.len(), files.join(", ")), theme.text()));
        if let Some(library) = &game.found.library {
            lines.push((
                format!("library     {}", cut_middle(&crate::show::path(library), width.saturating_sub(12))),
                theme.text(),
            ));
        }
    }
    if let Some(Destination::Drive(name)) = state.draft.destination(&game.id) {
        let load = state.loads.iter().find(|load| load.drive == *name);
        let free = load.map_or(Bytes::ZERO, |load| load.capacity.less(load.withheld).less(load.peak));
        let (fits, style) = match load.and_then(Load::lacks) {
            Some(lacks) => (format!("lacks {lacks}"), theme.danger()),
            None => (format!("fits, {free} left"), theme.moving()),
        };
        lines.push((format!("goes to     {name}   {fits}"), style));
    }
    // Where there is little room, only what is being dealt with.
    let is_shown = |data: &&UserData| wide || state.on_data || state.draft.lots.iter().any(|lot| lot.game == data.id);
    for data in state.data_here().into_iter().filter(is_shown) {
        let at = data.drive.as_deref().unwrap_or(wording::NO_DRIVE);
        let behind = if data.link.is_some() { ", behind a link" } else { "" };
        let lot = state.draft.lots.iter().find(|lot| lot.game == data.id);
        let fault = data.fault.as_ref().map(|fault| format!("   {}", wording::place_fault(fault)));
        let fault = fault.unwrap_or_default();
        let larger = if data.size.on_disk > game.size.on_disk { ", larger than the game" } else { "" };
        let size = data.size.on_disk;
        let text = format!("{:<11} {size} in {at}{behind}{larger}{fault}", wording::data_kind(data.kind));
        let style = if state.on_data { theme.cursor() } else { theme.text() };
        lines.push((text, style));
        if let Some(lot) = lot {
            let way = lot.way.or_else(|| data.ways.first().copied()).map_or("", wording::way_words);
            let to = match &lot.to {
                Destination::Drive(name) => name.clone(),
                Destination::Library(path) => crate::show::path(path),
            };
            lines.push((format!("  goes to   {to}, {way}"), theme.moving()));
        }
    }
    let mut troubles = Vec::new();
    if let Some(fault) = game.fault() {
        troubles.push((format!("stop        {}", wording::place_fault(fault)), theme.danger()));
    }
    if let Some(reason) = &game.found.sealed {
        troubles.push((format!("sealed      {}", line(reason)), theme.danger()));
    }
    if let Some(update) = game.update() {
        troubles.push((format!("caution     an update is waiting: {} of {}", update.have, update.want), theme.text()));
    }
    if game.claim_is_far() {
        troubles.push(("caution     the launcher's claim is far from the true size".into(), theme.text()));
    }
    if let Some(process) = survey.launcher(&game.launcher).and_then(|launcher| launcher.running.first()) {
        troubles.push((format!("stop        its launcher is running (process {})", process.pid), theme.danger()));
    }
    if !wide && lines.len() + troubles.len() > usize::from(area.height) {
        lines.remove(1);
    }
    lines.extend(troubles);
    for (y, (text, style)) in lines.iter().enumerate() {
        put_at(0, y as u16, text, *style, area, buffer);
    }
}

pub(super) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let Some(survey) = &state.survey else { return (String::new(), theme.text()) };
    if state.draft.lots.is_empty() {
        let held: Bytes = survey.held.iter().map(|held| held.bytes).sum();
        if held > Bytes::ZERO {
            return (format!("{held} of originals are held; let go of them in the Running view with l"), theme.text());
        }
        let problems =
            survey.problems.len() + survey.launchers.iter().map(|launcher| launcher.problems.len()).sum::<usize>();
        if problems > 0 {
            return (
                format!("{} could not be read; see: deft-barge survey", several(problems, "file")),
                theme.danger(),
            );
        }
        if survey.launchers.is_empty() {
            return (
                "No launcher is known here: no profile in the profile folder fits. Try: deft-barge demo".into(),
                theme.text(),
            );
        }
        return (
            "Nothing is on the haul yet: a drive's digit sends the game under the cursor there.".into(),
            theme.text(),
        );
    }
    let bytes: Bytes =
        state.draft.lots.iter().filter_map(|lot| survey.cargo(&lot.game, lot.way)).map(|game| game.size.on_disk).sum();
    let peak = state
        .loads
        .iter()
        .filter(|load| load.peak > load.now)
        .max_by(|a, b| a.peak.part_of(a.capacity).total_cmp(&b.peak.part_of(b.capacity)));
    let peak = peak.map_or_else(String::new, |load| {
        format!("   {} peaks at {:.0} %", load.drive, load.peak.part_of(load.capacity) * 100.0)
    });
    let lacks =
        state.loads.iter().find_map(|load| load.lacks().map(|lacks| format!("   {} lacks {lacks}", load.drive)));
    let style = if lacks.is_some() { theme.danger() } else { theme.moving() };
    (
        format!(
            "{} on this haul, {bytes}{peak}{}",
            several(
                state.draft.lots.len(),
                if state.draft.lots.iter().any(|lot| survey.data(&lot.game).is_some()) { "lot" } else { "game" }
            ),
            lacks.unwrap_or_default()
        ),
        style,
    )
}
