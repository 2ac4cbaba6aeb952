//! What an Osier gateway on 2.1 takes.

use super::text::{in_network, is_host_name, is_mac, is_network, is_pem, with_prefix};
use super::{Model, RELEASE};
use crate::{Document, Refusal, Value};
use std::net::IpAddr;

/// Goes through a configuration and gathers all that is to be refused.
pub(super) struct Checker {
    pub(super) model: Option<Model>,
    pub(super) refusals: Vec<Refusal>,
    pub(super) counts: Vec<(&'static str, usize)>,
    place: Vec<String>,
    interfaces: Vec<String>,
    networks: Vec<(IpAddr, u32)>,
}

/// What is done with the value of one key.
type Take = fn(&mut Checker, &Value);

impl Checker {
    pub(super) fn new(model: Option<Model>) -> Self {
        Self {
            model,
            refusals: Vec::new(),
            counts: Vec::new(),
            place: Vec::new(),
            interfaces: Vec::new(),
            networks: Vec::new(),
        }
    }

    fn refuse(&mut self, reason: impl Into<String>) {
        self.refusals.push(Refusal { place: self.place.join("."), reason: reason.into() });
    }

    fn at(&mut self, name: impl Into<String>, check: impl FnOnce(&mut Self)) {
        self.place.push(name.into());
        check(self);
        self.place.pop();
    }

    /// Goes through an object whose keys are known; `needed` ones must be there.
    fn object(&mut self, value: &Value, keys: &[(&'static str, Take)], needed: &[&str]) {
        let Value::Object(members) = value else {
            return self.refuse(format!("expected an object, found {}", value.kind()));
        };
        for (name, member) in members {
            match keys.iter().find(|(key, _)| key == name) {
                Some((_, take)) => self.at(name, |checker| take(checker, member)),
                None => self.at(name, |checker| checker.refuse("unknown key")),
            }
        }
        for missing in needed.iter().filter(|needed| !members.iter().any(|(name, _)| name == *needed)) {
            self.refuse(format!("`{missing}` is missing"));
        }
    }

    /// Goes through an object whose keys are names.
    fn named(&mut self, value: &Value, mut each: impl FnMut(&mut Self, &str, &Value)) -> usize {
        let Value::Object(members) = value else {
            self.refuse(format!("expected an object, found {}", value.kind()));
            return 0;
        };
        for (name, member) in members {
            self.at(name, |checker| each(checker, name, member));
        }
        members.len()
    }

    fn array(&mut self, value: &Value, mut each: impl FnMut(&mut Self, &Value)) -> usize {
        let Value::Array(values) = value else {
            self.refuse(format!("expected an array, found {}", value.kind()));
            return 0;
        };
        for (index, value) in values.iter().enumerate() {
            self.at(index.to_string(), |checker| each(checker, value));
        }
        values.len()
    }

    fn text<'v>(&mut self, value: &'v Value) -> Option<&'v str> {
        if let Value::String(text) = value {
            return Some(text);
        }
        self.refuse(format!("expected a string, found {}", value.kind()));
        None
    }

    fn text_that(&mut self, value: &Value, fits: impl FnOnce(&str) -> bool, expected: &str) {
        if let Some(text) = self.text(value)
            && !fits(text)
        {
            self.refuse(format!("expected {expected}"));
        }
    }

    fn one_of(&mut self, value: &Value, known: &[&str]) {
        self.text_that(value, |text| known.contains(&text), &format!("one of {}", known.join(", ")));
    }

    fn boolean(&mut self, value: &Value) {
        if !matches!(value, Value::Boolean(_)) {
            self.refuse(format!("expected true or false, found {}", value.kind()));
        }
    }

    fn number(&mut self, value: &Value, min: u64, max: u64) {
        match value {
            Value::Number(number) if number.is_u64() => {
                if number.as_u64().is_none_or(|number| number < min || number > max) {
                    self.refuse(format!("expected a number from {min} to {max}"));
                }
            }
            other => self.refuse(format!("expected a whole number, found {}", other.kind())),
        }
    }

    fn address(&mut self, value: &Value) {
        self.text_that(value, |text| text.parse::<IpAddr>().is_ok(), "an IP address");
    }

    fn host(&mut self, value: &Value) {
        self.text_that(
            value,
            |text| text.parse::<IpAddr>().is_ok() || is_host_name(text),
            "a host name or an address",
        );
    }

    fn network(&mut self, value: &Value) {
        self.text_that(value, is_network, "a network with its prefix, no bit set behind it");
    }

    fn minutes(&mut self, value: &Value) {
        self.number(value, 0, 10_080);
    }

    /// A text that people read.
    fn words(&mut self, value: &Value, most: usize) {
        self.text_that(value, |text| text.chars().count() <= most, &format!("at most {most} characters"));
    }

