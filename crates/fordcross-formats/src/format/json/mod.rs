//! JSON (RFC 8259): read into events, written from a tree.

mod edit;
mod facts;
mod read;
mod write;

pub use read::{read_json, read_json_tree};
pub use write::write_json;

use super::codec::{Codec, KnownBy, Traits};
use super::edit::{File, edit_pieces};
use super::layout::Layout;
use super::{Format, ini, spell};
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{NodeId, Sink, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    known_by: KnownBy::TopKey,
    begins: |text| text.starts_with('{') || text.starts_with('[') && !ini::begins_with_heading(text),
    with_marker: |marker| format!("JSON with the key `{marker}` at its top"),
    has_lists: true,
    tells_bare: true,
    writes_any_order: true,
    ..Traits::new("json", "json", |_, _, _| Arc::new(Json), || Arc::new(Json))
};

/// JSON, which all platforms write alike.
#[derive(Debug)]
struct Json;

impl Codec for Json {
    fn format(&self) -> Format {
        Format::Json
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        read_json_tree(source)
    }

    fn read_events(&self, source: Source<'_>, mut sink: &mut dyn Sink) -> Option<Result<(), Box<Finding>>> {
        Some(read_json(source, &mut sink))
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        write::write_subtree(tree, top, Layout::OURS, out);
        out.push(b'\n');
    }

    fn edit(&self, file: &File<'_>) -> Vec<(Span, Vec<u8>)> {
        vec![(file.span, edit_pieces(file, &edit::Members, || self.written(file.tree, file.top)))]
    }

    fn value_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        vec![spell::between_quotes(tree, node)]
    }

    fn name_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        spell::key_of(tree, node, &self.spelled(tree.name(node))).into_iter().collect()
    }
}
