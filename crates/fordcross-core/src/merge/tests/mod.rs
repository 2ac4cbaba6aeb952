mod properties;
mod statements;

use super::*;
use crate::language::library::Checking;
use crate::language::profile::Profile;
use crate::text::source::Source;
use rstest::rstest;

const JSON: &str = r#"
language = 2

[profile]
platform = "n"
title    = "N"
format   = "json"
releases = ["1"]
[detect]
contains = "n"
release  = "n/release"

[object]
"ports/{name:name}" = {}
"users[{id}]"       = {}
"rules[#]"          = {}
[setting]
"n/release" = "text"
"a" = "text"
"b" = "integer"
"box/c" = "text"
"box/d" = "text"
"words[]" = "text"
"ports/*/mtu" = "integer"
"ports/*/on" = "boolean"
"users/id" = "text"
"users/role" = "text"
"rules/do" = "text"
"#;

const XML: &str = r#"
language = 2

[profile]
platform = "x"
title    = "X"
format   = "xml"
releases = ["1"]
[detect]
contains = "x"
release  = "r"

[xml]
attributes = ["r", "s", "port/id", "port/on"]

[object]
"port[{id}]" = {}
"rule[#]"    = {}
[setting]
"r" = "text"
"s" = "text"
"port/id" = "text"
"port/on" = "text"
"port/mtu" = "text"
"rule/do" = "text"
"name" = "text"
"#;

const INI: &str = r#"
language = 2

[profile]
platform = "i"
title    = "I"
format   = "ini"
releases = ["1"]
[ini]
heading = "{section} {name}"
quotes = true
[detect]
contains = "top"
release  = "top"

[object]
"net"           = {}
"share[{name}]" = {}
"rule[#]"       = {}
[setting]
"top" = "text"
"net/mtu" = "text"
"share/name" = "text"
"share/path" = "text"
"rule/do" = "text"
"#;

/// Keys with values, one a line.
fn shown(tree: &Tree<'_>, node: NodeId) -> String {
    let heard = |&child: &NodeId| {
        let silent = tree.kind(child) == Kind::OwnText && tree.value(child).is_empty();
        !silent && tree.kind(child) != Kind::Comment
    };
    let below: String = tree.children(node).filter(heard).map(|child| shown(tree, child)).collect();
    // An empty element is a leaf or a branch, as the tree was made.
    let kind = if below.is_empty() && tree.value(node).is_empty() {
        "empty".into()
    } else {
        format!("{:?}", tree.kind(node))
    };
    format!(
        "({kind} {} {}{below})",
        if tree.is_entry(node) { "-" } else { tree.name(node) },
        tree.value(node)
    )
}

/// The base with the made text in it, and how many settings of the base are replaced and kept.
fn merged(profile: &str, base: &str, made: &str, policy: &BasePolicy) -> (String, usize, usize) {
    let profile = Profile::parse(Source::new("p", profile), Checking::Whole).expect("a profile");
    let mut automaton = crate::scan::inventory::automaton_of(&profile, None);
    let read = |text| {
        let source = Source::new("t", text);
        profile.dialect.read(source).expect("well-formed")
    };
    let (base, made) = (read(base), read(made));
    let wanted = Wanted { made: &made, implied: &FxHashSet::default(), profile: &profile, policy };
    let merged = merge(&base, &wanted, &mut automaton);
    // What was written reads back to the tree that the ledger speaks of.
    let [file] = merged.files.as_slice() else { panic!("one file") };
    let text = String::from_utf8(file.bytes.clone()).expect("UTF-8");
    let again = read(&text);
    assert_eq!(shown(&again, again.root()), shown(&merged.tree, merged.tree.root()));
    (text.clone(), merged.replaced.len(), merged.kept.len())
}

