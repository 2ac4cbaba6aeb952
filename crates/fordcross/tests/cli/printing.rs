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
    assert!(desk.run_to(1, "demo tour").err.contains("is there already"));
}

#[test]
fn the_map_is_printed_with_a_reason_for_each_port() {
    let desk = Desk::new();
    insta::assert_snapshot!(desk.run_to(0, "map gw.xml --to osier/8@2.1").out, @r"
      old  new  settings  why
      p1   cu1        48  its equivalent by the crossing, copper 1G
      p2   cu2       149  the next free port that fits, copper 1G
      p3   cu3        48  the next free port that fits, copper 1G
      f1   fx1         4  its equivalent by the crossing, fibre 10G
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
    assert!(!plain.out.contains('\u{1b}') && !plain.err.contains('\u{1b}'));
}
