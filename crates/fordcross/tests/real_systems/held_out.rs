//! Configurations of host networks that nobody looked at while the crossing was written: what ifupdown makes of each is
//! compared with what netplan makes of the result.

use crate::carried::{Carried, attempt, map_with_same_names};
use crate::cases::each_of_all;
use crate::facts::{Facts, of_new, of_old};
use crate::hosts::{CROSSING, IFUPDOWN, NETPLAN, habits};
use crate::kept::{keep_figures, number_of};
use crate::networks::{TO, units};
use crate::programs::{run, said};
use rstest::rstest;
use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

/// What became of one configuration.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Outcome {
    /// The network is the same.
    Same,
    /// It is another, and a person is told where.
    Told,
    /// It is another, and nobody is told.
    Silent,
    /// Nothing was written.
    Blocked,
    /// netplan refuses the result.
    Refused,
}

pub(crate) fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/real_systems/held_out")
}

/// Pieces of a file by their names.
fn pieces(name: &str) -> Vec<(String, String)> {
    let text = fs::read_to_string(folder().join(name)).expect("a file");
    let piece = |piece: &str| {
        let (head, body) = piece.split_once('\n').unwrap_or((piece, ""));
        (head.to_owned(), body.to_owned())
    };
    text.split("### ").skip(1).map(piece).collect()
}

/// What `ifup -n` says that it does at the start and where something is plugged in.
fn commands(interfaces: &str) -> String {
    let folder = TempDir::new().expect("a temporary folder");
    let file = folder.path().join("interfaces");
    fs::write(&file, interfaces).expect("written");
    let mut all = String::new();
    for class in ["auto", "hotplug"] {
        let mut command = Command::new("ifup");
        command.args(["-n", "-a", "--allow", class, "-i"]).arg(&file).arg("--state-dir").arg(folder.path());
        let output = run(&mut command);
        let text = said(&output).replace(&folder.path().display().to_string(), "");
        let is_said = |line: &&str| {
            !line.trim().is_empty() && !line.starts_with("run-parts") && !line.contains("modprobe")
        };
        let _ = writeln!(all, "# {class}: status {}", output.status.code().unwrap_or(-1));
        text.lines().map(str::trim_end).filter(is_said).for_each(|line| {
            let _ = writeln!(all, "{line}");
        });
    }
    all
}

/// The old program still makes the same of each; `FORDCROSS_BLESS=1` writes down what it makes.
#[test]
fn ifup_makes_of_each_what_is_kept() {
    let mut made = String::new();
    for (name, interfaces) in pieces("networks.txt") {
        let _ = write!(made, "### {name}\n{}", commands(&interfaces));
    }
    let kept = folder().join("networks.ifup.txt");
    if std::env::var_os("FORDCROSS_BLESS").is_some() {
        fs::write(&kept, &made).expect("written");
    }
    assert_eq!(fs::read_to_string(kept).expect("what is kept"), made);
}

/// Whether a person is told of something about an interface, or of anything where a fact is of none.
fn is_told(carried: &Carried, fact: &str) -> bool {
    let device = fact.split(' ').next().unwrap_or_default();
    // Over which interface a route goes is told at the route, wherever its command is.
    let is_route = fact.split(' ').nth(1).is_some_and(|kind| kind.starts_with("route"));
    let is_of_one = !["rule", "name-server", "-"].contains(&device);
    let is_about = |locator: &str| {
        let mut steps = locator.split('/').map(|step| step.split([':', '[']).next().unwrap_or_default());
        !is_of_one || steps.any(|step| step == device || is_route && ["route", "plain-route"].contains(&step))
    };
    let is_lost =
        |fate: &Value| ["by-hand", "dropped", "unmatched", "approximated"].iter().any(|lost| *fate == **lost);
    let names = |value: &str| value.split(['=', ' ']).next() == Some(device);
    // Options of a bond at its members are told there.
    let masters = carried.rows.iter().filter(|row| row["value"] == device);
    let members: Vec<&str> =
        masters.filter_map(|row| row["locator"].as_str()?.strip_suffix("/bond-master")).collect();
    let is_at_member =
        |locator: &str| members.iter().any(|member| locator.starts_with(&format!("{member}/bond-")));
    let by_fate = carried.rows.iter().filter(|row| is_lost(&row["fate"])).any(|row| {
        let locator = row["locator"].as_str().unwrap_or_default();
        is_about(locator) || is_at_member(locator) || names(row["value"].as_str().unwrap_or_default())
    });
    // Notes say what is there, not what differs.
    let findings =
        carried.printed.split("\n\n").map(str::trim_start).filter(|text| text.starts_with("warning["));
    let mut places = findings.flat_map(str::lines).filter_map(|line| line.trim_start().strip_prefix("--> "));
    by_fate || places.any(|place| place.split_once("  ").is_some_and(|(_, locator)| is_about(locator)))
}

