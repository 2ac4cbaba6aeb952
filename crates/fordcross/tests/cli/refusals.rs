//! Bad input: which file, line and column, what was found, what to do; nothing half written.

use crate::desk::{Desk, WRACKHAVEN};
use rstest::rstest;

const CARRY: &str = "carry gw.xml --to osier/8@2.1 -o out";

/// A backup with one thing wrong: what is replaced by what, the status, and all that must be told.
#[rstest]
#[case("<?xml", "hello <?xml", &["unrecognised", "plain text", "XML with the root element `teasel-backup` (teasel)"])]
#[case("</teasel-backup>", "", &["xml-malformed", "gw.xml:489:1", "ends inside the element `teasel-backup`", "cut off"])]
#[case("<teasel-backup ", "<weasel-backup ", &["xml-malformed", "does not match the open `weasel-backup`"])]
#[case("firmware=\"4.6\"", "firmware=\"4.7\"", &["release-unlisted", "gw.xml:3:16", "no release `4.7`", "`4.1`, `4.2` and `4.6`", "--from"])]
#[case("model=\"20\"", "model=\"25\"", &["model-unknown", "gw.xml:3:31", "no model `25`", "did you mean `20`?"])]
#[case("<?xml version=\"1.0\" encoding=\"UTF-8\"?>", "<!DOCTYPE teasel-backup>", &["xml-doctype", "gw.xml:1:1"])]
fn a_bad_backup_is_refused(#[case] find: &str, #[case] put: &str, #[case] reported: &[&str]) {
    let desk = Desk::new();
    assert!(WRACKHAVEN.contains(find), "the case changes something");
    desk.write("gw.xml", WRACKHAVEN.replacen(find, put, 1));
    let ran = desk.run_to(1, CARRY);
    for words in reported {
        assert!(ran.reported.contains(words), "`{words}` is not told:\n{}", ran.reported);
    }
    assert_eq!(desk.names(), ["gw.xml"], "nothing is written");
}

#[test]
fn another_outermost_element_is_not_recognised() {
    let desk = Desk::new();
    desk.write("gw.xml", WRACKHAVEN.replace("teasel-backup", "weasel-backup"));
    let ran = desk.run_to(1, CARRY);
    assert!(ran.reported.contains("it is XML with the root element `weasel-backup`"), "{}", ran.reported);
}

#[test]
fn all_that_is_wrong_with_a_head_is_told_at_once() {
    let desk = Desk::new();
    desk.write("gw.xml", WRACKHAVEN.replace("firmware=\"4.6\" model=\"20\"", "firmware=\"5\" model=\"30\""));
    let ran = desk.run_to(1, CARRY);
    assert!(
        ran.reported.contains("release-unlisted") && ran.reported.contains("model-unknown"),
        "{}",
        ran.reported
    );
}

#[test]
fn an_unlisted_release_is_read_as_asked_and_that_is_recorded() {
    let desk = Desk::new();
    desk.write("gw.xml", WRACKHAVEN.replace("firmware=\"4.6\"", "firmware=\"4.6 r2\""));
    let ran = desk.run_to(0, &format!("{CARRY} --from teasel@4.6"));
    assert!(
        ran.reported
            .contains("warning[release-treated-as]: the backup is of release `4.6 r2` and was read as `4.6`"),
        "{}",
        ran.reported
    );
    let receipt = desk.read("out/receipt.json");
    assert!(
        receipt.contains("\"from\": \"teasel/20@4.6 r2\"") && receipt.contains("\"read_as\": \"4.6\""),
        "{receipt}"
    );
    assert!(
        desk.run_to(1, &format!("{CARRY} --from teasel@9 --replace")).reported.contains("no release `9`")
    );
}

/// A command that cannot go on: its arguments, the status, and what must be told.
#[rstest]
#[case("carry gw.xml --to osier/9@2.1 -o out", 1, "no model `9`")]
#[case("carry gw.xml --to osier@2.1 -o out", 1, "`--to` is missing the model of")]
#[case("carry gw.xml --to osier/8@3.0 -o out", 1, "no release `3.0`")]
#[case("carry gw.xml --to ozier/8@2.1 -o out", 1, "did you mean `osier`?")]
#[case("carry gw.xml --to osier/8@2.0 -o out", 1, "no path from `teasel@4.6` to `osier@2.0`")]
#[case("carry gw.xml --to osier -o out", 2, "PLATFORM/MODEL@RELEASE")]
#[case("carry none.xml --to osier/8@2.1 -o out", 1, "cannot read `none.xml`: no such file")]
#[case("carry . --to osier/8@2.1 -o out", 1, "is a folder")]
#[case("carry gw.xml --to osier/8@2.1 -o /proc/fordcross/out", 1, "cannot make the folder")]
#[case("carry gw.xml --to osier/8@2.1 -o gw.xml", 1, "is a file")]
#[case("carry gw.xml --to osier/8@2.1 --map none.toml -o out", 1, "cannot read `none.toml`")]
#[case("carry gw.xml", 2, "--to")]
#[case("survey gw.xml --from tesel", 1, "did you mean `teasel`?")]
#[case("survey gw.xml --from teasel@", 2, "write `PLATFORM` or `PLATFORM@RELEASE`")]
#[case("survey gw.xml --from osier", 1, "json-malformed")]
#[case("ledger gw.xml", 1, "cannot read")]
#[case("ledger . --fate lost", 2, "there is no fate `lost`")]
#[case("survey gw.xml --profiles none", 1, "cannot read the folder `none`")]
fn a_command_that_cannot_go_on_says_why(#[case] line: &str, #[case] status: i32, #[case] reported: &str) {
    let desk = Desk::new();
    let ran = desk.run_to(status, line);
    assert!(ran.reported.contains(reported), "{}", ran.reported);
    assert_eq!(desk.names(), ["gw.xml"], "nothing is written");
}

