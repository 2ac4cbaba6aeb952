//! A host with interfaces at random.

use super::{FAMILIES, PORTS, WORDS, options};
use fastrand::Rng;
use std::fmt::Write as _;

struct Host {
    text: String,
    /// What is there, by its name.
    names: Vec<String>,
    /// What is a member of nothing yet.
    unbundled: Vec<String>,
    free: Vec<u8>,
    is_careful: bool,
}

/// What an interface is, as far as its options go.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Port,
    Wifi,
    Vlan,
    Bond,
    Bridge,
    Tunnel,
}

impl Host {
    fn line(&mut self, line: &str) {
        let _ = writeln!(self.text, "    {line}");
    }

    fn address(&mut self, family: &str, rng: &mut Rng) -> String {
        let number = match self.free.pop() {
            Some(number) if self.is_careful => number,
            _ => rng.u8(1..8),
        };
        match (family, rng.u8(..40)) {
            (_, 0) if !self.is_careful => "0.0.0.0".to_owned(),
            ("inet6", _) => format!("2001:db8:{number}::10"),
            _ => format!("192.0.2.{}", u16::from(number) * 8 + 2),
        }
    }

    /// Something to make a bond or bridge of.
    fn member(&mut self, rng: &mut Rng) -> String {
        if self.is_careful && !self.unbundled.is_empty() {
            return self.unbundled.swap_remove(rng.usize(..self.unbundled.len()));
        }
        let named = rng.choice(&self.names).cloned();
        named.filter(|_| !self.is_careful).unwrap_or_else(|| format!("eth{}", rng.u8(6..9)))
    }

    /// Another address of the network of one, or of any.
    fn beside(&self, address: &str, rng: &mut Rng) -> String {
        match address.rsplit_once(['.', ':']) {
            Some(_) if !self.is_careful && rng.bool() => "198.51.100.9".to_owned(),
            Some((network, _)) if address.contains(':') => format!("{network}:1"),
            Some((network, last)) => format!("{network}.{}", last.parse::<u16>().map_or(1, |last| last + 1)),
            None => "192.0.2.1".to_owned(),
        }
    }

    fn value(&mut self, name: &str, kind: &str, family: &str, rng: &mut Rng) -> String {
        if let Some((_, words)) = WORDS.iter().find(|(known, words)| *known == name && !words.is_empty()) {
            let words =
                if self.is_careful && rng.u8(..10) > 0 { &words[..words.len().min(2)] } else { words };
            return (*rng.choice(words).expect("words")).to_owned();
        }
        match kind {
            "address" | "subnetted" => self.address(family, rng),
            "prefix-length" => ["255.255.255.248", "29"][rng.usize(..2)].to_owned(),
            "integer" => ["0", "1", "3", "64", "300"][rng.usize(..5)].to_owned(),
            "mac" => format!("00:00:5e:00:53:{:02x}", rng.u8(..)),
            "iface" => rng.choice(&self.names).map_or_else(|| "eth0".to_owned(), Clone::clone),
            "bond-modes" => {
                ["active-backup", "802.3ad", "balance-rr", "4", "1", "balance-tlb"][rng.usize(..6)].to_owned()
            }
            "yes-no" => ["on", "off"][rng.usize(..2)].to_owned(),
            "milliseconds" => ["100", "200", "0"][rng.usize(..3)].to_owned(),
            "seconds" => ["2", "15", "0.5"][rng.usize(..3)].to_owned(),
            "choice" => ["0", "1", "2"][rng.usize(..3)].to_owned(),
            "secret" => ["seven-gulls", "seven gulls", "short", "0123456789abcdef"]
                [rng.usize(..if self.is_careful { 2 } else { 4 })]
            .to_owned(),
            _ => ["/etc/ssl/quay.pem", "quay", "1"][rng.usize(..3)].to_owned(),
        }
    }

    /// Options by what the interface is.
    fn options(&mut self, kind: Kind, family: &str, options: &[(String, String)], rng: &mut Rng) {
        for (name, of) in options {
            let fits = match name.split(['-', '_']).next().unwrap_or_default() {
                "bond" => kind == Kind::Bond,
                "bridge" => kind == Kind::Bridge,
                "wpa" | "wireless" => kind == Kind::Wifi,
                _ if ["endpoint", "local", "ttl", "mode"].contains(&name.as_str()) => kind == Kind::Tunnel,
                _ if ["vlan-raw-device", "vlan-id"].contains(&name.as_str()) => kind == Kind::Vlan,
                _ => true,
            };
            let written = ["address", "netmask", "gateway", "bond-master", "vlan-raw-device", "endpoint"]
                .contains(&name.as_str());
            let chance = match (fits, self.is_careful) {
                _ if written => 1,
                (true, true) => 4,
                (true, false) => 12,
                (false, _) => 1,
            };
            if rng.u8(..100) < chance {
                let value = self.value(name, of, family, rng);
                self.line(&format!("{name} {value}"));
            }
        }
    }

