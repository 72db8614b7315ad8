//! Haul: what exactly will happen. Nothing touches a disk before the haul was looked at here and started by its own key.

use std::time::Duration;

use deft_barge_core::item::{Finding, PlannedItem, Policy, Preview, PreviewKind, Severity, Strategy, Trial};
use deft_barge_core::plan::{Load, Plan};
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};

use super::super::canvas::{Canvas, Hit, curve, first_shown};
use super::super::state::State;
use super::super::theme::Theme;
use crate::commands::{View, Wish};
use crate::present::{count, cut, cut_middle, in_cells, line, pad, path, words};
use crate::tui::model::Of;

pub(crate) fn draw(state: &State, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let Some(plan) = &state.haul.plan else {
        let text = if state.drafted.draft.items.is_empty() && state.haul.act.is_none() {
            "Nothing on this haul. In Drives, a drive's number sends the game under the cursor there."
        } else if state.over.chooser.as_ref().is_some_and(|chooser| chooser.of == Of::Places) {
            "Planned again once the list is closed."
        } else {
            "Reading records and checking drives ..."
        };
        canvas.put_at(2, 1, text, theme.text(), area);
        canvas.put_at(2, 3, &state.work.passing, theme.dim(), area);
        return;
    };
    let below = |y: u16| Rect { y: area.y + y.min(area.height), height: area.height.saturating_sub(y), ..area };
    let mut y = 0;
    // Where there is room, what happens when is drawn before it is listed.
    if area.height >= 30 && !plan.timing.whole.high.is_zero() {
        y += draw_order(state, plan, area, canvas) + 1;
    }
    if moves(plan) {
        y += draw_promise(state, plan, below(y), canvas) + 1;
    }
    let items = in_cells(plan.items.len()).min(area.height / 4);
    y += draw_items(state, plan, items, below(y), canvas) + 1;
    y += draw_findings(state, plan, below(y), canvas) + 1;
    let loads: Vec<(usize, &Load)> =
        plan.loads.iter().enumerate().filter(|(_, load)| load.peak != load.now || load.after != load.now).collect();
    // The drives at the moment that is chosen; where there is room behind the records, also how full they are over the whole haul.
    let slider = if loads.is_empty() { 0 } else { in_cells(loads.len()) + 1 };
    let gap = u16::from(!loads.is_empty());
    let told = plan.items.get(state.haul.item).map_or(0, |item| {
        // More changes than rows have no room anyhow.
        let previews = item.previews.iter().skip(state.haul.change).take(usize::from(area.height));
        in_cells(
            previews.map(|preview| preview_lines(preview, canvas.theme, usize::from(area.width)).len()).sum::<usize>(),
        ) + 2
    });
    let curves = in_cells(loads.len());
    let curves = if y + told + slider + gap + curves < area.height { curves } else { 0 };
    let gap = if curves > 0 { gap } else { 0 };
    let loads_height = (slider + gap + curves).min(area.height.saturating_sub(y));
    if let Some(item) = plan.items.get(state.haul.item) {
        let records = Rect { height: below(y).height.saturating_sub(loads_height + 1), ..below(y) };
        draw_records(item, state.haul.change, records, canvas);
    }
    let bottom = Rect { y: area.bottom() - loads_height, height: loads_height, ..area };
    super::moments::draw(state, plan, &loads, Rect { height: slider.min(bottom.height), ..bottom }, canvas);
    for (n, (at, load)) in loads.into_iter().enumerate().take(usize::from(curves)) {
        let place = Rect { y: bottom.y + slider + gap + in_cells(n), height: 1, ..bottom };
        if place.bottom() <= area.bottom() {
            draw_load(plan, at, load, place, canvas);
        }
    }
}

/// Whether a plan moves games, and does nothing else with them.
fn moves(plan: &Plan) -> bool {
    let moved = |item: &PlannedItem| matches!(item.mode, Strategy::Copy | Strategy::Rename | Strategy::TakeBack);
    !plan.items.is_empty() && plan.items.iter().all(moved)
}

