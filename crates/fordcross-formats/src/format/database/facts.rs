//! Findings about databases.

use crate::finding::facts;

facts! {
    /// Why a database cannot be read.
    pub(super) enum DatabaseFact {
        CellSize => NotText, "the database has a cell that is too large for a setting",
            help: "compare the file's size with the original and fetch it again; stop the unit while its database is copied";
        Damaged => NotText, "the database is damaged, or not a database",
            help: "compare the file's size with the original and fetch it again; stop the unit while its database is copied";
    }
}
