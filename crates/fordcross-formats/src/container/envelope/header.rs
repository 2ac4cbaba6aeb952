//! The header of an age file: who it is for, and the file's key, wrapped (section "The age file format").

use data_encoding::{BASE64_NOPAD as BASE64, Encoding};

/// The most bytes of a header. One for a passphrase is short.
const MAX_HEADER: usize = 16 << 10;
const VERSION: &str = "age-encryption.org/v1";
/// So many characters are on each line of a body but the last, which has fewer.
const COLUMNS: usize = 64;

/// A header for a passphrase.
pub(super) struct Header<'b> {
    /// All that is authenticated: up to the hyphens before the code.
    pub(super) text: &'b [u8],
    pub(super) salt: [u8; 16],
    /// The work, as a power of two.
    pub(super) work: u8,
    /// The file's key, encrypted.
    pub(super) wrapped: [u8; 32],
    pub(super) mac: [u8; 32],
}

/// Why a header cannot be used.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum BadHeader {
    /// It is longer than one for a passphrase can be.
    TooLong,
    /// It is not for a passphrase.
    OfKeys,
    /// It is none, or is cut off.
    Damaged,
}

/// Reads a header; gives what follows it, too.
pub(super) fn read(bytes: &[u8]) -> Result<(Header<'_>, &[u8]), BadHeader> {
    let head = &bytes[..bytes.len().min(MAX_HEADER)];
    let end = memchr::memmem::find(head, b"\n---").map(|at| at + 1);
    let first = lines(head).nth(1);
    if let Some(recipient) = first.and_then(|line| line.strip_prefix(b"-> ".as_slice()))
        && end.is_some_and(|_| !recipient.starts_with(b"scrypt "))
    {
        return Err(BadHeader::OfKeys);
    }
    let Some(end) = end else {
        let of_keys = first.is_some_and(|line| line.starts_with(b"-> ") && !line.starts_with(b"-> scrypt"));
        return Err(match (bytes.len() > MAX_HEADER, of_keys) {
            (true, _) => BadHeader::TooLong,
            (false, true) => BadHeader::OfKeys,
            (false, false) => BadHeader::Damaged,
        });
    };
    let text = std::str::from_utf8(&bytes[..end]).ok();
    let (salt, work, wrapped) = text.and_then(recipient).ok_or(BadHeader::Damaged)?;
    let closing = lines(&bytes[end..]).next().ok_or(BadHeader::Damaged)?;
    let mac = closing.strip_prefix(b"--- ".as_slice()).and_then(|mac| decoded(&BASE64, mac));
    let rest = bytes[end..].get(closing.len() + 1..).ok_or(BadHeader::Damaged)?;
    let header = Header { text: &bytes[..end + 3], salt, work, wrapped, mac: mac.ok_or(BadHeader::Damaged)? };
    Ok((header, rest))
}

fn lines(bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    bytes.split(|byte| *byte == b'\n')
}

/// The only recipient of a header: salt, work, and the wrapped key on a line of its own.
fn recipient(text: &str) -> Option<([u8; 16], u8, [u8; 32])> {
    let mut lines = text.strip_suffix('\n')?.split('\n');
    let is_version = lines.next() == Some(VERSION);
    let mut words = lines.next()?.strip_prefix("-> scrypt ")?.split(' ');
    let salt = decoded(&BASE64, words.next()?.as_bytes())?;
    let work = words.next()?;
    let is_plain =
        work.starts_with(|c: char| matches!(c, '1'..='9')) && work.bytes().all(|byte| byte.is_ascii_digit());
    // Work beyond what can be counted is too much by any measure.
    let work = if is_plain { work.parse().unwrap_or(u8::MAX) } else { return None };
    let wrapped = decoded(&BASE64, lines.next()?.as_bytes())?;
    // A passphrase is the only recipient of a file, or everybody else could open what it protects.
    (is_version && words.next().is_none() && lines.next().is_none()).then_some((salt, work, wrapped))
}

fn decoded<const N: usize>(encoding: &Encoding, text: &[u8]) -> Option<[u8; N]> {
    encoding.decode(text).ok()?.try_into().ok()
}

/// A header up to the hyphens, for its code to be reckoned over.
pub(super) fn write(salt: &[u8; 16], work: u8, wrapped: &[u8]) -> Vec<u8> {
    let wrapped = BASE64.encode(wrapped);
    debug_assert!(wrapped.len() < COLUMNS, "a line that is full would need another one");
    format!("{VERSION}\n-> scrypt {} {work}\n{wrapped}\n---", BASE64.encode(salt)).into_bytes()
}

/// Puts its code behind a header.
pub(super) fn close(mac: &[u8], out: &mut Vec<u8>) {
    out.extend_from_slice(format!(" {}\n", BASE64.encode(mac)).as_bytes());
}
