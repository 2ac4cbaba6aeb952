//! Shapes: a value or name is declared once as text with captures, and read and written by it.
//!
//! `{parent:port}.{id:vlan-id}` fits `p2.30`: `parent` is `p2`, of the type `port`, and `id` is `30`. What the signs mean is
//! said in [`crate::notation`].

use crate::finding::facts;
use crate::notation::{self, BadNotation, Detail, NotationFact, Text, Word};
use smallvec::SmallVec;
use std::ops::Range;

/// A text with captures.
#[derive(Clone, Debug, PartialEq, Eq, Default)]
pub struct Shape {
    /// Its pieces, in their order.
    pub parts: Vec<Part>,
    /// Each capture once, in the order of the text.
    names: Vec<String>,
}

/// A piece of a shape.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// Text that is what it says.
    Literal(String),
    /// `{name}`: any text, or text of a type, or one of some words.
    Capture(Capture),
    /// `*`: any text, or none.
    Any,
    /// One of these.
    Choice {
        /// What each is made of.
        of: Vec<Vec<Part>>,
        /// It may be missing.
        optional: bool,
    },
}

/// A capture of a shape.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Capture {
    /// What the text is called.
    pub name: String,
    /// Its place among the names of the shape.
    pub slot: usize,
    /// The type that it names.
    pub ty: Option<String>,
    /// What it may be; any text, if there is none.
    pub words: Vec<Word>,
    /// It may be missing.
    pub optional: bool,
    /// Where it is in the text of the shape.
    pub at: Range<usize>,
}

/// Why a text is no shape, and where in it.
#[derive(Debug, PartialEq, Eq)]
pub struct BadShape {
    /// The bytes of the text that are wrong.
    pub at: Range<usize>,
    /// What is wrong.
    pub fact: ShapeFact,
}

facts! {
    /// What is wrong with a shape.
    pub enum ShapeFact {
        Notation { notation: NotationFact } => RuleMalformed, "{notation}", remedy: notation.remedy();
        CapturesTouch => RuleMalformed, "two captures are adjacent; put text between them";
        List => RuleMalformed, "a value cannot be read as a list of words", help: "write `{{name}}`";
        Table => RuleMalformed, "a table cannot be used to read a value", help: "write `{{name}}`, and the table where it is written";
        Expression => RuleMalformed, "an expression cannot be used to read a value";
        Repeated => RuleMalformed, "a part of a value cannot be repeated";
    }
}

impl From<BadNotation> for BadShape {
    fn from(BadNotation { at, fact: notation }: BadNotation) -> Self {
        Self { at, fact: ShapeFact::Notation { notation } }
    }
}

/// The tries that reading one value by one shape may take. Real values take a handful; a value
/// made to be ambiguous is said not to fit instead of being searched for ever.
const MAX_TRIES: usize = 2_000;
/// A value that several captures are read from is no longer than this many bytes.
const MAX_LENGTH: usize = 4_096;

impl std::fmt::Display for Shape {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write_parts(&self.parts, f)
    }
}

fn write_parts(parts: &[Part], f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
    parts.iter().try_for_each(|part| match part {
        Part::Literal(text) => f.write_str(text),
        Part::Capture(Capture { name, .. }) => write!(f, "{{{name}}}"),
        Part::Any => f.write_str("*"),
        Part::Choice { of, optional } => {
            f.write_str("(")?;
            for (index, choice) in of.iter().enumerate() {
                f.write_str(if index > 0 { "|" } else { "" })?;
                write_parts(choice, f)?;
            }
            f.write_str(if *optional { ")?" } else { ")" })
        }
    })
}

/// Where each capture is in a text, in order; none for one that is missing.
pub type Captured = SmallVec<[Option<Range<usize>>; 4]>;

impl Shape {
    /// Reads a shape.
    ///
    /// # Errors
    /// The first piece that is none, and where it is.
    pub fn parse(text: &str) -> Result<Self, BadShape> {
        Self::of(&Text::parse(text)?.parts)
    }