    /// Routes, policies, further addresses and states, by commands.
    fn commands(&mut self, name: &str, family: &str, address: Option<&str>, rng: &mut Rng) {
        let (to, six) = if family == "inet6" { ("2001:db8:99::/64", "-6 ") } else { ("198.51.100.0/24", "") };
        let via = address.map_or_else(|| "192.0.2.1".to_owned(), |address| self.beside(address, rng));
        let other = if family == "inet6" { "192.0.2.3" } else { "2001:db8::3" };
        let own = address.unwrap_or("192.0.2.77").to_owned();
        let commands = [
            format!("up ip {six}route add {to} via {via}"),
            format!("up ip {six}route add {to} via {via} dev {name} metric 50 table 100"),
            format!("up ip {six}route add default via {via}"),
            format!("up ip route add {to} via {other}"),
            format!("up ip {six}route add {to} dev {name} src {own} scope link"),
            format!("up ip {six}route add {to} via {via} src {other}"),
            format!("up ip route add blackhole {to}"),
            format!("up ip route add blackhole {to} via {via}"),
            format!("up ip route add {to} via {via} scope global mtu 1400 onlink"),
            "up ip route add default scope global table main".to_owned(),
            "up ip route add 198.51.100.9/24 via 192.0.2.1".to_owned(),
            format!("up route add -net 198.51.100.0 netmask 255.255.255.0 gw {via} metric 2"),
            format!("up route add default gw {via}"),
            format!("up ip {six}rule add from {own} table 100 priority 5"),
            format!("up ip rule add from {own} to {other} table 100"),
            format!("up ip rule add to {to} lookup main"),
            "up ip rule add from default table 7".to_owned(),
            "up ip rule add to default table 7".to_owned(),
            format!("up ip rule add from {own} fwmark 0x1 tos 16 table 9"),
            format!("up ip rule add from {own} tos 3 table 9"),
            "up ip rule add table 12 pref 9".to_owned(),
            format!(
                "up ip addr add 192.0.2.{}/29 dev {name} label {name}:{}",
                200 + rng.u8(..50),
                ["a", "further", "quite-long-a-word"][rng.usize(..3)]
            ),
            format!("up ip addr add 2001:db8:77::{}/64 dev {name}", rng.u8(1..99)),
            format!("up ip addr add 2001:db8:77::{}/64 dev {name} label {name}:six", rng.u8(1..99)),
            format!("up ip link set dev {name} mtu {}", [576, 1400][rng.usize(..2)]),
            format!("up ip link set {name} up"),
            format!("down ip route del {to}"),
            "post-up echo ready".to_owned(),
        ];
        let most = if self.is_careful { 2 } else { 4 };
        for _ in 0..rng.usize(..=most) {
            let command = rng.choice(&commands).expect("commands").clone();
            self.line(&command);
        }
    }

