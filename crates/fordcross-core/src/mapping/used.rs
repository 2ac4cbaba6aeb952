//! The paths and addresses that a backup names, and what the map makes of them: whether two become one, whether one is
//! in use already, and whether everything is still held by what held it.

use super::{Except, Exempt, Mapping, NO_ENTRY};
use crate::finding::{Code, Finding, Findings, Place, Severity, Site};
use crate::language::expression::{Evaluator, Networks};
use crate::language::profile::{Profile, What};
use crate::language::typing::{Form, Value};
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, ObjectId, RowKind, Scan};
use crate::scan::locator::Labeler;
use crate::scan::surroundings::Scope;
use crate::tree::NodeId;
use aho_corasick::{AhoCorasick, AhoCorasickKind};
use ipnet::IpNet;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

/// The paths and addresses that a backup names.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct UsedNames {
    /// Paths, those in most settings first.
    pub paths: Vec<UsedName>,
    /// Networks, and addresses that are in none of them.
    pub addresses: Vec<UsedName>,
}

/// A path or address with how often it is named.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UsedName {
    /// As the backup has it.
    pub name: String,
    /// How many settings name it, or something in it.
    pub settings: usize,
    /// What is worth a look about it.
    pub mark: Option<String>,
}

/// One address or network of a backup.
#[derive(Clone, Copy, Debug)]
struct UsedNet {
    net: IpNet,
    /// It holds others: the network of an interface, of a rule.
    holds: bool,
    row: u32,
    entry: u16,
}

/// All addresses, networks and paths in typed settings that the map has a say in, in the order of the backup.
fn each_value(
    backup: &Backup<'_>,
    profile: &Profile,
    automaton: &Automaton,
    reading: &Inventory,
    each: &mut dyn FnMut(u32, u16, &Value<'_>),
) {
    // Asked once for each place that the profile knows.
    let can: Vec<bool> = automaton
        .all_accepted()
        .map(|accepted| {
            let what = accepted.entry.map(|entry| &profile.schema.entries[usize::from(entry)].what);
            what.is_some_and(|what| {
                what.is_mapped() && what.setting().is_some_and(|kind| profile.types.can_be_mapped(kind))
            })
        })
        .collect();
    let lengths: Vec<bool> = automaton
        .all_accepted()
        .map(|accepted| {
            let what = accepted.entry.map(|entry| &profile.schema.entries[usize::from(entry)].what);
            let kind = what.and_then(What::setting);
            kind.is_some_and(|kind| matches!(profile.types.get(kind).form, Form::PrefixLength { .. }))
        })
        .collect();
    // An address and the length of its network can be two settings of one object.
    let mut pair: (Option<ObjectId>, Option<IpAddr>, Option<u8>) = (None, None, None);
    for (row, index) in reading.rows.iter().zip(0..) {
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
        let entry = automaton.accepted(row.accept).entry.unwrap_or(NO_ENTRY);
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
            each(index, entry, &Value::Network(network.trunc()));
        }
        if !is_length {
            each(index, entry, &value);
        }
    }
}

fn each_net(value: &Value<'_>, each: &mut dyn FnMut(IpNet, bool)) {
    match value {
        Value::Address(address) => each(IpNet::from(*address), false),
        Value::Network(network) => each(*network, network.prefix_len() < network.max_prefix_len()),
        Value::Parts(parts) => {
            let address = parts.iter().find_map(|(_, part)| match part {
                Value::Address(address) => Some(*address),
                _ => None,
            });
            let length = parts.iter().find_map(|(_, part)| match part {
                Value::PrefixLength(length) => Some(*length),
                _ => None,
            });
            if let (Some(address), Some(length)) = (address, length)
                && let Ok(network) = IpNet::new(address, length)
            {
                each(network.trunc(), length < network.max_prefix_len());
            }
            parts.iter().for_each(|(_, part)| each_net(part, each));
        }
        Value::List(list) => list.iter().for_each(|part| each_net(part, each)),
        _ => {}
    }
}

