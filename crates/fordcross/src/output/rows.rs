//! Rows of a ledger in three formats.

use super::stream::json_escaped;
use super::{count, table::columns};
use fordcross_core::account::row::{Row, RowKind, value_text};
use std::borrow::Cow;
use std::io::{self, Write};

/// Prints rows of a ledger in one format.
pub(crate) trait RowPrinter {
    /// One row, as its line in the file and as what that says.
    fn row(&mut self, line: &str, row: &Row<'_>) -> io::Result<()>;

    /// The end, with how many rows the ledger has in all.
    fn finish(&mut self, all: usize) -> io::Result<()>;
}

/// The lines as they are in the ledger.
pub(crate) struct JsonRows<'s>(pub(crate) &'s mut dyn Write);

impl RowPrinter for JsonRows<'_> {
    fn row(&mut self, line: &str, _: &Row<'_>) -> io::Result<()> {
        writeln!(self.0, "{}", json_escaped(line))
    }

    fn finish(&mut self, _: usize) -> io::Result<()> {
        Ok(())
    }
}

/// Comma-separated values, one line a landing.
pub(crate) struct CsvRows<'s>(csv::Writer<&'s mut dyn Write>);

impl<'s> CsvRows<'s> {
    pub(crate) fn new(out: &'s mut dyn Write) -> io::Result<Self> {
        let mut writer = csv::Writer::from_writer(out);
        writer.write_record([
            "row",
            "kind",
            "file",
            "line",
            "column",
            "locator",
            "section",
            "type",
            "value",
            "fate",
            "rule",
            "why",
            "new_locator",
            "new_value",
            "landing_fate",
            "findings",
        ])?;
        Ok(Self(writer))
    }
}

impl RowPrinter for CsvRows<'_> {
    fn row(&mut self, _: &str, row: &Row<'_>) -> io::Result<()> {
        let text = |text: &Option<Cow<'_, str>>| text.as_deref().unwrap_or_default().to_owned();
        let number = |number: Option<u64>| number.map_or_else(String::new, |number| number.to_string());
        let codes = row.findings.as_deref().unwrap_or_default().join(" ");
        let landings = row.landings().iter().map(Some);
        for landing in landings.chain(row.landings().is_empty().then_some(None)) {
            let record = [
                row.row.to_string(),
                row.kind.word().to_owned(),
                text(&row.file),
                number(row.line),
                number(row.column),
                text(&row.locator),
                text(&row.section),
                text(&row.type_name),
                value_text(row.value),
                row.outcome().to_owned(),
                text(&row.rule),
                text(&row.why),
                landing.map_or_else(String::new, |landing| landing.locator.clone().into_owned()),
                value_text(landing.and_then(|landing| landing.value)),
                landing.and_then(|landing| landing.fate.as_deref()).unwrap_or_default().to_owned(),
                codes.clone(),
            ];
            self.0.write_record(record.map(defused))?;
        }
        Ok(())
    }

    fn finish(&mut self, _: usize) -> io::Result<()> {
        self.0.flush()
    }
}

/// A cell that a spreadsheet takes for text: one that begins like a formula has an apostrophe in front, unless it is a number.
fn defused(cell: String) -> String {
    let is_formula = cell.starts_with(['=', '+', '-', '@', '\t', '\r']) && cell.parse::<f64>().is_err();
    if is_formula { format!("'{cell}") } else { cell }
}

/// Columns for people.
pub(crate) struct TableRows<'s> {
    out: &'s mut dyn Write,
    rows: Vec<Vec<String>>,
    found: usize,
}

impl<'s> TableRows<'s> {
    pub(crate) fn new(out: &'s mut dyn Write) -> Self {
        Self { out, rows: Vec::new(), found: 0 }
    }
}

/// The most characters that a cell shows; the whole is in the other formats.
const WIDEST: usize = 44;

impl RowPrinter for TableRows<'_> {
    fn row(&mut self, _: &str, row: &Row<'_>) -> io::Result<()> {
        self.found += 1;
        let line = row.line.map_or_else(String::new, |line| line.to_string());
        let locator = row.locator.as_deref().unwrap_or_default().to_owned();
        let mut first = vec![line, locator, value_of(row), row.outcome().to_owned()];
        let why = || row.why.as_deref().unwrap_or_default().to_owned();
        let mut cells =
            row.landings().iter().map(|landing| format!("{} {}", landing.locator, value_text(landing.value)));
        first.push(cells.next().unwrap_or_else(why));
        self.rows.push(first);
        for more in cells {
            self.rows.push(vec![String::new(), String::new(), String::new(), String::new(), more]);
        }
        Ok(())
    }

    fn finish(&mut self, all: usize) -> io::Result<()> {
        if self.found > 0 {
            let rows = std::mem::take(&mut self.rows)
                .into_iter()
                .map(|row| row.iter().map(|cell| shorten(cell)).collect());
            writeln!(
                self.out,
                "{}\n",
                columns(&["line", "old", "value", "fate", "new, or why not"], &[0], rows)
            )?;
        }
        writeln!(self.out, "  {} of {}", self.found, count(all, "row"))
    }
}

fn value_of(row: &Row<'_>) -> String {
    match (row.value, row.kind) {
        (None, RowKind::Setting) => "(not shown)".to_owned(),
        (None, kind) => format!("({})", kind.word()),
        (value, _) => value_text(value),
    }
}

fn shorten(cell: &str) -> String {
    let cell = cell.trim_end();
    if cell.chars().count() <= WIDEST * 2 {
        return cell.to_owned();
    }
    cell.chars().take(WIDEST * 2 - 1).chain(['…']).collect()
}
