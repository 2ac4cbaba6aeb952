//! Findings about files of statements.

use crate::finding::facts;
use crate::notation::NotationFact;

facts! {
    /// What is wrong with a file. A statement itself is never shown: it may hold a secret.
    pub(super) enum StatementFact {
        BodyOpen { until: String } => StatementMalformed, "the text after it is not ended by `{until}`",
            help: "if the file is cut off, fetch it again";
        BlockOpen => StatementMalformed, "the block is not closed",
            help: "close it; if the file is cut off, fetch it again";
        BlockNameless => StatementMalformed, "the block has no name",
            help: "write its name before `{{`";
        Unended { end: char } => StatementMalformed, "the statement does not end with `{end}`",
            help: "end it; if the file is cut off, fetch it again";
        ClosesNothing { close: String } => StatementMalformed, "`{close}` closes nothing",
            help: "remove it, or open what it closes";
        TooDeep { most: usize } => TooLarge, "blocks are nested deeper than {most} levels",
            help: "no configuration is so deep; check where the file comes from";
        IncludeCircle => StatementMalformed, "files include each other in a circle, or too deeply",
            help: "remove one of these includes";
        IncludeSize { times: usize } => StatementMalformed,
            "files are included so often that more than {times} times the whole would be read",
            help: "include each file once";
        Words { most: usize } => StatementMalformed, "a statement has more than {most} words",
            help: "no configuration has; is this the right file?";
        QuotesOpen => StatementMalformed, "the quotes are not closed", help: "close them on the same line";
    }
}

facts! {
    /// What is wrong with how a profile declares statements.
    pub(super) enum GrammarFact {
        NoCharacter => ValueWrong, "expected one character";
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}", remedy: shape.remedy();
        StepUncaptured { name: String } => CaptureUnknown, "the shape has no capture `{name}`",
            help: "write names, or captures of `shape` in braces";
        StepNameless => CaptureUnknown, "a step of the path is empty",
            help: "write names, or captures of `shape` in braces";
        Uncaptured { name: String } => CaptureUnknown, "the shape has no capture `{name}`";
        WordUncaptured { name: String } => CaptureUnknown, "the shape has no capture `{name}` of one word";
        Pairs { shape: ShapeFact } => RuleMalformed, "{shape}",
            help: "write `{{name}}` and `{{value}}` with the text between them, such as `{{name}}={{value}}`";
    }
}

facts! {
    /// What is wrong with the shape of a statement.
    pub(super) enum ShapeFact {
        Notation { notation: NotationFact } => RuleMalformed, "{notation}", remedy: notation.remedy();
        PairHalf { name: String } => RuleMalformed, "`{name}` is not a half of a pair: `key` or `value`";
        Empty => RuleMalformed, "the shape is empty";
        RestNotLast => RuleMalformed, "a capture of the rest can only be at the end";
        NoPair => RuleMalformed, "expected one pair";
        Expression => RuleMalformed, "a statement cannot be read by an expression";
        Type => RuleMalformed, "a type is not allowed in the shape of a statement",
            help: "declare it at the setting that the capture makes, under `[setting]`";
        Table => RuleMalformed, "a table is not allowed in the shape of a statement",
            help: "translate the value in a crossing";
        ListOfWords => RuleMalformed, "a list of words cannot be one of some words", help: "write `{{name+}}` or `{{name=word|word}}`";
    }
}
