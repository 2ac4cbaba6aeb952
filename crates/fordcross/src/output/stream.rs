//! The streams of the program, as the outside sees them.
//!
//! Whatever is printed passes here, so that no text from outside can command a terminal, whichever command prints it: control
//! characters and those that turn the direction of writing are escaped. Only the styles of this program pass. A reader that
//! goes away changes nothing: the rest is not printed, and the exit status is what it would have been.

use std::borrow::Cow;
use std::fmt::Write as _;
use std::io::{self, ErrorKind, Write};

/// A stream that escapes what could command a terminal.
pub(crate) struct Stream<'s> {
    inner: &'s mut dyn Write,
    /// The first bytes of a character, or of an escape sequence, whose rest was not written yet.
    begun: Vec<u8>,
    is_gone: bool,
}

/// No style of ours is longer.
const LONGEST_STYLE: usize = 16;

impl<'s> Stream<'s> {
    pub(crate) fn new(inner: &'s mut dyn Write) -> Self {
        Self { inner, begun: Vec::new(), is_gone: false }
    }

    fn pass(&mut self, bytes: &[u8]) -> io::Result<()> {
        if self.is_gone || bytes.is_empty() {
            return Ok(());
        }
        let done = self.inner.write_all(bytes);
        self.unless_gone(done)
    }

    fn unless_gone(&mut self, done: io::Result<()>) -> io::Result<()> {
        match done {
            Err(error) if error.kind() == ErrorKind::BrokenPipe => {
                self.is_gone = true;
                Ok(())
            }
            done => done,
        }
    }
}

impl Write for Stream<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        if self.begun.is_empty() && !bytes.iter().any(|byte| may_be_unsafe(*byte)) {
            self.pass(bytes)?;
            return Ok(bytes.len());
        }
        let mut all = std::mem::take(&mut self.begun);
        all.extend_from_slice(bytes);
        let whole = whole_until(&all);
        self.begun = all.split_off(whole);
        self.pass(escaped(&all).as_bytes())?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        let begun = std::mem::take(&mut self.begun);
        self.pass(escaped(&begun).as_bytes())?;
        if self.is_gone {
            return Ok(());
        }
        let done = self.inner.flush();
        self.unless_gone(done)
    }
}

impl Drop for Stream<'_> {
    fn drop(&mut self) {
        let _ = self.flush();
    }
}

/// Whether a byte can begin, or be, something unsafe. The lead bytes are those of U+0080 to U+00BF, U+0600 to U+063F and
/// U+2000 to U+2FFF; a character may be cut off anywhere at the end of what is written, so all bytes beyond ASCII count.
fn may_be_unsafe(byte: u8) -> bool {
    byte < 0x20 && byte != b'\n' || byte >= 0x7f
}

/// Up to where a text holds whole characters and whole escape sequences.
fn whole_until(text: &[u8]) -> usize {
    let from = text.len().saturating_sub(LONGEST_STYLE);
    if let Some(escape) = text[from..].iter().rposition(|byte| *byte == 0x1b).map(|at| from + at) {
        let is_open = text[escape + 1..].iter().all(|byte| matches!(byte, b'[' | b';' | b'0'..=b'9'));
        if is_open {
            return escape;
        }
    }
    match std::str::from_utf8(text) {
        // Cut off within a character.
        Err(error) if error.error_len().is_none() => error.valid_up_to(),
        _ => text.len(),
    }
}

fn escaped(bytes: &[u8]) -> Cow<'_, str> {
    let text = String::from_utf8_lossy(bytes);
    if !text.contains(|c| is_unsafe(c) && c != '\n') {
        return text;
    }
    let mut out = String::with_capacity(text.len() + 16);
    let mut rest = text.as_ref();
    while let Some(c) = rest.chars().next() {
        if let Some(style) = style_at(rest) {
            out.push_str(style);
            rest = &rest[style.len()..];
            continue;
        }
        if is_unsafe(c) && c != '\n' {
            let _ = write!(out, "{}", c.escape_default());
        } else {
            out.push(c);
        }
        rest = &rest[c.len_utf8()..];
    }
    out.into()
}

/// One of the styles of this program, at the beginning of a text: weight, line and colour, and nothing that hides.
fn style_at(text: &str) -> Option<&str> {
    let numbers = text.strip_prefix("\x1b[")?;
    let end = numbers.find('m').filter(|end| *end < LONGEST_STYLE - 3)?;
    let is_ours = |number: &str| {
        matches!(
            number,
            "0" | "1"
                | "2"
                | "4"
                | "31"
                | "32"
                | "33"
                | "34"
                | "35"
                | "36"
                | "91"
                | "92"
                | "93"
                | "94"
                | "95"
                | "96"
        )
    };
    numbers[..end].split(';').all(is_ours).then(|| &text[..end + 3])
}

/// Control characters, and those that turn the direction of writing: Unicode Standard Annex 9, section 2.
pub(super) fn is_unsafe(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61C}' | '\u{200E}' | '\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}')
}

/// JSON with each unsafe character as an escape of its own, which means the same.
pub(super) fn json_escaped(text: &str) -> Cow<'_, str> {
    if !text.contains(|c| is_unsafe(c) && c != '\n') {
        return text.into();
    }
    let mut out = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        if is_unsafe(c) && c != '\n' {
            // All of them are in the first plane.
            let _ = write!(out, "\\u{:04x}", u32::from(c));
        } else {
            out.push(c);
        }
    }
    out.into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// In pieces of every size what comes out is the same.
    #[rstest]
    #[case("plain text\nünd so\n", "plain text\nünd so\n")]
    #[case("\x1b[1mbold\x1b[0m\x1b[1m\x1b[91m", "\x1b[1mbold\x1b[0m\x1b[1m\x1b[91m")]
    #[case("a\x1b]0;title\x07b", "a\\u{1b}]0;title\\u{7}b")]
    #[case("\x1b[7m\x1b[8m\x1b[2J\x1b[1;999m", "\\u{1b}[7m\\u{1b}[8m\\u{1b}[2J\\u{1b}[1;999m")]
    #[case("\u{9b}31m\u{202e}\u{61c}\u{2066}\u{7f}", "\\u{9b}31m\\u{202e}\\u{61c}\\u{2066}\\u{7f}")]
    #[case("a\tb\rc", "a\\tb\\rc")]
    #[case("the end\x1b[1", "the end\\u{1b}[1")]
    fn what_commands_a_terminal_is_escaped(#[case] text: &str, #[case] expected: &str) {
        for size in 1..=text.len() {
            let mut out = Vec::new();
            let mut stream = Stream::new(&mut out);
            text.as_bytes().chunks(size).for_each(|piece| stream.write_all(piece).expect("written"));
            drop(stream);
            assert_eq!(String::from_utf8(out).expect("UTF-8"), expected, "in pieces of {size}");
        }
    }

    #[test]
    fn json_means_the_same() {
        let text = serde_json::json!({"a": "\u{9b}\u{202e}\u{7f}x"}).to_string();
        let escaped = json_escaped(&text);
        assert!(escaped.is_ascii(), "{escaped}");
        let read = |text: &str| serde_json::from_str::<serde_json::Value>(text).expect("JSON");
        assert_eq!(read(&escaped), read(&text));
    }
}
