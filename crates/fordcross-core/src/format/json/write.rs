//! Writing: two spaces a level, one member a line, members in the order of the tree.

use crate::format::layout::{Indentation, Layout};
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
pub(crate) fn write_subtree(tree: &Tree<'_>, top: NodeId, layout: Layout<'_>, out: &mut Vec<u8>) {
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

/// Writes a leaf or an empty branch whole, else the beginning of a branch. Says whether it is open.
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

/// Whether one of eight bytes must be escaped: below a space, a quote or a backslash. Each byte is looked at in its own
/// eighth of the word; a borrow reaches another only from one that is found itself.
fn has_escaped(word: u64) -> bool {
    const ONES: u64 = u64::MAX / 255;
    const TOPS: u64 = ONES << 7;
    let is_zero = |word: u64| word.wrapping_sub(ONES) & !word;
    let below_space = word.wrapping_sub(ONES * 0x20) & !word;
    let quote = is_zero(word ^ (ONES * 0x22));
    let backslash = is_zero(word ^ (ONES * 0x5C));
    (below_space | quote | backslash) & TOPS != 0
}

/// Appends a JSON string with its quotes. Escapes what RFC 8259 section 7 demands, nothing more.
pub(crate) fn write_string(text: &str, out: &mut Vec<u8>) {
    let bytes = text.as_bytes();
    let must_escape = |b: &u8| *b < 0x20 || *b == b'"' || *b == b'\\';
    out.push(b'"');
    // Nearly no text has anything to escape.
    let word_has = |word: &[u8; 8]| has_escaped(u64::from_le_bytes(*word));
    let is_escaped = match bytes.last_chunk::<8>() {
        // The last word may look at some bytes again.
        Some(last) => bytes.as_chunks::<8>().0.iter().any(word_has) || word_has(last),
        None => bytes.iter().any(must_escape),
    };
    if !is_escaped {
        out.extend_from_slice(bytes);
        out.push(b'"');
        return;
    }
    let mut from = 0;
    while let Some(len) = bytes[from..].iter().position(must_escape) {
        out.extend_from_slice(&bytes[from..from + len]);
        match bytes[from + len] {
            b'"' => out.extend_from_slice(b"\\\""),
            b'\\' => out.extend_from_slice(b"\\\\"),
            b'\n' => out.extend_from_slice(b"\\n"),
            b'\r' => out.extend_from_slice(b"\\r"),
            b'\t' => out.extend_from_slice(b"\\t"),
            control => out.extend_from_slice(format!("\\u{control:04x}").as_bytes()),
        }
        from += len + 1;
    }
    out.extend_from_slice(&bytes[from..]);
    out.push(b'"');
}
