//! What plain rules make of rows. Nothing is written yet.

use super::capture::{Capture, Failure};
use super::instance::{Instance, Slots};
use super::matcher::Matcher;
use super::plain_rule::{Evaluated, Fits, PlainField, PlainRule, remembers};
use super::render::Renderer;
use crate::ids::RowId;
use crate::scan::inventory::Row;
use smallvec::{SmallVec, smallvec};

impl<'i> Matcher<'_, 'i, '_> {
    /// What a plain rule makes of a row, behind what was made before. Nothing is written yet.
    pub(super) fn make(
        &mut self,
        index: RowId,
        row: Row,
        plain: &PlainRule<'i>,
        made: &mut Evaluated,
    ) -> Fits {
        let rule = plain.rule;
        let instance = match rule.place {
            Some(place) => match self.instance(place, row.node) {
                Some(instance) => Some(instance),
                None => return Fits::No,
            },
            None => None,
        };
        let capture = Capture {
            row: Some(index),
            text: self.program.tree.value(row.node),
            ty: row.type_id(self.program.step.old(), self.program.automaton),
            whole: true,
            of: self.program.mapped_entry(row),
        };
        let done = if plain.whole {
            self.make_whole(&capture, plain, made)
        } else {
            let mut slots: Slots<'i> = smallvec![None; rule.slots];
            if let Some(instance) = &instance {
                slots[..instance.slots.len()].copy_from_slice(&instance.slots);
            }
            if !self.program.bind_clause(&rule.clauses[0], row, capture, &mut slots) {
                return Fits::No;
            }
            if !self.tables_have(rule, &slots) {
                return Fits::No;
            }
            self.make_fields(plain, &slots, instance.as_deref(), made)
        };
        done.map_or_else(Fits::Fails, |()| Fits::Yes)
    }

    /// A value as a whole becomes one setting.
    fn make_whole(
        &mut self,
        capture: &Capture<'i>,
        plain: &PlainRule<'i>,
        made: &mut Evaluated,
    ) -> Result<(), Failure> {
        let [PlainField { field, capture: Some((_, through)), .. }] = plain.fields.as_slice() else {
            return Ok(());
        };
        let question = through.question(capture);
        let remembers = remembers(&self.program.step);
        if let Some((written, kind, fate)) = self.converted.find(question, capture.text).filter(|_| remembers)
        {
            match written {
                Some(written) => made.push(0, (*kind, *fate), written, None),
                None => made.push_unchanged(*kind, *fate),
            }
            return Ok(());
        }
        let mut text = std::mem::take(&mut self.scratch);
        text.clear();
        let (kind, fate, loss) =
            self.program.step.convert_into(capture, field.ty, Some(field.entry), &mut text)?;
        // Of several lines is what only some settings can be.
        if loss.is_none() && !text.contains('\n') {
            self.converted.keep(question, capture.text, (changed(&text, capture), kind, fate));
        }
        if text == capture.text && loss.is_none() {
            made.push_unchanged(kind, fate);
        } else {
            made.push(0, (kind, fate), &text, loss);
        }
        self.scratch = text;
        Ok(())
    }

    /// Parts of a value become settings, all or none.
    fn make_fields(
        &mut self,
        plain: &PlainRule<'i>,
        slots: &[Option<Capture<'i>>],
        instance: Option<&Instance<'i>>,
        made: &mut Evaluated,
    ) -> Result<(), Failure> {
        for &number in &plain.look_ups {
            self.ready_look_up(number);
        }
        let (scope, index) =
            instance.map_or((self.program.root, 0), |instance| (instance.scope, instance.index));
        let first = made.leaves.len();
        // What each capture is, and the leaf that it became, where that was not known yet.
        let mut learned: SmallVec<[(u64, Capture<'i>, usize); 2]> = SmallVec::new();
        let mut text = std::mem::take(&mut self.scratch);
        let hand = Renderer::new(self.here(plain.rule, slots, scope, index), &self.look_ups);
        for (number, PlainField { field, capture, .. }) in plain.fields.iter().enumerate() {
            if field.is_left_out(|slot| slots[slot.index()].is_none()) {
                continue;
            }
            let asked = capture.filter(|_| remembers(&self.program.step)).and_then(|(slot, through)| {
                let capture = slots[slot.index()]?;
                Some((through.question(&capture), capture))
            });
            let known = asked.and_then(|(question, capture)| self.converted.find(question, capture.text));
            if let (Some((written, kind, fate)), Some((_, capture))) = (known, asked) {
                made.push(number, (*kind, *fate), written.as_deref().unwrap_or(capture.text), None);
                continue;
            }
            text.clear();
            match hand.prepare(field, text) {
                Ok(Some(ready)) => {
                    if let Some((question, capture)) = asked.filter(|_| ready.loss.is_none()) {
                        learned.push((question, capture, made.leaves.len()));
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
        for (question, capture, leaf) in learned {
            let leaf = &made.leaves[leaf];
            let written = made.value(leaf).and_then(|text| changed(text, &capture));
            if !capture.text.contains('\n') {
                self.converted.keep(question, capture.text, (written, leaf.kind, leaf.fate));
            }
        }
        Ok(())
    }
}

/// What a capture is written as, if that is not as it was.
fn changed(text: &str, capture: &Capture<'_>) -> Option<Box<str>> {
    (text != capture.text).then(|| text.into())
}
