//! The parser held to the grammar in the reference, and to examples.

use super::{Clause, Detail, Path, Text};
use proptest::prelude::*;
use rstest::rstest;
use std::collections::{BTreeMap, BTreeSet};

/// A production of the grammar.
#[derive(Clone, Debug)]
enum Node {
    Literal(String),
    Not(String),
    Named(String),
    Sequence(Vec<Node>),
    Choice(Vec<Node>),
    Optional(Box<Node>),
    Repeated(Box<Node>),
}

type Ends = BTreeSet<usize>;

/// The grammar that the reference prints, as it stands there.
struct Grammar(BTreeMap<String, Node>);

impl Grammar {
    fn of_the_reference() -> Self {
        let page = include_str!("../../../../docs/language.md");
        let text =
            page.split("```ebnf\n").nth(1).and_then(|rest| rest.split("```").next()).expect("a grammar");
        let tokens = tokens(text);
        let mut productions = BTreeMap::new();
        let mut at = 0;
        while at < tokens.len() {
            assert_eq!(tokens[at + 1], "=", "after {}", tokens[at]);
            let name = tokens[at].clone();
            at += 2;
            let node = choice(&tokens, &mut at);
            assert_eq!(tokens[at], ";", "after {name}");
            at += 1;
            assert!(productions.insert(name.clone(), node).is_none(), "{name} twice");
        }
        Self(productions)
    }

    fn accepts(&self, production: &str, text: &str) -> bool {
        self.ends(&Node::Named(production.to_owned()), text, 0).contains(&text.len())
    }

    /// Where a production can end that begins at a place: all of them.
    fn ends(&self, node: &Node, text: &str, at: usize) -> Ends {
        let next = text[at..].chars().next();
        let one = |fits: bool| next.filter(|_| fits).map(|c| at + c.len_utf8()).into_iter().collect();
        match node {
            Node::Literal(literal) => {
                text[at..].starts_with(literal.as_str()).then_some(at + literal.len()).into_iter().collect()
            }
            Node::Not(signs) => one(next.is_some_and(|c| !signs.contains(c))),
            Node::Named(name) => match name.as_str() {
                "letter" => one(next.is_some_and(|c| c.is_ascii_alphabetic())),
                "digit" => one(next.is_some_and(|c| c.is_ascii_digit())),
                "blank" => one(next.is_some_and(|c| " \n".contains(c))),
                name => {
                    self.ends(self.0.get(name).unwrap_or_else(|| panic!("no production {name}")), text, at)
                }
            },
            Node::Choice(nodes) => nodes.iter().flat_map(|node| self.ends(node, text, at)).collect(),
            Node::Sequence(nodes) => nodes.iter().fold(Ends::from([at]), |ends, node| {
                ends.into_iter().flat_map(|at| self.ends(node, text, at)).collect()
            }),
            Node::Optional(node) => [at].into_iter().chain(self.ends(node, text, at)).collect(),
            Node::Repeated(node) => {
                let mut all = Ends::from([at]);
                let mut open = vec![at];
                while let Some(at) = open.pop() {
                    open.extend(self.ends(node, text, at).into_iter().filter(|&end| all.insert(end)));
                }
                all
            }
        }
    }
}

fn tokens(text: &str) -> Vec<String> {
    let mut tokens = Vec::new();
    let mut rest = text.trim_start();
    while let Some(c) = rest.chars().next() {
        let length = match c {
            '"' | '\'' => rest[1..].find(c).expect("a closed quote") + 2,
            '?' => {
                // A question mark may be one of its characters.
                let ends = |&(at, _): &(usize, &str)| {
                    rest[at + 2..].trim_start().starts_with([';', '|', ')', ']', '}'])
                };
                rest.match_indices(" ?").find(ends).expect("a closed special sequence").0 + 2
            }
            c if c.is_alphabetic() => rest.find(|c: char| !c.is_alphabetic()).unwrap_or(rest.len()),
            _ => 1,
        };
        tokens.push(rest[..length].to_owned());
        rest = rest[length..].trim_start();
    }
    tokens
}

fn choice(tokens: &[String], at: &mut usize) -> Node {
    let mut nodes = vec![sequence(tokens, at)];
    while tokens[*at] == "|" {
        *at += 1;
        nodes.push(sequence(tokens, at));
    }
    Node::Choice(nodes)
}

fn sequence(tokens: &[String], at: &mut usize) -> Node {
    let mut nodes = Vec::new();
    loop {
        let token = tokens[*at].as_str();
        let close = match token {
            "|" | ")" | "]" | "}" | ";" => return Node::Sequence(nodes),
            "(" => ")",
            "[" => "]",
            "{" => "}",
            _ => "",
        };
        *at += 1;
        if !close.is_empty() {
            let inner = choice(tokens, at);
            assert_eq!(tokens[*at], close);
            *at += 1;
            nodes.push(match token {
                "[" => Node::Optional(inner.into()),
                "{" => Node::Repeated(inner.into()),
                _ => inner,
            });
            continue;
        }
        nodes.push(match token.chars().next() {
            Some('"' | '\'') => Node::Literal(token[1..token.len() - 1].to_owned()),
            Some('?') => {
                let signs = token[1..token.len() - 1]
                    .trim()
                    .strip_prefix("any character but ")
                    .expect("what is said of characters");
                let (signs, blank) =
                    signs.strip_suffix("or a blank").map_or((signs, ""), |signs| (signs, " \n"));
                Node::Not(signs.replace(' ', "") + blank)
            }
            _ => Node::Named(token.to_owned()),
        });
    }
}

fn parses(production: &str, text: &str) -> bool {
    match production {
        "text" => Text::parse(text).is_ok(),
        "path" => Path::parse(text).is_ok(),
        _ => Clause::parse_side(text).is_ok(),
    }
}

