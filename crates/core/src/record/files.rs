//! Record files in memory: edits are made here first, all or none, and then go to the drive.

mod cells;
mod entries;
pub(super) mod making;

use crate::record::edit::in_file;
use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};

use serde_json::Value;

use super::content::Content;
use super::database;
use super::document::Document;
use super::edit::EditError;
use super::encoding::Encoding;
use super::former_page::FormerPage;
use crate::platform::{self, Look};
use crate::record::formats::Format;
use crate::site::real_path;

/// One file before and after a set of edits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileChange {
    /// The file, with links followed, unless the link itself changes.
    pub file: PathBuf,
    /// What it holds before.
    pub before: Content,
    /// What it holds afterwards.
    pub after: Content,
}

impl FileChange {
    /// Reads what the file holds now, in the manner of what it holds afterwards.
    ///
    /// # Errors
    /// As [`Content::now`].
    pub fn now(&self) -> Made<Content> {
        if let (Content::Cells(before), Content::Cells(after)) = (&self.before, &self.after) {
            // A row whose key changes is found by its old one until then.
            let keys_stay = before.iter().zip(after).all(|(old, new)| old.same_place(new));
            if !keys_stay && Content::now(&self.file, &self.before)? == self.before {
                return Ok(self.before.clone());
            }
        }
        let like = if self.after == Content::Absent { &self.before } else { &self.after };
        Content::now(&self.file, like)
    }
}

#[derive(Clone, Debug)]
pub(super) struct Slot {
    pub(super) change: FileChange,
    /// What a database says, with the edits that were made.
    pub(super) tables: Option<Value>,
}

/// Record files in memory, in the order in which they are to be written.
#[derive(Debug, Default)]
pub struct Files {
    slots: Vec<Slot>,
    /// Where the files below a folder are read for now: the copy is not there yet.
    carried: Option<(PathBuf, PathBuf)>,
    /// What some files held before and after the same edits, when they were made first.
    known: Vec<FileChange>,
    /// Code pages of files before they were changed.
    pages: HashMap<PathBuf, FormerPage>,
}

pub(super) type Made<T> = Result<T, EditError>;

impl Files {
    /// Files below `to` are read where they are now, below `from`.
    pub fn carried(from: &Path, to: &Path) -> Self {
        Self { carried: Some((from.into(), to.into())), ..Self::default() }
    }

    /// The same, for edits that were made once in part: what their files held before and afterwards.
    pub(crate) fn knowing(known: &[FileChange]) -> Self {
        Self { known: known.to_vec(), ..Self::default() }
    }

    /// The same files, some of which were in a code page before these changes were made of them.
    #[must_use]
    pub(crate) fn after(mut self, changes: &[FileChange]) -> Self {
        let pages = changes.iter().filter_map(|change| Some((change.file.clone(), page_of(change)?)));
        self.pages.extend(pages);
        self
    }

    /// The code page that a file was in, or one that its text comes from.
    fn former_page(&self, file: &Path) -> Option<FormerPage> {
        let place = self.place_of(file, false);
        let slot = self.slots.iter().find(|slot| slot.change.file == place);
        let known = self.known.iter().find(|known| known.file == place);
        // What the bytes of now tell alone may be another page.
        let page = self.pages.get(&place).cloned().or_else(|| page_of(known?));
        page.or_else(|| page_of(&slot?.change))
    }

    /// Bytes of a file as a document, in the code page that it, or another one of these, was in.
    fn document_of(&self, bytes: Vec<u8>, format: Format, files: &[&Path]) -> Made<Document> {
        let former = if !format.is_packed() && Encoding::may_be_page(&bytes) {
            files.iter().find_map(|file| self.former_page(file))
        } else {
            None
        };
        Document::parse_after(bytes, format, former.as_ref()).map_err(in_file(files.first().unwrap_or(&Path::new(""))))
    }

    /// What a file held before and after the same edits, if they were made once.
    fn known(&self, file: &Path) -> Option<&FileChange> {
        let place = self.place_of(file, false);
        self.known.iter().find(|known| known.file == place)
    }

    /// The same files, now for another item.
    #[must_use]
    pub fn now_carried(self, from: &Path, to: &Path) -> Self {
        Self { carried: Some((from.into(), to.into())), ..self }
    }

    /// Has a link be where a folder is for now: it will have stepped aside by the time of the edits.
    pub fn suppose_link(&mut self, link: &Path, target: &Path) {
        let before = Content::Link(target.into());
        let change = FileChange { file: self.place_of(link, true), after: before.clone(), before };
        self.slots.push(Slot { change, tables: None });
    }

    fn place_of(&self, file: &Path, is_link: bool) -> PathBuf {
        // A record file that is a link is edited where it leads, so that the link stays one.
        if is_link {
            let folder = file.parent().map(real_path);
            return folder.unwrap_or_default().join(file.file_name().unwrap_or_default());
        }
        real_path(file)
    }

