//! `interfaces` files made from what the profile of ifupdown declares, with maps: each option now and then, values by
//! type, and names that mostly name something.

pub(crate) mod habits;
mod random;

use random::interfaces;

use crate::cases::{Carry, Outcome};
use crate::kept::number_of;
use crate::search::PLANTED_FROM;
use fastrand::Rng;
use std::fmt::Write as _;
use std::path::Path;
use toml::{Table, Value};

pub(crate) const IFUPDOWN: &str =
    include_str!("../../../../fordcross-profiles/platforms/ifupdown/ifupdown.profile.toml");
pub(crate) const NETPLAN: &str =
    include_str!("../../../../fordcross-profiles/platforms/netplan/netplan.profile.toml");
pub(crate) const CROSSING: &str = include_str!(
    "../../../../fordcross-profiles/platforms/netplan/ifupdown-0.8-to-netplan-0.106.crossing.toml"
);

/// What a map does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Deed {
    SameNames,
    NewNames,
    Swap,
    Leave,
    SameLength,
    Narrower,
    OneAddress,
    /// A name so long that what is made of it has no room.
    LongName,
}

pub(crate) const DEEDS: [Deed; 8] = [
    Deed::SameNames,
    Deed::NewNames,
    Deed::Swap,
    Deed::Leave,
    Deed::SameLength,
    Deed::Narrower,
    Deed::OneAddress,
    Deed::LongName,
];

#[derive(Clone, Debug)]
pub(crate) struct Case {
    pub(crate) number: u64,
    pub(crate) text: String,
    pub(crate) base: Option<String>,
    pub(crate) deed: Deed,
    pub(crate) map: String,
}

const PORTS: [&str; 9] = ["eth0", "eth1", "eth2", "eth3", "wlan0", "eth4", "eth6", "eth7", "eth8"];
const FAMILIES: [&str; 2] = ["inet", "inet6"];

/// Options whose values are words that mean something, though their type is a text.
const WORDS: [(&str, &[&str]); 30] = [
    ("scope", &["global", "link"]),
    ("preferred-lifetime", &["0", "forever", "300"]),
    ("mode", &["gre", "ipip", "sit", "ip6ip6", "ip6gre", "vti", "isatap"]),
    ("wpa-ssid", &["Harbour", "Net loft", "a network whose name is longer than thirty-two bytes"]),
    ("wpa-key-mgmt", &["WPA-PSK", "WPA-EAP", "NONE", "SAE"]),
    ("wpa-eap", &["PEAP", "TTLS", "TLS", "PWD"]),
    ("wpa-phase2", &["auth=MSCHAPV2", "auth=PAP"]),
    ("wpa-scan-ssid", &["0", "1"]),
    ("wireless-essid", &["Quay", "any"]),
    ("wireless-mode", &["managed", "ad-hoc"]),
    ("dhcp", &["0", "1"]),
    ("autoconf", &["0", "1"]),
    ("privext", &["0", "1", "2"]),
    ("accept_ra", &["0", "1", "2"]),
    ("metric", &["1", "100", "1024"]),
    ("mtu", &["576", "1280", "1500", "9000"]),
    ("ttl", &["0", "64", "255", "256"]),
    ("vlan-id", &["0", "1", "7", "4094", "4095"]),
    ("bond-min-links", &["1", "2"]),
    ("bond-packets-per-slave", &["1", "10"]),
    ("bridge_bridgeprio", &["0", "4096", "65535", "65536"]),
    ("bridge_fd", &["0", "1", "2", "15", "31"]),
    ("bridge_hello", &["1", "2", "10", "50"]),
    ("bridge_maxage", &["5", "6", "20", "41"]),
    ("bridge_ageing", &["0", "300"]),
    ("broadcast", &["+", "192.0.2.255"]),
    ("network", &["192.0.2.0"]),
    ("method", &["static", "static", "manual", "dhcp", "auto", "ppp"]),
    ("address", &[]),
    ("hostname", &["quay", "net-loft"]),
];

/// The options of a stanza that are on a line with one value, each with its type.
fn options() -> Vec<(String, String)> {
    let profile: Table = IFUPDOWN.parse().expect("a profile is TOML");
    let settings = profile["setting"]["interfaces/iface/*/inet|inet6|any/"].as_table().expect("settings");
    let of_stanza = settings.iter().filter_map(|(names, kind)| {
        let names = names.trim_end_matches("[]");
        let plain = !names.contains(['/', '*']);
        let kind = kind.as_str().or_else(|| kind.get("type").and_then(Value::as_str))?;
        plain.then_some((names, kind))
    });
    let skipped =
        ["method", "inherits", "beyond", "up", "post-up", "pre-up", "down", "pre-down", "post-down"];
    of_stanza
        .flat_map(|(names, kind)| names.split('|').map(move |name| (name.to_owned(), kind.to_owned())))
        .filter(|(name, _)| !skipped.contains(&name.as_str()))
        .collect()
}