#[rstest]
#[case::nothing_changes(
    "{\"a\" :  \"x\",\n\n\"b\":1 }\n",
    r#"{"a": "x"}"#,
    "{\"a\" :  \"x\",\n\n\"b\":1 }\n",
    0,
    1
)]
#[case::a_value(r#"{"a": "x", "b": 1}"#, r#"{"a": "y"}"#, r#"{"a": "y", "b": 1}"#, 1, 1)]
#[case::another_kind(r#"{"b": "1"}"#, r#"{"b": 2}"#, r#"{"b": 2}"#, 1, 0)]
#[case::new_on_one_line(
    r#"{"a": "x"}"#,
    r#"{"words": ["v", "w"]}"#,
    r#"{"a": "x", "words": ["v", "w"]}"#,
    0,
    1
)]
#[case::new_on_lines(
    "{\n\t\"a\": \"x\"\n}\n",
    r#"{"box": {"c": "v"}}"#,
    "{\n\t\"a\": \"x\",\n\t\"box\": {\n\t\t\"c\": \"v\"\n\t}\n}\n",
    0,
    1
)]
#[case::into_an_empty_one(
    "{\n  \"box\": {}\n}",
    r#"{"box": {"c": "v"}}"#,
    "{\n  \"box\": {\n    \"c\": \"v\"\n  }\n}",
    0,
    0
)]
#[case::a_plain_list_is_replaced(
    r#"{"words": ["a", "b"]}"#,
    r#"{"words": ["c"]}"#,
    r#"{"words": ["c"]}"#,
    2,
    0
)]
#[case::the_same_list(
    r#"{"words": ["a",  "b"]}"#,
    r#"{"words": ["a", "b"]}"#,
    r#"{"words": ["a",  "b"]}"#,
    0,
    0
)]
#[case::entries_by_name(
    r#"{"ports": {"p1": {"mtu": 1}, "p2": {"mtu": 2}}}"#,
    r#"{"ports": {"p2": {"mtu": 3}, "p3": {"on": true}}}"#,
    r#"{"ports": {"p1": {"mtu": 1}, "p2": {"mtu": 3}, "p3": {"on": true}}}"#,
    1,
    1
)]
#[case::entries_by_key(
    r#"{"users": [{"id": "u", "role": "r"}, {"id": "v", "role": "s"}]}"#,
    r#"{"users": [{"id": "v", "role": "t"}, {"id": "w"}]}"#,
    r#"{"users": [{"id": "u", "role": "r"}, {"id": "v", "role": "t"}, {"id": "w"}]}"#,
    1,
    2
)]
#[case::ordered_ones_are_replaced(
    r#"{"rules": [{"do": "a"}], "b": 1}"#,
    r#"{"rules": [{"do": "b"}, {"do": "c"}]}"#,
    r#"{"rules": [{"do": "b"}, {"do": "c"}], "b": 1}"#,
    1,
    1
)]
#[case::what_no_profile_knows_stays(
    r#"{"zz": {"y": [1, 2]}, "a": "x"}"#,
    r#"{"a": "y"}"#,
    r#"{"zz": {"y": [1, 2]}, "a": "y"}"#,
    1,
    2
)]
fn into_json(
    #[case] base: &str,
    #[case] made: &str,
    #[case] expected: &str,
    #[case] replaced: usize,
    #[case] kept: usize,
) {
    let expected = (expected.to_owned(), replaced, kept);
    assert_eq!(merged(JSON, base, made, &BasePolicy::default()), expected);
}

