//! YAML 1.2 (yaml.org/spec/1.2.2), the subset that is data and nothing else: one document, keys that are words,
//! no tags but those of the core schema, aliases resolved within bounds.

#[cfg(not(feature = "yaml"))]
mod absent;
mod edit;
#[cfg(feature = "yaml")]
mod facts;
#[cfg(feature = "yaml")]
mod read;
mod scalar;
mod write;

#[cfg(not(feature = "yaml"))]
use absent::read_yaml;
#[cfg(feature = "yaml")]
use read::read_yaml;

use super::codec::{Codec, KnownBy, Traits};
use super::edit::File;
use super::{Format, spell};
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{NodeId, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    known_by: KnownBy::Line { is_key: true, is_any_word: false, is_in_text: true },
    with_marker: |marker| format!("YAML with the key `{marker}` at its top"),
    has_lists: true,
    tells_bare: true,
    has_comments: true,
    ..Traits::new("yaml", "yaml", |_, _, _| Arc::new(Yaml), || Arc::new(Yaml))
};

/// YAML, which all platforms write alike.
#[derive(Debug)]
struct Yaml;

impl Codec for Yaml {
    fn format(&self) -> Format {
        Format::Yaml
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        read_yaml(source)
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        write::write_yaml(tree, top, out);
    }

    fn edit(&self, file: &File<'_>) -> Vec<(Span, Vec<u8>)> {
        vec![(file.span, edit::edited(file))]
    }

    fn bare_comment<'t>(&self, comment: &'t str) -> &'t str {
        comment.trim_start_matches('#').trim()
    }

    fn comment(&self, bare: &str) -> String {
        spell::line_comment("#", bare)
    }

    fn name_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        spell::key_of(tree, node, &self.spelled(tree.name(node))).into_iter().collect()
    }
}
