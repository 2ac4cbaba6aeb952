//! Reading, by the events of the `granit-parser` crate.

use super::facts::YamlFact;
use super::scalar::is_bare;
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};
use granit_parser::{Event, Parser, ScalarStyle};
use rustc_hash::{FxHashMap, FxHashSet};
use std::borrow::Cow;

/// How deep mappings and sequences may be nested.
const MAX_DEPTH: usize = 512;
/// How many nodes aliases may add: more than any configuration has, fewer than a bomb wants.
const MAX_COPIED: usize = 100_000;

/// Reads a document into a tree. A byte order mark is gone by then.
///
/// # Errors
/// The first thing that is not well-formed or not of the subset.
pub(super) fn read_yaml(source: Source<'_>) -> Result<Tree<'_>, Box<Finding>> {
    let mut reader = Reader {
        source,
        tree: Tree::new(source),
        open: Vec::new(),
        anchors: FxHashMap::default(),
        comments: Vec::new(),
        copied: 0,
        documents: 0,
    };
    // The parser nests calls for flow collections; what is deeper is refused before it sees it.
    reader.check_depth()?;
    for event in Parser::new_from_str(source.text) {
        let (event, span) = event.map_err(|error| {
            let at = error.marker().byte_offset().unwrap_or(source.text.len()).min(source.text.len());
            reader.wrong(Span::new(at, at), fact_of(&error.info()))
        })?;
        let byte = |marker: &granit_parser::Marker| {
            marker.byte_offset().unwrap_or(source.text.len()).min(source.text.len())
        };
        let (start, end) = (byte(&span.start), byte(&span.end));
        // What is told of a tag is told at the tag.
        let tag = span.tag_span().map_or(start, |tag| byte(&tag.start));
        reader.event(event, Span::new(start, end.max(start)), Span::new(tag, tag))?;
    }
    if reader.documents == 0 {
        return Err(reader.wrong(Span::default(), YamlFact::NoDocument));
    }
    let root = reader.tree.root();
    reader.place_comments(if reader.tree.kind(root).is_branch() { root } else { NodeId::DOCUMENT });
    Ok(reader.tree)
}

/// What the parser complains of.
fn fact_of(said: &str) -> YamlFact {
    const KNOWN: [(&[&str], YamlFact); 8] = [
        (&["indent"], YamlFact::Indentation),
        (&["comment"], YamlFact::Comment),
        (&["quot", "escape", "scalar", "multiline"], YamlFact::TextOpen),
        (&["tab"], YamlFact::Tab),
        (&["flow", "']'", "'}'", "bracket", "brace"], YamlFact::BracketOpen),
        (&["anchor", "alias"], YamlFact::Anchor),
        (&["directive", "tag"], YamlFact::Directive),
        (&["key", "mapping", "value", "':'", "block", "sequence", "simple"], YamlFact::Entry),
    ];
    let said = said.to_lowercase();
    let found = KNOWN.iter().find(|(words, _)| words.iter().any(|word| said.contains(word)));
    found.map_or(YamlFact::Other, |(_, fact)| fact.clone())
}

/// A mapping or sequence that is being read.
struct Open {
    node: NodeId,
    /// The key that a value is to come for.
    key: Option<String>,
    keys: FxHashSet<String>,
}

struct Reader<'a> {
    source: Source<'a>,
    tree: Tree<'a>,
    open: Vec<Open>,
    anchors: FxHashMap<usize, NodeId>,
    /// Comments that are before something of which it is not known yet what it is.
    comments: Vec<Span>,
    copied: usize,
    documents: usize,
}

/// Where a value goes.
enum Slot {
    /// Into the tree, as a child of this, with a name.
    Child(NodeId, String),
    /// It is a key.
    Key,
}

impl<'a> Reader<'a> {
    fn wrong(&self, span: Span, fact: YamlFact) -> Box<Finding> {
        Box::new(Finding::new(fact).at(self.source, span))
    }

    fn check_depth(&self) -> Result<(), Box<Finding>> {
        let mut depth = 0_usize;
        for (at, byte) in self.source.text.bytes().enumerate() {
            match byte {
                b'[' | b'{' => depth += 1,
                b']' | b'}' => depth = depth.saturating_sub(1),
                b'\n' if self.source.text[at..].len() > 1 => {
                    // Block structure: each level is at least one blank in.
                    let line = &self.source.text.as_bytes()[at + 1..];
                    let dashes = line.iter().take_while(|b| matches!(b, b' ' | b'-' | b'?')).count();
                    if dashes > 4 * MAX_DEPTH {
                        return Err(self.too_deep(Span::new(at + 1, at + 1)));
                    }
                }
                _ => {}
            }
            if depth > 4 * MAX_DEPTH {
                return Err(self.too_deep(Span::new(at, at)));
            }
        }
        Ok(())
    }

    fn too_deep(&self, span: Span) -> Box<Finding> {
        self.wrong(span, YamlFact::TooDeep { most: MAX_DEPTH })
    }

    /// Takes a value in: where it goes.
    fn slot(&mut self, key: Option<&str>, span: Span) -> Result<Slot, Box<Finding>> {
        let Some(open) = self.open.last_mut() else {
            return Ok(Slot::Child(NodeId::DOCUMENT, String::new()));
        };
        if self.tree.kind(open.node) == Kind::List {
            return Ok(Slot::Child(open.node, String::new()));
        }
        if let Some(name) = open.key.take() {
            return Ok(Slot::Child(open.node, name));
        }
        let Some(key) = key else {
            return Err(self.wrong(span, YamlFact::KeyNoWord));
        };
        if !open.keys.insert(key.to_owned()) {
            return Err(self.wrong(span, YamlFact::KeyTwice));
        }
        open.key = Some(key.to_owned());
        Ok(Slot::Key)
    }

