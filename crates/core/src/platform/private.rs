//! Files of our own: the journal and what lies beside it. Who else may read them is the system's to close.

use std::fs::{self, File, OpenOptions};
use std::io::{self, Write};
use std::path::Path;

use super::system::open_private;

/// Opens a file to be written from its beginning; only its owner may read it.
///
/// # Errors
/// What the system says.
#[expect(clippy::disallowed_methods, reason = "this is the door for files of our own")]
pub(crate) fn create_private(file: &Path) -> io::Result<File> {
    open_private(file, OpenOptions::new().create(true).write(true).truncate(true))
}

/// Opens a file to be written at its end; only its owner may read it.
///
/// # Errors
/// What the system says.
#[expect(clippy::disallowed_methods, reason = "this is the door for files of our own")]
pub(crate) fn append_private(file: &Path) -> io::Result<File> {
    open_private(file, OpenOptions::new().create(true).append(true))
}

/// Puts a file in its place in one act; only its owner may read it.
///
/// # Errors
/// What the system says.
#[expect(clippy::disallowed_methods, reason = "the state folder holds no games")]
pub(crate) fn write_private(file: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut name = file.file_name().unwrap_or_default().to_os_string();
    name.push(".new");
    let fresh = file.with_file_name(name);
    create_private(&fresh)?.write_all(bytes)?;
    fs::rename(&fresh, file)
}
