//! How a secret is kept.

use std::fmt;

/// How a secret is kept in a backup, and so who can use it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Kept {
    /// Readable as it is.
    Clear,
    /// Hashed by a named scheme; only a system that knows the scheme can check against it.
    Hash(String),
}

impl fmt::Display for Kept {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Clear => f.write_str("clear"),
            Self::Hash(scheme) => write!(f, "hash of the kind `{scheme}`"),
        }
    }
}
