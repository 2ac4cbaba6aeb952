//! Columns for people.

use super::clean;
use comfy_table::presets::NOTHING;
use comfy_table::{CellAlignment, ContentArrangement, Table};

/// Lines up rows under their heads. Numbers are right.
pub(crate) fn columns(
    heads: &[&str],
    right: &[usize],
    rows: impl IntoIterator<Item = Vec<String>>,
) -> String {
    let mut table = Table::new();
    table.load_style(NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    table.set_header(heads.iter().copied());
    for row in rows {
        table.add_row(row.iter().map(|cell| clean(cell)));
    }
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 2 } else { 1 }, 1));
        if right.contains(&index) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    table.lines().map(|line| line.trim_end().to_owned()).collect::<Vec<_>>().join("\n")
}
