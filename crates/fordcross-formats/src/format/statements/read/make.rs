//! What statements make: branches and values, captures, pairs, lists.

use super::{
    Cow, Ended, Finding, Half, Kind, NodeId, Part, Range, Reader, Scanned, Span, Statement, StatementId,
    Taken, Text, UNKNOWN, Unknown, VALUE, WORDS, Word, WordKind, whole_of, words_span,
};
use crate::format::statements::facts::StatementFact;
use crate::format::statements::pairs::Pairs;
use crate::text::shape::{Part as NamePart, Shape};
use crate::tree::AsRead;

impl<'a> Reader<'_, 'a> {
    /// Makes what a statement stands for; says where the next one begins.
    pub(super) fn make(
        &mut self,
        read: &Scanned<'a>,
        whole: Span,
        indent: usize,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let grammar = self.grammar;
        let found = self.find(&read.words, read.how).map(|(level, id, taken)| (level, id, own(&taken)));
        // What is before a block may hold what else ends a statement, unless that is a statement of its own.
        let is_whole = found.as_ref().is_some_and(|(_, id, _)| grammar.statement(*id).begins_with_word());
        if !is_whole && let Some((longer, found)) = self.head(read, end)? {
            let (level, id) = (found.0, found.1);
            let taken = own(&found.2);
            let whole = whole_of(&longer.words);
            return self.make_by(level, id, &taken, &longer, whole, indent, end);
        }
        if !grammar.end.line && matches!(read.how, Ended::Line | Ended::Closed(_)) {
            let end = grammar.end.sign.unwrap_or(';');
            return Err(self.scan.wrong(whole, StatementFact::Unended { end }));
        }
        match found {
            Some((level, id, taken)) => self.make_by(level, id, &taken, read, whole, indent, end),
            None => self.make_unknown(read, whole, indent, end),
        }
    }

    /// The words up to where a block opens, over what ends statements elsewhere, if a statement takes them all.
    fn head(
        &self,
        read: &Scanned<'a>,
        end: usize,
    ) -> Result<Option<(Scanned<'a>, super::Found<'_>)>, Box<Finding>> {
        let grammar = self.grammar;
        if read.how != Ended::Sign
            || !grammar.statements.iter().any(|known| known.is_head() && known.block.is_some())
        {
            return Ok(None);
        }
        let mut longer = Scanned { words: read.words.clone(), comments: read.comments.clone(), ..*read };
        while longer.how == Ended::Sign {
            let more = self.scan.words(longer.after, end, &[])?;
            // A line end between them ends nothing here.
            if more.words.is_empty()
                && more.how == Ended::Line
                && more.after > longer.after
                && more.after < end
            {
                longer.after = more.after;
                continue;
            }
            longer.words.extend(more.words);
            longer.comments.extend(more.comments);
            (longer.after, longer.how) = (more.after, more.how);
        }
        let Ended::Opened(sign) = longer.how else { return Ok(None) };
        // What ends statements elsewhere may be the last before it.
        let last = longer.words.last().map_or(longer.after, |word| word.span.end as usize);
        let between = &self.source.text[last..longer.after - sign.len_utf8()];
        if !between.trim().is_empty() {
            let start = last + between.len() - between.trim_start().len();
            let span = Span::new(start, start + between.trim().len());
            let text = Cow::Borrowed(&self.source.text[span.range()]);
            longer.words.push(Word { span, text, kind: WordKind::Plain });
        }
        let found = self.find(&longer.words, longer.how);
        Ok(found.filter(|(_, id, _)| grammar.statement(*id).is_head()).map(|found| (longer, found)))
    }

    #[expect(clippy::too_many_arguments, reason = "what was read and where")]
    fn make_by(
        &mut self,
        level: usize,
        id: StatementId,
        taken: &[(Part, Range<usize>)],
        read: &Scanned<'a>,
        whole: Span,
        indent: usize,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let grammar = self.grammar;
        let words = read.words.as_slice();
        let statement = grammar.statement(id);
        if let Some(trace) = self.source.trace {
            trace.note(whole, Some(&statement.text));
        }
        // What is in words that are taken as they are is part of them.
        let as_they_are = |comment: &&Span| {
            taken.iter().any(|(part, range)| {
                let is_raw = matches!(part, Part::Rest(_)) && !range.is_empty();
                is_raw && words_span(words, range).range().contains(&(comment.start as usize))
            })
        };
        self.comments.extend(read.comments.iter().filter(|comment| !as_they_are(comment)));
        if level + 1 < self.blocks.len() {
            // Comments before it are said of it.
            let first = self.comments.first().map_or(whole.start, |comment| comment.start);
            self.end_blocks(level + 1, first as usize);
        }
        let text_of = |name: &str| {
            taken.iter().find_map(|(part, range)| match part {
                Part::Capture(known, _) | Part::Rest(known) if known == name => Some(range.clone()),
                _ => None,
            })
        };
        // The files that are in its place: it is then structure, and no setting.
        let files = statement.includes.as_ref().map(|includes| -> Result<_, Box<Finding>> {
            let range = text_of(&includes.of);
            let said = range.map(|range| words[range.start].text.as_ref()).unwrap_or_default();
            // Where quotes matter, those around a path are no part of it.
            let pattern = grammar.bare(said).to_owned();
            let files = (self.included)(&pattern, whole, includes)?;
            Ok((pattern, files))
        });
        let files = files.transpose()?.filter(|(_, files)| !files.is_empty());
        let mut node = self.innermost().node;
        if let Some((pattern, files)) = files {
            self.add_comments(node);
            let name = statement.path.last().map_or_else(String::new, Shape::to_string);
            let included = self.tree.push(node, Kind::Instruction, &name, whole);
            self.tree.set_value(included, Text::Decoded(&pattern));
            self.include(&files, whole)?;
            return Ok(read.after);
        }
        for (index, step) in statement.path.iter().enumerate() {
            let word = |name: &str| text_of(name).map_or("", |range| words[range.start].text.as_ref());
            let name: String = step
                .parts
                .iter()
                .map(|part| match part {
                    NamePart::Literal(text) => text.as_str(),
                    NamePart::Capture(capture) => word(&capture.name),
                    NamePart::Any | NamePart::Choice { .. } => "",
                })
                .collect();
            let is_last = index + 1 == statement.path.len();
            if is_last || !self.made.contains_key(&(node, name.clone())) {
                self.add_comments(node);
            }
            if is_last && statement.makes_value() {
                let leaf = self.tree.push(node, Kind::Text, &name, whole);
                match (&statement.value, text_of(VALUE)) {
                    (Some(value), _) => self.tree.set_value(leaf, Text::Decoded(value)),
                    (None, Some(range)) => {
                        self.set_words(leaf, words, range, statement.shape.parts.last());
                        self.unquote(leaf, statement);
                    }
                    // What may be missing is then the empty text.
                    (None, None) => self.tree.set_value(leaf, Text::Decoded("")),
                }
                node = leaf;
            } else if is_last {
                node = self.tree.push(node, Kind::Map, &name, whole);
            } else {
                let key = (node, name);
                node = match self.made.get(&key) {
                    Some(&known) => {
                        self.tree.set_end(known, whole.end as usize);
                        known
                    }
                    None => {
                        let made = self.tree.push(node, Kind::Map, &key.1, whole);
                        self.made.insert(key, made);
                        made
                    }
                };
            }
        }
        self.tree.set_as_read(node, AsRead { rank: 0, statement: id.0 as u32 + 1 });
        if !statement.makes_value() {
            self.captures(node, words, taken, statement);
        }
        match statement.block {
            Some(block) => self.open(node, block, read, whole, indent, end),
            None => Ok(read.after),
        }
    }

    /// What a statement captured, as values of the branch that it makes.
    pub(super) fn captures(
        &mut self,
        node: NodeId,
        words: &[Word<'a>],
        taken: &[(Part, Range<usize>)],
        statement: &Statement,
    ) {
        let mut key: Option<String> = None;
        for (part, range) in taken {
            match part {
                Part::Word(_) | Part::Glue | Part::Choice(_) | Part::Optional(_) | Part::Repeated(_) => {}
                Part::Capture(name, _) | Part::Rest(name) => {
                    if let Some(pairs) = statement.pairs_of(name) {
                        self.pairs_inside(node, &words[range.start], pairs);
                    } else if !statement.has_in_path(name) {
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
    pub(super) fn pairs_inside(&mut self, node: NodeId, word: &Word<'a>, pairs: &Pairs) {
        // In the backup itself they have places of their own, unless something in them is escaped.
        let start = match &word.text {
            Cow::Borrowed(_) => Some(word.span.start as usize),
            Cow::Owned(text) => {
                let at = word.span.start as usize + 1;
                (self.source.text.get(at..at + text.len()) == Some(text)).then_some(at)
            }
        };
        for (key, value) in pairs.of(&word.text) {
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
        if word.kind == WordKind::Quoted && !self.grammar.quotes_matter {
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

    /// A statement that no shape fits: what becomes of it is said by its block.
    fn make_unknown(
        &mut self,
        read: &Scanned<'a>,
        whole: Span,
        indent: usize,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let grammar = self.grammar;
        if let Some(trace) = self.source.trace {
            trace.note(whole, None);
        }
        let unknown = self.innermost().id.map_or(Unknown::Setting, |id| grammar.block(id).unknown);
        let holder = self.innermost().node;
        if unknown == Unknown::Refuse {
            return Err(self.scan.wrong(whole, StatementFact::Unknown));
        }
        self.add_comments(holder);
        let words = read.words.as_slice();
        if unknown == Unknown::Keep {
            let (span, after) = match read.how {
                Ended::Opened(sign) => self.whole_line(sign, whole, read.after, end)?,
                _ => (whole, read.after),
            };
            let leaf = self.tree.push(holder, Kind::Text, UNKNOWN, span);
            self.tree.set_value(leaf, Text::Borrowed(span));
            return Ok(after);
        }
        let name = words[0].text.to_string();
        let Ended::Opened(sign) = read.how else {
            let leaf = self.tree.push(holder, Kind::Text, &name, whole);
            if words.len() > 1 {
                self.set_words(leaf, words, 1..words.len(), Some(&Part::Rest(String::new())));
            } else {
                self.tree.set_value(leaf, Text::Decoded(""));
            }
            return Ok(read.after);
        };
        let branch = self.tree.push(holder, Kind::Map, &name, whole);
        if words.len() > 1 {
            let leaf = self.tree.push(branch, Kind::Text, WORDS, words_span(words, &(1..words.len())));
            self.set_words(leaf, words, 1..words.len(), Some(&Part::Rest(String::new())));
        }
        self.open_unknown(branch, sign, whole, indent)?;
        Ok(read.after)
    }
}

/// What was taken, without what it was taken from.
fn own(taken: &Taken<'_>) -> Vec<(Part, Range<usize>)> {
    taken.iter().map(|(part, range)| ((*part).clone(), range.clone())).collect()
}
