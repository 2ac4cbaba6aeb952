//! What is given several times in one place, by the manners of its line.

use crate::ids::{EntryId, RowId};
use crate::language::profile::{Profile, Repeats, What};
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, RowKind};
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashMap;

/// Why a row does not hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Overruled {
    /// Another one in the same place holds.
    ByAnother,
    /// The line refuses a second one.
    Refused,
}

/// For each row whether something in the same place overrules it; empty where the platform does not care.
pub(super) fn overruled(
    tree: &Tree<'_>,
    profile: &Profile,
    automaton: &Automaton,
    reading: &Inventory,
) -> Vec<Option<Overruled>> {
    let decides = |what: &What| matches!(what.repeats(), Repeats::First | Repeats::Last | Repeats::Error);
    if !profile.schema.entries.iter().any(|entry| decides(&entry.what)) {
        return Vec::new();
    }
    let mut found = vec![None; reading.rows.len()];
    // What is in one place, in the order of the backup.
    let mut places: FxHashMap<(NodeId, EntryId, Vec<&str>), Vec<RowId>> = FxHashMap::default();
    // A declaration may be of several names, which are no repeats of one another.
    for (index, row) in reading.numbered() {
        let Some(entry) = automaton.accepted(row.accept).entry else { continue };
        let what = &profile.schema[entry].what;
        if !decides(what) || what.is_object() != (row.kind == RowKind::Object) {
            continue;
        }
        let keys = match what {
            What::Object { keys, .. } => keys.as_slice(),
            What::Setting { .. } => &[],
        };
        let key = |key: &String| tree.child(row.node, key).map_or("", |at| tree.value(at).trim_ascii());
        let (holder, name) = tree.holder(row.node);
        places.entry((holder, entry, keys.iter().map(key).chain([name]).collect())).or_default().push(index);
    }
    for ((_, entry, _), rows) in places {
        let (why, overruled) = match (profile.schema[entry].what.repeats(), rows.as_slice()) {
            (Repeats::First, [_, rest @ ..]) | (Repeats::Last, [rest @ .., _]) => {
                (Overruled::ByAnother, rest)
            }
            (_, [_, rest @ ..]) => (Overruled::Refused, rest),
            (_, []) => continue,
        };
        for &row in overruled {
            match reading.rows[row.index()].kind {
                RowKind::Setting => found[row.index()] = Some(why),
                RowKind::Object => {
                    for below in reading.rows_below(reading.rows[row.index()].node, tree) {
                        found[below.index()] = Some(why);
                    }
                }
            }
        }
    }
    found
}
