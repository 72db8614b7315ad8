//! What the system says of this person and of a drive, and what it lets a thread wish.

use std::fs::File;
use std::io;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::bytes::Bytes;
use crate::platform::contract::Ends;

/// Where processes are listed (proc(5)).
pub(crate) const PROCESSES: &str = "/proc";

/// Whether this program may give files to others and look into everybody's processes.
pub(crate) fn is_root() -> bool {
    rustix::process::geteuid().is_root()
}

/// Whether only a program that is started another way could write a path. Here the permissions of files tell, and nothing else.
pub(crate) fn administrator_writes(_path: &Path) -> bool {
    false
}

/// The number of the user on whose behalf this program acts.
pub(crate) fn user() -> u32 {
    rustix::process::geteuid().as_raw()
}

/// The number of the user that started this program.
pub(crate) fn real_user() -> u32 {
    rustix::process::getuid().as_raw()
}

/// Has everybody else's work go first, that of this thread last: its turn on the processor, and, where the scheduler of a drive heeds
/// it, its reads and writes too, whose class follows from that (ioprio_set(2), "Selecting an I/O scheduler").
///
/// A wish: a system that refuses it works as fast as ever.
pub(crate) fn let_others_go_first() {
    const LAST: i32 = 19;
    // Linux takes the number 0 for the calling thread.
    if let Err(error) = rustix::process::setpriority_process(None, LAST) {
        tracing::debug!(%error, "the priority stays as it is");
    }
}

/// Bytes that this person may still write on the drive of a path; `None` where the system does not say.
pub(crate) fn free_at(path: &Path) -> Option<Bytes> {
    let stat = rustix::fs::statvfs(path).ok()?;
    Some(Bytes::new(stat.f_bavail.saturating_mul(stat.f_frsize)))
}

/// Whether the drive of a path is mounted so that nothing can be written.
pub(crate) fn is_read_only(path: &Path) -> bool {
    rustix::fs::statvfs(path).is_ok_and(|stat| stat.f_flag.contains(rustix::fs::StatVfsMountFlags::RDONLY))
}

/// The drive letters that the system itself has, each with the folder that it stands for: none.
pub(crate) fn own_letters() -> Vec<(char, PathBuf)> {
    Vec::new()
}

/// Whether this person may write a file, or make names in a folder.
pub fn is_writable(path: &Path) -> bool {
    rustix::fs::access(path, rustix::fs::Access::WRITE_OK).is_ok()
}

/// Takes room for a file, so that later writes into it do not lack it.
///
/// # Errors
/// What the system says, also where a file system cannot do that.
pub(crate) fn take_room(file: &File, bytes: u64) -> io::Result<()> {
    Ok(rustix::fs::fallocate(file, rustix::fs::FallocateFlags::empty(), 0, bytes)?)
}

/// Whether another program holds a lock of the given bytes of a file that would refuse us one (fcntl(2)).
///
/// Closing a file drops the locks that this process has on it: never asked of a file that is open elsewhere in this program.
pub(crate) fn is_locked(file: &File, from: u64, length: u64) -> bool {
    use rustix::process::{Flock, FlockOffsetType, FlockType, fcntl_getlk};
    let (start, typ, offset_type) = (from, FlockType::WriteLock, FlockOffsetType::Set);
    matches!(fcntl_getlk(file, &Flock { start, length, pid: None, typ, offset_type }), Ok(Some(_)))
}

/// The number that the kernel has for the mount that a path is on; `None` where it does not say (before Linux 5.8).
pub(crate) fn mount_number(path: &Path) -> io::Result<Option<u64>> {
    use rustix::fs::{AtFlags, CWD, StatxFlags};
    let known = rustix::fs::statx(CWD, path, AtFlags::empty(), StatxFlags::MNT_ID)?;
    Ok((known.stx_mask & StatxFlags::MNT_ID.bits() != 0).then_some(known.stx_mnt_id))
}

/// Whether the file system at a path is NTFS, by an attribute that only its drivers have.
pub(crate) fn has_ntfs_attribute(top: &Path) -> bool {
    let mut value = [0_u8; 64];
    rustix::fs::getxattr(top, "system.ntfs_attrib", &mut value[..]).is_ok()
}

/// Major and minor number of the device that a device file stands for.
pub(crate) fn device_of(file: &Path) -> Option<(u32, u32)> {
    let stat = rustix::fs::stat(file).ok()?;
    Some((rustix::fs::major(stat.st_rdev), rustix::fs::minor(stat.st_rdev)))
}

