//! XML 1.0 (Fifth Edition).
//!
//! A scanner of our own by byte search: an event reader was three times as slow, and accepts much
//! that is not well-formed. References are decoded where they are; only the five built-in
//! entities and character references exist, and a document type declaration is refused, so nothing
//! can be expanded. Findings never quote the input, which may hold secrets.

mod chars;
mod edit;
mod facts;
mod scan;
mod spell;
mod write;

pub use scan::read_xml;
pub use write::write_xml;

use super::Format;
use super::codec::{Codec, Dialect, EmptyBranch, Included, KnownBy, Scope, Traits, undecoded};
use super::edit::{File, edit_pieces};
use super::layout::Layout;
use crate::declaration::Section;
use crate::finding::Finding;
use crate::text::source::{Content, Piece, Source, Span};
use crate::tree::{Kind, NodeId, Tree};
use facts::{XmlDeclarationFact, XmlFact};
use std::borrow::Cow;
use std::sync::Arc;
use write::{escape, write_element_as};

pub(super) const TRAITS: Traits = Traits {
    known_by: KnownBy::Root,
    begins: |text| text.starts_with('<'),
    with_marker: |marker| format!("XML with the root element `{marker}`"),
    has_comments: true,
    has_outside: true,
    tables: &["xml"],
    empty_branch: EmptyBranch::Value,
    ..Traits::new("xml", "xml", declared, || Arc::new(Xml::default()))
};

/// How a platform writes XML.
#[derive(Debug, Default)]
struct Xml {
    /// What the outermost element of one of several files is called.
    root: String,
}

fn declared(section: &Section<'_, '_>, scope: Scope, _: &Section<'_, '_>) -> Dialect {
    let root = declared_root(section);
    if root.is_none() && scope == Scope::File {
        section.report().add(section.span(), XmlDeclarationFact::NoRoot);
    }
    Arc::new(Xml { root: root.unwrap_or_default() })
}

/// What `[xml]` says the outermost element is called. Which settings are attributes is read with the settings.
fn declared_root(holder: &Section<'_, '_>) -> Option<String> {
    let section = holder.section("xml")?;
    let root = section.word("root").map(|root| root.text.to_owned());
    section.words("attributes");
    section.finish();
    root
}

impl Codec for Xml {
    fn format(&self) -> Format {
        Format::Xml
    }

    fn read<'a>(&self, source: Source<'a>) -> Result<Tree<'a>, Box<Finding>> {
        read_xml(source)
    }

    fn read_into<'a>(
        &self,
        tree: &mut Tree<'a>,
        holder: NodeId,
        name: &str,
        piece: &'a Piece,
        _: &Included<'_>,
    ) -> Result<(), Box<Finding>> {
        let source = tree.source();
        if piece.content == Content::Bytes {
            return Err(Box::new(undecoded(source, piece)));
        }
        let whole = source.whole_of(piece);
        let own = read_xml(whole)?;
        let root = own.name(own.root());
        if root != self.root {
            let fact = XmlFact::OtherRoot { expected: self.root.clone(), found: root.to_owned() };
            return Err(Box::new(Finding::new(fact).at(whole, own.span(own.root()))));
        }
        tree.adopt(holder, name, &own, piece.span.start);
        Ok(())
    }

    fn write(&self, tree: &Tree<'_>, top: NodeId, out: &mut Vec<u8>) {
        if top == tree.root() {
            return write_xml(tree, out);
        }
        out.extend_from_slice(b"<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
        write_element_as(tree, top, &self.root, Layout::OURS, out);
        out.push(b'\n');
    }

    fn edit(&self, file: &File<'_>) -> Vec<(Span, Vec<u8>)> {
        vec![(file.span, edit_pieces(file, &edit::Elements, || self.written(file.tree, file.top)))]
    }

    fn root_name<'m>(&'m self, marker: &'m str) -> &'m str {
        if self.root.is_empty() { marker } else { &self.root }
    }

    fn varied(&self, section: &Section<'_, '_>) -> Option<Dialect> {
        Some(Arc::new(Self { root: declared_root(section)? }))
    }

    fn can_hold(&self, text: &str) -> bool {
        chars::first_forbidden(text).is_none()
    }

    fn why_not(&self) -> &'static str {
        "the value has a control character, which XML cannot contain"
    }

    fn comment(&self, bare: &str) -> String {
        spell::comment(bare)
    }

    fn value_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        spell::value_spans(tree, node)
    }

    fn name_spans(&self, tree: &Tree<'_>, node: NodeId) -> Vec<Span> {
        spell::tags(tree, node)
    }

    fn spelled(&self, value: &str) -> String {
        let mut out = Vec::new();
        escape(value, false, &mut out);
        String::from_utf8(out).unwrap_or_default()
    }

    fn is_instruction(&self, tree: &Tree<'_>, node: NodeId) -> bool {
        tree.kind(node) == Kind::Instruction && tree.name(node) != "xml"
    }

    fn with_charset<'t>(&self, text: Cow<'t, str>, charset: &str) -> Cow<'t, str> {
        // The declaration is ours. With a byte order mark it is called so in both orders (XML 1.0, section 4.3.3).
        let name = if charset.starts_with("UTF-16") { "UTF-16" } else { charset };
        Cow::Owned(text.replacen("encoding=\"UTF-8\"", &format!("encoding=\"{name}\""), 1))
    }
}
