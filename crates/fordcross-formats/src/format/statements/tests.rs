//! What is read is written again, by grammars of each kind.

use super::words::{holds_body, holds_value};
use super::*;
use crate::declaration::{Report, Section};
use crate::finding::Finding;
use crate::format::codec::Codec;
use crate::text::source::{Source, Span};
use crate::tree::{Kind, NodeId, Tree};
use proptest::prelude::*;
use rstest::rstest;

/// What a profile declares of statements.
fn declared(text: &str) -> Result<Grammar, String> {
    let report = Report::new(Source::new("p", text));
    let table = report.parse();
    let root = Section::new(&report, table.get_ref(), Span::default());
    let types = PairTypes::read(&root);
    let grammar = declare::declared(&root, &types);
    let said = |finding: &Finding| {
        let at = finding.location.as_ref().map_or(0, |place| place.at.line);
        format!("{at}: {}", finding.message())
    };
    let findings = report.into_findings();
    if findings.is_empty() {
        Ok(grammar)
    } else {
        Err(findings.iter().map(said).collect::<Vec<_>>().join("\n"))
    }
}

#[track_caller]
fn grammar(text: &str) -> Grammar {
    declared(text).unwrap_or_else(|reported| panic!("{reported}"))
}

fn braces() -> Grammar {
    grammar(
        r#"
        [grammar]
        quotes      = ['"']
        escape      = "backslash"
        end         = ";"
        punctuation = ["="]
        [block.top]
        unknown    = "setting"
        statements = [
          ["zone {name} (of {kind})? {tag+}", "zone", "inner"],
          ["zone {name} (of {kind})?", "zone", "inner"],
          "options",
        ]
        [block.options]
        statements = [["{key} = {value...}", "{key}"]]
        [block.inner]
        delimiters = ["{", "}"]
        unknown    = "setting"
        statements = ["options"]
        "#,
    )
}

fn rows() -> Grammar {
    grammar(
        r#"
        [grammar]
        trailing-comments = false
        quotes            = ['"']
        quotes-matter     = true
        punctuation       = ["="]
        [block.top]
        unknown    = "setting"
        statements = [
          ["local {db+,} {user+,} {method} ({options.key}={options.value})+?", "rule"],
          ["{type} {db+,} {user+,} {address} {method} ({options.key}={options.value})+?", "rule"],
          ["{type} {db+,} {user+,} {address} {mask} {method}", "rule"],
        ]
        "#,
    )
}

fn stanzas() -> Grammar {
    grammar(
        r#"
        [grammar]
        trailing-comments = false
        continuation      = '\'
        indent            = "    "
        [block.top]
        unknown    = "setting"
        statements = [["auto {name+}", "auto"], ["iface {name} {family=inet|inet6} {method}", "iface", "stanza"]]
        [block.stanza]
        delimiters = "next-section"
        unknown    = "setting"
        statements = [["{key} {value...}", "{key}"]]
        "#,
    )
}

/// Blocks below branches that several share, and words that can be in one of two places.
fn shared() -> Grammar {
    grammar(
        r#"
        [grammar]
        trailing-comments = false
        [block.top]
        unknown    = "setting"
        statements = [
          ["iface {name} {family=inet|inet6} {method}", "iface/{name}/{family}", "stanza"],
          ["iface {name} like {other}", "iface/{name}/any", "stanza"],
        ]
        [block.stanza]
        delimiters = "next-section"
        unknown    = "setting"
        statements = [["route {to} (dev {dev})? {dev}?", "route"], ["{key} {value...}", "{key}"]]
        "#,
    )
}

fn script() -> Grammar {
    grammar(
        r#"
        [grammar]
        trailing-comments = false
        quotes            = ["'"]
        escape            = "doubled"
        [block.top]
        unknown    = "setting"
        statements = [
          ["no ramp {n} {key}", "ramp/{n}/{key} = no"],
          ["ramp {n} {key} {value}", "ramp/{n}/{key}"],
          ["notice", "notice", "lines"],
        ]
        [block.lines]
        delimiters = ["<<{tag}", "{tag}"]
        holds      = "text"
        "#,
    )
}

