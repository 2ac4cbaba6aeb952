//! Backups of an XML line, made from what its profile declares: each object and setting of the release now and
//! then, values by their type, and names that mostly name something.

use fastrand::Rng;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use toml::{Table, Value};

/// What a profile declares of one release.
pub(crate) struct Grammar {
    profile: Table,
    release: String,
    /// Paths of objects, each with its key.
    objects: Vec<(String, Option<String>)>,
    settings: Vec<Setting>,
}

struct Setting {
    path: String,
    kind: Value,
    is_attribute: bool,
    repeats: bool,
}

/// An element with its attributes.
#[derive(Default)]
struct Element {
    attributes: Vec<(String, String)>,
    text: String,
    children: Vec<(String, Element)>,
}

/// What names in a backup can name, as far as it is made.
struct Names {
    ports: Vec<String>,
    interfaces: Vec<String>,
    /// Ports that are in no bundle yet.
    unbundled: Vec<String>,
    /// Networks of 64 addresses that no interface has yet, and those that one has.
    free: Vec<String>,
    taken: Vec<String>,
    /// Whether a person wrote it with care: most then goes together.
    is_careful: bool,
}

/// The path of an object, and the setting that tells it from its like: `links/link[{id}]`.
fn path_and_key(declared: &str) -> (String, Option<String>) {
    let (at, brackets) = declared.split_once('[').unwrap_or((declared, ""));
    let key = brackets.trim_end_matches(']').strip_prefix('{').and_then(|key| key.strip_suffix('}'));
    (at.to_owned(), key.map(str::to_owned))
}

const NETWORKS: [&str; 4] = ["192.0.2.", "198.51.100.", "203.0.113.", "192.0.2."];
const MASKS: [&str; 5] =
    ["255.255.255.0", "255.255.255.128", "255.255.255.192", "255.255.255.240", "255.255.255.255"];
const WORDS: [&str; 6] = ["Wrackhaven", "quay", "net loft", "slip 3", "ünder", "a"];

/// All declarations of a table with their whole paths: those of `path/` are below it, and names with `|` between them are apart.
pub(crate) fn declared(table: &Table) -> Vec<(String, Value)> {
    let mut all = Vec::new();
    for (path, what) in table {
        match (path.strip_suffix('/'), what.as_table()) {
            (Some(above), Some(below)) => {
                let below = below.iter().map(|(path, what)| (format!("{above}/{path}"), what.clone()));
                all.extend(below.collect::<Vec<_>>());
            }
            _ => all.push((path.clone(), what.clone())),
        }
    }
    all.into_iter()
        .flat_map(|(path, what)| apart(&path).into_iter().map(move |path| (path, what.clone())))
        .collect()
}

/// The paths that one with `|` in it stands for.
fn apart(path: &str) -> Vec<String> {
    let mut all = vec![String::new()];
    for (number, step) in path.split('/').enumerate() {
        let slash = if number == 0 { "" } else { "/" };
        let list = if step.ends_with("[]") { "[]" } else { "" };
        let names = step.trim_end_matches("[]").split('|');
        all = names
            .flat_map(|name| {
                all.iter().map(move |above| format!("{above}{slash}{name}{list}")).collect::<Vec<_>>()
            })
            .collect();
    }
    all
}

impl Grammar {
    pub(crate) fn new(profile: &str, release: &str) -> Self {
        let profile: Table = profile.parse().expect("a profile is TOML");
        let releases = profile["profile"]["releases"].as_array().expect("releases");
        let order: Vec<&str> = releases.iter().filter_map(Value::as_str).collect();
        let place = |name: &str| order.iter().position(|known| *known == name).expect("a release");
        let holds = |of: &Table| {
            text(of, "since").is_none_or(|since| place(&since) <= place(release))
                && text(of, "until").is_none_or(|until| place(release) <= place(&until))
        };
        let attributes = profile["xml"]["attributes"].as_array().expect("attributes");
        let attributes: Vec<String> = attributes.iter().filter_map(Value::as_str).flat_map(apart).collect();
        let is_attribute = |path: &str| attributes.iter().any(|known| known == path);
        let of_objects = profile["object"].as_table().expect("objects");
        let of_objects = of_objects.iter().filter(|(_, object)| holds(object.as_table().expect("an object")));
        let objects: Vec<(String, Option<String>)> = of_objects.map(|(path, _)| path_and_key(path)).collect();
        let mut settings = Vec::new();
        for (path, what) in declared(profile["setting"].as_table().expect("settings")) {
            let variants = what.as_array().cloned().unwrap_or_else(|| vec![what.clone()]);
            for what in variants {
                let table = what.as_table().cloned().unwrap_or_default();
                // A setting is there as long as the object that it is in.
                let is_of = |(at, _): &&(String, Option<String>)| path.starts_with(&format!("{at}/"));
                let is_in_object =
                    profile["object"].as_table().expect("objects").keys().map(|path| path_and_key(path));
                let is_gone =
                    is_in_object.filter(|object| is_of(&object)).any(|object| !objects.contains(&object));
                if holds(&table) && !is_gone {
                    let repeats = path.ends_with("[]");
                    let path = path.trim_end_matches("[]").to_owned();
                    let is_attribute = is_attribute(&path);
                    settings.push(Setting { path, kind: what, is_attribute, repeats });
                }
            }
        }
        Self { profile, release: release.to_owned(), objects, settings }
    }