fn check(grammar: &Grammar, production: &str, text: &str) {
    assert_eq!(parses(production, text), grammar.accepts(production, text), "{production}: {text:?}");
}

/// Pieces that the notation is made of, and some that disturb it.
const PIECES: [&str; 58] = [
    "a",
    "b",
    "x-y",
    "2",
    " ",
    "\n",
    ",",
    ":",
    "=",
    ">=",
    ">",
    ".",
    "..",
    "../",
    "/",
    "//",
    "*",
    "**",
    "|",
    "?",
    "+",
    "&",
    "@",
    "@p",
    "@p/",
    "#",
    "`",
    "``",
    "`;`",
    ";",
    "(",
    ")",
    ")?",
    ")+?",
    "[",
    "]",
    "[]",
    "[#]",
    "[{k}]",
    "{",
    "}",
    "{x}",
    "{x}?",
    "{x:t}",
    "{x=a|b}",
    "{x+}",
    "{x+,}",
    "{x...}",
    "{x -> t}",
    "{x -> a=b, *=*}",
    "{= a + '}'}",
    "{=",
    " -> ",
    "'",
    "\"",
    "ö",
    "{o.key}",
    "$",
];

proptest! {
    /// Whatever is put together: the parser takes what the printed grammar takes, and nothing else.
    #[test]
    fn the_parser_is_the_grammar_of_the_reference(pieces in prop::collection::vec(prop::sample::select(&PIECES[..]), 0..9)) {
        let grammar = Grammar::of_the_reference();
        let text = pieces.concat();
        for production in ["text", "path", "side"] {
            check(&grammar, production, &text);
        }
    }

    /// No text whatever stops it.
    #[test]
    fn anything_is_read_or_refused(text in "\\PC{0,40}") {
        for production in ["text", "path", "side"] {
            parses(production, &text);
        }
    }
}

#[rstest]
#[case("text", "{type} {db+,} {user+,} ({address:network})? {method} ({opt.key}={opt.value})+?")]
#[case(
    "text",
    "(up|post-up) (ip|*/ip) (-4|-6)? (route|ro|r) {to} ({with.key=via|dev|metric} {with.value})+? (`||` (true|/bin/true|:))?"
)]
#[case("text", "\"{before:text}`*`\"")]
#[case("text", "reject`;`")]
#[case("text", "{n:network}[{p:text}]")]
#[case("side", "proposals = {p},default")]
#[case("side", "addresses[]/{a}`/`{m}/label = {of}:{label}")]
#[case("side", "subnets/s{index}(network = {= network(a, m)}; interface = {port})")]
#[case("side", "filter/**")]
#[case("side", "standby-signal =")]
#[case("side", "routes[](to = default; via = {g}; metric = {n})")]
#[case("side", "&/setup/uniqueids = {u}; ?leftid{r=2}? = *")]
#[case("side", "mtu >= {m}")]
#[case("path", "@iface[{p}]/routes[]")]
#[case("path", "filter/rule[#{name}]")]
fn is_read(#[case] production: &str, #[case] text: &str) {
    assert!(parses(production, text), "{text}");
    check(&Grammar::of_the_reference(), production, text);
}

#[rstest]
#[case("text", "a {x", 2..4, "the capture is not closed with `}`")]
#[case("text", "reject;", 6..7, "`;` separates the clauses of a rule")]
#[case("text", "x}", 1..2, "`}` closes no capture")]
#[case("text", "x)", 1..2, "`)` closes no `(`")]
#[case("text", "a `open", 2..3, "the backtick is not closed")]
#[case("text", "a (b|c", 2..3, "the `(` is not closed with `)`")]
#[case("text", "{9}", 0..3, "`9` is not a valid name of a capture")]
#[case("text", "{x: t}", 2..5, "`: t` is not allowed in a capture")]
#[case("text", "{x=a=b}", 4..5, "`=` is not allowed in a word of a capture")]
#[case("text", "{x=a|}", 5..6, "an empty word in a capture; write two backticks around nothing else for a backtick")]
#[case("text", "{x -> a, b}", 6..7, "a row of the table has no `=`")]
#[case("side", "a/y = {n} end;", 13..14, "a clause is empty")]
#[case("side", "a//b", 2..2, "an empty step; steps are separated by one `/`")]
#[case("side", "a/x y", 3..4, "a blank in a path")]
#[case("side", "a]", 1..2, "`]` closes no `[`")]
#[case("side", "a[b", 1..2, "the `[` is not closed with `]`")]
#[case("side", "**/a", 0..2, "`**` must be the last step")]
#[case("side", "a**", 0..3, "`**` is a step of its own")]
#[case("side", "@/a", 0..1, "`` is not a valid name of a place")]
#[case("path", "a=b", 1..2, "`=` is not allowed in a path")]
fn is_refused(#[case] production: &str, #[case] text: &str, #[case] at: super::At, #[case] sentence: &str) {
    let bad = match production {
        "text" => Text::parse(text).map(|_| ()),
        "path" => Path::parse(text).map(|_| ()),
        _ => Clause::parse_side(text).map(|_| ()),
    };
    let bad = bad.expect_err("refused");
    assert_eq!((bad.at, bad.fact.to_string().as_str()), (at, sentence));
}

#[test]
fn words_of_a_capture_may_be_any_text() {
    let text = Text::parse("{method=eap*|`a|b`}").expect("a text");
    let [super::Part::Capture(capture)] = text.parts.as_slice() else { panic!("{text:?}") };
    let Detail::OneOf(words) = &capture.detail else { panic!("{capture:?}") };
    assert!(
        words[0].fits("eap-tls") && words[0].fits("eap") && !words[0].fits("a|b") && words[1].fits("a|b")
    );
}
