//! Elements of a base with changes in them.

use super::write::{escape, write_element};
use crate::format::edit::{Edit, Pieces, Rewriter};
use crate::text::source::Span;
use crate::tree::{Kind, NodeId};

/// Edits element by element.
pub(super) struct Elements;

impl Pieces for Elements {
    fn anew(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<u8> {
        let mut out = Vec::new();
        write_element(at.tree, node, at.layout(at.base.span(node).start), &mut out);
        out
    }

    fn value(&self, at: &Rewriter<'_>, node: NodeId) -> Edit {
        let mut out = Vec::new();
        let new = at.tree.value(node);
        if at.tree.kind(node) == Kind::Attribute {
            out.extend_from_slice(at.tree.name(node).as_bytes());
            out.extend_from_slice(b"=\"");
            escape(new, true, &mut out);
            out.push(b'"');
            return (at.base.span(node), out);
        }
        match at.base.value_span(node).filter(|span| span.start < span.end) {
            Some(spelled) => {
                escape(new, false, &mut out);
                (spelled, out)
            }
            // Text in several pieces, or none: the element is written anew.
            None => {
                let element = if at.tree.kind(node) == Kind::OwnText { at.tree.parent(node) } else { node };
                (at.base.span(element), self.anew(at, element))
            }
        }
    }

    fn grown(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<Edit> {
        let mut edits = Vec::new();
        let mut attributes = Vec::new();
        for child in at.new_children(node).filter(|&child| at.tree.kind(child) == Kind::Attribute) {
            attributes.push(b' ');
            attributes.extend_from_slice(at.tree.name(child).as_bytes());
            attributes.extend_from_slice(b"=\"");
            escape(at.tree.value(child), true, &mut attributes);
            attributes.push(b'"');
        }
        if !attributes.is_empty() {
            let last = at.base.children(node).filter(|&child| at.base.kind(child) == Kind::Attribute).last();
            let end = last.map_or_else(
                || at.base.span(node).start as usize + 1 + at.base.name(node).len(),
                |last| at.base.span(last).end as usize,
            );
            edits.push((Span::new(end, end), attributes));
        }
        if let Some(last) = at.last_own(node) {
            let start = at.base.span(last).start as usize;
            let space = &at.text[at.text[..start].trim_end().len()..start];
            let layout = at.layout_after(space);
            let mut out = Vec::new();
            for child in at.new_children(node).filter(|&child| at.tree.kind(child) != Kind::Attribute) {
                out.extend_from_slice(space.as_bytes());
                write_element(at.tree, child, layout, &mut out);
            }
            let end = at.base.span(last).end as usize;
            edits.push((Span::new(end, end), out));
        }
        edits
    }
}
