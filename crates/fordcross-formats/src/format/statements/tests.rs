//! What is read is written again, by grammars of each kind.

use super::words::holds_value;
use super::*;
use crate::format::codec::Codec;
use crate::text::source::Source;
use crate::tree::{Kind, NodeId, Tree};
use proptest::prelude::*;
use rstest::rstest;

fn statement(shape: &str, path: &str, marks: &[char]) -> Statement {
    let step = |step: &str| match step.strip_prefix('{').and_then(|step| step.strip_suffix('}')) {
        Some(name) => PathPart::Capture(name.into()),
        None => PathPart::Name(step.into()),
    };
    Statement {
        shape: StatementShape::parse(shape, marks).expect("a shape"),
        path: path.split('/').map(step).collect(),
        within: Vec::new(),
        opens: false,
        body_until: None,
        value: None,
        unquote: None,
        includes: None,
        inside: None,
    }
}

fn within(block: &str, statement: Statement) -> Statement {
    Statement { within: vec![block.into()], ..statement }
}

fn opening(statement: Statement) -> Statement {
    Statement { opens: true, ..statement }
}

fn braces() -> Grammar {
    let marks = ['='];
    Grammar {
        quotes: vec!['"'],
        escape: Escape::Backslash,
        trailing_comments: true,
        end: Some(';'),
        end_needed: true,
        nesting: Nesting::Braces,
        marks: marks.into(),
        statements: vec![
            opening(statement("zone {name} (of {kind})? {tag+}", "zone", &marks)),
            opening(statement("zone {name} (of {kind})?", "zone", &marks)),
            within("*", statement("{key} = {value...}", "{key}", &marks)),
        ],
        ..Grammar::default()
    }
}

fn rows() -> Grammar {
    Grammar {
        keeps_quotes: true,
        quotes: vec!['"'],
        marks: vec!['='],
        statements: vec![
            statement(
                "local {db+,} {user+,} {method} ({options.key}={options.value})+?",
                "rule",
                &['='],
            ),
            statement(
                "{type} {db+,} {user+,} {address} {method} ({options.key}={options.value})+?",
                "rule",
                &['='],
            ),
            statement("{type} {db+,} {user+,} {address} {mask} {method}", "rule", &['=']),
        ],
        ..Grammar::default()
    }
}

fn stanzas() -> Grammar {
    Grammar {
        continues: Some('\\'),
        nesting: Nesting::UntilNext,
        indent: "    ".into(),
        statements: vec![
            statement("auto {name+}", "auto", &[]),
            opening(statement("iface {name} {family=inet|inet6} {method}", "iface", &[])),
            within("iface", statement("{key} {value...}", "{key}", &[])),
        ],
        ..Grammar::default()
    }
}

/// Blocks below branches that several share, and words that can be in one of two places.
fn shared() -> Grammar {
    let blocks = ["inet", "inet6", "any"].map(str::to_owned);
    let anywhere = |statement| Statement { within: blocks.to_vec(), ..statement };
    Grammar {
        nesting: Nesting::UntilNext,
        statements: vec![
            opening(statement("iface {name} {family=inet|inet6} {method}", "iface/{name}/{family}", &[])),
            opening(statement("iface {name} like {other}", "iface/{name}/any", &[])),
            anywhere(statement("route {to} (dev {dev})? {dev}?", "route", &[])),
            anywhere(statement("{key} {value...}", "{key}", &[])),
        ],
        ..Grammar::default()
    }
}

fn script() -> Grammar {
    let no = Statement { value: Some("no".into()), ..statement("no ramp {n} {key}", "ramp/{n}/{key}", &[]) };
    let body = Statement { body_until: Some("END".into()), ..statement("notice <<END", "notice", &[]) };
    Grammar {
        quotes: vec!['\''],
        escape: Escape::Doubled,
        statements: vec![no, statement("ramp {n} {key} {value}", "ramp/{n}/{key}", &[]), body],
        ..Grammar::default()
    }
}

