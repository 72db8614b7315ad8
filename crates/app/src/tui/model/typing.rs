//! A line that is being typed.

use deft_barge_core::bytes::{HaulId, ItemId};
use std::path::PathBuf;

use tui_input::Input;

/// What is being typed, and what for.
#[derive(Clone, Debug)]
pub struct Typing {
    pub what: Typed,
    pub input: Input,
    /// How far back in what was typed before it is; 0 is what is typed now.
    pub back: usize,
}

impl Typing {
    pub fn new(what: Typed, text: String) -> Self {
        Self { what, input: Input::new(text), back: 0 }
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
    /// The name of a draft that is opened.
    Open,
    /// A drive that is not there yet.
    WhatIf,
    /// A path to trace.
    Trace,
    /// A folder of user data of this game.
    DataOf(String),
    /// A folder to take off the list of user data.
    ForgetData,
    /// A launcher or a folder to bring to this drive.
    Carry(String),
    /// A carried folder to check.
    CheckCarried,
    /// An old path and a new one.
    Reanchor,
    /// The launcher and its id of the stray under the cursor.
    AdoptAs,
    /// Another copy of a file that cannot be read.
    TakeFrom(PathBuf),
    /// What the Log is searched for; it is shown while it is typed.
    SearchLog,
    /// The file that checksums are written to, of a haul's items or of one of them.
    ExportTo(HaulId, Option<ItemId>),
}

impl Typed {
    /// The question before the line, and what helps to answer it.
    pub fn words(&self) -> (&'static str, &'static str) {
        match self {
            Self::Room => ("How much room should be made here?", "such as 60GB"),
            Self::SaveAs => ("Under which name should this draft be kept?", "enter saves"),
            Self::Open => ("Which draft should be opened?", "its name"),
            Self::WhatIf => {
                ("What drive is thought of?", "name:size[:kind[:file system]], such as crate:2TB:nvme:ext4")
            }
            Self::Trace => ("Which path should be traced?", "the folder of a game, or any other"),
            Self::DataOf(_) => ("Which folder holds its user data?", "its path"),
            Self::ForgetData => ("Which folder should be taken off the list?", "its path; the folder stays"),
            Self::Carry(_) => ("What should be brought here?", "a launcher's name, or the folder of a library"),
            Self::CheckCarried => ("Which carried folder should be checked?", "its path"),
            Self::AdoptAs => {
                ("What is it?", "LAUNCHER/ID: the launcher's id of its profile, and that launcher's own id of the game")
            }
            Self::Reanchor => ("Which path has become which?", "OLD NEW"),
            Self::TakeFrom(_) => ("Which other copy should it be taken from?", "the path of that file"),
            Self::SearchLog => {
                ("What should the log be searched for?", "titles, drives, days such as 2026-11, numbers; esc shows all")
            }
            Self::ExportTo(..) => ("Which file should the checksums be written to?", "a new one"),
        }
    }
}
