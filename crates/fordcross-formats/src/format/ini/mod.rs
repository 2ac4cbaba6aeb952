//! INI: sections with keys and values; without sections, plain `key = value`.
//!
//! There is no standard for it, so a profile says how its line writes it ([`Ini`]). A section is a
//! branch; what its heading says beside its name is an attribute of it.

mod declare;
mod edit;
mod facts;
mod read;
mod write;

use super::codec::{Codec, KnownBy, Traits};
use super::edit::{File, edit_pieces};
use super::{Format, spell};
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{NodeId, Tree};
use std::sync::Arc;

pub(super) const TRAITS: Traits = Traits {
    known_by: KnownBy::Line { is_key: false, is_any_word: false, is_in_text: true },
    begins: begins_with_heading,
    with_marker: |marker| format!("INI with the section or key `{marker}`"),
    has_comments: true,
    leaves_first: true,
    max_depth: Some(2),
    has_raw_line_ends: true,
    tables: &["ini"],
    ..Traits::new(
        "ini",
        "ini",
        |section, _, _| Arc::new(declare::declared(section)),
        || Arc::new(Ini::default()),
    )
};

/// How a platform writes its files.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Ini {
    /// What is between a key and its value.
    separator: char,
    /// What a line begins with that is a comment.
    comments: Vec<char>,
    /// Values may be in double quotes, in which `\"`, `\\` and `\n` stand for themselves and a line end.
    quotes: bool,
    /// What is in a heading between the name of a section and that of one of several, and the setting
    /// that the latter is.
    heading: Option<(String, String)>,
}

impl Default for Ini {
    fn default() -> Self {
        Self { separator: '=', comments: vec!['#', ';'], quotes: false, heading: None }
    }
}

impl Codec for Ini {
    fn format(&self) -> Format {
        Format::Ini
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        read::read_ini(source, self)
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        write::write_ini(tree, top, self, out);
    }

    fn edit(&self, file: &File<'_>) -> Vec<(Span, Vec<u8>)> {
        vec![(file.span, edit_pieces(file, self, || self.written(file.tree, file.top)))]
    }

    /// Whether a value can be written so that it reads back to itself.
    fn can_hold(&self, text: &str) -> bool {
        self.quotes || !text.contains(['\n', '\r']) && text.trim() == text
    }

    fn bare_comment<'t>(&self, comment: &'t str) -> &'t str {
        comment.trim_start_matches(self.comments.as_slice()).trim()
    }

    fn comment(&self, bare: &str) -> String {
        spell::line_comment(&self.comments[0].to_string(), bare)
    }

    fn value_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        let raw = spell::raw(tree, node);
        let last = raw.len().saturating_sub(1);
        let value = raw.find(self.separator).unwrap_or(last);
        let from = raw[value..].find('"').map_or(last, |at| value + at + 1);
        vec![spell::part_of(tree, node, from, last)]
    }

    /// The name in the heading of a section.
    fn name_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        let name = tree.name(node);
        let heading = spell::raw(tree, node).lines().next().unwrap_or_default();
        let at = heading.rfind(name);
        at.into_iter().map(|at| spell::part_of(tree, node, at, at + name.len())).collect()
    }
}

/// Whether a text that begins with a bracket begins with a heading: one word in brackets, alone on its line.
pub(super) fn begins_with_heading(text: &str) -> bool {
    let line = text.lines().next().unwrap_or("").trim();
    let inner = line.trim_start_matches('[').trim_end_matches(']');
    text.starts_with('[')
        && line.ends_with(']')
        && inner.starts_with(char::is_alphabetic)
        && !matches!(inner, "true" | "false" | "null")
}
