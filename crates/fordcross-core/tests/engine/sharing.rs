//! Rules that are shared: named expressions, rows of parameters, several paths of a place, what is called alike, and clauses of
//! which any is enough.

use crate::small::{CROSSING, NEW, OLD, make_between};
use rstest::rstest;

/// The crossing with some of its rules in another way.
fn with(find: &str, put: &str) -> String {
    assert!(CROSSING.contains(find), "{find}");
    CROSSING.replacen(find, put, 1)
}

const TEXT: &str = "<old release='1'><boxes><box id='p1'><on>yes</on><wait>60</wait></box><box id='p2'><on>no</on></box>\
                    <box id='p3'><ip>192.0.2.1</ip></box></boxes><name>a</name><gone>b</gone></old>";

#[rstest]
// With a parameter that is a value, and one that is a path; the old profile knows `lone`.
#[case(
    "[\"on\", \"enabled\"]",
    "[\"on\", \"enabled\", \"is_there('wait') || lone\"]",
    "boxes/box[p1]/on recast boxes/c1/enabled=true"
)]
#[case("[\"on\", \"enabled\"]", "[\"on\", \"enabled\", \"is_there('wait')\"]", "boxes/box[p2]/on unmatched")]
#[case(
    "[\"on\", \"enabled\"]",
    "[\"on\", \"enabled\", \"!lone\"]",
    "boxes/box[p1]/on recast boxes/c1/enabled=true"
)]
#[case(
    "move = [[\"name\", \"names[]\"]]",
    "move = [[\"name = {n}\", \"title = {= twice(n)}\"]]",
    "name[#1] recast title=\"a-a\""
)]
// A row for each word, in paths, values and conditions.
#[case(
    "move = [[\"name\", \"names[]\"]]\ndrop = [[\"gone\", \"no place\"]]",
    "each = [{ from = \"name\", first = true }, { from = \"gone\", first = false }]\nmove = [[\"{from} = {n}\", \"names[] = {from}.{n}\", \"first\"], [\"{from}\", \"title\"]]",
    "name[#1] folded names[#1]=\"name.a\""
)]
#[case(
    "move = [[\"name\", \"names[]\"]]\ndrop = [[\"gone\", \"no place\"]]",
    "each = [{ from = \"name\", first = true }, { from = \"gone\", first = false }]\nmove = [[\"{from} = {n}\", \"names[] = {from}.{n}\", \"first\"], [\"{from}\", \"title\"]]",
    "gone carried title=\"b\""
)]
#[case(
    "move = [[\"name\", \"names[]\"]]",
    "each = [{ word = \"a|x\" }]\nmove = [[\"name = {word}\", \"title = {word -> `a|x`=two}\"]]",
    "name[#1] recast title=\"two\""
)]
// Each of several paths.
#[case(
    "by-hand = [[\"ip|mask\", \"an address needs its mask\"]]",
    "[[place]]\nfrom = [\"boxes/box[p2]\", \"boxes/box[p3]\"]\ndrop = [[\"ip|mask\", \"none\"]]",
    "boxes/box[p3]/ip dropped"
)]
// Any of several is enough.
#[case(
    "[\"on\", \"enabled\"]",
    "[\"?on = {o}; ?wait\", \"enabled = {o}\"]",
    "boxes/box[p2]/on recast boxes/c2/enabled=false"
)]
fn rules_are_shared(#[case] find: &str, #[case] put: &str, #[case] expected: &str) {
    let old = OLD.replace("[object]", "[expression]\nlone = \"!given('wait')\"\n\n[object]");
    let crossing = with(find, put).replace(
        "[[place]]\nmoot",
        "[expression]\n\"is_there(path)\" = \"given(path)\"\n\"twice(t)\" = \"t + '-' + t\"\n[[place]]\nmoot",
    );
    make_between(&old, NEW, TEXT, &crossing).expect_row(expected);
}

#[test]
fn what_is_called_alike_is_said_once() {
    let new = NEW.replace("\"title\" = \"text\"", "\"gone\" = \"text\"\n\"title\" = \"text\"");
    let crossing = with("drop = [[\"gone\", \"no place\"]]", "same = [\"gone\"]");
    make_between(OLD, &new, TEXT, &crossing).expect_row("gone carried gone=\"b\"");
    let crossing =
        with("  [\"wait\", \"wait\"],\n", "").replace("by-hand = [[", "same = [\"wait\"]\nby-hand = [[");
    make_between(OLD, NEW, TEXT, &crossing).expect_row("boxes/box[p1]/wait recast boxes/c1/wait=1");
}
