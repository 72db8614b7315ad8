//! Why a database cannot be read or written.

use std::path::PathBuf;
use thiserror::Error;

/// Bytes of text that are read from one database. Launchers' own are far smaller.
pub(super) const LARGEST: usize = 128_000_000;

/// Why a database was not read or not changed. It holds what it held before.
#[derive(Debug, Error)]
pub enum DatabaseError {
    /// It is not there.
    #[error("{file} doesn't exist")]
    Absent {
        /// The database.
        file: PathBuf,
    },
    /// Another program holds it.
    #[error("{file} is locked by another program; close it and try again")]
    Locked {
        /// The database.
        file: PathBuf,
    },
    /// It holds more text than is read.
    #[error("{file} holds more than {} MB of text", LARGEST / 1_000_000)]
    TooLarge {
        /// The database.
        file: PathBuf,
    },
    /// A cell does not say what was read.
    #[error("{file}: {column} of {table} {key} has changed since the survey")]
    Changed {
        /// The database.
        file: PathBuf,
        /// The table.
        table: String,
        /// The key.
        key: String,
        /// The column.
        column: String,
    },
    /// It is no database, or SQLite refuses it.
    #[error("couldn't use {file} as a database: {source}")]
    Broken {
        /// The database.
        file: PathBuf,
        /// What SQLite said.
        source: rusqlite::Error,
    },
    /// Its files cannot be read.
    #[error("couldn't read {file}: {source}")]
    Read {
        /// The file.
        file: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
}
