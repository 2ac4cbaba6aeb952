//! Lists of check sums of the other files. They say nothing that the files do not: the sums are checked when a backup is
//! opened, and made anew when a result is written.

use super::Format;
use super::codec::{Codec, Included, Scope, Traits, empty_tree, push_whole};
use crate::container::hashes::Algorithm;
use crate::declaration::Section;
use crate::finding::Finding;
use crate::text::source::{Piece, Source};
use crate::tree::{Kind, NodeId, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    scopes: &[Scope::File],
    ..Traits::new(
        "checksums",
        "checksums",
        |section, _, _| Arc::new(Checksums::declared(section)),
        || Arc::new(Checksums { algorithm: None }),
    )
};

/// A list of check sums.
#[derive(Debug)]
struct Checksums {
    /// How they are reckoned; `None` if the profile does not say it, which is a mistake of its own.
    algorithm: Option<Algorithm>,
}

impl Checksums {
    fn declared(section: &Section<'_, '_>) -> Self {
        Self { algorithm: section.pick("algorithm", &Algorithm::ALL) }
    }
}

impl Codec for Checksums {
    fn format(&self) -> Format {
        Format::Checksums
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        Ok(empty_tree(source))
    }

    fn read_into<'a>(
        &self,
        tree: &mut Tree<'a>,
        holder: NodeId,
        name: &str,
        piece: &'a Piece,
        _: &Included<'_>,
    ) -> Result<(), Box<Finding>> {
        push_whole(tree, holder, Kind::Instruction, name, piece.span);
        Ok(())
    }

    fn write(&self, _: &Tree<'_>, _: NodeId, _: &mut Vec<u8>) {}

    fn is_text(&self) -> bool {
        false
    }

    fn checksums(&self) -> Option<Algorithm> {
        self.algorithm
    }
}
