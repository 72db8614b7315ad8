//! The command line.

use std::path::PathBuf;

use clap::{Args, Subcommand};
use clap_complete::engine::{ArgValueCandidates, CompletionCandidate};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::plan::WhatIf;

use crate::completing::names;

/// What is drawn.
#[derive(Debug, Subcommand)]
pub enum ChartWhat {
    /// The drives as hulls to scale, with what lies in them.
    Drives {
        #[command(flatten)]
        out: Out,
    },
    /// The drives now and after a haul, with what moves where between them.
    Plan {
        #[command(flatten)]
        wish: Wish,
        #[command(flatten)]
        out: Out,
    },
    /// How full each drive is through the steps of a haul, with its capacity and its reserve.
    Loads {
        #[command(flatten)]
        wish: Wish,
        #[command(flatten)]
        out: Out,
    },
    /// The items of a haul on pairs of drives over time.
    Order {
        #[command(flatten)]
        wish: Wish,
        #[command(flatten)]
        out: Out,
    },
    /// What lies on a drive, as areas: by launcher, user data, kept originals, other files, free room.
    Cargo {
        /// The drive, by name or digit.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        #[command(flatten)]
        out: Out,
    },
    /// The items of a haul over time as it went: what was forecast, each phase, pauses and stops.
    Timeline {
        /// Number of the haul, as `log` shows it; without it the newest one.
        haul: Option<i64>,
        #[command(flatten)]
        out: Out,
    },
    /// How fast a haul's bytes were copied and compared, with pauses, errors and the limit.
    Rate {
        /// Number of the haul, as `log` shows it; without it the newest one.
        haul: Option<i64>,
        #[command(flatten)]
        out: Out,
    },
    /// Bytes that were hauled, freed and held, by months.
    History {
        #[command(flatten)]
        out: Out,
    },
}

/// Names of games, for completions.
pub(crate) fn games() -> Vec<CompletionCandidate> {
    names().games.into_iter().map(CompletionCandidate::new).collect()
}

/// Names of drives, for completions.
pub(crate) fn drives() -> Vec<CompletionCandidate> {
    names().drives.into_iter().map(CompletionCandidate::new).collect()
}

/// What is written.
#[derive(Debug, Subcommand)]
pub enum ExportWhat {
    /// The checksums of a game as its checksums have them: FILE.b3 for `b3sum -c`, FILE.sha256 for `sha256sum -c`, from within its folder.
    Checksums {
        /// The game, by title or a part of it, or by id.
        #[arg(add = ArgValueCandidates::new(games))]
        game: String,
        #[command(flatten)]
        out: Out,
    },
    /// All games: FILE.csv or FILE.json.
    Games {
        #[command(flatten)]
        out: Out,
    },
    /// All drives.
    Drives {
        #[command(flatten)]
        out: Out,
    },
    /// The libraries of all launchers.
    Libraries {
        #[command(flatten)]
        out: Out,
    },
    /// User data of all games.
    Data {
        #[command(flatten)]
        out: Out,
    },
    /// Every record of every game: file, location, text, and whether it is sound.
    Records {
        #[command(flatten)]
        out: Out,
    },
    /// What is lying about.
    Cleanup {
        #[command(flatten)]
        out: Out,
    },
    /// The items of a plan.
    Plan {
        #[command(flatten)]
        wish: Box<Wish>,
        #[command(flatten)]
        out: Out,
    },
    /// The proofs of all items that the log has.
    Proofs {
        #[command(flatten)]
        out: Out,
    },
    /// All items of all hauls.
    Log {
        #[command(flatten)]
        out: Out,
    },
}

/// Where something goes.
#[derive(Clone, Debug, Args)]
pub struct Out {
    /// The file; its ending says what it becomes. One that is there is not overwritten.
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,
    /// Write over a file that is there.
    #[arg(long)]
    pub overwrite: bool,
}

#[derive(Debug, Args)]
pub struct Traced {
    /// The folder of a game, or any other path.
    pub path: PathBuf,
    /// Look in these folders only, instead of in all where programs keep such things.
    #[arg(long = "in", value_name = "FOLDER", num_args = 1..)]
    pub places: Vec<PathBuf>,
}

