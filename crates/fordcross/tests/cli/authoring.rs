//! What helps a person who writes profiles and crossings: trying them, showing them, schemas for editors.

use crate::courses::EXPORT_2_0;
use crate::desk::{Desk, WRACKHAVEN};
use rstest::rstest;
use serde_json::Value;
use std::fs;
use std::path::Path;

fn demo(file: &str) -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(file);
    fs::read_to_string(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()))
}

/// A rule that no backup of the demo ever uses could say anything.
/// What was one bound, and is two from 18 on.
const WIDE: &str = "max_replication_slots = 20\nautovacuum_max_workers = 40\nio_combine_limit = 256kB\n";

#[test]
fn every_rule_that_ships_is_used_by_some_backup() {
    let desk = Desk::new();
    desk.write("gw.xml", WRACKHAVEN.replacen("<rule do=\"allow\"", "<rule off=\"no\" do=\"allow\"", 1));
    desk.write("corrie.xml", demo("corrie-slip/gw-corrie.xml"));
    desk.write("sandle.xml", demo("sandle-point/gw-sandle-1.xml"));
    desk.write("export.json", EXPORT_2_0);
    let real = |name: &str| format!("{}/tests/real/{name}", env!("CARGO_MANIFEST_DIR"));
    let servers = ["quay-10", "sandle-10", "corrie-13"].map(|name| real(&format!("postgresql/{name}")));
    let networks = ["quay", "ramp", "odd"].map(|name| real(&format!("ifupdown/{name}")));
    // What can be in one file only once, or not with what the servers have.
    for (file, text) in [
        ("point/PG_VERSION", "11\n"),
        (
            "point/postgresql.conf",
            "port = 5432\nvacuum_cost_delay = 8ms\nautovacuum_vacuum_cost_delay = 010\nclient_min_messages = fatal\n",
        ),
        (
            "point/recovery.conf",
            "standby_mode = off\nrecovery_target = 'immediate'\nprimary_conninfo = 'postgresql://quay'\n",
        ),
        // Of several targets the last holds.
        ("numbered/PG_VERSION", "11\n"),
        ("numbered/recovery.conf", "recovery_target_xid = '7'\n"),
        ("far/PG_VERSION", "11\n"),
        ("far/recovery.conf", "recovery_target_xid = '7'\nrecovery_target_lsn = '0/7'\n"),
        ("wide/PG_VERSION", "17\n"),
        ("wide/postgresql.conf", WIDE),
        ("wide/postgresql.auto.conf", WIDE),
        ("packages/interfaces", "auto lo\niface lo inet loopback\n"),
        ("packages/if-up.d/postfix", "#!/bin/sh\n"),
        (
            "rare",
            "iface wlan0 inet dhcp\n  wpa-ssid Open\n  wpa-key-mgmt NONE\n  wireless-mode Managed\n\
            iface wlan1 inet dhcp\n  wpa-ssid Old\n  wpa-key-mgmt NONE\n  wpa-wep-key0 abcde\n\
            iface eth7.10.20 inet manual\niface br7 inet manual\n  bridge_ports all\n  bridge_pathcost eth8 9\n  bridge_portprio eth9 9\n  bridge_pathcost eth6 9\n  bridge_portprio eth6 9\n\
            iface gre6 inet tunnel\n  mode ip6gre\n  endpoint 2001:db8::1\niface eth6 inet manual\n  up ip rule add from all lookup default\n\
            \x20 up ip route add 10.0.0.0/8 via 192.0.2.1 table local\n  up ip route add 10.0.0.0/8 via 192.0.2.1 table default\n\
            \x20 up ip rule add to 10.0.0.0/8 lookup default\niface eth9 inet6 auto\n  mtu 1300\n\
            iface eth10 inet static\n  address 192.0.2.1/64\n  up ip addr add 192.0.2.1/64 dev eth10\n\
            iface bond7 inet manual\n  bond-slaves eth11 swp1.${vlan}\n  bond-primary eth12\n  wpa-ssid Lost\n\
            iface br8 inet manual\n  bridge_ports swp2.${vlan}\n\
            iface eth13 inet ipv4ll\n  ethernet-wol g\n  up ip link set eth14 up\nauto eth15=eth13\n\
            iface eth13:vip inet static\n  address 192.0.2.9/32\niface eth16 inet6 static\n  address 2001:db8::9/64\n  gateway 2001:db8::1\n\
            iface eth17 inet6 static\n  address 2001:db8:7::9/64\n\
            iface eth18 inet static\n  address 192.0.2.18/32\n  pointopoint 192.0.2.1\n  offload-tso off\n  up route add 192.0.2.77 dev eth18\n\
            \x20 up route add 10.0.0.0 gw 192.0.2.1\n  up ip route add 10.1.0.0/16 via 192.0.2.1 table isp\n\
            iface eth31 inet static\n  up ip link set eth31 up\niface tun9 inet tunnel\n  endpoint 192.0.2.31\n  mode gre\niface sit9 inet6 v4tunnel\n  ttl 64\n\
            iface tun8 inet6 tunnel\n  address 2001:db8::31/64\n  endpoint 2001:db8::32\n  mode ip6gre\n\
            iface eth32 inet manual\n  up ip route add 10.2.0.0/16\n  up route add -net 10.3.0.0/16\n  up ifconfig eth32 mtu 1400\n\
            iface eth19 inet static\n  address 192.0.2.19\n  netmask 255.255.255.253\n\
            iface eth20 inet6 auto\n  autoconf 0\n  provider isp\n  wpa-conf /etc/wpa.conf\n  hostapd /etc/hostapd.conf\n  wpa-ap-scan 1\n\
            iface br9 inet manual\n  bridge_ports eth21.9 eth22\niface br11 inet manual\n  bridge_ports eth30\n  bridge_pathcost eth30 9\niface br10 inet manual\n  bridge_ports eth22.10 eth23\n  bridge_pathcost eth23 9\niface eth23 inet manual\niface eth22 inet manual\n\
            iface ovs0 inet manual\n  ovs_type OVSBridge\n  ovs_ports eth24\niface eth24 inet manual\n  ovs_type OVSPort\n  ovs_bridge ovs0\n  ovs_options tag=7\n\
            iface eth25 inet manual\n  bond-master bond8\n  bond-mode 1\n  bond-miimon 100\n  bond-updelay 200\n  bond-primary eth25 eth33\n\
            iface bond8 inet manual\n  bond-slaves none\n  bond-mode 1\n  bond-primary eth25\nallow-quay eth34\nallow-bond8 eth34\niface eth34 inet manual\n  bond-use-carrier 1\n\
            auto eth26:1\niface eth26:1 inet static\n  address 192.0.2.26/32\n  gateway 192.0.2.1\n  broadcast 192.0.2.26\n  mtu 1300\n\
            iface eth27 inet manual\n  up sysctl -w a=1\n  up iptables-restore < /etc/rules\n  up ethtool -s eth27 speed 100\n  up modprobe 8021q\n\
            \x20 up wg setconf wg0 /etc/wg.conf\n  up ip link add veth0 type veth\n  up bridge vlan add dev eth27 vid 7\n  up tc qdisc add dev eth27 root fq\n  up systemctl start vpn\n",
        ),
        ("short/PG_VERSION", "16\n"),
        ("short/postgresql.conf", "log_connections = t\nautovacuum_work_mem = 2kB\n"),
        ("short/postgresql.auto.conf", "log_connections = n\nautovacuum_work_mem = 64\n"),
        ("keywords/PG_VERSION", "13\n"),
        (
            "keywords/postgresql.conf",
            "operator_precedence_warning = off\nvacuum_defer_cleanup_age = 0\npromote_trigger_file = ''\nold_snapshot_threshold = -1\n",
        ),
        ("keywords/pg_ident.conf", "m nobody all\nm nobody +crew\nm nobody /ops\nm nobody \"/ops\"\n"),
        ("named/PG_VERSION", "11\n"),
        ("named/recovery.conf", "recovery_target_name = 'noon'\nrecovery_target_inclusive = no\n"),
        ("certified/PG_VERSION", "13\n"),
        (
            "certified/postgresql.conf",
            "operator_precedence_warning = on\nvacuum_defer_cleanup_age = 7\nold_snapshot_threshold = 5\npromote_trigger_file = 'x'\n",
        ),
        (
            "certified/pg_hba.conf",
            "hostssl all all all cert clientcert=1\nhostssl all all all cert clientcert=verify-ca\n\
            hostssl all all all md5 clientcert=1\nhostssl all all all md5 clientcert=no-verify\nlocal \"/old\" all peer\n",
        ),
    ] {
        desk.write(file, text);
    }
    let mut met = Vec::new();
    for line in [
        "gw.xml corrie.xml sandle.xml --to osier/16@2.1",
        "export.json --to osier/8@2.1",
        &format!(
            "{} point named numbered far wide certified short keywords --to postgresql@18",
            servers.join(" ")
        ),
        &format!("{} rare packages --to netplan@0.106", networks.join(" ")),
    ] {
        let ran = desk.run_to(0, &format!("profile try {line} --json"));
        let reported: Value = serde_json::from_str(&ran.out).expect("JSON");
        for crossing in reported["results"][0]["crossings"].as_array().expect("crossings") {
            assert_eq!(crossing["never_used"], Value::Array(Vec::new()), "{crossing:#}");
            met.push(crossing["file"].as_str().expect("a name").to_owned());
        }
    }
    let shipped = fordcross_profiles::CROSSINGS.len();
    assert_eq!(met.len(), shipped, "each crossing that ships is tried: {met:?}");
    let given = [
        "certified",
        "corrie.xml",
        "export.json",
        "far",
        "gw.xml",
        "keywords",
        "named",
        "numbered",
        "packages",
        "point",
        "rare",
        "sandle.xml",
        "short",
        "wide",
    ];
    assert_eq!(desk.names(), given, "nothing is written");
}

