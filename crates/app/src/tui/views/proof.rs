//! Proof: is it the same, and would anything be downloaded. Five figures that should be zero; below them the files.

use std::path::Path;

use deft_barge_core::haul::{BlockState, Closer};
use deft_barge_core::item::{Difference, DifferenceKind, Proof};
use deft_barge_core::journal::ItemRow;
use ratatui::layout::Rect;
use ratatui::style::Style;

use super::super::canvas::{Canvas, Hit, first_shown};
use super::super::state::State;
use super::super::theme::Theme;
use crate::commands::{View, Wish};
use crate::present::{count, cut_middle, in_cells, line, pad, path, words};
use crate::tui::model::{LongTask, Standing, TreeRow};

/// Figures of five rows of half cells, drawn by us: three columns each.
const FIGURES: [[&str; 3]; 10] = [
    ["█▀█", "█ █", "▀▀▀"],
    ["▀█ ", " █ ", "▀▀▀"],
    ["▀▀█", "█▀▀", "▀▀▀"],
    ["▀▀█", " ▀█", "▀▀▀"],
    ["█ █", "▀▀█", "  ▀"],
    ["█▀▀", "▀▀█", "▀▀▀"],
    ["█▀▀", "█▀█", "▀▀▀"],
    ["▀▀█", "  █", "  ▀"],
    ["█▀█", "█▀█", "▀▀▀"],
    ["█▀█", "▀▀█", "▀▀▀"],
];

/// The word for places that lead to the old folder still.
const POINTING: &str = "still point back";

/// A figure in large, and what stands behind it in small.
fn large(figure: &str) -> [String; 3] {
    let mut rows = [String::new(), String::new(), String::new()];
    for c in figure.chars() {
        let cells = c.to_digit(10).map_or(["   ", " ? ", "   "], |digit| FIGURES[digit as usize]);
        for (row, cells) in rows.iter_mut().zip(cells) {
            row.push_str(cells);
            row.push(' ');
        }
    }
    rows
}

/// The totals that should be zero: figure, what is small behind it, its word, whether it is as it should be.
fn totals(proof: &Proof) -> [(String, String, &'static str, bool); 5] {
    let none = proof.to_download.is_none_or(|bytes| bytes.count() == 0);
    let (figure, unit) = match proof.to_download {
        None => ("?".to_string(), String::new()),
        Some(bytes) => {
            let text = bytes.to_string();
            let (figure, unit) = text.split_once(' ').unwrap_or((text.as_str(), ""));
            (figure.split('.').next().unwrap_or(figure).to_string(), unit.to_string())
        }
    };
    let plain = |n: u64| if n > 9999 { "9999".to_string() } else { n.to_string() };
    let pointing = proof.residue.as_ref().map_or("?".into(), |residue| plain(residue.places));
    [
        (plain(proof.differ), String::new(), "differ", proof.differ == 0),
        (plain(proof.missing), String::new(), "missing", proof.missing == 0),
        (plain(proof.extra), String::new(), "extra", proof.extra == 0),
        (figure, unit, "to download", none),
        (pointing, String::new(), POINTING, proof.residue.as_ref().is_none_or(|residue| residue.places == 0)),
    ]
}

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let (Some(item), Some(proof)) = (state.item_proved(), state.proof_here()) else {
        let text =
            "No proofs yet. A haul ends with a proof: each byte read back, and what its launcher would download.";
        canvas.put_wrapped(
            text,
            theme.text(),
            Rect { x: area.x + 2, y: area.y + 1, width: area.width.saturating_sub(4), ..area },
        );
        return;
    };
    let items = state.items_proved().len();
    let which = if items > 1 { format!("   item {} of {items}", state.proofs.item + 1) } else { String::new() };
    let haul = state.proofs.haul.map_or_else(String::new, |haul| format!("haul {haul}{which}"));
    canvas.put_at(0, 0, &line(&item.planned.title), theme.strong(), area);
    canvas.put_right(&haul, theme.dim(), Rect { height: 1, ..area });
    canvas.put_at(0, 1, &cut_middle(&path(item.planned.place()), usize::from(area.width)), theme.dim(), area);
    draw_large(proof, Rect { y: area.y + 3, height: area.height.saturating_sub(3).min(4), ..area }, canvas);
    let below = Rect { y: area.y + 8, height: area.height.saturating_sub(8), ..area };
    canvas.put_at(0, 0, &verdict(proof), if proof.holds() { theme.good() } else { theme.danger() }, below);
    draw_residue(proof, Rect { y: below.y + 1, height: 1, ..below }, canvas);
    let rest = Rect { y: below.y + 3, height: below.height.saturating_sub(3), ..below };
    let wide = rest.width >= 110;
    let tree = if wide { Rect { width: rest.width / 2, ..rest } } else { rest };
    if !wide && (state.proofs.closer.is_some() || state.proofs.looking.is_some()) {
        return draw_side(state, item, rest, canvas);
    }
    draw_tree(state, tree, canvas);
    if wide {
        let side = Rect { x: tree.right() + 3, width: rest.width.saturating_sub(tree.width + 3), ..rest };
        draw_side(state, item, side, canvas);
    }
}

