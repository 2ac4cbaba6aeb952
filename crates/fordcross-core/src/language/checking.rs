//! How far files of the library are checked.

/// How far a profile or crossing is checked when it is parsed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Checking {
    /// Everything.
    Whole,
    /// What the file says on its own and what it refers to, but not its expressions, which are compiled when
    /// first needed, nor its rules or declarations against each other: for what ships, and was checked whole by a test.
    Shipped,
}
