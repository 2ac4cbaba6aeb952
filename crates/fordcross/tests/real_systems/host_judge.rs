//! Random files of hosts with random maps, judged by `netplan generate`; and each rule of netplan's profile taken out.

use crate::cases::{Outcome, each};
use crate::hosts::{CROSSING, Case, DEEDS, IFUPDOWN, NETPLAN, carry, case_of, cases, declared, planted};
use crate::kept::keep_figures;
use crate::networks::refusal;
use crate::search::{Receiving, no_rule_can_be_spared};
use std::collections::BTreeMap;
use std::path::Path;

struct Hosts;

impl Receiving for Hosts {
    type Case = Case;
    const LINE: &'static str = "netplan";
    const PROFILE: &'static str = NETPLAN;
    const SPARED: &'static [(&'static str, &'static str)] =
        &[("count of network", "the program itself writes it")];

    fn cases() -> Vec<Case> {
        planted().into_iter().chain(cases()).collect()
    }

    fn case_of(number: u64) -> Option<Case> {
        case_of(number)
    }

    fn number(case: &Case) -> u64 {
        case.number
    }

    fn carry(case: &Case, profiles: Option<&Path>) -> Outcome {
        carry(case, profiles)
    }

    fn refuses(_: &Case, result: &str) -> bool {
        refusal(result).is_some()
    }
}

#[test]
fn no_rule_of_a_host_can_be_spared() {
    no_rule_can_be_spared::<Hosts>();
}

#[test]
fn no_result_of_a_host_is_refused() {
    let cases = cases();
    let outcomes = each(&cases, |case| {
        let outcome = carry(case, None);
        let result = outcome.result.as_deref().filter(|_| outcome.status == 0);
        let refused = result.and_then(refusal);
        (outcome, refused)
    });
    let (mut seen, mut wrong, mut written) = (BTreeMap::new(), Vec::new(), 0);
    for (case, (outcome, refused)) in cases.iter().zip(&outcomes) {
        assert!(matches!(outcome.status, 0 | 3), "{}: {}\n{}", case.number, outcome.said, case.text);
        written += usize::from(outcome.status == 0);
        if let Some(refused) = refused {
            wrong.push(format!("case {}, {:?}: {refused}\n{}", case.number, case.deed, case.text));
        }
        let mut here = std::collections::BTreeSet::new();
        for row in &outcome.rows {
            let locator = row["locator"].as_str().unwrap_or_default();
            here.insert(
                locator
                    .rsplit('/')
                    .next()
                    .unwrap_or_default()
                    .split('[')
                    .next()
                    .unwrap_or_default()
                    .to_owned(),
            );
        }
        for name in here {
            *seen.entry(name).or_insert(0) += 1;
        }
    }
    assert!(wrong.is_empty(), "{} of {written}:\n{}", wrong.len(), wrong[..wrong.len().min(10)].join("\n"));
    assert!(written * 4 > outcomes.len(), "{written} of {} were written", outcomes.len());
    if outcomes.len() < cases.len() {
        return;
    }
    let figures = [("cases", outcomes.len()), ("written", written), ("refused", wrong.len())];
    keep_figures("netplan-random", &[IFUPDOWN, NETPLAN, CROSSING], &figures);
    let enough = cases.len() / 100;
    let rare: Vec<String> =
        declared().into_iter().filter(|name| seen.get(name).is_none_or(|count| *count < enough)).collect();
    assert_eq!(rare, [""; 0], "in too few cases");
    // That each rule of the crossing is used by some backup is held by `authoring` of the command line.
    assert!(DEEDS.len() * enough <= cases.len());
}
