//! The order of work on generated backups: joined, inherited, kinds, rules, reading, merging, defaults, the map. A plain oracle says
//! what the whole result is.

use crate::small::{With, carry_over, carry_with, new_profile, old_profile, parse};
use fordcross_core::carry::Threads;
use fordcross_core::mapping::{Destination, MapFile};
use proptest::prelude::*;
use serde_json::{Map, Value, json};
use std::collections::BTreeMap;
use std::fmt::Write as _;

const OLD: &str = old_profile!(
    r#"
[object]
"thing[{id}]" = { duplicates = "merge", inherits = { parent = "like", wins = "WINS" }, kind = { big = "given('b')", small = "true" } }
[setting]
"release" = "text"
"setup/unique" = { type = "text", default = "yes" }
"thing/id" = "text"
"thing/like[]" = "text"
"thing/a|b" = "text"
"thing/c" = { type = "text", default = "old" }
"thing/port" = "port"
"thing/with/d" = "text"
"#
);

const NEW: &str = new_profile!(
    r#"
[object]
"big|small/{name}" = {}
[setting]
"release" = "text"
"big|small/*/a|b|unique" = "text"
"big|small/*/with/d" = "text"
"big|small/*/c" = { type = "text", default = "new" }
"big|small/*/port" = "port"
"big|small/*/of/*" = "text"
"#
);

const CROSSING: &str = r#"
language = 2
[crossing]
from = "old@1"
to   = "new@2"
[[place]]
moot = [["release", "its own"]]
[[place]]
name = "thing"
from = "thing[{id}]"
to   = "{kind}/{id}"
MERGE
[[place]]
from = "thing"
to   = "@thing"
same = ["a", "b", "c", "port", "with/d"]
move = [["&id = {i}", "of/{i} = {i}"], ["&/setup/unique = {u}", "unique = {u -> no=never, *=*}"]]
moot = [["like", "what it names is written out"]]
"#;

