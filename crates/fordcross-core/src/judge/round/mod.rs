//! One look at a tree: all that breaks a rule.

mod names;

use super::settle::Lost;
use super::{Breached, Gone, Judge, Part};
use crate::ids::OwnRule;
use crate::language::expression::{Evaluator, Operand, Surroundings as _};
use crate::language::profile::{
    Breach, Check, Condition, Narrows, ObjectRule, OwnRuleId, Referent, SettingRule, Unique, What,
};
use crate::language::typing::{TypeId, Value, plain_text};
use crate::scan::surroundings::{Scope, Seen};
use crate::tree::pattern::Pattern;
use crate::tree::{Kind, NodeId};
use rustc_hash::{FxHashMap, FxHashSet};
use std::cell::RefCell;

/// What one round is over.
struct Round<'r, 'j, 'a> {
    judge: &'r Judge<'j, 'a>,
    gone: &'r Gone,
    lost: &'r Lost,
    evaluator: Evaluator,
    found: Vec<Breached>,
    /// By the word that all share which must differ, and what they must differ in: the first that has it.
    taken: FxHashMap<(String, String), NodeId>,
    /// The names of the objects that something must name.
    names: FxHashMap<String, FxHashSet<String>>,
    types: FxHashMap<OwnRuleId, Option<TypeId>>,
}

impl Judge<'_, '_> {
    /// All breaches of what is still there, in the order of the document.
    pub(crate) fn round(&self, gone: &Gone, lost: &Lost) -> Vec<Breached> {
        let mut round = Round {
            judge: self,
            gone,
            lost,
            evaluator: Evaluator::new(),
            found: Vec::new(),
            taken: FxHashMap::default(),
            names: FxHashMap::default(),
            types: FxHashMap::default(),
        };
        round.run();
        round.found
    }
}