/// What may be done about a find; each is a haul that can be undone until it is released.
#[derive(Debug, Subcommand)]
pub enum CleanupRequest {
    /// Compare an old copy with the installed game, and hold it; `release` then lets go of what is the same.
    Release(Settled),
    /// Set a folder aside beside its place, and hold it; `release` then lets go of it for good.
    Quarantine(Settled),
    /// Take a link away that leads nowhere.
    RemoveLink(Settled),
    /// Take the entry of a game that is not there off its launcher's list.
    Forget(Settled),
}

#[derive(Debug, Subcommand)]
pub enum PackAct {
    /// Haul it to a drive, or leave it where it is; put installers, a card and the list of checksums beside it.
    Make {
        /// A launcher, by name or id, or the folder of a library, or any folder.
        what: String,
        /// The drive, by name or digit; without it it stays where it is.
        #[arg(long, value_name = "DRIVE")]
        to: Option<String>,
        #[command(flatten)]
        consent: Consent,
    },
    /// Say what a carried folder needs and this machine lacks, and how its records are led to where it lies now.
    Check {
        /// The carried folder.
        folder: PathBuf,
    },
}

#[derive(Debug, Args)]
pub struct Auditing {
    /// Games, by title or a part of it, or by id; or drives, by name or digit; without any, all games that checksums are kept of.
    #[arg(add = ArgValueCandidates::new(games))]
    pub what: Vec<String>,
    /// Read every byte and keep a new checksums, to audit against later.
    #[arg(long)]
    pub keep: bool,
    /// Bring what is damaged or missing from another copy that has the very bytes that were kept.
    #[arg(long, conflicts_with = "keep")]
    pub repair: bool,
    /// A folder with another copy of the game, beside those that the log knows.
    #[arg(long, value_name = "FOLDER", requires = "repair")]
    pub from: Vec<PathBuf>,
}

#[derive(Debug, Args)]
pub struct Importing {
    /// The folder.
    pub path: PathBuf,
    /// The launcher and its id of the game, as LAUNCHER/ID; without it the content list that the folder fits decides.
    #[arg(long = "as", value_name = "LAUNCHER/ID")]
    pub as_game: Option<String>,
    /// The title; without it as the content list says.
    #[arg(long)]
    pub title: Option<String>,
    /// The program that starts it, below the folder; without it as the content list says.
    #[arg(long)]
    pub program: Option<String>,
    /// The drive to bring it to; without it it stays on its own.
    #[arg(long, value_name = "DRIVE")]
    pub to: Option<String>,
    /// Bring the files to where the launcher looks, and say what to do there, act by act, watching its records.
    #[arg(long)]
    pub guided: bool,
    #[command(flatten)]
    pub consent: Consent,
}

/// Which find, and whether it is agreed to.
#[derive(Clone, Debug, Args)]
pub struct Settled {
    /// Its path, as `finds` shows it.
    pub path: PathBuf,
    #[command(flatten)]
    pub consent: Consent,
}

/// Whether something is only looked at, or agreed to.
#[derive(Clone, Copy, Debug, Default, Args)]
pub struct Consent {
    /// Accept warnings, and do not ask.
    #[arg(long)]
    pub yes: bool,
    /// Show what would be done, and write nothing.
    #[arg(long)]
    pub plan: bool,
}

#[derive(Debug, Subcommand)]
pub enum DataAct {
    /// Show user data with its size and the ways in which it can be moved, shortcuts, and links.
    List,
    /// Say that a folder holds user data of a game: it is written into the list of your settings.
    Add {
        /// The game, by title or a part of it, or by id.
        game: String,
        /// The folder, or the link to it, where programs look for it.
        path: PathBuf,
        /// What it is.
        #[arg(long, value_enum, default_value_t = Kind::Saves)]
        kind: Kind,
    },
    /// Take a folder off the list of your settings. The folder stays.
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

/// How user data goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub enum By {
    /// A link at the old place leads to the new one.
    Link,
    /// The game's own setting says the new place.
    Setting,
    /// The desktop's user directory is another one from then on.
    Directory,
}

