//! Results are whole or absent, and only their owner can read them.

use crate::desk::{Desk, WRACKHAVEN, names_in};
use rstest::rstest;
use rustix::process::Signal;
use serde_json::Value;
use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::process::Command;

#[test]
fn only_the_owner_can_read_the_results() {
    let desk = Desk::new();
    desk.carry("");
    let mode = |path| fs::metadata(path).expect("there").permissions().mode() & 0o777;
    assert_eq!(mode(desk.path("out")), 0o700);
    for name in names_in(&desk.path("out")) {
        assert_eq!(mode(desk.path("out").join(&name)), 0o600, "{name}");
    }
}

#[test]
fn earlier_results_are_replaced_only_when_asked() {
    let desk = Desk::new();
    desk.carry("");
    let before = desk.read("out/receipt.json");
    let ran = desk.run_to(1, "carry gw.xml --to osier/16@2.1 -o out");
    assert!(ran.reported.contains("add `--replace`"), "{}", ran.reported);
    assert_eq!(desk.read("out/receipt.json"), before);
    desk.run_to(0, "carry gw.xml --to osier/16@2.1 -o out --replace");
    assert_ne!(desk.read("out/receipt.json"), before);
    assert_eq!(desk.names(), ["gw.xml", "out"], "nothing is left beside the results");
}

#[test]
fn a_folder_with_other_things_is_never_replaced() {
    let desk = Desk::new();
    desk.write("out/letter.txt", "dear harbour master");
    for more in ["", "--replace"] {
        let ran = desk.run_to(1, &format!("carry gw.xml --to osier/8@2.1 -o out {more}"));
        assert!(ran.reported.contains("is not empty"), "{}", ran.reported);
    }
    assert_eq!(names_in(&desk.path("out")), ["letter.txt"]);
}

/// Only what a receipt lists, and as it was written, makes room for new results; and never what this run reads.
#[rstest]
#[case::another_receipt(&[("out/receipt.json", "{\"shop\": \"bakery\"}"), ("out/thesis.txt", "x")], "it is not empty and has no results of a carry")]
#[case::a_file_beside(&[("out/notes.txt", "call Ann")], "lists no `notes.txt`")]
#[case::a_folder_beside(&[("out/mine/notes.txt", "call Ann")], "lists no folder `mine`")]
#[case::a_changed_file(&[("out/map.toml", "# mine\n")], "`map.toml` was changed")]
fn nothing_of_a_person_goes(#[case] put: &[(&str, &str)], #[case] reported: &str) {
    let desk = Desk::new();
    desk.carry("");
    put.iter().for_each(|(name, text)| desk.write(name, text));
    let before = names_in(&desk.path("out"));
    let ran = desk.run_to(1, "carry gw.xml --to osier/16@2.1 -o out --replace");
    assert!(ran.reported.contains(reported) && ran.reported.contains("is not replaced"), "{}", ran.reported);
    assert_eq!(names_in(&desk.path("out")), before);
    put.iter().for_each(|(name, text)| assert_eq!(desk.read(name), *text));
    assert_eq!(desk.names(), ["gw.xml", "out"]);
}

#[rstest]
#[case("carry gw.xml --to osier/8@2.1 --map old/map.toml -o old --replace")]
#[case("carry gw.xml --to osier/8@2.1 --base old/gw.osier.json -o old --replace")]
fn what_a_run_reads_is_never_replaced(#[case] line: &str) {
    let desk = Desk::new();
    desk.run_to(0, "carry gw.xml --to osier/8@2.1 -o old");
    let before = desk.read("old/gw.osier.json");
    let ran = desk.run_to(1, line);
    assert!(ran.reported.contains("` is not replaced: it contains `"), "{}", ran.reported);
    assert_eq!(desk.read("old/gw.osier.json"), before);
}

