//! A stand-in for Osier gateways, models 8 and 16, release 2.1.

mod check;
mod text;

use crate::{Document, Receiver, Refusal, Summary, Value, parse};
use check::Checker;

/// A simulated Osier gateway.
#[derive(Debug, Default)]
pub struct Osier {
    model: Option<Model>,
    configuration: Option<Document>,
}

/// What a model has and can hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Model {
    /// Its name.
    pub name: &'static str,
    copper: u32,
    fibre: u32,
    /// The most filter rules.
    rules: usize,
    /// The most fixed leases.
    leases: usize,
}

/// All models.
pub const MODELS: [Model; 2] = [
    Model { name: "8", copper: 6, fibre: 2, rules: 200, leases: 200 },
    Model { name: "16", copper: 12, fibre: 4, rules: 1_000, leases: 1_000 },
];

const RELEASE: &str = "2.1";

impl Model {
    /// The model of that name.
    pub fn find(name: &str) -> Option<Self> {
        MODELS.into_iter().find(|model| model.name == name)
    }

    fn has_port(self, name: &str) -> bool {
        let numbered = |prefix: &str, count: u32| {
            name.strip_prefix(prefix)
                .filter(|number| !number.starts_with('0'))
                .and_then(|number| number.parse::<u32>().ok())
                .is_some_and(|number| (1..=count).contains(&number))
        };
        name == "svc" || numbered("cu", self.copper) || numbered("fx", self.fibre)
    }
}

impl Osier {
    /// A unit as it leaves the factory; with no model said it becomes the one that the first
    /// configuration is for.
    pub fn new(model: Option<Model>) -> Self {
        Self { model, configuration: None }
    }
}

impl Receiver for Osier {
    fn load(&mut self, text: &str) -> Result<Summary, Vec<Refusal>> {
        let document = parse(text).map_err(|reason| vec![Refusal { place: "the file".into(), reason }])?;
        let mut checker = Checker::new(self.model);
        checker.configuration(&document);
        match (checker.refusals.is_empty(), checker.model) {
            (true, Some(model)) => {
                self.model = Some(model);
                self.configuration = Some(document);
                Ok(Summary { counts: checker.counts })
            }
            _ => Err(checker.refusals),
        }
    }

    fn export(&self) -> Option<String> {
        let configuration = self.configuration.as_ref()?;
        // The unit keeps its settings by name, so an export comes in another order than what it took.
        let mut sorted = Value::Object(configuration.clone());
        sort(&mut sorted);
        serde_json::to_string_pretty(&sorted.to_json()).ok().map(|text| text + "\n")
    }
}

