//! From text to parts.

use super::{
    At, BadNotation, Capture, Detail, Expression, Group, List, Map, NotationFact, Part, Plain, Text, Word,
};

/// How deep parts may be nested.
const MAX_DEPTH: usize = 32;

pub(super) type Parsed<T> = Result<T, BadNotation>;

impl Text {
    /// Reads a shape or a value.
    ///
    /// # Errors
    /// The first thing that is wrong, and where.
    pub fn parse(text: &str) -> Parsed<Self> {
        let mut parser = Parser::new(text);
        let read = parser.text(Stop::End)?;
        parser.finish(read)
    }
}

/// Whether a text is a name: letters, digits, `_`, `-`, and single dots inside, a letter first.
pub fn is_name(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_alphabetic())
        && text.split('.').all(|part| {
            !part.is_empty() && part.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_' || b == b'-')
        })
}

/// What ends a text besides its own end.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Stop {
    /// Nothing.
    End,
    /// The next clause; in a part also what closes it.
    Clause { in_part: bool },
    /// The next choice of a group, or what closes it.
    Group,
    /// The next key, or what closes the keys.
    Key,
}

pub(super) struct Parser<'t> {
    pub(super) text: &'t str,
    pub(super) at: usize,
    pub(super) depth: usize,
}

impl<'t> Parser<'t> {
    pub(super) fn new(text: &'t str) -> Self {
        Self { text, at: 0, depth: 0 }
    }

    pub(super) fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    pub(super) fn next(&self) -> Option<char> {
        self.rest().chars().next()
    }

    pub(super) fn take(&mut self, sign: &str) -> bool {
        let is_it = self.rest().starts_with(sign);
        self.at += if is_it { sign.len() } else { 0 };
        is_it
    }

    pub(super) fn blanks(&mut self) {
        self.at = self.text.len() - self.rest().trim_start_matches([' ', '\t', '\n', '\r']).len();
    }

    pub(super) fn bad<T>(at: At, fact: NotationFact) -> Parsed<T> {
        Err(BadNotation { at, fact })
    }

    /// What is wrong is the next character.
    pub(super) fn bad_here<T>(&self, fact: NotationFact) -> Parsed<T> {
        Self::bad(self.at..self.at + self.next().map_or(0, char::len_utf8), fact)
    }

    /// Nothing may be left.
    pub(super) fn finish<T>(&self, read: T) -> Parsed<T> {
        match self.next() {
            None => Ok(read),
            Some(')') => self.bad_here(NotationFact::ParenCloses),
            Some(']') => self.bad_here(NotationFact::KeyCloses),
            Some('}') => self.bad_here(NotationFact::BraceCloses),
            Some(';') => self.bad_here(NotationFact::Semicolon),
            Some(c) if c.is_whitespace() => self.bad_here(NotationFact::Blank),
            Some(sign) => self.bad_here(NotationFact::SignInPath { sign }),
        }
    }

    pub(super) fn deeper<T>(&mut self, at: At, read: impl FnOnce(&mut Self) -> Parsed<T>) -> Parsed<T> {
        if self.depth == MAX_DEPTH {
            return Self::bad(at, NotationFact::TooDeep { most: MAX_DEPTH });
        }
        self.depth += 1;
        let read = read(self);
        self.depth -= 1;
        read
    }

    pub(super) fn text(&mut self, stop: Stop) -> Parsed<Text> {
        let start = self.at;
        let mut parts = Vec::new();
        while let Some(c) = self.next() {
            let ends = match stop {
                Stop::End => false,
                Stop::Clause { in_part } => c == ';' || in_part && c == ')',
                Stop::Group => matches!(c, '|' | ')'),
                Stop::Key => matches!(c, ',' | ']'),
            };
            if ends {
                break;
            }
            match c {
                '|' => {
                    parts.push(Part::Or(self.at..self.at + 1));
                    self.at += 1;
                }
                '(' => parts.push(self.group()?),
                ')' => return self.bad_here(NotationFact::ParenCloses),
                ';' => return self.bad_here(NotationFact::Semicolon),
                _ => {
                    let plain = |c: char| !"{}()|*;`".contains(c) && (stop != Stop::Key || !",]".contains(c));
                    parts.push(self.piece(&plain)?);
                }
            }
        }
        Ok(Text { parts, at: start..self.at })
    }

