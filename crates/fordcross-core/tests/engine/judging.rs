//! The receiving platform's own rules: what a breach does, what falls with what, and what is the same in any order.

use crate::small::{CROSSING, Made, NEW, OLD, carry_over, make_between, parse};
use fordcross_core::finding::Severity::{self, Blocker, Note, Warning};
use fordcross_core::mapping::{Destination, MapFile};
use proptest::prelude::*;
use rstest::rstest;
use serde_json::Value;

/// The new line with rules: at an entry of its list, at its settings, and at its end.
fn judged(of_entry: &str, of_setting: &str, checks: &str) -> String {
    let settings: Vec<&str> = of_setting.lines().filter_map(|line| line.split(" = ").next()).collect();
    let kept = |line: &&str| !settings.iter().any(|setting| line.starts_with(setting));
    let plain: Vec<&str> = NEW.lines().filter(kept).collect();
    let plain = plain.join("\n");
    let (objects, settings) = plain.split_once("[setting]\n").expect("settings");
    let objects = objects.replace("\"list[#]\"                = {}\n", "");
    format!("{objects}[object.\"list[#]\"]\n{of_entry}\n[setting]\n{settings}\n{of_setting}\n{checks}")
}

fn reported(made: &Made, code: &str) -> Option<Severity> {
    let of_code = |finding: &&fordcross_core::finding::Finding| {
        finding.declared_code().is_some_and(|own| own.ends_with(code))
    };
    made.findings.iter().find(of_code).map(|finding| finding.severity)
}

const TWO: &str =
    "<item><do>allow</do><at>p1</at><what>tcp/80</what></item><item><do>deny</do><at>p2</at></item>";
const AT: &str = "\"list/at\" = { type = \"interface\", refers-to = \"boxes/*\" }";
const BOX: &str = "<box id='p2'><on>yes</on></box>";

