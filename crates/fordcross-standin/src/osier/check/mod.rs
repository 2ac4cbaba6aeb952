//! What an Osier gateway on 2.1 takes.

mod sections;

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
    /// The subnets by their marks.
    subnets: Vec<(String, (IpAddr, u32))>,
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
            subnets: Vec::new(),
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
        // References look to interfaces, so these come first wherever they are in the file.
        let get = |name: &str| document.iter().find(|(key, _)| key == name).map(|(_, value)| value);
        match get("osier-export") {
            Some(header) => self.at("osier-export", |checker| checker.header(header)),
            None => self.refuse("`osier-export` is missing"),
        }
        if let Some(aggregates) = get("aggregates") {
            self.at("aggregates", |checker| checker.aggregates(aggregates));
        }
        if let Some(interfaces) = get("interfaces") {
            self.at("interfaces", |checker| checker.interfaces(interfaces));
        }
        if let Some(subnets) = get("subnets") {
            self.at("subnets", |checker| checker.subnets(subnets));
        }
        let sections: [(&str, Take); 7] = [
            ("system", Self::system),
            ("routes", Self::routes),
            ("leases", Self::leases),
            ("filter", Self::filter),
            ("accounts", Self::accounts),
            ("vpn", Self::vpn),
            ("partner", Self::partner),
        ];
        for (name, value) in document {
            match name.as_str() {
                "osier-export" | "interfaces" | "aggregates" | "subnets" => {}
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
                            let fits = |text: &str| with_prefix(text).is_some();
                            checker.text_that(value, fits, "an address with its prefix");
                        });
                    }),
                ],
                &[],
            );
        });
        self.counts.push(("interfaces", count));
    }

    fn aggregates(&mut self, value: &Value) {
        let mut taken: Vec<String> = Vec::new();
        let count = self.named(value, |checker, name, value| {
            let number = name.strip_prefix("ag").and_then(|number| number.parse::<u8>().ok());
            if number.is_none_or(|number| !(1..=8).contains(&number)) {
                checker.refuse("an aggregate is called `ag1` to `ag8`");
            }
            checker.interfaces.push(name.to_owned());
            checker.object(
                value,
                &[
                    ("enabled", Self::boolean),
                    ("zone", |checker, value| checker.one_of(value, &["outside", "inside", "service"])),
                    ("description", |checker, value| checker.words(value, 80)),
                    ("members", |checker, value| {
                        let count = checker.array(value, |checker, value| {
                            let Some(name) = checker.text(value) else { return };
                            checker.interface_name(name);
                        });
                        if count < 2 {
                            checker.refuse("an aggregate has at least two members");
                        }
                    }),
                ],
                &["enabled", "zone", "members"],
            );
            let Value::Object(members) = value else { return };
            for (_, value) in members.iter().filter(|(key, _)| key == "members") {
                let Value::Array(values) = value else { continue };
                for value in values {
                    let Value::String(port) = value else { continue };
                    if taken.contains(port) {
                        checker.refuse(format!("`{port}` is a member twice"));
                    }
                    taken.push(port.clone());
                }
            }
        });
        self.counts.push(("aggregates", count));
    }

    fn subnets(&mut self, value: &Value) {
        let count = self.named(value, |checker, mark, value| {
            checker.object(
                value,
                &[("network", Self::network), ("interface", Self::interface)],
                &["network", "interface"],
            );
            let Value::Object(members) = value else { return };
            let network = members.iter().find_map(|(key, value)| match value {
                Value::String(text) if key == "network" => with_prefix(text),
                _ => None,
            });
            checker.subnets.extend(network.map(|network| (mark.to_owned(), network)));
        });
        self.counts.push(("subnets", count));
    }

    fn partner(&mut self, value: &Value) {
        self.object(
            value,
            &[
                ("interface", |checker, value| {
                    let Some(name) = checker.text(value) else { return };
                    checker.interface_name(name);
                }),
                ("peer-address", Self::address),
                ("secret", |checker, value| {
                    checker.text_that(value, |text| text.len() >= 12, "a secret of at least 12 characters");
                }),
            ],
            &["interface", "peer-address", "secret"],
        );
    }

    fn interface_name(&mut self, name: &str) {
        let (port, vlan) = match name.split_once(':') {
            Some((port, vlan)) => (port, Some(vlan)),
            None => (name, None),
        };
        let is_aggregate = port.starts_with("ag") && self.interfaces.iter().any(|known| known == port);
        if is_aggregate {
            // Set up above, where its own name was looked at.
        } else if let Some(model) = self.model.filter(|model| !model.has_port(port)) {
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
}
