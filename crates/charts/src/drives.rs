//! The load plan: the drives as bars to scale, as they are and as they are after a haul, with what moves where between them.

use std::collections::HashMap;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::{PlannedItem, Strategy};
use deft_barge_core::plan::Plan;
use deft_barge_core::survey::{DriveState, Game, GameId, Survey};

use crate::Drawing;
use crate::figures::percent;
use crate::page::{
    AMBER, DIM, FAINT, Ink, LAUNCHERS, MARGIN, Mark, OTHER, PAPER, Page, RED, Rect, Side, TEXT, TOP, draw,
};

/// What a block of a bar is.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Other,
    Game(Ink),
    Leaving(Ink),
    Arriving,
    Held,
}

struct Block {
    kind: Kind,
    title: String,
    bytes: Bytes,
}

/// Units of a drive's part of the page, without a plan and with the bar after it; where the bars begin; what is beside them.
const FLAT: i32 = 76;
const TALL: i32 = 122;
const LABEL: i32 = 150;
const RIGHT: i32 = 130;
/// Items that are listed, and the rows between them.
const MOST: usize = 20;
const LINE: i32 = 18;

/// Draws the drives of a survey, and what a plan does with them; without a plan the drives alone.
pub fn drives(survey: &Survey, plan: Option<&Plan>) -> Drawing {
    let items: HashMap<&GameId, &PlannedItem> = plan
        .iter()
        .flat_map(|plan| &plan.items)
        .filter(|item| item.mode == Strategy::Copy)
        .map(|item| (&item.game, item))
        .collect();
    let title = match plan {
        None => "What is where".to_string(),
        Some(plan) => format!("Load plan: {}, {}", items_of(plan), plan.bytes()),
    };
    let moves: Vec<&PlannedItem> = plan.iter().flat_map(|plan| &plan.items).collect();
    let listed = moves.len().min(MOST);
    let list = if listed == 0 { 0 } else { 44 + listed as i32 * LINE };
    let each = if plan.is_some() { TALL } else { FLAT };
    let bars = TOP + each * survey.drives.len().max(1) as i32;
    let height = bars + list + 60;
    let made = plan.map_or(survey.made, |plan| plan.made);
    draw(&title, made, (1000, height as u32), |page| {
        let largest = survey.drives.iter().map(|drive| drive.drive.capacity.count()).max().unwrap_or(1);
        for (n, drive) in survey.drives.iter().enumerate() {
            let y = TOP + n as i32 * each;
            let row = Row { survey, plan, items: &items, drive, y, largest };
            row.draw(page);
        }
        if listed > 0 {
            draw_moves(page, bars, &moves);
        }
        let mut marks: Vec<(Mark, String)> = survey
            .launchers
            .iter()
            .take(LAUNCHERS.len())
            .enumerate()
            .map(|(n, launcher)| (Mark::Filled(LAUNCHERS[n]), launcher.name.clone()))
            .collect();
        if plan.is_some() {
            marks.insert(0, (Mark::Filled(AMBER), "comes".into()));
            marks.insert(1, (Mark::Hollow(DIM), "leaves".into()));
        }
        marks.push((Mark::Hatched, "kept originals".into()));
        marks.push((Mark::Filled(OTHER), "other files".into()));
        page.legend(&marks);
    })
}

/// What moves where, in the order of the plan.
fn draw_moves(page: &mut Page, top: i32, items: &[&PlannedItem]) {
    let more = items.len().saturating_sub(MOST);
    let head = if more > 0 {
        format!("the first {MOST} of {} items, in their order", items.len())
    } else {
        "items, in their order".into()
    };
    page.text(MARGIN, top, 10.0, DIM, Side::Left, &head);
    let (middle, end) = (MARGIN + 470, page.width() - MARGIN);
    for (n, item) in items.iter().take(MOST).enumerate() {
        let y = top + 22 + n as i32 * LINE;
        page.text(MARGIN, y, 11.0, TEXT, Side::Left, &page.cut(&item.title, 11.0, middle - MARGIN - 20));
        let way = format!("{} > {}", item.from_drive.as_deref().unwrap_or("home"), item.to_drive);
        page.text(middle, y, 11.0, TEXT, Side::Left, &page.cut(&way, 11.0, end - middle - 110));
        page.text(end, y, 11.0, TEXT, Side::Right, &item.size.on_disk.to_string());
    }
}

fn items_of(plan: &Plan) -> String {
    match plan.items.len() {
        1 => "1 item".into(),
        n => format!("{n} items"),
    }
}

struct Row<'a> {
    survey: &'a Survey,
    plan: Option<&'a Plan>,
    items: &'a HashMap<&'a GameId, &'a PlannedItem>,
    drive: &'a DriveState,
    y: i32,
    largest: u64,
}

