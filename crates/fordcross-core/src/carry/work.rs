//! The steps around the import, from the profiles of both platforms and the crossings.

use super::CarryInput;
use crate::account::StepMade;
use crate::finding::count;
use crate::language::phase::Phase;
use crate::language::profile::{Trial, UnitSide};
use crate::ledger::Ledger;
use crate::ledger::fate::Fate;
use crate::scan::inventory::RowKind;

/// The steps of the work in their order. Those of the platforms are around those of the crossings.
pub(super) fn work(input: &CarryInput<'_, '_>, first: &StepMade, ledger: &Ledger) -> Vec<(Phase, String)> {
    let old = &input.course[0].old;
    let new = &input.course[input.course.len() - 1].new;
    let tree = &input.backup.tree;
    let steps = |profile: &'_ crate::language::profile::Profile, side| -> Vec<(Phase, String)> {
        let of_side = profile.runbook.steps.iter().filter(|step| step.side == side);
        of_side.map(|step| (step.phase, step.text.clone())).collect()
    };
    let mut work = steps(old, UnitSide::Old);
    work.extend(ledger.work.iter().cloned());
    for service in &old.runbook.services {
        if !service.pattern.nodes_in(tree).is_empty() {
            work.push((Phase::At, format!("{} is down: {}", service.name, service.stops)));
        }
    }
    work.extend(steps(new, UnitSide::New));
    let trial = |trial: &Trial| (Phase::Before, format!("try the result: `{}`; {}", trial.run, trial.what));
    work.extend(new.runbook.trials.iter().map(trial));
    for dependant in &old.runbook.dependants {
        let rows = dependant
            .pattern
            .nodes_in(tree)
            .into_iter()
            .flat_map(|node| first.reading.rows_below(node, tree));
        let settings = rows.filter(|&row| first.reading.row(row).kind == RowKind::Setting);
        let changed = settings.filter(|&row| is_changed(ledger.decisions[row.index()].fate)).count();
        if changed > 0 {
            let settings = count(changed, "setting");
            let text = format!("{} ({settings} that it uses changed): {}", dependant.what, dependant.text);
            work.push((Phase::After, text));
        }
    }
    work.sort_by_key(|(phase, _)| *phase);
    work
}

/// Whether the new unit is not, or not surely, set as the old one was.
fn is_changed(fate: Fate) -> bool {
    !matches!(fate, Fate::Carried | Fate::Recast | Fate::Folded | Fate::Moot | Fate::Protection)
}
