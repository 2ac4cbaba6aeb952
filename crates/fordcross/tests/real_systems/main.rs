//! The real receiving systems as judges: what they accept, and whether old and new behave the same. They run only
//! where they were asked for: `cargo xtask real-systems` fetches them and runs this target.
//!
//! - `servers`: what the profile of `PostgreSQL` says is held to servers of each release; results are started
//! - `values`: made-up settings that old servers take, asked of the newest
//! - `networks`: every sample of `interfaces` files that the packages have, judged by `netplan generate`
//! - `held_out`: configurations that nobody looked at, both sides compared by `facts` and `built`
//! - `held_servers`: the same of servers, both started as they are, compared by `server_facts`
//! - `standby`: a standby follows its primary on both sides
//! - `hosts`: files of hosts made from what the profile declares, with maps
//! - `host_judge`: what `netplan generate` says of them, and of each rule taken out
//! - `daemon`: a daemon that does not ship, described by a worked example, judged by its own parser
//! - `live`: old and new side by side in network namespaces
//! - `routers`: the same with a router that advertises, and which name server is asked
//! - `carried`: carrying, and what a ledger says
//! - `way_back`: the runbook of a change of networks, and back
//! - `figures`: the figures of `docs/real-systems.md`

mod built;
mod carried;
#[path = "../judged/cases.rs"]
mod cases;
mod daemon;
mod facts;
mod figures;
mod held_out;
mod held_servers;
mod host_judge;
mod hosts;
#[path = "../judged/kept.rs"]
mod kept;
mod knock_out;
mod live;
#[path = "../judged/mutants.rs"]
mod mutants;
mod networks;
mod programs;
mod routers;
#[path = "../judged/search.rs"]
mod search;
mod server;
mod server_facts;
mod servers;
mod standby;
mod values;
mod way_back;
