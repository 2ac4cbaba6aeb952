//! Mapping: which old port, path and address becomes which new one.
//!
//! Proposals are made in a fixed order, each with its reason; a person's word in the map file stands
//! above them all.

mod file;
mod left_over;
mod marks;
mod named;
mod ports;
mod renames;
mod used;
mod write;

pub use file::{MapFile, MapSides, MapUse, parse_map};
pub(crate) use left_over::LeftOver;
pub use marks::{MarkedPort, marked_ports};
pub(crate) use named::each_naming_row;
pub use ports::{Grounds, Marked, PortUse, propose, used_ports};
pub(crate) use renames::Except;
pub use renames::{Addresses, Paths};
pub(crate) use used::Checked;
pub use used::{UsedName, UsedNames, used_names};
pub use write::{MapContents, write_map};

use crate::language::profile::Profile;
use crate::language::typing::Value;
use aho_corasick::AhoCorasick;
use ipnet::IpNet;
use rustc_hash::FxHashMap;
use std::borrow::Cow;

/// What becomes of an old port.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PortTarget {
    /// This new port.
    New(String),
    /// Nothing: the settings that name it are left out.
    Leave,
    /// Not decided; carrying is blocked until a person does.
    Open,
}

impl PortTarget {
    /// As the map file writes it.
    pub fn word(&self) -> &str {
        match self {
            Self::New(name) => name,
            Self::Leave => LEAVE,
            Self::Open => OPEN,
        }
    }

    /// The meaning of a word of the map file.
    pub fn from_word(word: &str) -> Self {
        match word {
            LEAVE => Self::Leave,
            OPEN => Self::Open,
            name => Self::New(name.to_owned()),
        }
    }
}

/// What a person decided of ports.
pub type Decided = FxHashMap<String, PortTarget>;

/// The word that takes a port's settings out.
pub(crate) const LEAVE: &str = "leave";
/// The word for what is not decided.
pub(crate) const OPEN: &str = "?";

/// A finding that a person passes though it blocks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Accepted {
    /// Its code and its locator.
    pub finding: String,
    /// Eight digits that differ when what it says does.
    pub shows: String,
    /// Why it may be passed.
    pub reason: String,
    /// Who says so, and when.
    pub by: Option<String>,
    /// The day.
    pub on: Option<String>,
}

/// One old port with what becomes of it and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PortProposal {
    /// The old port.
    pub old: String,
    /// What becomes of it.
    pub target: PortTarget,
    /// Why this was proposed; a few words for people.
    pub why: String,
    /// Whether a person decided it.
    pub by_person: bool,
    /// How many settings name it, or stand in objects that do or below these.
    pub settings: usize,
}

/// The decided map, as carrying uses it.
#[derive(Clone, Debug, Default)]
pub struct Mapping {
    /// The map file's name and, where it was read from one, the line of each port.
    pub file: String,
    ports: FxHashMap<String, (PortTarget, Option<u32>)>,
    paths: Paths,
    addresses: Addresses,
    /// Finds the names of ports that have another name now, if there are any.
    renamed_ports: Option<AhoCorasick>,
}

impl Mapping {
    /// The map that proposals make.
    pub fn new(file: &str, proposals: &[PortProposal], map: &MapFile) -> Self {
        let line = |old: &str| map.lines.get(old).copied();
        let proposed = proposals.iter().map(|proposal| (&proposal.old, &proposal.target));
        // What is no port itself, such as a VLAN of one, stands in the map alone.
        let ports: FxHashMap<_, _> = map
            .ports
            .iter()
            .chain(proposed)
            .map(|(old, target)| (old.clone(), (target.clone(), line(old))))
            .collect();
        let is_renamed = |(old, (target, _)): &(&String, &(PortTarget, Option<u32>))| matches!(target, PortTarget::New(new) if new != *old);
        let mut renamed = ports.iter().filter(is_renamed).map(|(old, _)| old).peekable();
        let renamed_ports = renamed
            .peek()
            .is_some()
            .then(|| AhoCorasick::new(renamed).expect("the names of ports are few and short"));
        Self {
            file: file.to_owned(),
            ports,
            paths: map.paths.clone(),
            addresses: map.addresses.clone(),
            renamed_ports,
        }
    }

    /// What becomes of a port; one that the map does not name is open.
    pub fn port(&self, old: &str) -> &PortTarget {
        self.ports.get(old).map_or(&PortTarget::Open, |(target, _)| target)
    }

    /// The new name of what is made of other names, where the map has an entry for it: a VLAN of a port.
    pub(crate) fn whole_name(&self, old: &str) -> Option<&str> {
        match self.ports.get(old) {
            Some((PortTarget::New(new), _)) if new != old => Some(new),
            _ => None,
        }
    }

