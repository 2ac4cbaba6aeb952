//! What holds of every case.

use crate::cases::{Outcome, each};
use crate::gateways::{CROSSING, Case, OSIER, TEASEL, carry, cases, refused};
use crate::generate::{Counts, Grammar};
use crate::kept::keep_figures;
use crate::maps::{DEEDS, Deed};
use crate::packets::opened;

#[test]
fn no_result_is_refused_and_nothing_is_opened() {
    let cases = cases();
    let (mut seen, mut rules, mut deeds, mut written) = (Counts::new(), Counts::new(), Counts::new(), 0);
    let mut wrong = Vec::new();
    let outcomes = each(&cases, |case| carry(case, None));
    for (case, outcome) in cases.iter().zip(&outcomes) {
        *deeds.entry(format!("{:?}", case.deed)).or_default() += 1;
        count(outcome, &mut seen, &mut rules);
        // A map can be one that no reading takes; then there is no result, and it says why.
        if outcome.status != 0 {
            assert!(
                outcome.result.is_none() && matches!(outcome.status, 1..=3),
                "{}: {}",
                case.number,
                outcome.said
            );
            continue;
        }
        written += 1;
        wrong.extend(faults(case, outcome));
    }
    assert!(wrong.is_empty(), "{} of {written}:\n{}", wrong.len(), wrong[..wrong.len().min(10)].join("\n"));
    let figures = [("cases", outcomes.len()), ("written", written), ("refused-or-opened", wrong.len())];
    assert!(written * 4 > outcomes.len(), "{written} of {} were written", outcomes.len());
    if outcomes.len() < cases.len() {
        return;
    }
    keep_figures("osier-random", &[TEASEL, OSIER, CROSSING], &figures);
    // One in a hundred.
    let enough = cases.len() / 100;
    let grammar = Grammar::new(TEASEL, "4.6");
    let rare = grammar.declared().filter(|path| seen.get(*path).is_none_or(|count| *count < enough));
    assert_eq!(rare.collect::<Vec<_>>(), [""; 0], "in too few cases");
    let idle = lines_of_rules(CROSSING)
        .filter(|line| !rules.contains_key(&format!("teasel-4.6-to-osier-2.1.crossing.toml:{line}")));
    assert_eq!(idle.collect::<Vec<_>>(), [0; 0], "rules of the crossing that never fired");
    assert!(DEEDS.iter().all(|deed| deeds[&format!("{deed:?}")] >= enough));
}

fn faults(case: &Case, outcome: &Outcome) -> Vec<String> {
    let result = outcome.result.as_deref().expect("a result, with status 0");
    let refused = refused(case, result).into_iter().map(|refusal| refusal.to_string());
    let opened = opened(&case.backup, result, case.deed, &outcome.map);
    refused.chain(opened).map(|fault| format!("case {}, {:?}: {fault}", case.number, case.deed)).collect()
}

/// Which objects and settings the backup of a case has, and which rules took them.
fn count(outcome: &Outcome, seen: &mut Counts, rules: &mut Counts) {
    let mut here = std::collections::BTreeSet::new();
    for row in &outcome.rows {
        let locator = row["locator"].as_str().unwrap_or_default();
        here.insert(without_keys(locator));
        if let Some(rule) = row["rule"].as_str() {
            *rules.entry(rule.to_owned()).or_default() += 1;
        }
    }
    for path in here {
        *seen.entry(path).or_default() += 1;
    }
}

/// `links/link[p1]/on` as the profile writes it: `links/link/on`.
fn without_keys(locator: &str) -> String {
    let mut depth = 0;
    let kept = locator.chars().filter(|c| {
        depth += i32::from(*c == '[');
        let is_kept = depth == 0;
        depth -= i32::from(*c == ']');
        is_kept
    });
    kept.collect()
}

/// Renumbering is what a plain reader would make of the result: each address of the old network is the same of the new,
/// wherever it is, and nothing else changes. So who holds whom is the same, too.
#[test]
fn renumbering_changes_addresses_alone() {
    let cases: Vec<Case> = cases().into_iter().filter(|case| case.deed == Deed::SameLength).collect();
    let changed = each(&cases, |case| {
        let map = case.map.as_deref().expect("a map");
        let entry = map.lines().last().expect("an entry");
        let of_side = |text: &str| text.trim().trim_matches('"').trim_end_matches(".0/24").to_owned();
        let (old, new) =
            entry.split_once(" = ").map(|(old, new)| (of_side(old), of_side(new))).expect("both");
        let plain = carry(&Case { map: None, ..case.clone() }, None);
        let mapped = carry(case, None);
        let (Some(plain), Some(mapped)) = (plain.result, mapped.result) else { return false };
        let expected = renumbered(&plain, &old, &new);
        assert_eq!(mapped, expected, "case {}: {old} -> {new}", case.number);
        expected != plain
    });
    let changed = changed.iter().filter(|changed| **changed).count();
    assert!(changed >= 5, "{changed} of {} were renumbered", cases.len());
}

/// A text with the first three numbers of addresses replaced.
fn renumbered(text: &str, old: &str, new: &str) -> String {
    let mut made = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once(&format!("{old}.")) {
        made.push_str(before);
        let is_whole = !before.ends_with(|c: char| c.is_ascii_digit() || c == '.');
        made.push_str(if is_whole { new } else { old });
        made.push('.');
        rest = after;
    }
    made + rest
}

/// The lines at which a crossing has rules for settings.
fn lines_of_rules(crossing: &str) -> impl Iterator<Item = usize> {
    const VERBS: [&str; 6] = ["same", "move", "moot", "drop", "by-hand", "add"];
    crossing.lines().enumerate().filter_map(move |(number, line)| {
        let is_list = VERBS.iter().any(|verb| line.split(" = [").next().map(str::trim) == Some(verb));
        let is_rule = line.starts_with("  [\"")
            || is_list && (line.contains("[[\"") || line.starts_with("same") && line.contains("[\""));
        is_rule.then_some(number + 1)
    })
}
