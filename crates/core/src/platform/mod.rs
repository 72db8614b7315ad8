//! What the system must give, behind plain functions with promises.
//!
//! Law: a look never waits for a mount that does not answer, and never for a pipe; one that ceases to answer in the middle of a walk is
//! left after a while. Start at [`Look`].

mod drive;
mod look;
mod patience;
mod private;
mod silent;

pub use drive::{Abilities, Drive, DriveKind, Steady, Usage, allocated_below};
pub(crate) use drive::{shown_path, usage_of};
pub(crate) use look::{Look, entry_meta, is_file, open, read, read_dir, read_dir_here, read_to_string};
pub(crate) use patience::{Heartbeat, patiently};
pub(crate) use private::{append_private, create_private, make_private, write_private};
pub(crate) use silent::{answers, is_silent, put_silent, silent_at, silent_mounts};