/// Keys with values, some of which are pairs, and commands of which some words say nothing.
fn commands() -> Grammar {
    grammar(
        r#"
        [type]
        parts = { type = "pairs", pair = "{name}={value}", punctuation = ["="], quotes = ["'"], escape = "backslash" }
        [grammar]
        trailing-comments = false
        punctuation       = ["="]
        quotes            = ["'"]
        escape            = "both"
        word-characters   = "_-./:"
        [block.top]
        unknown    = "setting"
        statements = [
          ["link (=)? {parts:parts}", "link"],
          ["link (=)? {value}", "link-text"],
          ["(ip|*/ip) route add {to} ({with.key=via|dev} {with.value})+?", "route"],
          { shape = "phrase {value...}", at = "phrase", unquote = '"' },
          ["{key=*.*} (=)? {value}", "own/{key}"],
          ["{key} (=)? {value}", "{key}"],
        ]
        "#,
    )
}

const INDENTED: &str = r#"
    [grammar]
    trailing-comments = false
    [block.top]
    statements = [["port {name}", "port", "port"], "options"]
    [block.options]
    statements = [["{key} {value...}", "{key}"]]
    [block.port]
    delimiters = "indent"
    statements = [["vlan {id}", "vlan", "vlan"], "options"]
    [block.vlan]
    delimiters = "indent"
    statements = ["options"]
    "#;

fn indented() -> Grammar {
    grammar(INDENTED)
}

fn closed() -> Grammar {
    grammar(&INDENTED.replace("\"indent\"", "[\"\", \"end\"]"))
}

/// Code in braces, heads of it with what ends statements elsewhere, comments in pairs, blocks with an end of their own, and
/// what nobody knows.
fn daemon() -> Grammar {
    grammar(
        r##"
        [grammar]
        comments      = ["#", ["/*", "*/"]]
        quotes        = ['"']
        quotes-matter = true
        end           = ";"
        [block.top]
        statements = [
          ["protocol {type} {name}? (from {from})?", "protocol", "protocol"],
          ["filter {name}", "filter/{name}", "code"],
          ["function {head...}", "function", "code"],
          ["log {to...}", "log-file", "part"],
          ["log {value...}", "log"],
          ["disabled {value}?", "disabled"],
        ]
        [block.protocol]
        delimiters = ["{", "}"]
        unknown    = "refuse"
        statements = [
          ["{dir=import|export} limit {value}", "limit/{dir}"],
          ["interface {name+,}", "interface", "part"],
          ["interface {name+,}", "interface"],
          ["start|connect delay {value}", "delay"],
          ["{dir=import|export} filter {value}", "{dir}-filter"],
        ]
        [block.part]
        delimiters = ["{", "};"]
        statements = ["protocol"]
        [block.code]
        delimiters = ["{", "}"]
        holds      = "text"
        "##,
    )
}

/// Words that open, and statements that end with a line or with a sign.
fn either() -> Grammar {
    grammar(
        r#"
        [grammar]
        end = ["line", ";"]
        [block.top]
        statements = [["site {name}", "site", "site"], ["{key} {value}", "{key}"]]
        [block.site]
        delimiters = ["begin", "end"]
        statements = [["{key} {value}", "{key}"], ["site {name}", "site", "site"]]
        "#,
    )
}

/// Sections in sections, freely named, with code in some of them, and expansions.
fn sections() -> Grammar {
    grammar(
        r#"
        [grammar]
        trailing-comments = "after-blank"
        continuation      = "\\"
        expansions        = [["${", "}"], ["%{", "}"]]
        quotes            = ['"']
        escape            = "backslash"
        quotes-matter     = true
        [block.top]
        statements = [["server {name}", "server/{name}", "server"], "section"]
        [block.section]
        delimiters = ["{", "}"]
        statements = [
          ["{key} = {value...}", "{key}"],
          ["{type} {name}", "{type}:{name}", "section"],
          ["{type}", "{type}", "section"],
        ]
        [block.server]
        delimiters = ["{", "}"]
        statements = [["{part=before|after}", "{part}", "code"], "section"]
        [block.code]
        delimiters = ["{", "}"]
        holds      = "text"
        "#,
    )
}

