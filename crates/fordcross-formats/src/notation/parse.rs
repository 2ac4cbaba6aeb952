//! From text to parts.

use super::{
    At, BadNotation, Capture, Clause, Content, Detail, Expression, Group, Key, List, Map, NotationFact, Part, Path, Plain,
    Start, Step, StepName, Text, Word,
};

/// How deep parts may be nested.
const MAX_DEPTH: usize = 32;

type Parsed<T> = Result<T, BadNotation>;

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

impl Path {
    /// Reads a path.
    ///
    /// # Errors
    /// The first thing that is wrong, and where.
    pub fn parse(text: &str) -> Parsed<Self> {
        let mut parser = Parser::new(text);
        let path = parser.path()?;
        parser.finish(path)
    }
}

impl Clause {
    /// Reads one side of a rule.
    ///
    /// # Errors
    /// The first thing that is wrong, and where.
    pub fn parse_side(text: &str) -> Parsed<Vec<Self>> {
        let mut parser = Parser::new(text);
        let side = parser.side(false)?;
        parser.finish(side)
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
enum Stop {
    /// Nothing.
    End,
    /// The next clause; in a part also what closes it.
    Clause { in_part: bool },
    /// The next choice of a group, or what closes it.
    Group,
    /// The next key, or what closes the keys.
    Key,
}

struct Parser<'t> {
    text: &'t str,
    at: usize,
    depth: usize,
}

impl<'t> Parser<'t> {
    fn new(text: &'t str) -> Self {
        Self { text, at: 0, depth: 0 }
    }

    fn rest(&self) -> &'t str {
        &self.text[self.at..]
    }

    fn next(&self) -> Option<char> {
        self.rest().chars().next()
    }

    fn take(&mut self, sign: &str) -> bool {
        let is_it = self.rest().starts_with(sign);
        self.at += if is_it { sign.len() } else { 0 };
        is_it
    }

    fn blanks(&mut self) {
        self.at = self.text.len() - self.rest().trim_start_matches([' ', '\t', '\n', '\r']).len();
    }

    fn bad<T>(at: At, fact: NotationFact) -> Parsed<T> {
        Err(BadNotation { at, fact })
    }

    /// What is wrong is the next character.
    fn bad_here<T>(&self, fact: NotationFact) -> Parsed<T> {
        Self::bad(self.at..self.at + self.next().map_or(0, char::len_utf8), fact)
    }

