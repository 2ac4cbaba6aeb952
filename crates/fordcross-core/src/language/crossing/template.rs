//! What a rule writes, and where: targets, their fields, and the pieces that values are made of.

use crate::ids::{EntryId, LookUpId, PlaceId, SlotId};
use crate::language::expression::Expression;
use crate::language::profile::PathStep;
use crate::language::typing::TypeId;
use crate::notation::Word;
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

    /// The name, where it is always the same.
    pub(crate) fn literal(&self) -> Option<&str> {
        match &self.name {
            TargetName::Literal(name) => Some(name),
            TargetName::Made { .. } => None,
        }
    }

    /// Whether the kind of an object decides the name.
    pub(crate) fn is_by_kind(&self) -> bool {
        matches!(&self.name, TargetName::Made { possible, .. } if !possible.is_empty())
    }
}

/// The steps of a way as far as they are known.
pub(super) fn known_steps(way: &[TargetStep]) -> impl Iterator<Item = PathStep<'_>> {
    way.iter().map(|step| match &step.name {
        TargetName::Literal(name) => PathStep::Name(name),
        TargetName::Made { .. } => PathStep::Any,
    })
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

/// `@place` or `@place[{key}]`
#[derive(Clone, Debug)]
pub(crate) struct Start {
    /// The places of that name.
    pub(crate) places: Vec<PlaceId>,
    /// The key of the object; else it is this one, or the nearest around it that went by one of the places.
    pub(crate) slot: Option<SlotId>,
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

    /// The slot that it draws on.
    fn slot(&self) -> Option<SlotId> {
        match self {
            Self::Slot { slot, .. } | Self::AsIs { slot } | Self::LookUp { slot, .. } => Some(*slot),
            _ => None,
        }
    }
}

impl Field {
    /// The slots that it draws on, in the order of its pieces.
    pub(crate) fn slots(&self) -> impl Iterator<Item = SlotId> + '_ {
        slots_of(&self.template).into_iter()
    }

    /// Those without which it is not written.
    pub(crate) fn needed_slots(&self) -> impl Iterator<Item = SlotId> + '_ {
        self.template.iter().filter_map(Piece::slot)
    }

    /// Whether it is left out where these slots are empty.
    pub(crate) fn is_left_out(&self, is_empty: impl Fn(SlotId) -> bool) -> bool {
        let all = |mut slots: Box<dyn Iterator<Item = SlotId> + '_>| {
            let first = slots.next();
            first.is_some_and(|first| is_empty(first) && slots.all(&is_empty))
        };
        all(Box::new(self.slots())) || all(Box::new(self.needed_slots()))
    }

    /// The name that it has in any case, where it is a setting of its own right there.
    pub(crate) fn plain_name(&self) -> Option<&str> {
        match self.path.as_slice() {
            [TargetStep { name: TargetName::Literal(name), append: false }] => Some(name),
            _ => None,
        }
    }
}

/// The slots that pieces draw on, in their order.
fn slots_of(pieces: &[Piece]) -> Vec<SlotId> {
    let mut slots = Vec::new();
    for piece in pieces {
        match piece {
            Piece::Optional(pieces) => slots.extend(slots_of(pieces)),
            piece => slots.extend(piece.slot()),
        }
    }
    slots
}

impl Target {
    /// The tables that it puts captures through, of which any can lack a value.
    pub(crate) fn tables(&self) -> Vec<(SlotId, &Table)> {
        let mut tables = Vec::new();
        let steps = self.base.iter().chain(self.fields.iter().flat_map(|field| &field.path));
        for step in steps.chain(self.objects.iter().flatten()) {
            if let TargetName::Made { pieces, .. } = &step.name {
                tables_of(pieces, &mut tables);
            }
        }
        for field in &self.fields {
            tables_of(&field.template, &mut tables);
        }
        tables
    }
}

fn tables_of<'t>(pieces: &'t [Piece], tables: &mut Vec<(SlotId, &'t Table)>) {
    for piece in pieces {
        match piece {
            Piece::Optional(pieces) => tables_of(pieces, tables),
            Piece::Slot { slot, table: Some(table) } if !table.takes_all() => tables.push((*slot, table)),
            _ => {}
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
    /// `(…)?`: nothing, if a capture in it is missing.
    Optional(Vec<Piece>),
}

/// Old values and the new ones that take their part.
#[derive(Clone, Debug, Default)]
pub(crate) struct Table {
    /// The first whose old value fits; `*` fits all.
    pub(crate) rows: Vec<(Word, NewValue)>,
}

/// What a table gives.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum NewValue {
    Text(String),
    /// `*`: the old value.
    Same,
}

impl Table {
    /// A table of rows as they are written. A row for all the rest counts last, wherever it is.
    pub(crate) fn new(rows: impl IntoIterator<Item = (Word, Word)>) -> Self {
        let new = |word: Word| if word.is_any() { NewValue::Same } else { NewValue::Text(word.to_string()) };
        let mut rows: Vec<_> = rows.into_iter().map(|(old, value)| (old, new(value))).collect();
        rows.sort_by_key(|(old, _)| old.is_any());
        Self { rows }
    }

    pub(crate) fn get<'t>(&'t self, old: &'t str) -> Option<&'t str> {
        let (_, new) = self.rows.iter().find(|(from, _)| from.fits(old))?;
        Some(match new {
            NewValue::Text(text) => text,
            NewValue::Same => old,
        })
    }

    /// Whether it gives something for whatever there is.
    pub(crate) fn takes_all(&self) -> bool {
        self.rows.iter().any(|(old, _)| old.is_any())
    }
}