fn each_path(value: &Value<'_>, each: &mut dyn FnMut(&str)) {
    match value {
        Value::Path(path) => each(path),
        Value::Parts(parts) => parts.iter().for_each(|(_, part)| each_path(part, each)),
        Value::List(list) => list.iter().for_each(|part| each_path(part, each)),
        _ => {}
    }
}

/// The paths and addresses of a backup, for a person to map.
pub fn used_names(backup: &Backup<'_>, profile: &Profile, walk: &Scan) -> UsedNames {
    let Scan { automaton, reading } = walk;
    let mut paths: BTreeMap<String, usize> = BTreeMap::new();
    let mut nets: BTreeMap<IpNet, usize> = BTreeMap::new();
    let mut networks: FxHashSet<IpNet> = FxHashSet::default();
    each_value(backup, profile, automaton, reading, &mut |_, _, value| {
        each_path(value, &mut |path| *paths.entry(path.to_owned()).or_default() += 1);
        each_net(value, &mut |net, holds| {
            *nets.entry(net).or_default() += 1;
            if holds && net.prefix_len() > 0 {
                networks.insert(net);
            }
        });
    });
    let release = backup.identity.release.as_str();
    let mark = |path: &str| {
        let parts = path.split(|c: char| !c.is_ascii_alphanumeric() && c != '.');
        let carries = !release.is_empty() && parts.into_iter().any(|part| part == release);
        carries.then(|| format!("it carries the old release, {release}"))
    };
    let index = Networks::new(networks.iter().copied());
    let mut addresses: BTreeMap<IpNet, usize> = BTreeMap::new();
    for (net, settings) in nets {
        // What means the same everywhere is not mapped.
        if super::renames::means_itself(net) {
            continue;
        }
        let holder = index.narrowest(net).unwrap_or(net);
        *addresses.entry(holder).or_default() += settings;
    }
    let path = |(name, settings): (String, usize)| UsedName { mark: mark(&name), name, settings };
    let address = |(net, settings): (IpNet, usize)| UsedName {
        name: super::renames::spelled(net),
        settings,
        mark: None,
    };
    let mut used = UsedNames {
        paths: paths.into_iter().filter(|(path, _)| path.starts_with('/')).map(path).collect(),
        addresses: addresses.into_iter().map(address).collect(),
    };
    used.paths.sort_by_key(|path| std::cmp::Reverse(path.settings));
    used
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

/// What addresses have in common that leave one network for another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
struct Moved {
    code: Code,
    from: Option<IpNet>,
    to: IpNet,
    /// The entry of the map that moves them; none where it moved the network.
    entry: Option<u16>,
}

impl Checked<'_, '_> {
    /// What is wrong with the paths and addresses of the map, seen from the backup.
    pub(crate) fn findings(&mut self) -> Findings {
        let (paths, addresses) = self.mapping.renames();
        if paths.entries().is_empty() && addresses.entries().is_empty() {
            return Findings::new();
        }
        let mut nets: Vec<UsedNet> = Vec::new();
        let mut used_paths: Vec<(String, u32, u16)> = Vec::new();
        each_value(self.backup, self.old, self.automaton, self.reading, &mut |row, entry, value| {
            each_net(value, &mut |net, holds| nets.push(UsedNet { net, holds, row, entry }));
            each_path(value, &mut |path| used_paths.push((path.to_owned(), row, entry)));
        });
        let mut found: Vec<(Finding, Vec<u32>)> = Vec::new();
        self.unused(&nets, &used_paths, &mut found);
        self.collisions(&nets, &used_paths, &mut found);
        self.holders(&nets, &mut found);
        self.at_their_places(found)
    }

    fn except(&self, entry: u16) -> Except<'_> {
        self.exempt.of(entry, None)
    }

    fn moved(&self, used: &UsedNet) -> IpNet {
        self.mapping.renames().1.network(used.net, self.except(used.entry)).unwrap_or(used.net)
    }

    fn unused(&self, nets: &[UsedNet], paths: &[(String, u32, u16)], found: &mut Vec<(Finding, Vec<u32>)>) {
        let (all_paths, addresses) = self.mapping.renames();
        let mut used: FxHashSet<u16> = FxHashSet::default();
        for net in nets {
            used.extend(addresses.of(net.net, self.except(net.entry)).map(|entry| entry.number));
        }
        for (path, _, _) in paths {
            used.extend(all_paths.of(path).map(|entry| entry.number));
        }
        // What only stands in texts is left over, and told as such. All are looked for at once.
        let unused_addresses = || addresses.entries().iter().filter(|entry| !used.contains(&entry.number));
        let unused_paths = || all_paths.entries().iter().filter(|entry| !used.contains(&entry.number));
        let sought: Vec<String> = unused_addresses()
            .map(|entry| entry.old.network().to_string())
            .chain(unused_paths().map(|entry| entry.old.clone()))
            .collect();
        let standing = self.standing_in_texts(&sought);
        let in_texts = |old: &str| standing.contains(old);
        let mut tell = |old: String, line: u32, kind: &str| {
            let message = format!("nothing in the backup is {kind} `{old}` of the map, or in it");
            let mut finding = Finding::new(Code::MapUnused, message)
                .help("take the entry out if it is a typing error; `map` lists what the backup has");
            finding.map = Some(format!("{}:{line}", self.mapping.file));
            found.push((finding, Vec::new()));
        };
        for entry in unused_addresses() {
            let old = super::renames::spelled(entry.old);
            if !in_texts(&entry.old.network().to_string()) {
                tell(old, entry.line, "the address");
            }
        }
        for entry in unused_paths() {
            if !in_texts(&entry.old) {
                tell(entry.old.clone(), entry.line, "the path");
            }
        }
    }

    /// Which of some words stand in a text of the backup.
    fn standing_in_texts<'s>(&self, sought: &'s [String]) -> FxHashSet<&'s str> {
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

    /// Two that become one, or one that becomes what another is.
    fn collisions(
        &self,
        nets: &[UsedNet],
        paths: &[(String, u32, u16)],
        found: &mut Vec<(Finding, Vec<u32>)>,
    ) {
        let mut became: FxHashMap<IpNet, (IpNet, u32)> = FxHashMap::default();
        let mut told: FxHashSet<(IpNet, IpNet)> = FxHashSet::default();
        // What stays first: what moves there is to blame.
        let (stay, move_away): (Vec<&UsedNet>, Vec<&UsedNet>) =
            nets.iter().partition(|used| self.moved(used) == used.net);
        for used in stay.into_iter().chain(move_away) {
            let new = self.moved(used);
            let &mut (old, row) = became.entry(new).or_insert((used.net, used.row));
            if old == used.net || !told.insert((old, used.net)) {
                continue;
            }
            let [old_name, name, new_name] = [old, used.net, new].map(super::renames::spelled);
            let finding = if old == new {
                let message = format!(
                    "the map makes `{new_name}` of `{name}`, and the backup uses `{new_name}` already"
                );
                Finding::new(Code::TargetInUse, message)
                    .help(format!("give `{name}` another, or map `{new_name}` as well"))
            } else {
                let message = format!("the map makes `{new_name}` of both `{old_name}` and `{name}`");
                Finding::new(Code::MapCollision, message).help("give one of them another")
            };
            found.push((finding, vec![used.row, row]));
        }
        let mut became: FxHashMap<String, (&str, u32)> = FxHashMap::default();
        let moved = |path: &str, entry: u16| {
            self.mapping.renames().0.get(path, self.except(entry)).unwrap_or_else(|| path.to_owned())
        };
        let (stay, move_away): (Vec<_>, Vec<_>) =
            paths.iter().partition(|(path, _, entry)| moved(path, *entry) == *path);
        for (path, row, entry) in stay.into_iter().chain(move_away) {
            let new = moved(path, *entry);
            let &mut (old, first) = became.entry(new.clone()).or_insert((path, *row));
            if old != path && old.trim_end_matches('/') != path.trim_end_matches('/') {
                let message = format!("the map makes `{new}` of `{path}`, and `{old}` is that already");
                let finding =
                    Finding::new(if old == new { Code::TargetInUse } else { Code::MapCollision }, message)
                        .help("what lies in both would lie in one: give one of them another path");
                found.push((finding, vec![*row, first]));
            }
        }
    }

    /// Who holds whom must not change.
    fn holders(&self, nets: &[UsedNet], found: &mut Vec<(Finding, Vec<u32>)>) {
        let addresses = self.mapping.renames().1;
        if addresses.entries().is_empty() {
            return;
        }
        let holding: Vec<&UsedNet> = nets.iter().filter(|used| used.holds).collect();
        let before = Networks::new(holding.iter().map(|used| used.net));
        let after = Networks::new(holding.iter().map(|used| self.moved(used)));
        let mut row_of: FxHashMap<IpNet, u32> = FxHashMap::default();
        let mut moved_of: FxHashMap<IpNet, IpNet> = FxHashMap::default();
        for used in &holding {
            row_of.entry(self.moved(used)).or_insert(used.row);
            moved_of.entry(used.net).or_insert(self.moved(used));
        }
        let line_of: FxHashMap<u16, u32> =
            addresses.entries().iter().map(|entry| (entry.number, entry.line)).collect();
        // What leaves one network for another by one entry of the map is told together.
        let mut groups: Vec<(Moved, Vec<&UsedNet>)> = Vec::new();
        let mut known: FxHashMap<Moved, usize> = FxHashMap::default();
        let mut put = |moved: Moved| {
            *known.entry(moved).or_insert_with(|| {
                groups.push((moved, Vec::new()));
                groups.len() - 1
            })
        };
        let mut members: Vec<(usize, &UsedNet)> = Vec::new();
        for used in nets {
            let new = self.moved(used);
            let held = before.around(used.net);
            let expected = held.map(|net| moved_of.get(&net).copied().unwrap_or(net));
            let entry = addresses.of(used.net, self.except(used.entry)).map(|entry| entry.number);
            if let (Some(held), Some(expected)) = (held, expected)
                && !expected.contains(&new)
            {
                members.push((
                    put(Moved { code: Code::NoLongerInside, from: Some(held), to: expected, entry }),
                    used,
                ));
            }
            let held_before =
                |now: IpNet| before.all_around(used.net).any(|net| moved_of.get(&net) == Some(&now));
            if let Some(now) = after.around(new).filter(|now| !held_before(*now)) {
                members.push((put(Moved { code: Code::NewlyInside, from: held, to: now, entry }), used));
            }
        }
        for (at, used) in members {
            groups[at].1.push(used);
        }
        for (moved, members) in groups {
            let mut nets: Vec<IpNet> = members.iter().map(|used| used.net).collect();
            nets.sort_unstable();
            nets.dedup();
            let first = members[0];
            let [name, new_name, to] = [first.net, self.moved(first), moved.to].map(super::renames::spelled);
            let more = match nets.len() {
                1 => String::new(),
                number => format!(", and {} like it,", number - 1),
            };
            let (message, help) = if moved.code == Code::NewlyInside {
                (
                    format!(
                        "`{name}`{more} becomes `{new_name}`, and falls into `{to}`, which did not hold it"
                    ),
                    "what is said of that network holds for it now: see whether it should",
                )
            } else {
                let was = moved.from.map_or_else(String::new, super::renames::spelled);
                let why = if was == to {
                    format!("leaves `{was}`, which held it")
                } else {
                    format!("is not in `{to}`, which `{was}` becomes")
                };
                (
                    format!("`{name}`{more} becomes `{new_name}`, and {why}"),
                    "map the addresses and their network together",
                )
            };
            let mut finding = Finding::new(moved.code, message).help(help);
            finding.count = nets.len();
            let line = moved.entry.and_then(|number| line_of.get(&number));
            finding.map = line.map(|line| format!("{}:{line}", self.mapping.file));
            let holder = row_of.get(&moved.to).copied().filter(|_| moved.code == Code::NewlyInside);
            if holder.is_some_and(|row| self.restricts(row)) {
                finding.severity = Severity::Note;
            }
            found.push((finding, members.iter().map(|used| used.row).chain(holder).collect()));
        }
        // What holds and stays, by its network, in the order of the backup.
        let mut staying: FxHashMap<IpNet, Vec<usize>> = FxHashMap::default();
        let mut lengths: BTreeSet<u8> = BTreeSet::new();
        for (at, used) in holding.iter().enumerate().filter(|(_, used)| used.net.prefix_len() > 0) {
            if self.moved(used) == used.net {
                staying.entry(used.net.trunc()).or_default().push(at);
                lengths.insert(used.net.prefix_len());
            }
        }
        for entry in addresses.entries() {
            let wider = lengths.iter().filter(|length| **length <= entry.old.prefix_len());
            let wider =
                wider.filter_map(|length| staying.get(&IpNet::new(entry.old.addr(), *length).ok()?.trunc()));
            let mut wider: Vec<usize> = wider.flatten().copied().collect();
            wider.sort_unstable();
            let mut known: FxHashSet<IpNet> = FxHashSet::default();
            for wide in wider.into_iter().map(|at| holding[at]).filter(|used| used.net != entry.old) {
                // One host that stays inside is still as much inside as it was.
                let stays =
                    entry.old.prefix_len() == entry.old.max_prefix_len() && wide.net.contains(&entry.new);
                if stays || !known.insert(wide.net) {
                    continue;
                }
                let name = super::renames::spelled(wide.net);
                let [old, new] = [entry.old, entry.new].map(super::renames::spelled);
                let holds = if wide.net.contains(&entry.new) {
                    "and holds the new one, too"
                } else {
                    "and does not hold the new one"
                };
                let rows: Vec<u32> =
                    holding.iter().filter(|used| used.net == wide.net).map(|used| used.row).collect();
                let message =
                    format!("`{name}` stays as it is: it still holds the old `{old}`, {holds}, `{new}`");
                let mut finding = Finding::new(Code::PartlyRenumbered, message).help(
                    "see whether what is said of it should hold for both, and change it in the result if not",
                );
                finding.map = Some(format!("{}:{}", self.mapping.file, entry.line));
                finding.count = rows.len();
                found.push((finding, rows));
            }
        }
    }

    /// Whether what a row stands in keeps somebody out.
    fn restricts(&self, row: u32) -> bool {
        let tree = &self.backup.tree;
        let evaluator = Evaluator::new();
        let mut node = self.reading.rows[row as usize].node;
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

    fn at_their_places(&mut self, found: Vec<(Finding, Vec<u32>)>) -> Findings {
        let tree = &self.backup.tree;
        let lines = self.backup.lines();
        let mut labels = Labeler::new(tree, &self.old.schema, Some(&self.reading.ordinals), self.automaton);
        let mut all = Findings::new();
        for (mut finding, rows) in found {
            let mut sites = Vec::new();
            for row in rows.into_iter().take(8) {
                let node = self.reading.rows[row as usize].node;
                sites.push(Site {
                    place: Some(Place::indexed(&lines, tree.span(node))),
                    locator: Some(labels.label(node, self.automaton).to_owned()),
                });
            }
            finding.put_at(sites);
            all.push(finding);
        }
        all
    }
}
