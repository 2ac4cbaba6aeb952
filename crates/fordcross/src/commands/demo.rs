//! `demo`: a full example on made-up data, each command shown as a person would type it.

use crate::arguments::Demo;
use crate::output::{BOLD, DIM, Printer};
use crate::status::{Failed, Status};
use std::path::{Path, PathBuf};
use std::{env, fs, io};

/// The backup of one landing stage.
const BACKUP: &str = "gw-wrackhaven.xml";
const BACKUP_TEXT: &str = include_str!("../../../../demo/wrackhaven/gw-wrackhaven.xml");

/// What is shown: a few words, then the command. `{}` is not expanded: a person can type it as it is.
const STEPS: [(&str, &str); 7] = [
    ("What is this backup, and what is in it?", "fordcross survey gw-wrackhaven.xml"),
    (
        "Which old port becomes which new one? The map file can be edited.",
        "fordcross map gw-wrackhaven.xml --to osier/8@2.1 -o wrackhaven.map.toml",
    ),
    (
        "Convert it. Every setting gets one fate; findings tell a person what to check.",
        "fordcross carry gw-wrackhaven.xml --to osier/8@2.1 --map wrackhaven.map.toml -o wrackhaven",
    ),
    (
        "What was not simply carried over?",
        "fordcross ledger wrackhaven --fate dropped --fate by-hand --fate unmatched --fate approximated",
    ),
    (
        "Where did the new filter rule 13 come from?",
        "fordcross ledger wrackhaven --locator 'filter/rules[#13]*'",
    ),
    (
        "Does the new unit accept it? A simulated one, with a strict reader of its own:",
        "fordcross-standin osier load wrackhaven/gw-wrackhaven.osier.json --state unit",
    ),
    (
        "And what does its own export say then?",
        "fordcross-standin osier export --state unit > wrackhaven.export.json",
    ),
];

pub(crate) fn demo(options: &Demo, printer: &mut Printer<'_>) -> Result<Status, Failed> {
    let folder = match &options.folder {
        Some(folder) if folder.exists() => {
            return Err(Failed::message(format!("`{}` already exists", folder.display()))
                .help("name a folder that does not exist yet, or none"));
        }
        Some(folder) => folder.clone(),
        None => fresh_folder(),
    };
    let failed = |error: io::Error| Failed::file(&folder, "make the folder", &error);
    fs::create_dir_all(&folder).map_err(failed)?;
    let home = env::current_dir().map_err(failed)?;
    let folder_shown = folder.display().to_string();
    env::set_current_dir(&folder).map_err(failed)?;
    let ended = run_steps(printer, &folder_shown);
    env::set_current_dir(home).map_err(failed)?;
    ended?;
    printer.line(&format!("{BOLD}The results are in {folder_shown}{BOLD:#}"))?;
    for (file, what) in RESULTS {
        printer.line(&format!("  {file:<36} {what}"))?;
    }
    printer.line("\nEdit wrackhaven.map.toml there, carry again with `--replace`, and see what changes.")?;
    Ok(Status::Done)
}

const RESULTS: [(&str, &str); 7] = [
    ("gw-wrackhaven.xml", "the backup of the old gateway"),
    ("wrackhaven.map.toml", "which old port becomes which new one"),
    ("wrackhaven/gw-wrackhaven.osier.json", "the configuration for the new gateway"),
    ("wrackhaven/ledger.jsonl", "every setting with its fate, one a line"),
    ("wrackhaven/map.toml", "the map as it was used"),
    ("wrackhaven/receipt.json", "hashes of all inputs and outputs"),
    ("wrackhaven.export.json", "what the simulated unit exports"),
];

fn run_steps(printer: &mut Printer<'_>, folder: &str) -> Result<(), Failed> {
    fs::write(BACKUP, BACKUP_TEXT).map_err(|error| Failed::file(Path::new(BACKUP), "write", &error))?;
    printer.line(&format!(
        "Marrowby Ferries replaces the gateway at Wrackhaven: a Teasel 20 on 4.6 gives way to an Osier 8 on 2.1.\nAll of it is made up. The work is done in {folder}.\n"
    ))?;
    for (number, (words, command)) in STEPS.iter().enumerate() {
        printer.line(&format!("{DIM}# {}. {words}{DIM:#}\n{BOLD}$ {command}{BOLD:#}", number + 1))?;
        printer.out.flush()?;
        perform(command, printer)?;
        printer.out.flush()?;
        printer.line("")?;
    }
    Ok(())
}

/// Runs one command line as a shell would, with the same code as the programs.
fn perform(command: &str, printer: &mut Printer<'_>) -> Result<(), Failed> {
    let (command, redirect) = match command.split_once(" > ") {
        Some((command, file)) => (command, Some(file)),
        None => (command, None),
    };
    let words: Vec<&str> = command.split(' ').map(|word| word.trim_matches('\'')).collect();
    let mut kept = Vec::new();
    let status = {
        let out: &mut dyn io::Write = if redirect.is_some() { &mut kept } else { &mut *printer.out };
        if words[0] == "fordcross-standin" {
            fordcross_standin::run(words, out, &mut *printer.err)?
        } else {
            crate::run(words, &mut io::empty(), out, &mut *printer.err)
        }
    };
    if let Some(file) = redirect {
        fs::write(file, kept).map_err(|error| Failed::file(Path::new(file), "write", &error))?;
    }
    if status != 0 {
        return Err(Failed::message(format!("a step of the demonstration ended with status {status}")));
    }
    Ok(())
}

/// `fordcross-demo`, or the first of `fordcross-demo-2`, `-3` … that is not there.
fn fresh_folder() -> PathBuf {
    let numbered = (2..).map(|number| PathBuf::from(format!("fordcross-demo-{number}")));
    std::iter::once(PathBuf::from("fordcross-demo"))
        .chain(numbered)
        .find(|path| !path.exists())
        .unwrap_or_default()
}