    /// Everything that is declared: objects, then settings.
    pub(crate) fn declared(&self) -> impl Iterator<Item = &str> {
        let objects = self.objects.iter().map(|(at, _)| at.as_str());
        objects.chain(self.settings.iter().map(|setting| setting.path.as_str()))
    }

    /// A backup with a document element of that name.
    pub(crate) fn backup(&self, marker: &str, model: &str, rng: &mut Rng) -> String {
        let ports = tables(&self.profile, "model")
            .filter(|known| text(known, "name").as_deref() == Some(model))
            .flat_map(|known| known["port"].as_array().expect("ports"))
            .flat_map(|port| names_of(port["names"].as_str().expect("names")))
            .collect();
        let mut names = Names::new(ports, rng);
        let mut root = Element::default();
        let is_single = |path: &str| !self.objects.iter().any(|(at, _)| path.starts_with(&format!("{at}/")));
        let single: Vec<&Setting> = self.settings.iter().filter(|setting| is_single(&setting.path)).collect();
        for setting in single {
            let always = ["firmware", "model"].contains(&setting.path.as_str());
            if !always && rng.u8(..100) < if names.is_careful { 10 } else { 25 } {
                continue;
            }
            for _ in 0..if setting.repeats { rng.usize(1..4) } else { 1 } {
                let value = match setting.path.as_str() {
                    "firmware" => self.release.clone(),
                    "model" => model.to_owned(),
                    _ => self.value(&setting.kind, &mut names, rng),
                };
                let (branch, name) = setting.path.rsplit_once('/').unwrap_or(("", &setting.path));
                root.below(branch).put(name, value, setting.is_attribute);
            }
        }
        for (at, key) in &self.objects {
            let (branch, name) = at.rsplit_once('/').unwrap_or(("", at));
            let several = key.is_some() || !["links/partner", "foghorn"].contains(&at.as_str());
            for _ in 0..if several { rng.usize(0..5) } else { rng.usize(0..2) } {
                // Now and then one thing is out of place, and all else is well.
                let of_case = names.is_careful;
                names.is_careful &= rng.u8(..20) > 0;
                let mut element = Element::default();
                let mut is_twice = false;
                let of_object =
                    |setting: &&Setting| setting.path.rsplit_once('/').is_some_and(|(above, _)| above == at);
                for setting in self.settings.iter().filter(of_object) {
                    let own = setting.path.rsplit('/').next().unwrap_or_default();
                    let is_key = key.as_deref() == Some(own);
                    if !is_key && rng.u8(..100) < if names.is_careful { 2 } else { 12 } {
                        continue;
                    }
                    for _ in 0..if setting.repeats {
                        rng.usize(if names.is_careful { 2 } else { 1 }..4)
                    } else {
                        1
                    } {
                        let value = match (at.as_str(), own) {
                            ("links/link", "id") => names.new_interface(rng),
                            ("links/bundle", "id") => format!("b{}", rng.u8(1..12)),
                            ("links/bundle", "member") if names.is_careful => names.new_member(rng),
                            ("addresses/address", "ip") if names.is_careful => names.new_address(rng),
                            ("addresses/address", "mask") if names.is_careful => MASKS[2].to_owned(),
                            ("leases/host" | "leases/range" | "addresses/route", "ip" | "first" | "via")
                                if names.is_careful =>
                            {
                                names.old_address(rng, 2..30)
                            }
                            ("leases/range", "last") if names.is_careful => Names::last_address(&element),
                            ("tunnels/tunnel", "near") if names.is_careful => "192.0.2.0/26".to_owned(),
                            ("tunnels/tunnel", "far") if names.is_careful => "198.18.7.0/24".to_owned(),
                            _ => self.value(&setting.kind, &mut names, rng),
                        };
                        if is_key {
                            is_twice = root.below(branch).has(name, own, &value);
                            if at.starts_with("links/") {
                                names.interfaces.push(value.clone());
                            }
                        }
                        element.put(own, value, setting.is_attribute);
                    }
                }
                names.is_careful = of_case;
                if !is_twice {
                    root.below(branch).children.push((name.to_owned(), element));
                }
            }
        }
        let mut text = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n".to_owned();
        root.write(marker, &mut text, 0);
        text
    }

