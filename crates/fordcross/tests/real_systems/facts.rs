//! What a host's network is like afterwards, in facts that both sides can be asked for: of the old one by the commands that
//! `ifup -n` prints, of the new one by the units that `netplan generate` writes.

use crate::built;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::net::IpAddr;
use std::path::Path;

/// Facts such as `eth0 address 192.0.2.1/24`, the interface first.
pub(crate) type Facts = BTreeSet<String>;

/// An address with its length, as both sides write it; a network without the bits behind it.
fn plain(address: &str) -> String {
    let (ip, length) = address.split_once('/').unwrap_or((address, ""));
    let ip = ip.parse::<IpAddr>().map_or_else(|_| ip.to_owned(), |ip| ip.to_string());
    let full = if ip.contains(':') { "128" } else { "32" };
    match length {
        "" => format!("{ip}/{full}"),
        mask if mask.contains('.') => format!("{ip}/{}", length_of(mask)),
        length => format!("{ip}/{length}"),
    }
}

fn bits(ip: IpAddr) -> u128 {
    match ip {
        IpAddr::V4(ip) => u128::from(u32::from(ip)) << 96,
        IpAddr::V6(ip) => u128::from(ip),
    }
}

/// Whether the network of an address with a length holds another address.
fn holds(network: &str, ip: &str) -> bool {
    let Some((own, length)) = network.split_once('/') else { return false };
    let (Ok(own), Ok(ip), Ok(length)) = (own.parse::<IpAddr>(), ip.parse::<IpAddr>(), length.parse::<u32>())
    else {
        return false;
    };
    let shift = 128 - length.min(128);
    own.is_ipv4() == ip.is_ipv4() && bits(own).checked_shr(shift) == bits(ip).checked_shr(shift)
}

/// Words of a command by what is before them.
struct Command<'c>(Vec<&'c str>);

impl<'c> Command<'c> {
    fn after(&self, name: &str) -> Option<&'c str> {
        let at = self.0.iter().position(|word| *word == name)?;
        self.0.get(at + 1).copied().map(|word| word.trim_end_matches(';'))
    }

    /// What a command of `ip` is about: `route` of `ip -f inet6 route add`.
    fn kind_of_ip(&self) -> &'c str {
        let at = self.0.iter().position(|word| *word == "ip" || word.ends_with("/ip"));
        let mut words = self.0.iter().skip(at.map_or(self.0.len(), |at| at + 1));
        words.find(|word| !word.starts_with('-') && !word.starts_with("inet")).copied().unwrap_or_default()
    }

    fn has(&self, name: &str) -> bool {
        self.0.contains(&name)
    }

    /// The interface that it names, whichever way.
    fn device(&self) -> Option<&'c str> {
        self.after("dev").or_else(|| self.after("set").filter(|word| !["up", "dev"].contains(word)))
    }
}

/// A route whose interface may follow from addresses: where to, by what, over which interface, and what else it says.
type Pending<'c> = (String, Option<String>, Option<String>, Vec<(&'c str, Option<String>)>);

/// One route: where to, by what, over which interface, and what else it says.
fn route(to: &str, via: Option<&str>, device: &str, more: &[(&str, Option<String>)]) -> String {
    // What is thrown away goes over no interface.
    let is_special = more.iter().any(|(name, value)| *name == "type" && value.is_some());
    let device = if is_special { "-" } else { device };
    let to = match to {
        "default" | "0.0.0.0/0" | "::/0" => "default".to_owned(),
        to => plain(to),
    };
    let family = if via.unwrap_or(&to).contains(':') { "6" } else { "4" };
    let via = via
        .map_or_else(String::new, |via| format!(" via {}", plain(via).split('/').next().unwrap_or_default()));
    let more: String =
        more.iter().filter_map(|(name, value)| Some(format!(" {name} {}", value.as_ref()?))).collect();
    format!("{device} route{family} {to}{via}{more}")
}

