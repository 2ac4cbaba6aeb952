//! What ends with status 0 is accepted by the receiving unit, or a person was told where it means something else: maps
//! that were edited, and what the stand-in says of the results.

use crate::desk::{Desk, stand_in};
use fordcross_core::finding::{Code, Severity};
use rstest::rstest;
use serde_json::Value;

/// Carries the demo backup by a map, and gives back what was told. With status 0 the unit must take the result.
#[track_caller]
fn carried(map: &str, status: i32) -> (Desk, String) {
    let desk = Desk::new();
    desk.write("edited.toml", map);
    let ran = desk.run_to(status, "carry gw.xml --to osier/8@2.1 --map edited.toml -o out");
    if status == 0 {
        let loaded = stand_in(&desk, "out/gw.osier.json");
        assert_eq!(loaded.status, 0, "{}{}", loaded.out, loaded.err);
    }
    (desk, ran.reported)
}

#[rstest]
// Collisions, and what is in use already.
#[case::one_of_two_addresses("[addresses]\n\"192.0.2.2\" = \"192.0.2.3\"", 3, "blocker[target-in-use]")]
#[case::a_network_in_use("[addresses]\n\"192.0.2.0/26\" = \"198.51.100.0/26\"", 3, "blocker[target-in-use]")]
// Another medium is told; the link of a pair has nothing else to go by.
#[case::fibre_on_copper("[ports]\nf1 = \"cu5\"", 0, "warning[port-misfit]")]
#[case::a_free_network("[addresses]\n\"192.0.2.0/26\" = \"198.51.100.192/26\"", 0, "")]
#[case::no_port_p1("[ports]\np1 = \"leave\"", 0, "note[port-left]")]
#[case::no_port_p2("[ports]\np2 = \"leave\"", 0, "note[port-left]")]
#[case::no_port_p3("[ports]\np3 = \"leave\"", 0, "note[port-left]")]
#[case::no_port_f1("[ports]\nf1 = \"leave\"", 0, "note[port-left]")]
#[case::no_service_port("[ports]\nsvc = \"leave\"", 0, "note[port-left]")]
#[case::what_fits_nothing("[addresses]\n\"10.0.0.0/8\" = \"10.0.0.0/8\"", 0, "[map-unused]")]
#[case::another_line("[map]\nfrom = \"thole/1@2\"", 1, "the map is for backups of `thole/1@2`")]
#[case::another_unit("[map]\nunit = \"gw-hall\"", 1, "`gw-hall`")]
#[case::two_of_one_name("[ports]\np2 = \"cu2\"\np3 = \"cu2\"", 1, "[port-twice]")]
fn an_edited_map(#[case] map: &str, #[case] status: i32, #[case] reported: &str) {
    let (_, err) = carried(map, status);
    assert!(err.contains(reported), "{reported}:\n{err}");
}

#[test]
fn renumbering_takes_along_what_is_derived() {
    let (desk, err) = carried("[addresses]\n\"192.0.2.0/26\" = \"198.51.100.192/26\"\n", 0);
    let result: Value = serde_json::from_str(&desk.read("out/gw.osier.json")).expect("JSON");
    let text = result.to_string();
    assert!(text.contains("\"198.51.100.192/26\"") && !text.contains("192.0.2.0/26"), "{err}");
    let rows = desk.ledger("out");
    let by_hand = rows.iter().filter(|row| row["fate"] == "by-hand" && row["section"] == "leases").count();
    assert_eq!(by_hand, 0, "fixed leases went along");
    let moved = rows.iter().find(|row| row["value"] == "192.0.2.1" && row["section"] == "addresses");
    assert_eq!(moved.expect("the address of a port")["fate"], "remapped");
}

/// With the route that leads out, or the last member, more goes than was asked for.
#[rstest]
#[case("p1", "osier/gateway-unreached", "connectivity-lost")]
fn what_a_left_port_carried_is_reported(#[case] port: &str, #[case] one: &str, #[case] other: &str) {
    let (_, err) = carried(&format!("[ports]\n{port} = \"leave\"\n"), 0);
    assert!(err.contains(one) || err.contains(other), "{err}");
}

