//! Writing: block style, two blanks a level. How a text is quoted is left to the `serde-saphyr` crate.

use super::scalar::write_scalar;
use crate::tree::{Kind, NodeId, Tree};

/// Appends the tree as a document.
pub(super) fn write_yaml(tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
    if tree.children(top).all(|child| tree.kind(child) == Kind::Comment) {
        for comment in tree.children(top) {
            write_comment(tree, comment, 0, out);
        }
        out.extend_from_slice(if tree.kind(top) == Kind::List { b"[]\n" } else { b"{}\n" });
        return;
    }
    write_below(tree, top, 0, out);
}

/// Appends all below a branch, each member on lines of its own, so many levels in.
fn write_below(tree: &Tree<'_>, top: NodeId, depth: usize, out: &mut Vec<u8>) {
    let mut work = Vec::new();
    push_children(tree, top, depth, false, &mut work);
    write_all(tree, work, out);
}

/// Appends one member of a mapping or entry of a list with all below it, on lines of its own.
pub(super) fn write_member(tree: &Tree<'_>, node: NodeId, out: &mut Vec<u8>) {
    write_all(tree, vec![(node, 0, false)], out);
}

/// Appends the value of a leaf.
pub(super) fn write_value(tree: &Tree<'_>, leaf: NodeId, out: &mut Vec<u8>) {
    match tree.kind(leaf) {
        Kind::Bare => out.extend_from_slice(tree.value(leaf).as_bytes()),
        _ => write_scalar(tree.value(leaf), out),
    }
}

/// A node to be written, how far in, and whether it is behind a dash.
type Work = (NodeId, usize, bool);

fn push_children(tree: &Tree<'_>, node: NodeId, depth: usize, in_line: bool, work: &mut Vec<Work>) {
    let from = work.len();
    work.extend(tree.children(node).map(|child| (child, depth, false)));
    // The first member of an entry is behind its dash.
    if let Some(first) = work.get_mut(from) {
        first.2 = in_line;
    }
    work[from..].reverse();
}

/// Without recursion: a tree of any depth is written.
fn write_all(tree: &Tree<'_>, mut work: Vec<Work>, out: &mut Vec<u8>) {
    while let Some((node, depth, in_line)) = work.pop() {
        if tree.kind(node) == Kind::Comment {
            if in_line {
                out.push(b'\n');
            }
            write_comment(tree, node, depth, out);
            continue;
        }
        if !in_line || out.last() == Some(&b'\n') {
            indent(depth, out);
        }
        if tree.is_entry(node) {
            out.push(b'-');
        } else {
            write_scalar(tree.name(node), out);
            out.push(b':');
        }
        match tree.kind(node) {
            kind if kind.is_branch() => {
                if tree.children(node).all(|child| tree.kind(child) == Kind::Comment) {
                    out.extend_from_slice(if kind == Kind::List { b" []\n" } else { b" {}\n" });
                    push_children(tree, node, depth + 1, false, &mut work);
                } else if tree.is_entry(node) {
                    out.push(b' ');
                    push_children(tree, node, depth + 1, true, &mut work);
                } else {
                    out.push(b'\n');
                    push_children(tree, node, depth + 1, false, &mut work);
                }
            }
            kind => {
                if kind != Kind::Bare || !tree.value(node).is_empty() {
                    out.push(b' ');
                }
                write_value(tree, node, out);
                out.push(b'\n');
            }
        }
    }
}

fn write_comment(tree: &Tree<'_>, comment: NodeId, depth: usize, out: &mut Vec<u8>) {
    for line in tree.value(comment).lines() {
        indent(depth, out);
        if !line.starts_with('#') {
            out.extend_from_slice(b"# ");
        }
        out.extend_from_slice(line.as_bytes());
        out.push(b'\n');
    }
}

fn indent(depth: usize, out: &mut Vec<u8>) {
    (0..depth).for_each(|_| out.extend_from_slice(b"  "));
}

#[cfg(all(test, feature = "yaml"))]
mod tests {
    use super::super::read::read_yaml;
    use super::*;
    use crate::text::source::{Source, Span};
    use crate::tree::Text;
    use proptest::prelude::*;
    use rstest::rstest;

    fn rewritten(text: &str) -> String {
        let tree = read_yaml(Source::new("a", text)).expect("well-formed");
        let mut out = Vec::new();
        write_yaml(&tree, tree.root(), &mut out);
        String::from_utf8(out).expect("UTF-8")
    }

