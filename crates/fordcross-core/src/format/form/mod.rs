//! Forms of files: which there are, how a line writes them, and the one way to read and write each.

mod bundle;
mod included;
mod members;

pub(crate) use bundle::{nodes_at, read_bundle, with_databases, write_bundle};
pub(crate) use included::{NoFile, taken_by_end, without_files};
pub use members::Container;
pub(crate) use members::{Member, Members, OTHER_FILES};

use crate::finding::Finding;
use crate::format::json::{read_json_tree, write_subtree};
use crate::format::layout::Layout;
use crate::format::statements::{Grammar, Included, holds_value, read_into, write_statements};
use crate::format::table::{read_csv, read_listing, write_csv, write_listing};
use crate::format::xml::{first_forbidden, read_xml, write_element_as, write_xml};
use crate::format::yaml::{read_yaml, write_yaml};
use crate::format::{ini, table};
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};

/// The form that a file has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FileForm {
    /// XML 1.0.
    Xml,
    /// JSON, RFC 8259.
    Json,
    /// YAML 1.2.
    Yaml,
    /// Sections with keys and values, or keys and values alone.
    Ini,
    /// Statements, whose grammar the profile declares.
    Statements,
    /// A table with a header, RFC 4180.
    Table,
    /// The rows of a table of an `SQLite` database.
    Database,
    /// Bytes that are one value.
    Opaque,
    /// A list of hashes of the other files, which says nothing of its own.
    Hashes,
    /// Several files, each in a form of its own.
    Several,
}

impl FileForm {
    pub(crate) const ALL: [(&'static str, Self); 10] = [
        ("xml", Self::Xml),
        ("json", Self::Json),
        ("yaml", Self::Yaml),
        ("ini", Self::Ini),
        ("statements", Self::Statements),
        ("table", Self::Table),
        ("database", Self::Database),
        ("opaque", Self::Opaque),
        ("hashes", Self::Hashes),
        ("several", Self::Several),
    ];
    /// The forms that a backup of one file can have, and one of several.
    pub(crate) const OF_BACKUPS: [(&'static str, Self); 7] = [
        ("xml", Self::Xml),
        ("json", Self::Json),
        ("yaml", Self::Yaml),
        ("ini", Self::Ini),
        ("statements", Self::Statements),
        ("table", Self::Table),
        ("several", Self::Several),
    ];
    /// The forms that one of several files can have.
    pub(crate) const OF_MEMBERS: [(&'static str, Self); 9] = [
        ("xml", Self::Xml),
        ("json", Self::Json),
        ("yaml", Self::Yaml),
        ("ini", Self::Ini),
        ("statements", Self::Statements),
        ("table", Self::Table),
        ("database", Self::Database),
        ("opaque", Self::Opaque),
        ("hashes", Self::Hashes),
    ];

    /// The word for it in profiles.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, form)| *form == self).map_or("", |(word, _)| word)
    }

    /// What files of the form end with.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Statements => "conf",
            Self::Table => "csv",
            form => form.word(),
        }
    }

    /// The form of that name.
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(known, _)| *known == word).map(|(_, form)| *form)
    }

    /// Whether it has lists and tables; in the others, what there are several of stands side by side under
    /// one name, with attributes of its own.
    pub(crate) fn has_lists(self) -> bool {
        matches!(self, Self::Json | Self::Yaml)
    }

    /// Whether comments can stand in it.
    pub(crate) fn has_comments(self) -> bool {
        matches!(self, Self::Xml | Self::Ini | Self::Yaml | Self::Statements)
    }

    /// Whether numbers and truth values differ from text in it.
    pub(crate) fn tells_bare(self) -> bool {
        matches!(self, Self::Json | Self::Yaml | Self::Database)
    }
}

/// How files of one kind are written.
#[derive(Clone, Debug)]
pub(crate) struct Writing {
    pub(crate) form: FileForm,
    pub(crate) ini: ini::Dialect,
    pub(crate) table: table::Dialect,
    pub(crate) grammar: Grammar,
    /// What the outermost element is called, in XML.
    pub(crate) root: String,
}

impl Writing {
    pub(crate) fn new(form: FileForm) -> Self {
        Self {
            form,
            ini: ini::Dialect::default(),
            table: table::Dialect::default(),
            grammar: Grammar::default(),
            root: String::new(),
        }
    }

    /// Whether the form can hold a value.
    pub(crate) fn holds(&self, text: &str) -> bool {
        match self.form {
            FileForm::Ini => self.ini.holds(text),
            FileForm::Xml => first_forbidden(text).is_none(),
            FileForm::Statements => holds_value(&self.grammar, text),
            _ => true,
        }
    }