    /// Whether the map has any entry at all by which a name could be another.
    pub(crate) fn has_whole_names(&self) -> bool {
        self.renamed_ports.is_some()
    }

    /// Where the map says what becomes of a path or address in a value, as `file:line`.
    pub(crate) fn entry_of(&self, value: &Value<'_>) -> Option<String> {
        let line = match value {
            Value::Address(address) => self.addresses.of(IpNet::from(*address), &[])?.line,
            Value::Network(network) => self.addresses.of(*network, &[])?.line,
            Value::Path(path) => self.paths.of(path)?.line,
            Value::Parts(parts) => return parts.iter().find_map(|(_, part)| self.entry_of(part)),
            Value::List(list) => return list.iter().find_map(|part| self.entry_of(part)),
            _ => return None,
        };
        Some(format!("{}:{line}", self.file))
    }

    /// The entries for paths and addresses.
    pub(crate) fn renames(&self) -> (&Paths, &Addresses) {
        (&self.paths, &self.addresses)
    }
}

/// The map, as it is for values of one setting.
#[derive(Clone, Copy, Debug)]
pub(crate) struct MapFor<'m> {
    pub(crate) mapping: &'m Mapping,
    /// Entries that have no say.
    pub(crate) except: Except<'m>,
}

/// A setting that has no declaration, or not one.
pub(crate) const NO_ENTRY: u16 = u16::MAX;

/// The entries that have no say in settings, by the declarations of these on either side.
#[derive(Clone, Debug, Default)]
pub(crate) struct Exempt {
    old: FxHashMap<u16, Vec<u16>>,
    /// By both declarations.
    both: FxHashMap<(u16, u16), Vec<u16>>,
    new: FxHashMap<u16, Vec<u16>>,
}

impl Exempt {
    /// What the map says of the settings of two profiles.
    pub(crate) fn new(mapping: &Mapping, old: &Profile, new: &Profile) -> Self {
        let mut exempt = Self::default();
        let paths = mapping.paths.entries().iter().map(|entry| (entry.number, &entry.except));
        let addresses = mapping.addresses.entries().iter().map(|entry| (entry.number, &entry.except));
        for (number, except) in paths.chain(addresses) {
            for (profile, side) in [(old, &mut exempt.old), (new, &mut exempt.new)] {
                for (entry, index) in profile.schema.entries.iter().zip(0..) {
                    if except.iter().any(|pattern| pattern.covers(&entry.pattern)) {
                        side.entry(index).or_default().push(number);
                    }
                }
            }
        }
        for (&old, ours) in &exempt.old {
            for (&new, theirs) in &exempt.new {
                exempt.both.insert((old, new), ours.iter().chain(theirs).copied().collect());
            }
        }
        exempt
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.old.is_empty() && self.new.is_empty()
    }

    pub(crate) fn of(&self, old: u16, new: Option<u16>) -> Except<'_> {
        if self.is_empty() {
            return &[];
        }
        let both = new.and_then(|new| self.both.get(&(old, new)));
        let either = || self.old.get(&old).or_else(|| self.new.get(&new?));
        both.or_else(either).map_or(&[], Vec::as_slice)
    }
}

impl<'m> MapFor<'m> {
    /// Puts what the map says into the place of the old ports, paths and addresses of a value. Says whether
    /// anything changed.
    pub(crate) fn remap(&self, value: &mut Value<'m>) -> bool {
        let Self { mapping, except } = *self;
        match value {
            Value::Port(name) => match mapping.port(name) {
                PortTarget::New(new) if new != name => {
                    *name = Cow::Borrowed(new);
                    true
                }
                _ => false,
            },
            Value::Path(path) => {
                let new = mapping.paths.get(path, except);
                new.is_some_and(|new| std::mem::replace(path, Cow::Owned(new)) != *path)
            }
            Value::Address(address) => {
                let new = mapping.addresses.address(*address, except);
                new.is_some_and(|new| std::mem::replace(address, new) != *address)
            }
            Value::Network(network) => {
                let new = mapping.addresses.network(*network, except);
                new.is_some_and(|new| std::mem::replace(network, new) != *network)
            }
            Value::Parts(parts) => {
                parts.iter_mut().fold(false, |changed, (_, part)| self.remap(part) || changed)
            }
            Value::List(list) => {
                list.iter_mut().filter_map(|part| self.remap(part).then_some(())).count() > 0
            }
            _ => false,
        }
    }
}

impl Mapping {
    /// Where the map says so, as `file:line`.
    pub(crate) fn rule(&self, old: &str) -> String {
        match self.ports.get(old).and_then(|(_, line)| *line) {
            Some(line) => format!("{}:{line}", self.file),
            None => self.file.clone(),
        }
    }
}
