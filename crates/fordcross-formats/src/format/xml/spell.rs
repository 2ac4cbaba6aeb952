//! Where values and names are in XML.

use super::chars::is_allowed;
use crate::format::spell::{part_of, raw};
use crate::text::source::Span;
use crate::tree::{Kind, NodeId, Tree};

/// Where a value is spelled: between quotes, or between the tags of its element and what is in it.
pub(super) fn value_spans(tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
    match tree.kind(node) {
        Kind::Attribute => {
            let text = raw(tree, node);
            let last = text.len().saturating_sub(1);
            let from = text.find(['"', '\'']).map_or(last, |at| at + 1);
            vec![part_of(tree, node, from, last)]
        }
        Kind::OwnText => pieces(tree, tree.parent(node)),
        _ => pieces(tree, node),
    }
}

/// The text of an element between its tags and what is in it.
fn pieces(tree: &Tree<'_>, element: NodeId) -> Vec<Span> {
    let text = tree.source().text;
    let whole = tree.span(element);
    let start = start_tag_end(text, whole.start as usize);
    let end = text[..whole.end as usize].rfind("</").unwrap_or(start).max(start);
    let mut pieces = Vec::new();
    let mut from = start;
    let inside =
        tree.children(element).filter(|&child| !matches!(tree.kind(child), Kind::Attribute | Kind::OwnText));
    for child in inside {
        pieces.push(Span::new(from, tree.span(child).start as usize));
        from = tree.span(child).end as usize;
    }
    pieces.push(Span::new(from, end.max(from)));
    pieces.retain(|piece| !text[piece.range()].trim().is_empty());
    pieces
}

/// Where the start tag of an element ends; `>` may be in quotes.
fn start_tag_end(text: &str, start: usize) -> usize {
    let mut quote = None;
    for (at, c) in text[start..].char_indices() {
        match (quote, c) {
            (None, '"' | '\'') => quote = Some(c),
            (Some(open), c) if open == c => quote = None,
            (None, '>') => return start + at + 1,
            _ => {}
        }
    }
    text.len()
}

/// The name in the start tag and the end tag of an element.
pub(super) fn tags(tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
    let (name, text) = (tree.name(node), raw(tree, node));
    let is_name = |at: usize| {
        let rest = text.get(at..).and_then(|rest| rest.strip_prefix(name));
        rest.is_some_and(|rest| rest.starts_with(|c: char| c.is_whitespace() || matches!(c, '>' | '/')))
    };
    let ends = text.rfind("</").map(|at| at + 2).filter(|&at| is_name(at));
    let places = Some(1).filter(|&at| text.starts_with('<') && is_name(at)).into_iter().chain(ends);
    places.map(|at| part_of(tree, node, at, at + name.len())).collect()
}

/// A comment without its marks. XML 1.0, production 15: two hyphens would end it. What XML cannot hold is a space.
pub(super) fn comment(bare: &str) -> String {
    let mut text = String::from(" ");
    for c in bare.chars() {
        if c == '-' && text.ends_with('-') {
            text.push(' ');
        }
        text.push(if is_allowed(c) { c } else { ' ' });
    }
    text + " "
}
