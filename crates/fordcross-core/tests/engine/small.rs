//! A pair of small lines, and what is made of a text under them.

use fordcross_core::account::LedgerWriter;
use fordcross_core::backup::Backup;
use fordcross_core::carry::{CarryInput, PinnedDefaults, Scan, Threads, carry};
use fordcross_core::course::Leg;
use fordcross_core::crossing::Crossing;
use fordcross_core::finding::{Code, Finding};
use fordcross_core::json::read_json_tree;
use fordcross_core::library::Checking;
use fordcross_core::mapping::{Grounds, MapFile, MapUse, Mapping, used_ports};
use fordcross_core::profile::Profile;
use fordcross_core::source::Source;
use fordcross_core::xml::read_xml;
use serde_json::Value;
use std::collections::HashSet;

/// A profile of the old platform, with what is declared there.
macro_rules! old_profile {
    ($declared:literal) => {
        concat!(
            r#"
language = 2
[profile]
platform = "old"
title    = "Old box"
format   = "xml"
releases = ["1"]
[detect]
contains = "old"
release  = "release"
[[model]]
name = "m"
title = "Old m"
port = [{ names = "p1..p3", medium = "copper", speed = "1G" }]
"#,
            $declared
        )
    };
}
pub(crate) use old_profile;

/// The same of the new one.
macro_rules! new_profile {
    ($declared:literal) => {
        concat!(
            r#"
language = 2
[profile]
platform = "new"
title    = "New box"
format   = "json"
releases = ["2"]
[detect]
contains = "new"
release  = "release"
[[model]]
name = "n"
title = "New n"
port = [{ names = "c1..c3", medium = "copper", speed = "1G" }]
"#,
            $declared
        )
    };
}
pub(crate) use new_profile;

pub(crate) const OLD: &str = old_profile!(
    r#"
[section]
boxes = "boxes"
[type]
interface = { type = "shape", shapes = ["{parent:port}.{id:integer}", "{own:port}"] }

[object]
"boxes/box[{id}]" = { kind = { vlan = "given('ip')", plain = "true" } }
"boxes/box/spare" = {}
"list/item[#]"    = {}
[setting]
"release" = "text"
"boxes/box/id" = "interface"
"boxes/box/on" = { type = "boolean", on = "yes", off = "no" }
"boxes/box/wait" = { type = "duration", unit = "s", unlimited = "0" }
"boxes/box/ip" = "address"
"boxes/box/mask" = { type = "prefix-length", notation = "mask" }
"boxes/box/word" = "secret"
"list/item/do" = { type = "choice", values = ["allow", "deny"] }
"list/item/at" = "interface"
"list/item/what" = "text"
"list/item/mark" = "text"
"name[]" = "text"
"gone" = "text"
"#
);

pub(crate) const NEW: &str = r#"
language = 2

[profile]
platform = "new"
title    = "New box"
format   = "json"
releases = ["2"]
[detect]
contains = "new"
release  = "new/release"
[[model]]
name = "n"
title = "New n"
port = [{ names = "c1..c3", medium = "copper", speed = "1G" }]
[type]
interface = { type = "shape", shapes = ["{parent:port}:{id:integer}", "{own:port}"] }
net = { type = "shape", shapes = ["{ip:address}/{length:prefix-length}"] }

[object]
"boxes/{name:interface}" = {}
"list[#]"                = {}
"boxes/*/lamp"           = {}
"vlans[]"                = {}
"plains[]"               = {}
[setting]
"new/release" = "text"
"boxes/*/enabled" = "boolean"
"boxes/*/wait" = { type = "duration", unit = "min", unlimited = "0", max = 60 }
"boxes/*/nets[]" = "net"
"boxes/*/word" = "secret"
"boxes/*/spare" = "boolean"
"vlans/ids[]" = "interface"
"vlans/wait" = { type = "duration", unit = "min" }
"vlans/key" = "secret"
"plains/ids[]" = "interface"
"plains/wait" = { type = "duration", unit = "min" }
"plains/kind" = "text"
"plains/count" = "integer"
"list/action" = { type = "choice", values = ["permit", "refuse"] }
"list/at" = "interface"
"list/protocol" = "text"
"list/port" = "integer"
"names[]" = { type = "text", max = 8 }
"title" = "text"
"#;

pub(crate) const CROSSING: &str = r#"
language = 2

[crossing]
from = "old@1"
to   = "new@2"
[[place]]
moot = [["release", "the new file has its own"]]
[[place]]
from = "boxes/box[{id}]"
to = "boxes/{id}"
move = [
  ["on", "enabled"],
  ["wait", "wait"],
  ["ip = {a}; mask = {m}", "nets[] = {a}/{m}"],
  ["word", "word"],
]
by-hand = [["ip|mask", "an address needs its mask"]]
[[place]]
from = "list/item"
to = "list[]"
move = [
  ["do = {d}", "action = {d -> allow=permit, deny=refuse}"],
  ["at", "at"],
  ["what = {p}/{n}", "protocol = {p}; port = {n}"],
]
moot = [["what = any", "any is what holds without it"]]
[[place]]
move = [["name", "names[]"]]
drop = [["gone", "no place"]]
"#;

/// What a carry made.
pub(crate) struct Made {
    pub(crate) rows: Vec<Value>,
    /// The text of the rows.
    pub(crate) ledger: String,
    pub(crate) result: String,
    pub(crate) findings: Vec<Finding>,
}

