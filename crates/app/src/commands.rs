//! Commands: everything a person can ask for, as data. Keys, hints, help, palette and the settings file are made of this table.
//!
//! Law: no command does something irreversible; what lets go of anything asks first. Start at [`COMMANDS`].

use deft_barge_core::platform::CAN_STOP;
use deft_barge_core::survey::CleanupAct;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// The views, in the order of the top line.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum View {
    Drives,
    Haul,
    Running,
    Proof,
    Log,
    Records,
    Cleanup,
}

impl View {
    pub const ALL: [Self; 7] =
        [Self::Drives, Self::Haul, Self::Running, Self::Proof, Self::Log, Self::Records, Self::Cleanup];

    pub fn name(self) -> &'static str {
        match self {
            Self::Drives => "Drives",
            Self::Haul => "Haul",
            Self::Running => "Running",
            Self::Proof => "Proof",
            Self::Log => "Log",
            Self::Records => "Records",
            Self::Cleanup => "Cleanup",
        }
    }
}

/// What is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wish {
    Show(View),
    Down,
    Up,
    Left,
    Right,
    PageDown,
    PageUp,
    First,
    Last,
    NextPart,
    PreviousPart,
    /// What Enter does in a view.
    Open,
    Send(u8),
    Keep,
    Mark,
    MarkAll,
    Sort,
    Filter,
    Scale,
    /// Asks for a drive, of all that there are.
    ToDrive,
    UserData,
    OtherWay,
    LeaveLink,
    Launch,
    Room,
    Empty,
    Played,
    Reserves,
    SaveDraft,
    OpenDraft,
    NewLibrary,
    TakesInstalls,
    Trace,
    Audit,
    KeepChecksums,
    Pack,
    CheckPack,
    Probe,
    WhatIf,
    ListData,
    ForgetData,
    Accept,
    MakeLetters,
    CopyLinks,
    MoveLoose,
    /// Choose which places that a trace found are rewritten.
    Places,
    TryFirst,
    Policy,
    Files,
    Start,
    Pause,
    Slower,
    Faster,
    Resume,
    Cancel,
    CancelItem,
    RepairCopy,
    Release,
    Undo,
    Bell,
    Gentle,
    LeaveRunning,
    Verify,
    Repair,
    NextDifference,
    PreviousDifference,
    Export,
    Learn,
    Watch,
    CheckProfiles,
    Remap,
    /// Does what fits a find.
    Act(CleanupAct),
    Guided,
    Demo,
    Draw,
    Table,
    Report,
    Refresh,
    Theme,
    Palette,
    Find,
    Help,
    Back,
    Quit,
    Suspend,
}

/// Where a command counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Where {
    Everywhere,
    In(View),
}

/// One thing that a person can ask for.
#[derive(Debug)]
pub struct Command {
    /// Its name in the settings file.
    pub name: &'static str,
    pub place: Where,
    pub wish: Wish,
    /// Its usual keys.
    pub keys: &'static [&'static str],
    /// What it does, for help and palette.
    pub words: &'static str,
    /// The same in a word, for the line below; empty if it does not stand there.
    pub short: &'static str,
}

const fn command(
    name: &'static str,
    place: Where,
    wish: Wish,
    keys: &'static [&'static str],
    words: &'static str,
    short: &'static str,
) -> Command {
    Command { name, place, wish, keys, words, short }
}

use Where::{Everywhere as ALL, In};
const DRIVES: Where = In(View::Drives);
const HAUL: Where = In(View::Haul);
const RUNNING: Where = In(View::Running);
const PROOF: Where = In(View::Proof);
const LOG: Where = In(View::Log);
const RECORDS: Where = In(View::Records);
const CLEANUP: Where = In(View::Cleanup);

