//! Each rule of `PostgreSQL` is needed: with it a configuration blocks or is told of; without it that is written with
//! status 0, and a server that is started with it refuses it, or takes it and nobody is told.

use crate::kept::keep_figures;
use crate::mutants::{Mutant, mutants};
use crate::programs::{run, said};
use crate::server::Server;
use serde_json::Value;
use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::process::Command;
use std::sync::atomic::{AtomicUsize, Ordering};
use tempfile::TempDir;

const PROFILE: &str =
    include_str!("../../../fordcross-profiles/platforms/postgresql/postgresql.profile.toml");

/// What becomes of it without the rule.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Then {
    Refused,
    /// The server takes it and does something else.
    Taken,
}
use Then::{Refused, Taken};

/// The code of a rule, settings, rules of access, and what a server does without the rule. A line `file NAME` among the
/// settings is an empty file of that name.
const CASES: [(&str, &str, &str, Then); 47] = [
    ("at-most-one", "recovery_target_time = '2026-01-01'\nrecovery_target_xid = '5'", "", Refused),
    ("at-most-one", "recovery_target_time = '2026-01-01'\nrecovery_target = ''", "", Refused),
    ("minimal-senders", "wal_level = minimal", "", Refused),
    (
        "minimal-archive",
        "wal_level = minimal\nmax_wal_senders = 0\narchive_mode = on\narchive_command = 'true'",
        "",
        Refused,
    ),
    ("minimal-summarize", "wal_level = minimal\nmax_wal_senders = 0\nsummarize_wal = on", "", Refused),
    (
        "reserved",
        "max_connections = 10\nmax_wal_senders = 5\nsuperuser_reserved_connections = 10",
        "",
        Refused,
    ),
    ("min-wal-size", "min_wal_size = 20MB", "", Refused),
    ("max-wal-size", "max_wal_size = 20MB", "", Refused),
    ("huge-sysv", "huge_pages = on\nshared_memory_type = sysv", "", Refused),
    (
        "socket-path",
        "unix_socket_directories = '/tmp/a-folder-whose-name-is-so-long-that-no-socket-in-it-can-have-a-name-any-more-at-all-really'",
        "",
        Refused,
    ),
    ("restore-command", "file recovery.signal", "", Refused),
    (
        "oauth-validator",
        "",
        "host all all 127.0.0.1/32 oauth issuer=https://id.example.net scope=openid",
        Refused,
    ),
    ("sync-no-sender", "synchronous_standby_names = 'quay'\nmax_wal_senders = 0", "", Taken),
    (
        "archive-both",
        "archive_mode = on\narchive_command = 'true'\narchive_library = 'basic_archive'",
        "",
        Taken,
    ),
    ("autovacuum-blind", "track_counts = off", "", Taken),
    ("parallel-workers", "max_parallel_workers = 20", "", Taken),
    ("gather-workers", "max_parallel_workers_per_gather = 30", "", Taken),
    ("logical-workers", "max_logical_replication_workers = 9", "", Taken),
    ("sync-workers", "max_sync_workers_per_subscription = 9", "", Taken),
    ("apply-workers", "max_parallel_apply_workers_per_subscription = 9", "", Taken),
    ("log-no-collector", "log_destination = 'csvlog'", "", Taken),
    ("wal-order", "min_wal_size = 2GB\nmax_wal_size = 1GB", "", Taken),
    (
        "cluster-name",
        "cluster_name = 'a name of a cluster that is longer than sixty-three bytes, which are all that fit'",
        "",
        Taken,
    ),
    ("archive-nothing", "archive_mode = on", "", Taken),
    ("standby-alone", "file standby.signal", "", Taken),
    ("two-signals", "file standby.signal\nfile recovery.signal\nrestore_command = 'false'", "", Taken),
    ("delay-no-standby", "recovery_min_apply_delay = 5min", "", Taken),
    ("slot-sync", "file standby.signal\nrestore_command = 'false'\nsync_replication_slots = on", "", Taken),
    ("preload", "shared_preload_libraries = 'tide_tables'", "", Refused),
    ("ssl-is-off", "", "hostssl all all 127.0.0.1/32 trust", Taken),
    ("address-cut", "", "host all all 192.0.2.9/24 trust", Taken),
    ("peer-local", "", "host all all 127.0.0.1/32 peer", Refused),
    ("gss-local", "", "local all all gss", Refused),
    ("cert-hostssl", "", "host all all 127.0.0.1/32 cert", Refused),
    ("clientcert-ssl", "", "host all all 127.0.0.1/32 trust clientcert=verify-ca", Refused),
    ("radius-needs", "", "host all all 127.0.0.1/32 radius radiusservers=192.0.2.1", Refused),
    ("ldap-needs", "", "host all all 127.0.0.1/32 ldap ldapport=389", Refused),
    ("ldap-modes", "", "host all all 127.0.0.1/32 ldap ldapserver=h ldapprefix=a ldapbasedn=b", Refused),
    ("mask-family", "", "host all all db.example.net 255.255.255.0 trust", Refused),
    ("cert-full", "", "hostssl all all 127.0.0.1/32 cert clientcert=verify-ca", Refused),
    ("method-known", "", "host all all 127.0.0.1/32 krb5", Refused),
    ("map-method", "", "host all all 127.0.0.1/32 trust map=m", Refused),
    ("pattern-reads", "", "local /( all trust", Refused),
    (
        "tls-range",
        "ssl = on\nssl_min_protocol_version = 'TLSv1.3'\nssl_max_protocol_version = 'TLSv1.2'",
        "",
        Refused,
    ),
    ("map-pattern", "map m /( postgres", "", Taken),
    (
        "reserved",
        "max_connections = 10\nmax_wal_senders = 5\nsuperuser_reserved_connections = 5\nreserved_connections = 5",
        "",
        Refused,
    ),
    ("count", "", "none", Taken),
];

