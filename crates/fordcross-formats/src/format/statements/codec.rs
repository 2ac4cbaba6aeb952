//! Statements as a format.

use super::blocks::Unknown;
use super::pairs::PairTypes;
use super::words::{holds_body, holds_kept, holds_value};
use super::{BODY, Grammar, UNKNOWN, declare, edit, read, write};
use crate::finding::Finding;
use crate::format::codec::{Codec, EmptyBranch, Included, Includes, KnownBy, Traits, undecoded};
use crate::format::edit::File;
use crate::format::{Format, spell};
use crate::text::source::{Content, Piece, Source, Span};
use crate::tree::{Kind, NodeId, Tree, Trivia};
use std::sync::Arc;

pub(in crate::format) const TRAITS: Traits = Traits {
    known_by: KnownBy::Line { is_key: false, is_any_word: true, is_in_text: true },
    with_marker: |marker| format!("statements, one of them `{marker}`"),
    has_comments: true,
    keeps_blank_lines: true,
    has_raw_line_ends: true,
    empty_branch: EmptyBranch::Statement,
    tables: &["grammar", "block"],
    ..Traits::new(
        "statements",
        "conf",
        |section, _, root| Arc::new(declare::declared(section, &PairTypes::read(root))),
        || Arc::new(Grammar::default()),
    )
};

impl Codec for Grammar {
    fn format(&self) -> Format {
        Format::Statements
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        let mut tree = Tree::new(source);
        let whole = Span::new(0, source.text.len());
        let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", whole);
        read::read_into(&mut tree, root, whole, self, &|_, _, _| Ok(Vec::new()))?;
        tree.keep_order();
        Ok(tree.in_document_order(&Trivia::default()).0)
    }

    fn read_into<'a>(
        &self,
        tree: &mut Tree<'a>,
        holder: NodeId,
        name: &str,
        piece: &'a Piece,
        included: &Included<'_>,
    ) -> Result<(), Box<Finding>> {
        if piece.content == Content::Bytes {
            return Err(Box::new(undecoded(tree.source(), piece)));
        }
        let top = tree.push(holder, Kind::Map, name, piece.span);
        read::read_into(tree, top, piece.span, self, included)
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        write::write_statements(tree, top, self, out);
    }

    fn edit(&self, file: &File<'_>) -> Vec<(Span, Vec<u8>)> {
        edit::edited(file, self)
    }

    fn can_hold(&self, text: &str) -> bool {
        holds_value(self, text)
    }

    fn can_hold_at(&self, name: &str, text: &str) -> bool {
        if name == BODY && self.blocks.iter().any(|block| block.holds_text) {
            return holds_body(self, text);
        }
        if name == UNKNOWN && self.blocks.iter().any(|block| block.unknown == Unknown::Keep) {
            return holds_kept(self, text);
        }
        self.can_hold(text)
    }

    fn can_hold_somewhere(&self, text: &str) -> bool {
        self.can_hold(text) || self.can_hold_at(BODY, text) || self.can_hold_at(UNKNOWN, text)
    }

    fn why_not(&self) -> &'static str {
        "the target's format cannot express a value with line ends, or with what would end it"
    }

    fn continued_comments(&self) -> Option<(char, &str)> {
        self.continuation.zip(self.comments_continue.as_deref())
    }

    fn bare_comment<'t>(&self, comment: &'t str) -> &'t str {
        let comment = comment.trim_start();
        let Some(sign) = self.comments.iter().find(|sign| comment.starts_with(sign.open.as_str())) else {
            return comment.trim();
        };
        let bare = &comment[sign.open.len()..];
        sign.close.as_deref().and_then(|close| bare.trim_end().strip_suffix(close)).unwrap_or(bare).trim()
    }

    fn comment(&self, bare: &str) -> String {
        let sign = self.comment_sign();
        match &sign.close {
            Some(close) => format!("{} {} {close}", sign.open, bare.replace(close.as_str(), "")),
            None => spell::line_comment(if sign.open.is_empty() { "#" } else { &sign.open }, bare),
        }
    }

    /// Of a statement all behind its first word.
    fn value_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        let raw = spell::raw(tree, node);
        let ends = |c: char| c.is_whitespace() || self.punctuation.contains(&c);
        vec![spell::part_of(tree, node, raw.find(ends).map_or(0, |at| at + 1), raw.len())]
    }

    /// The name in each statement that makes something of the object.
    fn name_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        let name = tree.name(node);
        let mut places = Vec::new();
        let mut work: Vec<NodeId> = tree.children(node).collect();
        work.push(node);
        while let Some(at) = work.pop() {
            if matches!(tree.kind(at), Kind::Comment | Kind::Instruction) {
                continue;
            }
            let line = spell::raw(tree, at).lines().next().unwrap_or_default();
            match named_in(line, name) {
                Some(place) => {
                    let place = spell::part_of(tree, at, place, place + name.len());
                    if !places.contains(&place) {
                        places.push(place);
                    }
                }
                None => work.extend(tree.children(at)),
            }
        }
        places
    }

    fn including(&self) -> Vec<(Vec<String>, &Includes)> {
        self.including().collect()
    }

    fn without_quotes<'v>(&self, value: &'v str) -> &'v str {
        self.bare(value)
    }
}

/// Where a statement has a name as a word of its own.
fn named_in(line: &str, name: &str) -> Option<usize> {
    let is_word = |&(at, _): &(usize, &str)| {
        let ends = |c: Option<char>| c.is_none_or(|c| c.is_whitespace() || matches!(c, '"' | '\''));
        ends(line[..at].chars().next_back()) && ends(line[at + name.len()..].chars().next())
    };
    let found: Vec<usize> = line.match_indices(name).filter(is_word).map(|(at, _)| at).collect();
    // A first word that is called the same is the statement's own.
    match found.as_slice() {
        [0, second, ..] => Some(*second),
        [first, ..] => Some(*first),
        [] => None,
    }
}
