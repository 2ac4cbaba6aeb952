//! How a secret is kept.

use super::Characters;
use std::fmt;

/// How a secret is kept in a backup, and so who can use it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Protection {
    /// Readable as it is.
    Plaintext,
    /// Hashed by a named scheme; only a system that knows the scheme can check against it.
    Hash(String),
    /// Encrypted with a key that only the old unit has.
    Bound,
    /// Not in the backup at all: signs are in its place.
    Masked,
}

/// A secret of a profile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Secret {
    pub(crate) kept: Protection,
    /// What is in its place in backups that do not hold it.
    pub(crate) mask: Option<String>,
    /// What must come along so that the new system can use it.
    pub(crate) key: Option<String>,
    /// What the system takes; anything, if there is none.
    pub(crate) forms: Vec<SecretForm>,
}

/// One form of what a system takes for a secret. It is judged without anybody seeing the secret.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct SecretForm {
    pub(crate) characters: Option<Characters>,
    pub(crate) min: Option<usize>,
    pub(crate) max: Option<usize>,
    /// Both are counted in bytes, not in characters.
    pub(crate) in_bytes: bool,
    pub(crate) begins: Option<String>,
    /// The label of a textual encoding (RFC 7468).
    pub(crate) pem: Option<String>,
}

impl SecretForm {
    fn fits(&self, text: &str) -> bool {
        let length = if self.in_bytes { text.len() } else { text.chars().count() };
        let label = |label: &String| {
            let text = text.trim_ascii();
            text.starts_with(&format!("-----BEGIN {label}-----"))
                && text.ends_with(&format!("-----END {label}-----"))
        };
        self.min.is_none_or(|min| length >= min)
            && self.max.is_none_or(|max| length <= max)
            && self.characters.as_ref().is_none_or(|known| text.chars().all(|c| known.has(c)))
            && self.begins.as_ref().is_none_or(|begins| text.starts_with(begins.as_str()))
            && self.pem.as_ref().is_none_or(label)
    }

    fn about(&self) -> String {
        let unit = if self.in_bytes { "bytes" } else { "characters" };
        let mut said = Vec::new();
        match (self.min, self.max) {
            (Some(min), Some(max)) if min == max => said.push(format!("{min} {unit}")),
            (Some(min), Some(max)) => said.push(format!("{min} to {max} {unit}")),
            (Some(min), None) => said.push(format!("at least {min} {unit}")),
            (None, Some(max)) => said.push(format!("at most {max} {unit}")),
            (None, None) => {}
        }
        said.extend(self.characters.as_ref().map(|known| format!("of `{}`", known.spelled)));
        said.extend(self.begins.as_ref().map(|begins| format!("that begins with `{begins}`")));
        said.extend(self.pem.as_ref().map(|label| format!("in PEM form, labelled `{label}`")));
        said.join(" ")
    }
}

impl Secret {
    /// Whether it is there as text between labels.
    pub(crate) fn is_pem(&self) -> bool {
        self.forms.iter().any(|form| form.pem.is_some())
    }

    /// What the system expects instead, if it does not take the secret.
    pub(crate) fn misfit(&self, text: &str) -> Option<String> {
        if self.forms.is_empty()
            || self.mask.as_deref() == Some(text)
            || self.forms.iter().any(|form| form.fits(text))
        {
            return None;
        }
        let forms: Vec<String> = self.forms.iter().map(SecretForm::about).collect();
        Some(format!("a secret of {}", forms.join(", or of ")))
    }

    /// How it is kept in this backup, where another one can leave it out.
    pub(crate) fn kept_in(&self, text: &str) -> &Protection {
        if self.mask.as_deref() == Some(text.trim_ascii()) { &Protection::Masked } else { &self.kept }
    }
}

impl Protection {
    /// What profiles write. The scheme of a hash is beside it.
    pub(crate) const WORDS: [(&'static str, Self); 4] = [
        ("clear", Self::Plaintext),
        ("hash", Self::Hash(String::new())),
        ("unit-bound", Self::Bound),
        ("withheld", Self::Masked),
    ];

    /// Why the receiving unit cannot use the secret, where that is so whatever it keeps.
    pub(crate) fn unusable(&self, new: &Self) -> Option<&'static str> {
        match self {
            Self::Plaintext | Self::Hash(_) => None,
            // A new release on the same unit has the key still.
            Self::Bound if *new == Self::Bound => None,
            Self::Bound => Some("the secret is encrypted with a key that only the old unit has"),
            Self::Masked => Some("the secret is masked in the backup"),
        }
    }
}

impl fmt::Display for Protection {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Plaintext => f.write_str("clear"),
            Self::Hash(scheme) => write!(f, "hash of the kind `{scheme}`"),
            Self::Bound => f.write_str("bound to its unit"),
            Self::Masked => f.write_str("masked"),
        }
    }
}