    fn stanza(&mut self, name: &str, kind: Kind, options: &[(String, String)], rng: &mut Rng) {
        let family = FAMILIES[usize::from(rng.u8(..4) == 0)];
        let method = match kind {
            Kind::Tunnel if rng.bool() => "v4tunnel",
            Kind::Tunnel => "tunnel",
            _ => ["static", "static", "manual", "dhcp", if family == "inet6" { "auto" } else { "dhcp" }]
                [rng.usize(..5)],
        };
        match rng.u8(..10) {
            0 => {}
            1 => {
                let _ = writeln!(self.text, "allow-hotplug {name}");
            }
            _ => {
                let _ = writeln!(self.text, "auto {name}");
            }
        }
        let family = if method == "v4tunnel" { "inet6" } else { family };
        let _ = writeln!(self.text, "iface {name} {family} {method}");
        let mut own = None;
        if method == "static" || method == "v4tunnel" || kind == Kind::Tunnel {
            let address = self.address(family, rng);
            let length = if family == "inet6" { 64 } else { 29 };
            match rng.u8(..4) {
                0 if family == "inet" => {
                    self.line(&format!("address {address}"));
                    self.line("netmask 255.255.255.248");
                }
                _ => self.line(&format!("address {address}/{length}")),
            }
            if rng.u8(..4) == 0 && kind != Kind::Tunnel {
                let gateway = self.beside(&address, rng);
                self.line(&format!("gateway {gateway}"));
            }
            own = Some(address);
        }
        if rng.u8(..4) == 0 {
            self.line("dns-nameservers 192.0.2.53 2001:db8::53");
            self.line("dns-search quay.example net.example");
        }
        match kind {
            Kind::Bond => {
                let (one, two) = (self.member(rng), self.member(rng));
                self.line(&if rng.u8(..8) == 0 {
                    "bond-slaves none".to_owned()
                } else {
                    format!("bond-slaves {one} {two}")
                });
                if rng.u8(..3) == 0 {
                    let primary = if rng.u8(..4) == 0 { "eth3".to_owned() } else { one };
                    self.line(&format!("bond-primary {primary}"));
                }
                if rng.u8(..4) == 0 {
                    let count = if rng.u8(..4) == 0 { 17 } else { 2 };
                    let targets: Vec<String> = (1..=count).map(|last| format!("192.0.2.{last}")).collect();
                    self.line(&format!("bond-arp-ip-target {}", targets.join(" ")));
                }
            }
            Kind::Bridge => {
                let (one, two) = (self.member(rng), self.member(rng));
                self.line(&match rng.u8(..6) {
                    0 => "bridge_ports none".to_owned(),
                    1 => format!("bridge_ports {one}.{} {two}", rng.u8(10..13)),
                    2 => format!("bridge_ports {one}"),
                    _ => format!("bridge_ports {one} {two}"),
                });
                if rng.u8(..4) == 0 {
                    let port = if rng.u8(..3) == 0 { "eth3".to_owned() } else { one.clone() };
                    self.line(&format!("bridge_pathcost {port} {}", [0, 50, 70000][rng.usize(..3)]));
                }
                if rng.u8(..4) == 0 {
                    self.line(&format!("bridge_portprio {one} {}", [9, 63, 64][rng.usize(..3)]));
                }
            }
            Kind::Vlan if !name.contains('.') => {
                let of = rng.choice(&self.names).cloned().unwrap_or_else(|| "eth4".to_owned());
                self.line(&format!("vlan-raw-device {of}"));
                if !name.starts_with("vlan") {
                    self.line(&format!("vlan-id {}", rng.u8(5..9)));
                }
            }
            Kind::Tunnel => {
                self.line(&format!(
                    "endpoint {}",
                    ["203.0.113.9", "2001:db8::9"][usize::from(rng.u8(..6) == 0)]
                ));
                if rng.bool() {
                    self.line(&format!(
                        "local {}",
                        ["192.0.2.10", "2001:db8::1"][usize::from(rng.u8(..6) == 0)]
                    ));
                }
                if method == "tunnel" {
                    let mode = self.value("mode", "text", family, rng);
                    self.line(&format!("mode {mode}"));
                }
            }
            Kind::Wifi => {
                let ssid = self.value("wpa-ssid", "text", family, rng);
                self.line(&format!("wpa-ssid {ssid}"));
                if rng.u8(..4) > 0 {
                    let key = self.value("wpa-psk", "secret", family, rng);
                    self.line(&format!("wpa-psk {key}"));
                }
            }
            _ => {}
        }
        self.options(kind, family, options, rng);
        self.commands(name, family, own.as_deref(), rng);
        self.text.push('\n');
    }
}

