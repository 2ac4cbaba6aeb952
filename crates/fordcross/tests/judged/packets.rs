//! The packets that two filters let through, by plain readers of both.

use crate::maps::Deed;
use roxmltree::{Document, Node};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

#[derive(Clone, Debug)]
struct Packet {
    interface: String,
    from: IpAddr,
    to: IpAddr,
    service: (String, u64),
}

/// What the old filter refused and the new one lets through. Maps of addresses are not looked at.
pub(crate) fn opened(backup: &str, result: &str, deed: Deed, map: &str) -> Option<String> {
    if deed >= Deed::SameLength {
        return None;
    }
    let document = Document::parse(backup).expect("a backup");
    let new: Value = serde_json::from_str(result).expect("JSON");
    let map: toml::Table = map.parse().expect("a map is TOML");
    let ports: BTreeMap<&str, &str> = map
        .get("ports")
        .and_then(toml::Value::as_table)
        .into_iter()
        .flatten()
        .filter_map(|(old, new)| Some((old.as_str(), new.as_str()?)))
        .collect();
    let filter = document.root_element().children().find(|node| node.has_tag_name("filter"))?;
    let packets = packets(filter);
    packets.into_iter().find_map(|packet| {
        // What is on no port of the map is the same on both: a bundle.
        let (port, rest) = packet.interface.split_once('.').unwrap_or((&packet.interface, ""));
        let port = match ports.get(port) {
            Some(&"leave" | &"?") => return None,
            Some(new) => (*new).to_owned(),
            None => port.replacen('b', "ag", 1),
        };
        let interface = if rest.is_empty() { port } else { format!("{port}:{rest}") };
        // No packet comes over what is not set up.
        if ["interfaces", "aggregates"].iter().all(|branch| new[branch].get(&interface).is_none()) {
            return None;
        }
        let is_open =
            !old_lets_through(filter, &packet)? && new_lets_through(&new["filter"], &packet, &interface)?;
        is_open.then(|| format!("{packet:?} was refused and is let through"))
    })
}

fn packets(filter: Node<'_, '_>) -> Vec<Packet> {
    let rules: Vec<Node<'_, '_>> = filter.children().filter(|node| node.has_tag_name("rule")).collect();
    let said =
        |name: &str| -> BTreeSet<String> { rules.iter().filter_map(|rule| value(*rule, name)).collect() };
    let mut addresses: BTreeSet<IpAddr> =
        ["192.0.2.1", "198.18.9.9"].iter().map(|text| text.parse().expect("an address")).collect();
    for network in said("from").into_iter().chain(said("to")) {
        addresses.extend(network.split('/').next().and_then(|first| first.parse::<IpAddr>().ok()));
    }
    let mut services = said("service");
    services.insert("tcp/7".to_owned());
    let mut interfaces = said("at");
    interfaces.insert("p1".to_owned());
    let mut packets = Vec::new();
    for interface in &interfaces {
        for from in &addresses {
            for to in &addresses {
                for service in &services {
                    let Some((protocol, port)) = service.split_once('/') else { continue };
                    let Ok(port) = port.parse() else { continue };
                    let service = (protocol.to_owned(), port);
                    packets.push(Packet { interface: interface.clone(), from: *from, to: *to, service });
                }
            }
        }
    }
    packets
}

fn value(of: Node<'_, '_>, name: &str) -> Option<String> {
    let child = || of.children().find(|node| node.has_tag_name(name)).and_then(|node| node.text());
    of.attribute(name).or_else(child).map(str::to_owned)
}

/// Nothing where a rule has a value that no unit knows.
fn old_lets_through(filter: Node<'_, '_>, packet: &Packet) -> Option<bool> {
    for rule in filter.children().filter(|node| node.has_tag_name("rule")) {
        let (at, what) = (value(rule, "at"), value(rule, "do")?);
        let service = format!("{}/{}", packet.service.0, packet.service.1);
        let fits = at.as_deref() == Some(packet.interface.as_str())
            && value(rule, "off").as_deref() != Some("yes")
            && value(rule, "from").map_or(Some(true), |network| holds(&network, packet.from))?
            && value(rule, "to").map_or(Some(true), |network| holds(&network, packet.to))?
            && value(rule, "service").is_none_or(|said| said == service);
        if fits {
            return is(&what, "allow", "deny");
        }
    }
    is(&value(filter, "otherwise")?, "allow", "deny")
}

fn new_lets_through(filter: &Value, packet: &Packet, interface: &str) -> Option<bool> {
    for rule in filter["rules"].as_array().into_iter().flatten() {
        let text = |key: &str| rule[key].as_str();
        let fits = rule["enabled"].as_bool() != Some(false)
            && text("interface").is_none_or(|said| said == interface)
            && text("source").map_or(Some(true), |network| holds(network, packet.from))?
            && text("destination").map_or(Some(true), |network| holds(network, packet.to))?
            && text("protocol").is_none_or(|said| said == packet.service.0)
            && rule["port"].as_u64().is_none_or(|said| said == packet.service.1);
        if fits {
            return is(text("action")?, "permit", "refuse");
        }
    }
    is(filter["default"].as_str()?, "permit", "refuse")
}

fn is(said: &str, yes: &str, no: &str) -> Option<bool> {
    (said == yes || said == no).then_some(said == yes)
}

fn holds(network: &str, address: IpAddr) -> Option<bool> {
    let (first, length) = network.split_once('/')?;
    let (first, length): (IpAddr, u32) = (first.parse().ok()?, length.parse().ok()?);
    let bits = |address: IpAddr| match address {
        IpAddr::V4(address) => (u128::from(u32::from(address)) << 96, 32),
        IpAddr::V6(address) => (u128::from(address), 128),
    };
    let ((first, width), (address, other)) = (bits(first), bits(address));
    let kept = if length == 0 { 0 } else { u128::MAX << (128 - length) };
    Some(width == other && first & kept == address & kept)
}
