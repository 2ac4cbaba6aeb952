//! Writing XML: two spaces a level, attributes first.

use crate::format::layout::Layout;
use crate::tree::{Kind, NodeId, Tree};

/// What is still to be done. An element is closed when all below it is written.
enum Work {
    Write(NodeId, Line),
    Close(NodeId, Line),
}

/// Where something begins.
#[derive(Clone, Copy)]
enum Line {
    /// On a line of its own, so many levels in.
    Own(usize),
    /// Right behind what is before it: beside text of its own, white space would be more text.
    Same,
}

/// Appends the tree as an XML document.
///
/// What XML cannot hold as text (other control characters than tab and line ends) never comes here:
/// readers refuse it, and types that could make it do not exist.
pub fn write_xml(tree: &Tree<'_>, out: &mut Vec<u8>) {
    let layout = Layout::OURS;
    out.extend_from_slice(b"<?xml version=\"1.0\" encoding=\"UTF-8\"?>");
    let outermost = |id: &NodeId| *id == tree.root() || tree.kind(*id) == Kind::Comment;
    for top in tree.children(NodeId::DOCUMENT).filter(outermost) {
        layout.new_line(0, out);
        write_element(tree, top, layout, out);
    }
    out.push(b'\n');
}

/// Appends an element, or a comment, with all below it, without a line end.
pub(super) fn write_element(tree: &Tree<'_>, top: NodeId, layout: Layout<'_>, out: &mut Vec<u8>) {
    write_element_as(tree, top, tree.name(top), layout, out);
}

/// The same under another name.
pub(super) fn write_element_as(
    tree: &Tree<'_>,
    top: NodeId,
    top_name: &str,
    layout: Layout<'_>,
    out: &mut Vec<u8>,
) {
    let name_of = |id: NodeId| if id == top { top_name } else { tree.name(id) };
    let mut work = vec![Work::Write(top, Line::Own(0))];
    let begin = |line: Line, out: &mut Vec<u8>| {
        if let Line::Own(depth) = line {
            layout.new_line(depth, out);
        }
    };
    while let Some(next) = work.pop() {
        match next {
            Work::Write(id, line) => {
                if id != top {
                    begin(line, out);
                }
                if tree.kind(id) == Kind::Comment {
                    out.extend_from_slice(b"<!--");
                    out.extend_from_slice(tree.value(id).as_bytes());
                    out.extend_from_slice(b"-->");
                    continue;
                }
                let name = name_of(id).as_bytes();
                out.push(b'<');
                out.extend_from_slice(name);
                if !tree.kind(id).is_branch() {
                    close_with_text(tree.value(id), name, out);
                    continue;
                }
                for attribute in tree.children(id).filter(|&child| tree.kind(child) == Kind::Attribute) {
                    out.push(b' ');
                    out.extend_from_slice(tree.name(attribute).as_bytes());
                    out.extend_from_slice(b"=\"");
                    escape(tree.value(attribute), true, out);
                    out.push(b'"');
                }
                let own = tree.children(id).find(|&child| tree.kind(child) == Kind::OwnText);
                let own = own.map_or("", |own| tree.value(own));
                let is_inside =
                    |kind: Kind| !matches!(kind, Kind::Attribute | Kind::OwnText | Kind::Instruction);
                let inside: Vec<NodeId> =
                    tree.children(id).filter(|&child| is_inside(tree.kind(child))).collect();
                if inside.is_empty() {
                    close_with_text(own, name, out);
                    continue;
                }
                out.push(b'>');
                escape(own, false, out);
                let below = match line {
                    Line::Own(depth) if own.is_empty() => Line::Own(depth + 1),
                    _ => Line::Same,
                };
                let end = if own.is_empty() { line } else { Line::Same };
                work.push(Work::Close(id, end));
                work.extend(inside.into_iter().rev().map(|child| Work::Write(child, below)));
            }
            Work::Close(id, line) => {
                begin(line, out);
                out.extend_from_slice(b"</");
                out.extend_from_slice(name_of(id).as_bytes());
                out.push(b'>');
            }
        }
    }
}

fn close_with_text(text: &str, name: &[u8], out: &mut Vec<u8>) {
    if text.is_empty() {
        out.extend_from_slice(b"/>");
        return;
    }
    out.push(b'>');
    escape(text, false, out);
    out.extend_from_slice(b"</");
    out.extend_from_slice(name);
    out.push(b'>');
}

/// References for what would be read as markup, and for white space that a reader would change.
pub(super) fn escape(text: &str, attribute: bool, out: &mut Vec<u8>) {
    for &byte in text.as_bytes() {
        match byte {
            b'&' => out.extend_from_slice(b"&amp;"),
            b'<' => out.extend_from_slice(b"&lt;"),
            b'>' => out.extend_from_slice(b"&gt;"),
            b'"' if attribute => out.extend_from_slice(b"&quot;"),
            b'\r' => out.extend_from_slice(b"&#13;"),
            b'\n' | b'\t' if attribute => out.extend_from_slice(format!("&#{byte};").as_bytes()),
            byte => out.push(byte),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::format::xml::read_xml;
    use crate::text::source::Source;
    use rstest::rstest;

    #[rstest]
    #[case("<a/>")]
    #[case("<a>x &amp; y &lt;</a>")]
    #[case("<a b=\"1&#10;&quot;\"/>")]
    #[case("<a b=\"1\">text</a>")]
    #[case("<a>text<b>x</b></a>")]
    #[case("<a>\n  <!-- said -->\n  <b/>\n</a>")]
    #[case("<a>\n  <b c=\"d\">\n    <e/>\n  </b>\n  <f>\u{e9}&#13;</f>\n</a>")]
    fn what_is_written_reads_back_to_itself(#[case] text: &str) {
        let tree = read_xml(Source::new("x", text)).expect("well-formed");
        let mut out = Vec::new();
        write_xml(&tree, &mut out);
        let expected = format!("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n{text}\n");
        assert_eq!(String::from_utf8(out).expect("UTF-8"), expected);
    }
}