type Settings = BTreeMap<&'static str, usize>;
/// Kind, name and settings of an object of the result, and which it was made of.
type Made = (&'static str, String, Map<String, Value>, Vec<String>);

/// The old platform: which of several parents wins there.
fn old(wins: &str) -> String {
    let duplicates = "releases = [\"1\"]\nduplicates = \"last\"";
    OLD.replace("WINS", wins).replace("releases = [\"1\"]", duplicates)
}

/// One element of the backup: an object, or a part of one that is there several times.
#[derive(Clone, Debug)]
struct Part {
    id: usize,
    like: Vec<usize>,
    settings: Settings,
}

#[derive(Clone, Debug)]
struct Backup {
    parts: Vec<Part>,
    unique: Option<&'static str>,
    last_wins: bool,
    merges: bool,
    /// The base: objects by their kinds and numbers.
    base: Option<BTreeMap<(bool, usize), Settings>>,
}

const NAMES: [&str; 5] = ["a", "b", "c", "d", "port"];

fn backup() -> impl Strategy<Value = Backup> {
    let names = || prop::sample::subsequence(NAMES.to_vec(), 0..=NAMES.len());
    let part = (0..4_usize, prop::collection::vec(0..6_usize, 0..3), names(), 0..3_usize).prop_map(
        |(id, like, names, value)| Part {
            id,
            // No circles: an object inherits from those of a higher number, if they are there.
            like: like.into_iter().filter(|like| *like > id).collect(),
            settings: names.into_iter().map(|name| (name, value)).collect(),
        },
    );
    let unique = prop::sample::select(vec![None, Some("yes"), Some("no")]);
    let of_base = names().prop_map(|names| names.into_iter().map(|name| (name, 1)).collect());
    let base = prop::collection::btree_map((any::<bool>(), 0..4_usize), of_base, 0..4);
    (prop::collection::vec(part, 0..7), unique, any::<bool>(), any::<bool>(), prop::option::of(base))
        .prop_map(|(parts, unique, last_wins, merges, base)| Backup {
            parts,
            unique,
            last_wins,
            merges,
            base,
        })
}

impl Backup {
    fn text(&self) -> String {
        let mut text = String::from("<old release=\"1\">");
        for Part { id, like, settings } in &self.parts {
            let _ = write!(text, "<thing><id>t{id}</id>");
            text.extend(like.iter().map(|like| format!("<like>t{like}</like>")));
            for (name, value) in settings {
                let value = value_of(name, *value).0;
                let _ = match *name {
                    "d" => write!(text, "<with><d>{value}</d></with>"),
                    _ => write!(text, "<{name}>{value}</{name}>"),
                };
            }
            text.push_str("</thing>");
        }
        if let Some(unique) = self.unique {
            let _ = write!(text, "<setup><unique>{unique}</unique></setup>");
        }
        text + "</old>"
    }

    /// What the object of a number has itself: of what its parts say twice the last, of what it inherits from all, in their order.
    fn own(&self, id: usize) -> Option<(Settings, Vec<usize>)> {
        let parts: Vec<&Part> = self.parts.iter().filter(|part| part.id == id).collect();
        parts.first()?;
        let settings = parts.iter().flat_map(|part| part.settings.clone()).collect();
        Some((settings, parts.iter().flat_map(|part| part.like.clone()).collect()))
    }

    /// With what it inherits: the nearest first, of several parents the one that wins.
    fn whole(&self, id: usize) -> Settings {
        let mut sources = Vec::new();
        self.sources(id, &mut sources);
        let mut whole = BTreeMap::new();
        for source in sources {
            for (name, value) in self.own(source).map(|own| own.0).unwrap_or_default() {
                whole.entry(name).or_insert(value);
            }
        }
        whole
    }

    fn sources(&self, id: usize, found: &mut Vec<usize>) {
        if found.contains(&id) {
            return;
        }
        let Some((_, mut parents)) = self.own(id) else { return };
        found.push(id);
        if self.last_wins {
            parents.reverse();
        }
        parents.into_iter().for_each(|parent| self.sources(parent, found));
    }

    fn base(&self) -> Option<Value> {
        let mut base = json!({ "release": "2" });
        for ((is_big, id), settings) in self.base.as_ref()? {
            let mut object = Map::from_iter([("unique".to_owned(), "base".into())]);
            settings.iter().for_each(|(name, value)| put(&mut object, name, &value_of(name, *value).1));
            base[if *is_big { "big" } else { "small" }][format!("t{id}")] = object.into();
        }
        Some(base)
    }

    /// The whole result.
    fn expected(&self) -> Value {
        let mut ids: Vec<usize> = Vec::new();
        self.parts.iter().for_each(|part| {
            if !ids.contains(&part.id) {
                ids.push(part.id);
            }
        });
        let mut made: Vec<Made> = Vec::new();
        for id in ids {
            let whole = self.whole(id);
            let kind = if whole.contains_key("b") { "big" } else { "small" };
            let mut object = Map::new();
            for (name, value) in &whole {
                put(&mut object, name, &value_of(name, *value).1);
            }
            object.insert("unique".into(), if self.unique == Some("no") { "never" } else { "yes" }.into());
            let equal = made
                .iter_mut()
                .find(|(known, _, other, _)| self.merges && *known == kind && *other == object);
            match equal {
                Some((.., of)) => of.push(format!("t{id}")),
                None => made.push((kind, format!("t{id}"), object, vec![format!("t{id}")])),
            }
        }
        let mut result = self.base().unwrap_or_else(|| json!({ "release": "2" }));
        for (kind, name, mut object, of) in made {
            // Objects are merged before defaults that changed are written.
            object.entry("c").or_insert("old".into());
            let of: Map<_, _> = of.iter().map(|id| (id.clone(), json!(id))).collect();
            object.insert("of".into(), of.into());
            // What a base has beyond what is written stays.
            for (setting, value) in object {
                result[kind][&name][setting] = value;
            }
        }
        result
    }
}

fn put(object: &mut Map<String, Value>, name: &str, value: &str) {
    let value = if name == "d" { json!({ "d": value }) } else { json!(value) };
    object.insert(if name == "d" { "with" } else { name }.to_owned(), value);
}

/// An old value, and the new one.
fn value_of(name: &str, value: usize) -> (String, String) {
    match name {
        "port" => (format!("p{}", value + 1), format!("c{}", 3 - value)),
        // What is the new default is not written where it is the value: it is written as it is.
        "c" => (["old", "new", "other"][value].to_owned(), ["old", "new", "other"][value].to_owned()),
        _ => (format!("v{value}"), format!("v{value}")),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, failure_persistence: None, ..ProptestConfig::default() })]
    #[test]
    fn the_order_of_work_is_as_promised(backup in backup()) {
        let merge = if backup.merges { "merge = { but = [\"of\"] }" } else { "" };
        let (old, new, crossing) = parse(
            &old(if backup.last_wins { "last" } else { "first" }),
            NEW,
            &CROSSING.replace("MERGE", merge),
        );
        let map = MapFile::of_ports((1..=3).map(|number| {
            (format!("p{number}"), Destination::New(format!("c{}", 4 - number)))
        }));
        let base = backup.base().map(|base| base.to_string());
        let with = With { threads: Threads::Two, base: base.as_deref(), map: &map };
        let made = carry_with(with, &backup.text(), (old, new, crossing));
        let found: Value = serde_json::from_str(&made.result).expect("a result");
        let rows_of = |part: &Part| 2 + part.like.len() + part.settings.len();
        let rows = made.rows.iter().filter(|row| row["locator"].as_str().is_some_and(|at| at.starts_with("thing")));
        prop_assert_eq!(rows.count(), backup.parts.iter().map(rows_of).sum::<usize>());
        prop_assert_eq!(found, backup.expected(), "{}\n{:#?}", backup.text(), made.findings);
    }
}

