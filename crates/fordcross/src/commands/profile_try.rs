//! `profile try`: carries backups to see which rules they use and what none of them speaks of.

use super::carry::{decide, result_name};
use super::plan::{load, threads};
use crate::arguments::{ConversionArgs, General, Try, WhichConfiguration};
use crate::output::table::columns;
use crate::output::{BOLD, Printer, count};
use crate::result_folder::{Existing, ResultFolder};
use crate::status::{Failed, Status};
use crate::wall::{self, Openings};
use fordcross_core::carry::{CarryInput, PinnedDefaults, carry};
use fordcross_core::fate::Fate;
use fordcross_core::finding::Severity;
use fordcross_core::mapping::{Destination, MapFile, Mapping};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::io::Read;
use std::path::Path;

/// A crossing that some backup went through.
struct Tried {
    /// Each rule with its line, and whether any backup used it.
    rules: Vec<((u32, String), bool)>,
}

impl Tried {
    /// Each rule as it was written: of one that stands for several, by `each` or by choices, one use is enough.
    fn unused(&self) -> Vec<&(u32, String)> {
        let used: BTreeSet<u32> =
            self.rules.iter().filter(|(_, used)| *used).map(|((line, _), _)| *line).collect();
        let mut unused: Vec<&(u32, String)> =
            self.rules.iter().map(|(rule, _)| rule).filter(|(line, _)| !used.contains(line)).collect();
        unused.dedup_by_key(|(line, _)| *line);
        unused
    }
}

/// What a backup became.
struct Outcome {
    file: String,
    counts: BTreeMap<Fate, usize>,
    blockers: usize,
    /// What no rule speaks of, with its line.
    unmatched: Vec<(String, u32)>,
}

pub(crate) fn try_out(
    general: &General,
    options: &Try,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let mut tried: BTreeMap<String, Tried> = BTreeMap::new();
    let mut outcomes = Vec::new();
    let mut status = Status::Done;
    let folder =
        options.keep.as_ref().map(|keep| ResultFolder::begin(keep, Existing::Refuse, &[])).transpose()?;
    match &folder {
        Some(folder) => {
            wall::raise(Openings { writable: &[folder.half()], replaceable: &[folder.parent()] });
        }
        None => wall::raise(Openings::default()),
    }
    for (number, backup) in (1..).zip(&options.backups) {
        let way = ConversionArgs {
            stale_after: i64::MAX,
            backup: backup.clone(),
            to: options.to.clone(),
            configuration: WhichConfiguration::Active,
            reading: options.reading.clone(),
        };
        // Backups of one name do not meet.
        let kept = folder.as_ref().map(|folder| (folder, number));
        match try_one(general, &way, input, &mut tried, kept) {
            Ok(outcome) => outcomes.push(outcome),
            // One bad backup of several does not hide what the others show.
            Err(failed) => status = printer.failed(failed),
        }
    }
    if general.json {
        printer.result(to_json(&outcomes, &tried));
    } else {
        print(printer, (&options.to, options.keep.as_deref()), &outcomes, &tried)?;
    }
    if let Some(folder) = folder {
        folder.finish()?;
    }
    Ok(status)
}

fn try_one(
    general: &General,
    way: &ConversionArgs,
    input: &mut dyn Read,
    tried: &mut BTreeMap<String, Tried>,
    kept: Option<(&ResultFolder, usize)>,
) -> Result<Outcome, Failed> {
    let inputs = load(general, way, input)?;
    let ready = inputs.ready(general, way)?;
    let walk = ready.walk();
    let mut decisions = decide((None, false), &inputs, &ready, &walk, None)?;
    // Where only a person knows what ports are called, any names will do to try rules with.
    if ready.new_model(&inputs.receiver).is_none() {
        for port in decisions.proposals.iter_mut().filter(|port| port.target == Destination::Open) {
            port.target = Destination::New(port.old.clone());
        }
    }
    let mapping = Mapping::new("the proposed map", &decisions.proposals, &MapFile::default());
    let input = CarryInput {
        backup: &ready.backup,
        course: &ready.course,
        model: ready.new_model(&inputs.receiver),
        proposals: &decisions.proposals,
        mapping: &mapping,
        answers: &[],
        severities: &general.severity,
        accepted: &[],
        base: None,
        pins: PinnedDefaults::All,
        threads: threads(),
    };
    let mut carried = carry(input, walk);
    carried.write(|_| (), |_| ());
    for (leg, used) in ready.course.iter().zip(carried.rules_used()) {
        let known = tried.entry(leg.crossing.file.clone()).or_insert_with(|| Tried {
            rules: leg.crossing.rule_heads().into_iter().map(|rule| (rule, false)).collect(),
        });
        known.rules.iter_mut().zip(used).for_each(|((_, known), used)| *known |= used);
    }
    let mut counts = BTreeMap::new();
    for count in carried.counts() {
        *counts.entry(count.fate).or_default() += count.settings;
    }
    let findings = decisions.findings.iter().chain(&carried.findings);
    let blockers = findings.filter(|finding| finding.severity == Severity::Blocker).count();
    if let Some((folder, number)) = kept {
        for member in carried.files() {
            let name = result_name(&inputs.file, ready.new_profile(), &member.path);
            folder.write(&format!("{number}/{name}"), |out| out.write_all(&member.bytes))?;
        }
    }
    let unmatched = carried.of_fate(Fate::Unmatched);
    Ok(Outcome { file: inputs.file.name.clone(), counts, blockers, unmatched })
}

