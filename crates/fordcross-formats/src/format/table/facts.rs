//! Findings about tables (RFC 4180).

use crate::finding::facts;

facts! {
    /// What is wrong with a table.
    pub(super) enum TableFact {
        Cells { cells: usize, columns: usize } => TableMalformed, "the row has {cells} cells, and the header {columns}",
            help: "give each row as many cells as the header has";
        ColumnNameless => TableMalformed, "a column has no name", help: "name it in the header";
        ColumnTwice { column: String } => TableMalformed, "the column `{column}` exists twice",
            help: "give each column a name of its own";
        QuotesOpen => TableMalformed, "the quotes are not closed",
            help: "close the quotes; inside them, double each quote";
        BehindQuotes => TableMalformed, "text after the closing quote",
            help: "close the quotes at the end of the cell; inside them, double each quote";
    }
}
