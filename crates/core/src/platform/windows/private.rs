//! Files that are nobody else's business: the journal and what lies beside it.
//!
//! Law: they lie in the folders that Windows keeps for one person, whose access list they inherit; nothing here widens it.

use std::fs::{self, DirBuilder, File, OpenOptions};
use std::io::{self, Write};
use std::path::Path;

/// Makes a folder, and those above it.
///
/// # Errors
/// What the system says if the folder cannot be made.
pub fn make_private(folder: &Path) -> io::Result<()> {
    DirBuilder::new().recursive(true).create(folder)
}

/// Opens a file to be written from its beginning.
///
/// # Errors
/// What the system says.
#[expect(clippy::disallowed_methods, reason = "this is the door for files of our own")]
pub fn create_private(file: &Path) -> io::Result<File> {
    opened(file, OpenOptions::new().create(true).write(true).truncate(true))
}

/// Opens a file to be written at its end.
///
/// # Errors
/// What the system says.
#[expect(clippy::disallowed_methods, reason = "this is the door for files of our own")]
pub fn append_private(file: &Path) -> io::Result<File> {
    opened(file, OpenOptions::new().create(true).append(true))
}

/// Writes a file anew: it holds the old bytes or the new ones.
///
/// # Errors
/// What the system says.
#[expect(clippy::disallowed_methods, reason = "the state folder holds no games")]
pub fn write_private(file: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut name = file.file_name().unwrap_or_default().to_os_string();
    name.push(".new");
    let fresh = file.with_file_name(name);
    create_private(&fresh)?.write_all(bytes)?;
    fs::rename(&fresh, file)
}

fn opened(file: &Path, how: &mut OpenOptions) -> io::Result<File> {
    let opened = how.open(file)?;
    super::seen::must_be_file(&opened)?;
    Ok(opened)
}
