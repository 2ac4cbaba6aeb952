//! Each rule of the receiving profile is needed: without it, something that ends with status 0 is refused by the
//! receiving system, or is not told any more where that takes it and does something else.

use crate::carries::{Case, OSIER, Outcome, PLANTED_FROM, carry, cases, each, planted, refused};
use crate::kept::{keep_figures, number_of};
use crate::mutants::{Mutant, mutants};
use std::fs;
use std::path::Path;
use tempfile::TempDir;

/// What nothing can show, with why it stands there all the same.
const SPARED: [(&str, &str); 8] = [
    ("min of vlan-id", "every line has the same limit, so that nothing else gets here"),
    ("max of vlan-id", "the same"),
    ("min of port-number", "the same"),
    ("max of port-number", "the same"),
    ("min of small", "the same"),
    ("count  of at       = \"osier-export\"", "the program itself writes it"),
    ("required \"release\"", "the same"),
    ("required \"model\"", "the same"),
];

/// What shows that a rule is needed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Shown {
    Refused,
    Told,
    /// The profile cannot be read without it: another rule stands on it.
    Needed,
}

#[test]
fn no_rule_can_be_spared() {
    let cases: Vec<Case> = planted().into_iter().chain(cases()).collect();
    let before = each(&cases, |case| carry(case, None));
    let most = number_of("FORDCROSS_TRIES", 60) as usize;
    let mutants = mutants(OSIER);
    let done = each(&mutants, |mutant| {
        let profiles = TempDir::new().expect("a temporary folder");
        fs::write(profiles.path().join("osier.profile.toml"), &mutant.text).expect("written");
        shown(mutant, &cases, &before, profiles.path(), most)
    });
    let is_spared = |mutant: &Mutant| SPARED.iter().any(|(what, _)| mutant.what.starts_with(what));
    let idle: Vec<String> = mutants
        .iter()
        .zip(&done)
        .filter(|(mutant, shown)| shown.is_none() && !is_spared(mutant))
        .map(|(mutant, _)| format!("{}: {}", mutant.line, mutant.what))
        .collect();
    let of = |wanted: Shown| done.iter().filter(|shown| **shown == Some(wanted)).count();
    let figures = [
        ("rules", mutants.len()),
        ("tried", done.len()),
        ("shown-by-refusal", of(Shown::Refused)),
        ("shown-by-what-is-told", of(Shown::Told)),
        ("needed-by-another", of(Shown::Needed)),
        ("spared", SPARED.len()),
    ];
    if done.len() == mutants.len() {
        keep_figures("osier-knock-out", &figures);
    }
    assert!(idle.is_empty(), "nothing shows that these are needed:\n{}", idle.join("\n"));
}

fn shown(mutant: &Mutant, cases: &[Case], before: &[Outcome], profiles: &Path, most: usize) -> Option<Shown> {
    let rule = format!("osier.profile.toml:{}", mutant.line);
    let of_rule = |outcome: &Outcome| {
        outcome.findings.iter().filter(|finding| finding["rule"] == rule.as_str()).count()
    };
    let blockers = |outcome: &Outcome| {
        outcome.findings.iter().filter(|finding| finding["severity"] == "blocker").count()
    };
    let unfit = |outcome: &Outcome| {
        outcome.findings.iter().filter(|finding| finding["code"] == "value-unfit").count()
    };
    let touched = |number: usize| {
        let outcome = &before[number];
        of_rule(outcome) > 0
            || mutant.is_limit && (unfit(outcome) > 0 || cases[number].number >= PLANTED_FROM)
    };
    // What the rule says of the very part first.
    let names = |outcome: &Outcome| {
        let part = mutant.what.split('"').nth(1).unwrap_or_default();
        outcome
            .findings
            .iter()
            .any(|finding| finding["message"].as_str().is_some_and(|said| said.contains(part)))
    };
    let mut tried: Vec<usize> = (0..before.len()).filter(|&number| touched(number)).collect();
    tried.sort_by_key(|&number| (!names(&before[number]), blockers(&before[number])));
    let mut shown = None;
    for number in tried.into_iter().take(most) {
        let outcome = carry(&cases[number], Some(profiles));
        let Some(result) = outcome.result.as_deref().filter(|_| outcome.status == 0) else {
            if outcome.said.contains("-->")
                && outcome.said.contains("osier.profile.toml")
                && outcome.rows.is_empty()
            {
                return Some(Shown::Needed);
            }
            continue;
        };
        if !refused(&cases[number], result).is_empty() {
            return Some(Shown::Refused);
        }
        if of_rule(&outcome) < of_rule(&before[number]) {
            shown = Some(Shown::Told);
        }
    }
    shown
}
