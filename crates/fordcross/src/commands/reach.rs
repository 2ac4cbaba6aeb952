//! `reach`: which crossings lead from a backup to a receiving unit, and which ways are closed.

use super::plan::{Plan, load};
use crate::arguments::{General, Reach};
use crate::output::remedy::worded;
use crate::output::{BOLD, Printer, clean, count};
use crate::status::{Failed, Status};
use fordcross_core::crossing::Side;
use fordcross_core::finding::Code;
use serde_json::{Value, json};
use std::io::Read;

pub(crate) fn reach(
    general: &General,
    options: &Reach,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let inputs = load(general, &options.way, input)?;
    let ready = match inputs.ready(general, &options.way) {
        // That there is no way is an answer, not a failure to give one.
        Err(Failed::Findings(findings, sources))
            if findings.iter().any(|finding| finding.code() == Code::CourseMissing) =>
        {
            printer.findings(&findings, &sources)?;
            return Ok(Status::Blocked);
        }
        ready => ready?,
    };
    let from =
        Side { platform: ready.old().platform.clone(), release: ready.backup.identity.read_as.clone() };
    let new = ready.new_profile();
    let mut others = Vec::new();
    for release in new.releases.iter().filter(|release| release.name != inputs.receiver.release) {
        let to = Side { platform: new.platform.clone(), release: release.name.clone() };
        let way = match inputs.library.course(&from, &to) {
            Ok(course) => Ok(course.len()),
            Err(finding) => Err(finding.remedy().as_ref().map(worded).unwrap_or_default()),
        };
        others.push((to, way));
    }
    if general.json {
        printer.result(to_json(&ready, &others));
        printer.findings_apart(&ready.notices)?;
        return Ok(Status::Done);
    }
    printer.line(&format!("{BOLD}{} to {}{BOLD:#}", clean(&ready.from()), inputs.receiver))?;
    for (number, leg) in ready.course.iter().enumerate() {
        let summary = leg.crossing.summary();
        let mut deeds = vec![count(summary.rules, "rule")];
        for (deeds_of, word) in
            [(&summary.adds, "added"), (&summary.drops, "dropped"), (&summary.by_hand, "by hand")]
        {
            if !deeds_of.is_empty() {
                deeds.push(format!("{} {word}", count(deeds_of.len(), "pattern")));
            }
        }
        printer.line(&format!("  {}. {} to {}", number + 1, leg.crossing.from, leg.crossing.to))?;
        printer.line(&format!("     {}: {}", leg.crossing.file, deeds.join(", ")))?;
    }
    if !others.is_empty() {
        printer.line(&format!("\n  Other releases of {}:", new.title))?;
        for (to, way) in &others {
            match way {
                Ok(0) => printer.line(&format!("    {to}: the backup's own release"))?,
                Ok(crossings) => {
                    printer.line(&format!("    {to}: open, {}", count(*crossings, "crossing")))?;
                }
                Err(why) => printer.line(&format!("    {to}: closed; {why}"))?,
            }
        }
    }
    printer.findings_apart(&ready.notices)?;
    Ok(Status::Done)
}

fn to_json(ready: &Plan<'_>, others: &[(Side, Result<usize, String>)]) -> Value {
    let course = ready.course.iter().map(|leg| {
        json!({
            "from": leg.crossing.from.to_string(),
            "to": leg.crossing.to.to_string(),
            "file": leg.crossing.file,
        })
    });
    let others = others.iter().map(|(to, way)| match way {
        Ok(crossings) => json!({ "to": to.to_string(), "open": true, "crossings": crossings }),
        Err(why) => json!({ "to": to.to_string(), "open": false, "why": why }),
    });
    json!({ "course": course.collect::<Vec<_>>(), "others": others.collect::<Vec<_>>() })
}
