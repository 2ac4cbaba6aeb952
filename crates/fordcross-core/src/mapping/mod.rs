//! Mapping: which old port, path and address becomes which new one.
//!
//! Each kind of names is a folder with all that is its own, behind one trait (`Mapped`): the keys of its table, what is
//! proposed, what is checked against the backup, how values change, and where old names are left over. Proposals are made
//! in a fixed order, each with its reason; a person's word in the map file is above them all.

mod check;
mod entry;
mod exempt;
mod facts;
mod file;
mod kind;
mod left_over;
mod networks;
mod paths;
mod ports;
mod proposal;
mod rename;
mod seen;
mod sides;
mod write;

pub(crate) use check::Checked;
pub use check::used_names;
pub(crate) use entry::Except;
pub(crate) use exempt::Exempt;
pub use file::{MapFile, parse_map};
pub(crate) use kind::Mapped;
pub(crate) use left_over::LeftOver;
pub(crate) use ports::{Ports, each_naming_row};
pub use ports::{marked_ports, used_ports};
pub use proposal::{Destination, Grounds, Marked, MarkedPort, PortUse, Proposal};
pub use seen::{UsedName, UsedNames};
pub use sides::{MapSides, MapUse};
pub use write::{MapContents, write_map};

use crate::language::profile::Profile;
use crate::language::typing::Value;
use std::sync::Arc;

/// A kind of names.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MapKind {
    /// Interfaces.
    Ports,
    /// Addresses and networks.
    Addresses,
    /// Paths of files and folders.
    Paths,
}

impl MapKind {
    /// All kinds, in the order in which they are asked.
    pub const ALL: [Self; 3] = [Self::Ports, Self::Addresses, Self::Paths];

    /// No names of the kind.
    pub(super) fn nothing(self) -> Box<dyn Mapped> {
        match self {
            Self::Ports => Box::new(Ports::default()),
            Self::Addresses => Box::new(networks::Networks::default()),
            Self::Paths => Box::new(paths::Paths::default()),
        }
    }
}

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

/// The decided map, as carrying uses it.
#[derive(Debug)]
pub struct Mapping {
    /// The map file's name.
    pub file: String,
    kinds: Vec<Arc<dyn Mapped>>,
    ports: usize,
}

impl Mapping {
    /// What a map file says, and around it what is proposed.
    pub fn new(file: &str, proposals: &[Proposal], map: &MapFile) -> Self {
        let with = |kind: &Arc<dyn Mapped>| kind.with_proposals(proposals).unwrap_or_else(|| kind.clone());
        let kinds: Vec<Arc<dyn Mapped>> = map.kinds.iter().map(with).collect();
        let ports = kinds.iter().position(|kind| kind.kind() == MapKind::Ports).expect("a map has all kinds");
        Self { file: file.to_owned(), kinds, ports }
    }

    /// What is said of names, by kind, in the order of [`MapKind::ALL`].
    pub(crate) fn kinds(&self) -> impl Iterator<Item = &dyn Mapped> {
        self.kinds.iter().map(|kind| &**kind)
    }

    fn ports(&self) -> &Ports {
        self.kinds[self.ports].as_any().downcast_ref().expect("its place was found by its kind")
    }

    /// What becomes of a port; one that the map does not name is open.
    pub fn port(&self, old: &str) -> &Destination {
        self.ports().target(old)
    }

    /// The new name of what is made of other names, where the map has an entry for it: a VLAN of a port.
    pub(crate) fn whole_name(&self, old: &str) -> Option<&str> {
        self.ports().renamed(old)
    }

    /// Whether the map has any entry at all by which a name could be another.
    pub(crate) fn has_whole_names(&self) -> bool {
        !self.ports().renames_nothing()
    }

    /// The entries that have no say in settings of two profiles.
    pub(crate) fn exempt(&self, old: &Profile, new: &Profile) -> Exempt {
        Exempt::new(self.kinds().flat_map(Mapped::exceptions), old, new)
    }

    /// Whether nothing has another name.
    pub(crate) fn renames_nothing(&self) -> bool {
        self.kinds().all(Mapped::renames_nothing)
    }

    /// Whether nothing is said of names that a person alone maps: ports are proposed and always there.
    fn has_no_entries(&self) -> bool {
        self.kinds().filter(|kind| kind.kind() != MapKind::Ports).all(Mapped::renames_nothing)
    }

    /// Whether old names could be in a text. Those of ports are looked for by their names, all at once.
    fn may_have_old_names(&self, text: &str) -> bool {
        !self.has_no_entries() || self.ports().may_stand_in(text)
    }

    /// Where the map says what becomes of a name in a value, as `file:line`.
    pub(crate) fn entry_of(&self, value: &Value<'_>) -> Option<String> {
        match value {
            Value::Parts(parts) => parts.iter().find_map(|(_, part)| self.entry_of(part)),
            Value::List(list) => list.iter().find_map(|part| self.entry_of(part)),
            value => {
                let line = self.kinds().find_map(|kind| kind.line_of(value))?;
                Some(format!("{}:{line}", self.file))
            }
        }
    }

    /// Where the map says what becomes of a port, as `file:line`.
    pub(crate) fn rule(&self, old: &str) -> String {
        match self.ports().line_of_port(old) {
            Some(line) => format!("{}:{line}", self.file),
            None => self.file.clone(),
        }
    }
}

/// The map, as it is for values of one setting.
#[derive(Clone, Copy, Debug)]
pub(crate) struct MapFor<'m> {
    pub(crate) mapping: &'m Mapping,
    /// Entries that have no say.
    pub(crate) except: Except<'m>,
}

impl<'m> MapFor<'m> {
    /// Puts what the map says into the place of the old names of a value. Returns whether anything changed.
    pub(crate) fn remap(&self, value: &mut Value<'m>) -> bool {
        match value {
            Value::Parts(parts) => {
                parts.iter_mut().fold(false, |changed, (_, part)| self.remap(part) || changed)
            }
            Value::List(list) => {
                list.iter_mut().filter_map(|part| self.remap(part).then_some(())).count() > 0
            }
            value => self.mapping.kinds.iter().any(|kind| kind.apply(value, self.except)),
        }
    }
}