/// What no file can break: where these words are missing there is no rule and no line to be read. Two are nets beneath a
/// crossing that writes what they ask for.
const SPARED: [&str; 5] = ["required", "narrows", "atomic", "check autovacuum-slots", "check combine-limit"];

struct Ran {
    status: Option<i32>,
    findings: Vec<Value>,
    said: String,
    folder: TempDir,
}

fn carry(backup: &Path, profiles: Option<&Path>) -> Ran {
    let folder = TempDir::new().expect("a temporary folder");
    let mut command = Command::new(env!("CARGO_BIN_EXE_fordcross"));
    command
        .current_dir(folder.path())
        .args(["carry", "--json", "--to", "postgresql@18", "-o", "out"])
        .arg(backup);
    if let Some(profiles) = profiles {
        command.arg("--profiles").arg(profiles);
    }
    let output = run(&mut command);
    let json: Value = serde_json::from_slice(&output.stdout).unwrap_or_default();
    let findings = json["findings"].as_array().cloned().unwrap_or_default();
    Ran { status: output.status.code(), findings, said: said(&output), folder }
}

fn backup(settings: &str, access: &str) -> TempDir {
    let folder = TempDir::new().expect("a temporary folder");
    let write = |name: &str, text: &str| fs::write(folder.path().join(name), text).expect("written");
    let (mut conf, mut users) = (String::new(), String::new());
    let rules = match access {
        "none" => "# nobody\n".to_owned(),
        access => format!("{access}\nlocal all all trust\n"),
    };
    for line in settings.lines() {
        match line.split_once(' ') {
            Some(("file", name)) => write(name, ""),
            Some(("map", entry)) => users = format!("{users}{entry}\n"),
            _ => conf = format!("{conf}{line}\n"),
        }
    }
    write("PG_VERSION", "17\n");
    write("postgresql.conf", &conf);
    write("pg_hba.conf", &rules);
    write("pg_ident.conf", &users);
    folder
}

fn reported<'f>(ran: &'f Ran, code: &str) -> Option<&'f Value> {
    ran.findings.iter().find(|finding| finding["code"] == format!("postgresql/{code}").as_str())
}