    pub(super) fn configuration(&mut self, document: &Document) {
        // References look to interfaces, so these come first wherever they stand in the file.
        let get = |name: &str| document.iter().find(|(key, _)| key == name).map(|(_, value)| value);
        match get("osier-export") {
            Some(header) => self.at("osier-export", |checker| checker.header(header)),
            None => self.refuse("`osier-export` is missing"),
        }
        if let Some(interfaces) = get("interfaces") {
            self.at("interfaces", |checker| checker.interfaces(interfaces));
        }
        let sections: [(&str, Take); 6] = [
            ("system", Self::system),
            ("routes", Self::routes),
            ("leases", Self::leases),
            ("filter", Self::filter),
            ("accounts", Self::accounts),
            ("vpn", Self::vpn),
        ];
        for (name, value) in document {
            match name.as_str() {
                "osier-export" | "interfaces" => {}
                "certificates" => self.at("certificates", |checker| checker.certificates(value)),
                name => match sections.iter().find(|(section, _)| *section == name) {
                    Some((_, take)) => self.at(name, |checker| take(checker, value)),
                    None => self.at(name, |checker| checker.refuse("unknown key")),
                },
            }
        }
    }

    fn header(&mut self, value: &Value) {
        self.object(
            value,
            &[
                ("release", |checker, value| {
                    checker.text_that(value, |text| text == RELEASE, "the unit's release: it runs 2.1");
                }),
                ("model", |checker, value| {
                    let Some(name) = checker.text(value) else { return };
                    match (Model::find(name), checker.model) {
                        (None, _) => checker.refuse(format!("there is no model `{name}`")),
                        (Some(model), Some(own)) if model != own => {
                            checker.refuse(format!(
                                "the file is for a model {name}, the unit is a {}",
                                own.name
                            ));
                        }
                        (Some(model), _) => checker.model = Some(model),
                    }
                }),
                ("written", |checker, value| {
                    checker.text(value);
                }),
                ("scope", |checker, value| checker.one_of(value, &["full", "settings"])),
            ],
            &["release", "model"],
        );
    }

    fn system(&mut self, value: &Value) {
        self.object(
            value,
            &[
                ("hostname", |checker, value| checker.text_that(value, is_host_name, "a host name")),
                ("domain", |checker, value| checker.text_that(value, is_host_name, "a host name")),
                ("location", |checker, value| checker.words(value, 64)),
                ("timezone", |checker, value| checker.words(value, 64)),
                ("login-text", |checker, value| checker.words(value, 1_000)),
                ("session-minutes", Self::minutes),
                ("display-minutes", Self::minutes),
                ("resolvers", |checker, value| {
                    checker.array(value, Self::address);
                }),
                ("time-servers", |checker, value| {
                    checker.array(value, Self::host);
                }),
            ],
            &["hostname"],
        );
    }

    fn interfaces(&mut self, value: &Value) {
        let count = self.named(value, |checker, name, value| {
            checker.interface_name(name);
            checker.interfaces.push(name.to_owned());
            checker.object(
                value,
                &[
                    ("enabled", Self::boolean),
                    ("zone", |checker, value| checker.one_of(value, &["outside", "inside", "service"])),
                    ("mtu", |checker, value| checker.number(value, 1_280, 9_000)),
                    ("description", |checker, value| checker.words(value, 80)),
                    ("addresses", |checker, value| {
                        checker.array(value, |checker, value| {
                            let Some(text) = checker.text(value) else { return };
                            match with_prefix(text) {
                                Some(network) => checker.networks.push(network),
                                None => checker.refuse("expected an address with its prefix"),
                            }
                        });
                    }),
                ],
                &["enabled", "zone"],
            );
        });
        self.counts.push(("interfaces", count));
    }

    fn interface_name(&mut self, name: &str) {
        let (port, vlan) = match name.split_once(':') {
            Some((port, vlan)) => (port, Some(vlan)),
            None => (name, None),
        };
        if let Some(model) = self.model.filter(|model| !model.has_port(port)) {
            self.refuse(format!("the model {} has no port `{port}`", model.name));
        }
        let good = |vlan: &str| {
            vlan.parse::<u16>().is_ok_and(|id| (1..=4094).contains(&id)) && !vlan.starts_with(['0', '+'])
        };
        if vlan.is_some_and(|vlan| !good(vlan)) {
            self.refuse("the number of a VLAN is from 1 to 4094");
        }
    }

    /// A reference to an interface, which must be set up in this file.
    fn interface(&mut self, value: &Value) {
        let Some(name) = self.text(value) else { return };
        if !self.interfaces.iter().any(|known| known == name) {
            self.refuse(format!("the interface `{name}` is not set up"));
        }
    }

    fn routes(&mut self, value: &Value) {
        let count = self.array(value, |checker, value| {
            checker.object(
                value,
                &[("network", Self::network), ("gateway", Self::address)],
                &["network", "gateway"],
            );
        });
        self.counts.push(("routes", count));
    }

