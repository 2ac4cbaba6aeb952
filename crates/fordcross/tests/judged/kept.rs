//! Figures that a campaign keeps, and what it is told.

use std::fs;
use std::path::Path;

/// A number from the surroundings.
pub(crate) fn number_of(name: &str, usual: u64) -> u64 {
    std::env::var(name).ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}

/// Keeps figures, where a campaign asks for them: `FORDCROSS_FIGURES` is the folder.
pub(crate) fn keep_figures(name: &str, figures: &[(&str, usize)]) {
    let Some(folder) = std::env::var_os("FORDCROSS_FIGURES") else { return };
    let lines: String = figures.iter().map(|(what, count)| format!("{what} = {count}\n")).collect();
    let path = Path::new(&folder).join(format!("{name}.toml"));
    fs::write(path, format!("seed = {}\n{lines}", number_of("FORDCROSS_SEED", 15))).expect("written");
}