fn sort(value: &mut Value) {
    match value {
        Value::Object(members) => {
            members.sort_by(|(a, _), (b, _)| a.cmp(b));
            members.iter_mut().for_each(|(_, value)| sort(value));
        }
        Value::Array(values) => values.iter_mut().for_each(sort),
        _ => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const GOOD: &str = r#"{
        "osier-export": {"release": "2.1", "model": "8", "scope": "full"},
        "system": {"hostname": "gw", "session-minutes": 15, "resolvers": ["192.0.2.53"]},
        "interfaces": {
            "cu1": {"enabled": true, "zone": "inside", "mtu": 1500, "addresses": ["192.0.2.1/24"]},
            "cu1:30": {"enabled": true, "zone": "inside"}
        },
        "aggregates": {"ag1": {"enabled": true, "zone": "inside", "members": ["cu5", "cu6"]}},
        "partner": {"interface": "cu4", "peer-address": "198.51.100.2", "secret": "twelve letters"},
        "subnets": {"s1": {"network": "192.0.2.0/24", "interface": "cu1"}},
        "leases": {"fixed": {"00:00:5e:00:53:01": {"address": "192.0.2.9", "subnet": "s1"}}},
        "filter": {"default": "refuse", "rules": [
            {"action": "permit", "interface": "cu1", "protocol": "tcp", "port": 443}
        ]},
        "accounts": {"amery": {"role": "operator", "password-hash": "$6$salt$hash"}}
    }"#;

    #[test]
    fn what_it_took_it_exports_again() {
        let mut unit = Osier::new(None);
        let summary = unit.load(GOOD).expect("taken");
        assert!(summary.counts.contains(&("filter rules", 1)), "{summary:?}");
        let export = unit.export().expect("an export");
        let mut other = Osier::new(None);
        other.load(&export).expect("taken again");
        assert_eq!(other.export(), Some(export));
    }

    #[rstest]
    #[case("\"gw\"", "\"-gw\"", "system.hostname", "host name")]
    #[case("\"hostname\"", "\"hostnam\"", "system.hostnam", "unknown key")]
    #[case("1500", "\"1500\"", "interfaces.cu1.mtu", "expected a whole number")]
    #[case("1500", "100", "interfaces.cu1.mtu", "1280 to 9000")]
    #[case("\"cu1\":", "\"cu7\":", "interfaces.cu7", "no port `cu7`")]
    #[case("cu1:30", "cu1:0", "interfaces.cu1:0", "VLAN")]
    #[case(
        "\"interface\": \"cu1\", \"protocol\"",
        "\"interface\": \"cu2\", \"protocol\"",
        "filter.rules.0.interface",
        "not set up"
    )]
    #[case("192.0.2.1/24", "192.0.2.1", "interfaces.cu1.addresses.0", "prefix")]
    #[case("192.0.2.9", "203.0.113.9", "leases.fixed.00:00:5e:00:53:01.subnet", "does not hold")]
    #[case(
        "\"subnet\": \"s1\"",
        "\"subnet\": \"s2\"",
        "leases.fixed.00:00:5e:00:53:01.subnet",
        "no subnet `s2`"
    )]
    #[case(", \"subnet\": \"s1\"", "", "leases.fixed.00:00:5e:00:53:01", "`subnet` is missing")]
    #[case("\"cu5\", \"cu6\"", "\"cu5\"", "aggregates.ag1.members", "at least two")]
    #[case("\"cu5\", \"cu6\"", "\"cu5\", \"cu5\"", "aggregates.ag1", "twice")]
    #[case("\"ag1\"", "\"bond1\"", "aggregates.bond1", "`ag1` to `ag8`")]
    #[case("00:00:5e", "00-00-5e", "leases.fixed.00-00-5e:00:53:01", "MAC")]
    #[case("\"port\": 443", "\"port\": 0", "filter.rules.0.port", "1 to 65535")]
    #[case("\"protocol\": \"tcp\", ", "", "filter.rules.0.port", "needs a protocol")]
    #[case("$6$salt$hash", "secret", "accounts.amery.password-hash", "sha512-crypt")]
    #[case("\"model\": \"8\"", "\"model\": \"9\"", "osier-export.model", "no model")]
    #[case("\"release\": \"2.1\"", "\"release\": \"2.0\"", "osier-export.release", "runs 2.1")]
    #[case("\"system\": {", "\"osier-export\": {", "the file", "given twice")]
    #[case("\"default\": \"refuse\"", "\"default\": null", "filter.default", "expected a string")]
    fn refuses(#[case] find: &str, #[case] put: &str, #[case] place: &str, #[case] reason: &str) {
        assert!(GOOD.contains(find), "the case changes something");
        let refusals = Osier::new(None).load(&GOOD.replacen(find, put, 1)).expect_err("refused");
        let told = refusals.iter().any(|refusal| refusal.place == place && refusal.reason.contains(reason));
        assert!(told, "{refusals:?}");
    }

    #[test]
    fn a_unit_keeps_its_model_and_limits() {
        let refusals = Osier::new(Model::find("16")).load(GOOD).expect_err("refused");
        assert_eq!(refusals[0].place, "osier-export.model");
        let rule = r#"{"action": "permit"},"#.repeat(200);
        let refusals = Osier::new(None)
            .load(&GOOD.replace("\"rules\": [", &format!("\"rules\": [{rule}")))
            .expect_err("refused");
        assert_eq!(refusals[0].reason, "201 rules; the model takes at most 200");
    }
}
