//! The receipt: hashes of all that went in, what was decided, hashes of all that came out.
//!
//! BLAKE3, which anybody can check with `b3sum`: a ledger is many times the size of its backup, and
//! SHA-256 without help from the processor took as long as all the rest of a carry.

use serde_json::{Value, json};

/// One file with its hash.
#[derive(Clone, Debug)]
pub(crate) struct Entry {
    role: &'static str,
    pub(crate) file: String,
    bytes: usize,
    blake3: String,
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

    /// The same in another role.
    pub(crate) fn in_role(self, role: &'static str) -> Self {
        Self { role, ..self }
    }

    fn json(&self) -> Value {
        json!({ "role": self.role, "file": self.file, "bytes": self.bytes, "blake3": self.blake3 })
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
