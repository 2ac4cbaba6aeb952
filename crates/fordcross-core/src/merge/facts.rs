//! Findings about a base and of what stays of it.

use crate::finding::{Choice, Count, Remedy, facts};

facts! {
    /// What a person should know of the base.
    pub(super) enum BaseFact {
        Unencodable { charset: &'static str, lacking: String } => BaseUnfit,
            "the base is encoded in {charset}, which has no `{lacking}`",
            help: "export the base in UTF-8, or change the value in the backup";
        Admits { what: String } => BaseGrantsAccess, "the base has {what} that is not in the backup",
            help: "it is kept; remove it on the new unit if it should not be there";
        NumberTaken { label: String } => BaseNumberTaken,
            "the base has another `{label}`; the crossing made this name by counting",
            help: "compare the two on the new unit; `replace` in the `[base]` of the crossing leaves out what the base has there";
        Beyond { settings: Count } => BaseExtra,
            "{settings} kept from the base: not in the backup",
            remedy: Remedy::default().choice(Choice::BaseRows).text(" lists them");
        Overrides { label: String } => BaseOverrides,
            "the base has another value at `{label}`, which takes precedence",
            help: "if the value of the backup should apply, remove the other one on the new unit";
    }
}
