//! All patterns of a profile and a crossing as one automaton, walked in step with the tree.
//!
//! A state is the set of places in patterns that the path so far has reached. States are built when
//! first needed and kept, so that the work for a node is one look in a table, however many patterns
//! there are. The alphabet is the names that occur in patterns and one symbol for all other names:
//! what a backup calls its objects never makes a new state.
//!
//! At most [`MAX_STATES`] states are kept. Past that all are forgotten and built anew as needed;
//! what a path *accepts* stays known by its number.

use crate::ids::{EntryId, SectionId};
use crate::language::crossing::{ClauseId, RuleId};
use crate::language::profile::OwnRuleId;
use crate::tree::pattern::{Pattern, Step};
use crate::tree::{Name, Tree};
use rustc_hash::FxHashMap;

/// A state; valid for one [`Automaton::generation`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct State(u32);

/// The number of a set of accepted marks; valid as long as the automaton.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct AcceptId(pub(crate) u32);

impl AcceptId {
    /// What accepts nothing at all.
    pub(crate) const NOTHING: Self = Self(0);
}

/// What a pattern stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) enum Mark {
    /// A setting or object that the profile declares.
    Entry(EntryId),
    /// A section of the profile.
    Section(SectionId),
    /// What holds a setting that has a default, and so may omit it.
    Holder(EntryId),
    /// A clause of a rule of the crossing.
    Clause { rule: RuleId, clause: ClauseId },
    /// What the profile asks for there.
    Rule(OwnRuleId),
}

/// What the patterns that a path fits stand for.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub(crate) struct Accept {
    /// The most exact of the profile's declarations.
    pub(crate) entry: Option<EntryId>,
    pub(crate) section: Option<SectionId>,
    /// Declarations of settings that may be omitted right below this.
    pub(crate) holds: Box<[EntryId]>,
    /// Rules with the clause that fits, in the order of the crossing.
    pub(crate) clauses: Box<[(RuleId, ClauseId)]>,
    /// The rules of the profile that are about this.
    pub(crate) rules: Box<[OwnRuleId]>,
}

/// The most states kept at a time.
pub(crate) const MAX_STATES: usize = 4_096;

/// A position in a pattern: this many steps are behind.
type Item = (u32, u32);

#[derive(Clone, Debug)]
pub(crate) struct Automaton {
    patterns: Vec<(Pattern, Mark)>,
    symbols: FxHashMap<String, u32>,
    states: Vec<Box<[Item]>>,
    accept_of: Vec<AcceptId>,
    known: FxHashMap<Box<[Item]>, u32>,
    /// One row a state, one column a symbol; the last column is every other name.
    table: Vec<u32>,
    accepts: Vec<Accept>,
    known_accepts: FxHashMap<Accept, AcceptId>,
    generation: u32,
}

/// The symbols of one tree's names, looked up once a name.
#[derive(Clone, Debug, Default)]
pub(crate) struct Symbols(Vec<u32>);

const UNKNOWN: u32 = u32::MAX;

impl Automaton {
    pub(crate) fn new(patterns: Vec<(Pattern, Mark)>) -> Self {
        let mut symbols = FxHashMap::default();
        for name in patterns.iter().flat_map(|(pattern, _)| &pattern.steps).flat_map(|step| match step {
            Step::Names(names) => names.as_slice(),
            _ => &[],
        }) {
            let next = symbols.len() as u32;
            symbols.entry(name.clone()).or_insert(next);
        }
        let mut automaton = Self {
            patterns,
            symbols,
            states: Vec::new(),
            accept_of: Vec::new(),
            known: FxHashMap::default(),
            table: Vec::new(),
            accepts: vec![Accept::default()],
            known_accepts: std::iter::once((Accept::default(), AcceptId::NOTHING)).collect(),
            generation: 0,
        };
        automaton.start_over();
        automaton
    }

    fn start_over(&mut self) {
        self.states.clear();
        self.accept_of.clear();
        self.known.clear();
        self.table.clear();
        self.generation += 1;
        let start: Vec<Item> = (0..self.patterns.len() as u32).map(|pattern| (pattern, 0)).collect();
        self.intern(start.into());
    }