#[derive(Debug, Subcommand)]
pub enum LibraryAct {
    /// Make a library on a drive and make it known to its launcher. A return takes it away again.
    New {
        /// The launcher, by name or id.
        launcher: String,
        /// The drive, by name or digit.
        drive: String,
    },
    /// Let new installs go to this library.
    Default {
        /// The launcher, by name or id.
        launcher: String,
        /// The folder of the library, or the drive it lies on.
        library: String,
    },
}

/// What is learned.
#[derive(Debug, Default, clap::Args)]
pub struct Learning {
    /// Folders of games: only the launchers that have games there or beside them are learned.
    #[arg(value_name = "PATH")]
    pub paths: Vec<PathBuf>,
    /// Answer every question with the likeliest answer, and say which it was.
    #[arg(long, short)]
    pub yes: bool,
    /// Wait while you install or move one small game with its launcher, and learn from what that changes.
    #[arg(long)]
    pub watch: bool,
}

#[derive(Debug, Subcommand)]
pub enum ProfileAct {
    /// Say of every record of a profile whether it was found, and where it says something else.
    Check {
        /// The file, or the id of a profile in the profile folder; without it all of them.
        #[arg(value_name = "ID|FILE")]
        profile: Option<String>,
        /// Move each game in memory as well: nothing may be left behind, no other game's record may change, and undone it must be the same bytes.
        #[arg(long)]
        rehearse: bool,
    },
}

/// What a suggestion should come to.
#[derive(Debug, Subcommand)]
pub enum Suggest {
    /// Make room on a drive with the fewest and least played games.
    Free {
        /// The drive, by name or digit.
        drive: String,
        /// How much, such as 120GB.
        #[arg(value_parser = |text: &str| text.parse::<Bytes>())]
        size: Bytes,
        #[command(flatten)]
        more: Suggested,
    },
    /// Send everything off a drive.
    Empty {
        /// The drive, by name or digit.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        #[command(flatten)]
        more: Suggested,
    },
    /// Bring what was played last to a drive, as much as it holds.
    Played {
        /// The drive, by name or digit.
        #[arg(add = ArgValueCandidates::new(drives))]
        drive: String,
        #[command(flatten)]
        more: Suggested,
    },
    /// Give every drive its reserve.
    Reserves {
        #[command(flatten)]
        more: Suggested,
    },
}

