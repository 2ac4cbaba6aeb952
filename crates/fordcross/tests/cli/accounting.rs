//! Every setting has exactly one fate. The settings are counted by a reader that is not ours.

use crate::desk::{Desk, WRACKHAVEN, stand_in};
use serde_json::Value;
use std::collections::HashSet;

/// Each attribute, each element without child elements, and each other element with text of its own.
fn settings_in(xml: &str) -> usize {
    let document = roxmltree::Document::parse(xml).expect("well-formed");
    let elements = document.descendants().filter(roxmltree::Node::is_element);
    elements
        .map(|element| {
            let leaf = !element.children().any(|child| child.is_element());
            let own_text = element
                .children()
                .any(|child| child.is_text() && !child.text().unwrap_or("").trim().is_empty());
            element.attributes().len() + usize::from(leaf || own_text)
        })
        .sum()
}

fn of_kind<'r>(rows: &'r [Value], kind: &str) -> Vec<&'r Value> {
    rows.iter().filter(|row| row["kind"] == kind).collect()
}

#[test]
fn each_setting_has_one_row_with_one_fate() {
    let desk = Desk::new();
    desk.carry("");
    let rows = desk.ledger("out");
    let settings = of_kind(&rows, "setting");
    assert_eq!(settings.len(), settings_in(WRACKHAVEN));
    let places: HashSet<_> = settings
        .iter()
        .map(|row| (row["line"].as_u64(), row["column"].as_u64(), row["locator"].as_str()))
        .collect();
    assert_eq!(places.len(), settings.len(), "no two rows speak of the same place");
    for row in rows.iter().filter(|row| row["kind"] != "origin") {
        let fate = row["fate"].as_str().expect("a fate");
        let worst =
            row["landings"].as_array().expect("landings").iter().map(|landing| rank(&landing["fate"])).max();
        if let Some(worst) = worst {
            assert_eq!(rank(&row["fate"]), worst, "{row}");
        } else {
            assert!(["moot", "dropped", "by-hand", "unmatched"].contains(&fate), "{row}");
        }
    }
}

fn rank(fate: &Value) -> usize {
    let fates = fordcross_core::fate::Fate::ALL;
    fates.iter().position(|known| Some(known.word()) == fate.as_str()).expect("a fate")
}

#[test]
fn each_setting_of_the_result_is_accounted_for() {
    let desk = Desk::new();
    desk.carry("");
    let rows = desk.ledger("out");
    let landed: HashSet<&str> = rows
        .iter()
        .flat_map(|row| row["landings"].as_array().expect("landings"))
        .filter_map(|landing| landing["locator"].as_str())
        .collect();
    let result: Value = serde_json::from_str(&desk.read("out/gw.osier.json")).expect("JSON");
    let mut leaves = Vec::new();
    gather(&result, String::new(), &mut leaves);
    assert!(leaves.len() > 300);
    for leaf in leaves {
        assert!(landed.contains(leaf.as_str()), "{leaf} stands in the result and not in the ledger");
    }
}

/// The locators of all leaves, in the plainest way.
fn gather(value: &Value, path: String, leaves: &mut Vec<String>) {
    match value {
        Value::Object(members) => {
            for (name, member) in members {
                let step = if path.is_empty() { name.clone() } else { format!("{path}/{name}") };
                gather(member, step, leaves);
            }
        }
        Value::Array(values) => {
            for (index, value) in values.iter().enumerate() {
                gather(value, format!("{path}[#{}]", index + 1), leaves);
            }
        }
        _ => leaves.push(path),
    }
}

#[test]
fn the_unknown_setting_is_said_to_be_unmatched() {
    let desk = Desk::new();
    let ran = desk.carry("");
    let rows = desk.ledger("out");
    let unmatched: Vec<_> = rows.iter().filter(|row| row["fate"] == "unmatched").collect();
    assert_eq!(unmatched.len(), 1);
    assert_eq!(unmatched[0]["locator"], "unit/tide-offset");
    assert_eq!(unmatched[0]["findings"][0], "no-rule");
    assert!(ran.reported.contains("gw.xml:17:5  unit/tide-offset"), "{}", ran.reported);
}

#[test]
fn a_person_is_needed_under_strict() {
    let desk = Desk::new();
    desk.run_to(4, "carry gw.xml --to osier/8@2.1 -o out --strict");
}

#[test]
fn the_stand_in_takes_the_result_and_refuses_a_wrong_one() {
    let desk = Desk::new();
    desk.carry("");
    let taken = stand_in(&desk, "out/gw.osier.json");
    assert_eq!(taken.status, 0, "{}", taken.err);
    assert!(taken.out.contains("filter rules 60"), "{}", taken.out);
    desk.write("wrong.json", desk.read("out/gw.osier.json").replace("\"cu2:30\": {", "\"cu9:30\": {"));
    let refused = stand_in(&desk, "wrong.json");
    assert_eq!(refused.status, 3);
    assert!(refused.reported.contains("no port `cu9`"), "{}", refused.err);
}
