//! What the system must give, behind plain functions with promises.
//!
//! Law: a look never waits for a mount that does not answer, and never for a pipe; one that ceases to answer in the middle of a walk is
//! left after a while. Start at `Look` for what is asked, at `files.rs` for what is done.

mod drive;
mod errors;
mod file_system;
mod files;
mod look;
mod meta;
#[expect(clippy::disallowed_methods, reason = "the kernel's own files are as long as it makes them")]
mod mounts;
mod names;
mod patience;
mod private;
#[expect(clippy::disallowed_methods, reason = "the kernel's own files are as long as it makes them")]
mod processes;
mod seen;
mod silent;
#[expect(clippy::disallowed_methods, reason = "the kernel's own files are as long as it makes them")]
mod system;

pub(crate) use drive::shown_path;
pub use drive::{Abilities, Drive, DriveKind, Steady, Usage, allocated_below};
pub(crate) use errors::{
    RemovalRefused, SystemError, cannot_exchange, is_circle, is_dead_mount, is_invalid, is_not_straight_below,
    is_unreadable_here, removal_refused,
};
pub(crate) use file_system::file_system_id;
pub use files::{Folder, FolderLock};
pub(crate) use files::{
    Reads, begin_write_back, create_new, drop_from_cache, exchange, flush_folder, lock_folder, make_link,
    make_writable, open_to_read, open_to_write, read_some_at, read_through_cache, rename_if_free, share_bytes,
    write_all_at,
};
pub use look::real_path;
pub(crate) use look::{Look, entry_meta, must_be_file, open, read, read_dir, read_dir_here, read_to_string};
pub use meta::{Meta, Refused};
pub(crate) use meta::{apply_folder_meta, apply_link_meta, apply_meta, attributes_of};
pub(crate) use mounts::{MOUNTS, drives_of_system, mounts_of_system};
pub use mounts::{Mount, parse_mountinfo};
pub(crate) use names::{NameBytes, name_of};
pub(crate) use patience::{Heartbeat, patiently};
pub(crate) use private::{append_private, create_private, make_private, write_private};
pub(crate) use processes::Processes;
pub use processes::{Process, Sight, Wanted};
pub use seen::{Seen, SeenKind};
pub(crate) use seen::{look_behind, look_itself, look_open};
pub(crate) use silent::{answers, is_silent, silent_at, silent_mounts};
pub(crate) use system::{
    PROCESSES, free_at, is_in_system, is_locked, is_read_only, is_root, is_startable, let_others_go_first,
    mount_number, real_user, stand_alone, take_room, user,
};
pub use system::{is_writable, leave_the_terminal, words_of_process};