    #[rstest]
    #[case(
        "# said\na: 1\nb:\n  c: x y\n  # of d\n  d:\n    - 1\n    - e: true\n      f: null\n    - - deep\n"
    )]
    #[case("{}\n")]
    // A space that no line can be broken at ends the value, and is part of it.
    #[case("a: x\u{a0}\n")]
    #[case("a: {}\nb: []\nc:\n\"1\": \"2\"\n")]
    fn our_way_of_writing_comes_back(#[case] text: &str) {
        assert_eq!(rewritten(text), text);
    }

    #[rstest]
    #[case("a: &x {b: [1, 'two']}\nc: *x\n", "a:\n  b:\n    - 1\n    - two\nc:\n  b:\n    - 1\n    - two\n")]
    #[case("a: |\n  one\n  two\nb: >-\n  three\n  four\n", "a: \"one\\ntwo\\n\"\nb: three four\n")]
    #[case("yes: no\n0x1F: ~\n", "\"yes\": \"no\"\n\"0x1F\": ~\n")]
    fn other_ways_are_read(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(rewritten(text), expected);
    }

    #[rstest]
    #[case("a: 1\na: 2\n", 2, 1, "the key twice")]
    #[case("a: !!python/object:os.system x\n", 1, 4, "only plain data is read")]
    #[case("a: 1\n--- \nb: 2\n", 2, 1, "a second document")]
    #[case("a: *x\n", 1, 4, "")]
    #[case("? [a, b]\n: 1\n", 1, 3, "the key is not a word")]
    #[case("a: &x [1, *x]\n", 1, 11, "")]
    #[case("a: [1, 2\n", 1, 4, "not closed")]
    #[case("", 1, 1, "the file is empty")]
    fn refuses(#[case] text: &str, #[case] line: u32, #[case] column: u32, #[case] reported: &str) {
        let finding = read_yaml(Source::new("a", text)).expect_err("refused");
        let at = finding.location.as_ref().expect("a place").at;
        assert!(finding.message().contains(reported), "{}", finding.message());
        assert_eq!((at.line, at.column), (line, column), "{}", finding.message());
    }

    #[rstest]
    #[case("[".repeat(100_000))]
    #[case("a:\n".to_owned() + &(1..3_000).map(|n| format!("{}a:\n", " ".repeat(n))).collect::<String>())]
    #[case("- ".repeat(100_000))]
    #[case("a0: &a0 [x]\n".to_owned() + &(1..40).map(|n| format!("a{n}: &a{n} [*a{0}, *a{0}]\n", n - 1)).collect::<String>())]
    fn bombs_are_refused(#[case] text: String) {
        let finding = read_yaml(Source::new("a", &text)).expect_err("refused");
        assert!(finding.message().len() < 200, "{}", finding.message());
    }

    proptest! {
        /// No text makes it panic.
        #[test]
        fn any_text_is_read_or_refused(text in "[a-c:\\-\\[\\]{}#&*!|>\"'? \n,é]{0,60}") {
            if let Ok(tree) = read_yaml(Source::new("a", &text)) {
                let mut out = Vec::new();
                write_yaml(&tree, tree.root(), &mut out);
            }
        }

        /// Any key and any value come back as they were.
        #[test]
        fn any_value_is_written_so_that_it_reads_back(key in ".{0,80}", value in "(?s).{0,80}", word in "[a-z0-9:#~_.\\- ]{0,70}") {
            let mut tree = Tree::new(Source::new("a", ""));
            let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::default());
            let key = format!("k{key}");
            for (name, text) in [(key.as_str(), &value), ("word", &word)] {
                let leaf = tree.push(root, Kind::Text, name, Span::default());
                tree.set_value(leaf, Text::Decoded(text));
            }
            let mut out = Vec::new();
            write_yaml(&tree, root, &mut out);
            let text = String::from_utf8(out).expect("UTF-8");
            let read = read_yaml(Source::new("a", &text)).map_err(|f| TestCaseError::fail(format!("{text:?} {f:?}")))?;
            let leaves: Vec<_> = read.children(read.root()).map(|leaf| (read.name(leaf).to_owned(), read.kind(leaf), read.value(leaf).to_owned())).collect();
            prop_assert_eq!(leaves, vec![(key, Kind::Text, value), ("word".to_owned(), Kind::Text, word)]);
        }
    }
}