    /// Changes whenever states were forgotten; a [`State`] of an earlier generation means nothing.
    pub(crate) fn generation(&self) -> u32 {
        self.generation
    }

    /// The state of the outermost place.
    #[expect(clippy::unused_self, reason = "reads as a property of the automaton")]
    pub(crate) fn start(&self) -> State {
        State(0)
    }

    /// The state one level down, at a node of the name. May start a new generation: the state given
    /// back belongs to it.
    pub(crate) fn step(&mut self, state: State, name: Name, tree: &Tree<'_>, symbols: &mut Symbols) -> State {
        let symbol = symbols.of(name, tree, self);
        self.step_symbol(state, symbol)
    }

    /// The state one level down at a name that need not occur in any tree.
    pub(crate) fn step_named(&mut self, state: State, name: &str) -> State {
        let symbol = self.symbols.get(name).copied().unwrap_or(self.symbols.len() as u32);
        self.step_symbol(state, symbol)
    }

    fn step_symbol(&mut self, state: State, symbol: u32) -> State {
        let width = self.symbols.len() + 1;
        let next = self.table[state.0 as usize * width + symbol as usize];
        if next == UNKNOWN { self.build(state, symbol) } else { State(next) }
    }

    #[cold]
    fn build(&mut self, state: State, symbol: u32) -> State {
        let mut items: Vec<Item> = Vec::new();
        for &(pattern, at) in &self.states[state.0 as usize] {
            let steps = &self.patterns[pattern as usize].0.steps;
            match steps.get(at as usize) {
                Some(Step::Any) => items.push((pattern, at + 1)),
                Some(Step::Below) => items.push((pattern, at)),
                Some(Step::Names(names)) if names.iter().any(|name| self.symbols[name] == symbol) => {
                    items.push((pattern, at + 1));
                }
                _ => {}
            }
        }
        let items: Box<[Item]> = items.into();
        if self.states.len() >= MAX_STATES && !self.known.contains_key(&items) {
            self.start_over();
            return State(self.intern(items));
        }
        let next = self.intern(items);
        let width = self.symbols.len() + 1;
        self.table[state.0 as usize * width + symbol as usize] = next;
        State(next)
    }

    fn intern(&mut self, items: Box<[Item]>) -> u32 {
        if let Some(&known) = self.known.get(&items) {
            return known;
        }
        let id = self.states.len() as u32;
        let accept = self.accept(&items);
        let accept_id = match self.known_accepts.get(&accept) {
            Some(&known) => known,
            None => {
                let new = AcceptId(self.accepts.len() as u32);
                self.accepts.push(accept.clone());
                self.known_accepts.insert(accept, new);
                new
            }
        };
        self.states.push(items.clone());
        self.accept_of.push(accept_id);
        self.known.insert(items, id);
        self.table.resize(self.table.len() + self.symbols.len() + 1, UNKNOWN);
        id
    }

    fn accept(&self, items: &[Item]) -> Accept {
        let mut accept = Accept::default();
        let mut exactness = 0;
        let mut clauses = Vec::new();
        let mut holds = Vec::new();
        let mut rules = Vec::new();
        for &(pattern, at) in items {
            let (pattern, mark) = &self.patterns[pattern as usize];
            let rest = &pattern.steps[at as usize..];
            if !matches!(rest, [] | [Step::Below]) {
                continue;
            }
            match *mark {
                Mark::Entry(entry) => {
                    let names = pattern.steps.iter().filter(|step| matches!(step, Step::Names(_))).count();
                    let exact = 1 + 2 * names + usize::from(rest.is_empty());
                    if exact > exactness {
                        (accept.entry, exactness) = (Some(entry), exact);
                    }
                }
                Mark::Section(section) => accept.section = accept.section.or(Some(section)),
                Mark::Holder(entry) => holds.push(entry),
                Mark::Clause { rule, clause } => clauses.push((rule, clause)),
                Mark::Rule(rule) => rules.push(rule),
            }
        }
        rules.sort_unstable();
        accept.rules = rules.into();
        clauses.sort_unstable();
        accept.clauses = clauses.into();
        accept.holds = holds.into();
        accept
    }

