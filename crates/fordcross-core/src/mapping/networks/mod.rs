//! Addresses and networks that have new ones.

mod displaced;

use super::LeftOver;
use super::MapKind;
use super::entry::{EntryNumber, Except, Renamed, Reported};
use super::facts::{MapEffect, MapFact};
use super::kind::{Mapped, Reading};
use super::left_over::Word;
use super::rename::{Rename, each_rename};
use super::seen::{Seen, UsedName};
use crate::declaration::{Section, Word as Written};
use crate::finding::Finding;
use crate::ids::{EntryId, RowId};
use crate::language::expression;
use crate::language::typing::Value;
use crate::tree::pattern::Pattern;
use ipnet::IpNet;
use rustc_hash::{FxHashMap, FxHashSet};
use std::any::Any;
use std::collections::BTreeMap;
use std::net::IpAddr;

/// Old addresses and networks with their new ones. The narrowest that holds an address counts; an address keeps
/// its place in the network.
#[derive(Debug, Default)]
pub(super) struct Networks {
    /// The narrowest first.
    known: Vec<Renamed<IpNet>>,
    /// Where each is among them.
    places: FxHashMap<IpNet, Vec<usize>>,
    /// The lengths of their prefixes, the longest first.
    lengths: Vec<u8>,
}

impl Networks {
    /// Takes all in.
    fn fill(&mut self, all: Vec<Renamed<IpNet>>) {
        self.known = all;
        self.known
            .sort_by(|a, b| b.old.prefix_len().cmp(&a.old.prefix_len()).then_with(|| a.old.cmp(&b.old)));
        for (place, renamed) in self.known.iter().enumerate() {
            self.places.entry(renamed.old).or_default().push(place);
            if self.lengths.last() != Some(&renamed.old.prefix_len()) {
                self.lengths.push(renamed.old.prefix_len());
            }
        }
    }

    /// The new address.
    fn address(&self, address: IpAddr, except: Except<'_>) -> Option<IpAddr> {
        let renamed = self.of(IpNet::from(address), except)?;
        match (address, renamed.old.network(), renamed.new.network()) {
            (IpAddr::V4(at), IpAddr::V4(old), IpAddr::V4(new)) => {
                Some(IpAddr::from((u32::from(at) - u32::from(old) + u32::from(new)).to_be_bytes()))
            }
            (IpAddr::V6(at), IpAddr::V6(old), IpAddr::V6(new)) => {
                Some(IpAddr::from((u128::from(at) - u128::from(old) + u128::from(new)).to_be_bytes()))
            }
            _ => None,
        }
    }

    /// The new network: of one that is named, or that is part of one.
    fn network(&self, network: IpNet, except: Except<'_>) -> Option<IpNet> {
        let renamed = self.of(network, except)?;
        let moved = match (network.network(), renamed.old.network(), renamed.new.network()) {
            (IpAddr::V4(at), IpAddr::V4(old), IpAddr::V4(new)) => {
                IpAddr::from((u32::from(at) - u32::from(old) + u32::from(new)).to_be_bytes())
            }
            (IpAddr::V6(at), IpAddr::V6(old), IpAddr::V6(new)) => {
                IpAddr::from((u128::from(at) - u128::from(old) + u128::from(new)).to_be_bytes())
            }
            _ => return None,
        };
        IpNet::new(moved, network.prefix_len()).ok()
    }

    /// The entry that has a say in an address or network: the narrowest that it is, or is in.
    fn of(&self, network: IpNet, except: Except<'_>) -> Option<&Renamed<IpNet>> {
        let means_itself = means_itself(network);
        let lengths = self.lengths.iter().filter(|length| **length <= network.prefix_len());
        let mut holders =
            lengths.filter_map(|length| Some(IpNet::new(network.addr(), *length).ok()?.trunc()));
        holders.find_map(|holder| {
            let known = self.places.get(&holder)?.iter().map(|&place| &self.known[place]);
            known
                .filter(|renamed| !except.contains(&renamed.number))
                .find(|renamed| !means_itself || renamed.old == network)
        })
    }

    /// What an address or network of a backup becomes.
    fn moved(&self, used: &UsedNet, seen: &Seen<'_>) -> IpNet {
        self.network(used.net, seen.except(used.entry)).unwrap_or(used.net)
    }
}

/// A network, or a single address as such.
fn parse_network(text: &str) -> Option<IpNet> {
    match text.parse::<IpAddr>() {
        Ok(address) => Some(IpNet::from(address)),
        Err(_) => text.parse().ok().filter(|network: &IpNet| network.addr() == network.network()),
    }
}