#[rstest]
#[case::nothing(
    "<x r='1'><!-- c --><name>n</name></x>",
    "<x r='1'/>",
    "<x r='1'><!-- c --><name>n</name></x>",
    0,
    1
)]
#[case::an_attribute("<x r='1'  s='2'/>", "<x s='3'/>", "<x r='1'  s=\"3\"/>", 1, 1)]
#[case::a_new_attribute(
    "<x r='1'><name>n</name></x>",
    "<x s='a\"b'/>",
    "<x r='1' s=\"a&quot;b\"><name>n</name></x>",
    0,
    2
)]
#[case::a_text(
    "<x><name>old</name></x>",
    "<x><name>n &amp; m</name></x>",
    "<x><name>n &amp; m</name></x>",
    1,
    0
)]
#[case::a_text_that_was_decoded(
    "<x><name>a&amp;b</name></x>",
    "<x><name>c</name></x>",
    "<x><name>c</name></x>",
    1,
    0
)]
#[case::elements_by_key(
    "<x>\n <port id='1'>\n  <mtu>1</mtu>\n </port>\n <port id='2'/>\n</x>",
    "<x><port id='2'><mtu>5</mtu></port><port id='3'/></x>",
    "<x>\n <port id='1'>\n  <mtu>1</mtu>\n </port>\n <port id=\"2\">\n  <mtu>5</mtu>\n </port>\n <port id=\"3\"/>\n</x>",
    0,
    2
)]
#[case::ordered_ones_are_replaced(
    "<x>\n <rule><do>a</do></rule>\n <name>n</name>\n <rule><do>b</do></rule>\n</x>",
    "<x><rule><do>c</do></rule></x>",
    "<x>\n <name>n</name>\n <rule>\n  <do>c</do>\n </rule>\n</x>",
    2,
    1
)]
fn into_xml(
    #[case] base: &str,
    #[case] made: &str,
    #[case] expected: &str,
    #[case] replaced: usize,
    #[case] kept: usize,
) {
    let expected = (expected.to_owned(), replaced, kept);
    assert_eq!(merged(XML, base, made, &BasePolicy::default()), expected);
}

#[rstest]
#[case::a_value("top = 1\n[net]\n mtu=5  \n", "[net]\nmtu = 6\n", "top = 1\n[net]\n mtu=6  \n", 1, 1)]
#[case::a_value_in_quotes("[net]\nmtu = \"5\"\n", "[net]\nmtu = 6\n", "[net]\nmtu = 6\n", 1, 0)]
#[case::a_key_in_an_empty_section("[net]\n[rule]\n", "[net]\nmtu = 6\n", "[net]\nmtu = 6\n[rule]\n", 0, 0)]
#[case::a_key_before_all("; c\n[net]\nmtu = 5\n", "top = 1\n", "top = 1\n; c\n[net]\nmtu = 5\n", 0, 1)]
#[case::a_section_without_a_line_end("top = 1", "[net]\nmtu = 6\n", "top = 1\n\n[net]\nmtu = 6\n", 0, 1)]
#[case::sections_by_key(
    "[share a]\npath = x\n; c\n[share b]\npath = y\n",
    "[share b]\npath = z\n[share c]\npath = w\n",
    "[share a]\npath = x\n; c\n[share b]\npath = z\n\n[share c]\npath = w\n",
    1,
    2
)]
#[case::ordered_ones_are_replaced(
    "[rule]\ndo = a\n\n[net]\nmtu = 5\n\n[rule]\ndo = b\n",
    "[rule]\ndo = c\n",
    "\n\n[net]\nmtu = 5\n\n[rule]\ndo = c\n",
    2,
    1
)]
fn into_ini(
    #[case] base: &str,
    #[case] made: &str,
    #[case] expected: &str,
    #[case] replaced: usize,
    #[case] kept: usize,
) {
    let expected = (expected.to_owned(), replaced, kept);
    assert_eq!(merged(INI, base, made, &BasePolicy::default()), expected);
}

