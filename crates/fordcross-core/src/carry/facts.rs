//! Findings about a conversion as a whole.

use crate::finding::{Count, facts};
use std::fmt;

/// Old names that still are in a text, each as it is there and, where that is open, the entry that it is of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct OldNames(pub(super) Vec<OldName>);

/// One of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct OldName {
    /// The entry of the map.
    pub(super) entry: String,
    /// What is there, where it may be shown and is not the entry itself.
    pub(super) found: Option<String>,
}

impl fmt::Display for OldNames {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, OldName { entry, found }) in self.0.iter().enumerate() {
            if index > 0 {
                f.write_str(", ")?;
            }
            match found {
                Some(found) => write!(f, "`{found}` (of `{entry}`)")?,
                None => write!(f, "`{entry}`")?,
            }
        }
        f.write_str(if self.0.len() == 1 { " still stands" } else { " still stand" })
    }
}

facts! {
    /// What a person should know of a conversion.
    pub(super) enum CarryFact {
        RedactedCopy => RedactedCopy, "the backup is a redacted copy: what it was made to hide is not in it",
            help: "carry the backup itself";
        OldNames { names: OldNames } => OldNameLeft, "{names} in a text, where nothing is mapped",
            help: "change it in the result by hand, if it means what has another name now";
        PortLeft { port: String, settings: Count } => PortLeft,
            "the map leaves the port `{port}` out, and with it {settings}";
        PortOpen { port: String, settings: Count, why: String } => PortOpen,
            "the port `{port}` has {settings} and no partner: {why}",
            help: "give it one in the map, `{port} = \"…\"` under [ports], or `\"leave\"` to leave its settings out";
        LastMember { object: String, path: String, port: String } => LastMemberLeft,
            "`{object}` has no `{path}` left: the map leaves the port `{port}` out, the last of them",
            help: "give the port a new one in the map, or leave out what is made of it, too";
        NotReached { what: &'static str } => ConnectivityLost, "{what} does not arrive",
            help: "see to it before the change, or the unit may not be reached";
    }
}
