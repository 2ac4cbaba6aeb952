//! `SQLite` databases: opened in memory, and listed table by table.
//!
//! A listing has the names of the columns on its first line and then a row a line, each as an array of JSON. A
//! number is one, a text is one, nothing is `null`, and bytes are a text as SQL writes them, `X'00FF'`. So a place
//! in it gives table, row and column. Views and triggers are never run: only tables are read, by their columns.

use super::facts::DatabaseFact;
use super::listing::read_listing;
use crate::finding::Finding;
use crate::format::json::read_json_tree;
use crate::text::json_string::write_string;
use crate::text::source::Source;
use crate::tree::{Kind, NodeId, Tree};
use data_encoding::HEXUPPER_PERMISSIVE as HEX;
use rusqlite::config::DbConfig;
use rusqlite::limits::Limit;
use rusqlite::types::{Value, ValueRef};
use rusqlite::{Connection, ErrorCode, MAIN_DB};

/// No configuration has so many.
const MOST_TABLES: usize = 500;
/// Cells of more bytes than this are no settings.
const MOST_CELL: i32 = 64 << 20;

fn refused(name: &str, error: &rusqlite::Error) -> Box<Finding> {
    let fact = match error.sqlite_error_code() {
        Some(ErrorCode::TooBig) => DatabaseFact::CellSize,
        _ => DatabaseFact::Damaged,
    };
    Box::new(Finding::new(fact).of_file(name))
}

/// Each table with its listing, by name.
///
/// # Errors
/// That the database is damaged, or has more tables or larger cells than settings need.
pub fn listing(name: &str, bytes: &[u8]) -> Result<Vec<(String, String)>, Box<Finding>> {
    list(bytes).map_err(|error| refused(name, &error))
}

fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

fn list(bytes: &[u8]) -> rusqlite::Result<Vec<(String, String)>> {
    let mut connection = Connection::open_in_memory()?;
    // A hostile schema gets nothing to work with (sqlite.org, "Defense Against The Dark Arts").
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DEFENSIVE, true)?;
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_TRUSTED_SCHEMA, false)?;
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_TRIGGER, false)?;
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_VIEW, false)?;
    connection.set_limit(Limit::SQLITE_LIMIT_LENGTH, MOST_CELL)?;
    connection.set_limit(Limit::SQLITE_LIMIT_ATTACHED, 0)?;
    // One that keeps a write-ahead log beside it cannot be opened in memory. What is in the file itself is whole without
    // (sqlite.org, "Database File Format", 1.3.3); a log that comes along is a file of its own.
    let mut bytes = bytes.to_vec();
    if let Some(versions) = bytes.get_mut(18..20).filter(|versions| **versions == [2, 2]) {
        versions.fill(1);
    }
    connection.deserialize_read_exact(MAIN_DB, bytes.as_slice(), bytes.len(), true)?;
    connection.pragma_update(None, "cell_size_check", true)?;
    let fine: String = connection.query_row("PRAGMA quick_check(1)", [], |row| row.get(0))?;
    if fine != "ok" {
        return Err(rusqlite::Error::InvalidParameterName("its pages do not fit together".into()));
    }
    // Virtual tables run code of their own; `rootpage` is that of a real one.
    let mut names = connection.prepare(
        "SELECT name FROM sqlite_schema WHERE type = 'table' AND rootpage > 0 AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY name",
    )?;
    let names: Vec<String> =
        names.query_map([], |row| row.get(0))?.take(MOST_TABLES + 1).collect::<rusqlite::Result<_>>()?;
    if names.len() > MOST_TABLES {
        return Err(rusqlite::Error::InvalidParameterName(format!("it has more than {MOST_TABLES} tables")));
    }
    let listed = names.into_iter().map(|name| Ok((list_table(&connection, &name)?, name)));
    listed.map(|listed| listed.map(|(text, name)| (name, text))).collect()
}

