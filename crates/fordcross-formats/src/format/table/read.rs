//! Reading tables cell by cell: readers of whole records do not give the place of a cell.

use super::Table;
use super::facts::TableFact;
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};
use rustc_hash::FxHashSet;

/// Reads a table with a header.
///
/// # Errors
/// The first row with more or fewer cells than the header, a column that is there twice, or quotes that
/// are not closed.
pub(super) fn read_csv<'a>(source: Source<'a>, dialect: &Table) -> Result<Tree<'a>, Box<Finding>> {
    let mut tree = Tree::new(source);
    let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::new(0, source.text.len()));
    let mut cells = Cells { text: source.text, at: 0, separator: dialect.separator };
    let Some(header) = cells.record(source)? else { return Ok(tree) };
    let columns: Vec<String> = header.iter().map(|cell| cell.text(source.text)).collect();
    check_columns(source, &columns, |index| header[index].span)?;
    while let Some(record) = cells.record(source)? {
        let whole = Span::new(record[0].span.start as usize, record[record.len() - 1].span.end as usize);
        if record.len() != columns.len() {
            let fact = TableFact::Cells { cells: record.len(), columns: columns.len() };
            return Err(wrong(source, whole, fact));
        }
        let row = tree.push(root, Kind::Map, &dialect.row, whole);
        for (cell, column) in record.iter().zip(&columns) {
            let leaf = tree.push(row, Kind::Text, column, cell.span);
            let text = cell.text(source.text);
            let inner = cell.inner();
            if source.text[inner.range()] == text {
                tree.set_value(leaf, Text::Borrowed(inner));
            } else {
                tree.set_value(leaf, Text::Decoded(&text));
            }
        }
    }
    Ok(tree)
}

fn wrong(source: Source<'_>, span: Span, fact: TableFact) -> Box<Finding> {
    Box::new(Finding::new(fact).at(source, span))
}

fn check_columns(
    source: Source<'_>,
    columns: &[String],
    span: impl Fn(usize) -> Span,
) -> Result<(), Box<Finding>> {
    let mut seen = FxHashSet::default();
    for (index, column) in columns.iter().enumerate() {
        if column.is_empty() {
            return Err(wrong(source, span(index), TableFact::ColumnNameless));
        }
        if !seen.insert(column) {
            return Err(wrong(source, span(index), TableFact::ColumnTwice { column: column.clone() }));
        }
    }
    Ok(())
}

/// A cell as it is there, in quotes or not.
struct Cell {
    span: Span,
    quoted: bool,
}

impl Cell {
    fn inner(&self) -> Span {
        let by = usize::from(self.quoted);
        Span::new(self.span.start as usize + by, self.span.end as usize - by)
    }

    fn text(&self, source: &str) -> String {
        let raw = &source[self.inner().range()];
        if self.quoted { raw.replace("\"\"", "\"") } else { raw.to_owned() }
    }
}

struct Cells<'a> {
    text: &'a str,
    at: usize,
    separator: char,
}

impl Cells<'_> {
    /// The next record that is not an empty line.
    fn record(&mut self, source: Source<'_>) -> Result<Option<Vec<Cell>>, Box<Finding>> {
        while self.text[self.at..].starts_with(['\n', '\r']) {
            self.at += 1;
        }
        if self.at == self.text.len() {
            return Ok(None);
        }
        let mut record = Vec::new();
        loop {
            record.push(self.cell(source)?);
            let rest = &self.text[self.at..];
            if rest.starts_with(self.separator) {
                self.at += self.separator.len_utf8();
            } else {
                self.at += if rest.starts_with("\r\n") { 2 } else { rest.len().min(1) };
                return Ok(Some(record));
            }
        }
    }

    fn cell(&mut self, source: Source<'_>) -> Result<Cell, Box<Finding>> {
        let start = self.at;
        let ends = |c: char| c == self.separator || c == '\n' || c == '\r';
        if !self.text[start..].starts_with('"') {
            let length = self.text[start..].find(ends).unwrap_or(self.text.len() - start);
            self.at = start + length;
            return Ok(Cell { span: Span::new(start, self.at), quoted: false });
        }
        let mut from = start + 1;
        loop {
            let Some(quote) = self.text[from..].find('"') else {
                return Err(wrong(source, Span::new(start, start + 1), TableFact::QuotesOpen));
            };
            from += quote + 1;
            if !self.text[from..].starts_with('"') {
                break;
            }
            from += 1;
        }
        self.at = from;
        if self.text[from..].chars().next().is_some_and(|c| !ends(c)) {
            return Err(wrong(source, Span::new(start, from), TableFact::BehindQuotes));
        }
        Ok(Cell { span: Span::new(start, from), quoted: true })
    }
}
