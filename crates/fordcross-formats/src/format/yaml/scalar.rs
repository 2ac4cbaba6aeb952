//! Scalars: what they are read as, and how texts are written so that they are read as texts.

/// Whether a plain scalar is no text under the core schema (YAML 1.2.2, section 10.3.2).
pub(super) fn is_bare(text: &str) -> bool {
    if matches!(
        text,
        "" | "~" | "null" | "Null" | "NULL" | "true" | "True" | "TRUE" | "false" | "False" | "FALSE"
    ) {
        return true;
    }
    let unsigned = text.strip_prefix(['+', '-']).unwrap_or(text);
    if matches!(unsigned, ".inf" | ".Inf" | ".INF") || matches!(text, ".nan" | ".NaN" | ".NAN") {
        return true;
    }
    let digits = |digits: &str, is: fn(&u8) -> bool| !digits.is_empty() && digits.bytes().all(|b| is(&b));
    if let Some(octal) = text.strip_prefix("0o") {
        return digits(octal, |b| (b'0'..=b'7').contains(b));
    }
    if let Some(hex) = text.strip_prefix("0x") {
        return digits(hex, u8::is_ascii_hexdigit);
    }
    // [-+]? ( \. [0-9]+ | [0-9]+ ( \. [0-9]* )? ) ( [eE] [-+]? [0-9]+ )?
    let (mantissa, exponent) = match unsigned.split_once(['e', 'E']) {
        Some((mantissa, exponent)) => (mantissa, Some(exponent.strip_prefix(['+', '-']).unwrap_or(exponent))),
        None => (unsigned, None),
    };
    let is_digits = |text: &str| text.bytes().all(|b| b.is_ascii_digit());
    let (whole, fraction) = mantissa.split_once('.').map_or((mantissa, None), |(w, f)| (w, Some(f)));
    let has_digits = !whole.is_empty() || fraction.is_some_and(|fraction| !fraction.is_empty());
    has_digits
        && is_digits(whole)
        && fraction.is_none_or(is_digits)
        && exponent.is_none_or(|exponent| !exponent.is_empty() && is_digits(exponent))
}

/// A text on one line, in quotes where it would be read as something else without them.
pub(super) fn write_scalar(text: &str, out: &mut Vec<u8>) {
    // What has line ends, or is long, the crate would write on several lines.
    let one_line = text.len() < 60 && !text.chars().any(char::is_control);
    let written = one_line.then(|| plain_or_quoted(text)).flatten();
    match written.as_deref().map(|written| written.strip_suffix('\n').unwrap_or(written)) {
        Some(written) if !written.contains('\n') => out.extend_from_slice(written.as_bytes()),
        _ if is_plain_word(text) => out.extend_from_slice(text.as_bytes()),
        _ => write_double_quoted(text, out),
    }
}

/// Long, and beyond doubt no more than a word.
fn is_plain_word(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_alphabetic())
        && text.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'/' | b'.' | b'-'))
        && !is_bare(text)
}

/// YAML 1.2.2, section 7.3.1: escapes are those of JSON and more.
fn write_double_quoted(text: &str, out: &mut Vec<u8>) {
    out.push(b'"');
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend_from_slice(&[b'\\', c as u8]),
            '\n' => out.extend_from_slice(b"\\n"),
            '\r' => out.extend_from_slice(b"\\r"),
            '\t' => out.extend_from_slice(b"\\t"),
            c if c.is_control() || matches!(c, '\u{2028}' | '\u{2029}' | '\u{FEFF}') => {
                out.extend_from_slice(format!("\\u{:04x}", c as u32).as_bytes());
            }
            c => out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
        }
    }
    out.push(b'"');
}

/// A short text as a scalar of YAML, with a line end.
#[cfg(feature = "yaml")]
fn plain_or_quoted(text: &str) -> Option<String> {
    serde_saphyr::to_string(&text).ok()
}

/// A build that cannot read YAML writes each text that may be something else in quotes.
#[cfg(not(feature = "yaml"))]
fn plain_or_quoted(_: &str) -> Option<String> {
    None
}
