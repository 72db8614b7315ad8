//! The command line.

mod drawings;

pub use drawings::{ChartWhat, ExportWhat, Out};
use std::path::PathBuf;

use clap::{Args, Subcommand};
use clap_complete::engine::{ArgValueCandidates, CompletionCandidate};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::WhatIf;

use crate::completing::names;

/// Names of games, for completions.
pub(crate) fn games() -> Vec<CompletionCandidate> {
    names().games.into_iter().map(CompletionCandidate::new).collect()
}

/// Names of drives, for completions.
pub(crate) fn drives() -> Vec<CompletionCandidate> {
    names().drives.into_iter().map(CompletionCandidate::new).collect()
}

#[derive(Debug, Args)]
pub struct Traced {
    /// The folder of a game, or any other path.
    pub path: PathBuf,
    /// Search only these folders, not all where programs keep their files.
    #[arg(long = "in", value_name = "FOLDER", num_args = 1..)]
    pub places: Vec<PathBuf>,
}

/// What can be done about a find; each can be undone until it is released.
#[derive(Debug, Subcommand)]
pub enum CleanupRequest {
    /// Verify an old copy against the installed game; `release` then deletes it.
    Release(Settled),
    /// Quarantine a folder: rename it and keep it; `release` then deletes it.
    Quarantine(Settled),
    /// Remove a link that points to nothing.
    RemoveLink(Settled),
    /// Remove a missing game's entry from its launcher's list.
    Forget(Settled),
}

#[derive(Debug, Subcommand)]
pub enum PackAct {
    /// Put a folder on a drive with what another PC needs: installers, checksums.
    Make {
        /// A launcher, by name or id, the folder of a library, or any folder.
        what: String,
        /// The drive, by name or number; without it nothing moves.
        #[arg(long, value_name = "DRIVE")]
        to: Option<String>,
        #[command(flatten)]
        consent: Consent,
    },
    /// Check what a packed folder needs here, and how to update its records.
    Check {
        /// The packed folder.
        folder: PathBuf,
    },
}

#[derive(Debug, Args)]
pub struct Auditing {
    /// Games, by title, a part of it or id, or drives; all games with checksums if left out.
    #[arg(add = ArgValueCandidates::new(games))]
    pub what: Vec<String>,
    /// Read every byte and keep new checksums, to audit against later.
    #[arg(long)]
    pub keep: bool,
    /// Replace what is damaged or missing from another copy with the same bytes.
    #[arg(long, conflicts_with = "keep")]
    pub repair: bool,
    /// A folder with another copy of the game, besides those in the log.
    #[arg(long, value_name = "FOLDER", requires = "repair")]
    pub from: Vec<PathBuf>,
}

#[derive(Debug, Args)]
pub struct Importing {
    /// The folder.
    pub path: PathBuf,
    /// The launcher and its id of the game, as LAUNCHER/ID; if left out, a content list decides.
    #[arg(long = "as", value_name = "LAUNCHER/ID")]
    pub as_game: Option<String>,
    /// The title; if left out, as in the content list.
    #[arg(long)]
    pub title: Option<String>,
    /// The program that starts it, in the folder; if left out, as in the content list.
    #[arg(long)]
    pub program: Option<String>,
    /// The drive to move it to; if left out, it stays on its own.
    #[arg(long, value_name = "DRIVE")]
    pub to: Option<String>,
    /// Move the files to where the launcher looks, then say what to do there, step by step.
    #[arg(long)]
    pub guided: bool,
    #[command(flatten)]
    pub consent: Consent,
}

/// Which find, and whether to ask.
#[derive(Clone, Debug, Args)]
pub struct Settled {
    /// Its path, as `cleanup` shows it.
    pub path: PathBuf,
    #[command(flatten)]
    pub consent: Consent,
}

/// Whether to show only, or to ask.
#[derive(Clone, Copy, Debug, Default, Args)]
pub struct Consent {
    /// Accept warnings, and don't ask.
    #[arg(long)]
    pub yes: bool,
    /// Show what would be done; write nothing.
    #[arg(long)]
    pub plan: bool,
}

