//! The engine through its public doors, on small lines made for the tests.
//!
//! - `small`: a pair of small lines and what is made of a text under them
//! - `rules`: what each kind of rule does, one case a line
//! - `generated`: the invariants on lines, crossings and backups that are generated together
//! - `invariants`: what must hold for any backup
//! - `judging`: the rules of the receiving platform
//! - `many`: the same where there are many rows

mod dialects;
mod generated;
mod hostile;
mod inheritance;
mod invariants;
mod judging;
mod many;
mod order;
mod reads;
mod rules;
mod sharing;
mod small;
