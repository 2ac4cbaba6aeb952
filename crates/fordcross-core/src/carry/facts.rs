//! Findings about a conversion as a whole.

use crate::finding::{Choice, Count, Remedy, facts};
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
        f.write_str(if self.0.len() == 1 { " is still" } else { " are still" })
    }
}

facts! {
    /// What a person should know of a conversion.
    pub(super) enum CarryFact {
        RedactedCopy => RedactedCopy, "the backup is a redacted copy: its hidden values cannot be carried",
            help: "carry the original backup";
        Unwritable => ValueUnsupported, "the target's format cannot say this so that it reads back as it was written",
            help: "set it on the new unit by hand";
        OldNames { names: OldNames } => StaleReference, "{names} in free text, which the map does not change",
            help: "if it means what was renamed, change it in the result by hand";
        PortLeft { port: String, settings: Count } => PortLeft,
            "the map leaves out the port `{port}`, with {settings}";
        PortOpen { port: String, settings: Count, why: String } => PortOpen,
            "port `{port}` ({settings}) is not mapped: {why}",
            help: "map it under [ports]: `{port} = \"…\"`, or `\"leave\"` to leave its settings out";
        Weakening { label: String, value: String } => WeakeningPin,
            "`{label} = {value}` is the old default, and weaker than what the new system does by itself",
            remedy: Remedy::default().choice(Choice::PinSafe).text(" leaves such defaults out; look who depends on it first");
        LastMember { object: String, path: String, port: String } => LastMemberLeft,
            "`{object}` has no `{path}` left: the map leaves out the port `{port}`, the last one",
            help: "map the port, or leave out what is built on it, too";
        NotReached { what: &'static str } => ConnectivityLost, "{what} does not arrive",
            help: "arrange another way in before the change, or you may lose access to the unit";
    }
}
