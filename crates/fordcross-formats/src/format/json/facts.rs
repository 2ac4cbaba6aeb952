//! Findings about JSON (RFC 8259).

use crate::finding::facts;

facts! {
    /// What is wrong with a document.
    pub(super) enum JsonFact {
        CutOff => JsonMalformed, "the file ends too early",
            help: "the file seems to be cut off; compare its size with the original and fetch it again";
        Colon => JsonMalformed, "expected `:` behind the key";
        ListSeparator => JsonMalformed, "expected `,` or `]`";
        ObjectSeparator => JsonMalformed, "expected `,` or `}}`";
        Word => JsonMalformed, "expected `true`, `false` or `null`";
        Value => JsonMalformed, "expected a value";
        Escape => JsonMalformed, "invalid escape";
        Number => JsonMalformed, "invalid number";
        EscapedCharacter => JsonMalformed, "the escape is not a character";
        Control => JsonMalformed, "control character in a string; write it as an escape";
        Key => JsonMalformed, "expected a key in quotes";
        CommaAtEnd => JsonMalformed, "trailing comma";
        BehindEnd => JsonMalformed, "there is text after the end";
        Recursion => JsonMalformed, "nested deeper than can be read";
        Other => JsonMalformed, "this is not well-formed JSON";
        KeyTwice => JsonMalformed, "the object has the key twice",
            help: "keep one of the two; programs differ in which one they use";
        TooDeep { most: usize } => TooLarge, "objects and arrays are nested more than {most} levels deep",
            help: "no configuration backup is; is this the right file?";
    }
}
