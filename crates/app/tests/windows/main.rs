//! The real program on Windows: the demo, a launcher in the registry, kills, keys of the console.
//!
//! Empty elsewhere; `scripts/windows` builds it and runs it under Wine.
#![cfg(windows)]
#![allow(clippy::unwrap_used, clippy::disallowed_methods, reason = "tests build their worlds by hand")]

mod demo;
mod killing;
mod registry;
mod world;