/// All that the profile declares at stanzas: paths as they are in locators.
pub(crate) fn declared() -> Vec<String> {
    options().into_iter().map(|(name, _)| name).collect()
}

/// A map that does this.
fn map(deed: Deed, rng: &mut Rng) -> String {
    let mut text = String::from("[map]\nformat = 2\n[ports]\n");
    let left = rng.usize(..6);
    for (number, port) in PORTS.iter().enumerate() {
        let new = match deed {
            Deed::NewNames => format!("enp{}s0", number + 1),
            Deed::Swap if number < 2 => PORTS[1 - number].to_owned(),
            Deed::Leave if number == left => "leave".to_owned(),
            Deed::LongName if number == 0 => "enp123s0f0np0".to_owned(),
            _ => (*port).to_owned(),
        };
        let _ = writeln!(text, "{port} = \"{new}\"");
    }
    for number in 0..16 {
        let _ = writeln!(text, "odd{number} = \"odd{number}\"");
    }
    text.push_str("wlan1 = \"wlan1\"\nwlan2 = \"wlan2\"\nwlan3 = \"wlan3\"\n");
    match deed {
        Deed::SameLength => text.push_str("[addresses]\n\"192.0.2.0/24\" = \"203.0.113.0/24\"\n"),
        Deed::Narrower => {
            let _ = writeln!(text, "[addresses]\n\"192.0.2.{}/29\" = \"203.0.113.8/29\"", rng.u16(1..24) * 8);
        }
        Deed::OneAddress => {
            let _ = writeln!(
                text,
                "[addresses]\n\"192.0.2.{}\" = \"192.0.2.{}\"",
                rng.u16(1..24) * 8 + 2,
                rng.u16(1..24) * 8 + 2
            );
        }
        _ => {}
    }
    text
}

/// The cases that are asked for.
pub(crate) fn cases() -> Vec<Case> {
    (0..number_of("FORDCROSS_CASES", 800)).map(random).collect()
}

fn random(number: u64) -> Case {
    let mut rng =
        Rng::with_seed(number_of("FORDCROSS_SEED", 15).wrapping_mul(0x9e37_79b9).wrapping_add(number));
    let deed = DEEDS[number as usize % DEEDS.len()];
    let text = interfaces(&mut rng);
    Case { number, text, base: None, deed, map: map(deed, &mut rng) }
}

pub(crate) fn planted() -> Vec<Case> {
    let case = |(number, (text, base)): (usize, (String, Option<String>))| {
        let mut rng = Rng::with_seed(1);
        let map = map(Deed::SameNames, &mut rng);
        Case { number: PLANTED_FROM + number as u64, text, base, deed: Deed::SameNames, map }
    };
    seldom().into_iter().enumerate().map(case).collect()
}

const STATIC: &str = "auto eth0\niface eth0 inet static\n  address 192.0.2.2/29\n";
const HEAD: &str = "network:\n  version: 2\n  ethernets:\n    eth8: {}\n";

