//! A cell of a database.

use serde::{Deserialize, Serialize};

/// One cell of a database.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Cell {
    /// The table.
    pub table: String,
    /// The primary key as text; of several columns a JSON list of them; without one the row's number.
    pub key: String,
    /// The column.
    pub column: String,
    /// What it says.
    pub text: String,
}

impl Cell {
    /// Whether both are the same place.
    pub fn same_place(&self, other: &Self) -> bool {
        (&self.table, &self.key, &self.column) == (&other.table, &other.key, &other.column)
    }
}