fn list_table(connection: &Connection, table: &str) -> rusqlite::Result<String> {
    // Columns that are computed are none that a person set, and computing them would run the schema's expressions.
    let mut columns =
        connection.prepare("SELECT name FROM pragma_table_xinfo(?1) WHERE hidden = 0 ORDER BY cid")?;
    let columns: Vec<String> =
        columns.query_map([table], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
    let mut out = Vec::new();
    write_line(columns.iter().map(|column| Cell::Text(column)), &mut out);
    if columns.is_empty() {
        return Ok(String::from_utf8(out).unwrap_or_default());
    }
    let listed: Vec<String> = columns.iter().map(|column| quoted(column)).collect();
    // Tables without row ids have a key of their own, by which they are read anyway.
    let has_row_ids = connection.prepare(&format!("SELECT rowid FROM {}", quoted(table))).is_ok();
    let order = if has_row_ids { " ORDER BY rowid" } else { "" };
    let mut rows =
        connection.prepare(&format!("SELECT {} FROM {}{order}", listed.join(", "), quoted(table)))?;
    let mut rows = rows.query([])?;
    while let Some(row) = rows.next()? {
        let mut cells = Vec::with_capacity(columns.len());
        for index in 0..columns.len() {
            cells.push(match row.get_ref(index)? {
                ValueRef::Null => Cell::Bare("null".into()),
                ValueRef::Integer(number) => Cell::Bare(number.to_string()),
                ValueRef::Real(number) if number.is_finite() => Cell::Bare(format!("{number:?}")),
                // JSON has no way to write them.
                ValueRef::Real(number) => Cell::Owned(number.to_string()),
                ValueRef::Text(text) => match std::str::from_utf8(text) {
                    Ok(text) => Cell::Text(text),
                    Err(_) => Cell::Owned(binary(text)),
                },
                ValueRef::Blob(bytes) => Cell::Owned(binary(bytes)),
            });
        }
        write_line(cells.into_iter(), &mut out);
    }
    Ok(String::from_utf8(out).unwrap_or_default())
}

/// A new database with tables, each from its listing. Columns have the affinity of what is in them. `None` where two tables
/// or columns have names that the engine takes for the same.
pub(crate) fn build(listings: &[(&str, &str)]) -> Option<Vec<u8>> {
    built(listings).ok()
}

fn built(listings: &[(&str, &str)]) -> rusqlite::Result<Vec<u8>> {
    let mut connection = Connection::open_in_memory()?;
    for (table, listing) in listings {
        let source = Source::new(table, listing);
        // Listings are made by the program itself; one that is not well-formed gives an empty table.
        let columns = columns_of(listing);
        let Ok(tree) = read_listing(source, "row") else { continue };
        if columns.is_empty() {
            continue;
        }
        let rows: Vec<NodeId> = tree.children(tree.root()).collect();
        let declared: Vec<String> = columns
            .iter()
            .map(|column| format!("{} {}", quoted(column), affinity(&tree, &rows, column)))
            .collect();
        connection.execute(&format!("CREATE TABLE {} ({})", quoted(table), declared.join(", ")), [])?;
        let places: Vec<String> = (1..=columns.len()).map(|index| format!("?{index}")).collect();
        let insert = format!("INSERT INTO {} VALUES ({})", quoted(table), places.join(", "));
        let mut insert = connection.prepare(&insert)?;
        for row in rows {
            let cells = columns
                .iter()
                .map(|column| tree.child(row, column).map_or(Value::Null, |cell| value_of(&tree, cell)));
            insert.execute(rusqlite::params_from_iter(cells))?;
        }
    }
    Ok(connection.serialize(MAIN_DB)?.to_vec())
}

/// Bytes as a literal of SQL (ISO/IEC 9075-2, "binary string literal").
fn binary(bytes: &[u8]) -> String {
    format!("X'{}'", HEX.encode(bytes))
}

fn columns_of(listing: &str) -> Vec<String> {
    let Some(header) = listing.lines().next() else { return Vec::new() };
    let Ok(tree) = read_json_tree(Source::new("", header)) else { return Vec::new() };
    tree.children(tree.root()).map(|column| tree.value(column).to_owned()).collect()
}

fn value_of(tree: &Tree<'_>, cell: NodeId) -> Value {
    let text = tree.value(cell);
    if tree.kind(cell) != Kind::Bare {
        let digits = text.strip_prefix("X'").and_then(|rest| rest.strip_suffix('\''));
        let bytes = digits.and_then(|digits| HEX.decode(digits.as_bytes()).ok());
        return bytes.map_or_else(|| Value::Text(text.to_owned()), Value::Blob);
    }
    match (text.parse::<i64>(), text.parse::<f64>()) {
        (Ok(number), _) => Value::Integer(number),
        (_, Ok(number)) => Value::Real(number),
        _ => Value::Null,
    }
}

/// What all cells of a column are (`SQLite`, "Datatypes In `SQLite`", section 3).
fn affinity(tree: &Tree<'_>, rows: &[NodeId], column: &str) -> &'static str {
    let cells = rows.iter().filter_map(|&row| tree.child(row, column)).map(|cell| value_of(tree, cell));
    let kinds: Vec<Value> = cells.filter(|value| *value != Value::Null).collect();
    let all = |is: fn(&Value) -> bool| !kinds.is_empty() && kinds.iter().all(is);
    if all(|value| matches!(value, Value::Integer(_))) {
        "INTEGER"
    } else if all(|value| matches!(value, Value::Integer(_) | Value::Real(_))) {
        "REAL"
    } else if all(|value| matches!(value, Value::Text(_))) {
        "TEXT"
    } else {
        "BLOB"
    }
}

enum Cell<'c> {
    Bare(String),
    Owned(String),
    Text(&'c str),
}

fn write_line<'c>(cells: impl Iterator<Item = Cell<'c>>, out: &mut Vec<u8>) {
    out.push(b'[');
    for (index, cell) in cells.enumerate() {
        if index > 0 {
            out.push(b',');
        }
        match cell {
            Cell::Bare(text) => out.extend_from_slice(text.as_bytes()),
            Cell::Owned(text) => write_string(&text, out),
            Cell::Text(text) => write_string(text, out),
        }
    }
    out.extend_from_slice(b"]\n");
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Texts stay texts, whatever they begin with, and bytes stay bytes.
    #[test]
    fn bytes_are_told_from_texts() {
        let text = "[\"key\",\"mark\"]\n[\"base64:AP8=\",\"X'00FF'\"]\n[\"X'0\",\"X''\"]\n";
        let bytes = build(&[("keys", text)]).expect("a database");
        let mut connection = Connection::open_in_memory().expect("in memory");
        connection.deserialize_read_exact(MAIN_DB, bytes.as_slice(), bytes.len(), true).expect("it opens");
        let kinds: Vec<String> = connection
            .prepare("SELECT typeof(key) || typeof(mark) FROM keys")
            .and_then(|mut rows| rows.query_map([], |row| row.get(0))?.collect())
            .expect("rows");
        assert_eq!(kinds, ["textblob", "textblob"]);
        assert_eq!(listing("a", &bytes).expect("a listing")[0].1, text);
    }

    /// A copy of a database that keeps a write-ahead log says so in its header, also without the log.
    #[test]
    fn a_database_with_a_log_beside_it_is_read() {
        let tables = [("berth", "[\"name\",\"long\"]\n[\"north\",42.5]\n[\"south\",null]\n")];
        let mut bytes = build(&tables).expect("a database");
        bytes[18..20].fill(2);
        let listed = listing("console.db", &bytes).expect("a listing");
        assert_eq!(listed, tables.map(|(name, text)| (name.to_owned(), text.to_owned())));
    }
}
