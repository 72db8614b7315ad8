//! Quillgate, a stand-in launcher: rooms in one file of its home, a ledger at the top of each room,
//! content lists with SHA-1. `check` judges one game; `run` stays up and, when it ends, writes back
//! what it remembers, as launchers do.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::{Args, Parser, Subcommand};
use serde::{Deserialize, Serialize};
use sha1::{Digest, Sha1};

use crate::system::{hear_end, name_process, startable};

#[derive(Parser)]
#[command(name = "quillgate", about = "A made-up launcher that judges whether a game is whole")]
struct Arguments {
    /// Its own folder, with rooms.json in it.
    #[arg(long)]
    home: PathBuf,
    #[command(subcommand)]
    act: Act,
}

/// The game that a launcher is asked about.
#[derive(Args)]
pub(crate) struct Asked {
    /// Its id or name.
    pub(crate) game: String,
    /// Say it as JSON.
    #[arg(long)]
    pub(crate) json: bool,
}

#[derive(Subcommand)]
enum Act {
    /// Look whether a game is whole: exit 0 only if nothing would be downloaded and it could start.
    Check(Asked),
    /// Stay up until told to end, then write back what was remembered at the start.
    Run,
}

#[derive(Deserialize)]
struct Rooms {
    rooms: Vec<Room>,
}

#[derive(Deserialize)]
struct Room {
    folder: PathBuf,
}

#[derive(Deserialize)]
struct Ledger {
    holds: Option<u64>,
    titles: Vec<Title>,
}

#[derive(Deserialize)]
struct Title {
    id: String,
    name: String,
    folder: String,
    bytes: u64,
    start: String,
}

#[derive(Deserialize)]
struct Contents {
    parts: Vec<Part>,
}

#[derive(Deserialize)]
struct Part {
    path: PathBuf,
    size: u64,
    sha1: String,
}

#[derive(Deserialize)]
struct Recent {
    starts: Vec<Start>,
}

#[derive(Deserialize)]
struct Start {
    title: String,
    program: PathBuf,
}

/// What the launcher finds when it looks for a game.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Judgement {
    /// Its id.
    pub id: String,
    /// Where the ledger leads.
    pub folder: PathBuf,
    /// Files of the content list that are there and right.
    pub right: u64,
    /// Files that are missing.
    pub missing: u64,
    /// Files with another size or hash.
    pub wrong: u64,
    /// Bytes that would be downloaded.
    pub download: u64,
    /// Whether the program is there and may be started.
    pub could_start: bool,
    /// Whether every remembered start leads to a program that is there.
    pub starts_lead: bool,
}

impl Judgement {
    /// Whether the launcher would be content.
    pub fn content(&self) -> bool {
        self.download == 0 && self.could_start && self.starts_lead
    }
}

fn read<T: for<'a> Deserialize<'a>>(file: &Path) -> Result<T, String> {
    let bytes = fs::read(file).map_err(|e| format!("{}: {e}", file.display()))?;
    serde_json::from_slice(&bytes).map_err(|e| format!("{}: {e}", file.display()))
}

/// Looks for a game as the launcher would.
///
/// # Errors
/// A sentence, if a file of the launcher cannot be read or no ledger lists the game.
pub fn judge(home: &Path, game: &str) -> Result<Judgement, String> {
    let rooms: Rooms = read(&home.join("rooms.json"))?;
    for room in &rooms.rooms {
        let file = room.folder.join("ledger.json");
        if !file.exists() {
            continue;
        }
        let ledger: Ledger = read(&file)?;
        if let Some(title) = ledger.titles.iter().find(|t| t.id == game || t.name == game) {
            let mut judgement = judge_title(home, &room.folder, title)?;
            // A ledger whose sum is wrong makes the launcher look at every game anew.
            judgement.starts_lead &=
                ledger.holds.is_none_or(|sum| sum == ledger.titles.iter().map(|t| t.bytes).sum::<u64>());
            return Ok(judgement);
        }
    }
    Err(format!("no ledger lists {game}"))
}

