//! What becomes of a value where it is read or written as a type: what was expected, what was lost, why it does not fit.

/// Why a text is not a value of its type. Never quotes the text: who asks knows whether it may.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Misread {
    /// What was expected: "a whole number from 576 to 9200".
    pub expected: String,
}

impl Misread {
    pub(crate) fn expected<T>(what: impl Into<String>) -> Result<T, Self> {
        Err(Self { expected: what.into() })
    }
}