/// What goes for good, what is kept, what is written and what is asked, a line each; gives the rows that they took.
fn draw_promise(state: &State, plan: &Plan, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    const LABEL: u16 = 20;
    let theme = canvas.theme;
    let all = promises(state, plan, theme);
    // In a small window the findings need the room more.
    if area.height < 24 {
        let half = area.width / 2;
        for (n, (label, (figure, _, style))) in all.iter().enumerate() {
            let (x, y) = (half * (in_cells(n) % 2), in_cells(n) / 2);
            canvas.put_at(x, y, label, theme.dim(), area);
            canvas.put_at(x + LABEL, y, figure, *style, area);
        }
        return 2;
    }
    for (y, (label, (figure, text, style))) in all.iter().enumerate() {
        let y = in_cells(y);
        canvas.put_at(0, y, label, theme.dim(), area);
        canvas.put_at(LABEL, y, figure, *style, area);
        let room = usize::from(area.width.saturating_sub(LABEL + 14));
        canvas.put_at(LABEL + 14, y, &cut(text, room), theme.dim(), area);
    }
    in_cells(all.len())
}

/// What a haul will do to what is one's own: each with its figure, its words and how it is drawn.
fn promises(state: &State, plan: &Plan, theme: Theme) -> [(&'static str, (String, String, Style)); 4] {
    let goes = |item: &&PlannedItem| plan.deletes(item);
    let copied = || plan.items.iter().filter(|item| item.mode == Strategy::Copy);
    let (gone, kept): (Vec<&PlannedItem>, Vec<&PlannedItem>) = copied().partition(goes);
    let bytes = |items: &[&PlannedItem]| {
        items.iter().map(|item| item.size.on_disk).sum::<deft_barge_core::bytes::Bytes>().to_string()
    };
    let titles = |items: &[&PlannedItem]| {
        let some: Vec<String> = items.iter().take(3).map(|item| line(&item.title)).collect();
        let more = items.len().saturating_sub(some.len());
        if more > 0 { format!("{} and {more} more", some.join(", ")) } else { some.join(", ") }
    };
    let records: usize = plan.items.iter().map(|item| item.previews.len()).sum();
    let mut files: Vec<&std::path::Path> = plan.items.iter().flat_map(PlannedItem::record_files).collect();
    files.sort_unstable();
    files.dedup();
    let of = |severity| plan.findings.iter().filter(|finding| finding.severity == severity).count();
    let (blockers, warnings) = (of(Severity::Blocker), of(Severity::Warning));
    let asked = match (blockers, warnings) {
        (0, 0) => ("nothing".to_string(), String::new(), theme.dim()),
        (0, _) if state.haul.accepted => (words::several(warnings, "warning"), "accepted".into(), theme.dim()),
        (0, _) => (
            words::several(warnings, "warning"),
            format!("read below; {} accepts", state.look.keys.name(Wish::Accept, View::Haul)),
            theme.strong(),
        ),
        _ => (words::several(blockers, "blocker"), "below: it can't start yet".into(), theme.danger()),
    };
    let deleted = if gone.is_empty() {
        ("nothing".to_string(), String::new(), theme.dim())
    } else {
        (bytes(&gone), format!("originals of {}, once proved", titles(&gone)), theme.danger())
    };
    let held = if kept.is_empty() {
        ("nothing".to_string(), String::new(), theme.dim())
    } else {
        (bytes(&kept), format!("originals of {}, until you release them", titles(&kept)), theme.text())
    };
    let written = (
        words::several(records, "record"),
        format!("in {}, undone with the haul", words::several(files.len(), "file")),
        theme.text(),
    );
    [("deleted for good", deleted), ("kept", held), ("written", written), ("asked of you", asked)]
}

/// A row per pair of drives on one axis of time; gives the rows that it took.
fn draw_order(state: &State, plan: &Plan, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    const LABEL: u16 = 24;
    const RIGHT: u16 = 20;
    let theme = canvas.theme;
    let width = area.width.saturating_sub(LABEL + RIGHT);
    let whole = plan.ends();
    let cell = |at: Duration| (at.as_secs_f64() / whole.as_secs_f64().max(1e-9) * f64::from(width)).round() as u16;
    canvas.put_at(0, 0, "order", theme.dim(), area);
    canvas.put_at(LABEL, 0, "0", theme.dim(), area);
    let moment = |quarter: u16| words::about(whole * u32::from(quarter) / 4).trim_start_matches("about ").to_string();
    for quarter in 1..=4_u16 {
        // A moment that reads like the one behind it says nothing.
        if quarter == 4 || moment(quarter) != moment(quarter + 1) {
            let (text, at) = (moment(quarter), LABEL + width * quarter / 4);
            canvas.put_at(at.saturating_sub(in_cells(crate::present::width(&text))), 0, &text, theme.dim(), area);
        }
    }
    let mut pairs: Vec<(&str, &str)> = Vec::new();
    for item in plan.items.iter().filter(|item| item.mode == Strategy::Copy) {
        let pair = (item.from_drive.as_deref().unwrap_or(words::NO_DRIVE), item.to_drive.as_str());
        if !pairs.contains(&pair) {
            pairs.push(pair);
        }
    }
    let most = usize::from(area.height / 5).max(2);
    for (n, (from, to)) in pairs.iter().take(most).enumerate() {
        let y = in_cells(n) + 1;
        canvas.put_at(0, y, &pad(&line(&format!("{from} > {to}")), usize::from(LABEL) - 1), theme.text(), area);
        for cell in 0..width {
            canvas.put_at(LABEL + cell, y, "·", theme.faint(), area);
        }
        let (mut items, mut bytes) = (0, deft_barge_core::bytes::Bytes::ZERO);
        for (at, item) in plan.items.iter().enumerate() {
            let own = (item.from_drive.as_deref().unwrap_or(words::NO_DRIVE), item.to_drive.as_str());
            let (true, Some(time)) = (own == (*from, *to) && item.mode == Strategy::Copy, plan.timing.items.get(at))
            else {
                continue;
            };
            items += 1;
            bytes = bytes.plus(item.size.on_disk);
            let (start, end) = (cell(time.begins), cell(time.ends).max(cell(time.begins) + 1).min(width));
            let room = usize::from(end.saturating_sub(start));
            let style = if at == state.haul.item { theme.arriving() } else { theme.cursor() };
            let text = format!("▏{}", cut(&line(&item.title), room.saturating_sub(2)));
            let place = Rect { x: area.x + LABEL + start, y: area.y + y, width: in_cells(room), height: 1 };
            canvas.put(&pad(&text, room), style, place);
            canvas.hit(place, Hit::Row(at));
        }
        let text = format!("{}  {bytes:>9}", words::several(items, "item"));
        canvas.put_right(&text, theme.dim(), Rect { y: area.y + y, height: 1, ..area });
    }
    in_cells(pairs.len().min(most)) + 1
}

fn draw_items(state: &State, plan: &Plan, rows: u16, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    let theme = canvas.theme;
    let title = usize::from(area.width).saturating_sub(56).clamp(16, 44);
    let heading = format!("  {} {:>10} {:>9}   {}", pad("items, in this order", title), "bytes", "files", "way");
    canvas.put_at(0, 0, &heading, theme.dim(), area);
    let first = first_shown(state.haul.item, usize::from(rows), plan.items.len());
    let ways = words::drives_of_each(plan.items.iter());
    for (n, (item, way)) in plan.items.iter().zip(&ways).enumerate().skip(first).take(usize::from(rows)) {
        let here = n == state.haul.item;
        let style = if here { theme.cursor() } else { theme.text() };
        let text = format!(
            "{} {} {:>10} {:>9}   {way}   {}",
            if here { "▸" } else { " " },
            pad(&line(&item.title), title),
            item.size.on_disk,
            count(item.size.files),
            line(&turn(plan, n))
        );
        let y = in_cells(n - first) + 1;
        canvas.put_at(0, y, &pad(&text, usize::from(area.width)), style, area);
        canvas.hit_row(y, area, Hit::Row(n));
    }
    rows + 1
}

/// How long an item takes and what it waits for.
fn turn(plan: &Plan, n: usize) -> String {
    let item = &plan.items[n];
    if item.mode != Strategy::Copy {
        return words::mode(item.mode).into();
    }
    let mut words = Vec::new();
    if let Some(time) = plan.timing.items.get(n) {
        words.push(words::span(time.span));
    }
    if plan.trial == Trial::Waits {
        words.push(if n == 0 { "tried first".into() } else { "waits for your yes".to_string() });
    }
    let first = item.after.last().and_then(|k| plan.items.get(*k));
    words.extend(first.map(|other| format!("when {} is off {}", other.title, item.to_drive)));
    if plan.deletes(item) {
        words.push("originals deleted at once".into());
    }
    words.join(", ")
}

/// Findings of one kind and severity, in the order in which the first of each was found.
fn alike(plan: &Plan) -> Vec<Vec<&Finding>> {
    let mut groups: Vec<Vec<&Finding>> = Vec::new();
    for finding in &plan.findings {
        let same = |group: &&mut Vec<&Finding>| {
            let first = group[0];
            first.severity == finding.severity
                && std::mem::discriminant(&first.kind) == std::mem::discriminant(&finding.kind)
        };
        match groups.iter_mut().find(same) {
            Some(group) => group.push(finding),
            None => groups.push(vec![finding]),
        }
    }
    groups
}

/// Findings, each kind once: that of the item under the cursor, or the first, and what else it is about.
fn draw_findings(state: &State, plan: &Plan, area: Rect, canvas: &mut Canvas<'_>) -> u16 {
    /// Findings of a kind that are still told one by one.
    const FEW: usize = 2;
    let theme = canvas.theme;
    if plan.findings.is_empty() {
        canvas.put_at(0, 0, "Nothing in the way.", theme.good(), area);
        return 1;
    }
    let most = (area.height / 3).max(3);
    let here = plan.items.get(state.haul.item).map(|item| &item.game);
    let mut told: Vec<(&Finding, String)> = Vec::new();
    for group in alike(plan) {
        if group.len() <= FEW {
            told.extend(group.into_iter().map(|finding| (finding, String::new())));
            continue;
        }
        let shown = group.iter().find(|finding| finding.item.is_some() && finding.item.as_ref() == here);
        let shown = *shown.unwrap_or(&group[0]);
        let others = group.iter().filter(|finding| !std::ptr::eq(**finding, shown));
        let titles: Vec<String> = others.filter_map(|finding| finding.title.as_deref().map(line)).collect();
        let about = if titles.is_empty() { String::new() } else { format!(": {}", titles.join(", ")) };
        told.push((shown, format!("and {} more like it{about}", group.len() - 1)));
    }
    let width = usize::from(area.width.saturating_sub(12).max(1));
    let mut y = 0;
    for (n, (finding, more)) in told.iter().enumerate() {
        let text = words::finding_sentence(finding);
        let style = match finding.severity {
            Severity::Blocker => theme.danger(),
            Severity::Warning => theme.text(),
            Severity::Note => theme.dim(),
        };
        let wrapped = |text: &str| in_cells(crate::present::width(text)).div_ceil(in_cells(width));
        let rows = wrapped(&text).max(1) + wrapped(more);
        if y + rows > most && n > 0 {
            let more = format!("and {}", words::several(told.len() - n, "more finding"));
            canvas.put_at(10, y, &more, theme.dim(), area);
            return y + 1;
        }
        canvas.put_at(0, y, words::severity(finding.severity), style, area);
        let place = Rect {
            x: area.x + 10,
            y: area.y + y,
            width: area.width.saturating_sub(10),
            height: area.height.saturating_sub(y),
        };
        y += canvas.put_wrapped(&text, style, place).max(1);
        if !more.is_empty() {
            let place = Rect { y: area.y + y, height: area.height.saturating_sub(y), ..place };
            y += canvas.put_wrapped(more, theme.dim(), place).max(1);
        }
    }
    y
}

fn draw_records(item: &PlannedItem, first: usize, area: Rect, canvas: &mut Canvas<'_>) {
    if area.height < 2 {
        return;
    }
    let theme = canvas.theme;
    let from = if first > 0 { format!(", from the {}. on", first + 1) } else { String::new() };
    let heading =
        format!("will be written for {}: {}{from}", line(&item.title), words::several(item.previews.len(), "change"));
    canvas.put_at(0, 0, &heading, theme.dim(), area);
    let mut y = 1;
    for (n, preview) in item.previews.iter().enumerate().skip(first) {
        let lines = preview_lines(preview, theme, usize::from(area.width));
        let left = usize::from(area.height.saturating_sub(y));
        let is_last = n + 1 == item.previews.len();
        // The last row says how many more there are, unless these are all.
        if left == 0 || lines.len() + usize::from(!is_last) > left {
            let more = if n == first && left > 1 { n + 1 } else { n };
            if more > n {
                for text in lines.into_iter().take(left - 1) {
                    canvas.put_line(y, text, area);
                    y += 1;
                }
            }
            if more < item.previews.len() {
                let more = format!("and {}", words::several(item.previews.len() - more, "more change"));
                canvas.put_at(2, y.min(area.height - 1), &more, theme.dim(), area);
            }
            return;
        }
        for text in lines {
            canvas.put_line(y, text, area);
            y += 1;
        }
    }
}

fn preview_lines<'a>(preview: &Preview, theme: Theme, width: usize) -> Vec<Line<'a>> {
    let what = words::preview_kind(preview.kind);
    let room = width.saturating_sub(what.len() + 8) * 2 / 3;
    let file = cut_middle(&path(&preview.file), room);
    let head = Line::from(vec![
        Span::styled(format!("  {file}  "), theme.text()),
        Span::styled(format!("{} ", line(&preview.location)), theme.dim()),
        Span::styled(what, theme.dim()),
    ]);
    let mut lines = vec![head];
    if preview.kind == PreviewKind::Replaced {
        let (old, new) = changed_spans(&preview.before, &preview.after);
        for (sign, (front, middle, back)) in [("-", old), ("+", new)] {
            lines.push(Line::from(vec![
                Span::styled(format!("    {sign} "), theme.dim()),
                Span::styled(line(&front), theme.dim()),
                Span::styled(line(&middle), theme.changed()),
                Span::styled(line(&back), theme.dim()),
            ]));
        }
    } else {
        let text = if preview.after.is_empty() { &preview.before } else { &preview.after };
        let text: Vec<&str> = text.split_whitespace().collect();
        let style: Style = if preview.kind == PreviewKind::Leaves { theme.dim() } else { theme.text() };
        lines.push(Line::styled(format!("      {}", cut(&line(&text.join(" ")), width.saturating_sub(6))), style));
    }
    lines
}

/// How full a drive is over the time of the haul, and, behind a bar, once its originals are released.
fn draw_load(plan: &Plan, at: usize, load: &Load, area: Rect, canvas: &mut Canvas<'_>) {
    let theme = canvas.theme;
    let percent = |bytes: deft_barge_core::bytes::Bytes| format!("{:3.0}%", bytes.part_of(load.capacity) * 100.0);
    let figures =
        format!("now {}  at most {}  in the end {}", percent(load.now), percent(load.peak), percent(load.after));
    let lacks = load.lacks().map(|lacks| format!("lacks {lacks}")).unwrap_or_default();
    let style = if load.lacks().is_some() { theme.danger() } else { theme.text() };
    canvas.put_at(0, 0, &pad(&format!("load  {}", line(&load.drive)), 18), theme.text(), area);
    canvas.put_at(6, 1, &lacks, theme.danger(), area);
    let cells = usize::from(area.width).saturating_sub(20 + crate::present::width(&figures) + 8).clamp(6, 110);
    let values = over_time(plan, at, load, cells);
    let rows = curve(&values, usize::from(area.height));
    for (y, row) in rows.iter().enumerate() {
        let style = if load.lacks().is_some() { theme.danger() } else { theme.dim() };
        canvas.put_at(19, in_cells(y), row, style, area);
        // What is behind the bar comes with the release.
        let end = curve(&[load.after.part_of(load.capacity); 4], rows.len());
        canvas.put_at(19 + in_cells(cells), in_cells(y), &format!("│{}", end[y]), theme.dim(), area);
    }
    let y = area.height - 1;
    canvas.put_at(19 + in_cells(cells) + 7, y, &figures, style, area);
}

/// Parts of a drive that are in use, in so many moments from the haul's start to its end.
fn over_time(plan: &Plan, at: usize, load: &Load, cells: usize) -> Vec<f64> {
    let whole = plan.ends().as_secs_f64().max(1e-9);
    let schedule = plan.load_course(at).into_iter();
    let points: Vec<(f64, f64)> =
        schedule.map(|(when, used)| (when.as_secs_f64() / whole, used.part_of(load.capacity))).collect();
    let value = |x: f64| {
        let after = points.iter().position(|point| point.0 >= x);
        match after {
            Some(0) | None => points.last().filter(|_| after.is_none()).or(points.first()).map_or(0.0, |p| p.1),
            Some(n) => {
                let (a, b) = (points[n - 1], points[n]);
                let part = if b.0 > a.0 { (x - a.0) / (b.0 - a.0) } else { 1.0 };
                a.1 + (b.1 - a.1) * part
            }
        }
    };
    (0..cells).map(|cell| value(cell as f64 / (cells.max(2) - 1) as f64)).collect()
}

type Three = (String, String, String);

/// Cuts two texts into what they begin with alike, what differs, and what they end with alike.
fn changed_spans(old: &str, new: &str) -> (Three, Three) {
    let front: usize = old.chars().zip(new.chars()).take_while(|(a, b)| a == b).map(|(a, _)| a.len_utf8()).sum();
    let back: usize = old[front..]
        .chars()
        .rev()
        .zip(new[front..].chars().rev())
        .take_while(|(a, b)| a == b)
        .map(|(a, _)| a.len_utf8())
        .sum();
    let cut = |text: &str| {
        let end = text.len() - back;
        (text[..front].to_string(), text[front..end].to_string(), text[end..].to_string())
    };
    (cut(old), cut(new))
}

pub(crate) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let Some(plan) = &state.haul.plan else { return (String::new(), theme.text()) };
    let key = |wish| state.look.keys.name(wish, View::Haul);
    let cautions = plan.findings.iter().filter(|finding| finding.severity == Severity::Warning).count();
    let time = words::span(plan.timing.whole);
    let what = format!("{}, {}, {time}", words::several(plan.items.len(), "item"), plan.bytes());
    if plan.blocked() {
        return (format!("{what}: blocked"), theme.danger());
    }
    if cautions > 0 && !state.haul.accepted {
        let text = format!("{what}: {} to accept with {}", words::several(cautions, "warning"), key(Wish::Accept));
        return (text, theme.text());
    }
    let stays = match plan
        .items
        .iter()
        .map(|item| item.mode)
        .find(|mode| !matches!(mode, Strategy::Records | Strategy::Import))
    {
        None => "",
        Some(Strategy::Quarantine) => " It is renamed, and kept until you release it.",
        Some(_) if plan.policy == Policy::Release => " The originals are deleted as soon as their copies are proved.",
        Some(_) => " The originals are kept until you release them.",
    };
    (format!("{what}: ready; {} starts it.{stays}", key(Wish::Start)), theme.moving())
}

#[cfg(test)]
mod tests {
    use super::changed_spans;

    #[test]
    fn only_what_differs_is_marked() {
        let (old, new) = changed_spans("/a/swift/x", "/a/newhold/x");
        assert_eq!((old.1.as_str(), new.1.as_str()), ("swift", "newhold"));
        let (old, new) = changed_spans("aa", "aaa");
        assert_eq!((old.1.as_str(), new.1.as_str()), ("", "a"));
        let (old, _) = changed_spans("äx", "öx");
        assert_eq!(old.1, "ä");
    }
}