#[derive(Debug, Args)]
pub struct Suggested {
    /// Reckon with a drive that is not there yet: NAME:SIZE[:KIND[:FILE-SYSTEM]], such as crate:2TB:ssd:ext4.
    #[arg(long, value_name = "DRIVE")]
    pub what_if: Vec<WhatIf>,
    /// Write the suggestion to a file as a draft, for `plan --from` and `haul --from`. A file that is there is not overwritten.
    #[arg(long, value_name = "FILE")]
    pub save: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub struct Going {
    /// For the interface: goes on in a session of its own, and tells what it does in a file of the state folder.
    #[arg(long, hide = true)]
    pub apart: bool,
    /// Number of a haul whose records a launcher has written back: they are updated again.
    pub haul: Option<i64>,
    #[command(flatten)]
    pub pace: Pace,
    /// Say yes to a haul that waits after its first game.
    #[arg(long)]
    pub yes: bool,
}

#[derive(Debug, Args)]
pub struct Wish {
    /// Games, by title or a part of it, id, or folder; GAME=DRIVE sends one elsewhere than the others.
    #[arg(required_unless_present_any = ["traced", "from"], value_name = "GAME[=DRIVE]", add = ArgValueCandidates::new(games))]
    pub games: Vec<String>,
    /// Take the games and their destinations from a draft: its file, or the name it was saved under in the interface.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["games", "traced", "to"])]
    pub from: Option<PathBuf>,
    /// Write what is wished for to a file, as a draft. A file that is there is not overwritten.
    #[arg(long, value_name = "FILE")]
    pub save: Option<PathBuf>,
    /// Plan for a drive that is not there yet: NAME:SIZE[:KIND[:FILE-SYSTEM]], such as crate:2TB:ssd:ext4.
    #[arg(long, value_name = "DRIVE")]
    pub what_if: Vec<WhatIf>,
    /// Let the smallest game go through to its proof first; `resume --yes` then goes on with the others.
    #[arg(long)]
    pub try_first: bool,
    /// A folder whose records are traced first: moves a game whose launcher no profile describes.
    #[arg(long, value_name = "PATH")]
    pub traced: Vec<PathBuf>,
    /// Leave places of the traced folder as they are, by the numbers that `trace` shows without --in.
    #[arg(long, value_name = "NUMBER", requires = "traced", value_delimiter = ',')]
    pub leave: Vec<usize>,
    /// Rewrite places of the traced folder that would be left, such as one in a backup, by the same numbers.
    #[arg(long, value_name = "NUMBER", requires = "traced", value_delimiter = ',')]
    pub take: Vec<usize>,
    /// The drive, by name or digit, or the folder of a library on it.
    #[arg(long, value_name = "DRIVE", add = ArgValueCandidates::new(drives))]
    pub to: Option<String>,
    /// Send the user data of the games along.
    #[arg(long)]
    pub with_data: bool,
    /// How user data goes; without it as `data list` shows first.
    #[arg(long, value_enum, value_name = "WAY")]
    pub by: Option<By>,
    /// Leave a link at the old place of the games, which leads to the new one.
    #[arg(long)]
    pub leave_link: bool,
    /// Accept warnings, and do not ask.
    #[arg(long)]
    pub yes: bool,
    /// Release the originals as soon as their game is proved.
    #[arg(long)]
    pub release: bool,
    /// Make a drive letter of a compatibility layer where a record needs one.
    #[arg(long)]
    pub make_letters: bool,
    /// On a drive without links, let copies of the files stand where links to them were.
    #[arg(long)]
    pub copy_links: bool,
    /// Move folders that no record points to as they are.
    #[arg(long)]
    pub loose: bool,
    #[command(flatten)]
    pub pace: Pace,
}

/// How hard a haul works the drives.
#[derive(Clone, Copy, Debug, Default, Args)]
pub struct Pace {
    /// Copy so many megabytes per second at most; 0 sets no limit. A haul that goes on keeps the one it had.
    #[arg(long, value_name = "MB/S", value_parser = clap::value_parser!(u64).range(0..=1_000_000))]
    pub limit: Option<u64>,
    /// Let the reads and writes of all other programs go first.
    #[arg(long)]
    pub gentle: bool,
}

#[derive(Debug, Args)]
pub struct Taking {
    /// The file that cannot be read: its path, or the part of it below the game's folder.
    pub file: PathBuf,
    /// The other copy. It has to have the hash that the launcher wants, or be the same wherever the file could be read.
    #[arg(long, value_name = "COPY")]
    pub from: PathBuf,
}

#[derive(Debug, Args)]
pub struct Which {
    /// Number of the haul, as `log` shows it.
    pub haul: Option<i64>,
    /// Do not ask.
    #[arg(long)]
    pub yes: bool,
}

#[derive(Debug, Args)]
pub struct Letting {
    #[command(flatten)]
    pub which: Which,
    /// Read every byte of the copies and of the originals before anything is deleted.
    #[arg(long)]
    pub verify: bool,
}

#[derive(Debug, Args)]
pub struct Back {
    #[command(flatten)]
    pub which: Which,
    /// Give up only the games that are not repointed yet, and leave the others where they are now.
    #[arg(long)]
    pub rest: bool,
    /// End the haul even if something can't be removed safely, or the copy's drive is lost: what is there stays as it is, and is listed;
    /// kept originals are used again.
    #[arg(long)]
    pub leave: bool,
    /// Return only these games of the haul, by title or a part of it.
    #[arg(long, value_name = "GAME", conflicts_with = "rest", num_args = 1..)]
    pub only: Vec<String>,
}

#[derive(Debug, Args)]
pub struct What {
    /// A game, or the number of a haul; without it the newest haul.
    #[arg(value_name = "GAME|HAUL")]
    pub what: Option<String>,
}
