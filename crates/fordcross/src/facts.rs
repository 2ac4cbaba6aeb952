//! Findings of the command line itself: about files and folders, and about what was asked for.

use fordcross_core::finding::{Count, Remedy, facts};

facts! {
    /// Findings about the entries of a folder or archive that are no plain files of it.
    pub(crate) enum EntryFact {
        LinkOutside { path: String, to: String } => LinkOutside,
            "`{path}` is a link out of the folder, to `{to}`, and was not read",
            help: "add `--follow-links` to read what links lead to, or put a copy in its place";
        LinkOutsideArchive { path: String, to: String } => LinkOutside,
            "`{path}` is a link to `{to}`, which is not in the archive",
            help: "pack the archive anew with what the link leads to";
        LinkInCircle { path: String, to: String } => EntryPassedOver,
            "`{path}` is a link to a folder that it stands in, `{to}`, and was not followed";
        Unreadable { path: String, why: String } => EntryUnreadable, "`{path}` cannot be read: {why}",
            help: "make it readable, or take it out if it says nothing";
        NoFile { path: String } => EntryPassedOver,
            "`{path}` is no file but a pipe, a socket or a device, and was not read";
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
            "`--to` names no model of {title}",
            help: "write `{platform}/MODEL@{release}`; the models are {models}";
        ListedMissing { path: String, list: String } => HashDiffers,
            "the file `{path}` is not there, and `{list}` lists it",
            remedy: fetch_again();
        HashDiffers { path: String, list: String } => HashDiffers,
            "the file `{path}` has another hash than `{list}` says",
            remedy: fetch_again();
        DataPassedOver { files: Count, first: String } => DataPassedOver,
            "{files} of the folder passed over: by its profile data, and no configuration; the first is `{first}`";
        TreatedAs { says: String, read_as: String } => ReleaseTreatedAs,
            "the backup says release `{says}` and was read as `{read_as}`, as asked",
            help: "look through the result with care: what changed between the two is not known";
        BaseWithDatabase { title: String } => BaseUnfit,
            "a base of {title} with a database in it cannot be carried into",
            help: "carry without `--base`, and put into the result what the unit has beyond it";
        OtherBase { base: String, target: String } => BaseUnfit,
            "the base is an export of `{base}`, and the receiving unit is `{target}`",
            help: "export the base from the receiving unit, or carry with `--to {base}`";
    }
}

/// For a file that is not what its list of hashes says.
fn fetch_again() -> Remedy {
    "fetch the backup again; if it was changed on purpose, put the new hash into the list".into()
}
