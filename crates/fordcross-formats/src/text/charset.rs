//! Character sets: which one a text is in, and the text itself.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};
use std::borrow::Cow;

/// A character set.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Charset {
    encoding: &'static Encoding,
    /// The text begins with a byte order mark.
    mark: bool,
}

impl Charset {
    /// The usual one.
    pub const UTF_8: Self = Self { encoding: UTF_8, mark: false };

    /// By its name, or one of those that the Encoding Standard gives it: `latin1`, `utf-16le`.
    pub fn named(name: &str) -> Option<Self> {
        Encoding::for_label(name.as_bytes()).map(|encoding| Self { encoding, mark: false })
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        self.encoding.name()
    }

    /// The same with a byte order mark, or without.
    #[must_use]
    pub fn with_mark(self, mark: bool) -> Self {
        Self { mark, ..self }
    }

    /// Whether it is one of Unicode, whose texts can begin with a mark.
    pub fn is_unicode(self) -> bool {
        [UTF_8, UTF_16LE, UTF_16BE].contains(&self.encoding)
    }

    /// The first character of a text that it does not have.
    pub fn lacking(self, text: &str) -> Option<char> {
        let lacks = |text: &str| self.encoding.encode(text).2;
        if self.is_unicode() || text.is_ascii() || !lacks(text) {
            return None;
        }
        text.chars().find(|c| lacks(c.encode_utf8(&mut [0; 4])))
    }

    /// A text with `?` for each character that it does not have.
    pub fn with_what_it_has(self, text: &str) -> String {
        let has = |c: char| self.lacking(c.encode_utf8(&mut [0; 4])).is_none();
        text.chars().map(|c| if has(c) { c } else { '?' }).collect()
    }

    /// Whether it is the usual one.
    pub fn is_utf8(self) -> bool {
        self.encoding == UTF_8
    }

    /// The bytes of a text, with the mark if there is to be one.
    ///
    /// # Errors
    /// The first character that the set does not have.
    pub fn encode(self, text: &str) -> Result<Vec<u8>, char> {
        let text = if self.mark { Cow::Owned(format!("\u{FEFF}{text}")) } else { Cow::Borrowed(text) };
        if self.encoding == UTF_8 {
            return Ok(text.into_owned().into_bytes());
        }
        // The Encoding Standard only reads these.
        if self.encoding == UTF_16LE || self.encoding == UTF_16BE {
            let little = self.encoding == UTF_16LE;
            let bytes = |unit: u16| if little { unit.to_le_bytes() } else { unit.to_be_bytes() };
            return Ok(text.encode_utf16().flat_map(bytes).collect());
        }
        if let Some(lacking) = self.lacking(&text) {
            return Err(lacking);
        }
        Ok(self.encoding.encode(&text).0.into_owned())
    }
}

/// Why bytes are no text.
#[derive(Debug)]
pub struct Undecoded {
    /// All bytes, as they came.
    pub bytes: Vec<u8>,
    /// So many bytes are good.
    pub valid: usize,
    /// The character set that they were taken to be in.
    pub charset: Charset,
    /// A character set that the file names and nobody knows.
    pub unknown: Option<String>,
}

/// The text and its character set.
pub fn decode(bytes: Vec<u8>, said: Option<Charset>) -> Result<(String, Charset), Undecoded> {
    // A byte order mark is surer than what anybody says.
    if let Some((encoding, length)) = Encoding::for_bom(&bytes) {
        return decode_as(bytes, encoding, length);
    }
    if let Some(Charset { encoding, .. }) = said {
        return decode_as(bytes, encoding, 0);
    }
    if let Some(encoding) = wide(&bytes) {
        return decode_as(bytes, encoding, 0);
    }
    match declared(&bytes) {
        Some(label) => match Encoding::for_label(label.as_bytes()) {
            // What can be read is in no set of wide characters, whatever it says.
            Some(encoding) if encoding != UTF_16LE && encoding != UTF_16BE => decode_as(bytes, encoding, 0),
            Some(_) => decode_as(bytes, UTF_8, 0),
            None => Err(Undecoded { bytes, valid: 0, charset: Charset::UTF_8, unknown: Some(label) }),
        },
        None => decode_as(bytes, UTF_8, 0),
    }
}

fn decode_as(
    mut bytes: Vec<u8>,
    encoding: &'static Encoding,
    mark: usize,
) -> Result<(String, Charset), Undecoded> {
    let charset = Charset { encoding, mark: mark > 0 };
    if encoding == UTF_8 {
        bytes.drain(..mark);
        return String::from_utf8(bytes).map(|text| (text, charset)).map_err(|error| {
            let valid = error.utf8_error().valid_up_to();
            Undecoded { bytes: error.into_bytes(), valid, charset, unknown: None }
        });
    }
    match encoding.decode_without_bom_handling_and_without_replacement(&bytes[mark..]) {
        Some(text) => Ok((text.into_owned(), charset)),
        None => Err(Undecoded { bytes, valid: 0, charset, unknown: None }),
    }
}

/// UTF-16 without a mark, by the first two characters, which are ASCII in XML and JSON (RFC 4627
/// section 3).
fn wide(bytes: &[u8]) -> Option<&'static Encoding> {
    match bytes {
        [0, first, 0, second, ..] if *first != 0 && *second != 0 => Some(UTF_16BE),
        [first, 0, second, 0, ..] if *first != 0 && *second != 0 => Some(UTF_16LE),
        _ => None,
    }
}

/// The character set that an XML declaration names.
fn declared(bytes: &[u8]) -> Option<String> {
    let head = &bytes[..bytes.len().min(256)];
    let head = head.strip_prefix(b"<?xml")?;
    let end = head.windows(2).position(|two| two == b"?>")?;
    let text = std::str::from_utf8(&head[..end]).ok()?;
    let value = text[text.find("encoding")? + 8..].trim_start_matches([' ', '\t', '\n', '\r', '=']);
    Some(value.get(1..)?.split(['"', '\'']).next()?.to_owned())
}
