//! What people and programs read.

use crate::desk::Desk;
use rstest::rstest;
use serde_json::Value;
use std::io::Write as _;
use std::process::Stdio;

#[test]
fn the_demonstration_runs_and_says_where_its_results_lie() {
    let desk = Desk::new();
    let ran = desk.run_to(0, "demo tour");
    for file in
        ["tour/gw-wrackhaven.xml", "tour/wrackhaven/gw-wrackhaven.osier.json", "tour/wrackhaven.export.json"]
    {
        assert!(desk.path(file).exists(), "{file}");
        assert!(ran.out.contains(file.trim_start_matches("tour/")), "{}", ran.out);
    }
    assert!(ran.out.contains("$ fordcross carry gw-wrackhaven.xml --to osier/8@2.1"), "{}", ran.out);
    assert!(desk.run_to(1, "demo tour").reported.contains("already exists"));
}

#[test]
fn the_map_is_printed_with_a_reason_for_each_port() {
    let desk = Desk::new();
    insta::assert_snapshot!(desk.run_to(0, "map gw.xml --to osier/8@2.1").out, @r"
      old  new  settings  why
      p1   cu1        48  its equivalent according to the crossing, copper 1G
      p2   cu2       149  next free port that fits, copper 1G
      p3   cu3        48  next free port that fits, copper 1G
      f1   fx1         4  its equivalent according to the crossing, fibre 10G
      svc  svc         6  same name, copper 1G service

    nothing was written; add `-o FILE` to keep and edit the map
    ");
}

#[test]
fn the_ledger_is_looked_up_by_fate_section_and_place() {
    let desk = Desk::new();
    desk.carry("");
    insta::assert_snapshot!(desk.run_to(0, "ledger out --section vpn --fate recast").out, @r"
      line  old                              value  fate    new, or why not
       453  tunnels/tunnel[to-sandle]/on     yes    recast  vpn/tunnels/to-sandle/enabled true
       458  tunnels/tunnel[to-sandle]/rekey  28800  recast  vpn/tunnels/to-sandle/renew-minutes 480

      2 of 524 rows
    ");
    // The same by the new place.
    let found = desk.run_to(0, "ledger out --locator vpn/*/renew-minutes --json").out;
    let row: Value = serde_json::from_str(&found).expect("one row");
    assert_eq!(row["locator"], "tunnels/tunnel[to-sandle]/rekey");
    let csv = desk.run_to(0, "ledger out --fate added --format csv").out;
    assert!(csv.lines().nth(1).expect("a row").contains("osier-export/release,2.1"), "{csv}");
}

#[rstest]
#[case("survey gw.xml --json")]
#[case("map gw.xml --to osier/8@2.1 --json")]
#[case("carry gw.xml --to osier/8@2.1 -o out --json")]
fn programs_get_json(#[case] line: &str) {
    let desk = Desk::new();
    let ran = desk.run_to(0, line);
    assert!(serde_json::from_str::<Value>(&ran.out).is_ok(), "{}", ran.out);
    assert_eq!(ran.err, "");
}

#[test]
fn a_backup_may_come_from_standard_input() {
    let desk = Desk::new();
    let mut child =
        desk.command("survey -").stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().expect("runs");
    child.stdin.take().expect("a pipe").write_all(crate::desk::WRACKHAVEN.as_bytes()).expect("written");
    let output = child.wait_with_output().expect("ends");
    assert!(String::from_utf8_lossy(&output.stdout).starts_with("standard-input\n  Teasel 20"));
}

#[test]
fn a_reader_that_goes_away_is_no_failure() {
    let desk = Desk::new();
    desk.carry("");
    let mut child = desk
        .command("ledger out --format json")
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("runs");
    drop(child.stdout.take());
    let output = child.wait_with_output().expect("ends");
    assert_eq!((output.status.code(), output.stderr.as_slice()), (Some(0), &b""[..]));
}

#[test]
fn colour_is_for_terminals_only() {
    let desk = Desk::new();
    let plain = desk.carry("");
    for reported in [
        plain.reported,
        desk.run_to(0, "--help").reported,
        desk.run_to(2, "survey").reported,
        desk.run_to(2, "nonsense").reported,
    ] {
        assert!(!reported.contains('\u{1b}') && !reported.contains("u{1b}"), "{reported}");
    }
}

/// What is printed for programs, and what is in the files of a result, is as the published schema says.
#[test]
fn what_is_for_programs_is_as_the_schema_says() {
    let desk = Desk::new();
    let schema: Value = serde_json::from_str(&desk.run_to(0, "profile schema output").out).expect("JSON");
    let whole = jsonschema::draft202012::new(&schema).expect("a schema");
    let of = |definition: &str| {
        let mut schema = serde_json::json!({ "$defs": schema["$defs"] });
        schema["$ref"] = format!("#/$defs/{definition}").into();
        jsonschema::draft202012::new(&schema).expect("a schema")
    };
    let check = |validator: &jsonschema::Validator, value: &Value, what: &str| {
        let problems: Vec<String> = validator.iter_errors(value).map(|error| error.to_string()).collect();
        assert!(problems.is_empty(), "{what}: {problems:?}\n{value}");
    };
    let demo = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").display().to_string();
    let server = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/real/postgresql/corrie-13");
    desk.write("pass", "nine landing stages");
    desk.write("torn.xml", "<teasel-backup firmware=");
    for (status, line) in [
        // Ways to other releases that are open, and others that are closed.
        (0, format!("reach {server} --to postgresql@16")),
        (3, "reach gw.xml --to osier/8@2.0".into()),
        (0, "reach gw.xml --to osier/8@2.1".into()),
        (0, format!("survey {demo}/quay-store/store-quay.tar.gz --passphrase-file pass")),
        (1, format!("survey {demo}/hall/hall-sandle.zip --passphrase-file pass")),
        (0, format!("survey {demo}/operations/five/console-1.tar.age.001 --passphrase-file pass")),
        (0, format!("survey {demo}/wrackhaven/gw-wrackhaven.xml --passphrase-file pass")),
        (0, format!("survey {demo} --passphrase-file pass")),
        (1, "survey gw.xml torn.xml --each".into()),
        (1, "survey none.xml".into()),
        (2, "survey --nonsense".into()),
        (0, "map gw.xml --to osier/8@2.1".into()),
        (0, "carry gw.xml --to osier/8@2.1 -o out".into()),
        (1, "carry gw.xml --to osier/8@2.1 -o out".into()),
        (3, "carry gw.xml --to osier/8@2.1 -o blocked --severity no-rule=blocker".into()),
        (0, "redact gw.xml -o copy.xml".into()),
        (0, "finding no-rule".into()),
        (0, "profile list".into()),
        (0, "profile check".into()),
        (0, "profile show osier".into()),
        (0, "profile try gw.xml --to osier/8@2.1".into()),
    ] {
        let ran = desk.run_to(status, &format!("{line} --json"));
        let answer: Value = serde_json::from_str(&ran.out).unwrap_or_else(|_| panic!("{line}\n{}", ran.out));
        check(&whole, &answer, &line);
        assert_eq!((answer["status"].as_i64(), ran.err.as_str()), (Some(status.into()), ""), "{line}");
        let is_error = |finding: &Value| finding["severity"] == "error";
        let errors = answer["findings"]
            .as_array()
            .expect("a list")
            .iter()
            .filter(|reported| is_error(reported))
            .count();
        // A survey of what is damaged fails and says what it can.
        let is_damaged = line.contains("hall-sandle");
        assert_eq!(errors > 0, matches!(status, 1 | 2) && !is_damaged, "{line}");
    }
    check(&of("receipt"), &serde_json::from_str(&desk.read("out/receipt.json")).expect("JSON"), "receipt");
    let row_schema = of("ledger-row");
    desk.ledger("out").iter().for_each(|row| check(&row_schema, row, "a row"));
    let mut wrong = desk.ledger("out")[0].clone();
    wrong["fate"] = "lost".into();
    assert!(!row_schema.is_valid(&wrong) && !whole.is_valid(&wrong));
}

/// What is found is with the results, where a person redirects it to; what ended the command is apart.
#[rstest]
#[case("carry gw.xml --to osier/8@2.1 -o out", 0, "warning[", "")]
#[case("carry gw.xml --to osier/8@2.1 -o out --severity no-rule=blocker", 3, "blocker[no-rule]", "")]
#[case("reach gw.xml --to osier/8@2.0", 3, "blocker[course-missing]", "")]
#[case("carry torn.xml --to osier/8@2.1 -o out", 1, "", "error[xml-malformed]")]
#[case("survey torn.xml", 1, "", "error[xml-malformed]")]
#[case("survey empty", 1, "", "error: there are no files in `empty`")]
#[case("map gw.xml --to osier/8@2.1 --strict", 0, "", "")]
fn each_stream_has_its_own(#[case] line: &str, #[case] status: i32, #[case] out: &str, #[case] err: &str) {
    let desk = Desk::new();
    desk.write("torn.xml", "<teasel-backup firmware=");
    std::fs::create_dir(desk.path("empty")).expect("a folder");
    let ran = desk.run_to(status, line);
    assert!(ran.out.contains(out) && ran.err.contains(err), "{}\n---\n{}", ran.out, ran.err);
    assert!(ran.err.is_empty() == err.is_empty(), "{}", ran.err);
    assert!(!ran.out.contains("error[") && !ran.err.contains("blocker["));
}

const NASTY: &str = "\u{1b}]0;steered\u{7}\u{1b}[2J\u{9b}31m\u{202e}";

/// Text from outside commands no terminal, whatever prints it: names, values, profiles of strangers, options.
#[rstest]
#[case("survey nasty.json")]
#[case("survey nasty.json --json")]
#[case("carry nasty.json --to osier/8@2.1 -o out\u{9b}\u{202e}")]
#[case("carry nasty.json --to osier/8@2.1 -o out --json")]
#[case("map nasty.json --to osier/8@2.1")]
#[case("ledger done")]
#[case("ledger done --json")]
#[case("ledger done --format csv")]
#[case("profile check strange")]
#[case("profile show strange --profiles strange")]
#[case("profile list --profiles strange")]
#[case("survey gw.xml --charset \u{9b}31m")]
#[case("survey no\u{202e}where")]
fn nothing_from_outside_commands_a_terminal(#[case] line: &str) {
    let desk = Desk::new();
    let nasty = serde_json::json!({
        "osier-export": {"release": "2.0", "model": "8", "scope": "full"},
        "system": {"hostname": "gw", "location": NASTY, (NASTY): NASTY},
        "interfaces": {"cu1": {"enabled": true, "zone": "inside", "addresses": ["192.0.2.1/24"], "description": NASTY}},
    });
    desk.write("nasty.json", nasty.to_string());
    desk.run_to(0, "carry nasty.json --to osier/8@2.1 -o done");
    let escaped = NASTY.chars().fold(String::new(), |text, c| format!("{text}\\U{:08X}", u32::from(c)));
    let profile = include_str!("../../../fordcross-profiles/platforms/cobnut/cobnut.profile.toml");
    let title = profile.lines().find(|line| line.starts_with("title")).expect("a title");
    let strange = profile.replacen(title, &format!("title = \"{escaped}\""), 1);
    let strange = strange.replacen("\"cobnut\"", "\"strange\"", 1);
    desk.write("strange/strange.profile.toml", strange);
    // Colours as on a terminal.
    let mut command = desk.command(line);
    let output = command.env("CLICOLOR_FORCE", "1").output().expect("runs");
    for text in [output.stdout, output.stderr] {
        let text = String::from_utf8(text).expect("UTF-8");
        assert!(!text.contains(['\u{7}', '\u{9b}', '\u{202e}', '\r']), "{line}: {text:?}");
        let styles = text.split('\u{1b}').skip(1);
        for style in styles {
            let numbers = style.strip_prefix('[').and_then(|rest| rest.split_once('m'));
            let is_style =
                numbers.is_some_and(|(numbers, _)| numbers.bytes().all(|b| b.is_ascii_digit() || b == b';'));
            assert!(is_style && !style.starts_with("[2J"), "{line}: {style:?}");
        }
    }
}

/// A reader that goes away changes nothing but what is printed.
#[rstest]
#[case("survey gw.xml", 0)]
#[case("carry gw.xml --to osier/8@2.1 -o out", 0)]
#[case("carry open.xml --to osier/8@2.1 -o out", 3)]
#[case("carry gw.xml --to osier/8@2.1 -o out --strict", 4)]
#[case("survey nowhere.xml", 1)]
fn a_closed_pipe_changes_no_status(#[case] line: &str, #[case] status: i32) {
    let desk = Desk::new();
    desk.write("open.xml", crate::desk::WRACKHAVEN.replace("\"p3\"", "\"p7\""));
    assert_eq!(desk.run(&line.replace("-o out", "-o before")).status, status);
    let mut child = desk.command(line).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("runs");
    drop((child.stdout.take(), child.stderr.take()));
    assert_eq!(child.wait().expect("ended").code(), Some(status));
}

#[cfg(target_os = "linux")]
#[rstest]
#[case("survey gw.xml", "cannot write to standard output: no space")]
#[case("survey gw.xml --json", "")]
fn what_cannot_be_printed_is_an_error(#[case] line: &str, #[case] reported: &str) {
    let desk = Desk::new();
    let full = std::fs::OpenOptions::new().write(true).open("/dev/full").expect("a full device");
    let output = desk.command(line).stdout(full).output().expect("runs");
    let err = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.code() == Some(1) && err.contains(reported), "{err}");
}

#[test]
fn a_spreadsheet_sees_no_formula() {
    let desk = Desk::new();
    desk.write("gw.xml", crate::desk::WRACKHAVEN.replacen("nightly", "=HYPERLINK(1)", 1));
    desk.run("carry gw.xml --to osier/8@2.1 -o out");
    let csv = desk.run_to(0, "ledger out --format csv").out;
    assert!(csv.contains(",'=HYPERLINK(1),") && !csv.contains(",=HYPERLINK"), "{csv}");
    assert!(desk.run_to(0, "ledger out --json").out.contains("\"=HYPERLINK(1)\""));
}
