//! Encrypted files: the age format with a passphrase (age-encryption.org/v1).

#[cfg(not(feature = "age"))]
mod absent;
#[cfg(feature = "age")]
mod age_file;
#[cfg(feature = "age")]
mod armor;
#[cfg(feature = "age")]
mod header;
#[cfg(feature = "age")]
mod stream;

#[cfg(not(feature = "age"))]
pub use absent::{decrypt, encrypt};
#[cfg(feature = "age")]
pub use age_file::{decrypt, encrypt};

use zeroize::Zeroizing;

/// A passphrase. It is never printed, and is wiped when it is dropped.
#[derive(Clone)]
pub struct Passphrase(Zeroizing<String>);

impl Passphrase {
    /// The text as it was given, without the line end that a file or a terminal puts behind it.
    pub fn new(text: String) -> Self {
        let mut text = Zeroizing::new(text);
        let length = text.trim_end_matches(['\n', '\r']).len();
        text.truncate(length);
        Self(text)
    }

    /// Whether another is the same.
    pub fn is_same(&self, other: &Self) -> bool {
        *self.0 == *other.0
    }
}

impl std::fmt::Debug for Passphrase {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Passphrase(..)")
    }
}

const BINARY: &[u8] = b"age-encryption.org/v1";
const ARMORED: &[u8] = b"-----BEGIN AGE ENCRYPTED FILE-----";

/// Whether a file is encrypted with age.
pub fn is_encrypted(bytes: &[u8]) -> bool {
    bytes.starts_with(BINARY) || bytes.trim_ascii_start().starts_with(ARMORED)
}
