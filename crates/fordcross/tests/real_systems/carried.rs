//! Carrying by the built program, and what the ledger says.

use crate::programs::{run, said};
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

/// The fates after which nobody has to do anything.
pub(crate) const AUTOMATIC: [&str; 5] = ["carried", "remapped", "recast", "folded", "moot"];

/// A finished carry.
pub(crate) struct Carried {
    folder: TempDir,
    pub(crate) status: Option<i32>,
    /// What was printed.
    pub(crate) printed: String,
    pub(crate) rows: Vec<Value>,
}

/// Carries a backup by a map, which is the whole text of a map file. `more` are further arguments.
#[track_caller]
pub(crate) fn carry(backup: &Path, to: &str, map: &str, more: &[&str]) -> Carried {
    let carried = attempt(backup, to, map, more);
    assert_eq!(carried.status, Some(0), "{}: {}", backup.display(), carried.printed);
    let unmatched = carried.of_fate("unmatched");
    assert!(unmatched.is_empty(), "{}: no rule speaks of {unmatched:?}", backup.display());
    carried
}

/// The same, whatever comes of it.
#[track_caller]
pub(crate) fn attempt(backup: &Path, to: &str, map: &str, more: &[&str]) -> Carried {
    let folder = TempDir::new().expect("a temporary folder");
    std::fs::write(folder.path().join("map.toml"), map).expect("written");
    let mut command = Command::new(env!("CARGO_BIN_EXE_fordcross"));
    command
        .current_dir(folder.path())
        .arg("carry")
        .arg(backup)
        .args(["--to", to, "--map", "map.toml", "-o", "out"]);
    let output = run(command.args(more));
    let printed = said(&output);
    let ledger = std::fs::read_to_string(folder.path().join("out/ledger.jsonl"))
        .unwrap_or_else(|error| panic!("{}: {error}: {printed}", backup.display()));
    let rows: Vec<Value> = ledger.lines().map(|line| serde_json::from_str(line).expect("JSON")).collect();
    Carried { folder, status: output.status.code(), printed, rows }
}

/// The map that is proposed, with a new name for each port that is open.
pub(crate) fn map_with_new_ports(backup: &Path, to: &str) -> String {
    map_with(backup, to, |_, made| format!("\"enp{made}s0\""))
}

/// The same with the name that each port has.
pub(crate) fn map_with_same_names(backup: &Path, to: &str) -> String {
    map_with(
        backup,
        to,
        |old, _| if old.starts_with(['"', '\'']) { old.to_owned() } else { format!("\"{old}\"") },
    )
}

fn map_with(backup: &Path, to: &str, named: impl Fn(&str, usize) -> String) -> String {
    let folder = TempDir::new().expect("a temporary folder");
    let mut command = Command::new(env!("CARGO_BIN_EXE_fordcross"));
    command.current_dir(folder.path()).arg("map").arg(backup).args(["--to", to, "-o", "map.toml"]);
    let output = run(&mut command);
    assert!(output.status.success(), "{}: {}", backup.display(), said(&output));
    let map = std::fs::read_to_string(folder.path().join("map.toml")).expect("a map");
    let mut made = 0;
    let lines = map.lines().map(|line| match line.split_once(" = \"?\"") {
        Some((old, why)) if !old.starts_with('#') && !old.starts_with("ports = {") => {
            made += 1;
            format!("{old} = {}{why}", named(old.trim(), made))
        }
        _ => line.to_owned(),
    });
    lines.collect::<Vec<_>>().join("\n")
}

impl Carried {
    /// The folder with the result.
    pub(crate) fn result(&self) -> PathBuf {
        self.folder.path().join("out")
    }

    /// The only file or folder of the result whose name ends so.
    #[track_caller]
    pub(crate) fn ending(&self, ending: &str) -> PathBuf {
        let entries =
            std::fs::read_dir(self.result()).expect("a folder").map(|entry| entry.expect("an entry").path());
        let found: Vec<PathBuf> = entries.filter(|path| path.to_string_lossy().ends_with(ending)).collect();
        assert_eq!(found.len(), 1, "{found:?}");
        found[0].clone()
    }

    /// The locators of all settings of a fate.
    pub(crate) fn of_fate(&self, fate: &str) -> Vec<&str> {
        let rows = self.rows.iter().filter(|row| row["fate"] == fate && row["kind"] == "setting");
        rows.map(|row| row["locator"].as_str().expect("a locator")).collect()
    }

    /// How many settings had each fate.
    pub(crate) fn counts(&self) -> BTreeMap<String, usize> {
        let mut counts = BTreeMap::new();
        for row in self.rows.iter().filter(|row| row["kind"] == "setting" && row["line"].is_u64()) {
            *counts.entry(row["fate"].as_str().expect("a fate").to_owned()).or_default() += 1;
        }
        counts
    }

    /// How many settings need nobody, of how many: `5/6`.
    pub(crate) fn automatic(&self) -> String {
        let counts = self.counts();
        let of = |fates: &[&str]| fates.iter().filter_map(|fate| counts.get(*fate)).sum::<usize>();
        format!("{}/{}", of(&AUTOMATIC), counts.values().sum::<usize>())
    }

    /// That a text is in nothing but the converted configuration.
    #[track_caller]
    pub(crate) fn keeps_to_itself(&self, secret: &str, configuration: &Path) {
        assert!(!self.printed.contains(secret), "printed: {}", self.printed);
        for name in ["ledger.jsonl", "map.toml", "receipt.json"] {
            let text = std::fs::read_to_string(self.result().join(name)).expect("a file");
            assert!(!text.contains(secret), "{name}");
        }
        let configuration = std::fs::read_to_string(configuration).expect("a file");
        assert!(configuration.contains(secret), "{configuration}");
    }
}