/// A breach, what is told of it, and how many entries of the list are left; none where it blocks.
#[rstest]
#[case::required("required = ['port']", "", "", TWO, "/required", Warning, Some(1))]
#[case::required_of_some(
    "required = [['port', \"effective('action') == 'permit'\"]]",
    "",
    "",
    "<item><do>allow</do></item><item><do>deny</do></item>",
    "/required",
    Warning,
    Some(1)
)]
#[case::what_restricts_never_goes(
    "required = ['port']\nrestricts-if = \"effective('action') == 'refuse'\"",
    "",
    "",
    TWO,
    "/required",
    Blocker,
    None
)]
#[case::only_reported("required = ['port']\nbreach = 'warns'", "", "", TWO, "/required", Warning, Some(2))]
#[case::blocks("required = ['port']\nbreach = 'blocks'", "", "", TWO, "/required", Blocker, None)]
#[case::needs("needs = { at = 'port' }", "", "", TWO, "/needs", Warning, Some(2))]
#[case::at_most_one("at-most-one = [['at', 'port']]", "", "", TWO, "/at-most-one", Warning, Some(1))]
#[case::at_least_one("at-least-one = [['protocol', 'port']]", "", "", TWO, "/at-least-one", Warning, Some(1))]
#[case::too_few("count = '3..'", "", "", TWO, "/count", Blocker, None)]
#[case::too_many("count = '0..1'", "", "", TWO, "/count", Blocker, None)]
#[case::the_last_of_those_that_must_be(
    "count = '1..'\nrequired = ['port']",
    "",
    "",
    "<item><do>deny</do></item>",
    "/count",
    Blocker,
    None
)]
#[case::names_nothing("", AT, "", TWO, "/names-nothing", Warning, Some(2))]
#[case::names_nothing_and_is_needed("required = ['at']", AT, "", TWO, "/names-nothing", Warning, Some(1))]
#[case::names_nothing_and_narrows("narrows = ['at']", AT, "", TWO, "/names-nothing", Warning, Some(1))]
#[case::twice(
    "",
    "\"list/port\" = { type = \"integer\", unique = true }",
    "",
    "<item><what>tcp/80</what></item><item><what>udp/80</what></item>",
    "/twice",
    Blocker,
    None
)]
#[case::no_value_that_fits_narrows(
    "narrows = ['action']",
    "",
    "",
    "<item><do>maybe</do><at>p1</at></item><item><do>allow</do></item>",
    "/narrowed",
    Warning,
    Some(1)
)]
#[case::check(
    "",
    "",
    "[[check]]\nat = 'list'\ncode = 'low'\nthat = \"effective('port') > 100\"\ntext = '{port}'\ndo = 'x'",
    TWO,
    "/low",
    Warning,
    Some(1)
)]
#[case::check_of_one_setting(
    "",
    "",
    "[[check]]\nat = 'list'\ncode = 'low'\nabout = ['port']\nthat = \"effective('port') > 100\"\ntext = '{port}'\ndo = 'x'",
    TWO,
    "/low",
    Warning,
    Some(2)
)]
#[case::check_that_notes(
    "",
    "",
    "[[check]]\nat = 'list'\ncode = 'low'\nbreach = 'notes'\nthat = \"effective('port') > 100\"\ntext = '{port}'\ndo = 'x'",
    TWO,
    "/low",
    Note,
    Some(2)
)]
#[case::check_on_condition(
    "",
    "",
    "[[check]]\nat = 'list'\ncode = 'low'\nwhen = \"effective('action') == 'refuse'\"\nthat = \"!given('at')\"\ntext = '{port}'\ndo = 'x'",
    TWO,
    "/low",
    Warning,
    Some(1)
)]
#[case::together_one_of_a_kind(
    "",
    "",
    "[[check]]\nat = 'list'\ncode = 'same'\nunique = ['action', 'protocol']\ntext = 't'\ndo = 'x'",
    "<item><do>deny</do></item><item><do>deny</do></item>",
    "/same",
    Blocker,
    None
)]
#[case::of_the_whole(
    "",
    "",
    "[[check]]\ncode = 'few'\nbreach = 'blocks'\nthat = \"count('list') < 2\"\ntext = 't'\ndo = 'x'",
    TWO,
    "/few",
    Blocker,
    None
)]
// Nobody could say that it is right, so it is not written without a word, nor taken out.
#[case::no_answer(
    "",
    "",
    "[[check]]\nat = 'list'\ncode = 'odd'\nthat = \"10 / (effective('port') - 80) > 0\"\ntext = 't'\ndo = 'x'",
    TWO,
    "/odd",
    Blocker,
    None
)]
#[case::no_answer_where_it_only_warns(
    "",
    "",
    "[[check]]\nat = 'list'\ncode = 'odd'\nbreach = 'warns'\nthat = \"10 / (effective('port') - 80) > 0\"\ntext = 't'\ndo = 'x'",
    TWO,
    "/odd",
    Warning,
    Some(2)
)]
fn a_breach(
    #[case] of_entry: &str,
    #[case] of_setting: &str,
    #[case] checks: &str,
    #[case] items: &str,
    #[case] code: &str,
    #[case] severity: Severity,
    #[case] left: Option<usize>,
) {
    let new = judged(of_entry, of_setting, checks);
    let text = format!("<old release='1'><boxes>{BOX}</boxes><list>{items}</list></old>");
    let made = make_between(OLD, &new, &text, CROSSING);
    assert_eq!(reported(&made, code), Some(severity), "{:#?}", made.findings);
    let entries = (!made.result.is_empty()).then(|| {
        let result: Value = serde_json::from_str(&made.result).expect("JSON");
        result["list"].as_array().map_or(0, Vec::len)
    });
    assert_eq!(entries, left, "{}\n{:#?}", made.result, made.findings);
}

/// A file that the backup has and the result has not is not counted as if nobody had asked.
#[test]
fn what_would_have_been_counted_and_nothing_is_left_of() {
    let new =
        NEW.replace("\"boxes/{name:interface}\" = {}", "\"boxes/{name:interface}\" = { count = \"1..\" }");
    let lost = "<old release='1'><boxes><box><on>yes</on></box></boxes></old>";
    let made = make_between(OLD, &new, lost, CROSSING);
    assert_eq!(reported(&made, "/count"), Some(Blocker), "{:#?}\n{}", made.findings, made.result);
    let none = make_between(OLD, &new, "<old release='1'/>", CROSSING);
    assert_eq!(reported(&none, "/count"), None, "{:#?}", none.findings);
}

const RULES: &str = "required = ['action', ['protocol', \"effective('action') == 'permit'\"]]\nneeds = { port = 'protocol' }\nnarrows = ['at']";
/// The same rules, said in another order.
const SHUFFLED: &str = "narrows = ['at']\nneeds = { port = 'protocol' }\nrequired = [['protocol', \"effective('action') == 'permit'\"], 'action']";

fn item() -> impl Strategy<Value = String> {
    let part = |name: &'static str, values: &'static [&'static str]| {
        prop::option::weighted(0.8, prop::sample::select(values)).prop_map(move |value| {
            value.map_or_else(String::new, |value| format!("<{name}>{value}</{name}>"))
        })
    };
    (
        part("do", &["allow", "deny", "maybe"]),
        part("at", &["p1", "p2", "p3", "p1.7"]),
        part("what", &["tcp/80", "tcp/443", "any", "all"]),
    )
        .prop_map(|(deed, at, what)| format!("<item>{deed}{at}{what}</item>"))
}

