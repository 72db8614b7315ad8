//! How things are said: words, text for a terminal, JSON, faults.
//!
//! Law: every sentence that a person reads is made here.

mod direction;
mod fault;
mod json;
pub mod learning;
pub mod places;
mod text;
pub mod words;

pub use direction::{isolate, isolated};
pub(crate) use fault::say_aside;
pub use fault::{Fault, Kind, to_json};
pub use json::{document, json_text};
pub use text::{count, cut, cut_front, cut_middle, in_cells, line, pad, path, shell_word, visible, width};
pub use words::{about, deletes, hung, misfit, miss, place_fault, preview_kind, proof, stage, waiting, why};
