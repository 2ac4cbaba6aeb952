//! What holds of every case.

use crate::cases::{Outcome, each};
use crate::gateways::{CROSSING, Case, TEASEL, carry, cases, refused};
use crate::generate::{Counts, Grammar};
use crate::kept::keep_figures;
use crate::maps::DEEDS;
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
    keep_figures("osier-random", &figures);
    // One in a hundred.
    let enough = cases.len() / 100;
    let grammar = Grammar::new(TEASEL, "4.6");
    let rare = grammar.declared().filter(|path| seen.get(*path).is_none_or(|count| *count < enough));
    assert_eq!(rare.collect::<Vec<_>>(), [""; 0], "in too few cases");
    let idle = crate::mutants::lines_of_rules(CROSSING)
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
