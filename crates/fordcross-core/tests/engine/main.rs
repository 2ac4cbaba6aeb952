//! The engine through its public doors, on small lines made for the tests.
//!
//! - `small`: a pair of small lines and what is made of a text under them
//! - `rules`: what each kind of rule does, one case a line
//! - `invariants`: what must hold for any backup

mod invariants;
mod rules;
mod small;
