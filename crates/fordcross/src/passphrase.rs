//! Passphrases: from a file, a file descriptor, the environment or the terminal; never an argument, which others
//! on the machine can see.

use crate::arguments::Reading;
use crate::files::read_bounded;
use crate::status::Failed;
use fordcross_core::unwrap::Passphrase;
use std::fs::File;
use std::io::{self, IsTerminal as _};
use std::path::{Path, PathBuf};

/// The variable that a passphrase can stand in.
const VARIABLE: &str = "FORDCROSS_PASSPHRASE";
/// The most bytes of a file with a passphrase.
const MOST: u64 = 1 << 20;

/// The passphrase of an encrypted file. None if there is nowhere to take it from.
pub(crate) fn passphrase(reading: &Reading, name: &str) -> Result<Option<Passphrase>, Failed> {
    if let Some(given) = given(reading)? {
        return Ok(Some(given));
    }
    ask(&format!("passphrase of `{}`: ", crate::output::clean(name)))
}

/// The passphrase for a result: asked twice at the terminal, since nothing tells of a slip.
pub(crate) fn new_passphrase(reading: &Reading) -> Result<Passphrase, Failed> {
    if let Some(given) = given(reading)? {
        return Ok(given);
    }
    let missing = || {
        Failed::message("there is no passphrase to encrypt the result with").help(format!(
            "give it with `--passphrase-file FILE`, `--passphrase-fd N` or the environment variable {VARIABLE}"
        ))
    };
    let first = ask("passphrase for the result: ")?.ok_or_else(missing)?;
    let again = ask("the same once more: ")?.ok_or_else(missing)?;
    if first.is_same(&again) { Ok(first) } else { Err(Failed::message("the two passphrases differ")) }
}

fn given(reading: &Reading) -> Result<Option<Passphrase>, Failed> {
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
    let text = read_bounded(path, file, MOST)?;
    if text.trim_end_matches(['\n', '\r']).is_empty() {
        return Err(Failed::message(format!("`{}` holds no passphrase", path.display())));
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
