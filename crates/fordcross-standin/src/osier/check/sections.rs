//! What is in each section of a configuration.

use super::{Checker, IpAddr, Value, in_network, is_host_name, is_mac, is_pem};

impl Checker {
    pub(super) fn leases(&mut self, value: &Value) {
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

    pub(super) fn fixed_leases(&mut self, value: &Value) {
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
                    ("subnet", |checker, value| {
                        checker.text(value);
                    }),
                ],
                &["address", "subnet"],
            );
            let Value::Object(members) = value else { return };
            let text = |name: &str| {
                members.iter().find_map(|(key, value)| match value {
                    Value::String(text) if key == name => Some(text.as_str()),
                    _ => None,
                })
            };
            let Some(address) = text("address").and_then(|text| text.parse::<IpAddr>().ok()) else { return };
            let mark = text("subnet").unwrap_or_default();
            match checker.subnets.iter().find(|(known, _)| known == mark).map(|(_, network)| *network) {
                Some(network) if in_network(address, network) => {}
                Some(_) => {
                    checker.at("subnet", |checker| checker.refuse("this subnet does not hold the address"));
                }
                None => {
                    checker.at("subnet", |checker| checker.refuse(format!("there is no subnet `{mark}`")));
                }
            }
            checker.at("address", |checker| {
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

    pub(super) fn filter(&mut self, value: &Value) {
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

    pub(super) fn filter_rule(&mut self, value: &Value) {
        self.object(
            value,
            &[
                ("action", |checker, value| checker.one_of(value, &["permit", "refuse"])),
                ("enabled", Self::boolean),
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

    pub(super) fn accounts(&mut self, value: &Value) {
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

    pub(super) fn vpn(&mut self, value: &Value) {
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

    pub(super) fn certificates(&mut self, value: &Value) {
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
