//! What statements make: captures, pairs, lists, bodies.

use super::{
    BODY, Cow, Finding, Half, Inside, Kind, NodeId, Part, PathPart, Range, Reader, Span, Statement, Text,
    WORDS, Word, WordKind, words_span,
};
use crate::format::statements::facts::StatementFact;

impl<'a> Reader<'_, 'a> {
    /// What a statement captured, as values of the branch that it makes.
    pub(super) fn captures(
        &mut self,
        node: NodeId,
        words: &[Word<'a>],
        taken: &[(Part, Range<usize>)],
        statement: &Statement,
    ) {
        let in_path = |name: &str| {
            statement.path.iter().any(|step| matches!(step, PathPart::Capture(known) if known == name))
        };
        let mut key: Option<String> = None;
        for (part, range) in taken {
            match part {
                Part::Word(_) | Part::Glue | Part::Choice(_) | Part::Optional(_) | Part::Repeated(_) => {}
                Part::Capture(name, _) | Part::Rest(name) => {
                    if let Some(inside) = statement.inside.as_ref().filter(|inside| inside.of == *name) {
                        self.pairs_inside(node, &words[range.start], inside);
                    } else if !in_path(name) {
                        let span = words_span(words, range);
                        let leaf = self.tree.push(node, Kind::Text, name, span);
                        self.set_words(leaf, words, range.clone(), Some(part));
                        self.unquote(leaf, statement);
                    }
                }
                Part::Several(name) => {
                    for word in &words[range.clone()] {
                        let leaf = self.tree.push(node, Kind::Text, name, word.span);
                        self.set_word(leaf, word);
                    }
                }
                Part::List(name, between) => {
                    for word in &words[range.clone()] {
                        self.list(node, name, between, word);
                    }
                }
                Part::Pair(_, Half::Key, _) => key = Some(words[range.start].text.to_string()),
                Part::Pair(name, Half::Value, _) => {
                    let at = self.made.get(&(node, name.clone())).copied().unwrap_or_else(|| {
                        let made = self.tree.push(node, Kind::Map, name, words[range.start].span);
                        self.made.insert((node, name.clone()), made);
                        made
                    });
                    let word = &words[range.start];
                    let leaf = self.tree.push(at, Kind::Text, key.as_deref().unwrap_or_default(), word.span);
                    self.set_word(leaf, word);
                    self.tree.set_end(at, word.span.end as usize);
                }
            }
        }
    }

    /// The pairs of a text, as values of the branch.
    pub(super) fn pairs_inside(&mut self, node: NodeId, word: &Word<'a>, inside: &Inside) {
        // In the backup itself they have places of their own, unless something in them is escaped.
        let start = match &word.text {
            Cow::Borrowed(_) => Some(word.span.start as usize),
            Cow::Owned(text) => {
                let at = word.span.start as usize + 1;
                (self.source.text.get(at..at + text.len()) == Some(text)).then_some(at)
            }
        };
        for (key, value) in inside.pairs(&word.text) {
            let span = start.map_or(word.span, |start| {
                Span::new(start + key.span.start as usize, start + value.span.end as usize)
            });
            let leaf = self.tree.push(node, Kind::Text, &key.text, span);
            match (start, &value.text) {
                (Some(start), Cow::Borrowed(_)) => {
                    let (from, to) = (value.span.start as usize, value.span.end as usize);
                    self.tree.set_value(leaf, Text::Borrowed(Span::new(start + from, start + to)));
                }
                (_, text) => self.tree.set_value(leaf, Text::Decoded(text)),
            }
        }
    }

    /// A word with commas, or what separates them: each part of it is a value.
    pub(super) fn list(&mut self, node: NodeId, name: &str, between: &str, word: &Word<'a>) {
        let raw = &self.source.text[word.span.range()];
        if word.kind == WordKind::Quoted && !self.grammar.keeps_quotes {
            let leaf = self.tree.push(node, Kind::Text, name, word.span);
            return self.set_word(leaf, word);
        }
        let mut at = word.span.start as usize;
        // What is behind the last comma is the next word.
        let raw = raw.strip_suffix(between).unwrap_or(raw);
        for part in raw.split(between) {
            let span = Span::new(at, at + part.len());
            let leaf = self.tree.push(node, Kind::Text, name, span);
            self.tree.set_value(leaf, Text::Borrowed(span));
            at += part.len() + between.len();
        }
    }

    /// A statement that no shape fits: its first word is its name.
    pub(super) fn make_unknown(
        &mut self,
        words: &[Word<'a>],
        whole: Span,
        indent: usize,
        brace: bool,
        after: usize,
    ) -> Result<usize, Box<Finding>> {
        let holder = self.blocks[self.blocks.len() - 1].node;
        self.add_comments(holder);
        let name = words[0].text.to_string();
        if !brace {
            let leaf = self.tree.push(holder, Kind::Text, &name, whole);
            if words.len() > 1 {
                self.set_words(leaf, words, 1..words.len(), Some(&Part::Rest(String::new())));
            } else {
                self.tree.set_value(leaf, Text::Decoded(""));
            }
            return Ok(after);
        }
        let branch = self.tree.push(holder, Kind::Map, &name, whole);
        if words.len() > 1 {
            let leaf = self.tree.push(branch, Kind::Text, WORDS, words_span(words, &(1..words.len())));
            self.set_words(leaf, words, 1..words.len(), Some(&Part::Rest(String::new())));
        }
        self.open(branch, name, indent, whole)?;
        Ok(after)
    }

    /// The lines up to the one that ends the text, as one value.
    pub(super) fn body(
        &mut self,
        node: NodeId,
        whole: Span,
        until: &str,
        after: usize,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let text = &self.source.text[..end];
        let mut at = after;
        for line in text[after..].split_inclusive('\n') {
            let next = at + line.len();
            if line.trim() == until {
                // The line end before the last line is none of the text.
                let span = Span::new(after.min(at), at);
                let inner = self.source.text[span.range()].trim_end_matches(['\n', '\r']).len();
                let span = Span::new(after, after + inner);
                let leaf = self.tree.push(node, Kind::Text, BODY, span);
                self.tree.set_value(leaf, Text::Borrowed(span));
                self.tree.set_end(node, at + line.trim_end().len());
                return Ok(next);
            }
            at = next;
        }
        Err(self.scan.wrong(whole, StatementFact::BodyOpen { until: until.to_owned() }))
    }
}
