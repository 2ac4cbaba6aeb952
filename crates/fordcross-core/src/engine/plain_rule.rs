//! Plain rules: those that only move one setting, or parts of it, to places of its own object. Nearly all rows of a
//! large backup fall to them, so they do without what rules in general need.
//!
//! What a rule makes of a row depends on nothing that other rows do, apart from names that no two may share. So it
//! can be made beforehand, see `prefetch`; writing it is what must go row by row.

use super::capture::{Capture, Failure};
use super::step::Step;
use crate::ids::{LookUpId, SlotId};
use crate::language::crossing::RuleId;
use crate::language::crossing::{Crossing, Field, Piece, Rule, TargetStep};
use crate::language::profile::Profile;
use crate::language::typing::{Loss, TypeId};
use crate::ledger::fate::Fate;
use crate::tree::{Kind, Name, Tree};
use smallvec::SmallVec;

/// A plain rule, made ready.
#[derive(Debug)]
pub(super) struct PlainRule<'i> {
    pub(super) rule: &'i Rule,
    pub(super) number: RuleId,
    /// There is one field, and it takes the value as a whole.
    pub(super) whole: bool,
    pub(super) fields: SmallVec<[PlainField<'i>; 2]>,
    pub(super) look_ups: Vec<LookUpId>,
    /// Names are written that have to differ from those of other rows: it has to wait for these.
    pub(super) waits: bool,
}

/// What plain rules make of rows, before it is written.
#[derive(Debug, Default)]
pub(super) struct Evaluated {
    pub(super) text: String,
    pub(super) leaves: Vec<EvaluatedLeaf>,
}

/// A setting that is to be written.
#[derive(Debug)]
pub(super) struct EvaluatedLeaf {
    /// Which of the fields of the rule.
    pub(super) field: u16,
    pub(super) kind: Kind,
    pub(super) fate: Fate,
    /// Where its value is in the text; `None` for one that is as it was.
    pub(super) value: Option<(u32, u32)>,
    pub(super) loss: Option<Box<Loss>>,
}

impl Evaluated {
    pub(super) fn clear(&mut self) {
        self.text.clear();
        self.leaves.clear();
    }

    pub(super) fn len(&self) -> usize {
        self.leaves.len()
    }

    pub(super) fn push(&mut self, field: usize, (kind, fate): (Kind, Fate), text: &str, loss: Option<Loss>) {
        let from = self.text.len() as u32;
        self.text.push_str(text);
        let value = Some((from, self.text.len() as u32));
        let loss = loss.map(Box::new);
        self.leaves.push(EvaluatedLeaf { field: field as u16, kind, fate, value, loss });
    }

    /// The only field of a rule, with the whole value as it was.
    pub(super) fn push_unchanged(&mut self, kind: Kind, fate: Fate) {
        self.leaves.push(EvaluatedLeaf { field: 0, kind, fate, value: None, loss: None });
    }

    pub(super) fn value(&self, leaf: &EvaluatedLeaf) -> Option<&str> {
        leaf.value.map(|(from, to)| &self.text[from as usize..to as usize])
    }
}

/// Whether a plain rule fits a row.
pub(super) enum Fits {
    No,
    /// It does, and what it makes is the last of what was made.
    Yes,
    /// It does, and cannot be carried.
    Fails(Failure),
}

/// What the map does differs from setting to setting: nothing is remembered then.
pub(super) fn remembers(step: &Step<'_, '_>) -> bool {
    step.exempt.is_empty()
}

#[derive(Debug)]
pub(super) struct PlainField<'i> {
    pub(super) field: &'i Field,
    pub(super) name: Name,
    pub(super) is_attribute: bool,
    /// The capture that alone makes its value, with what tells apart what becomes of equal captures.
    pub(super) capture: Option<(SlotId, Through)>,
}

/// What a capture goes through until it is the value of a setting.
#[derive(Clone, Copy, Debug)]
pub(super) enum Through {
    /// From its type to this one, and whether the map has a say in what is written.
    Types(TypeId, bool),
    /// A table as well; fields with tables are told apart by a number.
    Table(u32),
}

impl Through {
    /// A number for what becomes of a capture.
    pub(super) fn question(self, capture: &Capture<'_>) -> u64 {
        let from = capture.ty.map_or(0xFFFF, |kind| u64::from(kind.0)) | u64::from(capture.whole) << 16;
        from | u64::from(capture.of.is_some()) << 62
            | match self {
                Self::Types(to, mapped) => u64::from(to.0) << 17 | u64::from(mapped) << 61,
                Self::Table(field) => u64::from(field) << 17 | 1 << 63,
            }
    }
}

/// The plain rules of a crossing, by the numbers of all its rules.
pub(super) fn plain_rules<'i>(
    crossing: &'i Crossing,
    new: &Profile,
    tree: &mut Tree<'_>,
) -> Vec<Option<PlainRule<'i>>> {
    let mut tables = 0;
    let ready = |(index, rule): (usize, &'i Rule)| {
        let number = RuleId::new(index);
        let plain = rule.as_plain(&crossing.places)?;
        let mut fields = SmallVec::new();
        for field in plain.fields() {
            let capture = match field.template.as_slice() {
                [Piece::Slot { slot, table: None }] => {
                    let mapped = new.schema[field.entry].what.is_mapped();
                    Some((*slot, Through::Types(field.ty, mapped)))
                }
                [Piece::Slot { slot, table: Some(_) }] => {
                    tables += 1;
                    Some((*slot, Through::Table(tables)))
                }
                _ => None,
            };
            let name = tree.intern(field.plain_name()?);
            let is_attribute = new.is_attribute(field.entry);
            // What is remembered is no attribute.
            let capture = capture.filter(|_| plain.whole || !is_attribute);
            fields.push(PlainField { field, name, is_attribute, capture });
        }
        let look_ups: Vec<LookUpId> =
            plain.fields().flat_map(|field| &field.template).filter_map(Piece::look_up).collect();
        let places = rule
            .place
            .into_iter()
            .chain(look_ups.iter().map(|&look_up| crossing.look_ups[look_up.index()].place));
        let named =
            places.flat_map(|place| &crossing.places[place.index()].target).filter_map(TargetStep::kind);
        if fields.len() > usize::from(u16::MAX) {
            return None;
        }
        let mut kinds = fields.iter().map(|field: &PlainField<'_>| field.field.ty).chain(named);
        let waits = kinds.any(|kind| new.types.limits_of_names(kind).is_some());
        Some(PlainRule { rule, number, whole: plain.whole, fields, look_ups, waits })
    };
    crossing.rules.iter().enumerate().map(ready).collect()
}

impl PlainRule<'_> {
    /// Whether what it makes depends on nothing that other rows do.
    pub(super) fn can_be_prefetched(&self) -> bool {
        !self.waits
    }
}
