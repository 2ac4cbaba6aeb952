//! How the texts of a result are written: in which character set, and with which line ends.
//!
//! Within one platform a text stays as the backup had it. Another platform gets UTF-8 with line feeds, unless its profile
//! says otherwise.

use super::facts::LanguageFact;
use crate::declaration::Section;
use crate::finding::{Finding, Findings};
use crate::format::Codec;
use crate::text::charset::Charset;
use crate::text::source::{Content, Source};
use crate::tree::Tree;
use std::borrow::Cow;

/// What a profile wants, where it says it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Preference<T> {
    /// As it was in the backup.
    AsRead,
    This(T),
}

/// What ends a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum LineEnds {
    LineFeed,
    CarriageReturnLineFeed,
}

/// What a profile says of the texts of its line.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct OutputEncoding {
    pub(crate) charset: Option<Preference<Charset>>,
    pub(crate) line_ends: Option<Preference<LineEnds>>,
}

impl OutputEncoding {
    /// What is under `[profile]`.
    pub(crate) fn read(head: &Section<'_, '_>) -> Self {
        const LINE_ENDS: [(&str, Preference<LineEnds>); 3] = [
            (AS_READ, Preference::AsRead),
            ("lf", Preference::This(LineEnds::LineFeed)),
            ("crlf", Preference::This(LineEnds::CarriageReturnLineFeed)),
        ];
        let mark = head.boolean("byte-order-mark").unwrap_or(false);
        let charset = head.word("charset").and_then(|word| match (word.text, Charset::named(word.text)) {
            (AS_READ, _) => Some(Preference::AsRead),
            (name, Some(charset)) if mark && !charset.is_unicode() => {
                head.report().add(word.span, LanguageFact::NoMark { name: name.to_owned() });
                None
            }
            (_, Some(charset)) => Some(Preference::This(charset.with_mark(mark))),
            (name, None) => {
                head.report().add(word.span, LanguageFact::CharsetUnknown { name: name.to_owned() });
                None
            }
        });
        let charset = charset.or(mark.then(|| Preference::This(Charset::UTF_8.with_mark(true))));
        let line_ends = head.pick_given("line-ends", &LINE_ENDS);
        Self { charset, line_ends }
    }
}

/// As a text was in the backup.
const AS_READ: &str = "as-read";

/// How each text of a result is written.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Texts<'a> {
    backup: Source<'a>,
    charset: Preference<Charset>,
    line_ends: Preference<LineEnds>,
}

impl<'a> Texts<'a> {
    pub(crate) fn new(backup: Source<'a>, wishes: OutputEncoding, same_platform: bool) -> Self {
        let charset = if same_platform { Preference::AsRead } else { Preference::This(Charset::UTF_8) };
        let line_ends = if same_platform { Preference::AsRead } else { Preference::This(LineEnds::LineFeed) };
        Self {
            backup,
            charset: wishes.charset.unwrap_or(charset),
            line_ends: wishes.line_ends.unwrap_or(line_ends),
        }
    }

    /// The character set of a file: as it was read, that of the file with the same path, or else of the first text.
    pub(crate) fn charset(&self, path: &str) -> Charset {
        if let Preference::This(charset) = self.charset {
            return charset;
        }
        let texts = || self.backup.pieces.iter().filter(|piece| piece.content == Content::Text);
        let piece = texts().find(|piece| piece.path == path).or_else(|| texts().next());
        piece.map_or(Charset::UTF_8, |piece| piece.charset)
    }

    fn line_ends(&self, path: &str, dialect: &dyn Codec, tree: &Tree<'_>) -> LineEnds {
        if let Preference::This(line_ends) = self.line_ends {
            return line_ends;
        }
        let piece = self.backup.pieces.iter().find(|piece| piece.path == path);
        let text = piece.map_or(self.backup.text, |piece| &self.backup.text[piece.span.range()]);
        let first = text.find('\n').map(|at| &text[..at]);
        // In these forms a line end in a value is just that one.
        let spans_lines = || {
            let raw = dialect.format().traits().has_raw_line_ends;
            raw && tree.ids().any(|node| tree.kind(node).is_value() && tree.value(node).contains('\n'))
        };
        if first.is_some_and(|line| line.ends_with('\r')) && !spans_lines() {
            LineEnds::CarriageReturnLineFeed
        } else {
            LineEnds::LineFeed
        }
    }

    /// The bytes of a file that was written as UTF-8 with line feeds. A character that its set lacks is reported, and
    /// the file then stays in UTF-8.
    pub(crate) fn finish(
        &self,
        path: &str,
        dialect: &dyn Codec,
        tree: &Tree<'_>,
        bytes: Vec<u8>,
        findings: &mut Findings,
    ) -> Vec<u8> {
        if !dialect.is_text() {
            return bytes;
        }
        let charset = self.charset(path);
        let line_ends =
            if dialect.is_one_value() { LineEnds::LineFeed } else { self.line_ends(path, dialect, tree) };
        if charset == Charset::UTF_8 && line_ends == LineEnds::LineFeed {
            return bytes;
        }
        let Ok(text) = std::str::from_utf8(&bytes) else { return bytes };
        let mut text = Cow::Borrowed(text);
        if !charset.is_utf8() {
            text = dialect.with_charset(text, charset.name());
        }
        if line_ends == LineEnds::CarriageReturnLineFeed {
            text = Cow::Owned(text.replace("\r\n", "\n").replace('\n', "\r\n"));
        }
        match charset.encode(&text) {
            Ok(encoded) => encoded,
            Err(lacking) => {
                let (charset, lacking) = (charset.name(), lacking.escape_debug().to_string());
                findings.push(Finding::new(LanguageFact::Unencodable { charset, lacking }));
                bytes
            }
        }
    }
}
