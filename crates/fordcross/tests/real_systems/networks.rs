//! Samples of `interfaces` files, judged by `netplan generate`.

use crate::carried::{Carried, carry, map_with_new_ports};
use crate::programs::{kept, own, run, said};
use rstest::rstest;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use tempfile::TempDir;

pub(crate) const TO: &str = "netplan@0.106";

/// A file of a package, by a name that is the same wherever it is kept, with what is an `interfaces` file in it.
pub(crate) struct Sample {
    pub(crate) name: String,
    pub(crate) text: String,
}

/// All `interfaces` files of the packages.
pub(crate) fn samples() -> Vec<Sample> {
    let mut files: Vec<(String, PathBuf)> = Vec::new();
    for package in fs::read_dir(kept().join("samples/sources")).expect("sources") {
        let package = package.expect("an entry");
        // `ifupdown-0.8.41`
        let name = package.file_name().to_string_lossy().into_owned();
        gather(&package.path(), name.split('-').next().unwrap_or_default(), &mut files);
    }
    gather(&kept().join("samples/ifupdown2/usr/share/doc/ifupdown2/examples"), "ifupdown2", &mut files);
    gather(Path::new("/usr/share/doc/ifenslave/examples"), "ifenslave", &mut files);
    let is_sample = |name: &str| {
        let last = name.rsplit('/').next().unwrap_or(name);
        last.starts_with("interfaces")
            || last.starts_with("testcase.")
            || ["test_interfaces.aug", "network-interfaces", "mgmt-vrf"].contains(&last)
            || name.starts_with("ifenslave/")
    };
    files.retain(|(name, _)| is_sample(name));
    files.sort();
    let read = |(name, path): (String, PathBuf)| {
        let text = fs::read_to_string(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
        let text = extract(&name, &text);
        Sample { name, text }
    };
    files.into_iter().map(read).collect()
}

/// All files below a folder, each by its package and its path in the folder.
fn gather(folder: &Path, package: &str, files: &mut Vec<(String, PathBuf)>) {
    let mut below = vec![folder.to_owned()];
    while let Some(at) = below.pop() {
        for entry in fs::read_dir(&at).unwrap_or_else(|error| panic!("{}: {error}", at.display())) {
            let path = entry.expect("an entry").path();
            if path.is_dir() {
                below.push(path);
            } else {
                let inner = path.strip_prefix(folder).expect("below it");
                files.push((format!("{package}/{}", inner.display()), path));
            }
        }
    }
}

/// What is an `interfaces` file in a file that has more in it.
fn extract(name: &str, text: &str) -> String {
    if name.ends_with("/test_interfaces.aug") {
        let from = text.find("let conf =\"").map(|at| at + 11).expect("a configuration");
        let to = text[from..].find("\n\"\n").expect("its end");
        return text[from..=from + to].to_owned();
    }
    if name.starts_with("ifenslave/") {
        let is_cut = |line: &&str| line.starts_with("-----8<");
        let inner = text.lines().skip_while(|line| !is_cut(line)).skip(1).take_while(|line| !is_cut(line));
        return inner.collect::<Vec<_>>().join("\n") + "\n";
    }
    text.to_owned()
}

/// Carries an `interfaces` file with new names for its ports.
pub(crate) fn carry_interfaces(text: &str) -> Carried {
    let folder = TempDir::new().expect("a temporary folder");
    fs::write(folder.path().join("interfaces"), text).expect("written");
    carry(folder.path(), TO, &map_with_new_ports(folder.path(), TO), &[])
}

/// What netplan says of a result that it refuses.
pub(crate) fn refusal(yaml: &str) -> Option<String> {
    let root = TempDir::new().expect("a temporary folder");
    let output = try_out(yaml, root.path());
    (!output.status.success()).then(|| said(&output))
}

/// The folder that netplan writes its units into, if it takes a result.
pub(crate) fn units(yaml: &Path) -> Option<TempDir> {
    let root = TempDir::new().expect("a temporary folder");
    let text = fs::read_to_string(yaml).expect("a file");
    try_out(&text, root.path()).status.success().then_some(root)
}

fn try_out(yaml: &str, root: &Path) -> Output {
    use std::os::unix::fs::PermissionsExt as _;
    let folder = root.join("etc/netplan");
    fs::create_dir_all(&folder).expect("a folder");
    let file = folder.join("10-fordcross.yaml");
    fs::write(&file, yaml).expect("written");
    fs::set_permissions(&file, fs::Permissions::from_mode(0o600)).expect("allowed");
    run(Command::new("netplan").args(["generate", "--root-dir"]).arg(root))
}

/// What netplan makes of a result, in a folder of its own.
#[track_caller]
pub(crate) fn generate(yaml: &Path, what: &str) -> TempDir {
    let root = TempDir::new().expect("a temporary folder");
    let text = fs::read_to_string(yaml).expect("a file");
    let output = try_out(&text, root.path());
    assert!(output.status.success(), "{what}: netplan refuses it: {}\n{text}", said(&output));
    root
}

#[test]
fn every_sample_of_the_packages_is_accepted() {
    let samples = samples();
    assert!(samples.len() >= 40, "{} samples: fetch them anew", samples.len());
    for sample in &samples {
        let carried = carry_interfaces(&sample.text);
        generate(&carried.ending(".yaml"), &sample.name);
    }
}

#[rstest]
#[case("quay")]
#[case("ramp")]
#[case("odd")]
fn our_own_files_are_accepted(#[case] name: &str) {
    let backup = own("ifupdown").join(name);
    let carried = carry(&backup, TO, &map_with_new_ports(&backup, TO), &[]);
    generate(&carried.ending(".yaml"), name);
}

/// netplan reads its file again when something is named before it is told, and then takes path costs, priorities and
/// access points for doubled; and it wants of each kind of interface what makes it one.
#[rstest]
#[case::vlan_of_a_vlan_by_path_costs(
    "iface vlan8 inet manual\n  vlan-raw-device eth6.5\niface br1 inet manual\n  bridge_ports eth5\n  bridge_pathcost eth5 50\n"
)]
#[case::vlan_of_a_bridge_by_a_wireless_network(
    "iface wlan0 inet dhcp\n  wpa-ssid Harbour\n  wpa-psk seven-gulls\niface br0 inet manual\n  bridge_ports eth0\n  bridge_portprio eth0 9\n\
     iface br0.7 inet static\n  address 192.0.2.1/24\n"
)]
#[case::no_tunnel_without_a_mode("iface eth0 inet static\n  address 192.0.2.1/24\n  endpoint 192.0.2.9\n")]
#[case::no_vlan_without_its_link(
    "iface vlan7 inet manual\niface office inet manual\n  vlan-id 9\niface eth0.x inet manual\n"
)]
#[case::no_vlan_without_its_number("iface red inet manual\n  vlan-raw-device eth0\n")]
#[case::no_access_point_of_a_bond(
    "iface bond0 inet manual\n  bond-slaves eth0\n  wpa-ssid Harbour\n  wpa-psk seven-gulls\n"
)]
#[case::members_with_odd_names(
    "iface br0 inet manual\n  bridge_ports swp1.${vlan}\niface bond0 inet manual\n  bond-slaves eth1\n  bond-primary eth2\n"
)]
#[case::no_mask_that_cannot_be(
    "iface eth0 inet static\n  address 192.0.2.1\n  netmask 64\n  up ip addr add 192.0.2.2/64 dev eth0\n"
)]
#[case::one_protocol_of_two("iface eth0 inet dhcp\n  dhcp 1\n  hostname quay\n")]
fn what_is_hard_to_say_is_accepted(#[case] interfaces: &str) {
    let carried = carry_interfaces(interfaces);
    generate(&carried.ending(".yaml"), interfaces);
}