impl<'r, 'a> Round<'r, '_, 'a> {
    fn run(&mut self) {
        let judge = self.judge;
        let rules = &judge.profile.rules;
        for (id, check) in rules.checks.iter().enumerate().filter(|(_, check)| check.of_whole) {
            self.check(OwnRuleId::Check(OwnRule::new(id)), check, judge.tree.root(), None);
        }
        for &id in &judge.uncounted {
            let head = &rules.objects[id.index()].head;
            let above = &head.pattern.steps[..head.pattern.steps.len() - 1];
            let part = Part::NothingToCountIn(Pattern { steps: above.to_vec() }.to_string());
            let breach = if head.breach == Breach::Goes { Breach::Blocks } else { head.breach };
            self.add(OwnRuleId::Count(id), part, judge.tree.root(), breach, Vec::new());
        }
        for &(node, accept) in &judge.marked {
            if judge.is_gone(node, self.gone) {
                continue;
            }
            for &id in &judge.automaton.accepted(accept).rules {
                let kind = judge.tree.kind(node);
                // A list stands for its entries; an element's own text for the element.
                let is_object = kind != Kind::List && kind != Kind::OwnText;
                match id {
                    OwnRuleId::Object(rule) if is_object => {
                        self.object(id, &rules.objects[rule.index()], node);
                    }
                    OwnRuleId::Count(rule) if is_object => {
                        self.count(id, &rules.objects[rule.index()], node);
                    }
                    OwnRuleId::Setting(rule) => self.setting(id, &rules.settings[rule.index()], node),
                    OwnRuleId::Check(rule) if is_object => {
                        let check = &rules.checks[rule.index()];
                        self.check(id, check, node, Some(&check.head.pattern));
                    }
                    _ => {}
                }
            }
        }
    }

    fn scope<'s>(
        &'s self,
        node: NodeId,
        pattern: Option<&'s Pattern>,
        seen: Option<&'s RefCell<Vec<Seen>>>,
    ) -> Scope<'s, 'a> {
        Scope {
            tree: self.judge.tree,
            profile: self.judge.profile,
            inheritance: None,
            node,
            pattern,
            evaluator: &self.evaluator,
            gone: (!self.gone.is_empty()).then_some(self.gone),
            seen,
        }
    }

    fn add(&mut self, rule: OwnRuleId, part: Part, node: NodeId, breach: Breach, takes: Vec<NodeId>) {
        self.found.push(Breached { rule, part, node, breach, takes, seen: Vec::new(), other: None });
    }

    /// How many of several settings that exclude one another say something. An empty text says nothing, unless it is
    /// behind another: then it is a second word in the same matter.
    fn excluding(&self, settings: &[Vec<NodeId>]) -> usize {
        let tree = self.judge.tree;
        let is_empty = |node: NodeId| tree.kind(node).is_value() && tree.value(node).trim_ascii().is_empty();
        let first = settings.iter().flatten().filter(|node| !is_empty(**node)).min();
        let Some(first) = first else { return 0 };
        settings.iter().filter(|nodes| nodes.iter().any(|node| !is_empty(*node) || node > first)).count()
    }

    fn object(&mut self, id: OwnRuleId, rule: &'r ObjectRule, node: NodeId) {
        let breach = rule.head.breach;
        let mut found: Vec<(Part, Breach, Vec<NodeId>)> = Vec::new();
        {
            let scope = self.scope(node, Some(&rule.head.pattern), None);
            let there = |path: &str| scope.find(path);
            for (number, required) in rule.required.iter().enumerate() {
                let asked = required.when.as_ref().is_none_or(|when| when.holds(&scope));
                if asked && there(&required.path).is_empty() {
                    let part = Part::Required(number as u16, required.path.clone());
                    found.push((part, required.breach.unwrap_or(breach), vec![node]));
                }
            }
            for (one, other) in &rule.needs {
                let alone = there(one);
                if !alone.is_empty() && there(other).is_empty() {
                    found.push((Part::Needs(one.clone(), other.clone()), breach, alone));
                }
            }
            for group in &rule.at_most_one {
                let nodes: Vec<Vec<NodeId>> = group.iter().map(|path| there(path)).collect();
                if self.excluding(&nodes) > 1 {
                    found.push((Part::AtMostOne(group.clone()), breach, vec![node]));
                }
            }
            for group in &rule.at_least_one {
                if group.iter().all(|path| there(path).is_empty()) {
                    found.push((Part::AtLeastOne(group.clone()), breach, vec![node]));
                }
            }
            // What keeps out must not go: that would open what it closed. If what it went by is not there at all, there
            // is nothing that it could keep out.
            let restricts = || rule.restricts_if.as_ref().is_some_and(|when| when.holds(&scope));
            if found.iter().any(|(_, breach, _)| *breach == Breach::Goes) && restricts() {
                found.iter_mut().for_each(|(_, breach, _)| *breach = (*breach).max(Breach::Blocks));
            }
            if let Some((path, named_nothing)) = self.narrowed(rule, node, &scope) {
                let harder = if breach < Breach::Goes { Breach::Goes } else { breach };
                let harder = if !named_nothing && restricts() { Breach::Blocks } else { harder };
                found.push((Part::Narrowed(path), harder, vec![node]));
            }
        }
        for (part, breach, takes) in found {
            self.add(id, part, node, breach, takes);
        }
        if let Some(unique) = &rule.unique {
            let meant = self.meant(id, unique, self.judge.tree.name(node));
            self.unique(id, unique, node, Part::Unique, meant);
        }
        if let Some(referent) = &rule.key_refers_to {
            let name = self.judge.tree.name(node).to_owned();
            self.reference(id, referent, node, node, &name, breach);
        }
    }

    /// What of the old object did not arrive without which this one would be wider.
    /// And whether what that named is not there either.
    fn narrowed(
        &self,
        rule: &ObjectRule,
        node: NodeId,
        scope: &Scope<'_, '_>,
    ) -> Option<(Option<String>, bool)> {
        let lost = self.lost.of(node);
        if lost.is_empty() {
            return None;
        }
        let Some(narrows) = &rule.narrows else { return None };
        let grants = || rule.grants_if.as_ref().is_some_and(|when| when.holds(scope));
        let decides = |path: Option<&str>| match (narrows, path) {
            (Narrows::All, _) => true,
            (Narrows::These(paths), Some(path)) => {
                paths.iter().any(|known| known == path) && scope.find(path).is_empty()
            }
            // Nobody knows what a part means that no rule speaks of.
            (Narrows::These(_), None) => grants(),
        };
        // One that names nothing says most: there is nothing left then that the object could be for.
        let mut found = lost.iter().filter(|lost| decides(lost.path.as_deref()));
        let first = found.clone().next()?;
        let part = found.find(|lost| lost.named_nothing).unwrap_or(first);
        Some((part.path.clone(), part.named_nothing))
    }

    fn count(&mut self, id: OwnRuleId, rule: &'r ObjectRule, holder: NodeId) {
        let Some(bounds) = rule.count else { return };
        let last = Pattern { steps: rule.head.pattern.steps.last().cloned().into_iter().collect() };
        let tree = self.judge.tree;
        let fits = |node: &NodeId| {
            tree.kind(*node).is_named() && last.fits(&[tree.name(*node)]) && !self.gone.contains(node)
        };
        let mut there = 0;
        for node in tree.children(holder).filter(fits) {
            there += match tree.kind(node) {
                Kind::List => tree.children(node).filter(|entry| !self.gone.contains(entry)).count() as u64,
                _ => 1,
            };
        }
        if there < bounds.least || there > bounds.most {
            let breach = if rule.head.breach == Breach::Goes { Breach::Blocks } else { rule.head.breach };
            self.add(id, Part::Count(there), holder, breach, Vec::new());
        }
    }

    fn setting(&mut self, id: OwnRuleId, rule: &'r SettingRule, node: NodeId) {
        let tree = self.judge.tree;
        let breach = rule.head.breach;
        let is_list = tree.kind(node) == Kind::List;
        if let Some(bounds) = rule.count
            && !tree.is_entry(node)
            && tree.kind(node) != Kind::OwnText
        {
            let holder = tree.parent(node);
            let name = tree.name_id(node);
            let alike: Vec<NodeId> = if is_list {
                tree.children(node).filter(|entry| !self.gone.contains(entry)).collect()
            } else {
                let same = |child: &NodeId| tree.kind(*child).is_named() && tree.name_id(*child) == name;
                tree.children(holder).filter(same).filter(|child| !self.gone.contains(child)).collect()
            };
            let there = alike.len() as u64;
            let is_first = is_list || alike.first() == Some(&node);
            if is_first && (there < bounds.least || there > bounds.most) {
                // Too many of them are not made fewer by taking out the object.
                let takes = if there < bounds.least { vec![holder] } else { Vec::new() };
                let breach = if takes.is_empty() && breach == Breach::Goes { Breach::Blocks } else { breach };
                self.add(id, Part::Count(there), holder, breach, takes);
            }
        }
        if !tree.kind(node).is_value() {
            if let Some(referent) = &rule.key_refers_to {
                self.reference(id, referent, node, node, tree.name(node), breach);
            }
            return;
        }
        let text = tree.value(node).trim_ascii();
        if let Some(unique) = &rule.unique {
            let meant = self.meant(id, unique, text);
            self.unique(id, unique, node, Part::Unique, meant);
        }
        if let Some(unique) = &rule.key_unique {
            self.unique(id, unique, node, Part::UniqueName, Some(tree.name(node).to_owned()));
        }
        if let Some(referent) = &rule.refers_to {
            self.reference(id, referent, node, node, text, breach);
        }
        if let Some(referent) = &rule.key_refers_to {
            self.reference(id, referent, node, node, tree.name(node), breach);
        }
    }

    /// What must be one of a kind of a value, as it is meant and not as it is written.
    fn meant(&mut self, id: OwnRuleId, unique: &Unique, text: &str) -> Option<String> {
        let types = &self.judge.profile.types;
        Some(match self.type_of(id).map(|kind| types.read(kind, text)) {
            Some(Ok(Value::Parts(parts))) if unique.part.is_some() => {
                // A shape without that part has nothing that must differ.
                let part = parts.iter().find(|(name, _)| Some(name.as_ref()) == unique.part.as_deref());
                plain_text(&part?.1).into_owned()
            }
            Some(Ok(Value::Parts(_) | Value::List(_) | Value::Secret(..)) | Err(_)) | None => text.to_owned(),
            Some(Ok(value)) => plain_text(&value).into_owned(),
        })
    }

    /// Notes what must be one of a kind. Nobody knows which of two is right, so nothing goes for it.
    fn unique(&mut self, id: OwnRuleId, unique: &Unique, node: NodeId, part: Part, meant: Option<String>) {
        let judge = self.judge;
        let Some(meant) = meant else { return };
        let among = if unique.among.is_empty() { format!("{id:?} {part:?}") } else { unique.among.clone() };
        let among = match &unique.within {
            Some(within) => {
                let outer = judge.ancestor(node, within).unwrap_or(NodeId::DOCUMENT);
                format!("{among} in {}", outer.index())
            }
            None => among,
        };
        let taken = self.taken.entry((among, meant)).or_insert(node);
        let first = *taken;
        if first == node || judge.tree.name(first) == judge.tree.name(node) && judge.same_place(first, node) {
            return;
        }
        let breach = judge.profile.rules.head(id).breach;
        let breach = if breach >= Breach::Goes { Breach::Blocks } else { breach };
        let seen = vec![Seen::There(first), Seen::There(node)];
        self.found.push(Breached {
            rule: id,
            part,
            node,
            breach,
            takes: Vec::new(),
            seen,
            other: Some(first),
        });
    }

    /// Whether something names what is there.
    fn reference(
        &mut self,
        id: OwnRuleId,
        referent: &Referent,
        node: NodeId,
        takes: NodeId,
        name: &str,
        breach: Breach,
    ) {
        let is_there = match referent {
            Referent::Objects(pattern) => self.names_at(pattern).contains(name),
            Referent::ModelPort(Some(or)) if self.names_at(or).contains(name) => true,
            Referent::ModelPort(_) => {
                let judge = self.judge;
                // Where there are no models, every port may be there.
                let (mut known, mut named) = (true, judge.model.is_none());
                if let (Some(model), Some(kind)) = (judge.model, self.type_of(id))
                    && let Ok(value) = judge.profile.types.read(kind, name)
                {
                    value.ports(&mut |port| {
                        named = true;
                        known &= model.ports.iter().any(|known| known.name == port);
                    });
                }
                known && named
            }
        };
        if !is_there {
            let seen = vec![Seen::There(node)];
            let is_key = name == self.judge.tree.name(node);
            let part = Part::Reference { of: referent.to_string(), is_key };
            self.found.push(Breached { rule: id, part, node, breach, takes: vec![takes], seen, other: None });
        }
    }

    /// The type of the setting that a rule is about, or of the name of its objects.
    fn type_of(&mut self, id: OwnRuleId) -> Option<TypeId> {
        let profile = self.judge.profile;
        *self.types.entry(id).or_insert_with(|| {
            let pattern = &profile.rules.head(id).pattern;
            let entries = profile.schema.entries.iter();
            let mut alike =
                entries.filter(|entry| entry.pattern.covers(pattern) || pattern.covers(&entry.pattern));
            alike.find_map(|entry| match &entry.what {
                What::Setting { ty, .. } => Some(*ty),
                What::Object { name, .. } => *name,
            })
        })
    }

    /// The names of the objects of a pattern.
    fn names_at(&mut self, pattern: &Pattern) -> &FxHashSet<String> {
        let (judge, gone) = (self.judge, self.gone);
        self.names.entry(pattern.to_string()).or_insert_with(|| {
            let key = judge.key_of(pattern);
            let there = pattern.nodes_in(judge.tree).into_iter().filter(|node| !judge.is_gone(*node, gone));
            there.map(|node| judge.name_of(node, key).to_owned()).collect()
        })
    }

    fn check(&mut self, id: OwnRuleId, check: &'r Check, node: NodeId, pattern: Option<&'r Pattern>) {
        let judge = self.judge;
        if let Condition::Unique(paths) = &check.that {
            let key = {
                let scope = self.scope(node, pattern, None);
                if check.when.as_ref().is_some_and(|when| !when.holds(&scope)) {
                    return;
                }
                let said = |path: &String| scope.standing(path).join(",");
                paths.iter().map(said).collect::<Vec<_>>()
            };
            // Nothing is the same as nothing.
            if key.iter().all(String::is_empty) {
                return;
            }
            let first = *self.taken.entry((format!("{id:?}"), key.join("\u{1f}"))).or_insert(node);
            if first != node {
                let seen = vec![Seen::There(first), Seen::There(node)];
                let breach =
                    if check.head.breach == Breach::Goes { Breach::Blocks } else { check.head.breach };
                self.found.push(Breached {
                    rule: id,
                    part: Part::Check,
                    node,
                    breach,
                    takes: Vec::new(),
                    seen,
                    other: Some(first),
                });
            }
            return;
        }
        let Condition::Holds(that) = &check.that else { return };
        let undecided = {
            let scope = self.scope(node, pattern, None);
            if check.when.as_ref().is_some_and(|when| !when.holds(&scope)) {
                return;
            }
            match that.evaluate_known(&scope) {
                // What is not there breaks nothing.
                None | Some(Ok(Operand::Boolean(true))) => return,
                Some(Ok(_)) => None,
                Some(Err(why)) => Some(why),
            }
        };
        let seen = RefCell::new(Vec::new());
        let evaluator = Evaluator::new();
        let mut scope = self.scope(node, pattern, Some(&seen));
        scope.evaluator = &evaluator;
        let _ = that.evaluate_known(&scope);
        let mut takes = Vec::new();
        for path in &check.about {
            takes.extend(scope.find(path));
        }
        if takes.is_empty() {
            takes.push(node);
        }
        let restricts = judge.restricts(node, &scope);
        let seen = if check.about.is_empty() {
            seen.into_inner()
        } else {
            takes.iter().map(|node| Seen::There(*node)).collect()
        };
        // What nobody could judge may be right: it does not go for that.
        let is_kept = restricts || undecided.is_some();
        let breach =
            if check.head.breach == Breach::Goes && is_kept { Breach::Blocks } else { check.head.breach };
        let part = undecided.map_or(Part::Check, Part::Undecided);
        self.found.push(Breached { rule: id, part, node, breach, takes, seen, other: None });
    }
}

/// The paths from the top that the check of a breach asks about.
pub(super) fn asked_from_top(judge: &Judge<'_, '_>, breached: &Breached) -> Vec<Pattern> {
    let OwnRuleId::Check(id) = breached.rule else { return Vec::new() };
    let Condition::Holds(that) = &judge.profile.rules.checks[id.index()].that else { return Vec::new() };
    let paths = that.asked().filter_map(|(_, path)| path.strip_prefix('/'));
    paths.filter_map(|path| Pattern::parse(path).ok()).collect()
}
