//! Objects of a place that become one, when all rules have been applied.
//!
//! Never does one of them get what only another has: with `but` the results are equal in all that is not joined; with `by`
//! what they do not have in common is left to a person.

use super::draft::Conflict;
use super::facts::FailureFact;
use super::outcome::Engine;
use crate::ids::{PlaceId, RowId};
use crate::language::crossing::Merge;
use crate::ledger::fate::Fate;
use crate::ledger::{Decision, Landing};
use crate::tree::pattern::Pattern;
use crate::tree::{Kind, NodeId, Text};
use rustc_hash::{FxHashMap, FxHashSet};
use std::sync::Arc;

/// What became of nodes of the new tree.
#[derive(Default)]
struct Joined {
    /// Where the content of nodes is now.
    moved: FxHashMap<NodeId, Now>,
    /// All that is taken out at the end.
    gone: FxHashSet<NodeId>,
    /// Old and new names of objects, each with the path of the old one.
    renamed: Vec<(Vec<String>, String)>,
}

/// Where the content of a node of the new tree is now.
#[derive(Clone, Copy)]
enum Now {
    /// In another that was equal to it.
    Equal(NodeId),
    /// In its copy elsewhere.
    Copy(NodeId),
    /// It is left to a person.
    Left,
}

impl<'i> Engine<'_, 'i, '_> {
    /// Makes one of the objects that the places say are one.
    pub(super) fn merge_all(&mut self) {
        let places = &self.program.step.leg.crossing.places;
        let mut joined = Joined::default();
        let mut tables: Vec<(usize, &'i Merge)> = places
            .iter()
            .filter_map(|place| place.merge.as_ref())
            .map(|merge| (merge.table, merge))
            .collect();
        tables.dedup_by_key(|(table, _)| *table);
        for (table, merge) in tables {
            let of_table = (0..places.len()).map(PlaceId::new).filter(|place| {
                places[place.index()].merge.as_ref().is_some_and(|merge| merge.table == table)
            });
            self.merge_objects(merge, of_table.collect(), &mut joined);
        }
        if joined.moved.is_empty() && joined.gone.is_empty() {
            return;
        }
        self.name_anew(&joined);
        self.land_anew(&joined);
        self.draft.withdraw_all(&joined.gone);
    }

    fn merge_objects(&mut self, merge: &'i Merge, places: Vec<PlaceId>, joined: &mut Joined) {
        let mut members: Vec<(NodeId, PlaceId)> = Vec::new();
        for place in places {
            let scopes = self.matcher.scopes(place);
            let placed = scopes.iter().copied().filter(|&scope| self.was_placed(place, scope));
            members.extend(placed.map(|scope| (scope, place)));
        }
        members.sort_unstable_by_key(|(scope, _)| *scope);
        let mut groups: FxHashMap<String, Vec<NodeId>> = FxHashMap::default();
        let mut order: Vec<String> = Vec::new();
        let mut seen: FxHashSet<NodeId> = FxHashSet::default();
        for (scope, place) in members {
            let Some(instance) = self.matcher.instance(place, scope) else { continue };
            let Some(node) = self.made_target(&instance, place).filter(|&node| seen.insert(node)) else {
                continue;
            };
            let key = match merge.by.as_slice() {
                [] => self.shown(node, &merge.but, &mut Vec::new(), joined),
                by => format!("{:?}", self.values_at(by, scope)),
            };
            let group = groups.entry(key).or_insert_with_key(|key| {
                order.push(key.clone());
                Vec::new()
            });
            group.push(node);
        }
        for group in order.iter().map(|key| &groups[key]) {
            let [first, others @ ..] = group.as_slice() else { continue };
            for &other in others {
                let (first_name, path) = (self.draft.tree.name(*first).to_owned(), self.names_of(other));
                if merge.by.is_empty() {
                    self.join_equal(other, *first, &merge.but, &mut Vec::new(), joined);
                } else {
                    self.join_common(other, *first, joined);
                }
                joined.moved.insert(other, Now::Equal(*first));
                joined.gone.insert(other);
                if !self.draft.tree.is_entry(other) && path.last() != Some(&first_name) {
                    joined.renamed.push((path, first_name));
                }
            }
        }
    }

    /// The values of settings of an object of the old side.
    fn values_at(&self, paths: &[String], scope: NodeId) -> Vec<Option<&'i str>> {
        let value = |path: &String| {
            let found = path.split('/').try_fold(scope, |at, name| self.program.tree.child(at, name))?;
            Some(self.program.tree.value(found).trim_ascii())
        };
        paths.iter().map(value).collect()
    }

