//! What the system says of this person and of a drive, and what it lets a thread wish.

use std::fs::{File, OpenOptions};
use std::io;
use std::os::windows::fs::OpenOptionsExt;
use std::os::windows::process::CommandExt;
use std::path::{Component, Path, PathBuf};
use std::process::Command;

use deft_barge_windows::{
    KnownFolder, command_line_of, is_elevated, is_range_locked, known_folder, leave_the_console, mount_points, room_at,
    take_room as reserve, volume_at, work_in_the_background,
};

use super::exact::exact;
use super::registry::{is_in_registry, is_of_machine, may_write_registry};
use super::seen::{FOLDERS_TOO, SHARED, look_behind};
use crate::bytes::Bytes;
use crate::platform::contract::Ends;

/// Where processes are listed: Windows has a call for it, and no folder.
pub(crate) const PROCESSES: &str = "";

/// Whether this program has the rights of an administrator.
pub(crate) fn is_root() -> bool {
    is_elevated()
}

/// Whether an administrator could write a path that this program may not: the same person may have to start it as one.
pub(crate) fn administrator_writes(path: &Path) -> bool {
    let of_all =
        [KnownFolder::ProgramFiles, KnownFolder::ProgramFilesX86, KnownFolder::ProgramData, KnownFolder::Windows];
    let lies_in = |folder: KnownFolder| known_folder(folder).is_some_and(|folder| path.starts_with(folder));
    !is_elevated() && (is_of_machine(path) || of_all.into_iter().any(lies_in))
}

/// The number of the user that started this program: users of Windows have none.
pub(crate) fn real_user() -> u32 {
    0
}

/// Has everybody else's work go first, that of this thread last, its reads and writes too.
///
/// A wish: a system that refuses it works as fast as ever.
pub(crate) fn let_others_go_first() {
    if let Err(error) = work_in_the_background() {
        tracing::debug!(%error, "the priority stays as it is");
    }
}

/// Bytes that this person may still write on the drive of a path; `None` where the system does not say.
pub(crate) fn free_at(path: &Path) -> Option<Bytes> {
    let there = path.ancestors().find(|path| look_behind(path).is_ok_and(|seen| seen.is_folder()))?;
    room_at(there).ok().map(|room| Bytes::new(room.for_user))
}

/// Whether the drive of a path is mounted so that nothing can be written.
pub(crate) fn is_read_only(path: &Path) -> bool {
    let top = path.components().take(2).collect::<PathBuf>();
    volume_at(&top).is_ok_and(|volume| volume.flags & 0x0008_0000 != 0)
}

/// The drive letters that the system itself has, each with the folder that it stands for.
pub(crate) fn own_letters() -> Vec<(char, PathBuf)> {
    let letter = |top: &PathBuf| Some((top.to_string_lossy().chars().next()?.to_ascii_lowercase(), top.clone()));
    mount_points().iter().filter_map(letter).collect()
}

/// Whether this person may write a file, or make names in a folder.
#[expect(clippy::disallowed_methods, reason = "it is opened and closed, and nothing is written")]
pub fn is_writable(path: &Path) -> bool {
    /// `FILE_WRITE_DATA`, which of a folder is `FILE_ADD_FILE`.
    const MAKE: u32 = 0x2;
    if is_in_registry(path) {
        return may_write_registry(path);
    }
    OpenOptions::new().access_mode(MAKE).share_mode(SHARED).custom_flags(FOLDERS_TOO).open(exact(path)).is_ok()
}

/// Takes room for a file, so that later writes into it do not lack it.
///
/// # Errors
/// What the system says, also where a file system cannot do that.
pub(crate) fn take_room(file: &File, bytes: u64) -> io::Result<()> {
    reserve(file, bytes)
}

/// Whether another program holds a lock of the given bytes of a file that would refuse us one.
pub(crate) fn is_locked(file: &File, from: u64, length: u64) -> bool {
    is_range_locked(file, from, length)
}

/// Whether a path, as it is written, is or lies in a folder of the system that nobody moves or removes.
pub(crate) fn is_in_system(path: &Path) -> bool {
    /// Folders at the top of a drive that are the system's own.
    const SYSTEM: [&str; 7] =
        ["windows", "$recycle.bin", "system volume information", "recovery", "boot", "efi", "perflogs"];
    let first = path.components().find_map(|part| match part {
        Component::Normal(name) => Some(name.to_string_lossy().to_lowercase()),
        _ => None,
    });
    first.is_some_and(|first| SYSTEM.contains(&first.as_str()))
}

/// Has a program that is started stand alone: a Ctrl-C in this console isn't for it.
pub(crate) fn stand_alone(command: &mut Command) {
    /// `CREATE_NEW_PROCESS_GROUP`.
    const ALONE: u32 = 0x200;
    command.creation_flags(ALONE);
}

/// Makes this program independent of the console that it was started from.
pub fn leave_the_terminal() {
    if let Err(error) = leave_the_console() {
        tracing::debug!(%error, "there is no console to leave");
    }
}

/// Calls `heard`, on a thread of its own, for keys of the console and for whatever else wants this program to end.
///
/// # Errors
/// What the system says.
pub fn hear_ends(_of: Ends, heard: impl Fn() + Send + 'static) -> io::Result<()> {
    deft_barge_windows::hear_ends(heard)
}

/// Whether a program can be stopped at its terminal and go on later.
pub const CAN_STOP: bool = false;

/// Windows stops no program at its console.
///
/// # Errors
/// That it doesn't.
pub fn stop_here() -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

/// The words that a process was started with; none where there is no such process or it may not be asked.
pub fn words_of_process(process: u32) -> Vec<Vec<u8>> {
    let line = command_line_of(process);
    line.to_string_lossy().split_whitespace().map(|word| word.as_bytes().to_vec()).collect()
}

/// A text as one word of a command line: what both shells of Windows take for one.
pub fn shell_word(text: &str) -> String {
    let plain = |c: char| c.is_alphanumeric() || "\\/:._-+=~".contains(c);
    if !text.is_empty() && text.chars().all(plain) { text.into() } else { format!("\"{text}\"") }
}

/// Whether a file is a program that can be started.
pub(crate) fn is_startable(path: &Path) -> bool {
    let end = path.extension().map(|end| end.to_string_lossy().to_lowercase());
    let program = end.is_some_and(|end| ["exe", "com", "bat", "cmd"].contains(&end.as_str()));
    program && look_behind(path).is_ok_and(|seen| seen.is_file())
}
