//! The first look where no launcher is known: what was looked for and where, and what can be done about it.

use ratatui::layout::Rect;

use super::super::canvas::{Canvas, Hit, first_shown};
use super::super::state::State;
use crate::commands::{View, Wish};
use crate::present::{cut_middle, in_cells, path, words};

/// Folders that are offered.
const MOST: usize = 8;

/// Rows below the folders: what can be done, and a blank one.
const ACTS: u16 = 6;

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let Some(survey) = &state.survey else { return };
    canvas.put_at(0, 0, "No launchers known on this machine yet.", theme.strong(), area);
    let wide = usize::from(area.width);
    let profiles = if state.first.profiles.is_empty() { "no profiles" } else { "none of these profiles fits" };
    let folder = cut_middle(&path(&state.first.profile_folder), wide.saturating_sub(40));
    canvas.put_at(0, 2, &format!("looked for    profiles in {folder}: {profiles}"), theme.text(), area);
    let mut y = 3;
    for profile in state.first.profiles.iter().take(4) {
        canvas.put_at(14, y, profile, theme.dim(), area);
        y += 1;
    }
    let roots: Vec<String> = survey.drives.iter().map(|state| path(&state.drive.root)).collect();
    let text = format!("looked on     {}: {}", words::several(roots.len(), "drive"), roots.join(", "));
    canvas.put_at(0, y, &cut_middle(&text, wide), theme.text(), area);
    y += 2;
    y = draw_folders(state, Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area }, canvas) + y + 1;
    let keys = |wish, view| state.look.keys.name(wish, view);
    let demo = if keys(Wish::Demo, View::Drives).is_empty() {
        format!("{} demo", keys(Wish::Palette, View::Drives))
    } else {
        keys(Wish::Demo, View::Drives)
    };
    let acts = [
        (
            keys(Wish::Learn, View::Records),
            Wish::Learn,
            "learn the launchers of this machine from the games that are installed",
        ),
        (
            keys(Wish::Watch, View::Records),
            Wish::Watch,
            "learn from what a launcher changes while you install or move a small game with it",
        ),
        (
            keys(Wish::Trace, View::Cleanup),
            Wish::Trace,
            "trace this folder: find every place where its path is written down",
        ),
        (demo, Wish::Demo, "make the demo world and try everything in it"),
        (keys(Wish::Help, View::Drives), Wish::Help, "all keys"),
    ];
    for (key, wish, words) in acts {
        canvas.put_at(0, y, &format!("{key:>6}"), theme.strong(), area);
        canvas.put_at(8, y, words, theme.text(), area);
        canvas.hit_row(y, area, Hit::Wish(wish));
        y += 1;
    }
}

/// The folders that look like games, the one under the cursor marked; gives the rows that they took.
fn draw_folders(state: &State, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    let Some((find, _)) = &state.cleanup.finds else {
        canvas.put_at(0, 0, "Looking for folders that look like games ...", theme.text(), area);
        return 1;
    };
    if find.is_empty() {
        canvas.put_at(0, 0, "No folders on the drives look like games.", theme.text(), area);
        return 1;
    }
    canvas.put_at(0, 0, "These folders look like games, the largest first:", theme.text(), area);
    let most = usize::from(area.height.saturating_sub(ACTS + 1)).clamp(2, MOST);
    let first = first_shown(state.cleanup.find, most, find.len());
    for (n, folder) in find.iter().enumerate().skip(first).take(most) {
        let here = n == state.cleanup.find;
        let style = if here { theme.cursor() } else { theme.text() };
        let y = in_cells(n - first) + 1;
        canvas.fill(y, style, area);
        let text = format!("{} {:>10}   {}", if here { "▸" } else { " " }, folder.size.on_disk, path(&folder.path));
        canvas.put_at(0, y, &cut_middle(&text, usize::from(area.width)), style, area);
        canvas.hit_row(y, area, Hit::Row(n));
    }
    in_cells(find.len().min(most)) + 1
}