#[derive(Debug, Subcommand)]
pub enum DataAct {
    /// List user data with sizes and how it can move, shortcuts, and links.
    List,
    /// Add a folder to a game's user data, in your settings.
    Add {
        /// The game, by title or a part of it, or by id.
        game: String,
        /// The folder, or the link to it, where programs look for it.
        path: PathBuf,
        /// What it is.
        #[arg(long, value_enum, default_value_t = Kind::Saves)]
        kind: Kind,
    },
    /// Remove a folder from that list; the folder stays.
    Forget {
        /// The folder.
        path: PathBuf,
    },
}

/// What user data is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub enum Kind {
    /// Saved games.
    Saves,
    /// Mods.
    Mods,
    /// Screenshots.
    Screenshots,
    /// Custom content.
    Content,
}

/// How user data moves.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub enum By {
    /// A link at the old place points to the new one.
    Link,
    /// The game's own setting points to the new place.
    Setting,
    /// The desktop's user directory moves.
    Directory,
}

#[derive(Debug, Subcommand)]
pub enum LibraryAct {
    /// Make a library on a drive and add it to its launcher; can be undone.
    New {
        /// The launcher, by name or id.
        launcher: String,
        /// The drive, by name or number.
        drive: String,
    },
    /// Send new installs to this library.
    Default {
        /// The launcher, by name or id.
        launcher: String,
        /// The folder of the library, or its drive.
        library: String,
    },
}

/// What to learn.
#[derive(Debug, Default, clap::Args)]
pub struct Learning {
    /// Folders of games: learn only launchers with games there or beside them.
    #[arg(value_name = "PATH")]
    pub paths: Vec<PathBuf>,
    /// Answer every question with the likeliest answer, and say which.
    #[arg(long, short)]
    pub yes: bool,
    /// Learn from what changes while you install or move a small game in its launcher.
    #[arg(long)]
    pub watch: bool,
}

#[derive(Debug, Subcommand)]
pub enum ProfileAct {
    /// Check whether every record of a profile is found and right.
    Check {
        /// The file, or the id of a profile in the profile folder; all if left out.
        #[arg(value_name = "ID|FILE")]
        profile: Option<String>,
        /// Also move each game in memory: nothing left behind, no other record changed, undone exactly.
        #[arg(long)]
        rehearse: bool,
    },
}

/// What to suggest.
#[derive(Debug, Subcommand)]
pub enum Suggest {
    /// Free space on a drive with the fewest and least played games.
    Free {
        /// The drive, by name or number.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        /// How much, such as 120GB.
        #[arg(value_parser = |text: &str| text.parse::<Bytes>())]
        size: Bytes,
        #[command(flatten)]
        more: Suggested,
    },
    /// Move everything off a drive.
    Empty {
        /// The drive, by name or number.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        #[command(flatten)]
        more: Suggested,
    },
    /// Move what was played last to a drive, as much as fits.
    Played {
        /// The drive, by name or number.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        #[command(flatten)]
        more: Suggested,
    },
    /// Free every drive's reserve.
    Reserves {
        #[command(flatten)]
        more: Suggested,
    },
}

