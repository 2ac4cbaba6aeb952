//! Printing. Only this module and its children write text for people.

mod failed;
pub(crate) mod findings;
pub(crate) mod remedy;
pub(crate) mod rows;
pub(crate) mod stream;
pub(crate) mod table;

use crate::sources::Sources;
use crate::status::{Failed, Status};
use anstyle::{AnsiColor, Style};
use fordcross_core::finding::{Finding, Severity};
use serde_json::{Value, json};
use std::io::{self, Write};
use stream::{is_unsafe, json_escaped};

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();
pub(crate) const RED: Style = AnsiColor::Red.on_default().bold();
pub(crate) const YELLOW: Style = AnsiColor::Yellow.on_default().bold();
pub(crate) const CYAN: Style = AnsiColor::Cyan.on_default().bold();

/// The two streams of the program, or what is gathered for programs to read.
pub(crate) struct Printer<'s> {
    pub(crate) out: &'s mut dyn Write,
    pub(crate) err: &'s mut dyn Write,
    answer: Option<Answer>,
}

/// What a command answers to a program: it is one object, printed when the status is known.
#[derive(Default)]
struct Answer {
    command: &'static str,
    results: Vec<Value>,
    findings: Vec<Value>,
}

impl<'s> Printer<'s> {
    pub(crate) fn new(out: &'s mut dyn Write, err: &'s mut dyn Write) -> Self {
        Self { out, err, answer: None }
    }

    /// Gathers what a command says, for a program.
    pub(crate) fn for_programs(self, command: &'static str) -> Self {
        Self { answer: Some(Answer { command, ..Answer::default() }), ..self }
    }

    pub(crate) fn line(&mut self, text: &str) -> io::Result<()> {
        writeln!(self.out, "{text}")
    }

    /// A result, for a program.
    pub(crate) fn result(&mut self, value: Value) {
        if let Some(answer) = &mut self.answer {
            answer.results.push(value);
        }
    }

    /// What a person should know, where the answer is.
    pub(crate) fn findings(&mut self, findings: &[Finding], sources: &Sources) -> io::Result<()> {
        match &mut self.answer {
            Some(answer) => {
                answer.findings.extend(findings.iter().map(findings::finding_json));
                Ok(())
            }
            None => findings::print_findings(&mut *self.out, findings, sources, &Severity::word),
        }
    }

    /// The same behind what was printed, with an empty line between.
    pub(crate) fn findings_apart(&mut self, findings: &[Finding]) -> io::Result<()> {
        if self.answer.is_none() && !findings.is_empty() {
            self.line("")?;
        }
        self.findings(findings, &Sources::default())
    }

    /// Why a command could not go on, or a part of it; gives back the exit status.
    pub(crate) fn failed(&mut self, failed: Failed) -> Status {
        let status = failed.status();
        let reported = match (&mut self.answer, failed) {
            (Some(answer), failed) => {
                answer.findings.extend(failed.to_json());
                Ok(())
            }
            (None, failed) => {
                // What was already printed comes before what is said of it, if it can be printed.
                let _ = self.out.flush();
                failed.print(&mut *self.err)
            }
        };
        // Where nothing can be printed any more, the exit status is left.
        reported.map_or(Status::Failed, |()| status)
    }

    /// Prints the answer to a program, if it is one that asked.
    pub(crate) fn finish(self, status: Status) -> io::Result<()> {
        let Some(answer) = self.answer else { return Ok(()) };
        let value = json!({
            "fordcross": env!("CARGO_PKG_VERSION"),
            "command": answer.command,
            "status": status.code(),
            "verdict": status.verdict(),
            "findings": answer.findings,
            "results": answer.results,
        });
        let text = format!("{value:#}");
        writeln!(self.out, "{}", json_escaped(&text))?;
        self.out.flush()
    }
}

/// An error on the error stream.
pub(crate) fn print_error(err: &mut dyn Write, message: &str, help: Option<&str>) -> io::Result<()> {
    writeln!(err, "{RED}error{RED:#}: {}", clean(message))?;
    help.map_or(Ok(()), |help| writeln!(err, "  {CYAN}help{CYAN:#}: {}", clean(help)))
}

/// Text from outside on one line, without what could command a terminal or show text in another order than it has.
pub(crate) fn clean(text: &str) -> String {
    if !text.contains(is_unsafe) {
        return text.to_owned();
    }
    text.chars()
        .flat_map(|c| {
            let plain = (!is_unsafe(c)).then_some(c);
            let shown = is_unsafe(c).then(|| c.escape_default());
            plain.into_iter().chain(shown.into_iter().flatten())
        })
        .collect()
}

/// `1 setting`, `2 settings`.
pub(crate) fn count(number: usize, thing: &str) -> String {
    if number == 1 { format!("1 {thing}") } else { format!("{number} {thing}s") }
}