/// The facts of the old side, by the commands that it runs and by what options say that no command shows.
pub(crate) fn of_old(commands: &str, interfaces: &str) -> Facts {
    let mut facts = Facts::new();
    let mut pending: Vec<Pending<'_>> = Vec::new();
    // What `$IFACE` stands for: what was set up last.
    let mut current = String::new();
    // What is done only if the link is smaller than it is by itself is not done.
    let lines = commands.lines().filter(|line| !line.trim_start().starts_with("if [ \"$(cat "));
    for part in lines.flat_map(|line| line.split("&&").flat_map(|part| part.split(';'))) {
        let words =
            Command(part.split_whitespace().filter(|word| !["then", "else"].contains(word)).collect());
        let text = words.0.join(" ");
        let is_variable = |device: &str| ["$IFACE", "${IFACE}", "\"$IFACE\""].contains(&device);
        let device = words
            .device()
            .map(|device| if is_variable(device) { current.clone() } else { device.to_owned() });
        if let Some(device) = device.as_ref().filter(|_| text.contains("ip link set dev")) {
            current.clone_from(device);
        }
        // What a label names is an address of its interface.
        let alias = device.as_deref().filter(|device| device.contains(':')).map(str::to_owned);
        let device = device.map(|device| device.split(':').next().unwrap_or_default().to_owned());
        let on = |fact: String| device.as_ref().map(|device| format!("{device} {fact}"));
        if let Some(setting) = text.split("net.ipv6.conf.").nth(1) {
            let (name, value) = setting.split_once('=').unwrap_or_default();
            // The kernel itself accepts both.
            if let (Some((interface, key @ ("autoconf" | "accept_ra"))), "0") = (name.rsplit_once('.'), value)
            {
                // A dot of a name is written so there. Who hears no router makes no address of what one says.
                let interface = interface.replace('/', ".");
                facts.insert(format!("{interface} {key} 0"));
                facts.insert(format!("{interface} autoconf 0"));
            }
        } else if text.contains("ip link set") {
            facts.extend(on("up".into()).filter(|_| words.has("up") && alias.is_none()));
            facts.extend(words.after("mtu").and_then(|mtu| on(format!("mtu {mtu}"))));
            facts.extend(words.after("address").and_then(|mac| on(format!("mac {mac}"))));
        } else if let ([name, "mtu", mtu, ..], true) =
            (&words.0[1.min(words.0.len())..], words.0.first().is_some_and(|word| word.ends_with("ifconfig")))
        {
            let name = if is_variable(name) { &current } else { *name };
            facts.insert(format!("{name} mtu {mtu}"));
        } else if ["addr", "a", "address"].contains(&words.kind_of_ip()) {
            // `ip a a`, `ip -6 addr add`
            let verbs = ["add", "replace", "a", "append"];
            let at = words.0.iter().rposition(|word| verbs.contains(word));
            let address = at
                .and_then(|at| words.0.get(at + 1))
                .filter(|word| word.parse::<IpAddr>() != Ok(IpAddr::from([0, 0, 0, 0, 0, 0, 0, 1])));
            if let Some(address) = address.filter(|word| word.contains(['.', ':'])) {
                let label = words.after("label").filter(|label| Some(*label) != device.as_deref());
                let label = label.map_or_else(String::new, |label| format!(" label {label}"));
                facts.extend(on(format!("address {}{label}", plain(address))));
                // The kernel has a route to the other end.
                if let (Some(peer), Some(device)) = (words.after("peer"), &device) {
                    facts.insert(route(peer, None, device, &[]));
                }
            }
        } else if ["route", "r", "ro"].contains(&words.kind_of_ip()) {
            let at = words.0.iter().position(|word| ["add", "replace", "append", "a"].contains(word));
            let Some(at) = at else { continue };
            let kind = words.0.get(at + 1).copied().unwrap_or_default();
            let special = ["blackhole", "unreachable", "prohibit"].contains(&kind);
            let to = words.0.get(at + 1 + usize::from(special)).copied().unwrap_or_default();
            let own = |name: &'static str| (name, words.after(name).map(str::to_owned));
            let mut more = vec![own("metric"), own("table"), own("src")];
            more.push(("type", special.then(|| kind.to_owned())));
            pending.push((to.to_owned(), words.after("via").map(str::to_owned), device, more));
        } else if text.contains("route add") {
            let to = ["-net", "-host", "add"]
                .iter()
                .find_map(|name| words.after(name).filter(|word| !word.starts_with('-') && *word != "inet6"));
            let to = to.or_else(|| words.after("inet6")).unwrap_or_default();
            let to = match words.after("netmask") {
                Some(mask) => format!("{to}/{}", length_of(mask)),
                None => to.to_owned(),
            };
            let metric = ("metric", words.after("metric").map(str::to_owned));
            pending.push((to, words.after("gw").map(str::to_owned), device, vec![metric]));
        } else if text.contains("ip rule add") || text.contains("ip ru add") {
            let own = |name: &str| words.after(name).map(str::to_owned);
            facts.insert(rule(own("from"), own("to"), own("table").or_else(|| own("lookup")), own("fwmark")));
        } else if let Some(device) = words.0.last().filter(|_| text.contains("avahi-autoipd")) {
            facts.insert(format!("{device} up"));
        } else if text.contains("dhclient") {
            let interface = words.0.iter().rev().find(|word| interfaces.contains(&format!("iface {word} ")));
            let family = if words.has("-6") { 6 } else { 4 };
            let both = |interface: &&str| [format!("{interface} dhcp{family}"), format!("{interface} up")];
            facts.extend(interface.into_iter().flat_map(both));
        } else if let Some(name) = words.after("add").filter(|_| text.contains("ip tunnel add")) {
            let own = |name: &str| words.after(name).filter(|word| *word != "any").unwrap_or("-");
            let (mode, remote, local) = (own("mode"), own("remote"), own("local"));
            facts.insert(format!("{name} tunnel {mode} remote {remote} local {local}"));
        }
    }
    for (to, via, device, more) in pending {
        let found = device.or_else(|| over(&facts, via.as_deref().unwrap_or_default()));
        // The way to a gateway in a network of the interface is there with its address.
        let is_there = via.is_none()
            && found.as_ref().is_some_and(|device| over(&facts, &to).as_ref() == Some(device))
            && more.iter().all(|(_, value)| value.is_none());
        if !is_there {
            facts.insert(route(&to, via.as_deref(), found.as_deref().unwrap_or("-"), &more));
        }
    }
    facts.extend(of_options(interfaces));
    facts.extend(built::of_old(interfaces));
    without_what_follows(facts)
}