/// Blocks that all end with a sign, some of them lists of bare words.
fn ended() -> Grammar {
    grammar(
        r#"
        [grammar]
        end           = ";"
        quotes        = ['"']
        quotes-matter = true
        [block.top]
        statements = [["zone {name}", "zone/{name}", "scope"], ["{key}", "{key}", "list"], ["{key} {value...}", "{key}"]]
        [block.scope]
        delimiters = ["{", "};"]
        statements = ["top"]
        [block.list]
        delimiters = ["{", "};"]
        statements = [["{value...}", "entry"]]
        "#,
    )
}

fn read(text: &str, grammar: &Grammar) -> Result<Vec<String>, String> {
    let tree = grammar.read(Source::new("a", text)).map_err(|finding| {
        let at = finding.location.as_ref().expect("a place").at;
        format!("{}:{} {}", at.line, at.column, finding.message())
    })?;
    Ok(shown(&tree))
}

/// Each value with its path.
fn shown(tree: &Tree<'_>) -> Vec<String> {
    let path = |mut node: NodeId| {
        let mut names = Vec::new();
        while node != tree.root() {
            names.push(tree.name(node));
            node = tree.parent(node);
        }
        names.reverse();
        names.join("/")
    };
    let show = |node| match tree.kind(node) {
        kind if kind.is_value() || kind == Kind::Comment => {
            Some(format!("{}={}", path(node), tree.value(node)))
        }
        _ => tree.first_child(node).is_none().then(|| format!("{}/", path(node))),
    };
    tree.ids().skip(2).filter_map(show).collect()
}

fn rewritten(text: &str, grammar: &Grammar) -> String {
    let tree = grammar.read(Source::new("a", text)).unwrap_or_else(|finding| panic!("{finding:?}\n{text}"));
    let mut out = Vec::new();
    grammar.write(&tree, tree.root(), &mut out);
    String::from_utf8(out).expect("UTF-8")
}

#[rstest]
#[case(braces(), "zone quay of wet north south {a = 1; b = x  y; } c = \"d;\\\"e\"; # said\n",
    &["zone/name=quay", "zone/kind=wet", "zone/tag=north", "zone/tag=south", "zone/a=1", "zone/b=x  y", "c=d;\"e", "=# said"])]
#[case(braces(), "other thing { deep { x = 1; } }", &["other/words=thing", "other/deep/x== 1"])]
#[case(rows(), "local all \"a b\",c trust\nhost all all 192.0.2.0 255.255.255.0 md5\nhostssl all all 2001:db8::/32 cert clientcert=1 map = m\n",
    &["rule/db=all", "rule/user=\"a b\"", "rule/user=c", "rule/method=trust", "rule/type=host", "rule/db=all", "rule/user=all",
      "rule/address=192.0.2.0", "rule/mask=255.255.255.0", "rule/method=md5", "rule/type=hostssl", "rule/db=all", "rule/user=all",
      "rule/address=2001:db8::/32", "rule/method=cert", "rule/options/clientcert=1", "rule/options/map=m"])]
#[case(stanzas(), "auto lo p1\n\niface p1 inet static\n  address 192.0.2.9 \\\n    /24\n  up ip route add 'x' # y\niface p2 inet6 auto",
    &["auto/name=lo", "auto/name=p1", "iface/name=p1", "iface/family=inet", "iface/method=static", "iface/address=192.0.2.9 /24",
      "iface/up=ip route add 'x' # y", "iface/name=p2", "iface/family=inet6", "iface/method=auto"])]
#[case(rows(), "local a, b,c d trust\n", &["rule/db=a", "rule/db=b", "rule/db=c", "rule/user=d", "rule/method=trust"])]
#[case(stanzas(), "# of p1\niface p1 inet static\n  # of mtu\n  mtu 9\n# of p2\niface p2 inet6 auto\n# the end\n",
    &["=# of p1", "iface/name=p1", "iface/family=inet", "iface/method=static", "iface/=# of mtu", "iface/mtu=9", "=# of p2",
      "iface/name=p2", "iface/family=inet6", "iface/method=auto", "=# the end"])]
#[case(shared(), "iface p1 inet static\n  name x\n  route a b\n  route c dev d\niface p1 inet6 auto\niface p2 like p1\n  mtu 9\n",
    &["iface/p1/inet/method=static", "iface/p1/inet/name=x", "iface/p1/inet/route/to=a", "iface/p1/inet/route/dev=b",
      "iface/p1/inet/route/to=c", "iface/p1/inet/route/dev=d", "iface/p1/inet6/method=auto", "iface/p2/any/other=p1", "iface/p2/any/mtu=9"])]
