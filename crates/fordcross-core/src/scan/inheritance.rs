//! What objects inherit from others, by the manners that their profile declares.
//!
//! A crossing that flattens is applied to a tree in which each object has what it inherits; then what
//! became of each copy is added to what became of the setting that was copied. The ledger so names the
//! place where a value was written, with all the places where it went.

use super::facts::InheritanceFact;
use crate::finding::Code;
use crate::ids::{EntryId, RowId, StepId};
use crate::language::profile::{Inherits, Lookup, PathStep, Profile, Repeats, What, Wins};
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Decision, Landing, Ledger, Note};
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, RowKind, Scan};
use crate::tree::{Additions, Kind, NodeId, Tree};
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::Arc;

/// What inherits from what in one tree.
#[derive(Debug, Default)]
pub(crate) struct Inheritance {
    /// For each object that inherits what it inherits from, the nearest first.
    sources: FxHashMap<NodeId, Vec<NodeId>>,
    /// Objects that have what is inherited besides their own, where there can be several.
    adding: FxHashSet<NodeId>,
    /// Settings that name what an object inherits from.
    naming: FxHashSet<NodeId>,
    /// Objects that are only there to be inherited from.
    templates: FxHashSet<NodeId>,
    /// Settings that name what is not there, or lead back to their own object.
    problems: Vec<(NodeId, Arc<InheritanceFact>)>,
}

impl Inheritance {
    /// `None` where no object of the platform inherits.
    pub(crate) fn of(tree: &Tree<'_>, profile: &Profile, walk: &Scan) -> Option<Self> {
        let inherits = |entry: EntryId| match &profile.schema[entry].what {
            What::Object { inherits, .. } => inherits.as_ref(),
            What::Setting { .. } => None,
        };
        if (0..profile.schema.entries.len()).map(EntryId::new).all(|entry| inherits(entry).is_none()) {
            return None;
        }
        let mut finder = Finder { tree, profile, objects: FxHashMap::default() };
        for row in walk.reading.rows.iter().filter(|row| row.kind == RowKind::Object) {
            if let Some(entry) = walk.automaton.accepted(row.accept).entry {
                finder.objects.entry(entry).or_default().push(row.node);
            }
        }
        let mut inheritance = Self::default();
        // Those that no object of the backup inherits from are templates, too.
        for entry in (0..profile.schema.entries.len()).map(EntryId::new) {
            let Some(inherits) = inherits(entry) else { continue };
            let of = inherits.of.as_deref();
            let outer = of.and_then(|of| finder.outer(of, entry));
            let names = inherits.named_by.as_ref().map(|_| match outer {
                Some(outer) => finder.by_outer_name(outer, entry),
                None => finder.by_name(of, entry),
            });
            let block = inherits.block.as_deref().and_then(|block| finder.first_of(block));
            if let (Some(_), None, Some(names)) = (of, outer, &names) {
                inheritance.templates.extend(names.values().flatten());
            }
            inheritance.templates.extend(block);
            for &object in finder.objects.get(&entry).into_iter().flatten() {
                inheritance.settle(tree, object, inherits, names.as_ref(), block);
            }
        }
        inheritance.problems.sort_by_key(|(node, ..)| *node);
        Some(inheritance)
    }

    /// Finds all that one object inherits from.
    fn settle(
        &mut self,
        tree: &Tree<'_>,
        object: NodeId,
        inherits: &Inherits,
        names: Option<&FxHashMap<String, Vec<NodeId>>>,
        block: Option<NodeId>,
    ) {
        let mut sources = Vec::new();
        if let (Some(setting), Some(names)) = (&inherits.named_by, names) {
            // Depth first, so that what the nearest inherits itself comes before the next that is named.
            let mut open: Vec<NodeId> = vec![object];
            let mut met: FxHashSet<NodeId> = FxHashSet::default();
            while let Some(at) = open.pop() {
                if at != object {
                    sources.push(at);
                }
                met.insert(at);
                let mut next = Vec::new();
                for naming in children_named(tree, at, setting) {
                    if at == object {
                        self.naming.insert(naming);
                    }
                    let name = tree.value(naming).trim_ascii();
                    // One that is called alike, or else the first.
                    let alike = |source: &&NodeId| tree.name_id(**source) == tree.name_id(object);
                    let named = names.get(name).map_or(&[][..], Vec::as_slice);
                    match named.iter().find(alike).or(named.first()) {
                        Some(source) if *source == object => {
                            self.problem(naming, InheritanceFact::Circle { name: name.to_owned() });
                        }
                        Some(source) if !met.contains(source) => next.push(*source),
                        None if at == object => {
                            self.problem(naming, InheritanceFact::Missing { name: name.to_owned() });
                        }
                        _ => {}
                    }
                }
                // What comes off the stack next counts.
                if inherits.wins == Wins::First {
                    next.reverse();
                }
                open.extend(next);
            }
        }
        sources.extend(block.filter(|block| *block != object));
        if !sources.is_empty() {
            if inherits.adds {
                self.adding.insert(object);
            }
            self.sources.insert(object, sources);
        }
    }

