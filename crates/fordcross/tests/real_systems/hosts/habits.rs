//! Hosts as administrators write them: a few roles, each in any of the spellings that manuals and how-tos have. What is random are
//! the roles, their spellings and numbers; each file is one that works.

use fastrand::Rng;
use std::fmt::Write as _;

/// A file that grows.
struct Writing {
    text: String,
    rng: Rng,
    indent: &'static str,
    /// Between the words of an option's name.
    joint: &'static str,
    /// Of documentation networks, so that no two are the same.
    network: u8,
    ports: Vec<&'static str>,
}

impl Writing {
    fn one<'w>(&mut self, words: &[&'w str]) -> &'w str {
        words[self.rng.usize(..words.len())]
    }

    fn maybe(&mut self, percent: u8) -> bool {
        self.rng.u8(..100) < percent
    }

    fn head(&mut self, line: &str) {
        let _ = writeln!(self.text, "{line}");
    }

    /// An option: `bridge-ports eth0` in the joint of this file.
    fn option(&mut self, name: &str, value: &str) {
        let name = name.replace('-', self.joint);
        let _ = writeln!(self.text, "{}{name} {value}", self.indent);
    }

    /// An option whose name has one spelling only.
    fn plain(&mut self, line: &str) {
        let _ = writeln!(self.text, "{}{line}", self.indent);
    }

    fn command(&mut self, command: &str) {
        let phase = self.one(&["up", "post-up", "up", "post-up"]);
        let path = if command.starts_with("ip ") {
            self.one(&["", "", "/sbin/", "/bin/", "/usr/sbin/"])
        } else {
            self.one(&["", "/sbin/"])
        };
        let anyway = self.one(&["", "", " || true"]);
        let _ = writeln!(self.text, "{}{phase} {path}{command}{anyway}", self.indent);
    }

    fn port(&mut self) -> Option<&'static str> {
        (!self.ports.is_empty()).then(|| {
            let at = self.rng.usize(..self.ports.len());
            self.ports.swap_remove(at)
        })
    }

    fn begun(&mut self, name: &str, is_plugged: bool) {
        let start = if is_plugged { self.one(&["auto", "auto", "allow-hotplug"]) } else { "auto" };
        self.head(&format!("{start} {name}"));
    }

    /// The next network of 256 addresses, by its first three numbers.
    fn network(&mut self) -> String {
        self.network += 1;
        format!("10.9.{}", self.network)
    }

    /// A fixed address in one of its spellings; the network, to write what goes over it.
    fn address(&mut self, with_gateway: bool) -> String {
        let network = self.network();
        let host = self.rng.u8(2..100);
        match self.rng.u8(..4) {
            0 => self.plain(&format!("address {network}.{host}/24")),
            1 => {
                self.plain(&format!("address {network}.{host}"));
                self.plain("netmask 24");
            }
            _ => {
                self.plain(&format!("address {network}.{host}"));
                self.plain("netmask 255.255.255.0");
                if self.maybe(40) {
                    self.plain(&format!("network {network}.0"));
                }
                if self.maybe(50) {
                    let broadcast = self.one(&["+", "all"]);
                    let broadcast =
                        if broadcast == "all" { format!("{network}.255") } else { broadcast.to_owned() };
                    self.plain(&format!("broadcast {broadcast}"));
                }
            }
        }
        if with_gateway {
            self.plain(&format!("gateway {network}.1"));
            if self.maybe(20) {
                let metric = self.one(&["0", "1", "100", "1024"]);
                self.plain(&format!("metric {metric}"));
            }
        }
        network
    }

    fn name_servers(&mut self) {
        if self.maybe(60) {
            let servers = self.one(&["192.0.2.53", "192.0.2.53 198.51.100.53", "2001:db8::53"]);
            let (name, domain) =
                (self.one(&["dns-nameservers", "dns-nameserver"]), self.one(&["dns-search", "dns-domain"]));
            let servers =
                if name.ends_with('s') { servers } else { servers.split(' ').next().unwrap_or_default() };
            self.plain(&format!("{name} {servers}"));
            if self.maybe(50) {
                self.plain(&format!("{domain} quay.example"));
            }
        }
    }

    fn links(&mut self) {
        if self.maybe(15) {
            let mtu = self.one(&["1400", "1450", "9000"]);
            match self.rng.u8(..6) {
                0 => self.command(&format!("ip link set dev $IFACE mtu {mtu}")),
                1 => self.command(&format!("ifconfig $IFACE mtu {mtu}")),
                _ => self.plain(&format!("mtu {mtu}")),
            }
        }
        if self.maybe(10) {
            let kind = self.one(&["", "ether "]);
            let last = self.rng.u8(..);
            self.plain(&format!("hwaddress {kind}00:00:5e:00:53:{last:02x}"));
        }
    }

    /// Routes over a gateway of a network, in any spelling, with what takes them away again.
    fn routes(&mut self, name: &str, network: &str) {
        for _ in 0..self.rng.u8(..3) {
            let to = self.network();
            let (ip, device) = (
                self.one(&["ip route", "ip ro", "ip r", "ip -4 route"]),
                self.one(&["", " dev NAME", " dev $IFACE", " dev NAME"]),
            );
            let device = device.replace("NAME", name);
            let verb = self.one(&["add", "add", "replace"]);
            match self.rng.u8(..6) {
                0 => {
                    self.command(&format!(
                        "route add -net {to}.0 netmask 255.255.255.0 gw {network}.9{device}"
                    ));
                    self.plain(&format!("down route del -net {to}.0 netmask 255.255.255.0 gw {network}.9"));
                }
                1 => self.command(&format!("route add -net {to}.0/24 gw {network}.9")),
                2 => {
                    let dev = self.one(&["", "dev "]);
                    self.command(&format!("route add -host {to}.7 gw {network}.9 {dev}{name}"));
                }
                _ => {
                    let metric = self.one(&["", "", " metric 50", " table 100", " src OWN"]);
                    let metric = if metric.contains("OWN") { "" } else { metric };
                    self.command(&format!("{ip} {verb} {to}.0/24 via {network}.9{device}{metric}"));
                    if self.maybe(50) {
                        let phase = self.one(&["down", "pre-down", "post-down"]);
                        self.plain(&format!(
                            "{phase} ip route del {to}.0/24 via {network}.9{device}{metric}"
                        ));
                    }
                }
            }
        }
    }

    /// What IPv6 there is beside.
    fn six(&mut self, name: &str, with_gateway: bool) {
        if !self.maybe(35) {
            return;
        }
        self.network += 1;
        match self.rng.u8(..5) {
            0 => self.head(&format!("iface {name} inet6 auto")),
            1 => self.head(&format!("iface {name} inet6 dhcp")),
            2 => {
                self.head(&format!("iface {name} inet6 manual"));
                self.command(&format!("ip -6 addr add 2001:db8:{}::2/64 dev {name}", self.network));
            }
            _ => {
                self.head(&format!("iface {name} inet6 static"));
                let network = format!("2001:db8:{}", self.network);
                if self.maybe(50) {
                    self.plain(&format!("address {network}::10/64"));
                } else {
                    self.plain(&format!("address {network}::10"));
                    self.plain("netmask 64");
                }
                if with_gateway && self.maybe(60) {
                    let gateway = self.one(&["fe80::1", "own"]);
                    let gateway = if gateway == "own" { format!("{network}::1") } else { gateway.to_owned() };
                    self.plain(&format!("gateway {gateway}"));
                }
                if self.maybe(15) {
                    let option = self.one(&[
                        "accept_ra 0",
                        "accept_ra 1",
                        "autoconf 0",
                        "dad-attempts 0",
                        "privext 0",
                    ]);
                    self.plain(option);
                }
                if self.maybe(25) {
                    let ip = self.one(&["ip -6 route", "ip -f inet6 route", "ip -family inet6 route"]);
                    self.command(&format!("{ip} add 2001:db8:aa{}::/48 via {network}::9", self.network));
                }
            }
        }
    }

    /// How an interface of any kind has its addresses.
    fn configured(&mut self, name: &str, options: &[(String, String)], with_gateway: bool) {
        let (static_, dhcp) = (self.maybe(60), self.maybe(50));
        let method = if static_ {
            "static"
        } else if dhcp {
            "dhcp"
        } else {
            "manual"
        };
        self.head(&format!("iface {name} inet {method}"));
        for (option, value) in options {
            self.option(option, value);
        }
        if method == "static" {
            let network = self.address(with_gateway);
            self.name_servers();
            self.links();
            self.routes(name, &network);
            if self.maybe(15) {
                let of = self.one(&["addr", "address", "a"]);
                let label = if self.maybe(40) { format!(" label {name}:1") } else { String::new() };
                self.command(&format!("ip {of} add {network}.200/24 dev {name}{label}"));
            }
            if self.maybe(15) {
                let table = self.one(&["table", "lookup"]);
                self.command(&format!("ip rule add from {network}.0/24 {table} 100"));
                self.command(&format!("ip route add default via {network}.254 table 100"));
            }
            if self.maybe(15) {
                let (number, form) = (self.rng.u8(..9), self.rng.bool());
                self.head(&format!("\nauto {name}:{number}\niface {name}:{number} inet static"));
                self.plain(&format!("address {network}.20{number}"));
                self.plain(if form { "netmask 255.255.255.255" } else { "netmask 255.255.255.0" });
            }
        } else if method == "dhcp" && self.maybe(20) {
            let option = self.one(&["hostname quay", "metric 200", "metric 100"]);
            self.plain(option);
        }
        self.six(name, with_gateway && method == "static");
        self.head("");
    }

    fn vlan(&mut self, parent: &str) {
        let id = self.rng.u16(2..4094);
        let (name, options) = match self.rng.u8(..4) {
            0 => (format!("vlan{id}"), vec![("vlan-raw-device".to_owned(), parent.to_owned())]),
            1 => (format!("{parent}.{id}"), vec![("vlan-raw-device".to_owned(), parent.to_owned())]),
            _ => (format!("{parent}.{id}"), Vec::new()),
        };
        self.begun(&name, false);
        self.configured(&name, &options, false);
    }

    /// A parent of VLANs that has no address: begun, written and left idle, or not spoken of.
    fn parent(&mut self, port: &str) {
        match self.rng.u8(..3) {
            0 => {
                self.begun(port, true);
                self.head(&format!("iface {port} inet manual\n"));
            }
            1 => self.head(&format!("iface {port} inet manual\n")),
            _ => {}
        }
    }

    fn bridge(&mut self, number: u8, with_gateway: bool) {
        let name = format!("br{number}");
        let mut ports = Vec::new();
        for _ in 0..self.rng.u8(..3) {
            ports.extend(self.port());
        }
        for port in &ports {
            self.parent(port);
        }
        let ports_text = if ports.is_empty() { "none".to_owned() } else { ports.join(" ") };
        let mut options = vec![("bridge-ports".to_owned(), ports_text)];
        let all = [
            ("stp", ["off", "on", "yes", "no"]),
            ("fd", ["0", "2", "15", "9"]),
            ("hello", ["2", "1", "3", "10"]),
            ("maxage", ["12", "20", "30", "6"]),
            ("ageing", ["300", "60", "0", "120"]),
            ("bridgeprio", ["32768", "4096", "100", "0"]),
            ("maxwait", ["0", "5", "10", "0"]),
            ("waitport", ["0", "5", "0", "0"]),
        ];
        for (option, values) in all {
            if self.maybe(25) {
                options.push((format!("bridge-{option}"), self.one(&values).to_owned()));
            }
        }
        if let Some(port) = ports.first().filter(|_| self.rng.u8(..5) == 0) {
            let (option, value) = if self.rng.bool() { ("pathcost", "200") } else { ("portprio", "16") };
            options.push((format!("bridge-{option}"), format!("{port} {value}")));
        }
        self.begun(&name, false);
        self.configured(&name, &options, with_gateway);
    }

    fn bond(&mut self, with_gateway: bool) -> Option<&'static str> {
        let (one, other) = (self.port()?, self.port()?);
        let (mode, number) = [
            ("active-backup", "1"),
            ("802.3ad", "4"),
            ("balance-rr", "0"),
            ("balance-alb", "6"),
            ("balance-xor", "2"),
        ][self.rng.usize(..5)];
        let written = if self.rng.bool() { mode } else { number };
        let mut options = vec![("bond-mode".to_owned(), written.to_owned())];
        let is_watched = self.maybe(70);
        if is_watched {
            options.push(("bond-miimon".to_owned(), self.one(&["100", "200"]).to_owned()));
            for option in ["bond-updelay", "bond-downdelay"] {
                if self.maybe(30) {
                    options.push((option.to_owned(), "200".to_owned()));
                }
            }
        }
        if mode == "802.3ad" && self.maybe(60) {
            options.push(("bond-lacp-rate".to_owned(), self.one(&["1", "fast", "slow", "0"]).to_owned()));
        }
        if ["802.3ad", "balance-xor"].contains(&mode) && self.maybe(50) {
            options.push((
                "bond-xmit-hash-policy".to_owned(),
                self.one(&["layer2", "layer3+4", "1", "layer2+3"]).to_owned(),
            ));
        }
        if ["active-backup", "balance-alb"].contains(&mode) && self.maybe(50) {
            options.push(("bond-primary".to_owned(), one.to_owned()));
        }
        if self.rng.bool() {
            let slaves = self.one(&["bond-slaves", "slaves"]);
            options.insert(0, (slaves.to_owned(), format!("{one} {other}")));
        } else {
            if self.maybe(70) {
                options.insert(0, ("bond-slaves".to_owned(), "none".to_owned()));
            }
            for port in [one, other] {
                self.begun(port, false);
                self.head(&format!("iface {port} inet manual"));
                self.option("bond-master", "bond0");
                if self.maybe(30) {
                    self.option("bond-mode", written);
                }
                self.head("");
            }
        }
        self.begun("bond0", false);
        self.configured("bond0", &options, with_gateway);
        Some("bond0")
    }

    fn hosting(&mut self) {
        let Some(port) = self.port() else { return };
        self.begun(port, true);
        self.head(&format!("iface {port} inet static"));
        let network = self.network();
        match self.rng.u8(..3) {
            0 => {
                self.plain(&format!("address {network}.5\n{}netmask 255.255.255.255", self.indent));
                self.command(&format!("ip route add {network}.1 dev {port}"));
                self.command(&format!("ip route add default via {network}.1 dev {port}"));
            }
            1 => self.plain(&format!(
                "address {network}.5/32\n{0}pointopoint {network}.1\n{0}gateway {network}.1",
                self.indent
            )),
            _ => {
                self.plain(&format!("address {network}.5/32"));
                self.command(&format!("ip route add default via {network}.1 dev {port} onlink"));
            }
        }
        self.name_servers();
        self.six(port, true);
        self.head("");
    }

    fn wireless(&mut self) {
        self.begun("wlan0", true);
        self.head("iface wlan0 inet dhcp");
        let quote = self.one(&["", "\""]);
        self.plain(&format!("wpa-ssid {quote}Harbour{quote}"));
        let secret =
            self.one(&["seven-gulls", "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef"]);
        let quote = if secret.len() == 64 { "" } else { quote };
        self.plain(&format!("wpa-psk {quote}{secret}{quote}"));
        if self.maybe(30) {
            self.plain("wpa-key-mgmt WPA-PSK");
        }
        self.head("");
    }

    fn tunnel(&mut self) {
        let number = self.network;
        self.begun("sit1", false);
        self.head("iface sit1 inet6 v4tunnel");
        self.plain(&format!("address 2001:db8:f{number}::2"));
        self.plain("netmask 64");
        self.plain("endpoint 203.0.113.77");
        for (percent, line) in [
            (50, "local 192.0.2.77".to_owned()),
            (40, "ttl 255".to_owned()),
            (40, format!("gateway 2001:db8:f{number}::1")),
            (30, "mtu 1280".to_owned()),
        ] {
            if self.maybe(percent) {
                self.plain(&line);
            }
        }
        self.head("");
    }
}

