//! The real program: commands and exit codes, bad input, kill -9 at random moments, real drives, the interface in tmux.
#![expect(clippy::too_many_lines, reason = "what a test goes through is read from end to end")]
#![expect(
    clippy::unwrap_used,
    clippy::let_underscore_must_use,
    reason = "a test that cannot set up its world has failed"
)]

mod around;
mod commands;
mod errands;
mod exports;
mod guide;
mod interface;
mod killing;
mod manners;
mod outside;
mod planning;
mod real_drives;
mod screen;
mod ways;
mod world;
