//! The figures of `docs/real-systems.md`. `FORDCROSS_BLESS=1` writes them anew.

use crate::carried::{AUTOMATIC, Carried, carry, map_with_new_ports};
use crate::held_out::folder;
use crate::networks::{TO, carry_interfaces, samples};
use crate::programs::own;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::Path;

const FATES: [&str; 9] =
    ["carried", "remapped", "recast", "folded", "moot", "approximated", "dropped", "by-hand", "unmatched"];

/// Adds up what became of several backups, by what they are called together.
fn add(table: &mut BTreeMap<String, (usize, BTreeMap<String, usize>)>, called: &str, carried: &Carried) {
    let (files, counts) = table.entry(called.to_owned()).or_default();
    *files += 1;
    for (fate, count) in carried.counts() {
        *counts.entry(fate).or_default() += count;
    }
}

/// How many of all, in percent.
fn share(some: usize, all: usize) -> String {
    let tenths = (2000 * some + all) / (2 * all).max(1);
    format!("{}.{} %", tenths / 10, tenths % 10)
}

/// Of the kept outcomes of held-out inputs: how many, and how many settings of how many need nobody.
fn kept(name: &str) -> (usize, usize, usize) {
    let text = fs::read_to_string(folder().join(name)).expect("outcomes");
    let usable = text.lines().filter(|line| !line.starts_with("Unusable"));
    let parts = usable.flat_map(str::split_whitespace).filter_map(|word| word.split_once('/'));
    let counts =
        parts.filter_map(|(some, all)| Some((some.parse::<usize>().ok()?, all.parse::<usize>().ok()?)));
    counts.fold((0, 0, 0), |(files, automatic, settings), (some, all)| {
        (files + 1, automatic + some, settings + all)
    })
}

#[test]
fn the_document_has_the_figures() {
    let mut table = BTreeMap::new();
    for sample in samples() {
        let package = sample.name.split('/').next().unwrap_or_default();
        add(&mut table, &format!("interfaces, package {package}"), &carry_interfaces(&sample.text));
    }
    for name in ["quay", "ramp", "odd"] {
        let backup = own("ifupdown").join(name);
        add(&mut table, "interfaces, our own", &carry(&backup, TO, &map_with_new_ports(&backup, TO), &[]));
    }
    for name in ["quay-10", "sandle-10", "corrie-13", "sluice-16"] {
        add(
            &mut table,
            "postgresql, our own",
            &carry(&own("postgresql").join(name), "postgresql@18", "", &[]),
        );
    }
    let mut text = format!(
        "| inputs | backups | settings | automatic | {} |\n|{}\n",
        FATES.join(" | "),
        " --- |".repeat(FATES.len() + 4)
    );
    for (called, (files, counts)) in table {
        let all: usize = counts.values().sum();
        let cells: Vec<String> =
            FATES.iter().map(|fate| counts.get(*fate).copied().unwrap_or(0).to_string()).collect();
        let automatic = AUTOMATIC.iter().filter_map(|fate| counts.get(*fate)).sum();
        let share = share(automatic, all);
        let _ = writeln!(text, "| {called} | {files} | {all} | {share} | {} |", cells.join(" | "));
    }
    for (called, name) in
        [("interfaces, held out", "networks.outcomes.txt"), ("postgresql, held out", "servers.outcomes.txt")]
    {
        let (files, automatic, all) = kept(name);
        let rest = " |".repeat(FATES.len());
        let _ = writeln!(text, "| {called} | {files} | {all} | {} |{rest}", share(automatic, all));
    }
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/real-systems.md");
    let document = fs::read_to_string(&path).expect("the document");
    let (begin, end) = ("<!-- figures -->\n", "<!-- end of figures -->");
    let (before, rest) = document.split_once(begin).expect("where the figures stand");
    let (_, after) = rest.split_once(end).expect("where they end");
    let renewed = format!("{before}{begin}{text}{end}{after}");
    if std::env::var_os("FORDCROSS_BLESS").is_some() {
        fs::write(&path, renewed).expect("written");
    } else {
        assert_eq!(document, renewed, "the figures are others now: run it with FORDCROSS_BLESS=1, and look");
    }
}
