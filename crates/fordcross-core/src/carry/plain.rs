//! Plain rules: those that only move one setting, or parts of it, to places of its own object. Nearly all rows of a
//! large backup fall to them, so they do without what rules in general need.
//!
//! What a rule makes of a row depends on nothing that other rows do, apart from names that no two may share. So it
//! can be made beforehand, see [`super::ahead`]; writing it is what must go row by row.

use super::Step;
use super::apply::{Apply, field_slots};
use super::draft::{Draft, Taken};
use super::fire::{look_up_of, taken};
use super::same_line::is_attribute;
use super::scopes::{Instance, Slots};
use super::value::{Bound, Failure, Hand};
use crate::language::crossing::{Crossing, Field, Piece, Rule, TargetStep};
use crate::language::profile::Profile;
use crate::language::typing::{Loss, TypeId};
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Landing};
use crate::scan::reading::Row;
use crate::tree::{Kind, Name, NodeId, Text, Tree};
use smallvec::{SmallVec, smallvec};
use std::ops::Range;
use std::rc::Rc;

/// A plain rule, made ready.
#[derive(Debug)]
pub(super) struct PlainRule<'i> {
    rule: &'i Rule,
    number: u32,
    /// There is one field, and it takes the value as a whole.
    whole: bool,
    fields: SmallVec<[PlainField<'i>; 2]>,
    look_ups: Vec<usize>,
    /// Names are written that have to differ from those of other rows: it has to wait for these.
    waits: bool,
}

/// What plain rules make of rows, before it is written.
#[derive(Debug, Default)]
pub(super) struct Made {
    text: String,
    leaves: Vec<MadeLeaf>,
}

/// A setting that is to be written.
#[derive(Debug)]
struct MadeLeaf {
    /// Which of the fields of the rule.
    field: u16,
    kind: Kind,
    fate: Fate,
    /// Where its value is in the text; none for one that is as it was.
    value: Option<(u32, u32)>,
    loss: Option<Box<str>>,
}

impl Made {
    pub(super) fn clear(&mut self) {
        self.text.clear();
        self.leaves.clear();
    }

    pub(super) fn len(&self) -> usize {
        self.leaves.len()
    }

    fn push(&mut self, field: usize, (kind, fate): (Kind, Fate), text: &str, loss: Option<String>) {
        let from = self.text.len() as u32;
        self.text.push_str(text);
        let value = Some((from, self.text.len() as u32));
        let loss = loss.map(String::into_boxed_str);
        self.leaves.push(MadeLeaf { field: field as u16, kind, fate, value, loss });
    }

    /// The only field of a rule, with the whole value as it was.
    fn push_unchanged(&mut self, kind: Kind, fate: Fate) {
        self.leaves.push(MadeLeaf { field: 0, kind, fate, value: None, loss: None });
    }

    fn value(&self, leaf: &MadeLeaf) -> Option<&str> {
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
struct PlainField<'i> {
    field: &'i Field,
    name: Name,
    is_attribute: bool,
    /// The capture that alone makes its value, with what tells apart what becomes of equal captures.
    capture: Option<(usize, Through)>,
}

/// What a capture goes through until it is the value of a setting.
#[derive(Clone, Copy, Debug)]
enum Through {
    /// From its type to this one, and whether the map has a say in what is written.
    Types(TypeId, bool),
    /// A table as well; fields with tables are told apart by a number.
    Table(u32),
}

impl Through {
    /// A number for what becomes of a capture.
    fn question(self, bound: &Bound<'_>) -> u64 {
        let from = bound.kind.map_or(0xFFFF, |kind| u64::from(kind.0)) | u64::from(bound.whole) << 16;
        from | u64::from(bound.of.is_some()) << 62
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
) -> Rc<[Option<PlainRule<'i>>]> {
    let mut tables = 0;
    let ready = |(rule, number): (&'i Rule, u32)| {
        let plain = rule.as_plain(&crossing.places)?;
        let mut fields = SmallVec::new();
        for field in plain.fields() {
            let capture = match field.template.as_slice() {
                [Piece::Slot { slot, table: None }] => {
                    let mapped = new.schema.entries[usize::from(field.entry)].what.is_mapped();
                    Some((*slot, Through::Types(field.kind, mapped)))
                }
                [Piece::Slot { slot, table: Some(_) }] => {
                    tables += 1;
                    Some((*slot, Through::Table(tables)))
                }
                _ => None,
            };
            let name = tree.intern(field.plain_name()?);
            let is_attribute = is_attribute(new, field.entry);
            // What is remembered is no attribute.
            let capture = capture.filter(|_| plain.whole || !is_attribute);
            fields.push(PlainField { field, name, is_attribute, capture });
        }
        let look_ups: Vec<usize> =
            plain.fields().flat_map(|field| &field.template).filter_map(look_up_of).collect();
        let places =
            rule.place.into_iter().chain(look_ups.iter().map(|&look_up| crossing.look_ups[look_up].place));
        let named = places.flat_map(|place| &crossing.places[place].target).filter_map(TargetStep::kind);
        if fields.len() > usize::from(u16::MAX) {
            return None;
        }
        let mut kinds = fields.iter().map(|field: &PlainField<'_>| field.field.kind).chain(named);
        let waits = kinds.any(|kind| new.types.limits_of_names(kind).is_some());
        Some(PlainRule { rule, number, whole: plain.whole, fields, look_ups, waits })
    };
    crossing.rules.iter().zip(0..).map(ready).collect()
}

impl PlainRule<'_> {
    /// Whether what it makes depends on nothing that other rows do.
    pub(super) fn can_be_made_ahead(&self) -> bool {
        !self.waits
    }
}

impl<'i> Apply<'_, 'i, '_> {
    /// Does what a plain rule says; says whether it fits.
    pub(super) fn fire_plain(&mut self, index: u32, row: Row, plain: &PlainRule<'i>) -> bool {
        let mut made = std::mem::take(&mut self.made);
        made.clear();
        let fits = self.make(index, row, plain, &mut made);
        let fires = self.finish_plain(index, row, plain, &fits, (&made, 0..made.len()));
        self.made = made;
        fires
    }

