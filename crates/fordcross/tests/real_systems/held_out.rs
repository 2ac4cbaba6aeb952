//! Configurations of host networks that nobody looked at while the crossing was written: what ifupdown makes of each is
//! compared with what netplan makes of the result.

use crate::carried::{Carried, attempt, map_with_same_names};
use crate::facts::{Facts, of_new, of_old};
use crate::networks::{TO, units};
use crate::programs::{run, said};
use serde_json::Value;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

/// What became of one configuration.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Outcome {
    /// The network is the same.
    Same,
    /// It is another, and a person is told where.
    Told,
    /// It is another, and nobody is told.
    Silent,
    /// Nothing was written.
    Blocked,
    /// netplan refuses the result.
    Refused,
}

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/real_systems/held_out")
}

/// Pieces of a file by their names.
fn pieces(name: &str) -> Vec<(String, String)> {
    let text = fs::read_to_string(folder().join(name)).expect("a file");
    let piece = |piece: &str| {
        let (head, body) = piece.split_once('\n').unwrap_or((piece, ""));
        (head.to_owned(), body.to_owned())
    };
    text.split("### ").skip(1).map(piece).collect()
}

/// What `ifup -n` says that it does at the start and where something is plugged in.
fn commands(interfaces: &str) -> String {
    let folder = TempDir::new().expect("a temporary folder");
    let file = folder.path().join("interfaces");
    fs::write(&file, interfaces).expect("written");
    let mut all = String::new();
    for class in ["auto", "hotplug"] {
        let mut command = Command::new("ifup");
        command.args(["-n", "-a", "--allow", class, "-i"]).arg(&file).arg("--state-dir").arg(folder.path());
        let output = run(&mut command);
        let text = said(&output).replace(&folder.path().display().to_string(), "");
        let is_said = |line: &&str| {
            !line.trim().is_empty() && !line.starts_with("run-parts") && !line.contains("modprobe")
        };
        let _ = writeln!(all, "# {class}: status {}", output.status.code().unwrap_or(-1));
        text.lines().map(str::trim_end).filter(is_said).for_each(|line| {
            let _ = writeln!(all, "{line}");
        });
    }
    all
}

/// The old program still makes the same of each; `FORDCROSS_BLESS=1` writes down what it makes.
#[test]
fn ifup_makes_of_each_what_is_kept() {
    let mut made = String::new();
    for (name, interfaces) in pieces("networks.txt") {
        let _ = write!(made, "### {name}\n{}", commands(&interfaces));
    }
    let kept = folder().join("networks.ifup.txt");
    if std::env::var_os("FORDCROSS_BLESS").is_some() {
        fs::write(&kept, &made).expect("written");
    }
    assert_eq!(fs::read_to_string(kept).expect("what is kept"), made);
}

/// Whether a person is told of something about an interface, or of anything where a fact is of none.
fn is_told(carried: &Carried, fact: &str) -> bool {
    let device = fact.split(' ').next().unwrap_or_default();
    let is_of_one = !["rule", "name-server", "-"].contains(&device);
    let is_about = |locator: &str| {
        !is_of_one || locator.split('/').any(|step| step.split([':', '[']).next() == Some(device))
    };
    let is_lost =
        |fate: &Value| ["by-hand", "dropped", "unmatched", "approximated"].iter().any(|lost| *fate == **lost);
    let by_fate = carried
        .rows
        .iter()
        .any(|row| is_lost(&row["fate"]) && is_about(row["locator"].as_str().unwrap_or_default()));
    // Notes say what is there, not what differs.
    let findings =
        carried.printed.split("\n\n").map(str::trim_start).filter(|text| text.starts_with("warning["));
    let mut places = findings.flat_map(str::lines).filter_map(|line| line.trim_start().strip_prefix("--> "));
    by_fate || places.any(|place| place.split_once("  ").is_some_and(|(_, locator)| is_about(locator)))
}

/// What becomes of a configuration, and which facts are on one side only.
fn outcome(interfaces: &str, commands: &str) -> (Outcome, Vec<String>) {
    let folder = TempDir::new().expect("a temporary folder");
    fs::write(folder.path().join("interfaces"), interfaces).expect("written");
    let map = map_with_same_names(folder.path(), TO);
    let carried = attempt(folder.path(), TO, &map, &[]);
    if carried.status != Some(0) {
        return (Outcome::Blocked, Vec::new());
    }
    let Some(root) = units(&carried.ending(".netplan.yaml")) else {
        return (Outcome::Refused, Vec::new());
    };
    let (old, new): (Facts, Facts) = (of_old(commands, interfaces), of_new(root.path()));
    let lost = old.difference(&new).map(|fact| (fact, format!("- {fact}")));
    let added = new.difference(&old).map(|fact| (fact, format!("+ {fact}")));
    let differ: Vec<(&String, String)> = lost.chain(added).collect();
    let silent: Vec<String> =
        differ.iter().filter(|(fact, _)| !is_told(&carried, fact)).map(|(_, said)| said.clone()).collect();
    match (differ.is_empty(), silent.is_empty()) {
        (true, _) => (Outcome::Same, Vec::new()),
        (_, true) => (Outcome::Told, Vec::new()),
        _ => (Outcome::Silent, silent),
    }
}

/// Each configuration has the outcome that is kept; `FORDCROSS_BLESS=1` writes them anew. The list of those that are silent is
/// what is left to do.
#[test]
fn each_network_is_the_same_or_a_person_is_told() {
    let mut found = String::new();
    for ((name, interfaces), (_, commands)) in
        pieces("networks.txt").into_iter().zip(pieces("networks.ifup.txt"))
    {
        let (outcome, silent) = outcome(&interfaces, &commands);
        let _ = writeln!(found, "### {name} {outcome:?}");
        silent.iter().for_each(|fact| {
            let _ = writeln!(found, "{fact}");
        });
    }
    let kept = folder().join("networks.outcomes.txt");
    if std::env::var_os("FORDCROSS_BLESS").is_some() {
        fs::write(&kept, &found).expect("written");
    }
    assert_eq!(fs::read_to_string(kept).unwrap_or_default(), found);
}
