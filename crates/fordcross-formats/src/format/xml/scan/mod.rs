//! The scanner.

mod tags;
#[cfg(test)]
mod tests;

use super::chars;
use crate::finding::Finding;
use crate::format::xml::facts::XmlFact;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};
use memchr::{memchr, memchr2, memchr3, memmem};
use rustc_hash::FxHashSet;

/// How deep elements may be nested. Real backups stay under twenty.
const MAX_DEPTH: usize = 512;

/// Reads a well-formed XML document.
///
/// Each attribute, each element without child elements, and each other element with text of its own
/// becomes one leaf. Comments and instructions are kept as nodes.
///
/// # Errors
/// One finding with the place of the first thing that is not well-formed: what follows it could not
/// be judged.
pub fn read_xml(source: Source<'_>) -> Result<Tree<'_>, Box<Finding>> {
    let mut scanner = Scanner {
        text: source.text,
        at: 0,
        tree: Tree::new(source),
        open: Vec::new(),
        scratch: String::new(),
        attributes: (NodeId::DOCUMENT, 0),
        attribute_names: FxHashSet::default(),
        has_returns: memchr(b'\r', source.text.as_bytes()).is_some(),
        has_section_ends: memmem::find(source.text.as_bytes(), b"]]>").is_some(),
    };
    match scanner.document() {
        Ok(()) => Ok(scanner.tree),
        // What there is no room for cannot be judged either.
        Err(_) if scanner.tree.is_overfull() => Ok(scanner.tree),
        Err(Malformed { span, fact }) => Err(Box::new(Finding::new(fact).at(source, span))),
    }
}

struct Malformed {
    span: Span,
    fact: XmlFact,
}

/// An element whose end tag has not come yet.
struct Open {
    id: NodeId,
    name: Span,
    has_elements: bool,
    own: Own,
}

/// The text of an element, gathered over the comments and child elements inside it.
enum Own {
    None,
    Spelled(Span),
    Decoded(String),
}

impl Own {
    fn add(&mut self, source: &str, piece: Piece<'_>) {
        match (&mut *self, piece) {
            (Self::None, Piece::Spelled(span)) => *self = Self::Spelled(span),
            (Self::None, Piece::Decoded(text)) => *self = Self::Decoded(text.to_owned()),
            (Self::Spelled(first), piece) => {
                let mut text = source[first.range()].to_owned();
                text.push_str(piece.as_str(source));
                *self = Self::Decoded(text);
            }
            (Self::Decoded(text), piece) => text.push_str(piece.as_str(source)),
        }
    }

    fn text(&self) -> Text<'_> {
        match self {
            Self::None => Text::Decoded(""),
            Self::Spelled(span) => Text::Borrowed(*span),
            Self::Decoded(text) => Text::Decoded(text),
        }
    }

    fn is_blank(&self, source: &str) -> bool {
        match self {
            Self::None => true,
            Self::Spelled(span) => is_blank(&source[span.range()]),
            Self::Decoded(text) => is_blank(text),
        }
    }
}

#[derive(Clone, Copy)]
enum Piece<'t> {
    Spelled(Span),
    Decoded(&'t str),
}

impl Piece<'_> {
    fn as_str<'s>(&'s self, source: &'s str) -> &'s str {
        match self {
            Self::Spelled(span) => &source[span.range()],
            Self::Decoded(text) => text,
        }
    }
}

fn is_space(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\n' | b'\r')
}

fn is_blank(text: &str) -> bool {
    text.bytes().all(is_space)
}

struct Scanner<'a> {
    text: &'a str,
    at: usize,
    tree: Tree<'a>,
    open: Vec<Open>,
    /// For values that must be decoded.
    scratch: String,
    /// The element whose attributes are being read, with how many there were.
    attributes: (NodeId, usize),
    attribute_names: FxHashSet<Box<str>>,
    /// Whether the input has carriage returns, which XML 2.11 turns into line feeds.
    has_returns: bool,
    /// Whether it has `]]>` anywhere, which must not be in text.
    has_section_ends: bool,
}