/// What is where a file or a folder is wanted, and is none.
#[rstest]
#[case("carry gw.xml --to osier/8@2.1 -o link --replace", 1, "`link` is a link to `other`")]
#[case("carry gw.xml --to osier/8@2.1 -o gw.xml", 1, "`gw.xml` is a file")]
#[case("carry gw.xml --to osier/8@2.1 -o -", 2, "cannot be the folder for the results")]
#[case("map gw.xml --to osier/8@2.1 -o pipe", 1, "`pipe` is not a file")]
#[case("map gw.xml --to osier/8@2.1 -o other", 1, "`other` is not a file")]
#[case("ledger pipes", 1, "is not a file")]
#[case("profile check pipes", 1, "is not a file")]
#[case("carry gw.xml --to osier/8@2.1 --map /dev/zero -o out", 1, "larger than 16 MiB")]
#[case("carry gw.xml --to osier/8@2.1 --encrypt --passphrase-file /dev/zero -o out", 1, "larger than 1 MiB")]
#[case("survey pipe", 1, "`pipe` is not a file")]
fn what_is_no_file_is_left_alone(#[case] line: &str, #[case] status: i32, #[case] reported: &str) {
    let desk = Desk::new();
    desk.write("other/kept.txt", "x");
    desk.write("pipes/x.txt", "x");
    std::os::unix::fs::symlink("other", desk.path("link")).expect("a link");
    for pipe in ["pipe", "pipes/a.profile.toml", "pipes/ledger.jsonl"] {
        let made = Command::new("mkfifo").arg(desk.path(pipe)).status().expect("mkfifo runs");
        assert!(made.success());
    }
    let before = desk.names();
    let ran = desk.run_to(status, line);
    assert!(ran.reported.contains(reported), "{reported}: {}", ran.reported);
    assert_eq!(desk.names(), before);
    assert_eq!(desk.read("link/kept.txt"), "x");
}

#[test]
fn a_map_behind_a_link_is_written_there() {
    let desk = Desk::new();
    desk.write("kept/gw.map.toml", "[map]\nformat = 2\n");
    fs::create_dir(desk.path("maps")).expect("a folder");
    std::os::unix::fs::symlink("../kept/gw.map.toml", desk.path("maps/gw.map.toml")).expect("a link");
    desk.run_to(0, "map gw.xml --to osier/8@2.1 -o maps/gw.map.toml");
    assert!(fs::symlink_metadata(desk.path("maps/gw.map.toml")).expect("there").is_symlink());
    assert!(desk.read("kept/gw.map.toml").contains("[ports]"));
}

/// One of two runs to one place is told that the other is at work; what comes of it is one of both, whole.
#[test]
fn two_runs_to_one_place_do_not_meet() {
    let desk = Desk::new();
    desk.write("large.xml", large());
    for _ in 0..6 {
        let start =
            || desk.command("carry large.xml --to osier/16@2.1 -o out --replace").output().expect("runs");
        let (one, other) = std::thread::scope(|scope| {
            let second = scope.spawn(start);
            (start(), second.join().expect("no panic"))
        });
        for ran in [&one, &other] {
            let err = String::from_utf8_lossy(&ran.stderr);
            assert!(ran.status.success() || err.contains("another run is writing to `out`"), "{err}");
        }
        assert!(one.status.success() || other.status.success());
        assert_whole(&desk);
        assert_eq!(desk.names(), ["gw.xml", "large.xml", "out"]);
    }
}

