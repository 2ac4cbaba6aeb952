//! The names that a backup has in typed settings, and what the map makes of them: whether two become one, whether one is
//! in use already, and whether everything is still held by what held it.

use super::Exempt;
use super::entry::{Except, Reported};
use super::facts::MapEffect;
use crate::finding::Finding;
use crate::ids::{EntryId, RowId};
use crate::language::expression::Evaluator;
use crate::language::profile::{Profile, What};
use crate::language::typing::{Form, Value};
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, ObjectId, RowKind};
use crate::scan::surroundings::Scope;
use crate::tree::NodeId;
use aho_corasick::{AhoCorasick, AhoCorasickKind};
use ipnet::IpNet;
use rustc_hash::FxHashSet;
use std::net::IpAddr;

/// The names of a backup that a person can map, by kind.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct UsedNames(pub(super) Vec<UsedOfKind>);

/// Those of one kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct UsedOfKind {
    /// The map file's table.
    pub(super) table: &'static str,
    /// What a person gives them.
    pub(super) invitation: &'static str,
    pub(super) names: Vec<UsedName>,
}

/// A name with how often it is named.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UsedName {
    /// As the backup has it.
    pub name: String,
    /// How many settings name it, or something in it.
    pub settings: usize,
    /// What is worth a look about it.
    pub mark: Option<String>,
}

/// A value of a setting that the map has a say in.
#[derive(Debug)]
pub(super) struct SeenValue<'s> {
    /// The number of its row.
    pub(super) row: RowId,
    /// The number of its declaration, or [`EntryId::NONE`].
    pub(super) entry: EntryId,
    pub(super) value: Value<'s>,
}

/// All values of a backup that the map has a say in, in its order.
pub(crate) struct Seen<'s> {
    pub(super) values: Vec<SeenValue<'s>>,
    pub(super) backup: &'s Backup<'s>,
    pub(super) old: &'s Profile,
    pub(super) reading: &'s Inventory,
    /// The file's name, and what has no say where, once there is a map.
    pub(super) map: Option<(&'s str, &'s Exempt)>,
}

/// All values in typed settings that the map has a say in, in the order of the backup.
pub(super) fn values_of<'s>(
    backup: &'s Backup<'_>,
    profile: &'s Profile,
    automaton: &Automaton,
    reading: &Inventory,
) -> Vec<SeenValue<'s>> {
    let mut values = Vec::new();
    // Asked once for each place that the profile knows.
    let can: Vec<bool> = automaton
        .all_accepted()
        .map(|accepted| {
            let what = accepted.entry.map(|entry| &profile.schema[entry].what);
            what.is_some_and(|what| {
                what.is_mapped() && what.setting().is_some_and(|kind| profile.types.can_be_mapped(kind))
            })
        })
        .collect();
    let lengths: Vec<bool> = automaton
        .all_accepted()
        .map(|accepted| {
            let what = accepted.entry.map(|entry| &profile.schema[entry].what);
            let kind = what.and_then(What::setting);
            kind.is_some_and(|kind| matches!(profile.types.get(kind).form, Form::PrefixLength { .. }))
        })
        .collect();
    // An address and the length of its network can be two settings of one object.
    let mut pair: (Option<ObjectId>, Option<IpAddr>, Option<u8>) = (None, None, None);
    for (index, row) in reading.numbered() {
        if row.kind != RowKind::Setting || row.object.is_none() && !can[row.accept.0 as usize] {
            continue;
        }
        if pair.0 != row.object {
            pair = (row.object, None, None);
        }
        let is_length = lengths[row.accept.0 as usize];
        if !can[row.accept.0 as usize] && !is_length {
            continue;
        }
        let Some(kind) = row.type_id(profile, automaton) else { continue };
        let entry = automaton.accepted(row.accept).entry.unwrap_or(EntryId::NONE);
        let Ok(value) = profile.types.read(kind, backup.tree.value(row.node)) else { continue };
        match value {
            Value::Address(address) => pair.1 = Some(address),
            Value::PrefixLength(length) => pair.2 = Some(length),
            _ => {}
        }
        if let (Some(address), Some(length)) = (pair.1, pair.2)
            && matches!(value, Value::Address(_) | Value::PrefixLength(_))
            && let Ok(network) = IpNet::new(address, length)
        {
            values.push(SeenValue { row: index, entry, value: Value::Network(network.trunc()) });
        }
        if !is_length {
            values.push(SeenValue { row: index, entry, value });
        }
    }
    values
}

impl<'s> Seen<'s> {
    /// The entries of the map that have no say in settings of a declaration.
    pub(super) fn except(&self, entry: EntryId) -> Except<'s> {
        self.map.map_or(&[], |(_, exempt)| exempt.of(entry, None))
    }

    /// A line of the map file, as `file:line`.
    pub(super) fn at_line(&self, line: u32) -> Option<String> {
        self.map.map(|(file, _)| format!("{file}:{line}"))
    }

    /// That an entry means nothing that the backup has.
    pub(super) fn unused(&self, kind: &'static str, old: &str, line: u32) -> Reported {
        let mut finding = Finding::new(MapEffect::Unused { kind, entry: old.to_owned() });
        finding.map = self.at_line(line);
        (finding, Vec::new())
    }

    /// A mark for names that have the old release in them.
    pub(super) fn mark(&self, name: &str) -> Option<String> {
        let release = self.backup.identity.release.as_str();
        let mut parts = name.split(|c: char| !c.is_ascii_alphanumeric() && c != '.');
        let carries = !release.is_empty() && parts.any(|part| part == release);
        carries.then(|| format!("it carries the old release, {release}"))
    }

    /// Which of some words are in a text of the backup.
    pub(super) fn standing_in_texts<'t>(&self, sought: &'t [String]) -> FxHashSet<&'t str> {
        let builder = &mut AhoCorasick::builder();
        builder.kind(Some(AhoCorasickKind::ContiguousNFA));
        let (Ok(search), false) = (builder.build(sought), sought.is_empty()) else {
            return FxHashSet::default();
        };
        let found = self.texts().flat_map(|text| search.find_overlapping_iter(text));
        found.map(|found| sought[found.pattern().as_usize()].as_str()).collect()
    }

    fn texts(&self) -> impl Iterator<Item = &str> {
        let settings = self.reading.rows.iter().filter(|row| row.kind == RowKind::Setting);
        settings.map(|row| self.backup.tree.value(row.node))
    }

    /// Whether what a row is in keeps somebody out.
    pub(super) fn restricts(&self, row: RowId) -> bool {
        let tree = &self.backup.tree;
        let evaluator = Evaluator::new();
        let mut node = self.reading.rows[row.index()].node;
        while node != NodeId::DOCUMENT {
            let around = Scope {
                tree,
                profile: self.old,
                inheritance: None,
                node,
                pattern: None,
                evaluator: &evaluator,
                gone: None,
                seen: None,
            };
            let names = around.tree.names_on_way(node);
            let rules = self.old.rules.objects.iter().filter(|rule| rule.head.pattern.fits(&names));
            let holds = |rule: &crate::language::profile::ObjectRule| {
                let here = Scope { pattern: Some(&rule.head.pattern), ..around };
                rule.restricts_if.as_ref().is_some_and(|when| when.holds(&here))
            };
            if rules.into_iter().any(holds) {
                return true;
            }
            node = tree.parent(node);
        }
        false
    }
}
