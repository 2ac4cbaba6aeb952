//! What is among files and is none.

/// What is in a folder or an archive and is no plain file of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Remark {
    /// The path from the folder on.
    pub path: String,
    /// What was done about it.
    pub about: About,
}

/// What an entry is that is no plain file, and what was done about it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum About {
    /// A link to what was read in its place.
    Followed {
        /// As the link says it.
        to: String,
    },
    /// A link out of the folder that nobody said to follow.
    Outside {
        /// As the link says it.
        to: String,
    },
    /// A link out of the archive, or to nothing in it.
    OutsideArchive {
        /// As the link says it.
        to: String,
    },
    /// A link to a folder that it is in.
    Around {
        /// As the link says it.
        to: String,
    },
    /// A file or folder that the system does not let us read.
    Unreadable {
        /// In the system's words.
        why: String,
    },
    /// A pipe, a socket, a device.
    NoFile,
}

/// A link as an archive has it.
#[derive(Debug)]
pub(super) struct Link {
    pub path: String,
    /// For a hard link, the path of a member; otherwise from the link's own folder on.
    pub to: String,
    pub is_hard: bool,
}
