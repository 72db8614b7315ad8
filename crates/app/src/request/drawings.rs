//! What can be drawn and written into files.

use super::{Wish, drives, games};
use clap::{Args, Subcommand};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

/// What to draw.
#[derive(Debug, Subcommand)]
pub enum ChartWhat {
    /// Draw the drives to scale, with what is in them.
    Drives {
        #[command(flatten)]
        out: Out,
    },
    /// Draw the drives now and after a haul, with what moves where.
    Plan {
        #[command(flatten)]
        wish: Wish,
        #[command(flatten)]
        out: Out,
    },
    /// Draw how full each drive is, step by step through a haul.
    Loads {
        #[command(flatten)]
        wish: Wish,
        #[command(flatten)]
        out: Out,
    },
    /// Draw when each item of a haul moves, for each pair of drives.
    Order {
        #[command(flatten)]
        wish: Wish,
        #[command(flatten)]
        out: Out,
    },
    /// Draw what is on a drive as areas: launchers, user data, originals, the rest.
    Games {
        /// The drive, by name or number.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        #[command(flatten)]
        out: Out,
    },
    /// Draw how a haul went: forecast, phases of each item, pauses and stops.
    Timeline {
        /// Number of the haul, as `log` shows it; the newest one if left out.
        haul: Option<i64>,
        #[command(flatten)]
        out: Out,
    },
    /// Draw how fast a haul copied and verified, with pauses, errors and the limit.
    Rate {
        /// Number of the haul, as `log` shows it; the newest one if left out.
        haul: Option<i64>,
        #[command(flatten)]
        out: Out,
    },
    /// Draw the bytes hauled, freed and kept, by month.
    History {
        #[command(flatten)]
        out: Out,
    },
}

/// What to write.
#[derive(Debug, Subcommand)]
pub enum ExportWhat {
    /// Write a game's checksums: FILE.b3 for `b3sum -c`, FILE.sha256 for `sha256sum -c`.
    Checksums {
        /// The game, by title or a part of it, or by id.
        #[arg(add = ArgValueCandidates::new(games))]
        game: String,
        #[command(flatten)]
        out: Out,
    },
    /// List all games: FILE.csv or FILE.json.
    Games {
        #[command(flatten)]
        out: Out,
    },
    /// List all drives.
    Drives {
        #[command(flatten)]
        out: Out,
    },
    /// List the libraries of all launchers.
    Libraries {
        #[command(flatten)]
        out: Out,
    },
    /// List the user data of all games.
    Data {
        #[command(flatten)]
        out: Out,
    },
    /// List every record of every game: file, place, text, and whether it is right.
    Records {
        #[command(flatten)]
        out: Out,
    },
    /// List what is lying around.
    Cleanup {
        #[command(flatten)]
        out: Out,
    },
    /// List the items of a plan.
    Plan {
        #[command(flatten)]
        wish: Box<Wish>,
        #[command(flatten)]
        out: Out,
    },
    /// List the proofs of all items in the log.
    Proofs {
        #[command(flatten)]
        out: Out,
    },
    /// List all items of all hauls.
    Log {
        #[command(flatten)]
        out: Out,
    },
}

/// Where something goes.
#[derive(Clone, Debug, Args)]
pub struct Out {
    /// The file; its ending says the format. An existing file is not overwritten.
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,
    /// Overwrite an existing file.
    #[arg(long)]
    pub overwrite: bool,
}