/// All commands. Digits stand apart: they belong to drives, and send there what is under the cursor.
#[rustfmt::skip]
pub const COMMANDS: &[Command] = &[
    command("mark", DRIVES, Wish::Mark, &["space"], "mark this game; a drive's number sends all marked ones", "mark"),
    command("mark-all", DRIVES, Wish::MarkAll, &["*"], "mark all games of the list, or none", ""),
    command("to-drive", ALL, Wish::ToDrive, &["#"], "choose a drive by its name, also one without a number", ""),
    command("keep", DRIVES, Wish::Keep, &["0"], "leave the game where it is", "stays"),
    command("review", DRIVES, Wish::Open, &["enter"], "review the haul before it starts", "haul"),
    command("sort", DRIVES, Wish::Sort, &["s"], "sort by size, last run, launcher or title", "sort"),
    command("filter", DRIVES, Wish::Filter, &["f"], "show all games, those that fit elsewhere, those with updates, or those on the haul", "filter"),
    command("scale", DRIVES, Wish::Scale, &["%"], "draw drives to a linear or a square-root scale", ""),
    command("user-data", DRIVES, Wish::UserData, &["i"], "choose what drive numbers send: the game, or its saves and mods", "data"),
    command("other-way", DRIVES, Wish::OtherWay, &["V"], "send that user data in another way: link, setting or user directory", ""),
    command("leave-link", DRIVES, Wish::LeaveLink, &["@"], "leave a link at the old place of the game, or not", ""),
    command("make-room", DRIVES, Wish::Room, &["M"], "suggest what makes room on this drive", "room"),
    command("empty-drive", DRIVES, Wish::Empty, &["e"], "suggest where everything on this drive can go", "empty"),
    command("bring-played", DRIVES, Wish::Played, &["B"], "suggest what was played last for this drive", ""),
    command("give-reserves", DRIVES, Wish::Reserves, &["$"], "suggest what gives every drive its reserve", ""),
    command("save-draft", DRIVES, Wish::SaveDraft, &["w"], "save this haul's draft under a name", ""),
    command("open-draft", DRIVES, Wish::OpenDraft, &["O"], "open a saved draft", ""),
    command("what-if", DRIVES, Wish::WhatIf, &["+"], "plan with a drive you don't have yet", ""),
    command("measure-drive", DRIVES, Wish::Probe, &["b"], "measure how fast this drive reads and writes", ""),
    command("play", DRIVES, Wish::Launch, &["p"], "launch this game and see it come up", "launch"),
    command("audit", DRIVES, Wish::Audit, &["v"], "audit this game: compare it with its kept checksums", ""),
    command("keep-checksums", DRIVES, Wish::KeepChecksums, &["A"], "keep checksums of this game, to audit it later", ""),
    command("list-data", DRIVES, Wish::ListData, &["U"], "add a folder to this game's user data", ""),
    command("forget-data", DRIVES, Wish::ForgetData, &[], "remove a folder from this game's user data; the folder stays", ""),
    command("pack", DRIVES, Wish::Pack, &["ctrl-p"], "pack: put a library or a portable launcher on this drive, with what another PC needs", ""),
    command("check-pack", DRIVES, Wish::CheckPack, &["c"], "check what a packed folder needs here", ""),
    command("demo", DRIVES, Wish::Demo, &[], "make the demo world and try everything in it", ""),
    command("next-drive", DRIVES, Wish::NextPart, &["tab", "J"], "next drive", ""),
    command("previous-drive", DRIVES, Wish::PreviousPart, &["shift-tab", "K"], "previous drive", ""),

    command("start", HAUL, Wish::Start, &["S"], "start the haul", "start"),
    command("accept", HAUL, Wish::Accept, &["a"], "accept the warnings", "accept"),
    command("try-first", HAUL, Wish::TryFirst, &["Z"], "let the smallest game be tried first, or not", "try one first"),
    command("files", HAUL, Wish::Files, &["enter"], "show what would be written file by file", "files"),
    command("originals", HAUL, Wish::Policy, &["Y"], "keep the originals until you release them, or delete them as soon as each game is proved", ""),
    command("make-letters", HAUL, Wish::MakeLetters, &[","], "make missing drive letters, or not", ""),
    command("copy-links", HAUL, Wish::CopyLinks, &["C"], "copy files where links were, or not", ""),
    command("move-loose", HAUL, Wish::MoveLoose, &["N"], "move folders that no record points to, or not", ""),
    command("choose-places", HAUL, Wish::Places, &["."], "choose which of the places found are rewritten", "places"),
    command("next-change", HAUL, Wish::NextPart, &["tab", "J"], "next records of this item", ""),
    command("previous-change", HAUL, Wish::PreviousPart, &["shift-tab", "K"], "previous records of this item", ""),

    command("pause", RUNNING, Wish::Pause, &["z"], "pause at the next block", "pause"),
    command("resume", RUNNING, Wish::Resume, &["y"], "resume", "resume"),
    command("slower", RUNNING, Wish::Slower, &["<"], "copy slower", "slower"),
    command("faster", RUNNING, Wish::Faster, &[">"], "copy faster", "faster"),
    command("cancel", RUNNING, Wish::Cancel, &["x"], "cancel: stop, and undo what was done or what is unfinished", "cancel"),
    command("cancel-item", RUNNING, Wish::CancelItem, &["X"], "cancel the item under the cursor alone; the others go on", "cancel item"),
    command("repair-copy", RUNNING, Wish::RepairCopy, &["m"], "repair an unreadable file from another copy", ""),
    command("release", RUNNING, Wish::Release, &["o"], "release: delete the kept originals", "release"),
    command("undo", RUNNING, Wish::Undo, &["u"], "undo the haul", "undo"),
    command("bell", RUNNING, Wish::Bell, &["!"], "ring the bell and set the title when it is done, or not", "bell"),
    command("gentle", RUNNING, Wish::Gentle, &["~"], "let other programs read and write first, or not; from the next start on", ""),
    command("leave-running", RUNNING, Wish::LeaveRunning, &["&"], "quit the interface; the haul continues", ""),

    command("look-closer", PROOF, Wish::Open, &["enter"], "open the folder, or look at the blocks and differing bytes of the file", "closer"),
    command("verify", PROOF, Wish::Verify, &["v"], "verify: read every byte again and see what would be downloaded", "verify"),
    command("next-difference", PROOF, Wish::NextDifference, &["]"], "to the next file that differs, is missing or is new", "next difference"),
    command("previous-difference", PROOF, Wish::PreviousDifference, &["["], "to the one before", ""),
    command("repair", PROOF, Wish::Repair, &["m"], "repair what differs or is missing, from another copy", "repair"),
    command("play-proved", PROOF, Wish::Launch, &["p"], "launch the game and see it come up", "launch"),
    command("release-proved", PROOF, Wish::Release, &["o"], "release: delete the originals that this haul keeps", "release"),
    command("undo-proved", PROOF, Wish::Undo, &["u"], "undo this haul", "undo"),
    command("export", PROOF, Wish::Export, &["w"], "write the list of checksums to a file", "export"),
    command("next-item", PROOF, Wish::NextPart, &["tab", "J"], "next item of the haul", "next item"),
    command("previous-item", PROOF, Wish::PreviousPart, &["shift-tab", "K"], "previous item of the haul", ""),

    command("open-proof", LOG, Wish::Open, &["enter"], "look at this haul's proof", "proof"),
    command("release-haul", LOG, Wish::Release, &["o"], "release: delete the originals that this haul keeps", "release"),
    command("undo-haul", LOG, Wish::Undo, &["u"], "undo this haul", "undo"),
    command("audit-haul", LOG, Wish::Audit, &["v"], "audit the games of this haul", "audit"),
    command("export-haul", LOG, Wish::Export, &["w"], "write the checksums of this haul to a file", "export"),

    command("unfold", RECORDS, Wish::Open, &["enter"], "unfold, or fold", "unfold"),
    command("trace", RECORDS, Wish::Trace, &["t"], "trace: find every place where a path is written down", "trace"),
    command("learn", RECORDS, Wish::Learn, &["n"], "learn launchers that aren't known yet from the games that are installed", "learn"),
    command("watch", RECORDS, Wish::Watch, &["ctrl-n"], "learn from what a launcher changes while you install or move a small game with it", ""),
    command("check-profiles", RECORDS, Wish::CheckProfiles, &["c"], "check every profile against this machine", "check"),
    command("new-library", RECORDS, Wish::NewLibrary, &["+"], "make a library of this launcher: press a drive's number", ""),
    command("takes-installs", RECORDS, Wish::TakesInstalls, &["^"], "let new installs go to this library", ""),
    command("remap", RECORDS, Wish::Remap, &["="], "remap: update all records below an old path to a new one", "remap"),

    command("import", CLEANUP, Wish::Act(CleanupAct::Import), &["I"], "import: make it an installed game", "import"),
    command("import-guided", CLEANUP, Wish::Guided, &["ctrl-g"], "import it with the launcher, step by step", ""),
    command("release-copy", CLEANUP, Wish::Act(CleanupAct::Release), &["o"], "verify it against the installed game, then release it", "release"),
    command("quarantine", CLEANUP, Wish::Act(CleanupAct::Quarantine), &["Q"], "quarantine it: rename it, keep it until released", "quarantine"),
    command("remove-link", CLEANUP, Wish::Act(CleanupAct::RemoveLink), &["-"], "remove the link", ""),
    command("forget-entry", CLEANUP, Wish::Act(CleanupAct::Forget), &["_"], "remove the entry from its launcher's list", ""),
    command("remap-drive", CLEANUP, Wish::Act(CleanupAct::Remap), &["="], "remap: update all records to where the drive is now", "remap"),
    command("trace-find", CLEANUP, Wish::Trace, &["t"], "trace it: find every place where its path is written down", "trace"),

    command("down", ALL, Wish::Down, &["down", "j"], "down", ""),
    command("up", ALL, Wish::Up, &["up", "k"], "up", ""),
    command("right", ALL, Wish::Right, &["right", "l"], "right: the next block in the drawing, or unfold", ""),
    command("left", ALL, Wish::Left, &["left", "h"], "left: the block before it, or fold", ""),
    command("page-down", ALL, Wish::PageDown, &["page-down", "ctrl-f", "ctrl-d"], "a page down", ""),
    command("page-up", ALL, Wish::PageUp, &["page-up", "ctrl-b", "ctrl-u"], "a page up", ""),
    command("first", ALL, Wish::First, &["home", "g"], "to the first line", ""),
    command("last", ALL, Wish::Last, &["end", "G"], "to the last line", ""),
    command("find", ALL, Wish::Find, &["/"], "find a game by a few letters; in the Log, search it", "find"),
    command("palette", ALL, Wish::Palette, &[":"], "all commands by their words", "commands"),
    command("drives", ALL, Wish::Show(View::Drives), &["D"], "Drives: what is where, what fits where", ""),
    command("haul", ALL, Wish::Show(View::Haul), &["H"], "Haul: what exactly will happen", ""),
    command("running", ALL, Wish::Show(View::Running), &["R"], "Running: how far it is", ""),
    command("proof", ALL, Wish::Show(View::Proof), &["P"], "Proof: is it the same", ""),
    command("log", ALL, Wish::Show(View::Log), &["L"], "Log: what was done, what is still kept", ""),
    command("records", ALL, Wish::Show(View::Records), &["E"], "Records: where is it written down", ""),
    command("cleanup", ALL, Wish::Show(View::Cleanup), &["F"], "Cleanup: what is lying around", ""),
    command("draw", ALL, Wish::Draw, &["d"], "draw what this view shows into SVG files in the home folder", ""),
    command("table", ALL, Wish::Table, &["T"], "write what this view lists into a CSV file in the home folder", ""),
    command("report", ALL, Wish::Report, &["W"], "write the report of this haul, or of the newest one, into a PDF file in the home folder", ""),
    command("refresh", ALL, Wish::Refresh, &["r", "f5"], "refresh drives and games", ""),
    command("theme", ALL, Wish::Theme, &["ctrl-t"], "light or dark", ""),
    command("help", ALL, Wish::Help, &["?", "f1"], "these keys", "keys"),
    command("back", ALL, Wish::Back, &["esc"], "back; the plan is kept", ""),
    command("leave", ALL, Wish::Quit, &["q", "ctrl-c"], "quit; asks while something runs", ""),
    command("suspend", ALL, Wish::Suspend, if CAN_STOP { &["ctrl-z"] } else { &[] }, "stop the program, as shells do", ""),
];