/// What still points to the old folder is no difference, and harms nothing as long as the originals are kept.
fn style_of(word: &str, zero: bool, theme: Theme) -> Style {
    match (zero, word) {
        (true, _) => theme.good(),
        (false, POINTING) => theme.strong(),
        _ => theme.danger(),
    }
}

fn draw_large(proof: &Proof, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let each = (area.width / 5).clamp(15, 30);
    for (n, (figure, unit, word, zero)) in totals(proof).iter().enumerate() {
        let style = style_of(word, *zero, theme);
        let x = in_cells(n) * each;
        let rows = large(figure);
        for (y, row) in rows.iter().enumerate() {
            canvas.put_at(x, in_cells(y), row, style, area);
        }
        canvas.put_at(x + in_cells(figure.chars().count()) * 4, 2, unit, style, area);
        canvas.put_at(x, 3, word, style, area);
    }
}

/// What still points to the old folder, in one row.
fn draw_residue(proof: &Proof, row: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let Some(residue) = &proof.residue else { return };
    let apart = residue.left.len() + residue.unclear.len();
    let text = match (residue.places, apart) {
        (0, 0) => return,
        (0, apart) => format!(
            "{} the old folder and {} left as before.",
            words::plural(apart, "file mentions", "files mention"),
            if apart == 1 { "is" } else { "are" }
        ),
        _ => words::residue(residue),
    };
    let style = if residue.places == 0 { theme.dim() } else { theme.strong() };
    canvas.put_at(0, 0, &cut_middle(&text, usize::from(row.width)), style, row);
}

fn verdict(proof: &Proof) -> String {
    let how = if proof.read { "every byte was read back" } else { "by names and sizes" };
    let records = if proof.records_lead_here { "its records point here" } else { "ITS RECORDS POINT ELSEWHERE" };
    let files = format!("{}, {}", words::several(proof.files, "file"), proof.bytes);
    let verdict = if proof.holds() { "It is the same" } else { "It is NOT the same" };
    let updated = if proof.updated > 0 {
        format!("; {} updated since by its launcher", count(proof.updated))
    } else {
        String::new()
    };
    format!("{verdict}: {files}; {how}; {records}{updated}.")
}

fn word(standing: Standing) -> &'static str {
    match standing {
        Standing::Same => "same",
        Standing::Differs => "DIFFERS",
        Standing::Missing => "MISSING",
        Standing::Extra => "extra",
        Standing::WouldDownload => "DOWNLOAD",
        Standing::NotCompared => "not read",
    }
}

fn draw_tree(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let proofs = &state.proofs;
    if let Some(fault) = &proofs.fault {
        canvas.put_wrapped(fault, theme.danger(), area);
        return;
    }
    if proofs.files.is_none() {
        canvas.put_at(0, 0, "Listing its files ...", theme.dim(), area);
        return;
    }
    if proofs.rows.is_empty() {
        canvas.put_at(0, 0, "No checksums: none of its files was copied.", theme.dim(), area);
        return;
    }
    let name_width = usize::from(area.width).saturating_sub(24);
    let heading = format!("  {}{:>11} {:>9}", pad("files", name_width), "bytes", "");
    canvas.put_at(0, 0, &heading, theme.dim(), area);
    let rows = usize::from(area.height.saturating_sub(1));
    let first = first_shown(proofs.cursor, rows, proofs.rows.len());
    for (n, row) in proofs.rows.iter().enumerate().skip(first).take(rows) {
        let y = in_cells(n - first) + 1;
        let here = n == proofs.cursor;
        let style = if here { theme.cursor() } else { theme.text() };
        canvas.fill(y, style, area);
        let name = row.path.file_name().map(|name| line(&name.to_string_lossy())).unwrap_or_default();
        let sign = match (row.folder, row.open) {
            (true, true) => "▾ ",
            (true, false) => "▸ ",
            (false, _) => "  ",
        };
        let inside = if row.folder { format!("/  {}", words::several(row.files, "file")) } else { String::new() };
        let text = format!("{}{sign}{name}{inside}", "  ".repeat(row.depth));
        let size = deft_barge_core::bytes::Bytes::new(row.size);
        canvas.put_at(0, y, &format!("  {}{size:>11}", pad(&text, name_width)), style, area);
        let (standing, bad) = standing_of(row);
        let tint = if bad { theme.danger().fg } else { theme.good().fg };
        canvas.put_at(in_cells(name_width) + 14, y, &standing, Style { fg: tint, ..style }, area);
        canvas.hit_row(y, area, Hit::Row(n));
    }
}

