//! Backups of several files: each is read in its own format into its place of one tree, and written from it.

mod declare;
mod facts;
mod files;
mod included;
mod members;

pub use declare::read_members;
pub use files::{nodes_at, read_bundle, with_databases, write_bundle};
pub use included::{NoFile, taken_by_end, without_files};
pub use members::Container;
pub use members::{Member, Members, OTHER_FILES};

use super::Format;
use super::codec::{Codec, KnownBy, Traits, empty_tree};
use crate::finding::Finding;
use crate::text::source::Source;
use crate::tree::{NodeId, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    scopes: &[],
    known_by: KnownBy::Files,
    with_marker: |marker| format!("several files with that of `{marker}`"),
    ..Traits::new("several", "several", |_, _, _| Arc::new(Bundle), || Arc::new(Bundle))
};

/// What stands for several files where one is asked about: the branch that holds all of them.
#[derive(Debug)]
struct Bundle;

impl Codec for Bundle {
    fn format(&self) -> Format {
        Format::Bundle
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        Ok(empty_tree(source))
    }

    fn write(&self, _: &Tree<'_>, _: NodeId, _: &mut Vec<u8>) {}

    fn is_text(&self) -> bool {
        false
    }
}

/// Whether a path, seen from the folder of the configuration, leads out of it.
pub fn is_beside(path: &str) -> bool {
    path.starts_with("../")
}

/// A file of an archive that says that it is a redacted copy.
pub const MARK_FILE: &str = "REDACTED.txt";