    fn problem(&mut self, naming: NodeId, fact: InheritanceFact) {
        self.problems.push((naming, Arc::new(fact)));
    }

    /// What an object has of a name from others.
    pub(crate) fn inherited(&self, tree: &Tree<'_>, object: NodeId, name: &str) -> Option<NodeId> {
        self.sources.get(&object)?.iter().find_map(|source| tree.child(*source, name))
    }

    /// Its notes, for rows of the inventory of the same tree.
    pub(crate) fn notes(&self, reading: &Inventory, step: StepId) -> Vec<Note> {
        let note = |(node, fact): &(NodeId, Arc<InheritanceFact>)| Note {
            row: reading.row_of(*node),
            step,
            line: None,
            fact: fact.clone(),
        };
        self.problems.iter().map(note).collect()
    }

    /// The tree in which each object has itself what it inherits, and the old node of each new one.
    pub(crate) fn flatten<'a>(
        &self,
        tree: &Tree<'a>,
        keys: &dyn Fn(NodeId) -> Vec<String>,
        several: &dyn Fn(NodeId) -> bool,
    ) -> (Tree<'a>, Vec<(NodeId, bool)>) {
        let mut additions = FxHashMap::default();
        for (&object, sources) in &self.sources {
            let own = keys(object);
            let adds = self.adding.contains(&object);
            let joins = |node: NodeId| adds && several(node);
            for &source in sources {
                self.add(tree, object, source, &own, &joins, &mut additions);
            }
        }
        tree.rearranged(&additions, &FxHashSet::default())
    }

    /// Adds what `source` has and `to` lacks.
    fn add(
        &self,
        tree: &Tree<'_>,
        to: NodeId,
        source: NodeId,
        own: &[String],
        joins: &dyn Fn(NodeId) -> bool,
        additions: &mut FxHashMap<NodeId, Additions>,
    ) {
        if tree.kind(to) == Kind::List
            || !tree.kind(to).is_branch() && !tree.value(to).trim_ascii().is_empty()
        {
            return;
        }
        let names = |node: NodeId| tree.children(node).filter(|&child| tree.kind(child).is_named());
        let added = additions.get(&to).map_or_else(Vec::new, |added| [&*added.first, &*added.last].concat());
        // What comes from afar is before what comes from near, and before its own.
        let mut first = Vec::new();
        for child in names(source) {
            let name = tree.name_id(child);
            if own.iter().any(|key| key == tree.name(child)) || self.naming.contains(&child) {
                continue;
            }
            let mine = names(to).chain(added.iter().copied()).find(|&other| tree.name_id(other) == name);
            match mine {
                _ if joins(child) => first.push(child),
                None => additions.entry(to).or_default().last.push(child),
                Some(mine) if tree.kind(mine) == Kind::Map && tree.kind(child) == Kind::Map => {
                    if names(to).filter(|&other| tree.name_id(other) == name).count() == 1 {
                        self.add(tree, mine, child, &[], joins, additions);
                    }
                }
                Some(_) => {}
            }
        }
        if !first.is_empty() {
            additions.entry(to).or_default().first.splice(0..0, first);
        }
    }

    /// Turns the ledger of the flat tree into one of the tree that it was made from.
    pub(crate) fn fold(&self, ledger: &mut Ledger, flat: &Folded<'_>, original: &Scan, tree: &Tree<'_>) {
        let index: FxHashMap<(NodeId, bool), RowId> = original
            .reading
            .numbered()
            .map(|(id, row)| ((row.node, row.kind == RowKind::Object), id))
            .collect();
        let row_of: Vec<Option<RowId>> = flat
            .reading
            .rows
            .iter()
            .map(|row| {
                let (old, _) = flat.old_ids[row.node.index()];
                index.get(&(old, row.kind == RowKind::Object)).copied()
            })
            .collect();
        let mut of_row: Vec<Vec<RowId>> = vec![Vec::new(); original.reading.rows.len()];
        let flat_rows = row_of.iter().zip(RowId::all(row_of.len()));
        for (flat_row, row) in flat_rows.filter_map(|(row, flat)| Some((flat, (*row)?))) {
            of_row[row.index()].push(flat_row);
        }
        let mut decisions = Vec::with_capacity(of_row.len());
        let mut landings: Vec<Landing> = Vec::new();
        for (row, parts) in of_row.iter().enumerate() {
            let row = original.reading.rows[row];
            let is_template = is_below(tree, row.node, &self.templates);
            let known = original.automaton.accepted(row.accept).entry.is_some();
            // What only passes on, or only names what is passed on, needs no rule where it is itself. A
            // copy that no rule takes has a note: the object that it was made for would go without it.
            let only_passes_on = self.naming.contains(&row.node) || known && is_template;
            let is_copy = |part: RowId| flat.old_ids[flat.reading.rows[part.index()].node.index()].1;
            let all = parts.iter().map(|&part| (is_copy(part), &ledger.decisions[part.index()]));
            // That one of several is left out is no loss of what the others have.
            let some_stay = all.clone().any(|(_, decision)| decision.fate != Fate::LeftOut);
            // Where it was written it can be moot just because it is only there to be passed on.
            let passed_on = all.clone().any(|(is_copy, decision)| is_copy && decision.fate != Fate::Moot);
            // And that one of several says nothing more is no loss of what arrived elsewhere.
            let some_arrive = all.clone().any(|(_, decision)| decision.landings.0 < decision.landings.1);
            let speaks = |(is_copy, decision): &(bool, &Decision)| {
                let needs_none = decision.by == DecidedBy::Nothing && only_passes_on && !is_copy;
                let left = decision.fate == Fate::LeftOut && some_stay;
                let passes_on = decision.fate == Fate::Moot && (some_arrive || !is_copy && passed_on);
                !needs_none && !left && !passes_on
            };
            let from = landings.len() as u32;
            let gravest = all
                .clone()
                .filter(speaks)
                .map(|(_, decision)| decision)
                .max_by_key(|decision| decision.fate)
                .cloned();
            for (_, decision) in all.clone() {
                let (start, end) = decision.landings;
                landings.extend(&ledger.landings[start as usize..end as usize]);
            }
            let by_inheritance = || Decision {
                fate: Fate::Moot,
                step: all.clone().next().map_or(StepId::FIRST, |(_, decision)| decision.step),
                by: DecidedBy::Inheritance,
                landings: (0, 0),
            };
            let decision = gravest.unwrap_or_else(by_inheritance);
            decisions.push(Decision { landings: (from, landings.len() as u32), ..decision });
        }
        let mut reported = FxHashSet::default();
        ledger.notes.retain_mut(|note| {
            let Some(flat_row) = note.row else { return true };
            note.row = row_of[flat_row.index()];
            let Some(row) = note.row else { return false };
            let unneeded = note.fact.code() == Code::NoRule && decisions[row.index()].fate != Fate::Unmatched;
            !unneeded && reported.insert((row, note.fact.code(), note.fact.to_string()))
        });
        ledger.notes.sort_by_key(|note| note.row);
        ledger.wanted.retain_mut(|wanted| {
            let row = row_of[wanted.row.index()];
            wanted.row = row.unwrap_or(wanted.row);
            row.is_some()
        });
        let both = |&(row, because): &(RowId, RowId)| Some((row_of[row.index()]?, row_of[because.index()]?));
        ledger.because = ledger.because.iter().filter_map(both).collect();
        ledger.because.sort_unstable();
        ledger.because.dedup_by_key(|(row, _)| *row);
        ledger.decisions = decisions;
        ledger.landings = landings;
    }
}

