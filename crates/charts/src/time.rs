//! What happens when: the items of a plan on pairs of drives, and how full each drive is through its steps.

use std::time::Duration;

use deft_barge_core::item::{Policy, Strategy};
use deft_barge_core::plan::{Load, Plan};

use crate::Drawing;
use crate::figures::{percent, span};
use crate::page::{AMBER, DIM, FAINT, LAUNCHERS, MARGIN, Mark, Page, RED, Rect, Side, TEXT, TOP, draw};

const LABEL: i32 = 190;
const RIGHT: i32 = 130;

/// An axis of time over a stretch of the page.
struct Axis {
    x: i32,
    width: i32,
    whole: Duration,
}

impl Axis {
    fn at(&self, when: Duration) -> i32 {
        self.x + (when.as_secs_f64() / self.whole.as_secs_f64().max(1e-9) * f64::from(self.width)).round() as i32
    }

    /// Moments in quarters, and lines from them down to `bottom`; one that reads like its neighbour is left out.
    fn draw(&self, page: &mut Page, y: i32, bottom: i32) {
        let mut last = String::new();
        for quarter in 0..=4_u32 {
            let when = self.whole * quarter / 4;
            let text = span(when);
            let side = match quarter {
                0 => Side::Left,
                4 => Side::Right,
                _ => Side::Middle,
            };
            if text != last {
                page.text(self.at(when), y, 10.0, DIM, side, &text);
                page.line((self.at(when), y + 16), (self.at(when), bottom), FAINT, 1);
                last = text;
            }
        }
    }
}

/// Draws the items of a plan on an axis of time, a lane for each pair of drives, in the order in which they begin.
pub fn order(plan: &Plan) -> Drawing {
    let mut pairs: Vec<(String, String)> = Vec::new();
    for item in plan.items.iter().filter(|item| item.mode == Strategy::Copy) {
        let pair = (item.from_drive.clone().unwrap_or_else(|| "home".into()), item.to_drive.clone());
        if !pairs.contains(&pair) {
            pairs.push(pair);
        }
    }
    let bottom = TOP + 30 + pairs.len().max(1) as i32 * 46;
    draw(&format!("When each item moves, in {}", span(plan.ends())), plan.made, (1000, bottom as u32 + 70), |page| {
        let width = page.width() - 2 * MARGIN - LABEL - RIGHT;
        let axis = Axis { x: MARGIN + LABEL, width, whole: plan.ends() };
        axis.draw(page, TOP, bottom - 8);
        for (n, (from, to)) in pairs.iter().enumerate() {
            let y = TOP + 30 + n as i32 * 46;
            let name = page.cut(&format!("{from} > {to}"), 12.0, LABEL - 14);
            page.text(MARGIN, y + 9, 12.0, TEXT, Side::Left, &name);
            let mut bytes = deft_barge_core::bytes::Bytes::ZERO;
            for (at, item) in plan.items.iter().enumerate().filter(|(_, item)| item.mode == Strategy::Copy) {
                let own = item.from_drive.as_deref().unwrap_or("home") == from && item.to_drive == *to;
                let (true, Some(time)) = (own, plan.timing.items.get(at)) else { continue };
                bytes = bytes.plus(item.size.on_disk);
                let start = axis.at(time.begins);
                let rect = Rect::new(start, y, (axis.at(time.ends) - start).max(2), 32);
                let goes = plan.policy == Policy::Release || item.policy == Policy::Release;
                page.fill(rect, if goes { LAUNCHERS[0] } else { AMBER });
                page.frame(rect, TEXT);
                page.label(rect, 10.0, TEXT, &item.title);
            }
            page.text(page.width() - MARGIN, y + 10, 10.0, DIM, Side::Right, &bytes.to_string());
        }
        page.legend(&[
            (Mark::Filled(AMBER), "originals are kept".into()),
            (Mark::Filled(LAUNCHERS[0]), "originals deleted once proved".into()),
        ]);
    })
}

/// Draws how full each drive that changes is through the steps of a plan, with its capacity and its reserve.
pub fn loads(plan: &Plan) -> Drawing {
    const EACH: i32 = 110;
    let changing: Vec<(usize, &Load)> =
        plan.loads.iter().enumerate().filter(|(_, load)| load.peak != load.now || load.after != load.now).collect();
    let bottom = TOP + 30 + changing.len().max(1) as i32 * EACH;
    draw("How full the drives are through the haul", plan.made, (1000, bottom as u32 + 70), |page| {
        let width = page.width() - 2 * MARGIN - LABEL - RIGHT - 50;
        let axis = Axis { x: MARGIN + LABEL, width, whole: plan.ends() };
        axis.draw(page, TOP, bottom - 12);
        page.text(axis.x + width + 14, TOP, 10.0, DIM, Side::Left, "in the end");
        for (n, (at, load)) in changing.iter().enumerate() {
            let place = Rect::new(axis.x, TOP + 30 + n as i32 * EACH, width, EACH - 30);
            draw_load(page, plan, *at, load, &axis, place);
        }
        page.legend(&[
            (Mark::Filled(AMBER), "in use".into()),
            (Mark::Line(TEXT), "capacity".into()),
            (Mark::Line(RED), "reserve begins".into()),
        ]);
    })
}

fn draw_load(page: &mut Page, plan: &Plan, at: usize, load: &Load, axis: &Axis, place: Rect) {
    let capacity = load.capacity.count().max(1) as f64;
    let bottom = place.y + place.height;
    let height = |bytes: u64| (bytes as f64 / capacity * f64::from(place.height)).round() as i32;
    // More than the drive holds cannot be drawn as if it fitted: the line stops at the top, and the figure says it.
    let y = |bytes: u64| bottom - height(bytes).min(place.height);
    let mut points: Vec<(i32, i32)> =
        plan.load_course(at).iter().map(|(when, used)| (axis.at(*when), y(used.count()))).collect();
    if let Some(last) = points.last().copied().filter(|last| last.0 < axis.x + axis.width) {
        points.push((axis.x + axis.width, last.1));
    }
    let mut area = points.clone();
    area.extend([(axis.x + axis.width, bottom), (axis.x, bottom)]);
    page.polygon(&area, AMBER);
    page.path(&points, TEXT, 2);
    let after = Rect::new(axis.x + axis.width + 14, y(load.after.count()), 32, bottom - y(load.after.count()));
    page.fill(after, AMBER);
    page.line((after.x, after.y), (after.x + 32, after.y), TEXT, 2);
    page.line((axis.x, place.y), (after.x + 32, place.y), TEXT, 1);
    page.line((axis.x, bottom), (after.x + 32, bottom), TEXT, 1);
    page.dashes((axis.x, y(load.most().count())), (after.x + 32, y(load.most().count())), RED);
    page.text_bold(MARGIN, place.y + 4, 12.0, TEXT, &page.cut_bold(&load.drive, 12.0, LABEL - 14));
    page.text(MARGIN, place.y + 24, 10.0, DIM, Side::Left, &format!("{}", load.capacity));
    let beside = page.width() - MARGIN;
    let rows = [
        (format!("now {}", percent(load.now, load.capacity)), DIM),
        match load.lacks() {
            Some(lacks) => (format!("lacks {lacks}"), RED),
            None => (format!("at most {}", percent(load.peak, load.capacity)), TEXT),
        },
        (format!("then {}", percent(load.after, load.capacity)), DIM),
    ];
    for (n, (text, ink)) in rows.iter().enumerate() {
        page.text(beside, place.y + 4 + n as i32 * 18, 10.0, *ink, Side::Right, text);
    }
}
