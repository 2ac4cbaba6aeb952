//! Random backups with random maps, carried by the built program and judged by a receiving system that
//! shares no code with it. `FORDCROSS_CASES` and `FORDCROSS_SEED` say how many, and which.
//!
//! - `generate`: backups made from what a profile declares
//! - `kept`: the figures of a campaign
//! - `maps`: maps with every action
//! - `carries`: one case, carried and judged
//! - `packets`: what two filters let through
//! - `random`: no result is refused, nothing is open that was closed, and all is covered
//! - `mutants`: a profile with one rule less
//! - `knock_out`: without one rule of the receiving profile something is refused, or no longer told

mod carries;
mod generate;
mod kept;
mod knock_out;
mod maps;
mod mutants;
mod packets;
mod random;