fn standing_of(row: &TreeRow) -> (String, bool) {
    if row.folder && row.bad > 0 {
        return (format!("{} not", count(row.bad)), true);
    }
    let bad = matches!(row.standing, Standing::Differs | Standing::Missing | Standing::WouldDownload);
    (word(row.standing).into(), bad)
}

/// What is beside the tree: the file that was looked at closer, or else the differences.
fn draw_side(state: &State, item: &ItemRow, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    if let Some(closer) = &state.proofs.closer {
        // A record that was rewritten and is damaged as well is told by the proof, which knows what the repoint made of it.
        let differs = state.proof_here().is_some_and(|proof| {
            let is_it = |difference: &Difference| Path::new(&difference.path) == closer.path;
            proof.differences.iter().any(|difference| is_it(difference) && difference.kind != DifferenceKind::Extra)
        });
        return draw_closer(closer, closer.record && !differs, area, canvas);
    }
    if let Some(looking) = &state.proofs.looking {
        canvas.put_at(0, 0, &format!("Reading {} ...", path(looking)), theme.text(), area);
        return;
    }
    let Some(proof) = state.proof_here() else { return };
    let key = |wish| state.look.keys.name(wish, View::Proof);
    let mut y = 0;
    for difference in proof.differences.iter().take(usize::from(area.height.saturating_sub(6))) {
        let kind = match difference.kind {
            DifferenceKind::Differs => "differs",
            DifferenceKind::Missing => "missing",
            DifferenceKind::Extra => "extra",
            DifferenceKind::WouldDownload => "download",
            DifferenceKind::Beside => "metadata",
        };
        let from = difference.from.map_or_else(String::new, |from| format!(" from byte {from}"));
        let style = if difference.kind == DifferenceKind::Extra { theme.dim() } else { theme.danger() };
        canvas.put_at(0, y, &format!("{kind:9} {}{from}", line(&difference.path)), style, area);
        y += 1;
    }
    y += u16::from(y > 0);
    canvas.put_at(0, y, "next", theme.dim(), area);
    for text in next_steps(state, proof) {
        canvas.put_at(6, y, &text, theme.text(), area);
        y += 1;
    }
    y += 1;
    let closer = format!("{} opens a folder, or looks at a file's blocks and bytes.", key(Wish::Open));
    let stands =
        if item.holds_originals() { String::new() } else { format!("The game is {}.", words::stage_word(&item.stage)) };
    for text in [stands, closer].iter().filter(|text| !text.is_empty()) {
        canvas.put_at(0, y, text, theme.dim(), area);
        y += 1;
    }
    y += 1;
    let rest = Rect { y: area.y + y.min(area.height), height: area.height.saturating_sub(y), ..area };
    super::blocks::draw(state, proof, rest, canvas);
}

/// What to do next, in the order in which a person would; what cannot be done is not offered.
fn next_steps(state: &State, proof: &Proof) -> Vec<String> {
    let key = |wish| state.look.keys.name(wish, View::Proof);
    let play = format!("{} launches it from its new place", key(Wish::Launch));
    let held = state.to_release().map(|haul| {
        let kept = haul.items.iter().filter(|item| item.holds_originals());
        kept.map(|item| item.planned.size.on_disk).sum::<deft_barge_core::bytes::Bytes>()
    });
    let release = held.map_or_else(String::new, |held| {
        format!("{} releases the {held} of originals that this haul keeps", key(Wish::Release))
    });
    let undo = format!("{} undoes the haul", key(Wish::Undo));
    let repair = format!("{} repairs what differs from another copy", key(Wish::Repair));
    let steps = if proof.holds() {
        vec![(play, true), (release, held.is_some()), (undo, state.to_undo().is_some())]
    } else {
        vec![(repair, true), (undo, state.to_undo().is_some())]
    };
    steps.into_iter().filter(|(_, can)| *can).map(|(text, _)| text).collect()
}

