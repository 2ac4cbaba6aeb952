//! The program under attack: killed at its system calls, raced against itself, given damaged backups, searched for secrets
//! that got out. A few of each here; `cargo xtask campaign attacked` does thousands.

mod canaries;
mod growth;
mod kills;
mod mutations;
mod races;

use serde_json::Value;
use std::fs;
use std::path::Path;
use std::process::{Command, Output};

pub(crate) const WRACKHAVEN: &str = include_str!("../../../../demo/wrackhaven/gw-wrackhaven.xml");

/// A number from the surroundings.
pub(crate) fn number_of(name: &str, usual: u64) -> u64 {
    std::env::var(name).ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}

/// Keeps figures, where a campaign asks for them: `FORDCROSS_FIGURES` is the folder.
pub(crate) fn keep(name: &str, figures: &[(&str, usize)]) {
    let Some(folder) = std::env::var_os("FORDCROSS_FIGURES") else { return };
    let lines: String = figures.iter().map(|(what, count)| format!("{what} = {count}\n")).collect();
    let seed = number_of("FORDCROSS_SEED", 16);
    let path = Path::new(&folder).join(format!("attacked-{name}.toml"));
    fs::write(path, format!("seed = {seed}\n{lines}")).expect("written");
}

pub(crate) fn program(folder: &Path, line: &str) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_fordcross"));
    command.current_dir(folder).args(line.split_whitespace());
    command
}

pub(crate) fn run(folder: &Path, line: &str) -> Output {
    program(folder, line).output().expect("the program runs")
}

/// What is wrong with a folder of results: each file of its receipt is there with its hash, and nothing else.
pub(crate) fn wrong_with(folder: &Path) -> Option<String> {
    let Ok(receipt) = fs::read(folder.join("receipt.json")) else { return Some("no receipt".into()) };
    let Ok(receipt) = serde_json::from_slice::<Value>(&receipt) else { return Some("half a receipt".into()) };
    let mut listed = vec!["receipt.json".to_owned()];
    for output in receipt["outputs"].as_array().into_iter().flatten() {
        let name = output["file"].as_str().unwrap_or_default();
        let bytes = fs::read(folder.join(name)).unwrap_or_default();
        if blake3::hash(&bytes).to_hex().as_str() != output["blake3"] {
            return Some(format!("`{name}` is not what the receipt says"));
        }
        listed.push(name.to_owned());
    }
    let is_listed = |name: &String| listed.iter().any(|known| known.split('/').next() == Some(name));
    let others = names(folder).into_iter().find(|name| !is_listed(name));
    others.map(|name| format!("`{name}` is not listed"))
}

pub(crate) fn names(folder: &Path) -> Vec<String> {
    let entries = fs::read_dir(folder).expect("a folder");
    let mut names: Vec<String> =
        entries.map(|entry| entry.expect("an entry").file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    names
}
