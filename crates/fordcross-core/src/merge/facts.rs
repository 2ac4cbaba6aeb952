//! Findings about a base and of what stays of it.

use crate::finding::{Choice, Count, Remedy, facts};

facts! {
    /// What a person should know of the base.
    pub(super) enum BaseFact {
        Unencodable { charset: &'static str, lacking: String } => BaseUnfit,
            "the base is in {charset}, which has no `{lacking}`",
            help: "let the receiving unit export it in UTF-8, or change the value in the backup";
        Admits { what: String } => BaseAdmits, "the base has {what} of which the backup says nothing",
            help: "it stays as it is; remove it on the new unit if it should not be there";
        Beyond { settings: Count } => BaseBeyond,
            "the base has {settings} of which the backup says nothing; they stay",
            remedy: Remedy::default().choice(Choice::BaseRows).text(" lists them");
        Overrides { label: String } => BaseOverrides,
            "the base sets this otherwise at `{label}`, which counts before it",
            help: "take it out there on the new unit, if the value of the backup is to hold";
    }
}