/// A map with one thing wrong.
#[rstest]
#[case("[ports]\np7 = \"cu1\"\n", "port-unknown", "map.toml:2:1", "the old unit has no port `p7`")]
#[case("[ports]\np1 = \"cu7\"\n", "port-unknown", "map.toml:2:6", "Osier 8 has no port `cu7`")]
#[case("[ports]\np1 = \"cu1\"\np2 = \"cu1\"\n", "port-twice", "map.toml:3:6", "both `p1` and `p2`")]
#[case("[ports]\np1 = cu1\n", "toml-malformed", "map.toml:2:6", "")]
fn a_bad_map_is_refused(#[case] map: &str, #[case] code: &str, #[case] place: &str, #[case] reported: &str) {
    let desk = Desk::new();
    desk.write("map.toml", map);
    let ran = desk.run_to(1, &format!("{CARRY} --map map.toml"));
    for words in [code, place, reported] {
        assert!(ran.reported.contains(words), "`{words}` is not told:\n{}", ran.reported);
    }
    assert_eq!(desk.names(), ["gw.xml", "map.toml"]);
}

/// A person's own profile with mistakes: each is told with its line, all at once.
#[test]
fn a_bad_profile_is_told_with_all_its_mistakes() {
    let desk = Desk::new();
    let own = include_str!("../../../fordcross-profiles/platforms/teasel/teasel.profile.toml");
    let wrong = own
        .replace("format       = \"xml\"", "formal       = \"xml\"")
        .replace("max = 4094", "max = \"4094\"")
        .replace("\"resolver[]\"     = \"address\"", "\"resolver[]\" = \"adress\"");
    desk.write("own/teasel.profile.toml", wrong);
    let ran = desk.run_to(1, "survey gw.xml --profiles own");
    for reported in [
        "the key `format` is missing",
        "unknown key `formal`",
        "did you mean `format`?",
        "expected a whole number, found a string",
        "there is no type `adress`",
        "did you mean `address`?",
        "teasel.profile.toml:",
    ] {
        assert!(ran.reported.contains(reported), "`{reported}` is not told:\n{}", ran.reported);
    }
}

#[test]
fn one_bad_backup_of_several_does_not_hide_the_others() {
    let desk = Desk::new();
    desk.write("bad.xml", "<oops>");
    let ran = desk.run_to(1, "survey bad.xml gw.xml --each");
    assert!(ran.reported.contains("bad.xml:1:7") && ran.out.contains("Teasel 20"), "{}", ran.reported);
}

/// Neither what steers a terminal nor what turns the direction of writing, nor a line end where none should be.
#[test]
fn control_characters_never_reach_the_terminal() {
    let desk = Desk::new();
    let name = WRACKHAVEN.replacen("label=\"nightly\"", "label=\"&#x9b;31mred&#x202e;&#10;\"", 1);
    desk.write("gw.xml", name);
    let ran = desk.run_to(0, "survey gw.xml");
    assert!(ran.out.contains("\\u{9b}31mred\\u{202e}"), "{}", ran.out);
    desk.write("other/a\nblocker[x]: b\u{1b}.ini", "a = 1\n");
    let reported = desk.run_to(1, "survey other").out;
    assert!(reported.contains("a\\nblocker[x]: b\\u{1b}.ini: no profile"), "{reported}");
}

/// A file that was changed, or is none of ours, is no ledger.
#[rstest]
#[case("[]")]
#[case("1")]
#[case("{\"a\": 1}")]
#[case("{\"row\":1,\"kind\":\"setting\"")]
fn what_is_no_ledger_is_reported(#[case] line: &str) {
    let desk = Desk::new();
    let ledger = format!("{line}\n");
    let hash = blake3::hash(ledger.as_bytes()).to_hex();
    let listed =
        format!("{{\"file\": \"ledger.jsonl\", \"bytes\": {}, \"blake3\": \"{hash}\"}}", ledger.len());
    desk.write("out/receipt.json", format!("{{\"fordcross\": \"0.1.0\", \"outputs\": [{listed}]}}"));
    desk.write("out/ledger.jsonl", ledger);
    let ran = desk.run_to(1, "ledger out");
    assert!(ran.reported.contains("`out/ledger.jsonl` line 1 is not a row of a ledger"), "{}", ran.reported);
}

/// A ledger that somebody changed, or that is without its receipt, says nothing that could be trusted.
#[rstest]
#[case("ledger.jsonl", "\n", "` is not the ledger listed in the receipt next to it")]
#[case("receipt.json", "{\"shop\": \"bakery\"}", "the receipt next to the ledger is not one of a carry")]
#[case("receipt.json", "", "the receipt next to the ledger is not one of a carry")]
fn a_ledger_is_the_one_of_its_receipt(#[case] file: &str, #[case] text: &str, #[case] reported: &str) {
    let desk = Desk::new();
    desk.carry("");
    desk.run_to(0, "ledger out");
    desk.write(&format!("out/{file}"), text);
    let ran = desk.run_to(1, "ledger out");
    assert!(ran.reported.contains(reported), "{}", ran.reported);
    std::fs::remove_file(desk.path("out/receipt.json")).expect("removed");
    assert!(desk.run_to(1, "ledger out").reported.contains("carry the backup again"));
}
