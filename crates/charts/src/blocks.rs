//! What is on a drive, as an area map: by launcher, and in each its games; user data, kept originals, other files, free room.

use deft_barge_core::bytes::Bytes;
use deft_barge_core::survey::Survey;

use crate::Drawing;
use crate::area::pieces;
use crate::drives::ink_of;
use crate::page::{DIM, FAINT, Ink, MARGIN, Mark, OTHER, PAPER, Page, Rect, Side, TEXT, TOP, draw};

/// User data, in a shade that no launcher has.
const DATA: Ink = (226, 204, 160);

#[derive(Clone, Copy, PartialEq, Eq)]
enum Fill {
    Plain(Ink),
    Hatched,
    Free,
}

struct Piece {
    title: String,
    bytes: Bytes,
    fill: Fill,
}

struct Group {
    name: String,
    pieces: Vec<Piece>,
}

impl Group {
    fn bytes(&self) -> u64 {
        self.pieces.iter().map(|piece| piece.bytes.count()).sum()
    }
}

/// Draws what lies on the drive of this name; nothing if there is none.
pub fn games(survey: &Survey, drive: &str) -> Option<Drawing> {
    let state = survey.drive(drive)?;
    let mut groups = groups(survey, drive);
    let data: Bytes =
        survey.user_data.iter().filter(|data| data.drive.as_deref() == Some(drive)).map(|d| d.size.on_disk).sum();
    let other = state.used.less(state.games).less(state.held).less(data);
    groups.push(single("other files", other, Fill::Plain(OTHER)));
    groups.push(single("free", state.free, Fill::Free));
    groups.retain(|group| group.bytes() > 0);
    groups.sort_by_key(|group| std::cmp::Reverse(group.bytes()));
    let title = format!("What is on {drive}: {} of {} used", state.used, state.drive.capacity);
    Some(draw(&title, survey.made, (1000, 720), |page| {
        let whole = Rect::new(MARGIN, TOP, page.width() - 2 * MARGIN, page.height() - TOP - 60);
        let sizes: Vec<u64> = groups.iter().map(Group::bytes).collect();
        for (rect, group) in pieces(whole, &sizes).into_iter().zip(&mut groups) {
            paint(page, rect, group);
        }
        page.legend(&[
            (Mark::Hatched, "kept originals".into()),
            (Mark::Filled(DATA), "user data".into()),
            (Mark::Filled(OTHER), "other files".into()),
            (Mark::Hollow(FAINT), "free".into()),
        ]);
    }))
}

fn single(name: &str, bytes: Bytes, fill: Fill) -> Group {
    Group { name: String::new(), pieces: vec![Piece { title: name.into(), bytes, fill }] }
}

fn groups(survey: &Survey, drive: &str) -> Vec<Group> {
    let mut groups = Vec::new();
    for launcher in &survey.launchers {
        let games =
            survey.games.iter().filter(|game| game.launcher == launcher.id && game.drive.as_deref() == Some(drive));
        let piece = |game: &deft_barge_core::survey::Game| Piece {
            title: game.found.title.clone(),
            bytes: game.size.on_disk,
            fill: Fill::Plain(ink_of(survey, game)),
        };
        groups.push(Group { name: launcher.name.clone(), pieces: games.map(piece).collect() });
    }
    let data = survey.user_data.iter().filter(|data| data.drive.as_deref() == Some(drive));
    let piece = |data: &deft_barge_core::survey::UserData| Piece {
        title: data.title.clone(),
        bytes: data.size.on_disk,
        fill: Fill::Plain(DATA),
    };
    groups.push(Group { name: "user data".into(), pieces: data.map(piece).collect() });
    let held = survey.held.iter().filter(|held| held.drive.as_deref() == Some(drive));
    let piece = |held: &deft_barge_core::survey::Held| Piece {
        title: held.title.clone(),
        bytes: held.bytes,
        fill: Fill::Hatched,
    };
    groups.push(Group { name: "kept originals".into(), pieces: held.map(piece).collect() });
    groups
}

fn paint(page: &mut Page, rect: Rect, group: &mut Group) {
    group.pieces.sort_by_key(|piece| std::cmp::Reverse(piece.bytes));
    // The group's name has a row of its own where there is room for one.
    let named = !group.name.is_empty() && rect.height > 60 && rect.width > 70;
    let head = if named { 18 } else { 0 };
    let inner = Rect::new(rect.x, rect.y + head, rect.width, rect.height - head);
    let sizes: Vec<u64> = group.pieces.iter().map(|piece| piece.bytes.count()).collect();
    for (place, piece) in pieces(inner, &sizes).into_iter().zip(&group.pieces) {
        match piece.fill {
            Fill::Plain(ink) => page.fill(place, ink),
            Fill::Hatched => page.hatch(place, FAINT),
            Fill::Free => page.fill(place, PAPER),
        }
        if place.width > 2 && place.height > 2 {
            page.frame(place, if piece.fill == Fill::Free { FAINT } else { PAPER });
        }
        name(page, place, piece);
    }
    if named {
        let text = page.cut_bold(&group.name, 11.0, rect.width - 8);
        page.text_bold(rect.x + 4, rect.y + 2, 11.0, TEXT, &text);
    }
    page.frame(rect, TEXT);
}

/// Writes title and size into a piece, as far as there is room for either.
fn name(page: &mut Page, place: Rect, piece: &Piece) {
    if place.height < 18 || place.width < 34 {
        return;
    }
    let title = page.cut(&piece.title, 10.0, place.width - 8);
    page.text(place.x + 4, place.y + 4, 10.0, TEXT, Side::Left, &title);
    let size = piece.bytes.to_string();
    if place.height > 34 && page.width_of(&size, 9.0) < place.width - 8 {
        page.text(place.x + 4, place.y + 18, 9.0, DIM, Side::Left, &size);
    }
}