    /// Writes what a plain rule made of a row, if it fits.
    pub(super) fn finish_plain(
        &mut self,
        index: u32,
        row: Row,
        plain: &PlainRule<'i>,
        fits: &Fits,
        (made, leaves): (&Made, Range<usize>),
    ) -> bool {
        match fits {
            Fits::No => return false,
            Fits::Yes => self.write_made(index, row, plain, made, &made.leaves[leaves]),
            Fits::Fails(failure) => {
                self.fail(index, DecidedBy::Rule(plain.number), failure);
                self.want(plain.rule, &smallvec![Some(index)]);
            }
        }
        true
    }

    /// What a plain rule makes of a row, behind what was made before. Nothing is written yet.
    pub(super) fn make(&mut self, index: u32, row: Row, plain: &PlainRule<'i>, made: &mut Made) -> Fits {
        let rule = plain.rule;
        let instance = match rule.place {
            Some(place) => match self.instance(place, row.node) {
                Some(instance) => Some(instance),
                None => return Fits::No,
            },
            None => None,
        };
        let bound = Bound {
            row: Some(index),
            text: self.tree.value(row.node),
            kind: row.type_id(self.step.old(), self.automaton),
            whole: true,
            of: self.mapped_entry(row),
        };
        let done = if plain.whole {
            self.make_whole(&bound, plain, made)
        } else {
            let mut slots: Slots<'i> = smallvec![None; rule.slots];
            if let Some(instance) = &instance {
                slots[..instance.slots.len()].copy_from_slice(&instance.slots);
            }
            if !self.bind_clause(&rule.clauses[0], row, bound, &mut slots) {
                return Fits::No;
            }
            self.make_fields(plain, &slots, instance.as_deref(), made)
        };
        done.map_or_else(Fits::Fails, |()| Fits::Yes)
    }

    /// A value as a whole becomes one setting.
    fn make_whole(
        &mut self,
        bound: &Bound<'i>,
        plain: &PlainRule<'i>,
        made: &mut Made,
    ) -> Result<(), Failure> {
        let [PlainField { field, capture: Some((_, through)), .. }] = plain.fields.as_slice() else {
            return Ok(());
        };
        let question = through.question(bound);
        let remembers = remembers(&self.step);
        if let Some((written, kind, fate)) = self.converted.find(question, bound.text).filter(|_| remembers) {
            match written {
                Some(written) => made.push(0, (*kind, *fate), written, None),
                None => made.push_unchanged(*kind, *fate),
            }
            return Ok(());
        }
        let mut text = std::mem::take(&mut self.scratch);
        text.clear();
        let (kind, fate, loss) = self.step.convert_into(bound, field.kind, Some(field.entry), &mut text)?;
        if loss.is_none() {
            self.converted.keep(question, bound.text, (changed(&text, bound), kind, fate));
        }
        if text == bound.text && loss.is_none() {
            made.push_unchanged(kind, fate);
        } else {
            made.push(0, (kind, fate), &text, loss.map(|Loss(loss)| loss));
        }
        self.scratch = text;
        Ok(())
    }

