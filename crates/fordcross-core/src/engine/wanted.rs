//! Objects that something is written to although no rule of theirs fits: they are made for it.

use super::branches::holder;
use super::capture::Capture;
use super::fire::path;
use super::instance::Instance;
use super::matcher::Fit;
use super::outcome::{Engine, Rows};
use super::reading::Reading;
use super::render::Renderer;
use crate::ids::PlaceId;
use crate::language::crossing::{Action, RuleId, Start};
use crate::ledger::Wanted;
use crate::tree::NodeId;
use smallvec::SmallVec;

impl<'i> Engine<'_, 'i, '_> {
    /// Finds where rules would have written. What is not there is not made for that.
    pub(super) fn find_wanted(&mut self) {
        for (rule, fit) in std::mem::take(&mut self.pending.unwritten) {
            self.find_wanted_of(rule, &fit);
        }
    }

    fn find_wanted_of(&mut self, rule_id: RuleId, fit: &Fit) {
        let rule = self.program.rule(rule_id);
        let Action::Move(targets) = &rule.action else { return self.find_wanted_of_branch(rule_id, fit) };
        let Some(first) = fit.iter().flatten().next().copied() else { return };
        let rows: Rows = fit.iter().flatten().copied().collect();
        let node = self.program.row(first).node;
        let Some(Reading { slots, .. }) = self.matcher.bind(rule, fit).into_iter().next() else { return };
        let instance = rule.place.and_then(|place| self.matcher.instance(place, node));
        let home = match (&instance, rule.place) {
            (Some(instance), Some(place)) => self.made_target(instance, place),
            _ => Some(self.draft.root()),
        };
        let (scope, index) =
            instance.as_deref().map_or((self.program.root, 0), |instance| (instance.scope, instance.index));
        for target in targets {
            let start = match &target.start {
                Some(start) => self.made_start(start, &slots, node),
                None if target.top => Some(self.draft.root()),
                None => home,
            };
            let Some(start) = start else { continue };
            let mut paths: SmallVec<[String; 2]> = SmallVec::new();
            {
                let hand =
                    Renderer::new(self.matcher.here(rule, &slots, scope, index), &self.matcher.look_ups);
                let Ok(base) = path(&hand, &target.base) else { continue };
                for field in &target.fields {
                    let Ok(names) = path(&hand, &field.path) else { continue };
                    let names: Vec<&str> = base.iter().chain(&names).map(|(name, _)| name.as_ref()).collect();
                    paths.push(names.join("/"));
                }
            }
            for path in paths {
                for &row in &rows {
                    self.wanted.push(Wanted { node: start, path: path.as_str().into(), row });
                }
            }
        }
    }

    /// The same of what would have gone with its branch.
    fn find_wanted_of_branch(&mut self, rule: RuleId, fit: &Fit) {
        let tree = self.program.tree;
        for row in fit.iter().flatten().copied() {
            let node = self.program.row(row).node;
            let above = std::iter::successors(Some(holder(tree, node)), |at| {
                (*at != NodeId::DOCUMENT).then(|| holder(tree, *at))
            });
            let made = above.into_iter().find_map(|at| {
                let known = self.pending.branches.get(&(rule, at))?;
                Some((*known, tree.names_on_way(at).len()))
            });
            if let Some((made, depth)) = made {
                let path = tree.names_on_way(node)[depth..].join("/");
                self.wanted.push(Wanted { node: made, path: path.into(), row });
            }
        }
    }

    /// The node that the settings of a place's scope are in, if it is there.
    pub(super) fn made_target(&mut self, instance: &Instance<'i>, place: PlaceId) -> Option<NodeId> {
        let made = instance.target.get().or_else(|| self.targets.get(&(place, instance.scope)).copied());
        let declared = &self.program.step.leg.crossing.places[place.index()];
        if made.is_some() {
            return made;
        }
        let names = instance.names.as_ref().ok()?;
        let from = match &declared.start {
            Some(start) => self.made_start(start, &instance.slots, instance.scope)?,
            None => self.draft.root(),
        };
        names
            .iter()
            .zip(&declared.target)
            .try_fold(from, |at, ((name, _), step)| self.draft.tree.child(at, name).filter(|_| !step.append))
    }

    /// Where an object of another place went, if it is there.
    pub(super) fn made_start(
        &mut self,
        start: &Start,
        slots: &[Option<Capture<'i>>],
        node: NodeId,
    ) -> Option<NodeId> {
        let (instance, place) = self.matcher.started(start, slots, node)?;
        self.made_target(&instance, place)
    }
}
