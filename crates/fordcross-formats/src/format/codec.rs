//! What a format is to the rest of the program.

use super::Format;
use super::edit::File;
use crate::container::hashes::Algorithm;
use crate::container::{self, from_base64};
use crate::declaration::Section;
use crate::finding::Finding;
use crate::text::json_string::write_string;
use crate::text::source::{Content, Piece, Source, Span};
use crate::tree::{Kind, NodeId, Sink, Text, Tree};
use std::borrow::Cow;
use std::fmt;
use std::sync::Arc;
use wildmatch::WildMatch;

/// How a platform writes files of a format. Those that are written alike share one.
pub type Dialect = Arc<dyn Codec>;

/// What a branch without anything in it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EmptyBranch {
    /// There for what could be in it.
    Holder,
    /// Written like an empty value.
    Value,
    /// A statement of its own, never there for what could be in it.
    Statement,
}

/// What all files of a format have in common.
#[expect(clippy::struct_excessive_bools, reason = "each is a fact of its own")]
pub struct Traits {
    /// The word for it in profiles.
    pub word: &'static str,
    /// What files of it end with.
    pub ending: &'static str,
    /// What can have it.
    pub scopes: &'static [Scope],
    /// What marks a backup in it as one of a platform.
    pub known_by: KnownBy,
    /// Whether a text, without white space and a mark before it, begins like a file of it and of no other.
    pub begins: fn(&str) -> bool,
    /// What it looks like with a marker of a platform, for people.
    pub with_marker: fn(&str) -> String,
    /// It has lists and tables; in other formats, what there are several of is side by side under one name, with
    /// attributes of its own.
    pub has_lists: bool,
    /// Numbers and truth values differ from text in it.
    pub tells_bare: bool,
    /// Comments can be in it.
    pub has_comments: bool,
    /// Comments can be beside what is the whole file.
    pub has_outside: bool,
    /// Empty lines mean something to its readers, and stay.
    pub keeps_blank_lines: bool,
    /// Values of the file are before all branches in it.
    pub leaves_first: bool,
    /// A file of it can be written from a tree in any order of nodes.
    pub writes_any_order: bool,
    /// How many steps from the outermost branch its values can be at most, if there is a bound.
    pub max_depth: Option<usize>,
    /// A line end in a value is written as just that one.
    pub has_raw_line_ends: bool,
    /// What a branch without anything in it is.
    pub empty_branch: EmptyBranch,
    /// Each branch of a file has all values that one of them has, empty ones too.
    pub is_rectangular: bool,
    /// The keys of tables and lists of tables by which a section declares a dialect.
    pub tables: &'static [&'static str],
    /// The dialect that a section declares.
    pub declared: fn(&Section<'_, '_>, Scope, &Section<'_, '_>) -> Dialect,
    /// The dialect of which nothing is declared.
    pub plain: fn() -> Dialect,
}

impl Traits {
    /// Those of a format with these words, of which nothing more can be said: each says in what it differs.
    pub(super) const fn new(
        word: &'static str,
        ending: &'static str,
        declared: fn(&Section<'_, '_>, Scope, &Section<'_, '_>) -> Dialect,
        plain: fn() -> Dialect,
    ) -> Self {
        Self {
            word,
            ending,
            scopes: &[Scope::Backup, Scope::File],
            known_by: KnownBy::Nothing,
            begins: |_| false,
            with_marker: |marker| marker.to_owned(),
            has_lists: false,
            tells_bare: false,
            has_comments: false,
            has_outside: false,
            keeps_blank_lines: false,
            leaves_first: false,
            max_depth: None,
            writes_any_order: false,
            has_raw_line_ends: false,
            empty_branch: EmptyBranch::Holder,
            is_rectangular: false,
            tables: &[],
            declared,
            plain,
        }
    }
}

/// What marks a backup in a format as one of a platform.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KnownBy {
    /// The name of its outermost element. It needs no dialect to be read.
    Root,
    /// A key of its outermost object. It needs no dialect to be read.
    TopKey,
    /// A word that a line of it begins with, once it is read in the platform's dialect.
    Line {
        /// Whether the marker is a key before a colon.
        is_key: bool,
        /// Whether that word can be something else, so that the platform must know it.
        is_any_word: bool,
        /// Whether the word can be found without parsing the file.
        is_in_text: bool,
    },
    /// The paths of its files.
    Files,
    /// No backup is in it.
    Nothing,
}

/// What a dialect is that of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scope {
    /// All of a backup.
    Backup,
    /// One of the files of a backup of several.
    File,
}

/// How a file names files whose content is in its place.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Includes {
    /// The capture.
    pub of: String,
    /// What files of a folder are called that are taken, with wildcards; all, if there are none.
    pub takes: Vec<String>,
    /// What those are called that are not.
    pub skips: Vec<String>,
    /// That there is no such file is no mistake.
    pub may_be_missing: bool,
}

impl Includes {
    /// Whether a file of that name is taken from a folder.
    pub fn takes(&self, name: &str) -> bool {
        let one_of = |known: &[String]| known.iter().any(|known| WildMatch::new(known).matches(name));
        (self.takes.is_empty() || one_of(&self.takes)) && !one_of(&self.skips)
    }
}

/// Gives the places of the files that are included by a text at a place.
pub(super) type Included<'i> = dyn Fn(&str, Span, &Includes) -> Result<Vec<Span>, Box<Finding>> + 'i;

/// Reads, writes, edits and spells files of a format as a platform writes them.
pub trait Codec: fmt::Debug + Send + Sync {
    /// The format.
    fn format(&self) -> Format;

    /// Reads a file.
    ///
    /// # Errors
    /// That it is not well-formed, and where.
    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>>;

