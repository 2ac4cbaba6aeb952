//! Each rule of the receiving profile is needed: without it, something that ends with status 0 is refused by the
//! receiving system, or is not told any more where that takes it and does something else.

use crate::carries::{
    Case, OSIER, Outcome, PLANTED_FROM, carry, case_of, cases, each_of_all, planted, refused,
};
use crate::kept::{keep_figures, number_of};
use crate::mutants::{Mutant, mutants};
use std::borrow::Borrow;
use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::sync::OnceLock;
use tempfile::TempDir;
use toml::Value;

const WITNESSES: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/judged/witnesses.toml");

/// What nothing can show, with why it stands there all the same.
const SPARED: [(&str, &str); 8] = [
    ("min of vlan-id", "every line has the same limit, so that nothing else gets here"),
    ("max of vlan-id", "the same"),
    ("min of port-number", "the same"),
    ("max of port-number", "the same"),
    ("min of small", "the same"),
    ("count of osier-export", "the program itself writes it"),
    ("required \"release\" of osier-export", "the same"),
    ("required \"model\" of osier-export", "the same"),
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
    let before: Vec<OnceLock<Outcome>> = cases.iter().map(|_| OnceLock::new()).collect();
    let known = witnesses();
    let mutants = mutants(OSIER);
    let is_spared = |mutant: &Mutant| SPARED.iter().any(|(what, _)| mutant.what.starts_with(what));
    let search = Search { cases: &cases, before: &before, most: number_of("FORDCROSS_TRIES", 60) as usize };
    let done = each_of_all(&mutants, |mutant| {
        if is_spared(mutant) {
            return None;
        }
        let profiles = TempDir::new().expect("a temporary folder");
        fs::write(profiles.path().join("osier.profile.toml"), &mutant.text).expect("written");
        search.shown(mutant, known.get(&mutant.what).copied(), profiles.path())
    });
    let idle: Vec<String> = mutants
        .iter()
        .zip(&done)
        .filter(|(mutant, shown)| shown.is_none() && !is_spared(mutant))
        .map(|(mutant, _)| format!("{}: {}", mutant.line, mutant.what))
        .collect();
    let of = |wanted: Shown| done.iter().flatten().filter(|(shown, _)| *shown == wanted).count();
    let figures = [
        ("rules", mutants.len()),
        ("shown-by-refusal", of(Shown::Refused)),
        ("shown-by-what-is-told", of(Shown::Told)),
        ("needed-by-another", of(Shown::Needed)),
        ("spared", SPARED.len()),
    ];
    keep_figures("osier-knock-out", &figures);
    if std::env::var_os("FORDCROSS_FIGURES").is_some() {
        let shown = mutants.iter().zip(&done).filter_map(|(mutant, done)| Some((mutant, done.as_ref()?.1)));
        let lines = shown.map(|(mutant, case)| format!("{} = {case}\n", Value::String(mutant.what.clone())));
        fs::write(WITNESSES, lines.collect::<String>()).expect("written");
    }
    assert!(idle.is_empty(), "nothing shows that these are needed:\n{}", idle.join("\n"));
}

/// By what a rule is: the number of the case that showed it last. Without them every rule would be searched for anew.
fn witnesses() -> BTreeMap<String, u64> {
    toml::from_str(&fs::read_to_string(WITNESSES).expect("the campaign wrote it")).expect("numbers of cases")
}

/// What shows that rules are needed is looked for among these.
struct Search<'a> {
    cases: &'a [Case],
    before: &'a [OnceLock<Outcome>],
    /// How many cases are tried for a rule.
    most: usize,
}

impl Search<'_> {
    fn before(&self, at: usize) -> &Outcome {
        self.before[at].get_or_init(|| carry(&self.cases[at], None))
    }

    /// What shows that a rule is needed, and in which case: the known one first, then those in which something is said of
    /// the rule. A refusal shows more than what is told.
    fn shown(&self, mutant: &Mutant, known: Option<u64>, profiles: &Path) -> Option<(Shown, u64)> {
        if let Some(case) = known.and_then(case_of) {
            let before = || carry(&case, None);
            if let Some(shown) = shown_by(mutant, &case, &before, profiles) {
                return Some((shown, case.number));
            }
        }
        let mut tried: Vec<usize> = (0..self.cases.len()).filter(|&at| self.touches(mutant, at)).collect();
        // What the rule says of the very part first.
        let part = mutant.what.split('"').nth(1).unwrap_or_default();
        let names = |outcome: &Outcome| {
            outcome
                .findings
                .iter()
                .any(|finding| finding["message"].as_str().is_some_and(|said| said.contains(part)))
        };
        tried.sort_by_key(|&at| {
            let before = self.before(at);
            (!names(before), count(before, |finding| finding["severity"] == "blocker"))
        });
        let mut best = None;
        for at in tried.into_iter().take(self.most) {
            let case = &self.cases[at];
            match shown_by(mutant, case, &|| self.before(at), profiles) {
                Some(Shown::Told) => best = Some((Shown::Told, case.number)),
                Some(shown) => return Some((shown, case.number)),
                None => {}
            }
        }
        best
    }

    /// Whether something is said of a rule in a case.
    fn touches(&self, mutant: &Mutant, at: usize) -> bool {
        let before = self.before(at);
        of_rule(mutant, before) > 0
            || mutant.is_limit
                && (self.cases[at].number >= PLANTED_FROM
                    || count(before, |finding| finding["code"] == "value-unfit") > 0)
    }
}

fn shown_by<O: Borrow<Outcome>>(
    mutant: &Mutant,
    case: &Case,
    before: &dyn Fn() -> O,
    profiles: &Path,
) -> Option<Shown> {
    let outcome = carry(case, Some(profiles));
    let Some(result) = outcome.result.as_deref().filter(|_| outcome.status == 0) else {
        let is_unreadable = outcome.said.contains("-->")
            && outcome.said.contains("osier.profile.toml")
            && outcome.rows.is_empty();
        return is_unreadable.then_some(Shown::Needed);
    };
    if !refused(case, result).is_empty() {
        return Some(Shown::Refused);
    }
    (of_rule(mutant, &outcome) < of_rule(mutant, before().borrow())).then_some(Shown::Told)
}

fn count(outcome: &Outcome, is: impl Fn(&serde_json::Value) -> bool) -> usize {
    outcome.findings.iter().filter(|finding| is(finding)).count()
}

/// How many findings name a rule.
fn of_rule(mutant: &Mutant, outcome: &Outcome) -> usize {
    let rule = format!("osier.profile.toml:{}", mutant.line);
    count(outcome, |finding| finding["rule"] == rule.as_str())
}
