//! The other stand-in launchers: each reads its own files with its own few lines, and judges where they lead.
//!
//! Law: none of them uses core. `check` judges one game; `run` stays up, and what it remembers it writes
//! back when it ends; Fathom Row's helper does so for its values alone.

mod fathom_row;
mod ninepin;
mod parlour_lamp;
mod tolliver;
mod wickerbox;

use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::{Parser, Subcommand, ValueEnum};

use crate::quillgate::{self, Asked, Judgement, say, words};
use crate::system::{CONFIG, DATA};

pub(crate) use parlour_lamp::pieces;

/// The stand-in launchers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Launcher {
    /// Rooms and ledgers in JSON.
    Quillgate,
    /// TOML and YAML, in drive letters.
    Ninepin,
    /// SQLite, with JSON in a column.
    ParlourLamp,
    /// The registry of a compatibility layer.
    FathomRow,
    /// XML, and an INI in each game.
    Tolliver,
    /// A portable launcher, in its own folder.
    Wickerbox,
}

impl Launcher {
    /// Its own folder below a home.
    pub fn home(self, home: &Path) -> PathBuf {
        match self {
            Self::Quillgate => home.join(CONFIG).join("quillgate"),
            Self::Ninepin => home.join(CONFIG).join("ninepin"),
            Self::ParlourLamp => home.join(DATA).join("parlour-lamp"),
            Self::FathomRow => home.join(CONFIG).join("fathom-row"),
            Self::Tolliver => home.join(CONFIG).join("tolliver"),
            Self::Wickerbox => home.join(DATA).join("wickerbox"),
        }
    }

    /// Looks for a game as the launcher would; `home` is its own folder.
    ///
    /// # Errors
    /// A sentence, if a file of the launcher cannot be read or it does not know the game.
    pub fn judge(self, home: &Path, game: &str) -> Result<Judgement, String> {
        match self {
            Self::Quillgate => quillgate::judge(home, game),
            Self::Ninepin => ninepin::judge(home, game),
            Self::ParlourLamp => parlour_lamp::judge(home, game),
            Self::FathomRow => fathom_row::judge(home, game),
            Self::Tolliver => tolliver::judge(home, game),
            Self::Wickerbox => wickerbox::judge(home, game),
        }
    }
}

#[derive(Parser)]
#[command(name = "stand-in", about = "A made-up launcher that judges whether a game is whole")]
struct Arguments {
    /// Which one.
    launcher: Launcher,
    /// Its own folder.
    #[arg(long)]
    home: PathBuf,
    #[command(subcommand)]
    act: Act,
}

#[derive(Subcommand)]
enum Act {
    /// Look whether a game is whole: exit 0 only if nothing would be downloaded and it could start.
    Check(Asked),
    /// Parlour Lamp takes over a folder: writes its row, looks through the files, stays up for a while, and ends.
    Light {
        /// Its key.
        game: String,
        /// The folder.
        #[arg(long)]
        at: PathBuf,
        /// For how long it stays up, in milliseconds.
        #[arg(long, default_value_t = 500)]
        stays: u64,
    },
    /// Fathom Row's helper: stay up until told to end, then write the remembered values back.
    Helper,
}

/// The program: reads its arguments, does the act, and gives the exit code.
pub fn main(arguments: impl IntoIterator<Item = OsString>) -> ExitCode {
    let arguments: Arguments = match words(arguments) {
        Ok(arguments) => arguments,
        Err(code) => return code,
    };
    let result = match &arguments.act {
        Act::Check(asked) => arguments.launcher.judge(&arguments.home, &asked.game).map(|judgement| {
            say(&judgement, asked.json);
            judgement.content()
        }),
        Act::Light { game, at, stays } => {
            parlour_lamp::light(&arguments.home, game, at, std::time::Duration::from_millis(*stays)).map(|()| true)
        }
        Act::Helper => fathom_row::help(&arguments.home).map(|()| true),
    };
    match result {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::from(1),
        Err(what) => {
            eprintln!("stand-in: {what}");
            ExitCode::from(1)
        }
    }
}

fn read(file: &Path) -> Result<String, String> {
    fs::read_to_string(file).map_err(|e| format!("{}: {e}", file.display()))
}

/// A judgement by the records alone, where a launcher has no list of files.
fn by_records(id: &str, folder: PathBuf, program: &Path, agree: bool) -> Judgement {
    let could_start = crate::system::startable(program);
    Judgement { id: id.into(), folder, right: 0, missing: 0, wrong: 0, download: 0, could_start, starts_lead: agree }
}

/// The saved games that a game of the demo finds by its own setting: the names in the folder that it says.
///
/// # Errors
/// A sentence, if the setting cannot be read or leads nowhere.
pub fn saves_of(home: &Path, game: &str) -> Result<Vec<String>, String> {
    #[derive(serde::Deserialize)]
    struct Settings {
        folders: Folders,
    }
    #[derive(serde::Deserialize)]
    struct Folders {
        saves: PathBuf,
    }
    let text = read(&home.join(CONFIG).join(game).join("settings.toml"))?;
    let settings: Settings = toml::from_str(&text).map_err(|e| e.to_string())?;
    let saves = &settings.folders.saves;
    let entries = fs::read_dir(saves).map_err(|e| format!("{}: {e}", saves.display()))?;
    let mut names: Vec<String> = entries.flatten().map(|e| e.file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    Ok(names)
}
