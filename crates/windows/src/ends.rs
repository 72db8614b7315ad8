//! What wants this program to end: keys of its console, the console that closes, the system.

use std::io;
use std::sync::Mutex;
use std::thread;
use std::time::Duration;

use windows_sys::Win32::System::Console::{CTRL_BREAK_EVENT, CTRL_C_EVENT, SetConsoleCtrlHandler};
use windows_sys::core::BOOL;

/// What is called for it.
type Heard = Box<dyn Fn() + Send>;

static HEARD: Mutex<Vec<Heard>> = Mutex::new(Vec::new());

/// For how long the system is kept waiting for the end of this program. It has less patience than that, about five seconds ("HandlerRoutine
/// callback function"), and ends the program then.
const PATIENCE: Duration = Duration::from_secs(60);

/// Calls `heard` for Ctrl-C, Ctrl-Break, a console that closes, a person who logs off, and a system that ends; always from a thread of
/// its own. For the last three the system waits for the end of this program, and then ends it.
///
/// # Errors
/// What the system says.
pub fn hear_ends(heard: impl Fn() + Send + 'static) -> io::Result<()> {
    let mut all = HEARD.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    all.push(Box::new(heard));
    if all.len() > 1 {
        return Ok(());
    }
    // SAFETY: the function lives as long as the program, and takes what the system gives.
    if unsafe { SetConsoleCtrlHandler(Some(handle), 1) } == 0 { Err(io::Error::last_os_error()) } else { Ok(()) }
}

/// Takes what the system says, on a thread that it makes for it.
unsafe extern "system" fn handle(what: u32) -> BOOL {
    for heard in HEARD.lock().unwrap_or_else(std::sync::PoisonError::into_inner).iter() {
        heard();
    }
    if what != CTRL_C_EVENT && what != CTRL_BREAK_EVENT {
        thread::sleep(PATIENCE);
    }
    1
}
