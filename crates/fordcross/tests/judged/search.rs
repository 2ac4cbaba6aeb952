//! Each rule of a receiving profile is taken out in turn: then something that ends with status 0 must be refused by the
//! receiving system, or is not told any more where that takes it and does something else.

use crate::cases::{Outcome, each_of_all};
use crate::kept::{keep_figures, number_of};
use crate::mutants::{Mutant, mutants};
use std::borrow::Borrow;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use tempfile::TempDir;

/// A receiving platform with its cases and its judge.
pub(crate) trait Receiving: Sync {
    type Case: Sync;
    /// `osier`, of its profile and its figures.
    const LINE: &'static str;
    const PROFILE: &'static str;
    /// What nothing can show, with why it is there all the same.
    const SPARED: &'static [(&'static str, &'static str)];

    fn cases() -> Vec<Self::Case>;
    fn case_of(number: u64) -> Option<Self::Case>;
    fn number(case: &Self::Case) -> u64;
    /// Carries by the shipped profiles, or by others.
    fn carry(case: &Self::Case, profiles: Option<&Path>) -> Outcome;
    /// Whether the receiving system refuses a result.
    fn refuses(case: &Self::Case, result: &str) -> bool;
}

/// What shows that a rule is needed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Shown {
    Refused,
    Told,
    /// The profile cannot be read without it: another rule is on it.
    Needed,
}

/// Takes out each rule of a line and looks for what shows that it is needed.
pub(crate) fn no_rule_can_be_spared<R: Receiving>() {
    let cases = R::cases();
    let search = Search::<R> { before: cases.iter().map(|_| OnceLock::new()).collect(), cases };
    let known = witnesses::<R>();
    let mutants = mutants(R::PROFILE);
    let is_spared = |mutant: &Mutant| R::SPARED.iter().any(|(what, _)| mutant.what == *what);
    let done = each_of_all(&mutants, |mutant| {
        if is_spared(mutant) {
            return None;
        }
        let profiles = TempDir::new().expect("a temporary folder");
        fs::write(profiles.path().join(file_of::<R>()), &mutant.text).expect("written");
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
        ("spared", mutants.iter().filter(|mutant| is_spared(mutant)).count()),
    ];
    keep_figures(&format!("{}-knock-out", R::LINE), &[R::PROFILE], &figures);
    // The numbers of cases mean something with the usual seed only.
    if std::env::var_os("FORDCROSS_FIGURES").is_some() && number_of("FORDCROSS_SEED", 15) == 15 {
        let shown = mutants.iter().zip(&done).filter_map(|(mutant, done)| Some((mutant, done.as_ref()?.1)));
        let lines = shown
            .map(|(mutant, case)| format!("{} = {case}\n", serde_json::Value::from(mutant.what.as_str())));
        fs::write(witness_file::<R>(), lines.collect::<String>()).expect("written");
    }
    assert!(idle.is_empty(), "nothing shows that these are needed:\n{}", idle.join("\n"));
}

fn file_of<R: Receiving>() -> String {
    format!("{}.profile.toml", R::LINE)
}

fn witness_file<R: Receiving>() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/judged").join(format!("{}.witnesses.toml", R::LINE))
}

/// By what a rule is: the number of the case that showed it last. Without them every rule would be searched for anew.
fn witnesses<R: Receiving>() -> BTreeMap<String, u64> {
    toml::from_str(&fs::read_to_string(witness_file::<R>()).expect("the campaign wrote it"))
        .expect("numbers of cases")
}

/// The numbers of planted cases begin here.
pub(crate) const PLANTED_FROM: u64 = 1 << 32;

/// What shows that rules are needed is looked for among these.
struct Search<R: Receiving> {
    cases: Vec<R::Case>,
    before: Vec<OnceLock<Outcome>>,
}

impl<R: Receiving> Search<R> {
    fn before(&self, at: usize) -> &Outcome {
        self.before[at].get_or_init(|| R::carry(&self.cases[at], None))
    }

    /// What shows that a rule is needed, and in which case: the known one first, then those in which something is said of
    /// the rule. A refusal shows more than what is told.
    fn shown(&self, mutant: &Mutant, known: Option<u64>, profiles: &Path) -> Option<(Shown, u64)> {
        if let Some(case) = known.and_then(R::case_of) {
            let before = || R::carry(&case, None);
            if let Some(shown) = shown_by::<R, _>(mutant, &case, &before, profiles) {
                return Some((shown, R::number(&case)));
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
        for at in tried.into_iter().take(number_of("FORDCROSS_TRIES", 60) as usize) {
            let case = &self.cases[at];
            match shown_by::<R, _>(mutant, case, &|| self.before(at), profiles) {
                Some(Shown::Told) => best = Some((Shown::Told, R::number(case))),
                Some(shown) => return Some((shown, R::number(case))),
                None => {}
            }
        }
        best
    }

    /// Whether something is said of a rule in a case.
    fn touches(&self, mutant: &Mutant, at: usize) -> bool {
        let before = self.before(at);
        of_rule::<R>(mutant, before) > 0
            || mutant.is_limit
                && (R::number(&self.cases[at]) >= PLANTED_FROM
                    || count(before, |finding| finding["code"] == "value-unsupported") > 0)
    }
}

fn shown_by<R: Receiving, O: Borrow<Outcome>>(
    mutant: &Mutant,
    case: &R::Case,
    before: &dyn Fn() -> O,
    profiles: &Path,
) -> Option<Shown> {
    let outcome = R::carry(case, Some(profiles));
    let Some(result) = outcome.result.as_deref().filter(|_| outcome.status == 0) else {
        let is_of_rule = |place: &serde_json::Value| place["file"] == file_of::<R>().as_str();
        let is_error = |finding: &serde_json::Value| {
            finding["severity"] == "error"
                && finding["places"].as_array().is_some_and(|places| places.iter().any(is_of_rule))
        };
        let is_unreadable = outcome.rows.is_empty() && count(&outcome, is_error) > 0;
        return is_unreadable.then_some(Shown::Needed);
    };
    if R::refuses(case, result) {
        return Some(Shown::Refused);
    }
    (of_rule::<R>(mutant, &outcome) < of_rule::<R>(mutant, before().borrow())).then_some(Shown::Told)
}

fn count(outcome: &Outcome, is: impl Fn(&serde_json::Value) -> bool) -> usize {
    outcome.findings.iter().filter(|finding| is(finding)).count()
}

/// How many findings name a rule.
fn of_rule<R: Receiving>(mutant: &Mutant, outcome: &Outcome) -> usize {
    let rule = format!("{}:{}", file_of::<R>(), mutant.line);
    count(outcome, |finding| finding["rule"] == rule.as_str())
}
