//! Age files as text (section "ASCII armor"): the strict form of RFC 7468.

use super::ARMORED;
use data_encoding::BASE64;

const END: &[u8] = b"-----END AGE ENCRYPTED FILE-----";
const COLUMNS: usize = 64;

pub(super) fn is_armored(bytes: &[u8]) -> bool {
    bytes.starts_with(ARMORED)
}

/// What is in an armor; `None` if it is not well-formed or cut off.
pub(super) fn decode(bytes: &[u8]) -> Option<Vec<u8>> {
    let text = bytes.trim_ascii_end().strip_prefix(ARMORED)?.strip_suffix(END)?;
    let mut lines: Vec<&[u8]> =
        text.split(|byte| *byte == b'\n').map(|line| line.strip_suffix(b"\r").unwrap_or(line)).collect();
    // What is left of the first line, and before the last one.
    if !lines.first()?.is_empty() || lines.len() < 2 || !lines.pop()?.is_empty() {
        return None;
    }
    let lines = &lines[1..];
    let (last, full) = lines.split_last()?;
    let is_well_formed = full.iter().all(|line| line.len() == COLUMNS) && (1..=COLUMNS).contains(&last.len());
    is_well_formed.then(|| BASE64.decode(&lines.concat()).ok()).flatten()
}
