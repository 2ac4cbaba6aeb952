//! How a failure that ends a command is reported: to people on the error stream, to programs as findings.

use super::findings::{finding_json, print_findings};
use super::print_error;
use crate::status::{Failed, lower};
use fordcross_core::finding::Severity;
use serde_json::{Value, json};
use std::io::{self, Write};

impl Failed {
    /// Tells it on the error stream.
    pub(crate) fn print(&self, err: &mut dyn Write) -> io::Result<()> {
        match self {
            Self::Findings(findings, sources) => print_findings(err, findings, sources, &error_word),
            Self::Message { message, help, .. } => print_error(err, message, help.as_deref()),
            Self::Unwritten(error) => {
                print_error(err, &format!("cannot write to standard output: {}", lower(error)), None)
            }
        }
    }

    /// The same for programs, as findings.
    pub(crate) fn to_json(&self) -> Vec<Value> {
        if let Self::Findings(findings, _) = self {
            let reported = findings.iter().map(|finding| {
                let mut reported = finding_json(finding);
                reported["severity"] = error_word(finding.severity).into();
                reported
            });
            return reported.collect();
        }
        let help = match self {
            Self::Message { help, .. } => help.as_deref(),
            _ => None,
        };
        let code = self.status().verdict();
        vec![json!({
            "id": code, "code": code, "severity": "error", "message": self.first_line(), "help": help, "places": [],
            "rule": null, "map": null, "count": 1, "shows": null,
        })]
    }
}

/// What ends a command is an error; what else is said with it is what it is.
fn error_word(severity: Severity) -> &'static str {
    if severity == Severity::Blocker { "error" } else { severity.word() }
}
