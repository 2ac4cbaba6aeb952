//! Plain rules: those that only move one setting, or parts of it, to places of its own object. Nearly all rows of a
//! large backup fall to them, so they do without what rules in general need.

use super::apply::{Apply, field_slots};
use super::draft::Taken;
use super::fire::{look_up_of, taken};
use super::same_line::is_attribute;
use super::scopes::{Instance, Slots};
use super::value::{Bound, Failure, Hand, Prepared};
use crate::crossing::{Crossing, Field, Piece, Rule};
use crate::fate::Fate;
use crate::ledger::{DecidedBy, Landing};
use crate::profile::Profile;
use crate::reading::Row;
use crate::tree::{Kind, Name, NodeId, Text, Tree};
use crate::typing::{Loss, TypeId};
use smallvec::{SmallVec, smallvec};
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
    /// From its type to this one.
    Types(TypeId),
    /// A table as well; fields with tables are told apart by a number.
    Table(u32),
}

impl Through {
    /// A number for what becomes of a capture.
    fn question(self, bound: &Bound<'_>) -> u64 {
        let from = bound.kind.map_or(0xFFFF, |kind| u64::from(kind.0)) | u64::from(bound.whole) << 16;
        from | match self {
            Self::Types(to) => u64::from(to.0) << 17,
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
                [Piece::Slot { slot, table: None }] => Some((*slot, Through::Types(field.kind))),
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
        let look_ups = plain.fields().flat_map(|field| &field.template).filter_map(look_up_of).collect();
        Some(PlainRule { rule, number, whole: plain.whole, fields, look_ups })
    };
    crossing.rules.iter().zip(0..).map(ready).collect()
}

impl<'i> Apply<'_, 'i, '_> {
    /// Does what a plain rule says; says whether it fits.
    pub(super) fn fire_plain(&mut self, index: u32, row: Row, plain: &PlainRule<'i>) -> bool {
        let rule = plain.rule;
        let instance = match rule.place {
            Some(place) => match self.instance(place, row.node) {
                Some(instance) => Some((instance, place)),
                None => return false,
            },
            None => None,
        };
        let by = DecidedBy::Rule(plain.number);
        let bound = Bound {
            row: Some(index),
            text: self.tree.value(row.node),
            kind: row.type_id(self.step.old(), self.automaton),
            whole: true,
        };
        let mut landings: SmallVec<[Landing; 4]> = SmallVec::new();
        let done = if plain.whole {
            self.move_whole(row.node, &bound, plain, instance.as_ref(), &mut landings)
        } else {
            let mut slots: Slots<'i> = smallvec![None; rule.slots];
            if let Some((instance, _)) = &instance {
                slots[..instance.slots.len()].copy_from_slice(&instance.slots);
            }
            if !self.bind_clause(&rule.clauses[0], row, bound, &mut slots) {
                return false;
            }
            self.move_fields(plain, &slots, instance.as_ref(), &mut landings)
        };
        match done {
            Ok(losses) => {
                let joined = instance.is_some_and(|(instance, _)| instance.joined.get());
                if joined || landings.len() > 1 {
                    landings.iter_mut().for_each(|landing| landing.fate = landing.fate.max(Fate::Folded));
                }
                self.set(index, Fate::Moot, by, &landings);
                for loss in losses {
                    self.note_loss(index, Some(rule.at.line), &loss);
                }
            }
            Err(failure) => self.fail(index, by, &failure),
        }
        true
    }

