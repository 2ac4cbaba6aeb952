//! Old names that are still in free text: nothing maps them there, so they are reported, with the words that were
//! found. They are there in the spellings that commands, addresses of services and lists of paths have.

use super::Mapping;
use std::borrow::Cow;
use std::net::IpAddr;

/// What parts the words of a command, a note or a connection string.
const BETWEEN: [char; 18] =
    [' ', '\t', '\n', '\r', '"', '\'', '`', '=', ',', ';', '(', ')', '<', '>', '|', '&', '{', '}'];

/// An old name that was found in a text: the words that have it, and what the map calls it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct LeftOver {
    pub(crate) found: String,
    pub(crate) entry: String,
}

/// A word of a free text, with what in it can be a name. It can be `user@host:/path`, `scheme://host:port/path`, `[v6]:port`,
/// `FILE:/path` or `/a:/b`.
pub(crate) struct Word<'w> {
    /// What is before a path: a host, a user at one, an address with its port, the name of a port.
    place: &'w str,
    /// From the first slash on; empty if there is none.
    path: &'w str,
    has_scheme: bool,
}

impl<'w> Word<'w> {
    fn new(word: &'w str) -> Self {
        let (has_scheme, rest) = match word.split_once("://") {
            Some((_, behind)) => (true, behind),
            None => (false, word),
        };
        let (place, path) = match rest.find('/') {
            Some(at) => rest.split_at(at),
            None => (rest, ""),
        };
        Self { place, path, has_scheme }
    }

    /// The paths in it. Lists of paths have `:` between them, and so has a host before its path. A network has a path behind
    /// it that is none.
    pub(super) fn paths(&self) -> impl Iterator<Item = &'w str> {
        let is_path =
            !self.path.is_empty() && (self.place.is_empty() || self.place.ends_with(':') || self.has_scheme);
        let path = if is_path { self.path } else { "" };
        path.split(':').filter(|path| path.starts_with('/'))
    }

    /// The address in it, and as it is there: `[2001:db8::1]:443`, `192.0.2.7:443`, and an address alone.
    pub(super) fn address(&self) -> Option<(IpAddr, String)> {
        let host = self.place.rsplit('@').next().unwrap_or(self.place);
        let is_address = |text: &str| {
            let text = text.trim_matches(|c: char| !c.is_ascii_alphanumeric() && c != ':');
            text.parse::<IpAddr>().ok().map(|address| (address, text.to_owned()))
        };
        let bracketed =
            host.split_once('[').and_then(|(_, rest)| rest.split_once(']')).map(|(inner, _)| inner);
        let before_port = host.split(':').next().unwrap_or(host);
        let without_end = host.trim_end_matches(':');
        [bracketed, Some(without_end), Some(before_port)].into_iter().flatten().find_map(is_address)
    }

    /// What can be the name of a port in it, each with what can be the name of its port alone: `eth0.20`, `eth0:1`.
    pub(super) fn ports(&self) -> impl Iterator<Item = (&'w str, &'w str)> {
        let place = if self.address().is_some() { "" } else { self.place };
        place.split('@').map(|part| {
            let whole = part.trim_matches(|c: char| !c.is_ascii_alphanumeric());
            (whole, whole.split(['.', ':']).next().unwrap_or(whole))
        })
    }
}

impl Mapping {
    /// The old names that have another name now and are in a text.
    pub(crate) fn old_names_in(&self, text: &str) -> Vec<LeftOver> {
        let mut found: Vec<LeftOver> = Vec::new();
        if !self.may_have_old_names(text) {
            return found;
        }
        for word in text.split(BETWEEN).filter(|word| !word.is_empty()) {
            let word = Word::new(word);
            let mut of_word = Vec::new();
            self.kinds().for_each(|kind| kind.left_over(&word, &mut of_word));
            for left_over in of_word {
                if !found.contains(&left_over) {
                    found.push(left_over);
                }
            }
        }
        found
    }
}

pub(super) fn without_doubled_slashes(path: &str) -> Cow<'_, str> {
    if !path.contains("//") {
        return Cow::Borrowed(path);
    }
    let mut clean = String::with_capacity(path.len());
    for c in path.chars() {
        if c != '/' || !clean.ends_with('/') {
            clean.push(c);
        }
    }
    Cow::Owned(clean)
}

#[cfg(test)]
mod tests {
    use crate::mapping::{Destination, MapFile, MapSides, MapUse, Mapping, Proposal, parse_map};
    use crate::text::source::Source;
    use rstest::rstest;

    #[rstest]
    #[case("cp %p /srv/old/%f", "/srv/old/%f")]
    #[case("rsync -a %p keeper@box:/srv/old/wal", "/srv/old/wal")]
    #[case("cp %p /srv/older/%f", "")]
    #[case("ping -c1 192.0.2.7; logger 'no 192.0.2.9:5432'", "192.0.2.7 192.0.2.9")]
    #[case("ping 198.51.100.7", "")]
    #[case("ethtool -s eth0 speed 100; ip link set eth0.20 up", "eth0 eth0.20")]
    #[case("ethtool -s eth01 speed 100", "")]
    #[case("ethtool -s eth1 speed 100", "")]
    #[case("scp %p u@192.0.2.4:/b", "192.0.2.4")]
    #[case("http://192.0.2.4/x rsync://192.0.2.5:873/srv/old", "192.0.2.4 192.0.2.5 /srv/old")]
    #[case("ping6 [2001:db8::1] [2001:db8::2]:443 2001:db8::3", "2001:db8::1 2001:db8::2 2001:db8::3")]
    #[case("file:///srv/old/x FILE:/srv/old/y", "/srv/old/x /srv/old/y")]
    #[case("PATH=/usr/bin:/srv/old/bin:/bin", "/srv/old/bin")]
    #[case("ls /srv//old ///srv/old/x", "/srv//old ///srv/old/x")]
    #[case("route 192.0.2.0/24 in tcp/443", "192.0.2.0")]
    fn are_found_by_whole_names(#[case] text: &str, #[case] expected: &str) {
        let map = "[paths]\n'/srv/old' = '/srv/new'\n[addresses]\n'192.0.2.0/24' = '198.51.100.0/24'\n'2001:db8::/64' = '2001:db8:1::/64'\n";
        let sides = MapSides { platforms: ("a", "b"), unit: None, old: None, new: None, used: &[] };
        let map: MapFile = parse_map(Source::new("map", map), &sides, MapUse::Carry).expect("a map");
        let port = |old: &str, new: &str| Proposal {
            kind: crate::mapping::MapKind::Ports,
            old: old.into(),
            target: Destination::New(new.into()),
            why: String::new(),
            by_person: true,
            settings: 1,
        };
        let mapping = Mapping::new("map", &[port("eth0", "enp1"), port("eth1", "eth1")], &map);
        let found: Vec<String> = mapping.old_names_in(text).into_iter().map(|left| left.found).collect();
        assert_eq!(found.join(" "), expected);
    }
}