/// A run that is told to end takes with it what it had begun, and ends as the signal wants it.
#[rstest]
#[case(Signal::INT)]
#[case(Signal::TERM)]
#[case(Signal::HUP)]
fn a_signal_leaves_nothing_behind(#[case] signal: Signal) {
    use std::os::unix::process::ExitStatusExt as _;
    let desk = Desk::new();
    desk.write("large.xml", large());
    let mut met = 0;
    for seen in MOMENTS {
        let mut command = desk.command("carry large.xml --to osier/16@2.1 -o out");
        let null = std::process::Stdio::null;
        let mut child = command.stdout(null()).stderr(null()).spawn().expect("runs");
        wait_for(&desk, &mut child, seen);
        let _ = rustix::process::kill_process(rustix::process::Pid::from_child(&child), signal);
        let ended = child.wait().expect("ended");
        met += usize::from(ended.signal() == Some(signal.as_raw()));
        let left = desk.names();
        let left: Vec<&String> = left.iter().filter(|name| name.starts_with('.')).collect();
        assert!(left.is_empty(), "{left:?}");
        if desk.path("out").exists() {
            assert_whole(&desk);
            fs::remove_dir_all(desk.path("out")).expect("removed");
        }
    }
    assert!(met > 0, "no run was met");
}

/// The files of a server, as a folder.
fn server(desk: &Desk) {
    desk.write("sl/PG_VERSION", "15\n");
    desk.write("sl/postgresql.conf", "port = 5433\ninclude_dir 'conf.d'\n");
    desk.write("sl/pg_hba.conf", "local all all peer\n");
    desk.write("sl/conf.d/00.conf", "log_min_messages = info\n");
    desk.write("site.conf", "work_mem = 64MB\n");
}

/// A link in a folder is followed or told; what it leads to is never lost in silence.
#[rstest]
#[case::outside(
    "../../site.conf",
    "",
    3,
    "blocker[link-outside]: `conf.d/10.conf` is a link out of the folder",
    false
)]
#[case::outside_and_followed(
    "../../site.conf",
    "--follow-links",
    0,
    "note[link-followed]: 1 link was followed",
    true
)]
#[case::inside("../spare.conf", "", 0, "note[link-followed]", true)]
#[case::to_nowhere("gone.conf", "", 3, "blocker[entry-unreadable]: `conf.d/10.conf` cannot be read", false)]
fn a_link_is_followed_or_reported(
    #[case] to: &str,
    #[case] more: &str,
    #[case] status: i32,
    #[case] reported: &str,
    #[case] is_read: bool,
) {
    let desk = Desk::new();
    server(&desk);
    desk.write("sl/spare.conf", "work_mem = 64MB\n");
    std::os::unix::fs::symlink(to, desk.path("sl/conf.d/10.conf")).expect("a link");
    let ran = desk.run_to(status, &format!("carry sl --to postgresql@16 -o out {more}"));
    assert!(ran.reported.contains(reported), "{}", ran.reported);
    let is_there = desk.read("out/ledger.jsonl").contains("main/work_mem");
    assert_eq!(is_there, is_read);
    // What cannot be read blocks a carry; a survey of it fails.
    let surveyed = desk.run_to(status.min(1), &format!("survey sl {more}"));
    assert!(surveyed.reported.contains(reported), "{}", surveyed.reported);
}

#[test]
fn a_member_that_is_a_link_is_read_and_one_around_is_reported() {
    let desk = Desk::new();
    server(&desk);
    desk.write("sl/old.conf", desk.read("sl/postgresql.conf"));
    fs::remove_file(desk.path("sl/postgresql.conf")).expect("removed");
    std::os::unix::fs::symlink("old.conf", desk.path("sl/postgresql.conf")).expect("a link");
    std::os::unix::fs::symlink("..", desk.path("sl/conf.d/up")).expect("a link");
    let ran = desk.run_to(0, "carry sl --to postgresql@16 -o out");
    assert!(
        ran.reported.contains("note[entry-passed-over]: `conf.d/up` is a link to a folder that contains it"),
        "{}",
        ran.reported
    );
    assert!(desk.read("out/ledger.jsonl").contains("main/port"));
}

