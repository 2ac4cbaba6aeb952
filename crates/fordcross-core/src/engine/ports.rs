//! Objects of which nothing is left once a port was left.

use super::outcome::Engine;
use crate::ids::RowId;
use crate::ledger::DecidedBy;
use crate::ledger::fate::Fate;
use crate::scan::inventory::RowKind;

impl Engine<'_, '_, '_> {
    /// An object whose settings all went with a port is not there either.
    pub(super) fn leave_out_with_ports(&mut self) {
        if self.program.excluded.is_empty() {
            return;
        }
        for index in RowId::all(self.program.reading.rows.len()) {
            let row = self.program.row(index);
            if row.kind != RowKind::Object || self.program.excluded.of_row_in_object(&row).is_some() {
                continue;
            }
            let below = self.program.reading.rows_below(row.node, self.program.tree);
            let settings = below.clone().filter(|&at| self.program.row(at).kind == RowKind::Setting);
            let mut port = None;
            let all_left = settings.clone().all(|at| {
                match self.decided[at.index()].as_ref().map(|decision| decision.by) {
                    Some(DecidedBy::Map(number)) => {
                        port.get_or_insert(number);
                        true
                    }
                    _ => false,
                }
            });
            let (true, Some(port)) = (all_left, port) else { continue };
            let landing = self.first_landing(index);
            let empty = |node| self.draft.tree.first_child(node).is_none() && node != self.draft.root();
            if let Some(node) = landing.filter(|&node| empty(node)) {
                self.draft.withdraw(node);
            }
            // The object itself is the first of them.
            let first = below.clone().nth(1).unwrap_or(index);
            let fate = self.decided[first.index()].as_ref().map_or(Fate::LeftOut, |d| d.fate);
            self.decided[index.index()] = None;
            self.set(index, fate, DecidedBy::Map(port), &[]);
        }
    }
}
