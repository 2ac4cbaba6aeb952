//! A copy to show to others: the same lines, no secret, and it is still a backup.

use crate::desk::{Desk, WRACKHAVEN};
use rstest::rstest;

/// Secrets of the demo backup, and what is in a setting that no profile knows.
const SECRETS: [&str; 6] = ["4471", "kelp", "$6$", "BEGIN PRIVATE KEY", "MIGHAgEAMBMGByqGSM49", ">-12<"];

const ALL: &str = "--keep-addresses --keep-names --keep-comments";

#[rstest]
#[case(ALL, &["gw-wrackhaven", "192.0.2.65", "00-00-5e-00-53-01", "since the refit"], &[])]
#[case("--keep-addresses", &["192.0.2.65"], &["gw-wrackhaven", "brandreth", "till-1", "since the refit"])]
#[case("--keep-names", &["gw-wrackhaven", "255.255.255.192"], &["198.51.100.128", "192.0.2.193", "00-00-5e-00-53"])]
#[case("", &["255.255.255.192", "teasel-backup", "4.6"], &["gw-wrackhaven", "till-1", "192.0.2.", "since the refit"])]
fn a_copy_holds_no_secret(#[case] keep: &str, #[case] kept: &[&str], #[case] gone: &[&str]) {
    let desk = Desk::new();
    let noted =
        WRACKHAVEN.replace("<note>crew</note>", "<note>crew; kelp &amp; bladderwrack 7 fathoms</note>");
    let noted = noted.replace("since the refit", "since the refit; kelp &amp; bladderwrack 7 fathoms");
    desk.write("gw.xml", &noted);
    let ran = desk.run_to(0, &format!("redact gw.xml -o copy.xml {keep}"));
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
    // And it is never taken for the backup, however it is packed.
    let ran = desk.run_to(3, "carry copy.xml --to osier/8@2.1 -o out");
    assert!(ran.reported.contains("blocker[redacted-copy]"), "{}", ran.reported);
    // But for the secrets, nothing else is wrong with it: networks are apart as they were, and nothing is left.
    assert_eq!(ran.reported.matches("blocker[").count(), 1, "{}", ran.reported);
}

#[test]
fn the_same_value_is_hidden_alike_and_the_copy_is_never_written_over() {
    let desk = Desk::new();
    let twice = WRACKHAVEN.replace("<panel-code>4471", "<panel-code>kelp &amp; bladderwrack 7 fathoms");
    desk.write("gw.xml", twice);
    desk.run_to(0, "redact gw.xml -o copy.xml");
    let copy = desk.read("copy.xml");
    let between = |tag: &str| {
        copy.split(&format!("<{tag}>"))
            .nth(1)
            .and_then(|rest| rest.split('<').next())
            .expect("it is there")
            .to_owned()
    };
    assert_eq!(between("panel-code"), between("phrase"));
    let ran = desk.run_to(1, "redact gw.xml -o copy.xml");
    assert!(ran.reported.contains("cannot write `copy.xml`"), "{}", ran.reported);
    desk.run_to(2, "redact gw.xml -o -");
}

/// With a key the same copy comes out again; without one nobody can make it again.
#[test]
fn a_key_makes_the_same_copy_again() {
    let desk = Desk::new();
    desk.write("key", [7; 32]);
    desk.write("short", "guessed");
    let made = |line: &str| {
        desk.run_to(0, &format!("redact gw.xml -o {line}"));
        desk.read(line.split_whitespace().next().expect("a name"))
    };
    assert_eq!(made("a.xml --key key"), made("b.xml --key key"));
    assert_ne!(made("c.xml"), made("d.xml"));
    let ran = desk.run_to(1, "redact gw.xml -o e.xml --key short");
    assert!(ran.reported.contains("fewer than 16 bytes"), "{}", ran.reported);
}

