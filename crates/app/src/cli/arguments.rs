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
  deft-barge survey                              what lies where
  deft-barge plan rally --to fast                what a haul would do; writes nothing
  deft-barge haul rally --to fast                copy, compare, rewrite the records, prove; the originals stay
  deft-barge release                             let go of the originals
  deft-barge undo                              put everything back
  source <(deft-barge completions bash)          completions for this shell";

/// Moves installed games between drives: copies them, compares every byte, rewrites the launchers'
/// records, proves that nothing would be downloaded again, and only then lets go of the originals.
///
/// Without a command the full-screen interface opens.
///
/// Exit codes: 0 done, 1 failed, 2 usage, 3 refused with nothing changed, 4 a difference was found,
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
    /// Make a world to try everything in, and open the interface on it.
    Demo(Demo),
    /// Show drives, launchers, libraries and games.
    Survey,
    /// Show what a haul would do. Writes nothing.
    Plan(Wish),
    /// Haul games to a drive. The originals are held until they are released.
    Haul(Wish),
    /// Suggest which games to send where. Writes nothing.
    #[command(subcommand)]
    Suggest(Suggest),
    /// Measure how fast a drive reads and writes: writes up to 256 MB there for some seconds, and removes it again.
    Probe {
        /// The drive, by name or digit.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
    },
    /// Go on with a haul that was interrupted or waits; or update records that a launcher wrote back.
    Resume(Going),
    /// Take a file that cannot be read from another copy of it; the haul is then gone on with by `resume`.
    Repair(Taking),
    /// Undo a haul: the one under way, the newest one, or the one with this number.
    Undo(Back),
    /// Delete the originals that a haul keeps: the newest one that keeps any, or the one with this number.
    Release(Letting),
    /// Read every byte of a game, or of all games of a haul, and tell what the launcher would download.
    Verify(What),
    /// Show what was hauled when, and what is still held: the newest twenty hauls, or those that fit what is searched for.
    Log {
        /// Words of titles, names of drives, days such as 2026-11, or numbers; all of them have to fit.
        words: Vec<String>,
        /// Show all that fit, and not the newest twenty of them.
        #[arg(long)]
        all: bool,
    },
    /// Draw drives, a plan, a drive's cargo, how a haul went or the history into a file: SVG, or PDF by its ending. Writes nothing else.
    #[command(subcommand)]
    Chart(ChartWhat),
    /// Write lists that other programs read: checksums, or what a survey, a plan, proofs and the log say as CSV or JSON by the file's ending.
    #[command(subcommand)]
    Export(ExportWhat),
    /// Write down what a haul was: what moved, records changed, proofs, times; as text, or as PDF with drawings.
    Report {
        /// Number of the haul, as `log` shows it; without it the newest one.
        haul: Option<i64>,
        /// The file: FILE.txt or FILE.pdf; without it the text is shown.
        #[arg(long, value_name = "FILE")]
        out: Option<PathBuf>,
        /// Write over a file that is there.
        #[arg(long)]
        overwrite: bool,
    },
    /// Look after the journal, in which hauls and their checksums are kept.
    #[command(subcommand)]
    Journal(JournalAct),
    /// Print what has a shell complete commands, and names of games and drives as the last survey has seen them.
    Completions {
        /// The shell.
        #[arg(value_enum)]
        shell: Shell,
    },
    /// Print the manual page, or write the pages of all commands into a folder.
    Man {
        /// The folder; made if it is not there.
        #[arg(long, value_name = "DIR")]
        dir: Option<PathBuf>,
    },
    /// Write a settings file to begin with, or check the one there is.
    #[command(subcommand)]
    Settings(SettingsAct),
    /// Find every place where a path is written down, in files that no profile describes. Writes nothing.
    Trace(Traced),
    /// Make a new library of a launcher, or choose the one that takes new installs.
    #[command(subcommand)]
    Library(LibraryAct),
    /// Show what is lying about: strays, old copies, duplicates, broken links, entries of games that are gone; or act on it.
    Cleanup {
        #[command(subcommand)]
        act: Option<CleanupRequest>,
    },
    /// Bring a library, a portable launcher or a folder to a drive with what another PC needs, or check that there.
    #[command(subcommand)]
    Pack(PackAct),
    /// Compare games with the checksums that were kept of them: what is damaged, missing, or was written since.
    Audit(Auditing),
    /// Start a game, and see that its process comes up from where it lies.
    Launch {
        /// The game, by title or a part of it, or by id.
        #[arg(add = ArgValueCandidates::new(games))]
        game: String,
        /// The program to start, below the game's folder, instead of the launcher's way.
        #[arg(long)]
        program: Option<String>,
        /// Seconds to watch for the process.
        #[arg(long, default_value_t = 30)]
        wait: u64,
    },
    /// Make a folder on a drive an installed game of a launcher, without a download.
    Import(Importing),
    /// Rewrite every record that leads below the old path of a drive, for all launchers at once; or show which drives have
    /// another path than records say.
    Remap {
        /// The old path.
        #[arg(requires = "new")]
        old: Option<PathBuf>,
        /// The new one.
        new: Option<PathBuf>,
        #[command(flatten)]
        consent: Consent,
    },
    /// Show the user data of games, the shortcuts that start them, and links around them; or add to what is known.
    #[command(subcommand)]
    Data(DataAct),
    /// Learn launchers that no profile describes from the games that are installed, and save their profiles.
    Learn(Learning),
    /// Check profiles of launchers against this machine.
    #[command(subcommand)]
    Profile(ProfileAct),
}

/// A shell that can be helped.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub enum Shell {
    Bash,
    Zsh,
    Fish,
}

#[derive(Debug, Subcommand)]
pub enum JournalAct {
    /// Read all of it and say whether it is sound. Writes nothing.
    Check,
    /// Make its file as small as what is in it.
    Compact,
}

#[derive(Debug, Subcommand)]
pub enum SettingsAct {
    /// Write the file with all that can be set, each line as it is usually, behind a comment sign.
    Write,
    /// Say whether the file is sound; what is not is said with its line.
    Check,
}

#[derive(Debug, Args)]
pub struct Demo {
    /// Folder of the world; made if it is not there.
    #[arg(long, value_name = "D")]
    pub dir: Option<PathBuf>,
    /// The same seed gives the same bytes.
    #[arg(long, default_value_t = 7)]
    pub seed: u64,
    /// Make a fresh world, haul the tournament game, let the stand-in launcher judge, release; no terminal is needed.
    #[arg(long)]
    pub unattended: bool,
}
