//! Carrying into an export of the receiving unit.

use crate::desk::Desk;
use serde_json::Value;

const CORRIE: &str = include_str!("../../../../demo/corrie-slip/gw-corrie.xml");
const BASE: &str = include_str!("../../../../demo/corrie-slip/new-unit.osier.json");

fn desk() -> Desk {
    let desk = Desk::new();
    desk.write("corrie.xml", CORRIE);
    desk.write("base.json", BASE);
    desk
}

#[test]
fn each_setting_of_the_base_is_kept_met_or_told() {
    let desk = desk();
    let ran = desk.run_to(0, "carry corrie.xml --to osier/8@2.1 --base base.json -o out");
    let rows = desk.ledger("out");
    let landed = |row: &Value| row["landings"].as_array().cloned().unwrap_or_default();
    let of = |field: &str, word: &str| rows.iter().filter(|row| row[field] == word).collect::<Vec<_>>();
    // Every leaf of the base, counted by another reader: it stays, is another now, or was set to the same.
    let base: Value = serde_json::from_str(BASE).expect("JSON");
    let kept = of("origin", "base");
    let replaced = of("kind", "base");
    let result: Value = serde_json::from_str(&desk.read("out/corrie.osier.json")).expect("JSON");
    let leaves = leaves(&base, "");
    for (path, value) in &leaves {
        let stays = result.pointer(path) == Some(value);
        let line = |row: &&&Value| row["locator"].as_str().is_some_and(|locator| same_place(locator, path));
        let told = replaced.iter().filter(line).count();
        let held = kept
            .iter()
            .filter(|row| landed(row)[0]["locator"].as_str().is_some_and(|at| same_place(at, path)));
        assert!(told + held.count() <= 1, "{path}");
        assert!(told == 1 || stays, "{path} is gone and nobody says so");
    }
    assert_eq!(replaced.len(), 10);
    assert_eq!(kept.len(), 9);
    assert!(
        ran.err.contains("warning[base-admits]") && ran.err.contains("accounts/first-visit"),
        "{}",
        ran.err
    );
    assert!(!desk.read("out/ledger.jsonl").contains("$6$shipped"), "a secret of the base");
    let receipt: Value = serde_json::from_str(&desk.read("out/receipt.json")).expect("JSON");
    let roles: Vec<&Value> =
        receipt["inputs"].as_array().expect("inputs").iter().map(|input| &input["role"]).collect();
    assert!(roles.contains(&&Value::from("base")));
}

/// Every leaf with its JSON pointer.
fn leaves(value: &Value, path: &str) -> Vec<(String, Value)> {
    match value {
        Value::Object(members) => {
            members.iter().flat_map(|(name, below)| leaves(below, &format!("{path}/{name}"))).collect()
        }
        Value::Array(entries) => entries
            .iter()
            .enumerate()
            .flat_map(|(at, below)| leaves(below, &format!("{path}/{at}")))
            .collect(),
        leaf => vec![(path.to_owned(), leaf.clone())],
    }
}

/// Whether a locator (`rules[#1]/action`) and a pointer (`/rules/0/action`) are one place.
fn same_place(locator: &str, pointer: &str) -> bool {
    let mut steps = Vec::new();
    for step in locator.split('/') {
        match step.strip_suffix(']').and_then(|step| step.split_once("[#")) {
            Some((name, nth)) => {
                steps.push(name.to_owned());
                steps.push((nth.parse::<usize>().expect("a number") - 1).to_string());
            }
            None => steps.push(step.trim_matches('"').to_owned()),
        }
    }
    pointer == format!("/{}", steps.join("/"))
}

#[test]
fn a_base_of_another_unit_is_refused() {
    let desk = desk();
    desk.write("other.json", BASE.replace("\"model\": \"8\"", "\"model\": \"16\""));
    let ran = desk.run_to(1, "carry corrie.xml --to osier/8@2.1 --base other.json -o out");
    assert!(ran.err.contains("blocker[base-unfit]") && ran.err.contains("osier/16@2.1"), "{}", ran.err);
    assert!(!desk.path("out").exists());
}

/// What is in the base already is carried again without a byte's change.
#[test]
fn a_result_is_a_base_that_stays_as_it_is() {
    let desk = desk();
    desk.run_to(0, "carry corrie.xml --to osier/8@2.1 --base base.json -o once");
    desk.run_to(0, "carry corrie.xml --to osier/8@2.1 --base once/corrie.osier.json -o twice");
    assert_eq!(desk.read("once/corrie.osier.json"), desk.read("twice/corrie.osier.json"));
}

/// An old default that is the new one too must be written where the base says otherwise.
#[test]
fn an_old_default_is_pinned_over_what_the_base_says() {
    let desk = desk();
    // The old unit does not give the MTU of p2; both lines take 1500.
    let base = BASE.replace("\"cu1\": {", "\"cu2\": {\"mtu\": 1400}, \"cu1\": {");
    desk.write("base.json", &base);
    let old = CORRIE.replace("<mtu>1500</mtu>", "");
    desk.write("corrie.xml", &old);
    desk.run_to(0, "carry corrie.xml --to osier/8@2.1 --base base.json -o out");
    let rows = desk.ledger("out");
    let pinned = rows
        .iter()
        .any(|row| row["origin"] == "pinned" && row["landings"][0]["locator"] == "interfaces/cu2/mtu");
    let result: Value = serde_json::from_str(&desk.read("out/corrie.osier.json")).expect("JSON");
    assert_ne!(result.pointer("/interfaces/cu2/mtu"), Some(&Value::from(1400)));
    assert!(pinned);
}