/// A row as `locator fate landing=value …`.
pub(crate) fn shown(row: &Value) -> String {
    let landings = row["landings"].as_array().expect("landings").iter().map(|landing| {
        let value = if landing["value"].is_null() { String::new() } else { format!("={}", landing["value"]) };
        format!(" {}{value}", landing["locator"].as_str().expect("a locator"))
    });
    format!(
        "{} {}{}",
        row["locator"].as_str().unwrap_or("-"),
        row["fate"].as_str().unwrap_or("-"),
        landings.collect::<String>()
    )
}

impl Made {
    /// That there is one such row, and no other of its kind at its place; and that the ledger is whole: each row has its number and
    /// its own place.
    #[track_caller]
    pub(crate) fn expect_row(&self, expected: &str) {
        let rows: Vec<String> = self.rows.iter().map(shown).collect();
        let reported = || format!("{expected}\n{rows:#?}\n{:#?}\n{}", self.findings, self.result);
        assert_eq!(rows.iter().filter(|row| *row == expected).count(), 1, "{}", reported());
        let mut places = HashSet::new();
        for (row, number) in self.rows.iter().zip(1_u64..) {
            assert_eq!(row["row"].as_u64(), Some(number), "{}", reported());
            let place = (row["kind"].as_str(), row["locator"].as_str());
            assert!(place.1.is_none() || places.insert(place), "{place:?} is there twice: {}", reported());
        }
    }

    pub(crate) fn has(&self, code: Code) -> bool {
        self.findings.iter().any(|finding| finding.code() == code)
    }
}

fn source<'t>(name: &'t str, text: &'t str) -> Source<'t> {
    Source::new(name, text)
}

/// What crossings of the small lines may include.
const SHARED: &str =
    "language = 2\n[constant]\nowner = \"Marrowby\"\n[table.verb]\nallow = \"permit\"\ndeny = \"refuse\"\n";

/// Carries a text by the small lines and a crossing.
pub(crate) fn make(text: &str, crossing: &str) -> Made {
    make_between(OLD, NEW, text, crossing)
}

/// The same between other lines.
pub(crate) fn make_between(old: &str, new: &str, text: &str, crossing: &str) -> Made {
    let (old, new, crossing) = parse(old, new, crossing);
    carry_over(text, old, new, crossing, &MapFile::default())
}

pub(crate) fn parse(old: &str, new: &str, crossing: &str) -> (Profile, Profile, Crossing) {
    let old = Profile::parse(source("old.profile.toml", old), Checking::Whole).expect("the old profile");
    let new = Profile::parse(source("new.profile.toml", new), Checking::Whole).expect("the new profile");
    let shared = [source("words.shared.toml", SHARED)];
    let crossing = Crossing::parse(source("x.crossing.toml", crossing), &old, &new, Checking::Whole, &shared)
        .expect("the crossing");
    (old, new, crossing)
}

/// Carries a text from a line to another, to its only model, by what a map decides of ports.
pub(crate) fn carry_over(text: &str, old: Profile, new: Profile, crossing: Crossing, map: &MapFile) -> Made {
    carry_with(With { threads: Threads::Two, base: None, map }, text, (old, new, crossing))
}

/// What a carry goes by.
#[derive(Clone, Copy)]
pub(crate) struct With<'w> {
    pub(crate) threads: Threads,
    /// The text of a base, in JSON.
    pub(crate) base: Option<&'w str>,
    pub(crate) map: &'w MapFile,
}

/// The same in a certain way.
pub(crate) fn carry_with(
    With { threads, base, map }: With<'_>,
    text: &str,
    (old, new, crossing): (Profile, Profile, Crossing),
) -> Made {
    let base = base.map(|base| {
        let tree = read_json_tree(source("base.json", base)).expect("JSON");
        Backup::new(tree, &new, Some("2")).expect("a base")
    });
    let tree = read_xml(source("backup.xml", text)).expect("well-formed");
    let backup = Backup::new(tree, &old, Some("1")).expect("known");
    let model = new.models[0].clone();
    let walk = Scan::new(&backup.tree, &old, &crossing);
    let course = [Leg { old, new, crossing }];
    let [leg] = &course;
    let used = used_ports(&backup, leg, &walk);
    let grounds = Grounds {
        used: &used,
        old: leg.old.models.first(),
        new: Some(&model),
        crossing: &leg.crossing,
        purpose: MapUse::Carry,
        marked: (&[], &[]),
        same_names: false,
    };
    let (proposals, _) = map.propose(&grounds, &backup);
    let mapping = Mapping::new("map.toml", &proposals, map);
    let input = CarryInput {
        backup: &backup,
        course: &course,
        model: Some(&model),
        proposals: &proposals,
        mapping: &mapping,
        answers: &[],
        severities: &[],
        accepted: &map.accepted,
        base: base.as_ref(),
        pins: PinnedDefaults::All,
        threads,
    };
    let mut carried = carry(input, walk);
    let rows = |mut rows: LedgerWriter<'_>| {
        let mut text = Vec::new();
        rows.write_rows(0..rows.len(), &mut text);
        String::from_utf8(text).expect("UTF-8")
    };
    let (ledger, result) = carried.write(rows, |files| files[0].bytes.clone());
    let rows = ledger.lines().map(|line| serde_json::from_str(line).expect("a row is JSON")).collect();
    let result = String::from_utf8(result.unwrap_or_default()).expect("UTF-8");
    Made { rows, ledger, result, findings: carried.findings }
}