    /// The shape that parts of the notation are.
    ///
    /// # Errors
    /// The first piece that no value can be read by, and where it is.
    pub fn of(parts: &[notation::Part]) -> Result<Self, BadShape> {
        let mut shape = Self::default();
        shape.parts = shape.read_words(parts)?;
        Ok(shape)
    }

    /// Parts in which `|` separates choices of one word.
    fn read_words(&mut self, parts: &[notation::Part]) -> Result<Vec<Part>, BadShape> {
        let mut read: Vec<Part> = Vec::new();
        // What the word at hand may be instead, and where it begins.
        let (mut choices, mut start) = (Vec::new(), 0);
        let end = |read: &mut Vec<Part>, choices: &mut Vec<Vec<Part>>, start: usize| {
            if !choices.is_empty() {
                choices.push(read.drain(start..).collect());
                read.push(Part::Choice { of: std::mem::take(choices), optional: false });
            }
        };
        let has_choices = parts.iter().any(|part| matches!(part, notation::Part::Or(_)));
        for part in parts {
            match part {
                notation::Part::Or(_) => choices.push(read.drain(start..).collect()),
                notation::Part::Plain(plain) if has_choices && !plain.quoted => {
                    for piece in plain.text.split_inclusive(' ') {
                        let word = piece.strip_suffix(' ');
                        literal(&mut read, start, word.unwrap_or(piece));
                        if word.is_some() {
                            end(&mut read, &mut choices, start);
                            read.push(Part::Literal(" ".to_owned()));
                            start = read.len();
                        }
                    }
                }
                notation::Part::Plain(plain) => literal(&mut read, start, &plain.text),
                notation::Part::Any(_) => read.push(Part::Any),
                notation::Part::Expression(expression) => {
                    return Err(BadShape { at: expression.at.clone(), fact: ShapeFact::Expression });
                }
                notation::Part::Capture(capture) => {
                    if let Some(Part::Capture(before)) = read[start.min(read.len())..].last()
                        && before.words.is_empty()
                    {
                        return Err(BadShape { at: capture.at.clone(), fact: ShapeFact::CapturesTouch });
                    }
                    read.push(Part::Capture(self.capture(capture)?));
                }
                notation::Part::Group(group) => {
                    if group.repeated {
                        return Err(BadShape { at: group.at.clone(), fact: ShapeFact::Repeated });
                    }
                    let of: Result<Vec<_>, _> =
                        group.choices.iter().map(|choice| self.read_words(&choice.parts)).collect();
                    read.push(Part::Choice { of: of?, optional: group.optional });
                }
            }
        }
        end(&mut read, &mut choices, start);
        Ok(read)
    }

    fn capture(&mut self, capture: &notation::Capture) -> Result<Capture, BadShape> {
        let bad = |fact| Err(BadShape { at: capture.at.clone(), fact });
        if capture.list.is_some() {
            return bad(ShapeFact::List);
        }
        let (ty, words) = match &capture.detail {
            Detail::None => (None, Vec::new()),
            Detail::Type(name) => (Some(name.clone()), Vec::new()),
            Detail::OneOf(words) => (None, words.clone()),
            Detail::Map(_) => return bad(ShapeFact::Table),
        };
        let slot = self.names.iter().position(|name| *name == capture.name).unwrap_or_else(|| {
            self.names.push(capture.name.clone());
            self.names.len() - 1
        });
        let (name, optional, at) = (capture.name.clone(), capture.optional, capture.at.clone());
        Ok(Capture { name, slot, ty, words, optional, at })
    }

    /// The names of its captures, each once, in order.
    pub fn captures(&self) -> impl Iterator<Item = &str> {
        self.names.iter().map(String::as_str)
    }

