//! Ports: what becomes of each old one.

mod marks;
mod naming;
mod propose;

pub use marks::marked_ports;
pub(crate) use naming::each_naming_row;
use propose::propose;
pub use propose::used_ports;

use super::entry::Except;
use super::facts::MapFact;
use super::kind::{Mapped, Reading};
use super::left_over::Word;
use super::proposal::{Destination, Grounds, LEAVE, OPEN, Proposal};
use super::sides::{MapSides, MapUse};
use super::{LeftOver, MapKind};
use crate::declaration::{Section, Word as Written, as_word};
use crate::finding::{Findings, Suggestion};
use crate::language::typing::Value;
use crate::recognise::backup::Backup;
use aho_corasick::AhoCorasick;
use rustc_hash::{FxHashMap, FxHashSet};
use std::any::Any;
use std::borrow::Cow;
use std::sync::Arc;
use toml::Spanned;
use toml::de::DeValue;

/// What a person decided of ports.
pub(super) type Decided = FxHashMap<String, Destination>;

/// What becomes of each old port.
#[derive(Clone, Debug, Default)]
pub(crate) struct Ports {
    /// With the line of the map file that says so, where it was read from one.
    targets: FxHashMap<String, (Destination, Option<u32>)>,
    /// What was proposed when the file was written.
    proposed: FxHashMap<String, Destination>,
    /// Finds the names of ports that have another name now, if there are any.
    renamed: Option<AhoCorasick>,
}

impl Ports {
    /// What is said of some ports by nobody's file.
    pub(super) fn of(decided: impl IntoIterator<Item = (String, Destination)>) -> Self {
        let targets = decided.into_iter().map(|(old, target)| (old, (target, None))).collect();
        Self { targets, ..Self::default() }
    }

    /// What is said of each.
    pub(super) fn decided(&self) -> Decided {
        self.targets.iter().map(|(old, (target, _))| (old.clone(), target.clone())).collect()
    }

    /// What a person decided: what differs from what was proposed.
    pub(super) fn by_person(&self) -> Decided {
        let mut decided = self.decided();
        decided.retain(|old, target| self.proposed.get(old) != Some(target));
        decided
    }

    /// Takes over what was proposed around what a person decided.
    fn take_over<'p>(&mut self, proposals: impl Iterator<Item = &'p Proposal>) {
        for proposal in proposals {
            let line = self.line_of_port(&proposal.old);
            self.targets.insert(proposal.old.clone(), (proposal.target.clone(), line));
        }
        let is_renamed = |(old, (target, _)): &(&String, &(Destination, Option<u32>))| matches!(target, Destination::New(new) if new != *old);
        let mut renamed = self.targets.iter().filter(is_renamed).map(|(old, _)| old).peekable();
        self.renamed = renamed
            .peek()
            .is_some()
            .then(|| AhoCorasick::new(renamed).expect("the names of ports are few and short"));
    }

    /// What becomes of a port; one that the map does not name is open.
    pub(super) fn target(&self, old: &str) -> &Destination {
        self.targets.get(old).map_or(&Destination::Open, |(target, _)| target)
    }

    /// The line of the map file that says what becomes of a port.
    pub(super) fn line_of_port(&self, old: &str) -> Option<u32> {
        self.targets.get(old).and_then(|(_, line)| *line)
    }

    /// The new name of a port that has another one.
    pub(super) fn renamed(&self, old: &str) -> Option<&str> {
        match self.target(old) {
            Destination::New(new) if new != old => Some(new),
            _ => None,
        }
    }

    /// Whether the name of a port that has another one now is in a text.
    pub(super) fn may_stand_in(&self, text: &str) -> bool {
        self.renamed.as_ref().is_some_and(|ports| ports.is_match(text))
    }
}

impl Mapped for Ports {
    fn kind(&self) -> MapKind {
        MapKind::Ports
    }