/// What is wrong with one case; and the line of the rule that it is about.
fn judge((code, settings, access, then): (&str, &str, &str, Then), all: &[Mutant]) -> Result<usize, String> {
    let backup = backup(settings, access);
    let before = carry(backup.path(), None);
    let is_moot = code == "archive-both" && before.status == Some(0);
    let rule = match reported(&before, code) {
        Some(finding) => finding["rule"].as_str().unwrap_or_default().to_owned(),
        // What the old server ignored is left behind, and the rule is that of the row.
        None if is_moot => {
            let ledger =
                fs::read_to_string(before.folder.path().join("out/ledger.jsonl")).unwrap_or_default();
            let rows = ledger.lines().filter_map(|line| serde_json::from_str::<Value>(line).ok());
            let mut rows =
                rows.filter(|row| row["locator"] == "main/archive_command" && row["fate"] == "moot");
            rows.next()
                .map(|row| row["rule"].as_str().unwrap_or_default().to_owned())
                .ok_or("nothing is moot")?
        }
        None => return Err(format!("{code}: not told: {}", before.said)),
    };
    let line: usize = rule.rsplit(':').next().and_then(|line| line.parse().ok()).ok_or("no line")?;
    let of_line = |mutant: &&Mutant| {
        mutant.line == line && !mutant.is_limit && !SPARED.iter().any(|what| mutant.what.starts_with(what))
    };
    let of_code = |mutant: &&Mutant| mutant.what.starts_with(code) || mutant.what.starts_with("check");
    let mutant = all.iter().filter(of_line).find(of_code).ok_or(format!("{code}: no rule at line {line}"))?;
    let profiles = TempDir::new().expect("a temporary folder");
    fs::write(profiles.path().join("postgresql.profile.toml"), &mutant.text).expect("written");
    let without = carry(backup.path(), Some(profiles.path()));
    if without.status != Some(0) || reported(&without, code).is_some() {
        return Err(format!("{code}: still told without its rule: {}", without.said));
    }
    if then == Taken {
        return Ok(line);
    }
    let out = without.folder.path().join("out");
    let mut entries = fs::read_dir(&out).expect("a folder").map(|entry| entry.expect("an entry").path());
    let result = entries.find(|path| path.is_dir()).ok_or("no result")?;
    let mut server = Server::new("18");
    server.configure(&result);
    match server.starts() {
        Ok(()) => Err(format!("{code}: 18 starts without complaint")),
        Err(_) => Ok(line),
    }
}

#[test]
fn no_rule_of_a_server_can_be_spared() {
    let all = mutants(PROFILE);
    let next = AtomicUsize::new(0);
    let work = || {
        let mut done = Vec::new();
        while let Some(case) = CASES.get(next.fetch_add(1, Ordering::Relaxed)) {
            done.push(judge(*case, &all));
        }
        done
    };
    let done: Vec<Result<usize, String>> = std::thread::scope(|scope| {
        let second = scope.spawn(work);
        let mut done = work();
        done.extend(second.join().expect("no panic"));
        done
    });
    let wrong: Vec<&String> = done.iter().filter_map(|done| done.as_ref().err()).collect();
    let shown: BTreeSet<usize> = done.iter().filter_map(|done| done.as_ref().ok().copied()).collect();
    let idle: Vec<&str> = all
        .iter()
        .filter(|mutant| {
            !shown.contains(&mutant.line)
                && !mutant.is_limit
                && !SPARED.iter().any(|what| mutant.what.starts_with(what))
        })
        .map(|mutant| mutant.what.as_str())
        .collect();
    assert!(
        wrong.is_empty() && idle.is_empty(),
        "{wrong:#?}\nnothing shows that these are needed: {idle:#?}"
    );
    let figures = [
        ("rules", all.len()),
        ("shown", shown.len()),
        ("cases", CASES.len()),
        ("spared", all.len() - shown.len()),
    ];
    keep_figures("postgresql-knock-out", &[PROFILE], &figures);
}
