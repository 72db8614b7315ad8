//! Copying: blocks are read, hashed and written by a pool of workers, flushed, read back and compared.
//!
//! Law: a file is said to be the same only after it was flushed and read back from its device. Start at [`copy_item`].

#![expect(clippy::let_underscore_must_use, reason = "who has stopped listening to workers has heard of a failure")]

mod block_io;
mod compare;
mod coordinator;
mod files;
mod job;
mod known;
mod pool;
mod queue;
mod second_reading;
mod verify;

pub(crate) use files::{aimed, bring_in_line, copy_item, seen};
