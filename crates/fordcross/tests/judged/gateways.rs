//! Cases of gateways: a Teasel backup and a map, carried to Osier and judged by the stand-in.

use crate::cases::{Carry, Outcome};
use crate::generate::Grammar;
use crate::kept::number_of;
use crate::maps::{DEEDS, Deed, map};
use crate::search::PLANTED_FROM;
use fastrand::Rng;
use fordcross_standin::osier::{Model, Osier};
use fordcross_standin::{Receiver as _, Refusal};
use std::collections::BTreeSet;
use std::net::Ipv4Addr;
use std::path::Path;

pub(crate) const TEASEL: &str =
    include_str!("../../../fordcross-profiles/platforms/teasel/teasel.profile.toml");
pub(crate) const OSIER: &str = include_str!("../../../fordcross-profiles/platforms/osier/osier.profile.toml");
pub(crate) const CROSSING: &str =
    include_str!("../../../fordcross-profiles/platforms/osier/teasel-4.6-to-osier-2.1.crossing.toml");

#[derive(Clone, Debug)]
pub(crate) struct Case {
    pub(crate) number: u64,
    pub(crate) backup: String,
    pub(crate) deed: Deed,
    pub(crate) map: Option<String>,
    pub(crate) model: &'static str,
}

/// What random backups seldom have, or cannot: something else of an export of the receiving platform's older release.
const PLANTED: [(&str, &str); 12] = [
    ("\"network\": \"192.0.2.0/24\", ", ""),
    (", \"interface\": \"cu1\"}", "}"),
    ("\"interface\": \"cu1\"}", "\"interface\": \"cu5\"}"),
    (", \"net\": \"s1\"", ""),
    ("\"net\": \"s1\"", "\"net\": \"s9\""),
    ("\"protocol\": \"tcp\", ", ""),
    ("\"protocol\": \"tcp\", \"port\": 443", "\"protocol\": \"icmp\""),
    ("\"port\": 443", "\"port\": 0"),
    ("203.0.113.1/24", "192.0.2.1/25"),
    ("$6$", "$5$"),
    ("Wrackhaven", WIDE),
    ("\"display-minutes\": 5", "\"display-minutes\": 20000"),
];
const WIDE: &str =
    "a word and a word and a word and a word and a word and a word and a word and a word and a word";
const OLDER: &str = r#"{"osier-export": {"release": "2.0", "model": "8", "scope": "full"},
"system": {"hostname": "gw", "location": "Wrackhaven", "display-minutes": 5},
"interfaces": {"cu1": {"enabled": true, "zone": "inside", "addresses": ["192.0.2.1/24"]}, "cu2": {"enabled": true, "zone": "outside", "addresses": ["203.0.113.1/24"]}},
"subnets": {"s1": {"network": "192.0.2.0/24", "interface": "cu1"}},
"leases": {"fixed": {"00:00:5e:00:53:01": {"address": "192.0.2.9", "net": "s1"}}},
"filter": {"default": "refuse", "list": [{"action": "permit", "interface": "cu2", "protocol": "tcp", "port": 443}]},
"accounts": {"ann": {"role": "viewer", "password-hash": "$6$salt$0123456789abcdef"}}}"#;

/// The cases that are asked for.
pub(crate) fn cases() -> Vec<Case> {
    let grammar = Grammar::new(TEASEL, "4.6");
    (0..number_of("FORDCROSS_CASES", 800)).map(|number| random(number, &grammar)).collect()
}

/// A case by its number, planted or random.
pub(crate) fn case_of(number: u64) -> Option<Case> {
    match number.checked_sub(PLANTED_FROM) {
        Some(planted_at) => planted().into_iter().nth(planted_at as usize),
        None => Some(random(number, &Grammar::new(TEASEL, "4.6"))),
    }
}

/// The same whatever else is run.
fn random(number: u64, grammar: &Grammar) -> Case {
    let seed = number_of("FORDCROSS_SEED", 15);
    let mut rng = Rng::with_seed(seed.wrapping_mul(0x9e37_79b9).wrapping_add(number));
    let (old, model) = rng.choice([("20", "8"), ("20", "16"), ("40", "16")]).expect("three");
    let backup = grammar.backup("teasel-backup", old, &mut rng);
    let deed = DEEDS[number as usize % DEEDS.len()];
    let used: BTreeSet<String> = ["p1", "p2", "p3", "p4", "f1", "svc"]
        .into_iter()
        .filter(|port| backup.contains(&format!("\"{port}\"")))
        .map(str::to_owned)
        .collect();
    let used: Vec<String> = used.into_iter().collect();
    let addresses: Vec<&str> = backup
        .split(['<', '>'])
        .filter(|text| text.parse::<Ipv4Addr>().is_ok() && !text.starts_with("255"))
        .collect();
    let map = map(deed, &used, &addresses, &mut rng);
    Case { number, backup, deed, map, model }
}

/// Cases by what is planted in them.
pub(crate) fn planted() -> Vec<Case> {
    let older = PLANTED.iter().map(|(find, put)| {
        assert!(OLDER.contains(find), "{find}");
        OLDER.replacen(find, put, 1)
    });
    let gateway = |rule: &str| {
        format!(
            "<teasel-backup firmware='4.6' model='20'><unit><name>gw</name><greeting>{}</greeting></unit>\
             <links><link id='p1' on='yes'><side>inner</side></link></links>\
             <filter><otherwise>deny</otherwise><rule at='p1' {rule}/></filter></teasel-backup>",
            "long ".repeat(220)
        )
    };
    let backups = older.chain([gateway("do='allow' off='perhaps'"), OLDER.to_owned()]);
    let case = |(number, backup): (usize, String)| {
        let map = (backup == OLDER)
            .then(|| "[map]\nformat = 2\n[addresses]\n\"192.0.2.9\" = \"203.0.113.77\"\n".to_owned());
        Case { number: PLANTED_FROM + number as u64, backup, deed: Deed::OneAddress, map, model: "8" }
    };
    backups.enumerate().map(case).collect()
}

/// Carries a case, by the shipped profiles or by others.
pub(crate) fn carry(case: &Case, profiles: Option<&Path>) -> Outcome {
    let is_older = case.backup.starts_with('{');
    Carry {
        file: if is_older { "gw.json" } else { "gw.xml" },
        text: &case.backup,
        map: case.map.as_deref(),
        base: None,
        to: &format!("osier/{}@2.1", case.model),
        result: "gw.osier.json",
    }
    .run(profiles)
}

/// What the receiving unit refuses of a result.
pub(crate) fn refused(case: &Case, result: &str) -> Vec<Refusal> {
    Osier::new(Model::find(case.model)).load(result).err().unwrap_or_default()
}
