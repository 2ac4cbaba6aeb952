//! Findings about files of sections, keys and values.

use crate::finding::facts;

facts! {
    /// What is wrong with a file, or with how a profile declares it. A line itself is never shown: it may hold a secret.
    pub(super) enum IniFact {
        HeadingOpen => IniMalformed, "a heading is not closed with `]`",
            help: "write `[NAME]` on a line of its own";
        Neither { separator: char, comment: char } => IniMalformed,
            "neither a heading nor a key with `{separator}` and a value",
            help: "write `KEY {separator} VALUE`, or begin the line with `{comment}` if it is a comment";
        Keyless => IniMalformed, "a value without a key", help: "name the key";
        Quotes => IniMalformed, "a value in quotes that are not closed as they should be",
            help: "close the quotes at the end of the line; in them, write `\\\"`, `\\\\` and `\\n`";
        Heading => ValueWrong, "expected the parts of a heading",
            help: "write `{{section}} {{name}}`, with what stands between them and the name of the setting";
    }
}