/// Every command by its name, with its usual keys and what it does.
pub fn usual_keys() -> impl Iterator<Item = (&'static str, &'static [&'static str], &'static str)> {
    COMMANDS.iter().map(|command| (command.name, command.keys, command.words))
}

/// A key, with Ctrl or without.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Press {
    pub code: KeyCode,
    pub ctrl: bool,
}

const NAMED: [(&str, KeyCode); 15] = [
    ("enter", KeyCode::Enter),
    ("esc", KeyCode::Esc),
    ("tab", KeyCode::Tab),
    ("shift-tab", KeyCode::BackTab),
    ("up", KeyCode::Up),
    ("down", KeyCode::Down),
    ("left", KeyCode::Left),
    ("right", KeyCode::Right),
    ("page-up", KeyCode::PageUp),
    ("page-down", KeyCode::PageDown),
    ("home", KeyCode::Home),
    ("end", KeyCode::End),
    ("insert", KeyCode::Insert),
    ("delete", KeyCode::Delete),
    ("backspace", KeyCode::Backspace),
];

impl Press {
    pub fn of(event: KeyEvent) -> Option<Self> {
        if event.modifiers.contains(KeyModifiers::ALT) {
            return None;
        }
        Some(Self { code: event.code, ctrl: event.modifiers.contains(KeyModifiers::CONTROL) })
    }

