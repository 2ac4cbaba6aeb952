//! The first walk: what a tree holds under its profile and, with a crossing, which rules speak of
//! each setting.

use crate::format::EmptyBranch;
use crate::ids::{EntryId, RowId, SectionId};
use crate::language::crossing::Crossing;
use crate::language::crossing::{ClauseId, RuleId};
use crate::language::profile::{Profile, What};
use crate::language::typing::TypeId;
use crate::scan::automaton::{AcceptId, Automaton, Mark, State, Symbols};
use crate::scan::locator::{Ordinals, Trail};
use crate::tree::pattern::{Pattern, Step};
use crate::tree::{Kind, Name, NodeId, Tree};
use rustc_hash::{FxHashMap, FxHasher};
use std::hash::Hasher as _;
use std::num::NonZeroU32;
use std::sync::OnceLock;

/// One setting or object of a tree.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Row {
    /// The node of the tree that was walked.
    pub(crate) node: NodeId,
    /// What its path is by the automaton of the walk: declaration, clauses of rules, places, sections.
    pub(crate) accept: AcceptId,
    /// The object that it is in, or is.
    pub(crate) object: Option<ObjectId>,
    /// [`SectionId::NONE`] for none. There are millions of rows: none of their bytes is wasted.
    section: SectionId,
    pub(crate) kind: RowKind,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum RowKind {
    Setting,
    Object,
}

/// The number of an object in one reading.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct ObjectId(NonZeroU32);

impl ObjectId {
    fn new(index: usize) -> Self {
        Self(NonZeroU32::MIN.saturating_add(index as u32))
    }

    pub(crate) fn index(self) -> usize {
        self.0.get() as usize - 1
    }
}

#[derive(Clone, Copy, Debug)]
pub(crate) struct Object {
    /// The object that holds this one.
    pub(crate) holder: Option<ObjectId>,
}

/// The rows of a reading that name ports.
#[derive(Debug, Default)]
pub(crate) struct Naming {
    /// Each row with the number of what it names, in their order.
    pub(crate) rows: Vec<(RowId, u32)>,
    /// The ports that one value names; the same few are named again and again.
    pub(crate) ports: Vec<Vec<String>>,
}

/// All that one tree holds.
#[derive(Debug)]
pub(crate) struct Inventory {
    /// In the order of the input, which is that of their nodes, an object before its settings; indexed by [`RowId`].
    pub(crate) rows: Vec<Row>,
    /// In the order of the input, a holder before what it holds; indexed by [`ObjectId`].
    pub(crate) objects: Vec<Object>,
    /// Which of its like an entry is that nothing else tells apart.
    pub(crate) ordinals: Ordinals,
    /// Comments, in the order of the input.
    pub(crate) remarks: Vec<Remark>,
    /// Settings that are not given where they could be, and have a default: in the order of what could hold them.
    pub(crate) omitted: Vec<Omitted>,
    /// Branches that are no objects and that a place of the crossing takes, in the order of the input.
    pub(crate) branches: Vec<(NodeId, AcceptId)>,
    /// Other branches without anything in them, in the order of the input.
    pub(crate) empty: Vec<NodeId>,
    /// The rows that name ports, once they were asked for.
    pub(crate) naming: OnceLock<Naming>,
}

/// A setting that is not given, so that its default holds.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Omitted {
    /// What could hold it.
    pub(crate) holder: NodeId,
    /// Its declaration.
    pub(crate) entry: EntryId,
    /// What its path accepts.
    pub(crate) accept: AcceptId,
    pub(crate) object: Option<ObjectId>,
}

/// The automaton of a profile, with the rules of a crossing that starts there if there is one.
pub(crate) fn automaton_of(profile: &Profile, crossing: Option<&Crossing>) -> Automaton {
    let mut patterns: Vec<(Pattern, Mark)> = Vec::new();
    for (index, entry) in profile.schema.entries.iter().enumerate() {
        patterns.push((entry.pattern.clone(), Mark::Entry(EntryId::new(index))));
    }
    for (index, entry) in profile.schema.entries.iter().enumerate() {
        let named = matches!(entry.pattern.steps.last(), Some(Step::Names(names)) if names.len() == 1);
        if named && entry.what.default_at(profile.release).is_some() && crossing.is_some() {
            let above = entry.pattern.steps[..entry.pattern.steps.len() - 1].to_vec();
            patterns.push((Pattern { steps: above }, Mark::Holder(EntryId::new(index))));
        }
    }
    for (index, section) in profile.sections.iter().enumerate() {
        patterns.push((section.pattern.clone(), Mark::Section(SectionId::new(index))));
    }
    patterns.extend(profile.rules.patterns().map(|(rule, pattern)| (pattern, Mark::Rule(rule))));
    for (rule, index) in crossing.iter().flat_map(|crossing| &crossing.rules).zip(0..) {
        for (number, clause) in rule.clauses.iter().enumerate() {
            patterns.push((
                clause.pattern.clone(),
                Mark::Clause { rule: RuleId::new(index), clause: ClauseId::new(number) },
            ));
        }
    }
    Automaton::new(patterns)
}

