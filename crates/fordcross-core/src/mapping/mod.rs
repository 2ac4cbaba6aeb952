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

pub use file::{MapFile, MapSides, MapUse, parse_map, write_map};
pub use marks::{MarkedPort, marked_ports};
pub(crate) use named::{Naming, each_naming_row};
pub use ports::{Marked, PortUse, propose, used_ports};
pub use renames::{Addresses, Paths};

use crate::typing::Value;
use aho_corasick::AhoCorasick;
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
        let ports: FxHashMap<_, _> = proposals
            .iter()
            .map(|proposal| {
                let line = map.lines.get(&proposal.old).copied();
                (proposal.old.clone(), (proposal.target.clone(), line))
            })
            .collect();
        let is_renamed = |proposal: &&PortProposal| matches!(&proposal.target, PortTarget::New(new) if *new != proposal.old);
        let mut renamed = proposals.iter().filter(is_renamed).map(|proposal| &proposal.old).peekable();
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

    /// Puts what the map says into the place of the old ports, paths and addresses of a value. Says whether
    /// anything changed.
    pub(crate) fn remap<'t>(&'t self, value: &mut Value<'t>) -> bool {
        match value {
            Value::Port(name) => match self.port(name) {
                PortTarget::New(new) if new != name => {
                    *name = Cow::Borrowed(new);
                    true
                }
                _ => false,
            },
            Value::Path(path) => {
                self.paths.get(path).is_some_and(|new| std::mem::replace(path, Cow::Owned(new)) != *path)
            }
            Value::Address(address) => {
                let new = self.addresses.address(*address);
                new.is_some_and(|new| std::mem::replace(address, new) != *address)
            }
            Value::Network(network) => {
                let new = self.addresses.network(*network);
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

    /// Where the map says so, as `file:line`.
    pub(crate) fn rule(&self, old: &str) -> String {
        match self.ports.get(old).and_then(|(_, line)| *line) {
            Some(line) => format!("{}:{line}", self.file),
            None => self.file.clone(),
        }
    }
}
