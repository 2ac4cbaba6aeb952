//! Accounting: what was decided, as rows of `ledger.jsonl`, each with its place, its type, its value and why.

mod fragments;
pub mod row;
mod write;

pub use write::{LedgerWriter, Untyped};

use crate::ids::RowId;
use crate::language::course::Leg;
use crate::ledger::Ledger;
use crate::mapping::Mapping;
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, RowKind};
use crate::tree::Tree;

/// Everything that goes into a ledger.
#[derive(Clone, Copy)]
pub(crate) struct LedgerInput<'l> {
    pub(crate) backup: &'l Backup<'l>,
    pub(crate) course: &'l [Leg],
    pub(crate) mapping: &'l Mapping,
    /// For each crossing of the course what it made, and the tree after it.
    pub(crate) steps: &'l [StepMade],
    pub(crate) trees: &'l [Tree<'l>],
    /// What became of the backup through all of them.
    pub(crate) ledger: &'l Ledger,
    /// Of the last tree.
    pub(crate) new_automaton: &'l Automaton,
    /// What everything was carried into.
    pub(crate) base: Option<(&'l Backup<'l>, &'l Inventory)>,
}

/// What one crossing made.
#[derive(Debug)]
pub(crate) struct StepMade {
    pub(crate) automaton: Automaton,
    pub(crate) reading: Inventory,
    pub(crate) ledger: Ledger,
}

/// The row that each node of a tree is: its setting, or else its object.
pub(crate) fn rows_by_node(reading: &Inventory, tree: &Tree<'_>) -> Vec<Option<RowId>> {
    let mut rows = vec![None; tree.len()];
    for (id, row) in reading.numbered() {
        let slot = &mut rows[row.node.index()];
        if slot.is_none() || row.kind == RowKind::Setting {
            *slot = Some(id);
        }
    }
    rows
}