    /// Plain text, text between backticks, a capture, or `*`.
    pub(super) fn piece(&mut self, is_plain: &dyn Fn(char) -> bool) -> Parsed<Part> {
        let start = self.at;
        match self.next() {
            Some('{') => self.capture(),
            Some('}') => self.bad_here(NotationFact::BraceCloses),
            Some('`') => {
                let text = self.quoted()?;
                Ok(Part::Plain(Plain { text, quoted: true, at: start..self.at }))
            }
            Some('*') => {
                self.at += 1;
                Ok(Part::Any(start..self.at))
            }
            _ => {
                let rest = self.rest();
                self.at += rest.find(|c| !is_plain(c)).unwrap_or(rest.len());
                let text = self.text[start..self.at].to_owned();
                Ok(Part::Plain(Plain { text, quoted: false, at: start..self.at }))
            }
        }
    }

    pub(super) fn quoted(&mut self) -> Parsed<String> {
        let rest = &self.rest()[1..];
        let Some(length) = rest.find('`') else { return self.bad_here(NotationFact::QuoteOpen) };
        self.at += length + 2;
        Ok(if length == 0 { "`".to_owned() } else { rest[..length].to_owned() })
    }

    pub(super) fn group(&mut self) -> Parsed<Part> {
        let start = self.at;
        self.at += 1;
        let mut choices = Vec::new();
        loop {
            choices.push(self.deeper(start..self.at, |parser| parser.text(Stop::Group))?);
            if self.take(")") {
                break;
            }
            if !self.take("|") {
                return Self::bad(start..start + 1, NotationFact::GroupOpen);
            }
        }
        let repeated = self.take("+");
        let optional = self.take("?");
        Ok(Part::Group(Group { choices, repeated, optional, at: start..self.at }))
    }

    pub(super) fn capture(&mut self) -> Parsed<Part> {
        let start = self.at;
        self.at += 1;
        if self.take("=") {
            let text = self.expression(start)?;
            let optional = self.take("?");
            return Ok(Part::Expression(Expression { text, optional, at: start..self.at }));
        }
        let name = self.name();
        if !is_name(&name) {
            let Some(length) = self.text[start..].find('}') else {
                return Self::bad(start..self.text.len(), NotationFact::CaptureOpen);
            };
            let name = self.text[start + 1..start + length].to_owned();
            return Self::bad(start..start + length + 1, NotationFact::CaptureName { name });
        }
        let (list, detail) =
            if self.take(" -> ") { (None, Detail::Map(self.map(start)?)) } else { self.detail(start)? };
        match self.next() {
            Some('}') => self.at += 1,
            None => return Self::bad(start..self.text.len(), NotationFact::CaptureOpen),
            Some(_) => {
                let end = self.rest().find('}').map_or(self.text.len(), |length| self.at + length);
                let found = self.text[self.at..end].to_owned();
                return Self::bad(self.at..end, NotationFact::CaptureDetail { found });
            }
        }
        let optional = self.take("?");
        Ok(Part::Capture(Capture { name, list, detail, optional, at: start..self.at }))
    }

    /// What is left in the braces behind a name and is no table.
    fn detail(&mut self, start: usize) -> Parsed<(Option<List>, Detail)> {
        let list = if self.take("...") {
            Some(List::Rest)
        } else if self.take("+") {
            let between = match self.next() {
                Some('`') => Some(self.quoted()?),
                Some(c) if !":=}".contains(c) => {
                    self.at += c.len_utf8();
                    Some(c.to_string())
                }
                _ => None,
            };
            Some(List::Words(between))
        } else {
            None
        };
        if self.take(":") {
            let name = self.name();
            if !is_name(&name) {
                let end = self.rest().find('}').map_or(self.text.len(), |length| self.at + length);
                let found = self.text[self.at - name.len() - 1..end].to_owned();
                return Self::bad(self.at - name.len() - 1..end, NotationFact::CaptureDetail { found });
            }
            return Ok((list, Detail::Type(name)));
        }
        if !self.take("=") {
            return Ok((list, Detail::None));
        }
        let mut words = vec![self.word(start, "|")?];
        while self.take("|") {
            words.push(self.word(start, "|")?);
        }
        Ok((list, Detail::OneOf(words)))
    }

