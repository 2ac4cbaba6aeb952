//! Networks that expressions look for addresses in. Each is found by the hash of its bits, so that asking one of a
//! hundred thousand costs as many looks as there are lengths.

use super::functions::{Fallible, Words, failed, parse};
use cel::Context;
use ipnet::IpNet;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use std::net::IpAddr;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Networks, each with how often it is there.
#[derive(Debug, Default)]
pub(crate) struct Networks {
    /// By where they begin and how long their prefixes are.
    count: BTreeMap<(IpAddr, u8), usize>,
    /// How many have each length, by family.
    lengths: FxHashMap<(bool, u8), usize>,
}

impl Networks {
    pub(crate) fn new(networks: impl IntoIterator<Item = IpNet>) -> Self {
        let mut all = Self::default();
        for network in networks {
            *all.count.entry((network.network(), network.prefix_len())).or_default() += 1;
            *all.lengths.entry((network.addr().is_ipv4(), network.prefix_len())).or_default() += 1;
        }
        all
    }

    /// The networks that a network is, or is part of, with how often each is there; the widest first.
    fn holders(&self, network: IpNet) -> impl DoubleEndedIterator<Item = (IpNet, usize)> {
        let known = move |length: &u8| self.lengths.contains_key(&(network.addr().is_ipv4(), *length));
        (0..=network.prefix_len()).filter(known).filter_map(move |length| {
            let holder = IpNet::new(network.addr(), length).ok()?.trunc();
            let found = self.count.get(&(holder.network(), length))?;
            Some((holder, *found))
        })
    }

    /// The narrowest network that a network is or is part of.
    pub(crate) fn narrowest(&self, network: IpNet) -> Option<IpNet> {
        self.holders(network).next_back().map(|(holder, _)| holder)
    }

    /// The narrowest network that holds a network and more.
    pub(crate) fn around(&self, network: IpNet) -> Option<IpNet> {
        let mut wider = self.holders(network).map(|(holder, _)| holder);
        wider.rfind(|holder| holder.prefix_len() < network.prefix_len())
    }

    /// All networks that hold a network and more.
    pub(crate) fn all_around(&self, network: IpNet) -> impl Iterator<Item = IpNet> {
        self.holders(network).map(|(holder, _)| holder).filter(move |holder| *holder != network)
    }

    /// How many have an address in common with a network.
    fn overlapping(&self, network: IpNet) -> usize {
        let wider: usize = self.holders(network).map(|(_, count)| count).sum();
        let inside = (network.network(), 0)..=(network.broadcast(), u8::MAX);
        let narrower = self.count.range(inside).filter(|((_, length), _)| *length > network.prefix_len());
        wider + narrower.map(|(_, count)| count).sum::<usize>()
    }
}

/// Networks known by their numbers: the expression language has no values of our own that functions could take.
#[derive(Clone, Debug, Default)]
pub(super) struct Shelf(Arc<Mutex<Shelves>>);

#[derive(Debug, Default)]
struct Shelves {
    /// Those of paths from the top, from 0.
    kept: Vec<Networks>,
    /// Those of the expression that is being worked out, from -1 downwards.
    passing: Vec<Networks>,
}

impl Shelf {
    fn shelves(&self) -> MutexGuard<'_, Shelves> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn keep(&self, networks: Networks) -> i64 {
        let kept = &mut self.shelves().kept;
        kept.push(networks);
        i64::try_from(kept.len()).unwrap_or(i64::MAX) - 1
    }

    pub(super) fn put(&self, networks: Networks) -> i64 {
        let passing = &mut self.shelves().passing;
        passing.push(networks);
        -i64::try_from(passing.len()).unwrap_or(i64::MAX)
    }

    /// Forgets the networks of the expression that was worked out.
    pub(super) fn clear(&self) {
        self.shelves().passing.clear();
    }

    fn ask<T: Default>(&self, number: i64, ask: impl FnOnce(&Networks) -> T) -> T {
        let shelves = self.shelves();
        let at = |number: i64| usize::try_from(number).ok();
        let kept = at(number).and_then(|number| shelves.kept.get(number));
        let found = kept.or_else(|| shelves.passing.get(at(-1 - number)?));
        found.map(ask).unwrap_or_default()
    }
}

/// Adds the functions that look for networks; what they take for a path is the number of its networks.
pub(super) fn add(context: &mut Context<'_, '_>, shelf: &Shelf) {
    // The names are ours alone, so none is declared already.
    let known = shelf.clone();
    let _ = context.add_function("held_by", move |address: Words, number: i64| -> Fallible<Words> {
        let network = super::parse_network(&address).ok_or_else(|| failed("held_by", "no address"))?;
        let found = known.ask(number, |networks| networks.narrowest(network));
        Ok(Arc::new(found.map_or_else(String::new, |network| network.to_string())))
    });
    let known = shelf.clone();
    let _ = context.add_function("overlapping", move |network: Words, number: i64| -> Fallible<i64> {
        let network: IpNet = parse("overlapping", &network)?;
        Ok(known.ask(number, |networks| i64::try_from(networks.overlapping(network)).unwrap_or(i64::MAX)))
    });
}
