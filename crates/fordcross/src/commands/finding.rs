//! `finding`: what a code means.

use crate::arguments::{FindingOptions, General};
use crate::examples::examples_of;
use crate::output::table::columns;
use crate::output::{BOLD, Printer};
use crate::status::{Failed, Status};
use fordcross_core::finding::{Code, Suggestion};
use serde_json::{Value, json};

pub(crate) fn finding(
    general: &General,
    options: &FindingOptions,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    if let Some((line, rule)) = options.code.as_deref().and_then(|code| code.split_once('/')) {
        return of_profile(general, line, rule, printer);
    }
    let codes = match &options.code {
        Some(name) => vec![Code::find(name).ok_or_else(|| unknown(name))?],
        None => Code::ALL.to_vec(),
    };
    if general.json {
        let codes = codes.iter().map(
            |code| {
                let examples: Vec<Value> = examples_of(*code)
                    .iter()
                    .map(|(place, usual, text)| json!({ "where": place.about(), "instead_of": usual, "text": text }))
                    .collect();
                json!({
                    "code": code.name(), "severity": code.severity().word(), "about": code.about(),
                    "examples": examples,
                })
            },
        );
        codes.for_each(|code| printer.result(code));
    } else if let (Some(_), [code]) = (&options.code, codes.as_slice()) {
        printer.line(&format!("{BOLD}{}{BOLD:#} ({})", code.name(), code.severity().word()))?;
        printer.line(&format!("  {}", code.about()))?;
        for (place, usual, text) in examples_of(*code) {
            printer.line(&format!("\n  example, {}:", place.about()))?;
            let text = if text.is_empty() { "(nothing)" } else { text };
            text.trim_end().lines().try_for_each(|line| printer.line(&format!("    {line}")))?;
            if !usual.is_empty() {
                printer.line("  instead of:")?;
                usual.trim_end().lines().try_for_each(|line| printer.line(&format!("    {line}")))?;
            }
        }
        if examples_of(*code).is_empty() {
            printer.line("  no short example")?;
        }
    } else {
        let rows = codes.iter().map(|code| {
            vec![code.name().to_owned(), code.severity().word().to_owned(), code.about().to_owned()]
        });
        printer.line(&columns(&["code", "severity", "meaning"], &[], rows))?;
    }
    Ok(Status::Done)
}

/// What a code of a profile means: `osier/required`.
fn of_profile(
    general: &General,
    line: &str,
    rule: &str,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let library = crate::library::load(&general.profiles)?;
    let profile = super::plan::parse(library.profile(line)?)?;
    let codes = profile.rule_codes();
    let severity = codes.iter().find(|known| known.0 == rule).map(|known| known.1);
    let (Some(severity), Some(about)) = (severity, profile.about_rule(rule)) else {
        let known: Vec<&str> = codes.iter().map(|known| known.0).collect();
        return Err(Failed::usage(format!("the profile of {line} has no rule `{rule}`"))
            .help(Suggestion::among(rule, known).to_string()));
    };
    let code = format!("{line}/{rule}");
    if general.json {
        let json = json!({ "code": code, "severity": severity.word(), "about": about, "examples": [] });
        printer.result(json);
    } else {
        printer.line(&format!("{BOLD}{code}{BOLD:#} ({})", severity.word()))?;
        printer.line(&format!("  {about}"))?;
        printer.line(&format!("\n  a rule of {}, in {}", profile.title, profile.file))?;
    }
    Ok(Status::Done)
}

pub(crate) fn unknown(name: &str) -> Failed {
    let known: Vec<&str> = Code::ALL.iter().map(|code| code.name()).collect();
    Failed::usage(format!("there is no finding `{name}`")).help(Suggestion::among(name, known).to_string())
}