/// What the first walk over a backup found, and what it was found with. It is made once: the ports
/// that are used are read from it, and the first crossing of a course begins with it.
#[derive(Debug)]
pub struct Scan {
    pub(crate) automaton: Automaton,
    pub(crate) reading: Inventory,
}

impl Scan {
    /// Walks a tree under the profile of its release, with the rules of the crossing that starts there.
    pub fn new(tree: &Tree<'_>, profile: &Profile, crossing: &Crossing) -> Self {
        let mut automaton = automaton_of(profile, Some(crossing));
        let reading = Inventory::new(tree, profile, &mut automaton);
        Self { automaton, reading }
    }
}

impl Row {
    /// The value that a row names a port with, if it can: a setting's, or the name of an object.
    pub(crate) fn naming<'t>(
        &self,
        tree: &'t Tree<'_>,
        profile: &Profile,
        automaton: &Automaton,
    ) -> Option<(TypeId, &'t str)> {
        match self.kind {
            RowKind::Setting => Some((self.type_id(profile, automaton)?, tree.value(self.node))),
            RowKind::Object => {
                let entry = automaton.accepted(self.accept).entry?;
                match profile.schema[entry].what {
                    What::Object { name: Some(kind), .. } => Some((kind, tree.name(self.node))),
                    _ => None,
                }
            }
        }
    }
}

impl Inventory {
    /// Walks `tree`, which must be in document order.
    pub(crate) fn new(tree: &Tree<'_>, profile: &Profile, automaton: &mut Automaton) -> Self {
        let mut walk = Walk {
            tree,
            profile,
            reading: Self {
                rows: Vec::new(),
                objects: Vec::new(),
                ordinals: Ordinals::default(),
                remarks: Vec::new(),
                omitted: Vec::new(),
                branches: Vec::new(),
                empty: Vec::new(),
                naming: OnceLock::new(),
            },
            keys_seen: FxHashMap::default(),
            frames: Vec::new(),
            spare: Vec::new(),
        };
        walk.run(automaton);
        walk.reading
    }

    /// All rows with their numbers, in their order.
    pub(crate) fn numbered(&self) -> impl Iterator<Item = (RowId, &Row)> {
        RowId::all(self.rows.len()).zip(&self.rows)
    }

    /// A row by its number.
    pub(crate) fn row(&self, id: RowId) -> Row {
        self.rows[id.index()]
    }

    /// The first row of a node: its object's, if it is one.
    pub(crate) fn row_of(&self, node: NodeId) -> Option<RowId> {
        let at = self.rows.partition_point(|row| row.node < node);
        self.rows.get(at).filter(|row| row.node == node).map(|_| RowId::new(at))
    }

    /// The row of a setting.
    pub(crate) fn setting_at(&self, node: NodeId) -> Option<&Row> {
        let at = self.row_of(node)?;
        self.rows[at.index()..]
            .iter()
            .take_while(|row| row.node == node)
            .find(|row| row.kind == RowKind::Setting)
    }

    /// The rows of a subtree.
    pub(crate) fn rows_below(
        &self,
        node: NodeId,
        tree: &Tree<'_>,
    ) -> impl Iterator<Item = RowId> + Clone + use<> {
        let end = tree.subtree_end(node);
        let from = self.rows.partition_point(|row| row.node < node);
        let to = from + self.rows[from..].partition_point(|row| row.node < end);
        RowId::range(from..to)
    }
}

/// A comment.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Remark {
    pub(crate) node: NodeId,
    /// What is before it in the same branch, apart from attributes and other comments.
    pub(crate) previous: Option<NodeId>,
}

/// An open branch of the walk.
struct Frame {
    end: NodeId,
    object: Option<ObjectId>,
    section: Option<SectionId>,
    counts: Counts,
    node: NodeId,
    accept: AcceptId,
    /// The declarations of the settings that were given so far, if any may be omitted.
    given: Vec<EntryId>,
    last_child: Option<NodeId>,
}

