//! Old and new side by side: ifupdown sets up one network namespace and systemd-networkd another, and what the kernel
//! then has is the same. It has no bonds and VLANs everywhere: those are judged by `netplan generate` alone.

use crate::carried::carry;
use crate::networks::{TO, generate};
use crate::programs::{run, said};
use rstest::rstest;
use std::fs;
use std::path::Path;
use std::process::Command;
use tempfile::TempDir;

/// Sets up a namespace, and tells what it has then.
const ASK: &str = r#"
set -e
# What the kernel tells of this namespace, not of the one around it.
mount -t sysfs none /sys
ip link set lo up
for port in $PORTS; do ip link add "$port" type veth peer name "far-$port"; ip link set "far-$port" up; done
if [ "$SIDE" = old ]; then
  mount -t tmpfs none /run
  mkdir -p /run/network
  ifup -a --force -i "$FROM" >&2
  sleep 1
else
  mount -t tmpfs none /run
  mkdir -p /run/systemd/network
  cp "$FROM"/* /run/systemd/network/
  # On a system that it may change, networkd waits for udev.
  mount -o remount,ro /sys
  SYSTEMD_LOG_LEVEL=warning /lib/systemd/systemd-networkd >&2 &
  networkd=$!
  # It works on its own; it is done when nothing changes any more.
  for second in $(seq 4 30); do
    before=$(ip -o addr; ip route; ip -6 route)
    [ "$second" = 4 ] && sleep 3
    sleep 1
    [ "$second" -gt 4 ] && [ "$before" = "$(ip -o addr; ip route; ip -6 route)" ] && break
  done
fi
set +e
echo addresses; ip -o addr | sed -E 's/^[0-9]+: //' | grep -v '^far-\|^lo\|fe80:' | awk '{print $1,$3,$4,$5}' | sort
echo labels; ip -4 -o addr | grep -o 'eth[0-9]:[0-9a-z]*' | sort
echo routes; for table in main 7 100; do ip route show table $table 2>/dev/null; done | grep -v linkdown; ip -6 route | grep -v 'fe80:'
echo rules; ip rule; ip -6 rule
echo links; ip -o link | grep -oE '^[0-9]+: (eth|br)[0-9]+.* state' | sed -E 's/^[0-9]+: ([a-z0-9]+).*( mtu [0-9]+)/\1\2/; s/qdisc [a-z]+//; s/ state//' | sort
echo mtu; cat /proc/sys/net/ipv6/conf/eth?/mtu
echo bridges; for bridge in /sys/class/net/br*/bridge; do [ -d "$bridge" ] && cat "$bridge/stp_state" "$bridge/forward_delay" "$bridge/priority"; done
[ -z "$networkd" ] || kill "$networkd"
"#;

/// What the kernel has once one side has set it up. Who set a route is left out: that is the difference.
fn asked(side: &str, from: &Path, ports: &str) -> String {
    let mut command = Command::new("unshare");
    command.args(["-n", "-m", "bash", "-c", ASK]).env("SIDE", side).env("FROM", from).env("PORTS", ports);
    let output = run(&mut command);
    assert!(output.status.success(), "{side}: {}", said(&output));
    let reported =
        String::from_utf8_lossy(&output.stdout).replace(" proto static", "").replace(" proto boot", "");
    let mut lines: Vec<String> =
        reported.lines().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ")).collect();
    lines.retain(|line| !line.is_empty());
    lines.join("\n")
}

const STATIC: &str = "\
auto lo
iface lo inet loopback
auto eth0
iface eth0 inet static
    address 192.0.2.10
    netmask 255.255.255.0
    gateway 192.0.2.1
    mtu 1400
    up ip route add 198.51.100.0/24 via 192.0.2.2 dev eth0
    up ip rule add from 192.0.2.10 table 100 priority 4000
    up ip route add default via 192.0.2.3 table 100
iface eth0 inet6 static
    address 2001:db8::10
    netmask 64
    gateway 2001:db8::1
auto eth0:1
iface eth0:1 inet static
    address 192.0.2.11/24
";

const BRIDGE: &str = "\
auto br0
iface br0 inet static
    address 203.0.113.1/24
    bridge_ports eth1 eth2
    bridge_stp off
    bridge_fd 4
    bridge_bridgeprio 4096
    bridge_maxwait 0
";

const COMMANDS: &str = "\
auto eth0 eth1
iface eth0 inet static
    address 192.0.2.10/24
    gateway 192.0.2.1
    metric 50
    post-up route add -net 203.0.113.0 netmask 255.255.255.192 gw 192.0.2.7
    post-up /sbin/ip route add 203.0.113.128/26 via 192.0.2.8 metric 9 || true
    post-up ip addr add 192.0.2.99/24 brd + dev eth0
iface eth1 inet static
    address 198.51.100.7
    netmask 26
    up ip -6 addr add 2001:db8:7::7/64 dev eth1
";

/// networkd 252 may set the MTU of the link after that of IPv6, which is lost then: so each has one of them. And
/// ifupdown sets that of IPv6 to no end before something else has brought the link up.
const TEMPLATES: &str = "\
auto eth0 eth1
iface common inet static
    netmask 255.255.255.128
    mtu 1400
    up ip route add 203.0.113.0/24 via 192.0.2.9
iface common inet6 static
    netmask 64
iface small inet6 static
    mtu 1300
iface eth0 inet static inherits common
    address 192.0.2.10
    up ip route add 203.0.113.0/26 via 192.0.2.8
iface eth0 inet6 static inherits common
    address 2001:db8::10
iface eth1 inet static
    address 198.51.100.9/24
iface eth1 inet6 static inherits small
    address 2001:db8:1::10/64
";

#[rstest]
#[case::addresses_routes_and_rules(STATIC, "eth0")]
#[case::a_bridge(BRIDGE, "eth1 eth2")]
#[case::commands(COMMANDS, "eth0 eth1")]
#[case::templates(TEMPLATES, "eth0 eth1")]
fn old_and_new_set_up_the_same(#[case] interfaces: &str, #[case] ports: &str) {
    let folder = TempDir::new().expect("a temporary folder");
    let file = folder.path().join("interfaces");
    fs::write(&file, interfaces).expect("written");
    let same: Vec<String> = ports.split(' ').map(|port| format!("{port} = \"{port}\"")).collect();
    let carried = carry(folder.path(), TO, &format!("[ports]\n{}\n", same.join("\n")), &[]);
    let yaml = carried.ending(".yaml");
    let root = generate(&yaml, interfaces);
    let old = asked("old", &file, ports);
    let new = asked("new", &root.path().join("run/systemd/network"), ports);
    assert!(ports.split(' ').all(|port| old.contains(&format!("{port} mtu"))), "{old}");
    assert_eq!(old, new, "{}", fs::read_to_string(&yaml).expect("a file"));
}
