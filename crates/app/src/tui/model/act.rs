//! What can happen, and what the interface wants done.

use std::path::PathBuf;

use deft_barge_core::bytes::{Bytes, HaulId, ItemId};
use deft_barge_core::haul::{Closer, ListedEntry};
use deft_barge_core::item::{Finding, Policy, Proof};
use deft_barge_core::journal::{Event as LogEvent, HaulRow, History};
use deft_barge_core::plan::{Anchor, Draft, DraftFile, Import, LibraryWish, Plan, WhatIf};
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use deft_barge_core::survey::{CleanupAct, CleanupFind};
use deft_barge_core::trace::{Find, FindPlace};
use ratatui::crossterm::event::Event as Input;

use crate::tui::Task;

use crate::commands::View;

use crate::present::Fault;
use crate::service::drafts::KeptDraft;
use crate::service::{Completed, Heard, Told, Wanted};

/// What can happen.
pub enum Event {
    /// A key, the mouse, or what is pasted.
    Input(Input),
    Tick,
    /// A haul of the log was read whole.
    HaulRead(Box<HaulRow>, Vec<LogEvent>),
    Measured {
        done: usize,
        of: usize,
    },
    /// How far a search or a trace is.
    Passing(String),
    /// Drives and games by what launchers say, before anything is measured.
    Sketched(Box<Survey>),
    Surveyed(Box<Survey>, Box<Result<History, Fault>>, Vec<String>),
    /// The plan of a draft, or of an act, and the places that a trace found for it.
    Planned(Box<Plan>, Vec<Find>, Errand),
    /// List what is lying around.
    Found(Vec<CleanupFind>, Vec<Anchor>),
    Quiet(Vec<Finding>),
    /// Something that was done is said in a sentence.
    Said(String),
    /// What was typed, filled up.
    Completed(String, Completed),
    /// The drafts that are kept.
    Drafts(Vec<KeptDraft>),
    /// A draft was read.
    Opened(Box<DraftFile>),
    Heard(Heard),
    /// A haul that another program of ours does was seen to go on; `false` when it has ended.
    Elsewhere(bool),
    /// The limit that the haul under way has, or had when it was left.
    Limited(Option<Bytes>),
    /// What a task tells.
    Told(u64, Told),
    Done(u64, Result<u8, Fault>),
    Tree(ItemId, Box<Result<Vec<ListedEntry>, Fault>>),
    Closer(ItemId, PathBuf, Box<Result<Closer, Fault>>),
    Proved(HaulId, Vec<(String, Proof)>),
    Ended {
        what: LongTask,
        result: Result<(), Fault>,
    },
    /// The interface goes on in another world.
    Moved(Box<Site>),
    Terminate,
}

/// What the interface wants done.
#[derive(Clone, Debug, PartialEq)]
pub enum Act {
    Survey,
    Plan(Errand),
    /// Look for what is lying around.
    Find,
    Quiet,
    Run(LongTask),
    Pause,
    Limit(Option<Bytes>),
    /// Write a draft under a name.
    Save(String, Box<DraftFile>),
    /// List the drafts that are kept.
    Drafts,
    /// Read the draft of this name.
    Open(String),
    /// Fill up what is typed.
    Complete(Wanted, String),
    /// Do something that tells what it does in a sheet.
    Do(u64, Task),
    /// Stop what a sheet shows.
    StopTask,
    /// Answer what a sheet asks, by the number of the answer from 0.
    AnswerTask(usize),
    /// List the checksums of an item.
    Tree(ItemId),
    /// Look at one file of an item block by block.
    Closer(ItemId, PathBuf),
    /// Read a haul of the log whole.
    ReadHaul(HaulId),
    /// Draw into files of the home folder.
    Draw(Vec<Picture>),
    /// Write what a view lists into a file of the home folder.
    Table(View),
    /// Write the report of a haul into a file of the home folder.
    Report(HaulId),
    /// Ring the bell and set the title.
    Ring(String),
    /// Have the haul go on without the interface.
    Detach,
    /// Make the demo world and go on in it.
    Demo,
    Suspend,
    Leave,
}

/// What to draw.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Picture {
    Drives,
    Plan,
    Loads,
    Order,
    Games(String),
    Timeline(HaulId),
    Rate(HaulId),
    History,
}

/// What a plan is made of: the draft, or an act on something that lies about.
#[derive(Clone, Debug, PartialEq)]
pub enum Errand {
    Draft(Draft, Policy, Vec<WhatIf>),
    Removal(Box<CleanupFind>, CleanupAct),
    Import(Box<Import>),
    Remap(PathBuf, PathBuf),
    /// A folder with the records that a trace finds, to the drive of this name; of these places the other way round than the
    /// trace would have it.
    Traced(PathBuf, String, Vec<FindPlace>),
    Library(String, LibraryWish),
}

/// Work that writes, or reads every byte; one at a time.
#[derive(Clone, Debug, PartialEq)]
pub enum LongTask {
    Start(Errand),
    Resume,
    /// Say yes to a haul that waits after its first game, and go on with it.
    Agree(HaulId),
    Undo(HaulId),
    Cancel(HaulId),
    /// Give up one item, and go on with the others.
    CancelItem(HaulId, ItemId),
    Release(HaulId),
    Verify(HaulId),
}

/// What happens when what runs has come to its next block.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Leaving {
    #[default]
    No,
    /// The interface ends, and the haul is paused.
    Paused,
    /// The interface ends, and the haul goes on without it.
    Running,
}