/// A setting that was commented out is the commonest place of an old password; a note is another. What a copy hides the
/// ledger does not show.
#[rstest]
#[case::ifupdown(
    "net/interfaces",
    "auto wlan0\niface wlan0 inet dhcp\n    #wpa-psk CANARY-one\n    wpa-ssid quay\n    wpa-psk CANARY-two\n    description the key is CANARY-two\n",
    "net --to netplan@0.106"
)]
#[case::postgresql(
    "net/postgresql.conf",
    "listen_addresses = '*'\n#primary_conninfo = 'host=a password=CANARY-one'\nprimary_conninfo = 'host=a password=CANARY-two'\ncluster_name = 'CANARY-two'\n",
    "net --to postgresql@18 --from postgresql@15"
)]
#[case::malformed(
    "net/postgresql.conf",
    "listen_addresses = '*'\nprimary_conninfo = 'host=a password=CANARY-two\"\nport = 5432\n",
    "net --to postgresql@18 --from postgresql@15"
)]
#[case::xml(
    "gw2.xml",
    "<?notes CANARY-one?>\n<teasel-backup firmware=\"4.6\" model=\"20\" taken=\"2026-11-02T02:10:00Z\" kind=\"full\"><!-- password: CANARY-one --><unit><name>gw-a</name><panel-code>CANARY-two</panel-code></unit><site>CANARY-two</site></teasel-backup>",
    "gw2.xml --to osier/8@2.1"
)]
#[case::json(
    "e.json",
    "{\"osier-export\": {\"release\": \"2.1\", \"model\": \"8\"}, \"accounts\": {\"ann\": {\"password-hash\": {\"CANARY-one\": 1}}}}",
    "e.json --to osier/8@2.1"
)]
fn what_stands_in_odd_places_is_hidden(#[case] name: &str, #[case] text: &str, #[case] line: &str) {
    let desk = Desk::new();
    desk.write(name, text);
    let (backup, more) = line.split_once(' ').expect("more words");
    let treat = more.split_once("--from").map_or(String::new(), |(_, release)| format!("--from {release}"));
    for (copy, keep) in [("copy", ""), ("kept", "--keep-names --keep-addresses --keep-comments")] {
        let ran = desk.run(&format!("redact {backup} -o {copy} {keep} {treat}"));
        if ran.status == 0 {
            let file = name.rsplit('/').next().expect("a name");
            let path = if desk.path(copy).is_dir() { format!("{copy}/{file}") } else { copy.to_owned() };
            assert!(!desk.read(&path).contains("CANARY"), "{}", desk.read(&path));
            desk.run_to(0, &format!("survey {copy} {treat}"));
        } else {
            assert!(!ran.reported.contains("CANARY"), "{}", ran.reported);
        }
    }
    let ran = desk.run(&format!("carry {line} -o out"));
    assert!(!ran.reported.contains("CANARY"), "{}", ran.reported);
    if desk.path("out").exists() {
        assert!(!desk.read("out/ledger.jsonl").contains("CANARY"), "{}", desk.read("out/ledger.jsonl"));
    }
}

/// In the other forms, too, whatever way a value is spelled.
#[test]
fn a_json_backup_is_redacted_in_place() {
    let desk = Desk::new();
    let export = crate::courses::EXPORT_2_0
        .replace("twelve letters", "twelve \\\"letters\\\"")
        .replace("\"duplex\"", "\"odd\": 7, \"duplex\"");
    desk.write("export.json", export);
    desk.run_to(0, "redact export.json -o copy.json");
    let copy = desk.read("copy.json");
    assert!(!copy.contains("letters") && copy.contains("\"odd\": 0"), "{copy}");
    assert!(serde_json::from_str::<serde_json::Value>(&copy).is_ok(), "{copy}");
}

/// Files that are called by names are called otherwise, where they are named and in the list of hashes, too.
#[test]
fn names_of_files_are_hidden() {
    let desk = Desk::new();
    desk.write("hall.zip", include_bytes!("../../../../demo/hall/hall-wrackhaven.zip"));
    desk.run_to(0, "redact hall.zip -o copy.zip --keep-addresses");
    let ran = desk.run_to(0, "survey copy.zip");
    for name in ["gale", "morning", "board", "storm"] {
        assert!(!ran.out.contains(name), "{name}\n{}", ran.out);
    }
    assert!(
        ran.out.contains("faces/name-") && ran.out.contains("checksums: 6 of 6 files match"),
        "{}",
        ran.out
    );
    let before = desk.run_to(0, "survey hall.zip");
    let counts =
        |reported: &str| reported.lines().filter(|line| line.starts_with("  all ")).map(str::to_owned).next();
    assert_eq!(counts(&ran.out), counts(&before.out));
}