/// What becomes of a configuration, how much of it goes by itself, and which facts are on one side only without a word.
fn outcome(interfaces: &str, commands: &str) -> (Outcome, String, Vec<String>) {
    let folder = TempDir::new().expect("a temporary folder");
    fs::write(folder.path().join("interfaces"), interfaces).expect("written");
    let map = map_with_same_names(folder.path(), TO);
    let carried = attempt(folder.path(), TO, &map, &[]);
    if carried.status != Some(0) {
        return (Outcome::Blocked, carried.automatic(), Vec::new());
    }
    let Some(root) = units(&carried.ending(".netplan.yaml")) else {
        return (Outcome::Refused, carried.automatic(), Vec::new());
    };
    let (old, new): (Facts, Facts) = (of_old(commands, interfaces), of_new(root.path()));
    let lost = old.difference(&new).map(|fact| (fact, format!("- {fact}")));
    let added = new.difference(&old).map(|fact| (fact, format!("+ {fact}")));
    let differ: Vec<(&String, String)> = lost.chain(added).collect();
    let silent: Vec<String> =
        differ.iter().filter(|(fact, _)| !is_told(&carried, fact)).map(|(_, said)| said.clone()).collect();
    let outcome = match (differ.is_empty(), silent.is_empty()) {
        (true, _) => Outcome::Same,
        (_, true) => Outcome::Told,
        _ => Outcome::Silent,
    };
    (outcome, carried.automatic(), silent)
}

/// Of how many configurations one is judged where no campaign asks for all.
const EACH: usize = 3;

/// Each configuration has the outcome that is kept; `FORDCROSS_BLESS=1` writes them anew. The list of those that are silent is
/// what is left to do.
#[test]
fn each_network_is_the_same_or_a_person_is_told() {
    let is_blessed = std::env::var_os("FORDCROSS_BLESS").is_some();
    let is_whole = is_blessed || std::env::var_os("FORDCROSS_SECONDS").is_some();
    let all = pieces("networks.txt").into_iter().zip(pieces("networks.ifup.txt"));
    let judged = all.enumerate().filter(|(number, _)| is_whole || number % EACH == 1);
    let mut found = String::new();
    for (_, ((name, interfaces), (_, commands))) in judged {
        let (outcome, automatic, silent) = outcome(&interfaces, &commands);
        let _ = writeln!(found, "### {name} {outcome:?} {automatic}");
        silent.iter().for_each(|fact| {
            let _ = writeln!(found, "{fact}");
        });
    }
    let kept = folder().join("networks.outcomes.txt");
    if is_blessed {
        fs::write(&kept, &found).expect("written");
    }
    let kept = format!("\n{}", fs::read_to_string(kept).unwrap_or_default());
    for piece in found.split("### ").skip(1) {
        assert!(kept.contains(&format!("\n### {piece}")), "{piece}");
    }
}

/// Names of interfaces with their numbers moved up, so that two configurations can be in one file.
fn moved_up(interfaces: &str) -> String {
    let mut moved = String::new();
    let mut rest = interfaces;
    while let Some(at) = ["eth", "bond", "br", "wlan", "eno"]
        .iter()
        .filter_map(|kind| {
            let number =
                |(at, _): &(usize, &str)| rest[at + kind.len()..].starts_with(|c: char| c.is_ascii_digit());
            let is_name =
                |(at, _): &(usize, &str)| !rest[..*at].ends_with(|c: char| c.is_ascii_alphanumeric());
            rest.match_indices(kind)
                .find(|found| number(found) && is_name(found))
                .map(|(at, _)| at + kind.len())
        })
        .min()
    {
        moved.push_str(&rest[..at]);
        moved.push('2');
        rest = &rest[at..];
    }
    // Networks, too: a gateway is in those of one interface.
    let networks = [
        ("192.0.2.", "10.2.1."),
        ("198.51.100.", "10.2.2."),
        ("203.0.113.", "10.2.3."),
        ("2001:db8:", "2001:db8:2"),
    ];
    networks.into_iter().fold(moved + rest, |text, (from, to)| text.replace(from, to))
}

