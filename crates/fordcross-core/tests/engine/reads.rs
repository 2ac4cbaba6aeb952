//! What rules read and do not take, lists, parts: a piece of a backup, the rules of a place, and the rows that must be in the
//! ledger.

use crate::small::{make_between, new_profile, old_profile, shown};
use rstest::rstest;

const OLD: &str = old_profile!(
    r#"
[object]
"conn[{id}]"   = {}
"conn/route[]" = {}
"peer[{id}]"   = {}
[setting]
"release" = "text"
"setup/unique" = { type = "text", default = "yes" }
"setup/dns[]" = "text"
"conn/id" = "text"
"conn/proto" = "text"
"conn/peer" = "text"
"conn/net[]" = "text"
"conn/route/to|via" = "text"
"conn/life|margin" = { type = "duration", unit = "s" }
"conn/left|right/id" = "text"
"conn/near|far" = "way"
"conn/short|shorter" = { type = "duration", unit = "ms" }
"peer/id" = "text"
"peer/key" = "text"
[type]
way = { type = "shape", shapes = ["{hop:text}.{number:integer}", "{hop:text}"] }
"#
);

const NEW: &str = new_profile!(
    r#"
[object]
"conns/{name}"    = {}
"conns/*/route[]" = {}
[setting]
"release" = "text"
"unique" = "text"
"conns/*/unique" = "text"
"conns/*/key" = "text"
"conns/*/nets[]" = "text"
"conns/*/route/to|via|dev" = "text"
"conns/*/rekey" = { type = "duration", unit = "s" }
"conns/*/life" = { type = "duration", unit = "s" }
"conns/*/left|right/id" = "text"
"#
);

/// What rules of connections make of a text; rows of what nobody asks about are left out.
fn rows(text: &str, rules: &str) -> Vec<String> {
    let crossing = format!(
        "language = 2\n[crossing]\nfrom = 'old@1'\nto = 'new@2'\n[[place]]\nmoot = [['release', 'its own']]\n\
         [[place]]\nfrom = 'conn[{{n}}]'\nto = 'conns/{{n}}'\n{rules}"
    );
    let made = make_between(OLD, NEW, &format!("<old><release>1</release>{text}</old>"), &crossing);
    let all = made.rows.iter().map(shown);
    let is_aside = |row: &String| {
        let (place, _) = row.split_once(' ').unwrap_or_default();
        place == "release"
            || row == "- - release=\"2\""
            || place.starts_with("conn") && (place.ends_with(']') || place.ends_with("]/id"))
    };
    all.filter(|row| {
        !is_aside(row) || row.contains("]/net[") || row.contains("]/route[#") && row.contains("/to ")
    })
    .collect()
}

const TWO: &str = "<conn><id>a</id></conn><conn><id>b</id></conn>";

#[rstest]
// One setting feeds each connection, and has all landings.
#[case("<setup><unique>no</unique></setup>", "move = [['&/setup/unique = {u}', 'unique = {u -> no=never, *=*}']]",
    &["setup/unique folded conns/a/unique=\"never\" conns/b/unique=\"never\""])]
// What is also moved has these landings as well; what is moot went all the same.
#[case("<setup><unique>no</unique></setup>",
    "move = [['&/setup/unique = {u}', 'unique = {u}']]\n[[place]]\nmove = [['setup/unique', 'unique']]",
    &["setup/unique folded unique=\"no\" conns/a/unique=\"no\" conns/b/unique=\"no\""])]
#[case("<setup><unique>no</unique></setup>",
    "move = [['&/setup/unique = {u}', 'unique = {u}']]\n[[place]]\nmoot = [['setup/unique', 'no']]",
    &["setup/unique folded conns/a/unique=\"no\" conns/b/unique=\"no\""])]
// What a person has to see to stays so.
#[case("<setup><unique>no</unique></setup>",
    "move = [['&/setup/unique = {u}', 'unique = {u}']]\n[[place]]\ndrop = [['setup/unique', 'no']]",
    &["setup/unique dropped"])]