#[test]
fn a_wireless_key_is_in_the_result_alone() {
    let backup = own("ifupdown/quay");
    let carried = carry(&backup, TO, &map_with_new_ports(&backup, TO), &[]);
    carried.keeps_to_itself("seven gulls", &carried.ending(".yaml"));
}

/// The units of networkd say what the old stanzas said, wherever names were mapped.
#[test]
fn units_say_what_the_stanzas_said() {
    let backup = own("ifupdown/quay");
    let carried = carry(&backup, TO, &map_with_new_ports(&backup, TO), &[]);
    let root = generate(&carried.ending(".yaml"), "quay");
    let unit = |name: &str| {
        let path = root.path().join("run/systemd/network").join(name);
        fs::read_to_string(&path).unwrap_or_else(|error| panic!("{name}: {error}"))
    };
    for (file, reported) in [
        (
            "10-netplan-enp1s0.network",
            &["Address=192.0.2.10/24", "Label=enp1s0:1", "Gateway=192.0.2.1", "DNS=192.0.2.53"][..],
        ),
        (
            "10-netplan-enp1s0.network",
            &["[RoutingPolicyRule]\nFrom=192.0.2.10\nTable=100", "Address=2001:db8::10/64"],
        ),
        ("10-netplan-bond0.netdev", &["Mode=802.3ad", "LACPTransmitRate=fast", "MIIMonitorSec=100ms"]),
        ("10-netplan-enp2s0.network", &["Bond=bond0"]),
        ("10-netplan-bond0.20.netdev", &["Kind=vlan", "Id=20"]),
        ("10-netplan-bond0.network", &["VLAN=bond0.20"]),
        ("10-netplan-br0.netdev", &["STP=false", "ForwardDelaySec=2"]),
    ] {
        for reported in reported {
            assert!(unit(file).contains(reported), "{reported}\n{}", unit(file));
        }
    }
}
