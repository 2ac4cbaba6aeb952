//! Exit statuses, and what ends a command early.

use crate::sources::Sources;
use fordcross_core::carry::FateCount;
use fordcross_core::fate::Fate;
use fordcross_core::finding::{Code, Finding};
use std::io::{self};
use std::path::Path;

/// How a command ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Status {
    Done,
    Failed,
    WrongUsage,
    Blocked,
    PersonNeeded,
}

impl Status {
    pub(crate) fn code(self) -> u8 {
        match self {
            Self::Done => 0,
            Self::Failed => 1,
            Self::WrongUsage => 2,
            Self::Blocked => 3,
            Self::PersonNeeded => 4,
        }
    }

    /// The word for it.
    pub(crate) fn verdict(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::Failed => "failed",
            Self::WrongUsage => "wrong-usage",
            Self::Blocked => "blocked",
            Self::PersonNeeded => "person-needed",
        }
    }

    /// The status of a carry: a function of its fates and findings alone.
    /// `strict` holds how many findings count, where anything that needs a person does: see [`needs_person`].
    pub(crate) fn of_carry(blocked: bool, counts: &[FateCount], strict: Option<usize>) -> Self {
        let needs_person =
            |count: &FateCount| matches!(count.fate, Fate::Dropped | Fate::ByHand | Fate::Unmatched);
        if blocked {
            Self::Blocked
        } else if strict.is_some_and(|passed| passed > 0 || counts.iter().any(needs_person)) {
            Self::PersonNeeded
        } else {
            Self::Done
        }
    }
}

/// Whether a finding of a carry says that a person is needed, where no fate does.
pub(crate) fn needs_person(finding: &Finding) -> bool {
    matches!(
        finding.code(),
        Code::ValueApproximated | Code::BaseOverrides | Code::IncludeTaken | Code::WeakeningPin
    )
}

/// Why a command could not go on.
#[derive(Debug)]
pub(crate) enum Failed {
    /// What is wrong with a person's files.
    Findings(Vec<Finding>, Sources),
    /// One sentence, with what to do.
    Message { message: String, help: Option<String>, status: Status },
    /// What is printed cannot be written.
    Unwritten(io::Error),
}

impl From<io::Error> for Failed {
    fn from(error: io::Error) -> Self {
        Self::Unwritten(error)
    }
}

impl From<Box<Finding>> for Failed {
    fn from(finding: Box<Finding>) -> Self {
        Self::Findings(vec![*finding], Sources::default())
    }
}

impl From<Vec<Finding>> for Failed {
    fn from(findings: Vec<Finding>) -> Self {
        Self::Findings(findings, Sources::default())
    }
}

impl Failed {
    pub(crate) fn message(message: impl Into<String>) -> Self {
        Self::Message { message: message.into(), help: None, status: Status::Failed }
    }

    /// What is wrong, in one line.
    pub(crate) fn first_line(&self) -> String {
        match self {
            Self::Findings(findings, _) => findings.first().map_or_else(String::new, Finding::message),
            Self::Message { message, .. } => message.clone(),
            Self::Unwritten(error) => format!("cannot write to standard output: {}", lower(error)),
        }
    }

    pub(crate) fn usage(message: impl Into<String>) -> Self {
        Self::Message { message: message.into(), help: None, status: Status::WrongUsage }
    }

    pub(crate) fn file(path: &Path, doing: &str, error: &io::Error) -> Self {
        Self::message(format!("cannot {doing} `{}`: {}", path.display(), lower(error)))
    }

    pub(crate) fn help(self, text: impl Into<String>) -> Self {
        match self {
            Self::Message { message, status, .. } => {
                Self::Message { message, help: Some(text.into()), status }
            }
            other => other,
        }
    }

    /// The exit status that it ends with.
    pub(crate) fn status(&self) -> Status {
        match self {
            Self::Message { status, .. } => *status,
            Self::Findings(..) | Self::Unwritten(_) => Status::Failed,
        }
    }
}

/// What the system says, as a part of a sentence.
pub(crate) fn lower(error: &io::Error) -> String {
    let text = error.to_string();
    let text = text.split(" (os error").next().unwrap_or(&text);
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_lowercase().chain(chars).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(true, Fate::Carried, Some(0), 3)]
    #[case(false, Fate::Carried, Some(0), 0)]
    #[case(false, Fate::Carried, Some(1), 4)]
    #[case(false, Fate::Carried, None, 0)]
    #[case(false, Fate::Approximated, Some(0), 0)]
    #[case(false, Fate::LeftOut, Some(0), 0)]
    #[case(false, Fate::Dropped, Some(0), 4)]
    #[case(false, Fate::ByHand, Some(0), 4)]
    #[case(false, Fate::Unmatched, Some(0), 4)]
    #[case(false, Fate::Unmatched, None, 0)]
    fn carry_status(
        #[case] blocked: bool,
        #[case] fate: Fate,
        #[case] strict: Option<usize>,
        #[case] code: u8,
    ) {
        let counts = [FateCount { section: "x".into(), fate, settings: 1, objects: 0 }];
        assert_eq!(Status::of_carry(blocked, &counts, strict).code(), code);
    }
}
