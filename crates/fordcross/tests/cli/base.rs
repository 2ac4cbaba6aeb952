//! Carrying into an export of the receiving unit.

use crate::desk::Desk;
use rstest::rstest;
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
fn each_setting_of_the_base_is_kept_met_or_reported() {
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
        let reported = replaced.iter().filter(line).count();
        let held = kept
            .iter()
            .filter(|row| landed(row)[0]["locator"].as_str().is_some_and(|at| same_place(at, path)));
        assert!(reported + held.count() <= 1, "{path}");
        assert!(reported == 1 || stays, "{path} is gone and nobody says so");
    }
    assert_eq!(replaced.len(), 10);
    assert_eq!(kept.len(), 9);
    assert!(
        ran.reported.contains("warning[base-grants-access]") && ran.reported.contains("accounts/first-visit"),
        "{}",
        ran.reported
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
    assert!(
        ran.reported.contains("error[base-unfit]") && ran.reported.contains("osier/16@2.1"),
        "{}",
        ran.reported
    );
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

/// A backup carried into itself: every text form is written as it was read, and so are the bundles of such files.
#[rstest]
#[case("wrackhaven/gw-wrackhaven.xml", "teasel/20@4.6", "xml")]
#[case("corrie-slip/gw-corrie.xml", "teasel/20@4.1", "xml")]
#[case("sandle-point/gw-sandle-1.xml", "teasel/40@4.6", "xml")]
#[case("corrie-slip/new-unit.osier.json", "osier/8@2.1", "json")]
#[case("corrie-ramps/ramps-2.1.pipkin", "pipkin@2.1", "conf")]
#[case("corrie-ramps/ramps-3.0.pipkin", "pipkin@3.0", "conf")]
#[case("wrackhaven-ramps/ramps-2.4.pipkin", "pipkin@2.4", "conf")]
#[case("new-store/store-new.zip", "bramley@2.0", "zip")]
#[case("office-store/store-office.zip", "bramley@2.2", "zip")]
#[case("quay-store/store-quay.tar.gz", "cobnut@4.3", "tar.gz")]
#[case("hall/hall-wrackhaven.zip", "tansy@1.4", "zip")]
fn a_backup_goes_into_itself_byte_for_byte(#[case] file: &str, #[case] to: &str, #[case] ending: &str) {
    let desk = Desk::new();
    let bytes = std::fs::read(format!("../../demo/{file}")).expect("a demo backup");
    desk.write(&format!("backup.{ending}"), &bytes);
    desk.run_to(0, &format!("carry backup.{ending} --to {to} --base backup.{ending} -o out"));
    let line = to.split(['/', '@']).next().unwrap_or_default();
    let result = std::fs::read(desk.path(&format!("out/backup.{line}.{ending}"))).expect("a result");
    assert!(result == bytes, "{file} is not what it was");
}

/// What a base is in, its result is in.
#[rstest]
#[case::with_a_mark(|text: &str| [b"\xEF\xBB\xBF", text.as_bytes()].concat())]
#[case::wide(|text: &str| "\u{FEFF}".chars().chain(text.chars()).flat_map(|c| (c as u16).to_le_bytes()).collect())]
#[case::declared(|text: &str| text.replace("UTF-8", "ISO-8859-1").chars().map(|c| c as u8).collect())]
fn a_base_stays_in_its_character_set(#[case] bytes: fn(&str) -> Vec<u8>) {
    let desk = Desk::new();
    let base = CORRIE.replace("<name>", "<name><!-- Pförtner -->");
    desk.write("base.xml", bytes(&base));
    desk.write("old.xml", CORRIE.replace("boat shed", "Gerätehaus"));
    desk.run_to(0, "carry old.xml --to teasel/20@4.1 --base base.xml -o out");
    let result = std::fs::read(desk.path("out/old.teasel.xml")).expect("a result");
    assert!(
        result == bytes(&base.replace("boat shed", "Gerätehaus")),
        "{}",
        String::from_utf8_lossy(&result)
    );
}

#[test]
fn a_base_that_lacks_a_character_is_reported() {
    let desk = Desk::new();
    let base: Vec<u8> = CORRIE.replace("UTF-8", "ISO-8859-1").chars().map(|c| c as u8).collect();
    desk.write("base.xml", &base);
    desk.write("old.xml", CORRIE.replace("boat shed", "шкаф"));
    let ran = desk.run_to(0, "carry old.xml --to teasel/20@4.1 --base base.xml -o out");
    assert!(ran.reported.contains("warning[value-unsupported]: windows-1252 has no `ш`"), "{}", ran.reported);
    assert_eq!(std::fs::read(desk.path("out/old.teasel.xml")).expect("a result"), base);
}

/// A new cluster's own files, with all that its package wrote into them, and the release said somewhere else.
#[test]
fn a_server_that_is_set_up_keeps_its_lines() {
    let desk = Desk::new();
    let files = [
        ("old/PG_VERSION", "15\n"),
        ("old/postgresql.conf", "port = 5433\nwork_mem = 16MB\nlog_line_prefix = '%m # %u'\n"),
        ("old/pg_hba.conf", "local all all peer\nhost all all 192.0.2.0/24 scram-sha-256\n"),
        (
            "new/postgresql.conf",
            "# - Connection -\n\nport = 5432\t\t\t# (change requires restart)\nmax_connections = 100 # as ever\n#work_mem = 4MB\n\
             include_dir 'conf.d'\n# Add settings for extensions here\n",
        ),
        ("new/conf.d/logs.conf", "# logs\nlog_line_prefix   'x'\n"),
        ("new/pg_hba.conf", "# TYPE  DATABASE  USER  METHOD\n\nlocal   all       all   peer\n"),
        ("new/pg_ident.conf", "# none\n"),
    ];
    files.iter().for_each(|(name, text)| desk.write(name, text));
    desk.run_to(0, "carry old --to postgresql@16 --base new -o out");
    let result = |name: &str| desk.read(&format!("out/old.postgresql/{name}"));
    assert_eq!(
        result("postgresql.conf"),
        "# - Connection -\n\nport = 5433\t\t\t# (change requires restart)\nmax_connections = 100 # as ever\n#work_mem = 4MB\n\
         include_dir 'conf.d'\n# Add settings for extensions here\n\nwork_mem = 16MB\n"
    );
    assert_eq!(result("conf.d/logs.conf"), "# logs\nlog_line_prefix   '%m # %u'\n");
    assert_eq!(
        result("pg_hba.conf"),
        "# TYPE  DATABASE  USER  METHOD\n\nlocal all all peer\nhost all all 192.0.2.0/24 scram-sha-256\n"
    );
    assert_eq!(result("pg_ident.conf"), "# none\n");
}