    /// Reads a key as the settings file writes it: `x`, `X`, `ctrl-x`, `space`, `page-down`, `f5`.
    pub fn read(text: &str) -> Option<Self> {
        let (ctrl, name) = text.strip_prefix("ctrl-").map_or((false, text), |rest| (true, rest));
        let letters: Vec<char> = name.chars().collect();
        let code = match letters.as_slice() {
            [only] => Some(KeyCode::Char(*only)),
            _ if name == "space" => Some(KeyCode::Char(' ')),
            ['f', digits @ ..] => {
                digits.iter().collect::<String>().parse().ok().filter(|n| (1..=12).contains(n)).map(KeyCode::F)
            }
            _ => None,
        };
        let named = NAMED.iter().find(|(word, _)| *word == name).map(|(_, code)| *code);
        named.or(code).map(|code| Self { code, ctrl })
    }

    /// Whether it is a drive's number.
    fn is_digit(self) -> bool {
        !self.ctrl && matches!(self.code, KeyCode::Char('1'..='9'))
    }
}

impl std::fmt::Display for Press {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let ctrl = if self.ctrl { "ctrl-" } else { "" };
        match self.code {
            KeyCode::Char(' ') => write!(f, "{ctrl}space"),
            KeyCode::Char(c) => write!(f, "{ctrl}{c}"),
            KeyCode::Up => write!(f, "{ctrl}↑"),
            KeyCode::Down => write!(f, "{ctrl}↓"),
            KeyCode::Left => write!(f, "{ctrl}←"),
            KeyCode::Right => write!(f, "{ctrl}→"),
            KeyCode::F(n) => write!(f, "{ctrl}f{n}"),
            code => {
                let named = NAMED.iter().find(|(_, other)| *other == code).map_or("?", |(name, _)| name);
                write!(f, "{ctrl}{named}")
            }
        }
    }
}

