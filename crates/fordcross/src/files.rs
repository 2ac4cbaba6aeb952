//! Reading what a person names.

use crate::status::Failed;
use fordcross_core::backup::{looks_like_bytes, unrecognised};
use fordcross_core::library::Library;
use fordcross_core::source::Source;
use std::fs;
use std::io::Read;
use std::path::Path;

/// The most bytes that one input may have: places are counted in 32 bits.
const MAX_BYTES: u64 = u32::MAX as u64;

/// A file that was read whole, with the name that messages use.
#[derive(Debug)]
pub(crate) struct InputFile {
    pub(crate) name: String,
    pub(crate) text: String,
}

impl InputFile {
    pub(crate) fn source(&self) -> Source<'_> {
        Source { name: &self.name, text: &self.text }
    }
}

/// Reads a backup; `-` is standard input.
pub(crate) fn read_backup(path: &Path, input: &mut dyn Read, library: &Library) -> Result<InputFile, Failed> {
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
    match String::from_utf8(bytes) {
        Ok(text) => Ok(InputFile { name, text }),
        Err(error) => {
            let source = Source { name: &name, text: "" };
            Err(unrecognised(source, library, looks_like_bytes(error.as_bytes())).into())
        }
    }
}

fn too_large(path: &Path) -> Failed {
    Failed::message(format!("`{}` is larger than 4 GiB, the most that can be read", path.display()))
}

/// Reads one of our own files.
pub(crate) fn read_text(path: &Path) -> Result<String, Failed> {
    fs::read_to_string(path).map_err(|error| Failed::file(path, "read", &error))
}
