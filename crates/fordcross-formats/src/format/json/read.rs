//! Reading, by the `jiter` tokenizer: it gives exact spans and numbers to the letter. Depth and
//! repeated keys are ours to refuse.

use super::facts::JsonFact;
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, Sink, Text, Tree, TreeBuilder};
use jiter::{Jiter, JiterError, JiterErrorType, JsonErrorType, Peek};
use rustc_hash::FxHashSet;

/// How deep objects and arrays may be nested. Real exports stay under twenty.
const MAX_DEPTH: usize = 512;

/// Reads a document into a tree.
///
/// # Errors
/// As [`read_json`].
pub fn read_json_tree(source: Source<'_>) -> Result<Tree<'_>, Box<Finding>> {
    let mut builder = TreeBuilder::new(Tree::new(source));
    read_json(source, &mut builder)?;
    Ok(builder.finish())
}

/// Reads a document, handing each branch and leaf to `sink` in the order of the text.
///
/// # Errors
/// One finding with the place of the first thing that is not well-formed, of a key given twice in
/// one object, or of the level that is too deep.
pub fn read_json(source: Source<'_>, sink: &mut impl Sink) -> Result<(), Box<Finding>> {
    let text = source.text.strip_prefix('\u{FEFF}').unwrap_or(source.text);
    let shift = source.text.len() - text.len();
    let mut reader = Reader {
        jiter: Jiter::new(text.as_bytes()),
        text,
        shift,
        sink,
        open: Vec::new(),
        key: String::new(),
        string: String::new(),
        spare: None,
    };
    reader.document().map_err(|problem| {
        let span = Span::new(
            shift + problem.at,
            (shift + problem.at + 1).min(source.text.len()).max(shift + problem.at),
        );
        Box::new(Finding::new(problem.fact).at(source, span))
    })
}

struct Problem {
    at: usize,
    fact: JsonFact,
}

impl From<JiterError> for Problem {
    fn from(error: JiterError) -> Self {
        let fact = match &error.error_type {
            JiterErrorType::JsonError(error) => fact_of(error),
            // A kind that was not asked for.
            JiterErrorType::WrongType { .. } => JsonFact::Other,
        };
        Self { at: error.index, fact }
    }
}

/// What the tokenizer complains of.
fn fact_of(error: &JsonErrorType) -> JsonFact {
    match error {
        JsonErrorType::EofWhileParsingList
        | JsonErrorType::EofWhileParsingObject
        | JsonErrorType::EofWhileParsingString
        | JsonErrorType::EofWhileParsingValue => JsonFact::CutOff,
        JsonErrorType::ExpectedColon => JsonFact::Colon,
        JsonErrorType::ExpectedListCommaOrEnd => JsonFact::ListSeparator,
        JsonErrorType::ExpectedObjectCommaOrEnd => JsonFact::ObjectSeparator,
        JsonErrorType::ExpectedSomeIdent => JsonFact::Word,
        JsonErrorType::ExpectedSomeValue => JsonFact::Value,
        JsonErrorType::InvalidEscape => JsonFact::Escape,
        JsonErrorType::InvalidNumber | JsonErrorType::NumberOutOfRange => JsonFact::Number,
        JsonErrorType::InvalidUnicodeCodePoint
        | JsonErrorType::LoneLeadingSurrogateInHexEscape
        | JsonErrorType::UnexpectedEndOfHexEscape => JsonFact::EscapedCharacter,
        JsonErrorType::ControlCharacterWhileParsingString => JsonFact::Control,
        JsonErrorType::KeyMustBeAString => JsonFact::Key,
        JsonErrorType::TrailingComma => JsonFact::CommaAtEnd,
        JsonErrorType::TrailingCharacters => JsonFact::BehindEnd,
        JsonErrorType::RecursionLimitExceeded => JsonFact::Recursion,
        _ => JsonFact::Other,
    }
}

/// An open object with the keys it had, or an open array.
enum Open {
    Object(Keys),
    Array,
}

/// The keys of one object: few are compared one by one, many by a set.
#[derive(Default)]
struct Keys {
    few: Vec<Span>,
    many: FxHashSet<Box<str>>,
    /// The bits of all of them, see [`bit_of`].
    bits: u64,
}

/// A bit that few keys of an object share, so that most need not be compared.
fn bit_of(key: &str) -> u64 {
    let (first, last) = (key.bytes().next().unwrap_or(0), key.bytes().next_back().unwrap_or(0));
    1 << ((usize::from(first) + 7 * usize::from(last) + 13 * key.len()) % 64)
}

const LINEAR_SEARCH_LIMIT: usize = 24;

struct Reader<'j, 's, S> {
    jiter: Jiter<'j>,
    text: &'j str,
    shift: usize,
    sink: &'s mut S,
    open: Vec<Open>,
    /// The last key and string; kept so that there is no new one each time.
    key: String,
    string: String,
    /// Of an object that has ended, to be used again.
    spare: Option<Keys>,
}

impl<S: Sink> Reader<'_, '_, S> {
    fn document(&mut self) -> Result<(), Problem> {
        let peek = self.jiter.peek()?;
        self.value(peek, "")?;
        while let Some(open) = self.open.last() {
            if let Open::Array = open {
                match self.jiter.array_step()? {
                    Some(peek) => self.value(peek, "")?,
                    None => self.close(),
                }
            } else {
                let found = keep(self.jiter.next_key()?, &mut self.key);
                self.member(found)?;
            }
        }
        self.jiter.finish()?;
        Ok(())
    }

    /// The value after the last key, or the end of the object where none was found.
    fn member(&mut self, found: bool) -> Result<(), Problem> {
        if !found {
            self.close();
            return Ok(());
        }
        let key = std::mem::take(&mut self.key);
        let after = self.jiter.current_index();
        self.check_repeat(&key, after)?;
        let peek = self.jiter.peek()?;
        if peek == Peek::Object || peek == Peek::Array {
            return self.value(peek, &key);
        }
        let start = self.jiter.current_index();
        let done = self.scalar(peek, &key, start);
        self.key = key;
        done
    }

    fn close(&mut self) {
        if let Some(Open::Object(mut keys)) = self.open.pop()
            && keys.many.is_empty()
        {
            keys.few.clear();
            keys.bits = 0;
            self.spare = Some(keys);
        }
        self.sink.close(self.shift + self.jiter.current_index());
    }

    /// Refuses a key that this object already has: readers differ in which one they take.
    fn check_repeat(&mut self, key: &str, after: usize) -> Result<(), Problem> {
        // The tokenizer is behind the colon; the key ends at the quote before it.
        let end = self.text.as_bytes()[..after].iter().rposition(|&byte| byte == b'"').unwrap_or(0);
        let start = end.saturating_sub(key.len());
        let spelled = self.text.get(start..end) == Some(key);
        let Some(Open::Object(keys)) = self.open.last_mut() else { return Ok(()) };
        let repeated = if keys.many.is_empty() && keys.few.len() < LINEAR_SEARCH_LIMIT && spelled {
            let is_new = keys.bits & bit_of(key) == 0;
            let repeated = !is_new && keys.few.iter().any(|span| &self.text[span.range()] == key);
            keys.bits |= bit_of(key);
            keys.few.push(Span::new(start, end));
            repeated
        } else {
            if keys.many.is_empty() {
                keys.many.extend(keys.few.drain(..).map(|span| self.text[span.range()].into()));
            }
            !keys.many.insert(key.into())
        };
        if repeated {
            return Err(Problem { at: start, fact: JsonFact::KeyTwice });
        }
        Ok(())
    }

    fn value(&mut self, peek: Peek, name: &str) -> Result<(), Problem> {
        let start = self.jiter.current_index();
        if peek == Peek::Object || peek == Peek::Array {
            if self.open.len() >= MAX_DEPTH {
                return Err(Problem { at: start, fact: JsonFact::TooDeep { most: MAX_DEPTH } });
            }
            let kind = if peek == Peek::Object { Kind::Map } else { Kind::List };
            self.sink.open(kind, name, self.shift + start);
            if peek == Peek::Object {
                self.open.push(Open::Object(self.spare.take().unwrap_or_default()));
                let found = keep(self.jiter.known_object()?, &mut self.key);
                self.member(found)
            } else {
                self.open.push(Open::Array);
                match self.jiter.known_array()? {
                    Some(peek) => self.value(peek, ""),
                    None => {
                        self.close();
                        Ok(())
                    }
                }
            }
        } else {
            self.scalar(peek, name, start)
        }
    }

    fn scalar(&mut self, peek: Peek, name: &str, start: usize) -> Result<(), Problem> {
        if peek == Peek::String {
            keep(Some(self.jiter.known_str()?), &mut self.string);
            let end = self.jiter.current_index();
            let span = Span::new(self.shift + start, self.shift + end);
            let inner = Span::new(self.shift + start + 1, self.shift + end - 1);
            // A value as long as the text between the quotes has no escapes in it.
            if self.string.len() == inner.range().len() {
                self.sink.leaf(Kind::Text, name, span, Text::Borrowed(inner));
            } else {
                self.sink.leaf(Kind::Text, name, span, Text::Decoded(&self.string));
            }
            return Ok(());
        }
        match peek {
            Peek::True | Peek::False => {
                self.jiter.known_bool(peek)?;
            }
            Peek::Null => self.jiter.known_null()?,
            // `known_number` would fail on numbers that are too large; the bytes never are.
            _ if peek.is_num() && peek != Peek::NaN && peek != Peek::Infinity => {
                self.jiter.known_number_bytes(peek)?;
            }
            _ => {
                return Err(Problem { at: start, fact: JsonFact::Value });
            }
        }
        let span = Span::new(self.shift + start, self.shift + self.jiter.current_index());
        self.sink.leaf(Kind::Bare, name, span, Text::Borrowed(span));
        Ok(())
    }
}

/// Puts a string of the tokenizer, which is only lent, into one that stays. Returns whether there was one.
fn keep(lent: Option<&str>, kept: &mut String) -> bool {
    kept.clear();
    lent.inspect(|text| kept.push_str(text)).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finding::Code;
    use crate::format::json::write_json;
    use proptest::prelude::*;
    use rstest::rstest;

    fn rewrite(text: &str) -> Result<String, Box<Finding>> {
        let tree = read_json_tree(Source::new("x", text))?;
        let mut out = Vec::new();
        write_json(&tree, &mut out);
        Ok(String::from_utf8(out).expect("we write UTF-8"))
    }

    #[rstest]
    #[case("{}", "object")]
    #[case(r#"{"a":1,"b":[1.50,"x",{"c":null}],"d":{}}"#, "mixed")]
    #[case(r#"[[],[[true]],""]"#, "nested arrays")]
    #[case("{\"a\\n\\u00e9\":\"\\u0001\\\"/\\\\\"}", "escapes")]
    #[case("123456789012345678901234567890.10", "a long number")]
    fn values_survive(#[case] text: &str, #[case] what: &str) {
        let ours: serde_json::Value = serde_json::from_str(&rewrite(text).expect(what)).expect(what);
        assert_eq!(ours, serde_json::from_str::<serde_json::Value>(text).expect(what), "{what}");
    }

    #[rstest]
    #[case(r#"{"a":1,"a":2}"#, "the key twice", 8)]
    #[case(r#"{"a":1,"\u0061":2}"#, "the key twice", 13)]
    #[case(r#"{"a":1"#, "ends too early", 6)]
    #[case(r#"{"a":1} x"#, "after the end", 8)]
    #[case("[1,]", "trailing comma", 3)]
    #[case("[NaN]", "expected", 1)]
    fn refuses(#[case] text: &str, #[case] message: &str, #[case] at: u32) {
        let finding = rewrite(text).expect_err("refused");
        assert!(finding.message().contains(message), "{}", finding.message());
        assert_eq!(finding.location.map(|place| place.span.start), Some(at));
    }

    #[test]
    fn nesting_is_bounded() {
        assert_eq!(rewrite(&"[".repeat(100_000)).expect_err("refused").code(), Code::TooLarge);
        assert_eq!(rewrite(&"{\"a\":".repeat(100_000)).expect_err("refused").code(), Code::TooLarge);
    }

    proptest! {
        #[test]
        fn any_string_survives(value in ".*", key in ".*") {
            let text = serde_json::json!({ key: value }).to_string();
            let back: serde_json::Value = serde_json::from_str(&rewrite(&text).expect("read")).expect("written");
            prop_assert_eq!(back.to_string(), text);
        }

        /// Also where a control character is in any eighth of a word.
        #[test]
        fn what_must_be_escaped_is_found(text in "[ -~é]{0,20}", c in 0_u8..0x80, at in 0_usize..20) {
            let at = text.char_indices().map(|(at, _)| at).nth(at).unwrap_or(text.len());
            let text = format!("{}{}{}", &text[..at], char::from(c), &text[at..]);
            let mut out = Vec::new();
            crate::text::json_string::write_string(&text, &mut out);
            prop_assert_eq!(serde_json::from_slice::<String>(&out).ok(), Some(text));
        }

        #[test]
        fn no_input_panics(text in "[\\[\\]{}\",:0-9a-z\\\\ \n-]{0,40}") {
            let _ = rewrite(&text);
        }
    }
}
