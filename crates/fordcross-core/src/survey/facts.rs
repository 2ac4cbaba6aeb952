//! Findings about when a backup was taken, and of how much.

use crate::finding::{Count, facts};

facts! {
    /// What to know of a backup before it is carried.
    pub(super) enum TakenFact {
        InFuture { taken: String, days: Count } => TakenInFuture,
            "the backup says that it was taken on {taken}, which is {days} from now",
            help: "the clock of the old unit was wrong: see that it is the backup that you mean";
        LongAgo { days: Count } => TakenLongAgo, "the backup was taken {days} ago",
            help: "take a new one if the old unit is still there: what was set since is not in it";
        Partial { kind: String } => NotWhole,
            "the backup is of the kind `{kind}`, which does not hold everything",
            help: "take a whole one if the old unit is still there: what this one lacks is not carried";
    }
}
