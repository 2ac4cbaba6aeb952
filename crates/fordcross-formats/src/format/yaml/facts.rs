//! Findings about YAML (1.2, plain data).

use crate::finding::{Remedy, facts};

facts! {
    /// What is wrong with a document.
    pub(super) enum YamlFact {
        Indentation => YamlMalformed, "the indentation does not fit what is around it",
            remedy: correct();
        Comment => YamlMalformed, "a comment stands where none can", remedy: correct();
        TextOpen => YamlMalformed, "a text is not ended, or goes on where it cannot",
            remedy: correct();
        Tab => YamlMalformed, "a tab stands where only blanks can", remedy: correct();
        BracketOpen => YamlMalformed, "a list or mapping in brackets is not closed, or not parted by commas",
            remedy: correct();
        Anchor => YamlMalformed, "an anchor or an alias that cannot stand here",
            remedy: correct();
        Directive => YamlMalformed, "a directive or tag that cannot stand here",
            remedy: correct();
        Entry => YamlMalformed, "a key, a value or an entry stands where none can",
            remedy: correct();
        Other => YamlMalformed, "this is not well-formed YAML", remedy: correct();

        NoDocument => YamlMalformed, "the file has no document", help: "fetch the file again";
        SecondDocument => YamlMalformed, "a second document begins",
            help: "put each document into a file of its own";
        KeyNoWord => YamlMalformed, "a key that is no word", help: "write a plain word before the colon";
        KeyTwice => YamlMalformed, "the same key is given twice in one mapping",
            help: "take one of them out: readers differ in which one they take";
        AliasOfNone => YamlMalformed, "an alias of an anchor that is not there", help: "name one above it";
        AliasInside => YamlMalformed, "an alias of what holds it", help: "write out what is meant";
        Tag => YamlMalformed, "a tag that says what a value is made into; only plain data is read",
            help: "take the tag out";
        TooDeep { most: usize } => TooLarge, "mappings and sequences are nested deeper than {most} levels",
            help: "no configuration is so deep; look at where the file comes from";
        Copies { most: usize } => TooLarge, "aliases stand for more than {most} values",
            help: "no configuration repeats itself so often; look at where the file comes from";
    }
}

/// For what the parser refuses.
fn correct() -> Remedy {
    "correct it, or fetch the file again".into()
}
