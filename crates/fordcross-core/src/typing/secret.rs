//! How a secret is kept.

use std::fmt;

/// How a secret is kept in a backup, and so who can use it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Kept {
    /// Readable as it is.
    Clear,
    /// Hashed by a named scheme; only a system that knows the scheme can check against it.
    Hash(String),
    /// Encrypted with a key that only the old unit has.
    Bound,
    /// Not in the backup at all: signs stand in its place.
    Masked,
}

/// A secret of a profile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Secret {
    pub(crate) kept: Kept,
    /// What stands in its place in backups that do not hold it.
    pub(crate) mask: Option<String>,
    /// What must come along so that the new system can use it.
    pub(crate) key: Option<String>,
}

impl Secret {
    /// How it is kept in this backup, where another one can leave it out.
    pub(crate) fn kept_in(&self, text: &str) -> &Kept {
        if self.mask.as_deref() == Some(text.trim_ascii()) { &Kept::Masked } else { &self.kept }
    }
}

impl Kept {
    /// What profiles write. The scheme of a hash stands beside it.
    pub(crate) const WORDS: [(&'static str, Self); 4] = [
        ("clear", Self::Clear),
        ("hash", Self::Hash(String::new())),
        ("bound", Self::Bound),
        ("masked", Self::Masked),
    ];

    /// Why the receiving unit cannot use the secret, where that is so whatever it keeps.
    pub(crate) fn unusable(&self, new: &Self) -> Option<&'static str> {
        match self {
            Self::Clear | Self::Hash(_) => None,
            // A new release on the same unit has the key still.
            Self::Bound if *new == Self::Bound => None,
            Self::Bound => Some("the secret is encrypted with a key that only the old unit has"),
            Self::Masked => Some("the backup does not hold the secret, only signs in its place"),
        }
    }
}

impl fmt::Display for Kept {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Clear => f.write_str("clear"),
            Self::Hash(scheme) => write!(f, "hash of the kind `{scheme}`"),
            Self::Bound => f.write_str("bound to its unit"),
            Self::Masked => f.write_str("masked"),
        }
    }
}
