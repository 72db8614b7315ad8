//! Calls of Windows that the standard library has not, each behind a function that is safe to call. They decide nothing: what they are
//! for stands in core's `platform/windows`. Empty on every other system.
//!
//! Law: every unsafe block says why it holds; no pointer outlives its call.
#![cfg(windows)]

mod drives;
mod files;
mod processes;
mod text;

pub use drives::{DriveType, Room, Volume, drive_type, mount_points, room_at, volume_at, volumes};
pub use files::{
    Claim, Facts, Wish, claim, facts, flush, is_range_locked, move_file, open_in, remove, set_attributes, take_room,
};
pub use processes::{
    Running, command_line_of, is_elevated, leave_the_console, program_of, running, using_files, work_in_the_background,
};
