//! The values of secrets appear in the converted file and nowhere else.

use crate::desk::{Desk, WRACKHAVEN, names_in};
use rstest::rstest;

/// The secrets of the demo backup, and the untyped value that could be one.
fn secrets() -> Vec<String> {
    let document = roxmltree::Document::parse(WRACKHAVEN).expect("well-formed");
    let of = |names: &[&str]| -> Vec<String> {
        document
            .descendants()
            .filter(|node| names.contains(&node.tag_name().name()))
            .map(|node| node.text().expect("text").trim().to_owned())
            .collect()
    };
    of(&["hash", "phrase", "key"])
}

#[rstest]
#[case("survey gw.xml")]
#[case("survey gw.xml --json")]
#[case("map gw.xml --to osier/8@2.1 -o map.toml")]
#[case("carry gw.xml --to osier/8@2.1 -o out")]
#[case("carry gw.xml --to osier/8@2.1 -o out --json")]
fn nothing_printed_holds_a_secret(#[case] line: &str) {
    let desk = Desk::new();
    let ran = desk.run_to(0, line);
    for secret in secrets() {
        for piece in secret.lines().filter(|piece| !piece.starts_with("-----")) {
            assert!(!ran.out.contains(piece) && !ran.reported.contains(piece), "{line} prints {piece}");
        }
    }
}

#[test]
fn only_the_configuration_holds_secrets() {
    let desk = Desk::new();
    desk.carry("");
    let configuration = desk.read("out/gw.osier.json");
    for secret in secrets() {
        let escaped = serde_json::to_string(&secret).expect("JSON");
        assert!(configuration.contains(&escaped), "carried");
        for name in names_in(&desk.path("out")).into_iter().filter(|name| !name.ends_with(".osier.json")) {
            let text = desk.read(&format!("out/{name}"));
            assert!(!text.contains(escaped.trim_matches('"')), "{name}");
        }
    }
    let ledger = desk.read("out/ledger.jsonl");
    assert!(!ledger.contains("4471"), "a secret that is not carried");
    assert!(!ledger.contains("\"-12\""), "an untyped value is treated as a secret");
}

#[test]
fn an_untyped_value_is_shown_only_when_asked() {
    let desk = Desk::new();
    desk.carry("--show-untyped");
    let ledger = desk.read("out/ledger.jsonl");
    assert!(ledger.contains("\"value\":\"-12\""));
    assert!(!ledger.contains("4471") && !ledger.contains("kelp"), "secrets stay hidden");
}

/// Broken in the middle of secrets: the message must not quote what is around the break.
#[rstest]
#[case("<phrase>", "<phrase>&oops;hunter2")]
#[case("</phrase>", "hunter2</phrase")]
#[case("<hash>", "<hash hunter2>")]
#[case("<key>", "<key>hunter2]]>")]
fn messages_about_broken_files_do_not_quote_them(#[case] find: &str, #[case] put: &str) {
    let desk = Desk::new();
    desk.write("gw.xml", WRACKHAVEN.replacen(find, put, 1));
    let ran = desk.run_to(1, "carry gw.xml --to osier/8@2.1 -o out");
    assert!(ran.reported.contains("error[xml-malformed]"), "{}", ran.reported);
    for reported in ["kelp", "$6$", "BEGIN", "hunter2"] {
        assert!(!ran.reported.contains(reported), "{}", ran.reported);
    }
}
