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
    let crates = ["crates/fordcross-core/src", "crates/fordcross-formats/src"];
    for path in crates.iter().flat_map(|folder| sources(&root().join(folder))) {
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

/// Whatever depends on the format of a file is in the folder of that format: a match on formats anywhere else would let a new one take
/// the way of another.
#[test]
fn no_format_is_named_outside_its_folder() {
    let mut found = Vec::new();
    for name in ["fordcross-core", "fordcross-formats", "fordcross"] {
        for path in sources(&root().join("crates").join(name).join("src")) {
            let text = fs::read_to_string(&path).expect("a text");
            let folder = path.strip_prefix(root().join("crates/fordcross-formats/src/format"));
            // The enum itself, and the output formats of commands, which are none of files.
            if folder.is_ok() || path.ends_with("fordcross/src/commands/ledger.rs") {
                continue;
            }
            let named = text
                .split("Format::")
                .skip(1)
                .filter(|rest| rest.starts_with(|c: char| c.is_uppercase()) && !rest.starts_with("ALL"));
            found.extend(named.map(|rest| format!("{}: {}", path.display(), &rest[..rest.len().min(20)])));
        }
    }
    assert!(found.is_empty(), "{found:#?}");
}

/// Each format's variant is named in its own folder alone, and in the list of all.
#[test]
fn a_format_is_named_in_its_own_folder() {
    let formats = root().join("crates/fordcross-formats/src/format");
    let mut seen = 0;
    for path in sources(&formats).iter().filter(|path| !path.ends_with("format/mod.rs")) {
        let folder = path.strip_prefix(&formats).expect("inside").iter().next().expect("a folder");
        let text = fs::read_to_string(path).expect("a text");
        for rest in text.split("Format::").skip(1).filter(|rest| rest.starts_with(|c: char| c.is_uppercase()))
        {
            let variant: String = rest.chars().take_while(|c| c.is_alphanumeric()).collect();
            if variant == "ALL" {
                continue;
            }
            assert_eq!(variant.to_lowercase(), folder.to_string_lossy(), "{}", path.display());
            seen += 1;
        }
    }
    assert!(seen >= 10, "each format says which it is: {seen}");
}
