//! Writing: two spaces a level, one member a line, members in the order of the tree.

use crate::format::layout::{Indentation, Layout};
use crate::text::json_string::write_string;
use crate::tree::{Kind, NodeId, Tree};

/// Appends the tree as a JSON document with a line end.
///
/// Attributes and own text of an XML element have no form here; a crossing never makes them in a
/// tree that is written as JSON.
pub fn write_json(tree: &Tree<'_>, out: &mut Vec<u8>) {
    write_subtree(tree, tree.root(), Layout::OURS, out);
    out.push(b'\n');
}

/// Appends a value with all below it, without a line end.
pub(super) fn write_subtree(tree: &Tree<'_>, top: NodeId, layout: Layout<'_>, out: &mut Vec<u8>) {
    let mut indentation = Indentation::new(layout);
    let mut depth = 0;
    let mut at = top;
    // Without recursion: a tree of any depth is written.
    loop {
        if depth > 0 {
            indentation.new_line(depth, out);
            if !tree.is_entry(at) {
                write_string(tree.name(at), out);
                out.extend_from_slice(b": ");
            }
        }
        let opened = write_node(tree, at, out);
        if opened {
            depth += 1;
        }
        if let Some(child) = tree.first_child(at).filter(|_| opened) {
            at = child;
            continue;
        }
        loop {
            if depth == 0 {
                return;
            }
            if let Some(next) = tree.next_sibling(at) {
                out.push(b',');
                at = next;
                break;
            }
            at = tree.parent(at);
            depth -= 1;
            indentation.new_line(depth, out);
            out.push(if tree.kind(at) == Kind::List { b']' } else { b'}' });
        }
    }
}

/// Writes a leaf or an empty branch whole, else the beginning of a branch. Returns whether it is open.
fn write_node(tree: &Tree<'_>, id: NodeId, out: &mut Vec<u8>) -> bool {
    let has_children = tree.first_child(id).is_some();
    match (tree.kind(id), has_children) {
        (Kind::Map, true) => out.push(b'{'),
        (Kind::List, true) => out.push(b'['),
        (Kind::Map, false) => out.extend_from_slice(b"{}"),
        (Kind::List, false) => out.extend_from_slice(b"[]"),
        (Kind::Bare, _) => out.extend_from_slice(tree.value(id).as_bytes()),
        _ => write_string(tree.value(id), out),
    }
    has_children
}