// Read by none that fits.
#[case("<setup><unique>no</unique></setup>", "move = [['&/setup/unique = x{u}', 'unique = {u}']]",
    &["setup/unique unmatched"])]
#[case("<setup><unique>no</unique></setup>", "move = [['&/setup/unique = {u}', 'unique = {u}', 'u == \"yes\"']]",
    &["setup/unique unmatched"])]
// The default holds, and is written as pinned.
#[case("", "move = [['&/setup/unique = {u}', 'unique = {u}']]",
    &["- - conns/a/unique=\"yes\"", "- - conns/b/unique=\"yes\""])]
// A list is written entry by entry.
#[case("<setup><dns>x</dns><dns>y</dns></setup>", "move = [['&/setup/dns = {d}', 'nets[] = {d}', 'n == \"a\"']]",
    &["setup/dns[#1] folded conns/a/nets[#1]=\"x\"", "setup/dns[#2] folded conns/a/nets[#2]=\"y\""])]
fn a_setting_of_the_whole_is_read_by_each(
    #[case] text: &str,
    #[case] rules: &str,
    #[case] expected: &[&str],
) {
    assert_eq!(rows(&format!("{text}{TWO}"), rules), expected);
}

#[rstest]
// Beside what is taken.
#[case("<life>900</life><margin>60</margin>",
    "move = [['life = {l}; &margin = {m}', 'life = {l}; rekey = {= l - m}'], ['margin', 'key']]",
    &["conn[a]/life folded conns/a/life=900 conns/a/rekey=840", "conn[a]/margin folded conns/a/key=\"60 s\" conns/a/rekey=840"])]
#[case("<life>900</life>", "move = [['life = {l}; &margin = {m}', 'rekey = {= l - m}'], ['life', 'life']]",
    &["conn[a]/life carried conns/a/life=900"])]
#[case("<life>900</life>", "move = [['life = {l}; &?margin = {m}', 'life = {l}; key = {m}']]",
    &["conn[a]/life carried conns/a/life=900"])]
// What is captured twice must be the same both times, in paths too.
#[case("<peer>x</peer><left><id>l</id></left>", "move = [['peer = {p}; &/peer/id = {p}', 'key = {p}']]",
    &["conn[a]/peer carried conns/a/key=\"x\"", "conn[a]/left/id unmatched", "peer[x] unmatched", "peer[x]/id folded conns/a/key=\"x\"", "peer[x]/key unmatched"])]
#[case("<peer>x</peer>", "move = [['peer = {p}; &/peer[{p}]/key = {k}', 'key = {k}']]",
    &["conn[a]/peer folded conns/a/key=\"k1\"", "peer[x] unmatched", "peer[x]/id unmatched", "peer[x]/key folded conns/a/key=\"k1\""])]
#[case("<peer>z</peer>", "move = [['peer = {p}; &/peer[{p}]/key = {k}', 'key = {k}']]",
    &["conn[a]/peer unmatched", "peer[x] unmatched", "peer[x]/id unmatched", "peer[x]/key unmatched"])]
#[case("<peer>x</peer><proto>k9</proto>", "moot = [['proto = {k}; &peer = {p}; &/peer[{p}]/key = {k}', 'same']]",
    &["conn[a]/peer unmatched", "conn[a]/proto unmatched", "peer[x] unmatched", "peer[x]/id unmatched", "peer[x]/key unmatched"])]
#[case("<near>x.1</near><far>x.01</far>", "moot = [['near = {w}; far = {w}', 'both ways are one']]",
    &["conn[a]/near moot", "conn[a]/far moot"])]
#[case("<life>900</life><margin>901</margin>", "moot = [['life = {t}; margin = {t}', 'both are one']]",
    &["conn[a]/life unmatched", "conn[a]/margin unmatched"])]
