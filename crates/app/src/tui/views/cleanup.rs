//! Finds: what is lying around, and what may be done about it.

use deft_barge_core::bytes::Bytes;
use deft_barge_core::survey::{CleanupAct, FindKind};
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::canvas::{Canvas, Hit, first_shown};
use super::super::state::State;
use super::super::theme::Theme;
use crate::commands::{View, Wish};
use crate::present::{count, cut_middle, in_cells, line, pad, path, words};

/// One line of the list, and what is said of it below.
struct Row {
    word: &'static str,
    drive: String,
    size: String,
    path: String,
    says: String,
    acts: Vec<CleanupAct>,
}

fn rows(state: &State) -> Vec<Row> {
    let Some((find, anchors)) = &state.cleanup.finds else { return Vec::new() };
    let moved = anchors.iter().map(|anchor| Row {
        word: "moved drive",
        drive: anchor.drive.clone(),
        size: String::new(),
        path: path(&anchor.old),
        says: format!(
            "{} is in {} now; {} below {} {}",
            anchor.drive,
            path(&anchor.new),
            words::several(anchor.led, "record of a library or game points").replace("leads", "lead"),
            path(&anchor.old),
            if anchor.known { "(it was there before)" } else { "(its folders match what is missing)" }
        ),
        acts: vec![CleanupAct::Remap],
    });
    let find = find.iter().map(|find| Row {
        word: words::lying_word(&find.what),
        drive: find.drive.clone().unwrap_or_else(|| words::NO_DRIVE.into()),
        size: if find.size.files == 0 { String::new() } else { find.size.on_disk.to_string() },
        path: path(&find.path),
        says: words::find(&find.what),
        acts: find.acts.clone(),
    });
    moved.chain(find).collect()
}

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    if state.cleanup.finds.is_none() {
        let text = "Looking into folders beside games, in libraries, and near the top of drives ...";
        canvas.put_at(2, 1, text, theme.text(), area);
        canvas.put_at(2, 3, &state.work.passing, theme.dim(), area);
        return;
    }
    let rows = rows(state);
    if rows.is_empty() {
        canvas.put_at(2, 1, "Nothing to clean up.", theme.good(), area);
        return;
    }
    let below = 8.min(area.height / 2);
    // What is said of a find stands right below the list.
    let wanted = in_cells(rows.len()) + 1;
    let list = Rect { height: area.height.saturating_sub(below).min(wanted), ..area };
    let width = usize::from(area.width);
    // What can be done stands in the row itself where that leaves room for the path.
    let acts_width = if width >= 110 { 34 } else { 0 };
    let acts_title = if acts_width > 0 { pad("what fits", acts_width) } else { String::new() };
    let heading = format!("  {} {} {:>10}   {acts_title}{}", pad("what", 13), pad("drive", 10), "bytes", "where");
    canvas.put_at(0, 0, &heading, theme.dim(), list);
    let room = usize::from(list.height.saturating_sub(1)).max(1);
    let first = first_shown(state.cleanup.find, room, rows.len());
    for (n, row) in rows.iter().enumerate().skip(first).take(room) {
        let here = n == state.cleanup.find;
        let style = if here { theme.cursor() } else { theme.text() };
        let head = format!(
            "{} {} {} {:>10}   ",
            if here { "▸" } else { " " },
            pad(row.word, 13),
            pad(&line(&row.drive), 10),
            row.size
        );
        let acts = if acts_width > 0 { pad(&short_acts(state, row), acts_width) } else { String::new() };
        let text = format!("{head}{acts}{}", cut_middle(&row.path, width.saturating_sub(41 + acts_width)));
        let y = in_cells(n - first) + 1;
        canvas.put_at(0, y, &pad(&text, width), style, list);
        canvas.hit_row(y, list, Hit::Row(n));
    }
    if let Some(row) = rows.get(state.cleanup.find) {
        let detail = Rect { y: list.bottom() + 1, height: below.saturating_sub(1), ..area };
        draw_detail(state, row, detail, canvas);
    }
}

/// The acts that fit, by their keys and in a word each.
fn short_acts(state: &State, row: &Row) -> String {
    let named = row.acts.iter().map(|act| match act {
        CleanupAct::Haul => format!("1-9 {}", words::act_word(*act)),
        act => format!("{} {}", state.look.keys.name(Wish::Act(*act), View::Cleanup), words::act_word(*act)),
    });
    let acts: Vec<String> = named.collect();
    if acts.is_empty() { "nothing".into() } else { acts.join("  ") }
}

fn draw_detail(state: &State, row: &Row, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let mut y = canvas.put_wrapped(&sentence(&row.says), theme.strong(), area) + 1;
    let mut acts: Vec<(String, &str)> = Vec::new();
    let fits = row.acts.contains(&CleanupAct::Import);
    for act in row.acts.iter().filter(|act| !(fits && **act == CleanupAct::Haul)) {
        let (key, words) = match act {
            CleanupAct::Haul => ("1-9".to_string(), "move it to that drive, with all records that a trace finds"),
            act => (state.look.keys.name(Wish::Act(*act), View::Cleanup), words::find_act(*act)),
        };
        acts.push((key, words));
    }
    if fits {
        acts.push(("1-9".into(), "move it to that drive and import it there"));
        let launcher = state.find_here().and_then(|find| match &find.what {
            FindKind::Unlisted { fits: Some(fit), .. } => Some(fit.launcher.as_str()),
            _ => None,
        });
        if launcher.is_some_and(|launcher| state.has_guide(launcher)) {
            acts.push((state.look.keys.name(Wish::Guided, View::Cleanup), "import it with the launcher, step by step"));
        }
    }
    if acts.is_empty() {
        canvas.put_at(0, y, "Nothing to do about it here.", theme.dim(), area);
    }
    for (key, words) in acts {
        canvas.put_at(0, y, &key, theme.text(), area);
        canvas.put_at(4, y, words, theme.text(), area);
        y += 1;
    }
}

/// A sentence of words that have no subject.
fn sentence(words: &str) -> String {
    let words = line(words);
    let mut letters = words.chars();
    let first: String = letters.next().into_iter().flat_map(char::to_uppercase).collect();
    format!("{first}{}.", letters.as_str())
}

pub(crate) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let Some((find, anchors)) = &state.cleanup.finds else { return (String::new(), theme.text()) };
    let gives = |act: &CleanupAct| matches!(act, CleanupAct::Release | CleanupAct::Quarantine);
    let bytes: Bytes = find.iter().filter(|l| l.acts.iter().any(gives)).map(|l| l.size.on_disk).sum();
    let what = format!("{} found", count((find.len() + anchors.len()) as u64));
    if bytes == Bytes::ZERO {
        return (what, theme.text());
    }
    (format!("{what}; {bytes} could be freed. Everything is shown in the Haul view first."), theme.text())
}
