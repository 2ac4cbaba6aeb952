//! The parser of paths and sides.

use super::parse::{Parsed, Parser};
use super::parse::{Stop, is_name, is_unquoted};
use super::{Clause, Content, Key, NotationFact, Part, Path, Start, Step, StepName, Text};
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

impl Parser<'_> {
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
            if is_last
                || self
                    .rest()
                    .strip_prefix("..")
                    .is_some_and(|rest| rest.chars().next().is_none_or(ends_path))
            {
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
