//! What is wrong with a text of the notation.

use crate::finding::facts;

facts! {
    /// What is wrong with a text of the notation.
    pub enum NotationFact {
        BraceCloses => RuleMalformed, "`}}` closes no capture", help: "write it between backticks if it is text";
        ParenCloses => RuleMalformed, "`)` closes no `(`", help: "write it between backticks if it is text";
        KeyCloses => RuleMalformed, "`]` closes no `[`", help: "write it between backticks if it is text";
        CaptureOpen => RuleMalformed, "the capture is not closed with `}}`",
            help: "close it, or write `{{` between backticks if it is text";
        QuoteOpen => RuleMalformed, "the backtick is not closed",
            help: "close it; two backticks with nothing between them are the character itself";
        GroupOpen => RuleMalformed, "the `(` is not closed with `)`",
            help: "close it, or write it between backticks if it is text";
        KeyOpen => RuleMalformed, "the `[` is not closed with `]`",
            help: "close it, or write it between backticks if it is text";
        Semicolon => RuleMalformed, "`;` separates the clauses of a rule", help: "write it between backticks if it is text";
        ClauseEmpty => RuleMalformed, "a clause is empty",
            help: "remove the `;`, or write it between backticks if it is text";
        StepEmpty => RuleMalformed, "an empty step; steps are separated by one `/`";
        Blank => RuleMalformed, "a blank in a path",
            help: "write `PATH = VALUE`, or the blank between backticks if it is part of a name";
        SignInPath { sign: char } => RuleMalformed, "`{sign}` is not allowed in a path",
            help: "write it between backticks if it is part of a name";
        SignInWord { sign: char } => RuleMalformed, "`{sign}` is not allowed in a word of a capture",
            help: "write it between backticks if it is text";
        WordEmpty => RuleMalformed, "an empty word in a capture; write two backticks around nothing else for a backtick";
        CaptureName { name: String } => RuleMalformed, "`{name}` is not a valid name of a capture",
            help: "write letters, digits, `_` and `-`; write `{{` between backticks if it is text";
        PlaceName { name: String } => RuleMalformed, "`{name}` is not a valid name of a place",
            help: "write letters, digits, `_` and `-`";
        CaptureDetail { found: String } => RuleMalformed, "`{found}` is not allowed in a capture",
            help: "write `{{name}}`, `{{name:type}}`, `{{name=word|word}}`, `{{name+}}`, `{{name...}}` or `{{name -> table}}`";
        RowWithoutEquals => RuleMalformed, "a row of the table has no `=`",
            help: "write `{{name -> old=new, other=new, *=rest}}` or the name of a table";
        BelowNotLast => RuleMalformed, "`**` must be the last step";
        Stars => RuleMalformed, "`**` is a step of its own", help: "write `*` for any text, `**` for all below";
        TooDeep { most: usize } => RuleMalformed, "parts are nested deeper than {most} levels";
    }
}