#[case("<short>100</short><shorter>7</shorter>", "moot = [['short = {t}; shorter = {t}', 'both are one']]",
    &["conn[a]/short unmatched", "conn[a]/shorter unmatched"])]
#[case("<near>x</near><far>y</far>", "moot = [['near = {w}; far = {w}', 'both ways are one']]",
    &["conn[a]/near unmatched", "conn[a]/far unmatched"])]
// The old object that went by a place.
#[case("<peer>x</peer>", "move = [['peer = {p}; &@peer[{p}]/key = {k}', 'key = {k}']]\n[[place]]\nname = 'peer'\nfrom = 'peer[{i}]'\nto = 'conns/{i}'",
    &["conn[a]/peer folded conns/a/key=\"k1\"", "peer[x] carried conns/x", "peer[x]/id carried conns/x", "peer[x]/key folded conns/a/key=\"k1\""])]
// A number, a part.
#[case("<net>u</net><net>v</net>", "move = [['net[#2]', 'key'], ['net', 'nets[]']]",
    &["conn[a]/net[#1] carried conns/a/nets[#1]=\"u\"", "conn[a]/net[#2] carried conns/a/key=\"v\""])]
#[case("<left><id>l</id></left><right><id>r</id></right>",
    "move = [['left(id = {i}); &right(id = {j})', 'left/id = {i}-{j}'], ['right/id', 'right/id']]",
    &["conn[a]/left/id folded conns/a/left/id=\"l-r\"", "conn[a]/right/id folded conns/a/right/id=\"r\" conns/a/left/id=\"l-r\""])]
fn a_rule_reads_what_it_does_not_take(#[case] inside: &str, #[case] rules: &str, #[case] expected: &[&str]) {
    let text = format!("<conn><id>a</id>{inside}</conn><peer><id>x</id><key>k1</key></peer>");
    let seen: Vec<String> = rows(&text, rules)
        .into_iter()
        .filter(|row| inside.contains("peer") || !row.starts_with("peer"))
        .collect();
    assert_eq!(seen, expected);
}

#[rstest]
// A single setting goes with each of a list, and has all landings.
#[case("<net>u</net><net>v</net><proto>tcp</proto>", "move = [['net = {a}; proto = {p}', 'nets[] = {a}[{p}]']]",
    &["conn[a]/net[#1] folded conns/a/nets[#1]=\"u[tcp]\"", "conn[a]/net[#2] folded conns/a/nets[#2]=\"v[tcp]\"",
      "conn[a]/proto folded conns/a/nets[#1]=\"u[tcp]\" conns/a/nets[#2]=\"v[tcp]\""])]
#[case("<proto>tcp</proto><net>u</net>", "move = [['proto = {p}; net = {a}', 'nets[] = {a}[{p}]', 'a == \"u\"']]",
    &["conn[a]/proto folded conns/a/nets[#1]=\"u[tcp]\"", "conn[a]/net[#1] folded conns/a/nets[#1]=\"u[tcp]\""])]
#[case("<net>u</net><net>v</net><proto>tcp</proto>", "move = [['net = {a}; proto = {p}', 'nets[] = {a}[{p}]', 'a != \"u\"']]",
    &["conn[a]/net[#1] unmatched", "conn[a]/net[#2] folded conns/a/nets[#1]=\"v[tcp]\"", "conn[a]/proto folded conns/a/nets[#1]=\"v[tcp]\""])]
// Settings of one entry go in step, in parts as well.
#[case("<route><to>1</to><via>x</via></route><route><to>2</to></route><route><to>3</to><via>z</via></route>",
    "move = [['route/to = {t}; ?route/via = {v}', 'route[](to = {t}; via = {v})']]",
    &["conn[a]/route[#1]/to folded conns/a/route[#1]/to=\"1\"", "conn[a]/route[#1]/via folded conns/a/route[#1]/via=\"x\"",
      "conn[a]/route[#2]/to carried conns/a/route[#2]/to=\"2\"",
      "conn[a]/route[#3]/to folded conns/a/route[#3]/to=\"3\"", "conn[a]/route[#3]/via folded conns/a/route[#3]/via=\"z\""])]
