//! What comes from outside: addresses and routes of a router that advertises, and which name server is asked. Both need networkd, or
//! resolved, at work in a namespace of their own.

use crate::carried::{Carried, carry, map_with_same_names};
use crate::networks::{TO, generate};
use crate::programs::{kept, run, said};
use rstest::rstest;
use std::fs;
use std::path::Path;
use std::process::Command;
use tempfile::TempDir;

const ROUTER: &str = include_str!("live_scripts/router.sh");
const RESOLVER: &str = include_str!("live_scripts/resolver.sh");
const PORTS: &str = "eth0 eth1 eth2 eth3";

/// The lines that a script prints in a namespace.
fn asked(script: &str, variables: &[(&str, &str)], from: &Path) -> Vec<String> {
    let mut command = Command::new("timeout");
    command
        .args(["60", "unshare", "-n", "-m", "bash", "-c", script])
        .envs(variables.iter().copied())
        .env("FROM", from);
    let output = run(&mut command);
    assert!(output.status.success(), "{}", said(&output));
    String::from_utf8_lossy(&output.stdout).lines().map(str::to_owned).collect()
}

/// The result of a file with its own names, one text in it replaced, and what netplan makes of it.
fn changed(interfaces: &str, planted: (&str, &str)) -> (TempDir, Carried, TempDir) {
    let folder = TempDir::new().expect("a temporary folder");
    fs::write(folder.path().join("interfaces"), interfaces).expect("written");
    let carried = carry(folder.path(), TO, &map_with_same_names(folder.path(), TO), &[]);
    let yaml = carried.ending(".yaml");
    let text = fs::read_to_string(&yaml).expect("a result");
    assert!(text.contains(planted.0), "{text}");
    fs::write(&yaml, text.replacen(planted.0, planted.1, 1)).expect("written");
    let root = generate(&yaml, interfaces);
    (folder, carried, root)
}

const ADVERTISED: &str = "\
auto eth0
iface eth0 inet6 static
    address 2001:db8:50::10/64
    gateway 2001:db8:50::1
auto eth1
iface eth1 inet6 auto
auto eth2
iface eth2 inet static
    address 192.0.2.2/24
auto eth3
iface eth3 inet6 static
    address 2001:db8:53::10/64
    accept_ra 0
";

/// What netplan has no setting for: routes of a router, and no address.
const ROUTES_ONLY: &str = "auto eth3\niface eth3 inet6 static\n    address 2001:db8:53::10/64\n";

#[rstest]
#[case::as_before(ADVERTISED, ("", ""), &[])]
#[case::planted(ADVERTISED, ("accept-ra: false", "accept-ra: true"), &["eth0 2001:db8:50:0:200:5eff:fe00:5301/64", "via fe80::200:5eff:fe00:53f0\tdev eth0"])]
#[case::told(ROUTES_ONLY, ("", ""), &["eth3 2001:db8:53:0:200:5eff:fe00:5304/64"])]
fn a_router_gives_the_same_addresses_and_routes(
    #[case] interfaces: &str,
    #[case] planted: (&str, &str),
    #[case] added: &[&str],
) {
    let (folder, carried, root) = changed(interfaces, planted);
    let old = asked(ROUTER, &[("SIDE", "old"), ("PORTS", PORTS)], &folder.path().join("interfaces"));
    let new = asked(ROUTER, &[("SIDE", "new"), ("PORTS", PORTS)], &root.path().join("run/systemd/network"));
    assert!(old.iter().any(|line| line.starts_with("via fe80::")), "{old:?}");
    let more: Vec<&String> = new.iter().filter(|line| !old.contains(line)).collect();
    assert_eq!(more, added, "{old:#?}\n{new:#?}");
    assert_eq!(old.len() + added.len(), new.len(), "{old:#?}\n{new:#?}");
    let told = carried.of_fate("by-hand");
    assert_eq!(told.is_empty(), added.is_empty() || !planted.0.is_empty(), "{told:?}");
}

const NAMES: &str = "\
auto eth0
iface eth0 inet static
    address 192.0.2.2/24
    gateway 192.0.2.1
    dns-nameservers 192.0.2.53 192.0.2.54
    dns-search quay.example
auto eth1
iface eth1 inet static
    address 198.51.100.2/24
";
const NAMES_OF_THE_LOOPBACK: &str = "\
auto lo
iface lo inet loopback
    dns-nameservers 192.0.2.53
auto eth0
iface eth0 inet static
    address 192.0.2.2/24
";

/// Programs of the old side ask the first of the servers in resolv.conf(5).
#[rstest]
#[case::the_first(NAMES, ("", ""), &["192.0.2.53"])]
#[case::planted(NAMES, ("192.0.2.53", "192.0.2.99"), &["192.0.2.99"])]
#[case::of_the_loopback_and_told(NAMES_OF_THE_LOOPBACK, ("", ""), &[])]
fn the_same_name_server_is_asked(
    #[case] interfaces: &str,
    #[case] planted: (&str, &str),
    #[case] expected: &[&str],
) {
    let (_folder, carried, root) = changed(interfaces, planted);
    let resolved = kept().join("resolved/lib/systemd/systemd-resolved");
    let variables = [
        ("SERVERS", "192.0.2.53@eth0 192.0.2.54@eth0 192.0.2.99@eth0"),
        ("PORTS", "eth0 eth1"),
        ("RESOLVED", resolved.to_str().expect("a path")),
    ];
    assert_eq!(asked(RESOLVER, &variables, &root.path().join("run/systemd/network")), expected);
    assert_eq!(carried.printed.contains("dns-unasked"), expected.is_empty(), "{}", carried.printed);
}
