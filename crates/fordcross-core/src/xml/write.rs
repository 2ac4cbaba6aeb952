//! Writing XML: two spaces a level, attributes first.

use crate::tree::{Kind, NodeId, Tree};

/// What is still to be done, with the depth that it stands at. An element is closed when all below it
/// is written.
enum Work {
    Write(NodeId, usize),
    Close(NodeId, usize),
}

/// Appends the tree as an XML document.
///
/// What XML cannot hold as text (other control characters than tab and line ends) never comes here:
/// readers refuse it, and types that could make it do not exist.
pub fn write_xml(tree: &Tree<'_>, out: &mut Vec<u8>) {
    out.extend_from_slice(b"<?xml version=\"1.0\" encoding=\"UTF-8\"?>");
    let mut work = vec![Work::Write(tree.root(), 0)];
    while let Some(next) = work.pop() {
        match next {
            Work::Write(id, depth) => {
                new_line(depth, out);
                let name = tree.name(id).as_bytes();
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
                let elements: Vec<NodeId> = tree
                    .children(id)
                    .filter(|&child| matches!(tree.kind(child), Kind::Map | Kind::Text | Kind::Bare))
                    .collect();
                if elements.is_empty() {
                    close_with_text(own, name, out);
                    continue;
                }
                out.push(b'>');
                escape(own, false, out);
                work.push(Work::Close(id, depth));
                work.extend(elements.into_iter().rev().map(|child| Work::Write(child, depth + 1)));
            }
            Work::Close(id, depth) => {
                new_line(depth, out);
                out.extend_from_slice(b"</");
                out.extend_from_slice(tree.name(id).as_bytes());
                out.push(b'>');
            }
        }
    }
    out.push(b'\n');
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

fn new_line(depth: usize, out: &mut Vec<u8>) {
    out.push(b'\n');
    out.resize(out.len() + depth * 2, b' ');
}

/// References for what would be read as markup, and for white space that a reader would change.
fn escape(text: &str, attribute: bool, out: &mut Vec<u8>) {
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
    use crate::source::Source;
    use crate::xml::read_xml;
    use rstest::rstest;

    #[rstest]
    #[case("<a/>")]
    #[case("<a>x &amp; y &lt;</a>")]
    #[case("<a b=\"1&#10;&quot;\"/>")]
    #[case("<a b=\"1\">text</a>")]
    #[case("<a>\n  <b c=\"d\">\n    <e/>\n  </b>\n  <f>\u{e9}&#13;</f>\n</a>")]
    fn what_is_written_reads_back_to_itself(#[case] text: &str) {
        let tree = read_xml(Source { name: "x", text }).expect("well-formed");
        let mut out = Vec::new();
        write_xml(&tree, &mut out);
        let expected = format!("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n{text}\n");
        assert_eq!(String::from_utf8(out).expect("UTF-8"), expected);
    }
}