    fn table(&self) -> &'static str {
        "ports"
    }

    fn read(&mut self, section: &Section<'_, '_>, with: &mut Reading<'_, '_>) {
        let MapSides { old, new, .. } = *with.sides;
        let report = section.report();
        let mut given: FxHashMap<String, &str> = FxHashMap::default();
        let of_model = old.iter().flat_map(|old| old.ports.iter().map(|port| port.name.as_str()));
        let mut known = FxHashSet::default();
        // Those of the model first.
        let listed: Vec<&str> =
            of_model.chain(with.sides.used.iter().copied()).filter(|name| known.insert(*name)).collect();
        let names: Vec<&str> =
            new.iter().flat_map(|new| new.ports.iter().map(|port| port.name.as_str())).collect();
        for (old_name, value) in section.members() {
            // Without models nobody knows all ports, and one map may serve many hosts.
            if (old.is_some() || new.is_some()) && !known.contains(old_name.text) {
                report.add(
                    old_name.span,
                    MapFact::OldPortUnknown {
                        name: old_name.text.to_owned(),
                        instead: Suggestion::among(old_name.text, listed.iter().copied()),
                    },
                );
            }
            let Some((meaning, word)) = port_target(section, value) else { continue };
            if let Destination::New(name) = &meaning {
                if let Some(new) = new
                    && !names.contains(&name.as_str())
                {
                    report.add(
                        word.span,
                        MapFact::NewPortUnknown {
                            title: new.title.clone(),
                            name: name.to_owned(),
                            instead: Suggestion::among(name, names.iter().copied().chain([LEAVE, OPEN])),
                        },
                    );
                } else if with.purpose == MapUse::ProposeAgain
                    && self.proposed.get(old_name.text) == Some(&meaning)
                {
                    // It will be proposed anew, around what a person wrote.
                } else if let Some(first) = given.insert(name.clone(), old_name.text) {
                    report.add(
                        word.span,
                        MapFact::PortTwice {
                            new: name.clone(),
                            first: first.to_owned(),
                            second: old_name.text.to_owned(),
                        },
                    );
                }
            }
            let line = with.lines.position(old_name.span.start).line;
            self.targets.insert(old_name.text.to_owned(), (meaning, Some(line)));
        }
    }

    fn read_proposed(&mut self, section: &Section<'_, '_>) {
        for (old_name, target) in section.members() {
            if let Some((target, _)) = port_target(section, target) {
                self.proposed.insert(old_name.text.to_owned(), target);
            }
        }
    }

    fn propose(&self, on: &Grounds<'_>, backup: &Backup<'_>) -> (Vec<Proposal>, Findings) {
        // What stands in the map file that a person carries by is what they want, whoever decided it.
        let decided = match on.purpose {
            MapUse::Carry => self.decided(),
            MapUse::ProposeAgain => self.by_person(),
        };
        propose(&decided, on, backup)
    }

    fn with_proposals(&self, proposals: &[Proposal]) -> Option<Arc<dyn Mapped>> {
        // What is no port itself, such as a VLAN of one, is in the map alone.
        let mut ports = self.clone();
        ports.take_over(proposals.iter().filter(|proposal| proposal.kind == MapKind::Ports));
        Some(Arc::new(ports))
    }

    fn renames_nothing(&self) -> bool {
        self.renamed.is_none()
    }

    fn apply<'m>(&'m self, value: &mut Value<'m>, _: Except<'_>) -> bool {
        let Value::Port(name) = value else { return false };
        let Some(new) = self.renamed(name) else { return false };
        *name = Cow::Borrowed(new);
        true
    }

    /// Ports without a place are listed by their names.
    fn line_of(&self, _: &Value<'_>) -> Option<u32> {
        None
    }

    fn left_over(&self, word: &Word<'_>, found: &mut Vec<LeftOver>) {
        for (whole, port) in word.ports().filter(|(_, port)| self.renamed(port).is_some()) {
            found.push(LeftOver { found: whole.to_owned(), entry: port.to_owned() });
        }
    }

    fn as_any(&self) -> &dyn Any {
        self
    }
}

/// What becomes of a port: a name, `leave`, `?`, or `{ action = "leave" }` where a new port is called so.
fn port_target<'t>(
    section: &Section<'t, '_>,
    value: &'t Spanned<DeValue<'_>>,
) -> Option<(Destination, Written<'t>)> {
    if let Some(word) = as_word(value) {
        return Some((Destination::from_word(word.text), word));
    }
    let table = section.as_section(value).filter(|_| value.get_ref().is_table());
    let target = table.and_then(|table| {
        let (to, action) = (table.word("to"), table.word("action"));
        table.finish();
        match (to, action) {
            (Some(to), None) => Some((Destination::New(to.text.to_owned()), to)),
            (None, Some(action)) => match action.text {
                LEAVE => Some((Destination::Leave, action)),
                "open" | OPEN => Some((Destination::Open, action)),
                _ => None,
            },
            _ => None,
        }
    });
    if target.is_none() {
        section.report().add(value.span().into(), MapFact::PortExpected);
    }
    target
}
