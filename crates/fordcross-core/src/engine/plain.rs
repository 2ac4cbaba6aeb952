//! Writing what plain rules made of rows.

use super::capture::Failure;
use super::draft::{Conflict, Draft};
use super::instance::Instance;
use super::outcome::Engine;
use super::plain_rule::{Evaluated, EvaluatedLeaf, Fits, PlainRule};
use crate::ids::{PlaceId, RowId};
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Landing};
use crate::scan::inventory::Row;
use crate::tree::{Kind, NodeId, Text};
use smallvec::{SmallVec, smallvec};
use std::ops::Range;
use std::rc::Rc;

impl<'i> Engine<'_, 'i, '_> {
    /// Applies a plain rule. Returns whether it fits.
    pub(super) fn fire_plain(&mut self, index: RowId, row: Row, plain: &PlainRule<'i>) -> bool {
        let mut made = std::mem::take(&mut self.made);
        made.clear();
        let fits = self.matcher.make(index, row, plain, &mut made);
        let fires = self.finish_plain(index, row, plain, &fits, (&made, 0..made.len()));
        self.made = made;
        fires
    }

    /// Writes what a plain rule made of a row, if it fits.
    pub(super) fn finish_plain(
        &mut self,
        index: RowId,
        row: Row,
        plain: &PlainRule<'i>,
        fits: &Fits,
        (made, leaves): (&Evaluated, Range<usize>),
    ) -> bool {
        match fits {
            Fits::No => return false,
            Fits::Yes => self.write_made(index, row, plain, made, &made.leaves[leaves]),
            Fits::Fails(failure) => {
                self.fail(index, DecidedBy::Rule(plain.number), failure);
                self.want(plain.number, &smallvec![Some(index)]);
            }
        }
        true
    }

    /// Writes what was made, all or nothing, and settles the fate of its row.
    fn write_made(
        &mut self,
        index: RowId,
        row: Row,
        plain: &PlainRule<'i>,
        made: &Evaluated,
        leaves: &[EvaluatedLeaf],
    ) {
        let by = DecidedBy::Rule(plain.number);
        let instance =
            plain.rule.place.and_then(|place| Some((self.matcher.instance(place, row.node)?, place)));
        let mut landings: SmallVec<[Landing; 4]> = SmallVec::new();
        if let Err(failure) =
            self.write_leaves(row.node, plain, instance.as_ref(), (made, leaves), &mut landings)
        {
            self.fail(index, by, &failure);
            return self.want(plain.number, &smallvec![Some(index)]);
        }
        if landings.len() > 1 {
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
        instance: Option<&(Rc<Instance<'i>>, PlaceId)>,
        (made, leaves): (&Evaluated, &[EvaluatedLeaf]),
        landings: &mut SmallVec<[Landing; 4]>,
    ) -> Result<(), Failure> {
        let at = match instance {
            Some((instance, place)) => self.target_of(instance, *place)?,
            None => self.draft.root(),
        };
        let old = self.program.tree.value(node);
        let is_taken = |draft: &mut Draft<'_, '_>, leaf: &EvaluatedLeaf| {
            let name = plain.fields[usize::from(leaf.field)].name;
            draft.is_taken(at, name, made.value(leaf).unwrap_or(old))
        };
        if leaves.len() > 1 && leaves.iter().any(|leaf| is_taken(&mut self.draft, leaf)) {
            return Err(Failure::conflict());
        }
        for leaf in leaves {
            let field = &plain.fields[usize::from(leaf.field)];
            let value = match (made.value(leaf), self.program.tree.value_span(node)) {
                (Some(text), _) => Text::Decoded(text),
                // What is spelled as before is not copied: the new tree shares the input.
                (None, Some(span)) if leaf.fate == Fate::Carried => Text::Borrowed(span),
                (None, _) => Text::Decoded(old),
            };
            let kind = if field.is_attribute { Kind::Attribute } else { leaf.kind };
            let node =
                self.draft.named_leaf(at, field.name, kind, value).map_err(|Conflict| Failure::conflict())?;
            landings.push(Landing { node, fate: leaf.fate });
        }
        Ok(())
    }
}
