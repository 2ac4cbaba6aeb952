//! The listing of a table of a database: its columns on the first line, then a row a line, each an array of JSON.

use crate::finding::Finding;
use crate::format::json::read_json;
use crate::format::table::columns_of;
use crate::text::json_string::write_string;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Sink, Text, Tree};

/// Reads the listing of a table of a database.
///
/// # Errors
/// None but for a listing that was changed: they are made by the program itself.
pub(super) fn read_listing<'a>(source: Source<'a>, row_name: &str) -> Result<Tree<'a>, Box<Finding>> {
    let mut rows = Rows {
        tree: Tree::new(source),
        root: NodeId::DOCUMENT,
        row: NodeId::DOCUMENT,
        name: row_name,
        columns: Vec::new(),
        cell: 0,
        is_header: true,
        start: 0,
    };
    rows.root = rows.tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::new(0, source.text.len()));
    let mut start = 0;
    for line in source.text.split_inclusive('\n') {
        (rows.start, rows.cell) = (start, 0);
        read_json(Source::new(source.name, line), &mut rows)?;
        rows.is_header = false;
        start += line.len();
    }
    Ok(rows.tree)
}

/// Takes the arrays of a listing in as rows.
struct Rows<'r, 'a> {
    tree: Tree<'a>,
    root: NodeId,
    row: NodeId,
    name: &'r str,
    columns: Vec<String>,
    cell: usize,
    is_header: bool,
    start: usize,
}

impl Sink for Rows<'_, '_> {
    fn open(&mut self, _: Kind, _: &str, start: usize) {
        if !self.is_header {
            let at = self.start + start;
            self.row = self.tree.push(self.root, Kind::Map, self.name, Span::new(at, at));
        }
    }

    fn leaf(&mut self, kind: Kind, _: &str, span: Span, value: Text<'_>) {
        let span = span.shifted(self.start);
        if self.is_header {
            self.columns.push(match value {
                Text::Borrowed(at) => self.tree.source().text[at.shifted(self.start).range()].to_owned(),
                Text::Decoded(text) => text.to_owned(),
            });
            return;
        }
        let Some(column) = self.columns.get(self.cell) else { return };
        let leaf = self.tree.push(self.row, kind, column, span);
        match value {
            Text::Borrowed(at) => self.tree.set_value(leaf, Text::Borrowed(at.shifted(self.start))),
            Text::Decoded(text) => self.tree.set_value(leaf, Text::Decoded(text)),
        }
        self.cell += 1;
    }

    fn close(&mut self, end: usize) {
        if !self.is_header {
            self.tree.set_end(self.row, self.start + end);
        }
    }
}

/// Appends the listing of a table of a database: its columns, and a row a line, each an array of JSON.
pub(super) fn write_listing(tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
    let rows: Vec<NodeId> = tree.children(top).filter(|&row| tree.kind(row) == Kind::Map).collect();
    let columns = columns_of(tree, &rows);
    let mut line = |cells: &mut dyn Iterator<Item = (Kind, &str)>| {
        out.push(b'[');
        for (index, (kind, text)) in cells.enumerate() {
            if index > 0 {
                out.push(b',');
            }
            if kind == Kind::Bare { out.extend_from_slice(text.as_bytes()) } else { write_string(text, out) }
        }
        out.extend_from_slice(b"]\n");
    };
    line(&mut columns.iter().map(|column| (Kind::Text, *column)));
    for row in rows {
        let cell = |column: &&str| {
            tree.child(row, column).map_or((Kind::Bare, "null"), |cell| (tree.kind(cell), tree.value(cell)))
        };
        line(&mut columns.iter().map(cell));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_listing_is_read_with_the_places_of_its_cells() {
        let text = "[\"id\",\"name\"]\n[1,\"quay \\\"a\\\"\"]\n[2,null]\n";
        let tree = read_listing(Source::new("a", text), "row").expect("well-formed");
        let cells: Vec<_> = tree
            .ids()
            .filter(|&id| tree.kind(id).is_value())
            .map(|id| (tree.name(id), tree.kind(id), tree.value(id), &text[tree.span(id).range()]))
            .collect();
        let expected = [
            ("id", Kind::Bare, "1", "1"),
            ("name", Kind::Text, "quay \"a\"", "\"quay \\\"a\\\"\""),
            ("id", Kind::Bare, "2", "2"),
            ("name", Kind::Bare, "null", "null"),
        ];
        assert_eq!(cells, expected);
    }
}
