//! Following each setting through all crossings of a course.
//!
//! A row's landing in one tree is a row of the next. The fate of the whole way is the gravest on it,
//! and the rule that decided that is the row's rule.

use crate::account::{StepMade, rows_by_node};
use crate::ids::RowId;
use crate::ledger::fate::Fate;
use crate::ledger::{Decision, Landing, Ledger, Note, OriginRow, Wanted};
use crate::tree::{NodeId, Tree};

/// Puts the ledgers of all steps together. `mapped_at` is the step whose ports the map spoke of.
pub(super) fn follow(steps: &mut [StepMade], trees: &[Tree<'_>], mapped_at: usize) -> Ledger {
    if let [only] = steps {
        return std::mem::take(&mut only.ledger);
    }
    let rows_of: Vec<Vec<Option<RowId>>> =
        (1..steps.len()).map(|number| rows_by_node(&steps[number].reading, &trees[number - 1])).collect();
    let mut chain = Chain {
        steps,
        rows_of,
        sources: steps.iter().map(|step| vec![None; step.reading.rows.len()]).collect(),
    };
    let implied = chain.steps.last().map(|step| step.ledger.implied.clone()).unwrap_or_default();
    let mut whole =
        Ledger { implied, ports: chain.steps[mapped_at].ledger.ports.clone(), ..Ledger::default() };
    for row in RowId::all(chain.steps[0].reading.rows.len()) {
        let way = chain.way(0, row, Some(row));
        let from = whole.landings.len() as u32;
        whole.landings.extend(way.landings);
        let landings = (from, whole.landings.len() as u32);
        whole.decisions.push(Decision { fate: way.fate, landings, ..way.decision });
    }
    for number in 0..chain.steps.len() {
        for index in 0..chain.steps[number].ledger.origins.len() {
            let row = chain.steps[number].ledger.origins[index].clone();
            for node in chain.nodes_after(number, row.node) {
                whole.origins.push(OriginRow { node, ..row.clone() });
            }
        }
    }
    for number in 0..chain.steps.len() {
        for Wanted { node, path, row } in chain.steps[number].ledger.wanted.clone() {
            let Some(row) = chain.sources[number][row.index()] else { continue };
            for node in chain.nodes_after(number, node).into_iter().take(1) {
                whole.wanted.push(Wanted { node, path: path.clone(), row });
            }
        }
        let sources = &chain.sources[number];
        let both =
            |&(row, because): &(RowId, RowId)| Some((sources[row.index()]?, sources[because.index()]?));
        whole.because.extend(chain.steps[number].ledger.because.iter().filter_map(both));
    }
    whole.because.sort_unstable();
    whole.because.dedup_by_key(|(row, _)| *row);
    for (number, step) in chain.steps.iter().enumerate() {
        whole.work.extend(step.ledger.work.iter().cloned());
        for note in &step.ledger.notes {
            let row = note.row.and_then(|row| chain.sources[number][row.index()]);
            whole.notes.push(Note { row, ..note.clone() });
        }
    }
    whole.applied = steps.iter().flat_map(|step| step.ledger.applied.iter().copied()).collect();
    // Notes about the whole, or what a step added itself, have no row and come first.
    whole.notes.sort_by_key(|note| note.row);
    whole
}

struct Chain<'s> {
    steps: &'s [StepMade],
    /// For each step but the first, the row of each node of its old tree.
    rows_of: Vec<Vec<Option<RowId>>>,
    /// For each step and row, the row of the backup that is behind it.
    sources: Vec<Vec<Option<RowId>>>,
}

struct Way {
    fate: Fate,
    decision: Decision,
    landings: Vec<Landing>,
}

impl Chain<'_> {
    /// What becomes of a row from one step on.
    fn way(&mut self, number: usize, row: RowId, source: Option<RowId>) -> Way {
        let slot = &mut self.sources[number][row.index()];
        *slot = slot.or(source);
        let ledger = &self.steps[number].ledger;
        let decision = ledger.decisions[row.index()].clone();
        let (from, to) = decision.landings;
        let landings = &ledger.landings[from as usize..to as usize];
        if number + 1 == self.steps.len() {
            return Way { fate: decision.fate, landings: landings.to_vec(), decision };
        }
        let mut way = Way { fate: decision.fate, decision, landings: Vec::new() };
        for landing in landings {
            let Some(next) = self.rows_of[number][landing.node.index()] else { continue };
            let rest = self.way(number + 1, next, source);
            if rest.fate > way.fate {
                (way.fate, way.decision) = (rest.fate, rest.decision);
            }
            way.landings.extend(
                rest.landings
                    .iter()
                    .map(|last| Landing { node: last.node, fate: last.fate.max(landing.fate) }),
            );
        }
        way
    }

    /// Where a node that a step made itself is in the end.
    fn nodes_after(&mut self, number: usize, node: NodeId) -> Vec<NodeId> {
        if number + 1 == self.steps.len() {
            return vec![node];
        }
        match self.rows_of[number][node.index()] {
            Some(row) => {
                self.way(number + 1, row, None).landings.iter().map(|landing| landing.node).collect()
            }
            None => Vec::new(),
        }
    }
}
