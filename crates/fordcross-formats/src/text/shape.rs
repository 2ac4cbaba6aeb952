//! Shapes: a value or name is declared once as text with captures, and read and written by it.
//!
//! `{parent:port}.{id:vlan-id}` fits `p2.30`: `parent` is `p2`, of the type `port`, and `id` is
//! `30`. `{{` and `}}` stand for braces themselves, `{/}` for a slash that parts no steps of a path.

use crate::finding::facts;
use smallvec::SmallVec;
use std::ops::Range;

/// A text with captures.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shape {
    /// Its pieces, in their order.
    pub parts: Vec<Part>,
}

/// A piece of a shape.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// Text that stands for itself.
    Literal(String),
    /// `{name}`: any text.
    Capture {
        /// What the text is called.
        name: String,
        /// What follows the colon: a type, or in a template a table.
        detail: Option<String>,
        /// Where it is in the text of the shape.
        at: Range<usize>,
    },
    /// `{= …}`: what an expression gives. Only what is written can hold one.
    Expression {
        /// The expression.
        text: String,
        /// Where it is in the text of the shape.
        at: Range<usize>,
    },
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
        ClosesNothing => RuleMalformed, "`}}` closes no capture; write `}}}}` for the character";
        CaptureOpen => RuleMalformed, "the capture is not closed with `}}`";
        CaptureName { name: String } => RuleMalformed,
            "`{name}` is not a valid name of a capture: lower-case letters, digits and `-`";
        CapturesTouch => RuleMalformed, "two captures are adjacent; put text between them";
    }
}

/// The tries that reading one value by one shape may take. Real values take a handful; a value
/// made to be ambiguous is said not to fit instead of being searched for ever.
const MAX_TRIES: usize = 2_000;
/// A value that several captures are read from is no longer than this many bytes.
const MAX_LENGTH: usize = 4_096;

impl std::fmt::Display for Shape {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.parts.iter().try_for_each(|part| match part {
            Part::Literal(text) => f.write_str(text),
            Part::Capture { name, .. } => write!(f, "{{{name}}}"),
            Part::Expression { text, .. } => write!(f, "{{= {text}}}"),
        })
    }
}

/// Where each capture is in a text, in order.
pub type Captured = SmallVec<[Range<usize>; 4]>;

impl Shape {
    /// Reads a shape.
    ///
    /// # Errors
    /// The first piece that is none, and where it is.
    pub fn parse(text: &str) -> Result<Self, BadShape> {
        let mut parts: Vec<Part> = Vec::new();
        let mut literal = String::new();
        let bytes = text.as_bytes();
        let mut at = 0;
        while at < text.len() {
            let rest = &text[at..];
            if rest.starts_with("{{") || rest.starts_with("}}") {
                literal.push(char::from(bytes[at]));
                at += 2;
            } else if rest.starts_with('}') {
                return Err(BadShape { at: at..at + 1, fact: ShapeFact::ClosesNothing });
            } else if rest.starts_with('{') {
                let Some(len) = rest.find('}') else {
                    return Err(BadShape { at: at..text.len(), fact: ShapeFact::CaptureOpen });
                };
                let inner = &rest[1..len];
                // Between the steps of a path a slash means something else.
                if inner == "/" {
                    literal.push('/');
                    at += len + 1;
                    continue;
                }
                if let Some(expression) = inner.strip_prefix('=') {
                    if !literal.is_empty() {
                        parts.push(Part::Literal(std::mem::take(&mut literal)));
                    }
                    parts.push(Part::Expression { text: expression.trim().to_owned(), at: at..at + len + 1 });
                    at += len + 1;
                    continue;
                }
                let (name, detail) = match inner.split_once(':') {
                    Some((name, detail)) => (name.trim(), Some(detail.trim().to_owned())),
                    None => (inner.trim(), None),
                };
                if !is_name(name) && name != UNSAID {
                    let fact = ShapeFact::CaptureName { name: inner.to_owned() };
                    return Err(BadShape { at: at..at + len + 1, fact });
                }
                if !literal.is_empty() {
                    parts.push(Part::Literal(std::mem::take(&mut literal)));
                }
                parts.push(Part::Capture { name: name.to_owned(), detail, at: at..at + len + 1 });
                at += len + 1;
            } else {
                let len = rest.find(['{', '}']).unwrap_or(rest.len());
                literal.push_str(&rest[..len]);
                at += len;
            }
        }
        if !literal.is_empty() {
            parts.push(Part::Literal(literal));
        }
        let touching = parts.windows(2).find_map(|pair| match pair {
            [Part::Capture { .. }, Part::Capture { at, .. }] => Some(at.clone()),
            _ => None,
        });
        match touching {
            Some(at) => Err(BadShape { at, fact: ShapeFact::CapturesTouch }),
            None => Ok(Self { parts }),
        }
    }

    /// The names of the captures, in order.
    pub fn captures(&self) -> impl Iterator<Item = &str> {
        self.parts.iter().filter_map(|part| match part {
            Part::Capture { name, .. } => Some(name.as_str()),
            Part::Literal(_) | Part::Expression { .. } => None,
        })
    }

