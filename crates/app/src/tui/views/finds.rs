//! Finds: what is lying about, and what may be done about it.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::Line;
use ratatui::widgets::{Paragraph, Widget, Wrap};

use deft_barge_core::bytes::Bytes;
use deft_barge_core::finds::FindAct;

use super::super::keys;
use super::super::state::State;
use super::super::theme::Theme;
use super::{put_at, several};
use crate::show::{count, cut_middle, line, pad, path};
use crate::wording;

/// One line of the list, and what is said of it below.
struct Row {
    word: &'static str,
    drive: String,
    size: String,
    path: String,
    says: String,
    acts: Vec<FindAct>,
}

fn rows(state: &State) -> Vec<Row> {
    let Some((lying, anchors)) = &state.finds else { return Vec::new() };
    let moved = anchors.iter().map(|anchor| Row {
        word: "moved drive",
        drive: anchor.drive.clone(),
        size: String::new(),
        path: path(&anchor.old),
        says: format!(
            "{} is in {} now; {} below {} {}",
            anchor.drive,
            path(&anchor.new),
            several(anchor.led, "record of a library or game leads").replace("leads", "lead"),
            path(&anchor.old),
            if anchor.known { "(it was there before)" } else { "(its folders fit what is missing)" }
        ),
        acts: vec![FindAct::Reanchor],
    });
    let lying = lying.iter().map(|lying| Row {
        word: wording::lying_word(&lying.what),
        drive: lying.drive.clone().unwrap_or_else(|| wording::NO_DRIVE.into()),
        size: if lying.size.files == 0 { String::new() } else { lying.size.on_disk.to_string() },
        path: path(&lying.path),
        says: wording::lying(&lying.what),
        acts: lying.acts.clone(),
    });
    moved.chain(lying).collect()
}

pub(super) fn draw(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    if state.finds.is_none() {
        return put_at(
            2,
            1,
            "Looking into folders beside games, in libraries, and near the top of drives ...",
            theme.text(),
            area,
            buffer,
        );
    }
    let rows = rows(state);
    if rows.is_empty() {
        return put_at(2, 1, "Nothing is lying about.", theme.good(), area, buffer);
    }
    let below = 8.min(area.height / 2);
    // What is said of a find stands right below the list.
    let wanted = rows.len() as u16 + 1;
    let list = Rect { height: area.height.saturating_sub(below).min(wanted), ..area };
    let width = usize::from(area.width);
    put_at(
        0,
        0,
        &format!("  {} {} {:>10}   {}", pad("what", 13), pad("drive", 10), "bytes", "where"),
        theme.dim(),
        list,
        buffer,
    );
    let room = usize::from(list.height.saturating_sub(1)).max(1);
    let first = (state.find + 1).saturating_sub(room);
    for (n, row) in rows.iter().enumerate().skip(first).take(room) {
        let here = n == state.find;
        let style = if here { theme.cursor() } else { theme.text() };
        let head = format!(
            "{} {} {} {:>10}   ",
            if here { "▸" } else { " " },
            pad(row.word, 13),
            pad(&line(&row.drive), 10),
            row.size
        );
        let text = format!("{head}{}", cut_middle(&row.path, width.saturating_sub(41)));
        put_at(0, (n - first) as u16 + 1, &pad(&text, width), style, list, buffer);
    }
    if let Some(row) = rows.get(state.find) {
        let detail = Rect { y: list.bottom() + 1, height: below.saturating_sub(1), ..area };
        let mut lines = vec![Line::styled(sentence(&row.says), theme.strong()), Line::default()];
        for act in &row.acts {
            let key = keys::KEYS.iter().find(|key| key.wish == keys::Wish::Act(*act)).map(|key| keys::name(key.code));
            lines.push(match key {
                Some(key) => Line::styled(format!("{key}   {}", wording::find_act(*act)), theme.text()),
                None => Line::styled(format!("    {}", wording::find_act(*act)), theme.dim()),
            });
        }
        if row.acts.is_empty() {
            lines.push(Line::styled("Nothing here needs to be done about it.", theme.dim()));
        }
        Paragraph::new(lines).wrap(Wrap { trim: false }).render(detail, buffer);
    }
}

/// A sentence of words that have no subject.
fn sentence(words: &str) -> String {
    let words = line(words);
    let mut letters = words.chars();
    let first: String = letters.next().into_iter().flat_map(char::to_uppercase).collect();
    format!("{first}{}.", letters.as_str())
}

pub(super) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let Some((lying, anchors)) = &state.finds else { return (String::new(), theme.text()) };
    let gives = |act: &FindAct| matches!(act, FindAct::LetGo | FindAct::SetAside);
    let bytes: Bytes = lying.iter().filter(|l| l.acts.iter().any(gives)).map(|l| l.size.on_disk).sum();
    let what = format!("{} lying about", count((lying.len() + anchors.len()) as u64));
    if bytes == Bytes::ZERO {
        return (what, theme.text());
    }
    (format!("{what}; {bytes} could come back. Every act is looked at in the Haul view first."), theme.text())
}
