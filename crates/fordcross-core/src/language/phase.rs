//! When something is done about an import.

/// When a step of the work around the import is to be done.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Phase {
    /// Before the old system is touched.
    Before,
    /// While the change is made.
    At,
    /// When the new system runs.
    After,
}

impl Phase {
    pub(crate) const ALL: [(&'static str, Self); 3] =
        [("before", Self::Before), ("at", Self::At), ("after", Self::After)];

    /// The word for it in a runbook.
    pub fn label(self) -> &'static str {
        match self {
            Self::Before => "before",
            Self::At => "during",
            Self::After => "after",
        }
    }

    /// The word for it in files and for programs.
    pub fn word(self) -> &'static str {
        match self {
            Self::Before => "before",
            Self::At => "at",
            Self::After => "after",
        }
    }
}
