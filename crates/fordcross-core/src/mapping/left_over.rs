//! Old names that still stand in free text: nothing maps them there, so a person is told.

use super::{Mapping, PortTarget};
use std::net::IpAddr;

/// What parts the words of a command, a note or a connection string.
const BETWEEN: [char; 16] =
    [' ', '\t', '\n', '\r', '"', '\'', '`', '=', ',', ';', '(', ')', '<', '>', '|', '&'];

impl Mapping {
    /// The old ports, paths and addresses that have another name now and stand in a text, as the map calls them.
    pub(crate) fn old_names_in(&self, text: &str) -> Vec<String> {
        let mut found = Vec::new();
        let may_name_port = self.renamed_ports.as_ref().is_some_and(|ports| ports.is_match(text));
        if !may_name_port && self.paths.is_empty() && self.addresses.is_empty() {
            return found;
        }
        for word in text.split(BETWEEN).filter(|word| !word.is_empty()) {
            if let Some(name) = self.old_name(word)
                && !found.contains(&name)
            {
                found.push(name);
            }
        }
        found
    }

    /// Whether there is nothing to look for.
    pub(crate) fn renames_nothing(&self) -> bool {
        self.paths.is_empty() && self.addresses.is_empty() && self.renamed_ports.is_none()
    }

    fn is_renamed(&self, port: &str) -> bool {
        matches!(self.ports.get(port), Some((PortTarget::New(new), _)) if new != port)
    }

    fn old_name(&self, word: &str) -> Option<String> {
        // `host:/path`, `file:/path`
        let path = word.find('/').map(|at| &word[at..]).filter(|path| {
            let before = &word[..word.len() - path.len()];
            before.is_empty() || before.ends_with(':')
        });
        if let Some(old) = path.and_then(|path| self.paths.holder(path)) {
            return Some(old.to_owned());
        }
        let bare = word.trim_matches(|c: char| !c.is_ascii_alphanumeric());
        let host = bare.split('/').next().unwrap_or(bare);
        // An IPv4 address may have a port behind it.
        let v4 = host.split(':').next().unwrap_or(host);
        let address = host.parse::<IpAddr>().ok().or_else(|| v4.parse().ok());
        if let Some(old) = address.and_then(|address| self.addresses.holder(address)) {
            return Some(old);
        }
        // The part of a name that is a port: `eth0.20`, `eth0:1`.
        let port = bare.split(['.', ':', '@', '/']).next().unwrap_or(bare);
        self.is_renamed(port).then(|| port.to_owned())
    }
}

#[cfg(test)]
mod tests {
    use crate::mapping::{MapFile, MapSides, MapUse, Mapping, PortProposal, PortTarget, parse_map};
    use crate::source::Source;
    use rstest::rstest;

    #[rstest]
    #[case("cp %p /srv/old/%f", "/srv/old")]
    #[case("rsync -a %p keeper@box:/srv/old/wal", "/srv/old")]
    #[case("cp %p /srv/older/%f", "")]
    #[case("ping -c1 192.0.2.7; logger 'no 192.0.2.9:5432'", "192.0.2.0/24")]
    #[case("ping 198.51.100.7", "")]
    #[case("ethtool -s eth0 speed 100; ip link set eth0.20 up", "eth0")]
    #[case("ethtool -s eth01 speed 100", "")]
    #[case("ethtool -s eth1 speed 100", "")]
    fn are_found_by_whole_names(#[case] text: &str, #[case] expected: &str) {
        let map = "[paths]\n'/srv/old' = '/srv/new'\n[addresses]\n'192.0.2.0/24' = '198.51.100.0/24'\n";
        let sides = MapSides { lines: ("a", "b"), old: None, new: None, used: &[] };
        let map: MapFile = parse_map(Source::new("map", map), &sides, MapUse::Carry).expect("a map");
        let port = |old: &str, new: &str| PortProposal {
            old: old.into(),
            target: PortTarget::New(new.into()),
            why: String::new(),
            by_person: true,
            settings: 1,
        };
        let mapping = Mapping::new("map", &[port("eth0", "enp1"), port("eth1", "eth1")], &map);
        assert_eq!(mapping.old_names_in(text).join(" "), expected);
    }
}
