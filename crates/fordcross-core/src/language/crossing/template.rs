//! What a rule writes, and where: targets, their fields, and the pieces that values are made of.

use crate::ids::{EntryId, LookUpId, PlaceId, SlotId};
use crate::language::expression::Expression;
use crate::language::typing::TypeId;
use std::sync::Arc;

/// One step into the new tree.
#[derive(Clone, Debug)]
pub(crate) struct TargetStep {
    pub(crate) name: TargetName,
    /// A new entry of the list of that name.
    pub(crate) append: bool,
}

impl TargetStep {
    /// The type that spells the name, where one does.
    pub(crate) fn kind(&self) -> Option<TypeId> {
        match &self.name {
            TargetName::Made { ty, .. } => *ty,
            TargetName::Literal(_) => None,
        }
    }

    /// Whether the kind of an object decides the name.
    pub(crate) fn is_by_kind(&self) -> bool {
        matches!(&self.name, TargetName::Made { possible, .. } if !possible.is_empty())
    }
}

#[derive(Clone, Debug)]
pub(crate) enum TargetName {
    Literal(String),
    /// What the pieces make, as the type spells it.
    Made {
        pieces: Arc<[Piece]>,
        ty: Option<TypeId>,
        /// All that it can be, where only the kind of the object decides; else empty.
        possible: Vec<String>,
    },
}

/// What one firing of a rule writes: steps to a common place, then fields below it.
#[derive(Debug)]
pub(crate) struct Target {
    /// From the top, wherever the rule is.
    pub(crate) top: bool,
    /// Where an object of another place went, found by the key in a slot; else the rule's own place.
    pub(crate) start: Option<Start>,
    pub(crate) base: Vec<TargetStep>,
    pub(crate) fields: Vec<Field>,
    /// Objects that are to be there, whatever is in them.
    pub(crate) objects: Vec<Vec<TargetStep>>,
}

/// `@place[{key}]`
#[derive(Clone, Debug)]
pub(crate) struct Start {
    pub(crate) place: PlaceId,
    pub(crate) slot: SlotId,
}

#[derive(Debug)]
pub(crate) struct Field {
    pub(crate) path: Vec<TargetStep>,
    /// The setting on the new side, and its type there.
    pub(crate) entry: EntryId,
    pub(crate) ty: TypeId,
    pub(crate) template: Vec<Piece>,
    /// Written only where what holds there is less.
    pub(crate) at_least: bool,
}

impl Piece {
    /// The number of the look-up that it asks.
    pub(crate) fn look_up(&self) -> Option<LookUpId> {
        match self {
            Self::LookUp { look_up, .. } => Some(*look_up),
            _ => None,
        }
    }
}

impl Field {
    /// The slots that it draws on, in the order of its pieces.
    pub(crate) fn slots(&self) -> impl Iterator<Item = SlotId> + '_ {
        self.template.iter().filter_map(|piece| match piece {
            Piece::Slot { slot, .. } | Piece::AsIs { slot } | Piece::LookUp { slot, .. } => Some(*slot),
            Piece::Literal(_) | Piece::Index | Piece::Kind { .. } | Piece::Expression(_) => None,
        })
    }

    /// The name that it has in any case, where it is a setting of its own right there.
    pub(crate) fn plain_name(&self) -> Option<&str> {
        match self.path.as_slice() {
            [TargetStep { name: TargetName::Literal(name), append: false }] => Some(name),
            _ => None,
        }
    }
}

/// A piece of what is written.
#[derive(Debug)]
pub(crate) enum Piece {
    Literal(String),
    Slot {
        slot: SlotId,
        table: Option<Table>,
    },
    /// The same, and the map has no say in it.
    AsIs {
        slot: SlotId,
    },
    /// The place of the object among its like, from 1.
    Index,
    /// The kind of the object, by the old profile.
    Kind {
        table: Option<Table>,
    },
    Expression(Expression),
    /// The name of the object whose network holds the address in the slot.
    LookUp {
        slot: SlotId,
        look_up: LookUpId,
    },
}

/// Old values and the new ones that take their part.
#[derive(Clone, Debug, Default)]
pub(crate) struct Table {
    pub(crate) rows: Vec<(String, String)>,
    /// For `*`.
    pub(crate) otherwise: Option<String>,
}

impl Table {
    pub(crate) fn get(&self, old: &str) -> Option<&str> {
        let found = self.rows.iter().find(|(from, _)| from == old).map(|(_, to)| to);
        found.or(self.otherwise.as_ref()).map(String::as_str)
    }
}
