//! What a record file holds, as it is written down before it is changed: bytes, the target of a link, cells of a database.

use super::cell::Cell;
use super::former_page::FormerPage;
use crate::platform::NameBytes;
use crate::platform::name_of;
use std::io;
use std::path::{Path, PathBuf};

use super::database::{self};
use super::database_error::DatabaseError;
use super::edit::EditError;
use super::patch::Patch;
use crate::platform::{self, Look};

/// What a record file holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Content {
    /// It is not there.
    Absent,
    /// A file with these bytes.
    Bytes(Vec<u8>),
    /// A symbolic link to this.
    Link(PathBuf),
    /// A database; only these cells of it.
    Cells(Vec<Cell>),
    /// A file whose bytes are not kept any more: how many they are, and their BLAKE3 hash.
    Known(u64, blake3::Hash),
    /// A file whose bytes are made of those that stand in its place since.
    Patched(Patch),
}

/// What is kept of a file before and since, once nothing resumes its item: of the bytes those that are not there any more, and number
/// and hash of all. An undo that finds what is there since makes the very bytes before of it.
pub fn forgotten(before: Content, since: Content) -> (Content, Content) {
    let known = |bytes: &[u8]| Content::Known(bytes.len() as u64, blake3::hash(bytes));
    match (&before, &since) {
        (Content::Bytes(old), Content::Bytes(new)) => (Content::Patched(Patch::between(new, old)), known(new)),
        (Content::Bytes(old), _) => (Content::Patched(Patch::between(&[], old)), since),
        (_, Content::Bytes(new)) => (before, known(new)),
        _ => (before, since),
    }
}

impl Content {
    /// Reads what is there now, in the manner of `like`: the cells that it names, the link itself.
    ///
    /// # Errors
    /// [`EditError::Read`], and what a database that cannot be read says.
    pub fn now(file: &Path, like: &Self) -> Result<Self, EditError> {
        let fault = |source| EditError::Read { file: file.into(), source };
        if let Self::Cells(cells) = like {
            return match database::read_cells(file, cells) {
                Ok(cells) => Ok(Self::Cells(cells)),
                Err(DatabaseError::Absent { .. }) => Ok(Self::Absent),
                Err(error) => Err(error.into()),
            };
        }
        match file.look_own_meta() {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(Self::Absent),
            Err(error) => Err(fault(error)),
            Ok(meta) if meta.is_link() && !matches!(like, Self::Bytes(_)) => {
                file.look_link().map(Self::Link).map_err(fault)
            }
            Ok(_) => platform::read(file).map(Self::Bytes).map_err(fault),
        }
    }

    /// Whether both are the same, kept or not.
    pub fn says_the_same(&self, other: &Self) -> bool {
        self == other || self.bytes_known().is_some_and(|known| other.bytes_known() == Some(known))
    }

    /// Whether it is what this says: of bytes that are not kept the number and hash tell.
    pub fn is(&self, now: &Self) -> bool {
        match (self, now) {
            (Self::Known(..), Self::Bytes(_)) => self.bytes_known() == now.bytes_known(),
            (one, now) => one == now,
        }
    }

    /// The same with the bytes that it stands for, made of those that are there since; `None` if they do not make them.
    pub fn made_of(&self, since: &Self) -> Option<Self> {
        match (self, since) {
            (Self::Patched(patch), Self::Bytes(since)) => patch.apply(since).map(Self::Bytes),
            (Self::Patched(patch), _) => patch.apply(&[]).map(Self::Bytes),
            (Self::Known(..), _) => None,
            (other, _) => Some(other.clone()),
        }
    }

    /// Number and hash of the bytes of a file; `None` of anything else.
    pub fn bytes_known(&self) -> Option<(u64, blake3::Hash)> {
        match self {
            Self::Bytes(bytes) => Some((bytes.len() as u64, blake3::hash(bytes))),
            Self::Known(size, hash) => Some((*size, *hash)),
            Self::Patched(patch) => Some(patch.known()),
            _ => None,
        }
    }

    /// The code page that its text is in, or was.
    pub(crate) fn page(&self) -> Option<FormerPage> {
        match self {
            Self::Bytes(bytes) => FormerPage::of_bytes(bytes),
            Self::Patched(patch) => patch.page().cloned(),
            _ => None,
        }
    }

    /// The form in which the journal keeps it: a letter, then bytes; nothing for what is not there.
    pub fn to_row(&self) -> Option<Vec<u8>> {
        let row = |letter: u8, rest: &[u8]| Some([&[letter], rest].concat());
        match self {
            Self::Absent => None,
            Self::Bytes(bytes) => row(b'b', bytes),
            Self::Link(target) => row(b'l', target.name_bytes()),
            Self::Cells(cells) => row(b'c', serde_json::to_string(cells).unwrap_or_default().as_bytes()),
            Self::Patched(patch) => row(b'p', &patch.to_bytes()),
            Self::Known(size, hash) => row(b'k', &[&size.to_le_bytes()[..], hash.as_bytes()].concat()),
        }
    }

    /// Reads what [`Content::to_row`] gave; `None` if it is not that.
    pub fn of_row(row: Option<&[u8]>) -> Option<Self> {
        let Some(row) = row else { return Some(Self::Absent) };
        let (letter, rest) = row.split_first()?;
        match letter {
            b'b' => Some(Self::Bytes(rest.to_vec())),
            b'l' => Some(Self::Link(PathBuf::from(name_of(rest.to_vec())))),
            b'c' => serde_json::from_slice(rest).ok().map(Self::Cells),
            b'p' => Patch::of_bytes(rest).map(Self::Patched),
            b'k' => {
                let (size, hash) = rest.split_first_chunk()?;
                Some(Self::Known(u64::from_le_bytes(*size), blake3::Hash::from_bytes(hash.try_into().ok()?)))
            }
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_journal_keeps_is_what_was_there() {
        let cell = Cell { table: "t".into(), key: "1".into(), column: "c".into(), text: "ä\0".into() };
        for content in [
            Content::Absent,
            Content::Bytes(vec![]),
            Content::Bytes(vec![0, 255, b'l']),
            Content::Link("/a b".into()),
            Content::Cells(vec![cell]),
            Content::Known(7, blake3::hash(b"content")),
            forgotten(Content::Bytes(b"content".to_vec()), Content::Bytes(b"contents".to_vec())).0,
            forgotten(Content::Bytes(b"content".to_vec()), Content::Absent).0,
        ] {
            assert_eq!(Content::of_row(content.to_row().as_deref()), Some(content));
        }
        assert_eq!(Content::of_row(Some(b"")), None);
        assert_eq!(Content::of_row(Some(b"x")), None);
        assert_eq!(Content::of_row(Some(b"k1234567")), None);
    }
}
