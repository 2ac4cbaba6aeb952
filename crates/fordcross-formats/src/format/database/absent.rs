//! What a build without databases does.

use crate::finding::{Code, Finding, Place};

/// Each table with its listing, by name.
///
/// # Errors
/// Always.
pub fn listing(name: &str, _: &[u8]) -> Result<Vec<(String, String)>, Box<Finding>> {
    let mut finding =
        Finding::new(Code::NotText, "it is a database, which this build of the program cannot read")
            .help("take a build with the feature `sqlite`");
    finding.place = Some(Place::of_file(name));
    Err(Box::new(finding))
}

/// A new database with tables, each from its listing; `None` as none can be made.
pub(crate) fn build(_: &[(&str, &str)]) -> Option<Vec<u8>> {
    None
}
