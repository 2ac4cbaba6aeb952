//! The lines of real systems, without these systems: what becomes of our own backups, and how ports are named where
//! a line has no models. `real_systems` has the judges.

use crate::desk::{Desk, WRACKHAVEN};
use rstest::rstest;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

fn real(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/real").join(name)
}

/// New names for the ports that a proposed map leaves open.
fn with_new_names(map: &str) -> String {
    let mut made = 0;
    map.lines().fold(String::new(), |mut named, line| {
        let new = format!(" = \"enp{}s0\"", made + 1);
        made += usize::from(!line.starts_with('#') && line.contains(" = \"?\""));
        let line = if line.starts_with('#') { line.to_owned() } else { line.replace(" = \"?\"", &new) };
        let _ = writeln!(named, "{line}");
        named
    })
}

const MOVED: &str = "[paths]\n\"/srv/booking\" = \"/mnt/wal\"\n\"/var/log\" = \"/logs\"\n\
    [addresses]\n\"192.0.2.0/24\" = \"198.51.100.0/24\"\n";

/// What becomes of each, to the byte: `FORDCROSS_BLESS=1` writes it anew, to be read before it is kept.
#[rstest]
#[case("ifupdown/quay", "netplan@0.106", &["quay.netplan.yaml"])]
#[case("ifupdown/ramp", "netplan@0.106", &["interfaces.netplan.yaml"])]
#[case("ifupdown/odd", "netplan@0.106", &["odd.netplan.yaml"])]
#[case("postgresql/quay-10", "postgresql@18", &["postgresql.conf", "postgresql.auto.conf", "pg_hba.conf", "pg_ident.conf", "standby.signal"])]
#[case("postgresql/sandle-10", "postgresql@18", &["postgresql.conf", "pg_hba.conf", "recovery.signal"])]
#[case("postgresql/corrie-13", "postgresql@18", &["postgresql.conf", "standby.signal"])]
#[case("postgresql/sluice-16", "postgresql@18", &["postgresql.conf", "postgresql.auto.conf", "pg_hba.conf", "pg_ident.conf", "server.crt", "server.key"])]
fn real_backups_become_what_is_expected(#[case] backup: &str, #[case] to: &str, #[case] files: &[&str]) {
    let desk = Desk::new();
    let from = real(backup);
    let name = backup.rsplit('/').next().expect("a name");
    if to.starts_with("netplan") {
        desk.run_to(0, &format!("map {} --to {to} -o map.toml", from.display()));
        desk.write("map.toml", with_new_names(&desk.read("map.toml")));
    } else {
        desk.write("map.toml", MOVED);
    }
    let ran = desk.run_to(0, &format!("carry {} --to {to} --map map.toml -o out", from.display()));
    let result = if to.starts_with("netplan") { String::new() } else { format!("{name}.postgresql/") };
    let mut made: Vec<(String, String)> =
        files.iter().map(|file| ((*file).to_owned(), desk.read(&format!("out/{result}{file}")))).collect();
    // Each row of it is one.
    desk.ledger("out");
    let ledger = desk.read("out/ledger.jsonl");
    for secret in ["seven gulls", "nine gulls", "seven-terns", "ten-terns", "eleven terns"] {
        assert!(
            !ledger.contains(secret) && !ran.out.contains(secret) && !ran.reported.contains(secret),
            "{secret}"
        );
    }
    made.push(("carry.txt".into(), ran.reported));
    let expected = real("expected").join(name);
    for (file, text) in made {
        let path = expected.join(&file);
        if std::env::var_os("FORDCROSS_BLESS").is_some() {
            fs::create_dir_all(&expected).expect("a folder");
            fs::write(&path, &text).expect("written");
        }
        assert_eq!(text, fs::read_to_string(&path).unwrap_or_default(), "{}", path.display());
    }
}

const INTERFACES: &str = "# from the old host\nauto eth0 eth1\niface eth0 inet static\n   address 192.0.2.10/24\n\
    gateway 192.0.2.1\niface eth1 inet static\n   address 198.51.100.4/24\n   hwaddress ether 00:00:5e:00:53:07\n";

const INSTALLED: &str = "# Written by the installer.\nnetwork:\n  version: 2\n  renderer: networkd\n  ethernets:\n\
    \x20   # left socket\n    enp3s0f0:\n      match:\n        macaddress: \"00:00:5e:00:53:07\"\n      dhcp4: false   # by hand\n\
    \x20   enp3s0f1:\n      addresses: [192.0.2.10/24]\n";

