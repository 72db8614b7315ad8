//! Drawings from core's values, as SVG and PDF: hulls now and after a haul, loads over time, the order of items, how a
//! haul went and how fast, a drive's cargo as an area map, the history by months.
//!
//! Law: the same values give the same bytes; text stays text, in a font that is embedded in the PDF; nothing lies outside the page.
//! Start at [`Drawing`].

mod area;
mod cargo;
mod clock;
mod figures;
mod history;
mod hulls;
mod page;
mod passage;
mod pdf;
mod text;
mod time;

pub use cargo::cargo;
pub use history::history;
pub use hulls::hulls;
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
