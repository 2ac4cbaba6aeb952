//! Blocks of statements and of text, as they are written.

use super::{BODY, BlockId, Delimiters, Kind, NamePart, NodeId, Shape, Statement, WORDS, Writer};

impl Writer<'_, '_> {
    /// Appends what opens a block, all that is in it, and what closes it; the head of the statement is written.
    pub(super) fn block(&mut self, statement: &Statement, id: BlockId, node: NodeId, depth: usize) {
        let block = self.grammar.block(id);
        match &block.delimiters {
            Delimiters::Signs { open, .. } => {
                self.out.push(b' ');
                self.out.extend_from_slice(open.to_string().as_bytes());
            }
            Delimiters::Words { open: Some(open), .. } => {
                self.out.push(b' ');
                let word = self.filled(open, node);
                self.out.extend_from_slice(word.as_bytes());
            }
            Delimiters::None => self.end_sign(),
            _ => {}
        }
        let closing = self.closing(id, node);
        if block.holds_text {
            let is_line = matches!(block.delimiters, Delimiters::Words { .. });
            if is_line {
                self.end_line();
            }
            let body = self.tree.child(node, BODY).map_or("", |body| self.tree.value(body));
            self.out.extend_from_slice(body.as_bytes());
            if is_line && !body.is_empty() && !body.ends_with('\n') {
                self.out.push(b'\n');
            }
            self.out.extend_from_slice(closing.unwrap_or_default().as_bytes());
            return if is_line { self.out.push(b'\n') } else { self.end_line() };
        }
        self.end_line();
        let said: Vec<NodeId> =
            self.tree.children(node).filter(|&child| self.is_said(statement, child)).collect();
        self.all_in(node, Some(id), depth + 1, &said);
        self.close(closing, depth);
    }

    /// The block of a statement that no shape fits.
    pub(super) fn unknown_block(&mut self, node: NodeId, depth: usize) {
        let signs = self.grammar.signs().next();
        if let Some((open, _)) = signs {
            self.out.push(b' ');
            self.out.extend_from_slice(open.to_string().as_bytes());
        }
        self.end_line();
        let said: Vec<NodeId> =
            self.tree.children(node).filter(|&child| self.tree.name(child) == WORDS).collect();
        self.all_in(node, None, depth + 1, &said);
        self.close(signs.map(|(_, close)| close.to_string()), depth);
    }

    fn close(&mut self, closing: Option<String>, depth: usize) {
        if let Some(closing) = closing {
            self.indent(depth);
            self.out.extend_from_slice(closing.as_bytes());
            self.out.push(b'\n');
        }
    }

    /// What closes the block of an object.
    pub(super) fn closing(&self, id: BlockId, node: NodeId) -> Option<String> {
        match &self.grammar.block(id).delimiters {
            Delimiters::Signs { close, behind, .. } => Some(format!("{close}{behind}")),
            Delimiters::Words { close, .. } => Some(self.filled(close, node)),
            Delimiters::None | Delimiters::Indent | Delimiters::NextSection => None,
        }
    }

    /// Whether a value of a block is said by its own statement.
    fn is_said(&self, statement: &Statement, child: NodeId) -> bool {
        let name = self.tree.name(child);
        let in_head = statement.shape.has(name) && !statement.has_in_path(name);
        (in_head || self.is_of_opener(statement, name)) && self.tree.kind(child) != Kind::Comment
    }

    /// Whether the word that opens the block of a statement captures that.
    pub(super) fn is_of_opener(&self, statement: &Statement, name: &str) -> bool {
        match statement.block.map(|block| &self.grammar.block(block).delimiters) {
            Some(Delimiters::Words { open: Some(open), .. }) => open.captures().any(|known| known == name),
            _ => false,
        }
    }

    /// What tells apart how statements open their blocks.
    pub(super) fn opener(&self, statement: &Statement) -> Option<&Delimiters> {
        statement.block.map(|block| &self.grammar.block(block).delimiters).filter(|delimiters| {
            matches!(delimiters, Delimiters::Signs { .. } | Delimiters::Words { open: Some(_), .. })
        })
    }

    /// A delimiter with what an object has for its captures; where it has nothing, `END`.
    fn filled(&self, shape: &Shape, node: NodeId) -> String {
        let mut word = String::new();
        for part in &shape.parts {
            match part {
                NamePart::Literal(text) => word.push_str(text),
                NamePart::Capture(capture) => {
                    let leaf = self.tree.child(node, &capture.name);
                    word.push_str(leaf.map_or("END", |leaf| self.tree.value(leaf)));
                }
                NamePart::Any | NamePart::Choice { .. } => {}
            }
        }
        word
    }
}
