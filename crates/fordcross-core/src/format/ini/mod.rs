//! INI: sections with keys and values; without sections, plain `key = value`.
//!
//! There is no standard for it, so a profile says how its line writes it ([`Dialect`]). A section is a
//! branch; what its heading says beside its name is an attribute of it.

mod read;
mod write;

pub(crate) use read::read_ini;
pub(crate) use write::{write_ini, write_lines, write_value};

/// How a line writes its files.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Dialect {
    /// What stands between a key and its value.
    pub(crate) separator: char,
    /// What a line begins with that is a comment.
    pub(crate) comments: Vec<char>,
    /// Values may stand in double quotes, in which `\"`, `\\` and `\n` stand for themselves and a line end.
    pub(crate) quotes: bool,
    /// What stands in a heading between the name of a section and that of one of several, and the setting
    /// that the latter is.
    pub(crate) heading: Option<(String, String)>,
}

impl Default for Dialect {
    fn default() -> Self {
        Self { separator: '=', comments: vec!['#', ';'], quotes: false, heading: None }
    }
}

impl Dialect {
    /// Whether a value can be written so that it reads back to itself.
    pub(crate) fn holds(&self, text: &str) -> bool {
        self.quotes || !text.contains(['\n', '\r']) && text.trim() == text
    }
}
