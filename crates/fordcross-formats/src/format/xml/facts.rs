//! Findings about XML and of how a profile declares it.

use crate::finding::facts;

facts! {
    /// What is wrong with a document, by XML 1.0 and by what is read of it here.
    pub(super) enum XmlFact {
        Character { code: u32 } => XmlMalformed, "the character U+{code:04X} is not allowed in XML";
        TextBefore => XmlMalformed, "text before the first element";
        TextAfter => XmlMalformed, "text after the last element";
        SecondRoot => XmlMalformed, "second root element; a document has one";
        NoElement => XmlMalformed, "the file has no element";
        OtherRoot { expected: String, found: String } => Unrecognised,
            "expected the root element `{expected}`, found `{found}`";
        DeclarationOpen => XmlMalformed, "the XML declaration is not closed";
        CutOff { element: String } => XmlMalformed, "the file ends inside the element `{element}`",
            help: "the file seems to be cut off; compare its size with the original and fetch it again";
        SectionEndInText => XmlMalformed, "`]]>` in text; write `]]&gt;`";
        Doctype => XmlDoctype, "document type declaration, which is never followed",
            help: "no known platform writes one; if you trust the file, remove the declaration";

        CommentDashes => XmlMalformed, "`--` inside a comment";
        CommentOpen => XmlMalformed, "the comment is not closed";
        SectionOutside => XmlMalformed, "a CDATA section outside the root element";
        SectionOpen => XmlMalformed, "the CDATA section is not closed";
        InstructionName => XmlMalformed, "the processing instruction has no valid name";
        InstructionOpen => XmlMalformed, "the processing instruction is not closed";
        InstructionSpace => XmlMalformed, "white space must follow the name of a processing instruction";

        NoReference => XmlMalformed, "`&` does not start a reference; write `&amp;` for the character";
        EntityUnknown => XmlMalformed,
            "unknown entity; `amp`, `lt`, `gt`, `apos` and `quot` are built in";
        ReferenceToNone => XmlMalformed, "the reference is not to an XML character";

        NoTag => XmlMalformed, "`<` does not start a tag; write `&lt;` for the character";
        TooDeep { most: usize } => TooLarge, "elements are nested more than {most} levels deep",
            help: "no configuration backup is; is this the right file?";
        TagSpace => XmlMalformed, "expected white space, `>` or `/>`";
        TagOpen => XmlMalformed, "the file ends inside a tag";
        NoAttribute => XmlMalformed, "expected an attribute, `>` or `/>`";
        AttributeTwice { name: String } => XmlMalformed, "the attribute `{name}` is given twice";
        AttributeAlone => XmlMalformed, "the attribute has no value";
        AttributeUnquoted { name: String } => XmlMalformed, "the value of the attribute `{name}` is not quoted";
        AttributeOpen { name: String } => XmlMalformed, "the value of the attribute `{name}` is not closed";
        TagInAttribute => XmlMalformed, "`<` in the value of an attribute; write `&lt;`";
        EndOfNothing { name: String } => XmlMalformed, "the end tag `{name}` closes nothing";
        EndOfOther { name: String, open: String } => XmlMalformed,
            "the end tag `{name}` does not match the open `{open}`";
        EndOpen { name: String } => XmlMalformed, "the end tag `{name}` is not closed with `>`";
    }
}

facts! {
    /// What is wrong with the declaration.
    pub(super) enum XmlDeclarationFact {
        NoRoot => KeyMissing, "`root` is missing: the name of the root element";
    }
}
