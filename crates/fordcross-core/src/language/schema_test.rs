//! The JSON Schemas and the reference are held to the keys that the code asks for.

use crate::declaration::ASKED;
use crate::format::Format;
use crate::language::crossing::Crossing;
use crate::language::library::Checking;
use crate::language::profile::Profile;
use crate::text::source::Source;
use rstest::rstest;
use serde_json::Value;
use std::collections::BTreeSet;

const PROFILE_SCHEMA: &str = include_str!("../../../fordcross-profiles/schema/profile.schema.json");
const CROSSING_SCHEMA: &str = include_str!("../../../fordcross-profiles/schema/crossing.schema.json");
const LANGUAGE: &str = include_str!("../../../../docs/language.md");

/// A profile with something of every kind, so that every key is asked for.
const FULL_PROFILE: &str = r#"
language = 2

[profile]
platform         = "a"
title            = "A"
format           = "xml"
case-insensitive = true
releases         = ["1"]
not-included     = [
  ["w", "r"],
]
dependents = [
  ["o", "w", "d"],
]
[ini]
separator = ":"
[csv]
separator = ";"
[database]
row = "r"
[xml]
root = "a"
[grammar]
escape = "none"
[block.top]
statements = [["x {value}", "x"], { shape = "z {value}", at = "z" }]
[block.other]
delimiters = ["{", "}"]
[[file]]
path      = "m"
at        = "m"
format    = "statements"
algorithm = "sha-256"
[file.ini]
[file.csv]
[file.database]
[file.xml]
[file.grammar]
[file.block.top]
statements = [{ shape = "y {value}", at = "y" }]
[detect]
contains = "a"
release  = "release"
[[model]]
name = "m"
title = "M"
port = [{ names = "p1", medium = "copper", speed = "1G" }]
limit = { "o" = 1 }
[section]
s = "o"
[[step]]
unit = "old"
phase = "at"
do = "d"
[[service]]
name = "n"
at = "o"
stops = "s"

[object]
"q[]" = {}
[object."o[{k}]"]
kind = { one = "true" }
inherits = { parent = "k" }
grants-access = "a"
required = { paths = ["1"] }
unique = { among = "a" }
[type]
int = { type = "integer" }
t1 = { type = "text", allowed = "a-z", replacement = "x" }
t2 = { type = "name", refers-to = "o" }
t3 = { type = "integer" }
t17 = { type = "command", shown = ["a *"] }
t4 = { type = "boolean" }
t15 = { type = "list", of = "text" }
t16 = { type = "pairs", pair = "{name}={value}", punctuation = ["="] }
t5 = { type = "choice", values = ["a"] }
t6 = { type = "duration", unit = "s" }
t9 = { type = "address", family = "any" }
t11 = { type = "prefix-length", notation = "mask" }
t12 = { type = "mac", separator = ":", case = "lower" }
t13 = { type = "secret", protection = "hash", scheme = "s", forms = [{ allowed = "a-z", min = 1 }] }
t14 = { type = "shape", shapes = ["{a:int}"] }
[in-force]
"o/3" = "1"
[path]
here = "o"
[[install]]
files = "f"
path = "/p"
owner = "o"
group = "g"
mode = "0600"
[[trial]]
run = "r"
what = "w"
[[check]]
at = "o"
code = "c"
that = "given('k')"
[setting]
"release" = "text"
"o/k" = "name"
"o/1" = { type = "text", default = "a", allowed = "a-z", replacement = "x" }
"o/2" = { type = "t2", unique = { among = "a" }, key-unique = { among = "b" } }
"o/3" = "t3"
"o/4" = "t4"
"o/5" = "t5"
"o/6" = "t6"
"o/9" = "t9"
"o/11" = "t11"
"o/12" = "t12"
"o/13" = "t13"
"o/14" = "t14"
"#;

const FULL_CROSSING: &str = r#"
language = 2

[crossing]
from           = "a@1"
to             = "a@1"
inherited      = "kept"
shared         = []
write-defaults = "all"
[equivalent.ports]
p1 = "p1"
[[place]]
name = "p"
from = "o[{k}]"
to = "o[]"
merge = { by = ["1"] }
move = [["k = {k}", "k = {k}"]]
[[place]]
move = [["release", "release"]]
add = ["release = 1"]
drop = [["o/1", "w"]]
by-hand = [["o/2", "d"]]
moot = [["o/3", "w"]]
[[lookup]]
name = "l"
place = "p"
network = "network('192.0.2.0', 24)"
[[ask]]
fact = "f"
type = "text"
default = "d"
why = "w"
[[require]]
that = "true"
why = "w"
[[step]]
phase = "at"
do = "d"
[[notice]]
text = "t"
[base]
replace = []
"#;

