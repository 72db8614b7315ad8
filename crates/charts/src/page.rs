//! A page that is drawn on, as SVG: texts that know their width, boxes, hatches, lines; a head with title and date, and a legend.

use std::sync::LazyLock;

use jiff::Timestamp;
use svg::node::element::{Line, Polygon, Polyline, Rectangle, Text};
use svg::{Document, Node};
use ttf_parser::Face;

use crate::Drawing;
use crate::figures::{date, plain};

/// The font that every drawing is set in; it is embedded in PDFs.
pub(crate) const FONT: &str = "DejaVu Sans";

/// A colour: red, green, blue.
pub(crate) type Ink = (u8, u8, u8);

pub(crate) const TEXT: Ink = (34, 38, 44);
pub(crate) const DIM: Ink = (98, 102, 106);
pub(crate) const FAINT: Ink = (186, 186, 180);
pub(crate) const PAPER: Ink = (255, 255, 255);
pub(crate) const OTHER: Ink = (214, 212, 206);
pub(crate) const AMBER: Ink = (232, 178, 84);
pub(crate) const RED: Ink = (172, 40, 34);
/// Launchers in the order in which they are found: light enough for dark text on all of them, and told apart by title too.
pub(crate) const LAUNCHERS: [Ink; 6] =
    [(132, 178, 166), (144, 164, 210), (182, 162, 202), (196, 188, 132), (214, 168, 176), (164, 182, 196)];

/// Space around everything.
pub(crate) const MARGIN: i32 = 40;
/// The first row below the head.
pub(crate) const TOP: i32 = 104;

/// Which end of a text stands at its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Side {
    Left,
    Middle,
    Right,
}

impl Side {
    fn anchor(self) -> &'static str {
        match self {
            Self::Left => "start",
            Self::Middle => "middle",
            Self::Right => "end",
        }
    }
}

/// What a piece of the legend shows.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mark {
    Filled(Ink),
    Hatched,
    Hollow(Ink),
    Line(Ink),
    Cross(Ink),
}

/// A rectangle in whole units.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Rect {
    pub(crate) x: i32,
    pub(crate) y: i32,
    pub(crate) width: i32,
    pub(crate) height: i32,
}

impl Rect {
    pub(crate) fn new(x: i32, y: i32, width: i32, height: i32) -> Self {
        Self { x, y, width, height }
    }
}

pub(crate) struct Page {
    svg: Document,
    width: u32,
    height: u32,
}

fn color((red, green, blue): Ink) -> String {
    format!("#{red:02x}{green:02x}{blue:02x}")
}

