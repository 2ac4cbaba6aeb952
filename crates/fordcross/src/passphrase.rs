//! Passphrases: from a file, a file descriptor, the environment or the terminal; never an argument, which others
//! on the machine can see.

use crate::arguments::Reading;
use crate::files::read_bounded;
use crate::status::Failed;
use fordcross_core::finding::{Code, Finding};
use fordcross_core::opening::Passphrase;
use std::fs::File;
use std::io::{self, IsTerminal as _};
use std::path::{Path, PathBuf};

/// The variable that a passphrase can be in.
const VARIABLE: &str = "FORDCROSS_PASSPHRASE";
/// The most bytes of a file with a passphrase.
const MAX_PASSPHRASE_BYTES: u64 = 1 << 20;

/// How often a person is asked for one passphrase.
const TRIES: usize = 3;

/// Does what needs the passphrase of an encrypted file: with the one that was given, or without one to hear whether one can open it
/// at all, and then with what a person answers, who may be wrong twice.
pub(crate) fn with_passphrase<T>(
    reading: &Reading,
    name: &str,
    mut open: impl FnMut(Option<Passphrase>) -> Result<T, Box<Finding>>,
) -> Result<T, Failed> {
    let given = given(reading)?;
    let tries = if given.is_none() && !reading.never_ask { TRIES } else { 0 };
    let mut opened = open(given);
    for _ in 0..tries {
        let prompt = match &opened {
            Err(finding) if finding.code() == Code::PassphraseNeeded => "passphrase",
            Err(finding) if finding.code() == Code::PassphraseWrong => "wrong; passphrase",
            _ => break,
        };
        let Some(asked) = ask(&format!("{prompt} of `{}`: ", crate::output::clean(name)))? else { break };
        opened = open(Some(asked));
    }
    Ok(opened?)
}

/// The passphrase for a result: asked twice at the terminal, since a slip would not show.
pub(crate) fn new_passphrase(reading: &Reading) -> Result<Passphrase, Failed> {
    if let Some(given) = given(reading)? {
        return Ok(given);
    }
    let missing = || {
        Failed::message("there is no passphrase to encrypt the result").help(format!(
            "give it with `--passphrase-file FILE`, `--passphrase-fd N` or the environment variable {VARIABLE}"
        ))
    };
    let first = ask("passphrase for the result: ")?.ok_or_else(missing)?;
    let again = ask("the same again: ")?.ok_or_else(missing)?;
    if first.is_same(&again) { Ok(first) } else { Err(Failed::message("the two passphrases differ")) }
}

fn given(reading: &Reading) -> Result<Option<Passphrase>, Failed> {
    if let Some(known) = reading.given.get() {
        return Ok(known.clone());
    }
    let given = read_given(reading)?;
    Ok(reading.given.get_or_init(|| given).clone())
}

fn read_given(reading: &Reading) -> Result<Option<Passphrase>, Failed> {
    let from = match (&reading.passphrase_file, reading.passphrase_fd) {
        (Some(file), _) => Some(file.clone()),
        (None, Some(descriptor)) => Some(PathBuf::from(format!("/dev/fd/{descriptor}"))),
        (None, None) => None,
    };
    let text = match from {
        Some(path) => Some(read(&path)?),
        None => std::env::var(VARIABLE).ok().filter(|text| !text.is_empty()),
    };
    Ok(text.map(Passphrase::new))
}

fn read(path: &Path) -> Result<String, Failed> {
    let file = File::open(path).map_err(|error| Failed::file(path, "read the passphrase from", &error))?;
    let text = read_bounded(path, file, MAX_PASSPHRASE_BYTES)?;
    if text.trim_end_matches(['\n', '\r']).is_empty() {
        return Err(Failed::message(format!("`{}` contains no passphrase", path.display())));
    }
    Ok(text)
}

fn ask(prompt: &str) -> Result<Option<Passphrase>, Failed> {
    if !io::stderr().is_terminal() || !io::stdin().is_terminal() {
        return Ok(None);
    }
    let text = rpassword::prompt_password(prompt)
        .map_err(|error| Failed::file(Path::new("/dev/tty"), "read the passphrase from", &error))?;
    Ok(Some(Passphrase::new(text)))
}