    /// Each capture as it is declared, the first of each name.
    pub fn declared(&self) -> Vec<&Capture> {
        fn find<'p>(parts: &'p [Part], found: &mut Vec<&'p Capture>) {
            for part in parts {
                match part {
                    Part::Capture(capture) if capture.slot == found.len() => found.push(capture),
                    Part::Choice { of, .. } => of.iter().for_each(|choice| find(choice, found)),
                    _ => {}
                }
            }
        }
        let mut found = Vec::new();
        find(&self.parts, &mut found);
        found
    }

    /// The text itself, if there is nothing else in it.
    pub fn as_literal(&self) -> Option<&str> {
        match self.parts.as_slice() {
            [] => Some(""),
            [Part::Literal(text)] => Some(text),
            _ => None,
        }
    }

    /// The capture's name, if the whole shape is one capture of any text.
    pub fn as_capture(&self) -> Option<&str> {
        match self.parts.as_slice() {
            [Part::Capture(Capture { name, ty: None, words, .. })] if words.is_empty() => Some(name),
            _ => None,
        }
    }

    /// Whether there is nothing in it but text and captures that must be there.
    pub fn is_plain(&self) -> bool {
        self.parts.iter().all(|part| match part {
            Part::Literal(_) => true,
            Part::Capture(capture) => capture.words.is_empty() && !capture.optional,
            Part::Any | Part::Choice { .. } => false,
        })
    }

    /// Reads `text` by the shape: the range of each capture, in order. A capture is as short as it
    /// can be, never empty, and `fits` may turn one down.
    pub fn read(&self, text: &str, fits: &mut dyn FnMut(usize, &str) -> bool) -> Option<Captured> {
        if text.len() > MAX_LENGTH && (self.names.len() > 1 || !self.is_plain()) {
            return None;
        }
        let mut reading =
            Reading { text, fits, found: Captured::from_elem(None, self.names.len()), tries: MAX_TRIES };
        reading.all(0, &Todo { parts: &self.parts, then: None }).then_some(reading.found)
    }
}

/// Text is one piece with the text before it.
fn literal(read: &mut Vec<Part>, start: usize, text: &str) {
    if text.is_empty() {
        return;
    }
    let may_join = read.len() > start;
    match read.last_mut() {
        Some(Part::Literal(last)) if may_join => last.push_str(text),
        _ => read.push(Part::Literal(text.to_owned())),
    }
}

/// Parts that are still to be read, and those behind what they are in.
struct Todo<'p> {
    parts: &'p [Part],
    then: Option<&'p Todo<'p>>,
}

struct Reading<'t, 'f> {
    text: &'t str,
    fits: &'f mut dyn FnMut(usize, &str) -> bool,
    found: Captured,
    tries: usize,
}

impl Reading<'_, '_> {
    /// Whether all that is to be read is there from `at` to the end.
    fn all(&mut self, at: usize, todo: &Todo<'_>) -> bool {
        let Some((part, parts)) = todo.parts.split_first() else {
            return todo.then.map_or(at == self.text.len(), |then| self.all(at, then));
        };
        let rest = Todo { parts, then: todo.then };
        match part {
            Part::Literal(literal) => {
                self.text[at..].starts_with(literal.as_str()) && self.all(at + literal.len(), &rest)
            }
            Part::Any => self.any(at, &rest, None),
            Part::Capture(capture) => match self.found[capture.slot].clone() {
                // What is captured twice is the same both times.
                Some(before) => {
                    let before = &self.text[before];
                    self.text[at..].starts_with(before) && self.all(at + before.len(), &rest)
                }
                None => self.any(at, &rest, Some(capture)) || capture.optional && self.all(at, &rest),
            },
            Part::Choice { of, optional } => {
                let found = self.found.clone();
                for choice in of {
                    if self.all(at, &Todo { parts: choice, then: Some(&rest) }) {
                        return true;
                    }
                    self.found.clone_from(&found);
                }
                *optional && self.all(at, &rest)
            }
        }
    }