#[derive(Debug, Args)]
pub struct Suggested {
    /// Plan with a drive you don't have yet: NAME:SIZE[:KIND[:FILE-SYSTEM]], such as crate:2TB:ssd:ext4.
    #[arg(long, value_name = "DRIVE")]
    pub what_if: Vec<WhatIf>,
    /// Save the suggestion as a draft, for `plan --from` and `haul --from`; never overwrites.
    #[arg(long, value_name = "FILE")]
    pub save: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub struct Going {
    /// For the interface: continues in a session of its own and reports in the state folder.
    #[arg(long, hide = true)]
    pub apart: bool,
    /// Number of a haul whose records a launcher has written back; updates them again.
    pub haul: Option<i64>,
    #[command(flatten)]
    pub pace: Pace,
    /// Continue a haul that waits after its first game.
    #[arg(long)]
    pub yes: bool,
}

#[derive(Debug, Args)]
pub struct Wish {
    /// Games, by title, a part of it, id or folder; GAME=DRIVE sends one to another drive.
    #[arg(required_unless_present_any = ["traced", "from"], value_name = "GAME[=DRIVE]", add = ArgValueCandidates::new(games))]
    pub games: Vec<String>,
    /// Use a draft: its file, or the name it was saved under in the interface.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["games", "traced", "to"])]
    pub from: Option<PathBuf>,
    /// Save this as a draft; never overwrites.
    #[arg(long, value_name = "FILE")]
    pub save: Option<PathBuf>,
    /// Plan with a drive you don't have yet: NAME:SIZE[:KIND[:FILE-SYSTEM]], such as crate:2TB:ssd:ext4.
    #[arg(long, value_name = "DRIVE")]
    pub what_if: Vec<WhatIf>,
    /// Move the smallest game first; `resume --yes` then continues with the others.
    #[arg(long)]
    pub try_first: bool,
    /// A game's folder to move by tracing its records, without a profile.
    #[arg(long, value_name = "PATH")]
    pub traced: Vec<PathBuf>,
    /// Leave these places of the traced folder, by their numbers in `trace` (without --in).
    #[arg(long, value_name = "NUMBER", requires = "traced", value_delimiter = ',')]
    pub leave: Vec<usize>,
    /// Also rewrite these places, such as one in a backup, by the same numbers.
    #[arg(long, value_name = "NUMBER", requires = "traced", value_delimiter = ',')]
    pub take: Vec<usize>,
    /// The drive, by name, number or folder, or the folder of a library on it.
    #[arg(long, value_name = "DRIVE", add = ArgValueCandidates::new(drives))]
    pub to: Option<String>,
    /// Also move the games' user data.
    #[arg(long)]
    pub with_data: bool,
    /// How user data moves; if left out, the first way in `data list`.
    #[arg(long, value_enum, value_name = "WAY")]
    pub by: Option<By>,
    /// Leave a link at each game's old place.
    #[arg(long)]
    pub leave_link: bool,
    /// Accept warnings, and don't ask.
    #[arg(long)]
    pub yes: bool,
    /// Delete the originals as soon as their game is proved.
    #[arg(long)]
    pub release: bool,
    /// Make drive letters of compatibility layers where records need one.
    #[arg(long)]
    pub make_letters: bool,
    /// On a drive without links, copy the files that links point to.
    #[arg(long)]
    pub copy_links: bool,
    /// Move folders that no record points to.
    #[arg(long)]
    pub loose: bool,
    #[command(flatten)]
    pub pace: Pace,
}

/// How fast a haul may use the drives.
#[derive(Clone, Copy, Debug, Default, Args)]
pub struct Pace {
    /// Copy at most so many MB per second; 0: no limit. A resumed haul keeps its limit.
    #[arg(long, value_name = "MB/S", value_parser = clap::value_parser!(u64).range(0..=1_000_000))]
    pub limit: Option<u64>,
    /// Let other programs read and write first.
    #[arg(long)]
    pub gentle: bool,
}

#[derive(Debug, Args)]
pub struct Taking {
    /// The unreadable file: its path, or its path in the game's folder.
    pub file: PathBuf,
    /// The other copy: with the hash in the content list, or the same wherever the file is readable.
    #[arg(long, value_name = "COPY")]
    pub from: PathBuf,
}

#[derive(Debug, Args)]
pub struct Which {
    /// Number of the haul, as `log` shows it.
    pub haul: Option<i64>,
    /// Don't ask.
    #[arg(long)]
    pub yes: bool,
}

#[derive(Debug, Args)]
pub struct Letting {
    #[command(flatten)]
    pub which: Which,
    /// Read every byte of copies and originals again before anything is deleted.
    #[arg(long)]
    pub verify: bool,
}

#[derive(Debug, Args)]
pub struct Back {
    #[command(flatten)]
    pub which: Which,
    /// Cancel only the games whose records aren't updated yet; leave the others where they are.
    #[arg(long)]
    pub rest: bool,
    /// End the haul even if something can't be removed safely, or the copy's drive is lost: it stays as it is, and is listed;
    /// kept originals are used again.
    #[arg(long)]
    pub leave: bool,
    /// Undo only these games of the haul, by title or a part of it.
    #[arg(long, value_name = "GAME", conflicts_with = "rest", num_args = 1..)]
    pub only: Vec<String>,
}

#[derive(Debug, Args)]
pub struct What {
    /// A game, or the number of a haul; the newest haul if left out.
    #[arg(value_name = "GAME|HAUL")]
    pub what: Option<String>,
}
