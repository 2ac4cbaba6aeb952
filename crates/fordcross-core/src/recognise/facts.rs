//! Findings about whether and how a backup can be read.

use crate::finding::{AllOf, Choice, Remedy, facts};

facts! {
    /// Why a backup is not read, or how it is.
    pub(crate) enum BackupFact {
        MoreThanFits { what: &'static str, most: usize } => TooLarge,
            "{what} has more than {most} settings and objects, as many as fit into the memory that may be used",
            remedy: Remedy::from("allow more memory with ")
                .choice(Choice::MaxMemory)
                .text(", or take a backup of fewer sections");
        MoreThanMost { what: &'static str, most: usize } => TooLarge,
            "{what} has more than {most} settings and objects, the most that are read",
            help: "take a backup of fewer sections";
        Unrecognised { look: String, looked_for: Vec<String> } => Unrecognised,
            "no profile recognises this file: it is {look}",
            remedy: Remedy::from(format!("looked for {}; add a profile with ", looked_for.join(", ")))
                .choice(Choice::Profiles);
        NoCandidate => ConfigurationMissing, "the backup has one configuration, none that was being worked on",
            remedy: Remedy::from("leave ").choice(Choice::Configuration).text(" out");
        ReleaseUnlisted { name: String, title: String, known: AllOf } => ReleaseUnlisted,
            "there is no release `{name}` in the profile of {title}",
            remedy: Remedy::from(format!("the profile lists {known}"))
                .text("; releases are never guessed: ")
                .choice(Choice::TreatAs)
                .text(" says as which one to read it");
        ReleaseUnsaid { title: String } => ReleaseUnlisted,
            "the backup does not say which release of {title} wrote it",
            remedy: Remedy::from("say it with ").choice(Choice::TreatAs);
    }
}

facts! {
    /// Findings about where a configuration is in a folder or archive.
    pub(super) enum RootsFact {
        Beside { file: String, root: String } => OutsideConfiguration,
            "`{file}` stands beside the configuration in `{root}`, and is no part of it";
        ManyBeside { file: String, more: usize, root: String } => OutsideConfiguration,
            "`{file}` and {more} more files stand beside the configuration in `{root}`, and are no part of it";
        Several { number: usize, roots: String } => Unrecognised, "it holds {number} configurations: {roots}",
            help: "name the folder of one of them; unpack an archive first";
    }
}
