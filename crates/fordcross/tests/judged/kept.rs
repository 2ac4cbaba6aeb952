//! Figures that a campaign keeps, and what it is told.

use std::fs;
use std::path::Path;

/// A number from the surroundings.
pub(crate) fn number_of(name: &str, usual: u64) -> u64 {
    std::env::var(name).ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}

/// Keeps figures, where a campaign asks for them: `FORDCROSS_FIGURES` is the folder. `of` are the profiles and crossings
/// that they were measured with.
pub(crate) fn keep_figures(name: &str, of: &[&str], figures: &[(&str, usize)]) {
    let Some(folder) = std::env::var_os("FORDCROSS_FIGURES") else { return };
    let lines: String = figures.iter().map(|(what, count)| format!("{what} = {count}\n")).collect();
    let path = Path::new(&folder).join(format!("{name}.toml"));
    let seed = number_of("FORDCROSS_SEED", 15);
    fs::write(path, format!("of = \"{}\"\nseed = {seed}\n{lines}", hash(of))).expect("written");
}

/// Comments and blank lines decide nothing, nor does what is said of the work around a change.
pub(crate) fn hash(of: &[&str]) -> String {
    let mut hasher = blake3::Hasher::new();
    for text in of {
        let mut decides = true;
        for line in text.lines().filter(|line| !line.is_empty() && !line.starts_with('#')) {
            if line.starts_with('[') {
                decides = !["[[step]]", "[[install]]", "[[trial]]"].contains(&line);
            }
            if decides {
                hasher.update(line.as_bytes()).update(b"\n");
            }
        }
    }
    hasher.finalize().to_hex()[..16].to_owned()
}
