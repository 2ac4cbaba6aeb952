//! Figures in the documents are no older than what they were measured with.

use crate::gateways::{CROSSING, OSIER, TEASEL};
use crate::kept::hash;
use rstest::rstest;
use std::fs;
use std::path::Path;

const IFUPDOWN: &str = include_str!("../../../fordcross-profiles/platforms/ifupdown/ifupdown.profile.toml");
const NETPLAN: &str = include_str!("../../../fordcross-profiles/platforms/netplan/netplan.profile.toml");
const HOSTS: &str =
    include_str!("../../../fordcross-profiles/platforms/netplan/ifupdown-0.8-to-netplan-0.106.crossing.toml");
const SERVERS: &str =
    include_str!("../../../fordcross-profiles/platforms/postgresql/postgresql.profile.toml");

#[rstest]
#[case("osier-random", &[TEASEL, OSIER, CROSSING])]
#[case("osier-knock-out", &[OSIER])]
#[case("netplan-random", &[IFUPDOWN, NETPLAN, HOSTS])]
#[case("netplan-knock-out", &[NETPLAN])]
#[case("networks-together", &[IFUPDOWN, NETPLAN, HOSTS])]
#[case("networks-habits", &[IFUPDOWN, NETPLAN, HOSTS])]
#[case("postgresql-knock-out", &[SERVERS])]
fn figures_are_no_older_than_their_profiles(#[case] name: &str, #[case] of: &[&str]) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../../docs/figures/{name}.toml"));
    let kept = fs::read_to_string(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
    let is_of = kept.contains(&format!("of = \"{}\"", hash(of)));
    assert!(is_of, "{name}: the profile or crossing is newer than its figures: run cargo xtask campaign");
}