fn draw_closer(closer: &Closer, rewritten: bool, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    canvas.put_at(0, 0, &cut_middle(&path(&closer.path), usize::from(area.width)), theme.strong(), area);
    let bad = closer.blocks.iter().filter(|state| matches!(state, BlockState::Differs | BlockState::Missing)).count();
    let what = match (bad, rewritten) {
        (0, _) => "each block has its original's hash".to_string(),
        (_, true) => "it is a record file, updated by this haul".into(),
        (n, false) => format!("{} not the same", words::plural(n, "is", "are")),
    };
    let blocks = words::several(closer.blocks.len(), "block");
    canvas.put_at(0, 1, &format!("{blocks} of 4.2 MB; {what}"), theme.text(), area);
    let width = usize::from(area.width.max(1));
    let rows = usize::from(area.height.saturating_sub(4) / 2).max(1);
    let mut y = 3;
    for (n, part) in closer.blocks.chunks(width).take(rows).enumerate() {
        for (x, state) in part.iter().enumerate() {
            let (sign, style) = match state {
                BlockState::Same => ("▪", theme.good()),
                BlockState::Differs => ("✕", theme.danger()),
                BlockState::Missing => ("?", theme.danger()),
                BlockState::Unknown => ("·", theme.dim()),
            };
            canvas.put_at(in_cells(x), 3 + in_cells(n), sign, style, area);
        }
        y = 4 + in_cells(n);
    }
    y += 1;
    if let Some(original) = &closer.original {
        let text = format!("beside the kept original {}", path(original));
        canvas.put_at(0, y, &cut_middle(&text, width), theme.dim(), area);
        canvas.put_at(0, y + 1, &format!("{:>14}  {:>8}  {:>8}", "byte", "original", "copy"), theme.dim(), area);
        y += 2;
        let byte = |byte: Option<u8>| byte.map_or("end".to_string(), |byte| format!("{byte:02x}"));
        for difference in &closer.bytes {
            let offset = count(difference.offset);
            let text =
                format!("{}  {:>8}  {:>8}", right(&offset, 14), byte(difference.original), byte(difference.copy));
            canvas.put_at(0, y, &text, theme.danger(), area);
            y += 1;
        }
    } else if bad > 0 && !rewritten {
        canvas.put_at(0, y, "No kept original to compare its bytes with.", theme.dim(), area);
    }
}

/// A text at the right end of so many cells; a thin space is one of them.
fn right(text: &str, cells: usize) -> String {
    format!("{}{text}", " ".repeat(cells.saturating_sub(crate::present::width(text))))
}

/// The totals in a row, and what stands behind them; gives the rows that they took.
pub(crate) fn small_zeros(proof: &Proof, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    let download = proof.to_download.map_or("?".to_string(), |bytes| bytes.to_string());
    let pointing = proof.residue.as_ref().map_or("?".to_string(), |residue| count(residue.places));
    let figures = [count(proof.differ), count(proof.missing), count(proof.extra), download, pointing];
    let mut x = 2;
    for ((.., word, zero), figure) in totals(proof).iter().zip(figures) {
        let text = format!("{figure} {word}");
        canvas.put_at(x, 0, &text, style_of(word, *zero, theme), area);
        x += in_cells(text.chars().count()) + 3;
    }
    let how = if proof.read { "every byte was read back" } else { "by names and sizes" };
    let records = if proof.records_lead_here { "its records point here" } else { "ITS RECORDS POINT ELSEWHERE" };
    let text = format!("{}, {}: {how}; {records}", words::several(proof.files, "file"), proof.bytes);
    canvas.put_at(2, 1, &text, if proof.records_lead_here { theme.dim() } else { theme.danger() }, area);
    let bad = proof.differences.iter().filter(|difference| difference.kind != DifferenceKind::Extra).count();
    if bad > 0 {
        canvas.put_at(2, 2, &format!("{} in the Proof view", words::several(bad, "difference")), theme.danger(), area);
        return 3;
    }
    2
}

pub(crate) fn summary(state: &State, theme: Theme) -> (String, Style) {
    if let Some(LongTask::Verify(_)) = state.running.work {
        let progress = state.running.items.iter().filter_map(|row| row.progress.as_ref()).next_back();
        let how = progress.map_or_else(String::new, |progress| {
            format!("{}: {} of {}", progress.title, progress.compare.done, progress.compare.all)
        });
        return (format!("Reading every byte again. {how}"), theme.text());
    }
    let text = match state.proof_here() {
        Some(proof) if proof.holds() => match &proof.residue {
            Some(residue) if residue.places == 0 => "All should be zero. New files are listed, but aren't differences.",
            Some(_) => "Change what still points to the old folder by hand, where it matters.",
            None => "A haul's end searches for what points to the old folder; verify searches again.",
        },
        Some(_) => "Repair what differs from another copy, or undo the haul in the Log.",
        None => "",
    };
    (text.into(), theme.text())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_figure_is_three_rows_of_the_same_width() {
        for digit in 0..10 {
            let rows = large(&digit.to_string());
            assert!(rows.iter().all(|row| row.chars().count() == 4), "{digit}: {rows:?}");
        }
        assert_eq!(large("10")[0].chars().count(), 8);
    }

    #[test]
    fn bytes_to_download_are_said_with_their_unit() {
        let proof = Proof { to_download: Some(deft_barge_core::bytes::Bytes::new(12_300_000)), ..Proof::default() };
        let [.., (figure, unit, _, zero), _] = totals(&proof);
        assert_eq!((figure.as_str(), unit.as_str(), zero), ("12", "MB", false));
    }
}
