//! What is wrong with a text as TOML (<https://toml.io/en/v1.1.0>), in our words: the parser's own are made for other readers.

use crate::finding::Remedy;
use std::fmt;

/// What is wrong with a text as TOML.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct TomlProblem {
    /// What is wrong.
    sentence: &'static str,
    /// What to do.
    help: &'static str,
}

impl fmt::Display for TomlProblem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.sentence)
    }
}

/// How the parser's sentence begins, and the problem that it is about.
static PROBLEMS: [(&str, TomlProblem); 34] = [
    (
        "key with no value",
        problem(
            "expected `=` and a value after the key",
            "write `key = value`; a key with blanks needs quotes",
        ),
    ),
    ("missing assignment", problem("expected `=` after the key", "write `key = value`")),
    ("missing value", problem("there is no value after `=`", QUOTE)),
    ("extra `=`", problem("there is one `=` too many", "write `key = value`")),
    ("extra assignment", problem("there is one `=` too many", "write `key = value`")),
    ("unquoted keys cannot be empty", problem("expected a key", "write `\"\"` for a key without characters")),
    (
        "invalid unquoted key",
        problem("a key with this character needs quotes", "put the key in quotes: `\"a/b\" = …`"),
    ),
    ("keys cannot be multi-line", problem("a key has one pair of quotes, not three", "write `\"key\" = …`")),
    ("missing key", problem("expected a key", "write `key = value`")),
    ("duplicate key", problem("the key exists twice", "keep one of the two")),
    (
        "cannot extend value",
        problem(
            "the key in front of the dot exists already, and is not a table",
            "keep one of the two, or name one of them otherwise",
        ),
    ),
    ("string values must be quoted", problem("this is not a value", QUOTE)),
    ("missing opening quote", problem("this is not a value", QUOTE)),
    ("invalid value", problem("this is not a value", QUOTE)),
    ("invalid boolean", problem("this is not a value", "write `true` or `false`, or put a text in quotes")),
    ("missing escaped value", problem("unknown escape", ESCAPES)),
    ("too few unicode value digits", problem("a character's number has too few digits", ESCAPES)),
    ("missing comma", problem("expected a comma", "separate the values in brackets by commas")),
    (
        "extra comma",
        problem("there is one comma too many", "separate the values in brackets by one comma each"),
    ),
    ("unexpected `=` in array", problem("a list contains only values", "write `{ key = value }` for keys")),
    ("unclosed array table", problem("the name of a table is not closed", "write `[[name]]`")),
    ("unclosed array", problem("a list is not closed", "write `]` after its last value")),
    ("unclosed inline table", problem("a table in braces is not closed", "write `}` after its last value")),
    ("unclosed table", problem("the name of a table is not closed", "write `[name]`")),
    ("unexpected key or value", problem("expected the end of the line", "begin a new line")),
    ("unexpected content", problem("expected the end of the line", "begin a new line")),
    ("unexpected leading zero", problem("a number does not begin with 0", NUMBER)),
    ("`_` may only", problem("`_` is allowed only between two digits of a number", NUMBER)),
    ("cannot recurse", problem(TOO_DEEP, "write less in one value")),
    ("recursion limit", problem(TOO_DEEP, "write less in one value")),
    (
        "carriage return",
        problem("a carriage return without a line end after it", "end lines as on Unix or as on Windows"),
    ),
    ("invalid comment", problem("a comment has a control character in it", "remove it")),
    ("invalid date", problem("there is no such date", "write `2026-11-25`, or put a text in quotes")),
    ("invalid time", problem("there is no such time", "write `23:00:00`, or put a text in quotes")),
];

const QUOTE: &str = "put a text in quotes: `key = \"text\"`; a number, `true` and `false` have none";
const NUMBER: &str = "write the digits alone, or put a text in quotes";
const ESCAPES: &str =
    "write `\\\\` for a backslash, or put the text in single quotes, where it is taken as it is";
const TOO_DEEP: &str = "values are nested too deeply";

const fn problem(sentence: &'static str, help: &'static str) -> TomlProblem {
    TomlProblem { sentence, help }
}

