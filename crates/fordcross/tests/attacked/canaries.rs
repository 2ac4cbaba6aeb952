//! A word of its own in every secret, with copies of it in notes, comments and keys: none gets out but into the converted file.

use crate::{WRACKHAVEN, keep};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;

const EXPORT: &str = include_str!("../../../../demo/corrie-slip/new-unit.osier.json");

/// The elements and attributes that hold secrets of the gateway, with where notes are.
const SECRETS: [&str; 5] = ["panel-code", "hash", "phrase", "key", "tide-offset"];
const NOTES: [&str; 4] = ["site", "note", "greeting", "says"];

/// The backup with a canary in each secret, and all of them in each note and in a comment.
fn planted() -> (String, Vec<String>) {
    let mut text = WRACKHAVEN.to_owned();
    let mut canaries = Vec::new();
    for name in SECRETS {
        let open = format!("<{name}>");
        let pieces: Vec<String> = text.split(&open).map(str::to_owned).collect();
        let mut made = pieces[0].clone();
        for piece in &pieces[1..] {
            let end = piece.find("</").expect("it ends");
            // What is checked by its shape keeps it.
            let canary = format!("canary{:03}zq", canaries.len());
            let kept = if name == "hash" { piece[..end].to_owned() + &canary } else { canary.clone() };
            let _ = write!(made, "{open}{kept}{}", &piece[end..]);
            canaries.push(if name == "hash" { piece[..end].to_owned() + &canary } else { canary });
        }
        text = made;
    }
    let all = canaries.join(" ");
    for name in NOTES {
        text = text.replace(&format!("<{name}>"), &format!("<{name}>{all} "));
    }
    text = text.replacen("<unit>", &format!("<!-- password: {all} --><?notes {all}?><unit>"), 1);
    (text, canaries)
}

#[test]
fn no_secret_gets_out() {
    let (text, canaries) = planted();
    assert!(canaries.len() >= 8, "{canaries:?}");
    let desk = tempfile::tempdir().expect("a folder");
    let folder = desk.path();
    fs::write(folder.join("gw.xml"), &text).expect("written");
    fs::write(folder.join("base.json"), EXPORT).expect("written");
    let at = |name: &str| folder.join(name).display().to_string();
    let mut said: BTreeMap<String, String> = BTreeMap::new();
    for (number, line) in [
        "survey GW",
        "survey GW --json",
        "reach GW --to osier/8@2.1",
        "map GW --to osier/8@2.1 -o MAP",
        "map GW --to osier/8@2.1 --json",
        "carry GW --to osier/8@2.1 -o OUT",
        "carry GW --to osier/8@2.1 -o OUT2 --json",
        "carry GW --to osier/8@2.1 -o OUT3 --base BASE",
        "ledger OUT",
        "ledger OUT --format csv",
        "ledger OUT --json",
        "profile try GW --to osier/8@2.1",
        "redact GW -o COPY",
        "redact GW -o KEPT --keep-names --keep-addresses --keep-comments",
    ]
    .into_iter()
    .enumerate()
    {
        let names = [
            ("GW", "gw.xml"),
            ("MAP", "map.toml"),
            ("OUT3", "o3"),
            ("OUT2", "o2"),
            ("OUT", "o"),
            ("BASE", "base.json"),
            ("COPY", "copy.xml"),
            ("KEPT", "kept.xml"),
        ];
        let word = |word: &str| {
            names.iter().find(|(name, _)| *name == word).map_or(word.to_owned(), |(_, file)| at(file))
        };
        let words = std::iter::once("fordcross".to_owned()).chain(line.split_whitespace().map(word));
        let (mut out, mut err) = (Vec::new(), Vec::new());
        let status = fordcross::run(words, &mut std::io::empty(), &mut out, &mut err);
        assert!(matches!(status, 0 | 3), "{line}: {}", String::from_utf8_lossy(&err));
        said.insert(format!("{number} {line}"), String::from_utf8_lossy(&[out, err].concat()).into_owned());
    }
    for file in [
        "o/ledger.jsonl",
        "o/receipt.json",
        "o/map.toml",
        "o3/ledger.jsonl",
        "copy.xml",
        "kept.xml",
        "map.toml",
    ] {
        said.insert(file.to_owned(), fs::read_to_string(folder.join(file)).expect("written"));
    }
    let mut looked = 0;
    for (what, text) in &said {
        for canary in &canaries {
            assert!(!text.contains(canary.as_str()), "{canary} in {what}:\n{text}");
            looked += 1;
        }
    }
    // They are where they belong.
    let result = fs::read_to_string(folder.join("o/gw.osier.json")).expect("written");
    assert!(canaries.iter().filter(|canary| result.contains(canary.as_str())).count() >= 4);
    keep("canaries", &[("canaries", canaries.len()), ("looked-for", looked), ("found", 0)]);
}
