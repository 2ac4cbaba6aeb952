//! What a port is known by apart from its name: hardware addresses, and addresses that are on it.

use crate::language::profile::Profile;
use crate::language::typing::Value;
use crate::mapping::proposal::MarkedPort;
use crate::recognise::backup::Backup;
use crate::scan::inventory::{Inventory, RowKind, automaton_of};
use rustc_hash::FxHashMap;
use std::net::IpAddr;

/// The ports that objects of a backup are named after, each with its marks. An address is one if its length is
/// with it: that of a gateway or a name server is none of the port.
pub fn marked_ports(backup: &Backup<'_>, profile: &Profile) -> Vec<MarkedPort> {
    let mut automaton = automaton_of(profile, None);
    let reading = Inventory::new(&backup.tree, profile, &mut automaton);
    let mut ports: Vec<MarkedPort> = Vec::new();
    // The end of the object that is looked at, and its place in the list.
    let mut within = None;
    for row in &reading.rows {
        if within.is_some_and(|(end, _)| row.node >= end) {
            within = None;
        }
        let Some((kind, text)) = row.naming(&backup.tree, profile, &automaton) else { continue };
        let Ok(value) = profile.types.read(kind, text) else { continue };
        if row.kind == RowKind::Object {
            let mut is_port = false;
            value.ports(&mut |name| is_port |= name == text);
            if is_port {
                within = Some((backup.tree.subtree_end(row.node), ports.len()));
                ports.push(MarkedPort { name: text.to_owned(), ..MarkedPort::default() });
            }
        } else if let Some((_, port)) = within {
            ports[port].take(&value);
        }
    }
    ports
}

impl MarkedPort {
    fn take(&mut self, value: &Value<'_>) {
        match value {
            Value::Mac(mac) => {
                self.macs.insert(*mac);
            }
            Value::Parts(parts) => {
                for (_, part) in parts {
                    if let Value::Address(address) = part {
                        self.addresses.insert(*address);
                    }
                }
            }
            _ => {}
        }
    }

    /// Why another is this one, if it has a mark of it that no third has.
    pub(super) fn is_like(&self, other: &Self) -> Option<String> {
        if let Some(mac) = self.macs.intersection(&other.macs).next() {
            let pairs: Vec<String> = mac.iter().map(|byte| format!("{byte:02x}")).collect();
            return Some(format!("the same hardware address in the base, {}", pairs.join(":")));
        }
        let address = self.addresses.intersection(&other.addresses).next()?;
        Some(format!("the same address in the base, {address}"))
    }
}

/// Marked ports by their marks, where there are many to compare.
pub(super) struct ByMark<'m> {
    ports: &'m [MarkedPort],
    macs: FxHashMap<[u8; 6], Vec<usize>>,
    addresses: FxHashMap<IpAddr, Vec<usize>>,
}

impl<'m> ByMark<'m> {
    pub(super) fn new(ports: &'m [MarkedPort]) -> Self {
        let (mut macs, mut addresses) = (FxHashMap::default(), FxHashMap::default());
        for (index, port) in ports.iter().enumerate() {
            port.macs.iter().for_each(|mac| macs.entry(*mac).or_insert_with(Vec::new).push(index));
            port.addresses.iter().for_each(|at| addresses.entry(*at).or_insert_with(Vec::new).push(index));
        }
        Self { ports, macs, addresses }
    }

    /// Those that share a mark with a port, in their order.
    pub(super) fn candidates(&self, port: &MarkedPort) -> Vec<&'m MarkedPort> {
        let by_mac = port.macs.iter().filter_map(|mac| self.macs.get(mac));
        let by_address = port.addresses.iter().filter_map(|address| self.addresses.get(address));
        let mut found: Vec<usize> = by_mac.chain(by_address).flatten().copied().collect();
        found.sort_unstable();
        found.dedup();
        found.into_iter().map(|index| &self.ports[index]).collect()
    }
}