/// Without what is there on both sides or follows from the rest: the loopback, and ways to gateways that are on the link.
fn without_what_follows(mut facts: Facts) -> Facts {
    let gateways: BTreeSet<String> = facts
        .iter()
        .filter_map(|fact| Some((fact.split(' ').next()?, fact.split_once(" via ")?.1.split(' ').next()?)))
        .map(|(device, via)| {
            format!("{device} route{} {}", if via.contains(':') { 6 } else { 4 }, plain(via))
        })
        .collect();
    facts.retain(|fact| fact != "lo up" && !gateways.contains(fact));
    facts
}

/// The interface of the narrowest network that holds a gateway.
fn over(facts: &Facts, gateway: &str) -> Option<String> {
    let holders = facts.iter().filter_map(|fact| {
        let (device, rest) = fact.split_once(' ')?;
        let (kind, rest) = rest.split_once(' ')?;
        let first = rest.split(' ').next()?;
        let is_over = ["address", "route4", "route6"].contains(&kind)
            && holds(first, gateway)
            && !rest.contains(" via ")
            && !rest.contains(" table ");
        let length = first.rsplit_once('/')?.1.parse::<u32>().ok()?;
        is_over.then_some((length, device))
    });
    holders.max_by_key(|(length, _)| *length).map(|(_, device)| device.to_owned())
}

fn length_of(mask: &str) -> u32 {
    mask.parse::<std::net::Ipv4Addr>().map_or(0, |mask| u32::from(mask).count_ones())
}

