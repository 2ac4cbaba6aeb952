//! A standby follows its primary on the new side as it did on the old one: both configurations are carried, both servers run, and
//! what is written to one arrives at the other.

use crate::carried::carry;
use crate::server::Server;
use crate::server_facts::peopled;
use rstest::rstest;
use std::fs;
use std::path::Path;
use std::thread::sleep;
use std::time::Duration;
use tempfile::TempDir;

const PRIMARY: &str = "listen_addresses = '127.0.0.1'\nport = 5440\nwal_level = replica\nmax_wal_senders = 12\n\
    max_replication_slots = 4\nhot_standby = on\nsynchronous_standby_names = 'ramp'\nsynchronous_commit = local\n";
const RULES: &str = "local all all trust\nhost replication all 127.0.0.1/32 trust\n";
const STANDBY: &str = "port = 5441\nlisten_addresses = ''\nhot_standby = on\nmax_wal_senders = 12\nmax_standby_streaming_delay = 10s\n";
const FOLLOWS: &str = "primary_conninfo = 'host=127.0.0.1 port=5440 user=bob application_name=ramp'\nprimary_slot_name = 'ramp_slot'\n\
    recovery_target_timeline = 'latest'\n";

/// The files of a primary and of its standby on a release.
fn old(release: &str) -> [Vec<(&'static str, String)>; 2] {
    let primary = vec![
        ("PG_VERSION", format!("{release}\n")),
        ("postgresql.conf", PRIMARY.to_owned()),
        ("pg_hba.conf", RULES.to_owned()),
    ];
    let mut standby = vec![("PG_VERSION", format!("{release}\n")), ("pg_hba.conf", RULES.to_owned())];
    if release == "10" {
        standby.push(("postgresql.conf", STANDBY.to_owned()));
        standby.push(("recovery.conf", format!("standby_mode = 'on'\n{FOLLOWS}")));
    } else {
        standby.push(("postgresql.conf", format!("{STANDBY}{FOLLOWS}")));
        standby.push(("standby.signal", String::new()));
    }
    [primary, standby]
}

/// How a standby follows: its name, its slot and whether it waits; `alone` if nothing arrives.
fn followed(release: &str, primary_files: &Path, standby_files: &Path) -> String {
    let (mut cluster, _) = peopled(release);
    cluster.reopened("ALTER ROLE bob REPLICATION");
    let mut primary = Server::like(&cluster);
    primary.configure(primary_files);
    primary.start_as_it_is().expect("the primary starts");
    primary.query("SELECT pg_create_physical_replication_slot('ramp_slot')");
    let mut standby = Server::beside(&cluster, &primary);
    standby.configure(standby_files);
    standby.start_as_it_is().expect("the standby starts");
    assert_eq!(standby.query("SELECT pg_is_in_recovery()"), [["t"]], "{release}");
    primary.query("CREATE TABLE arrived AS SELECT 1 AS tide");
    let has_arrived = || standby.query("SELECT count(*) FROM pg_class WHERE relname = 'arrived'") == [["1"]];
    let in_time = (0..40).any(|_| {
        sleep(Duration::from_millis(250));
        has_arrived()
    });
    if !in_time {
        return "alone".to_owned();
    }
    let seen = primary.query(
        "SELECT application_name, state, sync_state, slot_name FROM pg_stat_replication, pg_replication_slots WHERE active",
    );
    seen.concat().join(" ")
}

#[rstest]
#[case("10", None, "ramp streaming sync ramp_slot")]
#[case("14", None, "ramp streaming sync ramp_slot")]
#[case("16", Some(("port=5440", "port=5449")), "alone")]
fn a_standby_follows_as_before(
    #[case] release: &str,
    #[case] planted: Option<(&str, &str)>,
    #[case] expected: &str,
) {
    let folder = TempDir::new().expect("a temporary folder");
    let [primary, standby] = ["primary", "standby"].map(|name| folder.path().join(name));
    for (path, files) in [&primary, &standby].into_iter().zip(old(release)) {
        fs::create_dir(path).expect("a folder");
        files.iter().for_each(|(name, text)| fs::write(path.join(name), text).expect("written"));
    }
    let results = [&primary, &standby].map(|backup| carry(backup, "postgresql@18", "", &[]));
    let [new_primary, new_standby] = [0, 1].map(|at: usize| results[at].ending(".postgresql"));
    match planted {
        None => assert_eq!(followed(release, &primary, &standby), expected, "on the old side"),
        Some((from, to)) => {
            let conf = new_standby.join("postgresql.conf");
            let text = fs::read_to_string(&conf).expect("a file");
            assert!(text.contains(from), "{text}");
            fs::write(conf, text.replace(from, to)).expect("written");
        }
    }
    assert_eq!(followed("18", &new_primary, &new_standby), expected);
}
