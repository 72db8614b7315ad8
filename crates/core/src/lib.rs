//! The job of Deft Barge, without a terminal, an argument parser or a drawing.
//!
//! Data flows one way: [`site`] → [`survey`] → [`plan`] → [`haul`], each a plain value that the
//! next one takes. Start reading at [`survey::survey`], then [`plan::plan`], then [`haul::Haul`].
//! All writing on drives goes through [`disk::Disk`]; no launcher is known here by name.
#![deny(clippy::print_stdout, clippy::print_stderr)]
#![warn(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    clippy::cast_possible_wrap,
    reason = "a count or a byte that does not fit is thought of where it is converted"
)]
#![cfg_attr(
    test,
    allow(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        clippy::cast_possible_wrap,
        reason = "tests count small"
    )
)]
#![cfg_attr(
    test,
    allow(clippy::disallowed_methods, clippy::let_underscore_must_use, reason = "tests build their worlds by hand")
)]
#![cfg_attr(test, allow(clippy::too_many_lines, reason = "what a test goes through is read from end to end"))]

pub mod audit;
pub mod bytes;
pub mod checksums;
pub mod cleanup;
pub mod disk;
pub mod haul;
pub mod item;
pub mod journal;
pub mod launcher;
pub mod learn;
pub mod pack;
pub mod plan;
pub mod platform;
pub mod preflight;
pub mod record;
pub mod site;
pub mod survey;
pub mod trace;
