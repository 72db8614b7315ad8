//! Whether a file is the one that was seen before, by all that a file system keeps steadily of it.
//!
//! Law: what a file system makes up (inode numbers of exFAT, change times of NTFS) is never compared, and what an older
//! journal did not keep is not either; size and time always are.

use crate::platform::Seen;
use crate::platform::Steady;

use super::walk::{Entry, EntryKind};

/// What tells a file from another one and from what it was before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FileIdentity {
    /// Bytes.
    pub size: u64,
    /// Time of the last change of its bytes, nanoseconds since 1970.
    pub modified_ns: i128,
    /// Time of the last change of its status; `None` where it says nothing.
    pub changed_ns: Option<i128>,
    /// Number of its inode; `None` where it says nothing.
    pub inode: Option<u64>,
}

impl FileIdentity {
    /// The identity of what a walk has found.
    pub fn of(entry: &Entry, steady: Steady) -> Self {
        // A second name that comes or goes changes the status of the file, and nothing in it.
        let tells = steady.changes && entry.names <= 1 && !matches!(entry.kind, EntryKind::Again(_));
        Self {
            size: entry.size,
            modified_ns: entry.modified_ns,
            changed_ns: entry.changed_ns.filter(|_| tells),
            inode: steady.inodes.then_some(entry.inode),
        }
    }

    /// The identity of a file that is there.
    pub fn of_file(meta: &Seen, steady: Steady) -> Self {
        Self {
            size: meta.size,
            modified_ns: meta.modified_ns,
            changed_ns: Some(meta.changed_ns).filter(|_| steady.changes),
            inode: steady.inodes.then_some(meta.inode),
        }
    }

    /// The identity of what a name in an open folder is; `size` instead of its own where that says nothing.
    pub(crate) fn of_stat(stat: &Seen, size: Option<u64>, steady: Steady) -> Self {
        Self {
            size: size.unwrap_or(stat.size),
            modified_ns: stat.modified_ns,
            changed_ns: steady.changes.then_some(stat.changed_ns),
            inode: steady.inodes.then_some(stat.inode),
        }
    }

    /// Whether both are the same file with the same bytes, as far as both know.
    pub fn is_same(&self, other: &Self) -> bool {
        fn agree<T: PartialEq>(one: Option<T>, other: Option<T>) -> bool {
            one.zip(other).is_none_or(|(one, other)| one == other)
        }
        self.size == other.size
            && self.modified_ns == other.modified_ns
            && agree(self.changed_ns, other.changed_ns)
            && agree(self.inode, other.inode)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_known_is_not_compared_and_everything_else_is() {
        let file = FileIdentity { size: 1, modified_ns: 2, changed_ns: Some(3), inode: Some(4) };
        assert!(file.is_same(&file));
        assert!(file.is_same(&FileIdentity { inode: None, ..file }));
        assert!(file.is_same(&FileIdentity { changed_ns: None, ..file }));
        for other in [
            FileIdentity { size: 9, ..file },
            FileIdentity { modified_ns: 9, ..file },
            FileIdentity { changed_ns: Some(9), ..file },
            FileIdentity { inode: Some(9), ..file },
        ] {
            assert!(!file.is_same(&other) && !other.is_same(&file), "{other:?}");
        }
    }
}
