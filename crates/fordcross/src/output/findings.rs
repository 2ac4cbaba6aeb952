//! Findings as text and as JSON.

use super::remedy::worded;
use super::{BOLD, CYAN, DIM, RED, YELLOW, clean, count};
use crate::sources::Sources;
use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use anstyle::Style;
use fordcross_core::finding::{Finding, Location, Severity};
use serde_json::{Value, json};
use std::io::{self, Write};

/// How many different findings are listed.
const GROUPS: usize = 50;
/// How many places of one kind of finding are named one by one.
const PLACES: usize = 3;

/// How many characters of a value are shown.
const SHOWN: usize = 100;

/// The word for how much a finding matters.
pub(crate) type Words<'w> = dyn Fn(Severity) -> &'static str + 'w;

/// What a finding says, wherever it is.
#[derive(PartialEq)]
struct Said<'f> {
    code: &'f str,
    message: String,
    rule: Option<&'f str>,
    help: Option<String>,
}

impl<'f> Said<'f> {
    fn of(finding: &'f Finding) -> Self {
        Self {
            code: finding.code_name(),
            message: finding.message(),
            rule: finding.rule.as_deref(),
            help: finding.remedy().as_ref().map(worded),
        }
    }
}

/// Findings that say the same.
struct Group<'f> {
    said: Said<'f>,
    findings: Vec<&'f Finding>,
}

/// Prints findings, those that say the same together: what, where, why, what to do.
pub(crate) fn print_findings(
    out: &mut dyn Write,
    findings: &[Finding],
    sources: &Sources,
    words: &Words<'_>,
) -> io::Result<()> {
    let mut groups: Vec<Group<'_>> = Vec::new();
    for finding in findings {
        let said = Said::of(finding);
        // Only neighbours and a window before them are compared: there may be very many.
        match groups.iter_mut().rev().take(64).find(|group| group.said == said) {
            Some(group) => group.findings.push(finding),
            None => groups.push(Group { said, findings: vec![finding] }),
        }
    }
    let more = groups.len().saturating_sub(GROUPS);
    for group in groups.into_iter().take(GROUPS) {
        match group.findings[0].location.as_ref().and_then(|place| sources.get(&place.file)) {
            Some(text) => {
                for finding in group.findings.iter().take(PLACES) {
                    print_with_source(out, finding, &group.said, text, words)?;
                }
                if group.findings.len() > PLACES {
                    writeln!(
                        out,
                        "and the same at {}\n",
                        count(group.findings.len() - PLACES, "more place")
                    )?;
                }
            }
            None => print_group(out, &group, words)?,
        }
    }
    if more > 0 {
        writeln!(out, "and {}: all of them with `--json`, or in the ledger", count(more, "more finding"))?;
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

fn print_group(out: &mut dyn Write, group: &Group<'_>, words: &Words<'_>) -> io::Result<()> {
    let Group { said, findings: group } = group;
    let first = group[0];
    let style = style(first.severity);
    let word = words(first.severity);
    let message = clean(&said.message);
    let times = if group.len() > 1 { format!(" ({} places)", group.len()) } else { String::new() };
    writeln!(out, "{style}{word}[{}]{style:#}: {BOLD}{message}{BOLD:#}{times}", first.code_name())?;
    let sites: Vec<(&Option<Location>, &Option<String>, Option<&str>)> = group
        .iter()
        .flat_map(|finding| {
            let others = finding.others.iter().map(|site| (&site.location, &site.locator, None));
            let value = finding.value.as_deref();
            std::iter::once((&finding.location, &finding.locator, value)).chain(others)
        })
        .collect();
    for (place, locator, value) in sites.iter().take(PLACES) {
        let place = place.as_ref().map(ToString::to_string);
        let place = match (place, locator) {
            (Some(place), Some(locator)) => format!("{place}  {locator}"),
            (Some(place), None) => place,
            (None, Some(locator)) => locator.clone(),
            (None, None) => continue,
        };
        let value = value.map_or_else(String::new, |value| format!(" = {}", excerpt(value)));
        writeln!(out, "  {DIM}-->{DIM:#} {}", clean(&(place + &value)))?;
    }
    let all = sites.len().max(group.iter().map(|finding| finding.count).sum());
    if all > PLACES {
        writeln!(out, "      and {}", count(all - PLACES, "more place"))?;
    }
    if let Some(map) = &first.map {
        writeln!(out, "  map: {}", clean(map))?;
    }
    if let Some(rule) = &first.rule {
        writeln!(out, "  rule: {}", clean(rule))?;
    }
    if let Some(help) = &said.help {
        writeln!(out, "  {CYAN}help{CYAN:#}: {}", clean(help))?;
    }
    if first.acceptable && first.severity == Severity::Blocker {
        writeln!(
            out,
            "  to pass it: [[accept]] finding = \"{}\", shows = \"{}\", reason = \"…\"",
            clean(&first.id()),
            first.shows()
        )?;
    }
    writeln!(out)
}

/// The beginning of a value.
fn excerpt(value: &str) -> String {
    match value.char_indices().nth(SHOWN) {
        Some((end, _)) => format!("{}…", &value[..end]),
        None => value.to_owned(),
    }
}

/// With the line that it is about, underlined. Only for a person's own files.
fn print_with_source(
    out: &mut dyn Write,
    finding: &Finding,
    said: &Said<'_>,
    text: &str,
    words: &Words<'_>,
) -> io::Result<()> {
    let Some(place) = &finding.location else { return Ok(()) };
    let level = match finding.severity {
        Severity::Blocker => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    }
    .with_name(words(finding.severity));
    let message = clean(&said.message);
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
    let help = said.help.as_deref().map(clean);
    if let Some(help) = &help {
        group = group.element(Level::HELP.message(help.as_str()));
    }
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii);
    writeln!(out, "{}\n", renderer.render(&[group]))
}

/// A finding for programs.
pub(crate) fn finding_json(finding: &Finding) -> Value {
    let site = |place: &Option<Location>, locator: &Option<String>| {
        json!({
            "file": place.as_ref().map(|place| &place.file),
            "line": place.as_ref().map(|place| place.at.line),
            "column": place.as_ref().map(|place| place.at.column),
            "locator": locator,
        })
    };
    let own = (finding.location.is_some() || finding.locator.is_some())
        .then(|| site(&finding.location, &finding.locator));
    let others = finding.others.iter().map(|other| site(&other.location, &other.locator));
    json!({
        "id": finding.id(),
        "code": finding.code_name(),
        "severity": finding.severity.word(),
        "message": finding.message(),
        "help": finding.remedy().as_ref().map(worded),
        "places": own.into_iter().chain(others).collect::<Vec<_>>(),
        "rule": finding.rule,
        "map": finding.map,
        "count": finding.count,
        "shows": finding.acceptable.then(|| finding.shows()),
    })
}
