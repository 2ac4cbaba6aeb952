//! A copy to show to others: the same lines, no secret, and it is still a backup.

use crate::desk::{Desk, WRACKHAVEN};
use rstest::rstest;

/// Secrets of the demo backup, and what is in a setting that no profile knows.
const SECRETS: [&str; 6] = ["4471", "kelp", "$6$", "BEGIN PRIVATE KEY", "MIGHAgEAMBMGByqGSM49", ">-12<"];

#[rstest]
#[case("", &["gw-wrackhaven", "192.0.2.65", "00-00-5e-00-53-01"], &[])]
#[case("--hide names", &["192.0.2.65"], &["gw-wrackhaven", "brandreth", "till-1"])]
#[case("--hide addresses", &["gw-wrackhaven", "255.255.255.192"], &["198.51.100.128", "192.0.2.193"])]
fn a_copy_holds_no_secret(#[case] hide: &str, #[case] kept: &[&str], #[case] gone: &[&str]) {
    let desk = Desk::new();
    let noted =
        WRACKHAVEN.replace("<note>crew</note>", "<note>crew; kelp &amp; bladderwrack 7 fathoms</note>");
    let noted = noted.replace("since the refit", "since the refit; kelp &amp; bladderwrack 7 fathoms");
    desk.write("gw.xml", &noted);
    let ran = desk.run_to(0, &format!("survey gw.xml --redacted copy.xml {hide}"));
    assert!(ran.out.contains("secrets hidden"), "{}", ran.out);
    let copy = desk.read("copy.xml");
    for secret in SECRETS {
        assert!(!copy.contains(secret), "{secret}\n{copy}");
    }
    for text in kept {
        assert!(copy.contains(text), "{text}\n{copy}");
    }
    for text in gone {
        assert!(!copy.contains(text), "{text}\n{copy}");
    }
    assert_eq!(copy.lines().count(), noted.lines().count(), "the lines stay where they are");
    // It is read as before, and has as many settings in as many sections.
    let table = |file: &str| -> String {
        let ran = desk.run_to(0, &format!("survey {file}"));
        ran.out.lines().filter(|line| line.ends_with('-') || line.contains(" all ")).collect()
    };
    assert_eq!(table("copy.xml"), table("gw.xml"));
    // Networks that were different may not be in a copy without addresses: then it is no configuration any more.
    let exit = if hide.contains("addresses") { 3 } else { 0 };
    desk.run_to(exit, "carry copy.xml --to osier/8@2.1 -o out");
}

#[test]
fn the_same_value_is_hidden_alike_and_the_copy_is_never_written_over() {
    let desk = Desk::new();
    let twice = WRACKHAVEN.replace("<panel-code>4471", "<panel-code>kelp &amp; bladderwrack 7 fathoms");
    desk.write("gw.xml", twice);
    desk.run_to(0, "survey gw.xml --redacted copy.xml");
    let copy = desk.read("copy.xml");
    let between = |tag: &str| {
        copy.split(&format!("<{tag}>"))
            .nth(1)
            .and_then(|rest| rest.split('<').next())
            .expect("it is there")
            .to_owned()
    };
    assert_eq!(between("panel-code"), between("phrase"));
    let ran = desk.run_to(1, "survey gw.xml --redacted copy.xml");
    assert!(ran.err.contains("cannot write `copy.xml`"), "{}", ran.err);
}

/// In the other forms, too, whatever way a value is spelled.
#[test]
fn a_json_backup_is_redacted_in_place() {
    let desk = Desk::new();
    let export = crate::courses::EXPORT_2_0
        .replace("twelve letters", "twelve \\\"letters\\\"")
        .replace("\"duplex\"", "\"odd\": 7, \"duplex\"");
    desk.write("export.json", export);
    desk.run_to(0, "survey export.json --redacted copy.json");
    let copy = desk.read("copy.json");
    assert!(!copy.contains("letters") && copy.contains("\"odd\": 0"), "{copy}");
    assert!(serde_json::from_str::<serde_json::Value>(&copy).is_ok(), "{copy}");
}

/// Files that are called by names are called otherwise, where they are named and in the list of hashes, too.
#[test]
fn names_of_files_are_hidden() {
    let desk = Desk::new();
    desk.write("hall.zip", include_bytes!("../../../../demo/hall/hall-wrackhaven.zip"));
    desk.run_to(0, "survey hall.zip --redacted copy.zip --hide names");
    let ran = desk.run_to(0, "survey copy.zip");
    for name in ["gale", "morning", "board", "storm"] {
        assert!(!ran.out.contains(name), "{name}\n{}", ran.out);
    }
    assert!(ran.out.contains("faces/name-") && ran.out.contains("6 of 6 files have the hash"), "{}", ran.out);
    let before = desk.run_to(0, "survey hall.zip");
    let counts =
        |told: &str| told.lines().filter(|line| line.starts_with("  all ")).map(str::to_owned).next();
    assert_eq!(counts(&ran.out), counts(&before.out));
}
