//! The receipt: hashes of all that went in, what was decided, hashes of all that came out.
//!
//! BLAKE3, which anybody can check with `b3sum`: a ledger is many times the size of its backup, and
//! SHA-256 without help from the processor took as long as all the rest of a carry.

use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, Read as _};
use std::path::Path;

/// One file with its hash.
#[derive(Clone, Debug)]
pub(crate) struct Entry {
    role: &'static str,
    pub(crate) file: String,
    bytes: usize,
    blake3: String,
    /// Of a profile or crossing: whether it ships, or is the person's own.
    origin: Option<&'static str>,
}

/// A hash of what comes piece by piece.
#[derive(Debug, Default)]
pub(crate) struct RunningHash {
    hash: blake3::Hasher,
    bytes: usize,
}

impl RunningHash {
    pub(crate) fn add(&mut self, piece: &[u8]) {
        self.hash.update(piece);
        self.bytes += piece.len();
    }

    pub(crate) fn entry(self, role: &'static str, file: &str) -> Entry {
        Entry {
            role,
            file: file.to_owned(),
            bytes: self.bytes,
            blake3: self.hash.finalize().to_hex().to_string(),
            origin: None,
        }
    }
}

impl Entry {
    pub(crate) fn new(role: &'static str, file: &str, content: &[u8]) -> Self {
        let mut hash = RunningHash::default();
        hash.add(content);
        hash.entry(role, file)
    }

    /// The hash, in hexadecimal digits.
    pub(crate) fn hash(&self) -> &str {
        &self.blake3
    }

    /// The same, of what ships or of a person's own.
    pub(crate) fn of(self, ships: bool) -> Self {
        Self { origin: Some(if ships { "shipped" } else { "own" }), ..self }
    }

    /// The same in another role.
    pub(crate) fn in_role(self, role: &'static str) -> Self {
        Self { role, ..self }
    }

    fn json(&self) -> Value {
        let mut entry =
            json!({ "role": self.role, "file": self.file, "bytes": self.bytes, "blake3": self.blake3 });
        if let Some(origin) = self.origin {
            entry["origin"] = origin.into();
        }
        entry
    }
}

/// The text of `receipt.json`.
pub(crate) fn receipt(inputs: &[Entry], decided: &Value, outputs: &[Entry]) -> String {
    let list = |entries: &[Entry]| entries.iter().map(Entry::json).collect::<Vec<_>>();
    let receipt = json!({
        "fordcross": env!("CARGO_PKG_VERSION"),
        "inputs": list(inputs),
        "decided": decided,
        "outputs": list(outputs),
    });
    format!("{receipt:#}\n")
}

/// What an earlier receipt says that a carry wrote.
#[derive(Debug)]
pub(crate) struct Listed {
    /// By name: how many bytes, and the hash.
    files: BTreeMap<String, (u64, String)>,
}

impl Listed {
    /// Reads a receipt, or `None` if it is none of ours.
    pub(crate) fn parse(text: &str) -> Option<Self> {
        let receipt: Value = serde_json::from_str(text).ok()?;
        receipt["fordcross"].as_str()?;
        let files = receipt["outputs"].as_array()?.iter().map(|output| {
            let (file, bytes) = (output["file"].as_str()?, output["bytes"].as_u64()?);
            Some((file.to_owned(), (bytes, output["blake3"].as_str()?.to_owned())))
        });
        Some(Self { files: files.collect::<Option<_>>()? })
    }

    pub(crate) fn has(&self, name: &str) -> bool {
        self.files.contains_key(name)
    }

    /// Whether a file in a folder of that name is listed, or below.
    pub(crate) fn has_below(&self, name: &str) -> bool {
        let below = format!("{name}/");
        self.files.keys().any(|file| file.starts_with(&below))
    }

    /// Whether a file is as it was written.
    pub(crate) fn is_unchanged(&self, name: &str, path: &Path) -> bool {
        let Some((bytes, blake3)) = self.files.get(name) else { return false };
        hash_of(path, *bytes).is_ok_and(|hash| hash.as_ref() == Some(blake3))
    }
}

/// The hash of a file of that many bytes, or `None` if it has others.
fn hash_of(path: &Path, bytes: u64) -> io::Result<Option<String>> {
    let mut file = File::open(path)?;
    if file.metadata()?.len() != bytes {
        return Ok(None);
    }
    let mut hash = RunningHash::default();
    let mut piece = vec![0; 1 << 16];
    loop {
        match file.read(&mut piece)? {
            0 => return Ok(Some(hash.entry("", "").blake3)),
            read => hash.add(&piece[..read]),
        }
    }
}
