//! What is built of interfaces, in facts of both sides: VLANs with their ids and parents, members, and how bonds and bridges work.
//! The kernel of the test machine has no bonds and no VLANs, and `ifup -n` does not show what scripts of packages do: so the old
//! side is what their manuals (interfaces-bond(5), bridge-utils-interfaces(5), vlan-interfaces(5)) say of the options.

use crate::facts::{Facts, Sections};
use std::collections::BTreeMap;

/// Options of bonds and bridges with the keys of networkd (systemd.netdev(5)), and how their values are written.
const PARAMETERS: [(&str, &str, Form); 24] = [
    (
        "bond-mode",
        "Mode",
        Form::Words(&[
            "balance-rr",
            "active-backup",
            "balance-xor",
            "broadcast",
            "802.3ad",
            "balance-tlb",
            "balance-alb",
        ]),
    ),
    ("bond-miimon", "MIIMonitorSec", Form::Milliseconds),
    ("bond-updelay", "UpDelaySec", Form::Milliseconds),
    ("bond-downdelay", "DownDelaySec", Form::Milliseconds),
    ("bond-arp-interval", "ARPIntervalSec", Form::Milliseconds),
    ("bond-arp-ip-target", "ARPIPTargets", Form::Set),
    ("bond-arp-validate", "ARPValidate", Form::Words(&["none", "active", "backup", "all"])),
    ("bond-lacp-rate", "LACPTransmitRate", Form::Words(&["slow", "fast"])),
    ("bond-ad-select", "AdSelect", Form::Words(&["stable", "bandwidth", "count"])),
    (
        "bond-xmit-hash-policy",
        "TransmitHashPolicy",
        Form::Words(&["layer2", "layer3+4", "layer2+3", "encap2+3", "encap3+4"]),
    ),
    ("bond-fail-over-mac", "FailOverMACPolicy", Form::Words(&["none", "active", "follow"])),
    ("bond-primary-reselect", "PrimaryReselectPolicy", Form::Words(&["always", "better", "failure"])),
    ("bond-min-links", "MinLinks", Form::Plain),
    ("bond-num-grat-arp", "GratuitousARP", Form::Plain),
    ("bond-packets-per-slave", "PacketsPerSlave", Form::Plain),
    ("bond-resend-igmp", "ResendIGMP", Form::Plain),
    ("bond-all-slaves-active", "AllSlavesActive", Form::Words(&["false", "true"])),
    ("bridge-fd", "ForwardDelaySec", Form::Seconds),
    ("bridge-hello", "HelloTimeSec", Form::Seconds),
    ("bridge-maxage", "MaxAgeSec", Form::Seconds),
    ("bridge-ageing", "AgeingTimeSec", Form::Seconds),
    ("bridge-bridgeprio", "Priority", Form::Plain),
    ("bridge-pathcost", "Cost", Form::OfPort),
    ("bridge-portprio", "Priority", Form::OfPort),
];

/// How both sides write a value.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Form {
    Plain,
    /// Words, or their numbers from 0.
    Words(&'static [&'static str]),
    Milliseconds,
    Seconds,
    /// Several, in any order.
    Set,
    /// The port comes first.
    OfPort,
}

impl Form {
    /// A value as the fact says it.
    fn plain(self, value: &str) -> String {
        let milliseconds = |usual: f64| {
            let (number, unit) =
                value.find(|c: char| c.is_alphabetic()).map_or((value, ""), |at| value.split_at(at));
            let factor = match unit {
                "ms" => 1.0,
                "s" => 1000.0,
                _ => usual,
            };
            number
                .parse::<f64>()
                .map_or_else(|_| value.to_owned(), |number| format!("{}ms", (number * factor).round()))
        };
        match self {
            Self::Plain | Self::OfPort => value.to_owned(),
            Self::Words(words) => value
                .parse::<usize>()
                .ok()
                .and_then(|number| words.get(number))
                .map_or_else(|| value.to_owned(), |word| (*word).to_owned()),
            Self::Milliseconds => milliseconds(1.0),
            Self::Seconds => milliseconds(1000.0),
            Self::Set => {
                let mut all: Vec<&str> = value.split([' ', ',']).filter(|word| !word.is_empty()).collect();
                all.sort_unstable();
                all.join(",")
            }
        }
    }
}

/// The parent and the id of a VLAN by its name, in the forms of vlan-interfaces(5).
fn vlan_of(name: &str, raw_device: Option<&str>, id: Option<&str>) -> Option<(String, String)> {
    let number = |text: &str| text.parse::<u16>().ok().map(|number| number.to_string());
    match (name.rsplit_once('.'), raw_device) {
        (Some((parent, last)), _) if number(last).is_some() => {
            Some((raw_device.unwrap_or(parent).to_owned(), number(last)?))
        }
        (_, Some(parent)) => {
            let id = id.and_then(number).or_else(|| number(name.strip_prefix("vlan")?))?;
            Some((parent.to_owned(), id))
        }
        _ => None,
    }
}

