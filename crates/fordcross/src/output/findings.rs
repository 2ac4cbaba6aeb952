//! Findings as text and as JSON.

use super::{BOLD, CYAN, DIM, Printer, RED, Sources, YELLOW, clean, count};
use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use anstyle::Style;
use fordcross_core::finding::{Finding, Severity};
use serde_json::{Value, json};
use std::io;

/// How many different findings are told one by one.
const GROUPS: usize = 50;
/// How many places of one kind of finding are named one by one.
const PLACES: usize = 3;

/// Prints findings, those that say the same together: what, where, why, what to do.
pub(crate) fn print_findings(
    printer: &mut Printer<'_>,
    findings: &[Finding],
    sources: &Sources,
) -> io::Result<()> {
    printer.out.flush()?;
    let mut groups: Vec<Vec<&Finding>> = Vec::new();
    for finding in findings {
        let same = |group: &&mut Vec<&Finding>| {
            let first = group[0];
            (first.code, &first.message, &first.rule, &first.help)
                == (finding.code, &finding.message, &finding.rule, &finding.help)
        };
        // Only neighbours and a window before them are compared: there may be very many.
        match groups.iter_mut().rev().take(64).find(same) {
            Some(group) => group.push(finding),
            None => groups.push(vec![finding]),
        }
    }
    let more = groups.len().saturating_sub(GROUPS);
    for group in groups.into_iter().take(GROUPS) {
        match group[0].place.as_ref().and_then(|place| sources.get(&place.file)) {
            Some(text) => {
                for finding in group.iter().take(PLACES) {
                    print_with_source(printer, finding, text)?;
                }
                if group.len() > PLACES {
                    writeln!(printer.err, "and the same at {}\n", count(group.len() - PLACES, "more place"))?;
                }
            }
            None => print_group(printer, &group)?,
        }
    }
    if more > 0 {
        writeln!(
            printer.err,
            "and {}: all of them with `--json`, or in the ledger",
            count(more, "more finding")
        )?;
    }
    Ok(())
}

fn style(severity: Severity) -> Style {
    match severity {
        Severity::Blocker => RED,
        Severity::Warning => YELLOW,
        Severity::Note => CYAN,
    }
}

fn print_group(printer: &mut Printer<'_>, group: &[&Finding]) -> io::Result<()> {
    let first = group[0];
    let style = style(first.severity);
    let word = first.severity.word();
    let message = clean(&first.message);
    let times = if group.len() > 1 { format!(" ({} places)", group.len()) } else { String::new() };
    writeln!(printer.err, "{style}{word}[{}]{style:#}: {BOLD}{message}{BOLD:#}{times}", first.code.name())?;
    for finding in group.iter().take(PLACES) {
        let place = finding.place.as_ref().map(ToString::to_string);
        let place = match (place, &finding.locator) {
            (Some(place), Some(locator)) => format!("{place}  {locator}"),
            (Some(place), None) => place,
            (None, Some(locator)) => locator.clone(),
            (None, None) => continue,
        };
        writeln!(printer.err, "  {DIM}-->{DIM:#} {}", clean(&place))?;
    }
    if group.len() > PLACES {
        writeln!(printer.err, "      and {}", count(group.len() - PLACES, "more place"))?;
    }
    if let Some(rule) = &first.rule {
        writeln!(printer.err, "  rule: {}", clean(rule))?;
    }
    if let Some(help) = &first.help {
        writeln!(printer.err, "  {CYAN}help{CYAN:#}: {}", clean(help))?;
    }
    writeln!(printer.err)
}

/// With the line that it is about, underlined. Only for a person's own files.
fn print_with_source(printer: &mut Printer<'_>, finding: &Finding, text: &str) -> io::Result<()> {
    let Some(place) = &finding.place else { return Ok(()) };
    let level = match finding.severity {
        Severity::Blocker => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    }
    .with_name(finding.severity.word());
    let message = clean(&finding.message);
    let path = clean(&place.file);
    // A window of the file is enough, and keeps a message about a large file quick.
    let from = text[..place.span.start as usize].rfind('\n').map_or(0, |at| at + 1);
    let end = (place.span.end as usize).min(text.len());
    let to = text[end..].find('\n').map_or(text.len(), |at| end + at);
    let window = &text[from..to];
    let mark = AnnotationKind::Primary.span(place.span.start as usize - from..end - from);
    let snippet =
        Snippet::source(window).path(path.as_str()).line_start(place.at.line as usize).annotation(mark);
    let mut group = level.primary_title(message.as_str()).id(finding.code.name()).element(snippet);
    let help = finding.help.as_deref().map(clean);
    if let Some(help) = &help {
        group = group.element(Level::HELP.message(help.as_str()));
    }
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii);
    writeln!(printer.err, "{}\n", renderer.render(&[group]))
}

/// A finding for programs.
pub(crate) fn finding_json(finding: &Finding) -> Value {
    json!({
        "code": finding.code.name(),
        "severity": finding.severity.word(),
        "message": finding.message,
        "file": finding.place.as_ref().map(|place| &place.file),
        "line": finding.place.as_ref().map(|place| place.at.line),
        "column": finding.place.as_ref().map(|place| place.at.column),
        "locator": finding.locator,
        "rule": finding.rule,
        "help": finding.help,
    })
}
