//! Text with a name, and places in it. Everything we say about an input is said with a [`Span`];
//! lines and columns are derived only when a person is to read them.

use crate::text::charset::Charset;
use std::ops::Range;
use std::sync::{Arc, Mutex, OnceLock};

/// The most settings and objects that are ever read from one source.
pub const MOST_NODES: usize = if cfg!(test) { 1 << 16 } else { 1 << 23 };

/// A named text: a backup, a profile, a crossing or a map.
#[derive(Clone, Copy, Debug)]
pub struct Source<'a> {
    /// The name a person knows the file by.
    pub name: &'a str,
    /// The whole text.
    pub text: &'a str,
    /// Where a backup of several files has each of them, in the order of the text; empty for one file.
    pub pieces: &'a [Piece],
    /// The folders of a backup of several files that are known, those without files among them.
    pub folders: &'a [String],
    /// The most settings and objects that are read from it, and made of it.
    pub max_nodes: usize,
    /// Takes down which statements were read, where a person wants to see that.
    pub trace: Option<&'a Trace>,
}

/// Which statement of a profile each place of a text was read by.
#[derive(Debug, Default)]
pub struct Trace(Mutex<Vec<Traced>>);

/// One statement that was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Traced {
    /// Where it is.
    pub span: Span,
    /// Its shape in the profile; none where no shape fits.
    pub shape: Option<String>,
}

impl Trace {
    /// Takes down a statement.
    pub fn note(&self, span: Span, shape: Option<&str>) {
        let traced = Traced { span, shape: shape.map(str::to_owned) };
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push(traced);
    }

    /// The statements that were read, in the order of the text; of those that begin at one place the innermost is the last.
    pub fn statements(&self) -> Vec<Traced> {
        let mut all = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone();
        all.sort_by_key(|traced| traced.span.start);
        all
    }
}

/// One file of a backup of several: its text is a part of that of all, and begins a line there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Piece {
    /// The path within the backup, with `/` between its parts.
    pub path: String,
    /// The name that messages use, with the backup in front and all that is in front of the configuration in it.
    pub file: String,
    /// Where its text is.
    pub span: Span,
    /// What the text is made of.
    pub content: Content,
    /// What the file's own bytes are in, where it is text.
    pub charset: Charset,
}

/// What the text of a file stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Content {
    /// The file is this text.
    Text,
    /// The file is no text; this is its bytes in Base64 (RFC 4648 section 4).
    Bytes,
    /// The file is a database; this lists its rows.
    Database,
}

impl<'a> Source<'a> {
    /// One file.
    pub fn new(name: &'a str, text: &'a str) -> Self {
        Self { name, text, pieces: &[], folders: &[], max_nodes: MOST_NODES, trace: None }
    }

    /// The piece that a place is in, if there are several.
    pub fn piece_at(self, offset: u32) -> Option<&'a Piece> {
        let next = self.pieces.partition_point(|piece| piece.span.start <= offset);
        self.pieces.get(next.checked_sub(1)?)
    }

    /// The place of a part of the text, if that is what it is.
    pub fn span_of(self, part: &str) -> Option<Span> {
        let (text, part_at) = (self.text.as_ptr() as usize, part.as_ptr() as usize);
        let at = part_at.checked_sub(text).filter(|at| at + part.len() <= self.text.len())?;
        Some(Span::new(at, at + part.len()))
    }

    /// One piece alone, with its own name.
    #[must_use]
    pub fn whole_of(self, piece: &'a Piece) -> Self {
        Self { name: &piece.file, text: &self.text[piece.span.range()], pieces: &[], folders: &[], ..self }
    }
}

/// A range of bytes in one [`Source`]. Inputs over 4 GiB are refused before a span is made.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Span {
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

impl Span {
    /// The span from `start` to `end`, both counted in bytes.
    pub fn new(start: usize, end: usize) -> Self {
        debug_assert!(start <= end && u32::try_from(end).is_ok());
        Self { start: start as u32, end: end as u32 }
    }

    /// As a range for slicing.
    pub fn range(self) -> Range<usize> {
        self.start as usize..self.end as usize
    }

    /// The same length, `by` bytes further on.
    #[must_use]
    pub fn shifted(self, by: usize) -> Self {
        Self::new(self.start as usize + by, self.end as usize + by)
    }
}

impl From<Range<usize>> for Span {
    fn from(range: Range<usize>) -> Self {
        Self::new(range.start, range.end)
    }
}

/// A line and a column, both counted from 1; the column counts characters, as editors do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Position {
    /// Line, from 1.
    pub line: u32,
    /// Column in characters, from 1.
    pub column: u32,
}

/// Where each line of a text starts, so that many positions of one text are found quickly.
#[derive(Clone, Debug)]
pub struct LineIndex<'a> {
    source: Source<'a>,
    text: &'a str,
    lines: Arc<Lines>,
}

/// The line index of one text, made when it is first asked for.
#[derive(Debug, Default)]
pub struct SharedLines(OnceLock<Arc<Lines>>);

impl SharedLines {
    /// The index; `source` is the same each time.
    pub fn of<'a>(&self, source: Source<'a>) -> LineIndex<'a> {
        let lines = Arc::clone(self.0.get_or_init(|| Arc::new(Lines::new(source.text))));
        LineIndex { source, text: source.text, lines }
    }
}

