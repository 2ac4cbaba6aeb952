//! Writing INI: an empty line before each heading.

use super::Ini;
use crate::tree::{Kind, NodeId, Tree};

/// Appends the tree as a file. Keys without a section are before all sections in it.
pub(super) fn write_ini(tree: &Tree<'_>, top: NodeId, dialect: &Ini, out: &mut Vec<u8>) {
    let start = out.len();
    let all: Vec<NodeId> = tree.children(top).collect();
    let is_comment = |node: &NodeId| tree.kind(*node) == Kind::Comment;
    for (index, &node) in all.iter().enumerate() {
        let said_of = all[index..].iter().find(|node| !is_comment(node));
        let begins = index == 0 || !is_comment(&all[index - 1]);
        if begins && out.len() > start && said_of.is_some_and(|node| tree.kind(*node).is_branch()) {
            out.push(b'\n');
        }
        write_lines(tree, node, dialect, out);
    }
}

/// Appends a section with all in it, a key with its value, or a comment: whole lines.
pub(super) fn write_lines(tree: &Tree<'_>, node: NodeId, dialect: &Ini, out: &mut Vec<u8>) {
    match tree.kind(node) {
        Kind::Map | Kind::List => {
            let name = tree.children(node).find(|&child| tree.kind(child) == Kind::Attribute);
            out.push(b'[');
            out.extend_from_slice(tree.name(node).as_bytes());
            if let (Some(name), Some((between, _))) = (name, &dialect.heading) {
                out.extend_from_slice(between.as_bytes());
                out.extend_from_slice(tree.value(name).as_bytes());
            }
            out.extend_from_slice(b"]\n");
            for child in tree.children(node).filter(|&child| tree.kind(child) != Kind::Attribute) {
                write_lines(tree, child, dialect, out);
            }
        }
        Kind::Comment => {
            let text = tree.value(node);
            if !text.starts_with(dialect.comments.as_slice()) {
                out.extend_from_slice(dialect.comments[0].encode_utf8(&mut [0; 4]).as_bytes());
            }
            out.extend_from_slice(text.as_bytes());
            out.push(b'\n');
        }
        _ => {
            out.extend_from_slice(tree.name(node).as_bytes());
            out.push(b' ');
            out.extend_from_slice(dialect.separator.encode_utf8(&mut [0; 4]).as_bytes());
            out.push(b' ');
            write_value(tree.value(node), dialect, out);
            out.push(b'\n');
        }
    }
}

/// A value, in quotes where it would not read back to itself without them.
pub(super) fn write_value(text: &str, dialect: &Ini, out: &mut Vec<u8>) {
    let plain = !text.contains(['\n', '\r']) && text.trim() == text && !text.starts_with('"');
    if plain || !dialect.quotes {
        out.extend_from_slice(text.as_bytes());
        return;
    }
    out.push(b'"');
    for c in text.chars() {
        match c {
            '\n' => out.extend_from_slice(b"\\n"),
            '"' | '\\' => out.extend_from_slice(&[b'\\', c as u8]),
            c => out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
        }
    }
    out.push(b'"');
}

#[cfg(test)]
mod tests {
    use super::super::read::read_ini;
    use super::*;
    use crate::format::codec::Codec;
    use crate::text::source::Source;
    use proptest::prelude::*;
    use rstest::rstest;

    fn dialect() -> Ini {
        Ini { quotes: true, heading: Some((" ".into(), "name".into())), ..Ini::default() }
    }

    fn shown(tree: &Tree<'_>) -> Vec<String> {
        let shown = |node| match tree.kind(node) {
            Kind::Map => format!("[{}]", tree.name(node)),
            Kind::Attribute => format!("@{}={}", tree.name(node), tree.value(node)),
            Kind::Comment => tree.value(node).to_owned(),
            _ => format!("{}={}", tree.name(node), tree.value(node)),
        };
        tree.ids().skip(2).map(shown).collect()
    }

    #[rstest]
    #[case("", &[])]
    #[case("a=1\r\n  b = x = y  \n", &["a=1", "b=x = y"])]
    #[case("[net]\nmtu=\n; said\n[share \"the photos\"]\npath = /srv", &["[net]", "mtu=", "; said", "[share]", "@name=the photos", "path=/srv"])]
    #[case("k = \"a \\\"b\\\" \\\\ \\n\"", &["k=a \"b\" \\ \n"])]
    fn reads(#[case] text: &str, #[case] expected: &[&str]) {
        let tree = read_ini(Source::new("a", text), &dialect()).expect("well-formed");
        assert_eq!(shown(&tree), expected);
    }

    #[rstest]
    #[case("a=1\nnothing", 2, 1, "expected a heading, or a key with `=`")]
    #[case("[net", 1, 1, "not closed with `]`")]
    #[case("  = 1", 1, 3, "the value has no key")]
    #[case("k = \"a", 1, 5, "the quotes of the value are not closed correctly")]
    #[case("k = \"a\" b", 1, 5, "the quotes of the value are not closed correctly")]
    fn refuses(#[case] text: &str, #[case] line: u32, #[case] column: u32, #[case] reported: &str) {
        let finding = read_ini(Source::new("a", text), &dialect()).expect_err("refused");
        let at = finding.location.as_ref().expect("a place").at;
        assert!(finding.message().contains(reported), "{}", finding.message());
        assert_eq!((at.line, at.column), (line, column));
    }

    #[rstest]
    #[case(
        "# said\na = 1\n\n[net]\n; said too\nmtu = 1500\n\n# of the photos\n[share photos]\npath = /srv\n"
    )]
    fn what_is_written_reads_back_to_itself(#[case] text: &str) {
        let tree = read_ini(Source::new("a", text), &dialect()).expect("well-formed");
        let mut out = Vec::new();
        write_ini(&tree, tree.root(), &dialect(), &mut out);
        assert_eq!(String::from_utf8(out).expect("UTF-8"), text);
    }

    proptest! {
        /// No text makes it panic, and each byte of what is read is part of something.
        #[test]
        fn any_text_is_read_or_refused(text in "[a-c=\\[\\]#\" \\\\\n;é]{0,60}") {
            if let Ok(tree) = read_ini(Source::new("a", &text), &dialect()) {
                let mut covered = vec![false; text.len()];
                for node in tree.ids().skip(2) {
                    let leaf = tree.kind(node) != Kind::Map;
                    let span = tree.span(node);
                    let end = if leaf { span.end as usize } else { text[span.start as usize..].find('\n').map_or(text.len(), |at| span.start as usize + at) };
                    covered[span.start as usize..end].fill(true);
                }
                let unread: String = text.char_indices().filter(|(at, _)| !covered[*at]).map(|(_, c)| c).collect();
                prop_assert!(unread.trim().is_empty(), "{text:?} {unread:?}");
            }
        }

        /// Any value that the manners hold comes back as it was.
        #[test]
        fn any_value_is_written_so_that_it_reads_back(value in "[a-c\" \\\\\n=#é]{0,20}", quotes: bool) {
            let dialect = Ini { quotes, ..Ini::default() };
            prop_assume!(dialect.can_hold(&value));
            let mut out = b"k = ".to_vec();
            write_value(&value, &dialect, &mut out);
            let text = String::from_utf8(out).expect("UTF-8");
            let tree = read_ini(Source::new("a", &text), &dialect).expect("well-formed");
            prop_assert_eq!(tree.value(tree.ids().nth(2).expect("the key")), value);
        }
    }
}
