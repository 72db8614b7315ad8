//! Linux has no registry; those of compatibility layers are files.

use std::io;
use std::path::{Path, PathBuf};

/// Where the registry stands among paths.
pub(crate) const REGISTRY: Option<&str> = None;

/// Whether a path names a key of the registry.
pub(crate) fn is_in_registry(_path: &Path) -> bool {
    false
}

/// Finds out whether a key is there.
pub(crate) fn is_key_there(_path: &Path) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

/// The text of a key.
pub(crate) fn read_registry(_path: &Path) -> io::Result<Vec<u8>> {
    Err(io::ErrorKind::Unsupported.into())
}

/// The path of the key that holds this one as a record file.
pub(crate) fn real_key(path: &Path) -> PathBuf {
    path.into()
}

/// Has a key say what a text says.
pub(crate) fn write_registry(_path: &Path, _before: &[u8], _after: &[u8]) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

/// The keys in which programs keep what they know.
pub(crate) fn keys_of_programs(_within: Option<&Path>) -> Vec<PathBuf> {
    Vec::new()
}
