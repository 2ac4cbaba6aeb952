//! Statements and tables of a base.

use super::merged;
use crate::language::crossing::BasePolicy;
use rstest::rstest;

pub(super) const KEYS: &str = r#"
language = 2

[profile]
platform = "k"
title    = "K"
format   = "statements"
releases = ["1"]
[grammar]
quotes           = ["'"]
escape           = "both"
punctuation      = ["="]
word-characters  = "_"
unquoted-numbers = true
[block.top]
statements = [["{key} (=)? {value}", "{key}"]]
[detect]
contains = "release"
release  = "release"
[setting]
"release" = { type = "text", duplicates = "last" }
"a" = { type = "text", duplicates = "last" }
"b" = { type = "text", duplicates = "last" }
"c" = { type = "text", duplicates = "last" }
"#;

/// Blocks in braces, statements that share branches, and rows that nothing tells apart.
pub(super) const BLOCKS: &str = r#"
language = 2

[profile]
platform = "z"
title    = "Z"
format   = "statements"
releases = ["1"]
[grammar]
quotes      = ["\""]
escape      = "backslash"
end         = ";"
punctuation = ["="]
[block.top]
statements = [
  ["zone {name}",               "zone", "zone"],
  ["ramp {ramp} {key} {value}", "ramp/{ramp}/{key}"],
  ["rule {do} {who}",           "rule"],
  "options",
]
[block.options]
statements = [["{key} = {value...}", "{key}"]]
[block.zone]
delimiters = ["{", "}"]
statements = ["options"]
[detect]
contains = "release"
release  = "release"

[object]
"zone[{name}]" = {}
"ramp/{name}"  = {}
"rule[#]"      = {}
[setting]
"release" = "text"
"zone/name" = "text"
"zone/mtu" = "text"
"zone/note" = "text"
"ramp/*/length" = "text"
"ramp/*/width" = "text"
"rule/do" = "text"
"rule/who" = "text"
"#;

pub(super) const TABLE: &str = r#"
language = 2

[profile]
platform = "t"
title    = "T"
format   = "csv"
releases = ["1"]
[csv]
row = "share"
[detect]
contains = "share"
release  = "share/name"

[object]
"share[{name}]" = {}
[setting]
"share/name" = "text"
"share/path" = "text"
"share/note" = "text"
"#;

/// A tree without own text that is empty: it is not written.
#[rstest]
#[case::nothing_changes(
    KEYS,
    "# said\n\na  'x'   # behind\n b=2",
    "a = x\n",
    "# said\n\na  'x'   # behind\n b=2",
    0,
    1
)]
#[case::a_value(KEYS, "a\t= 'x'\t# behind\nb = 2\n", "a = y\n", "a\t= 'y'\t# behind\nb = 2\n", 1, 1)]
#[case::a_value_that_needs_quotes(KEYS, "a = x # behind\n", "a = 'y z'\n", "a = 'y z' # behind\n", 1, 0)]
#[case::quotes_in_quotes(KEYS, "a = 'x'\n", "a = 'it''s'\n", "a = 'it''s'\n", 1, 0)]
#[case::an_empty_value(KEYS, "a = '' # none\nb = 1\n", "a = x\n", "a = 'x' # none\nb = 1\n", 1, 1)]
#[case::the_last_one_holds(KEYS, "a = 1\n#a = 2\na = 3\n", "a = 4\n", "a = 1\n#a = 2\na = 4\n", 1, 1)]
#[case::new_ones(KEYS, "#a = 1\nb = 2", "a = x\nc = 'y z'\n", "#a = 1\nb = 2\na = x\nc = 'y z'\n", 0, 1)]
#[case::into_comments_alone(KEYS, "#a = 1\n#b = 2\n", "a = x\n", "#a = 1\n#b = 2\n\na = x\n", 0, 0)]
#[case::lines_end_as_they_do(
    KEYS,
    "a = 1\r\nb = 2\r\n",
    "a = 3\nc = 4\n",
    "a = 3\r\nb = 2\r\nc = 4\r\n",
    1,
    1
)]
#[case::in_a_block(
    BLOCKS,
    "zone quay { # one\n\tmtu =  1500 ; # small\n\n\tnote = a b;\n}\nzone pier { mtu = 9; }\n",
    "zone quay { mtu = 9000; }",
    "zone quay { # one\n\tmtu =  9000 ; # small\n\n\tnote = a b;\n}\nzone pier { mtu = 9; }\n",
    1,
    3
)]
#[case::a_block_grows(
    BLOCKS,
    "zone quay {\n  mtu = 1; # small\n}\n",
    "zone quay { note = x; } zone pier { mtu = 2; }",
    "zone quay {\n  mtu = 1; # small\n  note = x;\n}\n\nzone pier {\n  mtu = 2;\n}\n",
    0,
    1
)]
#[case::a_block_on_one_line_grows(
    BLOCKS,
    "zone quay { mtu = 1; } # one\n",
    "zone quay { note = x; }",
    "zone quay {\n  mtu = 1;\n  note = x;\n} # one\n",
    0,
    1
)]
#[case::an_empty_block_grows(
    BLOCKS,
    "zone quay {\n  # nothing yet\n}\n",
    "zone quay { note = x; }",
    "zone quay {\n  note = x;\n  # nothing yet\n}\n",
    0,
    0
)]
#[case::branches_that_statements_share(
    BLOCKS,
    "ramp n length 5;\nramp s length 6;\nramp n width 2; # wide\n",
    "ramp n width 3; ramp s width 4; ramp w length 1;",
    "ramp n length 5;\nramp s length 6;\nramp s width 4;\nramp w length 1;\nramp n width 3; # wide\n",
    1,
    2
)]
#[case::rows_are_replaced(
    BLOCKS,
    "release = 1;\n# who may\nrule let all; # all\nrule bar none;\nramp n length 5;\n",
    "rule let some;",
    "release = 1;\n# who may\nramp n length 5;\nrule let some;\n",
    4,
    2
)]
#[case::rows_that_are_the_last(
    BLOCKS,
    "rule let all;\nrule bar none;\n",
    "rule let some;",
    "rule let some;\n",
    4,
    0
)]
#[case::a_cell(
    TABLE,
    "name,path,note\n\"a\", /x ,\"b, c\"\nd,/y,\n",
    "name,path\na,/z\nd,/y\n",
    "name,path,note\n\"a\",/z,\"b, c\"\nd,/y,\n",
    1,
    2
)]
#[case::a_row(
    TABLE,
    "name,path\r\na,/x",
    "name,path\nb,\"/y, z\"\n",
    "name,path\r\na,/x\r\nb,\"/y, z\"\r\n",
    0,
    2
)]
#[case::a_column(TABLE, "name,path\na,/x\n", "name,note\na,n\n", "name,path,note\na,/x,n\n", 0, 1)]
fn into_statements_and_tables(
    #[case] profile: &str,
    #[case] base: &str,
    #[case] made: &str,
    #[case] expected: &str,
    #[case] replaced: usize,
    #[case] kept: usize,
) {
    let expected = (expected.to_owned(), replaced, kept);
    assert_eq!(merged(profile, base, made, &BasePolicy::default()), expected);
}
