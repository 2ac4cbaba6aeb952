//! What is wrong with a grammar as a whole: what nothing leads to, and what is never reached.

use super::blocks::{Block, BlockId, Delimiters, Item, StatementId, TOP};
use super::facts::GrammarFact;
use super::shape::Part;
use super::{Grammar, Statement};
use crate::declaration::Report;
use crate::text::source::Span;

/// Where each statement and block stands, for what is found later.
pub(super) struct Places {
    pub(super) statements: Vec<Span>,
    pub(super) blocks: Vec<Span>,
    /// Whose delimiters were said wrongly, which was reported.
    pub(super) misread: Vec<BlockId>,
}

pub(super) fn check(report: &Report<'_>, grammar: &Grammar, places: &Places) {
    let ids = (0..grammar.blocks.len()).map(BlockId);
    for id in ids.clone() {
        let block = grammar.block(id);
        if id == TOP {
            if block.delimiters != Delimiters::None {
                report.add(places.blocks[id.0], GrammarFact::TopDelimited);
            }
            continue;
        }
        let is_opened = grammar.statements.iter().any(|statement| statement.block == Some(id));
        let takes_over = |other: &Block| other.statements.contains(&Item::All(id));
        let is_taken = grammar.blocks.iter().any(takes_over);
        if !is_opened && !is_taken {
            report.add(places.blocks[id.0], GrammarFact::BlockNeverOpened { name: block.name.clone() });
        }
        if is_opened && block.delimiters == Delimiters::None && !places.misread.contains(&id) {
            report.add(places.blocks[id.0], GrammarFact::BlockUndelimited { name: block.name.clone() });
        }
    }
    for id in ids.filter(|&id| !grammar.block(id).holds_text) {
        let statements = grammar.statements_of(id);
        for (index, &statement) in statements.iter().enumerate() {
            let hides = |&&earlier: &&StatementId| {
                hides(grammar, grammar.statement(earlier), grammar.statement(statement))
            };
            if let Some(&earlier) = statements[..index].iter().find(hides) {
                let line = report.line_of(places.statements[earlier.0]);
                report.add(places.statements[statement.0], GrammarFact::ShapeHidden { line });
            }
        }
    }
}

/// Whether whatever fits a statement fits an earlier one, as far as that can be seen from their shapes.
fn hides(grammar: &Grammar, earlier: &Statement, later: &Statement) -> bool {
    // One that opens a block by a sign or word fits only where that is.
    let opens = |statement: &Statement| {
        statement.block.map(|block| &grammar.block(block).delimiters).filter(|delimiters| {
            matches!(delimiters, Delimiters::Signs { .. } | Delimiters::Words { open: Some(_), .. })
        })
    };
    let alike = match (opens(earlier), opens(later)) {
        (None, None) => true,
        (Some(Delimiters::Signs { open, .. }), Some(Delimiters::Signs { open: other, .. })) => open == other,
        (one, other) => one.is_some() && one == other,
    };
    alike && earlier.pairs.is_empty() && covers(&earlier.shape.parts, &later.shape.parts)
}

fn covers(ours: &[Part], theirs: &[Part]) -> bool {
    let (Some((our, our_rest)), Some((their, their_rest))) = (ours.split_first(), theirs.split_first())
    else {
        return ours.is_empty() && theirs.is_empty();
    };
    match (our, their) {
        (Part::Rest(_), their) => !matches!(their, Part::Optional(_) | Part::Repeated(_) | Part::Glue),
        (Part::Word(our), Part::Word(their)) => our == their && covers(our_rest, their_rest),
        (Part::Capture(_, words), Part::Word(word)) => {
            (words.is_empty()
                || word.as_literal().is_some_and(|word| words.iter().any(|own| own.fits(&word))))
                && covers(our_rest, their_rest)
        }
        (Part::Capture(_, ours), Part::Capture(_, theirs)) => {
            let fits = |word: &crate::notation::Word| {
                word.as_literal().is_some_and(|word| ours.iter().any(|own| own.fits(&word)))
            };
            (ours.is_empty() || !theirs.is_empty() && theirs.iter().all(fits)) && covers(our_rest, their_rest)
        }
        (Part::Glue, Part::Glue) => covers(our_rest, their_rest),
        (one, other) => one == other && covers(our_rest, their_rest),
    }
}
