//! Maps that a person edited.

use crate::desk::Desk;
use serde_json::Value;

const MAP: &str = "map gw.xml --to osier/8@2.1 -o map.toml";

/// The row without what a landing's place says: two carries are compared by it.
fn outcome(row: &Value) -> String {
    format!("{} {} {}", row["fate"], row["value"], row["landings"])
}

#[test]
fn one_port_changes_exactly_the_settings_that_name_it() {
    let desk = Desk::new();
    desk.run_to(0, MAP);
    desk.carry("--map map.toml");
    desk.write("map.toml", desk.read("map.toml").replacen("p3 = \"cu3\"", "p3 = \"cu6\"", 1));
    desk.run_to(0, "carry gw.xml --to osier/8@2.1 --map map.toml -o other");
    let (before, after) = (desk.ledger("out"), desk.ledger("other"));
    assert_eq!(before.len(), after.len());
    let mut changed = 0;
    for (old, new) in before.iter().zip(&after) {
        let names_it = old["value"] == "p3" && old["type"] == "interface";
        if names_it {
            changed += 1;
            assert_ne!(outcome(old), outcome(new), "{old}");
            assert!(new["landings"].to_string().contains("cu6"), "{new}");
        } else if !old["landings"].to_string().contains("interfaces/cu3/")
            && old["locator"] != "links/link[p3]"
        {
            assert_eq!(outcome(old), outcome(new));
        }
    }
    assert_eq!(changed, 14, "one link, one address, twelve filter rules");
    let swap = |text: String| text.replace("cu6", "cu3");
    assert_eq!(desk.read("out/gw.osier.json"), swap(desk.read("other/gw.osier.json")));
}

#[test]
fn two_ports_are_swapped() {
    let desk = Desk::new();
    desk.run_to(0, MAP);
    let map = desk.read("map.toml").replacen("p2 = \"cu2\"", "p2 = \"cu3\"", 1).replacen(
        "p3 = \"cu3\"",
        "p3 = \"cu2\"",
        1,
    );
    desk.write("map.toml", map);
    desk.carry("--map map.toml");
    let result: Value = serde_json::from_str(&desk.read("out/gw.osier.json")).expect("JSON");
    assert_eq!(result["interfaces"]["cu3"]["description"], "ticket hall");
    assert_eq!(result["interfaces"]["cu2"]["description"], "crane and winch");
    assert_eq!(result["interfaces"]["cu3:30"]["description"], "crew", "a VLAN follows its port");
}

#[test]
fn what_a_person_wrote_is_kept_when_the_map_is_proposed_again() {
    let desk = Desk::new();
    desk.run_to(0, MAP);
    let map = desk.read("map.toml").replacen("p1 = \"cu1\"", "# the long cable\np1 = \"cu3\"", 1);
    desk.write("map.toml", map);
    let ran = desk.run_to(0, MAP);
    let again = desk.read("map.toml");
    assert!(again.contains("# the long cable\np1 = \"cu3\""), "{again}");
    assert!(!again.contains("p3 = \"cu3\""), "the port is not given a second time: {again}");
    assert!(ran.out.contains("from the map file"), "{}", ran.out);
    desk.carry("--map map.toml");
}

#[test]
fn a_port_that_is_left_takes_its_settings_with_it() {
    let desk = Desk::new();
    desk.run_to(0, MAP);
    desk.write("map.toml", desk.read("map.toml").replacen("p2 = \"cu2\"", "p2 = \"leave\"", 1));
    let ran = desk.carry("--map map.toml");
    assert!(ran.reported.contains("note[port-left]: the map leaves out the port `p2`"), "{}", ran.reported);
    let rows = desk.ledger("out");
    let left: Vec<_> = rows.iter().filter(|row| row["fate"] == "left-out").collect();
    assert!(left.iter().any(|row| row["locator"] == "links/link[p2.30]/note"), "VLANs on it go too");
    for row in &left {
        assert_eq!(row["why"], "the map leaves out the port p2");
        assert!(row["rule"].as_str().expect("a rule").starts_with("map.toml:"));
    }
    let result = desk.read("out/gw.osier.json");
    assert!(!result.contains("cu2") && !result.contains("\"p2\""));
}

#[test]
fn an_open_port_blocks_and_nothing_to_import_is_written() {
    let desk = Desk::new();
    desk.run_to(0, MAP);
    desk.write(
        "map.toml",
        desk.read("map.toml")
            .replacen("f1 = \"fx1\"", "f1 = \"?\"", 1)
            .replacen("p3 = \"cu3\"", "p3 = \"fx1\"", 1)
            .replacen("p2 = \"cu2\"", "p2 = \"fx2\"", 1),
    );
    let ran = desk.run_to(3, "carry gw.xml --to osier/8@2.1 --map map.toml -o out");
    assert!(
        ran.reported.contains("blocker[port-open]: port `f1` (4 settings) is not mapped"),
        "{}",
        ran.reported
    );
    assert!(ran.reported.contains("gw.xml:"), "{}", ran.reported);
    assert_eq!(crate::desk::names_in(&desk.path("out")), ["ledger.jsonl", "map.toml", "receipt.json"]);
    let receipt: Value = serde_json::from_str(&desk.read("out/receipt.json")).expect("JSON");
    assert_eq!(receipt["decided"]["blocked"], true);
}

/// Even where a port would fit: what a person wrote is not proposed away.
#[test]
fn a_question_mark_blocks() {
    let desk = Desk::new();
    desk.run_to(0, MAP);
    desk.write("map.toml", desk.read("map.toml").replacen("p2 = \"cu2\"", "p2 = \"?\"", 1));
    let ran = desk.run_to(3, "carry gw.xml --to osier/8@2.1 --map map.toml -o out");
    assert!(
        ran.reported.contains("port `p2` (149 settings) is not mapped: left open in the map file"),
        "{}",
        ran.reported
    );
    desk.run_to(0, MAP);
    assert!(desk.read("map.toml").contains("p2 = \"?\""), "and it stays when the map is proposed again");
}
