//! Where the real systems are.

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

/// Below it `cargo xtask real-systems` keeps what is no installed package.
pub(crate) fn kept() -> PathBuf {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/real-systems");
    path.canonicalize().unwrap_or_else(|error| {
        panic!("{}: {error}: `cargo xtask real-systems --fetch` fetches the real systems", path.display())
    })
}

/// Files of our own that are judged.
pub(crate) fn own(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/real").join(name)
}

/// Runs a program that must be there.
pub(crate) fn run(command: &mut Command) -> Output {
    command.output().unwrap_or_else(|error| panic!("{command:?}: {error}: see cargo xtask real-systems"))
}

/// What a program wrote, both ways.
pub(crate) fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr)
}

/// Copies a folder with all that is in it.
pub(crate) fn copy(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).expect("a folder");
    for entry in std::fs::read_dir(from).expect("a folder").map(|entry| entry.expect("an entry")) {
        let target = to.join(entry.file_name());
        if entry.file_type().expect("a kind").is_dir() {
            copy(&entry.path(), &target);
        } else {
            std::fs::copy(entry.path(), target).expect("copied");
        }
    }
}
