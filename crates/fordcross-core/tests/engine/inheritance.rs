//! What objects inherit from others: written out in each, or kept, and never lost.

use crate::small::shown;
use crate::small::{CROSSING, Made, NEW, OLD, carry_over, make_between, parse};
use fordcross_core::finding::Code;
use fordcross_core::mapping::{Destination, MapFile};
use rstest::rstest;

/// The small old line, whose boxes inherit from others that they name and from a block.
fn old() -> String {
    let inherits = "{ inherits = { parent = \"like\", defaults = \"defaults\" }, kind";
    let declared = "\"boxes/box/part\" = \"text\"\n\"defaults/part\" = \"text\"\n\"boxes/box/like\" = \"name\"\n\"defaults/wait\" = { type = \"duration\", unit = \"s\" }\n\
                    \"defaults/on\" = { type = \"boolean\", on = \"yes\", off = \"no\" }\n\"defaults/word\" = \"secret\"\n";
    OLD.replace("{ kind", inherits)
        .replace("[setting]\n", &format!("\"defaults\" = {{}}\n[setting]\n{declared}"))
}

fn make(text: &str, crossing: &str) -> Made {
    make_between(&old(), NEW, &format!("<old release='1'>{text}</old>"), crossing)
}

const BOXES: &str = "<defaults><wait>900</wait><word>w</word></defaults><boxes>\
    <box id='p1'><on>yes</on><wait>60</wait></box>\
    <box id='p2'><like>p1</like></box>\
    <box id='p3'><like>p2</like><wait>120</wait></box></boxes>";

#[rstest]
// A row names the place where the value was written, with all the places where it went.
#[case("boxes/box[p1]/on recast boxes/c1/enabled=true boxes/c2/enabled=true boxes/c3/enabled=true")]
#[case("boxes/box[p1]/wait recast boxes/c1/wait=1 boxes/c2/wait=1")]
#[case("boxes/box[p3]/wait recast boxes/c3/wait=2")]
#[case("defaults/word carried boxes/c1/word boxes/c2/word boxes/c3/word")]
// All have one of their own, or one that is nearer.
#[case("defaults/wait moot")]
#[case("defaults moot")]
#[case("boxes/box[p2]/like moot")]
fn what_is_inherited_is_written_out(#[case] expected: &str) {
    let made = make(BOXES, CROSSING);
    made.expect_row(expected);
    assert!(!made.has(Code::ResultDiffers) && !made.ledger.contains("\"w\""), "{}", made.ledger);
    let settings = 1 + 2 + 3 + 2 + 3;
    assert_eq!(made.rows.iter().filter(|row| row["kind"] == "setting").count(), settings, "each once");
}

#[test]
fn what_a_template_has_and_no_rule_takes_is_still_reported() {
    let made = make("<defaults><odd>x</odd></defaults><boxes><box id='p1'/></boxes>", CROSSING);
    let rows: Vec<String> = made.rows.iter().map(shown).collect();
    assert!(rows.contains(&"defaults/odd unmatched".to_owned()), "{rows:#?}");
}

/// That others have it too is no reason to be silent of what no rule takes.
#[rstest]
#[case(
    "<boxes><box id='p1'><part>x</part></box><box id='p2'><like>p1</like></box></boxes>",
    "boxes/box[p1]/part unmatched"
)]
#[case("<defaults><part>x</part></defaults><boxes><box id='p1'/></boxes>", "defaults/part unmatched")]
#[case("<defaults><part>x</part></defaults>", "defaults/part moot")] // nothing inherits it
fn what_no_rule_takes_is_told_whoever_inherits_it(#[case] text: &str, #[case] expected: &str) {
    let made = make(text, CROSSING);
    made.expect_row(expected);
    let reported = made
        .findings
        .iter()
        .any(|f| f.code() == Code::NoRule && f.locator.as_deref() == expected.split(' ').next());
    assert_eq!(reported, expected.ends_with("unmatched"));
}

#[rstest]
#[case("<box id='p1'><like>p2</like></box><box id='p2'><like>p1</like></box>", Code::InheritanceCycle)]
#[case("<box id='p1'><like>p1</like></box>", Code::InheritanceCycle)]
#[case("<box id='p1'><like>p3</like></box>", Code::ReferenceBroken)]
fn what_leads_nowhere_is_reported(#[case] boxes: &str, #[case] code: Code) {
    let made = make(&format!("<boxes>{boxes}</boxes>"), CROSSING);
    let reported = made.findings.iter().find(|finding| finding.code() == code).expect("a finding");
    assert!(
        reported.location.is_some() && reported.locator.as_deref() == Some("boxes/box[p1]/like"),
        "{reported:?}"
    );
}

