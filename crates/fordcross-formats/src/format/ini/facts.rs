//! Findings about files of sections, keys and values.

use crate::finding::facts;

facts! {
    /// What is wrong with a file, or with how a profile declares it. A line itself is never shown: it may hold a secret.
    pub(super) enum IniFact {
        HeadingOpen => IniMalformed, "the heading is not closed with `]`",
            help: "write `[NAME]` on a line of its own";
        Neither { separator: char, comment: char } => IniMalformed,
            "expected a heading, or a key with `{separator}` and a value",
            help: "write `KEY {separator} VALUE`, or start the line with `{comment}` if it is a comment";
        Keyless => IniMalformed, "the value has no key", help: "write the key";
        Quotes => IniMalformed, "the quotes of the value are not closed correctly",
            help: "close the quotes at the end of the line; in them, write `\\\"`, `\\\\` and `\\n`";
        Heading => ValueWrong, "expected the parts of a heading",
            help: "write `{{section}} {{name}}`, with the text between them and the name of the setting";
    }
}
