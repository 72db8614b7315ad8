//! Names of Linux: any bytes.

use std::borrow::Cow;
use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::path::Path;

/// Characters that the system itself refuses in names, beside `/`.
pub(crate) const FORBIDDEN: &str = "";

/// Whether names of other cases are the same names on every drive.
pub(crate) const FOLDS_CASE: bool = false;

/// A path that is written with `/`, as this system writes it.
pub(crate) fn with_own_separators(path: String) -> String {
    path
}

/// A path as templates are written, with `/`.
pub(crate) fn in_template(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

/// The path to give to the system: it takes all of them to the letter.
pub(crate) fn exact(path: &Path) -> Cow<'_, Path> {
    path.into()
}

/// The name that has these bytes.
pub(crate) fn name_of(bytes: Vec<u8>) -> OsString {
    OsString::from_vec(bytes)
}