fn judge_title(home: &Path, room: &Path, title: &Title) -> Result<Judgement, String> {
    let folder = room.join(&title.folder);
    let contents: Contents = read(&home.join("contents").join(format!("{}.json", title.id)))?;
    let (mut right, mut missing, mut wrong, mut download) = (0, 0, 0, 0);
    for part in &contents.parts {
        let file = folder.join(&part.path);
        match fs::metadata(&file) {
            Err(_) => missing += 1,
            Ok(meta) if meta.len() == part.size && sha1_of(&file).is_ok_and(|hash| hash == part.sha1) => {
                right += 1;
                continue;
            }
            Ok(_) => wrong += 1,
        }
        download += part.size;
    }
    let recent: Recent = read(&home.join("recent.json")).unwrap_or(Recent { starts: Vec::new() });
    let mut starts = recent.starts.iter().filter(|start| start.title == title.id);
    Ok(Judgement {
        id: title.id.clone(),
        could_start: startable(&folder.join(&title.start)),
        starts_lead: starts.all(|start| start.program.starts_with(&folder) && start.program.is_file()),
        folder,
        right,
        missing,
        wrong,
        download,
    })
}

fn sha1_of(file: &Path) -> std::io::Result<String> {
    let mut hash = Sha1::new();
    let mut file = fs::File::open(file)?;
    let mut buffer = vec![0; 1 << 20];
    loop {
        let count = file.read(&mut buffer)?;
        if count == 0 {
            return Ok(hash.finalize().iter().map(|byte| format!("{byte:02x}")).collect());
        }
        hash.update(&buffer[..count]);
    }
}

/// The files that the launcher holds in memory while it runs.
fn remembered(home: &Path) -> Result<BTreeMap<PathBuf, Vec<u8>>, String> {
    let rooms: Rooms = read(&home.join("rooms.json"))?;
    let mut files = vec![home.join("rooms.json"), home.join("recent.json")];
    files.extend(rooms.rooms.iter().map(|room| room.folder.join("ledger.json")));
    Ok(files.into_iter().filter_map(|file| Some((file.clone(), fs::read(file).ok()?))).collect())
}

fn run(home: &Path) -> Result<(), String> {
    // The system shows this name for the process, however the program was started.
    name_process(c"quillgate").map_err(|e| e.to_string())?;
    // Whoever reads that it is up may end it at once.
    let wait_for_end = hear_end().map_err(|e| e.to_string())?;
    let files = remembered(home)?;
    println!("Quillgate is up (process {}). It writes {} files back when it ends.", std::process::id(), files.len());
    wait_for_end();
    for (file, bytes) in files {
        fs::write(&file, bytes).map_err(|e| format!("{}: {e}", file.display()))?;
    }
    Ok(())
}

/// The arguments of a program; the exit code where they are none, which is said.
pub(crate) fn words<T: Parser>(arguments: impl IntoIterator<Item = OsString>) -> Result<T, ExitCode> {
    T::try_parse_from(arguments).map_err(|error| {
        #[expect(clippy::let_underscore_must_use, reason = "who closed the output does not want to know")]
        let _ = error.print();
        ExitCode::from(2)
    })
}

/// The program: reads its arguments, does the act, and gives the exit code.
pub fn main(arguments: impl IntoIterator<Item = OsString>) -> ExitCode {
    let arguments: Arguments = match words(arguments) {
        Ok(arguments) => arguments,
        Err(code) => return code,
    };
    let result = match &arguments.act {
        Act::Check(asked) => judge(&arguments.home, &asked.game).map(|judgement| {
            say(&judgement, asked.json);
            judgement.content()
        }),
        Act::Run => run(&arguments.home).map(|()| true),
    };
    match result {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::from(1),
        Err(what) => {
            eprintln!("quillgate: {what}");
            ExitCode::from(1)
        }
    }
}

pub(crate) fn say(judgement: &Judgement, json: bool) {
    if json {
        println!("{}", serde_json::to_string(judgement).unwrap_or_default());
        return;
    }
    println!("The launcher looks for {} in {}", judgement.id, judgement.folder.display());
    println!("  files right {}, missing {}, wrong {}", judgement.right, judgement.missing, judgement.wrong);
    println!("  would download {} B", judgement.download);
    println!("  could start: {}", if judgement.could_start { "yes" } else { "no" });
    if !judgement.starts_lead {
        println!("  a remembered start leads nowhere");
    }
}
