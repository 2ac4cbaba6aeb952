//! Judging a configuration by the rules of its line: what must be there, what must be one of a kind, what must name
//! something, what must agree.
//!
//! [`Judge::round`] gives all breaches of a tree, of which some parts may have been taken out; [`settle`](mod@settle)
//! takes out what breaks a rule, round by round; [`findings`] says so to a person, with the settings of the
//! backup that are behind it.

mod breach;
mod facts;
mod findings;
pub(crate) mod limits;
pub(crate) mod read_back;
pub(crate) mod references;
mod round;
mod settle;
mod shown;
mod unsound;

pub(crate) use breach::{Breached, Part};
pub(crate) use findings::{Cause, Causes, Judged, Words, judged};
pub(crate) use settle::{Lost, LostBy, LostPart, Settled, settle};
pub(crate) use unsound::{Overruled, unsound};

use crate::ids::OwnRule;
use crate::language::profile::{Model, Profile};
use crate::scan::automaton::{AcceptId, Automaton, Symbols};
use crate::scan::locator::Trail;
use crate::tree::pattern::Pattern;
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashSet;

/// Nodes that were taken out, each with all that is below it.
pub(crate) type Gone = FxHashSet<NodeId>;

/// A tree with the nodes that rules of its profile are about.
pub(crate) struct Judge<'j, 'a> {
    pub(crate) tree: &'j Tree<'a>,
    pub(crate) profile: &'j Profile,
    /// The model that it is for, where the platform has models.
    pub(crate) model: Option<&'j Model>,
    automaton: &'j Automaton,
    /// Nodes with what their paths accept, in the order of the document.
    marked: Vec<(NodeId, AcceptId)>,
    /// Rules that count what would be in something that is not there at all, and should be.
    uncounted: Vec<OwnRule>,
}

impl<'j, 'a> Judge<'j, 'a> {
    pub(crate) fn new(
        tree: &'j Tree<'a>,
        profile: &'j Profile,
        model: Option<&'j Model>,
        automaton: &'j mut Automaton,
    ) -> Self {
        let marked = if profile.rules.is_empty() { Vec::new() } else { marked(tree, automaton) };
        Self { tree, profile, model, automaton, marked, uncounted: Vec::new() }
    }

    /// Counts where nothing is there to count in, too, as far as `is_expected` says that something should be: a file that
    /// the backup has and the result has not is no file without a fault.
    pub(crate) fn expecting(mut self, is_expected: &dyn Fn(&Pattern) -> bool) -> Self {
        for (number, rule) in self.profile.rules.objects.iter().enumerate() {
            let least = rule.count.map_or(0, |bounds| bounds.least);
            let Some((_, above)) = rule.head.pattern.steps.split_last() else { continue };
            let holder = Pattern { steps: above.to_vec() };
            if least > 0 && is_expected(&holder) && holder.nodes_in(self.tree).is_empty() {
                self.uncounted.push(OwnRule::new(number));
            }
        }
        self
    }

    /// Whether a node, or something that it is in, was taken out.
    pub(crate) fn is_gone(&self, node: NodeId, gone: &Gone) -> bool {
        if gone.is_empty() {
            return false;
        }
        let mut at = node;
        while at != NodeId::DOCUMENT {
            if gone.contains(&at) {
                return true;
            }
            at = self.tree.parent(at);
        }
        false
    }
}

/// The nodes of a tree that rules are about.
fn marked(tree: &Tree<'_>, automaton: &mut Automaton) -> Vec<(NodeId, AcceptId)> {
    let mut found = Vec::new();
    let root = tree.root();
    let mut note = |node, accept: AcceptId, automaton: &Automaton| {
        if !automaton.accepted(accept).rules.is_empty() {
            found.push((node, accept));
        }
    };
    note(root, automaton.accept_of(automaton.start()), automaton);
    let mut symbols = Symbols::default();
    let mut trail = Trail::new(root, automaton);
    let mut open: Vec<Option<NodeId>> = vec![tree.first_child(root)];
    while let Some(next) = open.last_mut() {
        let Some(node) = *next else {
            open.pop();
            continue;
        };
        *next = tree.next_sibling(node);
        if !tree.kind(node).is_branch() && !tree.kind(node).is_value() {
            continue;
        }
        trail.truncate(open.len());
        let state = trail.enter(node, tree, automaton, &mut symbols);
        note(node, automaton.accept_of(state), automaton);
        if tree.kind(node).is_branch() {
            open.push(tree.first_child(node));
        }
    }
    found
}