const SHOWN: [Fate; 4] = [Fate::Approximated, Fate::Dropped, Fate::ByHand, Fate::Unmatched];

fn print(
    printer: &mut Printer<'_>,
    (to, kept): (&str, Option<&Path>),
    outcomes: &[Outcome],
    tried: &BTreeMap<String, Tried>,
) -> Result<(), Failed> {
    printer.line(&match kept {
        Some(kept) => {
            format!("tried to {to}; the results are in {}, those that are refused as well\n", kept.display())
        }
        None => format!("tried to {to}; nothing is written\n"),
    })?;
    let number = |number: usize| if number == 0 { "-".to_owned() } else { number.to_string() };
    let rows = outcomes.iter().map(|outcome| {
        let of = |fate: Fate| number(outcome.counts.get(&fate).copied().unwrap_or(0));
        let mut row = vec![outcome.file.clone(), number(outcome.counts.values().sum())];
        row.extend(SHOWN.into_iter().map(of));
        row.push(number(outcome.blockers));
        row
    });
    let heads = ["backup", "settings", "approximated", "dropped", "by-hand", "unmatched", "blockers"];
    printer.line(&columns(&heads, &[1, 2, 3, 4, 5, 6], rows))?;
    for outcome in outcomes.iter().filter(|outcome| !outcome.unmatched.is_empty()) {
        printer.line(&format!("\n{BOLD}not covered by any rule{BOLD:#}"))?;
        for (locator, line) in &outcome.unmatched {
            printer.line(&format!("  {}:{line}  {locator}", outcome.file))?;
        }
    }
    for (file, tried) in tried {
        let unused = tried.unused();
        let rules = count(tried.rules.len(), "rule");
        if unused.is_empty() {
            printer.line(&format!("\n{BOLD}{file}{BOLD:#}: all of {rules} used"))?;
            continue;
        }
        printer.line(&format!("\n{BOLD}{file}{BOLD:#}: {} of {rules} never used", unused.len()))?;
        for (line, rule) in unused {
            printer.line(&format!("  {line:>5}  {rule}"))?;
        }
    }
    Ok(())
}

fn to_json(outcomes: &[Outcome], tried: &BTreeMap<String, Tried>) -> Value {
    let outcome = |outcome: &Outcome| {
        let fates: BTreeMap<&str, usize> =
            outcome.counts.iter().map(|(fate, count)| (fate.word(), *count)).collect();
        let unmatched: Vec<Value> = outcome
            .unmatched
            .iter()
            .map(|(locator, line)| json!({ "locator": locator, "line": line }))
            .collect();
        json!({ "file": outcome.file, "settings": fates, "blockers": outcome.blockers, "unmatched": unmatched })
    };
    let crossing = |(file, tried): (&String, &Tried)| {
        let unused: Vec<Value> =
            tried.unused().into_iter().map(|(line, rule)| json!({ "line": line, "rule": rule })).collect();
        json!({ "file": file, "rules": tried.rules.len(), "never_used": unused })
    };
    json!({
        "backups": outcomes.iter().map(outcome).collect::<Vec<_>>(),
        "crossings": tried.iter().map(crossing).collect::<Vec<_>>(),
    })
}
