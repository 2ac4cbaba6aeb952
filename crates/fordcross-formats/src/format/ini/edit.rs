//! Keys and sections of a base with changes in them.

use super::Ini;
use super::write::{write_lines, write_value};
use crate::format::edit::{Edit, Pieces, Rewriter};
use crate::text::source::Span;
use crate::tree::NodeId;

/// Edits key by key.
impl Pieces for Ini {
    fn anew(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<u8> {
        let mut out = Vec::new();
        write_lines(at.tree, node, self, &mut out);
        out.pop();
        out
    }

    fn value(&self, at: &Rewriter<'_>, node: NodeId) -> Edit {
        let mut out = Vec::new();
        match at.base.value_span(node) {
            Some(spelled) => {
                write_value(at.tree.value(node), self, &mut out);
                (spelled, out)
            }
            None => (at.base.span(node), self.anew(at, node)),
        }
    }

    /// Keys go behind the last one of their section, and those without a section before the first one.
    fn grown(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<Edit> {
        let mut edits = Vec::new();
        let is_branch = |child: &NodeId| at.tree.kind(*child).is_branch();
        let mut keys = Vec::new();
        for child in at.new_children(node).filter(|child| !is_branch(child)) {
            write_lines(at.tree, child, self, &mut keys);
        }
        if !keys.is_empty() {
            // A comment behind the last key may be said of the section that follows.
            let own = at.base.children(node).filter(|&child| at.base.kind(child).is_value()).last();
            let from = own.map_or(at.base.span(node).start, |last| at.base.span(last).end) as usize;
            let line = at.text[from..].find('\n').map(|end| from + end + 1);
            // A section begins with its heading; the file itself with its first key.
            let place = if own.is_none() && node == at.top { Some(from) } else { line };
            let at_end = || Span::new(at.text.len(), at.text.len());
            edits.push(match place {
                Some(place) => (Span::new(place, place), keys),
                None => (at_end(), [b"\n", keys.as_slice()].concat()),
            });
        }
        let mut sections = Vec::new();
        for child in at.new_children(node).filter(is_branch) {
            sections.push(b'\n');
            write_lines(at.tree, child, self, &mut sections);
        }
        if !sections.is_empty() {
            let end = at.text.len();
            if !at.text.is_empty() && !at.text.ends_with('\n') {
                sections.insert(0, b'\n');
            }
            edits.push((Span::new(end, end), sections));
        }
        edits
    }
}
