//! What rules capture, and what becomes of it.

use crate::finding::Code;
use crate::ids::{EntryId, RowId};
use crate::language::typing::TypeId;
use crate::ledger::fate::Fate;
use crate::tree::Kind;
use ipnet::IpNet;

/// What a rule captured: a text of the old side with its type there.
#[derive(Clone, Copy, Debug)]
pub(super) struct Capture<'t> {
    /// The row that it is from; none for a default.
    pub(super) row: Option<RowId>,
    pub(super) text: &'t str,
    pub(super) kind: Option<TypeId>,
    /// The capture is the whole value of its setting.
    pub(super) whole: bool,
    /// The declaration of the setting on the old side; none for what the map has no say in: a default, a setting
    /// that others give out.
    pub(super) of: Option<EntryId>,
}

/// A field, ready to be written.
pub(super) struct Prepared {
    pub(super) text: String,
    pub(super) kind: Kind,
    pub(super) fate: Fate,
    pub(super) loss: Option<String>,
}

/// Why a value cannot be carried.
#[derive(Clone, Debug)]
pub(super) struct Failure {
    pub(super) code: Code,
    pub(super) message: String,
    /// The row that did not arrive, without which this one cannot.
    pub(super) because: Option<RowId>,
}

impl Failure {
    pub(super) fn new(code: Code, message: impl Into<String>) -> Self {
        Self { code, message: message.into(), because: None }
    }

    /// That its place has another value already.
    pub(super) fn conflict() -> Self {
        Self::new(Code::PlaceTaken, "its place on the new unit is taken by another value")
    }
}

/// The networks of the objects of a look-up's place.
#[derive(Clone, Debug, Default)]
pub(super) struct Networks {
    /// With the names that the objects have now.
    pub(super) found: Vec<(IpNet, String)>,
    /// Those of objects that do not arrive, each with the row that is to blame.
    pub(super) lost: Vec<(IpNet, RowId)>,
}