impl TomlProblem {
    /// The problem of a parser's sentence; `text` is what the sentence is about.
    pub(super) fn of(sentence: &str, text: &str) -> &'static Self {
        static CONTROL: TomlProblem =
            problem("a text has a control character in it", "write it as `\\u` and four digits: `\\u0007`");
        static TEXT_OPEN: TomlProblem =
            problem("a text in quotes is not closed", "write the same quotes after it as before it");
        static NO_NUMBER: TomlProblem = problem("this is not a number", NUMBER);
        static NO_TOML: TomlProblem =
            problem("this is not TOML", "write `key = value` on a line, or `[name]`");
        let sentence = sentence.to_lowercase();
        let is_missing = text.trim().is_empty() && sentence.starts_with("string values must");
        let sentence = if is_missing { "missing value" } else { sentence.as_str() };
        if let Some((_, known)) = PROBLEMS.iter().find(|(begin, _)| sentence.starts_with(begin)) {
            return known;
        }
        let is_text = sentence.starts_with("invalid") && sentence.contains("string");
        let begins_as_number = ["invalid", "radix", "redundant", "integers", "unexpected sign"];
        match sentence {
            // What is expected shows what is missing: the end, or an allowed character.
            text if is_text && text.contains("visible characters") => &CONTROL,
            _ if is_text => &TEXT_OPEN,
            _ if begins_as_number.iter().any(|begin| sentence.starts_with(begin)) => &NO_NUMBER,
            _ => &NO_TOML,
        }
    }

    /// What to do about it.
    pub(super) fn remedy(&self) -> Remedy {
        self.help.into()
    }
}

#[cfg(test)]
mod tests {
    use crate::declaration::Report;
    use crate::finding::{Code, Finding};
    use crate::text::source::Source;
    use rstest::rstest;

    #[rstest]
    #[case("a = ", "there is no value after `=`")]
    #[case("a", "expected `=` and a value after the key")]
    #[case("a b = 1", "expected `=` and a value after the key")]
    #[case("a : 1", "expected `=` and a value after the key")]
    #[case("a = b", "this is not a value")]
    #[case("a = tru", "this is not a value")]
    #[case("a = +\"x\"", "this is not a value")]
    #[case("a = 1 2", "this is not a value")]
    #[case("= 1", "expected a key")]
    #[case("[]", "expected a key")]
    #[case("a/b = 1", "a key with this character needs quotes")]
    #[case("a == 1", "there is one `=` too many")]
    #[case("a = \"x", "a text in quotes is not closed")]
    #[case("a = 'x", "a text in quotes is not closed")]
    #[case("a = \"\"\"x", "a text in quotes is not closed")]
    #[case("a = \"x\u{1}\"", "a text has a control character in it")]
    #[case("a = \"\\q\"", "unknown escape")]
    #[case("a = \"\\u12\"", "a character's number has too few digits")]
    #[case("\"\"\"x\"\"\" = 1", "a key has one pair of quotes, not three")]
    #[case("a = [1", "a list is not closed")]
    #[case("a = [,]", "there is one comma too many")]
    #[case("a = [1,,2]", "there is one comma too many")]
    #[case("a = {b = 1, , c = 2}", "there is one comma too many")]
    #[case("a = {b = 1", "a table in braces is not closed")]
    #[case("a = [\"x\" \"y\"]", "expected a comma")]
    #[case("[a", "the name of a table is not closed")]
    #[case("[[a]", "the name of a table is not closed")]
    #[case("[a] x", "expected the end of the line")]
    #[case("a = 1\na = 2", "the key exists twice")]
    #[case("a.b = 1\na.b.c = 2", "the key in front of the dot exists already, and is not a table")]
    #[case("a = 01", "a number does not begin with 0")]
    #[case("a = 1__2", "`_` is allowed only between two digits of a number")]
    #[case("a = 1.", "this is not a number")]
    #[case("a = 1e", "this is not a number")]
    #[case("a = 2026-13-01", "there is no such date")]
    #[case("a = 25:00:00", "there is no such time")]
    #[case("# \u{1}", "a comment has a control character in it")]
    #[case("a = 1\rb = 2", "a carriage return without a line end after it")]
    fn errors_are_told_in_our_words(#[case] text: &str, #[case] reported: &str) {
        let report = Report::new(Source::new("a.toml", text));
        let _ = report.parse();
        let findings = report.into_findings();
        assert!(
            findings
                .iter()
                .all(|finding| finding.code() == Code::TomlMalformed && finding.remedy().is_some())
        );
        let all_reported: Vec<String> = findings.iter().map(Finding::message).collect();
        assert!(all_reported.iter().any(|known| known == reported), "{all_reported:?}");
    }
}
