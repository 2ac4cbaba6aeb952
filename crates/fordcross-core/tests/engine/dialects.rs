//! The manners of a line: names that are alike, what is given again, order, limits.

use crate::small::{CROSSING, Made, NEW, OLD, make_between};
use fordcross_core::finding::{Code, Severity};
use rstest::rstest;

fn make(old: &str, text: &str) -> Made {
    make_between(old, NEW, &format!("<old release='1'>{text}</old>"), CROSSING)
}

#[track_caller]
fn expect(made: &Made, expected: &str) {
    made.expect_row(expected);
    assert!(!made.has(Code::ResultDiffers), "{:#?}", made.findings);
}

/// However a backup spells a name, it is the profile's; keys, which are values, stay as they are.
#[rstest]
#[case("<Boxes><BOX ID='p1'><On>yes</On></BOX></Boxes>", "boxes/box[p1]/on recast boxes/c1/enabled=true")]
#[case(
    "<boxes><box id='p1'><word_of_old>w</word_of_old></box></boxes>",
    "boxes/box[p1]/word carried boxes/c1/word"
)]
#[case(
    "<boxes><box id='p1'><on>yes</on><ON>yes</ON></box></boxes>",
    "boxes/box[p1]/on[#2] recast boxes/c1/enabled=true"
)]
#[case("<list><item><On>yes</On></item></list>", "list/item[#1]/On unmatched")]
fn names_that_are_alike_are_one(#[case] text: &str, #[case] expected: &str) {
    let old = OLD
        .replace(
            "platform = \"old\"",
            "platform = \"old\"\nequivalent-characters = \"-_\"\ncase-insensitive = true",
        )
        .replace("/word\" = \"secret\"", "/word\" = { type = \"secret\", aliases = [\"word-of-old\"] }");
    expect(&make(&old, text), expected);
}

const TWICE: &str =
    "<boxes><box id='p1'><on>yes</on><on>no</on></box><box id='p2'><on>yes</on></box></boxes>";

#[rstest]
#[case("first", "boxes/box[p1]/on recast boxes/c1/enabled=true")]
#[case("first", "boxes/box[p1]/on[#2] moot")]
#[case("last", "boxes/box[p1]/on moot")]
#[case("last", "boxes/box[p1]/on[#2] recast boxes/c1/enabled=false")]
#[case("last", "boxes/box[p2]/on recast boxes/c2/enabled=true")]
#[case("error", "boxes/box[p1]/on[#2] by-hand")]
fn a_line_says_which_of_several_holds(#[case] manner: &str, #[case] expected: &str) {
    let old = OLD.replace("off = \"no\" }", &format!("off = \"no\", duplicates = \"{manner}\" }}"));
    let made = make(&old, TWICE);
    expect(&made, expected);
    assert_eq!(made.has(Code::GivenTwice), manner == "error");
}

const AGAIN: &str = "<boxes><box id='p1'><on>yes</on></box><box id='p1'><wait>60</wait></box></boxes>";

#[rstest]
#[case("first", "boxes/box[p1]#2/wait moot")]
#[case("last", "boxes/box[p1]/on moot")]
#[case("merge", "boxes/box[p1]#2/wait recast boxes/c1/wait=1")]
fn an_object_that_is_there_again(#[case] manner: &str, #[case] expected: &str) {
    let old = OLD.replace("{ kind", &format!("{{ duplicates = \"{manner}\", kind"));
    expect(&make(&old, AGAIN), expected);
}

#[test]
fn what_is_written_stands_in_the_order_of_its_line() {
    let new = NEW
        .replace("platform = \"new\"", "platform = \"new\"\norder = [\"names\", \"boxes\", \"new\"]")
        .replace(
            "\"boxes/{name:interface}\" = {}",
            "\"boxes/{name:interface}\" = { order = [\"wait\", \"enabled\"] }",
        );
    let text = "<old release='1'><boxes><box id='p1'><on>yes</on><wait>60</wait></box></boxes>\
                <gone>x</gone><name>a</name><list><item/></list></old>";
    let made = make_between(OLD, &new, text, CROSSING);
    let places: Vec<_> = ["names", "boxes", "wait", "enabled", "new", "list"]
        .map(|name| made.result.find(&format!("\"{name}\"")))
        .into();
    assert!(places.is_sorted() && places[0].is_some(), "{}", made.result);
    assert!(!made.has(Code::ResultDiffers));
}

#[rstest]
#[case(1, 2)]
#[case(2, 0)]
fn a_model_holds_only_so_much(#[case] most: u32, #[case] blockers: usize) {
    let limit = format!("title = \"New n\"\nlimit = {{ \"boxes/*\" = {most}, \"names\" = {most} }}");
    let new = NEW.replace("title = \"New n\"", &limit);
    let text =
        "<old release='1'><boxes><box id='p1'/><box id='p2'/></boxes><name>a</name><name>b</name></old>";
    let made = make_between(OLD, &new, text, CROSSING);
    let found = made.findings.iter().filter(|finding| finding.code() == Code::LimitExceeded);
    assert_eq!(found.filter(|finding| finding.severity == Severity::Blocker).count(), blockers);
    assert_eq!(made.result.is_empty(), blockers > 0);
}

const TWO: &str =
    "<boxes><box id='p1'><on>yes</on><wait>soon</wait></box><box id='p2'><on>yes</on></box></boxes>";

/// What would be another without a part of it is carried whole or not at all.
#[rstest]
#[case("", "boxes/box[p1]/on recast boxes/c1/enabled=true", true)]
#[case("atomic = true", "boxes/box[p1]/on by-hand", false)]
#[case("atomic = true", "boxes/box[p1] by-hand", false)]
#[case("atomic = true", "boxes/box[p1]/wait by-hand", false)]
#[case("atomic = true", "boxes/box[p2]/on recast boxes/c2/enabled=true", false)]
fn an_object_that_lost_a_part(#[case] narrows: &str, #[case] expected: &str, #[case] is_there: bool) {
    let new = NEW.replace(
        "\"boxes/{name:interface}\" = {}",
        &format!("\"boxes/{{name:interface}}\" = {{ {narrows} }}"),
    );
    let made = make_between(OLD, &new, &format!("<old release='1'>{TWO}</old>"), CROSSING);
    expect(&made, expected);
    assert_eq!(made.result.contains("\"c1\""), is_there, "{}", made.result);
    assert!(made.result.contains("\"c2\""), "{}", made.result);
}
