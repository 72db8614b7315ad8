//! A haul that goes on without the interface: a program of ours in a session of its own does it, tells what it does in a file,
//! and hears wishes from another. Format: `docs/formats.md`, "Left running".
//!
//! Law: whoever comes back sees the same haul, and nobody runs it twice: the journal's lock is with the program that does it.

use std::fs::{self, File};
use std::io::{BufRead, BufReader, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Mutex;
use std::thread;
use std::time::Duration;

use deft_barge_core::bytes::Bytes;
use deft_barge_core::haul::{Control, Haul, HaulEvent};
use deft_barge_core::journal::Journal;
use deft_barge_core::platform::{Ends, hear_ends, leave_the_terminal, words_of_process};
use deft_barge_core::site::{Site, read_text};
use serde::{Deserialize, Serialize};

use crate::present::Fault;
use crate::service::Heard;

/// The first line of what is told: whose it is.
#[derive(Debug, Serialize, Deserialize)]
struct Head {
    process: u32,
}

/// What a person wishes of it.
#[derive(Debug, Default, PartialEq, Serialize, Deserialize)]
struct Wishes {
    pause: bool,
    limit: Option<Bytes>,
}

/// What the program that runs apart tells, and what is wished of it: files of the state folder.
const TOLD: &str = "running.jsonl";
const WISHES: &str = "running-wish.json";

fn told_file(site: &Site) -> PathBuf {
    site.state_folder().join(TOLD)
}

fn wish_file(site: &Site) -> PathBuf {
    site.state_folder().join(WISHES)
}

/// Has the haul under way go on in a program of its own, which outlives this one and its terminal.
pub fn leave_running(site: &Site, limit: Option<Bytes>) -> std::io::Result<()> {
    #[expect(clippy::let_underscore_must_use, reason = "what was told before is only in the way")]
    let _ = fs::remove_file(told_file(site));
    wish(site, false, limit)?;
    let mut command = Command::new(std::env::current_exe()?);
    if let Some(world) = &site.world {
        command.arg("--world").arg(world);
    }
    command.args(["resume", "--apart"]);
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).spawn().map(drop)
}

/// Goes on with the haul under way and tells it in the file; for the program that was left running.
pub fn resume_apart(site: &Site) -> Result<u8, Fault> {
    // A terminal that closes, or Ctrl-C in it, is none of its business. It fails only for the first of a session.
    leave_the_terminal();
    let told =
        site.open_state(TOLD, false).map_err(|error| Fault::usage(format!("Cannot tell anybody: {error}."), ""))?;
    let told = Mutex::new(told);
    let tell = |line: String| {
        let mut told = told.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        #[expect(clippy::let_underscore_must_use, reason = "not to be heard is no reason to stop")]
        let _ = writeln!(told, "{line}");
    };
    tell(serde_json::to_string(&Head { process: std::process::id() }).unwrap_or_default());
    // The program that left it running may hold the lock for a moment more.
    let mut tries = 50;
    let (journal, unfinished) = loop {
        match Journal::open(site).and_then(deft_barge_core::journal::UnrecoveredJournal::recover) {
            Err(_) if tries > 0 => {
                tries -= 1;
                thread::sleep(Duration::from_millis(100));
            }
            opened => break opened?,
        }
    };
    let row = unfinished.ok_or_else(|| Fault::usage("No haul is running or unfinished.", ""))?;
    let stop = Control::default();
    listen(site, &stop);
    let report = |event: HaulEvent| tell(serde_json::to_string(&Heard::of(event)).unwrap_or_default());
    Ok(Haul::of(site, &journal, row.id)?.run(&report, &stop).map(|_| 0)?)
}

fn wishes(path: &Path) -> Wishes {
    read_text(path).ok().and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default()
}

/// Hears wishes, and the signals of a system that ends programs.
fn listen(site: &Site, stop: &Control) {
    let (path, by_wish, by_signal) = (wish_file(site), stop.clone(), stop.clone());
    // What was wished before it began counts from its first block on.
    let mut known = wishes(&path);
    stop.set_limit(known.limit);
    thread::spawn(move || {
        loop {
            let now = wishes(&path);
            if now != known {
                by_wish.set_limit(now.limit);
                if now.pause {
                    by_wish.ask();
                }
                known = now;
            }
            thread::sleep(Duration::from_millis(200));
        }
    });
    if let Err(error) = hear_ends(Ends::Apart, move || by_signal.ask()) {
        tracing::debug!(%error, "the system's wishes are not heard");
    }
}

/// Wishes something of the program that was left running.
pub fn wish(site: &Site, pause: bool, limit: Option<Bytes>) -> std::io::Result<()> {
    site.write_state(WISHES, &serde_json::to_vec(&Wishes { pause, limit })?)
}

/// The limit that was last wished of a program that was left running.
pub fn wished_limit(site: &Site) -> Option<Bytes> {
    wishes(&wish_file(site)).limit
}

/// Follows a program that was left running, from the beginning of what it told until it has ended; gives nothing if there is none.
pub fn follow(site: &Site) -> Option<Following> {
    let told = told_file(site);
    let mut file = BufReader::new(told.is_file().then(|| File::open(told).ok())??);
    let mut line = String::new();
    file.read_line(&mut line).ok()?;
    let head: Head = serde_json::from_str(&line).ok()?;
    is_ours(head.process).then_some(Following { file, process: head.process })
}

/// Whether a process is there and was left running by us.
fn is_ours(process: u32) -> bool {
    words_of_process(process).iter().any(|word| word == b"--apart")
}

/// What a program that was left running tells.
#[derive(Debug)]
pub struct Following {
    file: BufReader<File>,
    process: u32,
}

impl Following {
    /// What was told since the last time; `false` beside it once nothing more will be.
    pub fn more(&mut self) -> (Vec<Heard>, bool) {
        // What is told before the end was seen is read after it.
        let goes_on = is_ours(self.process);
        let mut heard = Vec::new();
        let mut line = String::new();
        loop {
            line.clear();
            match self.file.read_line(&mut line) {
                Ok(0) | Err(_) => break,
                // A line that is still being written is read whole the next time.
                Ok(n) if !line.ends_with('\n') => {
                    #[expect(
                        clippy::let_underscore_must_use,
                        reason = "who cannot go back reads the rest of the line, which is no line"
                    )]
                    let _ = self.file.seek(SeekFrom::Current(-(n as i64)));
                    break;
                }
                Ok(_) => heard.extend(serde_json::from_str::<Heard>(&line).ok()),
            }
        }
        (heard, goes_on)
    }
}
