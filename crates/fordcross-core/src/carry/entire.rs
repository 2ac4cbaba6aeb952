//! Objects that are carried whole or not at all: a rule of access without its address lets in others than it did.

use super::apply::Apply;
use crate::fate::Fate;
use crate::finding::Code;
use crate::ledger::DecidedBy;
use crate::profile::What;
use crate::reading::RowKind;

impl Apply<'_, '_, '_> {
    /// Takes out of the new tree what lost a part on the way and must not stand there without it.
    pub(super) fn withhold_incomplete(&mut self) {
        let schema = &self.step.old().schema;
        let is_entire = |what: &What| matches!(what, What::Object { signs, .. } if signs.entire);
        if !schema.entries.iter().any(|entry| is_entire(&entry.what)) {
            return;
        }
        for index in 0..self.reading.rows.len() {
            let row = self.reading.rows[index];
            let entry = self.automaton.accepted(row.accept).entry;
            let entire = entry.is_some_and(|entry| is_entire(&schema.entries[usize::from(entry)].what));
            if row.kind != RowKind::Object || !entire {
                continue;
            }
            let below = self.reading.rows_below(row.node, self.tree);
            let is_lost = |at: usize| {
                let decision = self.decided[at].as_ref();
                decision.is_some_and(|decision| matches!(decision.fate, Fate::ByHand | Fate::Unmatched))
            };
            // What is out as a whole already needs no more to be said.
            if !below.clone().any(is_lost) || below.clone().all(is_lost) {
                continue;
            }
            if let Some(node) = self.first_landing(index).filter(|&node| node != self.draft.root()) {
                self.draft.withdraw(node);
                let tree = &self.draft.tree;
                self.origins.retain(|origin| !tree.is_within(origin.node, node));
                self.implied.retain(|origin| !tree.is_within(origin.node, node));
            }
            for at in below {
                if self.decided[at].as_ref().is_none_or(|decision| decision.fate != Fate::Unmatched) {
                    self.decided[at] = None;
                    self.set(at as u32, Fate::ByHand, DecidedBy::Incomplete, &[]);
                }
            }
            let what = "it is left out as a whole: a part of it cannot be carried, and without that it would be another";
            self.note(
                Some(index as u32),
                None,
                Code::ByHand,
                what,
                Some("set it on the new unit by hand, whole"),
            );
        }
    }
}
