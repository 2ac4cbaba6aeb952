//! What breaches come from.

use crate::ids::{PortId, RowId};
use crate::judge::settle::{LostBy, Settled};
use crate::judge::{Breached, Judge, Part};
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Ledger};
use crate::scan::surroundings::Seen;
use crate::tree::NodeId;
use rustc_hash::FxHashSet;
use std::cell::OnceCell;

/// What a breach comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Cause {
    /// What the map says of the port of this number.
    Port(PortId),
    /// A row of the backup, which did not arrive or is what is wrong itself.
    Row(RowId),
    /// Nothing of the backup: this node has another origin.
    Other(NodeId),
}

/// Finds what is behind nodes of a new tree.
pub(crate) struct Causes<'c> {
    pub(super) ledger: &'c Ledger,
    /// The rows that land at each node, in the order of nodes.
    rows: OnceCell<Vec<(NodeId, RowId)>>,
}

impl<'c> Causes<'c> {
    pub(crate) fn new(ledger: &'c Ledger) -> Self {
        Self { ledger, rows: OnceCell::new() }
    }

    /// The rows that land at a node.
    pub(super) fn rows_at(&self, node: NodeId) -> impl Iterator<Item = RowId> {
        let rows = self.rows.get_or_init(|| {
            let mut rows = Vec::new();
            for (row, decision) in self.ledger.decisions.iter().enumerate() {
                for landing in self.ledger.landings_of(decision) {
                    rows.push((landing.node, RowId::new(row)));
                }
            }
            rows.sort_unstable();
            rows
        });
        let from = rows.partition_point(|(known, _)| *known < node);
        rows[from..].iter().take_while(move |(known, _)| *known == node).map(|(_, row)| *row)
    }

    /// The first row that lands at a node or at what is in it.
    pub(crate) fn first_row(&self, judge: &Judge<'_, '_>, node: NodeId) -> Option<RowId> {
        let mut work = vec![node];
        let mut first: Option<RowId> = None;
        while let Some(at) = work.pop() {
            if let Some(row) = self.rows_at(at).min() {
                if at == node {
                    return Some(row);
                }
                first = Some(first.map_or(row, |first| first.min(row)));
            }
            work.extend(judge.tree.children(at));
        }
        first
    }

    /// The first cause of a row's fate.
    pub(crate) fn of_row(&self, row: RowId) -> Cause {
        let mut row = row;
        // A row can only be lost because of others; a chain is as long as there are rows, at most.
        for _ in 0..64 {
            if let DecidedBy::Map(port) = self.ledger.decisions[row.index()].by {
                return Cause::Port(port);
            }
            match self.ledger.because.binary_search_by_key(&row, |(of, _)| *of) {
                Ok(at) => row = self.ledger.because[at].1,
                Err(_) => break,
            }
        }
        Cause::Row(row)
    }

    pub(super) fn of_node(&self, judge: &Judge<'_, '_>, node: NodeId) -> Cause {
        self.first_row(judge, node).map_or(Cause::Other(node), Cause::Row)
    }

    /// What a breach comes from.
    pub(crate) fn of(&self, judge: &Judge<'_, '_>, settled: &Settled, breached: &Breached) -> Vec<Cause> {
        let mut causes = Vec::new();
        self.gather(judge, settled, breached, &mut FxHashSet::default(), &mut causes);
        if causes.is_empty() {
            causes.push(match breached.part {
                Part::NothingToCountIn(_) => Cause::Other(breached.node),
                _ => self.of_node(judge, breached.node),
            });
        }
        let mut known = FxHashSet::default();
        causes.retain(|cause| known.insert(*cause));
        causes
    }