    fn map(&mut self, start: usize) -> Parsed<Map> {
        let from = self.at;
        let first = self.word(start, "=,")?;
        if self.next() != Some('=') {
            let name = first.as_literal().filter(|name| is_name(name) && self.text[from..self.at] == **name);
            let name = name.filter(|_| self.next() != Some(','));
            return name
                .map(Map::Named)
                .map_or_else(|| Self::bad(from..self.at, NotationFact::RowWithoutEquals), Ok);
        }
        let mut rows = Vec::new();
        let mut old = first;
        loop {
            if !self.take("=") {
                return Self::bad(from..self.at, NotationFact::RowWithoutEquals);
            }
            let new = if matches!(self.next(), Some(',' | '}')) {
                Word::default()
            } else {
                self.word(start, "=,")?
            };
            rows.push((old, new));
            if !self.take(",") {
                return Ok(Map::Rows(rows));
            }
            self.blanks();
            old = self.word(start, "=,")?;
        }
    }

    /// A word in braces, up to one of the signs in `ends` or the brace.
    fn word(&mut self, start: usize, ends: &str) -> Parsed<Word> {
        let mut pieces: Vec<Option<String>> = Vec::new();
        loop {
            match self.next() {
                None => return Self::bad(start..self.text.len(), NotationFact::CaptureOpen),
                Some(c) if c == '}' || ends.contains(c) => break,
                Some('*') => {
                    self.at += 1;
                    pieces.push(None);
                }
                Some('`') => {
                    let text = self.quoted()?;
                    add(&mut pieces, &text);
                }
                Some(sign @ ('{' | '(' | ')' | ';' | '|' | '=' | ',')) => {
                    return self.bad_here(NotationFact::SignInWord { sign });
                }
                Some(c) => {
                    self.at += c.len_utf8();
                    add(&mut pieces, c.encode_utf8(&mut [0; 4]));
                }
            }
        }
        if pieces.is_empty() { self.bad_here(NotationFact::WordEmpty) } else { Ok(Word { pieces }) }
    }

    /// An expression, up to the brace that is in none of its texts.
    fn expression(&mut self, start: usize) -> Parsed<String> {
        let mut quote = None;
        for (at, c) in self.rest().char_indices() {
            match (quote, c) {
                (Some(open), c) if c == open => quote = None,
                (None, '\'' | '"') => quote = Some(c),
                (None, '}') => {
                    let text = self.rest()[..at].trim().to_owned();
                    self.at += at + 1;
                    return Ok(text);
                }
                _ => {}
            }
        }
        Self::bad(start..self.text.len(), NotationFact::CaptureOpen)
    }

    /// As much of a name as there is; a dot only between two of its characters.
    pub(super) fn name(&mut self) -> String {
        let rest = self.rest();
        let part = |text: &str| {
            text.find(|c: char| !c.is_ascii_alphanumeric() && c != '_' && c != '-').unwrap_or(text.len())
        };
        let mut length = part(rest);
        if rest[..length].ends_with('-') && rest[length..].starts_with('>') {
            length -= 1;
        }
        while length > 0 && rest[length..].starts_with('.') {
            match part(&rest[length + 1..]) {
                0 => break,
                more => length += 1 + more,
            }
        }
        self.at += length;
        rest[..length].to_owned()
    }
}

fn add(pieces: &mut Vec<Option<String>>, text: &str) {
    match pieces.last_mut() {
        Some(Some(last)) => last.push_str(text),
        _ => pieces.push(Some(text.to_owned())),
    }
}

pub(super) fn is_unquoted(part: &Part) -> bool {
    matches!(part, Part::Plain(plain) if !plain.quoted)
}
