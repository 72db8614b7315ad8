//! Drives: what lies where, and what fits where.

mod detail;
mod list;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::{Destination, Load};
use deft_barge_core::survey::{DriveState, Fit, Game, Survey};
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::canvas::{Canvas, Hit, first_shown};
use super::super::drive_bar::{Block, BlockKind, DriveBar};
use super::super::state::State;
use super::super::theme::Theme;
use crate::commands::{View, Wish};
use crate::present::{cut, in_cells, line, pad, words};
use crate::tui::model::Scale;
use detail::{draw_detail, drive_lines};
use list::draw_list;

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let Some(survey) = &state.survey else {
        canvas.put_at(2, 1, "Looking at drives and launchers ...", theme.text(), area);
        return;
    };
    if survey.drives.is_empty() {
        canvas.put_at(2, 1, "No drives found.", theme.text(), area);
        return;
    }
    let bars = draw_drive_bars(state, survey, area, canvas);
    let rest = Rect { y: area.y + bars + 1, height: area.height.saturating_sub(bars + 1), ..area };
    if rest.height > 0 {
        let wide = rest.width >= 120;
        let list = Rect { width: if wide { rest.width * 3 / 5 } else { rest.width }, ..rest };
        let list = Rect { height: if wide { list.height } else { list.height.saturating_sub(4) }, ..list };
        let detail = if wide {
            Rect { x: list.right() + 2, width: rest.width.saturating_sub(list.width + 2), ..rest }
        } else {
            Rect { y: list.bottom(), height: 4.min(rest.height), ..rest }
        };
        draw_list(state, survey, list, canvas);
        draw_detail(state, survey, detail, wide, canvas);
        if let (true, Some(drive)) = (wide && detail.height >= 16, survey.drives.get(state.drives.drive)) {
            let lines = drive_lines(survey, drive);
            let foot = Rect { y: detail.bottom() - 1 - in_cells(lines.len()), height: in_cells(lines.len()), ..detail };
            for (y, text) in lines.iter().enumerate() {
                canvas.put_at(0, in_cells(y), text, theme.dim(), foot);
            }
        }
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
    /// Cells left of the bars.
    fn gutter(self) -> u16 {
        match self {
            Self::Tall => 22,
            Self::Flat => 27,
        }
    }

    fn rows(self) -> u16 {
        match self {
            Self::Tall => 5,
            Self::Flat => 2,
        }
    }
}

fn draw_drive_bars(state: &State, survey: &Survey, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    let scaled = |capacity: u64| match state.drives.layout.scale {
        Scale::Linear => capacity as f64,
        Scale::Root => (capacity as f64).sqrt(),
    };
    let largest = survey.drives.iter().map(|d| scaled(d.drive.capacity.count())).fold(1.0, f64::max);
    let count = survey.drives.len();
    // Games that are away have a row of their own behind the drives.
    let away = state.drives.layout.holds.get(count).map_or(0, Vec::len);
    let height = if in_cells(count) * 5 + 14 <= area.height { Height::Tall } else { Height::Flat };
    let room = area.width.saturating_sub(height.gutter() + 2);
    let mut y = 0;
    // The list below keeps at least six rows; with many drives the one in focus stays in sight.
    let most = area.height.saturating_sub(10 + u16::from(away > 0)).max(4);
    let shown = usize::from((most / height.rows()).max(1)).min(count);
    let first = first_shown(state.drives.drive.min(count - 1), shown, count);
    for (n, drive) in survey.drives.iter().enumerate().skip(first).take(shown) {
        let width = (scaled(drive.drive.capacity.count()) / largest * f64::from(room)).round().max(8.0) as u16;
        let load = state.haul.loads.iter().find(|load| load.drive == drive.drive.name);
        let row = Row { state, survey, drive, n, load, theme, width, focus: n == state.drives.drive };
        let place = Rect { y: area.y + y, height: height.rows().min(area.height.saturating_sub(y)), ..area };
        canvas.hit(place, Hit::Drive(n));
        row.draw(place, height, canvas);
        y += height.rows();
    }
    if away > 0 {
        let style = if state.drives.drive == count { theme.strong() } else { theme.text() };
        let badge = if state.drives.drive == count { theme.badge() } else { theme.tag() };
        canvas.put_at(0, y, " - ", badge, area);
        canvas.put_at(
            4,
            y,
            &format!("offline   {} on drives that aren't connected", words::several(away, "game")),
            style,
            area,
        );
        canvas.hit_row(y, area, Hit::Drive(count));
        y += 1;
    }
    if shown < count {
        let text = format!(
            "{} to {} of {count} drives ({})",
            first + 1,
            first + shown,
            state.look.keys.name(Wish::NextPart, View::Drives)
        );
        canvas.put_at(4, y, &text, theme.dim(), area);
        y += 1;
    }
    y
}

