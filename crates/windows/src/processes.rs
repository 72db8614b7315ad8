//! Who is running, and who uses which files.

use std::ffi::OsString;
use std::io;
use std::mem::{size_of, zeroed};
use std::path::{Path, PathBuf};
use std::ptr::{null, null_mut};

use windows_sys::Wdk::System::Threading::{NtQueryInformationProcess, ProcessCommandLineInformation};
use windows_sys::Win32::Foundation::{CloseHandle, ERROR_MORE_DATA, HANDLE, INVALID_HANDLE_VALUE, UNICODE_STRING};
use windows_sys::Win32::Security::{GetTokenInformation, TOKEN_ELEVATION, TOKEN_QUERY, TokenElevation};
use windows_sys::Win32::System::Console::FreeConsole;
use windows_sys::Win32::System::Diagnostics::ToolHelp::{
    CreateToolhelp32Snapshot, PROCESSENTRY32W, Process32FirstW, Process32NextW, TH32CS_SNAPPROCESS,
};
use windows_sys::Win32::System::RestartManager::{
    CCH_RM_SESSION_KEY, RM_PROCESS_INFO, RmEndSession, RmGetList, RmRegisterResources, RmStartSession,
};
use windows_sys::Win32::System::Threading::{
    GetCurrentProcess, GetCurrentThread, OpenProcess, OpenProcessToken, PROCESS_QUERY_LIMITED_INFORMATION,
    QueryFullProcessImageNameW, SetThreadPriority, THREAD_MODE_BACKGROUND_BEGIN,
};

use crate::text::{read, wide};

/// A process.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Running {
    /// Its number.
    pub pid: u32,
    /// Name of its program's file.
    pub name: OsString,
}

/// A handle that is closed when it goes.
struct Owned(HANDLE);

impl Drop for Owned {
    fn drop(&mut self) {
        // SAFETY: it is open and nobody else's.
        unsafe { CloseHandle(self.0) };
    }
}

/// All processes of this machine.
///
/// # Errors
/// What the system says.
pub fn running() -> io::Result<Vec<Running>> {
    // SAFETY: it takes two numbers and gives a handle.
    let snapshot = unsafe { CreateToolhelp32Snapshot(TH32CS_SNAPPROCESS, 0) };
    if snapshot == INVALID_HANDLE_VALUE {
        return Err(io::Error::last_os_error());
    }
    let snapshot = Owned(snapshot);
    // SAFETY: a structure of plain numbers, for which zeros are a value.
    let mut entry: PROCESSENTRY32W = unsafe { zeroed() };
    entry.dwSize = u32::try_from(size_of::<PROCESSENTRY32W>()).map_err(io::Error::other)?;
    let mut all = Vec::new();
    // SAFETY: the snapshot is open, and the entry says its own size.
    let mut more = unsafe { Process32FirstW(snapshot.0, &raw mut entry) };
    while more != 0 {
        all.push(Running { pid: entry.th32ProcessID, name: read(&entry.szExeFile) });
        // SAFETY: as above.
        more = unsafe { Process32NextW(snapshot.0, &raw mut entry) };
    }
    Ok(all)
}

/// The file of the program that a process runs.
///
/// # Errors
/// What the system says: [`io::ErrorKind::PermissionDenied`] of one of another user.
pub fn program_of(pid: u32) -> io::Result<PathBuf> {
    // SAFETY: it takes numbers and gives a handle.
    let process = unsafe { OpenProcess(PROCESS_QUERY_LIMITED_INFORMATION, 0, pid) };
    if process.is_null() {
        return Err(io::Error::last_os_error());
    }
    let process = Owned(process);
    let mut name = vec![0_u16; 32_768];
    let mut length = u32::try_from(name.len()).map_err(io::Error::other)?;
    // SAFETY: the process is open, and `name` is as long as is said.
    if unsafe { QueryFullProcessImageNameW(process.0, 0, name.as_mut_ptr(), &raw mut length) } == 0 {
        return Err(io::Error::last_os_error());
    }
    Ok(PathBuf::from(read(&name)))
}

/// A process that has a file open.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Using {
    /// Its number.
    pub pid: u32,
    /// The name of the service that it is, or one of those that it is.
    pub service: Option<OsString>,
}

/// The processes that have one of these files open, by the Restart Manager; folders cannot be asked for.
///
/// # Errors
/// What the system says.
pub fn using_files(files: &[&Path]) -> io::Result<Vec<Using>> {
    if files.is_empty() {
        return Ok(Vec::new());
    }
    let says = |code: u32| if code == 0 { Ok(()) } else { Err(io::Error::from_raw_os_error(code.cast_signed())) };
    let mut session = 0;
    let mut key = [0_u16; CCH_RM_SESSION_KEY as usize + 1];
    // SAFETY: the number lives, and the key is as long as the call wants it.
    says(unsafe { RmStartSession(&raw mut session, 0, key.as_mut_ptr()) })?;
    let found = in_session(session, files, &says);
    // SAFETY: the session is open and not used again.
    unsafe { RmEndSession(session) };
    found
}

