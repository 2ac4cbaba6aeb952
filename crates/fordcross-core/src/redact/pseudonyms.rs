//! Other addresses for those of a text: the same for the same, by a key that goes away with the run or is kept.
//!
//! What two addresses share at their beginning, their pseudonyms share, so that networks stay networks, apart where they
//! were apart, and one within the other where they were. The last eight bits of an IPv4 address stay: a
//! network's own address, its gateway and the ends of a range keep their places.

use rustc_hash::{FxHashMap, FxHashSet};
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

/// What pseudonyms are made with. The same key gives the same ones.
#[derive(Clone)]
pub struct Key([u8; 32]);

impl std::fmt::Debug for Key {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Key")
    }
}

impl Key {
    /// A key of any bytes that nobody else knows.
    pub fn new(secret: &[u8]) -> Self {
        Self(blake3::derive_key("fordcross pseudonyms of redacted copies, 1", secret))
    }

    /// What tells copies with this key from others without giving anything of it away.
    pub(super) fn short_id(&self) -> String {
        blake3::keyed_hash(&self.0, b"id").to_hex()[..8].to_owned()
    }

    /// A number that only the holder of the key can compute.
    fn number(&self, kind: &[u8], text: &[u8]) -> u64 {
        let hash = blake3::Hasher::new_keyed(&self.0).update(kind).update(&[0]).update(text).finalize();
        u64::from_le_bytes(hash.as_bytes()[..8].try_into().unwrap_or_default())
    }
}

/// An address as it is in a text, with the length of a prefix behind it if there is one.
pub(super) type Found = (IpAddr, Option<u32>);

/// Which address stands for which.
pub(super) struct Book<'k> {
    key: &'k Key,
    /// Places in the tree of IPv4 addresses behind which a network has only zeros, or a broadcast address only ones: these
    /// bits stay.
    fixed: FxHashSet<(u32, u32)>,
    /// The same of IPv6.
    fixed6: FxHashSet<(u32, u64)>,
    /// The networks of the Internet are told apart by so many bits; and where each is now.
    v4: Groups,
    v6: Groups,
    macs: FxHashMap<[u8; 6], u32>,
    taken: FxHashSet<u32>,
    /// Networks that are wider than any place for them, as they are there.
    kept: Vec<String>,
}

/// Networks of the Internet, each with the place that it has.
#[derive(Default)]
struct Groups {
    bits: u32,
    places: FxHashMap<u64, u64>,
}

/// Places for groups, one behind the other.
struct Region {
    first: u64,
    count: u64,
}

/// The shortest prefix of a network that has a place of its own.
const WIDEST: u32 = 8;