#[test]
fn what_no_rule_speaks_of_and_what_is_never_used_is_reported() {
    let desk = Desk::new();
    let ran = desk.run_to(1, "profile try gw.xml none.xml --to osier/8@2.1");
    for reported in ["gw.xml:17  unit/tide-offset", "moot filter/rule/off", "place links/partner"] {
        assert!(ran.out.contains(reported), "{reported}\n{}", ran.out);
    }
    assert!(ran.reported.contains("cannot read `none.xml`"), "{}", ran.reported);
}

#[rstest]
#[case("profile show osier@2.0", "filter/list/action", true)]
#[case("profile show osier@2.1", "filter/list/action", false)]
#[case("profile show osier", "p1", false)]
#[case("profile show teasel", "p1..p8", true)]
#[case("profile show teasel --json", "\"identity\"", false)]
fn a_profile_is_shown(#[case] line: &str, #[case] reported: &str, #[case] is_reported: bool) {
    let ran = Desk::new().run_to(0, line);
    assert_eq!(ran.out.contains(reported), is_reported, "{}", ran.out);
}

fn shipped(kind: &str) -> Vec<(&'static str, &'static str)> {
    match kind {
        "profile" => fordcross_profiles::PROFILES.iter().map(|file| (file.file, file.text)).collect(),
        _ => fordcross_profiles::CROSSINGS.iter().map(|file| (file.file, file.text)).collect(),
    }
}

