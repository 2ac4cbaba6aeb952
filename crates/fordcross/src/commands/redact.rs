//! `redact`: a copy of a backup to show to others.

use super::plan::open;
use crate::arguments::{General, Redact};
use crate::backup_file::{InputFile, read_backup};
use crate::files::{open_file, write_new};
use crate::library;
use crate::output::{BOLD, Printer, clean, count};
use crate::status::{Failed, Status};
use fordcross_core::opening::{Member, Packing, Wrapping, pack_gzip};
use fordcross_core::redact::{Key, MARK_FILE, MARK_TEXT, Redaction, redact as redacted};
use serde_json::json;
use std::fs::DirBuilder;
use std::io::{self, Read};
use std::os::unix::fs::DirBuilderExt as _;
use std::path::Path;

/// Bytes that a key of a person's own has at least: fewer can be guessed.
const LEAST: usize = 16;
/// And at most.
const MAX_KEY_BYTES: u64 = 1 << 20;

/// Writes the copy. It is new: what is there is never written over.
pub(crate) fn redact(
    general: &General,
    options: &Redact,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    if options.output == Path::new("-") {
        return Err(Failed::usage("a copy is written to a file, not to standard output")
            .help("name a file that does not exist yet"));
    }
    let library = library::load(&general.profiles)?;
    let how = Redaction {
        key: key(options.key.as_deref())?,
        keeps_addresses: options.keep_addresses,
        keeps_names: options.keep_names,
        keeps_comments: options.keep_comments,
    };
    let file = read_backup(&options.backup, input, &options.reading, &library)?;
    let (backup, profile, _) = open(&file, &library, options.reading.from.as_ref())?;
    let made = redacted(&backup, &profile, &how);
    write_copy(&options.output, &file, &made.files)?;
    if general.json {
        printer.result(json!({
            "file": options.output.display().to_string(), "secrets": made.secrets, "names": made.names,
            "addresses": made.addresses, "comments": made.comments, "kept": made.kept,
        }));
        return Ok(Status::Done);
    }
    printer.line(&format!("{BOLD}{}{BOLD:#}", clean(&options.output.display().to_string())))?;
    let mut line = |text: String| printer.line(&format!("  {text}"));
    line(format!("{} hidden, with settings that the profile gives no type", count(made.secrets, "secret")))?;
    if !how.keeps_names {
        line(format!("{} hidden", count(made.names, "name")))?;
    }
    if !how.keeps_addresses {
        line(format!("{} with another address", count(made.addresses, "place")))?;
    }
    line(format!("{} hidden", count(made.comments, "comment")))?;
    if let Some(first) = made.kept.first() {
        let networks = count(made.kept.len(), "network");
        line(format!(
            "{networks} unchanged: too wide for others to take their places; the first is {first}"
        ))?;
    }
    line("Read it before you show it: notes that a person wrote can reveal more.".into())?;
    Ok(Status::Done)
}

/// The key of a file, or one that is forgotten with the run.
fn key(path: Option<&Path>) -> Result<Key, Failed> {
    let Some(path) = path else {
        let mut secret = [0; 32];
        let filled = rustix::rand::getrandom(&mut secret, rustix::rand::GetRandomFlags::empty());
        return match filled {
            Ok(length) if length == secret.len() => Ok(Key::new(&secret)),
            _ => {
                Err(Failed::message("the system provides no random numbers")
                    .help("give a key with `--key FILE`"))
            }
        };
    };
    let mut secret = Vec::new();
    let read = open_file(path)?.take(MAX_KEY_BYTES).read_to_end(&mut secret);
    read.map_err(|error| Failed::file(path, "read the key from", &error))?;
    if secret.len() < LEAST {
        return Err(Failed::message(format!("`{}` has fewer than {LEAST} bytes", path.display()))
            .help("make a key with `head -c 32 /dev/urandom > FILE`"));
    }
    Ok(Key::new(&secret))
}

/// Writes a copy in the form that the backup has: one file, an archive, a folder.
fn write_copy(copy: &Path, backup: &InputFile, files: &[Member]) -> Result<(), Failed> {
    let archive = backup.wrapped.iter().find_map(|wrapping| match wrapping {
        Wrapping::Archive(archive) => Some(*archive),
        _ => None,
    });
    let failed = |error: io::Error| Failed::file(copy, "write", &error);
    match (archive, files) {
        (Some(archive), files) => {
            let mark = Member { path: MARK_FILE.into(), bytes: MARK_TEXT.into() };
            let files: Vec<Member> = files.iter().cloned().chain([mark]).collect();
            let mut bytes = archive.pack(&files).map_err(failed)?;
            if backup.wrapped.contains(&Wrapping::Packed(Packing::Gzip)) {
                bytes = pack_gzip(&bytes).map_err(failed)?;
            }
            write_new(copy, &bytes)
        }
        (None, [file]) if !backup.is_folder => write_new(copy, &file.bytes),
        (None, files) => {
            // New, so that nothing is mixed with what is there.
            let mut folder = DirBuilder::new();
            folder.mode(0o700).create(copy).map_err(failed)?;
            for file in files {
                let path = copy.join(&file.path);
                let above = path.parent().unwrap_or(copy);
                DirBuilder::new().recursive(true).mode(0o700).create(above).map_err(failed)?;
                write_new(&path, &file.bytes)?;
            }
            Ok(())
        }
    }
}