    /// A value by its type; now and then one at the edge, or one that does not fit.
    fn value(&self, kind: &Value, names: &mut Names, rng: &mut Rng) -> String {
        let named = |table: &Table| text(table, "type").unwrap_or_default();
        let word =
            kind.as_str().map_or_else(|| kind.as_table().map(named).unwrap_or_default(), str::to_owned);
        let none = Table::new();
        let own = kind.as_table().unwrap_or(&none);
        if let Some(declared) = self.profile.get("type").and_then(|types| types.get(&word)) {
            if word != "interface" {
                return self.value(declared, names, rng);
            }
            return match rng.u8(..100) {
                _ if names.interfaces.is_empty() => rng.choice(&names.ports).expect("ports").clone(),
                0..98 if names.is_careful => rng.choice(&names.interfaces).expect("interfaces").clone(),
                0..80 => rng.choice(&names.interfaces).expect("interfaces").clone(),
                _ => rng.choice(&names.ports).expect("ports").clone(),
            };
        }
        if rng.u8(..200) == 0 {
            return "odd".to_owned();
        }
        let number = |key: &str| own.get(key).and_then(Value::as_integer);
        let address = |rng: &mut Rng| match rng.u8(..12) {
            0 => format!("2001:db8::{:x}", rng.u16(1..64)),
            _ => format!("{}{}", rng.choice(NETWORKS).expect("networks"), rng.u8(1..64)),
        };
        match word.as_str() {
            "choice" => {
                let values = own["values"].as_array().expect("values");
                rng.choice(values).and_then(Value::as_str).expect("a value").to_owned()
            }
            "boolean" => {
                let side = if rng.bool() { "on" } else { "off" };
                own.get(side).and_then(Value::as_str).unwrap_or("true").to_owned()
            }
            "integer" => {
                let (min, max) = (number("min").unwrap_or(0), number("max").unwrap_or(100_000));
                let between = rng.i64(min..=max);
                rng.choice([min, max, between]).expect("three").to_string()
            }
            "duration" => {
                rng.choice(["0", "60", "900", "1000", "3600", "604800", "9999999"]).expect("some").to_owned()
            }
            "prefix-length" => rng.choice(MASKS).expect("masks").to_owned(),
            "address" => address(rng),
            "network" => match rng.u8(..10) {
                0 => "0.0.0.0/0".to_owned(),
                1 => "2001:db8::/64".to_owned(),
                2 => format!("{}/32", address(rng)),
                3 => format!("{}9/28", rng.choice(NETWORKS).expect("networks")),
                4 => "192.0.2.128/25".to_owned(),
                _ => format!("{}{}/26", rng.choice(NETWORKS).expect("networks"), u16::from(rng.u8(..4)) * 64),
            },
            "host" if rng.bool() => address(rng),
            "host" | "host-name" => format!("h{}.example.net", rng.u8(..30)),
            "name" => format!("n{}", rng.u8(..5)),
            "mac" => format!("00-00-5e-00-53-{:02x}", rng.u8(..)),
            "date" => format!("2026-0{}-1{}", rng.u8(1..10), rng.u8(..10)),
            "shape" => format!("{}/{}", rng.choice(["tcp", "udp"]).expect("two"), rng.u16(1..)),
            "certificate" => pem("CERTIFICATE"),
            "secret" if own.contains_key("scheme") => {
                let hashes = ["$6$salt$0123456789abcdef", "$6$s$fedcba", "plain"];
                hashes[rng.usize(..if names.is_careful { 2 } else { 3 })].to_owned()
            }
            "secret" if rng.bool() => pem(rng.choice(["PRIVATE KEY", "CERTIFICATE"]).expect("two")),
            "secret" => {
                "correct horse battery"[..rng.usize(if names.is_careful { 12 } else { 6 }..21)].to_owned()
            }
            _ => match rng.u8(..10) {
                0 => "long ".repeat(rng.usize(10..40) << rng.u8(..4)),
                _ => rng.choice(WORDS).expect("words").to_owned(),
            },
        }
    }
}