/// The schemas take all that ships, and refuse what the program refuses.
#[rstest]
#[case("profile", &[("format       = \"xml\"", "from = \"xml\""), ("max = 4094", "max = \"4094\""), ("protection = \"hash\"", "protection = \"hashed\"")])]
#[case("crossing", &[("[[place]]", "[[plaice]]"), ("to    = \"", "two = \""), ("@", "")])]
fn schemas_check_files(#[case] kind: &str, #[case] mistakes: &[(&str, &str)]) {
    let schema = Desk::new().run_to(0, &format!("profile schema {kind}")).out;
    let schema: Value = serde_json::from_str(&schema).expect("JSON");
    let validator = jsonschema::draft202012::new(&schema).expect("a schema");
    let as_json = |text: &str| -> Value {
        serde_json::to_value(text.parse::<toml::Table>().expect("TOML")).expect("JSON")
    };
    for (file, text) in shipped(kind) {
        let problems: Vec<String> =
            validator.iter_errors(&as_json(text)).map(|error| error.to_string()).collect();
        assert!(problems.is_empty(), "{file}: {problems:?}");
    }
    for (find, put) in mistakes {
        let (file, text) = shipped(kind)
            .into_iter()
            .find(|(_, text)| text.contains(find))
            .expect("the case changes something");
        assert!(!validator.is_valid(&as_json(&text.replacen(find, put, 1))), "{file} with {put}");
    }
}
