//! Findings about files of statements.

use crate::finding::facts;

facts! {
    /// What is wrong with a file. A statement itself is never shown: it may hold a secret.
    pub(super) enum StatementFact {
        BodyOpen { until: String } => StatementMalformed, "the text behind it is not ended by `{until}`",
            help: "if the file is cut off, fetch it again";
        BlockOpen => StatementMalformed, "a block that is not closed",
            help: "close it; if the file is cut off, fetch it again";
        BlockNameless => StatementMalformed, "a block without anything that opens it",
            help: "say before `{{` what it is";
        Unended { end: char } => StatementMalformed, "a statement without `{end}` at its end",
            help: "end it; if the file is cut off, fetch it again";
        ClosesNothing { close: String } => StatementMalformed, "`{close}` closes nothing",
            help: "take it out, or open what it closes";
        TooDeep { most: usize } => TooLarge, "blocks are nested deeper than {most} levels",
            help: "no configuration is so deep; look at where the file comes from";
        IncludeCircle => StatementMalformed, "files include one another in a circle, or too deep",
            help: "take one of these statements out";
        IncludeSize { times: usize } => StatementMalformed,
            "files are included so often that more than {times} times the whole would be read",
            help: "include each file once";
        Words { most: usize } => StatementMalformed, "a statement has more than {most} words",
            help: "no configuration has; is this the right file?";
        QuotesOpen => StatementMalformed, "quotes that are not closed", help: "close them on the same line";
    }
}

facts! {
    /// What is wrong with how a profile declares statements.
    pub(super) enum GrammarFact {
        NoCharacter => ValueWrong, "expected one character";
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}";
        StepUncaptured { name: String } => CaptureUnknown, "the shape captures no `{name}`",
            help: "name steps, or captures of `shape` in braces";
        StepNameless => CaptureUnknown, "a step of a path without a name",
            help: "name steps, or captures of `shape` in braces";
        Uncaptured { name: String } => CaptureUnknown, "the shape captures no `{name}`";
        WordUncaptured { name: String } => CaptureUnknown, "the shape captures no one word `{name}`";
        Pairs { shape: ShapeFact } => RuleMalformed, "{shape}",
            help: "write `{{name}}` and `{{value}}` with what stands between them, such as `{{name}}={{value}}`";
    }
}

facts! {
    /// What is wrong with the shape of a statement.
    pub(super) enum ShapeFact {
        ClosesNothing => RuleMalformed, "`]` closes no `[`";
        GroupOpen => RuleMalformed, "`[` is not closed with `]`";
        CaptureOpen => RuleMalformed, "a capture that is not closed with `}}`";
        CaptureName { name: String } => RuleMalformed,
            "`{name}` is no name of a capture: lower-case letters, digits and `-`";
        PairHalf { name: String } => RuleMalformed, "`{name}` names no half of a pair: `key` or `value`";
        Empty => RuleMalformed, "a shape without anything in it";
        RestNotLast => RuleMalformed, "a capture of all that is left can only stand at the end";
        NoPair => RuleMalformed, "expected one pair";
    }
}
