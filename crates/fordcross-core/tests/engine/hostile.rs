//! Damaged backups: each is refused or read, with the ledger still whole, and nothing panics.

use crate::small::{CROSSING, NEW, OLD, carry_over, parse};
use fordcross_core::backup::Backup;
use fordcross_core::finding::Code;
use fordcross_core::library::{Library, ProfileFile};
use fordcross_core::mapping::MapFile;
use fordcross_core::platform::read;
use fordcross_core::redact::{Key, Redaction, redact};
use fordcross_core::source::Source;
use fordcross_core::survey::survey;
use proptest::prelude::*;
use rstest::rstest;

const XML: &str = "<?xml version='1.0'?><!-- c --><old release='1'>\n<boxes><box id='p1.7'><on>yes</on><wait>900</wait>\
    <ip>192.0.2.1</ip><mask>255.255.255.0</mask><word>a &amp; <![CDATA[b]]></word></box></boxes>\n<list><item><do>allow</do>\
    <what>tcp/443</what></item></list><name>x</name><odd y='1'>2</odd></old>";
const JSON: &str = "{\"new\": {\"release\": \"2\"}, \"boxes\": {\"c1\": {\"enabled\": true, \"wait\": 15, \"nets\": [\"192.0.2.1/24\"], \
    \"word\": \"a\\u00e9\\n\"}}, \"list\": [{\"action\": \"permit\"}], \"names\": [\"x\"], \"zz\": [[1, {}], null]}";
const INI: &str = "; c\ntop = 1\n[net]\nmtu = \"a\\nb\"\n[share x]\npath = /srv\n";
const INI_PROFILE: &str = r#"
language = 2
[profile]
platform = 'i'
title    = 'I'
format   = 'ini'
releases = ['1']
[ini]
quotes = true
heading = '{section} {name}'
[detect]
contains = 'top'
release  = 'top'

[object]
"share[{name}]" = {}
[setting]
'top' = 'text'
'net/mtu' = 'secret'
'share/name' = 'text'
'share/path' = 'path'
"#;

fn library() -> Library {
    let mut library = Library::default();
    for text in [OLD, NEW, INI_PROFILE] {
        library.add_profile(ProfileFile::read("p.profile.toml".into(), text.into()).expect("a profile"));
    }
    library
}

/// Reads a text and makes all of it that needs no crossing.
fn take(text: &str, library: &Library) -> bool {
    let Ok((tree, file)) = read(Source::new("b", text), library, None) else { return false };
    let profile = file.parse().expect("a profile");
    let Ok(backup) = Backup::new(tree, profile, None) else { return false };
    let copy = redact(
        &backup,
        profile,
        &Redaction {
            key: Key::new(b"one"),
            keeps_addresses: false,
            keeps_names: false,
            keeps_comments: false,
        },
    );
    let lines = String::from_utf8_lossy(&copy.files[0].bytes).matches('\n').count();
    assert_eq!(lines, text.matches('\n').count(), "{text}");
    true
}

/// Cut off at every byte.
#[rstest]
#[case(XML)]
#[case(JSON)]
#[case(INI)]
fn what_is_cut_off_is_refused_or_read(#[case] text: &str) {
    let library = library();
    assert!(take(text, &library), "whole, it is read");
    for end in (0..text.len()).filter(|end| text.is_char_boundary(*end)) {
        take(&text[..end], &library);
    }
}

/// What was found by damaging texts at random.
#[rstest]
#[case("; c\ntop = 1\n[net]\nmtu = \"a\\nb\"\n[share ]\n")]
fn what_was_found_is_read(#[case] text: &str) {
    assert!(take(text, &library()));
}

fn damaged(text: &'static str) -> impl Strategy<Value = String> {
    let pieces = "<|>|&|'|\"|=|[|]|{|}|,|:|\\|/|\n|\0|é|p9|0|-->|<!--|]]>|&#0;|true|<box id='p1'/>|<on>no</on>|</boxes>|1e999";
    let pieces: Vec<&str> = pieces.split('|').collect();
    let edit = (0..text.len(), 0..12usize, prop::sample::select(pieces));
    prop::collection::vec(edit, 1..4).prop_map(move |edits| {
        let mut damaged = text.to_owned();
        for (at, length, piece) in edits {
            let start =
                (0..=at.min(damaged.len())).rev().find(|at| damaged.is_char_boundary(*at)).unwrap_or(0);
            let end = (start + length).min(damaged.len());
            let end = (end..=damaged.len()).find(|at| damaged.is_char_boundary(*at)).unwrap_or(damaged.len());
            damaged.replace_range(start..end, piece);
        }
        damaged
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1_500))]

    #[test]
    fn what_is_damaged_is_refused_or_read(text in prop_oneof![damaged(XML), damaged(JSON), damaged(INI)]) {
        take(&text, &library());
    }

    /// What can still be read is carried with a whole ledger, and reads back to it.
    #[test]
    fn what_is_damaged_is_carried_whole_or_not_at_all(text in damaged(XML)) {
        let (old, new, crossing) = parse(OLD, NEW, CROSSING);
        let library = library();
        let Ok((tree, _)) = read(Source::new("b", &text), &library, None) else { return Ok(()) };
        let Ok(backup) = Backup::new(tree, &old, None) else { return Ok(()) };
        let held = survey(&backup, &old, "2026-11-25".parse().expect("a day")).total();
        let made = carry_over(&text, old, new, crossing, &MapFile::default());
        prop_assert!(!made.has(Code::ResultDiffers), "{text}\n{:#?}", made.findings);
        let rows = |kind: &str| {
            made.rows.iter().filter(|row| row["kind"] == *kind && row["fate"].is_string()).count()
        };
        prop_assert_eq!((rows("setting"), rows("object")), (held.settings, held.objects), "{}", text);
    }
}