/// Two of the configurations in one file, with a line of an option taken out.
fn put_together(random: &mut fastrand::Rng, all: &[(String, String)]) -> String {
    let [one, other] = [0, 1].map(|_| &all[random.usize(..all.len())]);
    let mut lines: Vec<String> =
        format!("{}\n{}", one.1, moved_up(&other.1)).lines().map(str::to_owned).collect();
    let options: Vec<usize> = (0..lines.len()).filter(|&line| lines[line].starts_with([' ', '\t'])).collect();
    if let Some(&out) = random.choice(&options) {
        lines.remove(out);
    }
    lines.join("\n") + "\n"
}

/// How many random ones are judged: 300 where a campaign asks for them.
fn count(usual: usize) -> usize {
    if std::env::var_os("FORDCROSS_FIGURES").is_some() { 300 } else { usual }
}

/// Each of the files is the same on the new side or a person is told; figures for a campaign.
fn none_is_silent(called: &str, files: &[String]) {
    let judged = each_of_all(files, |text| outcome(text, &commands(text)));
    let mut found: BTreeMap<Outcome, usize> = BTreeMap::new();
    let mut wrong = String::new();
    for (text, (outcome, _, silent)) in files.iter().zip(&judged) {
        *found.entry(*outcome).or_default() += 1;
        if matches!(outcome, Outcome::Silent | Outcome::Refused) {
            let _ = writeln!(wrong, "{outcome:?}: {silent:#?}\n{text}");
        }
    }
    assert!(wrong.is_empty(), "{found:?}\n{wrong}");
    let of = |outcome| found.get(&outcome).copied().unwrap_or(0);
    let parts = judged.iter().filter_map(|(_, automatic, _)| automatic.split_once('/'));
    let parts = parts.map(|(automatic, all)| [automatic, all].map(|count| count.parse().unwrap_or(0)));
    let (automatic, settings) =
        parts.fold((0, 0), |(automatic, all), [one, of]: [usize; 2]| (automatic + one, all + of));
    let figures = [
        ("cases", files.len()),
        ("same", of(Outcome::Same)),
        ("told", of(Outcome::Told)),
        ("blocked", of(Outcome::Blocked)),
        ("silent", of(Outcome::Silent)),
        ("refused", of(Outcome::Refused)),
        ("settings", settings),
        ("automatic", automatic),
    ];
    keep_figures(called, &[IFUPDOWN, NETPLAN, CROSSING], &figures);
}

#[test]
fn networks_put_together_are_the_same_or_a_person_is_told() {
    let all = pieces("networks.txt");
    let mut random = fastrand::Rng::with_seed(number_of("FORDCROSS_SEED", 15));
    let files: Vec<String> = (0..count(6)).map(|_| put_together(&mut random, &all)).collect();
    none_is_silent("networks-together", &files);
}

#[test]
fn networks_as_people_write_them_are_the_same_or_a_person_is_told() {
    let first = number_of("FORDCROSS_SEED", 15) * 1000;
    let files: Vec<String> = (first..first + count(25) as u64).map(habits::host).collect();
    none_is_silent("networks-habits", &files);
}

const ALL_KINDS: &str = "auto eth0\niface eth0 inet static\n    address 192.0.2.10/24\n    gateway 192.0.2.1\n    mtu 1400\n    \
    hwaddress 00:00:5e:00:53:01\n    dns-nameservers 192.0.2.53\n    up ip addr add 192.0.2.11/24 dev eth0 label eth0:x\n    \
    up ip route add 198.51.100.0/24 via 192.0.2.254 metric 5 table 100\n    up ip rule add from 192.0.2.10 table 100\n\
    iface eth0 inet6 static\n    address 2001:db8::10/64\n    gateway 2001:db8::1\n\
    auto br0\niface br0 inet dhcp\n    bridge_ports eth1\n    bridge_stp on\n    bridge_fd 4\n    bridge_pathcost eth1 7\n\
    auto bond0\niface bond0 inet manual\n    bond-slaves eth2 eth3\n    bond-mode active-backup\n    bond-miimon 100\n    bond-primary eth2\n\
    auto bond0.5\niface bond0.5 inet static\n    address 203.0.113.129/25\n\
    auto sit1\niface sit1 inet6 v4tunnel\n    address 2001:db8:9::1/64\n    endpoint 203.0.113.9\n    local 192.0.2.10\n";

