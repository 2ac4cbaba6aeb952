//! Several crossings in a row, profiles and crossings of a person's own.

use crate::desk::{Desk, stand_in};
use rstest::rstest;
use serde_json::Value;

const CORRIE: &str = include_str!("../../../../demo/corrie-slip/gw-corrie.xml");

/// An export of an Osier 8 on 2.0.
pub(crate) const EXPORT_2_0: &str = r#"{"osier-export": {"release": "2.0", "model": "8"}, "system": {"hostname": "gw", "timeout": 15},
            "interfaces": {"cu1": {"enabled": true, "zone": "inside", "duplex": "auto", "addresses": ["192.0.2.1/24"]}},
            "subnets": {"s1": {"network": "192.0.2.0/24", "interface": "cu1"}},
            "leases": {"fixed": {"00:00:5e:00:53:01": {"address": "192.0.2.9", "net": "s1"}}},
            "filter": {"default": "refuse", "list": [{"action": "permit", "interface": "cu1", "source": "192.0.2.0/24", "destination": "198.51.100.0/24",
            "protocol": "tcp", "port": 443, "log": true, "comment": "office"}]},
            "vpn": {"tunnels": {"to-sandle": {"enabled": true, "remote": "203.0.113.9", "shared-secret": "twelve letters",
                    "local-network": "192.0.2.0/24", "remote-network": "198.51.100.0/24"}}}}"#;

fn corrie() -> Desk {
    let desk = Desk::new();
    desk.write("corrie.xml", CORRIE);
    desk
}

#[test]
fn a_backup_from_4_1_goes_through_all_crossings() {
    let desk = corrie();
    desk.run_to(0, "carry corrie.xml --to osier/8@2.1 -o out");
    assert_eq!(stand_in(&desk, "out/corrie.osier.json").status, 0);
    let rows = desk.ledger("out");
    let row = |locator: &str| rows.iter().find(|row| row["locator"] == locator).expect("a row");
    let logout = row("unit/logout-minutes");
    let steps: Vec<String> = logout["steps"]
        .as_array()
        .expect("steps")
        .iter()
        .map(|step| format!("{} {} {}", step["to"], step["fate"], step["locators"][0]))
        .collect();
    assert_eq!(
        steps,
        [
            r#""teasel@4.2" "recast" "unit/idle-logout""#,
            r#""teasel@4.6" "carried" "unit/idle-logout""#,
            r#""osier@2.1" "recast" "system/session-minutes""#,
        ]
    );
    assert_eq!(logout["landings"][0]["value"], 20);
    assert_eq!(row("unit/dial-in")["fate"], "dropped");
    assert!(rows.iter().all(|row| row["fate"] != "unmatched"));
    // The old defaults hold where a setting was not given, and are written out.
    let pinned: Vec<&Value> =
        rows.iter().filter(|row| row["origin"] == "pinned").map(|row| &row["landings"][0]).collect();
    assert_eq!(pinned.len(), 2);
    assert_eq!((&pinned[0]["locator"], &pinned[0]["value"]), (&"interfaces/cu1/mtu".into(), &1492.into()));
    assert_eq!(
        (&pinned[1]["locator"], &pinned[1]["value"]),
        (&"vpn/tunnels/to-sandle/renew-minutes".into(), &60.into())
    );
}

#[test]
fn a_release_can_be_changed_within_a_line_and_the_result_carried_on() {
    let desk = corrie();
    desk.run_to(0, "carry corrie.xml --to teasel/20@4.6 -o renewed");
    let renewed = desk.read("renewed/corrie.teasel.xml");
    assert!(renewed.contains("firmware=\"4.6\"") && renewed.contains("<range at=\"p2.30\">"), "{renewed}");
    // Two ways to the same place give the same configuration.
    desk.run_to(0, "carry renewed/corrie.teasel.xml --to osier/8@2.1 -o two-steps");
    desk.run_to(0, "carry corrie.xml --to osier/8@2.1 -o at-once");
    let result = |folder: &str, file: &str| -> Value {
        serde_json::from_str(&desk.read(&format!("{folder}/{file}"))).expect("JSON")
    };
    assert_eq!(result("two-steps", "corrie.teasel.osier.json"), result("at-once", "corrie.osier.json"));
}

