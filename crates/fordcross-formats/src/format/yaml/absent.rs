//! What a build without YAML does.

use crate::finding::{Finding, facts};
use crate::text::source::{Source, Span};
use crate::tree::Tree;

facts! {
    /// Why this build reads no such file.
    enum AbsentFact {
        NotBuiltIn => YamlMalformed, "it is YAML, which this build of the program cannot read",
            help: "take a build with the feature `yaml`";
    }
}

/// Reads a file into a tree.
///
/// # Errors
/// Always.
pub(super) fn read_yaml(source: Source<'_>) -> Result<Tree<'_>, Box<Finding>> {
    Err(Box::new(Finding::new(AbsentFact::NotBuiltIn).at(source, Span::default())))
}