    /// Nothing may be left.
    fn finish<T>(&self, read: T) -> Parsed<T> {
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

    fn deeper<T>(&mut self, at: At, read: impl FnOnce(&mut Self) -> Parsed<T>) -> Parsed<T> {
        if self.depth == MAX_DEPTH {
            return Self::bad(at, NotationFact::TooDeep { most: MAX_DEPTH });
        }
        self.depth += 1;
        let read = read(self);
        self.depth -= 1;
        read
    }

    fn text(&mut self, stop: Stop) -> Parsed<Text> {
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
    fn piece(&mut self, is_plain: &dyn Fn(char) -> bool) -> Parsed<Part> {
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

    fn quoted(&mut self) -> Parsed<String> {
        let rest = &self.rest()[1..];
        let Some(length) = rest.find('`') else { return self.bad_here(NotationFact::QuoteOpen) };
        self.at += length + 2;
        Ok(if length == 0 { "`".to_owned() } else { rest[..length].to_owned() })
    }

    fn group(&mut self) -> Parsed<Part> {
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

    fn capture(&mut self) -> Parsed<Part> {
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
        let (list, detail) = if self.take(" -> ") { (None, Detail::Map(self.map(start)?)) } else { self.detail(start)? };
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
            return name.map(Map::Named).map_or_else(
                || Self::bad(from..self.at, NotationFact::RowWithoutEquals),
                Ok,
            );
        }
        let mut rows = Vec::new();
        let mut old = first;
        loop {
            if !self.take("=") {
                return Self::bad(from..self.at, NotationFact::RowWithoutEquals);
            }
            let new = if matches!(self.next(), Some(',' | '}')) { Word::default() } else { self.word(start, "=,")? };
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
                (Some(_), _) => {}
                (None, '\'' | '"') => quote = Some(c),
                (None, '}') => {
                    let text = self.rest()[..at].trim().to_owned();
                    self.at += at + 1;
                    return Ok(text);
                }
                (None, _) => {}
            }
        }
        Self::bad(start..self.text.len(), NotationFact::CaptureOpen)
    }

    /// As much of a name as there is; a dot only between two of its characters.
    fn name(&mut self) -> String {
        let rest = self.rest();
        let part = |text: &str| text.find(|c: char| !c.is_ascii_alphanumeric() && c != '_' && c != '-').unwrap_or(text.len());
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

    fn path(&mut self) -> Parsed<Path> {
        let start = self.at;
        let plain = |start_of| Path { start: start_of, steps: Vec::new(), object: false, at: start..start };
        if self.rest().starts_with('.') && !self.rest()[1..].starts_with(|c: char| !ends_path(c)) {
            self.at += 1;
            return Ok(Path { at: start..self.at, ..plain(Start::Here) });
        }
        let mut path = plain(Start::Here);
        if self.take("/") {
            path.start = Start::Top;
        } else if self.take("@") {
            let name = self.name();
            if !is_name(&name) {
                return Self::bad(start..self.at.max(start + 1), NotationFact::PlaceName { name });
            }
            let key = if self.next() == Some('[') { Some(self.key()?) } else { None };
            path.start = Start::Place { name, key, at: start..self.at };
            if !self.take("/") {
                path.at = start..self.at;
                return Ok(path);
            }
        } else {
            let mut up = 0;
            while self.take("../") {
                up += 1;
            }
            // The object itself, `..` or `../`.
            let is_last = up > 0 && self.next().is_none_or(ends_path);
            if is_last || self.rest().strip_prefix("..").is_some_and(|rest| rest.chars().next().is_none_or(ends_path)) {
                self.at += if is_last { 0 } else { 2 };
                path.object = is_last;
                path.start = Start::Up(up + usize::from(!is_last));
                path.at = start..self.at;
                return Ok(path);
            }
            if up > 0 {
                path.start = Start::Up(up);
            }
        }
        path.steps.push(self.step()?);
        while self.next() == Some('/') {
            if let Some(last) = path.steps.last().filter(|last| last.name == StepName::Below) {
                return Self::bad(last.at.clone(), NotationFact::BelowNotLast);
            }
            self.at += 1;
            if self.next().is_none_or(ends_path) {
                path.object = true;
                break;
            }
            path.steps.push(self.step()?);
        }
        path.at = start..self.at;
        Ok(path)
    }

    fn step(&mut self) -> Parsed<Step> {
        let start = self.at;
        let mut parts: Vec<Part> = Vec::new();
        while let Some(c) = self.next() {
            match c {
                '/' | '[' | ']' | '=' | '(' | ')' | ';' | '>' | '@' | '&' | '?' => break,
                c if c.is_whitespace() => break,
                '|' => {
                    parts.push(Part::Or(self.at..self.at + 1));
                    self.at += 1;
                }
                _ => parts.push(self.piece(&|c| !"{}()|*;`/[]=>@&?".contains(c) && !c.is_whitespace())?),
            }
        }
        let stars = parts.windows(2).any(|pair| matches!(pair, [Part::Any(_), Part::Any(_)]));
        let name = match parts.as_slice() {
            [] => return Self::bad(start..self.at, NotationFact::StepEmpty),
            [Part::Any(_), Part::Any(_)] => StepName::Below,
            _ if stars => return Self::bad(start..self.at, NotationFact::Stars),
            _ => StepName::Parts(parts),
        };
        let key = if self.next() == Some('[') { Some(self.key()?) } else { None };
        if let (StepName::Below, Some(key)) = (&name, &key) {
            return Self::bad(key.at.clone(), NotationFact::Stars);
        }
        Ok(Step { name, key, at: start..self.at })
    }

    fn key(&mut self) -> Parsed<Key> {
        let start = self.at;
        self.at += 1;
        let ordered = self.take("#");
        let mut texts = Vec::new();
        loop {
            let mut text = self.deeper(start..start + 1, |parser| parser.text(Stop::Key))?;
            trim(&mut text);
            texts.push(text);
            if self.take("]") {
                break;
            }
            if !self.take(",") {
                return Self::bad(start..start + 1, NotationFact::KeyOpen);
            }
        }
        if let [only] = texts.as_slice()
            && only.parts.is_empty()
        {
            texts.clear();
        }
        Ok(Key { ordered, texts, at: start..self.at })
    }

    fn side(&mut self, in_part: bool) -> Parsed<Vec<Clause>> {
        let mut clauses = vec![self.clause(in_part)?];
        while self.take(";") {
            clauses.push(self.clause(in_part)?);
        }
        Ok(clauses)
    }

    fn clause(&mut self, in_part: bool) -> Parsed<Clause> {
        self.blanks();
        let start = self.at;
        if self.next().is_none_or(|c| ";)".contains(c)) {
            let at = if self.next() == Some(')') || start == 0 { start..start } else { start - 1..start };
            return Self::bad(at, NotationFact::ClauseEmpty);
        }
        let reads = self.take("&");
        let optional = self.take("?");
        let path = self.path()?;
        let mut end = self.at;
        self.blanks();
        let content = if self.take("(") {
            let side = self.deeper(start..self.at, |parser| parser.side(true))?;
            if !self.take(")") {
                return Self::bad(end..end + 1, NotationFact::GroupOpen);
            }
            end = self.at;
            self.blanks();
            Content::Part(side)
        } else {
            let at_least = self.take(">=");
            if at_least || self.take("=") {
                self.blanks();
                let mut text = self.text(Stop::Clause { in_part })?;
                trim(&mut text);
                end = text.at.end.max(end);
                Content::Value { at_least, text }
            } else {
                Content::None
            }
        };
        if self.next().is_some_and(|c| c != ';' && !(in_part && c == ')')) {
            return match self.next() {
                Some(')') => self.bad_here(NotationFact::ParenCloses),
                Some(']') => self.bad_here(NotationFact::KeyCloses),
                Some(_) if self.at > end => Self::bad(end..self.at, NotationFact::Blank),
                Some(sign) => self.bad_here(NotationFact::SignInPath { sign }),
                None => self.bad_here(NotationFact::ClauseEmpty),
            };
        }
        Ok(Clause { reads, optional, path, content, at: start..end })
    }
}

/// What may be behind a path.
fn ends_path(c: char) -> bool {
    c.is_whitespace() || "=(;)>".contains(c)
}

fn add(pieces: &mut Vec<Option<String>>, text: &str) {
    match pieces.last_mut() {
        Some(Some(last)) => last.push_str(text),
        _ => pieces.push(Some(text.to_owned())),
    }
}

/// Takes away the blanks around a text that are not between backticks.
fn trim(text: &mut Text) {
    if let Some(Part::Plain(first)) = text.parts.first_mut().filter(|part| is_unquoted(part)) {
        let bare = first.text.trim_start().len();
        first.at.start += first.text.len() - bare;
        first.text = first.text[first.text.len() - bare..].to_owned();
    }
    if let Some(Part::Plain(last)) = text.parts.last_mut().filter(|part| is_unquoted(part)) {
        let bare = last.text.trim_end().len();
        last.at.end -= last.text.len() - bare;
        last.text.truncate(bare);
    }
    text.parts.retain(|part| !matches!(part, Part::Plain(plain) if plain.text.is_empty()));
    text.at = match (text.parts.first(), text.parts.last()) {
        (Some(first), Some(last)) => first.at().start..last.at().end,
        _ => text.at.start..text.at.start,
    };
}

fn is_unquoted(part: &Part) -> bool {
    matches!(part, Part::Plain(plain) if !plain.quoted)
}
