//! What a build without YAML does.

use crate::finding::{Code, Finding};
use crate::text::source::{Source, Span};
use crate::tree::Tree;

/// Reads a file into a tree.
///
/// # Errors
/// Always.
pub(super) fn read_yaml(source: Source<'_>) -> Result<Tree<'_>, Box<Finding>> {
    let message = "it is YAML, which this build of the program cannot read";
    Err(Box::new(
        Finding::new(Code::YamlMalformed, message)
            .at(source, Span::default())
            .help("take a build with the feature `yaml`"),
    ))
}
