//! The drives at each moment of a haul: left and right go along its steps.

use std::collections::HashMap;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::{Done, Load, Moment, Plan, Whereabouts};
use deft_barge_core::survey::{GameId, Survey};
use ratatui::layout::Rect;

use super::super::canvas::{Canvas, Hit};
use super::super::drive_bar::{Block, BlockKind, DriveBar};
use super::super::state::State;
use crate::present::{cut, in_cells, line, pad, words};

/// Cells left of the bars and of the slider.
const LABEL: u16 = 19;
/// Cells right of them.
const RIGHT: u16 = 34;

/// Draws the slider, and below it each of these drives, by its place among the plan's loads, as it is then.
pub(super) fn draw(state: &State, plan: &Plan, loads: &[(usize, &Load)], area: Rect, canvas: &mut Canvas<'_>) {
    let Some(survey) = &state.survey else { return };
    let moments = plan.moments();
    let at = state.haul.moment.min(moments.len() - 1);
    let then = plan.whereabouts(&moments[..=at]);
    draw_slider(plan, &moments, at, Rect { height: 1.min(area.height), ..area }, canvas);
    let largest = loads.iter().map(|(_, load)| load.capacity.count()).max().unwrap_or(1).max(1);
    let room = area.width.saturating_sub(LABEL + RIGHT + 2);
    for (n, (nth, load)) in loads.iter().enumerate() {
        let y = in_cells(n) + 1;
        if y >= area.height {
            return;
        }
        let place = Rect { y: area.y + y, height: 1, ..area };
        let width = (load.capacity.count() as f64 / largest as f64 * f64::from(room)).round().max(6.0) as u16;
        canvas.put_at(0, 0, &pad(&line(&load.drive), usize::from(LABEL) - 1), canvas.theme.text(), place);
        let bar =
            Rect { x: place.x + LABEL, width: width.saturating_add(2).min(area.width.saturating_sub(LABEL)), ..place };
        let used = moments[at].used.get(*nth).copied().unwrap_or(Bytes::ZERO);
        let blocks = blocks(plan, survey, load, used, &then);
        let reserve_at = load.most().count();
        DriveBar { blocks: &blocks, capacity: load.capacity.count(), reserve_at, width }.draw(bar, canvas);
        let over = used.minus(load.most()).filter(|over| over.count() > 0 && used > load.now);
        let (text, style) = match over {
            Some(over) => (format!("lacks {over}"), canvas.theme.danger()),
            None => (
                format!("{} free, {:.0}% used", load.capacity.less(used), used.part_of(load.capacity) * 100.0),
                canvas.theme.text(),
            ),
        };
        let x = LABEL + width + 4;
        canvas.put_at(x, 0, &cut(&text, usize::from(area.width.saturating_sub(x))), style, place);
    }
}

fn draw_slider(plan: &Plan, moments: &[Moment], at: usize, row: Rect, canvas: &mut Canvas<'_>) {
    /// Cells of the slider at most: a step is seen, and what it is stands beside it.
    const MOST: usize = 40;
    let theme = canvas.theme;
    let last = moments.len() - 1;
    canvas.put_at(0, 0, &pad(&format!("step {at} of {last}"), usize::from(LABEL) - 1), theme.text(), row);
    let cells = (last * 4 + 1).clamp(5, MOST).min(usize::from(row.width.saturating_sub(LABEL + RIGHT)).max(5));
    let cell = |nth: usize| (nth * (cells - 1)).checked_div(last).unwrap_or(0);
    canvas.put_at(LABEL, 0, "◀", if at > 0 { theme.text() } else { theme.faint() }, row);
    for n in 0..cells {
        let sign = if n == cell(at) { "●" } else { "─" };
        canvas.put_at(LABEL + 1 + in_cells(n), 0, sign, if n == cell(at) { theme.strong() } else { theme.dim() }, row);
    }
    canvas.put_at(LABEL + 1 + in_cells(cells), 0, "▶", if at < last { theme.text() } else { theme.faint() }, row);
    canvas.hit(Rect { x: row.x + LABEL, width: 1, ..row }, Hit::Moment(at.saturating_sub(1)));
    canvas.hit(Rect { x: row.x + LABEL + 1 + in_cells(cells), width: 1, ..row }, Hit::Moment((at + 1).min(last)));
    for n in 0..cells {
        let nearest = (0..=last).min_by_key(|nth| cell(*nth).abs_diff(n)).unwrap_or(0);
        canvas.hit(Rect { x: row.x + LABEL + 1 + in_cells(n), width: 1, ..row }, Hit::Moment(nearest));
    }
    let item = |n: usize| plan.items.get(n);
    let title = |n: usize| item(n).map(|item| line(&item.title)).unwrap_or_default();
    let text = match moments[at].done {
        Done::Nothing => "before the haul (← → go along its steps)".to_string(),
        Done::Copied(n) => words::arrives(&title(n), &item(n).map(|item| line(&item.to_drive)).unwrap_or_default()),
        Done::LetGo(n) => words::originals_go(&title(n)),
        Done::Released => "once you release the originals".into(),
    };
    let x = LABEL + in_cells(cells) + 4;
    canvas.put_at(x, 0, &cut(&text, usize::from(row.width.saturating_sub(x))), theme.text(), row);
}

/// What lies on a drive at a moment: other files, its games, and what has come; what is no longer its own leaves a gap at the end.
fn blocks<'a>(plan: &'a Plan, survey: &'a Survey, load: &Load, used: Bytes, then: &Whereabouts) -> Vec<Block<'a>> {
    let block = |kind, title: &'a str, bytes: u64| Block { kind, title, bytes, here: false, marked: false, hit: None };
    let leaving: HashMap<&GameId, usize> = plan.items.iter().enumerate().map(|(n, item)| (&item.game, n)).collect();
    let here = survey.games.iter().filter(|game| game.drive.as_ref() == Some(&load.drive));
    let mut games: Vec<Block<'a>> = here
        .filter_map(|game| {
            let launcher = survey.launchers.iter().position(|launcher| launcher.id == game.launcher).unwrap_or(0);
            let kind = match leaving.get(&game.id) {
                Some(n) if then.gone.contains(n) => return None,
                Some(_) => BlockKind::Leaving { launcher, to: None },
                None => BlockKind::Game { launcher },
            };
            Some(block(kind, game.found.title.as_str(), game.size.on_disk.count()))
        })
        .collect();
    games.sort_by_key(|block| std::cmp::Reverse(block.bytes));
    let come = then.there.iter().filter_map(|n| plan.items.get(*n)).filter(|item| item.to_drive == load.drive);
    games.extend(come.map(|item| block(BlockKind::Arriving, &item.title, item.size.on_disk.count())));
    let known: u64 = games.iter().map(|block| block.bytes).sum();
    let other = block(BlockKind::Other, "other", used.count().saturating_sub(known));
    std::iter::once(other).chain(games).collect()
}
