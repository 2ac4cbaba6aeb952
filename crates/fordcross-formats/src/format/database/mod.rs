//! The rows of the tables of `SQLite` databases, each table a file of its own in form of a listing.

#[cfg(not(feature = "sqlite"))]
mod absent;
#[cfg(feature = "sqlite")]
mod facts;
mod listing;
#[cfg(feature = "sqlite")]
mod sqlite;

#[cfg(not(feature = "sqlite"))]
pub(super) use absent::build;
#[cfg(not(feature = "sqlite"))]
pub use absent::listing;
#[cfg(feature = "sqlite")]
pub(super) use sqlite::build;
#[cfg(feature = "sqlite")]
pub use sqlite::listing;

use super::codec::{Codec, Scope, Traits};
use super::table::Table;
use super::{Format, spell};
use crate::declaration::Section;
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{NodeId, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    scopes: &[Scope::File],
    tells_bare: true,
    tables: &["database"],
    ..Traits::new(
        "database",
        "database",
        |section, _, _| Arc::new(Listing { row: declared_row(section) }),
        || Arc::new(Listing { row: Table::default().row }),
    )
};

/// What a section says under `[database]`.
fn declared_row(holder: &Section<'_, '_>) -> String {
    let Some(section) = holder.section("database") else { return Table::default().row };
    let row = section.word("row").map_or_else(|| Table::default().row, |word| word.text.to_owned());
    section.finish();
    row
}

/// The listing of a table.
#[derive(Debug)]
struct Listing {
    /// What a row is called in the tree.
    row: String,
}

impl Codec for Listing {
    fn format(&self) -> Format {
        Format::Database
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        listing::read_listing(source, &self.row)
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        listing::write_listing(tree, top, out);
    }

    fn value_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        vec![spell::between_quotes(tree, node)]
    }

    fn is_of_database(&self) -> bool {
        true
    }

    fn is_text(&self) -> bool {
        false
    }
}

const MAGIC: &[u8] = b"SQLite format 3\0";

/// Whether a file is a database, by its first bytes (`SQLite` database file format, section 1.3).
pub fn is_database(bytes: &[u8]) -> bool {
    bytes.starts_with(MAGIC)
}