    fn names_of(&self, node: NodeId) -> Vec<String> {
        self.draft.tree.names_on_way(node).into_iter().map(str::to_owned).collect()
    }

    fn children(&self, node: NodeId, joined: &Joined) -> Vec<NodeId> {
        let tree = &self.draft.tree;
        let is_there = |child: &NodeId| tree.kind(*child) != Kind::Comment && !joined.gone.contains(child);
        tree.children(node).filter(is_there).collect()
    }

    /// All that is below a node but some branches: equal texts are equal content, whatever the order of names.
    fn shown(&self, node: NodeId, but: &[Pattern], way: &mut Vec<String>, joined: &Joined) -> String {
        let tree = &self.draft.tree;
        if tree.kind(node).is_value() {
            return format!("{:?}", tree.value(node));
        }
        let is_list = tree.kind(node) == Kind::List;
        let mut parts: Vec<(String, String)> = Vec::new();
        for child in self.children(node, joined) {
            let name = if is_list { String::new() } else { tree.name(child).to_owned() };
            if !is_list {
                way.push(name.clone());
            }
            let is_left_out = {
                let names: Vec<&str> = way.iter().map(String::as_str).collect();
                but.iter().any(|pattern| pattern.fits(&names))
            };
            if !is_left_out {
                parts.push((name, self.shown(child, but, way, joined)));
            }
            if !is_list {
                way.pop();
            }
        }
        if !is_list {
            parts.sort_by(|one, other| one.0.cmp(&other.0));
        }
        let parts: Vec<String> = parts.into_iter().map(|(name, text)| format!("{name:?}:{text}")).collect();
        format!("{{{}}}", parts.join(","))
    }

    /// Joins what is equal but for some branches, and these as far as they do not differ under one name.
    fn join_equal(
        &mut self,
        from: NodeId,
        into: NodeId,
        but: &[Pattern],
        way: &mut Vec<String>,
        joined: &mut Joined,
    ) {
        joined.moved.insert(from, Now::Equal(into));
        let is_list = self.draft.tree.kind(from) == Kind::List;
        let mut taken: FxHashSet<NodeId> = FxHashSet::default();
        for child in self.children(from, joined) {
            let name = self.draft.tree.name(child).to_owned();
            if !is_list {
                way.push(name.clone());
            }
            let names: Vec<&str> = way.iter().map(String::as_str).collect();
            let is_joined = but.iter().any(|pattern| pattern.fits(&names));
            let others = self.children(into, joined);
            let same = others
                .into_iter()
                .find(|other| !taken.contains(other) && (is_list || self.draft.tree.name(*other) == name));
            match same {
                Some(same) if is_joined => self.join_branch(child, same, joined),
                Some(same) => {
                    taken.insert(same);
                    self.join_equal(child, same, but, way, joined);
                }
                None => self.append(child, into, joined),
            }
            if !is_list {
                way.pop();
            }
        }
    }