#[rstest]
#[case::nothing_changes(
    "# top\na:  'x'   # why\n\nb: 1\n",
    "a: x\n",
    "# top\na:  'x'   # why\n\nb: 1\n",
    0,
    1
)]
#[case::a_value("# top\na:  'x'   # why\n\nb: 1\n", "a: z\n", "# top\na:  z   # why\n\nb: 1\n", 1, 1)]
#[case::another_kind("b: '1' # n\n", "b: 2\n", "b: 2 # n\n", 1, 0)]
#[case::new_at_the_end("---\na: x", "box:\n  c: v\n", "---\na: x\nbox:\n  c: v\n", 0, 1)]
#[case::into_a_block(
    "box:\n    # of c\n    c: v  # behind\n# of b\nb: 1\n",
    "box:\n  d: w\n",
    "box:\n    # of c\n    c: v  # behind\n    d: w\n# of b\nb: 1\n",
    0,
    2
)]
#[case::into_one_line(
    "box: {c: v} # flow\nb: 1\n",
    "box: {d: w}\n",
    "# flow\nbox:\n  c: v\n  d: w\nb: 1\n",
    0,
    2
)]
#[case::a_list_is_replaced(
    "words:\n- a   # first\n- b\nb: 1\n",
    "words: [c]\n",
    "words:\n  - c\nb: 1\n",
    2,
    1
)]
#[case::the_same_list("words: [ 'a', b ]\nb: 1\n", "words: [a, b]\n", "words: [ 'a', b ]\nb: 1\n", 0, 1)]
#[case::entries_by_name(
    "ports:\n  p1: {mtu: 1}\n\n  # the second\n  p2:\n    mtu: 2\n    on: true\n",
    "ports:\n  p2:\n    mtu: 3\n  p3:\n    mtu: 4\n",
    "ports:\n  p1: {mtu: 1}\n\n  # the second\n  p2:\n    mtu: 3\n    on: true\n  p3:\n    mtu: 4\n",
    1,
    2
)]
#[case::entries_by_key(
    "users:\n- id: u\n  role: r\n- id: v\n  role: s\na: x\n",
    "users:\n- id: v\n  role: t\n",
    "users:\n  - id: u\n    role: r\n  - id: v\n    role: t\na: x\n",
    1,
    3
)]
#[case::a_value_on_lines_of_its_own("a: |\n  one\n  two\nb: 1\n", "a: x\n", "a: x\nb: 1\n", 1, 1)]
#[case::an_empty_value("a:\nb: 1\n", "a: x\n", "a: x\nb: 1\n", 1, 1)]
fn into_yaml(
    #[case] base: &str,
    #[case] made: &str,
    #[case] expected: &str,
    #[case] replaced: usize,
    #[case] kept: usize,
) {
    let expected = (expected.to_owned(), replaced, kept);
    let profile = JSON.replace("format   = \"json\"", "format   = \"yaml\"");
    assert_eq!(merged(&profile, base, made, &BasePolicy::default()), expected);
}

#[rstest]
#[case::replace_by_name(
    "ports",
    "",
    r#"{"ports": {"p1": {"mtu": 1}}, "a": "x"}"#,
    r#"{"ports": {"p2": {"mtu": 2}}}"#,
    r#"{"ports": {"p2": {"mtu": 2}}, "a": "x"}"#
)]
#[case::replace_by_key(
    "users",
    "",
    r#"{"users": [{"id": "u"}]}"#,
    r#"{"users": [{"id": "v"}]}"#,
    r#"{"users": [{"id": "v"}]}"#
)]
#[case::words_behind_words(
    "",
    "words",
    r#"{"words": ["a", "b"]}"#,
    r#"{"words": ["b", "c"]}"#,
    r#"{"words": ["a", "b", "c"]}"#
)]
#[case::rules_behind_rules(
    "",
    "rules",
    r#"{"rules": [{"do": "a"}]}"#,
    r#"{"rules": [{"do": "a"}]}"#,
    r#"{"rules": [{"do": "a"}, {"do": "a"}]}"#
)]
fn as_the_crossing_says(
    #[case] replace: &str,
    #[case] merge: &str,
    #[case] base: &str,
    #[case] made: &str,
    #[case] expected: &str,
) {
    let patterns = |text: &str| -> Vec<_> {
        text.split_whitespace()
            .map(|text| crate::tree::pattern::Pattern::parse(text).expect("a pattern"))
            .collect()
    };
    let policy = BasePolicy { replace: patterns(replace), merge: patterns(merge) };
    assert_eq!(merged(JSON, base, made, &policy).0, expected);
}
