//! What a build without databases does.

use crate::finding::{Finding, facts};

facts! {
    /// Why this build reads no such file.
    enum AbsentFact {
        NotBuiltIn => NotText, "it is a database, which this build of the program cannot read",
            help: "take a build with the feature `sqlite`";
    }
}

/// Each table with its listing, by name.
///
/// # Errors
/// Always.
pub fn listing(name: &str, _: &[u8]) -> Result<Vec<(String, String)>, Box<Finding>> {
    Err(Box::new(Finding::new(AbsentFact::NotBuiltIn).of_file(name)))
}

/// A new database with tables, each from its listing; `None` as none can be made.
pub(crate) fn build(_: &[(&str, &str)]) -> Option<Vec<u8>> {
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_database_is_reported_with_the_feature_that_reads_it() {
        let finding = listing("a.db", b"SQLite format 3\0")
            .expect_err("unknown entity; `amp`, `lt`, `gt`, `apos` and `quot` are built in");
        assert_eq!(finding.remedy(), Some("take a build with the feature `sqlite`".into()));
        assert_eq!(finding.location.map(|location| location.file), Some("a.db".to_owned()));
    }
}
