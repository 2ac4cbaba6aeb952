//! Findings about tables (RFC 4180).

use crate::finding::facts;

facts! {
    /// What is wrong with a table.
    pub(super) enum TableFact {
        Cells { cells: usize, columns: usize } => TableMalformed, "a row of {cells} under a header of {columns}",
            help: "give each row as many cells as the header has";
        ColumnNameless => TableMalformed, "a column without a name", help: "name it in the header";
        ColumnTwice { column: String } => TableMalformed, "the column `{column}` is there twice",
            help: "give each column a name of its own";
        QuotesOpen => TableMalformed, "quotes that are not closed",
            help: "close the quotes; inside them, write two for one";
        BehindQuotes => TableMalformed, "text behind closed quotes",
            help: "close the quotes at the end of the cell; inside them, write two for one";
    }
}
