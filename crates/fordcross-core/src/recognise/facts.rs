//! Findings about whether and how a backup can be read.

use crate::finding::{AllOf, Choice, Remedy, facts};

facts! {
    /// Why a backup is not read, or how it is.
    pub(crate) enum BackupFact {
        MoreThanFits { what: &'static str, most: usize } => TooLarge,
            "{what} has more than {most} settings and objects, which is all that fits into the allowed memory",
            remedy: Remedy::from("allow more memory with ")
                .choice(Choice::MaxMemory)
                .text(", or take a backup of fewer sections");
        MoreThanMost { what: &'static str, most: usize } => TooLarge,
            "{what} has more than {most} settings and objects, which is the most that can be read",
            help: "take a backup of fewer sections";
        Unrecognised { look: String, looked_for: Vec<String> } => Unrecognised,
            "no profile recognises this file: it is {look}",
            remedy: Remedy::from(format!("looked for {}; add a profile with ", looked_for.join(", ")))
                .choice(Choice::Profiles);
        OfSeveral { platforms: AllOf } => Unrecognised, "the backup can be one of {platforms}",
            remedy: Remedy::from("say which with ").choice(Choice::From);
        NotOf { platform: String, said: String } => Unrecognised, "the file is none of `{platform}`: {said}",
            remedy: Remedy::from("mend it, or say what it is with ").choice(Choice::From);
        TakenByLines { place: String } => FileByLines,
            "the file is read as `{place}`, by what its lines begin with and not by its name",
            remedy: Remedy::from("check that it is; give it its own name, or say what it is with ").choice(Choice::From);
        NoCandidate => ConfigurationMissing, "the backup has one configuration, and none in progress",
            remedy: Remedy::from("leave ").choice(Choice::Configuration).text(" out");
        ReleaseUnlisted { name: String, title: String, known: AllOf } => ReleaseUnlisted,
            "there is no release `{name}` in the profile of {title}",
            remedy: Remedy::from(format!("the profile lists {known}"))
                .text("; releases are never guessed: use ")
                .choice(Choice::From)
                .text(" to read it as a known one");
        ReleaseUnsaid { title: String } => ReleaseUnlisted,
            "the backup does not say which release of {title} wrote it",
            remedy: Remedy::from("name it with ").choice(Choice::From);
    }
}

facts! {
    /// Findings about where a configuration is in a folder or archive.
    pub(super) enum RootsFact {
        Beside { file: String, root: String } => OutsideConfiguration,
            "`{file}` is next to the configuration in `{root}`, and not part of it";
        ManyBeside { file: String, more: usize, root: String } => OutsideConfiguration,
            "`{file}` and {more} more files are next to the configuration in `{root}`, and not part of it";
        Several { number: usize, roots: String } => Unrecognised, "there are {number} configurations: {roots}",
            help: "name the folder of one of them; unpack an archive first";
    }
}