impl<'k> Book<'k> {
    /// A book for a text with these addresses in it.
    pub(super) fn new(key: &'k Key, found: &[Found]) -> Self {
        let mut book = Self {
            key,
            fixed: FxHashSet::default(),
            fixed6: FxHashSet::default(),
            v4: Groups::default(),
            v6: Groups::default(),
            macs: FxHashMap::default(),
            taken: FxHashSet::default(),
            kept: Vec::new(),
        };
        let v4: Vec<(u32, Option<u32>)> = found
            .iter()
            .filter_map(|(address, length)| match address {
                IpAddr::V4(address) if !stays(*address) => Some((u32::from(*address), *length)),
                _ => None,
            })
            .collect();
        for &(address, length) in &v4 {
            let (zeros, ones) = (address.trailing_zeros(), address.trailing_ones());
            let same = if ones >= 8 { ones } else { zeros };
            // Without a known length, all zeros at its end may be the network's.
            let from = length.unwrap_or(0).max(32 - same.min(32));
            book.fixed.extend((from.min(24)..24).map(|depth| (depth, prefix(address, depth))));
        }
        for (address, length) in found {
            if let IpAddr::V6(address) = address {
                let (network, host) = ((u128::from(*address) >> 64) as u64, u128::from(*address) as u64);
                let zeros = if host == 0 { network.trailing_zeros() } else { 0 };
                let from = length.unwrap_or(0).max(64 - zeros).min(64);
                book.fixed6.extend((from..64).map(|depth| (depth, prefix6(network, depth))));
            }
        }
        let public: Vec<(u32, Option<u32>)> =
            v4.iter().copied().filter(|(address, _)| private_block(*address).is_none()).collect();
        let wide = |&(address, length): &(u32, Option<u32>)| match length {
            Some(length) => (WIDEST..24).contains(&length).then_some(length),
            None => (address.trailing_zeros() >= 16).then_some(16),
        };
        let bits = public.iter().filter_map(wide).min().unwrap_or(24);
        let groups = public.iter().map(|(address, _)| u64::from(prefix(*address, bits)));
        // 198.18.0.0/15 first, which everything takes for addresses; then 240.0.0.0/4.
        let regions = [(0xC612_0000_u64, 15), (0xF000_0000, 4)].map(|(first, own)| Region {
            first: first >> (32 - bits),
            count: if bits < own { 0 } else { 1 << (bits - own) },
        });
        book.v4 = book.groups(b"v4", bits, groups.collect(), &regions);
        let public: Vec<(u128, Option<u32>)> = found
            .iter()
            .filter_map(|(address, length)| match address {
                IpAddr::V6(address) if own_block(*address).is_none() && !stays6(*address) => {
                    Some((u128::from(*address), *length))
                }
                _ => None,
            })
            .collect();
        let shortest = public.iter().filter_map(|(_, length)| *length).filter(|length| *length >= 32).min();
        let bits = shortest.unwrap_or(48).clamp(32, 48);
        let group = |address: u128, bits: u32| (address >> (128 - bits)) as u64;
        let count = public.iter().map(|(address, _)| group(*address, bits)).collect::<FxHashSet<_>>().len();
        let bits = if count as u64 > 1 << (bits - 32) { 48 } else { bits };
        let groups = public.iter().map(|(address, _)| group(*address, bits));
        let region = Region { first: 0x2001_0db8 << (bits - 32), count: 1 << (bits - 32) };
        book.v6 = book.groups(b"v6", bits, groups.collect(), &[region]);
        book
    }

    /// Networks that stay as they are.
    pub(super) fn kept(&mut self) -> Vec<String> {
        self.kept.sort();
        self.kept.dedup();
        std::mem::take(&mut self.kept)
    }

    /// Gives each group a place by the key, or the next free one.
    fn groups(&self, kind: &[u8], bits: u32, groups: FxHashSet<u64>, regions: &[Region]) -> Groups {
        let number = |group: &u64| self.key.number(kind, &group.to_le_bytes());
        let mut groups: Vec<(u64, u64)> = groups.into_iter().map(|group| (number(&group), group)).collect();
        groups.sort_unstable();
        let mut groups = groups.into_iter();
        let mut places = FxHashMap::default();
        for (region, is_last) in regions.iter().zip([regions.len() == 1, true]) {
            // A region that is nearly full would move most groups from where the key has them.
            let room = if is_last { region.count } else { region.count / 4 * 3 };
            let mut taken: FxHashSet<u64> = FxHashSet::default();
            for (number, group) in groups.by_ref().take(room as usize) {
                let free = (0..region.count).map(|next| number.wrapping_add(next) % region.count);
                let Some(slot) = free.into_iter().find(|slot| taken.insert(*slot)) else { break };
                places.insert(group, region.first + slot);
            }
        }
        Groups { bits, places }
    }

    /// What stands for an address.
    pub(super) fn address(&mut self, address: IpAddr, length: Option<u32>) -> IpAddr {
        match address {
            IpAddr::V4(address) => IpAddr::V4(self.v4(address, length)),
            IpAddr::V6(address) => IpAddr::V6(self.v6(address, length)),
        }
    }

