//! Tables: text with a header (RFC 4180, with another separator where a line has one), and the rows of a
//! database. A row is a branch, a cell a value in it under the name of its column.

mod read;
mod write;

pub(crate) use read::{read_csv, read_listing};
pub(crate) use write::{write_cell, write_csv, write_listing, write_row};

/// How a line writes its tables.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Dialect {
    /// What stands between two cells.
    pub(crate) separator: char,
    /// What a row is called in the tree.
    pub(crate) row: String,
}

impl Default for Dialect {
    fn default() -> Self {
        Self { separator: ',', row: "row".into() }
    }
}
