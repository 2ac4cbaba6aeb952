//! What a server does that was started with a configuration as it is, in facts that both sides can be asked for.

use crate::programs::{run, said};
use crate::server::{ADDRESSES, Server, Setting};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

/// Facts by what they are about: `set work_mem`, `login app bob`, `access`, `archives`.
pub(crate) type Facts = BTreeMap<String, String>;

/// Roles and databases whose names rules of access speak of, and whom the judge asks as.
const PEOPLE: [&str; 11] = [
    "CREATE ROLE judge SUPERUSER LOGIN",
    // Where roles are those of a database.
    "CREATE ROLE \"judge@judge\" SUPERUSER LOGIN",
    "CREATE DATABASE judge OWNER judge",
    "CREATE ROLE crew",
    // Passwords are kept the way that upgraded clusters have them; a setting holds within its connection.
    "SET password_encryption = 'md5'; CREATE ROLE alice LOGIN PASSWORD 'tide' IN ROLE crew",
    "SET password_encryption = 'scram-sha-256'; CREATE ROLE bob LOGIN PASSWORD 'tide'",
    "CREATE ROLE \"/ops\" LOGIN",
    "CREATE ROLE \"al ice\" LOGIN",
    "CREATE DATABASE app",
    "CREATE DATABASE \"/app\"",
    "CREATE DATABASE alice",
];
const DATABASES: [&str; 5] = ["postgres", "app", "/app", "alice", "replication"];
const USERS: [&str; 5] = ["alice", "bob", "postgres", "/ops", "al ice"];
/// How many slots and origins are tried: three times the default.
const THREE_TIMES: usize = 30;

/// A stopped cluster of a release with people in it, to be copied.
pub(crate) fn peopled(release: &str) -> (Server, BTreeMap<String, Setting>) {
    let mut server = Server::new(release);
    fs::write(server.data().join("postgresql.conf"), "").expect("written");
    server.start("the new cluster");
    for statement in PEOPLE {
        server.query(statement);
    }
    server.stop_cleanly();
    // What it does without a word of configuration.
    let mut plain = Server::like(&server);
    plain.start_as_it_is().expect("it starts");
    let defaults = plain.settings();
    (server, defaults)
}

/// What a server does with a configuration; what it says where it refuses that. `peopled` is of the same release.
pub(crate) fn facts(peopled: &Server, files: &Path) -> Result<Facts, String> {
    let mut server = Server::like(peopled);
    let data = server.data();
    // A data folder of its own has all files: what the configuration does not bring is empty.
    for name in ["postgresql.conf", "postgresql.auto.conf", "pg_ident.conf"] {
        fs::write(data.join(name), "").expect("written");
    }
    fs::write(data.join("pg_hba.conf"), "local all all trust\n").expect("written");
    server.configure(files);
    let mut facts = Facts::new();
    let read = |name: &str| fs::read_to_string(data.join(name)).unwrap_or_default();
    let rules = read("pg_hba.conf");
    fs::write(data.join("pg_hba.conf"), format!("local judge all trust\n{rules}")).expect("written");
    if ["ssl = on", "ssl = 'on'", "ssl = true"].iter().any(|on| read("postgresql.conf").contains(on)) {
        certify(&data);
    }
    // What a recovery ends with is not here to be restored: that it was asked for is what counts.
    let asks = |name: &str| data.join(name).exists();
    let is_recovery = asks("recovery.signal")
        || asks("recovery.conf") && !read("recovery.conf").contains("standby_mode = 'on'");
    if is_recovery {
        facts.insert("recovery".into(), "asked for".into());
        for name in ["recovery.signal", "recovery.conf"] {
            let _ = fs::remove_file(data.join(name));
        }
    }
    server.start_as_it_is().map_err(|log| log.replace(&format!("{}/", data.display()), ""))?;
    for (name, setting) in server.settings().into_iter().filter(|(_, setting)| setting.context != "internal")
    {
        facts.insert(format!("set {name}"), setting.value);
    }
    // The judge says where its sockets are; what the files say is in them.
    facts.remove("set unix_socket_directories");
    let of_files = server.query("SELECT name, setting FROM pg_file_settings WHERE applied IS NOT FALSE OR error IS NULL ORDER BY seqno");
    for row in of_files.iter().filter(|row| row[0] == "unix_socket_directories") {
        facts.insert("set unix_socket_directories".into(), row[1].clone());
    }
    let listed = server.rules();
    let listed = listed.lines().filter(|line| !line.contains("{judge} {all}")).collect::<Vec<_>>().join("\n");
    facts.insert("access".into(), crate::servers::alike(&listed));
    let mistakes: Vec<String> = server.mistakes().into_iter().map(|row| row.join(" ")).collect();
    facts.insert("mistakes".into(), mistakes.join("\n"));
    let is_standby = server.query("SELECT pg_is_in_recovery()") == [["t"]];
    facts.insert("standby".into(), is_standby.to_string());
    if files.join("pg_hba.conf").exists() {
        logins(&server, &mut facts);
    }
    if !is_standby {
        archives(&server, &mut facts);
        slots(&server, &mut facts);
    }
    Ok(facts)
}

/// A certificate and its key, made on the spot.
fn certify(data: &Path) {
    let mut command = Command::new("openssl");
    command.args([
        "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=quay", "-keyout",
    ]);
    let output = run(command.arg(data.join("server.key")).arg("-out").arg(data.join("server.crt")));
    assert!(output.status.success(), "{}", said(&output));
}

/// Who gets in, over users, databases, addresses and, where there is SSL, with and without it.
fn logins(server: &Server, facts: &mut Facts) {
    let ssl = server.query("SHOW ssl") == [["on"]];
    let modes: &[&str] = if ssl { &["disable", "require"] } else { &["disable"] };
    for database in DATABASES {
        for user in USERS {
            let mut found = String::new();
            for address in ["local"].iter().chain(&ADDRESSES) {
                for mode in modes {
                    let database = match database {
                        "replication" => "replication=1 dbname=postgres",
                        database => database,
                    };
                    let _ = write!(found, " {}", server.login(address, database, user, mode));
                }
            }
            facts.insert(format!("login {database} {user}"), found.trim_start().to_owned());
        }
    }
}

/// Whether what was written is archived, where that was asked for.
fn archives(server: &Server, facts: &mut Facts) {
    if server.query("SHOW archive_mode") == [["off"]] {
        return;
    }
    server.query("SELECT pg_switch_wal()");
    let until = Instant::now() + Duration::from_secs(8);
    let is_done = || server.query("SELECT archived_count > 0 FROM pg_stat_archiver") == [["t"]];
    let mut done = is_done();
    while !done && Instant::now() < until {
        std::thread::sleep(Duration::from_millis(100));
        done = is_done();
    }
    facts.insert("archives".into(), done.to_string());
}

/// How many slots and origins of replication there can be, where more than their default was asked for.
fn slots(server: &Server, facts: &mut Facts) {
    let asked: usize = server.query("SHOW max_replication_slots")[0][0].parse().unwrap_or(0);
    if asked <= 10 {
        return;
    }
    let count = |what: &dyn Fn(usize) -> String| {
        (0..THREE_TIMES).filter(|number| server.asked(&what(*number)).status.success()).count()
    };
    let slots = count(&|number| format!("SELECT pg_create_physical_replication_slot('slot_{number}')"));
    let origins = count(&|number| {
        format!(
            "SELECT pg_replication_origin_create('from_{number}'); SELECT pg_replication_origin_advance('from_{number}', '0/1')"
        )
    });
    facts.insert("slots".into(), slots.to_string());
    facts.insert("origins".into(), origins.to_string());
}