    fn branch(&mut self, kind: Kind, anchor: usize, span: Span) -> Result<(), Box<Finding>> {
        if self.open.len() >= MAX_DEPTH {
            return Err(self.too_deep(span));
        }
        let Slot::Child(parent, name) = self.slot(None, span)? else { return Ok(()) };
        let node = self.tree.push(parent, kind, &name, span);
        if anchor > 0 {
            self.anchors.insert(anchor, node);
        }
        self.place_comments(node);
        self.open.push(Open { node, key: None, keys: FxHashSet::default() });
        Ok(())
    }

    fn place_comments(&mut self, holder: NodeId) {
        for span in std::mem::take(&mut self.comments) {
            let comment = self.tree.push(holder, Kind::Comment, "", span);
            self.tree.set_value(comment, Text::Borrowed(span));
        }
    }

    fn event(&mut self, event: Event<'_>, span: Span, tag_at: Span) -> Result<(), Box<Finding>> {
        match event {
            Event::DocumentStart(..) => {
                self.documents += 1;
                if self.documents > 1 {
                    return Err(self.wrong(span, YamlFact::SecondDocument));
                }
            }
            Event::MappingStart(_, anchor, tag) => {
                self.check_tag(tag.as_deref(), tag_at)?;
                self.branch(Kind::Map, anchor, span)?;
            }
            Event::SequenceStart(_, anchor, tag) => {
                self.check_tag(tag.as_deref(), tag_at)?;
                self.branch(Kind::List, anchor, span)?;
            }
            Event::MappingEnd | Event::SequenceEnd => {
                if let Some(open) = self.open.pop() {
                    let end = self.source.text[..span.end as usize].trim_end().len();
                    let start = self.tree.span(open.node).start as usize;
                    self.tree.set_end(open.node, end.max(start));
                }
            }
            Event::Scalar(text, style, anchor, tag) => {
                self.check_tag(tag.as_deref(), tag_at)?;
                let Slot::Child(parent, name) = self.slot(Some(&text), span)? else { return Ok(()) };
                self.place_comments(parent);
                // The parser says `~` for a value that is not there.
                let text = if span.start == span.end { Cow::default() } else { text };
                let is_text = tag.as_deref().and_then(|tag| tag.core_suffix()) == Some("str");
                let kind = if style == ScalarStyle::Plain && !is_text && is_bare(&text) {
                    Kind::Bare
                } else {
                    Kind::Text
                };
                let leaf = self.tree.push(parent, kind, &name, span);
                let spelled = &self.source.text[span.range()];
                let inner = match style {
                    ScalarStyle::Plain => Some(span),
                    ScalarStyle::SingleQuoted | ScalarStyle::DoubleQuoted if spelled.len() >= 2 => {
                        Some(Span::new(span.start as usize + 1, span.end as usize - 1))
                    }
                    _ => None,
                };
                match inner.filter(|inner| self.source.text[inner.range()] == *text) {
                    Some(inner) => self.tree.set_value(leaf, Text::Borrowed(inner)),
                    None => self.tree.set_value(leaf, Text::Decoded(&text)),
                }
                if anchor > 0 {
                    self.anchors.insert(anchor, leaf);
                }
            }
            Event::Alias(anchor) => {
                let Slot::Child(parent, name) = self.slot(None, span)? else { return Ok(()) };
                self.copy(anchor, parent, &name, span)?;
            }
            Event::Comment(..) => {
                self.comments.push(span);
                if let Some(open) = self.open.last().filter(|open| open.key.is_none()) {
                    self.place_comments(open.node);
                }
            }
            _ => {}
        }
        Ok(())
    }

    /// What an alias stands for, as if it were written there.
    fn copy(&mut self, anchor: usize, parent: NodeId, name: &str, span: Span) -> Result<(), Box<Finding>> {
        let Some(&from) = self.anchors.get(&anchor) else {
            return Err(self.wrong(span, YamlFact::AliasOfNone));
        };
        if self.open.iter().any(|open| open.node == from) {
            return Err(self.wrong(span, YamlFact::AliasInside));
        }
        let mut work = vec![(parent, from, name.to_owned(), true)];
        while let Some((parent, node, name, is_top)) = work.pop() {
            self.copied += 1;
            if self.copied > MAX_COPIED {
                return Err(self.wrong(span, YamlFact::Copies { most: MAX_COPIED }));
            }
            let at = if is_top { span } else { self.tree.span(node) };
            let new = self.tree.push(parent, self.tree.kind(node), &name, at);
            if !self.tree.kind(node).is_branch() {
                let value = self.tree.value(node).to_owned();
                match self.tree.value_span(node) {
                    Some(value) => self.tree.set_value(new, Text::Borrowed(value)),
                    None => self.tree.set_value(new, Text::Decoded(&value)),
                }
            }
            let children: Vec<NodeId> =
                self.tree.children(node).filter(|&child| self.tree.kind(child) != Kind::Comment).collect();
            for child in children.into_iter().rev() {
                work.push((new, child, self.tree.name(child).to_owned(), false));
            }
        }
        Ok(())
    }

    fn check_tag(&self, tag: Option<&granit_parser::Tag>, span: Span) -> Result<(), Box<Finding>> {
        match tag {
            Some(tag) if !tag.is_yaml_core_schema() && tag.original() != "!" => {
                Err(self.wrong(span, YamlFact::Tag))
            }
            _ => Ok(()),
        }
    }
}
