//! Results are whole or absent, and only their owner can read them.

use crate::desk::{Desk, WRACKHAVEN, names_in};
use serde_json::Value;
use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::time::Duration;

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
    assert!(ran.err.contains("add `--replace`"), "{}", ran.err);
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
        assert!(ran.err.contains("is not empty"), "{}", ran.err);
    }
    assert_eq!(names_in(&desk.path("out")), ["letter.txt"]);
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
    for step in 0..16_u64 {
        let mut child = desk
            .command(line)
            .stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .expect("runs");
        std::thread::sleep(Duration::from_millis(25 * step));
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
    let ran = std::process::Command::new("sh")
        .args(["-c", &shell])
        .current_dir(desk.path("."))
        .output()
        .expect("runs");
    assert_eq!(ran.status.code(), Some(1), "{}", String::from_utf8_lossy(&ran.stderr));
    assert!(
        String::from_utf8_lossy(&ran.stderr).contains("cannot write"),
        "{}",
        String::from_utf8_lossy(&ran.stderr)
    );
    assert_eq!(desk.names(), ["gw.xml"]);
}
