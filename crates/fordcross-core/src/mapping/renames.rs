//! Paths and addresses that have new ones.

use crate::tree::pattern::Pattern;
use ipnet::IpNet;
use rustc_hash::FxHashMap;
use std::net::IpAddr;

/// Old paths with their new ones. The longest that a path begins with counts, by whole steps.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Paths {
    /// The longest first, once all are there.
    known: Vec<Renamed<String>>,
    /// Where each is among them.
    places: FxHashMap<String, Vec<usize>>,
}

/// Old addresses and networks with their new ones. The narrowest that holds an address counts; an address keeps
/// its place in the network.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Addresses {
    /// The narrowest first, once all are there.
    known: Vec<Renamed<IpNet>>,
    /// Where each is among them.
    places: FxHashMap<IpNet, Vec<usize>>,
    /// The lengths of their prefixes, the longest first.
    lengths: Vec<u8>,
}

/// What has a new name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Renamed<T> {
    pub(crate) old: T,
    pub(crate) new: T,
    /// Its number among all entries of the map.
    pub(crate) number: u16,
    /// The line of the map file.
    pub(crate) line: u32,
    /// Settings of either side that it is not for.
    pub(crate) except: Vec<Pattern>,
}

/// The numbers of entries that have no say in a value.
pub(crate) type Except<'e> = &'e [u16];

impl Paths {
    /// Adds a path; a slash at the end of either says nothing. To be found, all must be put in order.
    pub(super) fn add(&mut self, renamed: Renamed<&str>) {
        let bare = |path: &str| if path == "/" { path } else { path.trim_end_matches('/') }.to_owned();
        let Renamed { old, new, number, line, except } = renamed;
        self.known.push(Renamed { old: bare(old), new: bare(new), number, line, except });
    }

    /// Puts them in order, once all are there.
    pub(super) fn put_in_order(&mut self) {
        self.known.sort_by(|a, b| b.old.len().cmp(&a.old.len()).then_with(|| a.old.cmp(&b.old)));
        for (place, renamed) in self.known.iter().enumerate() {
            self.places.entry(renamed.old.clone()).or_default().push(place);
        }
    }

    /// The new path.
    pub(crate) fn get(&self, path: &str, except: Except<'_>) -> Option<String> {
        let (Renamed { new, .. }, rest) = self.find(path, except)?;
        let new = if new == "/" && !rest.is_empty() { "" } else { new };
        Some(format!("{new}{rest}"))
    }

    /// The entry that has a say in a path.
    pub(crate) fn of(&self, path: &str) -> Option<&Renamed<String>> {
        self.find(path, &[]).map(|(renamed, _)| renamed)
    }

    /// The old path that a path is, or is below.
    pub(super) fn holder(&self, path: &str) -> Option<&str> {
        self.find(path, &[]).map(|(renamed, _)| renamed.old.as_str())
    }

    /// What a path is or is below, and what of it stands behind that.
    fn find<'p>(&self, path: &'p str, except: Except<'_>) -> Option<(&Renamed<String>, &'p str)> {
        // By whole steps, the longest first; the root at last, which is before all of a path.
        let steps = path.rmatch_indices('/').map(|(at, _)| at).filter(|at| *at > 0);
        let ends = std::iter::once(path.len()).chain(steps).map(|end| (&path[..end], &path[end..]));
        let is_rooted = path.starts_with('/') && path != "/";
        let mut befores = ends.chain(is_rooted.then_some(("/", path)));
        befores.find_map(|(old, rest)| {
            let mut known = self.places.get(old)?.iter().map(|&place| &self.known[place]);
            let rest = if old == "/" { path } else { rest };
            known.find(|renamed| !except.contains(&renamed.number)).map(|renamed| (renamed, rest))
        })
    }

    pub(super) fn is_empty(&self) -> bool {
        self.known.is_empty()
    }

    pub(crate) fn entries(&self) -> &[Renamed<String>] {
        &self.known
    }
}

impl Addresses {
    /// Adds a network or a single address.
    ///
    /// # Errors
    /// That the two are not of the same size.
    pub(super) fn add(&mut self, renamed: Renamed<IpNet>) -> Result<(), &'static str> {
        let (old, new) = (renamed.old, renamed.new);
        if old.addr().is_ipv4() != new.addr().is_ipv4() {
            return Err("one is an IPv4 address and the other an IPv6 address");
        }
        if old.prefix_len() != new.prefix_len() {
            return Err("the two networks are not of the same size");
        }
        self.known.push(renamed);
        Ok(())
    }

    /// Puts them in order, once all are there.
    pub(super) fn put_in_order(&mut self) {
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
    pub(crate) fn address(&self, address: IpAddr, except: Except<'_>) -> Option<IpAddr> {
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
    pub(crate) fn network(&self, network: IpNet, except: Except<'_>) -> Option<IpNet> {
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
    pub(crate) fn of(&self, network: IpNet, except: Except<'_>) -> Option<&Renamed<IpNet>> {
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

    pub(crate) fn entries(&self) -> &[Renamed<IpNet>] {
        &self.known
    }

    /// The old address or network that an address is, or is in.
    pub(super) fn holder(&self, address: IpAddr) -> Option<String> {
        self.of(IpNet::from(address), &[]).map(|renamed| spelled(renamed.old))
    }

    pub(super) fn is_empty(&self) -> bool {
        self.known.is_empty()
    }
}

/// A network, or a single address as such.
pub(super) fn parse_network(text: &str) -> Option<IpNet> {
    match text.parse::<IpAddr>() {
        Ok(address) => Some(IpNet::from(address)),
        Err(_) => text.parse().ok().filter(|network: &IpNet| network.addr() == network.network()),
    }
}

/// Whether an address or network means the same everywhere, and so is never meant by an entry of a wider network: any,
/// loopback, link-local, multicast, broadcast, a mask (RFC 6890, RFC 4291).
pub(super) fn means_itself(network: IpNet) -> bool {
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

pub(crate) fn spelled(network: IpNet) -> String {
    if network.prefix_len() == network.max_prefix_len() {
        network.addr().to_string()
    } else {
        network.to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("/srv/data", Some("/new"))]
    #[case("/srv/data/tables/x", Some("/new/tables/x"))]
    #[case("/srv/data/logs/x", Some("/logs/x"))]
    #[case("/srv/database", Some("/disk/database"))]
    #[case("/srv/data/", Some("/new/"))]
    #[case("/other", None)]
    #[case("srv/data", None)]
    fn the_longest_path_of_whole_steps_counts(#[case] path: &str, #[case] expected: Option<&str>) {
        let mut paths = Paths::default();
        for (old, new) in [("/srv", "/disk"), ("/srv/data/", "/new"), ("/srv/data/logs", "/logs/")] {
            paths.add(renamed(old, new));
        }
        paths.put_in_order();
        assert_eq!(paths.get(path, &[]).as_deref(), expected);
    }

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

    fn addresses() -> Addresses {
        let mut addresses = Addresses::default();
        for (old, new) in [
            ("192.0.2.0/24", "198.51.100.0/24"),
            ("192.0.2.7", "203.0.113.9"),
            ("2001:db8:1::/64", "2001:db8:2::/64"),
        ] {
            let network = |text| parse_network(text).expect("a network");
            addresses.add(renamed(network(old), network(new))).expect("of one size");
        }
        addresses.put_in_order();
        addresses
    }

    fn renamed<T>(old: T, new: T) -> Renamed<T> {
        Renamed { old, new, number: 0, line: 1, except: Vec::new() }
    }
}
