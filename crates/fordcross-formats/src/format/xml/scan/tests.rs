//! What is well-formed, and what is not.

use super::*;
use crate::finding::Code;
use proptest::prelude::*;
use rstest::rstest;
use std::fmt::Write as _;

/// The tree as `name=value` lines, indented.
fn outline(text: &str) -> String {
    let tree = read_xml(Source::new("x", text)).expect("well-formed");
    let mut out = String::new();
    let mut stack = vec![(tree.root(), 0)];
    while let Some((id, depth)) = stack.pop() {
        let kind = tree.kind(id);
        let _ = write!(out, "{}{:?} {}", " ".repeat(depth), kind, tree.name(id));
        if !kind.is_branch() {
            let _ = write!(out, "={}", tree.value(id));
        }
        out.push('\n');
        let children: Vec<_> = tree.children(id).collect();
        stack.extend(children.into_iter().rev().map(|child| (child, depth + 1)));
    }
    out
}

#[rstest]
#[case("<a>x</a>", "Text a=x\n")]
#[case("<a/>", "Text a=\n")]
#[case("<a b='1'/>", "Map a\n Attribute b=1\n OwnText a=\n")]
#[case("<a><b>1</b> <b> 2 </b></a>", "Map a\n Text b=1\n Text b= 2 \n")]
#[case("<a>x<b/>y</a>", "Map a\n Text b=\n OwnText a=xy\n")]
#[case("<a>x &amp; &#x41;<![CDATA[<&]]></a>", "Text a=x & A<&\n")]
#[case("<a><!-- c -->v</a>", "Map a\n Comment = c \n OwnText a=v\n")]
#[case("<a b='1&#10;\n2'>x\r\ny</a>", "Map a\n Attribute b=1\n 2\n OwnText a=x\ny\n")]
fn reads(#[case] text: &str, #[case] expected: &str) {
    assert_eq!(outline(text), expected);
}

#[rstest]
#[case("", "no element", 0)]
#[case("hello", "text before", 0)]
#[case("<a>", "file ends inside the element `a`", 3)]
#[case("<a><b></a>", "does not match the open `b`", 6)]
#[case("<a/><b/>", "second root element; a document has one", 4)]
#[case("<a/>x", "text after", 4)]
#[case("<a b=1/>", "not quoted", 3)]
#[case("<a b='1' b='2'/>", "given twice", 9)]
#[case("<a b='<'/>", "`<` in the value of an attribute; write `&lt;`", 6)]
#[case("<a>&foo;</a>", "unknown entity; `amp`, `lt`, `gt`, `apos` and `quot` are built in", 3)]
#[case("<a>&#0;</a>", "the reference is not to an XML character", 3)]
#[case("<a>&#+65;</a>", "the reference is not to an XML character", 3)]
#[case("<a>a & b</a>", "`&` does not start a reference; write `&amp;` for the character", 5)]
#[case("<a>]]></a>", "]]>", 3)]
#[case("<a><!-- a -- b --></a>", "inside a comment", 10)]
#[case("<!DOCTYPE a><a/>", "document type declaration", 0)]
#[case("<a>\u{1}</a>", "U+0001", 3)]
#[case("<1/>", "`<` does not start a tag; write `&lt;` for the character", 0)]
fn refuses(#[case] text: &str, #[case] message: &str, #[case] at: u32) {
    let finding = read_xml(Source::new("x", text)).expect_err("refused");
    assert!(finding.message().contains(message), "{}", finding.message());
    assert_eq!(finding.location.map(|place| place.span.start), Some(at));
}

#[test]
fn many_attributes_take_no_long_time() {
    let attributes = |last: &str| {
        let many: String = (0..50_000).map(|number| format!(" a{number}=''")).collect();
        format!("<a{many} {last}=''/>")
    };
    assert!(read_xml(Source::new("x", &attributes("b"))).is_ok());
    let finding = read_xml(Source::new("x", &attributes("a7"))).expect_err("refused");
    assert!(finding.message().contains("given twice"));
}

#[test]
fn nesting_is_bounded() {
    let finding = read_xml(Source::new("x", &"<a>".repeat(100_000))).expect_err("refused");
    assert_eq!(finding.code(), Code::TooLarge);
}

proptest! {
    /// An independent parser judges what is well-formed, on inputs near the edge of it.
    #[test]
    fn agrees_with_an_independent_parser(text in "(<a|<b>|</b>|</a>|/>|>| b='|'|\"|&amp;|&#6|;|x|<!--|-->|<!\\[CDATA\\[|\\]\\]>|<\\?p|\\?>| |\n|é){0,14}") {
        let theirs = roxmltree::Document::parse(&text);
        let ours = read_xml(Source::new("x", &text));
        prop_assert_eq!(ours.is_ok(), theirs.is_ok(), "{:?} {:?}", ours.err(), theirs.err());
    }
}