impl Scanner<'_> {
    fn fail<T>(&self, start: usize, end: usize, fact: XmlFact) -> Result<T, Malformed> {
        let end = self.text.len().min(end).max(start);
        Err(Malformed { span: Span::new(start, end), fact })
    }

    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn document(&mut self) -> Result<(), Malformed> {
        if let Some(at) = chars::first_forbidden(self.text) {
            let code = self.text[at..].chars().next().map_or(0, u32::from);
            return self.fail(at, at + 1, XmlFact::Character { code });
        }
        if self.rest().starts_with('\u{FEFF}') {
            self.at += '\u{FEFF}'.len_utf8();
        }
        self.declaration()?;
        let mut roots = 0;
        loop {
            self.skip_space();
            if self.at == self.text.len() {
                break;
            }
            if !self.rest().starts_with('<') {
                let fact = if roots == 0 { XmlFact::TextBefore } else { XmlFact::TextAfter };
                return self.fail(self.at, self.at + 1, fact);
            }
            if self.markup()? {
                roots += 1;
                if roots > 1 {
                    let root = self.tree.span(self.open_or_last_root());
                    return self.fail(root.start as usize, root.start as usize + 1, XmlFact::SecondRoot);
                }
                self.content()?;
            }
        }
        if roots == 0 {
            return self.fail(self.text.len(), self.text.len(), XmlFact::NoElement);
        }
        Ok(())
    }

    fn open_or_last_root(&self) -> NodeId {
        self.tree.children(NodeId::DOCUMENT).last().unwrap_or(NodeId::DOCUMENT)
    }

    /// The XML declaration (production 23). What it says of the character set was gone by already.
    fn declaration(&mut self) -> Result<(), Malformed> {
        let is_declaration =
            self.rest().starts_with("<?xml") && self.rest().as_bytes().get(5).copied().is_some_and(is_space);
        if !is_declaration {
            return Ok(());
        }
        let start = self.at;
        let Some(len) = memmem::find(self.rest().as_bytes(), b"?>") else {
            return self.fail(start, start + 5, XmlFact::DeclarationOpen);
        };
        self.tree.push(NodeId::DOCUMENT, Kind::Instruction, "xml", Span::new(start, start + len + 2));
        self.at = start + len + 2;
        Ok(())
    }

    /// Everything inside the outermost element.
    fn content(&mut self) -> Result<(), Malformed> {
        while let Some(open) = self.open.last() {
            let (name, start) = (open.name, self.at);
            let has_elements = open.has_elements;
            // White space between child elements is layout; keeping it would double the nodes.
            self.skip_space();
            let markup = &self.text.as_bytes()[self.at..];
            if markup.first() == Some(&b'<') && (self.at == start || has_elements || next_opens(markup)) {
                self.markup()?;
                continue;
            }
            self.at = start;
            match memchr2(b'<', b'&', &self.text.as_bytes()[start..]) {
                None => {
                    let element = self.text[name.range()].to_owned();
                    return self.fail(self.text.len(), self.text.len(), XmlFact::CutOff { element });
                }
                Some(len) => {
                    self.at += len;
                    self.character_data(start)?;
                }
            }
            if self.text.as_bytes().get(self.at) == Some(&b'<') {
                self.markup()?;
            }
        }
        Ok(())
    }

    /// Text from `start` to the next markup; `self.at` is at the first `<` or `&` in it.
    fn character_data(&mut self, start: usize) -> Result<(), Malformed> {
        let bytes = self.text.as_bytes();
        let mut end = self.at;
        let plain = bytes[end] == b'<' && !(self.has_returns && memchr(b'\r', &bytes[start..end]).is_some());
        if !plain {
            self.scratch.clear();
            end = match memchr(b'<', &bytes[end..]) {
                Some(len) => end + len,
                None => self.text.len(),
            };
            self.decode(start, end, false)?;
        }
        if self.has_section_ends
            && let Some(at) = memmem::find(&bytes[start..end], b"]]>")
        {
            return self.fail(start + at, start + at + 3, XmlFact::SectionEndInText);
        }
        let piece = if plain { Piece::Spelled(Span::new(start, end)) } else { Piece::Decoded(&self.scratch) };
        if let Some(open) = self.open.last_mut() {
            open.own.add(self.text, piece);
        }
        self.at = end;
        Ok(())
    }

    /// Decodes references (and for attributes white space, XML 3.3.3) into `self.scratch`.
    fn decode(&mut self, start: usize, end: usize, attribute: bool) -> Result<(), Malformed> {
        let mut at = start;
        while at < end {
            let byte = self.text.as_bytes()[at];
            match byte {
                b'&' => match chars::reference(&self.text[at..end]) {
                    Ok((c, len)) => {
                        self.scratch.push(c);
                        at += len;
                    }
                    Err(fact) => return self.fail(at, at + 1, fact),
                },
                b'\r' => {
                    self.scratch.push(if attribute { ' ' } else { '\n' });
                    at += if self.text.as_bytes().get(at + 1) == Some(&b'\n') { 2 } else { 1 };
                }
                b'\t' | b'\n' if attribute => {
                    self.scratch.push(' ');
                    at += 1;
                }
                _ => {
                    let stop = self.text.as_bytes()[at + 1..end]
                        .iter()
                        .position(|b| matches!(b, b'&' | b'\r' | b'\t' | b'\n'))
                        .map_or(end, |len| at + 1 + len);
                    self.scratch.push_str(&self.text[at..stop]);
                    at = stop;
                }
            }
        }
        Ok(())
    }

    /// One piece of markup at `<`. Returns whether an outermost element was begun.
    fn markup(&mut self) -> Result<bool, Malformed> {
        let start = self.at;
        match self.text.as_bytes().get(start + 1) {
            Some(b'/') => {
                self.end_tag()?;
                Ok(false)
            }
            Some(b'!') if self.rest().starts_with("<!--") => {
                self.comment()?;
                Ok(false)
            }
            Some(b'!') if self.rest().starts_with("<![CDATA[") => {
                self.cdata()?;
                Ok(false)
            }
            Some(b'!') if self.rest().starts_with("<!DOCTYPE") => {
                self.fail(start, start + 9, XmlFact::Doctype)
            }
            Some(b'?') => {
                self.instruction()?;
                Ok(false)
            }
            _ => self.start_tag(),
        }
    }

    fn holder(&self) -> NodeId {
        self.open.last().map_or(NodeId::DOCUMENT, |open| open.id)
    }

    fn comment(&mut self) -> Result<(), Malformed> {
        let start = self.at;
        let body = start + 4;
        match memmem::find(&self.text.as_bytes()[body..], b"--") {
            Some(len) if self.text[body + len + 2..].starts_with('>') => {
                let end = body + len + 3;
                let span = Span::new(start, end);
                let id = self.tree.push(self.holder(), Kind::Comment, "", span);
                self.tree.set_value(id, Text::Borrowed(Span::new(body, body + len)));
                self.at = end;
                Ok(())
            }
            Some(len) => self.fail(body + len, body + len + 2, XmlFact::CommentDashes),
            None => self.fail(start, body, XmlFact::CommentOpen),
        }
    }

    fn cdata(&mut self) -> Result<(), Malformed> {
        let start = self.at;
        let body = start + 9;
        if self.open.is_empty() {
            return self.fail(start, body, XmlFact::SectionOutside);
        }
        let Some(len) = memmem::find(&self.text.as_bytes()[body..], b"]]>") else {
            return self.fail(start, body, XmlFact::SectionOpen);
        };
        let span = Span::new(body, body + len);
        let with_returns = self.has_returns && self.text[span.range()].contains('\r');
        if with_returns {
            self.scratch.clear();
            let clean = self.text[span.range()].replace("\r\n", "\n").replace('\r', "\n");
            self.scratch.push_str(&clean);
        }
        let piece = if with_returns { Piece::Decoded(&self.scratch) } else { Piece::Spelled(span) };
        if let Some(open) = self.open.last_mut() {
            open.own.add(self.text, piece);
        }
        self.at = body + len + 3;
        Ok(())
    }

    fn instruction(&mut self) -> Result<(), Malformed> {
        let start = self.at;
        let name = chars::name_len(&self.text[start + 2..]);
        let target = &self.text[start + 2..start + 2 + name];
        if name == 0 || target.eq_ignore_ascii_case("xml") {
            return self.fail(start, start + 2 + name, XmlFact::InstructionName);
        }
        let Some(len) = memmem::find(self.rest().as_bytes(), b"?>") else {
            return self.fail(start, start + 2, XmlFact::InstructionOpen);
        };
        if len > 2 + name && !is_space(self.text.as_bytes()[start + 2 + name]) {
            return self.fail(start + 2 + name, start + 3 + name, XmlFact::InstructionSpace);
        }
        let span = Span::new(start, start + len + 2);
        self.tree.push(self.holder(), Kind::Instruction, &self.text[start + 2..start + 2 + name], span);
        self.at = start + len + 2;
        Ok(())
    }

    fn skip_space(&mut self) {
        let len = self.rest().bytes().position(|b| !is_space(b)).unwrap_or(self.text.len() - self.at);
        self.at += len;
    }
}

/// Whether what begins at `<` is a start tag, so that white space before it is layout.
fn next_opens(markup: &[u8]) -> bool {
    !matches!(markup.get(1), Some(b'/' | b'!' | b'?') | None)
}