/// All keys that the code asks for, each with the path of its section.
fn asked(kind: &str) -> BTreeSet<(String, &'static str)> {
    ASKED.take();
    // What is asked for depends on the format: it is read as each of them.
    for format in Format::ALL {
        let of_backup = without_files(FULL_PROFILE).replace("\"xml\"", &format!("\"{}\"", format.word()));
        let of_file = FULL_PROFILE.replace("\"statements\"", &format!("\"{}\"", format.word()));
        for profile in [of_backup, of_file] {
            let _ = Profile::parse(Source::new("a", &profile), Checking::Whole);
        }
    }
    if kind == "crossing" {
        let old = Profile::parse(Source::new("a", &without_forms(FULL_PROFILE)), Checking::Whole);
        let old = old.expect("the profile");
        ASKED.take();
        let source = Source::new("a", FULL_CROSSING);
        let _ = Crossing::parse(source, &old, &old, Checking::Whole, &[]);
    }
    let mut asked = ASKED.take();
    // A setting can have all that a type has; the sample says it once.
    let of_type =
        |(path, key): &(String, &'static str)| Some((format!("setting{}", path.strip_prefix("type")?), *key));
    let of_pairs = ["pair", "quotes", "escape", "punctuation", "word-characters", "unquoted-numbers"];
    let is_of_settings = |(path, key): &&(String, &'static str)| path != "type" && !of_pairs.contains(key);
    let of_types: Vec<_> = asked.iter().filter(is_of_settings).filter_map(of_type).collect();
    asked.extend(of_types);
    // Settings below a path can have all that settings can.
    let below = |(path, key): &(String, &'static str)| {
        Some((format!("setting.*{}", path.strip_prefix("setting")?), *key))
    };
    let below: Vec<_> =
        asked.iter().filter(|(path, _)| path.starts_with("setting.")).filter_map(below).collect();
    asked.extend(below);
    asked
}

/// A profile of one file.
fn without_files(profile: &str) -> String {
    let start = profile.find("[[file]]").expect("it is there");
    let end = profile.find("[detect]").expect("it is there");
    profile[..start].to_owned() + &profile[end..]
}

/// A profile that says nothing of forms that it does not have.
fn without_forms(profile: &str) -> String {
    let (start, end) =
        (profile.find("[ini]").expect("it is there"), profile.find("[detect]").expect("it is there"));
    profile[..start].to_owned() + &profile[end..]
}

/// The keys that a schema has, each with the path of its section.
fn keys(schema: &Value, at: &Value, path: &str, found: &mut BTreeSet<(String, String)>) {
    if let Some(reference) = at["$ref"].as_str() {
        let target = schema.pointer(reference.trim_start_matches('#')).expect("it is there");
        return keys(schema, target, path, found);
    }
    let below = |key: &str| format!("{path}.{key}").trim_start_matches('.').to_owned();
    for (key, value) in at["properties"].as_object().into_iter().flatten() {
        found.insert((path.to_owned(), key.clone()));
        keys(schema, value, &below(key), found);
    }
    for value in at["anyOf"].as_array().into_iter().flatten().chain([&at["items"]]) {
        if value.is_object() {
            keys(schema, value, path, found);
        }
    }
    let patterns = at["patternProperties"].as_object().into_iter().flat_map(|patterns| patterns.values());
    for value in patterns.chain([&at["additionalProperties"]]).filter(|value| value.is_object()) {
        keys(schema, value, &below("*"), found);
    }
}

#[rstest]
#[case("profile", PROFILE_SCHEMA)]
#[case("crossing", CROSSING_SCHEMA)]
fn schemas_have_the_keys_that_are_asked_for(#[case] kind: &str, #[case] schema: &str) {
    let schema: Value = serde_json::from_str(schema).expect("JSON");
    let mut known = BTreeSet::new();
    keys(&schema, &schema, "", &mut known);
    let asked: BTreeSet<(String, String)> =
        asked(kind).into_iter().map(|(path, key)| (path, key.to_owned())).collect();
    let missing: Vec<_> = asked.difference(&known).collect();
    let beyond: Vec<_> = known.difference(&asked).collect();
    assert!(missing.is_empty() && beyond.is_empty(), "missing: {missing:?}\nnever asked for: {beyond:?}");
}

/// Each key is in the reference, as code.
#[rstest]
#[case("profile")]
#[case("crossing")]
fn the_reference_speaks_of_every_key(#[case] kind: &str) {
    let code: Vec<&str> = LANGUAGE.split('`').skip(1).step_by(2).collect();
    let spoken = |key: &str| {
        let is_key = |text: &&str| {
            text.split(|c: char| !c.is_ascii_alphanumeric() && c != '-').any(|word| word == key)
        };
        code.iter().any(is_key)
    };
    let silent: Vec<_> = asked(kind).into_iter().filter(|(_, key)| !spoken(key)).collect();
    assert!(silent.is_empty(), "{silent:?}");
}
