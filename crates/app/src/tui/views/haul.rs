//! Haul: what exactly will happen. Nothing touches a disk before the haul was looked at here and started by its own key.

use deft_barge_core::plan::Trial;
use deft_barge_core::plan::{Mode, Plan, PlannedLot, Policy, Preview, PreviewKind, Weight};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Widget, Wrap};

use super::super::state::State;
use super::super::theme::Theme;
use super::{put_at, several};
use crate::show::{count, cut_middle, line, pad, path};
use crate::wording;

pub(super) fn draw(state: &State, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(plan) = &state.plan else {
        let text = if state.draft.lots.is_empty() && state.act.is_none() {
            "Nothing is on this haul. In the Drives view a drive's digit sends the game under the cursor there."
        } else {
            "Reading records and checking drives ..."
        };
        put_at(2, 1, text, theme.text(), area, buffer);
        return;
    };
    let lots = (plan.lots.len() as u16).min(area.height / 4);
    let mut y = draw_lots(state, plan, lots, theme, area, buffer) + 1;
    y += draw_findings(plan, theme, Rect { y: area.y + y, height: area.height.saturating_sub(y), ..area }, buffer) + 1;
    let loads: Vec<_> = plan.loads.iter().filter(|load| load.peak != load.now || load.after != load.now).collect();
    let loads_height = loads.len() as u16 + 1;
    let records = Rect { y: area.y + y, height: area.height.saturating_sub(y + loads_height), ..area };
    if let Some(lot) = plan.lots.get(state.lot) {
        draw_records(lot, theme, records, buffer);
    }
    let bottom = Rect { y: area.bottom().saturating_sub(loads.len() as u16), height: loads.len() as u16, ..area };
    for (n, load) in loads.iter().enumerate() {
        let percent = |bytes: deft_barge_core::bytes::Bytes| format!("{:3.0} %", bytes.part_of(load.capacity) * 100.0);
        let cells = usize::from(area.width).saturating_sub(66).clamp(6, 60);
        let style = if load.lacks().is_some() { theme.danger() } else { theme.text() };
        let text = format!(
            "{} {}  now {}  at most {}  in the end {}",
            pad(&format!("load  {}", line(&load.drive)), 20),
            super::bar(load.peak.part_of(load.capacity), cells),
            percent(load.now),
            percent(load.peak),
            percent(load.after),
        );
        put_at(0, n as u16, &text, style, bottom, buffer);
    }
}

fn draw_lots(state: &State, plan: &Plan, rows: u16, theme: Theme, area: Rect, buffer: &mut Buffer) -> u16 {
    let title = usize::from(area.width).saturating_sub(56).clamp(16, 44);
    let heading = format!("  {} {:>10} {:>9}   {}", pad("lots, in this order", title), "bytes", "files", "way");
    put_at(0, 0, &heading, theme.dim(), area, buffer);
    let first = (state.lot + 1).saturating_sub(usize::from(rows));
    for (n, lot) in plan.lots.iter().enumerate().skip(first).take(usize::from(rows)) {
        let here = n == state.lot;
        let style = if here { theme.cursor() } else { theme.text() };
        let way = format!(
            "{} > {}   {}",
            lot.from_drive.as_deref().unwrap_or(crate::wording::NO_DRIVE),
            lot.to_drive,
            turn(plan, n)
        );
        let text = format!(
            "{} {} {:>10} {:>9}   {}",
            if here { "▸" } else { " " },
            pad(&line(&lot.title), title),
            lot.size.on_disk,
            count(lot.size.files),
            line(&way)
        );
        put_at(0, (n - first) as u16 + 1, &pad(&text, usize::from(area.width)), style, area, buffer);
    }
    rows + 1
}

/// How long a lot takes and what it waits for.
fn turn(plan: &Plan, n: usize) -> String {
    let lot = &plan.lots[n];
    if lot.mode != Mode::Copy {
        return wording::mode(lot.mode).into();
    }
    let mut words = Vec::new();
    if let Some(time) = plan.timing.lots.get(n) {
        words.push(wording::span(time.span));
    }
    if plan.trial == Trial::Waits {
        words.push(if n == 0 { "tried first".into() } else { "waits for a yes".to_string() });
    }
    let first = lot.after.last().and_then(|k| plan.lots.get(*k));
    words.extend(first.map(|other| format!("when {} is off {}", other.title, lot.to_drive)));
    if lot.policy == Policy::Release {
        words.push("originals go at once".into());
    }
    words.join(", ")
}