#[test]
fn a_base_tells_ports_by_their_addresses_and_stays_as_it_is() {
    let desk = Desk::new();
    desk.write("host.interfaces", INTERFACES);
    desk.write("installed.yaml", INSTALLED);
    let map = desk.run_to(0, "map host.interfaces --to netplan@0.106 --base installed.yaml");
    assert!(map.out.contains("enp3s0f1         5  the same address in the base, 192.0.2.10"), "{}", map.out);
    assert!(map.out.contains("enp3s0f0         5  the same hardware address in the base"), "{}", map.out);
    desk.run_to(0, "carry host.interfaces --to netplan@0.106 --base installed.yaml -o out");
    let expected = INSTALLED.replace(
        "# by hand\n",
        "# by hand\n      macaddress: 00:00:5e:00:53:07\n      addresses:\n        - 198.51.100.4/24\n",
    ) + "      routes:\n        - to: default\n          via: \"192.0.2.1\"\n          on-link: true\n";
    assert_eq!(desk.read("out/host.netplan.yaml"), expected);
    // What it was carried into once changes nothing the next time.
    desk.run_to(0, "carry host.interfaces --to netplan@0.106 --base out/host.netplan.yaml -o again");
    assert_eq!(desk.read("again/host.netplan.yaml"), expected);
}

#[test]
fn ports_are_open_until_a_person_names_them() {
    let desk = Desk::new();
    desk.write("interfaces", INTERFACES);
    let ran = desk.run_to(3, "carry interfaces --to netplan@0.106 -o out");
    assert!(ran.reported.contains("[port-open]") && ran.reported.contains("`eth0`"), "{}", ran.reported);
    desk.write("map.toml", "[ports]\neth0 = \"lan\"\neth1 = \"leave\"\neth9 = \"of-another-host\"\n");
    desk.run_to(0, "carry interfaces --to netplan@0.106 --map map.toml -o named");
    let yaml = desk.read("named/interfaces.netplan.yaml");
    assert!(yaml.contains("    lan:\n") && !yaml.contains("eth0") && !yaml.contains("eth1"), "{yaml}");
}

/// The kernel takes 15 bytes, and the receiving program says nothing of it.
#[rstest]
#[case("enp129s0f0np0", 3)]
#[case("enp129s0f0", 0)]
fn a_name_that_the_system_cannot_hold_is_reported(#[case] new: &str, #[case] exit: i32) {
    let desk = Desk::new();
    desk.write("interfaces", "auto eth0.1234\niface eth0.1234 inet static\n  address 198.51.100.3/24\n");
    desk.write("map.toml", format!("[ports]\neth0 = \"{new}\"\n"));
    let ran = desk.run_to(exit, "carry interfaces --to netplan@0.106 --map map.toml -o out");
    let reported = "[name-too-long]: the name `enp129s0f0np0.1234` in the result has 18 bytes";
    assert_eq!(ran.reported.contains(reported), exit == 3, "{}", ran.reported);
    assert_eq!(
        ran.reported.contains("interfaces:2:1  interfaces/iface/eth0.1234"),
        exit == 3,
        "{}",
        ran.reported
    );
}

#[test]
fn data_are_passed_over_and_a_missing_file_is_reported() {
    let desk = Desk::new();
    for (file, text) in [
        ("pg/PG_VERSION", "16\n"),
        ("pg/postgresql.conf", "include 'more.conf'\nport = 5433\n"),
        ("pg/base/1/112", "\u{0}\u{1}"),
    ] {
        desk.write(file, text);
    }
    let ran = desk.run_to(0, "survey pg");
    assert!(ran.out.contains("PostgreSQL server on release 16"), "{}", ran.out);
    let ran = desk.run_to(0, "carry pg --to postgresql@18 -o out");
    for reported in [
        "[file-missing]: the included file is not in the backup",
        "pg/postgresql.conf:1:1",
        "[data-files-skipped]: 1 file",
    ] {
        assert!(ran.reported.contains(reported), "{reported}\n{}", ran.reported);
    }
    desk.write("pg/more.conf", "work_mem = 9MB # more\n");
    desk.run_to(0, "carry pg --to postgresql@18 -o whole");
    assert_eq!(
        desk.read("whole/pg.postgresql/postgresql.conf").lines().take(2).collect::<Vec<_>>(),
        ["work_mem = 9MB # more", "port = 5433"]
    );
    let row = desk.ledger("whole").into_iter().find(|row| row["locator"] == "main/work_mem").expect("a row");
    assert_eq!((row["file"].as_str(), row["fate"].as_str()), (Some("pg/more.conf"), Some("carried")));
}

