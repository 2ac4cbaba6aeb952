//! What must hold for any backup.

use crate::small::{CROSSING, make};
use fordcross_core::finding::Code;
use fordcross_core::source::Source;
use fordcross_core::tree::Kind;
use fordcross_core::xml::read_xml;
use proptest::prelude::*;

/// Elements with names that the old profile knows and names that it does not, in any nesting, with
/// values that fit their types and values that do not.
fn element() -> impl Strategy<Value = String> {
    let name = prop::sample::select(vec![
        "boxes", "box", "list", "item", "name", "gone", "on", "wait", "ip", "mask", "word", "do", "at",
        "what", "odd",
    ]);
    let text = prop::sample::select(vec![
        "",
        " ",
        "yes",
        "no",
        "900",
        "100",
        "10",
        "0",
        "192.0.2.1",
        "255.255.255.0",
        "p1",
        "p2.30",
        "p9",
        "tcp/443",
        "allow",
        "any",
        "a &amp; b",
        "<![CDATA[<x>]]>",
        "Wrackhaven",
        "\u{e9}\n",
    ]);
    let attribute =
        prop::sample::select(vec!["", " id='p1'", " id='p2'", " id='p3.4'", " odd='1'", " id='p1' on='yes'"]);
    let leaf = (name.clone(), attribute.clone(), text.clone())
        .prop_map(|(name, attribute, text)| format!("<{name}{attribute}>{text}</{name}>"));
    leaf.prop_recursive(4, 40, 6, move |inner| {
        (name.clone(), attribute.clone(), text.clone(), prop::collection::vec(inner, 0..6), any::<bool>())
            .prop_map(|(name, attribute, text, children, comment)| {
                let comment = if comment { "<!-- c -->" } else { "" };
                format!("<{name}{attribute}>{comment}{text}{}</{name}>", children.concat())
            })
    })
}

/// Each attribute, each element without child elements, and each other element with text of its own.
fn settings_in(xml: &str) -> usize {
    let document = roxmltree::Document::parse(xml).expect("well-formed");
    let count = |element: roxmltree::Node<'_, '_>| {
        let leaf = !element.children().any(|child| child.is_element());
        let own = element
            .children()
            .any(|child| child.is_text() && !child.text().unwrap_or("").trim_ascii().is_empty());
        element.attributes().len() + usize::from(leaf || own)
    };
    document.descendants().filter(roxmltree::Node::is_element).map(count).sum()
}

fn objects_in(xml: &str) -> usize {
    let document = roxmltree::Document::parse(xml).expect("well-formed");
    let root = document.root_element();
    let below = |above: &str, name: &str| -> usize {
        let named =
            |node: &roxmltree::Node<'_, '_>, name: &str| node.is_element() && node.tag_name().name() == name;
        root.children()
            .filter(|node| named(node, above))
            .map(|node| node.children().filter(|child| named(child, name)).count())
            .sum()
    };
    below("boxes", "box") + below("list", "item")
}

/// All values of a document as an independent parser sees them, sorted.
fn values_in(xml: &str) -> Vec<String> {
    let document = roxmltree::Document::parse(xml).expect("well-formed");
    let mut values = Vec::new();
    for element in document.descendants().filter(roxmltree::Node::is_element) {
        values.extend(
            element.attributes().map(|attribute| format!("{}={}", attribute.name(), attribute.value())),
        );
        let own: String =
            element.children().filter(roxmltree::Node::is_text).filter_map(|child| child.text()).collect();
        let leaf = !element.children().any(|child| child.is_element());
        if leaf || !own.trim_ascii().is_empty() {
            values.push(format!("{}={}", element.tag_name().name(), own.trim_ascii()));
        }
    }
    values.sort();
    values
}

/// The same as our reader sees them.
fn values_read(xml: &str) -> Vec<String> {
    let tree = read_xml(Source::new("x", xml)).expect("well-formed");
    let mut values = Vec::new();
    let mut open = vec![tree.root()];
    while let Some(node) = open.pop() {
        if tree.kind(node).is_value() {
            let value = tree.value(node);
            let value = if tree.kind(node) == Kind::Attribute { value } else { value.trim_ascii() };
            values.push(format!("{}={value}", tree.name(node)));
        }
        open.extend(tree.children(node));
    }
    values.sort();
    values
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    #[test]
    fn settings_and_objects_read_are_rows_with_a_place(content in prop::collection::vec(element(), 0..8)) {
        let xml = format!("<old release='1'>{}</old>", content.concat());
        let made = make(&xml, CROSSING);
        let of_kind = |kind: &str| made.rows.iter().filter(|row| row["kind"] == kind).count();
        prop_assert_eq!(of_kind("setting"), settings_in(&xml));
        prop_assert_eq!(of_kind("object"), objects_in(&xml));
        prop_assert!(made.rows.iter().filter(|row| row["kind"] != "origin").all(|row| row["fate"].is_string()));
    }

    /// No byte of a value is unread, and none is read twice.
    #[test]
    fn values_read_are_those_that_an_independent_parser_sees(content in prop::collection::vec(element(), 0..8)) {
        let xml = format!("<old release='1'>{}</old>", content.concat());
        prop_assert_eq!(values_read(&xml), values_in(&xml));
    }

    #[test]
    fn the_result_reads_back_to_what_the_ledger_says(content in prop::collection::vec(element(), 0..8)) {
        let xml = format!("<old release='1'>{}</old>", content.concat());
        let made = make(&xml, CROSSING);
        prop_assert!(!made.has(Code::ResultDiffers), "{:?}", made.findings);
        if made.has(Code::PortOpen) {
            prop_assert_eq!(made.result, "");
        } else {
            let value: serde_json::Value = serde_json::from_str(&made.result).expect("the result is JSON");
            prop_assert_eq!(&value["new"]["release"], "2");
            // No typed reference to an old port is left.
            for name in value["boxes"].as_object().into_iter().flat_map(|boxes| boxes.keys()) {
                prop_assert!(name.starts_with('c'), "{}", name);
            }
        }
    }
}
