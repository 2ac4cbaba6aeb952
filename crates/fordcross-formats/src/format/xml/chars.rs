//! What XML allows: characters (production 2), names (4, 4a) and references (66, 68).

use super::facts::XmlFact;

/// XML 1.0, production 2 (`Char`), for the characters that UTF-8 text can hold.
pub(super) fn is_allowed(c: char) -> bool {
    !matches!(c, '\0'..='\u{8}' | '\u{B}' | '\u{C}' | '\u{E}'..='\u{1F}' | '\u{FFFE}' | '\u{FFFF}')
}

/// The first byte of the first character that XML does not allow.
pub(super) fn first_forbidden(text: &str) -> Option<usize> {
    let bytes = text.as_bytes();
    // A pass that the compiler turns into wide comparisons; only a hit is looked at closely.
    let control = |b: &u8| *b < 0x20 && !matches!(*b, b'\t' | b'\n' | b'\r');
    if let Some(chunk) =
        bytes.chunks(4096).position(|chunk| chunk.iter().fold(false, |found, b| found | control(b)))
    {
        let start = chunk * 4096;
        return bytes[start..].iter().position(control).map(|at| start + at);
    }
    // U+FFFE and U+FFFF are EF BF BE and EF BF BF.
    memchr::memchr_iter(0xEF, bytes)
        .find(|&at| bytes.get(at + 1) == Some(&0xBF) && bytes.get(at + 2).is_some_and(|&b| b >= 0xBE))
}

/// Production 4 (`NameStartChar`).
fn starts_name(c: char) -> bool {
    matches!(c, ':' | '_' | 'A'..='Z' | 'a'..='z'
        | '\u{C0}'..='\u{D6}' | '\u{D8}'..='\u{F6}' | '\u{F8}'..='\u{2FF}' | '\u{370}'..='\u{37D}'
        | '\u{37F}'..='\u{1FFF}' | '\u{200C}'..='\u{200D}' | '\u{2070}'..='\u{218F}'
        | '\u{2C00}'..='\u{2FEF}' | '\u{3001}'..='\u{D7FF}' | '\u{F900}'..='\u{FDCF}'
        | '\u{FDF0}'..='\u{FFFD}' | '\u{10000}'..='\u{EFFFF}')
}

/// Production 4a (`NameChar`).
fn continues_name(c: char) -> bool {
    starts_name(c)
        || matches!(c, '-' | '.' | '0'..='9' | '\u{B7}' | '\u{300}'..='\u{36F}' | '\u{203F}'..='\u{2040}')
}

/// How many bytes of `text` are a name; 0 if it does not begin with one.
pub(super) fn name_len(text: &str) -> usize {
    let bytes = text.as_bytes();
    // Nearly all names are plain; the rest take the long way.
    let plain = bytes
        .iter()
        .position(|b| !(b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_' | b'.' | b':')))
        .unwrap_or(bytes.len());
    let first_is_plain = bytes.first().is_some_and(|b| b.is_ascii_alphabetic() || matches!(b, b'_' | b':'));
    if first_is_plain && bytes.get(plain).is_none_or(u8::is_ascii) {
        return plain;
    }
    let mut chars = text.char_indices();
    match chars.next() {
        Some((_, first)) if starts_name(first) => {
            chars.find(|&(_, c)| !continues_name(c)).map_or(text.len(), |(at, _)| at)
        }
        _ => 0,
    }
}

/// Decodes the reference that `text`, beginning with `&`, begins with: the character and the
/// length of the reference in bytes.
pub(super) fn reference(text: &str) -> Result<(char, usize), XmlFact> {
    // The longest reference that can be right is `&#x10FFFF;` with a few leading zeros.
    let end = text.bytes().take(32).position(|b| b == b';');
    let Some(end) = end else {
        return Err(XmlFact::NoReference);
    };
    let name = &text[1..end];
    let decoded = match name {
        "amp" => Some('&'),
        "lt" => Some('<'),
        "gt" => Some('>'),
        "apos" => Some('\''),
        "quot" => Some('"'),
        _ => match name.strip_prefix('#') {
            Some(number) => number
                .strip_prefix('x')
                .map_or_else(|| plain_number(number, 10), |hex| plain_number(hex, 16))
                .and_then(char::from_u32)
                .filter(|&c| is_allowed(c)),
            None if name_len(name) == name.len() && !name.is_empty() => {
                return Err(XmlFact::EntityUnknown);
            }
            None => {
                return Err(XmlFact::NoReference);
            }
        },
    };
    decoded.map(|c| (c, end + 1)).ok_or(XmlFact::ReferenceToNone)
}

/// Digits only: `from_str_radix` alone would take a sign.
fn plain_number(digits: &str, radix: u32) -> Option<u32> {
    if digits.chars().all(|c| c.is_digit(radix)) { u32::from_str_radix(digits, radix).ok() } else { None }
}
