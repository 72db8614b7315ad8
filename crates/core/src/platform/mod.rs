//! What the system must give, behind plain functions with promises.
//!
//! Law: a look never waits for a mount that does not answer, and never for a pipe; one that ceases to answer in the middle of a walk is
//! left after a while. Start at `Look` for what is asked, at `linux/files.rs` for what is done, at `contract.rs` for what goes through.

#[cfg_attr(not(any(windows, test)), expect(dead_code, reason = "Linux has its access lists among the attributes"))]
mod access;
mod contract;
mod drive;
mod errors;
#[cfg(target_os = "linux")]
pub(crate) mod linux;
mod look;
mod mountinfo;
mod names;
mod patience;
mod private;
#[cfg_attr(not(any(windows, test)), expect(dead_code, reason = "Linux has no registry of its own"))]
mod registry;
mod room;
mod silent;
#[cfg(windows)]
pub(crate) mod windows;

#[cfg(target_os = "linux")]
pub(crate) use linux as system;
#[cfg(windows)]
pub(crate) use windows as system;

pub use contract::{Ends, Meta, Mount, PersonFolders, Process, Refused, Seen, SeenKind, Sight, Usage, Wanted};
pub(crate) use contract::{Processes, Reads, RemovalRefused, SystemError};
pub(crate) use drive::shown_path;
pub use drive::{Abilities, Drive, DriveKind, Steady};
pub(crate) use errors::{is_circle, is_invalid};
pub use look::real_path;
pub(crate) use look::{Look, entry_meta, open, open_file, read, read_dir, read_dir_here, read_to_string};
pub use mountinfo::parse_mountinfo;
pub(crate) use names::{NameBytes, begins_behind};
pub(crate) use patience::{Heartbeat, patiently};
pub(crate) use private::{append_private, create_private, write_private};
pub(crate) use registry::as_registry_says;
pub use room::allocated_below;
pub(crate) use silent::{answers, is_silent, silent_at, silent_mounts};
pub use system::{
    CAN_STOP, Folder, FolderLock, HOME, folders_of_person, hear_ends, is_writable, leave_the_terminal, shell_word,
    stop_here, words_of_process,
};
pub(crate) use system::{DESKTOP, DOCUMENTS, menus_of_all, menus_of_person, own_names, user_directories_in};
pub(crate) use system::{
    MOUNTS, PROCESSES, administrator_writes, apply_folder_meta, apply_link_meta, apply_meta, attributes_of,
    begin_write_back, cannot_exchange, create_new, drives_of_system, drop_from_cache, exact, exchange, file_system_id,
    flush_folder, free_at, in_template, is_dead_mount, is_in_system, is_locked, is_not_straight_below, is_read_only,
    is_root, is_startable, is_unreadable_here, let_others_go_first, lock_folder, look_behind, look_itself, look_open,
    make_link, make_private, make_writable, mount_number, mounts_of_system, must_be_file, name_of, open_to_read,
    open_to_write, own_letters, read_some_at, read_through_cache, real, real_user, removal_refused, rename_if_free,
    share_bytes, stand_alone, take_room, usual_config, usual_data, usual_state, with_own_separators, write_all_at,
};
pub(crate) use system::{REGISTRY, is_in_registry, keys_of_programs, write_registry};
