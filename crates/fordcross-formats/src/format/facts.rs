//! Findings about the choice of a format.

use crate::finding::facts;

facts! {
    /// What is wrong with a declaration of formats.
    pub(super) enum FormatFact {
        OtherFormat { table: &'static str, of: &'static str, this: &'static str } => ValueWrong,
            "`[{table}]` describes files of the format `{of}`, and this is `{this}`",
            help: "write `format = \"{of}\"`, or remove the table";
    }
}