/// Whether an address or network means the same everywhere, and so is never meant by an entry of a wider network: any,
/// loopback, link-local, multicast, broadcast, a mask (RFC 6890, RFC 4291).
fn means_itself(network: IpNet) -> bool {
    if network.prefix_len() == 0 {
        return true;
    }
    match network.network() {
        IpAddr::V4(address) => {
            let bits = u32::from(address);
            let is_mask = bits.leading_ones() >= 8 && bits.leading_ones() + bits.trailing_zeros() >= 32;
            address.is_unspecified()
                || address.is_loopback()
                || address.is_link_local()
                || address.is_multicast()
                || address.is_broadcast()
                || is_mask
        }
        IpAddr::V6(address) => {
            address.is_unspecified()
                || address.is_loopback()
                || address.is_multicast()
                || address.is_unicast_link_local()
        }
    }
}

fn spelled(network: IpNet) -> String {
    if network.prefix_len() == network.max_prefix_len() {
        network.addr().to_string()
    } else {
        network.to_string()
    }
}

/// One address or network of a backup.
#[derive(Clone, Copy, Debug)]
struct UsedNet {
    net: IpNet,
    /// It holds others: the network of an interface, of a rule.
    holds: bool,
    row: RowId,
    entry: EntryId,
}

/// Hands on each address and network in a value, and whether it holds others.
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

/// The addresses and networks of a backup.
fn nets_in(seen: &Seen<'_>) -> Vec<UsedNet> {
    let mut nets = Vec::new();
    for at in &seen.values {
        each_net(&at.value, &mut |net, holds| {
            nets.push(UsedNet { net, holds, row: at.row, entry: at.entry });
        });
    }
    nets
}

/// Whether two have the same size.
fn check_sizes(old: IpNet, new: IpNet) -> Result<(), MapFact> {
    if old.addr().is_ipv4() != new.addr().is_ipv4() {
        return Err(MapFact::OtherFamily);
    }
    if old.prefix_len() != new.prefix_len() {
        return Err(MapFact::OtherLength);
    }
    Ok(())
}

impl Mapped for Networks {
    fn kind(&self) -> MapKind {
        MapKind::Addresses
    }

