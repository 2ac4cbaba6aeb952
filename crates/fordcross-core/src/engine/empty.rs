//! Branches that nothing arrived in.

use super::outcome::Engine;
use crate::ids::EntryId;
use crate::language::profile::{Lookup, PathStep};
use crate::ledger::Decision;
use crate::ledger::fate::Fate;
use crate::scan::inventory::{Row, RowKind};
use crate::tree::{Kind, NodeId};
use rustc_hash::FxHashSet;

impl Engine<'_, '_, '_> {
    /// Takes out branches that are no objects and hold nothing: they are made for what is in them, and mean nothing
    /// alone. Within a platform they were there before, and stay.
    pub(super) fn drop_empty_branches(&mut self) {
        if self.program.same_platform.is_some() {
            return;
        }
        let tree = &self.draft.tree;
        let stays = self.moved_while_empty();
        let mut gone: FxHashSet<NodeId> = FxHashSet::default();
        for node in
            tree.ids().filter(|&node| tree.kind(node) == Kind::Map && tree.first_child(node).is_none())
        {
            let mut at = node;
            while at != tree.root()
                && tree.kind(at) == Kind::Map
                && tree.children(at).all(|child| gone.contains(&child))
                && !tree.is_entry(at)
                && !stays.contains(&at)
                && !self.is_new_object(at)
            {
                gone.insert(at);
                at = tree.parent(at);
            }
        }
        if gone.is_empty() {
            return;
        }
        for Decision { landings: (from, to), fate, .. } in self.decided.iter_mut().flatten() {
            let landings = &mut self.landings[*from as usize..*to as usize];
            let mut kept = 0;
            for number in 0..landings.len() {
                if !gone.contains(&landings[number].node) {
                    landings[kept] = landings[number];
                    kept += 1;
                }
            }
            if kept == 0 && *from < *to {
                *fate = Fate::Moot.max(*fate);
            }
            *to = *from + kept as u32;
        }
        self.draft.withdraw_all(&gone);
        self.pending.empty = gone;
    }

    /// Where branches went that are no objects and had nothing in them on the old side: that they are there is what they say.
    fn moved_while_empty(&self) -> FxHashSet<NodeId> {
        let old = self.program.step.old();
        let is_declared = |entry: EntryId| old.schema[entry].what.is_object();
        let is_alone = |row: &Row| {
            row.kind == RowKind::Object
                && !self.program.automaton.accepted(row.accept).entry.is_some_and(is_declared)
        };
        let rows = self.program.reading.rows.iter().zip(&self.decided).filter(|(row, _)| is_alone(row));
        let landings = rows
            .filter_map(|(_, decided)| decided.as_ref())
            .flat_map(|decision| &self.landings[decision.landings.0 as usize..decision.landings.1 as usize]);
        landings.map(|landing| landing.node).collect()
    }

    /// What was wanted in a branch that was taken out is wanted in what held it.
    pub(super) fn want_above_empty_branches(&mut self) {
        let (tree, gone) = (&self.draft.tree, &self.pending.empty);
        for wanted in &mut self.wanted {
            while gone.contains(&wanted.node) {
                wanted.path = format!("{}/{}", tree.name(wanted.node), wanted.path).into();
                wanted.node = tree.parent(wanted.node);
            }
        }
    }

    fn is_new_object(&self, node: NodeId) -> bool {
        let schema = &self.program.step.new_profile().schema;
        let names = self.draft.tree.names_on_way(node);
        let steps: Vec<PathStep<'_>> = names.into_iter().map(PathStep::Name).collect();
        matches!(schema.find(&steps), Lookup::Declared(entry) if schema[entry].what.is_object())
    }
}