    fn v4(&mut self, address: Ipv4Addr, length: Option<u32>) -> Ipv4Addr {
        if stays(address) {
            return address;
        }
        let bits = u32::from(address);
        if let Some(block) = private_block(bits) {
            return Ipv4Addr::from(self.stirred(bits, block, 24));
        }
        let group = self.v4.bits;
        let place = self.v4.places.get(&u64::from(prefix(bits, group)));
        match place.filter(|_| length.is_none_or(|length| length >= group)) {
            Some(&place) => {
                let within = self.stirred(bits, group, 24) & u32::MAX >> group;
                Ipv4Addr::from((place as u32) << (32 - group) | within)
            }
            None => {
                self.kept
                    .push(length.map_or_else(|| address.to_string(), |bits| format!("{address}/{bits}")));
                address
            }
        }
    }

    /// The bits of an address from one depth to another, each changed or not by all before it.
    fn stirred(&self, address: u32, from: u32, to: u32) -> u32 {
        let mut made = address;
        for depth in from..to {
            let before = prefix(address, depth);
            if !self.fixed.contains(&(depth, before)) {
                let place = [depth.to_le_bytes(), before.to_le_bytes()].concat();
                made ^= ((self.key.number(b"bit", &place) & 1) as u32) << (31 - depth);
            }
        }
        made
    }

    fn v6(&mut self, address: Ipv6Addr, length: Option<u32>) -> Ipv6Addr {
        if let Some(inner) = address.to_ipv4_mapped() {
            return self.v4(inner, length.and_then(|length| length.checked_sub(96))).to_ipv6_mapped();
        }
        if stays6(address) {
            return address;
        }
        let bits = u128::from(address);
        let (from, head) = match own_block(address) {
            Some(block) => (block, bits >> (128 - block)),
            None => {
                let from = self.v6.bits;
                let place = self.v6.places.get(&((bits >> (128 - from)) as u64));
                match place.filter(|_| length.is_none_or(|length| length >= from)) {
                    Some(&place) => (from, u128::from(place)),
                    None => {
                        self.kept
                            .push(length.map_or_else(|| address.to_string(), |n| format!("{address}/{n}")));
                        return address;
                    }
                }
            }
        };
        let mut made = head << (128 - from) | bits & u128::MAX >> from;
        for depth in from..64 {
            let before = prefix6((bits >> 64) as u64, depth);
            if !self.fixed6.contains(&(depth, before)) {
                let place = [&depth.to_le_bytes()[..], &before.to_le_bytes()].concat();
                made ^= u128::from(self.key.number(b"bit6", &place) & 1) << (127 - depth);
            }
        }
        // What a machine made of its own address says which it is.
        let host = bits as u64;
        if host > u64::from(u32::MAX) && host.trailing_zeros() < 32 {
            made = made & !u128::from(u64::MAX) | u128::from(self.key.number(b"host", &host.to_le_bytes()));
        }
        Ipv6Addr::from(made)
    }

    /// What stands for the address of a network card: one that nobody's maker gave it.
    pub(super) fn mac(&mut self, mac: [u8; 6]) -> [u8; 6] {
        // For several, for all, for none.
        if mac[0] & 1 == 1 || mac == [0; 6] {
            return mac;
        }
        let number = self.macs.get(&mac).copied().unwrap_or_else(|| {
            let first = self.key.number(b"mac", &mac) as u32 & 0xFF_FFFF;
            let free = (0..=0xFF_FFFF_u32)
                .map(|next| first.wrapping_add(next) & 0xFF_FFFF)
                .find(|n| self.taken.insert(*n));
            *self.macs.entry(mac).or_insert(free.unwrap_or(first))
        });
        let [_, a, b, c] = number.to_be_bytes();
        [0x02, 0x00, 0x5E, a, b, c]
    }
}

/// The first bits of an address.
fn prefix(address: u32, bits: u32) -> u32 {
    address.checked_shr(32 - bits).unwrap_or(0)
}

