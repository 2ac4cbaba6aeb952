//! Findings about XML and of how a profile declares it.

use crate::finding::facts;

facts! {
    /// What is wrong with a document, by XML 1.0 and by what is read of it here.
    pub(super) enum XmlFact {
        Character { code: u32 } => XmlMalformed, "the character U+{code:04X} is not allowed in XML";
        TextBefore => XmlMalformed, "text before the first element";
        TextAfter => XmlMalformed, "text after the last element";
        SecondRoot => XmlMalformed, "a second outermost element; a document has one";
        NoElement => XmlMalformed, "no element: the file holds no XML document";
        OtherRoot { expected: String, found: String } => Unrecognised,
            "expected the outermost element `{expected}`, found `{found}`";
        DeclarationOpen => XmlMalformed, "the XML declaration has no end";
        CutOff { element: String } => XmlMalformed, "the file ends inside the element `{element}`",
            help: "the file seems to be cut off; compare its size with the original and fetch it again";
        SectionEndInText => XmlMalformed, "`]]>` stands in text; write `]]&gt;`";
        Doctype => XmlDoctype, "a document type declaration; what it declares is never followed",
            help: "no backup of a known line has one; if you trust the file, remove the declaration";

        CommentDashes => XmlMalformed, "`--` stands inside a comment";
        CommentOpen => XmlMalformed, "a comment that never ends";
        SectionOutside => XmlMalformed, "a CDATA section outside the outermost element";
        SectionOpen => XmlMalformed, "a CDATA section that never ends";
        InstructionName => XmlMalformed, "an instruction without a proper name";
        InstructionOpen => XmlMalformed, "an instruction that never ends";
        InstructionSpace => XmlMalformed, "white space must follow an instruction's name";

        NoReference => XmlMalformed, "`&` does not begin a reference; write `&amp;` for the character";
        EntityUnknown => XmlMalformed,
            "an entity that is not built in; only `amp`, `lt`, `gt`, `apos` and `quot` are";
        ReferenceToNone => XmlMalformed, "a character reference to what is no XML character";

        NoTag => XmlMalformed, "`<` begins no tag; write `&lt;` for the character";
        TooDeep { most: usize } => TooLarge, "elements are nested more than {most} deep",
            help: "no configuration backup is; is this the right file?";
        TagSpace => XmlMalformed, "white space, `>` or `/>` must stand here";
        TagOpen => XmlMalformed, "the file ends inside a tag";
        NoAttribute => XmlMalformed, "expected the name of an attribute, `>` or `/>`";
        AttributeTwice { name: String } => XmlMalformed, "the attribute `{name}` is given twice";
        AttributeAlone => XmlMalformed, "an attribute has no value";
        AttributeUnquoted { name: String } => XmlMalformed, "the value of the attribute `{name}` is not quoted";
        AttributeOpen { name: String } => XmlMalformed, "the value of the attribute `{name}` never ends";
        TagInAttribute => XmlMalformed, "`<` stands in the value of an attribute; write `&lt;`";
        EndOfNothing { name: String } => XmlMalformed, "the end tag `{name}` closes nothing";
        EndOfOther { name: String, open: String } => XmlMalformed,
            "the end tag `{name}` stands where `{open}` is open";
        EndOpen { name: String } => XmlMalformed, "the end tag `{name}` is not closed with `>`";
    }
}

facts! {
    /// What is wrong with the declaration.
    pub(super) enum XmlDeclarationFact {
        NoRoot => KeyMissing, "`root` is missing: what the outermost element is called";
    }
}
