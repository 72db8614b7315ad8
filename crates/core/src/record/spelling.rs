//! How a path is written: the one bridge between paths on disk, which are bytes, and text in records.
//!
//! So far absolute paths with forward slashes are spelled, with or without a slash at the end.

use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// A path just as a launcher wrote it, in that launcher's spelling.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
pub struct WrittenPath(pub String);

/// Why a path cannot be written down in a spelling.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum SpellingError {
    /// A name is not UTF-8, and a record holds text only.
    #[error("{0} holds bytes that no text can hold")]
    NotText(PathBuf),
    /// The text is no absolute path.
    #[error("{0:?} is not an absolute path")]
    NotAbsolute(String),
}

/// The habits found in a written path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Spelling {
    ends_in_slash: bool,
}

impl Spelling {
    /// Reads a written path: its spelling, and the place on disk, without `.` and doubled slashes; `..` stays.
    pub fn read(written: &WrittenPath) -> Result<(Self, PathBuf), SpellingError> {
        let text = &written.0;
        if !text.starts_with('/') || text.contains('\0') {
            return Err(SpellingError::NotAbsolute(text.clone()));
        }
        let path: PathBuf = Path::new(text).components().filter(|c| !matches!(c, Component::CurDir)).collect();
        Ok((Self { ends_in_slash: text.len() > 1 && text.ends_with('/') }, path))
    }

    /// Writes another place in the same spelling.
    pub fn write(self, path: &Path) -> Result<WrittenPath, SpellingError> {
        let text = path.to_str().ok_or_else(|| SpellingError::NotText(path.into()))?;
        let slash = if self.ends_in_slash && !text.ends_with('/') { "/" } else { "" };
        Ok(WrittenPath(format!("{text}{slash}")))
    }

    /// The spelling where there is no older one: no slash at the end.
    pub fn plain() -> Self {
        Self { ends_in_slash: false }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_slash_at_the_end_is_kept() {
        let (spelling, path) = Spelling::read(&WrittenPath("/a//b/./c/".into())).unwrap();
        assert_eq!(path, Path::new("/a/b/c"));
        assert_eq!(spelling.write(Path::new("/x/y")).unwrap().0, "/x/y/");
        let (plain, _) = Spelling::read(&WrittenPath("/a".into())).unwrap();
        assert_eq!(plain.write(Path::new("/x")).unwrap().0, "/x");
    }

    #[test]
    fn what_is_no_absolute_path_is_refused() {
        for text in ["", "a/b", "C:/x", "/a\0b"] {
            assert!(Spelling::read(&WrittenPath(text.into())).is_err(), "{text}");
        }
    }
}
