//! Strings as JSON spells them (RFC 8259, section 7).

/// Appends a JSON string with its quotes. Escapes what RFC 8259 section 7 demands, nothing more.
pub fn write_string(text: &str, out: &mut Vec<u8>) {
    let bytes = text.as_bytes();
    let must_escape = |b: &u8| *b < 0x20 || *b == b'"' || *b == b'\\';
    out.push(b'"');
    // Nearly no text has anything to escape.
    let word_has = |word: &[u8; 8]| has_escaped(u64::from_le_bytes(*word));
    let is_escaped = match bytes.last_chunk::<8>() {
        // The last word may look at some bytes again.
        Some(last) => bytes.as_chunks::<8>().0.iter().any(word_has) || word_has(last),
        None => bytes.iter().any(must_escape),
    };
    if !is_escaped {
        out.extend_from_slice(bytes);
        out.push(b'"');
        return;
    }
    let mut from = 0;
    while let Some(len) = bytes[from..].iter().position(must_escape) {
        out.extend_from_slice(&bytes[from..from + len]);
        match bytes[from + len] {
            b'"' => out.extend_from_slice(b"\\\""),
            b'\\' => out.extend_from_slice(b"\\\\"),
            b'\n' => out.extend_from_slice(b"\\n"),
            b'\r' => out.extend_from_slice(b"\\r"),
            b'\t' => out.extend_from_slice(b"\\t"),
            control => out.extend_from_slice(format!("\\u{control:04x}").as_bytes()),
        }
        from += len + 1;
    }
    out.extend_from_slice(&bytes[from..]);
    out.push(b'"');
}

/// Whether one of eight bytes must be escaped: below a space, a quote or a backslash. Each byte is looked at in its own
/// eighth of the word; a borrow reaches another only from one that is found itself.
fn has_escaped(word: u64) -> bool {
    const ONES: u64 = u64::MAX / 255;
    const TOPS: u64 = ONES << 7;
    let is_zero = |word: u64| word.wrapping_sub(ONES) & !word;
    let below_space = word.wrapping_sub(ONES * 0x20) & !word;
    let quote = is_zero(word ^ (ONES * 0x22));
    let backslash = is_zero(word ^ (ONES * 0x5C));
    (below_space | quote | backslash) & TOPS != 0
}
