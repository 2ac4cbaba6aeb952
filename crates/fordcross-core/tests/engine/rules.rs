//! What each kind of rule does: a piece of a backup, and the row that must be in the ledger as
//! `locator fate landing=value …`.

use crate::small::{CROSSING, make};
use fordcross_core::finding::Code;
use rstest::rstest;

#[track_caller]
fn expect(text: &str, crossing: &str, expected: &str) {
    let made = make(&format!("<old release='1'>{text}</old>"), crossing);
    made.expect_row(expected);
}

#[rstest]
// place: the object and its key
#[case("<boxes><box id='p1'/></boxes>", "boxes/box[p1] remapped boxes/c1")]
#[case("<boxes><box id='p1.7'/></boxes>", "boxes/box[p1.7]/id remapped boxes/c1:7")]
#[case("<boxes><box id='p1'/></boxes>", "boxes/box[p1] moot")] // its own empty text
// types
#[case("<boxes><box id='p1'><on>yes</on></box></boxes>", "boxes/box[p1]/on recast boxes/c1/enabled=true")]
#[case("<boxes><box id='p1'><wait>900</wait></box></boxes>", "boxes/box[p1]/wait recast boxes/c1/wait=15")]
#[case(
    "<boxes><box id='p1'><wait>100</wait></box></boxes>",
    "boxes/box[p1]/wait approximated boxes/c1/wait=2"
)]
#[case("<boxes><box id='p1'><wait>10</wait></box></boxes>", "boxes/box[p1]/wait by-hand")] // would mean never
#[case("<boxes><box id='p1'><wait>soon</wait></box></boxes>", "boxes/box[p1]/wait by-hand")]
#[case("<boxes><box id='p1'><word>x</word></box></boxes>", "boxes/box[p1]/word carried boxes/c1/word")]
// two into one, and what is left when one is missing
#[case(
    "<boxes><box id='p1'><ip>192.0.2.1</ip><mask>255.255.255.0</mask></box></boxes>",
    "boxes/box[p1]/mask folded boxes/c1/nets[#1]=\"192.0.2.1/24\""
)]
#[case("<boxes><box id='p1'><ip>192.0.2.1</ip></box></boxes>", "boxes/box[p1]/ip by-hand")]
// one into two, a table, a condition on the value, no rule
#[case(
    "<list><item><what>tcp/443</what></item></list>",
    "list/item[#1]/what folded list[#1]/protocol=\"tcp\" list[#1]/port=443"
)]
#[case("<list><item><do>deny</do></item></list>", "list/item[#1]/do recast list[#1]/action=\"refuse\"")]
#[case("<list><item><do>maybe</do></item></list>", "list/item[#1]/do by-hand")]
#[case("<list><item><what>any</what></item></list>", "list/item[#1]/what moot")]
#[case("<list><item><what>all</what></item></list>", "list/item[#1]/what unmatched")]
#[case("<list><item><mark>x</mark></item></list>", "list/item[#1]/mark unmatched")]
// lists, shortening
#[case("<name>a</name><name>b</name>", "name[#2] carried names[#2]=\"b\"")]
#[case("<name>Wrackhaven</name>", "name[#1] approximated names[#1]=\"Wrackhav\"")]
// drop, and what no profile knows
#[case("<gone>x</gone>", "gone dropped")]
#[case("<odd><x y='1'>2</x></odd>", "odd/x/y unmatched")]
#[case("<odd>1</odd><odd>2</odd>", "odd[#2] unmatched")]
fn a_rule_takes(#[case] text: &str, #[case] expected: &str) {
    expect(text, CROSSING, expected);
}

#[test]
fn the_first_fitting_rule_takes_a_setting() {
    let first =
        CROSSING.replace("move = [[\"name\"", "move = [[\"name = x-{n}\", \"title = {n}\"], [\"name\"");
    expect("<name>x-y</name>", &first, "name[#1] folded title=\"y\"");
    expect("<name>y</name>", &first, "name[#1] carried names[#1]=\"y\"");
}

/// A rule of two settings must not take one that an earlier rule would take.
#[test]
fn a_rule_of_several_settings_leaves_what_an_earlier_one_takes() {
    let both = "move = [[\"gone = {g}\", \"title = {g}\"], \
                [\"name = {n}; gone = {g}\", \"title = {n}-{g}\"], [\"name\"";
    let crossing =
        CROSSING.replace("move = [[\"name\"", both).replace("drop = [[\"gone\", \"no place\"]]", "");
    expect("<name>a</name><gone>b</gone>", &crossing, "name[#1] carried names[#1]=\"a\"");
    expect("<name>a</name><gone>b</gone>", &crossing, "gone carried title=\"b\"");
}

