//! Calls of Windows that the standard library has not, each behind a function that is safe to call. They decide nothing: what they are
//! for stands in core's `platform/windows`. Empty on every other system.
//!
//! Law: every unsafe block says why it holds; no pointer outlives its call.
#![cfg(windows)]

mod access;
mod drives;
mod ends;
mod files;
mod folders;
mod processes;
mod registry;
mod streams;
mod text;

pub use access::{access_of, set_access};
pub use drives::{Device, DriveType, Room, Volume, device_of, drive_type, mount_points, room_at, volume_at, volumes};
pub use ends::hear_ends;
pub use files::{
    Claim, Facts, Wish, claim, facts, flush, is_range_locked, move_file, open_in, remove, set_attributes, take_room,
};
pub use folders::{KnownFolder, known_folder};
pub use processes::{
    Running, Using, command_line_of, is_elevated, leave_the_console, program_of, running, using_files,
    work_in_the_background,
};
pub use registry::{
    Hive, Key, Value, delete_key, delete_value, flush_key, make_key, may_write_key, read_below, set_value, subkeys,
};
pub use streams::{path_of, streams_of};
