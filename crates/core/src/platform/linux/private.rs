//! Files that are nobody else's business: the journal and what lies beside it.
//!
//! Law: a folder made here is 0700 and a file 0600 from its first moment; what is there already and ours becomes so. Links are
//! not followed.

use std::fs::{self, DirBuilder, File, OpenOptions};
use std::io;
use std::os::unix::fs::{DirBuilderExt, MetadataExt, OpenOptionsExt, PermissionsExt};
use std::path::Path;

/// Makes a folder that only its owner may look into, and those above it as any folder is made. What is in it already is closed
/// to others as well: files at once, folders with all that is in them.
///
/// # Errors
/// What the system says if the folder cannot be made. That one which is there cannot be closed is no error: it may be another's.
pub fn make_private(folder: &Path) -> io::Result<()> {
    match DirBuilder::new().recursive(false).mode(0o700).create(folder) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            if let Some(above) = folder.parent() {
                DirBuilder::new().recursive(true).create(above)?;
            }
            DirBuilder::new().mode(0o700).create(folder)
        }
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists && folder.is_dir() => {
            close(folder);
            Ok(())
        }
        made => made,
    }
}

/// Opens a file of our own in this way.
///
/// # Errors
/// What the system says.
pub(crate) fn open_private(file: &Path, how: &mut OpenOptions) -> io::Result<File> {
    // A pipe in its place is not waited for.
    let opened = how.mode(0o600).custom_flags(rustix::fs::OFlags::NONBLOCK.bits().cast_signed()).open(file)?;
    if !opened.metadata()?.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "it isn't a file"));
    }
    let mode = opened.metadata()?.permissions().mode();
    if mode & 0o077 != 0 {
        #[expect(clippy::let_underscore_must_use, reason = "another's file keeps its mode")]
        let _ = opened.set_permissions(fs::Permissions::from_mode(0o600));
    }
    Ok(opened)
}

/// Closes a folder to others, with all that is in it.
#[expect(clippy::disallowed_methods, reason = "the state folder holds no games")]
fn close(folder: &Path) {
    let Ok(meta) = folder.symlink_metadata() else { return };
    if !meta.is_dir() {
        return;
    }
    if meta.mode() & 0o077 != 0 {
        #[expect(clippy::let_underscore_must_use, reason = "another's folder keeps its mode")]
        let _ = fs::set_permissions(folder, fs::Permissions::from_mode(0o700));
    }
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let Ok(meta) = entry.metadata() else { continue };
        if meta.is_dir() {
            close(&entry.path());
        } else if meta.is_file() && meta.mode() & 0o077 != 0 {
            #[expect(clippy::let_underscore_must_use, reason = "another's file keeps its mode")]
            let _ = fs::set_permissions(entry.path(), fs::Permissions::from_mode(0o600));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::platform::{append_private, create_private, write_private};
    use std::io::Write;

    fn mode(path: &Path) -> u32 {
        path.symlink_metadata().unwrap().mode() & 0o777
    }

    #[test]
    fn what_is_made_is_closed_and_what_was_open_becomes_so_but_for_what_links_lead_to() {
        let top = tempfile::tempdir().unwrap();
        let at = |name: &str| top.path().join(name);
        make_private(&at("above/state")).unwrap();
        assert_eq!((mode(&at("above/state")), mode(&at("above")) & 0o700), (0o700, 0o700));
        write_private(&at("above/state/a"), b"1").unwrap();
        append_private(&at("above/state/a")).unwrap().write_all(b"2").unwrap();
        assert_eq!((mode(&at("above/state/a")), fs::read(at("above/state/a")).unwrap()), (0o600, b"12".to_vec()));
        // One that an older program made.
        let old = at("old");
        for folder in [&old, &old.join("below"), &at("elsewhere")] {
            fs::create_dir(folder).unwrap();
            fs::write(folder.join("x"), b"x").unwrap();
            fs::set_permissions(folder, fs::Permissions::from_mode(0o755)).unwrap();
            fs::set_permissions(folder.join("x"), fs::Permissions::from_mode(0o644)).unwrap();
        }
        std::os::unix::fs::symlink(at("elsewhere"), old.join("link")).unwrap();
        std::os::unix::fs::symlink(at("elsewhere/x"), old.join("below/link")).unwrap();
        make_private(&old).unwrap();
        assert_eq!([&old, &old.join("below")].map(|path| mode(path)), [0o700; 2]);
        assert_eq!([old.join("x"), old.join("below/x")].map(|path| mode(&path)), [0o600; 2]);
        assert_eq!((mode(&at("elsewhere")), mode(&at("elsewhere/x"))), (0o755, 0o644));
        drop(create_private(&at("elsewhere/x")).unwrap());
        assert_eq!(mode(&at("elsewhere/x")), 0o600, "a file that is written anew");
    }
}
