//! Whether two paths lead to one folder.
use crate::platform;
use std::path::Path;

use crate::haul::HaulError;

use crate::site::real_path;

/// Device and inode: what a folder is, whatever path leads to it.
pub(crate) fn identity(path: &Path) -> Result<Option<(u64, u64)>, HaulError> {
    match platform::look_behind(path) {
        Ok(meta) => Ok(Some(meta.identity())),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(HaulError::disk("look at", path)(error)),
    }
}

/// Whether two paths lead to one folder, or one of them lies in the other: through links, bind mounts or subvolumes.
pub(crate) fn are_one(one: &Path, other: &Path) -> Result<bool, HaulError> {
    let lies_in = |inner: &Path, outer: &Path| -> Result<bool, HaulError> {
        let Some(wanted) = identity(outer)? else { return Ok(false) };
        for folder in real_path(inner).ancestors() {
            if identity(folder)? == Some(wanted) {
                return Ok(true);
            }
        }
        Ok(false)
    };
    Ok(lies_in(one, other)? || lies_in(other, one)?)
}

/// Whether two paths are one folder.
pub(crate) fn is_folder_of(one: &Path, other: &Path) -> bool {
    one == other || matches!((identity(one), identity(other)), (Ok(Some(one)), Ok(Some(other))) if one == other)
}