#[test]
fn two_values_for_one_place_are_told_and_neither_is_lost() {
    let made =
        make("<old release='1'><boxes><box id='p1'><on>yes</on><on>no</on></box></boxes></old>", CROSSING);
    assert!(made.has(Code::PlaceTaken));
    let fates: Vec<_> = made
        .rows
        .iter()
        .filter(|row| row["locator"].as_str().is_some_and(|l| l.contains("/on")))
        .map(|row| &row["fate"])
        .collect();
    assert_eq!(fates, ["recast", "by-hand"]);
}

/// Of a rule that writes two settings none is written where one of them cannot be.
#[rstest]
#[case("")]
#[case(", \"true\"")]
fn a_rule_writes_all_or_nothing(#[case] condition: &str) {
    let crossing = CROSSING.replace("[\"at\", \"at\"]", "[\"mark\", \"port\"], [\"at\", \"at\"]");
    let crossing = crossing.replace("port = {n}\"]", &format!("port = {{n}}\"{condition}]"));
    let list = "<list><item><mark>5</mark><what>tcp/80</what></item></list>";
    let made = make(&format!("<old release='1'>{list}</old>"), &crossing);
    assert!(made.has(Code::PlaceTaken) && !made.has(Code::ResultDiffers), "{:?}", made.findings);
    assert!(!made.result.contains("tcp") && made.result.contains("\"port\": 5"), "{}", made.result);
}

#[test]
fn an_object_that_cannot_be_placed_is_by_hand_with_all_its_settings() {
    let made = make("<old release='1'><boxes><box><on>yes</on></box></boxes></old>", CROSSING);
    let row = made
        .rows
        .iter()
        .find(|row| row["locator"].as_str().is_some_and(|l| l.ends_with("/on")))
        .expect("a row");
    assert_eq!(row["fate"], "by-hand");
}

/// A crossing with more at its end.
fn with(more: &str) -> String {
    format!("{CROSSING}{more}")
}

#[rstest]
#[case(
    "add = [[\"port = {= 7 + index}\", \"given('what')\"]]",
    "<list><item/><item><what>any</what></item></list>",
    "list[#2]/port=9"
)]
#[case("add = [[\"port = 1\"]]", "<list><item/><item/></list>", "list[#2]/port=1")]
#[case(
    "add = [[\"protocol = {= effective('do') == 'allow' ? 'a' : 'b'}\"]]",
    "<list><item><do>allow</do></item></list>",
    "list[#1]/protocol=\"a\""
)]
fn what_is_added(#[case] more: &str, #[case] text: &str, #[case] expected: &str) {
    let crossing = CROSSING.replace("moot = [[\"what = any\"", &format!("{more}\nmoot = [[\"what = any\""));
    let made = make(&format!("<old release='1'>{text}</old>"), &crossing);
    made.expect_row(&format!("- - {expected}"));
    let entries = made.result.matches('{').count();
    assert_eq!(entries, 2 + text.matches("<item").count(), "no entry is made twice: {}", made.result);
}

#[test]
fn a_condition_chooses_between_rules() {
    let crossing = CROSSING.replace(
        "[\"at\", \"at\"]",
        "[\"mark = {m}\", \"protocol = {m}\", \"!given('what')\"], [\"at\", \"at\"]",
    );
    expect(
        "<list><item><mark>x</mark></item></list>",
        &crossing,
        "list/item[#1]/mark carried list[#1]/protocol=\"x\"",
    );
    expect(
        "<list><item><mark>x</mark><what>any</what></item></list>",
        &crossing,
        "list/item[#1]/mark unmatched",
    );
}

#[test]
fn what_is_asked_takes_its_default_and_says_so() {
    let made = make(
        "<old release='1'/>",
        &with(
            "[[ask]]\nfact = 'racks'\ntype = 'integer'\ndefault = '3'\nwhy = 'count them'\n[[place]]\nadd = ['title = {= string(racks * 2)}']\n",
        ),
    );
    assert!(made.has(Code::FactAssumed));
    assert!(made.result.contains("\"title\": \"6\""), "{}", made.result);
}

#[test]
fn what_is_required_blocks_where_it_does_not_hold() {
    let crossing = with("[[require]]\nthat = \"count('boxes/box') > 0\"\nwhy = 'a box is needed'\n");
    assert!(make("<old release='1'/>", &crossing).has(Code::RequirementUnmet));
    assert!(
        !make("<old release='1'><boxes><box id='p1'/></boxes></old>", &crossing).has(Code::RequirementUnmet)
    );
}

#[test]
fn a_rule_can_write_where_another_object_went() {
    let crossing = CROSSING
        .replace(
            "[[place]]\nfrom = \"boxes/box[{id}]\"",
            "[[place]]\nname = \"box\"\nfrom = \"boxes/box[{id}]\"",
        )
        .replace(
            "[\"at\", \"at\"]",
            "[\"mark = {m}; at = {b}\", \"@box[{b}]/wait = {m}\"], [\"at\", \"at\"]",
        );
    expect(
        "<list><item><at>p2</at><mark>5</mark></item></list><boxes><box id='p1'/><box id='p2'/></boxes>",
        &crossing,
        "list/item[#1]/mark folded boxes/c1/wait=5",
    );
}

