//! Reading what a person names.

use crate::arguments::Reading;
use crate::receipt::Entry;
use crate::status::Failed;
use fordcross_core::source::Source;
use fordcross_core::unwrap::{Charset, Limits, Packing, open};
use std::fs::{self, OpenOptions};
use std::io::{Read, Write as _};
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};

/// The most bytes that one input may have: places are counted in 32 bits.
const MAX_BYTES: u64 = u32::MAX as u64;

/// A file that was read whole, with the name that messages use.
#[derive(Debug)]
pub(crate) struct InputFile {
    pub(crate) name: String,
    pub(crate) text: String,
    pub(crate) charset: Charset,
    /// How it was packed, and in how many bytes.
    pub(crate) packing: Option<(Packing, usize)>,
    /// The file as it was read, for the receipt.
    pub(crate) entry: Entry,
}

impl InputFile {
    pub(crate) fn source(&self) -> Source<'_> {
        Source { name: &self.name, text: &self.text }
    }
}

/// Reads a backup; `-` is standard input.
pub(crate) fn read_backup(path: &Path, input: &mut dyn Read, reading: &Reading) -> Result<InputFile, Failed> {
    let (name, bytes) = if path == Path::new("-") {
        let mut bytes = Vec::new();
        input
            .take(MAX_BYTES + 1)
            .read_to_end(&mut bytes)
            .map_err(|error| Failed::file(path, "read", &error))?;
        ("standard-input".to_owned(), bytes)
    } else {
        let found = fs::metadata(path).map_err(|error| Failed::file(path, "read", &error))?;
        if found.is_dir() {
            return Err(Failed::message(format!(
                "`{}` is a folder; name the backup file in it",
                path.display()
            )));
        }
        if found.len() > MAX_BYTES {
            return Err(too_large(path));
        }
        let name = path
            .file_name()
            .map_or_else(|| path.display().to_string(), |name| name.to_string_lossy().into_owned());
        (name, fs::read(path).map_err(|error| Failed::file(path, "read", &error))?)
    };
    if bytes.len() as u64 > MAX_BYTES {
        return Err(too_large(path));
    }
    let limits = reading
        .max_unpacked
        .map_or_else(Limits::default, |most| Limits { most: most.min(MAX_BYTES), ratio: None });
    let length = bytes.len();
    let entry = Entry::new("backup", &name, &bytes);
    let opened = open(&name, bytes, reading.charset, &limits)?;
    let packing = opened.packing.map(|packing| (packing, length));
    let plain = packing.and_then(|(packing, _)| name.strip_suffix(packing.ending())).unwrap_or(&name);
    Ok(InputFile { name: plain.to_owned(), entry, text: opened.text, charset: opened.charset, packing })
}

fn too_large(path: &Path) -> Failed {
    Failed::message(format!("`{}` is larger than 4 GiB, the most that can be read", path.display()))
}

/// Reads one of our own files.
pub(crate) fn read_text(path: &Path) -> Result<String, Failed> {
    fs::read_to_string(path).map_err(|error| Failed::file(path, "read", &error))
}

/// Files in a folder and below it, by name.
pub(crate) fn files_below(folder: &Path) -> Result<Vec<PathBuf>, Failed> {
    let mut files = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(folder) = folders.pop() {
        let entries =
            fs::read_dir(&folder).map_err(|error| Failed::file(&folder, "read the folder", &error))?;
        for entry in entries.flatten() {
            let path = entry.path();
            // A link is not followed: a folder may lead back into itself.
            match entry.file_type() {
                Ok(kind) if kind.is_dir() => folders.push(path),
                Ok(_) => files.push(path),
                Err(_) => {}
            }
        }
    }
    // `.` is the folder that one stands in, and goes without saying.
    let mut files: Vec<PathBuf> = files
        .iter()
        .map(|file| file.strip_prefix(".").map_or_else(|_| file.clone(), Path::to_owned))
        .collect();
    files.sort();
    Ok(files)
}

/// Writes a file that is not there yet, readable by its owner only.
pub(crate) fn write_new(path: &Path, bytes: &[u8]) -> Result<(), Failed> {
    let mut options = OpenOptions::new();
    options.write(true).create_new(true).mode(0o600);
    let written = options.open(path).and_then(|mut file| {
        file.write_all(bytes).inspect_err(|_| {
            // Half a copy is none.
            let _ = fs::remove_file(path);
        })
    });
    written.map_err(|error| Failed::file(path, "write", &error))
}