/// How often each name was under one parent. Few names are looked through, many are hashed.
#[derive(Default)]
struct Counts {
    few: Vec<(Name, u32)>,
    many: FxHashMap<Name, u32>,
}

impl Counts {
    fn next(&mut self, name: Name) -> u32 {
        if let Some((_, count)) = self.few.iter_mut().find(|(known, _)| *known == name) {
            *count += 1;
            return *count;
        }
        if self.few.len() < 16 {
            self.few.push((name, 1));
            return 1;
        }
        let count = self.many.entry(name).or_default();
        *count += 1;
        *count
    }
}

struct Walk<'t, 'a> {
    tree: &'t Tree<'a>,
    profile: &'t Profile,
    reading: Inventory,
    /// Hashes of holder, declaration and keys, with how often they were seen.
    keys_seen: FxHashMap<u64, u32>,
    frames: Vec<Frame>,
    /// Of frames that are done.
    spare: Vec<Spare>,
}

/// What frames allocate, to be used again.
#[derive(Default)]
struct Spare {
    counts: Counts,
    given: Vec<EntryId>,
}

impl Walk<'_, '_> {
    fn run(&mut self, automaton: &mut Automaton) {
        let tree = self.tree;
        let root = tree.root();
        let mut symbols = Symbols::default();
        let mut trail = Trail::new(root, automaton);
        // Comments beside the outermost element are all said of it, wherever they are.
        let outside = tree.children(NodeId::DOCUMENT).filter(|&id| tree.kind(id) == Kind::Comment);
        self.reading.remarks.extend(outside.map(|node| Remark { node, previous: None }));
        let end = tree.subtree_end(root);
        self.visit(root, automaton.start(), automaton);
        let mut next = tree.following(root);
        while let Some(node) = next.filter(|&node| node < end) {
            next = tree.following(node);
            while self.frames.last().is_some_and(|frame| node >= frame.end) {
                self.leave(&mut trail, automaton);
            }
            match tree.kind(node) {
                Kind::Comment => {
                    let previous = self.frames.last().and_then(|frame| frame.last_child);
                    self.reading.remarks.push(Remark { node, previous });
                }
                Kind::Instruction => {}
                _ => {
                    trail.truncate(self.frames.len());
                    let state = trail.enter(node, tree, automaton, &mut symbols);
                    self.visit(node, state, automaton);
                }
            }
        }
        while !self.frames.is_empty() {
            self.leave(&mut trail, automaton);
        }
    }

    /// Ends a branch: what could have been given in it and was not is noted.
    fn leave(&mut self, trail: &mut Trail, automaton: &mut Automaton) {
        trail.truncate(self.frames.len());
        let Some(frame) = self.frames.pop() else { return };
        let holds = automaton.accepted(frame.accept).holds.clone();
        for &entry in holds.iter().filter(|entry| !frame.given.contains(entry)) {
            let steps = &self.profile.schema[entry].pattern.steps;
            let Some(Step::Names(names)) = steps.last() else { continue };
            let above: State = trail.last(self.tree, automaton);
            let state = automaton.step_named(above, &names[0]);
            let accept = automaton.accept_of(state);
            self.reading.omitted.push(Omitted { holder: frame.node, entry, accept, object: frame.object });
        }
        let Frame { mut counts, mut given, .. } = frame;
        counts.few.clear();
        counts.many.clear();
        given.clear();
        self.spare.push(Spare { counts, given });
    }

