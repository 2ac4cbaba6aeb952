//! Reading what a person names.

use crate::status::Failed;
use std::fs::{self, File, OpenOptions};
use std::io::{Read, Write as _};
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};

/// The most bytes that one input may have: places are counted in 32 bits.
pub(crate) const MAX_BYTES: u64 = u32::MAX as u64;

/// The most bytes that are read of a backup, all its files together: what is made of it needs memory, too.
pub(crate) fn most_bytes(memory: u64) -> u64 {
    (memory / 4).min(MAX_BYTES)
}

pub(crate) fn name_of(path: &Path) -> String {
    let own = path.file_name().map(|name| name.to_string_lossy().into_owned());
    // `.` and `..` have a name of their own once it is known where they lead.
    own.or_else(|| Some(fs::canonicalize(path).ok()?.file_name()?.to_string_lossy().into_owned()))
        .unwrap_or_else(|| path.display().to_string())
}

/// Why a file was not read.
pub(crate) enum Unread {
    TooLarge,
    Failed(std::io::Error),
}

impl Unread {
    pub(crate) fn reported(self, path: &Path, most: u64) -> Failed {
        match self {
            Self::TooLarge => too_large(path, most),
            Self::Failed(error) => Failed::file(path, "read", &error),
        }
    }
}

/// Reads a file of at most so many bytes.
pub(crate) fn read_file(path: &Path, most: u64) -> Result<Vec<u8>, Unread> {
    let mut options = OpenOptions::new();
    options.read(true).custom_flags(rustix::fs::OFlags::NONBLOCK.bits().cast_signed());
    let mut bytes = Vec::new();
    let file = options.open(path).map_err(Unread::Failed)?;
    if file.metadata().is_ok_and(|found| found.len() > most) {
        return Err(Unread::TooLarge);
    }
    file.take(most + 1).read_to_end(&mut bytes).map_err(Unread::Failed)?;
    if bytes.len() as u64 > most { Err(Unread::TooLarge) } else { Ok(bytes) }
}

/// That a file, or all of a backup with it, is larger than what is read of one.
pub(crate) fn too_large(path: &Path, most: u64) -> Failed {
    let path = path.display();
    if most == MAX_BYTES {
        return Failed::message(format!("`{path}` is larger than 4 GiB, which is the most that can be read"));
    }
    Failed::message(format!("`{path}` is larger than {most} bytes, a quarter of the allowed memory"))
        .help("allow more memory with `--max-memory`, or take a backup of fewer sections")
}

/// The most bytes that a file of our own has: a map, a profile, a crossing, a receipt.
pub(crate) const MAX_OWN: u64 = 16 << 20;

/// Reads one of our own files, which a person named: it may be a pipe.
pub(crate) fn read_text(path: &Path) -> Result<String, Failed> {
    let file = File::open(path).map_err(|error| Failed::file(path, "read", &error))?;
    read_bounded(path, file, MAX_OWN)
}

/// Reads a file that was found and that nobody named: what is no file hangs, or never ends.
pub(crate) fn read_own(path: &Path, most: u64) -> Result<String, Failed> {
    let failed = |error: std::io::Error| Failed::file(path, "read", &error);
    let file = open_file(path)?;
    if file.metadata().map_err(failed)?.len() > most {
        return Err(larger_than(path, most));
    }
    read_bounded(path, file, most)
}

/// Opens what must be a file, without waiting for anybody to write into it.
pub(crate) fn open_file(path: &Path) -> Result<File, Failed> {
    let mut options = OpenOptions::new();
    options.read(true).custom_flags(rustix::fs::OFlags::NONBLOCK.bits().cast_signed());
    let file = options.open(path).map_err(|error| Failed::file(path, "read", &error))?;
    let found = file.metadata().map_err(|error| Failed::file(path, "read", &error))?;
    if found.is_file() {
        Ok(file)
    } else {
        Err(Failed::message(format!("`{}` is not a file", path.display())))
    }
}

/// Reads a text of at most so many bytes.
pub(crate) fn read_bounded(path: &Path, from: impl Read, most: u64) -> Result<String, Failed> {
    let mut bytes = Vec::new();
    from.take(most + 1).read_to_end(&mut bytes).map_err(|error| Failed::file(path, "read", &error))?;
    if bytes.len() as u64 > most {
        return Err(larger_than(path, most));
    }
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        Failed::message(format!("`{}` is not UTF-8 text: byte {} is invalid", path.display(), at + 1))
    })
}

fn larger_than(path: &Path, most: u64) -> Failed {
    Failed::message(format!("`{}` is larger than {}", path.display(), size(most)))
}

/// `16 MiB`
fn size(bytes: u64) -> String {
    if bytes >= 1 << 30 { format!("{} GiB", bytes >> 30) } else { format!("{} MiB", bytes >> 20) }
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
    // `.` is the folder that one is in, and goes without saying.
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