/// The same of the network half of an IPv6 address.
fn prefix6(network: u64, bits: u32) -> u64 {
    network.checked_shr(64 - bits).unwrap_or(0)
}

/// What is no network's: this host, one's own, one's neighbours', many at once; and masks.
fn stays(address: Ipv4Addr) -> bool {
    let bits = u32::from(address);
    let is_mask = bits.leading_ones() + bits.trailing_zeros() == 32;
    let is_wildcard = bits.leading_zeros() + bits.trailing_ones() == 32 && bits > 0xFF;
    bits == 0
        || is_mask && bits >> 24 != 240
        || is_wildcard && bits >> 24 == 0
        || address.is_loopback()
        || address.is_link_local()
        || address.is_multicast()
}

/// How many bits the block of an address has that anybody may use and that stays, if it is of one (RFC 1918, RFC 6598).
fn private_block(address: u32) -> Option<u32> {
    const BLOCKS: [(u32, u32); 4] =
        [(0x0A00_0000, 8), (0xAC10_0000, 12), (0xC0A8_0000, 16), (0x6440_0000, 10)];
    BLOCKS.iter().find(|(block, bits)| prefix(address, *bits) == prefix(*block, *bits)).map(|(_, bits)| *bits)
}

fn stays6(address: Ipv6Addr) -> bool {
    address.is_unspecified()
        || address.is_loopback()
        || address.is_multicast()
        || address.is_unicast_link_local() && address.segments()[4..6] == [0, 0]
}