    fn visit(&mut self, node: NodeId, state: State, automaton: &Automaton) {
        let tree = self.tree;
        let kind = tree.kind(node);
        let accept_id = automaton.accept_of(state);
        let accept = automaton.accepted(accept_id);
        let (mut object, above) =
            self.frames.last().map_or((None, None), |frame| (frame.object, frame.section));
        let section = accept.section.or(above);
        let row_of = |object, kind| Row {
            node,
            accept: accept_id,
            object,
            section: section.unwrap_or(SectionId::NONE),
            kind,
        };
        let what = accept.entry.map(|entry| &self.profile.schema[entry].what);
        // A list stands for its entries; an element's own text for the element, seen before.
        let is_object = what.is_some_and(What::is_object) && kind != Kind::List && kind != Kind::OwnText;
        self.count(node, what);
        if let Some(frame) = self.frames.last_mut()
            && kind != Kind::Attribute
        {
            frame.last_child = Some(node);
        }
        if let (Some(frame), Some(entry)) = (self.frames.last_mut(), accept.entry)
            && !automaton.accepted(frame.accept).holds.is_empty()
        {
            frame.given.push(entry);
        }
        let is_empty = !is_object && kind.is_branch() && self.is_empty(node);
        let is_said = is_empty && self.is_said_alone(node, state, automaton);
        if is_empty && !is_said {
            self.reading.empty.push(node);
        }
        if is_object || is_said {
            let id = ObjectId::new(self.reading.objects.len());
            self.reading.objects.push(Object { holder: object });
            object = Some(id);
            self.reading.rows.push(row_of(object, RowKind::Object));
        }
        if kind.is_value() {
            self.reading.rows.push(row_of(object, RowKind::Setting));
        } else {
            if !is_object && kind == Kind::Map && !accept.clauses.is_empty() {
                self.reading.branches.push((node, accept_id));
            }
            // A list holds nothing that could be omitted; its entries do.
            let accept = if kind == Kind::List { AcceptId::NOTHING } else { accept_id };
            let Spare { counts, given } = self.spare.pop().unwrap_or_default();
            self.frames.push(Frame {
                end: tree.subtree_end(node),
                object,
                section,
                counts,
                node,
                accept,
                given,
                last_child: None,
            });
        }
    }

    /// Whether a branch that is no whole file has nothing in it.
    fn is_empty(&self, node: NodeId) -> bool {
        let tree = self.tree;
        let is_remark = |child| matches!(tree.kind(child), Kind::Comment | Kind::Instruction);
        node != tree.root() && tree.children(node).all(is_remark) && !self.profile.members.is_file(tree, node)
    }

    /// Whether a branch without anything in it says something: one that is unknown, and any in a format that makes none for
    /// what could be in it. A list without values says no more than none.
    fn is_said_alone(&self, node: NodeId, state: State, automaton: &Automaton) -> bool {
        let is_list_of = self.tree.kind(node) == Kind::List
            && automaton.accepted(automaton.accept_of(state)).entry.is_some();
        !is_list_of
            && (!automaton.leads_on(state)
                || self.profile.dialect_at(self.tree, node).format().traits().empty_branch
                    == EmptyBranch::Statement)
    }

    /// Notes the node's place among its like, where a locator needs it.
    fn count(&mut self, node: NodeId, what: Option<&What>) {
        let tree = self.tree;
        let Some(holder) = self.frames.last_mut() else { return };
        if tree.kind(node) == Kind::OwnText {
            return;
        }
        let nth = if tree.is_entry(node) {
            tree.name_id(node).0
        } else if self.profile.format().traits().has_lists && self.profile.names.is_plain() {
            // Keys of one object differ; only names that are alike can be there twice.
            return;
        } else {
            holder.counts.next(tree.name_id(node))
        };
        let keyed = match what {
            Some(What::Object { keys, .. }) if !keys.is_empty() => self.key_hash(node, keys),
            _ => None,
        };
        if let Some(hash) = keyed {
            let seen = self.keys_seen.entry(hash).or_default();
            *seen += 1;
            if *seen > 1 {
                self.reading.ordinals.add(node, *seen);
            }
            return;
        }
        let always = tree.is_entry(node)
            || what.is_some_and(What::is_list)
            || matches!(what, Some(What::Object { many: true, name: None, .. }));
        if always || nth > 1 {
            self.reading.ordinals.add(node, nth);
        }
    }

    fn key_hash(&self, node: NodeId, keys: &[String]) -> Option<u64> {
        let mut hasher = FxHasher::default();
        hasher.write_u32(self.tree.parent(node).0);
        hasher.write_u32(self.tree.name_id(node).0);
        for key in keys {
            hasher.write(self.tree.value(self.tree.child(node, key)?).trim_ascii().as_bytes());
            hasher.write_u8(0xFF);
        }
        Some(hasher.finish())
    }
}

impl Row {
    /// The section that it is in.
    pub(crate) fn section(&self) -> Option<SectionId> {
        (self.section != SectionId::NONE).then_some(self.section)
    }

    /// The type of a setting that the profile declares.
    pub(crate) fn type_id(&self, profile: &Profile, automaton: &Automaton) -> Option<TypeId> {
        if self.kind == RowKind::Object {
            return None;
        }
        let entry = automaton.accepted(self.accept).entry?;
        profile.schema[entry].what.setting()
    }
}