/// Which key asks for which command.
#[derive(Clone, Debug)]
pub struct KeyMap {
    keys: Vec<Vec<Press>>,
}

impl Default for KeyMap {
    fn default() -> Self {
        let of = |command: &Command| command.keys.iter().filter_map(|key| Press::read(key)).collect();
        Self { keys: COMMANDS.iter().map(of).collect() }
    }
}

impl KeyMap {
    /// Gives a command other keys.
    ///
    /// # Errors
    /// A sentence, if there is no such command or key, or the key means something else in the same view.
    pub fn set(&mut self, name: &str, keys: &[String]) -> Result<(), String> {
        let at =
            COMMANDS.iter().position(|command| command.name == name).ok_or(format!("no command is called {name:?}"))?;
        let mut presses = Vec::new();
        for key in keys {
            let press = Press::read(key).ok_or(format!("{key:?} isn't a key"))?;
            if press.is_digit() {
                return Err(format!("{key:?} is a drive's number"));
            }
            presses.push(press);
        }
        self.keys[at] = presses;
        Ok(())
    }

    /// Two commands that one key means in one view; `None` if there are none.
    pub fn clash(&self) -> Option<(Press, &'static str, &'static str)> {
        for (n, one) in COMMANDS.iter().enumerate() {
            for (k, other) in COMMANDS.iter().enumerate().skip(n + 1) {
                let together = one.place == ALL || other.place == ALL || one.place == other.place;
                let shared = self.keys[n].iter().find(|key| self.keys[k].contains(key));
                if let (true, Some(key)) = (together, shared) {
                    return Some((*key, one.name, other.name));
                }
            }
        }
        None
    }

