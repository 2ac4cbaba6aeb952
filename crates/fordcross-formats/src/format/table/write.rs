//! Writing a table: the header has the columns in the order in which they first occur.

use super::Table;
use crate::tree::{Kind, NodeId, Tree};

/// Appends a table with its header. A row that lacks a column has an empty cell there.
pub(super) fn write_csv(tree: &Tree<'_>, top: NodeId, dialect: &Table, out: &mut Vec<u8>) {
    let rows: Vec<NodeId> = tree.children(top).filter(|&row| tree.kind(row) == Kind::Map).collect();
    let columns = columns_of(tree, &rows);
    if columns.is_empty() {
        return;
    }
    write_record(columns.iter().copied(), dialect.separator, out);
    for row in rows {
        write_row(tree, row, &columns, dialect.separator, out);
    }
}

/// Appends a row: a cell for each column.
pub(super) fn write_row(tree: &Tree<'_>, row: NodeId, columns: &[&str], separator: char, out: &mut Vec<u8>) {
    let cells = columns.iter().map(|column| tree.child(row, column).map_or("", |cell| tree.value(cell)));
    write_record(cells, separator, out);
}

/// The names of all cells, in the order in which they first occur.
pub(in crate::format) fn columns_of<'t>(tree: &'t Tree<'_>, rows: &[NodeId]) -> Vec<&'t str> {
    let mut columns: Vec<&str> = Vec::new();
    for &row in rows {
        for cell in tree.children(row).filter(|&cell| tree.kind(cell).is_value()) {
            if !columns.contains(&tree.name(cell)) {
                columns.push(tree.name(cell));
            }
        }
    }
    columns
}

/// Appends a cell, in quotes if it needs them.
pub(super) fn write_cell(cell: &str, separator: char, out: &mut Vec<u8>) {
    if cell.contains([separator, '"', '\n', '\r']) {
        out.push(b'"');
        out.extend_from_slice(cell.replace('"', "\"\"").as_bytes());
        out.push(b'"');
    } else {
        out.extend_from_slice(cell.as_bytes());
    }
}

fn write_record<'t>(cells: impl Iterator<Item = &'t str>, separator: char, out: &mut Vec<u8>) {
    let from = out.len();
    for (index, cell) in cells.enumerate() {
        if index > 0 {
            out.extend_from_slice(separator.encode_utf8(&mut [0; 4]).as_bytes());
        }
        write_cell(cell, separator, out);
    }
    // A record of one empty cell would be an empty line, which is none.
    if out.len() == from {
        out.extend_from_slice(b"\"\"");
    }
    out.push(b'\n');
}

#[cfg(test)]
mod tests {
    use super::super::read::read_csv;
    use super::*;
    use crate::text::source::{Source, Span};
    use crate::tree::Text;
    use proptest::prelude::*;
    use rstest::rstest;

    fn rewritten(text: &str, dialect: &Table) -> String {
        let tree = read_csv(Source::new("a", text), dialect).expect("well-formed");
        let mut out = Vec::new();
        write_csv(&tree, tree.root(), dialect, &mut out);
        String::from_utf8(out).expect("UTF-8")
    }

    #[rstest]
    #[case("name,path\nphotos,/srv/photos\n\"a, \"\"b\"\"\",\n", ',')]
    #[case("name\tpath\nphotos\t/srv, photos\n", '\t')]
    #[case("name\n\"\"\n\"two\nlines\"\n", ',')]
    fn what_is_read_is_written_again(#[case] text: &str, #[case] separator: char) {
        assert_eq!(rewritten(text, &Table { separator, ..Table::default() }), text);
    }

    #[rstest]
    #[case("a,b\n1,2,3\n", 2, 1, "the row has 3 cells, and the header 2")]
    #[case("a,b\n1,\"2\n", 2, 3, "not closed")]
    #[case("a,b\n\"1\"x,2\n", 2, 1, "text after the closing quote")]
    #[case("a,a\n", 1, 3, "`a` exists twice")]
    #[case("a,\n", 1, 3, "has no name")]
    fn refuses(#[case] text: &str, #[case] line: u32, #[case] column: u32, #[case] reported: &str) {
        let finding = read_csv(Source::new("a", text), &Table::default()).expect_err("refused");
        let at = finding.location.as_ref().expect("a place").at;
        assert!(finding.message().contains(reported), "{}", finding.message());
        assert_eq!((at.line, at.column), (line, column));
    }

    proptest! {
        /// Any cells come back as they were.
        #[test]
        fn any_cells_come_back(cells in proptest::collection::vec("[a,\"\n\r é]{0,8}", 1..6)) {
            let mut tree = Tree::new(Source::new("a", ""));
            let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::default());
            let row = tree.push(root, Kind::Map, "row", Span::default());
            for (index, cell) in cells.iter().enumerate() {
                let leaf = tree.push(row, Kind::Text, &format!("c{index}"), Span::default());
                tree.set_value(leaf, Text::Decoded(cell));
            }
            let mut out = Vec::new();
            write_csv(&tree, root, &Table::default(), &mut out);
            let text = String::from_utf8(out).expect("UTF-8");
            let read = read_csv(Source::new("a", &text), &Table::default()).expect("well-formed");
            let back: Vec<String> = read.ids().filter(|&id| read.kind(id).is_value()).map(|id| read.value(id).to_owned()).collect();
            prop_assert_eq!(back, cells);
        }

        /// No text makes it panic.
        #[test]
        fn any_text_is_read_or_refused(text in "[ab,\"\n\ré]{0,40}") {
            let _ = read_csv(Source::new("a", &text), &Table::default());
        }
    }
}