struct Row<'a> {
    state: &'a State,
    survey: &'a Survey,
    drive: &'a DriveState,
    n: usize,
    load: Option<&'a Load>,
    theme: Theme,
    width: u16,
    focus: bool,
}

impl<'a> Row<'a> {
    fn draw(&self, area: Rect, height: Height, canvas: &mut Canvas<'_>) {
        let theme = self.theme;
        let drive = &self.drive.drive;
        let tag = drive.tag.map_or("-".to_string(), |tag| tag.to_string());
        let dragged_here = self.state.drives.dragged.is_some_and(|(_, over)| over == Some(self.n));
        let badge = match (dragged_here, self.focus) {
            (true, _) => theme.arriving(),
            (false, true) => theme.badge(),
            (false, false) => theme.tag(),
        };
        let name_style = if self.focus { theme.strong() } else { theme.text() };
        canvas.put_at(0, 0, &format!(" {tag} "), badge, area);
        canvas.put_at(4, 0, &pad(&line(&drive.name), 16), name_style, area);
        let read_only = if drive.read_only { " ro" } else { "" };
        let absent = if drive.absent { "not there yet · " } else { "" };
        let kind = format!("{absent}{} · {}{read_only}", words::drive_kind(drive.kind), drive.file_system);
        let free = format!("{} free", self.drive.free);
        let gutter = height.gutter();
        let now = Rect { x: area.x + gutter, width: area.width.saturating_sub(gutter), ..area };
        let changes = self.load.is_some_and(|load| load.after != load.now || load.peak != load.now);
        match height {
            Height::Tall => {
                canvas.put_at(4, 1, &kind, theme.dim(), area);
                canvas.put_at(4, 2, &free, theme.text(), area);
                canvas.put_at(4, 3, &format!("of {}", drive.capacity), theme.dim(), area);
                self.bar(&self.cargo_now(), Rect { height: 2, ..now }, canvas);
                if changes {
                    canvas.put_at(gutter + 1, 2, &self.after_caption(), self.after_style(), area);
                    self.bar(&self.cargo_after(), Rect { y: now.y + 3, height: 1, ..now }, canvas);
                } else if let Some((text, style)) = self.would_fit() {
                    canvas.put_at(gutter + 1, 2, &text, style, area);
                }
            }
            Height::Flat => {
                canvas.put_at(12, 0, &format!(" {free:>13}"), theme.dim(), area);
                self.bar(&self.cargo_now(), Rect { height: 1, ..now }, canvas);
                if changes {
                    canvas.put_at(4, 1, &pad(&self.after_caption(), 17), self.after_style(), area);
                    self.bar(&self.cargo_after(), Rect { y: now.y + 1, height: 1, ..now }, canvas);
                } else {
                    canvas.put_at(4, 1, &cut(&format!("{kind} · {}", drive.capacity), 22), theme.dim(), area);
                }
            }
        }
    }

    /// How the game under the cursor would fit on this drive, if it is on another one and nothing else is planned.
    fn would_fit(&self) -> Option<(String, Style)> {
        let (game, drive) = (self.state.game_here()?, &self.drive.drive);
        if game.drive.as_ref() == Some(&drive.name) || drive.absent || !self.survey.measured {
            return None;
        }
        let room = match self.load {
            Some(load) => load.capacity.less(load.withheld).less(load.peak),
            None => self.drive.free.less(drive.reserve),
        };
        let fit = self.drive.fit(game, room);
        let style = if matches!(fit, Fit::Room(_)) { self.theme.dim() } else { self.theme.text() };
        Some((words::fit(fit, &line(&game.found.title), &line(&drive.file_system)), style))
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

    fn bar(&self, blocks: &[Block<'_>], area: Rect, canvas: &mut Canvas<'_>) {
        let drive = &self.drive.drive;
        let capacity = drive.capacity.count();
        let reserve_at = drive.capacity.less(drive.reserve).count();
        DriveBar { blocks, capacity, reserve_at, width: self.width }.draw(area, canvas);
    }

    fn launcher(&self, game: &Game) -> usize {
        self.survey.launchers.iter().position(|launcher| launcher.id == game.launcher).unwrap_or(0)
    }

    fn block(&self, kind: BlockKind, title: &'a str, bytes: Bytes, hit: Option<Hit>) -> Block<'a> {
        Block { kind, title, bytes: bytes.count(), here: false, marked: false, hit }
    }

    fn other(&self) -> Block<'a> {
        let bytes = self.drive.used.less(self.drive.games).less(self.drive.held);
        self.block(BlockKind::Other, "other", bytes, Some(Hit::Other(self.n)))
    }

    fn held(&self) -> impl Iterator<Item = Block<'a>> {
        let name = Some(&self.drive.drive.name);
        let held = self.survey.held.iter().enumerate().filter(move |(_, held)| held.drive.as_ref() == name);
        held.map(|(n, held)| self.block(BlockKind::Held, &held.title, held.bytes, Some(Hit::Held(n))))
    }

    /// Games that lie here, by their place in the survey, largest first.
    fn games(&self) -> impl Iterator<Item = (usize, &'a Game)> {
        let hold = self.state.drives.layout.holds.get(self.n).map_or(&[][..], Vec::as_slice);
        hold.iter().map(|n| (*n, &self.survey.games[*n]))
    }

    fn cargo_now(&self) -> Vec<Block<'a>> {
        let here = self.state.drives.layout.list.get(self.state.drives.layout.cursor).copied().filter(|_| self.focus);
        let games = self.games().map(|(n, game)| {
            let launcher = self.launcher(game);
            let kind = match self.state.drives.layout.sent.get(&game.id) {
                Some(to) => BlockKind::Leaving { launcher, to: self.leaves_for(to) },
                None => BlockKind::Game { launcher },
            };
            let block = self.block(kind, &game.found.title, game.size.on_disk, Some(Hit::Game(n)));
            Block { here: here == Some(n), marked: self.state.drives.layout.marks.contains(&game.id), ..block }
        });
        [self.other()].into_iter().chain(games).chain(self.held()).collect()
    }