    pub(super) fn gather(
        &self,
        judge: &Judge<'_, '_>,
        settled: &Settled,
        breached: &Breached,
        visited: &mut FxHashSet<usize>,
        causes: &mut Vec<Cause>,
    ) {
        let mut add = |by: LostBy, causes: &mut Vec<Cause>| match by {
            LostBy::Row(row) => causes.push(self.of_row(row)),
            LostBy::Went(number) if visited.insert(number) => {
                self.gather(judge, settled, &settled.went[number], visited, causes);
            }
            LostBy::Went(_) => {}
        };
        let lost_at = |node: NodeId, path: &str| {
            let is_about = |known: &str| concerns(path, known);
            let parts = settled.lost.of(node).iter();
            parts
                .filter(move |part| part.path.as_deref().is_some_and(is_about))
                .map(|part| part.by)
                .collect::<Vec<_>>()
        };
        match &breached.part {
            Part::Required(_, path) => {
                lost_at(breached.node, path).into_iter().for_each(|by| add(by, causes));
            }
            Part::Narrowed(path) => {
                let parts = settled.lost.of(breached.node).iter();
                for part in parts.filter(|part| part.path == *path) {
                    add(part.by, causes);
                }
            }
            Part::NothingToCountIn(path) => {
                lost_at(breached.node, path).into_iter().for_each(|by| add(by, causes));
            }
            Part::Count(_) => {
                settled.lost.of(breached.node).iter().for_each(|part| add(part.by, causes));
            }
            Part::AtLeastOne(paths) => {
                for path in paths {
                    lost_at(breached.node, path).into_iter().for_each(|by| add(by, causes));
                }
            }
            Part::Reference { .. } => {
                // What is named may have gone itself.
                let name = judge.tree.value(breached.node).trim_ascii();
                let named =
                    |node: &&NodeId| judge.tree.name(**node) == name && judge.tree.kind(**node).is_branch();
                if let Some(node) = settled.gone.iter().find(named) {
                    add(LostBy::Went(settled.of[node]), causes);
                }
            }
            Part::Check | Part::Undecided(_) => {
                // What the check looked for everywhere, and did not arrive.
                let paths = crate::judge::round::asked_from_top(judge, breached);
                let parts = settled.lost.of(judge.tree.root()).iter();
                let names = |path: &str| path.split('/').map(str::to_owned).collect::<Vec<_>>();
                for part in parts {
                    let Some(path) = part.path.as_deref() else { continue };
                    let names = names(path);
                    let names: Vec<&str> = names.iter().map(String::as_str).collect();
                    if paths.iter().any(|pattern| pattern.fits(&names)) {
                        add(part.by, causes);
                    }
                }
            }
            Part::Needs(..) | Part::AtMostOne(_) | Part::Unique | Part::UniqueName => {}
        }
        if causes.is_empty() {
            for seen in &breached.seen {
                match seen {
                    Seen::There(node) => causes.push(self.of_node(judge, *node)),
                    Seen::Missing(node, path) => {
                        for by in lost_at(*node, path) {
                            match by {
                                LostBy::Row(row) => causes.push(self.of_row(row)),
                                LostBy::Went(number) => {
                                    causes.push(self.of_node(judge, settled.went[number].node));
                                }
                            }
                        }
                    }
                }
            }
        }
    }

    /// Whether all that an object lacks went itself.
    pub(super) fn follows(settled: &Settled, breached: &Breached) -> bool {
        let path = match &breached.part {
            Part::Required(_, path) => Some(path),
            Part::Narrowed(path) => path.as_ref(),
            _ => return false,
        };
        let about = |known: &str| path.is_none_or(|path| concerns(path, known));
        let mut parts = settled.lost.of(breached.node).iter();
        let mut parts = parts.by_ref().filter(|part| part.path.as_deref().is_some_and(about)).peekable();
        parts.peek().is_some() && parts.all(|part| matches!(part.by, LostBy::Went(_)))
    }

    /// The fate of what went, by its causes: what the map left is left, what was dropped is dropped, the rest is for
    /// a person.
    pub(super) fn fate(&self, causes: &[Cause]) -> Fate {
        let fate_of = |cause: &Cause| match cause {
            Cause::Port(_) => Fate::LeftOut,
            Cause::Row(row) => match self.ledger.decisions[row.index()].fate {
                fate @ (Fate::LeftOut | Fate::Dropped) => fate,
                _ => Fate::ByHand,
            },
            Cause::Other(_) => Fate::ByHand,
        };
        causes.iter().map(fate_of).max().unwrap_or(Fate::ByHand)
    }
}

/// Whether what would have been at a path is of a wanted one: there, in it or around it.
pub(super) fn concerns(wanted: &str, lost: &str) -> bool {
    let fits = |(wanted, lost): (&str, &str)| wanted == "*" || wanted.split('|').any(|name| name == lost);
    wanted.split('/').zip(lost.split('/')).all(fits)
}
