//! Looks at names and files, as the standard library has them, with two promises more: a mount that does not answer is an error
//! at once, and what is no file (a named pipe, a socket, a device) is refused by its kind and never waited for.

use crate::bytes::index;
use std::fs::{self, File};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::io::{self, Cursor, Read};
use std::path::{Path, PathBuf};
use std::vec;

use super::contract::{Seen, SeenKind};
use super::patience::patiently;
use super::silent::answers;
use super::system::{
    entry_seen, is_in_registry, is_key_there, look_behind, look_itself, must_be_file, open_without_wait, read_registry,
    real, real_key,
};

/// The most bytes of a file that is read whole: records, lists and profiles are far smaller.
const LARGEST: u64 = 512_000_000;

/// Looks at a path. What cannot be looked at is not there, where the answer is yes or no.
pub(crate) trait Look {
    /// Whether something is there, links followed.
    fn look_exists(&self) -> bool;
    /// Whether a folder is there, links followed.
    fn look_is_dir(&self) -> bool;
    /// Whether a symbolic link is there.
    fn look_is_link(&self) -> bool;
    /// What is there, links followed.
    fn look_meta(&self) -> io::Result<Seen>;
    /// What is there; of a link, the link.
    fn look_own_meta(&self) -> io::Result<Seen>;
    /// The path with all links followed.
    fn look_real(&self) -> io::Result<PathBuf>;
    /// Where a symbolic link leads, as it is written.
    fn look_link(&self) -> io::Result<PathBuf>;
}

impl Look for Path {
    fn look_exists(&self) -> bool {
        self.look_meta().is_ok()
    }

    fn look_is_dir(&self) -> bool {
        self.look_meta().is_ok_and(|meta| meta.is_folder())
    }

    fn look_is_link(&self) -> bool {
        self.look_own_meta().is_ok_and(|meta| meta.is_link())
    }

    fn look_meta(&self) -> io::Result<Seen> {
        if is_in_registry(self) {
            return look_at_key(self);
        }
        answers(self)?;
        look_behind(self)
    }

    fn look_own_meta(&self) -> io::Result<Seen> {
        if is_in_registry(self) {
            return look_at_key(self);
        }
        answers_above(self)?;
        look_itself(self)
    }

    fn look_real(&self) -> io::Result<PathBuf> {
        if is_in_registry(self) {
            return Ok(real_key(self));
        }
        answers(self)?;
        real(self)
    }

    fn look_link(&self) -> io::Result<PathBuf> {
        if is_in_registry(self) {
            return Err(io::ErrorKind::InvalidInput.into());
        }
        answers_above(self)?;
        self.read_link()
    }
}

/// What is known of a key of the registry: it is a file, of which nobody knows the size before its text is read.
fn look_at_key(path: &Path) -> io::Result<Seen> {
    is_key_there(path)?;
    let mut number = DefaultHasher::new();
    path.hash(&mut number);
    Ok(Seen {
        kind: SeenKind::File,
        device: u64::MAX,
        inode: number.finish(),
        size: 0,
        allocated: 0,
        names: 1,
        mode: 0o600,
        owner: (0, 0),
        modified_ns: 0,
        changed_ns: 0,
    })
}

/// Refuses a name on a mount that does not answer; a link that leads there is fine, as long as nobody follows it.
fn answers_above(path: &Path) -> io::Result<()> {
    let above = path.parent().unwrap_or(path);
    answers(above)?;
    if super::is_silent(path) { answers(path) } else { Ok(()) }
}

/// The names in a folder, all of them at once; a drive that ceases to answer meanwhile is left.
///
/// # Errors
/// What the system said, or that the mount does not answer.
pub(crate) fn read_dir(path: impl AsRef<Path>) -> io::Result<vec::IntoIter<io::Result<fs::DirEntry>>> {
    let path = path.as_ref();
    answers(path)?;
    let folder = path.to_path_buf();
    let read = patiently(path, move |pulse| -> io::Result<Vec<_>> {
        Ok(fs::read_dir(folder)?.inspect(|_| pulse.beat()).collect())
    });
    Ok(read??.into_iter())
}

/// The names in a folder, one after another, for who is waited for with patience.
///
/// # Errors
/// What the system said, or that the mount does not answer.
pub(crate) fn read_dir_here(path: &Path) -> io::Result<fs::ReadDir> {
    answers(path)?;
    fs::read_dir(super::exact(path))
}