    /// Any text, as short as it can be; of a capture one that fits and is not empty.
    fn any(&mut self, at: usize, rest: &Todo<'_>, capture: Option<&Capture>) -> bool {
        let text = self.text;
        let next = match rest.parts.first() {
            Some(Part::Literal(next)) => Some(next.as_str()),
            _ => None,
        };
        let is_last = rest.parts.is_empty() && rest.then.is_none();
        let mut end = at;
        let mut is_first = capture.is_none();
        loop {
            let from = end + if is_first { 0 } else { text[end..].chars().next().map_or(0, char::len_utf8) };
            if from == end && !is_first {
                return false;
            }
            is_first = false;
            // It ends where the text behind it begins, or with all.
            end = match next {
                _ if is_last => text.len(),
                Some(next) => match text[from..].find(next) {
                    Some(length) => from + length,
                    None => return false,
                },
                None => from,
            };
            if self.tries == 0 {
                return false;
            }
            self.tries -= 1;
            match capture {
                None => {
                    if self.all(end, rest) {
                        return true;
                    }
                }
                Some(Capture { slot, words, .. }) => {
                    let piece = &text[at..end];
                    let is_word = words.is_empty() || words.iter().any(|word| word.fits(piece));
                    if is_word && (self.fits)(*slot, piece) {
                        self.found[*slot] = Some(at..end);
                        if self.all(end, rest) {
                            return true;
                        }
                        self.found[*slot] = None;
                    }
                }
            }
            if end == text.len() {
                return false;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn read(shape: &str, text: &str) -> Option<Vec<Option<String>>> {
        let found = Shape::parse(shape).expect("a shape").read(text, &mut |_, _| true)?;
        Some(found.into_iter().map(|range| range.map(|range| text[range].to_owned())).collect())
    }

    #[rstest]
    #[case("{a}", "x", &["x"])]
    #[case("{a}.{b}", "p2.30", &["p2", "30"])]
    #[case("{a}.{b}", "p2.x.30", &["p2", "x.30"])]
    #[case("{a}/{b}", "tcp/443", &["tcp", "443"])]
    #[case("of `{`{a}`}`", "of {é}", &["é"])]
    #[case("any", "any", &[])]
    #[case("eap*", "eap", &[])]
    #[case("*.{b}.", "a.b.", &["b"])]
    #[case("no|yes {a}", "yes x", &["x"])]
    #[case("a {x}b|{x} c", "a yb c", &["y"])]
    #[case("(/etc/certs/)?{c}", "/etc/certs/one", &["one"])]
    #[case("(/etc/certs/)?{c}", "one", &["one"])]
    #[case("{a}({b})?", "x", &["x", "-"])]
    #[case("{a}-{a}", "b-b", &["b"])]
    #[case("{k=ab|a*} {b}", "axx y", &["axx", "y"])]
    fn fits(#[case] shape: &str, #[case] text: &str, #[case] expected: &[&str]) {
        let found = read(shape, text).expect("fits");
        assert_eq!(found.iter().map(|text| text.as_deref().unwrap_or("-")).collect::<Vec<_>>(), expected);
    }

    #[rstest]
    #[case("{a}.{b}", "p2")]
    #[case("{a}.{b}", "p2.")]
    #[case("{a}.{b}", ".30")]
    #[case("any", "anyone")]
    #[case("{a}", "")]
    #[case("no|yes {a}", "nos x")]
    #[case("{a}-{a}", "b-c")]
    #[case("{k=ab}", "b")]
    fn does_not_fit(#[case] shape: &str, #[case] text: &str) {
        assert_eq!(read(shape, text), None);
    }

    #[test]
    fn a_capture_grows_until_its_type_is_content() {
        let shape = Shape::parse("{a}.{b}").expect("a shape");
        let digits = |index: usize, text: &str| index == 0 || text.bytes().all(|b| b.is_ascii_digit());
        assert_eq!(shape.read("p2.x.30", &mut { digits }), Some(smallvec::smallvec![Some(0..4), Some(5..7)]));
    }

    #[test]
    fn an_ambiguous_value_is_given_up() {
        let shape = Shape::parse("{a},{b},{c},{d},{e}!").expect("a shape");
        assert_eq!(shape.read(&",".repeat(5_000), &mut |_, _| true), None);
    }

    #[rstest]
    #[case("{a", 0..2)]
    #[case("a}", 1..2)]
    #[case("{a}{b}", 3..6)]
    #[case("{a -> b}", 0..8)]
    #[case("{a+}", 0..4)]
    #[case("(a)+", 0..4)]
    #[case("{= a}", 0..5)]
    fn refuses(#[case] text: &str, #[case] at: Range<usize>) {
        assert_eq!(Shape::parse(text).expect_err("refused").at, at);
    }
}
