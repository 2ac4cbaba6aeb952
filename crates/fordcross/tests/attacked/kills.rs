//! Killed at any system call: the results are absent, as they were, or whole, and the next run makes them.

use crate::{WRACKHAVEN, keep, names, number_of, run, wrong_with};
use std::fs;
use std::path::Path;
use std::process::Command;

/// Whether there is a tracer; without one nothing can be met at a system call.
fn has_tracer() -> bool {
    Command::new("strace").arg("--version").output().is_ok_and(|ran| ran.status.success())
}

/// The system calls of the first thread, each with how often there was one like it before it, and itself.
fn calls_in(trace: &str) -> Vec<(String, usize)> {
    let first = trace.split_whitespace().next().unwrap_or_default();
    let mut calls: Vec<(String, usize)> = Vec::new();
    for line in trace.lines() {
        let Some(call) = line.strip_prefix(first).and_then(|rest| rest.trim_start().split_once('(')) else {
            continue;
        };
        let is_name =
            call.0.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'_');
        // What is run to begin with, and what ends it, are no calls to be met at.
        if is_name && !matches!(call.0, "execve" | "exit_group" | "exit") {
            let nth = calls.iter().filter(|(known, _)| known == call.0).count() + 1;
            calls.push((call.0.to_owned(), nth));
        }
    }
    calls
}

/// Runs the program under a tracer.
fn traced(folder: &Path, options: &[String], line: &str) -> String {
    let ran = Command::new("strace")
        .args(["-f", "-q", "-o", "trace"])
        .args(options)
        .arg(env!("CARGO_BIN_EXE_fordcross"))
        .args(line.split_whitespace())
        .current_dir(folder)
        .output()
        .expect("the tracer runs");
    drop(ran);
    let trace = fs::read_to_string(folder.join("trace")).unwrap_or_default();
    let _ = fs::remove_file(folder.join("trace"));
    trace
}

#[test]
fn a_kill_leaves_all_or_nothing() {
    if !has_tracer() {
        return;
    }
    let desk = tempfile::tempdir().expect("a folder");
    let folder = desk.path();
    fs::write(folder.join("gw.xml"), WRACKHAVEN).expect("written");
    let (old, new) =
        ("carry gw.xml --to osier/16@2.1 -o out", "carry gw.xml --to osier/8@2.1 -o out --replace");
    // The calls of an undisturbed run, as the first thread makes them.
    run(folder, old);
    let trace = traced(folder, &[], new);
    let calls = calls_in(&trace);
    assert!(calls.len() > 80, "{trace}");
    fs::remove_dir_all(folder.join("out")).expect("removed");
    let kills = number_of("FORDCROSS_KILLS", 16) as usize;
    let mut random = fastrand::Rng::with_seed(number_of("FORDCROSS_SEED", 16));
    let (mut met, mut absent, mut before, mut after) = (0, 0, 0, 0);
    for number in 0..kills {
        let replaces = number % 2 == 0;
        if replaces {
            assert!(run(folder, old).status.success());
        }
        // Half of them where files are made and put in place.
        let from = if number % 4 < 2 { 0 } else { calls.len() / 3 * 2 };
        let (call, nth) = &calls[random.usize(from..calls.len())];
        let at = format!("{call} {nth}");
        let inject = format!("inject={call}:signal=KILL:when={nth}");
        let trace = traced(folder, &["-e".into(), inject], new);
        let was_met = trace.contains("killed by SIGKILL");
        met += usize::from(was_met);
        let out = folder.join("out");
        if out.exists() {
            assert_eq!(wrong_with(&out), None, "killed at {at}");
            let receipt = fs::read_to_string(out.join("receipt.json")).expect("a receipt");
            if receipt.contains("\"osier/8@2.1\"") {
                after += 1;
            } else {
                before += 1;
            }
            assert!(replaces || receipt.contains("\"osier/8@2.1\""));
        } else {
            assert!(!replaces, "what was there is there: killed at {at}");
            absent += 1;
        }
        assert_eq!(fs::read(folder.join("gw.xml")).expect("there"), WRACKHAVEN.as_bytes());
        // The next run clears away what was left, and does its work.
        let again = run(folder, new);
        assert!(again.status.success(), "{}", String::from_utf8_lossy(&again.stderr));
        assert_eq!(names(folder), ["gw.xml", "out"], "killed at {at}");
        fs::remove_dir_all(&out).expect("removed");
    }
    assert!(met * 2 > kills, "most are met: {met} of {kills}");
    keep(
        "kills",
        &[("kills", met), ("absent", absent), ("as-before", before), ("whole", after), ("half", 0)],
    );
}