#[case(commands(), "link = 'host=a  word=''it\\\\''s so'' n = 7'\nsize 5\nmore.size = x\n",
    &["link/host=a", "link/word=it's so", "link/n=7", "size=5", "own/more.size=x"])]
#[case(commands(), "link 'store://a:b@c?d=e'\n", &["link-text=store://a:b@c?d=e"])]
#[case(commands(), "/sbin/ip route add 192.0.2.0/24 via 192.0.2.1 dev p1\nip route add 192.0.2.0/24 onlink\n",
    &["route/to=192.0.2.0/24", "route/with/via=192.0.2.1", "route/with/dev=p1", "ip=route add 192.0.2.0/24 onlink"])]
#[case(script(), "ramp 1 a 'x ''y'\nramp 2 a 1\nno ramp 1 b\nnotice <<END\n{ # }\nEND\n",
    &["ramp/1/a=x 'y", "ramp/1/b=no", "ramp/2/a=1", "notice/tag=END", "notice/body={ # }\n"])]
#[case(indented(), "port p1\n  mtu 9000\n  vlan 7\n    note a b\n  speed 1G\nname x\n",
    &["port/name=p1", "port/mtu=9000", "port/vlan/id=7", "port/vlan/note=a b", "port/speed=1G", "name=x"])]
#[case(closed(), "port p1\nvlan 7\nnote a\nend\nmtu 1\nend\n", &["port/name=p1", "port/vlan/id=7", "port/vlan/note=a", "port/mtu=1"])]
#[case(daemon(), "/* head */ protocol bgp {\n  import limit 5; interface a, \"b c\" { start delay 3; };\n  interface d;\n}\n",
    &["=/* head */", "protocol/type=bgp", "protocol/limit/import=5", "protocol/interface/name=a", "protocol/interface/name=\"b c\"",
      "protocol/interface/delay=3", "protocol/interface/name=d"])]
#[case(daemon(), "function f(int a) int x; { if a then { # }\n x = \"}\"; }\n}\nfilter g {}\n",
    &["function/head=f(int a) int x;", "function/body= if a then { # }\n x = \"}\"; }\n", "filter/g/body="])]
#[case(daemon(), "log \"x\" { interface q; };\nlog syslog /* all */ all;\ndisabled;\n",
    &["log-file/to=\"x\"", "log-file/interface/name=q", "log=syslog /* all */ all", "disabled="])]
#[case(daemon(), "log all;\nfilter g { x; }\n", &["log=all", "filter/g/body= x; "])]
#[case(daemon(), "debug all { x; };\nwatch 5;\n", &["unknown=debug all { x; };", "unknown=watch 5"])]
#[case(either(), "site a begin\nx 1; y 2\nsite b begin\nend\nend\nz 3 # said\n",
    &["site/name=a", "site/x=1", "site/y=2", "site/site/name=b", "z=3", "=# said"])]
#[case(sections(), "dir = ${root}/x${a[b c]}y # said\nu = http://x/#y\nrealm LOCAL {\n}\n",
    &["dir=${root}/x${a[b c]}y", "=# said", "u=http://x/#y", "realm:LOCAL/"])]
#[case(sections(), "server a {\n listen {\n k = %{%{a}:-%{b}} }\n listen {\n }\n before {\n if (x =~ /([^#]*)#{2}/) {\n y } else { z }\n }\n}\nserver b {\n after { }\n}\n",
    &["server/a/listen/k=%{%{a}:-%{b}}", "server/a/listen/", "server/a/before/body=\n if (x =~ /([^#]*)#{2}/) {\n y } else { z }\n ", "server/b/after/body= "])]
#[case(sections(), "m {\n if (x == 1) { y } else { z } # said\n if (a =~ /x{12}(..)/) {\n b\n }\n}\n",
    &["m/unknown=if (x == 1) { y } else { z }", "m/=# said", "m/unknown=if (a =~ /x{12}(..)/) {\n b\n }"])]