    fn read_at(&self, file: &Path) -> PathBuf {
        let carried = self.carried.as_ref().and_then(|(from, to)| {
            let below = file.strip_prefix(to).map(Path::to_path_buf);
            let below = below.or_else(|_| file.strip_prefix(real_path(to)).map(Path::to_path_buf));
            Some(from.join(below.ok()?))
        });
        carried.filter(|_| file.look_own_meta().is_err()).unwrap_or_else(|| file.into())
    }

    pub(super) fn slot(&mut self, file: &Path, is_link: bool) -> Made<&mut Slot> {
        let place = self.place_of(file, is_link);
        let at = if let Some(at) = self.slots.iter().position(|slot| slot.change.file == place) {
            at
        } else {
            let fault = |source| EditError::Read { file: file.into(), source };
            let from = self.read_at(&place);
            // An earlier item brings it there first, and has changed it by then.
            let brought = self.slots.iter().find(|slot| slot.change.file == from).map(|slot| slot.change.after.clone());
            let before = if let Some(Content::Bytes(bytes)) = brought {
                Content::Bytes(bytes)
            } else if is_link {
                match from.look_link() {
                    Ok(target) => Content::Link(target),
                    Err(error) if error.kind() == io::ErrorKind::NotFound => Content::Absent,
                    Err(_) => return Err(EditError::Exists { file: file.into() }),
                }
            } else {
                match database::whole_file(&from) {
                    Ok(bytes) if database::is_database(&bytes) => Content::Cells(Vec::new()),
                    Ok(bytes) => Content::Bytes(bytes),
                    Err(error) if error.kind() == io::ErrorKind::NotFound => Content::Absent,
                    Err(source) => return Err(fault(source)),
                }
            };
            let tables = matches!(before, Content::Cells(_)).then(|| database::read(&from)).transpose()?;
            let change = FileChange { file: place, after: before.clone(), before };
            self.slots.push(Slot { change, tables });
            self.slots.len() - 1
        };
        #[expect(clippy::indexing_slicing, reason = "it was found or put there just now")]
        Ok(&mut self.slots[at])
    }

    fn bytes(&mut self, file: &Path) -> Made<Option<Vec<u8>>> {
        Ok(match &self.slot(file, false)?.change.after {
            Content::Bytes(bytes) => Some(bytes.clone()),
            _ => None,
        })
    }

    pub(crate) fn document(&mut self, file: &Path, format: Format) -> Made<Document> {
        self.document_like(file, format, file)
    }

    /// The same of a file that takes in what comes from another.
    fn document_like(&mut self, file: &Path, format: Format, other: &Path) -> Made<Document> {
        let not_there = || EditError::Read { file: file.into(), source: io::ErrorKind::NotFound.into() };
        let bytes = self.bytes(file)?.ok_or_else(not_there)?;
        self.document_of(bytes, format, &[file, other])
    }

    fn put(&mut self, file: &Path, bytes: Option<Vec<u8>>) -> Made<()> {
        self.slot(file, false)?.change.after = bytes.map_or(Content::Absent, Content::Bytes);
        Ok(())
    }

    /// Tries the changes of databases on copies, there and back.
    ///
    /// # Errors
    /// [`EditError`] of one that does not let it be, or not be taken back.
    pub fn rehearse(&self) -> Made<()> {
        for change in self.slots.iter().map(|slot| &slot.change) {
            if let (Content::Cells(before), Content::Cells(after)) = (&change.before, &change.after)
                && !before.is_empty()
                && !database::rehearse(&change.file, before, after)?
            {
                let why = format!("{} changes more than its records, and couldn't be undone", change.file.display());
                return Err(EditError::Impossible { why });
            }
        }
        Ok(())
    }

    /// The files that differ from what they held, in the order in which they are to be written.
    pub fn changes(self) -> Vec<FileChange> {
        let changes = self.slots.into_iter().map(|slot| settled(slot.change));
        changes.filter(|change| change.before != change.after).collect()
    }
}

/// The change as it is found once it was made: the registry keeps values, and gives their text in an order of its own.
fn settled(change: FileChange) -> FileChange {
    let FileChange { file, before, after } = change;
    let after = match after {
        Content::Bytes(bytes) if platform::is_in_registry(&file) => {
            let text = std::str::from_utf8(&bytes).ok().and_then(|text| platform::as_registry_says(text).ok());
            // What is no such text is refused when it is written.
            Content::Bytes(text.map_or(bytes, String::into_bytes))
        }
        other => other,
    };
    FileChange { file, before, after }
}

/// The code page that a file was in before a change, or after it.
fn page_of(change: &FileChange) -> Option<FormerPage> {
    change.before.page().or_else(|| change.after.page())
}

/// The text of a text or a number.
pub(super) fn text_of(value: &Value) -> String {
    value.as_str().map_or_else(|| value.to_string(), str::to_string)
}

#[cfg(test)]
mod tests;
