//! Linux, by its own calls and files: rustix, proc(5), sysfs.

mod errors;
mod file_system;
mod files;
mod folders;
mod meta;
#[expect(clippy::disallowed_methods, reason = "the kernel's own files are as long as it makes them")]
mod mounts;
mod names;
mod private;
#[expect(clippy::disallowed_methods, reason = "the kernel's own files are as long as it makes them")]
mod processes;
mod registry;
mod room;
mod seen;
#[expect(clippy::disallowed_methods, reason = "the kernel's own files are as long as it makes them")]
mod system;

pub(crate) use errors::{
    cannot_exchange, error_number, is_dead_mount, is_not_straight_below, is_unreadable_here, removal_refused,
};
pub(crate) use file_system::file_system_id;
pub use files::{Folder, FolderLock};
pub(crate) use files::{
    begin_write_back, create_new, drop_from_cache, exchange, flush_folder, lock_folder, make_link, make_writable,
    open_to_read, open_to_write, open_without_wait, read_some_at, read_through_cache, rename_if_free, share_bytes,
    write_all_at,
};
pub(crate) use folders::{
    DESKTOP, DOCUMENTS, menus_of_all, menus_of_person, own_names, user_directories_in, usual_config, usual_data,
    usual_state,
};
pub use folders::{HOME, folders_of_person};
pub(crate) use meta::{apply_folder_meta, apply_link_meta, apply_meta, attributes_of};
pub(crate) use mounts::{MOUNTS, drives_of_system, mounts_of_system};
pub(crate) use names::{FOLDS_CASE, FORBIDDEN, exact, in_template, name_of, with_own_separators};
pub(crate) use private::{make_private, open_private};
pub(crate) use registry::{
    REGISTRY, is_in_registry, is_key_there, keys_of_programs, read_registry, real_key, write_registry,
};
pub(crate) use room::{flush_of_all_tells_errors, usage_of};
pub(crate) use seen::{entry_seen, look_behind, look_itself, look_open, must_be_file, real};
pub use system::{CAN_STOP, hear_ends, is_writable, leave_the_terminal, shell_word, stop_here, words_of_process};
pub(crate) use system::{
    PROCESSES, administrator_writes, free_at, is_in_system, is_locked, is_read_only, is_root, is_startable,
    let_others_go_first, mount_number, own_letters, real_user, stand_alone, take_room,
};