#[derive(Debug)]
struct Lines {
    starts: Vec<u32>,
    /// Whether each byte is a character.
    is_ascii: bool,
    /// How many characters are before each block of the text; counted when a long line first asks for it.
    before_blocks: OnceLock<Vec<u32>>,
}

/// Bytes of a block. Lines of some blocks are not counted through for each place in them: a whole backup may be
/// one line.
const BLOCK: usize = 1 << 10;

/// How many lines are looked at one by one before a line is searched for.
const NEARBY_LINES: usize = 8;

impl Lines {
    fn new(text: &str) -> Self {
        let mut starts = vec![0];
        starts.extend(memchr::memchr_iter(b'\n', text.as_bytes()).map(|at| at as u32 + 1));
        Self { starts, is_ascii: text.is_ascii(), before_blocks: OnceLock::new() }
    }
}

impl<'a> LineIndex<'a> {
    /// Reads the text once for its line ends.
    pub fn new(source: Source<'a>) -> Self {
        SharedLines::default().of(source)
    }

    /// The position of a byte offset, in its own file where there are several; an offset past the end
    /// stands for the end.
    pub fn position(&self, offset: u32) -> Position {
        self.in_its_file(self.position_after(offset, &mut 1), offset)
    }

    /// The file that a byte offset is in, as messages name it.
    pub fn file_at(&self, offset: u32) -> &'a str {
        match self.source.piece_at(offset) {
            Some(piece) => &piece.file,
            None => self.source.name,
        }
    }

    /// A position of the whole text, as one of the file that it is in.
    pub fn in_its_file(&self, at: Position, offset: u32) -> Position {
        let Some(piece) = self.source.piece_at(offset) else { return at };
        Position { line: at.line - self.lines_before(piece), ..at }
    }

    /// How many lines of the whole text are before a file.
    pub fn lines_before(&self, piece: &Piece) -> u32 {
        self.lines.starts.partition_point(|&start| start <= piece.span.start) as u32 - 1
    }

    /// The same, quicker where offsets are asked for in their order: `line` is that of the last one.
    pub fn position_after(&self, offset: u32, last: &mut usize) -> Position {
        let offset = (offset as usize).min(self.text.len()) as u32;
        let near = self.lines.starts.get(*last - 1..).unwrap_or_default().iter().take(NEARBY_LINES);
        let line = match near.take_while(|&&start| start <= offset).count() {
            lines @ 1..NEARBY_LINES => *last - 1 + lines,
            // It is before the last one, or far behind it.
            _ => self.lines.starts.partition_point(|&start| start <= offset),
        };
        *last = line;
        let (start, offset) = (self.lines.starts[line - 1] as usize, offset as usize);
        let column = if self.lines.is_ascii {
            offset - start
        } else if offset - start < 4 * BLOCK {
            characters(&self.text.as_bytes()[start..offset])
        } else {
            self.characters_before(offset) - self.characters_before(start)
        };
        Position { line: line as u32, column: column as u32 + 1 }
    }

    fn characters_before(&self, offset: usize) -> usize {
        let text = self.text.as_bytes();
        let blocks = self.lines.before_blocks.get_or_init(|| {
            let counted = text.chunks(BLOCK).scan(0, |before, block| {
                let here = *before;
                *before += characters(block) as u32;
                Some(here)
            });
            // At the end of the text there may be one more, which is empty.
            counted.chain([characters(text) as u32]).collect()
        });
        let block = offset / BLOCK;
        blocks[block] as usize + characters(&text[block * BLOCK..offset])
    }

    /// Where the line begins that a byte offset is on.
    pub fn line_start(&self, offset: u32) -> usize {
        self.lines.starts[self.lines.starts.partition_point(|&start| start <= offset) - 1] as usize
    }
}

/// How many characters some bytes begin: a UTF-8 continuation byte begins none.
fn characters(bytes: &[u8]) -> usize {
    bytes.iter().filter(|&&byte| byte & 0xC0 != 0x80).count()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn a_place_on_a_long_line_has_its_column() {
        let text = format!("short\n{}\nx", "aé€".repeat(3 * BLOCK));
        let lines = LineIndex::new(Source::new("", &text));
        let mut expected = Position { line: 1, column: 1 };
        for (at, c) in text.char_indices() {
            assert_eq!(lines.position(at as u32), expected, "at {at}");
            assert_eq!(lines.line_start(at as u32), text[..at].rfind('\n').map_or(0, |end| end + 1));
            expected = match c {
                '\n' => Position { line: expected.line + 1, column: 1 },
                _ => Position { column: expected.column + 1, ..expected },
            };
        }
        assert_eq!(lines.position(text.len() as u32), expected);
    }

    #[rstest]
    #[case(0, 1, 1)]
    #[case(2, 1, 3)]
    #[case(3, 2, 1)]
    #[case(6, 2, 3)] // after `é`, two bytes and one column
    #[case(99, 3, 1)]
    fn position_counts_characters(#[case] offset: u32, #[case] line: u32, #[case] column: u32) {
        assert_eq!(LineIndex::new(Source::new("", "ab\néx\n")).position(offset), Position { line, column });
    }
}
