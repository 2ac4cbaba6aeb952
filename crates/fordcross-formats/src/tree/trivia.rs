//! What is between settings and is none: comments, and empty lines as comments without text. These are the names by which a
//! tree tells them apart.

/// An empty line, in a tree that is made: a comment without text.
pub const BLANK_LINE: &str = "gap";
/// A comment that was behind its statement, on the same line. In a tree it is before it.
pub const TRAILING: &str = "behind";