#[case("<route><to>1</to><via>x</via></route><proto>p</proto>",
    "move = [['route(to = {t}; via = {v}); proto = {p}', 'route[](to = {t}; via = {v}; dev = {p})']]",
    &["conn[a]/route[#1]/to folded conns/a/route[#1]/to=\"1\"", "conn[a]/route[#1]/via folded conns/a/route[#1]/via=\"x\"",
      "conn[a]/proto folded conns/a/route[#1]/dev=\"p\""])]
fn a_list_goes_entry_by_entry(#[case] inside: &str, #[case] rules: &str, #[case] expected: &[&str]) {
    let seen = rows(&format!("<conn><id>a</id>{inside}</conn>"), rules);
    let shown: Vec<&String> = seen
        .iter()
        .filter(|row| {
            !row.contains("route[#1] ") && !row.contains("route[#2] ") && !row.contains("route[#3] ")
        })
        .collect();
    assert_eq!(shown, expected);
}

#[rstest]
// To the same paths below another; what is not known there is left to other rules.
#[case("<left><id>l</id></left>", "move = [['left/**', 'right/**']]", &["conn[a]/left/id carried conns/a/right/id=\"l\""])]
#[case("<left><id>l</id></left><proto>p</proto>", "same = ['**']\nmove = [['proto', 'key']]",
    &["conn[a]/left/id carried conns/a/left/id=\"l\"", "conn[a]/proto carried conns/a/key=\"p\""])]
#[case("<net>u</net>", "same = ['**']", &["conn[a]/net[#1] unmatched"])]
// Entries stay entries, in their order.
#[case("<route><to>1</to><via>x</via></route><route><to>2</to></route>", "same = ['route/**']",
    &["conn[a]/route[#1]/to carried conns/a/route[#1]/to=\"1\"", "conn[a]/route[#1]/via carried conns/a/route[#1]/via=\"x\"",
      "conn[a]/route[#2]/to carried conns/a/route[#2]/to=\"2\""])]
#[case("<left><id>l</id></left>", "move = [['left/**', 'right/**', \"given('proto')\"], ['left/**', 'left/**']]",
    &["conn[a]/left/id carried conns/a/left/id=\"l\""])]
#[case("<left><id>l</id></left><proto>p</proto>", "move = [['left/**; &proto = p', 'right/**'], ['proto', 'key']]",
    &["conn[a]/left/id carried conns/a/right/id=\"l\"", "conn[a]/proto carried conns/a/key=\"p\""])]
fn a_branch_goes_as_a_whole(#[case] inside: &str, #[case] rules: &str, #[case] expected: &[&str]) {
    let seen = rows(&format!("<conn><id>a</id>{inside}</conn>"), rules);
    assert_eq!(seen, expected);
}

const THREE: &str = "<conn><id>a</id><proto>p</proto><route><to>1</to></route><left><id>l</id></left></conn>\
                     <conn><id>b</id><proto>p</proto><route><to>2</to></route><left><id>m</id></left></conn>\
                     <conn><id>c</id><proto>q</proto><route><to>3</to></route></conn>";

#[rstest]
// Equal in all but a branch: the branches are joined, in their order; what differs elsewhere stays two.
#[case("merge = { but = ['route', 'left'] }\nsame = ['route/**']\nmove = [['proto', 'key']]",
    &["conn[a]/proto carried conns/a/key=\"p\"", "conn[a]/route[#1]/to carried conns/a/route[#1]/to=\"1\"",
      "conn[b]/proto folded conns/a/key=\"p\"", "conn[b]/route[#1]/to carried conns/a/route[#2]/to=\"2\"",
      "conn[c]/proto carried conns/c/key=\"q\"", "conn[c]/route[#1]/to carried conns/c/route[#1]/to=\"3\""])]
