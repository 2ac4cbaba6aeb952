//! What rules capture, and what becomes of it.

use super::facts::FailureFact;
use crate::finding::Fact;
use crate::ids::{EntryId, RowId};
use crate::language::typing::{Loss, TypeId};
use crate::ledger::fate::Fate;
use crate::text::source::Span;
use crate::tree::Kind;
use ipnet::IpNet;
use std::sync::Arc;

/// What a rule captured: a text of the old side with its type there.
#[derive(Clone, Copy, Debug)]
pub(super) struct Capture<'t> {
    /// The row that it is from; `None` for a default.
    pub(super) row: Option<RowId>,
    pub(super) text: &'t str,
    pub(super) ty: Option<TypeId>,
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
    pub(super) loss: Option<Loss>,
    /// Where it is in the backup, if it is a whole value that is spelled as before: it is not copied, and keeps its quotes.
    pub(super) span: Option<Span>,
}

/// Why a value cannot be carried.
#[derive(Clone, Debug)]
pub(super) struct Failure {
    pub(super) fact: Arc<dyn Fact>,
    /// The row that did not arrive, without which this one cannot.
    pub(super) because: Option<RowId>,
}

impl Failure {
    pub(super) fn new(fact: impl Fact + 'static) -> Self {
        Self { fact: Arc::new(fact), because: None }
    }

    /// That its place has another value already.
    pub(super) fn conflict() -> Self {
        Self::new(FailureFact::PlaceTaken)
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