/// Stanzas that go their own way, each with names of its own: what no option alone brings about.
const APART: [&str; 22] = [
    "iface odd0 inet static\n    address 192.0.2.249/30\nauto odd1\niface odd1 inet manual inherits odd0\n",
    "auto odd1\niface odd1 inet6 manual\n    up ip -6 route add default dev odd1\n    up ip -6 rule add table 7\n    up ip -6 route add 2001:db8:98::/64 dev odd1 proto static table local\n",
    "auto odd2\niface odd2 inet manual\n    up route add -net 198.51.100.0 netmask 255.255.255.0 dev odd2\n    up ip route add 198.51.100.0/24 dev odd2 table default\n",
    "auto odd3\niface odd3 inet manual\n    up ip rule add from 192.0.2.250 table local\n    up ip rule add from 192.0.2.250 lookup default\n",
    "auto odd4\niface odd4 inet manual\n    up ip addr add 192.0.2.250/30 dev $IFACE label $IFACE:b brd +\n    up ip addr add 2001:db8:97::1 dev odd4\n    up ip addr add 203.0.113.77 dev odd4\n    up ip addr add 203.0.113.78/30 broadcast 203.0.113.0 dev odd4\n    up ip addr add quay dev odd4\n",
    "auto odd5\niface odd5 inet6 static\n    address 2001:db8:96::1/64\n    netmask 64\n    preferred-lifetime 0\n",
    "auto odd6\niface odd6 inet static\n    address 100.64.0.9\n",
    "auto odd7\niface odd7 inet static\n    address 172.16.0.9\n    broadcast 172.16.255.255\n",
    "auto odd8\niface odd8 inet dhcp\n    hostname quay\n    metric 7\niface odd8 inet6 dhcp\n",
    "auto bond8\niface bond8 inet manual\n    bond-slaves odd9.7 eth6.9 odd10\n    bond-primary odd10 odd9\niface odd9 inet manual\n",
    "auto bond9\niface bond9 inet manual\n    bond-slaves all\niface br9 inet manual\n    bridge_ports regex odd.*\n",
    "auto vlan21\niface vlan21 inet manual\n    vlan-raw-device odd11.4\niface vlan22 inet manual\n    vlan-raw-device odd12.4\niface odd12 inet manual\n",
    "auto wlan1\niface wlan1 inet dhcp\n    wpa-ssid Pier\n    wpa-key-mgmt WPA-EAP\n    wpa-eap PEAP\n    wpa-identity quay\n    wpa-password seven-gulls\n    wpa-phase2 auth=MSCHAPV2\n",
    "auto wlan2\niface wlan2 inet dhcp\n    wpa-ssid Pier\n    wpa-key-mgmt WPA-PSK\nauto wlan3\niface wlan3 inet dhcp\n    wireless-essid Pier\n    wireless-mode Managed\n",
    "auto lo\niface lo inet loopback\n    address 127.0.0.2/8\n",
    "auto odd13\niface odd13 inet static\n    address 192.0.2.241\n    netmask 255.255.255.252\n    broadcast 192.0.2.243\nauto odd14\niface odd14 inet static\n    address 192.0.2.245/30\n    broadcast 192.0.2.247\n",
    "auto odd15\niface odd15 inet ppp\n",
    "auto odd15\niface odd15 inet static from-here on\n",
    "auto /odd\niface odd15 inet manual\n",
    "allow-quay odd15\niface odd15 inet manual\n",
    "mapping odd15\n    script /usr/local/sbin/where\n    map quay\nvlan odd15\n    mtu 1400\niface\nrename eth7=odd15\niface odd15 ipx static\n% for port in ports\nauto odd14=odd15\n",
    "auto odd15\niface odd15 inet manual\n    up ip route add 198.51.100.0/24 via 192.0.2.1 dev odd14\n    up route add default gw 192.0.2.1 dev odd14\n    up ip addr add 192.0.2.250/30 dev odd14\n    up ip link set dev odd14 mtu 1400\nauto odd13\niface odd13 inet ipv4ll\n    ethernet-wol g\n    up ip link set odd12 up\n",
];

/// A file of a host.
pub(super) fn interfaces(rng: &mut Rng) -> String {
    let options = options();
    let mut free: Vec<u8> = (1..24).collect();
    rng.shuffle(&mut free);
    let mut host = Host {
        text: String::new(),
        names: Vec::new(),
        unbundled: Vec::new(),
        free,
        is_careful: rng.u8(..10) < 7,
    };
    if rng.bool() {
        host.text.push_str("auto lo\niface lo inet loopback\n\n");
    }
    for port in PORTS.iter().take(rng.usize(1..7)) {
        let kind = if port.starts_with('w') { Kind::Wifi } else { Kind::Port };
        if kind == Kind::Wifi || rng.u8(..6) > 0 {
            host.stanza(port, kind, &options, rng);
        }
        host.names.push((*port).to_owned());
        host.unbundled.push((*port).to_owned());
    }
    for (name, kind) in [
        ("eth0.5", Kind::Vlan),
        ("eth0.5.7", Kind::Vlan),
        ("vlan8", Kind::Vlan),
        ("office", Kind::Vlan),
        ("bond0", Kind::Bond),
        ("bond1", Kind::Bond),
        ("br0", Kind::Bridge),
        ("br1", Kind::Bridge),
        ("tun0", Kind::Tunnel),
        ("tun1", Kind::Tunnel),
        ("eth0:1", Kind::Port),
        ("eth1", Kind::Port),
    ] {
        if rng.u8(..5) < 2 {
            host.stanza(name, kind, &options, rng);
            if !name.contains(':') && rng.u8(..3) > 0 {
                host.names.push(name.to_owned());
                host.unbundled.push(name.to_owned());
            }
        }
    }
    for _ in 0..rng.usize(..3) {
        let apart = rng.choice(APART).expect("some");
        if !host.text.contains(apart) {
            host.text.push_str(apart);
        }
    }
    host.text
}
