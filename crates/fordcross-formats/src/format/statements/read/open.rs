//! What statements open: blocks of statements, and blocks of text.

use super::{
    BODY, Block, BlockId, Closes, Delimiters, Ended, Finding, Kind, MAX_DEPTH, NodeId, Reader, Scanned, Span,
    StatementFact, Text, Word,
};
use crate::text::shape::{Part as NamePart, Shape};

impl<'a> Reader<'_, 'a> {
    /// Opens the block of a statement; says where what is in it, or behind it, begins.
    pub(super) fn open(
        &mut self,
        node: NodeId,
        id: BlockId,
        read: &Scanned<'a>,
        whole: Span,
        indent: usize,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let block = self.grammar.block(id);
        let closes = match &block.delimiters {
            Delimiters::None => return Ok(read.after),
            Delimiters::Signs { close, behind, .. } => Closes::Sign(*close, behind.clone()),
            Delimiters::Words { open, close } => Closes::Word(closing_word(open.as_ref(), close, read)),
            Delimiters::Indent => Closes::Indent,
            Delimiters::NextSection => Closes::NextSection,
        };
        if let Delimiters::Words { open: Some(open), .. } = &block.delimiters
            && let Some(word) = read.words.last()
        {
            self.opened_by(node, open, word);
        }
        if block.holds_text {
            return self.body(node, &closes, whole, read, end);
        }
        self.push(Block { node, id: Some(id), closes, indent, open: whole })?;
        Ok(read.after)
    }

    /// What the word that opens a block captures is a setting of the block.
    fn opened_by(&mut self, node: NodeId, open: &Shape, word: &Word<'a>) {
        let Some(found) = open.read(&word.text, &mut |_, _| true) else { return };
        for (name, range) in open.captures().zip(found) {
            let leaf = self.tree.push(node, Kind::Text, name, word.span);
            self.tree.set_value(leaf, Text::Decoded(&word.text[range.unwrap_or_default()]));
        }
    }

    /// Opens a block of which nothing is known.
    pub(super) fn open_unknown(
        &mut self,
        node: NodeId,
        sign: char,
        open: Span,
        indent: usize,
    ) -> Result<(), Box<Finding>> {
        let close = self.grammar.closed_by(sign).unwrap_or(sign);
        self.push(Block { node, id: None, closes: Closes::Sign(close, String::new()), indent, open })
    }

    fn push(&mut self, block: Block) -> Result<(), Box<Finding>> {
        if self.blocks.len() > MAX_DEPTH {
            return Err(self.scan.wrong(block.open, StatementFact::TooDeep { most: MAX_DEPTH }));
        }
        self.blocks.push(block);
        Ok(())
    }

    /// Where a statement is with the block that it opens, and where what is behind it begins.
    pub(super) fn whole_block(
        &self,
        sign: char,
        head: Span,
        after: usize,
        end: usize,
    ) -> Result<(Span, usize), Box<Finding>> {
        let text = &self.source.text[..end];
        let close = self.grammar.closed_by(sign).unwrap_or(sign);
        let Some(length) = self.grammar.balanced(&text[after..], (sign, close)) else {
            return Err(self.scan.wrong(head, StatementFact::BlockOpen));
        };
        let mut last = after + length + close.len_utf8();
        // What may be behind such a block belongs to it.
        let behind = self.grammar.blocks.iter().filter_map(|block| match &block.delimiters {
            Delimiters::Signs { open, behind, .. } if *open == sign && !behind.is_empty() => {
                Some(behind.as_str())
            }
            _ => None,
        });
        last += behind.filter(|behind| text[last..].starts_with(behind)).map(str::len).max().unwrap_or(0);
        Ok((Span::new(head.start as usize, last), last))
    }

    /// Where a statement is with the block that it opens and, where lines end statements, with what is behind that on its
    /// line; and where what is behind it begins.
    pub(super) fn whole_line(
        &self,
        mut sign: char,
        head: Span,
        mut after: usize,
        end: usize,
    ) -> Result<(Span, usize), Box<Finding>> {
        let text = &self.source.text[..end];
        loop {
            let (span, last) = self.whole_block(sign, head, after, end)?;
            let next = text.len() - text[last..].trim_start_matches([' ', '\t']).len();
            let ends = |c: char| {
                matches!(c, '\n' | '\r') || self.grammar.is_closing(c) || self.grammar.end.sign == Some(c)
            };
            let is_end = text[next..].chars().next().is_none_or(ends);
            // Where no block ends without a sign behind it, the statement goes on.
            let goes_on = self.grammar.end.line || self.grammar.ends_blocks() && !self.is_ended(span);
            if !goes_on || is_end || self.grammar.comment_at(text, next).is_some() {
                return Ok((span, last));
            }
            let more = self.scan.words(next, end, &[])?;
            match more.how {
                Ended::Opened(opened) => (sign, after) = (opened, more.after),
                _ => {
                    let last = more.words.last().map_or(last, |word| word.span.end as usize);
                    return Ok((Span::new(head.start as usize, last), more.after));
                }
            }
        }
    }

    /// Whether what may be behind a block is at the end of a statement.
    fn is_ended(&self, whole: Span) -> bool {
        let text = &self.source.text[whole.range()];
        self.grammar.blocks.iter().any(|block| match &block.delimiters {
            Delimiters::Signs { behind, .. } => !behind.is_empty() && text.ends_with(behind.as_str()),
            _ => false,
        })
    }

    /// The text of a block, as one value.
    fn body(
        &mut self,
        node: NodeId,
        closes: &Closes,
        whole: Span,
        read: &Scanned<'a>,
        end: usize,
    ) -> Result<usize, Box<Finding>> {
        let text = &self.source.text[..end];
        let (span, after) = match (closes, read.how) {
            (Closes::Sign(close, behind), Ended::Opened(open)) => {
                let Some(length) = self.grammar.balanced(&text[read.after..], (open, *close)) else {
                    return Err(self.scan.wrong(whole, StatementFact::BlockOpen));
                };
                let closed = read.after + length;
                let mut after = closed + close.len_utf8();
                if !behind.is_empty() {
                    let rest = text[after..].trim_start();
                    if !rest.starts_with(behind.as_str()) {
                        let sign = Span::new(closed, after);
                        let fact = StatementFact::BehindMissing { sign: behind.clone() };
                        return Err(self.scan.wrong(sign, fact));
                    }
                    after = text.len() - rest.len() + behind.len();
                }
                (Span::new(read.after, closed), after)
            }
            (Closes::Word(close), _) => self.lines_until(close, whole, read, text)?,
            _ => return Ok(read.after),
        };
        let leaf = self.tree.push(node, Kind::Text, BODY, span);
        self.tree.set_value(leaf, Text::Borrowed(span));
        self.tree.set_end(node, text[..after].trim_end().len());
        Ok(after)
    }

    /// The lines up to the one that is the word.
    fn lines_until(
        &self,
        close: &str,
        whole: Span,
        read: &Scanned<'a>,
        text: &str,
    ) -> Result<(Span, usize), Box<Finding>> {
        let start = match read.how {
            Ended::OpenedByWord(_) => {
                text[read.after..].find('\n').map_or(text.len(), |at| read.after + at + 1)
            }
            _ => read.after,
        };
        let mut at = start;
        for line in text[start..].split_inclusive('\n') {
            if line.trim() == close {
                return Ok((Span::new(start, at), at + line.len()));
            }
            at += line.len();
        }
        Err(self.scan.wrong(whole, StatementFact::BodyOpen { until: close.to_owned() }))
    }
}

/// The word that closes a block: what the opening word captured may be in it.
fn closing_word(open: Option<&Shape>, close: &Shape, read: &Scanned<'_>) -> String {
    let word: &str = read.words.last().map_or("", |word: &Word<'_>| word.text.as_ref());
    let captured = open.and_then(|open| Some((open, open.read(word, &mut |_, _| true)?)));
    let text_of = |name: &str| {
        let (open, found) = captured.as_ref()?;
        let slot = open.captures().position(|known| known == name)?;
        found[slot].clone().map(|range| &word[range])
    };
    let piece = |part: &NamePart| match part {
        NamePart::Literal(text) => text.clone(),
        NamePart::Capture(capture) => text_of(&capture.name).unwrap_or_default().to_owned(),
        NamePart::Any | NamePart::Choice { .. } => String::new(),
    };
    close.parts.iter().map(piece).collect()
}