    /// Joins two branches of one name: what only one has comes to the other, what differs is left to a person.
    fn join_branch(&mut self, from: NodeId, into: NodeId, joined: &mut Joined) {
        joined.moved.insert(from, Now::Equal(into));
        if self.draft.tree.kind(from).is_value() {
            if self.shown(from, &[], &mut Vec::new(), joined)
                != self.shown(into, &[], &mut Vec::new(), joined)
            {
                joined.moved.insert(from, Now::Left);
            }
            return;
        }
        let is_list = self.draft.tree.kind(from) == Kind::List;
        for child in self.children(from, joined) {
            let text = self.shown(child, &[], &mut Vec::new(), joined);
            let name = self.draft.tree.name(child).to_owned();
            let others = self.children(into, joined);
            let same = others.into_iter().find(|&other| {
                if is_list {
                    self.shown(other, &[], &mut Vec::new(), joined) == text
                } else {
                    self.draft.tree.name(other) == name
                }
            });
            match same {
                None => self.append(child, into, joined),
                Some(same) if is_list || self.shown(same, &[], &mut Vec::new(), joined) == text => {
                    self.join_equal(child, same, &[], &mut Vec::new(), joined);
                }
                Some(_) => self.leave(child, joined),
            }
        }
    }

    /// Joins objects that are equal by some values: lists are put together, all else must be the same in both.
    fn join_common(&mut self, from: NodeId, into: NodeId, joined: &mut Joined) {
        joined.moved.insert(from, Now::Equal(into));
        let tree = &self.draft.tree;
        let named = |node: NodeId, joined: &Joined| -> FxHashMap<String, NodeId> {
            let children = self.children(node, joined).into_iter();
            children.map(|child| (tree.name(child).to_owned(), child)).collect()
        };
        let (ours, theirs) = (named(into, joined), named(from, joined));
        let single = |child: NodeId| tree.kind(child) != Kind::List;
        let alone: Vec<NodeId> = ours
            .iter()
            .filter(|(name, child)| !theirs.contains_key(*name) && single(**child))
            .map(|(_, child)| *child)
            .collect();
        for child in self.children(from, joined) {
            let same = ours.get(self.draft.tree.name(child)).copied();
            match (self.draft.tree.kind(child), same) {
                (Kind::List, Some(same)) => self.join_branch(child, same, joined),
                (Kind::List, None) => self.append(child, into, joined),
                (kind, Some(same)) if !kind.is_value() => self.join_common(child, same, joined),
                (_, Some(same)) if self.draft.tree.value(same) == self.draft.tree.value(child) => {
                    joined.moved.insert(child, Now::Equal(same));
                }
                (_, same) => {
                    self.leave(child, joined);
                    same.into_iter().for_each(|same| self.leave(same, joined));
                }
            }
        }
        alone.into_iter().for_each(|child| self.leave(child, joined));
    }

    /// Leaves a node with all below it to a person.
    fn leave(&self, node: NodeId, joined: &mut Joined) {
        joined.gone.insert(node);
        let mut open = vec![node];
        while let Some(node) = open.pop() {
            joined.moved.insert(node, Now::Left);
            open.extend(self.draft.tree.children(node));
        }
    }

    /// Copies a node with all below it behind what is in a branch.
    fn append(&mut self, node: NodeId, into: NodeId, joined: &mut Joined) {
        let tree = &self.draft.tree;
        let (kind, name) = (tree.kind(node), tree.name(node).to_owned());
        let name = if matches!(kind, Kind::OwnText) { String::new() } else { name };
        let made = if kind.is_value() {
            let value = tree.value(node).to_owned();
            let leaf = self.draft.like(into, kind, &name);
            self.draft.set_value(leaf, Text::Decoded(&value));
            leaf
        } else if self.draft.tree.kind(into) == Kind::List {
            self.draft.like(into, kind, &name)
        } else {
            match self.draft.branch(into, &name, kind) {
                Ok(branch) => branch,
                Err(Conflict) => return self.leave(node, joined),
            }
        };
        joined.moved.insert(node, Now::Copy(made));
        for child in self.children(node, joined) {
            self.append(child, made, joined);
        }
    }

