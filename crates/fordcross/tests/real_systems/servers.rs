//! `PostgreSQL`: what the profile says is held to servers of each release, and results are started.

use crate::carried::{Carried, carry};
use crate::programs::{copy, kept, own, run};
use crate::server::{RELEASES, Server, Setting};
use rstest::rstest;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;
use std::process::Command;
use tempfile::TempDir;

const TO: &str = "postgresql@18";

/// The settings of `postgresql.conf` that the profile declares for a release, with their defaults.
fn declared(release: &str) -> BTreeMap<String, Option<String>> {
    let mut command = Command::new(env!("CARGO_BIN_EXE_fordcross"));
    let output = run(command.args(["profile", "show", &format!("postgresql@{release}"), "--json"]));
    let profile: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let declares = profile["results"][0]["declares"]
        .as_array()
        .expect("document type declaration, which is never followed");
    let of_main = declares.iter().filter_map(|declared| {
        let path = declared["path"].as_str()?;
        let names = path.strip_prefix("main|auto/").or_else(|| path.strip_prefix("main/"))?;
        let default = declared["default"].as_str().map(str::to_owned);
        // One declaration can be of several.
        Some(names.split('|').map(move |name| (name.to_owned(), default.clone())))
    });
    of_main.flatten().collect()
}

/// What a server has, and nobody can write into its files; and what is there in another way.
fn is_of_the_file(name: &str, setting: &Setting) -> bool {
    setting.context != "internal"
        && !["primary_conninfo", "data_directory_mode", "config_file"].contains(&name)
}

#[rstest]
fn the_profile_has_the_settings_of_each_release(#[values(0, 1, 2, 3, 4)] release: usize) {
    let release = RELEASES[release];
    let mut server = Server::new(release);
    server.start("the new cluster");
    let real: BTreeSet<String> = server
        .settings()
        .into_iter()
        .filter(|(name, setting)| is_of_the_file(name, setting))
        .map(|(name, _)| name)
        .collect();
    let ours: BTreeSet<String> = declared(release)
        .into_keys()
        .filter(|name| !name.contains('/') && !["config_file", "primary-address"].contains(&name.as_str()))
        .collect();
    let missing: Vec<_> = real.difference(&ours).collect();
    let beyond: Vec<_> = ours.difference(&real).collect();
    assert!(missing.is_empty() && beyond.is_empty(), "{release}: missing {missing:?}, beyond {beyond:?}");
}

/// A default that changed is pinned only if the profile knows both.
#[test]
fn the_profile_has_the_defaults_that_changed() {
    // Off and an empty list are the same; the path is that of the machine that built the server; nobody writes the last.
    const OTHERWISE: [&str; 3] = ["log_connections", "krb_server_keyfile", "transaction_isolation"];
    let of = |release: &str| {
        let mut server = Server::new(release);
        server.start("the new cluster");
        server.settings()
    };
    let releases: Vec<(&str, BTreeMap<String, Setting>)> =
        RELEASES.map(|release| (release, of(release))).into();
    for pair in releases.windows(2) {
        let [(old, before), (new, after)] = pair else { continue };
        let (old_ours, new_ours) = (declared(old), declared(new));
        for (name, setting) in before.iter().filter(|(name, setting)| is_of_the_file(name, setting)) {
            let Some(changed) = after.get(name).filter(|changed| changed.boot != setting.boot) else {
                continue;
            };
            if OTHERWISE.contains(&name.as_str()) {
                continue;
            }
            let bare = |default: &Option<Option<String>>| {
                default.clone().flatten().map(|default| default.trim_end_matches("ms").to_owned())
            };
            assert_eq!(
                bare(&old_ours.get(name).cloned()).as_deref(),
                Some(setting.boot.as_str()),
                "{name} of {old}"
            );
            assert_eq!(
                bare(&new_ours.get(name).cloned()).as_deref(),
                Some(changed.boot.as_str()),
                "{name} of {new}"
            );
        }
    }
}

/// The files that a release comes with, as a backup: each setting that is there as a comment is given.
fn sample_of(release: &str) -> TempDir {
    let folder = TempDir::new().expect("a temporary folder");
    let share = kept().join("postgresql").join(release).join("native/share/postgresql");
    let server = Server::new(release);
    let is_setting = |line: &str| {
        let bare = line.strip_prefix('#').unwrap_or_default();
        bare.starts_with(|c: char| c.is_ascii_lowercase())
            && bare.split_once(" = ").is_some_and(|(name, _)| name.bytes().all(|b| b.is_ascii_lowercase() || b == b'_'))
            // These name files and programs that are not here.
            && !["include", "ssl", "krb_", "bonjour", "external_pid", "jit_provider", "data_dir", "hba_", "ident_"].iter().any(|left| bare.starts_with(left))
    };
    let sample = fs::read_to_string(server.data().join("postgresql.conf")).expect("a file");
    let given: Vec<&str> =
        sample.lines().map(|line| if is_setting(line) { &line[1..] } else { line }).collect();
    fs::write(folder.path().join("postgresql.conf"), given.join("\n") + "\n").expect("written");
    for name in ["pg_hba.conf", "pg_ident.conf", "PG_VERSION"] {
        fs::copy(server.data().join(name), folder.path().join(name)).expect("copied");
    }
    assert!(share.join("postgresql.conf.sample").exists());
    folder
}