const BOXES: &str = r"
language = 2
[crossing]
from = 'old@1'
to   = 'new@2'
[[place]]
from = 'boxes/box'
";

/// That an object is there can be what a rule reads, and what it writes.
#[rstest]
#[case("spare/", "spare = true", "<spare/>", "boxes/box[p1]/spare recast boxes/c1/spare=true")]
#[case(
    "spare/",
    "lamp/; spare = true",
    "<spare/>",
    "boxes/box[p1]/spare folded boxes/c1/lamp boxes/c1/spare=true"
)]
#[case("on = yes", "lamp/", "<on>yes</on>", "boxes/box[p1]/on recast boxes/c1/lamp")]
#[case("on = yes", "lamp/", "<on>no</on>", "boxes/box[p1]/on unmatched")]
fn that_an_object_is_there_moves_too(
    #[case] left: &str,
    #[case] right: &str,
    #[case] inside: &str,
    #[case] expected: &str,
) {
    let crossing = format!(
        "{}to = 'boxes/{{id}}'\nmove = [[\"{left}\", \"{right}\"]]\n",
        BOXES.replace("box'", "box[{id}]'")
    );
    expect(&format!("<boxes><box id='p1'>{inside}</box></boxes>"), &crossing, expected);
}

const WITH_IP: &str = "<boxes><box id='p1'><ip>192.0.2.1</ip><wait>900</wait></box></boxes>";

/// The kind of an object, by the conditions of its profile, can name the place where it goes.
#[rstest]
#[case("{kind}s[]", "'wait', 'wait'", WITH_IP, "boxes/box[p1]/wait recast vlans[#1]/wait=15")]
#[case(
    "{kind -> vlan=plains, plain=vlans}[]",
    "'wait', 'wait'",
    WITH_IP,
    "boxes/box[p1]/wait recast plains[#1]/wait=15"
)]
#[case(
    "plains[]",
    "'wait = {w}', 'kind = {w}', \"kind == 'vlan'\"",
    WITH_IP,
    "boxes/box[p1]/wait recast plains[#1]/kind=\"15 min\""
)]
fn the_kind_of_an_object_is_known(
    #[case] to: &str,
    #[case] rule: &str,
    #[case] text: &str,
    #[case] expected: &str,
) {
    expect(text, &format!("{BOXES}to = '{to}'\nmove = [[\"id\", \"ids[]\"], [{rule}]]\n"), expected);
}

/// What the kind of one object cannot have is left to a person, not written where nothing reads it.
#[test]
fn what_no_object_of_a_kind_has_is_not_written() {
    let crossing = format!(
        "{BOXES}to = '{{kind}}s[]'\nmove = [[\"id\", \"ids[]\"], [\"wait\", \"wait\"], [\"word\", \"key\"]]\n"
    );
    let word = "<word>w</word>";
    expect(&format!("<boxes><box id='p1'>{word}</box></boxes>"), &crossing, "boxes/box[p1]/word by-hand");
    let with_ip = WITH_IP.replace("</box>", &format!("{word}</box>"));
    expect(&with_ip, &crossing, "boxes/box[p1]/word carried vlans[#1]/key");
}

const ALIKE: &str = "<boxes><box id='p1'><wait>60</wait></box><box id='p2'><wait>60</wait></box>\
                     <box id='p3'><wait>120</wait></box></boxes>";

/// Objects that are equal in what counts share one place; each setting still has its own row.
#[rstest]
#[case("boxes/box[p2]/id remapped plains[#1]/ids[#2]=\"c2\"")]
#[case("boxes/box[p2]/wait folded plains[#1]/wait=1")]
#[case("boxes/box[p3]/wait recast plains[#2]/wait=2")]
fn equal_objects_share_a_place(#[case] expected: &str) {
    let crossing = format!(
        "{BOXES}to = 'plains[]'\nmerge = {{ by = ['wait'] }}\nmove = [[\"id\", \"ids[]\"], [\"wait\", \"wait\"]]\n"
    );
    expect(ALIKE, &crossing, expected);
}

#[test]
fn tables_and_constants_come_from_an_included_file() {
    let crossing = CROSSING
        .replace(
            "[crossing]\n",
            "[constant]\nplace = \"Sandle Point\"\n[crossing]\nshared = [\"words.shared.toml\"]\n",
        )
        .replace("{d -> allow=permit, deny=refuse}", "{d -> verb}")
        + "[[place]]\nadd = [[\"title = {owner} of {place}\", \"owner.startsWith('Marrow')\"]]\n";
    let made = make("<old release='1'><list><item><do>deny</do></item></list></old>", &crossing);
    assert!(made.result.contains("\"title\": \"Marrowby of Sandle Point\""), "{}", made.result);
    assert!(made.result.contains("\"action\": \"refuse\""), "{}", made.result);
}