#[test]
fn a_row_that_failed_says_why() {
    let desk = Desk::new();
    desk.carry("");
    let rows = desk.ledger("out");
    let reported =
        |row: &&Value| ["by-hand", "dropped", "left-out"].contains(&row["fate"].as_str().unwrap_or_default());
    let silent: Vec<&Value> = rows.iter().filter(reported).filter(|row| !row["why"].is_string()).collect();
    assert!(silent.is_empty(), "{silent:#?}");
}

#[rstest]
#[case("--answer foo=bar", "nothing asks `foo`")]
#[case("--severity osier/subnets-overlap=note", "a blocker cannot be lowered")]
#[case("--severity osier/no-such=note", "has no rule `no-such`")]
fn an_option_that_would_hide_something(#[case] option: &str, #[case] reported: &str) {
    let ran = Desk::new().run_to(2, &format!("carry gw.xml --to osier/8@2.1 -o out {option}"));
    assert!(ran.reported.contains(reported), "{}", ran.reported);
}

#[test]
fn no_blocker_is_lowered() {
    let desk = Desk::new();
    let blocking: Vec<&str> = Code::ALL
        .iter()
        .filter(|code| code.severity() == Severity::Blocker)
        .map(|code| code.name())
        .collect();
    assert!(blocking.len() > 20, "{blocking:?}");
    for code in blocking {
        for severity in ["warning", "note"] {
            let ran = desk.run(&format!("carry gw.xml --to osier/8@2.1 -o out --severity {code}={severity}"));
            assert!(
                ran.status == 2 && ran.reported.contains("cannot be lowered"),
                "{code}: {} {}",
                ran.status,
                ran.reported
            );
        }
    }
}

/// A rule that is wrong is passed with a reason, as long as it says the same.
#[test]
fn a_rule_that_is_wrong_is_passed_with_a_reason() {
    let (desk, err) = carried("[addresses]\n\"192.0.2.0/26\" = \"198.51.100.32/26\"\n", 1);
    assert!(err.contains("198.51.100.32/26"), "a network has no bits behind its prefix: {err}");
    let tunnel = "<tunnel name=\"loop\" on=\"yes\"><peer>203.0.113.9</peer><phrase>a phrase of length</phrase>\
                  <near>192.0.2.0/26</near><far>192.0.2.0/24</far></tunnel></tunnels>";
    desk.write("gw.xml", crate::desk::WRACKHAVEN.replacen("</tunnels>", tunnel, 1));
    let ran = desk.run_to(3, "carry gw.xml --to osier/8@2.1 -o out --json");
    let said: Value = serde_json::from_str(&ran.out).expect("JSON");
    let findings = said["findings"].as_array().expect("findings");
    let finding =
        findings.iter().find(|finding| finding["code"] == "osier/tunnel-onto-itself").expect("it blocks");
    let entry = |shows: &str| {
        format!(
            "[[accept]]\nfinding = {}\nshows = \"{shows}\"\nreason = \"a test of both ends\"\n",
            finding["id"]
        )
    };
    let shows = finding["shows"].as_str().expect("what it shows");
    desk.write("edited.toml", entry(shows));
    let ran = desk.run_to(0, "carry gw.xml --to osier/8@2.1 -o passed --map edited.toml");
    assert!(ran.reported.contains("accepted: a test of both ends"), "{}", ran.reported);
    assert!(desk.read("passed/receipt.json").contains("a test of both ends"));
    desk.run_to(4, "carry gw.xml --to osier/8@2.1 -o strict --strict --map edited.toml");
    desk.write("edited.toml", entry("00000000"));
    let ran = desk.run_to(3, "carry gw.xml --to osier/8@2.1 -o lapsed --map edited.toml");
    assert!(
        ran.reported.contains("` and has changed: check it again, and write `shows = \""),
        "{}",
        ran.reported
    );
}

#[test]
fn what_is_excepted_stays() {
    let map =
        "[addresses]\n\"192.0.2.0/26\" = { to = \"198.51.100.192/26\", except = [\"filter/rule/from\"] }\n";
    let (desk, _) = carried(map, 0);
    let rows = desk.ledger("out");
    let of = |end: &str| {
        let rows = rows.iter().filter(|row| row["locator"].as_str().is_some_and(|at| at.ends_with(end)));
        rows.filter(|row| row["value"].as_str().is_some_and(|value| value.starts_with("192.0.2.0/26")))
            .map(|row| row["fate"].as_str().unwrap_or_default().to_owned())
            .collect::<Vec<_>>()
    };
    assert!(of("/from").iter().all(|fate| fate != "remapped"), "{:?}", of("/from"));
}

