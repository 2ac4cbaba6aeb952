//! Reading INI, line by line.

use super::Ini;
use super::facts::IniFact;
use crate::finding::Finding;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};

/// Reads a file into a tree. A byte order mark is gone by then.
///
/// # Errors
/// The first line that is neither heading, nor key and value, nor comment, nor empty.
pub(super) fn read_ini<'a>(source: Source<'a>, dialect: &Ini) -> Result<Tree<'a>, Box<Finding>> {
    let mut tree = Tree::new(source);
    let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::new(0, source.text.len()));
    let mut reader = Reader { source, dialect, tree, root, section: root, comments: Vec::new() };
    let mut start = 0;
    for line in source.text.split_inclusive('\n') {
        reader.line(start, line.trim_end_matches(['\n', '\r']))?;
        start += line.len();
    }
    reader.place_comments(reader.section);
    reader.end_section(source.text.len());
    Ok(reader.tree)
}

struct Reader<'r, 'a> {
    source: Source<'a>,
    dialect: &'r Ini,
    tree: Tree<'a>,
    root: NodeId,
    section: NodeId,
    /// Comments of which it is not known yet whether they are said of the next section.
    comments: Vec<Span>,
}

impl Reader<'_, '_> {
    fn line(&mut self, start: usize, line: &str) -> Result<(), Box<Finding>> {
        let indent = line.len() - line.trim_start().len();
        let (start, line) = (start + indent, line.trim());
        let span = Span::new(start, start + line.len());
        if line.is_empty() {
            self.place_comments(self.section);
            return Ok(());
        }
        if line.starts_with(self.dialect.comments.as_slice()) {
            self.comments.push(span);
            return Ok(());
        }
        if let Some(rest) = line.strip_prefix('[') {
            let Some(heading) = rest.strip_suffix(']') else {
                return Err(self.wrong(span, IniFact::HeadingOpen));
            };
            self.heading(start, span, heading);
            return Ok(());
        }
        let Some((key, value)) = line.split_once(self.dialect.separator) else {
            let separator = self.dialect.separator;
            return Err(self.wrong(span, IniFact::Neither { separator, comment: self.dialect.comments[0] }));
        };
        if key.trim().is_empty() {
            return Err(self.wrong(span, IniFact::Keyless));
        }
        self.place_comments(self.section);
        let leaf = self.tree.push(self.section, Kind::Text, key.trim_end(), span);
        let at = start + key.len() + self.dialect.separator.len_utf8();
        let lead = value.len() - value.trim_start().len();
        let value = value.trim();
        let spelled = Span::new(at + lead, at + lead + value.len());
        match self.unquoted(value, spelled)? {
            Some(text) => self.tree.set_value(leaf, Text::Decoded(&text)),
            None => self.tree.set_value(leaf, Text::Borrowed(spelled)),
        }
        Ok(())
    }

    /// Begins a section.
    fn heading(&mut self, start: usize, span: Span, heading: &str) {
        let end = self.comments.first().map_or(start, |first| first.start as usize);
        self.end_section(end);
        self.place_comments(self.root);
        let split = self.dialect.heading.as_ref().and_then(|(between, setting)| {
            let (name, rest) = heading.split_once(between.as_str())?;
            Some((name, rest, setting))
        });
        let name = split.map_or(heading, |(name, ..)| name).trim();
        self.section = self.tree.push(self.root, Kind::Map, name, span);
        if let Some((_, rest, setting)) = split {
            let from = start + 1 + (heading.len() - rest.len()) + (rest.len() - rest.trim_start().len());
            let spelled = Span::new(from, from + rest.trim().len());
            let leaf = self.tree.push(self.section, Kind::Attribute, setting, spelled);
            // Quotes around the name of one of several are common, and say nothing.
            let inner = rest.trim().strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
            let value = inner.map_or(spelled, |inner| Span::new(from + 1, from + 1 + inner.len()));
            self.tree.set_value(leaf, Text::Borrowed(value));
        }
    }

    fn place_comments(&mut self, holder: NodeId) {
        for span in std::mem::take(&mut self.comments) {
            let comment = self.tree.push(holder, Kind::Comment, "", span);
            self.tree.set_value(comment, Text::Borrowed(span));
        }
    }

    fn end_section(&mut self, end: usize) {
        if self.section != self.root {
            let text = &self.source.text[..end];
            self.tree.set_end(self.section, text.trim_end().len());
        }
    }

    /// The text of a value in quotes, or `None` if it has none.
    fn unquoted(&self, value: &str, spelled: Span) -> Result<Option<String>, Box<Finding>> {
        let Some(inner) = value.strip_prefix('"').filter(|_| self.dialect.quotes) else { return Ok(None) };
        let mut text = String::new();
        let mut chars = inner.chars();
        while let Some(c) = chars.next() {
            match c {
                '"' if chars.as_str().is_empty() => return Ok(Some(text)),
                '"' => break,
                '\\' => match chars.next() {
                    Some('n') => text.push('\n'),
                    Some(c @ ('"' | '\\')) => text.push(c),
                    _ => break,
                },
                c => text.push(c),
            }
        }
        Err(self.wrong(spelled, IniFact::Quotes))
    }

    /// The line itself is not shown: it may hold a secret.
    fn wrong(&self, span: Span, fact: IniFact) -> Box<Finding> {
        Box::new(Finding::new(fact).at(self.source, span))
    }
}
