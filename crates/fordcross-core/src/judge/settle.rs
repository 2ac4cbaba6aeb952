//! Taking out what breaks a rule, until what is left breaks none for which something has to go.
//!
//! Each round takes out all at once, and things are only taken out, so the order of rules does not matter and it
//! ends. What named something that went loses the smallest thing that can be without it, in the next round.

use super::{Breached, Gone, Judge, Part};
use crate::ids::RowId;
use crate::language::profile::Breach;
use crate::scan::surroundings::Seen;
use crate::tree::{Kind, NodeId};
use rustc_hash::FxHashMap;

/// A part that an object of the new tree should have had.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct LostPart {
    /// The object.
    pub(crate) node: NodeId,
    /// Where in it the part would be, if that is known.
    pub(crate) path: Option<String>,
    pub(crate) by: LostBy,
    /// What the part named is not there either: what went by it alone means nothing any more.
    pub(crate) named_nothing: bool,
}

/// Why a part is not there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum LostBy {
    /// This row of the backup did not arrive.
    Row(RowId),
    /// It went for a breach of this number in [`Settled::went`].
    Went(usize),
}

/// The parts that objects should have had, by the objects.
#[derive(Clone, Debug, Default)]
pub(crate) struct Lost(Vec<LostPart>);

impl Lost {
    pub(crate) fn new(mut parts: Vec<LostPart>) -> Self {
        parts.sort_by_key(|part| part.node);
        Self(parts)
    }

    pub(crate) fn of(&self, node: NodeId) -> &[LostPart] {
        let from = self.0.partition_point(|part| part.node < node);
        let to = from + self.0[from..].partition_point(|part| part.node == node);
        &self.0[from..to]
    }

    fn extend(&mut self, parts: impl IntoIterator<Item = LostPart>) {
        self.0.extend(parts);
        self.0.sort_by_key(|part| part.node);
    }
}

/// What judging a tree came to.
#[derive(Debug, Default)]
pub(crate) struct Settled {
    pub(crate) gone: Gone,
    /// The breaches for which something went, in the order in which it did, each with the round.
    pub(crate) went: Vec<Breached>,
    /// What went, with the number of the breach for which it did.
    pub(crate) of: FxHashMap<NodeId, usize>,
    /// The breaches that are left: those that are only reported, and those that block.
    pub(crate) left: Vec<Breached>,
    pub(crate) lost: Lost,
}

/// How many rounds there are at most. Each takes something out, and what hangs on what hardly ever goes deeper.
const MOST_ROUNDS: usize = 64;

/// Judges a tree and takes out what breaks a rule. `is_base` says what is a base's own: of that nothing goes.
/// `fall_together` gives what else goes with what went: what one rule wrote stays or goes as a whole.
pub(crate) fn settle(
    judge: &Judge<'_, '_>,
    lost: Lost,
    is_base: &dyn Fn(NodeId) -> bool,
    fall_together: &dyn Fn(&Gone) -> Vec<(NodeId, NodeId)>,
) -> Settled {
    let mut settled = Settled { lost, ..Settled::default() };
    for round in 0.. {
        let mut breaches = judge.round(&settled.gone, &settled.lost);
        for breached in &mut breaches {
            let own = |node: NodeId| holds(judge, node, is_base);
            let is_of_base = |seen: &Seen| match seen {
                Seen::There(node) => own(*node),
                Seen::Missing(..) => true,
            };
            // The base is as its unit has it: what is wrong in it alone was so before.
            let alone = own(breached.node)
                && breached.seen.iter().all(is_of_base)
                && wholly(judge, breached.node, is_base);
            if alone && breached.breach > Breach::Notes {
                breached.breach = Breach::Notes;
            } else if breached.breach == Breach::Goes && breached.takes.iter().any(|node| own(*node)) {
                breached.breach = Breach::Blocks;
            }
        }
        let goes = |breached: &Breached| breached.breach == Breach::Goes && !breached.takes.is_empty();
        if round == MOST_ROUNDS || !breaches.iter().any(goes) {
            breaches
                .iter_mut()
                .filter(|it| it.breach == Breach::Goes)
                .for_each(|it| it.breach = Breach::Blocks);
            settled.left = breaches;
            return settled;
        }
        let mut parts = Vec::new();
        for breached in breaches.into_iter().filter(goes) {
            let number = settled.went.len();
            let mut any = false;
            for &node in &breached.takes {
                if settled.gone.insert(node) {
                    settled.of.insert(node, number);
                    any = true;
                    let named_nothing =
                        matches!(breached.part, Part::Reference { .. }) && node == breached.node;
                    parts.extend(lost_with(judge, node, LostBy::Went(number), named_nothing));
                }
            }
            if any {
                settled.went.push(breached);
            }
        }
        // What was written by the rule that wrote something that went is nothing by itself.
        loop {
            let falls = fall_together(&settled.gone);
            let mut any = false;
            for (node, with) in falls {
                let number = settled.breach_of(judge, with);
                if let Some(number) = number
                    && settled.gone.insert(node)
                {
                    settled.of.insert(node, number);
                    parts.extend(lost_with(judge, node, LostBy::Went(number), false));
                    any = true;
                }
            }
            if !any {
                break;
            }
        }
        settled.lost.extend(parts);
    }
    settled
}

impl Settled {
    /// The outermost thing that went, of those that a node is in.
    pub(crate) fn outermost(&self, judge: &Judge<'_, '_>, node: NodeId) -> NodeId {
        let mut found = node;
        let mut at = node;
        while at != NodeId::DOCUMENT {
            if self.of.contains_key(&at) {
                found = at;
            }
            at = judge.tree.parent(at);
        }
        found
    }

    /// The breach for which a node went, or what it is in.
    pub(crate) fn breach_of(&self, judge: &Judge<'_, '_>, node: NodeId) -> Option<usize> {
        let mut at = node;
        while at != NodeId::DOCUMENT {
            if let Some(&number) = self.of.get(&at) {
                return Some(number);
            }
            at = judge.tree.parent(at);
        }
        None
    }
}

/// That a node went, said of all objects around it.
fn lost_with(judge: &Judge<'_, '_>, node: NodeId, by: LostBy, named_nothing: bool) -> Vec<LostPart> {
    let tree = judge.tree;
    let mut parts = Vec::new();
    let mut names: Vec<&str> = Vec::new();
    let mut at = node;
    while at != tree.root() && at != NodeId::DOCUMENT {
        if !tree.is_transparent(at) {
            names.push(tree.name(at));
        }
        at = tree.parent(at);
        if tree.kind(at) == Kind::Map {
            let path: Vec<&str> = names.iter().rev().copied().collect();
            parts.push(LostPart { node: at, path: Some(path.join("/")), by, named_nothing });
        }
    }
    parts
}

/// Whether a node is a base's own, or something in it is.
fn holds(judge: &Judge<'_, '_>, node: NodeId, is_base: &dyn Fn(NodeId) -> bool) -> bool {
    let mut work = vec![node];
    while let Some(node) = work.pop() {
        if is_base(node) {
            return true;
        }
        work.extend(judge.tree.children(node));
    }
    false
}

/// Whether all values in a node are a base's own.
fn wholly(judge: &Judge<'_, '_>, node: NodeId, is_base: &dyn Fn(NodeId) -> bool) -> bool {
    let mut work = vec![node];
    while let Some(node) = work.pop() {
        if judge.tree.kind(node).is_value() && !is_base(node) {
            return false;
        }
        work.extend(judge.tree.children(node));
    }
    true
}
