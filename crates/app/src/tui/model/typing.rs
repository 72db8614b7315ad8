//! A line that is being typed.

use deft_barge_core::bytes::{HaulId, ItemId};
use std::path::PathBuf;

use tui_input::Input;

use crate::service::Wanted;

/// What is being typed, and what for.
#[derive(Clone, Debug)]
pub struct Typing {
    pub what: Typed,
    pub input: Input,
    /// What it may go on with, where that is not sure.
    pub more: Vec<String>,
    /// How far back in what was typed before it is; 0 is what is typed now.
    pub back: usize,
}

impl Typing {
    pub fn new(what: Typed, text: String) -> Self {
        Self { what, input: Input::new(text), more: Vec::new(), back: 0 }
    }

    pub fn text(&self) -> &str {
        self.input.value()
    }
}

/// What a typed text is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Typed {
    /// How much room a suggestion should make.
    Room,
    /// The name that the draft is saved under.
    SaveAs,
    /// A drive that is not there yet.
    WhatIf,
    /// A path to trace.
    Trace,
    /// A folder of user data of this game.
    DataOf(String),
    /// A folder to take off the list of user data.
    ForgetData,
    /// A launcher or a folder to bring to this drive.
    Pack(String),
    /// A packed folder to check.
    CheckPack,
    /// An old path and a new one.
    Remap,
    /// The launcher and its id of the unlisted game under the cursor.
    ImportAs,
    /// Another copy of a file that cannot be read.
    RepairFrom(PathBuf),
    /// What the Log is searched for; it is shown while it is typed.
    SearchLog,
    /// The file that checksums are written to, of a haul's items or of one of them.
    ExportTo(HaulId, Option<ItemId>),
}

impl Typed {
    /// What the tab key fills it up with, if it does.
    pub fn wanted(&self) -> Option<Wanted> {
        match self {
            Self::Trace
            | Self::DataOf(_)
            | Self::ForgetData
            | Self::Pack(_)
            | Self::CheckPack
            | Self::RepairFrom(_)
            | Self::ExportTo(..) => Some(Wanted::Path),
            Self::Remap => Some(Wanted::Paths),
            Self::Room | Self::SaveAs | Self::WhatIf | Self::ImportAs | Self::SearchLog => None,
        }
    }

    /// The question before the line, and what helps to answer it.
    pub fn words(&self) -> (&'static str, &'static str) {
        match self {
            Self::Room => ("How much space to free here?", "such as 60GB"),
            Self::SaveAs => ("Save this draft as?", "enter saves"),
            Self::WhatIf => {
                ("Which drive to plan with?", "name:size[:kind[:file system]], such as crate:2TB:nvme:ext4")
            }
            Self::Trace => ("Trace which path?", "the folder of a game, or any other; tab completes"),
            Self::DataOf(_) => ("Which folder contains its user data?", "its path; tab completes"),
            Self::ForgetData => ("Remove which folder from the list?", "its path; tab completes; the folder stays"),
            Self::Pack(_) => ("Pack what here?", "a launcher's name, or the folder of a library; tab completes"),
            Self::CheckPack => ("Check which packed folder?", "its path; tab completes"),
            Self::ImportAs => ("What is it?", "LAUNCHER/ID: the profile's id, and the launcher's own id of the game"),
            Self::Remap => ("Old path and new path?", "OLD NEW; tab completes"),
            Self::RepairFrom(_) => ("Which other copy to use?", "the path of that file; tab completes"),
            Self::SearchLog => ("Search the log for?", "titles, drives, days such as 2026-11, numbers; esc shows all"),
            Self::ExportTo(..) => ("Write the checksums to which file?", "a new one; tab completes"),
        }
    }
}
