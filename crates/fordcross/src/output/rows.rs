//! Rows of a ledger in three formats.

use super::stream::json_escaped;
use super::{count, table::columns};
use serde_json::Value;
use std::io::{self, Write};

/// Prints rows of a ledger in one format.
pub(crate) trait RowPrinter {
    /// One row, as its line in the file and as what that says.
    fn row(&mut self, line: &str, row: &Value) -> io::Result<()>;

    /// The end, with how many rows the ledger has in all.
    fn finish(&mut self, all: usize) -> io::Result<()>;
}

/// The lines as they stand in the ledger.
pub(crate) struct JsonRows<'s>(pub(crate) &'s mut dyn Write);

impl RowPrinter for JsonRows<'_> {
    fn row(&mut self, line: &str, _: &Value) -> io::Result<()> {
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
    fn row(&mut self, _: &str, row: &Value) -> io::Result<()> {
        let fields = ["row", "kind", "file", "line", "column", "locator", "section", "type", "value"];
        let codes = row["findings"]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(Value::as_str)
            .collect::<Vec<_>>()
            .join(" ");
        let no_landing = [Value::Null];
        let landings = row["landings"].as_array().filter(|landings| !landings.is_empty());
        for landing in landings.map_or(&no_landing[..], Vec::as_slice) {
            let mut record: Vec<String> = fields.iter().map(|field| text(&row[field])).collect();
            record.push(fate(row));
            record.extend(["rule", "why"].map(|field| text(&row[field])));
            record.extend(["locator", "value", "fate"].map(|field| text(&landing[field])));
            record.push(codes.clone());
            self.0.write_record(record.into_iter().map(defused))?;
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
    fn row(&mut self, _: &str, row: &Value) -> io::Result<()> {
        self.found += 1;
        let mut first = vec![text(&row["line"]), text(&row["locator"]), value_of(row), fate(row)];
        let why = text(&row["why"]);
        let landings = row["landings"].as_array().map(Vec::as_slice).unwrap_or_default();
        let mut cells = landings
            .iter()
            .map(|landing| format!("{} {}", text(&landing["locator"]), text(&landing["value"])));
        first.push(cells.next().unwrap_or(why));
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

fn value_of(row: &Value) -> String {
    match (&row["value"], row["kind"].as_str()) {
        (Value::Null, Some("setting")) => "(not shown)".to_owned(),
        (Value::Null, Some(kind)) => format!("({kind})"),
        (value, _) => text(value),
    }
}

/// The fate of a setting or object, the origin of what the result has beside them, or what became of
/// a setting of a base.
pub(crate) fn fate(row: &Value) -> String {
    let field = ["origin", "outcome"].into_iter().find(|field| row[field].is_string());
    text(&row[field.unwrap_or("fate")])
}

fn text(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        other => other.to_string(),
    }
}

fn shorten(cell: &str) -> String {
    let cell = cell.trim_end();
    if cell.chars().count() <= WIDEST * 2 {
        return cell.to_owned();
    }
    cell.chars().take(WIDEST * 2 - 1).chain(['…']).collect()
}