    /// What a key asks for in a view.
    pub fn wish(&self, event: KeyEvent, view: View) -> Option<Wish> {
        let press = Press::of(event)?;
        let here = |(n, command): &(usize, &Command)| {
            (command.place == ALL || command.place == In(view)) && self.keys[*n].contains(&press)
        };
        if let Some((_, command)) = COMMANDS.iter().enumerate().find(here) {
            return Some(command.wish);
        }
        match press.code {
            KeyCode::Char(digit) if press.is_digit() => Some(Wish::Send(digit as u8 - b'0')),
            _ => None,
        }
    }

    /// The first key of a wish in a view, as it is written; empty if it has none.
    pub fn name(&self, wish: Wish, view: View) -> String {
        let here = |(_, command): &(usize, &Command)| {
            command.wish == wish && (command.place == ALL || command.place == In(view))
        };
        let at = COMMANDS.iter().enumerate().find(here).map(|(n, _)| n);
        at.and_then(|n| self.keys[n].first()).map_or_else(String::new, Press::to_string)
    }

    /// The keys of a command, as they are written.
    pub fn names(&self, at: usize) -> String {
        self.keys[at].iter().map(Press::to_string).collect::<Vec<_>>().join(" ")
    }

    /// The commands of a view with their keys, those of its own first.
    pub fn help(&self, view: View) -> Vec<(String, &'static str)> {
        let digits = match view {
            View::Drives => "send the marked games, or the one under the cursor, to that drive",
            View::Cleanup => "bring it to that drive",
            View::Records => "make a library of this launcher on that drive",
            _ => "",
        };
        let digits = (!digits.is_empty()).then(|| ("1 to 9".to_string(), digits));
        let keyed = |(n, command): (usize, &Command)| (self.names(n), command.words);
        let all = COMMANDS.iter().enumerate().filter(|(n, _)| !self.keys[*n].is_empty());
        let (own, common): (Vec<_>, Vec<_>) = all
            .filter(|(_, command)| command.place == ALL || command.place == In(view))
            .partition(|(_, command)| command.place != ALL);
        digits.into_iter().chain(own.into_iter().map(keyed)).chain(common.into_iter().map(keyed)).collect()
    }

    /// The line below a view: key, word and wish.
    pub fn hints(&self, view: View) -> Vec<(String, &'static str, Wish)> {
        let here = COMMANDS.iter().enumerate().filter(|(_, command)| command.place == ALL || command.place == In(view));
        let here = here.filter(|(n, command)| !command.short.is_empty() && !self.keys[*n].is_empty());
        here.map(|(n, command)| (self.keys[n][0].to_string(), command.short, command.wish)).collect()
    }
}

#[cfg(test)]
mod tests;
