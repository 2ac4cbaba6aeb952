//! What holds of the sources and no compiler says.

use crate::workspace::root;
use std::fs;
use std::path::{Path, PathBuf};

fn sources(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path());
    let (folders, files): (Vec<PathBuf>, Vec<PathBuf>) = entries.partition(|path| path.is_dir());
    let files = files.into_iter().filter(|path| path.extension().is_some_and(|ending| ending == "rs"));
    files.chain(folders.iter().flat_map(|folder| sources(folder))).collect()
}

/// How something is said is for the command line to know: the core has a remedy for it. Options of other programs are theirs, and
/// the smallest examples of findings are whole commands.
#[test]
fn the_core_names_no_option() {
    let mut found = Vec::new();
    for path in sources(&root().join("crates/fordcross-core/src")) {
        if path.ends_with("finding/examples.rs") {
            continue;
        }
        let text = fs::read_to_string(&path).expect("a text");
        let code = text.lines().zip(1..).filter(|(line, _)| !line.trim_start().starts_with("//"));
        let named = code.filter(|(line, _)| {
            // Two hyphens alone are XML's.
            let mut words = line.split('`').filter_map(|word| word.strip_prefix("--"));
            words.any(|word| word.starts_with(|c: char| c.is_ascii_lowercase()))
                || line.contains("FORDCROSS_")
        });
        found.extend(named.map(|(line, number)| format!("{}:{number}: {}", path.display(), line.trim())));
    }
    assert!(found.is_empty(), "{found:#?}");
}