#[test]
fn every_port_keeps_its_name_if_asked() {
    let desk = Desk::new();
    let quay = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/real/ifupdown/quay");
    let ran = desk.run_to(3, &format!("carry {quay} --to netplan@0.106 -o open"));
    assert!(ran.reported.contains("[port-open]"), "{}", ran.reported);
    desk.run_to(0, &format!("carry {quay} --to netplan@0.106 --same-names -o out"));
    let map: toml::Table = desk.read("out/map.toml").parse().expect("a map");
    let ports = map["ports"].as_table().expect("ports");
    assert!(!ports.is_empty() && ports.iter().all(|(old, new)| new.as_str() == Some(old)), "{ports:?}");
}

/// What the message advises is what works.
#[test]
fn a_name_that_is_too_long_gets_another_in_the_map() {
    let desk = Desk::new();
    let stanza =
        |name: &str, net: &str| format!("auto {name}\niface {name} inet static\n  address {net}.1/24\n");
    desk.write("interfaces", stanza("eth0", "192.0.2") + &stanza("eth0.1000", "198.51.100"));
    let ports = "[ports]\neth0 = \"enp123s0f0np0\"\n";
    desk.write("edited.toml", ports);
    let ran = desk.run_to(3, "carry interfaces --to netplan@0.106 --map edited.toml -o long");
    let advice = "\"eth0.1000\" = \"vlan1000\"";
    assert!(ran.reported.contains("[name-too-long]") && ran.reported.contains(advice), "{}", ran.reported);
    desk.write("edited.toml", format!("{ports}{advice}\n"));
    desk.run_to(0, "carry interfaces --to netplan@0.106 --map edited.toml -o out");
    let result = desk.read("out/interfaces.netplan.yaml");
    assert!(result.contains("    vlan1000:\n      id: 1000\n      link: enp123s0f0np0\n"), "{result}");
}

/// What the map says of a port, and what blocks because of it, count the same.
#[test]
fn a_port_has_as_many_settings_wherever_it_is_reported() {
    let desk = Desk::new();
    let quay = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/real/ifupdown/quay");
    desk.run_to(0, &format!("map {quay} --to netplan@0.106 -o open.toml"));
    let map = desk.read("open.toml");
    let ran = desk.run_to(3, &format!("carry {quay} --to netplan@0.106 --map open.toml -o out"));
    let ports = map.lines().skip_while(|line| *line != "[ports]").take_while(|line| !line.is_empty());
    let open = ports.filter(|line| line.contains(" = \"?\""));
    let reported: Vec<(&str, &str)> = open
        .map(|line| {
            let (port, rest) = line.split_once(" = ").expect("an entry");
            (port, rest.rsplit("; ").next().expect("a count"))
        })
        .collect();
    assert!(reported.len() > 5, "{map}");
    for (port, settings) in reported {
        let said = format!("port `{port}` ({settings}) is not mapped");
        assert!(ran.reported.contains(&said), "{said}\n{}", ran.reported);
    }
}

/// A unit that worked has no backup that breaks a rule of its own line; where one does, the profile is wrong.
#[test]
fn no_backup_of_ours_is_unsound() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR"));
    let folders =
        ["tests/real/ifupdown", "tests/real/postgresql", "../../demo/wrackhaven", "../../demo/corrie-slip"];
    let below = |folder: &str| std::fs::read_dir(root.join(folder)).expect("a folder").flatten();
    let backups = folders.into_iter().flat_map(below).map(|entry| entry.path());
    let is_backup = |path: &std::path::PathBuf| {
        let name = path.file_name().expect("a name").to_string_lossy();
        path.parent().is_some_and(|above| above.starts_with(root.join("tests")))
            || name.starts_with("gw-")
            || name.starts_with("new-")
    };
    let mut surveyed = 0;
    for backup in backups.filter(is_backup) {
        let ran = Desk::new().run_to(0, &format!("survey {}", backup.display()));
        assert!(!ran.reported.contains("backup-unsound"), "{}: {}", backup.display(), ran.reported);
        surveyed += 1;
    }
    assert!(surveyed >= 8, "{surveyed}");
}