/// What differs in a result is seen, whichever of the things that are compared it is.
#[rstest]
#[case("", "", &[])]
#[case("- 192.0.2.10/24", "- 192.0.2.12/24", &["+ eth0 address 192.0.2.12/24", "- eth0 address 192.0.2.10/24"])]
#[case("label: eth0:x", "label: eth0:y", &["+ eth0 address 192.0.2.11/24 label eth0:y", "- eth0 address 192.0.2.11/24 label eth0:x"])]
#[case("\"192.0.2.1\"", "\"192.0.2.2\"", &["+ eth0 route4 default via 192.0.2.2", "- eth0 route4 default via 192.0.2.1"])]
#[case("metric: 5", "metric: 6", &["+ eth0 route4 198.51.100.0/24 via 192.0.2.254 metric 6 table 100",
    "- eth0 route4 198.51.100.0/24 via 192.0.2.254 metric 5 table 100"])]
#[case("from: \"192.0.2.10\"", "to: \"192.0.2.10\"", &["+ rule from all to 192.0.2.10/32 table 100", "- rule from 192.0.2.10/32 to all table 100"])]
#[case("mtu: 1400", "mtu: 1300", &["+ eth0 mtu 1300", "- eth0 mtu 1400"])]
#[case("00:00:5e:00:53:01", "00:00:5e:00:53:02", &["+ eth0 mac 00:00:5e:00:53:02", "- eth0 mac 00:00:5e:00:53:01"])]
#[case("192.0.2.53", "192.0.2.54", &["+ name-server 192.0.2.54", "- name-server 192.0.2.53"])]
#[case("accept-ra: false", "accept-ra: true", &["- eth0 accept_ra 0", "- eth0 autoconf 0"])]
#[case("stp: true", "stp: false", &["+ br0 spanning-tree off", "- br0 spanning-tree on"])]
#[case("dhcp4: true", "dhcp6: true", &["+ br0 dhcp6", "- br0 dhcp4"])]
#[case("203.0.113.9", "203.0.113.8", &["+ sit1 tunnel sit remote 203.0.113.8 local 192.0.2.10",
    "- sit1 tunnel sit remote 203.0.113.9 local 192.0.2.10"])]
#[case("forward-delay: 4", "forward-delay: 5", &["+ br0 ForwardDelaySec 5000ms", "- br0 ForwardDelaySec 4000ms"])]
#[case("eth1: 7", "eth1: 8", &["+ eth1 Cost 8", "- eth1 Cost 7"])]
#[case("mode: active-backup", "mode: balance-tlb", &["+ bond0 Mode balance-tlb", "- bond0 Mode active-backup"])]
#[case("mii-monitor-interval: 100", "mii-monitor-interval: 200", &["+ bond0 MIIMonitorSec 200ms", "- bond0 MIIMonitorSec 100ms"])]
#[case("primary: eth2", "primary: eth3", &["+ bond0 primary eth3", "- bond0 primary eth2"])]
#[case("id: 5", "id: 6", &["+ bond0.5 vlan 6 of bond0", "- bond0.5 vlan 5 of bond0"])]
#[case("link: bond0", "link: eth0", &["+ bond0.5 vlan 5 of eth0", "- bond0.5 vlan 5 of bond0"])]
#[case("- eth3", "- eth0", &["+ eth0 member of bond0", "- eth3 member of bond0"])]
#[case("eth1: {}", "eth1:\n      activation-mode: manual", &["- eth1 up"])]
fn what_is_planted_is_seen(#[case] from: &str, #[case] to: &str, #[case] expected: &[&str]) {
    let folder = TempDir::new().expect("a temporary folder");
    fs::write(folder.path().join("interfaces"), ALL_KINDS).expect("written");
    let carried = attempt(folder.path(), TO, &map_with_same_names(folder.path(), TO), &[]);
    let yaml = carried.ending(".netplan.yaml");
    let text = fs::read_to_string(&yaml).expect("a result");
    assert!(text.contains(from), "{text}");
    fs::write(&yaml, text.replacen(from, to, 1)).expect("written");
    let root = units(&yaml).expect("netplan takes it");
    let (old, new) = (of_old(&commands(ALL_KINDS), ALL_KINDS), of_new(root.path()));
    let added = new.difference(&old).map(|fact| format!("+ {fact}"));
    let seen: Vec<String> = added.chain(old.difference(&new).map(|fact| format!("- {fact}"))).collect();
    assert_eq!(seen, expected);
}