fn face(bold: bool) -> Option<&'static Face<'static>> {
    static FACES: LazyLock<[Option<Face<'static>>; 2]> =
        LazyLock::new(|| [dejavu::sans::regular(), dejavu::sans::bold()].map(|bytes| Face::parse(bytes, 0).ok()));
    FACES[usize::from(bold)].as_ref()
}

/// Draws a page of a size and gives the drawing.
pub(crate) fn draw(title: &str, made: Timestamp, size: (u32, u32), paint: impl FnOnce(&mut Page)) -> Drawing {
    let (width, height) = size;
    let svg = Document::new()
        .set("width", width)
        .set("height", height)
        .set("viewBox", (0, 0, width, height))
        .set("font-family", format!("'{FONT}', sans-serif"));
    let mut page = Page { svg, width, height };
    page.fill(Rect::new(0, 0, width as i32, height as i32), PAPER);
    page.text_bold(MARGIN, 34, 20.0, TEXT, &page.cut_bold(title, 20.0, width as i32 - 2 * MARGIN));
    page.text(MARGIN, 64, 11.0, DIM, Side::Left, &date(made));
    page.text(width as i32 - MARGIN, 64, 11.0, DIM, Side::Right, "Deft Barge");
    page.line((MARGIN, 86), (width as i32 - MARGIN, 86), FAINT, 1);
    paint(&mut page);
    Drawing { title: title.into(), width, height, svg: page.svg.to_string() }
}

impl Page {
    pub(crate) fn width(&self) -> i32 {
        self.width as i32
    }

    pub(crate) fn height(&self) -> i32 {
        self.height as i32
    }

    fn add(&mut self, node: impl svg::Node) {
        self.svg.append(node);
    }

    pub(crate) fn fill(&mut self, rect: Rect, ink: Ink) {
        if rect.width > 0 && rect.height > 0 {
            self.add(rectangle(rect).set("fill", color(ink)).set("stroke", "none"));
        }
    }

    pub(crate) fn frame(&mut self, rect: Rect, ink: Ink) {
        if rect.width > 0 && rect.height > 0 {
            self.add(rectangle(rect).set("fill", "none").set("stroke", color(ink)));
        }
    }

    /// Lines from lower left to upper right, for what takes room and is nobody's any more.
    pub(crate) fn hatch(&mut self, rect: Rect, ink: Ink) {
        const STEP: i32 = 6;
        let (right, bottom) = (rect.x + rect.width, rect.y + rect.height);
        let mut at = rect.x + rect.y + STEP;
        while at < right + bottom {
            // Points of the line x + y = at that lie in the rectangle.
            let (x0, x1) = ((at - bottom).max(rect.x), (at - rect.y).min(right));
            if x1 > x0 {
                self.line((x0, at - x0), (x1, at - x1), ink, 1);
            }
            at += STEP;
        }
    }

    pub(crate) fn line(&mut self, from: (i32, i32), to: (i32, i32), ink: Ink, width: u32) {
        let line = Line::new().set("x1", from.0).set("y1", from.1).set("x2", to.0).set("y2", to.1);
        self.add(line.set("stroke", color(ink)).set("stroke-width", width));
    }

    /// A line of dashes, from left to right or from top to bottom.
    pub(crate) fn dashes(&mut self, from: (i32, i32), to: (i32, i32), ink: Ink) {
        let length = (to.0 - from.0).max(to.1 - from.1);
        let along = |n: i32| if to.0 > from.0 { (from.0 + n, from.1) } else { (from.0, from.1 + n) };
        let mut at = 0;
        while at < length {
            self.line(along(at), along((at + 4).min(length)), ink, 1);
            at += 8;
        }
    }

    /// Two short lines over one another, around a point.
    pub(crate) fn cross(&mut self, x: i32, y: i32, ink: Ink) {
        self.line((x - 4, y - 4), (x + 4, y + 4), ink, 2);
        self.line((x - 4, y + 4), (x + 4, y - 4), ink, 2);
    }

    pub(crate) fn path(&mut self, points: &[(i32, i32)], ink: Ink, width: u32) {
        let line = Polyline::new().set("points", listed(points)).set("fill", "none");
        self.add(line.set("stroke", color(ink)).set("stroke-width", width));
    }

    pub(crate) fn polygon(&mut self, points: &[(i32, i32)], ink: Ink) {
        self.add(Polygon::new().set("points", listed(points)).set("fill", color(ink)).set("stroke", "none"));
    }

    /// Text whose upper edge is at `y`.
    pub(crate) fn text(&mut self, x: i32, y: i32, size: f64, ink: Ink, side: Side, text: &str) {
        self.add(set_text((x, y), size, ink, text).set("text-anchor", side.anchor()));
    }

    pub(crate) fn text_bold(&mut self, x: i32, y: i32, size: f64, ink: Ink, text: &str) {
        self.add(set_text((x, y), size, ink, text).set("font-weight", "bold"));
    }

    /// The width of a text in units, rounded up.
    pub(crate) fn width_of(&self, text: &str, size: f64) -> i32 {
        width_of(text, size, false)
    }

    /// A text cut at its end to a width, with an ellipsis; empty where not even that fits.
    pub(crate) fn cut(&self, text: &str, size: f64, width: i32) -> String {
        cut(text, size, width, false)
    }

    /// The same for bold text.
    pub(crate) fn cut_bold(&self, text: &str, size: f64, width: i32) -> String {
        cut(text, size, width, true)
    }

    /// A text in a box, at its left, cut to it; nothing where the box is too small for a letter or two.
    pub(crate) fn label(&mut self, rect: Rect, size: f64, ink: Ink, text: &str) {
        if rect.height < (size * 1.3) as i32 {
            return;
        }
        let text = self.cut(text, size, rect.width - 8);
        if text.chars().count() > 2 {
            let y = rect.y + (rect.height - (size * 1.2) as i32) / 2;
            self.text(rect.x + 4, y, size, ink, Side::Left, &text);
        }
    }

    /// The legend in the last row of the page: marks with their words.
    pub(crate) fn legend(&mut self, marks: &[(Mark, String)]) {
        let (mut x, y) = (MARGIN, self.height() - 34);
        for (mark, words) in marks {
            let width = self.width_of(words, 10.0);
            if x + 24 + width > self.width() - MARGIN {
                break;
            }
            let rect = Rect::new(x, y, 16, 12);
            match mark {
                Mark::Filled(ink) => self.fill(rect, *ink),
                Mark::Hatched => self.hatch(rect, DIM),
                Mark::Hollow(ink) => {
                    let inner = Rect::new(x + 2, y + 2, 12, 8);
                    self.frame(inner, *ink);
                }
                Mark::Line(ink) => self.line((x, y + 6), (x + 16, y + 6), *ink, 2),
                Mark::Cross(ink) => self.cross(x + 8, y + 6, *ink),
            }
            if !matches!(mark, Mark::Line(_) | Mark::Cross(_)) {
                self.frame(rect, DIM);
            }
            self.text(x + 22, y, 10.0, DIM, Side::Left, words);
            x += 24 + width + 18;
        }
    }
}

fn rectangle(rect: Rect) -> Rectangle {
    Rectangle::new().set("x", rect.x).set("y", rect.y).set("width", rect.width).set("height", rect.height)
}

/// Points as SVG lists them.
fn listed(points: &[(i32, i32)]) -> String {
    points.iter().map(|(x, y)| format!("{x},{y}")).collect::<Vec<_>>().join(" ")
}

fn set_text((x, y): (i32, i32), size: f64, ink: Ink, text: &str) -> Text {
    // SVG places the line that letters stand on; capitals of DejaVu Sans are 0.73 em high (its table "OS/2").
    let line = f64::from(y) + size * 0.76;
    Text::new(plain(text)).set("x", x).set("y", format!("{line:.2}")).set("font-size", size).set("fill", color(ink))
}

/// The width of a text in units, rounded up, and a little more: programs that show it set letters a hair apart.
pub(crate) fn width_of(text: &str, size: f64, bold: bool) -> i32 {
    let Some(face) = face(bold) else { return (text.chars().count() as f64 * size) as i32 };
    let em = f64::from(face.units_per_em());
    let advance = |c| face.glyph_index(c).and_then(|glyph| face.glyph_hor_advance(glyph));
    // What the font does not have is set in another one, and as wide as it is high.
    let letter = |c| advance(c).map_or(1.0, |width| f64::from(width) / em);
    let width: f64 = plain(text).chars().map(letter).sum::<f64>() * size;
    (width * 1.01).ceil() as i32 + 1
}

fn cut(text: &str, size: f64, width: i32, bold: bool) -> String {
    if width_of(text, size, bold) <= width {
        return text.into();
    }
    let letters: Vec<char> = text.chars().collect();
    let beginning = |n: usize| format!("{}…", letters[..n].iter().collect::<String>());
    // The longest beginning that fits, found by halving.
    let (mut low, mut high) = (0, letters.len());
    while low < high {
        let middle = (low + high).div_ceil(2);
        if width_of(&beginning(middle), size, bold) <= width { low = middle } else { high = middle - 1 }
    }
    if low == 0 { String::new() } else { beginning(low) }
}

/// Whether the font has a letter.
pub(crate) fn is_covered(c: char) -> bool {
    c.is_control() || face(false).is_none_or(|face| face.glyph_index(c).is_some())
}
