//! What a file is that should be text and is none, by its first bytes.

use super::facts::TextFact;
use super::{Packing, is_encrypted};
use crate::finding::{Finding, Location};
use crate::text::charset::{Charset, Undecoded};
use crate::text::source::{LineIndex, Source, Span};

/// What bytes that are no text look like, and where they stop being text.
pub fn no_text(name: &str, undecoded: Undecoded) -> Finding {
    let Undecoded { bytes, valid, charset, unknown } = undecoded;
    if let Some(label) = unknown {
        return Finding::new(TextFact::CharsetUnknown { label }).of_file(name);
    }
    if let Some((what, instead)) = looks_like(&bytes) {
        return Finding::new(TextFact::OtherKind { what, instead }).of_file(name);
    }
    // One byte and no more: it may be in a secret.
    let fact = match bytes.get(valid).filter(|_| charset.is_utf8()) {
        Some(0) => TextFact::NulByte,
        Some(&byte) => TextFact::UndecodableByte { charset: charset.name(), byte },
        None => TextFact::Undecodable { charset: charset.name() },
    };
    let mut finding = Finding::new(fact);
    let text = String::from_utf8_lossy(&bytes[..valid.min(bytes.len())]);
    let at = LineIndex::new(Source::new(name, &text)).position(text.len() as u32);
    finding.location = Some(Location { file: name.to_owned(), span: Span::default(), at });
    finding
}

/// That a file of several which should be text is none.
pub fn not_text(name: &str, bytes: Vec<u8>) -> Finding {
    let valid = std::str::from_utf8(&bytes)
        .map_or_else(|error| error.valid_up_to(), |text| text.find('\0').unwrap_or(text.len()));
    no_text(name, Undecoded { bytes, valid, charset: Charset::UTF_8, unknown: None })
}

/// What bytes that are no text look like, by the first of them, and what to do with it.
fn looks_like(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
    const NAME_TEXT: &str = "name the text file with the configuration itself";
    const SIGNATURES: [(&[u8], &str, &str); 8] = [
        (
            b"Salted__",
            "encrypted by OpenSSL",
            "decrypt it first: `openssl enc -d`, with the cipher that it was made with",
        ),
        (b"\x85\x01", "encrypted by OpenPGP", "decrypt it first: `gpg --decrypt`"),
        (b"\x85\x02", "encrypted by OpenPGP", "decrypt it first: `gpg --decrypt`"),
        (b"\x8C\x0D", "encrypted by OpenPGP", "decrypt it first: `gpg --decrypt`"),
        (b"\xFD7zXZ\0", "packed with xz", "unpack it first: `xz -d`"),
        (b"BZh", "packed with bzip2", "unpack it first: `bzip2 -d`"),
        (b"7z\xBC\xAF\x27\x1C", "a 7z archive", "unpack it first, and name the folder or file in it"),
        (b"\x04\x22\x4D\x18", "packed with lz4", "unpack it first: `lz4 -d`"),
    ];
    if Packing::of(bytes).is_some() {
        return Some(("packed data inside packed data", NAME_TEXT));
    }
    if is_encrypted(bytes) {
        return Some(("a file encrypted with age inside another", NAME_TEXT));
    }
    let known = SIGNATURES.iter().find(|(signature, ..)| bytes.starts_with(signature));
    known.map(|(_, look, help)| (*look, *help))
}