fn rule(from: Option<String>, to: Option<String>, table: Option<String>, mark: Option<String>) -> String {
    let all = |side: Option<String>| match side.as_deref() {
        None | Some("all" | "0.0.0.0/0" | "::/0") => "all".to_owned(),
        Some(side) => plain(side),
    };
    let mark = mark.map_or_else(String::new, |mark| format!(" mark {mark}"));
    format!("rule from {} to {} table {}{mark}", all(from), all(to), table.unwrap_or_default())
}

/// What scripts of packages do with options, which `ifup -n` does not show: spanning trees and name servers.
fn of_options(interfaces: &str) -> Facts {
    let mut facts = Facts::new();
    let is_auto = |name: &str| {
        let mut lines =
            interfaces.lines().filter(|line| line.starts_with("auto ") || line.starts_with("allow-"));
        lines.any(|line| line.split_whitespace().any(|word| word == name))
    };
    for stanza in interfaces.split("iface ").skip(1) {
        let name = stanza.split_whitespace().next().unwrap_or_default();
        let options = stanza.lines().skip(1).map(|line| line.replace('_', "-"));
        let options: Vec<Vec<String>> =
            options.map(|line| line.split_whitespace().map(str::to_owned).collect()).collect();
        let of = |key: &str| options.iter().find(|words| words.first().is_some_and(|word| word == key));
        // Scripts bring up what an interface is made of, and what a VLAN in that is of.
        for key in ["bridge-ports", "bond-slaves", "slaves", "vlan-raw-device"] {
            let of = of(key).filter(|_| is_auto(name));
            for member in of.into_iter().flat_map(|words| &words[1..]) {
                if ["none", "all", "regex"].contains(&member.as_str()) || member.contains(['[', '*']) {
                    continue;
                }
                facts.insert(format!("{member} up"));
                facts.extend(member.split_once('.').map(|(parent, _)| format!("{parent} up")));
            }
        }
        if let Some(mac) = of("bridge-hw").and_then(|words| words.get(1)).filter(|_| is_auto(name)) {
            facts.insert(format!("{name} mac {mac}"));
        }
        if of("bridge-ports").is_some() {
            let on = of("bridge-stp")
                .and_then(|words| words.get(1))
                .is_some_and(|word| ["on", "yes"].contains(&word.as_str()));
            facts.insert(format!("{name} spanning-tree {}", if on { "on" } else { "off" }));
        }
        for words in options
            .iter()
            .filter(|words| words.first().is_some_and(|word| word.starts_with("dns-nameserver")))
        {
            facts.extend(words[1..].iter().map(|server| format!("name-server {server}")));
        }
    }
    facts
}

/// The sections of a unit with their keys.
pub(crate) type Sections = Vec<(String, Vec<(String, String)>)>;

fn sections(text: &str) -> Sections {
    let mut sections = Sections::new();
    for line in text.lines().map(str::trim) {
        if let Some(name) = line.strip_prefix('[').and_then(|line| line.strip_suffix(']')) {
            sections.push((name.to_owned(), Vec::new()));
        } else if let (Some((key, value)), Some((_, keys))) = (line.split_once('='), sections.last_mut()) {
            keys.push((key.to_owned(), value.to_owned()));
        }
    }
    sections
}

fn value_of(sections: &Sections, section: &str, key: &str) -> Option<String> {
    let in_section = sections.iter().filter(|(name, _)| name == section);
    in_section.flat_map(|(_, keys)| keys).find(|(name, _)| name == key).map(|(_, value)| value.clone())
}

