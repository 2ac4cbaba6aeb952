//! How a file is packed, by its first bytes.

use std::fmt;

/// How a file is packed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Packing {
    /// RFC 1952.
    Gzip,
    /// RFC 8878.
    Zstandard,
}

impl fmt::Display for Packing {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}

impl Packing {
    /// By the first bytes.
    pub fn of(bytes: &[u8]) -> Option<Self> {
        let mut rest = bytes;
        while let Some(after) = skippable(rest).and_then(|length| rest.get(length..)) {
            rest = after;
        }
        match (bytes, rest) {
            ([0x1F, 0x8B, ..], _) => Some(Self::Gzip),
            (_, [0x28, 0xB5, 0x2F, 0xFD, ..]) => Some(Self::Zstandard),
            _ => None,
        }
    }

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Gzip => "gzip",
            Self::Zstandard => "zstd",
        }
    }

    /// What files that are packed so end with.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Gzip => ".gz",
            Self::Zstandard => ".zst",
        }
    }
}

/// How long a frame is that holds no data of the file, if one begins here (RFC 8878, section 3.1.2).
pub(super) fn skippable(bytes: &[u8]) -> Option<usize> {
    let [first, 0x2A, 0x4D, 0x18, size @ ..] = bytes else { return None };
    let size = u32::from_le_bytes(size.get(..4)?.try_into().ok()?);
    (first & 0xF0 == 0x50).then(|| 8 + size as usize)
}