#[test]
fn only_the_model_changes_within_one_release() {
    let desk = Desk::new();
    desk.run_to(0, "carry gw.xml --to teasel/40@4.6 -o out");
    let rows = desk.ledger("out");
    let changed: Vec<_> =
        rows.iter().filter(|row| row["fate"] != "carried" && row["kind"] == "setting").collect();
    let places: Vec<_> = changed.iter().map(|row| row["locator"].as_str().unwrap_or_default()).collect();
    assert_eq!(places, ["firmware", "model", "unit/tide-offset"], "all else stands in both");
    let result = desk.read("out/gw.teasel.xml");
    assert!(result.contains("model=\"40\""), "{result}");
}

#[test]
fn an_osier_export_goes_from_2_0_to_2_1() {
    let desk = Desk::new();
    desk.write("old.json", EXPORT_2_0);
    desk.run_to(0, "carry old.json --to osier/8@2.1 -o out");
    let taken = stand_in(&desk, "out/old.osier.json");
    assert_eq!(taken.status, 0, "{}", taken.err);
    let result: Value = serde_json::from_str(&desk.read("out/old.osier.json")).expect("JSON");
    assert_eq!(result["system"]["session-minutes"], 15);
    assert_eq!(result["leases"]["fixed"]["00:00:5e:00:53:01"]["subnet"], "s1");
    let rule = &result["filter"]["rules"][0];
    assert_eq!((&rule["action"], &rule["port"], &rule["log"]), (&"permit".into(), &443.into(), &true.into()));
    assert_eq!(result["vpn"]["tunnels"]["to-sandle"]["renew-minutes"], 60, "the old default is pinned");
    let fates: Vec<_> = desk.ledger("out").iter().filter(|row| row["fate"] == "unmatched").cloned().collect();
    assert!(fates.is_empty(), "{fates:?}");
}

#[test]
fn a_rule_that_was_never_applied_does_not_come_to_life() {
    let desk = Desk::new();
    let rule = "<rule do=\"allow\"><service>tcp/22</service></rule><rule do=\"deny\" at=\"p1\" off=\"yes\"/></filter>";
    desk.write("gw.xml", crate::desk::WRACKHAVEN.replace("</filter>", rule));
    desk.carry("");
    let result: Value = serde_json::from_str(&desk.read("out/gw.osier.json")).expect("JSON");
    let rules = result["filter"]["rules"].as_array().expect("rules");
    assert_eq!(rules.len(), 62);
    assert_eq!((&rules[60]["enabled"], &rules[60]["interface"]), (&false.into(), &Value::Null));
    assert_eq!((&rules[61]["enabled"], &rules[61]["interface"]), (&false.into(), &"cu1".into()));
}

#[test]
fn reach_tells_the_course_and_what_is_closed() {
    let desk = corrie();
    let ran = desk.run_to(0, "reach corrie.xml --to osier/8@2.1");
    for reported in ["1. teasel@4.1 to teasel@4.2", "3. teasel@4.6 to osier@2.1", "osier@2.0: closed; "] {
        assert!(ran.out.contains(reported), "{}", ran.out);
    }
}

/// What goes by settings of the unit elsewhere is told of where these change, and only there.
#[rstest]
#[case("28800", false)]
#[case("100", true)]
fn who_goes_by_what_changed_is_reported(#[case] rekey: &str, #[case] is_reported: bool) {
    let desk = Desk::new();
    desk.write("gw.xml", crate::desk::WRACKHAVEN.replace("<rekey>28800", &format!("<rekey>{rekey}")));
    let ran = desk.carry("");
    let reported = "after: the other end of a tunnel (1 setting that it uses changed): set the same there";
    assert_eq!(ran.out.contains(reported), is_reported, "{}", ran.out);
    assert!(ran.out.contains("during: each tunnel is down"), "{}", ran.out);
}