#[case(ended(), "inet a { b; } keys { c; };\nzone \"q\" { type x; also { !d; e f; }; };\n",
    &["unknown=inet a { b; } keys { c; };", "zone/\"q\"/type=x", "zone/\"q\"/also/entry=!d", "zone/\"q\"/also/entry=e f"])]
fn reads(#[case] grammar: Grammar, #[case] text: &str, #[case] expected: &[&str]) {
    assert_eq!(read(text, &grammar).expect("well-formed"), expected);
    // What is written from it reads back to the same.
    let again = rewritten(text, &grammar);
    assert_eq!(read(&again, &grammar).expect("well-formed"), expected, "{again}");
    assert_eq!(rewritten(&again, &grammar), again, "our own way of writing stays");
}

#[rstest]
#[case(braces(), "a = 1; }", "1:8 `}` closes nothing")]
#[case(braces(), "zone a { b = 1;", "1:1 the block is not closed")]
#[case(braces(), "a = 1\n", "1:1 the statement does not end with `;`")]
#[case(braces(), "a = \"b;\n", "1:5 the quotes are not closed")]
#[case(braces(), "a = \"\\303\";\n", "1:5 the bytes that are escaped in the quotes are no text in UTF-8")]
#[case(braces(), "{ }", "1:1 the block has no name")]
#[case(closed(), "end", "1:1 `end` closes nothing")]
#[case(closed(), "\nport p1\n", "2:1 the block is not closed")]
#[case(script(), "notice <<END\nx\n", "1:1 the text after it is not ended by `END`")]
#[case(daemon(), "log \"x\" { }", "1:11 `;` is missing behind the block")]
#[case(daemon(), "protocol a { speed 5; }", "1:14 the platform has no such statement")]
#[case(daemon(), "/* a", "1:1 the comment is not ended by `*/`")]
#[case(daemon(), "filter g { \"}\" ", "1:1 the block is not closed")]
#[case(either(), "end", "1:1 `end` closes nothing")]
#[case(sections(), "a = x${y\nb = }\n", "1:6 `${` is not closed by `}`")]
fn refuses(#[case] grammar: Grammar, #[case] text: &str, #[case] reported: &str) {
    assert_eq!(read(text, &grammar).expect_err("refused"), reported);
}

#[test]
fn blocks_are_nested_only_so_deep() {
    let reported = read(&"zone a {".repeat(100_000), &braces()).expect_err("refused");
    assert!(reported.contains("deeper than 512 levels"), "{reported}");
}

proptest! {
    /// No text makes it panic, and what is read is written so that it reads back to the same.
    #[test]
    fn any_text_is_read_or_refused(text in "(zone |a |iface |inet |ramp |notice <<|protocol |filter |log |server |before |\\$\\{|/\\*|\\*/|site |begin|END|end|auto |=|;|\\{|\\}|\"|'|\\\\|#|,|\n|  |x|é){0,40}") {
        for grammar in [braces(), rows(), stanzas(), shared(), script(), indented(), closed(), daemon(), either(), sections(), ended()] {
            let Ok(read_once) = read(&text, &grammar) else { continue };
            // What it has no way to write is left to a person, and never comes here.
            let held = |leaf: &String| {
                // Both can have `=` in them: a name ends at the last one, at most.
                let value = leaf.split_once('=').unwrap_or_default().1;
                let name = leaf.rsplit_once('=').unwrap_or_default().0;
                let is_body = name.ends_with(BODY) && holds_body(&grammar, value);
                is_body || name == UNKNOWN || holds_value(&grammar, value) && !name.contains(['#', '\\'])
            };
            if !read_once.iter().filter(|leaf| !leaf.starts_with("=#")).all(held) {
                continue;
            }
            let again = rewritten(&text, &grammar);
            prop_assert_eq!(read(&again, &grammar), Ok(read_once), "{:?}\n{}", text, again);
        }
    }

    /// Any value that the grammar holds comes back as it was.
    #[test]
    fn any_value_is_written_so_that_it_reads_back(value in "[a-c ;=#$\"'\\\\,{}é.]{0,12}") {
        for (grammar, path) in [(braces(), "k"), (script(), "ramp/1/k"), (sections(), "k")] {
            if !holds_value(&grammar, &value) {
                continue;
            }
            let mut tree = Tree::new(Source::new("a", ""));
            let mut at = tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::default());
            let steps: Vec<&str> = path.split('/').collect();
            for (index, step) in steps.iter().enumerate() {
                let kind = if index + 1 == steps.len() { Kind::Text } else { Kind::Map };
                at = tree.push(at, kind, step, Span::default());
            }
            tree.set_value(at, crate::tree::Text::Decoded(&value));
            let mut out = Vec::new();
            grammar.write(&tree, tree.root(), &mut out);
            let text = String::from_utf8(out).expect("UTF-8");
            prop_assert_eq!(read(&text, &grammar), Ok(vec![format!("{path}={value}")]), "{}", text);
        }
    }
}

