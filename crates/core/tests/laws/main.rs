//! The laws of the haul, each with a test that tries to break it. Every fault is tried at every act of a small haul.
#![expect(clippy::too_many_lines, reason = "what a test goes through is read from end to end")]
#![expect(
    clippy::unwrap_used,
    clippy::disallowed_methods,
    clippy::let_underscore_must_use,
    reason = "tests build and break worlds by hand"
)]

mod acts;
mod adopting;
mod anchors;
mod around;
mod auditing;
mod carrying;
mod cells;
mod closer;
mod code_pages;
mod drifting;
mod engine;
mod faults;
mod finds;
mod held_entries;
mod house;
mod launchers;
mod layers;
mod layouts;
mod learning;
mod links;
mod made_launchers;
mod new_libraries;
mod numbered_libraries;
mod orders;
mod others;
mod outside;
mod packers;

mod port;
mod power;
mod records;
mod references;
mod scenarios;
mod sequences;
mod shapes;
mod shell_links;
mod times;
mod tracing;
mod travelling;
mod watching;
mod ways_down;
mod within_texts;
mod written;
