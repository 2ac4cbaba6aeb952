//! Findings about YAML (1.2, plain data).

use crate::finding::{Remedy, facts};

facts! {
    /// What is wrong with a document.
    pub(super) enum YamlFact {
        Indentation => YamlMalformed, "the indentation does not fit",
            remedy: correct();
        Comment => YamlMalformed, "a comment is not allowed here", remedy: correct();
        TextOpen => YamlMalformed, "the text is not closed, or continues where it cannot",
            remedy: correct();
        Tab => YamlMalformed, "a tab is not allowed here", remedy: correct();
        BracketOpen => YamlMalformed, "a list or mapping in brackets is not closed, or a comma is missing",
            remedy: correct();
        Anchor => YamlMalformed, "an anchor or alias is not allowed here",
            remedy: correct();
        Directive => YamlMalformed, "a directive or tag is not allowed here",
            remedy: correct();
        Entry => YamlMalformed, "a key, value or entry is not allowed here",
            remedy: correct();
        Other => YamlMalformed, "this is not well-formed YAML", remedy: correct();

        NoDocument => YamlMalformed, "the file is empty", help: "fetch the file again";
        SecondDocument => YamlMalformed, "a second document starts",
            help: "put each document into a file of its own";
        KeyNoWord => YamlMalformed, "the key is not a word", help: "write a plain word before the colon";
        KeyTwice => YamlMalformed, "the mapping has the key twice",
            help: "keep one of the two; programs differ in which one they use";
        AliasOfNone => YamlMalformed, "the alias has no anchor", help: "define its anchor above it";
        AliasInside => YamlMalformed, "the alias refers to what contains it", help: "write the value out";
        Tag => YamlMalformed, "a tag that changes the type of a value; only plain data is read",
            help: "remove the tag";
        TooDeep { most: usize } => TooLarge, "mappings and sequences are nested deeper than {most} levels",
            help: "no configuration is so deep; check where the file comes from";
        Copies { most: usize } => TooLarge, "aliases stand for more than {most} values",
            help: "no configuration repeats itself so often; check where the file comes from";
    }
}

/// For what the parser refuses.
fn correct() -> Remedy {
    "correct it, or fetch the file again".into()
}