    /// A value as a whole becomes one setting; gives back what it lost.
    fn move_whole(
        &mut self,
        node: NodeId,
        bound: &Bound<'i>,
        plain: &PlainRule<'i>,
        instance: Option<&(Rc<Instance<'i>>, usize)>,
        landings: &mut SmallVec<[Landing; 4]>,
    ) -> Result<Vec<String>, Failure> {
        let [PlainField { field, name, is_attribute, capture: Some((_, through)) }] = plain.fields.as_slice()
        else {
            return Ok(Vec::new());
        };
        let question = through.question(bound);
        let mut text = self.spare.pop().unwrap_or_default();
        let (kind, fate, loss) = match self.converted.find(question, bound.text) {
            Some((written, kind, fate)) => {
                text.push_str(written.as_deref().unwrap_or(bound.text));
                (*kind, *fate, None)
            }
            None => {
                let (kind, fate, loss) = self.step.convert_into(bound, field.kind, &mut text)?;
                if loss.is_none() {
                    self.converted.keep(question, bound.text, (changed(&text, bound), kind, fate));
                }
                (kind, fate, loss)
            }
        };
        let at = self.home(instance)?;
        // What is spelled as before is not copied: the new tree shares the input.
        let value = match self.tree.value_span(node) {
            Some(span) if fate == Fate::Carried && text.len() == bound.text.len() => Text::Borrowed(span),
            _ => Text::Decoded(&text),
        };
        let kind = if *is_attribute { Kind::Attribute } else { kind };
        let node = self.draft.named_leaf(at, *name, kind, value).map_err(|Taken| taken())?;
        landings.push(Landing { node, fate });
        self.spare(text);
        Ok(loss.map(|Loss(loss)| loss).into_iter().collect())
    }

    /// Parts of a value become settings, all or none; gives back what each lost.
    fn move_fields(
        &mut self,
        plain: &PlainRule<'i>,
        slots: &[Option<Bound<'i>>],
        instance: Option<&(Rc<Instance<'i>>, usize)>,
        landings: &mut SmallVec<[Landing; 4]>,
    ) -> Result<Vec<String>, Failure> {
        for &number in &plain.look_ups {
            self.ready_look_up(number);
        }
        let (scope, index) =
            instance.map_or((self.root, 0), |(instance, _)| (instance.scope, instance.index));
        let mut prepared: SmallVec<[(Name, Prepared); 2]> = SmallVec::new();
        // What each capture is and becomes, where that was not known yet.
        let mut learned: SmallVec<[(u64, Bound<'i>, usize); 2]> = SmallVec::new();
        let mut spare = std::mem::take(&mut self.spare);
        let hand = Hand::new(self.here(plain.rule, slots, scope, index), &self.look_ups);
        for PlainField { field, name, capture, .. } in &plain.fields {
            if field_slots(field).next().is_some() && field_slots(field).all(|slot| slots[slot].is_none()) {
                continue;
            }
            let mut text = spare.pop().unwrap_or_default();
            let asked = capture.and_then(|(slot, through)| {
                let bound = slots[slot]?;
                Some((through.question(&bound), bound))
            });
            let known = asked.and_then(|(question, bound)| self.converted.find(question, bound.text));
            if let (Some((written, kind, fate)), Some((_, bound))) = (known, asked) {
                text.push_str(written.as_deref().unwrap_or(bound.text));
                prepared.push((*name, Prepared { text, kind: *kind, fate: *fate, loss: None }));
                continue;
            }
            if let Some(ready) = hand.prepare(field, text)? {
                if let Some((question, bound)) = asked.filter(|_| ready.loss.is_none()) {
                    learned.push((question, bound, prepared.len()));
                }
                prepared.push((*name, ready));
            }
        }
        self.spare = spare;
        for (question, bound, number) in learned {
            let Prepared { text, kind, fate, .. } = &prepared[number].1;
            self.converted.keep(question, bound.text, (changed(text, &bound), *kind, *fate));
        }
        let at = self.home(instance)?;
        // All of them or none.
        if prepared.len() > 1
            && prepared.iter().any(|(name, ready)| self.draft.is_taken(at, *name, &ready.text))
        {
            return Err(taken());
        }
        let mut losses = Vec::new();
        for (name, Prepared { text, kind, fate, loss }) in prepared {
            let node =
                self.draft.named_leaf(at, name, kind, Text::Decoded(&text)).map_err(|Taken| taken())?;
            landings.push(Landing { node, fate });
            losses.extend(loss);
            self.spare(text);
        }
        Ok(losses)
    }

    fn spare(&mut self, mut text: String) {
        text.clear();
        self.spare.push(text);
    }

    /// Where the settings of an instance stand, or those of no place.
    fn home(&mut self, instance: Option<&(Rc<Instance<'i>>, usize)>) -> Result<NodeId, Failure> {
        match instance {
            Some((instance, place)) => self.target_of(instance, *place),
            None => Ok(self.draft.root()),
        }
    }
}

/// What a capture is written as, if that is not as it was.
fn changed(text: &str, bound: &Bound<'_>) -> Option<Box<str>> {
    (text != bound.text).then(|| text.into())
}