/// Of what a person wrote only what has to change does: empty lines and the columns of comments are no settings, and
/// yet a person looks for them when old and new are compared.
#[test]
fn what_has_not_to_change_stays_through_a_whole_course() {
    const OLD: &str = "# The quay.\n\n\n# - Memory -\n\n#work_mem = 4MB\t\t# each sort\n\t\t\t\t# and each hash\n\
        temp_buffers = 9MB\t\t# ours\n\t\t\t\t# for long\nshared_buffers = 64MB\n\nport = 5433\n\n# the end\n";
    let desk = Desk::new();
    desk.write("pg/PG_VERSION", "10\n");
    desk.write("pg/postgresql.conf", OLD);
    let ran = desk.run_to(0, "carry pg --to postgresql@18 -o out");
    let new = desk.read("out/pg.postgresql/postgresql.conf");
    // What is pinned is at the end.
    let pinned = new.strip_prefix(OLD).unwrap_or_else(|| panic!("{new}"));
    assert!(!pinned.is_empty() && pinned.lines().all(|line| line.contains(" = ")), "{pinned}");
    // An empty line is no comment.
    assert!(ran.out.contains("7 comments copied"), "{}", ran.out);
}

/// Commands can hold passwords, and are shown on request only.
#[test]
fn a_command_is_shown_on_request_only() {
    let desk = Desk::new();
    let backup = real("postgresql/corrie-13");
    for (more, shown) in [("", false), ("--show-untyped", true)] {
        let ran =
            desk.run_to(0, &format!("carry {} --to postgresql@18 -o out --replace {more}", backup.display()));
        assert_eq!((ran.reported + &desk.read("out/ledger.jsonl")).contains("seven_gulls"), shown, "{more}");
    }
    desk.run_to(0, &format!("redact {} -o copy", backup.display()));
    assert!(!desk.read("copy/postgresql.conf").contains("gulls"));
}

/// A folder without the files that it includes is no reason to take others.
#[rstest]
#[case("source /etc/network/interfaces.d/*\n", None)]
#[case("source interfaces.d/*\n", None)]
#[case("source-directory /etc/network/interfaces.d\n", Some("not-included/old.cfg"))]
#[case("source /elsewhere/*\n", Some("not-included/old.cfg"))]
fn only_what_is_named_is_included(#[case] source: &str, #[case] left: Option<&str>) {
    let desk = Desk::new();
    desk.write("network/interfaces", format!("{source}auto lo\niface lo inet loopback\n"));
    desk.write("network/if-up.d/note", "#!/bin/sh\nlogger up\n");
    if left.is_some() {
        desk.write("network/interfaces.d/old.cfg", "iface eth9 inet manual\n");
    }
    desk.run_to(0, "carry network --to netplan@0.106 -o out");
    let rows = desk.ledger("out");
    let has = |locator: &str| rows.iter().any(|row| row["locator"] == locator);
    assert!(has("scripts/up/note") && left.is_none_or(has), "{rows:#?}");
    assert!(!has("interfaces/iface/eth9"), "it was not read");
}

/// All files of a folder, or the one file, with their bytes.
fn files_of(path: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    if path.is_file() {
        return vec![(PathBuf::new(), fs::read(path).expect("a file"))];
    }
    let mut files = Vec::new();
    let mut folders = vec![path.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).expect("a folder").flatten() {
            if entry.path().is_dir() {
                folders.push(entry.path());
            } else {
                let name = entry.path().strip_prefix(path).expect("below it").to_owned();
                files.push((name, fs::read(entry.path()).expect("a file")));
            }
        }
    }
    files.sort();
    files
}

