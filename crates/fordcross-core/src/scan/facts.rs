//! Findings about how objects hang together.

use crate::finding::facts;

facts! {
    /// What is wrong with what an object inherits from.
    pub(super) enum InheritanceFact {
        Circle { name: String } => InheritanceCycle, "`{name}` inherits from the object itself",
            help: "inherited values are missing; set them by hand";
        Missing { name: String } => ReferenceBroken, "it inherits from `{name}`, which does not exist",
            help: "inherited values are missing; set them by hand";
    }
}
