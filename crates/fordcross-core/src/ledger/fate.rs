//! What became of a setting.

use std::fmt;

macro_rules! fates {
    ($($variant:ident $word:literal $about:literal)*) => {
        /// What became of one setting or object of the backup, from the mildest to the gravest: where
        /// it landed in several places, its fate is the gravest of theirs.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Fate { $(#[doc = $about] $variant,)* }

        impl Fate {
            /// All fates, the mildest first.
            pub const ALL: &[Self] = &[$(Self::$variant,)*];

            /// The word for it.
            pub fn word(self) -> &'static str { match self { $(Self::$variant => $word,)* } }

            /// What it means, in one line.
            pub fn about(self) -> &'static str { match self { $(Self::$variant => $about,)* } }
        }
    };
}

fates! {
    Carried "carried" "same value, in its old or its new place"
    Remapped "remapped" "a port, path, address or name in it was replaced by the map"
    Recast "recast" "same meaning, written in another way"
    Folded "folded" "joined with, or split into, others"
    Moot "moot" "nothing to write: implied, the same as the default, overridden, or without effect"
    Protection "kept" "the target's own value was kept, as asked"
    LeftOut "left-out" "outside the selection, or left out by the person"
    Approximated "approximated" "had to be rounded, clamped or shortened"
    Parked "parked" "kept on a placeholder so that references hold"
    Dropped "dropped" "the target has no equivalent"
    ByHand "by-hand" "a person must set it"
    Unmatched "unmatched" "no rule covers it"
}

impl fmt::Display for Fate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.word())
    }
}

/// Where a row of the result comes from that no setting of the backup is behind.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Origin {
    /// Written by the crossing, or by the receiving profile to say what the file is.
    Added,
    /// The old default, written out because the new one differs.
    Pinned,
    /// The base's own: nothing of the backup speaks of it.
    Base,
}

impl Origin {
    /// All origins.
    pub const ALL: &[Self] = &[Self::Added, Self::Pinned, Self::Base];

    /// What it means, in one line, fit to follow "settings of the result".
    pub fn about(self) -> &'static str {
        match self {
            Self::Added => "added by the crossing, or by the profile to state what the file is for",
            Self::Base => "kept from the base",
            Self::Pinned => "pinned: an old default, written out because the new one differs",
        }
    }

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Added => "added",
            Self::Pinned => "pinned",
            Self::Base => "base",
        }
    }
}