/// What random files seldom have: the file, and a base that it goes into where only that has such a thing.
fn seldom() -> Vec<(String, Option<String>)> {
    let alone = [
        // What is on one another has no order, and something is taken for doubled.
        "iface wlan0 inet dhcp\n  wpa-ssid Harbour\n  wpa-psk seven-gulls\niface br0 inet manual\n  bridge_ports eth0\n\
         iface br0.5 inet manual\niface br1 inet manual\n  bridge_ports br0.5\n",
        "iface tun0 inet tunnel\n  address 192.0.2.9/30\n  endpoint quay\n  mode gre\n",
        "iface tun0 inet tunnel\n  address 192.0.2.9/30\n  endpoint 203.0.113.9\n  local quay\n  mode gre\n",
        "auto lo\niface lo inet loopback\niface bond0 inet dhcp\n  bond-slaves eth0 eth1\n  bond-mode active-backup\n  bond-primary lo\n",
        "iface br0 inet manual\n  bridge_ports eth0\n  bridge_portprio eth0 9\niface br1 inet manual\n  bridge_ports eth1\n  bridge_portprio eth0 9\n",
        "iface bond0 inet manual\n  bond-slaves eth0 eth1\niface br0 inet manual\n  bridge_ports eth0\n",
        "iface br/0 inet dhcp\n  bridge_ports eth0\n",
        "iface eth0 inet dhcp\niface eth0 inet6 dhcp\n  metric 5\n",
        "auto lo\niface lo inet loopback\n  dns-nameservers 192.0.2.53\n",
        "iface bond0 inet dhcp\n  bond-slaves eth0 eth1\n  bond-mode 802.3ad\n  bond-arp-interval 100\n  bond-arp-ip-target 192.0.2.1\n",
        "iface wlan0 inet dhcp\n  wpa-ssid Harbour\n  wpa-key-mgmt WPA-EAP\n  wpa-eap TLS\n  wpa-identity quay\n",
    ];
    let commands = [
        "ip rule add from 192.0.2.2 fwmark zz table 9",
        "ip route add 198.51.100.0/24 via 203.0.113.1",
        "ip route add default via 2001:db8::1 src 192.0.2.2",
        "ip rule add from 192.0.2.2 prio 5",
        "ip route add 198.51.100.0/24 via 192.0.2.1 table quay",
    ];
    let into = [
        "  bonds:\n    eth0:\n      interfaces: [eth8]\n",
        "    eth0:\n      set-name: lan0\n",
        "    eth7:\n      routing-policy:\n        - table: 7\n",
        "    eth7:\n      routes:\n        - via: 192.0.2.1\n",
        "  vlans:\n    v9:\n      link: eth8\n",
        "  tunnels:\n    tun9:\n      local: 192.0.2.9\n      remote: 203.0.113.9\n",
        "    a:\n      match: {macaddress: \"00:00:5e:00:53:01\"}\n    b:\n      match: {macaddress: \"00:00:5e:00:53:01\"}\n",
        "    a:\n      match: {name: ena}\n      set-name: lan0\n    b:\n      match: {name: enb}\n      set-name: lan0\n",
        "    a:\n      match: {name: ena}\n      set-name: a-name-of-seventeen\n",
        "    a:\n      match: {name: ena}\n      wakeonlan: true\n",
        "  wifis:\n    w:\n      match: {name: wlp1s0}\n      access-points:\n        Harbour: {password: seven-gulls}\n",
        "  tunnels:\n    tun9:\n      mode: isatap\n      local: 192.0.2.9\n      remote: 203.0.113.9\n",
    ];
    let alone = alone.into_iter().map(|text| (text.to_owned(), None));
    let commands = commands.into_iter().map(|command| (format!("{STATIC}  up {command}\n"), None));
    let into = into.into_iter().map(|base| (STATIC.to_owned(), Some(format!("{HEAD}{base}"))));
    let cost = "iface br0 inet manual\n  bridge_ports eth0\n  bridge_pathcost eth0.9 4\n";
    let primaries = "iface bond0 inet manual\n  bond-slaves bond1\n  bond-mode active-backup\n  bond-primary bond1\n\
        iface bond1 inet manual\n  bond-slaves eth0\n  bond-mode active-backup\n  bond-primary eth0\n";
    let later = [
        "  bridges:\n    br9:\n      interfaces: [eth8]\n      parameters: {path-cost: {eth0: 4}}\n",
        "  bridges:\n    br8:\n      interfaces: [eth8]\n      parameters: {path-cost: {eth8: 4}, port-priority: {eth8: 4}}\n    \
         br9:\n      parameters: {path-cost: {eth8: 4}, port-priority: {eth8: 4}}\n",
        "    eth7: {activation-mode: manual}\n  vlans:\n    v9: {id: 9, link: eth7}\n",
        "  bonds:\n    b9:\n      interfaces: [eth8]\n      parameters: {mode: active-backup, mii-monitor-interval: 100, arp-interval: 100, arp-ip-targets: [192.0.2.1]}\n",
        "  wifis:\n    w9:\n      access-points:\n        Harbour: {auth: {key-management: eap, phase2-auth: MSCHAPV2}}\n",
    ];
    let later = later.map(|base| (STATIC.to_owned(), Some(format!("{HEAD}{base}"))));
    let last = [(cost.to_owned(), None), (primaries.to_owned(), None)];
    alone.chain(commands).chain(into).chain(last).chain(later).collect()
}

/// A case by its number, planted or random.
pub(crate) fn case_of(number: u64) -> Option<Case> {
    match number.checked_sub(PLANTED_FROM) {
        Some(at) => planted().into_iter().nth(at as usize),
        None => Some(random(number)),
    }
}

pub(crate) fn carry(case: &Case, profiles: Option<&Path>) -> Outcome {
    Carry {
        file: "interfaces",
        text: &case.text,
        map: Some(&case.map),
        base: case.base.as_deref().map(|base| ("base.yaml", base)),
        to: "netplan@0.106",
        result: "interfaces.netplan.yaml",
    }
    .run(profiles)
}
