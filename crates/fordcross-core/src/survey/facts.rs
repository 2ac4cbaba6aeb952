//! Findings about when a backup was taken, and of how much.

use crate::finding::{Count, facts};

facts! {
    /// What to know of a backup before it is carried.
    pub(super) enum TakenFact {
        InFuture { taken: String, days: Count } => TakenInFuture,
            "the backup is dated {taken}, {days} in the future",
            help: "check the old unit's clock, and that this is the right backup";
        LongAgo { days: Count } => TakenLongAgo, "the backup is {days} old",
            help: "take a new one if the old unit still runs: later changes are not in it";
        Partial { kind: String } => NotWhole,
            "the backup is of kind `{kind}`, which is partial",
            help: "take a full backup if the old unit still runs: what is missing here is not carried";
    }
}