    /// The digit of the drive that a destination lies on.
    fn leaves_for(&self, to: &Destination) -> Option<u8> {
        match to {
            Destination::Drive(name) => self.survey.drive(name).and_then(|state| state.drive.tag),
            Destination::Library(_) => None,
        }
    }

    fn cargo_after(&self) -> Vec<Block<'a>> {
        let stays = self.games().filter(|(_, game)| !self.state.drives.layout.sent.contains_key(&game.id));
        let staying = stays.map(|(n, game)| {
            let kind = BlockKind::Game { launcher: self.launcher(game) };
            self.block(kind, &game.found.title, game.size.on_disk, Some(Hit::Game(n)))
        });
        let comes = self.state.drives.layout.coming.iter().filter(|coming| coming.drive == Some(self.n));
        let arriving = comes.map(|coming| self.block(BlockKind::Arriving, &coming.title, coming.bytes, None));
        [self.other()].into_iter().chain(staying).chain(self.held()).chain(arriving).collect()
    }
}

pub(crate) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let Some(survey) = &state.survey else { return (String::new(), theme.text()) };
    if !survey.measured {
        let (done, of) = state.work.measured;
        return (
            format!("Measuring games: {done} of {of}. Until then, sizes are those that launchers report."),
            theme.text(),
        );
    }
    if state.drafted.draft.items.is_empty() {
        return (idle_summary(state, survey), theme.text());
    }
    let bytes: Bytes = state.drives.layout.coming.iter().map(|coming| coming.bytes).sum();
    let peak = state
        .haul
        .loads
        .iter()
        .filter(|load| load.peak > load.now)
        .max_by(|a, b| a.peak.part_of(a.capacity).total_cmp(&b.peak.part_of(b.capacity)));
    let peak = peak.map_or_else(String::new, |load| {
        format!("   {} peaks at {:.0}%", load.drive, load.peak.part_of(load.capacity) * 100.0)
    });
    let lacks =
        state.haul.loads.iter().find_map(|load| load.lacks().map(|lacks| format!("   {} lacks {lacks}", load.drive)));
    let style = if lacks.is_some() { theme.danger() } else { theme.moving() };
    let has_data = state.drafted.draft.items.iter().any(|item| survey.data(&item.game).is_some());
    let items = words::several(state.drafted.draft.items.len(), if has_data { "item" } else { "game" });
    (format!("{items} on this haul, {bytes}{peak}{}", lacks.unwrap_or_default()), style)
}

fn idle_summary(state: &State, survey: &Survey) -> String {
    let held: Bytes = survey.held.iter().map(|held| held.bytes).sum();
    if held > Bytes::ZERO {
        let key = state.look.keys.name(Wish::Show(View::Log), View::Drives);
        return format!("{held} of originals are kept; release them in the Log ({key}).");
    }
    if let Some(launcher) = survey.launchers.iter().find(|launcher| launcher.drift.is_some()) {
        let key = state.look.keys.name(Wish::Show(View::Records), View::Drives);
        return format!("{} has changed since it was learned; see Records ({key}).", line(&launcher.name));
    }
    let problems =
        survey.problems.len() + survey.launchers.iter().map(|launcher| launcher.problems.len()).sum::<usize>();
    if problems > 0 {
        let key = state.look.keys.name(Wish::Show(View::Records), View::Drives);
        return format!("Couldn't read {}; see Records ({key}).", words::several(problems, "file"));
    }
    if survey.launchers.is_empty() {
        return "No launchers known here yet.".into();
    }
    "Nothing on the haul yet. Press a drive's number to send the game under the cursor there.".into()
}