    fn table(&self) -> &'static str {
        "addresses"
    }

    fn read(&mut self, section: &Section<'_, '_>, with: &mut Reading<'_, '_>) {
        let mut given: FxHashMap<IpNet, IpNet> = FxHashMap::default();
        let mut all = Vec::new();
        each_rename(
            section,
            with,
            "addresses",
            "an address",
            |report, Rename { old, new, line, except }, with| {
                let read = |word: Written<'_>| {
                    let network = parse_network(word.text);
                    if network.is_none() {
                        report.add(word.span, MapFact::NoNetwork { text: word.text.to_owned() });
                    }
                    network
                };
                let (Some(from), Some(to)) = (read(old), read(new)) else { return };
                if let Some(&first) = given.get(&to).filter(|first| **first != from) {
                    let first = spelled(first);
                    report.add(
                        new.span,
                        MapFact::AddressesBecomeOne {
                            first,
                            second: old.text.to_owned(),
                            new: new.text.to_owned(),
                        },
                    );
                }
                given.entry(to).or_insert(from);
                let number = with.number();
                match check_sizes(from, to) {
                    Ok(()) => all.push(Renamed { old: from, new: to, number, line, except }),
                    Err(fact) => report.add(new.span, fact),
                }
            },
        );
        self.fill(all);
    }

    fn renames_nothing(&self) -> bool {
        self.known.is_empty()
    }

    /// Networks, and addresses that are in none of them.
    fn used(&self, seen: &Seen<'_>) -> Vec<UsedName> {
        let mut nets: BTreeMap<IpNet, usize> = BTreeMap::new();
        let mut networks: FxHashSet<IpNet> = FxHashSet::default();
        for used in nets_in(seen) {
            *nets.entry(used.net).or_default() += 1;
            if used.holds && used.net.prefix_len() > 0 {
                networks.insert(used.net);
            }
        }
        let index = expression::Networks::new(networks.iter().copied());
        let mut counts: BTreeMap<IpNet, usize> = BTreeMap::new();
        for (net, settings) in nets {
            // What means the same everywhere is not mapped.
            if means_itself(net) {
                continue;
            }
            let holder = index.narrowest(net).unwrap_or(net);
            *counts.entry(holder).or_default() += settings;
        }
        counts
            .into_iter()
            .map(|(net, settings)| UsedName { name: spelled(net), settings, mark: None })
            .collect()
    }

    fn invitation(&self) -> &'static str {
        "a new one of the same length"
    }

    fn unused(&self, seen: &Seen<'_>) -> Vec<Reported> {
        let mut used: FxHashSet<EntryNumber> = FxHashSet::default();
        for net in nets_in(seen) {
            used.extend(self.of(net.net, seen.except(net.entry)).map(|entry| entry.number));
        }
        // Names in free text are left over, with a finding each. All are searched for at once.
        let unused = || self.known.iter().filter(|entry| !used.contains(&entry.number));
        let sought: Vec<String> = unused().map(|entry| entry.old.network().to_string()).collect();
        let standing = seen.standing_in_texts(&sought);
        unused()
            .filter(|entry| !standing.contains(entry.old.network().to_string().as_str()))
            .map(|entry| seen.unused("the address", &spelled(entry.old), entry.line))
            .collect()
    }

    fn collisions(&self, seen: &Seen<'_>) -> Vec<Reported> {
        let nets = nets_in(seen);
        let mut found = Vec::new();
        let mut became: FxHashMap<IpNet, (IpNet, RowId)> = FxHashMap::default();
        let mut reported: FxHashSet<(IpNet, IpNet)> = FxHashSet::default();
        // What stays first: what moves there is to blame.
        let (stay, move_away): (Vec<&UsedNet>, Vec<&UsedNet>) =
            nets.iter().partition(|used| self.moved(used, seen) == used.net);
        for used in stay.into_iter().chain(move_away) {
            let new = self.moved(used, seen);
            let &mut (old, row) = became.entry(new).or_insert((used.net, used.row));
            if old == used.net || !reported.insert((old, used.net)) {
                continue;
            }
            let [first, second, new_name] = [old, used.net, new].map(spelled);
            let effect = if old == new {
                MapEffect::AddressInUse { old: second, new: new_name }
            } else {
                MapEffect::AddressCollision { first, second, new: new_name }
            };
            let finding = Finding::new(effect);
            found.push((finding, vec![used.row, row]));
        }
        found
    }

    fn displaced(&self, seen: &Seen<'_>) -> Vec<Reported> {
        displaced::displaced(self, &nets_in(seen), seen)
    }

    fn apply<'m>(&'m self, value: &mut Value<'m>, except: Except<'_>) -> bool {
        match value {
            Value::Address(address) => {
                let new = self.address(*address, except);
                new.is_some_and(|new| std::mem::replace(address, new) != *address)
            }
            Value::Network(network) => {
                let new = self.network(*network, except);
                new.is_some_and(|new| std::mem::replace(network, new) != *network)
            }
            _ => false,
        }
    }

    fn line_of(&self, value: &Value<'_>) -> Option<u32> {
        let network = match value {
            Value::Address(address) => IpNet::from(*address),
            Value::Network(network) => *network,
            _ => return None,
        };
        self.of(network, &[]).map(|entry| entry.line)
    }

    fn exceptions(&self) -> Vec<(EntryNumber, &[Pattern])> {
        self.known.iter().map(|entry| (entry.number, entry.except.as_slice())).collect()
    }

    fn left_over(&self, word: &Word<'_>, found: &mut Vec<LeftOver>) {
        let Some((address, text)) = word.address() else { return };
        let entry = self.of(IpNet::from(address), &[]);
        found.extend(entry.map(|entry| LeftOver { found: text, entry: spelled(entry.old) }));
    }

    fn as_any(&self) -> &dyn Any {
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("192.0.2.77", Some("198.51.100.77"))]
    #[case("192.0.2.7", Some("203.0.113.9"))]
    #[case("2001:db8:1::5", Some("2001:db8:2::5"))]
    #[case("198.51.100.1", None)]
    #[case("0.0.0.0", None)]
    #[case("127.0.0.1", None)]
    #[case("224.0.0.5", None)]
    #[case("255.255.255.0", None)]
    #[case("fe80::1", None)]
    fn the_narrowest_network_counts(#[case] address: &str, #[case] expected: Option<&str>) {
        let addresses = addresses();
        let found = addresses.address(address.parse().expect("an address"), &[]);
        assert_eq!(found.map(|address| address.to_string()).as_deref(), expected);
    }

    #[rstest]
    #[case("192.0.2.0/24", Some("198.51.100.0/24"))]
    #[case("192.0.2.64/26", Some("198.51.100.64/26"))]
    #[case("192.0.0.0/16", None)]
    #[case("0.0.0.0/0", None)]
    fn a_network_moves_with_the_one_that_holds_it(#[case] network: &str, #[case] expected: Option<&str>) {
        let found = addresses().network(network.parse().expect("a network"), &[]);
        assert_eq!(found.map(|network| network.to_string()).as_deref(), expected);
    }

    fn addresses() -> Networks {
        let mut addresses = Networks::default();
        let all = [
            ("192.0.2.0/24", "198.51.100.0/24"),
            ("192.0.2.7", "203.0.113.9"),
            ("2001:db8:1::/64", "2001:db8:2::/64"),
        ];
        let network = |text| parse_network(text).expect("a network");
        let number = EntryNumber(0);
        let renamed = |(old, new)| Renamed {
            old: network(old),
            new: network(new),
            number,
            line: 1,
            except: Vec::new(),
        };
        addresses.fill(all.into_iter().map(renamed).collect());
        addresses
    }
}
