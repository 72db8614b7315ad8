//! The same job on Windows: drives, acts on files, and games that are learned, moved and brought back, on a system that is asked itself.
//!
//! Empty elsewhere; `scripts/windows` builds it and runs it under Wine.
#![cfg(windows)]
#![allow(clippy::unwrap_used, clippy::disallowed_methods, reason = "tests build their worlds by hand")]

mod acts;
mod hauls;
mod known_folders;
mod laws;
mod learned;
mod letters;
mod registry;
mod shell_links;
mod world;
