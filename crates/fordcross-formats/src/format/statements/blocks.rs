//! Blocks: how each opens and closes, what it holds, and which statements are in it.

use super::{Grammar, Statement};
use crate::text::shape::Shape;

/// A block, by its place in the grammar.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct BlockId(pub(super) usize);

/// A statement, by its place in the grammar.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) struct StatementId(pub(super) usize);

/// A named block.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Block {
    pub(super) name: String,
    pub(super) delimiters: Delimiters,
    /// It holds text, which is taken whole, and no statements.
    pub(super) holds_text: bool,
    pub(super) statements: Vec<Item>,
    pub(super) unknown: Unknown,
}

/// What stands in the list of statements of a block.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Item {
    One(StatementId),
    /// All of another block, at this place.
    All(BlockId),
    /// Those of the block around.
    Around,
}

/// How a block opens and closes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Delimiters {
    /// It does not: the top, and what is only there to be taken over.
    None,
    /// A sign opens it, another one closes it, and that may be behind it: `{`, `};`.
    Signs { open: char, close: char, behind: String },
    /// A word opens it, if there is one, and a line that is the other closes it.
    Words { open: Option<Shape>, close: Shape },
    /// What is further in than the statement that opens it.
    Indent,
    /// All up to the next statement of the block around.
    NextSection,
}

/// What becomes of a statement that no shape fits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum Unknown {
    /// It is kept as the text that it is.
    #[default]
    Keep,
    /// Its first word is a name, the rest the value.
    Setting,
    /// The file is refused.
    Refuse,
}

impl Unknown {
    pub(super) const ALL: [(&'static str, Self); 3] =
        [("keep", Self::Keep), ("setting", Self::Setting), ("refuse", Self::Refuse)];
}

/// Where a file begins.
pub(super) const TOP: BlockId = BlockId(0);

impl Block {
    pub(super) fn top() -> Self {
        Self {
            name: "top".into(),
            delimiters: Delimiters::None,
            holds_text: false,
            statements: Vec::new(),
            unknown: Unknown::Keep,
        }
    }
}

impl Grammar {
    pub(super) fn block(&self, id: BlockId) -> &Block {
        &self.blocks[id.0]
    }

    pub(super) fn statement(&self, id: StatementId) -> &Statement {
        &self.statements[id.0]
    }

    /// The first statement of a block that is wanted, in the order of the profile; those that it takes over are where they
    /// stand, and each block is asked once. `around` is asked where those of the block around stand; where nothing says where,
    /// it is asked first.
    pub(super) fn find<T>(
        &self,
        block: BlockId,
        around: &mut dyn FnMut() -> Option<T>,
        wanted: &mut dyn FnMut(StatementId) -> Option<T>,
    ) -> Option<T> {
        let is_section = self.block(block).delimiters == Delimiters::NextSection;
        let says_where = self.block(block).statements.contains(&Item::Around);
        if is_section && !says_where {
            return around().or_else(|| self.find_in(block, &mut Vec::new(), around, wanted));
        }
        self.find_in(block, &mut Vec::new(), around, wanted)
    }

    fn find_in<T>(
        &self,
        block: BlockId,
        seen: &mut Vec<BlockId>,
        around: &mut dyn FnMut() -> Option<T>,
        wanted: &mut dyn FnMut(StatementId) -> Option<T>,
    ) -> Option<T> {
        if seen.contains(&block) {
            return None;
        }
        seen.push(block);
        self.block(block).statements.iter().find_map(|item| match item {
            Item::One(statement) => wanted(*statement),
            Item::All(other) => self.find_in(*other, seen, around, wanted),
            Item::Around => around(),
        })
    }

    /// The statements of a block, those that it takes over where they stand.
    pub(super) fn statements_of(&self, block: BlockId) -> Vec<StatementId> {
        let mut found = Vec::new();
        self.find::<()>(block, &mut || None, &mut |statement| {
            found.push(statement);
            None
        });
        found
    }

    /// The signs that open and close blocks. They separate words.
    pub(super) fn signs(&self) -> impl Iterator<Item = (char, char)> + '_ {
        self.blocks.iter().filter_map(|block| match block.delimiters {
            Delimiters::Signs { open, close, .. } => Some((open, close)),
            _ => None,
        })
    }

    /// The sign that closes what a sign opens.
    pub(super) fn closed_by(&self, sign: char) -> Option<char> {
        self.signs().find(|(open, _)| *open == sign).map(|(_, close)| close)
    }

    pub(super) fn is_closing(&self, sign: char) -> bool {
        self.signs().any(|(_, close)| close == sign)
    }

    /// How long a text is up to the sign that closes what is open in it, without that: signs in quotes and comments do not
    /// count. `None` where it is not closed.
    pub(super) fn balanced(&self, text: &str, (open, close): (char, char)) -> Option<usize> {
        let mut depth = 1_usize;
        let mut at = 0;
        while let Some(c) = text[at..].chars().next() {
            if let Some(length) = self.comment_at(text, at) {
                at += length.max(1);
                continue;
            }
            if let Some((_, Some(length))) = self.expansion_in(&text[at..]) {
                at += length;
                continue;
            }
            if self.quotes.contains(&c) {
                at += self.quoted_length(&text[at..], c);
                continue;
            }
            if c == close {
                depth -= 1;
                if depth == 0 {
                    return Some(at);
                }
            } else if c == open {
                depth += 1;
            }
            at += c.len_utf8();
        }
        None
    }

    /// How long a text in quotes is, with them; the quote alone if it is not closed on its line.
    pub(super) fn quoted_length(&self, text: &str, quote: char) -> usize {
        let mut chars = text.char_indices().skip(1);
        while let Some((at, c)) = chars.next() {
            match c {
                '\\' if self.escape.slashes() => {
                    chars.next();
                }
                '\n' if self.end.line => break,
                c if c == quote => return at + c.len_utf8(),
                _ => {}
            }
        }
        quote.len_utf8()
    }
}

impl Grammar {
    /// Whether that word opens some block.
    pub(super) fn is_opener(&self, word: &str) -> bool {
        self.blocks.iter().any(|block| match &block.delimiters {
            Delimiters::Words { open: Some(open), .. } => open.read(word, &mut |_, _| true).is_some(),
            _ => false,
        })
    }

    /// Whether all blocks between signs have something behind them.
    pub(super) fn ends_blocks(&self) -> bool {
        let mut behind = self.blocks.iter().filter_map(|block| match &block.delimiters {
            Delimiters::Signs { behind, .. } => Some(!behind.is_empty()),
            _ => None,
        });
        behind.next().is_some_and(|first| first && behind.all(|has| has))
    }

    /// Whether a word opens some block.
    pub(super) fn opens_by_word(&self) -> bool {
        let by_word = |block: &Block| matches!(&block.delimiters, Delimiters::Words { open: Some(_), .. });
        self.blocks.iter().any(by_word)
    }
}