fn in_session(session: u32, files: &[&Path], says: &dyn Fn(u32) -> io::Result<()>) -> io::Result<Vec<Using>> {
    let names: Vec<Vec<u16>> = files.iter().map(|file| wide(file)).collect();
    let names: Vec<*const u16> = names.iter().map(Vec::as_ptr).collect();
    let count = u32::try_from(names.len()).map_err(io::Error::other)?;
    // SAFETY: the texts end with zeros and live until the call is over; nothing else is registered.
    says(unsafe { RmRegisterResources(session, count, names.as_ptr(), 0, null(), 0, null()) })?;
    let (mut wanted, mut reasons) = (0, 0);
    let mut processes: Vec<RM_PROCESS_INFO> = Vec::new();
    for _ in 0..8 {
        let mut room = u32::try_from(processes.len()).map_err(io::Error::other)?;
        let list = if processes.is_empty() { null_mut() } else { processes.as_mut_ptr() };
        // SAFETY: the list has as many places as `room` says.
        let code = unsafe { RmGetList(session, &raw mut wanted, &raw mut room, list, &raw mut reasons) };
        if code != ERROR_MORE_DATA {
            says(code)?;
            let using = |one: &RM_PROCESS_INFO| {
                let service = read(&one.strServiceShortName);
                Using { pid: one.Process.dwProcessId, service: (!service.is_empty()).then_some(service) }
            };
            return Ok(processes.iter().take(room as usize).map(using).collect());
        }
        // SAFETY: a structure of plain numbers, for which zeros are a value.
        processes.resize_with(wanted as usize, || unsafe { zeroed() });
    }
    Err(io::ErrorKind::ResourceBusy.into())
}

/// Whether this program has the rights of an administrator.
#[must_use]
pub fn is_elevated() -> bool {
    let mut token: HANDLE = null_mut();
    // SAFETY: it takes nothing and gives a number that stands for this process.
    let process = unsafe { GetCurrentProcess() };
    // SAFETY: `token` lives.
    if unsafe { OpenProcessToken(process, TOKEN_QUERY, &raw mut token) } == 0 {
        return false;
    }
    let token = Owned(token);
    let (mut elevation, mut length) = (TOKEN_ELEVATION { TokenIsElevated: 0 }, 0);
    let size = u32::try_from(size_of::<TOKEN_ELEVATION>()).unwrap_or_default();
    // SAFETY: the token is open, and `elevation` is as large as is said.
    let done =
        unsafe { GetTokenInformation(token.0, TokenElevation, (&raw mut elevation).cast(), size, &raw mut length) };
    done != 0 && elevation.TokenIsElevated != 0
}

/// Has everybody else's work go before that of this thread, reads and writes too.
///
/// # Errors
/// What the system says.
pub fn work_in_the_background() -> io::Result<()> {
    // SAFETY: it takes nothing and gives a number that stands for this thread.
    let thread = unsafe { GetCurrentThread() };
    // SAFETY: it takes two numbers.
    if unsafe { SetThreadPriority(thread, THREAD_MODE_BACKGROUND_BEGIN) } == 0 {
        return Err(io::Error::last_os_error());
    }
    Ok(())
}

/// The line that a process was started with; empty where it may not be asked.
#[must_use]
pub fn command_line_of(pid: u32) -> OsString {
    // SAFETY: it takes numbers and gives a handle.
    let process = unsafe { OpenProcess(PROCESS_QUERY_LIMITED_INFORMATION, 0, pid) };
    if process.is_null() {
        return OsString::new();
    }
    let process = Owned(process);
    // A text's head and behind it at most 32 767 units: in places of eight bytes, as the head wants them.
    let mut room = vec![0_u64; 8200];
    let (size, mut length) = (u32::try_from(room.len() * 8).unwrap_or_default(), 0);
    // SAFETY: the process is open, and `room` is as large as is said.
    let said = unsafe {
        NtQueryInformationProcess(
            process.0,
            ProcessCommandLineInformation,
            room.as_mut_ptr().cast(),
            size,
            &raw mut length,
        )
    };
    if said < 0 {
        return OsString::new();
    }
    // SAFETY: the call has written such a head at the beginning of `room`, which is aligned for it.
    let head: UNICODE_STRING = unsafe { room.as_ptr().cast::<UNICODE_STRING>().read() };
    let (start, end) = (room.as_ptr().addr(), room.as_ptr().addr() + room.len() * 8);
    let text = head.Buffer.addr();
    if head.Buffer.is_null() || text < start || text + usize::from(head.Length) > end {
        return OsString::new();
    }
    // SAFETY: the text lies within `room`, as was just seen, and units have two bytes.
    read(unsafe { std::slice::from_raw_parts(head.Buffer, usize::from(head.Length) / 2) })
}

/// Lets go of the console that this program was started from: what closes or interrupts that is none of its business.
///
/// # Errors
/// What the system says, as where there is none.
pub fn leave_the_console() -> io::Result<()> {
    // SAFETY: it takes nothing.
    if unsafe { FreeConsole() } == 0 { Err(io::Error::last_os_error()) } else { Ok(()) }
}
