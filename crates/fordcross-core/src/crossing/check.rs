//! Checks that look at the rules of a crossing together.

use super::{Place, Rule};
use crate::finding::Code;
use crate::source::Span;
use crate::toml_file::Report;

/// Reports each rule that an earlier one leaves nothing for.
pub(super) fn check_hidden(report: &Report<'_>, rules: &[(Span, Rule)], places: &[Place]) {
    for (index, (span, rule)) in rules.iter().enumerate() {
        let Some(needed) = rule.clauses.first() else { continue };
        let hider = rules[..index].iter().find(|(_, earlier)| earlier.takes_all_of(&needed.pattern, places));
        if let Some((_, hider)) = hider {
            report
                .add(
                    Code::RuleHidden,
                    *span,
                    format!("the rule in line {} takes this first, always", hider.at.line),
                )
                .help("put the more exact rule first, or remove this one");
        }
    }
}
