//! New names that are proposed, and what they are proposed on.

use super::MapKind;
use super::sides::MapUse;
use crate::language::crossing::Crossing;
use crate::language::profile::Model;
use crate::text::source::Span;
use std::collections::BTreeSet;
use std::net::IpAddr;

/// What becomes of an old name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Destination {
    /// This new port.
    New(String),
    /// Nothing: the settings that name it are left out.
    Leave,
    /// Not decided; carrying is blocked until a person does.
    Open,
}

impl Destination {
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

/// The word that takes a port's settings out.
pub(crate) const LEAVE: &str = "leave";
/// The word for what is not decided.
pub(crate) const OPEN: &str = "?";

/// One old name with what becomes of it and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Proposal {
    /// What kind of name it is.
    pub kind: MapKind,
    /// The old name.
    pub old: String,
    /// What becomes of it.
    pub target: Destination,
    /// Why this was proposed; a few words for people.
    pub why: String,
    /// Whether a person decided it.
    pub by_person: bool,
    /// How many settings name it, or are in objects that do or below these.
    pub settings: usize,
}

/// A port that a backup names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PortUse {
    /// Its name.
    pub name: String,
    /// How many settings name it, or are in objects that do or below these.
    pub settings: usize,
    /// Where it is named first.
    pub first: Span,
    /// The kind of the object that is this port, where the configuration itself makes it: a bond, a bridge.
    pub made: Option<String>,
    /// It is the link to the partner of a pair.
    pub is_partner_link: bool,
}

/// A port with its marks.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct MarkedPort {
    /// What it is called.
    pub name: String,
    pub(super) macs: BTreeSet<[u8; 6]>,
    pub(super) addresses: BTreeSet<IpAddr>,
}

/// Ports of both sides with their marks: of the backup, and of an export of the receiving unit.
pub type Marked<'m> = (&'m [MarkedPort], &'m [MarkedPort]);

/// What proposals are made on.
#[derive(Clone, Copy, Debug)]
pub struct Grounds<'g> {
    /// The ports that the backup names.
    pub used: &'g [PortUse],
    /// The old model, if the platform has models and it is known.
    pub old: Option<&'g Model>,
    /// The new model, if the platform has models.
    pub new: Option<&'g Model>,
    /// The crossing that maps.
    pub crossing: &'g Crossing,
    /// What the map is for: whether what was proposed before counts as decided.
    pub purpose: MapUse,
    /// What ports are known by apart from their names.
    pub marked: Marked<'g>,
    /// Every port keeps its name where the target has it, or has no models.
    pub same_names: bool,
}
