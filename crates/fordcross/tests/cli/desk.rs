//! A temporary folder to work in, and commands run there.

use fordcross_core::account::row::Row;
use serde_json::Value;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

/// The demo backup of Wrackhaven.
pub(crate) const WRACKHAVEN: &str = include_str!("../../../../demo/wrackhaven/gw-wrackhaven.xml");

/// A temporary folder with the demo backup in it.
pub(crate) struct Desk {
    folder: TempDir,
}

/// What a command did.
pub(crate) struct Ran {
    pub(crate) status: i32,
    pub(crate) out: String,
    pub(crate) err: String,
    /// All that a person is told.
    pub(crate) reported: String,
}

impl Desk {
    pub(crate) fn new() -> Self {
        let desk = Self { folder: TempDir::new().expect("a temporary folder") };
        desk.write("gw.xml", WRACKHAVEN);
        desk
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub(crate) fn write(&self, name: &str, text: impl AsRef<[u8]>) {
        let path = self.path(name);
        fs::create_dir_all(path.parent().expect("inside the folder")).expect("a folder");
        fs::write(path, text).expect("written");
    }

    pub(crate) fn read(&self, name: &str) -> String {
        fs::read_to_string(self.path(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }

    pub(crate) fn command(&self, line: &str) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_fordcross"));
        command.current_dir(self.folder.path()).args(line.split_whitespace());
        // Ages are counted to one day, whenever the tests run.
        if !line.contains("--today") {
            command.args(["--today", "2026-11-25"]);
        }
        command.env_remove("NO_COLOR").env_remove("CLICOLOR_FORCE");
        command.env("XDG_CONFIG_HOME", self.folder.path().join("configuration"));
        command
    }

    /// Runs `fordcross` with these arguments.
    pub(crate) fn run(&self, line: &str) -> Ran {
        let output = self.command(line).output().expect("the program runs");
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).expect("UTF-8 is printed");
        let (out, err) = (text(output.stdout), text(output.stderr));
        Ran { status: output.status.code().unwrap_or(-1), reported: format!("{out}{err}"), out, err }
    }

    /// Runs a command that must end with this status.
    #[track_caller]
    pub(crate) fn run_to(&self, status: i32, line: &str) -> Ran {
        let ran = self.run(line);
        assert_eq!(ran.status, status, "{line}\n{}{}", ran.out, ran.err);
        ran
    }

    /// Carries the demo backup into `out`, with more arguments.
    #[track_caller]
    pub(crate) fn carry(&self, more: &str) -> Ran {
        self.run_to(0, &format!("carry gw.xml --to osier/8@2.1 -o out {more}"))
    }

    /// The rows of a ledger.
    pub(crate) fn ledger(&self, folder: &str) -> Vec<Value> {
        let text = self.read(&format!("{folder}/ledger.jsonl"));
        let row = |line: &str| {
            // Whoever reads it and whoever writes it mean the same by each byte.
            let typed = Row::read(line).unwrap_or_else(|error| panic!("{error}: {line}"));
            assert_eq!(typed.write().expect("a row"), line);
            serde_json::from_str(line).expect("a row is JSON")
        };
        text.lines().map(row).collect()
    }

    /// The names in the folder, hidden ones too.
    pub(crate) fn names(&self) -> Vec<String> {
        names_in(self.folder.path())
    }
}

pub(crate) fn names_in(folder: &Path) -> Vec<String> {
    let mut names: Vec<String> = fs::read_dir(folder)
        .expect("a folder")
        .map(|entry| entry.expect("an entry").file_name().to_string_lossy().into_owned())
        .collect();
    names.sort();
    names
}

/// Loads a configuration into a fresh stand-in.
pub(crate) fn stand_in(desk: &Desk, file: &str) -> Ran {
    let (mut out, mut err) = (Vec::new(), Vec::new());
    let (file, state) = (desk.path(file), desk.path("unit"));
    let arguments = [
        "fordcross-standin".as_ref(),
        "osier".as_ref(),
        "load".as_ref(),
        file.as_os_str(),
        "--state".as_ref(),
        state.as_os_str(),
    ];
    let status = fordcross_standin::run(arguments, &mut out, &mut err).expect("printed");
    let text = |bytes| String::from_utf8(bytes).expect("UTF-8");
    let (out, err) = (text(out), text(err));
    Ran { status: status.into(), reported: format!("{out}{err}"), out, err }
}
