//! A table of a base with its changes: cells that have another value, rows that are gone, and new ones behind
//! those that are there.

use super::Table;
use super::write::{write_cell, write_csv, write_row};
use crate::format::edit::{Edit, File, apply, is_new};
use crate::text::source::Span;
use crate::tree::NodeId;

/// The table with the changes in it.
pub(super) fn edited(file: &File<'_>, table: &Table) -> Vec<u8> {
    let File { changes, base, tree, top, span, .. } = *file;
    let text = file.text();
    let columns: Vec<&str> = match base.first_child(top) {
        Some(first) => base.children(first).map(|cell| base.name(cell)).collect(),
        None => Vec::new(),
    };
    let is_known = |row: NodeId| tree.children(row).all(|cell| columns.contains(&tree.name(cell)));
    let rows_change = |row: &NodeId| changes.whole.contains(row) || changes.grown.contains(row);
    // What is not a matter of cells and rows needs another header, and so another table.
    if columns.is_empty()
        || !tree.children(top).all(is_known)
        || base.children(top).any(|row| rows_change(&row))
    {
        let mut out = Vec::new();
        write_csv(tree, top, table, &mut out);
        return out;
    }
    let mut edits: Vec<Edit> = Vec::new();
    let own = |node: &&NodeId| **node >= top && **node < base.subtree_end(top);
    for &cell in changes.values.iter().filter(own) {
        let mut new = Vec::new();
        write_cell(tree.value(cell), table.separator, &mut new);
        edits.push((base.span(cell), new));
    }
    for &row in changes.gone.iter().filter(own) {
        let (start, end) = (base.span(row).start as usize, base.span(row).end as usize);
        let line_end = text[end..].find('\n').map_or(text.len(), |at| end + at + 1);
        edits.push((Span::new(start, line_end), Vec::new()));
    }
    let line_end: &[u8] = if text[span.range()].contains("\r\n") { b"\r\n" } else { b"\n" };
    let mut new = Vec::new();
    for row in tree.children(top).filter(|&row| is_new(tree, row)) {
        write_row(tree, row, &columns, table.separator, &mut new);
        // Line ends inside a cell are part of its value.
        new.pop();
        new.extend_from_slice(line_end);
    }
    if !new.is_empty() && !text.is_empty() && !text.ends_with('\n') {
        new.splice(0..0, line_end.iter().copied());
    }
    edits.push((Span::new(text.len(), text.len()), new));
    apply(text, span, edits)
}
