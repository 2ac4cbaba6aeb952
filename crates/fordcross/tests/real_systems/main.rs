//! The real receiving systems as judges: what they accept, and whether old and new behave the same. They run only
//! where they were asked for: `scripts/real-systems` fetches them and runs this target.
//!
//! - `servers`: what the profile of `PostgreSQL` says is held to servers of each release; results are started
//! - `values`: made-up settings that old servers take, asked of the newest
//! - `networks`: every sample of `interfaces` files that the packages have, judged by `netplan generate`
//! - `live`: old and new side by side in network namespaces
//! - `carried`: carrying, and what a ledger says
//! - `figures`: the figures of `docs/real-systems.md`

mod carried;
mod figures;
#[path = "../judged/kept.rs"]
mod kept;
mod knock_out;
mod live;
#[path = "../judged/mutants.rs"]
mod mutants;
mod networks;
mod programs;
mod server;
mod servers;
mod values;