/// What should be text and is none is told with its byte; nothing of it becomes a name or is lost.
#[rstest]
#[case("sl/postgresql.conf", "# caf\u{e9}\nssl_passphrase_command = 'hunter2'\n")]
#[case("sl/conf.d/10.conf", "# caf\u{e9}\nssl_passphrase_command = 'hunter2'\n")]
fn a_member_in_another_character_set_blocks(#[case] name: &str, #[case] text: &str) {
    let desk = Desk::new();
    server(&desk);
    let latin: Vec<u8> = text.chars().map(|c| u8::try_from(u32::from(c)).expect("Latin-1")).collect();
    desk.write(name, latin);
    for line in ["survey sl", "carry sl --to postgresql@16 -o out"] {
        let ran = desk.run_to(1, line);
        assert!(
            ran.reported.contains("found the byte `E9`") && ran.reported.contains("--charset"),
            "{}",
            ran.reported
        );
        assert!(ran.reported.contains(&format!("--> {name}:1:6")), "{}", ran.reported);
        assert!(!ran.reported.contains("hunter2"));
    }
    desk.run_to(0, "survey sl --charset latin1");
}

/// A few kilobytes of files that include one another ten times each.
#[rstest]
#[case("sl/postgresql.conf", "sl/f{n}.conf", "include 'f{n}.conf'\n", "survey sl")]
#[case("net/interfaces", "net/f{n}", "source f{n}\n", "survey net")]
fn includes_are_bounded(#[case] first: &str, #[case] file: &str, #[case] line: &str, #[case] command: &str) {
    let desk = Desk::new();
    server(&desk);
    let of = |pattern: &str, number: usize| pattern.replace("{n}", &number.to_string());
    desk.write(first, of(line, 0));
    for number in 0..9 {
        desk.write(&of(file, number), of(line, number + 1).repeat(10));
    }
    desk.write(&of(file, 9), "# the last\n");
    let ran = desk.run_to(1, command);
    assert!(ran.reported.contains("files are included so often"), "{}", ran.reported);
}

/// What a run has put beside the backup, or into what it makes, by the time that it is met; nothing yet at first.
const MOMENTS: [&str; 7] = ["", ".", "ledger.jsonl", "map.toml", "gw-wrackhaven.json", "receipt.json", "out"];

/// Waits until something of that name is there, however long that takes, or the run has ended.
fn wait_for(desk: &Desk, child: &mut std::process::Child, seen: &str) {
    let is_there = || {
        let hidden = desk.names().into_iter().filter(|name| name.starts_with('.'));
        // It may go while it is looked at, and a lock is no folder.
        let entries =
            hidden.clone().filter_map(|folder| fs::read_dir(desk.path(&folder)).ok()).flatten().flatten();
        let mut inside = entries.map(|entry| entry.file_name().to_string_lossy().into_owned());
        match seen {
            "" => true,
            "." => hidden.count() > 0,
            "out" => desk.path("out").exists(),
            file => inside.any(|name| name.ends_with(file)),
        }
    };
    while !is_there() && child.try_wait().expect("a run").is_none() {
        std::thread::yield_now();
    }
}

/// A backup that takes a moment: very many VLANs.
fn large() -> String {
    let (head, tail) = WRACKHAVEN.split_once("<link id=\"f1\"").expect("a link");
    let vlans = (2..4_000).map(|id| {
        format!("<link id=\"p1.{id}\" on=\"yes\"><side>inner</side><mtu>1500</mtu><note>a</note></link>\n")
    });
    format!("{head}{}<link id=\"f1\"{tail}", vlans.collect::<String>())
}

/// Whatever the moment it is killed at, the folder is absent or whole, and the next run clears up.
#[test]
fn killing_a_carry_leaves_no_half_folder() {
    let desk = Desk::new();
    desk.write("large.xml", large());
    let line = "carry large.xml --to osier/16@2.1 -o out";
    for seen in MOMENTS {
        let mut child = desk
            .command(line)
            .stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .expect("runs");
        wait_for(&desk, &mut child, seen);
        child.kill().expect("killed");
        child.wait().expect("ended");
        if desk.path("out").exists() {
            assert_whole(&desk);
            fs::remove_dir_all(desk.path("out")).expect("removed");
        }
    }
    desk.run_to(0, line);
    assert_whole(&desk);
    assert_eq!(desk.names(), ["gw.xml", "large.xml", "out"], "what the killed runs left is gone");
}