/// A host by its number.
pub(crate) fn host(seed: u64) -> String {
    let mut rng = Rng::with_seed(seed);
    let indent = ["    ", "\t", "  ", "        "][rng.usize(..4)];
    let joint = ["-", "_"][rng.usize(..2)];
    let mut writing = Writing {
        text: String::new(),
        rng,
        indent,
        joint,
        network: 0,
        ports: vec!["eth0", "eth1", "eth2", "eth3", "eth4"],
    };
    if writing.maybe(60) {
        writing.head("# This file describes the network interfaces available on your system\n");
    }
    if writing.maybe(85) {
        writing.head("auto lo\niface lo inet loopback\n");
    }
    let mut with_gateway = true;
    for number in 0..writing.rng.u8(1..4) {
        match writing.rng.u8(..10) {
            0..=2 => {
                if let Some(port) = writing.port() {
                    writing.begun(port, true);
                    writing.configured(port, &[], with_gateway);
                    if writing.maybe(30) {
                        writing.vlan(port);
                    }
                }
            }
            3 => {
                if let Some(port) = writing.port() {
                    writing.parent(port);
                    writing.vlan(port);
                    writing.vlan(port);
                }
            }
            4 | 5 => writing.bridge(number, with_gateway),
            6 if !writing.text.contains("bond0") => {
                if let Some(bond) = writing.bond(with_gateway).filter(|_| writing.rng.bool()) {
                    writing.vlan(bond);
                }
            }
            7 => writing.hosting(),
            8 if !writing.text.contains("wlan0") => writing.wireless(),
            9 if !writing.text.contains("sit1") => writing.tunnel(),
            _ => {}
        }
        with_gateway = false;
    }
    writing.text
}
