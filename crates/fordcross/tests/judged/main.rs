//! Random backups with random maps, carried by the built program and judged by a receiving system that
//! shares no code with it. `FORDCROSS_CASES` and `FORDCROSS_SEED` say how many, and which.
//!
//! - `generate`: backups made from what a profile declares
//! - `kept`: the figures of a campaign
//! - `maps`: maps with every action
//! - `cases`: what becomes of a case
//! - `figures`: those in the documents
//! - `gateways`: cases of gateways, and what the stand-in says of them
//! - `packets`: what two filters let through
//! - `random`: no result is refused, nothing is open that was closed, and all is covered
//! - `mutants`: a profile with one rule less
//! - `search`: rules taken out, and what shows that they are needed
//! - `knock_out`: without one rule of the receiving profile something is refused, or no longer told

mod cases;
mod figures;
mod gateways;
mod generate;
mod kept;
mod knock_out;
mod maps;
mod mutants;
mod packets;
mod random;
mod search;
