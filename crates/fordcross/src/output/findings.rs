//! Findings as text and as JSON.

use super::{BOLD, CYAN, DIM, Printer, RED, Sources, YELLOW, clean, count};
use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use anstyle::Style;
use fordcross_core::finding::{Finding, Place, Severity, Site};
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
            (first.code_name(), &first.message, &first.rule, &first.help)
                == (finding.code_name(), &finding.message, &finding.rule, &finding.help)
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
    writeln!(printer.err, "{style}{word}[{}]{style:#}: {BOLD}{message}{BOLD:#}{times}", first.code_name())?;
    let sites: Vec<(&Option<Place>, &Option<String>)> = group
        .iter()
        .flat_map(|finding| {
            let others = finding.others.iter().map(|site| (&site.place, &site.locator));
            std::iter::once((&finding.place, &finding.locator)).chain(others)
        })
        .collect();
    for (place, locator) in sites.iter().take(PLACES) {
        let place = place.as_ref().map(ToString::to_string);
        let place = match (place, locator) {
            (Some(place), Some(locator)) => format!("{place}  {locator}"),
            (Some(place), None) => place,
            (None, Some(locator)) => locator.clone(),
            (None, None) => continue,
        };
        writeln!(printer.err, "  {DIM}-->{DIM:#} {}", clean(&place))?;
    }
    let all = sites.len().max(group.iter().map(|finding| finding.count).sum());
    if all > PLACES {
        writeln!(printer.err, "      and {}", count(all - PLACES, "more place"))?;
    }
    if let Some(map) = &first.map {
        writeln!(printer.err, "  map: {}", clean(map))?;
    }
    if let Some(rule) = &first.rule {
        writeln!(printer.err, "  rule: {}", clean(rule))?;
    }
    if let Some(help) = &first.help {
        writeln!(printer.err, "  {CYAN}help{CYAN:#}: {}", clean(help))?;
    }
    if first.acceptable && first.severity == Severity::Blocker {
        writeln!(
            printer.err,
            "  to pass it: [[accept]] finding = \"{}\", shows = \"{}\", reason = \"…\"",
            clean(&first.id()),
            first.shows()
        )?;
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
    let mut group = level.primary_title(message.as_str()).id(finding.code_name()).element(snippet);
    let help = finding.help.as_deref().map(clean);
    if let Some(help) = &help {
        group = group.element(Level::HELP.message(help.as_str()));
    }
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii);
    writeln!(printer.err, "{}\n", renderer.render(&[group]))
}

fn site_json(site: &Site) -> Value {
    json!({
        "file": site.place.as_ref().map(|place| &place.file),
        "line": site.place.as_ref().map(|place| place.at.line),
        "column": site.place.as_ref().map(|place| place.at.column),
        "locator": site.locator,
    })
}

/// A finding for programs.
pub(crate) fn finding_json(finding: &Finding) -> Value {
    json!({
        "id": finding.id(),
        "code": finding.code_name(),
        "severity": finding.severity.word(),
        "message": finding.message,
        "file": finding.place.as_ref().map(|place| &place.file),
        "line": finding.place.as_ref().map(|place| place.at.line),
        "column": finding.place.as_ref().map(|place| place.at.column),
        "locator": finding.locator,
        "others": finding.others.iter().map(site_json).collect::<Vec<_>>(),
        "count": finding.count,
        "rule": finding.rule,
        "map": finding.map,
        "help": finding.help,
        "shows": finding.acceptable.then(|| finding.shows()),
    })
}