    /// Hands on what is in a file without making a tree of it; `None` where the format cannot.
    fn read_events(&self, source: Source<'_>, sink: &mut dyn Sink) -> Option<Result<(), Box<Finding>>> {
        let _ = (source, sink);
        None
    }

    /// Reads one of several files into the branch `name` of `holder`, in a tree of the text that all of them are in.
    ///
    /// # Errors
    /// That it is not well-formed, and where.
    fn read_into<'a>(
        &self,
        tree: &mut Tree<'a>,
        holder: NodeId,
        name: &str,
        piece: &'a Piece,
        included: &Included<'_>,
    ) -> Result<(), Box<Finding>> {
        let _ = included;
        let source = tree.source();
        // What is no text is nothing that could be read, and none of it becomes a name.
        if piece.content == Content::Bytes {
            return Err(Box::new(undecoded(source, piece)));
        }
        let own = self.read(source.whole_of(piece))?;
        tree.adopt(holder, name, &own, piece.span.start);
        Ok(())
    }

    /// Appends a branch as a file. What is below it is the file; for a tree of one file it is the root.
    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>);

    /// A file of a base with the changes in it, and the files that it includes, each with its place in the base.
    fn edit(&self, file: &File<'_>) -> Vec<(Span, Vec<u8>)> {
        vec![(file.span, self.written(file.tree, file.top))]
    }

    /// A branch as a file.
    fn written(&self, tree: &Tree<'_>, top: NodeId) -> Vec<u8> {
        let mut out = Vec::new();
        self.write(tree, top, &mut out);
        out
    }

    /// The name of the outermost branch of a backup with that marker.
    fn root_name<'m>(&'m self, marker: &'m str) -> &'m str {
        let _ = marker;
        ""
    }

    /// The dialect with what a section says besides that is like another one.
    fn varied(&self, section: &Section<'_, '_>) -> Option<Dialect> {
        let _ = section;
        None
    }

    /// Whether the format can hold a value.
    fn can_hold(&self, text: &str) -> bool {
        let _ = text;
        true
    }

    /// Whether the format can hold a value as the setting of that name.
    fn can_hold_at(&self, name: &str, text: &str) -> bool {
        let _ = name;
        self.can_hold(text)
    }

    /// Whether the format can hold a value as some setting.
    fn can_hold_somewhere(&self, text: &str) -> bool {
        self.can_hold(text)
    }

    /// Why it cannot.
    fn why_not(&self) -> &'static str {
        "the target's format cannot express a value with line ends, or with white space around it"
    }

    /// What a comment ends with that goes on in the next line, and the release from which on it does.
    fn continued_comments(&self) -> Option<(char, &str)> {
        None
    }

    /// What a comment says, without its marks.
    fn bare_comment<'t>(&self, comment: &'t str) -> &'t str {
        comment.trim()
    }

    /// A comment that says `bare`, where comments can be.
    fn comment(&self, bare: &str) -> String {
        bare.to_owned()
    }

    /// Where the value of a node is spelled that is not spelled as it reads, in as many pieces as it has.
    fn value_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        vec![tree.span(node)]
    }

    /// Where the name of a node is spelled.
    fn name_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        let _ = (tree, node);
        Vec::new()
    }

    /// A value as it is usually spelled.
    fn spelled(&self, value: &str) -> String {
        let mut out = Vec::new();
        write_string(value, &mut out);
        String::from_utf8_lossy(&out[1..out.len() - 1]).into_owned()
    }

    /// Whether a node is an instruction to some program, which can hold anything.
    fn is_instruction(&self, tree: &Tree<'_>, node: NodeId) -> bool {
        let _ = (tree, node);
        false
    }

    /// The text that was written in UTF-8, as it is in a character set of that name.
    fn with_charset<'t>(&self, text: Cow<'t, str>, charset: &str) -> Cow<'t, str> {
        let _ = charset;
        text
    }

    /// Whether it is one of the tables that a database is made of.
    fn is_of_database(&self) -> bool {
        false
    }

    /// Whether a file of it is a text, in a character set and with line ends.
    fn is_text(&self) -> bool {
        true
    }

    /// Whether its line ends are part of a value.
    fn is_one_value(&self) -> bool {
        false
    }

    /// The bytes of a file that are not those of its text.
    fn raw_bytes(&self, tree: &Tree<'_>, top: NodeId) -> Option<Vec<u8>> {
        let _ = (tree, top);
        None
    }

    /// The algorithm, of a list of check sums.
    fn checksums(&self) -> Option<Algorithm> {
        None
    }

    /// The paths of values that include files, with what they include.
    fn including(&self) -> Vec<(Vec<String>, &Includes)> {
        Vec::new()
    }

    /// A value without the quotes that values keep.
    fn without_quotes<'v>(&self, value: &'v str) -> &'v str {
        value
    }
}

/// A tree that is a branch without anything in it.
pub(super) fn empty_tree(source: Source<'_>) -> Tree<'_> {
    let mut tree = Tree::new(source);
    tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::new(0, source.text.len()));
    tree
}

/// Makes a node that is a whole text.
pub(super) fn push_whole(tree: &mut Tree<'_>, holder: NodeId, kind: Kind, name: &str, span: Span) {
    let leaf = tree.push(holder, kind, name, span);
    tree.set_value(leaf, Text::Borrowed(span));
}

/// That a file which should be text is none: at which byte.
pub(super) fn undecoded(source: Source<'_>, piece: &Piece) -> Finding {
    let bytes = from_base64(&source.text[piece.span.range()]).unwrap_or_default();
    container::not_text(&piece.file, bytes)
}