fn assert_whole(desk: &Desk) {
    let receipt: Value = serde_json::from_str(&desk.read("out/receipt.json")).expect("a receipt");
    for output in receipt["outputs"].as_array().expect("outputs") {
        let file = output["file"].as_str().expect("a name");
        let bytes = fs::metadata(desk.path("out").join(file)).expect("there").len();
        assert_eq!(output["bytes"], bytes, "{file}");
    }
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_disk_leaves_nothing() {
    let desk = Desk::new();
    let shell = format!(
        "ulimit -f 8; trap '' XFSZ; exec {} carry gw.xml --to osier/8@2.1 -o out",
        env!("CARGO_BIN_EXE_fordcross")
    );
    let ran = Command::new("sh").args(["-c", &shell]).current_dir(desk.path(".")).output().expect("runs");
    assert_eq!(ran.status.code(), Some(1), "{}", String::from_utf8_lossy(&ran.stderr));
    assert!(
        String::from_utf8_lossy(&ran.stderr).contains("cannot write"),
        "{}",
        String::from_utf8_lossy(&ran.stderr)
    );
    assert_eq!(desk.names(), ["gw.xml"]);
}

/// An archive of a folder as it is: a link in it is read where it leads, one that leads out is told, and messages name each file as
/// the archive does.
#[rstest]
#[case::inside(
    "../../spare.conf",
    0,
    "note[link-followed]: 1 link was followed; the first is `etc/sl/conf.d/10.conf`",
    true
)]
#[case::outside(
    "/run/gone.conf",
    3,
    "etc/sl/conf.d/10.conf` is a link to `/run/gone.conf`, which is not in the archive",
    false
)]
fn an_archive_with_a_link(
    #[case] to: &str,
    #[case] status: i32,
    #[case] reported: &str,
    #[case] is_read: bool,
) {
    let desk = Desk::new();
    server(&desk);
    desk.write("sl/postgresql.conf", "max_connections = 10\ninclude_dir 'conf.d'\nno_such = 1\n");
    fs::create_dir(desk.path("etc")).expect("a folder");
    desk.write("etc/spare.conf", "work_mem = 64MB\n");
    std::os::unix::fs::symlink(to, desk.path("sl/conf.d/10.conf")).expect("a link");
    fs::rename(desk.path("sl"), desk.path("etc/sl")).expect("moved");
    let packed = Command::new("tar").args(["-cf", "etc.tar", "etc"]).current_dir(desk.path("")).status();
    assert!(packed.expect("tar is there").success());
    let ran = desk.run_to(status, "carry etc.tar --to postgresql@16 -o out");
    assert!(ran.reported.contains(reported), "{}", ran.reported);
    assert!(ran.reported.contains("--> etc.tar/etc/sl/postgresql.conf:3:1"), "{}", ran.reported);
    assert_eq!(desk.read("out/ledger.jsonl").contains("main/work_mem"), is_read);
}

/// A base may lie in two folders, as a backup may.
#[test]
fn a_base_in_two_folders() {
    let desk = Desk::new();
    server(&desk);
    fs::create_dir_all(desk.path("etc/main")).expect("a folder");
    fs::create_dir_all(desk.path("data/main")).expect("a folder");
    desk.write("etc/main/postgresql.conf", "work_mem = 8MB\n");
    desk.write("data/main/postgresql.auto.conf", "maintenance_work_mem = 96MB\n");
    desk.write("data/main/PG_VERSION", "16\n");
    desk.run_to(0, "carry sl --to postgresql@16 --base etc/main --base data/main -o out");
    let ledger = desk.read("out/ledger.jsonl");
    assert!(ledger.contains("96MB") && ledger.contains("8MB"), "both are base: {ledger}");
}