fn left(of_entry: &str, boxes: &[usize], items: &[String], leave: Option<&str>) -> Made {
    let boxes: String =
        boxes.iter().map(|number| format!("<box id='p{number}'><on>yes</on></box>")).collect();
    let text = format!("<old release='1'><boxes>{boxes}</boxes><list>{}</list></old>", items.concat());
    let (old, new, crossing) = parse(OLD, &judged(of_entry, AT, ""), CROSSING);
    let ports = (1..=3).map(|number| (format!("p{number}"), Destination::New(format!("c{number}"))));
    let mut ports: Vec<_> = ports.collect();
    if let Some(port) = leave {
        ports.push((port.to_owned(), Destination::Leave));
    }
    carry_over(&text, old, new, crossing, &MapFile::of_ports(ports))
}

fn entries(made: &Made) -> Vec<Value> {
    let result: Value = serde_json::from_str(&made.result).unwrap_or_default();
    result["list"].as_array().cloned().unwrap_or_default()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    /// What is in the result has all that it needs; what it lacks of the backup widens nothing; the rest went whole.
    #[test]
    fn no_object_is_half(items in prop::collection::vec(item(), 0..7), boxes in prop::sample::subsequence(vec![1, 2, 3], 0..=3), leave in prop::option::of(prop::sample::select(vec!["p1", "p2"]))) {
        let made = left(RULES, &boxes, &items, leave);
        for entry in entries(&made) {
            prop_assert!(entry["action"].is_string(), "{entry}");
            prop_assert!(entry["action"] != "permit" || entry["protocol"].is_string(), "{entry}");
            prop_assert!(entry["port"].is_null() || entry["protocol"].is_string(), "{entry}");
        }
        let arrived = |row: &Value| row["landings"].as_array().is_some_and(|landings| !landings.is_empty());
        for number in 1..=items.len() {
            let of_item = format!("list/item[#{number}]/");
            let rows: Vec<&Value> = made.rows.iter().filter(|row| row["locator"].as_str().is_some_and(|at| at.starts_with(&of_item))).collect();
            let at = rows.iter().find(|row| row["locator"] == format!("{of_item}at"));
            if at.is_some_and(|at| !arrived(at)) {
                prop_assert!(!rows.iter().any(|row| arrived(row)), "it would hold everywhere: {rows:#?}");
            }
        }
    }

    /// The order of objects and of rules decides nothing.
    #[test]
    fn the_same_goes_in_any_order(items in prop::collection::vec(item(), 0..7), boxes in prop::sample::subsequence(vec![1, 2, 3], 0..=3)) {
        let sorted = |mut entries: Vec<Value>| { entries.sort_by_key(ToString::to_string); entries };
        let one = left(RULES, &boxes, &items, None);
        let back: Vec<usize> = boxes.iter().rev().copied().collect();
        let turned: Vec<String> = items.iter().rev().cloned().collect();
        let other = left(SHUFFLED, &back, &turned, None);
        prop_assert_eq!(sorted(entries(&one)), sorted(entries(&other)));
    }

    /// What a finding of something that went names is what it went for: without those settings of the backup it is told
    /// no more.
    #[test]
    fn a_finding_names_its_cause(items in prop::collection::vec(item(), 1..7), boxes in prop::sample::subsequence(vec![1, 2, 3], 0..=3)) {
        let made = left(RULES, &boxes, &items, None);
        for finding in made.findings.iter().filter(|finding| finding.declared_code().is_some()) {
            let sites = finding.locator.iter().map(String::as_str).chain(finding.others.iter().filter_map(|site| site.locator.as_deref()));
            let blamed: Vec<usize> = sites
                .filter_map(|locator| locator.strip_prefix("list/item[#")?.split(']').next()?.parse().ok())
                .collect();
            prop_assert!(!blamed.is_empty(), "{finding:?}");
            let kept: Vec<String> = items.iter().zip(1..).filter(|(_, number)| !blamed.contains(number)).map(|(item, _)| item.clone()).collect();
            let without = left(RULES, &boxes, &kept, None);
            let of_code = |made: &Made| -> usize {
                let alike = made.findings.iter().filter(|other| other.declared_code() == finding.declared_code());
                alike.map(|other| other.count).sum()
            };
            prop_assert_eq!(of_code(&without), of_code(&made) - finding.count, "{:?}\n{:#?}", finding, without.findings);
        }
    }
}
