//! What a map says, held against the backup.

use super::entry::Reported;
use super::seen::{Seen, UsedNames, UsedOfKind, values_of};
use super::{Exempt, MapKind, Mapping};
use crate::finding::{Finding, Findings, Location, Site};
use crate::ids::RowId;
use crate::language::profile::Profile;
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, Scan};
use crate::scan::locator::Labeler;

/// The names of a backup, for a person to map.
pub fn used_names<'s>(backup: &'s Backup<'s>, profile: &'s Profile, walk: &'s Scan) -> UsedNames {
    let Scan { automaton, reading } = walk;
    let values = values_of(backup, profile, automaton, reading);
    let seen = Seen { values, backup, old: profile, reading, map: None };
    // As a map file has its tables.
    let of_kind = |kind: &MapKind| {
        let kind = kind.nothing();
        UsedOfKind { table: kind.table(), invitation: kind.invitation(), names: kind.used(&seen) }
    };
    UsedNames(MapKind::ALL.iter().rev().map(of_kind).collect())
}

/// What is checked of the map against the backup.
pub(crate) struct Checked<'c, 'a> {
    pub(crate) backup: &'c Backup<'a>,
    pub(crate) old: &'c Profile,
    pub(crate) automaton: &'c mut Automaton,
    pub(crate) reading: &'c Inventory,
    pub(crate) mapping: &'c Mapping,
    pub(crate) exempt: &'c Exempt,
}

impl Checked<'_, '_> {
    /// What is wrong with the map, seen from the backup.
    pub(crate) fn findings(&mut self) -> Findings {
        let Self { backup, old, reading, mapping, exempt, .. } = *self;
        if mapping.has_no_entries() {
            return Findings::new();
        }
        let values = values_of(backup, old, self.automaton, reading);
        let seen = Seen { values, backup, old, reading, map: Some((&mapping.file, exempt)) };
        let mut found: Vec<Reported> = Vec::new();
        found.extend(mapping.kinds().flat_map(|kind| kind.unused(&seen)));
        found.extend(mapping.kinds().flat_map(|kind| kind.collisions(&seen)));
        found.extend(mapping.kinds().flat_map(|kind| kind.displaced(&seen)));
        self.at_their_places(found)
    }

    fn at_their_places(&mut self, found: Vec<(Finding, Vec<RowId>)>) -> Findings {
        let tree = &self.backup.tree;
        let lines = self.backup.lines();
        let mut labels = Labeler::new(tree, &self.old.schema, Some(&self.reading.ordinals), self.automaton);
        let mut all = Findings::new();
        for (mut finding, rows) in found {
            let mut sites = Vec::new();
            for row in rows.into_iter().take(8) {
                let node = self.reading.rows[row.index()].node;
                sites.push(Site {
                    location: Some(Location::indexed(&lines, tree.span(node))),
                    locator: Some(labels.label(node, self.automaton).to_owned()),
                });
            }
            finding.put_at(sites);
            all.push(finding);
        }
        all
    }
}
