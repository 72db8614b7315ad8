//! The command line.

use clap::{Args, Parser, Subcommand};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

use crate::request::{
    Auditing, Back, ChartWhat, CleanupRequest, Consent, DataAct, ExportWhat, Going, Importing, Learning, Letting,
    LibraryAct, PackAct, ProfileAct, Suggest, Taking, Traced, What, Wish, drives, games,
};

/// Examples behind the help and in the manual.
const EXAMPLES: &str = "\
Examples:
  deft-barge                                     the interface
  deft-barge demo                                the same on a made-up world
  deft-barge survey                              what is where
  deft-barge plan rally --to swift               what a haul would do; writes nothing
  deft-barge haul rally --to swift               copy, verify, update records, prove; keep the originals
  deft-barge release                             delete the originals
  deft-barge undo                                undo the haul
  source <(deft-barge completions bash)          completions for this shell";

/// Moves installed games between drives: copies them, verifies every byte, updates the launchers'
/// records, proves that nothing would be downloaded again, and keeps the originals until you release them.
///
/// Without a command the full-screen interface opens.
///
/// Exit codes: 0 done, 1 failed, 2 usage, 3 blocked with nothing changed, 4 a difference was found,
/// 5 interrupted and can be resumed.
#[derive(Debug, Parser)]
#[command(name = "deft-barge", version, args_conflicts_with_subcommands = false, after_help = EXAMPLES)]
pub struct Arguments {
    /// Work in the world that DIR/world.toml declares, instead of on this machine.
    #[arg(long, global = true, value_name = "DIR")]
    pub world: Option<PathBuf>,
    /// Write one JSON document to standard output, and nothing else.
    #[arg(long, global = true)]
    pub json: bool,
    #[command(subcommand)]
    pub command: Option<Command>,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Make a made-up world to try everything in, and open the interface on it.
    Demo(Demo),
    /// Show drives, launchers, libraries and games.
    Survey,
    /// Show what a haul would do. Writes nothing.
    Plan(Wish),
    /// Move games to a drive. The originals are kept until you release them.
    Haul(Wish),
    /// Suggest which games to move where. Writes nothing.
    #[command(subcommand)]
    Suggest(Suggest),
    /// Measure how fast a drive is: writes up to 256 MB and deletes them again.
    Probe {
        /// The drive, by name or number.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        /// Don't ask before it writes.
        #[arg(long)]
        yes: bool,
    },
    /// Resume an unfinished haul, or update records that a launcher wrote back.
    Resume(Going),
    /// Replace an unreadable file from another copy; then `resume` the haul.
    Repair(Taking),
    /// Undo a haul: the unfinished one, the newest, or the one with this number.
    Undo(Back),
    /// Delete kept originals: those of the newest haul, or of the one with this number.
    Release(Letting),
    /// Read every byte of a game or haul, and say what the launcher would download.
    Verify(What),
    /// Show the newest twenty hauls, or those that match, and what is still kept.
    Log {
        /// Words of titles, drives, days such as 2026-11, or numbers; all have to match.
        words: Vec<String>,
        /// Show all that match, not only the newest twenty.
        #[arg(long)]
        all: bool,
    },
    /// Draw drives, a plan, a haul or the history into an SVG or PDF file.
    #[command(subcommand)]
    Chart(ChartWhat),
    /// Write lists for other programs: checksums, or tables as CSV or JSON.
    #[command(subcommand)]
    Export(ExportWhat),
    /// Write a report of a haul, as text or as PDF with charts.
    Report {
        /// Number of the haul, as `log` shows it; the newest one if left out.
        haul: Option<i64>,
        /// The file: FILE.txt or FILE.pdf; if left out, the text is shown.
        #[arg(long, value_name = "FILE")]
        out: Option<PathBuf>,
        /// Overwrite an existing file.
        #[arg(long)]
        overwrite: bool,
    },
    /// Check or compact the journal, in which hauls are kept.
    #[command(subcommand)]
    Journal(JournalAct),
    /// Print the script with which a shell completes commands, games and drives.
    Completions {
        /// The shell.
        #[arg(value_enum)]
        shell: Shell,
    },
    /// Print the manual page, or write all pages into a folder.
    Man {
        /// The folder; made if it doesn't exist.
        #[arg(long, value_name = "DIR")]
        dir: Option<PathBuf>,
    },
    /// Write a settings file, or check the existing one.
    #[command(subcommand)]
    Settings(SettingsAct),
    /// Find every place where a path is written down. Writes nothing.
    Trace(Traced),
    /// Make a library of a launcher, or choose the one for new installs.
    #[command(subcommand)]
    Library(LibraryAct),
    /// List unlisted games, old copies, duplicates and dead entries, or act on one.
    Cleanup {
        #[command(subcommand)]
        act: Option<CleanupRequest>,
    },
    /// Pack a library, launcher or folder for another PC, or check one here.
    #[command(subcommand)]
    Pack(PackAct),
    /// Compare games with their kept checksums: damaged, missing, written since.
    Audit(Auditing),
    /// Launch a game, and see its process appear from its folder.
    Launch {
        /// The game, by title or a part of it, or by id.
        #[arg(add = ArgValueCandidates::new(games))]
        game: String,
        /// The program to start, in the game's folder, instead of the launcher's way.
        #[arg(long)]
        program: Option<String>,
        /// Seconds to wait for the process.
        #[arg(long, default_value_t = 30)]
        wait: u64,
    },
    /// Import a folder as an installed game of a launcher, without a download.
    Import(Importing),
    /// Update all records below a drive's old path, or list drives that have moved.
    Remap {
        /// The old path.
        #[arg(requires = "new")]
        old: Option<PathBuf>,
        /// The new one.
        new: Option<PathBuf>,
        #[command(flatten)]
        consent: Consent,
    },
    /// List games' user data, shortcuts and links, or add a folder to them.
    #[command(subcommand)]
    Data(DataAct),
    /// Learn launchers from the games that are installed, and save their profiles.
    Learn(Learning),
    /// Check profiles of launchers against this machine.
    #[command(subcommand)]
    Profile(ProfileAct),
}

/// A shell.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub enum Shell {
    Bash,
    Zsh,
    Fish,
    Powershell,
}

#[derive(Debug, Subcommand)]
pub enum JournalAct {
    /// Read all of it and list its problems. Writes nothing.
    Check,
    /// Make its file as small as it can be.
    Compact,
}

#[derive(Debug, Subcommand)]
pub enum SettingsAct {
    /// Write the file with all settings at their defaults, commented out.
    Write,
    /// Check the file; problems are listed with their lines.
    Check,
}

#[derive(Debug, Args)]
pub struct Demo {
    /// Folder of the world; made if it doesn't exist.
    #[arg(long, value_name = "D")]
    pub dir: Option<PathBuf>,
    /// The same seed gives the same bytes.
    #[arg(long, default_value_t = 7)]
    pub seed: u64,
    /// Haul a game of a fresh world by itself, let its stand-in launcher judge, release.
    #[arg(long)]
    pub unattended: bool,
    /// Delete the world, with what its launchers keep elsewhere, and make none.
    #[arg(long, conflicts_with = "unattended")]
    pub delete: bool,
}