/// Carried into its own line, with ports that keep their names: a result is accepted without a base, and with itself
/// as base not a byte is another.
#[rstest]
#[case("ifupdown/quay", "ifupdown@0.8", "quay.ifupdown")]
#[case("ifupdown/ramp/interfaces", "ifupdown@0.8", "interfaces.ifupdown/interfaces")]
#[case("expected/quay/quay.netplan.yaml", "netplan@0.106", "quay.netplan.netplan.yaml")]
#[case("expected/odd/odd.netplan.yaml", "netplan@0.106", "odd.netplan.netplan.yaml")]
#[case("expected/ramp/interfaces.netplan.yaml", "netplan@0.106", "interfaces.netplan.netplan.yaml")]
#[case("postgresql/quay-10", "postgresql@10", "quay-10.postgresql")]
#[case("postgresql/sandle-10", "postgresql@10", "sandle-10.postgresql")]
#[case("postgresql/corrie-13", "postgresql@13", "corrie-13.postgresql")]
#[case("postgresql/sluice-16", "postgresql@16", "sluice-16.postgresql")]
fn a_backup_goes_into_its_own_line(#[case] backup: &str, #[case] to: &str, #[case] result: &str) {
    let desk = Desk::new();
    let from = real(backup);
    desk.run(&format!("map {} --to {to} -o map.toml", from.display()));
    if desk.path("map.toml").exists() {
        let own = |line: &str| match line.split_once(" = \"?\"").filter(|_| !line.contains(['{', '}'])) {
            Some((name, rest)) => format!("{name} = \"{}\"{rest}\n", name.trim().trim_matches('"')),
            None => format!("{line}\n"),
        };
        desk.write("map.toml", desk.read("map.toml").lines().map(own).collect::<String>());
    } else {
        desk.write("map.toml", "");
    }
    let carry = format!("carry {0} --to {to} --map map.toml", from.display());
    desk.run_to(0, &format!("{carry} -o alone"));
    desk.run_to(0, &format!("{carry} --base {} -o out", from.display()));
    let (made, was) = (files_of(&desk.path(&format!("out/{result}"))), files_of(&from));
    for ((made, bytes), (was, old)) in made.iter().zip(&was) {
        assert_eq!(made, was);
        assert_eq!(String::from_utf8_lossy(bytes), String::from_utf8_lossy(old), "{}", was.display());
    }
    assert_eq!(made.len(), was.len());
}

/// A file that another includes is known, and keys and certificates beside the data go along.
#[test]
fn included_files_and_keys_are_known() {
    let desk = Desk::new();
    let ran = desk.run_to(0, &format!("survey {}", real("postgresql/sluice-16").display()));
    assert!(ran.out.contains("hba.d/10-radius.conf") && ran.out.contains("server.key"), "{}", ran.out);
    assert!(!ran.out.contains("not known to the profile"), "{}", ran.out);
    desk.write("pg/PG_VERSION", "16\n");
    desk.write("pg/postgresql.conf", "port = 5433\n");
    desk.write("pg/notes.md", "mine\n");
    let ran = desk.run_to(0, "survey pg");
    assert!(ran.out.contains("not known to the profile"), "{}", ran.out);
}

/// What one release reads otherwise than the next is written as what it meant.
#[rstest]
#[case::octal(
    "10",
    "postgresql.conf",
    "log_line_prefix = '\\045m \\303\\244'\n",
    "log_line_prefix = '%m ä'\n"
)]
#[case::cut(
    "10",
    "postgresql.conf",
    "authentication_timeout = '1500ms'\nwal_writer_flush_after = '12kB'\ncheckpoint_timeout = '90s'\n",
    "authentication_timeout = 1\nwal_writer_flush_after = 8kB\ncheckpoint_timeout = '90s'\n"
)]
#[case::rounded(
    "12",
    "postgresql.conf",
    "authentication_timeout = '1500ms'\n",
    "authentication_timeout = '1500ms'\n"
)]
// A connection string takes what is behind a backslash as it is.
#[case::in_a_connection(
    "14",
    "postgresql.conf",
    "primary_conninfo = 'host=192.0.2.1 password=''a\\\\101b\\\\nc d'' user=rep'\n",
    "primary_conninfo = 'host=192.0.2.1 password=''a101bnc d'' user=rep'\n"
)]
#[case::octal_delay("10", "postgresql.conf", "vacuum_cost_delay = 010\n", "vacuum_cost_delay = 8\n")]
#[case::no_client_is_spared(
    "10",
    "postgresql.conf",
    "client_min_messages = fatal\n",
    "client_min_messages = error\n"
)]
#[case::comments(
    "12",
    "pg_hba.conf",
    "# CORP\\\nhost all all 10.0.0.0/8 reject # x\\\nlocal all all peer\n",
    "# CORP\\ \nhost all all 10.0.0.0/8 reject # x\\ \nlocal all all peer\n"
)]
#[case::comments_that_went_on(
    "16",
    "pg_hba.conf",
    "# CORP\\\nlocal all all peer\n",
    "# CORP\\\nlocal all all peer\n"
)]
#[case::keywords(
    "14",
    "pg_ident.conf",
    "m nobody all\nm nobody +crew\nm nobody /^al\nm nobody bob\n",
    "m nobody \"all\"\nm nobody \"+crew\"\nm nobody /^/\\^al$\nm nobody bob\n"
)]
fn what_is_read_otherwise_means_the_same(
    #[case] release: &str,
    #[case] file: &str,
    #[case] text: &str,
    #[case] expected: &str,
) {
    let desk = Desk::new();
    desk.write("pg/PG_VERSION", format!("{release}\n"));
    desk.write("pg/postgresql.conf", "");
    desk.write(&format!("pg/{file}"), text);
    desk.run_to(0, "carry pg --to postgresql@18 --pin none -o out");
    assert_eq!(desk.read(&format!("out/pg.postgresql/{file}")), expected);
}

