//! Tables: text with a header (RFC 4180, with another separator where a platform has one). A row is a branch, a cell a value
//! in it under the name of its column.

mod edit;
mod facts;
mod read;
mod write;

pub(super) use write::columns_of;

use super::codec::{Codec, KnownBy, Traits};
use super::edit::File;
use super::{Format, spell};
use crate::declaration::{Section, separator};
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{NodeId, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    known_by: KnownBy::Line { is_key: false, is_any_word: false, is_in_text: false },
    with_marker: |marker| format!("a table of {marker}"),
    has_raw_line_ends: true,
    is_rectangular: true,
    tables: &["csv"],
    ..Traits::new(
        "csv",
        "csv",
        |section, _, _| Arc::new(Table::declared(section)),
        || Arc::new(Table::default()),
    )
};

/// How a platform writes its tables.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Table {
    /// What is between two cells.
    separator: char,
    /// What a row is called in the tree.
    pub(super) row: String,
}

impl Default for Table {
    fn default() -> Self {
        Self { separator: ',', row: "row".into() }
    }
}

impl Table {
    /// What a section says under `[csv]`.
    pub(super) fn declared(holder: &Section<'_, '_>) -> Self {
        let mut table = Self::default();
        let Some(section) = holder.section("csv") else { return table };
        if let Some(sign) = section.word("separator").and_then(|word| separator(&section, word)) {
            table.separator = sign;
        }
        if let Some(row) = section.word("row") {
            row.text.clone_into(&mut table.row);
        }
        section.finish();
        table
    }
}

impl Codec for Table {
    fn format(&self) -> Format {
        Format::Table
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        read::read_csv(source, self)
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        write::write_csv(tree, top, self, out);
    }

    fn edit(&self, file: &File<'_>) -> Vec<(Span, Vec<u8>)> {
        vec![(file.span, edit::edited(file, self))]
    }

    fn value_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        vec![spell::between_quotes(tree, node)]
    }
}