    /// Where the first expression is, which a shape that is read by cannot have.
    pub fn expression_at(&self) -> Option<Range<usize>> {
        self.parts.iter().find_map(|part| match part {
            Part::Expression { at, .. } => Some(at.clone()),
            _ => None,
        })
    }

    /// The text itself, if there is no capture in it.
    pub fn as_literal(&self) -> Option<&str> {
        match self.parts.as_slice() {
            [] => Some(""),
            [Part::Literal(text)] => Some(text),
            _ => None,
        }
    }

    /// The capture's name, if the whole shape is one capture.
    pub fn as_capture(&self) -> Option<&str> {
        match self.parts.as_slice() {
            [Part::Capture { name, detail: None, .. }] => Some(name),
            _ => None,
        }
    }

    /// Reads `text` by the shape: the range of each capture, in order. A capture is as short as it
    /// can be, never empty, and `fits` may turn one down.
    pub fn read(&self, text: &str, fits: &mut dyn FnMut(usize, &str) -> bool) -> Option<Captured> {
        if text.len() > MAX_LENGTH && self.captures().nth(1).is_some() {
            return None;
        }
        let mut found = Captured::new();
        let mut tries = MAX_TRIES;
        self.read_from(0, 0, text, fits, &mut found, &mut tries).then_some(found)
    }

    fn read_from(
        &self,
        part: usize,
        at: usize,
        text: &str,
        fits: &mut dyn FnMut(usize, &str) -> bool,
        found: &mut Captured,
        tries: &mut usize,
    ) -> bool {
        match self.parts.get(part) {
            None => at == text.len(),
            Some(Part::Literal(literal)) => {
                text[at..].starts_with(literal.as_str())
                    && self.read_from(part + 1, at + literal.len(), text, fits, found, tries)
            }
            Some(Part::Expression { .. }) => false,
            Some(Part::Capture { .. }) => {
                let mut end = at;
                loop {
                    // A capture ends where the literal after it begins, or with the text.
                    end = match self.parts.get(part + 1) {
                        Some(Part::Literal(next)) => {
                            let from = end + text[end..].chars().next().map_or(0, char::len_utf8);
                            match text[from..].find(next.as_str()) {
                                Some(len) if from > end => from + len,
                                _ => return false,
                            }
                        }
                        _ => text.len(),
                    };
                    if end == at || *tries == 0 {
                        return false;
                    }
                    *tries -= 1;
                    if fits(found.len(), &text[at..end]) {
                        found.push(at..end);
                        if self.read_from(part + 1, end, text, fits, found, tries) {
                            return true;
                        }
                        found.pop();
                    }
                    if end == text.len() {
                        return false;
                    }
                }
            }
        }
    }
}

/// A capture of what says nothing by itself.
pub const UNSAID: &str = "_";

/// Lower-case letters, digits, `-` and `_`, beginning with a letter.
pub fn is_name(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_lowercase())
        && text.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-' || b == b'_')
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("{a}", "x", &["x"])]
    #[case("{a}.{b}", "p2.30", &["p2", "30"])]
    #[case("{a}.{b}", "p2.x.30", &["p2", "x.30"])]
    #[case("{a}/{b}", "tcp/443", &["tcp", "443"])]
    #[case("of {{{a}}}", "of {é}", &["é"])]
    #[case("any", "any", &[])]
    fn fits(#[case] shape: &str, #[case] text: &str, #[case] expected: &[&str]) {
        let shape = Shape::parse(shape).expect("a shape");
        let found = shape.read(text, &mut |_, _| true).expect("fits");
        assert_eq!(found.into_iter().map(|range| &text[range]).collect::<Vec<_>>(), expected);
    }

    #[rstest]
    #[case("{a}.{b}", "p2")]
    #[case("{a}.{b}", "p2.")]
    #[case("{a}.{b}", ".30")]
    #[case("any", "anyone")]
    #[case("{a}", "")]
    fn does_not_fit(#[case] shape: &str, #[case] text: &str) {
        assert_eq!(Shape::parse(shape).expect("a shape").read(text, &mut |_, _| true), None);
    }

    #[test]
    fn a_capture_grows_until_its_type_is_content() {
        let shape = Shape::parse("{a}.{b}").expect("a shape");
        let digits = |index: usize, text: &str| index == 0 || text.bytes().all(|b| b.is_ascii_digit());
        assert_eq!(shape.read("p2.x.30", &mut { digits }), Some(smallvec::smallvec![0..4, 5..7]));
    }

    #[test]
    fn an_ambiguous_value_is_given_up() {
        let shape = Shape::parse("{a},{b},{c},{d},{e}!").expect("a shape");
        assert_eq!(shape.read(&",".repeat(5_000), &mut |_, _| true), None);
    }

    #[rstest]
    #[case("{a", 0..2)]
    #[case("a}", 1..2)]
    #[case("{A}", 0..3)]
    #[case("{a}{b}", 3..6)]
    fn refuses(#[case] text: &str, #[case] at: Range<usize>) {
        assert_eq!(Shape::parse(text).expect_err("refused").at, at);
    }
}
