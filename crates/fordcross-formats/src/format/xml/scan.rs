//! The scanner.

use super::chars::{self, BadReference};
use crate::finding::{Code, Finding};
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
        Err(Malformed { code, span, message, help }) => {
            let finding = Finding::new(code, message).at(source, span);
            Err(Box::new(match help {
                Some(help) => finding.help(help),
                None => finding,
            }))
        }
    }
}

struct Malformed {
    code: Code,
    span: Span,
    message: String,
    help: Option<String>,
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
    /// Whether it has `]]>` anywhere, which must not stand in text.
    has_section_ends: bool,
}

impl Scanner<'_> {
    fn fail<T>(&self, start: usize, end: usize, message: impl Into<String>) -> Result<T, Malformed> {
        let end = self.text.len().min(end).max(start);
        Err(Malformed {
            code: Code::XmlMalformed,
            span: Span::new(start, end),
            message: message.into(),
            help: None,
        })
    }

    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn document(&mut self) -> Result<(), Malformed> {
        if let Some(at) = chars::first_forbidden(self.text) {
            let code = self.text[at..].chars().next().map_or(0, u32::from);
            return self.fail(at, at + 1, format!("the character U+{code:04X} is not allowed in XML"));
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
                let what =
                    if roots == 0 { "text before the first element" } else { "text after the last element" };
                return self.fail(self.at, self.at + 1, what);
            }
            if self.markup()? {
                roots += 1;
                if roots > 1 {
                    let root = self.tree.span(self.open_or_last_root());
                    return self.fail(
                        root.start as usize,
                        root.start as usize + 1,
                        "a second outermost element; a document has one",
                    );
                }
                self.content()?;
            }
        }
        if roots == 0 {
            return self.fail(self.text.len(), self.text.len(), "no element: the file holds no XML document");
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
            return self.fail(start, start + 5, "the XML declaration has no end");
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
                    let name = &self.text[name.range()];
                    return Err(Malformed {
                        code: Code::XmlMalformed,
                        span: Span::new(self.text.len(), self.text.len()),
                        message: format!("the file ends inside the element `{name}`"),
                        help: Some(
                            "the file seems to be cut off; compare its size with the original and fetch it again"
                                .into(),
                        ),
                    });
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
            return self.fail(start + at, start + at + 3, "`]]>` stands in text; write `]]&gt;`");
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
                    Err(BadReference(message)) => return self.fail(at, at + 1, message),
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

    /// One piece of markup at `<`. Says whether an outermost element was begun.
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
            Some(b'!') if self.rest().starts_with("<!DOCTYPE") => Err(Malformed {
                code: Code::XmlDoctype,
                span: Span::new(start, start + 9),
                message: "a document type declaration; what it declares is never followed".into(),
                help: Some(
                    "no backup of a known line has one; if you trust the file, remove the declaration".into(),
                ),
            }),
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
            Some(len) => self.fail(body + len, body + len + 2, "`--` stands inside a comment"),
            None => self.fail(start, body, "a comment that never ends"),
        }
    }

    fn cdata(&mut self) -> Result<(), Malformed> {
        let start = self.at;
        let body = start + 9;
        if self.open.is_empty() {
            return self.fail(start, body, "a CDATA section outside the outermost element");
        }
        let Some(len) = memmem::find(&self.text.as_bytes()[body..], b"]]>") else {
            return self.fail(start, body, "a CDATA section that never ends");
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
            return self.fail(start, start + 2 + name, "an instruction without a proper name");
        }
        let Some(len) = memmem::find(self.rest().as_bytes(), b"?>") else {
            return self.fail(start, start + 2, "an instruction that never ends");
        };
        if len > 2 + name && !is_space(self.text.as_bytes()[start + 2 + name]) {
            return self.fail(
                start + 2 + name,
                start + 3 + name,
                "white space must follow an instruction's name",
            );
        }
        let span = Span::new(start, start + len + 2);
        self.tree.push(self.holder(), Kind::Instruction, &self.text[start + 2..start + 2 + name], span);
        self.at = start + len + 2;
        Ok(())
    }

    fn start_tag(&mut self) -> Result<bool, Malformed> {
        let start = self.at;
        let name_end = start + 1 + chars::name_len(&self.text[start + 1..]);
        if name_end == start + 1 {
            return self.fail(start, start + 1, "`<` begins no tag; write `&lt;` for the character");
        }
        if self.open.len() >= MAX_DEPTH {
            return Err(Malformed {
                code: Code::TooLarge,
                span: Span::new(start, name_end),
                message: format!("elements are nested more than {MAX_DEPTH} deep"),
                help: Some("no configuration backup is; is this the right file?".into()),
            });
        }
        let outermost = self.open.is_empty();
        let holder = self.holder();
        let name = Span::new(start + 1, name_end);
        if let Some(open) = self.open.last_mut() {
            open.has_elements = true;
        }
        if self.plain_leaf(holder, name) {
            return Ok(outermost);
        }
        let id = self.tree.push(holder, Kind::Map, &self.text[name.range()], Span::new(start, start));
        self.at = name_end;
        loop {
            let before = self.at;
            self.skip_space();
            match self.text.as_bytes().get(self.at) {
                Some(b'>') => {
                    self.at += 1;
                    self.open.push(Open { id, name, has_elements: false, own: Own::None });
                    return Ok(outermost);
                }
                Some(b'/') if self.text.as_bytes().get(self.at + 1) == Some(&b'>') => {
                    self.at += 2;
                    self.close(Open { id, name, has_elements: false, own: Own::None });
                    return Ok(outermost);
                }
                Some(_) if self.at == before => {
                    return self.fail(self.at, self.at + 1, "white space, `>` or `/>` must stand here");
                }
                Some(_) => self.attribute(id)?,
                None => return self.fail(start, name_end, "the file ends inside a tag"),
            }
        }
    }

    /// Reads an element whole that has nothing but its name and a text without references, as most have; says
    /// whether it is one.
    fn plain_leaf(&mut self, holder: NodeId, name: Span) -> bool {
        let bytes = self.text.as_bytes();
        let name_end = name.end as usize;
        if bytes.get(name_end) != Some(&b'>') {
            return false;
        }
        let from = name_end + 1;
        let Some(len) = memchr2(b'<', b'&', &bytes[from..]) else { return false };
        let value = Span::new(from, from + len);
        let text = &bytes[value.range()];
        let name = &self.text[name.range()];
        let end_tag = bytes[from + len..].strip_prefix(b"</");
        let behind = end_tag.and_then(|rest| rest.strip_prefix(name.as_bytes()));
        let ends = behind.is_some_and(|rest| rest.first() == Some(&b'>'));
        if !ends
            || self.has_returns && memchr(b'\r', text).is_some()
            || self.has_section_ends && memmem::find(text, b"]]>").is_some()
        {
            return false;
        }
        let end = from + len + 2 + name.len() + 1;
        let id = self.tree.push(holder, Kind::Text, name, Span::new(from - name.len() - 2, end));
        self.tree.set_value(id, if len == 0 { Text::Decoded("") } else { Text::Borrowed(value) });
        self.at = end;
        true
    }

    fn attribute(&mut self, holder: NodeId) -> Result<(), Malformed> {
        let start = self.at;
        let name_end = start + chars::name_len(self.rest());
        if name_end == start {
            return self.fail(start, start + 1, "expected the name of an attribute, `>` or `/>`");
        }
        let name = &self.text[start..name_end];
        if self.is_repeated(holder, name) {
            return self.fail(start, name_end, format!("the attribute `{name}` is given twice"));
        }
        self.at = name_end;
        self.skip_space();
        if self.text.as_bytes().get(self.at) != Some(&b'=') {
            return self.fail(start, name_end, "an attribute has no value");
        }
        self.at += 1;
        self.skip_space();
        let Some(&quote @ (b'"' | b'\'')) = self.text.as_bytes().get(self.at) else {
            return self.fail(start, name_end, format!("the value of the attribute `{name}` is not quoted"));
        };
        let value = self.at + 1;
        let Some(len) = memchr3(quote, b'<', b'&', &self.text.as_bytes()[value..]) else {
            return self.fail(start, name_end, format!("the value of the attribute `{name}` never ends"));
        };
        let mut end = value + len;
        let mut plain = self.text.as_bytes()[end] == quote;
        if !plain {
            end = match memchr2(quote, b'<', &self.text.as_bytes()[end..]) {
                Some(len) => end + len,
                None => {
                    return self.fail(
                        start,
                        name_end,
                        format!("the value of the attribute `{name}` never ends"),
                    );
                }
            };
            if self.text.as_bytes()[end] == b'<' {
                return self.fail(end, end + 1, "`<` stands in the value of an attribute; write `&lt;`");
            }
        }
        plain &= !self.text.as_bytes()[value..end].iter().any(|b| matches!(b, b'\t' | b'\n' | b'\r'));
        let id =
            self.tree.push(holder, Kind::Attribute, &self.text[start..name_end], Span::new(start, end + 1));
        if plain {
            self.tree.set_value(id, Text::Borrowed(Span::new(value, end)));
        } else {
            self.scratch.clear();
            self.decode(value, end, true)?;
            self.tree.set_value(id, Text::Decoded(&self.scratch));
        }
        self.at = end + 1;
        Ok(())
    }

    /// Whether the element has the attribute already: few are looked through, many are hashed.
    fn is_repeated(&mut self, holder: NodeId, name: &str) -> bool {
        const LINEAR_SEARCH_LIMIT: usize = 16;
        if self.attributes.0 != holder {
            self.attributes = (holder, 0);
            self.attribute_names.clear();
        }
        self.attributes.1 += 1;
        if self.attributes.1 <= LINEAR_SEARCH_LIMIT {
            return self.tree.child(holder, name).is_some();
        }
        if self.attribute_names.is_empty() {
            let names: Vec<Box<str>> =
                self.tree.children(holder).map(|id| self.tree.name(id).into()).collect();
            self.attribute_names.extend(names);
        }
        !self.attribute_names.insert(name.into())
    }

    fn end_tag(&mut self) -> Result<(), Malformed> {
        let start = self.at;
        let name_end = start + 2 + chars::name_len(&self.text[start + 2..]);
        let name = &self.text[start + 2..name_end];
        let Some(open) = self.open.pop() else {
            return self.fail(start, name_end, format!("the end tag `{name}` closes nothing"));
        };
        let expected = &self.text[open.name.range()];
        if name != expected {
            return self.fail(
                start,
                name_end,
                format!("the end tag `{name}` stands where `{expected}` is open"),
            );
        }
        self.at = name_end;
        self.skip_space();
        if self.text.as_bytes().get(self.at) != Some(&b'>') {
            return self.fail(start, name_end, format!("the end tag `{name}` is not closed with `>`"));
        }
        self.at += 1;
        self.close(open);
        Ok(())
    }

    /// Ends an element: one that has neither attributes, comments nor child elements is a leaf.
    fn close(&mut self, open: Open) {
        let Open { id, has_elements, own, .. } = open;
        self.tree.set_end(id, self.at);
        if self.tree.is_childless(id) {
            self.tree.make_leaf(id, own.text());
        } else if !has_elements || !own.is_blank(self.text) {
            let span = match &own {
                Own::Spelled(span) => *span,
                _ => self.tree.span(id),
            };
            let text = self.tree.push(id, Kind::OwnText, "", span);
            self.tree.set_value(text, own.text());
        }
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;
    use std::fmt::Write as _;

    /// The tree as `name=value` lines, indented.
    fn outline(text: &str) -> String {
        let tree = read_xml(Source::new("x", text)).expect("well-formed");
        let mut out = String::new();
        let mut stack = vec![(tree.root(), 0)];
        while let Some((id, depth)) = stack.pop() {
            let kind = tree.kind(id);
            let _ = write!(out, "{}{:?} {}", " ".repeat(depth), kind, tree.name(id));
            if !kind.is_branch() {
                let _ = write!(out, "={}", tree.value(id));
            }
            out.push('\n');
            let children: Vec<_> = tree.children(id).collect();
            stack.extend(children.into_iter().rev().map(|child| (child, depth + 1)));
        }
        out
    }

    #[rstest]
    #[case("<a>x</a>", "Text a=x\n")]
    #[case("<a/>", "Text a=\n")]
    #[case("<a b='1'/>", "Map a\n Attribute b=1\n OwnText a=\n")]
    #[case("<a><b>1</b> <b> 2 </b></a>", "Map a\n Text b=1\n Text b= 2 \n")]
    #[case("<a>x<b/>y</a>", "Map a\n Text b=\n OwnText a=xy\n")]
    #[case("<a>x &amp; &#x41;<![CDATA[<&]]></a>", "Text a=x & A<&\n")]
    #[case("<a><!-- c -->v</a>", "Map a\n Comment = c \n OwnText a=v\n")]
    #[case("<a b='1&#10;\n2'>x\r\ny</a>", "Map a\n Attribute b=1\n 2\n OwnText a=x\ny\n")]
    fn reads(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(outline(text), expected);
    }

    #[rstest]
    #[case("", "no element", 0)]
    #[case("hello", "text before", 0)]
    #[case("<a>", "file ends inside the element `a`", 3)]
    #[case("<a><b></a>", "where `b` is open", 6)]
    #[case("<a/><b/>", "second outermost", 4)]
    #[case("<a/>x", "text after", 4)]
    #[case("<a b=1/>", "not quoted", 3)]
    #[case("<a b='1' b='2'/>", "given twice", 9)]
    #[case("<a b='<'/>", "`<` stands in the value", 6)]
    #[case("<a>&foo;</a>", "not built in", 3)]
    #[case("<a>&#0;</a>", "no XML character", 3)]
    #[case("<a>&#+65;</a>", "no XML character", 3)]
    #[case("<a>a & b</a>", "does not begin a reference", 5)]
    #[case("<a>]]></a>", "]]>", 3)]
    #[case("<a><!-- a -- b --></a>", "inside a comment", 10)]
    #[case("<!DOCTYPE a><a/>", "document type declaration", 0)]
    #[case("<a>\u{1}</a>", "U+0001", 3)]
    #[case("<1/>", "begins no tag", 0)]
    fn refuses(#[case] text: &str, #[case] message: &str, #[case] at: u32) {
        let finding = read_xml(Source::new("x", text)).expect_err("refused");
        assert!(finding.message.contains(message), "{}", finding.message);
        assert_eq!(finding.place.map(|place| place.span.start), Some(at));
    }

    #[test]
    fn many_attributes_take_no_long_time() {
        let attributes = |last: &str| {
            let many: String = (0..50_000).map(|number| format!(" a{number}=''")).collect();
            format!("<a{many} {last}=''/>")
        };
        assert!(read_xml(Source::new("x", &attributes("b"))).is_ok());
        let finding = read_xml(Source::new("x", &attributes("a7"))).expect_err("refused");
        assert!(finding.message.contains("given twice"));
    }

    #[test]
    fn nesting_is_bounded() {
        let finding = read_xml(Source::new("x", &"<a>".repeat(100_000))).expect_err("refused");
        assert_eq!(finding.code, Code::TooLarge);
    }

    proptest! {
        /// An independent parser judges what is well-formed, on inputs near the edge of it.
        #[test]
        fn agrees_with_an_independent_parser(text in "(<a|<b>|</b>|</a>|/>|>| b='|'|\"|&amp;|&#6|;|x|<!--|-->|<!\\[CDATA\\[|\\]\\]>|<\\?p|\\?>| |\n|é){0,14}") {
            let theirs = roxmltree::Document::parse(&text);
            let ours = read_xml(Source::new("x", &text));
            prop_assert_eq!(ours.is_ok(), theirs.is_ok(), "{:?} {:?}", ours.err(), theirs.err());
        }
    }
}
