//! Addresses that leave the network that held them, or fall into one that did not.

use super::{Networks, UsedNet, spelled};
use crate::finding::{Code, Finding, Severity};
use crate::ids::RowId;
use crate::language::expression;
use crate::mapping::entry::{EntryNumber, Reported};
use crate::mapping::facts::{MapEffect, MovedAddresses};
use crate::mapping::seen::Seen;
use ipnet::IpNet;
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::BTreeSet;

/// What addresses have in common that leave one network for another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
struct Moved {
    code: Code,
    from: Option<IpNet>,
    to: IpNet,
    /// The entry of the map that moves them; none where it moved the network.
    entry: Option<EntryNumber>,
}

/// Who holds whom must not change. `nets` are all of the backup, in its order.
pub(super) fn displaced(of: &Networks, nets: &[UsedNet], seen: &Seen<'_>) -> Vec<Reported> {
    if of.known.is_empty() {
        return Vec::new();
    }
    let holding: Vec<&UsedNet> = nets.iter().filter(|used| used.holds).collect();
    let mut found = leaving(of, nets, &holding, seen);
    found.extend(partly_renumbered(of, &holding, seen));
    found
}

/// What leaves what held it, and what falls into what did not.
fn leaving(of: &Networks, nets: &[UsedNet], holding: &[&UsedNet], seen: &Seen<'_>) -> Vec<Reported> {
    let mut found = Vec::new();
    let before = expression::Networks::new(holding.iter().map(|used| used.net));
    let after = expression::Networks::new(holding.iter().map(|used| of.moved(used, seen)));
    let mut row_of: FxHashMap<IpNet, RowId> = FxHashMap::default();
    let mut moved_of: FxHashMap<IpNet, IpNet> = FxHashMap::default();
    for used in holding {
        row_of.entry(of.moved(used, seen)).or_insert(used.row);
        moved_of.entry(used.net).or_insert(of.moved(used, seen));
    }
    let line_of: FxHashMap<EntryNumber, u32> =
        of.known.iter().map(|entry| (entry.number, entry.line)).collect();
    // Addresses that one entry of the map moves from one network to another share a finding.
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
        let new = of.moved(used, seen);
        let held = before.around(used.net);
        let expected = held.map(|net| moved_of.get(&net).copied().unwrap_or(net));
        let entry = of.of(used.net, seen.except(used.entry)).map(|entry| entry.number);
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
        let [name, new_name, to] = [first.net, of.moved(first, seen), moved.to].map(spelled);
        let addresses = MovedAddresses { old: name, new: new_name, number: nets.len() };
        let was = moved.from.map_or_else(String::new, spelled);
        let mut finding = Finding::new(if moved.code == Code::NewlyInside {
            MapEffect::NewlyInside { moved: addresses, network: to }
        } else if was == to {
            MapEffect::Leaves { moved: addresses, network: was }
        } else {
            MapEffect::OutsideMoved { moved: addresses, network: to, was }
        });
        finding.count = nets.len();
        let line = moved.entry.and_then(|number| line_of.get(&number));
        finding.map = line.and_then(|line| seen.at_line(*line));
        let holder = row_of.get(&moved.to).copied().filter(|_| moved.code == Code::NewlyInside);
        if holder.is_some_and(|row| seen.restricts(row)) {
            finding.severity = Severity::Note;
        }
        found.push((finding, members.iter().map(|used| used.row).chain(holder).collect()));
    }
    found
}

/// Networks that stay and hold what moves.
fn partly_renumbered(of: &Networks, holding: &[&UsedNet], seen: &Seen<'_>) -> Vec<Reported> {
    let mut found = Vec::new();
    // What holds and stays, by its network, in the order of the backup.
    let mut staying: FxHashMap<IpNet, Vec<usize>> = FxHashMap::default();
    let mut lengths: BTreeSet<u8> = BTreeSet::new();
    for (at, used) in holding.iter().enumerate().filter(|(_, used)| used.net.prefix_len() > 0) {
        if of.moved(used, seen) == used.net {
            staying.entry(used.net.trunc()).or_default().push(at);
            lengths.insert(used.net.prefix_len());
        }
    }
    for entry in &of.known {
        let wider = lengths.iter().filter(|length| **length <= entry.old.prefix_len());
        let wider =
            wider.filter_map(|length| staying.get(&IpNet::new(entry.old.addr(), *length).ok()?.trunc()));
        let mut wider: Vec<usize> = wider.flatten().copied().collect();
        wider.sort_unstable();
        let mut known: FxHashSet<IpNet> = FxHashSet::default();
        for wide in wider.into_iter().map(|at| holding[at]).filter(|used| used.net != entry.old) {
            // One host that stays inside is still as much inside as it was.
            let stays = entry.old.prefix_len() == entry.old.max_prefix_len() && wide.net.contains(&entry.new);
            if stays || !known.insert(wide.net) {
                continue;
            }
            let network = spelled(wide.net);
            let [old, new] = [entry.old, entry.new].map(spelled);
            let effect = if wide.net.contains(&entry.new) {
                MapEffect::StaysWithBoth { network, old, new }
            } else {
                MapEffect::StaysWithOld { network, old, new }
            };
            let rows: Vec<RowId> =
                holding.iter().filter(|used| used.net == wide.net).map(|used| used.row).collect();
            let mut finding = Finding::new(effect);
            finding.map = seen.at_line(entry.line);
            finding.count = rows.len();
            found.push((finding, rows));
        }
    }
    found
}
