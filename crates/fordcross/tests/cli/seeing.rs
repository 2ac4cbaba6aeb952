//! What shows what happened: everything as it was read, why a setting is what it is, results that are kept.

use crate::desk::Desk;
use rstest::rstest;
use serde_json::Value;

const HOST: &str = "auto eth0\niface eth0 inet static\n  address 192.0.2.1/24\n";

#[rstest]
#[case("survey --tree gw.xml", &["    11  unit/panel-code", "(secret)", "unit/tide-offset", "not declared"])]
#[case("survey --tree host", &["by the statement", "iface {name} {family=inet|inet6} {method} {beyond...}?",
    "     3  interfaces/iface/eth0/inet[#1]/address[#1]  192.0.2.1/24"])]
#[case("survey --tree relay --profiles own", &["1 line that no statement of the profile fits:", "    2: bogus here"])]
fn everything_is_shown_as_it_was_read(#[case] line: &str, #[case] expected: &[&str]) {
    let desk = desk();
    let printed = desk.run_to(0, line).out;
    for part in expected {
        assert!(printed.contains(part), "{part}\n{printed}");
    }
    let listed: Value = serde_json::from_str(&desk.run_to(0, &format!("{line} --json")).out).expect("JSON");
    let tree = listed["results"][0]["tree"].as_array().expect("a tree");
    assert!(
        tree.len() > 1 && tree.iter().all(|one| one["secret"] == false || one["value"].is_null()),
        "{listed}"
    );
}

#[rstest]
#[case("links/link[p1]/mtu", &["value 1500 (integer)", "same    = [\"mtu\"]", "→ interfaces/cu1/mtu = 1500"])]
#[case("interfaces/cu1/zone", &["which was outer", "zone = {s -> outer=outside"])]
#[case("addresses/address[#1]/at", &["move = [[", "the map: [ports] \"p1\" = \"cu1\""])]
#[case("foghorn/*", &["because Osier gateways have no relay", "→ nowhere in the result"])]
fn a_setting_says_why_it_is_what_it_is(#[case] locator: &str, #[case] expected: &[&str]) {
    let desk = desk();
    desk.run("carry gw.xml --to osier/8@2.1 -o out");
    let printed = desk.run_to(0, &format!("ledger out --why {locator}")).out;
    for part in expected {
        assert!(printed.contains(part), "{part}\n{printed}");
    }
    let first = desk.run_to(0, &format!("ledger out --why {locator} --json")).out;
    let first: Value = serde_json::from_str(first.lines().next().expect("a line")).expect("JSON");
    assert!(!first["rules"][0]["text"].as_str().expect("a text").is_empty(), "{first}");
}

#[test]
fn a_setting_that_is_not_there_is_refused() {
    let desk = desk();
    desk.run("carry gw.xml --to osier/8@2.1 -o out");
    let refused = desk.run_to(2, "ledger out --why links/link/mut").reported;
    assert!(refused.contains("no row has an old or a new locator like `links/link/mut`"), "{refused}");
}

#[test]
fn a_trial_keeps_its_results_where_that_is_asked() {
    let desk = desk();
    let printed = desk.run_to(0, "profile try gw.xml gw.xml --to osier/8@2.1 --keep kept").out;
    assert!(printed.contains("the results are in kept"), "{printed}");
    for number in [1, 2] {
        assert!(desk.read(&format!("kept/{number}/gw.osier.json")).contains("osier-export"));
    }
    let refused = desk.run("profile try gw.xml --to osier/8@2.1 --keep kept").reported;
    assert!(refused.contains("the folder `kept` is not empty"), "{refused}");
}

/// A person's own profiles come before shipped ones, those of a folder that is named before all; the receipt says which.
#[test]
fn own_profiles_are_in_the_configuration_folder() {
    let desk = Desk::new();
    let own = include_str!("../../../fordcross-profiles/platforms/teasel/teasel.profile.toml");
    let titled = |title: &str| own.replace("\"Teasel gateway\"", &format!("\"{title}\""));
    desk.write("configuration/fordcross/profiles/teasel.profile.toml", titled("Our gateway"));
    assert!(desk.run_to(0, "profile list").out.contains("Our gateway"));
    desk.write("named/teasel.profile.toml", titled("Named gateway"));
    assert!(desk.run_to(0, "profile list --profiles named").out.contains("Named gateway"));
    desk.run("carry gw.xml --to osier/8@2.1 -o out");
    let receipt: Value = serde_json::from_str(&desk.read("out/receipt.json")).expect("JSON");
    let inputs = receipt["inputs"].as_array().expect("inputs");
    let origins: Vec<&str> = inputs.iter().filter_map(|input| input["origin"].as_str()).collect();
    assert_eq!(origins, ["own", "shipped", "shipped"], "{receipt}");
}

fn desk() -> Desk {
    let desk = Desk::new();
    desk.write("host/interfaces", HOST);
    desk.write("relay", "gate a;\nbogus here;\n");
    desk.write(
        "own/relay.profile.toml",
        "language = 2\n[profile]\nplatform = \"relay\"\ntitle = \"Relay\"\nformat = \"statements\"\nreleases = [\"1\"]\n\
         [detect]\ncontains = \"gate\"\nask-release = true\n[grammar]\nend = \";\"\n[block.top]\n\
         statements = [[\"gate {value}\", \"gate\"]]\n[setting]\n\"gate\" = \"text\"\n",
    );
    desk
}
