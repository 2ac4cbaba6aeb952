//! Files of which nothing is known: all their bytes are one value.

use super::Format;
use super::codec::{Codec, Included, Scope, Traits, push_whole};
use crate::container::from_base64;
use crate::finding::Finding;
use crate::text::source::{Content, Piece, Source, Span};
use crate::tree::{Kind, NodeId, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    scopes: &[Scope::File],
    ..Traits::new("opaque", "opaque", |_, _, _| Arc::new(Opaque), || Arc::new(Opaque))
};

/// A file that is one value.
#[derive(Debug)]
pub(super) struct Opaque;

impl Codec for Opaque {
    fn format(&self) -> Format {
        Format::Opaque
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        let mut tree = Tree::new(source);
        push_whole(&mut tree, NodeId::DOCUMENT, Kind::Text, "", Span::new(0, source.text.len()));
        Ok(tree)
    }

    fn read_into<'a>(
        &self,
        tree: &mut Tree<'a>,
        holder: NodeId,
        name: &str,
        piece: &'a Piece,
        _: &Included<'_>,
    ) -> Result<(), Box<Finding>> {
        push_whole(tree, holder, Kind::Text, name, piece.span);
        Ok(())
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        out.extend_from_slice(tree.value(top).as_bytes());
    }

    fn is_one_value(&self) -> bool {
        true
    }

    /// What the value stands for, where it is that of a file of the backup that was no text.
    fn raw_bytes(&self, tree: &Tree<'_>, top: NodeId) -> Option<Vec<u8>> {
        let source = tree.source();
        let value = tree.value(top);
        let is_it =
            |piece: &&Piece| piece.content == Content::Bytes && source.text[piece.span.range()] == *value;
        source.pieces.iter().any(|piece| is_it(&piece)).then(|| from_base64(value)).flatten()
    }
}