impl Names {
    fn new(ports: Vec<String>, rng: &mut Rng) -> Self {
        let mut free: Vec<String> = ["192.0.2", "198.51.100", "203.0.113"]
            .iter()
            .flat_map(|first| (0..4).map(move |block| format!("{first}.{}", block * 64)))
            .collect();
        rng.shuffle(&mut free);
        let mut unbundled = ports.clone();
        rng.shuffle(&mut unbundled);
        let is_careful = rng.u8(..10) < 7;
        Self { ports, interfaces: Vec::new(), unbundled, free, taken: Vec::new(), is_careful }
    }

    fn new_member(&mut self, rng: &mut Rng) -> String {
        self.unbundled.pop().unwrap_or_else(|| rng.choice(&self.ports).expect("ports").clone())
    }

    fn new_address(&mut self, rng: &mut Rng) -> String {
        if let Some(network) = self.free.pop() {
            self.taken.push(network);
        }
        let network = self.taken.last().expect("a network");
        plus(network, rng.u8(1..63))
    }

    fn old_address(&self, rng: &mut Rng, between: std::ops::Range<u8>) -> String {
        let network = rng.choice(&self.taken).map_or("192.0.2.0", String::as_str);
        plus(network, rng.u8(between))
    }

    /// The last of a range: some behind the first.
    fn last_address(range: &Element) -> String {
        let first = range.children.iter().find(|(name, _)| name == "first");
        first.map_or_else(|| "192.0.2.30".to_owned(), |(_, first)| plus(&first.text, 20))
    }

    fn new_interface(&self, rng: &mut Rng) -> String {
        let port = rng.choice(&self.ports).expect("ports");
        match rng.u8(..10) {
            0 => format!("{port}.{}", rng.u16(10..14)),
            1 => format!("b{}.{}", rng.u8(1..4), rng.u16(10..14)),
            _ => port.clone(),
        }
    }
}

impl Element {
    fn below(&mut self, branch: &str) -> &mut Self {
        branch.split('/').filter(|step| !step.is_empty()).fold(self, |element, step| {
            let at = element.children.iter().position(|(name, _)| name == step).unwrap_or_else(|| {
                element.children.push((step.to_owned(), Self::default()));
                element.children.len() - 1
            });
            &mut element.children[at].1
        })
    }

    fn put(&mut self, name: &str, value: String, is_attribute: bool) {
        if is_attribute {
            self.attributes.push((name.to_owned(), value));
        } else {
            self.children.push((name.to_owned(), Self { text: value, ..Self::default() }));
        }
    }

    fn has(&self, name: &str, key: &str, value: &str) -> bool {
        self.children.iter().filter(|(known, _)| known == name).any(|(_, element)| {
            let attributes = element.attributes.iter().map(|(name, value)| (name, value));
            let children = element.children.iter().map(|(name, child)| (name, &child.text));
            attributes.chain(children).any(|(known, said)| known == key && said == value)
        })
    }

    fn write(&self, name: &str, out: &mut String, depth: usize) {
        let escape = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
        let indent = "  ".repeat(depth);
        let _ = write!(out, "{indent}<{name}");
        for (name, value) in &self.attributes {
            let _ = write!(out, " {name}=\"{}\"", escape(value));
        }
        if self.children.is_empty() {
            let _ = writeln!(out, ">{}</{name}>", escape(&self.text));
            return;
        }
        out.push_str(">\n");
        for (name, child) in &self.children {
            child.write(name, out, depth + 1);
        }
        let _ = writeln!(out, "{indent}</{name}>");
    }
}

fn plus(address: &str, more: u8) -> String {
    let address: std::net::Ipv4Addr = address.parse().expect("an address");
    std::net::Ipv4Addr::from(u32::from(address) + u32::from(more)).to_string()
}

fn pem(of: &str) -> String {
    format!("-----BEGIN {of}-----\nMIIB\n-----END {of}-----\n")
}

fn tables<'t>(of: &'t Table, key: &str) -> impl Iterator<Item = &'t Table> {
    of.get(key).and_then(Value::as_array).into_iter().flatten().filter_map(Value::as_table)
}

fn text(of: &Table, key: &str) -> Option<String> {
    of.get(key).and_then(Value::as_str).map(str::to_owned)
}

/// `p1..p4`
pub(crate) fn names_of(range: &str) -> Vec<String> {
    let Some((first, last)) = range.split_once("..") else { return vec![range.to_owned()] };
    let digits = |name: &str| name.trim_start_matches(|c: char| !c.is_ascii_digit()).to_owned();
    let stem = first.trim_end_matches(|c: char| c.is_ascii_digit());
    let (first, last): (u32, u32) =
        (digits(first).parse().expect("a number"), digits(last).parse().expect("a number"));
    (first..=last).map(|number| format!("{stem}{number}")).collect()
}

/// How often each thing was there.
pub(crate) type Counts = BTreeMap<String, usize>;