/// A flat tree, read.
pub(crate) struct Folded<'f> {
    pub(crate) reading: &'f Inventory,
    /// For each of its nodes that of the tree that it was made from, and whether it is a copy.
    pub(crate) old_ids: &'f [(NodeId, bool)],
}

/// Finds objects by what names them.
struct Finder<'t, 'a> {
    tree: &'t Tree<'a>,
    profile: &'t Profile,
    /// By declaration, in the order of the backup.
    objects: FxHashMap<EntryId, Vec<NodeId>>,
}

impl Finder<'_, '_> {
    fn entry_at(&self, path: &[String]) -> Option<EntryId> {
        let steps: Vec<PathStep<'_>> = path.iter().map(|name| PathStep::named(name)).collect();
        match self.profile.schema.find(&steps) {
            Lookup::Declared(entry) => Some(entry),
            _ => None,
        }
    }

    /// The declaration of the objects at `path` and how many levels above those of `own` they are, if that is where
    /// they do.
    fn outer(&self, path: &[String], own: EntryId) -> Option<(EntryId, usize)> {
        let steps = |entry: EntryId| self.profile.schema[entry].pattern.steps.as_slice();
        let outer = self.entry_at(path)?;
        let (above, own) = (steps(outer), steps(own));
        (above.len() < own.len() && own.starts_with(above)).then(|| (outer, own.len() - above.len()))
    }

