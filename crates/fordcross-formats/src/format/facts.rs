//! Findings about the choice of a format.

use crate::finding::facts;

facts! {
    /// What is wrong with a declaration of formats.
    pub(super) enum FormatFact {
        OtherFormat { table: &'static str, of: &'static str, this: &'static str } => ValueWrong,
            "`[{table}]` says how files of the form `{of}` are written, and this is `{this}`",
            help: "write `form = \"{of}\"`, or take it out";
    }
}
