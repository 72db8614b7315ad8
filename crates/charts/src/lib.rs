//! Drawings from core's values, as SVG and PDF: bars now and after a haul, loads over time, the order of items, how a
//! haul went and how fast, what is on a drive as an area map, the history by months.
//!
//! Law: the same values give the same bytes; text stays text, in a font that is embedded in the PDF; nothing lies outside the page.
//! Start at [`Drawing`].

mod area;
mod blocks;
mod clock;
mod drives;
mod figures;
mod history;
mod page;
mod passage;
mod pdf;
mod text;
mod time;

pub use blocks::games;
pub use drives::drives;
pub use history::history;
pub use passage::{rate, timeline};
pub use pdf::PdfError;
pub use text::{Weight, book, text_pages};
pub use time::{loads, order};

/// A drawing: its SVG, and its size in units of a 96th of an inch.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Drawing {
    /// What it shows.
    pub title: String,
    /// Width.
    pub width: u32,
    /// Height.
    pub height: u32,
    /// The SVG document.
    pub svg: String,
}
