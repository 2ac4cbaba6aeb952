//! Findings of the command line itself: about files and folders, and about what was asked for.

use fordcross_core::finding::{Count, Remedy, facts};

facts! {
    /// Findings about the entries of a folder or archive that are no plain files of it.
    pub(crate) enum EntryFact {
        LinkOutside { path: String, to: String } => LinkOutside,
            "`{path}` is a link out of the folder, to `{to}`, and was not read",
            help: "add `--follow-links` to read linked files, or replace the link with a copy";
        LinkOutsideArchive { path: String, to: String } => LinkOutside,
            "`{path}` is a link to `{to}`, which is not in the archive",
            help: "pack the archive again with the target of the link";
        LinkInCircle { path: String, to: String } => EntryPassedOver,
            "`{path}` is a link to a folder that contains it, `{to}`, and was not followed";
        Unreadable { path: String, why: String } => EntryUnreadable, "`{path}` cannot be read: {why}",
            help: "make it readable, or remove it if it is not needed";
        NoFile { path: String } => EntryPassedOver,
            "`{path}` is not a file but a pipe, a socket or a device, and was not read";
        LinkFollowed { path: String, to: String } => LinkFollowed,
            "1 link was followed; the first is `{path}`, to `{to}`";
        LinksFollowed { links: Count, path: String, to: String } => LinkFollowed,
            "{links} were followed; the first is `{path}`, to `{to}`";
    }
}

facts! {
    /// Findings about the files that a command was given.
    pub(crate) enum GivenFact {
        NoModel { title: String, platform: String, release: String, models: String } => ModelUnknown,
            "`--to` is missing the model of {title}",
            help: "write `{platform}/MODEL@{release}`; the models are {models}";
        ListedMissing { path: String, list: String } => HashDiffers,
            "the file `{path}` is missing, and `{list}` lists it",
            remedy: fetch_again();
        HashDiffers { path: String, list: String } => HashDiffers,
            "the file `{path}` does not match its hash in `{list}`",
            remedy: fetch_again();
        DataFilesSkipped { files: Count, first: String } => DataFilesSkipped,
            "{files} skipped: data, not configuration, according to the profile; the first is `{first}`";
        TreatedAs { says: String, read_as: String } => ReleaseTreatedAs,
            "the backup is of release `{says}` and was read as `{read_as}`, as requested",
            help: "check the result carefully: what changed between the two releases is not known";
        BaseWithDatabase { title: String } => BaseUnfit,
            "a base of {title} with a database cannot be used",
            help: "carry without `--base`, and add to the result what the unit has beyond it";
        OtherBase { base: String, target: String } => BaseUnfit,
            "the base is an export of `{base}`, and the target is `{target}`",
            help: "export the base from the target, or carry with `--to {base}`";
    }
}

/// For a file that is not what its list of hashes says.
fn fetch_again() -> Remedy {
    "fetch the backup again; if it was changed on purpose, update the hash in the list".into()
}