#[test]
fn all_that_ships_is_in_order_and_says_what_it_does() {
    let desk = Desk::new();
    let ran = desk.run_to(0, "profile check");
    for reported in [
        "no problems found",
        "secret   users/user/hash",
        "adds     filter/rules[]/enabled",
        "drops    foghorn/**",
    ] {
        assert!(ran.out.contains(reported), "{}", ran.out);
    }
}

#[test]
fn the_severity_of_a_code_can_be_changed() {
    let desk = Desk::new();
    let ran = desk.run_to(3, "carry gw.xml --to osier/8@2.1 -o out --severity no-rule=blocker");
    assert!(ran.reported.contains("blocker[no-rule]"), "{}", ran.reported);
    assert!(!desk.path("out/gw.osier.json").exists());
    let ran = desk.run_to(2, "carry gw.xml --to osier/8@2.1 -o out --severity no-rul=note");
    assert!(ran.reported.contains("did you mean `no-rule`?"), "{}", ran.reported);
}

/// Also of what a rule of the receiving platform finds.
#[test]
fn what_blocks_at_the_very_end_leaves_no_configuration() {
    let desk = Desk::new();
    let crossings = fordcross_profiles::CROSSINGS.iter();
    let shipped = crossings.map(|crossing| crossing.text).find(|text| text.contains("{ip -> subnet}"));
    let broken = shipped.expect("it ships").replace("subnet = {ip -> subnet}", "subnet = s99");
    desk.write("own/broken.crossing.toml", broken);
    for (severity, exit) in [("warning", 0), ("blocker", 3)] {
        let line = format!(
            "carry gw.xml --to osier/8@2.1 -o {severity} --profiles own --severity osier/names-nothing={severity}"
        );
        let ran = desk.run_to(exit, &line);
        assert!(ran.reported.contains(&format!("{severity}[osier/names-nothing]")), "{}", ran.reported);
        assert_eq!(desk.path(&format!("{severity}/gw.osier.json")).exists(), exit == 0);
        assert!(desk.path(&format!("{severity}/ledger.jsonl")).exists());
    }
}

/// A comment goes where the setting or object went that it is at, or stays with what is dropped.
#[rstest]
#[case::before_an_element("<logout-minutes>", "<!-- c -->", "<!-- c -->\n    <idle-logout>")]
#[case::behind_one_on_its_line("<mtu>1500", "", "<!-- c -->\n      <mtu>1500")]
#[case::before_an_object("<link id=\"p2\"", "<!-- c -->", "<!-- c -->\n    <link id=\"p2\"")]
#[case::before_a_section("<bookings>", "<!-- c -->", "<!-- c -->\n  <leases>")]
#[case::at_the_end_of_one("</filter>", "<!-- c -->", "<!-- c -->\n  </filter>")]
#[case::before_what_is_dropped("<dial-in>", "<!-- c -->", "")]
fn comments_stay_at_their_settings(#[case] at: &str, #[case] before: &str, #[case] expected: &str) {
    let desk = Desk::new();
    let start = CORRIE.find(at).unwrap_or_else(|| panic!("{at}"));
    let with = if before.is_empty() {
        let end = start + CORRIE[start..].find('\n').expect("a line end");
        format!("{} <!-- c -->{}", &CORRIE[..end], &CORRIE[end..])
    } else {
        format!("{}{before}\n{}", &CORRIE[..start], &CORRIE[start..])
    };
    desk.write("corrie.xml", with);
    let ran = desk.run_to(0, "carry corrie.xml --to teasel/20@4.6 -o out");
    let made = desk.read("out/corrie.teasel.xml");
    let reported = if expected.is_empty() { "1 comment copied, 1 not" } else { "2 comments copied." };
    assert!(ran.out.contains(reported), "{}", ran.out);
    assert!(made.contains(expected) && made.contains("<!-- c -->") != expected.is_empty(), "{made}");
}
