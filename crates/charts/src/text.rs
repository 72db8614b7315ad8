//! Pages of text, for reports: as many lines as a page of A4 holds, each cut to its width.

use jiff::Timestamp;

use crate::page::{DIM, FAINT, MARGIN, Page, Side, TEXT, TOP, draw};
use crate::{Drawing, PdfError};

/// A page of A4 in units of a 96th of an inch.
const SIZE: (u32, u32) = (794, 1123);
const LINE: i32 = 16;
/// Where the values stand behind their labels.
const LABEL: i32 = 150;

/// Blanks that stay as many as they are: SVG makes one of several.
fn kept(text: &str) -> String {
    text.replace("  ", "\u{a0}\u{a0}")
}

/// How a line is set.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Weight {
    /// As a heading, with room before it.
    Heading,
    /// As text; what stands before two blanks is its label.
    Text,
    /// As something less weighty.
    Displaced,
}

/// Sets lines on as many pages as they need.
pub fn text_pages(title: &str, made: Timestamp, lines: &[(Weight, String)]) -> Vec<Drawing> {
    let room = SIZE.1 as i32 - TOP - 60;
    let height = |weight: Weight| if weight == Weight::Heading { LINE * 2 } else { LINE };
    let mut pages: Vec<Vec<&(Weight, String)>> = vec![Vec::new()];
    let mut used = 0;
    for (n, line) in lines.iter().enumerate() {
        // A heading goes with the line behind it.
        let with = if line.0 == Weight::Heading && n + 1 < lines.len() { LINE } else { 0 };
        if used + height(line.0) + with > room {
            pages.push(Vec::new());
            used = 0;
        }
        used += height(line.0);
        if let Some(page) = pages.last_mut() {
            page.push(line);
        }
    }
    let count = pages.len();
    let numbered = pages.into_iter().enumerate();
    numbered.map(|(n, lines)| draw(title, made, SIZE, |page| set(page, &lines, n + 1, count))).collect()
}

fn set(page: &mut Page, lines: &[&(Weight, String)], nth: usize, count: usize) {
    let width = page.width() - 2 * MARGIN;
    let mut y = TOP;
    for (weight, text) in lines {
        match weight {
            Weight::Heading => {
                y += LINE;
                page.text_bold(MARGIN, y, 12.0, TEXT, &page.cut_bold(text, 12.0, width));
            }
            Weight::Text => {
                let (label, value) = text.split_once("  ").unwrap_or(("", text));
                let x = if label.is_empty() { MARGIN } else { MARGIN + LABEL };
                page.text(MARGIN, y, 10.0, DIM, Side::Left, label);
                let value = page.cut(&kept(value.trim_start()), 10.0, page.width() - MARGIN - x);
                page.text(x, y, 10.0, TEXT, Side::Left, &value);
            }
            Weight::Displaced => {
                let text = page.cut(&kept(text), 9.0, width - 14);
                page.text(MARGIN + 14, y, 9.0, DIM, Side::Left, &text);
            }
        }
        y += LINE;
    }
    let bottom = page.height() - 40;
    page.line((MARGIN, bottom), (page.width() - MARGIN, bottom), FAINT, 1);
    page.text(page.width() - MARGIN, bottom + 8, 9.0, DIM, Side::Right, &format!("page {nth} of {count}"));
}

/// Makes a PDF with a page for each drawing, in their order.
///
/// # Errors
/// [`PdfError`] as for one drawing.
pub fn book(drawings: &[Drawing]) -> Result<Vec<u8>, PdfError> {
    crate::pdf::pages(drawings)
}