const TOP: &str = "[block.top]\nstatements = [[\"{a} {value}\", \"{a}\"]]\n";

/// What means nothing is refused, each with a sentence of its own.
#[rstest]
#[case("[grammar]\nend = ';'\ncontinuation = '+'\n", "lines mean nothing here")]
#[case("[grammar]\nescape = 'doubled'\n", "`escape` means nothing without `quotes`")]
#[case("[grammar]\nquotes-matter = true\n", "`quotes-matter` means nothing without `quotes`")]
#[case("[grammar]\npunctuation = ['=']\nword-characters = '-='\n", "`=` is punctuation")]
#[case("[grammar]\ncomments = [['/*']]\n", "expected what a comment begins with")]
#[case("[grammar]\ntrailing-comments = 'after'\n", "expected `true`, `false` or `\"after-blank\"`")]
#[case("[grammar]\nexpansions = [['{', '}']]\n", "expected a list of what expansions begin and end with")]
#[case("[grammar]\nexpansions = '${'\n", "expected a list of what expansions begin and end with")]
#[case(
    "[block.x]\ndelimiters = ['{', '}']\nholds = 'text'\nstatements = []\n",
    "a block that holds text has no statements"
)]
#[case("[block.x]\ndelimiters = 'indent'\nholds = 'text'\n", "needs something that closes it")]
#[case("[block.x]\ndelimiters = ['', '']\n", "nothing closes the block")]
#[case("[block.x]\ndelimiters = ['a']\n", "expected how the block opens and closes")]
#[case("[block.x]\nstatements = []\n", "no statement opens the block `x`")]
#[case(
    "[block.top]\nstatements = [['{b} x', 'b', 'x']]\n[block.x]\nstatements = []\n",
    "how the block `x` opens"
)]
#[case("[block.top]\nstatements = ['no']\n", "there is no block `no`")]
#[case("[block.top]\nstatements = [['{a...} b', 'a']]\n", "can only be at the end")]
#[case("[block.top]\nstatements = [['{a+=x|y}', 'a']]\n", "a list of words cannot be one of some words")]
#[case("[block.top]\nstatements = [['{a}:{b}', 'a']]\n", "`:` is part of the word")]
#[case("[grammar]\nend = ';'\n[block.top]\nstatements = [['a `;` {value}', 'a']]\n", "`;` ends statements")]
#[case("[block.top]\nstatements = [['{a} {value}', 'x']]\n", "the capture `a` has no place")]
#[case("[block.top]\nstatements = [['{a}', '{b}']]\n", "the shape has no capture `b`")]
#[case(
    "[block.top]\nstatements = [['{a} {b...}', 'x'], ['c {d}', 'y']]\n",
    "the statement in line 2 always fits first"
)]
#[case("[block.top]\nstatements = [['{a:port} b', 'x']]\n", "`port` is not a type of pairs")]
#[case("[block.top]\nstatements = [['a', 'x'], ['a b', '@c']]\n", "one path of names and captures")]
#[case(
    "[block.top]\nstatements = [['a {value}', 'x', 'y']]\n[block.y]\ndelimiters = 'indent'\n",
    "makes a value opens no block"
)]
#[case("[block.top]\ndelimiters = ['{', '}']\n", "`top` is where a file begins")]
fn what_means_nothing_is_refused(#[case] text: &str, #[case] expected: &str) {
    let whole = if text.contains("[block.top]") { text.to_owned() } else { format!("{text}{TOP}") };
    let reported = declared(&whole).expect_err("refused");
    assert!(reported.contains(expected), "{reported}");
}