    /// Why it cannot.
    pub(crate) fn why_not(&self) -> &'static str {
        match self.form {
            FileForm::Xml => "the value has a control character, which XML cannot hold",
            FileForm::Statements => {
                "the form of the new line has no way to write a value with line ends, or with what would end it"
            }
            _ => {
                "the form of the new line has no way to write a value with line ends, or white space around it"
            }
        }
    }

    /// What a comment says, without its marks.
    pub(crate) fn bare_comment<'t>(&self, comment: &'t str) -> &'t str {
        match self.form {
            FileForm::Ini => comment.trim_start_matches(self.ini.comments.as_slice()).trim(),
            FileForm::Yaml => comment.trim_start_matches('#').trim(),
            FileForm::Statements => {
                let comment = comment.trim_start();
                let mark = self.grammar.comments.iter().find(|mark| comment.starts_with(mark.as_str()));
                mark.map_or(comment, |mark| &comment[mark.len()..]).trim()
            }
            _ => comment.trim(),
        }
    }

    /// What begins a comment where each of its lines is one; none where a comment has an end.
    pub(crate) fn comment_mark(&self) -> Option<String> {
        match self.form {
            FileForm::Ini => Some(self.ini.comments[0].to_string()),
            FileForm::Yaml => Some("#".into()),
            FileForm::Statements => {
                Some(self.grammar.comments.first().map_or("#", String::as_str).to_owned())
            }
            _ => None,
        }
    }
}

/// Reads one file in its form.
///
/// # Errors
/// That it is not well-formed, and where.
pub(crate) fn read_text<'a>(source: Source<'a>, writing: &Writing) -> Result<Tree<'a>, Box<Finding>> {
    match writing.form {
        FileForm::Xml => read_xml(source),
        FileForm::Json => read_json_tree(source),
        FileForm::Yaml => read_yaml(source),
        FileForm::Ini => ini::read_ini(source, &writing.ini),
        FileForm::Table => read_csv(source, &writing.table),
        FileForm::Database => read_listing(source, &writing.table),
        FileForm::Statements => {
            let mut tree = Tree::new(source);
            let whole = Span::new(0, source.text.len());
            let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", whole);
            read_statements(&mut tree, root, whole, &writing.grammar, &|_, _, _| Ok(Vec::new()))?;
            Ok(tree.in_document_order(&crate::tree::Trivia::default()).0)
        }
        FileForm::Opaque => {
            let mut tree = Tree::new(source);
            let whole = Span::new(0, source.text.len());
            let leaf = tree.push(NodeId::DOCUMENT, Kind::Text, "", whole);
            tree.set_value(leaf, Text::Borrowed(whole));
            Ok(tree)
        }
        FileForm::Hashes | FileForm::Several => {
            let mut tree = Tree::new(source);
            tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::new(0, source.text.len()));
            Ok(tree)
        }
    }
}

/// Reads statements, with those of other files where they are included.
pub(crate) fn read_statements(
    tree: &mut Tree<'_>,
    top: NodeId,
    span: Span,
    grammar: &Grammar,
    included: &Included<'_>,
) -> Result<(), Box<Finding>> {
    read_into(tree, top, span, grammar, included)
}

/// Appends a branch as a file of its own. What is below it is the file; for a tree of one file it is the root.
pub(crate) fn write_text(tree: &Tree<'_>, top: NodeId, writing: &Writing, out: &mut Vec<u8>) {
    match writing.form {
        FileForm::Xml if top == tree.root() => write_xml(tree, out),
        FileForm::Xml => {
            out.extend_from_slice(b"<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
            write_element_as(tree, top, &writing.root, Layout::OURS, out);
            out.push(b'\n');
        }
        FileForm::Json => {
            write_subtree(tree, top, Layout::OURS, out);
            out.push(b'\n');
        }
        FileForm::Yaml => write_yaml(tree, top, out),
        FileForm::Ini => ini::write_ini(tree, top, &writing.ini, out),
        FileForm::Table => write_csv(tree, top, &writing.table, out),
        FileForm::Database => write_listing(tree, top, out),
        FileForm::Statements => write_statements(tree, top, &writing.grammar, out),
        FileForm::Opaque => out.extend_from_slice(tree.value(top).as_bytes()),
        FileForm::Hashes | FileForm::Several => {}
    }
}

/// Whether a path, seen from the folder of the configuration, leads out of it.
pub fn is_beside(path: &str) -> bool {
    path.starts_with("../")
}

/// A file of an archive that says that it is a redacted copy.
pub const MARK_FILE: &str = "REDACTED.txt";

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::source::MOST_NODES;
    use rstest::rstest;

    /// More than a tree can hold stops no reader, and is told.
    #[rstest]
    #[case(FileForm::Xml, "<a>", "<b c='1'/>", "</a>")]
    #[case(FileForm::Xml, "<a>", "<b>1<c/>2</b>", "</a>")]
    #[case(FileForm::Json, "[0", ",{\"a\":[1,{\"b\":2}]}", "]")]
    #[case(FileForm::Json, "[0", ",0", "]")]
    #[case(FileForm::Yaml, "", "- a: [1, {b: 2}]\n", "")]
    #[case(FileForm::Ini, "", "[a]\nb = 1\n", "")]
    #[case(FileForm::Table, "a,b\n", "1,2\n", "")]
    #[case(FileForm::Statements, "", "word and words\n", "")]
    fn too_many_nodes(#[case] form: FileForm, #[case] head: &str, #[case] piece: &str, #[case] tail: &str) {
        let text = |times| format!("{head}{}{tail}", piece.repeat(times));
        let read = |text: &str| {
            read_text(Source::new("a", text), &Writing::new(form)).map(|tree| tree.is_overfull())
        };
        assert!(!read(&text(100)).expect("read"));
        assert!(read(&text(MOST_NODES)).expect("read"));
    }
}
