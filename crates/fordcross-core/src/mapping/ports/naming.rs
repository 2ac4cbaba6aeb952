//! Which rows of a backup name ports.

use crate::ids::RowId;
use crate::language::profile::{Profile, What, names_port};
use crate::language::typing::TypeId;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, Naming, Row, RowKind};
use crate::tree::Tree;
use rustc_hash::FxHashMap;

/// Which rows name ports, and which.
fn naming_of(tree: &Tree<'_>, profile: &Profile, automaton: &Automaton, reading: &Inventory) -> Naming {
    // What is asked of millions of rows is answered once for each place that the profile knows.
    let kinds: Vec<[Option<TypeId>; 2]> = automaton
        .all_accepted()
        .map(|accepted| {
            let what = accepted.entry.map(|entry| &profile.schema[entry].what);
            let name = what.and_then(|what| match what {
                What::Object { name, .. } => *name,
                What::Setting { .. } => None,
            });
            [what.and_then(What::setting), name]
                .map(|kind| kind.filter(|kind| names_port(&profile.types, *kind)))
        })
        .collect();
    let mut naming = Naming::default();
    let mut known: FxHashMap<(TypeId, &str), Option<u32>> = FxHashMap::default();
    for (index, row) in reading.numbered() {
        let [setting, name] = kinds[row.accept.0 as usize];
        let (kind, text) = match (row.kind, setting, name) {
            (RowKind::Setting, Some(kind), _) => (kind, tree.value(row.node)),
            (RowKind::Object, _, Some(kind)) => (kind, tree.name(row.node)),
            _ => continue,
        };
        let named = known.entry((kind, text)).or_insert_with(|| {
            let mut ports = Vec::new();
            if let Ok(value) = profile.types.read(kind, text) {
                value.ports(&mut |port| ports.push(port.to_owned()));
            }
            (!ports.is_empty()).then(|| {
                naming.ports.push(ports);
                naming.ports.len() as u32 - 1
            })
        });
        naming.rows.extend(named.map(|named| (index, named)));
    }
    naming
}

/// Calls `each` with every row that names ports, its number and the ports, in their order. A value that cannot be
/// read as its type names none.
pub(crate) fn each_naming_row(
    tree: &Tree<'_>,
    profile: &Profile,
    automaton: &Automaton,
    reading: &Inventory,
    each: &mut dyn FnMut(RowId, Row, &[String]),
) {
    let naming = reading.naming.get_or_init(|| naming_of(tree, profile, automaton, reading));
    for &(index, named) in &naming.rows {
        each(index, reading.row(index), &naming.ports[named as usize]);
    }
}
