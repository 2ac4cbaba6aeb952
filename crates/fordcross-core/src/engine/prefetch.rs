//! Prefetching: for a large backup, a second thread evaluates what plain rules make of many of its rows, while the
//! first one writes what they made of others. All that is written is written by the first, row by row, so that the
//! result is the same as without.

use super::matcher::Matcher;
use super::plain_rule::{Evaluated, Fits};
use super::program::Program;
use super::step::Threads;
use crate::ids::RowId;
use crate::scan::inventory::RowKind;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

/// A backup with fewer rows is done before a thread is of use.
const FROM_ROWS: usize = 4_096;
/// Rows that are handed over at a time.
const BLOCK: usize = 512;
/// Of so many blocks one is left to the first thread: to make what rules make of rows takes a little longer than
/// all that it does besides.
const ROUND: usize = 5;

/// What plain rules make of the rows of a block.
pub(super) struct Block {
    /// The index of the first row.
    first: usize,
    rows: Vec<EvaluatedRow>,
    made: Evaluated,
}

/// What was made of one row; none where it is left to the first thread.
type EvaluatedRow = Option<(Fits, u32, u32)>;

impl Block {
    /// What was made of a row.
    pub(super) fn of(&self, row: RowId) -> Option<(&Fits, (&Evaluated, std::ops::Range<usize>))> {
        let (fits, from, to) = self.rows.get(row.index().checked_sub(self.first)?)?.as_ref()?;
        Some((fits, (&self.made, *from as usize..*to as usize)))
    }
}

fn is_prefetched(block: usize) -> bool {
    !block.is_multiple_of(ROUND)
}

/// Hands `each` the block that each row is in, where its block was made ahead. One call for each row, in their order.
pub(super) fn with_prefetched_blocks(
    program: &Program<'_, '_, '_>,
    each: &mut dyn FnMut(RowId, Option<&Block>),
) {
    let rows = program.reading.rows.len();
    if rows < FROM_ROWS || program.step.threads == Threads::One {
        return RowId::all(rows).for_each(|row| each(row, None));
    }
    std::thread::scope(|scope| {
        let (hand_over, blocks) = sync_channel(2);
        scope.spawn(move || evaluate_blocks(program, &hand_over));
        take_blocks(rows, &blocks, each);
    });
}

fn take_blocks(rows: usize, blocks: &Receiver<Block>, each: &mut dyn FnMut(RowId, Option<&Block>)) {
    for first in (0..rows).step_by(BLOCK) {
        // If the other thread has ended, which it only does by a mistake of ours, it is heard of at the end.
        let block = if is_prefetched(first / BLOCK) { blocks.recv().ok() } else { None };
        RowId::range(first..rows.min(first + BLOCK)).for_each(|row| each(row, block.as_ref()));
    }
}

fn evaluate_blocks(program: &Program<'_, '_, '_>, hand_over: &SyncSender<Block>) {
    // What is not answered is said by the first thread.
    let (mut matcher, _) = Matcher::new(program);
    let rows = program.reading.rows.len();
    for first in (0..rows).step_by(BLOCK).filter(|first| is_prefetched(first / BLOCK)) {
        let mut block = Block { first, rows: Vec::with_capacity(BLOCK), made: Evaluated::default() };
        for row in RowId::range(first..rows.min(first + BLOCK)) {
            block.rows.push(evaluate_row(&mut matcher, row, &mut block.made));
        }
        if hand_over.send(block).is_err() {
            return;
        }
    }
}

/// What the first rule makes of a row, if it is a plain one that need not wait for others.
fn evaluate_row(matcher: &mut Matcher<'_, '_, '_>, index: RowId, made: &mut Evaluated) -> EvaluatedRow {
    let program = matcher.program;
    let row = program.row(index);
    let &(rule, _) = program.automaton.accepted(row.accept).clauses.first()?;
    let rule = program.plain[rule.index()].as_ref().filter(|rule| rule.can_be_prefetched())?;
    if row.kind != RowKind::Setting || program.excluded.of(index, &row).is_some() {
        return None;
    }
    matcher.cursor = index;
    let from = made.len() as u32;
    let fits = matcher.make(index, row, rule, made);
    Some((fits, from, made.len() as u32))
}