/// What an entry of a folder is, links not followed.
///
/// # Errors
/// What the system said; that something is mounted there which does not answer.
pub(crate) fn entry_meta(entry: &fs::DirEntry) -> io::Result<Seen> {
    let path = entry.path();
    if super::is_silent(&path) {
        answers(&path)?;
    }
    entry_seen(entry)
}

/// What can be read: a file, or the text of a key of the registry.
#[derive(Debug)]
pub(crate) enum Readable {
    File(File),
    Key(Cursor<Vec<u8>>),
}

impl Read for Readable {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self {
            Self::File(file) => file.read(buffer),
            Self::Key(text) => text.read(buffer),
        }
    }
}

/// Opens a file, or a key of the registry, to read it.
///
/// # Errors
/// What the system said; [`io::ErrorKind::InvalidInput`] for what is no file.
pub(crate) fn open(path: impl AsRef<Path>) -> io::Result<Readable> {
    let path = path.as_ref();
    if is_in_registry(path) {
        return read_registry(path).map(|text| Readable::Key(Cursor::new(text)));
    }
    open_file(path).map(Readable::File)
}

/// Opens a file to read it.
///
/// # Errors
/// What the system said; [`io::ErrorKind::InvalidInput`] for what is no file.
pub(crate) fn open_file(path: &Path) -> io::Result<File> {
    answers(path)?;
    let file = open_without_wait(path)?;
    must_be_file(&file)?;
    Ok(file)
}

/// Reads a whole file, if it is not larger than any record is.
///
/// # Errors
/// What the system said; [`io::ErrorKind::InvalidInput`] for what is no file; [`io::ErrorKind::FileTooLarge`].
pub(crate) fn read(path: impl AsRef<Path>) -> io::Result<Vec<u8>> {
    let path = path.as_ref();
    if is_in_registry(path) {
        return read_registry(path);
    }
    let file = open_file(path)?;
    let size = file.metadata()?.len();
    let too_large = || {
        let what = format!("the file is larger than {} MB", LARGEST / 1_000_000);
        io::Error::new(io::ErrorKind::FileTooLarge, what)
    };
    if size > LARGEST {
        return Err(too_large());
    }
    let mut bytes = Vec::with_capacity(index(size));
    // It may grow while it is read.
    file.take(LARGEST + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > LARGEST { Err(too_large()) } else { Ok(bytes) }
}

/// Reads a whole file that is text.
///
/// # Errors
/// As [`read`]; [`io::ErrorKind::InvalidData`] if it is no UTF-8.
pub(crate) fn read_to_string(path: impl AsRef<Path>) -> io::Result<String> {
    let path = path.as_ref();
    String::from_utf8(read(path)?).map_err(|error| io::Error::new(io::ErrorKind::InvalidData, error))
}

/// Gives the path with all links of its existing part followed; what does not exist yet is kept as it is.
pub fn real_path(path: &Path) -> PathBuf {
    let mut rest = Vec::new();
    let mut there = path;
    loop {
        if let Ok(real) = there.look_real() {
            return rest.iter().rev().fold(real, |path, name| path.join(name));
        }
        match (there.parent(), there.file_name()) {
            (Some(parent), Some(name)) => {
                rest.push(name.to_os_string());
                there = parent;
            }
            _ => return path.to_path_buf(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_file_or_too_large_is_refused_by_its_kind() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        fs::write(at("file"), "text").unwrap();
        assert_eq!(read(folder.path()).unwrap_err().kind(), io::ErrorKind::IsADirectory);
        assert_eq!(read_to_string(at("file")).unwrap(), "text");
        fs::File::create(at("huge")).unwrap().set_len(LARGEST + 1).unwrap();
        assert_eq!(read(at("huge")).unwrap_err().kind(), io::ErrorKind::FileTooLarge);
    }

    #[test]
    #[cfg(unix)]
    fn a_pipe_a_socket_and_a_device_are_refused_and_never_waited_for() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        rustix::fs::mkfifoat(rustix::fs::CWD, at("pipe"), rustix::fs::Mode::RUSR).unwrap();
        let _socket = std::os::unix::net::UnixListener::bind(at("socket")).unwrap();
        let said = |path: &Path| read(path).unwrap_err().to_string();
        assert!(said(&at("pipe")).contains("named pipe"));
        assert!(open(at("socket")).is_err());
        assert!(said(Path::new("/dev/zero")).contains("device"));
    }
}
