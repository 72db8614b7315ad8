//! A question that has to be answered before something is done.

use deft_barge_core::bytes::ItemId;

use super::act::LongTask;

use crate::tui::Task;

/// A question that has to be answered before its act is done. Any key but those of its answers means no.
#[derive(Clone, Debug, PartialEq)]
pub struct Question {
    pub text: String,
    /// Key, what it means in a word, and what is done then.
    pub answers: Vec<(char, &'static str, Answer)>,
}

/// What an answer means; it stays what was asked, whatever has ended meanwhile.
#[derive(Clone, Debug, PartialEq)]
pub enum Answer {
    /// Stop what runs, and return it.
    Cancel,
    /// Stop what runs, give this item up, and go on.
    CancelItem(ItemId),
    /// Do this work.
    Do(LongTask),
    /// Do this, and tell it in a sheet.
    Task(Task),
    /// Pause what runs, and leave.
    Leave,
    /// Stop what a sheet shows at its next block, and leave.
    StopAndLeave,
    /// Leave, and have it go on.
    LeaveRunning,
    /// Go to the demo world.
    Demo,
}

impl Question {
    pub fn yes(text: impl Into<String>, yes: Answer) -> Self {
        Self { text: text.into(), answers: vec![('y', "yes", yes)] }
    }
}
