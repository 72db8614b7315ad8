//! Files that are nobody else's business: the journal and what lies beside it.
//!
//! Law: they lie in the folders that Windows keeps for one person, whose access list they inherit; nothing here widens it.

use std::fs::{DirBuilder, File, OpenOptions};
use std::io;
use std::path::Path;

/// Makes a folder, and those above it.
///
/// # Errors
/// What the system says if the folder cannot be made.
pub fn make_private(folder: &Path) -> io::Result<()> {
    DirBuilder::new().recursive(true).create(folder)
}

/// Opens a file of our own in this way.
///
/// # Errors
/// What the system says.
pub(crate) fn open_private(file: &Path, how: &mut OpenOptions) -> io::Result<File> {
    let opened = how.open(file)?;
    super::seen::must_be_file(&opened)?;
    Ok(opened)
}
