//! Members of a base with changes in them.

use super::write::write_subtree;
use crate::format::edit::{Edit, Pieces, Rewriter};
use crate::format::layout::Layout;
use crate::text::json_string::write_string;
use crate::text::source::Span;
use crate::tree::{Kind, NodeId};

/// Edits member by member.
pub(super) struct Members;

impl Pieces for Members {
    fn anew(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<u8> {
        let layout = if at.is_in_lines(node) { at.layout(at.base.span(node).start) } else { Layout::Inline };
        let mut out = Vec::new();
        write_subtree(at.tree, node, layout, &mut out);
        out
    }

    fn value(&self, at: &Rewriter<'_>, node: NodeId) -> Edit {
        (at.base.span(node), self.anew(at, node))
    }

    fn grown(&self, at: &Rewriter<'_>, node: NodeId) -> Vec<Edit> {
        let Some(last) = at.last_own(node) else {
            return vec![(at.base.span(node), self.anew(at, node))];
        };
        // Between two members is what was before the last one.
        let mut before = at.base.children(node).take_while(|&child| child != last);
        let gap_from =
            before.by_ref().last().map_or(at.base.span(node).start + 1, |child| at.base.span(child).end);
        let gap = &at.text[gap_from as usize..at.base.span(last).start as usize];
        let gap = gap.trim_start().strip_prefix(',').unwrap_or(gap);
        let space = &gap[..gap.len() - gap.trim_start().len()];
        // The only one there has nothing before it that shows how two are separated.
        let space = if space.is_empty() && at.base.first_child(node) == Some(last) { " " } else { space };
        let layout = at.layout_after(space);
        let mut out = Vec::new();
        for child in at.new_children(node) {
            out.push(b',');
            out.extend_from_slice(space.as_bytes());
            if at.tree.kind(node) == Kind::Map {
                write_string(at.tree.name(child), &mut out);
                out.extend_from_slice(b": ");
            }
            write_subtree(at.tree, child, layout, &mut out);
        }
        let end = at.base.span(last).end as usize;
        vec![(Span::new(end, end), out)]
    }
}
