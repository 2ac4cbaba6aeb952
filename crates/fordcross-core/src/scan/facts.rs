//! Findings about how objects hang together.

use crate::finding::facts;

facts! {
    /// What is wrong with what an object inherits from.
    pub(super) enum InheritanceFact {
        Circle { name: String } => InheritanceCycle, "`{name}` leads back to the object that inherits from it",
            help: "what it would have had from there is missing; set it by hand";
        Missing { name: String } => ReferenceBroken, "it inherits from `{name}`, which is not there",
            help: "what it would have had from there is missing; set it by hand";
    }
}