/// Folders that belong to the system, by the Filesystem Hierarchy Standard 3.0; games and drives may lie in some others of it.
const SYSTEM: [&str; 18] = [
    "/bin",
    "/boot",
    "/dev",
    "/efi",
    "/etc",
    "/lib",
    "/lib32",
    "/lib64",
    "/lost+found",
    "/proc",
    "/run",
    "/sbin",
    "/sys",
    "/usr",
    "/var/cache",
    "/var/lib",
    "/var/log",
    "/var/spool",
];

/// Whether a path, as it is written, is or lies in a folder of the system that nobody moves or removes.
pub(crate) fn is_in_system(path: &Path) -> bool {
    // Drives that a person plugs in are mounted below the last two.
    let but = ["/usr/local/games", "/usr/games", "/usr/share/games", "/var/lib/games", "/run/media", "/run/mount"];
    SYSTEM.iter().any(|place| path.starts_with(place))
        && !but.iter().any(|place| path.starts_with(place) && path != Path::new(place))
}

/// Has a program that is started stand alone: a Ctrl-C in this terminal isn't for it.
pub(crate) fn stand_alone(command: &mut Command) {
    command.process_group(0);
}

/// Makes this program independent of the terminal that it was started from: what closes or interrupts that is none of its business.
/// It fails only for the first program of a session, which is independent already.
pub fn leave_the_terminal() {
    if let Err(error) = rustix::process::setsid() {
        tracing::debug!(%error, "the session stays as it is");
    }
}

/// Calls `heard`, on a thread of its own, for each signal by which somebody wants this program to end, and for a screen whose terminal
/// goes away without one: only the terminal that a session calls its own sends signals.
///
/// # Errors
/// What the system says.
pub fn hear_ends(of: Ends, heard: impl Fn() + Send + 'static) -> io::Result<()> {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGQUIT, SIGTERM};
    let signals: &[i32] = match of {
        Ends::Apart => &[SIGINT, SIGTERM],
        Ends::Command => &[SIGINT, SIGTERM, SIGHUP],
        Ends::Screen => &[SIGINT, SIGTERM, SIGHUP, SIGQUIT],
    };
    let mut signals = signal_hook::iterator::Signals::new(signals)?;
    std::thread::spawn(move || {
        for _ in &mut signals {
            heard();
        }
    });
    if of == Ends::Screen {
        std::thread::spawn(|| {
            if terminal_has_gone().is_ok() {
                // Nothing can be done where that fails, and nothing is lost.
                signal_hook::low_level::raise(SIGHUP).unwrap_or_else(|error| tracing::debug!(%error, "unheard"));
            }
        });
    }
    Ok(())
}

/// Waits until the other end of the terminal on standard input is gone.
fn terminal_has_gone() -> rustix::io::Result<()> {
    use rustix::event::{PollFd, PollFlags, poll};
    let terminal = rustix::stdio::stdin();
    loop {
        // Asked for nothing, it tells a hang-up only (poll(2)).
        let mut wanted = [PollFd::new(&terminal, PollFlags::empty())];
        match poll(&mut wanted, None) {
            Ok(_) if wanted[0].revents().contains(PollFlags::NVAL) => return Err(rustix::io::Errno::BADF),
            Ok(_) if !wanted[0].revents().is_empty() => return Ok(()),
            Ok(_) | Err(rustix::io::Errno::INTR) => {}
            Err(error) => return Err(error),
        }
    }
}

/// Whether a program can be stopped at its terminal and go on later.
pub const CAN_STOP: bool = true;

/// Stops this program as Ctrl-Z does, until it is told to go on.
///
/// # Errors
/// What the system says.
pub fn stop_here() -> io::Result<()> {
    signal_hook::low_level::emulate_default_handler(signal_hook::consts::SIGTSTP)
}

/// The words that a process was started with; none where there is no such process or it may not be asked.
pub fn words_of_process(process: u32) -> Vec<Vec<u8>> {
    let said = std::fs::read(Path::new(PROCESSES).join(process.to_string()).join("cmdline")).unwrap_or_default();
    said.split(|byte| *byte == 0).map(<[u8]>::to_vec).collect()
}

/// A text as one word of a shell's command line.
pub fn shell_word(text: &str) -> String {
    shlex::try_quote(text).map_or_else(|_| text.into(), Into::into)
}

/// Whether a file is a program that can be started.
pub(crate) fn is_startable(path: &Path) -> bool {
    super::look_behind(path).is_ok_and(|seen| seen.is_file() && seen.mode & 0o111 != 0)
}