    fn leases(&mut self, value: &Value) {
        self.object(
            value,
            &[
                ("ranges", |checker, value| {
                    let count = checker.named(value, |checker, name, value| {
                        checker.interface(&Value::String(name.to_owned()));
                        checker.object(
                            value,
                            &[("first", Self::address), ("last", Self::address), ("minutes", Self::minutes)],
                            &["first", "last"],
                        );
                    });
                    checker.counts.push(("lease ranges", count));
                }),
                ("fixed", Self::fixed_leases),
            ],
            &[],
        );
    }

    fn fixed_leases(&mut self, value: &Value) {
        let mut taken: Vec<IpAddr> = Vec::new();
        let count = self.named(value, |checker, name, value| {
            if !is_mac(name) {
                checker.refuse("the key of a lease is a MAC address in lower case with colons");
            }
            checker.object(
                value,
                &[
                    ("address", Self::address),
                    ("name", |checker, value| checker.text_that(value, is_host_name, "a host name")),
                ],
                &["address"],
            );
            let Value::Object(members) = value else { return };
            let address = members.iter().find_map(|(key, value)| match value {
                Value::String(text) if key == "address" => text.parse::<IpAddr>().ok(),
                _ => None,
            });
            let Some(address) = address else { return };
            checker.at("address", |checker| {
                if !checker.networks.iter().any(|&network| in_network(address, network)) {
                    checker.refuse("no network of the unit holds this address");
                }
                if taken.contains(&address) {
                    checker.refuse("another lease has this address");
                }
                taken.push(address);
            });
        });
        if let Some(model) = self.model.filter(|model| count > model.leases) {
            self.refuse(format!("{count} leases; the model takes at most {}", model.leases));
        }
        self.counts.push(("fixed leases", count));
    }

    fn filter(&mut self, value: &Value) {
        self.object(
            value,
            &[
                ("default", |checker, value| checker.one_of(value, &["permit", "refuse"])),
                ("rules", |checker, value| {
                    let count = checker.array(value, Self::filter_rule);
                    if let Some(model) = checker.model.filter(|model| count > model.rules) {
                        checker.refuse(format!("{count} rules; the model takes at most {}", model.rules));
                    }
                    checker.counts.push(("filter rules", count));
                }),
            ],
            &["default"],
        );
    }

    fn filter_rule(&mut self, value: &Value) {
        self.object(
            value,
            &[
                ("action", |checker, value| checker.one_of(value, &["permit", "refuse"])),
                ("interface", Self::interface),
                ("source", Self::network),
                ("destination", Self::network),
                ("protocol", |checker, value| checker.one_of(value, &["tcp", "udp"])),
                ("port", |checker, value| checker.number(value, 1, 65_535)),
                ("log", Self::boolean),
                ("comment", |checker, value| checker.words(value, 80)),
            ],
            &["action"],
        );
        if let Value::Object(members) = value {
            let has = |name: &str| members.iter().any(|(key, _)| key == name);
            if has("port") && !has("protocol") {
                self.at("port", |checker| checker.refuse("a port needs a protocol"));
            }
        }
    }

    fn accounts(&mut self, value: &Value) {
        let count = self.named(value, |checker, _, value| {
            checker.object(
                value,
                &[
                    ("role", |checker, value| {
                        checker.one_of(value, &["administrator", "operator", "viewer"]);
                    }),
                    ("password-hash", |checker, value| {
                        checker.text_that(
                            value,
                            |text| text.starts_with("$6$"),
                            "a hash of the kind sha512-crypt",
                        );
                    }),
                ],
                &["role", "password-hash"],
            );
        });
        self.counts.push(("accounts", count));
    }

    fn vpn(&mut self, value: &Value) {
        self.object(
            value,
            &[("tunnels", |checker, value| {
                let count = checker.named(value, |checker, _, value| {
                    checker.object(
                        value,
                        &[
                            ("enabled", Self::boolean),
                            ("remote", Self::host),
                            ("shared-secret", |checker, value| {
                                checker.text_that(
                                    value,
                                    |text| text.len() >= 12,
                                    "a secret of at least 12 characters",
                                );
                            }),
                            ("local-network", Self::network),
                            ("remote-network", Self::network),
                            ("renew-minutes", Self::minutes),
                        ],
                        &["enabled", "remote", "shared-secret", "local-network", "remote-network"],
                    );
                });
                checker.counts.push(("tunnels", count));
            })],
            &[],
        );
    }

    fn certificates(&mut self, value: &Value) {
        let count = self.named(value, |checker, _, value| {
            checker.object(
                value,
                &[
                    ("certificate", |checker, value| {
                        checker.text_that(
                            value,
                            |text| is_pem(text, "CERTIFICATE"),
                            "a certificate in PEM form",
                        );
                    }),
                    ("private-key", |checker, value| {
                        checker.text_that(
                            value,
                            |text| is_pem(text, "PRIVATE KEY"),
                            "a private key in PEM form",
                        );
                    }),
                ],
                &["certificate"],
            );
        });
        self.counts.push(("certificates", count));
    }
}