/// The same of IPv6 (RFC 4193, RFC 4291, RFC 3849).
fn own_block(address: Ipv6Addr) -> Option<u32> {
    if address.is_unique_local() {
        Some(8)
    } else if address.is_unicast_link_local() {
        Some(64)
    } else {
        (address.segments()[..2] == [0x2001, 0x0db8]).then_some(32)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn shared(one: u32, other: u32) -> u32 {
        (one ^ other).leading_zeros()
    }

    fn v4s(text: &[&str]) -> Vec<Found> {
        text.iter()
            .map(|word| match word.split_once('/') {
                Some((address, length)) => {
                    (address.parse().expect("an address"), Some(length.parse().expect("a length")))
                }
                None => (word.parse().expect("an address"), None),
            })
            .collect()
    }

    fn pseudonyms(key: &Key, found: &[Found]) -> Vec<IpAddr> {
        let mut book = Book::new(key, found);
        found.iter().map(|(address, length)| book.address(*address, *length)).collect()
    }

    proptest! {
        /// In a block of its own and for each network of the Internet: what is shared is shared, no more and no less.
        #[test]
        fn what_addresses_share_their_pseudonyms_share(
            addresses in prop::collection::vec(prop_oneof![0x0A00_0000..0x0B00_0000_u32, 0x0B00_0000..0x0B00_4000_u32, any::<u32>()], 2..40),
            secret in any::<u64>(),
        ) {
            let key = Key::new(&secret.to_le_bytes());
            let found: Vec<Found> = addresses.iter().map(|bits| (IpAddr::from(Ipv4Addr::from(*bits)), None)).collect();
            let made = pseudonyms(&key, &found);
            let made: Vec<u32> = made.iter().map(|a| match a { IpAddr::V4(a) => u32::from(*a), IpAddr::V6(_) => 0 }).collect();
            let bits = if addresses.iter().any(|a| a.trailing_zeros() >= 16 && private_block(*a).is_none() && !stays(Ipv4Addr::from(*a))) { 16 } else { 24 };
            for (a, one) in addresses.iter().zip(&made) {
                for (b, other) in addresses.iter().zip(&made) {
                    prop_assert_eq!(a == b, one == other, "{} {}", Ipv4Addr::from(*a), Ipv4Addr::from(*b));
                    let is_one_place = private_block(*a).is_some() && private_block(*a) == private_block(*b) || prefix(*a, bits) == prefix(*b, bits);
                    if is_one_place && shared(*a, *b) >= private_block(*a).unwrap_or(bits) {
                        prop_assert_eq!(shared(*a, *b), shared(*one, *other));
                    }
                }
            }
        }
    }

    #[test]
    fn networks_stay_networks_in_their_blocks() {
        let found = v4s(&[
            "10.1.16.0/20",
            "10.1.20.7",
            "10.1.31.255",
            "192.168.7.0/24",
            "203.0.113.64/26",
            "203.0.113.70",
            "8.8.8.8",
            "127.0.0.1",
            "255.255.255.192",
            "0.0.0.0/0",
            "2001:470:1f00:5::/64",
            "2001:470:1f00:5:21e:c2ff:fe11:2233",
            "fd12:3456:789a::1",
            "::1",
            "fe80::1",
        ]);
        let key = Key::new(b"one");
        let made: Vec<String> = pseudonyms(&key, &found).iter().map(ToString::to_string).collect();
        assert_eq!(pseudonyms(&key, &found), pseudonyms(&Key::new(b"one"), &found));
        assert_ne!(pseudonyms(&key, &found), pseudonyms(&Key::new(b"other"), &found));
        let v4 = |at: usize| u32::from(made[at].parse::<Ipv4Addr>().expect("IPv4"));
        assert_eq!((v4(0) & 0xFFF, v4(1) >> 12, v4(2)), (0, v4(0) >> 12, v4(0) | 0xFFF), "{made:?}");
        assert!(made[3].starts_with("192.168.") && made[3].ends_with(".0"), "{made:?}");
        assert_eq!((v4(4) & 0x3F, v4(5)), (0, v4(4) + 6), "{made:?}");
        assert!(made[4].starts_with("198.1") && made[6].ends_with(".8") && made[6] != "8.8.8.8", "{made:?}");
        assert_eq!(made[7..10], ["127.0.0.1", "255.255.255.192", "0.0.0.0"]);
        assert!(made[10].starts_with("2001:db8:") && made[10].ends_with("::"), "{made:?}");
        assert!(
            made[11].starts_with(made[10].trim_end_matches(':')) && !made[11].contains("fe11"),
            "{made:?}"
        );
        assert!(made[12].starts_with("fd") && made[12] != "fd12:3456:789a::1", "{made:?}");
        assert_eq!(made[13..], ["::1", "fe80::1"]);
    }

    /// What has no room stays, with a finding.
    #[test]
    fn what_is_too_wide_is_reported() {
        let key = Key::new(b"one");
        let found = v4s(&["52.0.0.0/6", "9.1.2.3", "2a00::/12", "2a00:1:2::1"]);
        let mut book = Book::new(&key, &found);
        let made: Vec<String> =
            found.iter().map(|(address, length)| book.address(*address, *length).to_string()).collect();
        assert_eq!((made[0].as_str(), made[2].as_str()), ("52.0.0.0", "2a00::"));
        assert_eq!(book.kept(), ["2a00::/12", "52.0.0.0/6"]);
        assert!(made[1].starts_with("198.1") && made[3].starts_with("2001:db8:"), "{made:?}");
    }

    #[test]
    fn many_networks_go_where_there_is_room() {
        let found: Vec<Found> =
            (0..3_000_u32).map(|n| (IpAddr::from(Ipv4Addr::from(0x0B00_0001 + n * 256)), None)).collect();
        let made = pseudonyms(&Key::new(b"one"), &found);
        assert_eq!(made.iter().collect::<FxHashSet<_>>().len(), 3_000);
        let in_benchmarks = made.iter().filter(|address| address.to_string().starts_with("198.1")).count();
        assert!((300..=512).contains(&in_benchmarks), "{in_benchmarks}");
        assert!(made.iter().all(|address| address.to_string().starts_with(['1', '2'])));
    }
}