    /// Parts of a value become settings, all or none.
    fn make_fields(
        &mut self,
        plain: &PlainRule<'i>,
        slots: &[Option<Bound<'i>>],
        instance: Option<&Instance<'i>>,
        made: &mut Made,
    ) -> Result<(), Failure> {
        for &number in &plain.look_ups {
            self.ready_look_up(number);
        }
        let (scope, index) = instance.map_or((self.root, 0), |instance| (instance.scope, instance.index));
        let first = made.leaves.len();
        // What each capture is, and the leaf that it became, where that was not known yet.
        let mut learned: SmallVec<[(u64, Bound<'i>, usize); 2]> = SmallVec::new();
        let mut text = std::mem::take(&mut self.scratch);
        let hand = Hand::new(self.here(plain.rule, slots, scope, index), &self.look_ups);
        for (number, PlainField { field, capture, .. }) in plain.fields.iter().enumerate() {
            if field_slots(field).next().is_some() && field_slots(field).all(|slot| slots[slot].is_none()) {
                continue;
            }
            let asked = capture.filter(|_| remembers(&self.step)).and_then(|(slot, through)| {
                let bound = slots[slot]?;
                Some((through.question(&bound), bound))
            });
            let known = asked.and_then(|(question, bound)| self.converted.find(question, bound.text));
            if let (Some((written, kind, fate)), Some((_, bound))) = (known, asked) {
                made.push(number, (*kind, *fate), written.as_deref().unwrap_or(bound.text), None);
                continue;
            }
            text.clear();
            match hand.prepare(field, text) {
                Ok(Some(ready)) => {
                    if let Some((question, bound)) = asked.filter(|_| ready.loss.is_none()) {
                        learned.push((question, bound, made.leaves.len()));
                    }
                    made.push(number, (ready.kind, ready.fate), &ready.text, ready.loss);
                    text = ready.text;
                }
                Ok(None) => text = String::new(),
                Err(failure) => {
                    made.leaves.truncate(first);
                    return Err(failure);
                }
            }
        }
        self.scratch = text;
        for (question, bound, leaf) in learned {
            let leaf = &made.leaves[leaf];
            let written = made.value(leaf).and_then(|text| changed(text, &bound));
            self.converted.keep(question, bound.text, (written, leaf.kind, leaf.fate));
        }
        Ok(())
    }

    /// Writes what was made, all or nothing, and settles the fate of its row.
    fn write_made(&mut self, index: u32, row: Row, plain: &PlainRule<'i>, made: &Made, leaves: &[MadeLeaf]) {
        let by = DecidedBy::Rule(plain.number);
        let instance = plain.rule.place.and_then(|place| Some((self.instance(place, row.node)?, place)));
        let mut landings: SmallVec<[Landing; 4]> = SmallVec::new();
        if let Err(failure) =
            self.write_leaves(row.node, plain, instance.as_ref(), (made, leaves), &mut landings)
        {
            self.fail(index, by, &failure);
            return self.want(plain.rule, &smallvec![Some(index)]);
        }
        let joined = instance.is_some_and(|(instance, _)| instance.joined.get());
        if joined || landings.len() > 1 {
            // What was replaced by the map in one of them was in all.
            let remapped = landings.iter().any(|landing| landing.fate == Fate::Remapped);
            let together = if remapped { Fate::Remapped } else { Fate::Folded };
            for landing in &mut landings {
                landing.fate = if landing.fate > Fate::Folded { landing.fate } else { together };
            }
        }
        self.set(index, Fate::Moot, by, &landings);
        for loss in leaves.iter().filter_map(|leaf| leaf.loss.as_deref()) {
            self.note_loss(index, Some(plain.rule.at.line), loss);
        }
    }

    fn write_leaves(
        &mut self,
        node: NodeId,
        plain: &PlainRule<'i>,
        instance: Option<&(Rc<Instance<'i>>, usize)>,
        (made, leaves): (&Made, &[MadeLeaf]),
        landings: &mut SmallVec<[Landing; 4]>,
    ) -> Result<(), Failure> {
        let at = match instance {
            Some((instance, place)) => self.target_of(instance, *place)?,
            None => self.draft.root(),
        };
        let old = self.tree.value(node);
        let is_taken = |draft: &mut Draft<'_, '_>, leaf: &MadeLeaf| {
            let name = plain.fields[usize::from(leaf.field)].name;
            draft.is_taken(at, name, made.value(leaf).unwrap_or(old))
        };
        if leaves.len() > 1 && leaves.iter().any(|leaf| is_taken(&mut self.draft, leaf)) {
            return Err(taken());
        }
        for leaf in leaves {
            let field = &plain.fields[usize::from(leaf.field)];
            let value = match (made.value(leaf), self.tree.value_span(node)) {
                (Some(text), _) => Text::Decoded(text),
                // What is spelled as before is not copied: the new tree shares the input.
                (None, Some(span)) if leaf.fate == Fate::Carried => Text::Borrowed(span),
                (None, _) => Text::Decoded(old),
            };
            let kind = if field.is_attribute { Kind::Attribute } else { leaf.kind };
            let node = self.draft.named_leaf(at, field.name, kind, value).map_err(|Taken| taken())?;
            landings.push(Landing { node, fate: leaf.fate });
        }
        Ok(())
    }
}

/// What a capture is written as, if that is not as it was.
fn changed(text: &str, bound: &Bound<'_>) -> Option<Box<str>> {
    (text != bound.text).then(|| text.into())
}
