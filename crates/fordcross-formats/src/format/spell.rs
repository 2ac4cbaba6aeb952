//! Where values and names are spelled, and what they are spelled like.

use crate::text::source::Span;
use crate::tree::{NodeId, Tree};

/// A part of what a node is in, by offsets from its beginning.
pub(super) fn part_of(tree: &Tree<'_>, node: NodeId, from: usize, to: usize) -> Span {
    Span::new(from, to.max(from)).shifted(tree.span(node).start as usize)
}

/// What a node is in.
pub(super) fn raw<'t>(tree: &'t Tree<'_>, node: NodeId) -> &'t str {
    &tree.source().text[tree.span(node).range()]
}

/// What a node is in, without a quote at its beginning and its end.
pub(super) fn between_quotes(tree: &Tree<'_>, node: NodeId) -> Span {
    part_of(tree, node, 1, raw(tree, node).len().saturating_sub(1))
}

/// A comment of which each line is one.
pub(super) fn line_comment(mark: &str, bare: &str) -> String {
    let lines: Vec<String> = bare.lines().map(|line| format!("{mark} {}", line.trim())).collect();
    lines.join("\n")
}

/// The key of a member of a JSON object or a YAML mapping: the last one that is before its value and behind
/// what is before it.
pub(super) fn key_of(tree: &Tree<'_>, node: NodeId, spelled: &str) -> Option<Span> {
    let name = tree.name(node);
    let text = tree.source().text;
    let parent = tree.parent(node);
    let siblings = tree.children(parent).take_while(|&child| child != node);
    let from = siblings.map(|child| tree.span(child).end).max().unwrap_or(tree.span(parent).start);
    let to = tree.span(node).start.max(from);
    let before = &text[from as usize..to as usize];
    let found = [name, spelled].into_iter().find_map(|spelled| {
        let is_key = |&(at, _): &(usize, &str)| {
            let behind = before[at + spelled.len()..].trim_start_matches(['"', '\'']);
            let ahead = before[..at].chars().next_back();
            behind.trim_start().starts_with(':')
                && ahead.is_none_or(|c| c.is_whitespace() || matches!(c, '"' | '\'' | '{' | ',' | '-'))
        };
        before.rmatch_indices(spelled).find(is_key).map(|(at, spelled)| (at, spelled.len()))
    });
    // In a block the mapping itself begins with its first key.
    let (at, length) = found?;
    Some(Span::new(from as usize + at, from as usize + at + length))
}
