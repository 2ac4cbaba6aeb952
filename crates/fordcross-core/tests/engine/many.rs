//! Backups so large that more than one thread works on their rows: each of many fares as it does alone.

use crate::small::shown;
use crate::small::{CROSSING, NEW, OLD, With, carry_with, make, parse};
use fordcross_core::carry::Threads;
use fordcross_core::mapping::MapFile;

/// Items that plain rules take in every way there is: as they were, by a table, in parts, not at all.
const ITEMS: [&str; 7] = [
    "<item><do>allow</do><at>p1</at><what>tcp/443</what></item>",
    "<item><do>maybe</do><what>any</what></item>",
    "<item><do>deny</do><at>p2.7</at><what>udp/x</what><mark>m</mark></item>",
    "<item/>",
    "<item><what>all</what><do>allow</do></item>",
    "<item><at>p1..</at><what>tcp/80</what><odd>1</odd></item>",
    "<item><do></do><at> p3 </at><what> tcp/22 </what></item>",
];

/// What became of the items, without their places.
fn fates(items: impl Iterator<Item = &'static str>) -> Vec<String> {
    let items: String = items.collect();
    let made = make(&format!("<old release='1'><list>{items}</list></old>"), CROSSING);
    let of_items =
        made.rows.iter().filter(|row| row["locator"].as_str().is_some_and(|at| at.starts_with("list/item")));
    let reported = of_items.map(|row| format!("{} {} {}", shown(row), row["rule"], row["findings"]));
    let without_places = |reported: String| {
        let mut parts = reported.split("[#");
        let first = parts.next().unwrap_or_default().to_owned();
        parts.fold(first, |all, part| all + "[#" + part.trim_start_matches(|c: char| c.is_ascii_digit()))
    };
    reported.map(without_places).collect()
}

#[test]
fn each_of_many_fares_as_it_does_alone() {
    const TIMES: usize = 400;
    let alone = fates(ITEMS.into_iter());
    assert!(alone.len() * TIMES > 8_000, "too few rows for a second thread: {}", alone.len());
    let many = fates(ITEMS.into_iter().cycle().take(ITEMS.len() * TIMES));
    for (number, rows) in many.chunks(alone.len()).enumerate() {
        assert_eq!(rows, alone, "time {number}");
    }
}

/// A second thread changes nothing: not a byte of the result or the ledger, and no finding.
#[test]
fn one_thread_makes_what_two_make() {
    let items: String = ITEMS.into_iter().cycle().take(ITEMS.len() * 400).collect();
    let text = format!("<old release='1'><list>{items}</list></old>");
    let map = MapFile::default();
    let [one, two] = [Threads::One, Threads::Two]
        .map(|threads| carry_with(With { threads, base: None, map: &map }, &text, parse(OLD, NEW, CROSSING)));
    assert!(one.rows.len() > 8_000, "too few rows for a second thread: {}", one.rows.len());
    assert!(one.ledger == two.ledger && one.result == two.result);
    assert_eq!(one.findings, two.findings);
}