fn draw_findings(plan: &Plan, theme: Theme, area: Rect, buffer: &mut Buffer) -> u16 {
    if plan.findings.is_empty() {
        put_at(0, 0, "Nothing stands in the way.", theme.good(), area, buffer);
        return 1;
    }
    let most = (area.height / 3).max(3);
    let mut y = 0;
    let width = area.width.saturating_sub(10);
    for (n, finding) in plan.findings.iter().enumerate() {
        let text = wording::finding_sentence(finding);
        let style = match finding.weight {
            Weight::Stop => theme.danger(),
            Weight::Caution => theme.text(),
            Weight::Note => theme.dim(),
        };
        let rows = (unicode_width::UnicodeWidthStr::width(text.as_str()) as u16).div_ceil(width.max(1)).max(1);
        if y + rows > most && n > 0 {
            put_at(
                10,
                y,
                &format!("and {}", several(plan.findings.len() - n, "more finding")),
                theme.dim(),
                area,
                buffer,
            );
            return y + 1;
        }
        put_at(0, y, wording::weight(finding.weight), style, area, buffer);
        let place = Rect { x: area.x + 10, y: area.y + y, width, height: rows.min(area.height.saturating_sub(y)) };
        Paragraph::new(text).style(style).wrap(Wrap { trim: true }).render(place, buffer);
        y += rows;
    }
    y
}

fn draw_records(lot: &PlannedLot, theme: Theme, area: Rect, buffer: &mut Buffer) {
    if area.height < 2 {
        return;
    }
    let heading = format!("will be written for {}: {}", line(&lot.title), several(lot.previews.len(), "change"));
    put_at(0, 0, &heading, theme.dim(), area, buffer);
    let mut y = 1;
    for (n, preview) in lot.previews.iter().enumerate() {
        let lines = preview_lines(preview, theme, usize::from(area.width));
        let left = area.height.saturating_sub(y);
        if left == 0 || (left == 1 && n + 1 < lot.previews.len()) {
            put_at(
                2,
                area.height - 1,
                &format!("and {}", several(lot.previews.len() - n, "more change")),
                theme.dim(),
                area,
                buffer,
            );
            return;
        }
        for text in lines.into_iter().take(usize::from(left)) {
            text.render(Rect { y: area.y + y, height: 1, ..area }, buffer);
            y += 1;
        }
    }
}

fn preview_lines<'a>(preview: &Preview, theme: Theme, width: usize) -> Vec<Line<'a>> {
    let what = wording::preview_kind(preview.kind);
    let room = width.saturating_sub(what.len() + 8) * 2 / 3;
    let file = cut_middle(&path(&preview.file), room);
    let head = Line::from(vec![
        Span::styled(format!("  {file}  "), theme.text()),
        Span::styled(format!("{} ", line(&preview.location)), theme.faint()),
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
        lines.push(Line::styled(
            format!("      {}", crate::show::cut(&line(&text.join(" ")), width.saturating_sub(6))),
            style,
        ));
    }
    lines
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

pub(super) fn summary(state: &State, theme: Theme) -> (String, Style) {
    let Some(plan) = &state.plan else { return (String::new(), theme.text()) };
    let cautions = plan.findings.iter().filter(|finding| finding.weight == Weight::Caution).count();
    let time = wording::span(plan.timing.whole);
    let what = format!("{}, {}, {time}", several(plan.lots.len(), "lot"), plan.bytes());
    if plan.stopped() {
        return (format!("{what}: a stop stands in the way"), theme.danger());
    }
    if cautions > 0 && !state.accepted {
        return (format!("{what}: {} to accept with a", several(cautions, "caution")), theme.text());
    }
    let stays = match plan.lots.iter().map(|lot| lot.mode).find(|mode| !matches!(mode, Mode::Records | Mode::Adopt)) {
        None => "",
        Some(Mode::SetAside) => " It is kept beside its place until you let go of it.",
        Some(_) => " The originals stay until you let go of them.",
    };
    (format!("{what}: ready; S starts it.{stays}"), theme.moving())
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