    /// What names an object that became another names that now.
    fn name_anew(&mut self, joined: &Joined) {
        let mut changed: FxHashSet<NodeId> = FxHashSet::default();
        for (path, new) in &joined.renamed {
            let names: Vec<&str> = path.iter().map(String::as_str).collect();
            let Some(old) = names.last() else { continue };
            let rules = &self.program.step.new_profile().rules.settings;
            let of = |pattern: &Option<crate::language::profile::Referent>| {
                pattern.as_ref().and_then(|of| of.objects()).is_some_and(|of| of.fits(&names))
            };
            for rule in rules.iter().filter(|rule| of(&rule.refers_to)) {
                for node in rule.head.pattern.nodes_in(&self.draft.tree) {
                    if self.draft.tree.kind(node).is_value()
                        && self.draft.tree.value(node).trim_ascii() == *old
                    {
                        self.draft.set_value(node, Text::Decoded(new));
                        changed.insert(node);
                    }
                }
            }
        }
        for index in 0..self.decided.len() {
            let Some(Decision { landings: (from, to), fate, .. }) = &mut self.decided[index] else {
                continue;
            };
            for landing in &mut self.landings[*from as usize..*to as usize] {
                if changed.contains(&landing.node) {
                    landing.fate = landing.fate.max(Fate::Recast);
                    *fate = (*fate).max(landing.fate);
                }
            }
        }
    }

    /// Rows whose places are elsewhere now, or are left to a person.
    fn land_anew(&mut self, joined: &Joined) {
        // What was joined may have been joined again.
        let whither = |mut node: NodeId| {
            let mut is_equal = None;
            while let Some(now) = joined.moved.get(&node) {
                (node, is_equal) = match *now {
                    Now::Equal(next) => (next, Some(true)),
                    Now::Copy(next) => (next, Some(is_equal == Some(true))),
                    Now::Left => return None,
                };
            }
            Some((node, is_equal))
        };
        let mut left: Vec<RowId> = Vec::new();
        for row in RowId::all(self.decided.len()) {
            let Some(Decision { landings: (from, to), fate, .. }) = &mut self.decided[row.index()] else {
                continue;
            };
            let places = &mut self.landings[*from as usize..*to as usize];
            if !places.iter().any(|landing| joined.moved.contains_key(&landing.node)) {
                continue;
            }
            let mut kept = 0;
            for number in 0..places.len() {
                let Landing { node, fate } = places[number];
                if let Some((node, is_equal)) = whither(node) {
                    // What was replaced by the map in one of them was in all.
                    let joins = is_equal == Some(true) && fate != Fate::Remapped;
                    let fate = if joins { fate.max(Fate::Folded) } else { fate };
                    places[kept] = Landing { node, fate };
                    kept += 1;
                }
            }
            let is_whole = kept == places.len();
            *fate = places[..kept].iter().map(|landing| landing.fate).fold(*fate, Fate::max);
            *to = *from + kept as u32;
            if !is_whole {
                *fate = Fate::ByHand;
                left.push(row);
            }
        }
        for row in left {
            self.note(Some(row), None, Arc::new(FailureFact::JoinedDiffers));
        }
        for rows in [&mut self.origins, &mut self.implied] {
            let mut seen: FxHashSet<NodeId> = FxHashSet::default();
            rows.retain_mut(|row| match whither(row.node) {
                Some((node, is_equal)) => {
                    row.node = node;
                    seen.insert(node) || is_equal.is_none()
                }
                None => false,
            });
        }
        for node in self.pending.branches.values_mut().chain(self.moved_to.values_mut()) {
            *node = whither(*node).map_or(*node, |(node, _)| node);
        }
        self.matcher.forget_instances();
        let places = 0..self.program.step.leg.crossing.places.len();
        for place in places.map(PlaceId::new) {
            for &scope in self.matcher.scopes(place).iter() {
                let Some(instance) = self.matcher.instance(place, scope) else { continue };
                let Some(node) = self.made_target(&instance, place) else { continue };
                if let Some((node, Some(_))) = whither(node) {
                    self.targets.insert((place, scope), node);
                }
            }
        }
        self.matcher.forget_instances();
    }
}