/// Keys with values, some of which are pairs, and commands of which some words say nothing.
fn commands() -> Grammar {
    let marks = ['='];
    let pairs = Grammar {
        comments: Vec::new(),
        marks: marks.into(),
        quotes: vec!['\''],
        escape: Escape::Backslash,
        ..Grammar::default()
    };
    let inside = Inside {
        of: "parts".into(),
        shape: StatementShape::parse("({pair.key}={pair.value})+?", &marks).expect("a shape"),
        grammar: pairs,
    };
    Grammar {
        marks: marks.into(),
        quotes: vec!['\''],
        escape: Escape::Both,
        plain: "_-./:".into(),
        statements: vec![
            Statement { inside: Some(inside), ..statement("link (=)? {parts}", "link", &marks) },
            statement("link (=)? {value}", "link-text", &marks),
            statement("(ip|*/ip) route add {to} ({with.key=via|dev} {with.value})+?", "route", &marks),
            Statement { unquote: Some('"'), ..statement("phrase {value...}", "phrase", &marks) },
            statement("{key=*.*} (=)? {value}", "own/{key}", &marks),
            statement("{key} (=)? {value}", "{key}", &marks),
        ],
        ..Grammar::default()
    }
}

fn indented() -> Grammar {
    Grammar {
        nesting: Nesting::Indent,
        statements: vec![
            opening(statement("port {name}", "port", &[])),
            opening(within("port", statement("vlan {id}", "vlan", &[]))),
            within("*", statement("{key} {value...}", "{key}", &[])),
        ],
        ..Grammar::default()
    }
}

fn closed() -> Grammar {
    Grammar { nesting: Nesting::Words("end".into()), ..indented() }
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
    let leaf = |node: &NodeId| tree.kind(*node).is_value() || tree.kind(*node) == Kind::Comment;
    tree.ids().skip(1).filter(leaf).map(|node| format!("{}={}", path(node), tree.value(node))).collect()
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
#[case(braces(), "other thing { deep { x = 1; } }", &["other/words=thing", "other/deep/x=1"])]
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
    &["ramp/1/a=x 'y", "ramp/1/b=no", "ramp/2/a=1", "notice/body={ # }"])]
#[case(indented(), "port p1\n  mtu 9000\n  vlan 7\n    note a b\n  speed 1G\nname x\n",
    &["port/name=p1", "port/mtu=9000", "port/vlan/id=7", "port/vlan/note=a b", "port/speed=1G", "name=x"])]
#[case(closed(), "port p1\nvlan 7\nnote a\nend\nmtu 1\nend\n", &["port/name=p1", "port/vlan/id=7", "port/vlan/note=a", "port/mtu=1"])]
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
#[case(braces(), "{ }", "1:1 the block has no name")]
#[case(closed(), "end", "1:1 `end` closes nothing")]
#[case(closed(), "\nport p1\n", "2:1 the block is not closed")]
#[case(script(), "notice <<END\nx\n", "1:1 the text after it is not ended by `END`")]
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
    fn any_text_is_read_or_refused(text in "(zone |a |iface |inet |ramp |END|end|auto |=|;|\\{|\\}|\"|'|\\\\|#|,|\n|  |x|é){0,40}") {
        for grammar in [braces(), rows(), stanzas(), shared(), script(), indented(), closed()] {
            let Ok(read_once) = read(&text, &grammar) else { continue };
            // What it has no way to write is left to a person, and never comes here.
            let held = |leaf: &String| {
                // Both can have `=` in them: a name ends at the last one, at most.
                let value = leaf.split_once('=').unwrap_or_default().1;
                let name = leaf.rsplit_once('=').unwrap_or_default().0;
                holds_value(&grammar, value) && !name.contains(['#', '\\'])
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
    fn any_value_is_written_so_that_it_reads_back(value in "[a-c ;=#\"'\\\\,{}é.]{0,12}") {
        for (grammar, path) in [(braces(), "k"), (script(), "ramp/1/k")] {
            prop_assume!(holds_value(&grammar, &value));
            let mut tree = Tree::new(Source::new("a", ""));
            let mut at = tree.push(NodeId::DOCUMENT, Kind::Map, "", crate::text::source::Span::default());
            let steps: Vec<&str> = path.split('/').collect();
            for (index, step) in steps.iter().enumerate() {
                let kind = if index + 1 == steps.len() { Kind::Text } else { Kind::Map };
                at = tree.push(at, kind, step, crate::text::source::Span::default());
            }
            tree.set_value(at, crate::tree::Text::Decoded(&value));
            let mut out = Vec::new();
            grammar.write(&tree, tree.root(), &mut out);
            let text = String::from_utf8(out).expect("UTF-8");
            prop_assert_eq!(read(&text, &grammar), Ok(vec![format!("{path}={value}")]), "{}", text);
        }
    }
}