/// Where it is kept, nothing is copied, and what is inherited holds before a default.
#[test]
fn what_is_kept_stays_where_it_is_written() {
    let crossing = CROSSING
        .replace("to   = \"new@2\"", "to = \"new@2\"\ninherited = \"kept\"")
        .replace("  [\"word\", \"word\"],\n", "")
        .replace("by-hand = [[", "add = [[\"spare = true\", \"effective('wait') == 900\"]]\nby-hand = [[");
    let made = make(BOXES, &crossing);
    let rows: Vec<String> = made.rows.iter().map(shown).collect();
    assert!(rows.contains(&"boxes/box[p1]/on recast boxes/c1/enabled=true".to_owned()), "{rows:#?}");
    assert!(rows.contains(&"defaults/wait unmatched".to_owned()), "{rows:#?}");
    let made = make("<defaults><wait>900</wait></defaults><boxes><box id='p1'/></boxes>", &crossing);
    assert!(made.result.contains("\"spare\": true"), "{}", made.result);
}

/// A port that is left takes the copies that were made for it, and what all have that inherit it only
/// where all of them are left.
#[rstest]
#[case(&["p2"], "recast")]
#[case(&["p1", "p2"], "left-out")]
fn what_is_left_is_left_for_those_that_are(#[case] left: &[&str], #[case] fate: &str) {
    let (old, new, crossing) = parse(&old(), NEW, CROSSING);
    let map = MapFile::of_ports(left.iter().map(|port| ((*port).to_owned(), Destination::Leave)));
    let text = "<old release='1'><boxes><box id='p1'><on>yes</on></box><box id='p2'><like>p1</like></box></boxes></old>";
    let made = carry_over(text, old, new, crossing, &map);
    let row = made.rows.iter().find(|row| row["locator"] == "boxes/box[p1]/on").expect("a row");
    assert_eq!(row["fate"], *fate, "{row}");
}

/// Parts of boxes inherit from the parts of other boxes: the one of the same name, or else the first; what there
/// can be several of comes besides its own, what is inherited in front.
#[rstest]
#[case("boxes/box[p1]/left[#1]/tag[#1] carried names[#1]=\"a\" names[#2]=\"a\"")]
#[case("boxes/box[p2]/left[#1]/tag[#1] carried names[#3]=\"b\"")]
#[case("boxes/box[p1]/right[#1]/tag[#1] carried names[#4]=\"z\"")]
#[case("boxes/box[p2]/left[#1]/like moot")]
fn parts_inherit_from_parts(#[case] expected: &str) {
    let old = OLD
        .replace("[object]\n", "[object]\n\"boxes/box/left|right|other[]\" = { inherits = { parent = \"like\", among = \"boxes/box\", lists = \"add\" } }\n")
        .replace("[setting]\n", "[setting]\n\"boxes/box/left|right|other/tag[]\" = \"text\"\n\"boxes/box/left|right|other/like\" = \"text\"\n");
    let crossing = format!(
        "{CROSSING}\n[[place]]\nmove = [[\"boxes/box/left|other/tag\", \"names[]\"]]\nmoot = [[\"boxes/box/**\", \"x\"]]\n"
    );
    let text = "<old release='1'><boxes><box id='p1'><right><tag>z</tag></right><left><tag>a</tag></left></box>\
        <box id='p2'><left><like>p1</like><tag>b</tag></left><other><like>p1</like></other></box></boxes></old>";
    let made = make_between(&old, NEW, text, &crossing);
    made.expect_row(expected);
}

/// Of several that an object names the one counts that the profile says: what that inherits itself before what the other
/// has.
#[rstest]
#[case("first", "boxes/box[p1]/wait recast boxes/c1/wait=1 boxes/c3/wait=1")]
#[case("last", "boxes/box[p2]/wait recast boxes/c2/wait=2 boxes/c3/wait=2")]
#[case("last", "boxes/box[p1]/on recast boxes/c1/enabled=true boxes/c3/enabled=true")]
fn one_of_several_parents_counts(#[case] wins: &str, #[case] expected: &str) {
    let old = old()
        .replace("parent = \"like\"", &format!("parent = \"like\", wins = \"{wins}\""))
        .replace("\"boxes/box/like\"", "\"boxes/box/like[]\"");
    let text = "<old release='1'><boxes><box id='p1'><on>yes</on><wait>60</wait></box><box id='p2'><wait>120</wait></box>\
        <box id='p3'><like>p1</like><like>p2</like></box></boxes></old>";
    make_between(&old, NEW, text, CROSSING).expect_row(expected);
}

/// That one heir needs nothing of it is said of none that has it.
#[rstest]
#[case("p1", "boxes/box[p1]/on recast boxes/c2/enabled=true")]
#[case("p2", "boxes/box[p1]/on recast boxes/c1/enabled=true")]
fn what_one_heir_does_not_need_arrives_in_others(#[case] spared: &str, #[case] expected: &str) {
    let crossing = CROSSING
        .replacen("[\"on\", \"enabled\"]", &format!("[\"on\", \"enabled\", \"id != '{spared}'\"]"), 1)
        .replacen("by-hand = [[", "moot = [[\"on\", \"x\"]]\nby-hand = [[", 1);
    make("<boxes><box id='p1'><on>yes</on></box><box id='p2'><like>p1</like></box></boxes>", &crossing)
        .expect_row(expected);
}