/// Old defaults that weaken the new server are named, and left out where a person wants it.
#[rstest]
#[case("", true, true)]
#[case("--pin safe", false, true)]
#[case("--pin none", false, false)]
fn weakening_defaults_are_a_persons_choice(#[case] option: &str, #[case] weak: bool, #[case] other: bool) {
    let desk = Desk::new();
    desk.write("pg/PG_VERSION", "10\n");
    desk.write("pg/postgresql.conf", "port = 5432\n");
    let ran = desk.run_to(0, &format!("carry pg --to postgresql@18 {option} -o out"));
    let conf = desk.read("out/pg.postgresql/postgresql.conf");
    for name in ["ssl_min_protocol_version", "password_encryption"] {
        assert_eq!(conf.contains(name), weak, "{conf}");
        assert_eq!(ran.out.contains(&format!("warning[weakening-pin]: `main/{name}")), weak, "{}", ran.out);
    }
    assert_eq!(conf.contains("checkpoint_completion_target"), other, "{conf}");
}

/// A base that says otherwise is told what held on the old side without a word.
#[test]
fn dhcp_of_a_base_does_not_stay_at_a_fixed_address() {
    let desk = Desk::new();
    desk.write("host/interfaces", "auto eth0\niface eth0 inet static\n    address 192.0.2.2/24\n");
    desk.write("base.yaml", "network:\n  version: 2\n  ethernets:\n    eth0: {dhcp4: true}\n");
    desk.run_to(0, "carry host --to netplan@0.106 --same-names --base base.yaml -o out");
    let made = desk.read("out/interfaces.netplan.yaml");
    assert!(made.contains("dhcp4: false") && made.contains("192.0.2.2/24"), "{made}");
    desk.run_to(0, "carry host --to netplan@0.106 --same-names -o alone");
    assert!(!desk.read("alone/interfaces.netplan.yaml").contains("dhcp4"), "it holds without it");
}

/// Where each file goes, with owner and mode, in the order in which they are put there.
#[test]
fn a_result_says_where_its_files_go() {
    let desk = Desk::new();
    desk.write("pg/PG_VERSION", "14\n");
    desk.write("pg/postgresql.conf", "work_mem = 8MB\n");
    desk.write("pg/postgresql.auto.conf", "work_mem = 9MB\n");
    desk.write("pg/standby.signal", "");
    desk.write("pg/server.key", "a key\n");
    desk.write("pg/server.crt", "a certificate\n");
    let ran = desk.run("carry pg --to postgresql@18 -o out");
    let expected = "file,path,owner,group,mode,order\n\
        pg.postgresql/standby.signal,/var/lib/postgresql/18/main/standby.signal,postgres,postgres,0600,1\n\
        pg.postgresql/postgresql.auto.conf,/var/lib/postgresql/18/main/postgresql.auto.conf,postgres,postgres,0600,2\n\
        pg.postgresql/server.key,/var/lib/postgresql/18/main/server.key,postgres,postgres,0600,3\n\
        pg.postgresql/server.crt,/var/lib/postgresql/18/main/server.crt,postgres,postgres,0644,4\n\
        pg.postgresql/postgresql.conf,/etc/postgresql/18/main/postgresql.conf,postgres,postgres,0640,5\n";
    assert_eq!(desk.read("out/install.csv"), expected, "{}", ran.out);
    assert!(desk.read("out/receipt.json").contains("install.csv"));
    desk.write("gw.xml", WRACKHAVEN);
    desk.carry("--replace");
    assert!(!Path::new(&desk.path("out/install.csv")).exists(), "the gateway imports its file itself");
}