/// Starts a server with a configuration, and gives what it says of its settings.
#[track_caller]
fn started(release: &str, files: &Path, what: &str) -> BTreeMap<String, Setting> {
    let mut server = Server::new(release);
    server.configure(files);
    server.let_us_in();
    server.accepts(what);
    let signal = server.data().join("standby.signal");
    let is_standby = signal.exists();
    for name in ["standby.signal", "recovery.signal", "recovery.conf"] {
        let _ = fs::remove_file(server.data().join(name));
    }
    server.start(what);
    let mistakes = server.mistakes();
    assert!(mistakes.is_empty(), "{what} in {release}: {mistakes:?}");
    let mut settings = server.settings();
    let rules = Setting { value: alike(&server.rules()), boot: String::new(), context: "files".into() };
    settings.insert("the rules of access".into(), rules);
    if is_standby {
        server.query("CHECKPOINT");
        server.stop();
        fs::write(signal, "").expect("written");
        server.start(what);
        assert_eq!(server.query("SELECT pg_is_in_recovery()"), [["t"]], "{what}");
    }
    settings
}

/// Rules of access without what says the same in another way: from 16 on a name with a slash in front is a pattern, and
/// becomes one that fits just that name; what `cert` verifies is not for `clientcert` to say from 14 on.
pub(crate) fn alike(rules: &str) -> String {
    let word = |word: &str| {
        let bare = word.trim_start_matches(['{', '"']).trim_end_matches(['}', '"']);
        match bare.strip_prefix("/^").and_then(|rest| rest.strip_suffix('$')) {
            Some(pattern) => pattern.replace('\\', ""),
            None => bare.to_owned(),
        }
    };
    let line = |line: &str| {
        let words: Vec<String> = line.split(' ').map(word).collect();
        let is_cert = words.iter().any(|word| word == "cert");
        words
            .into_iter()
            .filter(|word| !(is_cert && word.starts_with("clientcert=")))
            .collect::<Vec<_>>()
            .join(" ")
    };
    rules.lines().map(line).collect::<Vec<_>>().join("\n")
}

/// The settings that a person was told are not the same any more.
fn reported(carried: &Carried) -> BTreeSet<String> {
    let changed = ["approximated", "dropped", "by-hand", "left-out", "unmatched"];
    let name = |locator: &str| {
        locator.split('/').next_back().unwrap_or_default().split('[').next().unwrap_or_default().to_owned()
    };
    changed.iter().flat_map(|fate| carried.of_fate(fate)).map(name).collect()
}

/// That a server of the new release works as the old one did, apart from what was told.
#[track_caller]
fn behaves_the_same(
    old: &BTreeMap<String, Setting>,
    new: &BTreeMap<String, Setting>,
    carried: &Carried,
    what: &str,
) {
    // What only says where and what the server is, and what is written otherwise and means the same.
    const OTHER: [&str; 10] = [
        "data_directory",
        "hba_file",
        "ident_file",
        "config_file",
        "unix_socket_directories",
        "server_version",
        "log_connections",
        "krb_server_keyfile",
        // `on` is called `pglz` when it is asked for.
        "wal_compression",
        // A number of disks in 12, of pages in 13.
        "effective_io_concurrency",
    ];
    let reported = reported(carried);
    let mut different = Vec::new();
    for (name, setting) in old.iter().filter(|(_, setting)| setting.context != "internal") {
        let Some(now) = new.get(name) else { continue };
        let same = now.value == setting.value || OTHER.contains(&name.as_str()) || reported.contains(name);
        // A list may have other white space in it; the old spelling of a word may be another now.
        let alike = now.value.replace(' ', "") == setting.value.replace(' ', "");
        if !same && !alike {
            different.push(format!("{name}: {} was {}", now.value, setting.value));
        }
    }
    assert!(different.is_empty(), "{what}: {different:#?}");
}

#[rstest]
fn every_setting_of_a_release_is_carried(#[values(0, 1, 2, 3)] release: usize) {
    let release = RELEASES[release];
    let sample = sample_of(release);
    let carried = carry(sample.path(), TO, "", &[]);
    let before = started(release, sample.path(), "the sample");
    let after = started("18", &carried.ending(".postgresql"), "what became of the sample");
    behaves_the_same(&before, &after, &carried, release);
}

