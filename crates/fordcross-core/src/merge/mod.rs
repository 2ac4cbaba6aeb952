//! Carrying into a base: an export of the receiving unit.
//!
//! What the course made is put into the base's own tree. Objects that have keys are found again by
//! them; a collection whose entries nothing tells apart is replaced, unless the crossing says that
//! new entries are behind those that are there. All else in the base stays, byte for byte.

mod facts;
mod files;
pub(crate) mod findings;
#[cfg(test)]
mod tests;
mod trees;

use crate::container::Member;
use crate::finding::Findings;
use crate::format::bundle::{self, nodes_at};
use crate::language::course::Leg;
use crate::language::crossing::BasePolicy;
use crate::language::profile::Profile;
use crate::ledger::fate::Origin;
use crate::ledger::{BaseOutcome, Ledger, OriginRow};
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::Inventory;
use crate::tree::{Kind, NodeId, Tree, Trivia};
use files::Rewriting;
use rustc_hash::FxHashSet;
use trees::Merge;

/// What is known of a base once something was put into it.
#[derive(Debug)]
pub(crate) struct Based {
    /// The files, what was not touched in the bytes that it was read in.
    pub(crate) files: Vec<Member>,
    /// What those files cannot hold.
    pub(crate) findings: Findings,
    /// Where each node of the made tree is now.
    pub(crate) places: Vec<Option<NodeId>>,
    /// Nodes of the merged tree that are the base's own.
    pub(crate) kept: Vec<bool>,
    /// How many settings that are.
    pub(crate) kept_settings: usize,
    /// Nodes of the base that were met by something of the made tree, or are gone.
    pub(crate) met: Vec<bool>,
    /// The first walk over the base.
    pub(crate) reading: Inventory,
}

impl Based {
    /// Puts what was made into a base; the ledger then speaks of the merged tree, and of the base.
    pub(crate) fn new<'a>(
        base: &Backup<'a>,
        made: &Tree<'_>,
        ledger: &mut Ledger,
        leg: &Leg,
        automaton: &mut Automaton,
    ) -> (Tree<'a>, Self) {
        let implied: FxHashSet<NodeId> = ledger.implied.iter().map(|row| row.node).collect();
        let wanted = Wanted { made, implied: &implied, profile: &leg.new, policy: &leg.crossing.base };
        let reading = Inventory::new(&base.tree, &leg.new, automaton);
        let Merged { tree, files, findings, places, kept, met, replaced } =
            merge(&base.tree, &wanted, automaton);
        let implied = std::mem::take(&mut ledger.implied);
        ledger.origins.extend(implied.into_iter().filter(|row| places[row.node.index()].is_some()));
        ledger.follow(&places);
        let source = base.tree.source();
        let lines = base.lines();
        let mut is_kept = vec![false; tree.len()];
        let kept_settings = kept.len();
        for (there, node) in kept {
            is_kept[node.index()] = true;
            let line = lines.position(base.tree.span(there).start).line;
            let rule = format!("{}:{line}", source.name);
            ledger.origins.push(OriginRow { node, origin: Origin::Base, rule });
        }
        ledger.replaced = replaced;
        (tree, Self { files, findings, places, kept: is_kept, kept_settings, met, reading })
    }
}

/// For each node of the merged tree whether it is the base's own, or something in it is.
pub(crate) fn is_of_base(based: &Based, nodes: usize) -> Vec<bool> {
    let mut own = based.kept.clone();
    own.resize(nodes, false);
    own
}

/// A base with what was made in it.
struct Merged<'a> {
    tree: Tree<'a>,
    files: Vec<Member>,
    findings: Findings,
    places: Vec<Option<NodeId>>,
    /// Settings of the base that nothing was said of: the node there, and the one in the merged tree.
    kept: Vec<(NodeId, NodeId)>,
    met: Vec<bool>,
    replaced: Vec<(NodeId, BaseOutcome)>,
}

/// What a merge depends on.
struct Wanted<'w> {
    made: &'w Tree<'w>,
    /// Nodes of the made tree that are only needed where the base says otherwise.
    implied: &'w FxHashSet<NodeId>,
    profile: &'w Profile,
    policy: &'w BasePolicy,
}

/// Puts the made tree into the base.
fn merge<'a>(base: &Tree<'a>, wanted: &Wanted<'_>, automaton: &mut Automaton) -> Merged<'a> {
    let mut merge = Merge::new(base, wanted, automaton);
    merge.run();
    let Merge { mut tree, mut places, changes, met, mut replaced, .. } = merge;
    // As it is written, and read back.
    let profile = wanted.profile;
    if profile.format().traits().leaves_first {
        tree.leaves_first(tree.root());
    }
    let leaves_first = |member: &&bundle::Member| member.dialect.format().traits().leaves_first;
    for member in profile.members.files.iter().filter(leaves_first) {
        let files: Vec<NodeId> = nodes_at(&tree, member.at.len())
            .into_iter()
            .filter(|(_, place)| member.path_of(place).is_some())
            .map(|(node, _)| node)
            .collect();
        files.into_iter().for_each(|file| tree.leaves_first(file));
    }
    let (files, findings) = Rewriting::new(&changes, base, &tree, profile).files();
    let (ordered, new_ids) = tree.in_document_order(&Trivia::default());
    for place in places.iter_mut().flatten() {
        *place = new_ids[place.index()];
    }
    replaced.sort_unstable_by_key(|&(node, _)| node);
    // Own text that is empty says nothing.
    let silent = |node: NodeId| base.kind(node) == Kind::OwnText && base.value(node).is_empty();
    let kept = (1..base.len() as u32)
        .map(NodeId)
        .filter(|&node| base.kind(node).is_value() && !met[node.index()] && !silent(node))
        .map(|node| (node, new_ids[node.index()]))
        .collect();
    Merged { tree: ordered, files, findings, places, kept, met, replaced }
}