    /// Whether something is declared below a path that led to `state`.
    pub(crate) fn leads_on(&self, state: State) -> bool {
        self.states[state.0 as usize].iter().any(|&(pattern, at)| {
            let (pattern, mark) = &self.patterns[pattern as usize];
            matches!(mark, Mark::Entry(_)) && (at as usize) < pattern.steps.len()
        })
    }

    /// The number of what a path that led to `state` accepts.
    pub(crate) fn accept_of(&self, state: State) -> AcceptId {
        self.accept_of[state.0 as usize]
    }

    /// What each number stands for, from 0 on.
    pub(crate) fn all_accepted(&self) -> impl Iterator<Item = &Accept> {
        self.accepts.iter()
    }

    /// What that number stands for.
    pub(crate) fn accepted(&self, id: AcceptId) -> &Accept {
        &self.accepts[id.0 as usize]
    }

    #[cfg(test)]
    pub(crate) fn state_count(&self) -> usize {
        self.states.len()
    }
}

impl Symbols {
    fn of(&mut self, name: Name, tree: &Tree<'_>, automaton: &Automaton) -> u32 {
        let index = name.index();
        if index >= self.0.len() {
            self.0.resize(tree.name_count().max(index + 1), UNKNOWN);
        }
        if self.0[index] == UNKNOWN {
            let other = automaton.symbols.len() as u32;
            self.0[index] = automaton.symbols.get(tree.name_text(name)).copied().unwrap_or(other);
        }
        self.0[index]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::source::{Source, Span};
    use crate::tree::{Kind, NodeId};
    use proptest::prelude::*;

    fn accepts(automaton: &mut Automaton, path: &[&str]) -> Vec<u32> {
        let mut tree = Tree::new(Source::new("", ""));
        let mut symbols = Symbols::default();
        let mut state = automaton.start();
        for name in path {
            let id = tree.push(NodeId::DOCUMENT, Kind::Map, name, Span::default());
            state = automaton.step(state, tree.name_id(id), &tree, &mut symbols);
        }
        automaton
            .accepted(automaton.accept_of(state))
            .clauses
            .iter()
            .map(|&(rule, _)| rule.index() as u32)
            .collect()
    }

    fn automaton(patterns: &[String]) -> Automaton {
        let patterns = patterns.iter().zip(0..).map(|(text, rule)| {
            (
                Pattern::parse(text).expect("a pattern"),
                Mark::Clause { rule: RuleId::new(rule), clause: ClauseId::FIRST },
            )
        });
        Automaton::new(patterns.collect())
    }

    proptest! {
        #[test]
        fn agrees_with_one_pattern_at_a_time(
            patterns in prop::collection::vec("(a|b|c|a\\|b|\\*)(/(a|b|c|\\*)){0,3}(/\\*\\*)?", 1..12),
            path in prop::collection::vec("[abcd]", 0..5),
        ) {
            let path: Vec<&str> = path.iter().map(String::as_str).collect();
            let expected: Vec<u32> = patterns.iter().zip(0..)
                .filter(|(text, _)| Pattern::parse(text).expect("a pattern").fits(&path))
                .map(|(_, rule)| rule)
                .collect();
            prop_assert_eq!(accepts(&mut automaton(&patterns), &path), expected);
        }
    }

    /// Patterns made so that nearly every path is a state of its own: the bound must hold and the
    /// answers stay right over many generations.
    #[test]
    fn states_are_bounded() {
        let depth = 14;
        let patterns: Vec<String> = (0..depth)
            .map(|at| (0..depth).map(|step| if step == at { "a" } else { "*" }).collect::<Vec<_>>().join("/"))
            .collect();
        let mut automaton = automaton(&patterns);
        for number in 0..1_u32 << depth {
            let path: Vec<&str> =
                (0..depth).map(|at| if number >> at & 1 == 1 { "a" } else { "b" }).collect();
            let expected: Vec<u32> = (0..depth).filter(|at| number >> at & 1 == 1).collect();
            assert_eq!(accepts(&mut automaton, &path), expected);
            assert!(automaton.state_count() <= MAX_STATES);
        }
        assert!(automaton.generation() > 1);
    }
}