/// Each setting of an object in pieces is accounted for at its own place.
#[test]
fn pieces_of_an_object_are_folded_into_the_first() {
    let (old, new, crossing) = parse(&old("first"), NEW, &CROSSING.replace("MERGE", ""));
    let text = "<old release='1'><thing><id>x</id><a>1</a><with><d>2</d></with></thing>\
                <thing><id>x</id><a>3</a><b>4</b><with><d>5</d></with></thing></old>";
    let made = carry_over(text, old, new, crossing, &MapFile::default());
    for row in [
        "thing[x] recast big/x",
        "thing[x]/id folded big/x big/x/of/x=\"x\"",
        "thing[x]/a moot",
        "thing[x]/with/d moot",
        "thing[x]#2 folded big/x",
        "thing[x]#2/id folded big/x big/x/of/x=\"x\"",
        "thing[x]#2/a carried big/x/a=\"3\"",
        "thing[x]#2/b carried big/x/b=\"4\"",
        "thing[x]#2/with/d carried big/x/with/d=\"5\"",
    ] {
        made.expect_row(row);
    }
}

/// A branch is made for what is in it: one that nothing arrived in is not written, an object is.
#[test]
fn a_branch_that_nothing_arrived_in_is_not_written() {
    let crossing = CROSSING.replace("MERGE", "").replace(", \"with/d\"]", "]")
        + "[[place]]\nfrom = \"thing/with\"\nto = \"@thing/with\"\nmove = [[\"d = x\", \"d = x\"]]\n";
    let text = "<old release='1'><thing><id>t</id><with><d>y</d></with></thing>\
                <thing><id>u</id><with><d>x</d></with></thing></old>";
    let old = old("first").replace("[object]\n", "[object]\n\"thing/with\" = {}\n");
    let (old, new, crossing) = parse(&old, NEW, &crossing);
    let made = carry_over(text, old, new, crossing, &MapFile::default());
    let found: Value = serde_json::from_str(&made.result).expect("a result");
    assert!(found["small"]["t"].is_object() && found["small"]["t"].get("with").is_none(), "{}", made.result);
    assert_eq!(found["small"]["u"]["with"]["d"], "x");
    made.expect_row("thing[t]/with moot");
    made.expect_row("thing[t]/with/d unmatched");
    made.expect_row("thing[u]/with carried small/u/with");
}