// What differs under one name in what is joined is left to a person.
#[case("merge = { but = ['left'] }\nsame = ['left/**']\nmove = [['proto', 'key']]",
    &["conn[a]/proto carried conns/a/key=\"p\"", "conn[a]/left/id carried conns/a/left/id=\"l\"",
      "conn[b]/proto folded conns/a/key=\"p\"", "conn[b]/left/id by-hand", "conn[c]/proto carried conns/c/key=\"q\""])]
// By a value of the old side: what they do not have in common is left to a person, on both sides.
#[case("merge = { by = ['proto'] }\nsame = ['route/**', 'left/**']\nmove = [['proto', 'key']]",
    &["conn[a]/proto carried conns/a/key=\"p\"", "conn[a]/route[#1]/to carried conns/a/route[#1]/to=\"1\"", "conn[a]/left/id by-hand",
      "conn[b]/proto folded conns/a/key=\"p\"", "conn[b]/route[#1]/to carried conns/a/route[#2]/to=\"2\"", "conn[b]/left/id by-hand",
      "conn[c]/proto carried conns/c/key=\"q\"", "conn[c]/route[#1]/to carried conns/c/route[#1]/to=\"3\""])]
fn equal_objects_become_one(#[case] rules: &str, #[case] expected: &[&str]) {
    let seen = rows(THREE, rules);
    let shown: Vec<&String> = seen.iter().filter(|row| !row.ends_with("unmatched")).collect();
    assert_eq!(shown, expected);
}

const DAEMON: &str = r#"
language = 2
[profile]
platform = "new"
title    = "New daemon"
format   = "statements"
releases = ["2"]
[detect]
contains = "conns"
ask-release = true
[[model]]
name = "n"
title = "New n"
[grammar]
end = ";"
quotes = ["\""]
[block.top]
unknown = "refuse"
statements = [["conns {name}", "conns/{name}", "conn"], ["filter {name}", "filter/{name}", "code"]]
[block.conn]
delimiters = ["{", "}"]
statements = [["key {value}", "key"], ["life {value}", "life"]]
[block.code]
delimiters = ["{", "}"]
holds = "text"
[object]
"conns/{name}" = {}
"filter/{name}" = {}
[setting]
"conns/*/key|life" = "text"
"filter/*/body" = "text"
"#;

/// What cannot be written so that it reads back is left to a person, and the rest is written.
#[rstest]
#[case("x", "one } two", &["peer[x] by-hand", "peer[x]/id by-hand", "peer[x]/key by-hand"])]
#[case("x\"y z", "fine", &[r#"peer["x\"y z"] by-hand"#, r#"peer["x\"y z"]/id by-hand"#, r#"peer["x\"y z"]/key by-hand"#])]
fn what_does_not_read_back_is_by_hand_and_the_rest_is_written(
    #[case] id: &str,
    #[case] key: &str,
    #[case] expected: &[&str],
) {
    let crossing = "language = 2\n[crossing]\nfrom = 'old@1'\nto = 'new@2'\n[[place]]\nmoot = [['release', 'its own']]\n\
         [[place]]\nfrom = 'peer[{n}]'\nto = 'filter/{n}'\nmove = [['key', 'body']]";
    let peers = format!("<peer><id>{id}</id><key>{key}</key></peer><peer><id>y</id><key>fine</key></peer>");
    let made = make_between(OLD, DAEMON, &format!("<old><release>1</release>{peers}</old>"), crossing);
    let rows: Vec<String> = made.rows.iter().map(shown).filter(|row| row.starts_with("peer")).collect();
    let others = [
        "peer[y] carried filter/y",
        "peer[y]/id carried filter/y",
        "peer[y]/key carried filter/y/body=\"fine\"",
    ];
    assert_eq!(rows, [expected, &others].concat(), "{:#?}\n{}", made.findings, made.result);
    assert!(made.result.contains("filter y {fine}"), "{}", made.result);
}