/// What is built on the old side.
pub(crate) fn of_old(interfaces: &str) -> Facts {
    let mut facts = Facts::new();
    let joined = format!("\n{}", interfaces.replace("\\\n", " "));
    let vlan = |name: &str, raw: Option<&str>, id: Option<&str>, facts: &mut Facts| {
        if let Some((parent, id)) = vlan_of(name, raw, id) {
            facts.insert(format!("{name} vlan {id} of {parent}"));
        }
    };
    for stanza in joined.split("\niface ").skip(1) {
        let name = stanza.split_whitespace().next().unwrap_or_default();
        let lines = stanza
            .lines()
            .skip(1)
            .take_while(|line| !line.starts_with("auto ") && !line.starts_with("allow-"));
        let options: Vec<(String, Vec<&str>)> = lines
            .filter_map(|line| {
                let mut words = line.split_whitespace();
                Some((words.next()?.replace('_', "-"), words.collect()))
            })
            .collect();
        let of = |key: &str| options.iter().find(|(name, _)| name == key).map(|(_, words)| words.as_slice());
        let first = |key: &str| of(key).and_then(|words| words.first().copied());
        let master = first("bond-master");
        vlan(name, first("vlan-raw-device"), first("vlan-id"), &mut facts);
        for key in ["bridge-ports", "bond-slaves", "slaves"] {
            for member in
                of(key).into_iter().flatten().filter(|word| !["none", "all", "regex"].contains(*word))
            {
                facts.insert(format!("{member} member of {name}"));
                vlan(member, None, None, &mut facts);
            }
        }
        facts.extend(master.map(|master| format!("{name} member of {master}")));
        let bond = master.unwrap_or(name);
        facts.extend(first("bond-primary").map(|primary| format!("{bond} primary {primary}")));
        for (option, key, form) in PARAMETERS {
            let Some(words) = of(option).filter(|words| !words.is_empty()) else { continue };
            let whose = if option.starts_with("bond") { bond } else { name };
            match (form, words) {
                (Form::OfPort, [port, value]) => facts.insert(format!("{port} {key} {value}")),
                _ => facts.insert(format!("{whose} {key} {}", form.plain(&words.join(" ")))),
            };
        }
    }
    facts
}

/// What is built on the new side, by the sections of each unit.
pub(crate) fn of_new(units: &BTreeMap<String, (String, Sections)>) -> Facts {
    let mut facts = Facts::new();
    let mut ids = BTreeMap::new();
    let of_units =
        |kind: &'static str| units.iter().filter(move |(unit, _)| unit.ends_with(kind)).map(|(_, unit)| unit);
    for (name, sections) in of_units(".netdev") {
        for (section, keys) in sections {
            for (key, value) in keys {
                match (section.as_str(), key.as_str()) {
                    ("VLAN", "Id") => {
                        ids.insert(name, value);
                    }
                    ("Bond" | "Bridge", key) => {
                        let form = PARAMETERS.iter().find(|(option, known, form)| {
                            *known == key
                                && *form != Form::OfPort
                                && option.starts_with(&section.to_lowercase())
                        });
                        let value = match form {
                            // Without a unit networkd takes seconds.
                            Some((_, _, Form::Milliseconds)) => Form::Seconds.plain(value),
                            Some((_, _, form)) => form.plain(value),
                            // Spanning trees are facts of their own.
                            None if key == "STP" => continue,
                            None => value.clone(),
                        };
                        facts.insert(format!("{name} {key} {value}"));
                    }
                    _ => {}
                }
            }
        }
    }
    for (name, sections) in of_units(".network") {
        let mut bond = None;
        for (section, keys) in sections {
            for (key, value) in keys {
                match (section.as_str(), key.as_str()) {
                    ("Network", "Bond" | "Bridge") => {
                        bond = (key == "Bond").then_some(value).or(bond);
                        facts.insert(format!("{name} member of {value}"));
                    }
                    ("Network", "VLAN") => {
                        let id = ids.get(value).map_or("-", |id| id.as_str());
                        facts.insert(format!("{value} vlan {id} of {name}"));
                    }
                    ("Network", "PrimarySlave") => {
                        let bond = bond.map_or("-", String::as_str);
                        facts.insert(format!("{bond} primary {name}"));
                    }
                    ("Bridge", "Cost" | "Priority") => {
                        facts.insert(format!("{name} {key} {value}"));
                    }
                    _ => {}
                }
            }
        }
    }
    facts
}
