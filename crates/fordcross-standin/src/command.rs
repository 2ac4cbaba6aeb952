//! The command line of the stand-ins.

use crate::osier::{Model, Osier};
use crate::{Receiver, Summary};
use clap::{Parser, Subcommand};
use std::ffi::OsString;
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// Simulated receiving systems for trying out what Fordcross writes.
#[derive(Debug, Parser)]
#[command(name = "fordcross-standin", version)]
struct Arguments {
    #[command(subcommand)]
    system: System,
}

#[derive(Debug, Subcommand)]
enum System {
    /// An Osier gateway on 2.1
    #[command(subcommand)]
    Osier(Action),
}

#[derive(Debug, Subcommand)]
enum Action {
    /// Take a configuration, or refuse it and say why
    Load {
        /// The configuration
        file: PathBuf,
        /// The folder that the unit lives in; made if it is not there
        #[arg(long, value_name = "DIR")]
        state: PathBuf,
        /// The unit's model; else it becomes the one that its first configuration is for
        #[arg(long)]
        model: Option<String>,
    },
    /// Print what the unit says of itself
    Export {
        /// The folder that the unit lives in
        #[arg(long, value_name = "DIR")]
        state: PathBuf,
    },
}

/// Runs the program. Exit status: 0 taken; 1 failed; 2 wrong usage; 3 refused.
///
/// # Errors
/// Only that nothing can be printed.
pub fn run<I, T>(arguments: I, out: &mut dyn Write, err: &mut dyn Write) -> io::Result<u8>
where
    I: IntoIterator<Item = T>,
    T: Into<OsString> + Clone,
{
    let arguments = match Arguments::try_parse_from(arguments) {
        Ok(arguments) => arguments,
        Err(error) => {
            return if error.use_stderr() {
                write!(err, "{error}").map(|()| 2)
            } else {
                write!(out, "{error}").map(|()| 0)
            };
        }
    };
    let System::Osier(action) = arguments.system;
    match act(&action) {
        Ok(Answer::Taken(summary)) => {
            writeln!(out, "taken: {}", words(&summary))?;
            Ok(0)
        }
        Ok(Answer::Refused(refusals)) => {
            for refusal in &refusals {
                writeln!(err, "refused: {refusal}")?;
            }
            writeln!(err, "the unit took nothing: {} to put right", refusals.len())?;
            Ok(3)
        }
        Ok(Answer::Export(text)) => {
            out.write_all(text.as_bytes())?;
            Ok(0)
        }
        Err(message) => {
            writeln!(err, "error: {message}")?;
            Ok(1)
        }
    }
}

enum Answer {
    Taken(Summary),
    Refused(Vec<crate::Refusal>),
    Export(String),
}

fn act(action: &Action) -> Result<Answer, String> {
    match action {
        Action::Load { file, state, model } => {
            let model = match model {
                Some(name) => Some(Model::find(name).ok_or_else(|| format!("there is no model `{name}`"))?),
                None => None,
            };
            let text = read(file)?;
            let mut unit = wake(state, model)?;
            match unit.load(&text) {
                Ok(summary) => {
                    let held = unit.export().unwrap_or_default();
                    fs::create_dir_all(state).map_err(|error| format!("{}: {error}", state.display()))?;
                    let target = state.join(HELD);
                    let half = state.join("configuration.half");
                    fs::write(&half, held)
                        .and_then(|()| fs::rename(&half, &target))
                        .map_err(|error| format!("{}: {error}", target.display()))?;
                    Ok(Answer::Taken(summary))
                }
                Err(refusals) => Ok(Answer::Refused(refusals)),
            }
        }
        Action::Export { state } => {
            let unit = wake(state, None)?;
            unit.export()
                .map(Answer::Export)
                .ok_or_else(|| format!("the unit in {} holds nothing yet", state.display()))
        }
    }
}

const HELD: &str = "configuration.json";

/// The unit that lives in a folder.
fn wake(state: &Path, model: Option<Model>) -> Result<Osier, String> {
    let held = state.join(HELD);
    let mut unit = Osier::new(model);
    if held.exists() {
        let text = read(&held)?;
        unit.load(&text).map_err(|refusals| match refusals.first() {
            Some(refusal) => format!("the unit in {} does not wake up: {refusal}", state.display()),
            None => format!("the unit in {} does not wake up", state.display()),
        })?;
    }
    Ok(unit)
}

fn read(path: &Path) -> Result<String, String> {
    fs::read_to_string(path).map_err(|error| format!("{}: {error}", path.display()))
}

fn words(summary: &Summary) -> String {
    let counts: Vec<String> =
        summary.counts.iter().map(|(thing, count)| format!("{thing} {count}")).collect();
    counts.join(", ")
}