/// The facts of the new side, by the units below the folder that `netplan generate` wrote into.
pub(crate) fn of_new(root: &Path) -> Facts {
    let mut facts = Facts::new();
    let folder = root.join("run/systemd/network");
    let mut units: BTreeMap<String, (String, Sections)> = BTreeMap::new();
    for entry in fs::read_dir(&folder).into_iter().flatten() {
        let path = entry.expect("an entry").path();
        let unit = path.file_name().expect("a name").to_string_lossy().into_owned();
        let sections = sections(&fs::read_to_string(&path).expect("a unit"));
        let of = |section: &str, key: &str| value_of(&sections, section, key);
        let name =
            of("Match", "Name").or_else(|| of("Match", "OriginalName")).or_else(|| of("NetDev", "Name"));
        if let Some(name) = name {
            units.insert(unit, (name, sections));
        }
    }
    for (unit, (name, sections)) in &units {
        let of = |section: &str, key: &str| value_of(sections, section, key);
        for (section, key) in [("Link", "MTUBytes"), ("NetDev", "MTUBytes")] {
            facts.extend(of(section, key).map(|mtu| format!("{name} mtu {mtu}")));
        }
        for section in ["Link", "NetDev"] {
            facts.extend(of(section, "MACAddress").map(|mac| format!("{name} mac {mac}")));
        }
        if unit.ends_with(".netdev") {
            let kind = of("NetDev", "Kind").unwrap_or_default();
            if kind == "bridge" {
                let on = of("Bridge", "STP").is_some_and(|stp| stp == "true");
                facts.insert(format!("{name} spanning-tree {}", if on { "on" } else { "off" }));
            }
            if ["sit", "gre", "ipip"].contains(&kind.as_str()) {
                let own = |key| {
                    of("Tunnel", key)
                        .filter(|ip| ip != "any" && ip != "0.0.0.0")
                        .unwrap_or_else(|| "-".into())
                };
                facts.insert(format!("{name} tunnel {kind} remote {} local {}", own("Remote"), own("Local")));
            }
        }
        if unit.ends_with(".network") {
            network(name, sections, &of, &mut facts);
        }
    }
    facts.extend(built::of_new(&units));
    without_what_follows(facts)
}

fn network(name: &str, sections: &Sections, of: &dyn Fn(&str, &str) -> Option<String>, facts: &mut Facts) {
    // What nobody brings up has nothing.
    if of("Link", "ActivationPolicy").is_some_and(|policy| policy == "manual") {
        facts.retain(|fact| {
            !fact.starts_with(&format!("{name} mtu ")) && !fact.starts_with(&format!("{name} mac "))
        });
        return;
    }
    facts.insert(format!("{name} up"));
    match of("Network", "DHCP").as_deref() {
        Some("yes") => facts.extend([format!("{name} dhcp4"), format!("{name} dhcp6")]),
        Some("ipv4") => facts.extend([format!("{name} dhcp4")]),
        Some("ipv6") => facts.extend([format!("{name} dhcp6")]),
        _ => {}
    }
    if of("Network", "IPv6AcceptRA").is_some_and(|accepts| accepts == "no") {
        facts.extend([format!("{name} accept_ra 0"), format!("{name} autoconf 0")]);
    }
    for (section, keys) in sections {
        let own = |key: &str| keys.iter().find(|(name, _)| name == key).map(|(_, value)| value.clone());
        match section.as_str() {
            "Network" => {
                for (key, value) in keys {
                    match key.as_str() {
                        "Address" => facts.extend([format!("{name} address {}", plain(value))]),
                        "Gateway" => facts.extend([route("default", Some(value), name, &[])]),
                        // Those of the loopback are never asked.
                        "DNS" if name != "lo" => facts.extend([format!("name-server {value}")]),
                        _ => {}
                    }
                }
            }
            "Address" => {
                let label = own("Label").map_or_else(String::new, |label| format!(" label {label}"));
                facts.extend(
                    own("Address").map(|address| format!("{name} address {}{label}", plain(&address))),
                );
            }
            "Route" => {
                let more = [
                    ("metric", own("Metric")),
                    ("table", own("Table").filter(|table| table != "254")),
                    ("src", own("PreferredSource")),
                    ("type", own("Type").filter(|kind| kind != "unicast")),
                ];
                let to = own("Destination").unwrap_or_else(|| "default".into());
                facts.insert(route(&to, own("Gateway").as_deref(), name, &more));
            }
            "RoutingPolicyRule" => {
                facts.insert(rule(own("From"), own("To"), own("Table"), own("FirewallMark")));
            }
            _ => {}
        }
    }
}
