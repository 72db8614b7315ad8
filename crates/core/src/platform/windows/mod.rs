//! Windows, by its own calls, which stand in a crate of their own.

mod errors;
mod files;
mod meta;
mod mounts;
mod names;
mod private;
mod processes;
mod room;
mod seen;
mod system;

pub(crate) use errors::{
    cannot_exchange, error_number, is_dead_mount, is_not_straight_below, is_unreadable_here, removal_refused,
};
pub use files::{Folder, FolderLock};
pub(crate) use files::{
    begin_write_back, create_new, drop_from_cache, exchange, flush_folder, lock_folder, make_link, make_writable,
    open_to_read, open_to_write, open_without_wait, read_some_at, read_through_cache, rename_if_free, share_bytes,
    write_all_at,
};
pub(crate) use meta::{apply_folder_meta, apply_link_meta, apply_meta, attributes_of};
pub(crate) use mounts::{MOUNTS, drives_of_system, file_system_id, mount_number, mounts_of_system};
pub(crate) use names::name_of;
pub(crate) use private::{make_private, open_private};
pub(crate) use room::{flush_of_all_tells_errors, usage_of};
pub(crate) use seen::{entry_seen, look_behind, look_itself, look_open, must_be_file, real};
pub(crate) use system::{
    PROCESSES, free_at, is_in_system, is_locked, is_read_only, is_root, is_startable, let_others_go_first, own_letters,
    real_user, stand_alone, take_room,
};
pub use system::{is_writable, leave_the_terminal, words_of_process};
