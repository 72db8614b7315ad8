//! What both faces do: each takes the site, a request and a sink, tells the sink, and gives an exit code or a value.
//!
//! Law: a service prints nothing and draws nothing.

mod audit;
mod chart;
mod cleanup;
mod complete;
mod data;
pub mod drafts;
mod export;
mod haul;
mod heard;
mod import;
mod learn;
mod learned;
mod naming;
mod pack;
mod progress;
mod report;
mod sink;
mod suggest;
mod survey;
pub mod tables;
mod trace;
mod watch;
mod wish;

pub use audit::{audit, export_checksums, launch};
pub use chart::{chart, put_in_home};
pub use cleanup::{cleanup, remap};
pub use complete::{Completed, Wanted, complete};
pub use data::data;
pub use export::{export, put_table_in_home};
pub use haul::{haul, library, release, repair, resume, undo, verify};
pub use heard::Heard;
pub use import::import;
pub use learn::learn;
pub use pack::pack;
pub use report::{put_report_in_home, report};
pub use sink::{Sink, Told};
pub use suggest::{probe, suggest};
pub use survey::{log, plan, survey};
pub use trace::{profile, trace};
pub(crate) use wish::{find_game, survey_site};
