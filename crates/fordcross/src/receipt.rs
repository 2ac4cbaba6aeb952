//! The receipt: hashes of all that went in, what was decided, hashes of all that came out.

use serde_json::{Value, json};
use sha2::{Digest as _, Sha256};
use std::fmt::Write as _;

/// One file with its hash.
#[derive(Clone, Debug)]
pub(crate) struct Entry {
    role: &'static str,
    pub(crate) file: String,
    bytes: usize,
    sha256: String,
}

impl Entry {
    pub(crate) fn new(role: &'static str, file: &str, content: &[u8]) -> Self {
        let sha256 = Sha256::digest(content).iter().fold(String::new(), |mut text, byte| {
            let _ = write!(text, "{byte:02x}");
            text
        });
        Self { role, file: file.to_owned(), bytes: content.len(), sha256 }
    }

    fn json(&self) -> Value {
        json!({ "role": self.role, "file": self.file, "bytes": self.bytes, "sha256": self.sha256 })
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