impl Row<'_> {
    fn draw(&self, page: &mut Page) {
        let drive = &self.drive.drive;
        let tag = drive.tag.map_or(String::new(), |tag| format!("{tag}  "));
        let name = page.cut_bold(&format!("{tag}{}", drive.name), 13.0, LABEL - 14);
        page.text_bold(MARGIN, self.y, 13.0, TEXT, &name);
        page.text(MARGIN, self.y + 20, 10.0, DIM, Side::Left, &page.cut(&drive.file_system, 10.0, LABEL - 14));
        page.text(MARGIN, self.y + 36, 10.0, DIM, Side::Left, &format!("{}", drive.capacity));
        let room = page.width() - 2 * MARGIN - LABEL - RIGHT;
        let width = (drive.capacity.count() as f64 / self.largest as f64 * f64::from(room)).round().max(6.0) as i32;
        let bar = Rect::new(MARGIN + LABEL, self.y, width, 40);
        self.bar(page, bar, &self.now());
        let percent_now = percent(self.drive.used, drive.capacity);
        let beside = page.width() - MARGIN;
        page.text(beside, self.y + 4, 10.0, TEXT, Side::Right, &format!("now {percent_now}"));
        page.text(beside, self.y + 20, 10.0, DIM, Side::Right, &format!("{} free", self.drive.free));
        let load = self.plan.and_then(|plan| plan.loads.iter().find(|load| load.drive == drive.name));
        let Some(load) = load.filter(|load| load.after != load.now || load.peak != load.now) else { return };
        page.text(bar.x, self.y + 46, 9.0, DIM, Side::Left, "after this haul");
        let after = Rect { y: self.y + 60, height: 26, ..bar };
        self.bar(page, after, &self.after());
        let text = format!("then {}", percent(load.after, load.capacity));
        page.text(beside, self.y + 60, 10.0, TEXT, Side::Right, &text);
        let (words, ink) = match load.lacks() {
            Some(lacks) => (format!("lacks {lacks}"), RED),
            None => (format!("at most {}", percent(load.peak, load.capacity)), DIM),
        };
        page.text(beside, self.y + 76, 10.0, ink, Side::Right, &words);
    }

    fn bar(&self, page: &mut Page, bar: Rect, blocks: &[Block]) {
        let capacity = self.drive.drive.capacity.count().max(1);
        // What does not fit goes no farther than the figures beside it.
        let most = page.width() - MARGIN - RIGHT + 20 - bar.x;
        let at = |bytes: u64| {
            let x = bytes as f64 / capacity as f64 * f64::from(bar.width);
            (x.round() as i32).min(most)
        };
        let mut before = 0;
        let spans: Vec<(i32, i32, &Block)> = blocks
            .iter()
            .map(|block| {
                let start = at(before);
                before += block.bytes.count();
                (start, at(before), block)
            })
            .collect();
        for (start, end, block) in spans {
            let rect = Rect::new(bar.x + start, bar.y, end - start, bar.height);
            paint(page, rect, block);
        }
        let reserve = at(capacity - self.drive.drive.reserve.count().min(capacity));
        page.dashes((bar.x + reserve, bar.y), (bar.x + reserve, bar.y + bar.height), TEXT);
        page.frame(bar, TEXT);
    }

    fn other(&self) -> Block {
        let bytes = self.drive.used.less(self.drive.games).less(self.drive.held);
        Block { kind: Kind::Other, title: "other".into(), bytes }
    }

    fn held(&self) -> impl Iterator<Item = Block> {
        let name = Some(&self.drive.drive.name);
        let held = self.survey.held.iter().filter(move |held| held.drive.as_ref() == name);
        held.map(|held| Block { kind: Kind::Held, title: held.title.clone(), bytes: held.bytes })
    }

    fn games(&self) -> Vec<&Game> {
        let name = Some(&self.drive.drive.name);
        let mut games: Vec<&Game> = self.survey.games.iter().filter(|game| game.drive.as_ref() == name).collect();
        games.sort_by_key(|game| std::cmp::Reverse(game.size.on_disk));
        games
    }

    fn now(&self) -> Vec<Block> {
        let games = self.games().into_iter().map(|game| {
            let ink = ink_of(self.survey, game);
            let item = self.items.get(&game.id).filter(|item| item.from_drive.as_ref() == game.drive.as_ref());
            let (kind, title) = match item {
                Some(item) => (Kind::Leaving(ink), format!("{} > {}", game.found.title, item.to_drive)),
                None => (Kind::Game(ink), game.found.title.clone()),
            };
            Block { kind, title, bytes: game.size.on_disk }
        });
        [self.other()].into_iter().chain(games).chain(self.held()).collect()
    }

    fn after(&self) -> Vec<Block> {
        let staying = self.games().into_iter().filter(|game| !self.items.contains_key(&game.id)).map(|game| Block {
            kind: Kind::Game(ink_of(self.survey, game)),
            title: game.found.title.clone(),
            bytes: game.size.on_disk,
        });
        let items = self.plan.iter().flat_map(|plan| &plan.items);
        let coming = items
            .filter(|item| item.mode == Strategy::Copy && item.to_drive == self.drive.drive.name)
            .map(|item| Block { kind: Kind::Arriving, title: item.title.clone(), bytes: item.size.on_disk });
        [self.other()].into_iter().chain(staying).chain(self.held()).chain(coming).collect()
    }
}

/// The colour of a game's launcher.
pub(crate) fn ink_of(survey: &Survey, game: &Game) -> Ink {
    let at = survey.launchers.iter().position(|launcher| launcher.id == game.launcher).unwrap_or(0);
    LAUNCHERS[at % LAUNCHERS.len()]
}

fn paint(page: &mut Page, rect: Rect, block: &Block) {
    match block.kind {
        Kind::Other => page.fill(rect, OTHER),
        Kind::Game(ink) => page.fill(rect, ink),
        Kind::Leaving(_) => page.fill(rect, PAPER),
        Kind::Arriving => page.fill(rect, AMBER),
        Kind::Held => {
            page.fill(rect, PAPER);
            page.hatch(rect, FAINT);
        }
    }
    if rect.width > 3 {
        page.frame(rect, if matches!(block.kind, Kind::Leaving(_)) { DIM } else { PAPER });
    }
    let ink = if matches!(block.kind, Kind::Leaving(_) | Kind::Held | Kind::Other) { DIM } else { TEXT };
    page.label(rect, 10.0, ink, &block.title);
}