#[rstest]
#[case("quay-10", "10")]
#[case("sandle-10", "10")]
#[case("corrie-13", "14")]
#[case("sluice-16", "16")]
fn our_own_servers_are_carried(#[case] name: &str, #[case] release: &str) {
    let backup = TempDir::new().expect("a temporary folder");
    copy(&own("postgresql").join(name), backup.path());
    // Paths of the old machine are not here, and a file that is missing stops a server, as it should.
    let conf = backup.path().join("postgresql.conf");
    let text = fs::read_to_string(&conf).expect("a file");
    let here = |line: &&str| {
        !line.starts_with("include 'absent")
            && !line.starts_with("data_directory")
            && !line.starts_with("hba_file")
    };
    fs::write(&conf, text.lines().filter(here).collect::<Vec<_>>().join("\n") + "\n").expect("written");
    let carried = carry(backup.path(), TO, "", &[]);
    let result = carried.ending(".postgresql");
    // What it fetches is not here.
    if name == "corrie-13" {
        let conf = result.join("postgresql.conf");
        let text = fs::read_to_string(&conf)
            .expect("a file")
            .replace("PGPASSWORD=seven_gulls fetch-wal %f %p", "false");
        fs::write(conf, text).expect("written");
    }
    let after = started("18", &result, name);
    if name != "corrie-13" {
        let before = started(release, backup.path(), name);
        behaves_the_same(&before, &after, &carried, name);
    }
}

#[test]
fn paths_and_addresses_are_mapped() {
    let map = "[paths]\n\"/srv/booking\" = \"/mnt/wal\"\n\"/var/log\" = \"/logs\"\n[addresses]\n\"192.0.2.0/24\" = \"198.51.100.0/24\"\n";
    let carried = carry(&own("postgresql/quay-10"), TO, map, &[]);
    let result = carried.ending(".postgresql");
    let conf = fs::read_to_string(result.join("postgresql.conf")).expect("a file");
    assert!(
        conf.contains("listen_addresses = '198.51.100.10, localhost'")
            && conf.contains("log_directory = '/logs/booking'"),
        "{conf}"
    );
    let access = fs::read_to_string(result.join("pg_hba.conf")).expect("a file");
    assert!(access.contains("198.51.100.0/24") && access.contains("198.51.100.0 255.255.255.0"), "{access}");
    assert!(
        carried.printed.contains("`/srv/booking` is still in free text")
            && carried.printed.contains("main/archive_command"),
        "{}",
        carried.printed
    );
    started("18", &result, "mapped");
}

#[rstest]
#[case("quay-10", "seven gulls", "postgresql.conf")]
#[case("corrie-13", "seven%20gulls", "postgresql.conf")]
#[case("corrie-13", "seven_gulls", "postgresql.conf")]
#[case("sluice-16", "rushing-water", "pg_hba.conf")]
#[case("sluice-16", "the key of the sluice", "server.key")]
fn a_password_in_a_value_is_in_the_result_alone(
    #[case] name: &str,
    #[case] secret: &str,
    #[case] file: &str,
) {
    let carried = carry(&own("postgresql").join(name), TO, "", &[]);
    carried.keeps_to_itself(secret, &carried.ending(".postgresql").join(file));
}

/// What an old server could do the new one can: settings that have become two with a bound each, at three times their
/// defaults, and more.
#[rstest]
#[case("autovacuum_max_workers = 30", "autovacuum_max_workers", "autovacuum_worker_slots")]
#[case("max_replication_slots = 30", "max_replication_slots", "max_active_replication_origins")]
fn a_setting_that_became_two_can_do_what_it_could(
    #[case] line: &str,
    #[case] setting: &str,
    #[case] bound: &str,
) {
    let backup = TempDir::new().expect("a temporary folder");
    let write = |name: &str, text: &str| fs::write(backup.path().join(name), text).expect("written");
    write("PG_VERSION", "16\n");
    write("postgresql.conf", &format!("{line}\n"));
    write("pg_hba.conf", "local all all trust\n");
    let shown = |server: &Server, name: &str| -> u64 {
        server.query(&format!("SHOW {name}"))[0][0].parse().expect("a number")
    };
    let mut old = Server::new("16");
    old.configure(backup.path());
    old.start("the old configuration");
    let carried = carry(backup.path(), "postgresql@18", "", &[]);
    let mut new = Server::new("18");
    new.configure(&carried.ending(".postgresql"));
    new.start("the new one");
    assert_eq!(shown(&new, setting), shown(&old, setting));
    assert!(shown(&new, bound) >= shown(&old, setting), "{bound} is {}", shown(&new, bound));
}