    /// Objects of `own` by the names of the objects of `outer` that they are in.
    fn by_outer_name(
        &self,
        (outer, levels): (EntryId, usize),
        own: EntryId,
    ) -> FxHashMap<String, Vec<NodeId>> {
        let mut names: FxHashMap<String, Vec<NodeId>> = FxHashMap::default();
        for &object in self.objects.get(&own).into_iter().flatten() {
            let above = |node: &NodeId| (*node != NodeId::DOCUMENT).then(|| self.tree.parent(*node));
            let is_level = |node: &NodeId| self.tree.kind(*node) != Kind::List;
            let mut holders = std::iter::successors(Some(object), above).skip(1).filter(is_level);
            let name = holders.nth(levels - 1).and_then(|holder| self.name_of(holder, outer));
            if let Some(name) = name {
                names.entry(name).or_default().push(object);
            }
        }
        names
    }

    fn by_name(&self, path: Option<&[String]>, own: EntryId) -> FxHashMap<String, Vec<NodeId>> {
        let entry = path.map_or(Some(own), |path| self.entry_at(path));
        let objects = entry.and_then(|entry| self.objects.get(&entry));
        let mut names = FxHashMap::default();
        for &object in objects.into_iter().flatten() {
            if let Some(name) = entry.and_then(|entry| self.name_of(object, entry)) {
                names.entry(name).or_insert_with(|| vec![object]);
            }
        }
        names
    }

    fn name_of(&self, object: NodeId, entry: EntryId) -> Option<String> {
        let What::Object { keys, name, .. } = &self.profile.schema[entry].what else {
            return None;
        };
        match (name, keys.first()) {
            (Some(_), _) => Some(self.tree.name(object).to_owned()),
            (None, Some(key)) => {
                let key = self.tree.child(object, key)?;
                Some(self.tree.value(key).trim_ascii().to_owned())
            }
            (None, None) => None,
        }
    }

    fn first_of(&self, path: &[String]) -> Option<NodeId> {
        self.objects.get(&self.entry_at(path)?)?.first().copied()
    }
}

/// The settings of an object that tell it from its like.
pub(crate) fn keys_of(
    profile: &Profile,
    automaton: &Automaton,
    reading: &Inventory,
    object: NodeId,
) -> Vec<String> {
    let entry = reading.row_of(object).and_then(|row| automaton.accepted(reading.row(row).accept).entry);
    match entry.map(|entry| &profile.schema[entry].what) {
        Some(What::Object { keys, .. }) => keys.clone(),
        _ => Vec::new(),
    }
}

/// Whether a profile has several of what is at a node, and each counts.
pub(crate) fn can_be_several(profile: &Profile, walk: &Scan, node: NodeId) -> bool {
    let row = walk.reading.row_of(node).map(|row| walk.reading.row(row).accept);
    let entry = row.and_then(|accept| walk.automaton.accepted(accept).entry);
    match entry.map(|entry| &profile.schema[entry].what) {
        Some(What::Object { many, .. }) => *many,
        Some(What::Setting { repeats, .. }) => *repeats == Repeats::All,
        None => false,
    }
}

fn children_named<'t>(tree: &'t Tree<'_>, parent: NodeId, name: &str) -> impl Iterator<Item = NodeId> + 't {
    let name = name.to_owned();
    let named = move |&child: &NodeId| tree.kind(child).is_named() && tree.name(child) == name;
    // A list stands for its entries.
    tree.children(parent).filter(named).flat_map(|child| match tree.kind(child) {
        Kind::List => tree.children(child).collect::<Vec<_>>(),
        _ => vec![child],
    })
}

fn is_below(tree: &Tree<'_>, node: NodeId, tops: &FxHashSet<NodeId>) -> bool {
    if tops.is_empty() {
        return false;
    }
    let mut at = node;
    while at != NodeId::DOCUMENT {
        if tops.contains(&at) {
            return true;
        }
        at = tree.parent(at);
    }
    false
}
