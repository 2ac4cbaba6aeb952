//! Findings about files of statements.

use crate::finding::{AllOf, Suggestion, facts};
use crate::notation::NotationFact;
use crate::text::shape::ShapeFact as ValueShapeFact;

facts! {
    /// What is wrong with a file. A statement itself is never shown: it may hold a secret.
    pub(super) enum StatementFact {
        BodyOpen { until: String } => StatementMalformed, "the text after it is not ended by `{until}`",
            help: "if the file is cut off, fetch it again";
        CommentOpen { close: String } => StatementMalformed, "the comment is not ended by `{close}`",
            help: "if the file is cut off, fetch it again";
        BehindMissing { sign: String } => StatementMalformed, "`{sign}` is missing behind the block",
            help: "write it; if the file is cut off, fetch it again";
        Unknown => StatementMalformed, "the platform has no such statement",
            help: "check that the file is one of this platform and release";
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
        ExpansionOpen { open: String, close: char } => StatementMalformed, "`{open}` is not closed by `{close}`",
            help: "close it on the same line";
        EscapedBytes => StatementMalformed, "the bytes that are escaped in the quotes are no text in UTF-8",
            help: "write the characters themselves";
        QuotesOpen => StatementMalformed, "the quotes are not closed", help: "close them on the same line";
    }
}

facts! {
    /// What is wrong with how a profile declares statements.
    pub(super) enum GrammarFact {
        NoCharacter => ValueWrong, "expected one character";
        NoComment => ValueWrong, "expected what a comment begins with, or a list of what it begins and ends with",
            help: "write `comments = [\"#\", [\"/*\", \"*/\"]]`";
        NoTrailing => ValueWrong, "expected `true`, `false` or `\"after-blank\"`";
        NoExpansion => ValueWrong, "expected a list of what expansions begin and end with, several signs and one",
            help: "write `expansions = [[\"${{\", \"}}\"]]`";
        NoBlock => ValueWrong, "expected a block", help: "write `[block.NAME]`";
        NoStatements => ValueWrong, "expected a list of statements", help: "write `statements = [[\"SHAPE\", \"AT\"], …]`";
        NoStatement => ValueWrong, "expected a statement",
            help: "write `[\"SHAPE\", \"AT\"]`, `[\"SHAPE\", \"AT\", \"BLOCK\"]`, a table, or the name of a block";
        NoDelimiters => ValueWrong, "expected how the block opens and closes",
            help: "write `[\"OPENS\", \"CLOSES\"]`, `\"indent\"` or `\"next-section\"`";
        DelimitersEmpty => ValueWrong, "nothing closes the block", help: "write what does, or `\"next-section\"`";
        Delimiter { shape: ValueShapeFact } => RuleMalformed, "{shape}", remedy: shape.remedy();
        TextWithStatements => ValueWrong, "a block that holds text has no statements",
            help: "leave out `statements`, or `holds = \"text\"`";
        TextWithoutEnd => ValueWrong, "a block that holds text needs something that closes it",
            help: "write `delimiters = [\"OPENS\", \"CLOSES\"]`";
        ContinuationOfNoLine => ValueWrong, "lines mean nothing here, so that none goes on",
            help: "leave out `continuation`, or let `end` have `\"line\"`";
        WithoutQuotes { key: &'static str } => ValueWrong, "`{key}` means nothing without `quotes`",
            help: "leave it out, or write `quotes`";
        PunctuationInWords { sign: String } => ValueWrong, "`{sign}` is punctuation and cannot be part of a word",
            help: "take it out of `punctuation` or `word-characters`";
        BlockUnknown { name: String, instead: Suggestion } => ValueWrong, "there is no block `{name}`", help: "{instead}";
        BlockNeverOpened { name: String } => ValueWrong, "no statement opens the block `{name}`, and no block takes it over",
            help: "write its name as the third string of a statement, or into `statements` of a block";
        BlockUndelimited { name: String } => ValueWrong, "it is not said how the block `{name}` opens and closes",
            help: "write `delimiters`";
        TopDelimited => ValueWrong, "the block `top` is where a file begins, and has no delimiters",
            help: "leave out `delimiters`";
        ShapeHidden { line: u32 } => RuleHidden, "the statement in line {line} always fits first",
            help: "put the more specific statement first, or remove this one";
        Shape { shape: ShapeFact } => RuleMalformed, "{shape}", remedy: shape.remedy();
        SignInShape { sign: char } => RuleMalformed, "`{sign}` ends statements or delimits blocks, and is part of no shape",
            help: "leave it out";
        At { notation: NotationFact } => RuleMalformed, "{notation}", remedy: notation.remedy();
        AtOfSeveral => RuleMalformed, "what a statement makes is one path of names and captures, or `PATH = TEXT`";
        StepUncaptured { name: String } => CaptureUnknown, "the shape has no capture `{name}`",
            help: "write names, or captures of the shape in braces";
        BesideValue { name: String } => CaptureUnused, "beside `value`, the capture `{name}` has no place",
            help: "use it in the path, or call `value` something else: then the statement makes a branch with both";
        ValueTwice => RuleMalformed, "the value of the setting is said twice", help: "leave out `= …`, or the capture `value`";
        ValueWithBlock => RuleMalformed, "a statement that makes a value opens no block",
            help: "call `value` something else: then the statement makes a branch";
        Uncaptured { name: String } => CaptureUnknown, "the shape has no capture `{name}`";
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
        NoPairTypes { name: String } => TypeUnknown, "`{name}` is not a type of pairs",
            help: "declare the type of a setting under `[setting]`; no type of `pairs` is declared under `[type]`";
        Type { name: String, known: AllOf } => TypeUnknown, "`{name}` is not a type of pairs",
            help: "declare the type of a setting under `[setting]`; the types of pairs are {known}";
        Glued { text: String } => RuleMalformed, "`{text}` is part of the word that is captured, and never read",
            help: "put a blank between them, or declare it as `punctuation`";
        Table => RuleMalformed, "a table is not allowed in the shape of a statement",
            help: "translate the value in a crossing";
        ListOfWords => RuleMalformed, "a list of words cannot be one of some words", help: "write `{{name+}}` or `{{name=word|word}}`";
    }
}
