//! Why the journal cannot be used.

use std::io;
use std::path::PathBuf;

use thiserror::Error;

/// Why the journal cannot be used.
#[derive(Debug, Error)]
pub enum JournalError {
    /// The state folder or its lock cannot be made.
    #[error("couldn't make {path}")]
    Folder {
        /// The folder or lock.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// Another program works with this state folder.
    #[error("another Deft Barge is using {path}")]
    Locked {
        /// The lock.
        path: PathBuf,
    },
    /// The drive of the state folder is full.
    #[error("no room for {path}")]
    Full {
        /// The database.
        path: PathBuf,
    },
    /// The database cannot be read or written.
    #[error("{path}: {source}")]
    Database {
        /// The database.
        path: PathBuf,
        /// What SQLite said.
        source: rusqlite::Error,
    },
    /// The database was made by another version.
    #[error("{path} has format {found}; this program reads {VERSION}")]
    Version {
        /// The database.
        path: PathBuf,
        /// Its format.
        found: i64,
    },
    /// A row does not hold what it should.
    #[error("{path}: {what}")]
    Row {
        /// The database.
        path: PathBuf,
        /// The fault.
        what: String,
    },
}

pub(crate) const VERSION: i64 = 9;

/// What the journal gives, or why it does not.
pub(crate) type Journaled<T> = Result<T, JournalError>;
