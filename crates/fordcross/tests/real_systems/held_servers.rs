//! Configurations of servers that nobody looked at while the crossings were written: what the old server does with each is
//! compared with what 18 does with the result.

use crate::carried::{Carried, attempt};
use crate::held_out::{Outcome, folder};
use crate::server::{Server, Setting};
use crate::server_facts::{Facts, facts, peopled};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::Path;
use std::sync::Mutex;
use tempfile::TempDir;

const NEWEST: &str = "18";
/// Of how many configurations one is judged where no campaign asks for all.
const EACH: usize = 9;

/// A configuration as it is kept: its name, the release, its files.
struct Kept {
    name: String,
    release: String,
    files: Vec<(String, String)>,
}

fn kept() -> Vec<Kept> {
    let text = fs::read_to_string(folder().join("servers.txt")).expect("a file");
    let one = |piece: &str| {
        let (head, body) = piece.split_once('\n').unwrap_or((piece, ""));
        let (name, release) = head.split_once(' ').expect("a name and a release");
        let file = |file: &str| {
            let (path, text) = file.split_once('\n').unwrap_or((file, ""));
            (path.to_owned(), text.to_owned())
        };
        let files = format!("\n{body}").split("\n== ").skip(1).map(file).collect();
        Kept { name: name.to_owned(), release: release.to_owned(), files }
    };
    text.split("### ").skip(1).map(one).collect()
}

impl Kept {
    fn write(&self) -> TempDir {
        let folder = TempDir::new().expect("a temporary folder");
        for (path, text) in &self.files {
            let path = folder.path().join(path);
            fs::create_dir_all(path.parent().expect("a parent")).expect("a folder");
            let ends = if text.is_empty() || text.ends_with('\n') { "" } else { "\n" };
            fs::write(path, format!("{text}{ends}")).expect("written");
        }
        // A cluster always has one; the old server had it so.
        let main = folder.path().join("postgresql.conf");
        if !main.exists() {
            fs::write(main, "").expect("written");
        }
        fs::write(folder.path().join("PG_VERSION"), format!("{}\n", self.release)).expect("written");
        folder
    }
}

/// Those that are judged: all in a campaign, or one of several.
fn judged() -> Vec<Kept> {
    let is_whole =
        ["FORDCROSS_SECONDS", "FORDCROSS_BLESS"].iter().any(|name| std::env::var_os(name).is_some());
    kept()
        .into_iter()
        .enumerate()
        .filter(|(number, _)| is_whole || number % EACH == 1)
        .map(|(_, kept)| kept)
        .collect()
}

/// Clusters to be copied, with the defaults of their releases.
type Clusters = BTreeMap<String, (Server, BTreeMap<String, Setting>)>;

fn clusters(releases: &[&str]) -> Clusters {
    releases.iter().map(|release| ((*release).to_owned(), peopled(release))).collect()
}

/// Does something for each of several, two at a time, and gives what came of it in their order.
fn side_by_side<T: Sync, R: Send>(all: &[T], work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    let next = Mutex::new(0..all.len());
    let done: Mutex<Vec<(usize, R)>> = Mutex::new(Vec::new());
    std::thread::scope(|scope| {
        for _ in 0..2 {
            scope.spawn(|| {
                loop {
                    let Some(number) = next.lock().expect("no panic").next() else { return };
                    let made = work(&all[number]);
                    done.lock().expect("no panic").push((number, made));
                }
            });
        }
    });
    let mut done = done.into_inner().expect("no panic");
    done.sort_by_key(|(number, _)| *number);
    done.into_iter().map(|(_, made)| made).collect()
}

/// Facts as they are kept: of settings those that are not as the server has them by itself.
fn written(found: &Result<Facts, String>, defaults: &BTreeMap<String, Setting>) -> String {
    let mut text = String::new();
    match found {
        Err(log) => {
            let is_reason = |line: &&str| {
                ["FATAL", "LOG:  inv", "LOG:  unrec", "LOG:  synt", "contains errors"]
                    .iter()
                    .any(|word| line.contains(word))
            };
            for line in log.lines().filter(is_reason) {
                let said = line.split_once(']').map_or(line, |(_, rest)| rest).trim();
                let _ = writeln!(text, "refused: {said}");
            }
        }
        Ok(facts) => {
            for (name, value) in facts {
                let default = name
                    .strip_prefix("set ")
                    .and_then(|name| defaults.get(name))
                    .map(|setting| &setting.value);
                if default != Some(value) && !IS_OF_THE_PLACE[..4].contains(&name.as_str()) {
                    let _ = writeln!(text, "{name} = {}", value.replace('\n', " / "));
                }
            }
        }
    }
    text
}

/// Where the server of the judge is.
const IS_OF_THE_PLACE: [&str; 5] = [
    "set data_directory",
    "set config_file",
    "set hba_file",
    "set ident_file",
    "set unix_socket_directories",
];

fn read(text: &str) -> Result<Facts, String> {
    if let Some(refused) = text.strip_prefix("refused: ") {
        return Err(refused.to_owned());
    }
    let facts = text.lines().filter_map(|line| line.split_once(" = "));
    Ok(facts.map(|(name, value)| (name.to_owned(), value.to_owned())).collect())
}

/// Pieces of a file by their names.
fn pieces(text: &str) -> BTreeMap<String, String> {
    let piece = |piece: &str| {
        let (head, body) = piece.split_once('\n').unwrap_or((piece, ""));
        (head.to_owned(), body.to_owned())
    };
    text.split("### ").skip(1).map(piece).collect()
}

/// Holds what was found to what is kept; `FORDCROSS_BLESS=1` writes it down.
fn hold(name: &str, found: &[(String, String)]) {
    let path = folder().join(name);
    if std::env::var_os("FORDCROSS_BLESS").is_some() {
        let text: String = found.iter().map(|(head, body)| format!("### {head}\n{body}")).collect();
        fs::write(&path, text).expect("written");
    }
    let kept = pieces(&fs::read_to_string(&path).unwrap_or_default());
    for (head, body) in found {
        assert_eq!(kept.get(head), Some(body), "{head} in {name}");
    }
}

/// The old servers still make the same of each.
#[test]
fn old_servers_make_of_each_what_is_kept() {
    let clusters = clusters(&["10", "12", "14", "16"]);
    let found = side_by_side(&judged(), |kept| {
        let (peopled, defaults) = &clusters[&kept.release];
        let files = kept.write();
        let facts = facts(peopled, files.path());
        (kept.name.clone(), written(&facts, defaults))
    });
    hold("servers.old.txt", &found);
}

/// Shown otherwise, and the same: each with the reason.
fn is_alike(name: &str, old: &str, new: &str) -> bool {
    let bare = |text: &str| text.replace(' ', "").to_lowercase();
    bare(old) == bare(new)
        || match name {
            // Until 14 a switch; `on` is `pglz`.
            "set wal_compression" => (old, new) == ("on", "pglz"),
            // From 18 on a list, of which `on` is three.
            "set log_connections" => {
                old == "off" && new.is_empty() || old == "on" && new == "receipt,authentication,authorization"
            }
            // Until 12 a number of disks; the sum that the notes of 13 give, held by `values`.
            "set effective_io_concurrency" => true,
            // Where the server was built.
            "set krb_server_keyfile" => old.contains("/staging_cache/"),
            // Two names of one level.
            "set log_min_messages" | "set client_min_messages" => (old, new) == ("debug", "debug2"),
            _ => false,
        }
}

/// Whether a person is told of what a fact is about.
fn is_told(carried: &Carried, fact: &str) -> bool {
    let about: &[&str] = match fact.split(' ').next().unwrap_or_default() {
        "set" => &[fact.strip_prefix("set ").unwrap_or_default()],
        "access" | "login" => &["access", "users"],
        "archives" => &["archive_command", "archive_library", "archive_mode"],
        "origins" | "slots" => &["max_replication_slots"],
        "recovery" | "standby" => &["recovery", "standby_mode", "standby.signal"],
        _ => &[],
    };
    let names = |locator: &str| {
        locator.split('/').any(|step| about.contains(&step.split('[').next().unwrap_or_default()))
    };
    let is_lost = |row: &&serde_json::Value| {
        ["by-hand", "dropped", "unmatched", "approximated"].iter().any(|lost| row["fate"] == *lost)
    };
    let findings =
        carried.printed.split("\n\n").map(str::trim_start).filter(|text| text.starts_with("warning["));
    let mut places = findings.flat_map(str::lines).filter_map(|line| line.trim_start().strip_prefix("--> "));
    carried.rows.iter().filter(is_lost).any(|row| names(row["locator"].as_str().unwrap_or_default()))
        || places.any(|place| {
            place
                .split_once("  ")
                .is_some_and(|(_, locator)| names(locator.split(" = ").next().unwrap_or_default()))
        })
}

/// Old settings that the new server has no more are accounted for by the ledger, if not by the same name.
fn is_accounted(carried: &Carried, name: &str) -> bool {
    let mut rows = carried.rows.iter().filter(|row| {
        row["locator"].as_str().is_some_and(|locator| locator.split('/').next_back() == Some(name))
    });
    rows.any(|row| row["fate"] != "carried" || row["landings"].as_array().is_some_and(|all| !all.is_empty()))
}

/// What becomes of a configuration, and what is silently otherwise.
fn outcome(
    carried: &Carried,
    old: &Facts,
    old_defaults: &BTreeMap<String, Setting>,
    new: Result<Facts, String>,
) -> (Outcome, String) {
    let new = match new {
        Ok(new) => new,
        Err(log) => return (Outcome::Refused, written(&Err(log), old_defaults)),
    };
    let mut silent = String::new();
    let mut is_same = true;
    let settings = old_defaults.iter().filter(|(_, setting)| setting.context != "internal");
    let settings = settings.map(|(name, setting)| (format!("set {name}"), setting.value.clone()));
    let all: BTreeMap<String, String> =
        settings.chain(old.iter().map(|(name, value)| (name.clone(), value.clone()))).collect();
    for (name, before) in &all {
        if IS_OF_THE_PLACE[..4].contains(&name.as_str())
            || name == IS_OF_THE_PLACE[4] && !old.contains_key(name)
        {
            continue;
        }
        let after = new.get(name).map(|value| value.replace('\n', " / "));
        let is_kept = match (&after, name.strip_prefix("set ")) {
            (Some(after), _) => after == before || is_alike(name, before, after),
            (None, Some(setting)) => !old.contains_key(name) || is_accounted(carried, setting),
            (None, None) => before.is_empty(),
        };
        if !is_kept {
            is_same = false;
            if !is_told(carried, name) {
                let _ =
                    writeln!(silent, "{name}: {} was {before}", after.unwrap_or_else(|| "not there".into()));
            }
        }
    }
    let outcome = match (is_same, silent.is_empty()) {
        (true, _) => Outcome::Same,
        (_, true) => Outcome::Told,
        _ => Outcome::Silent,
    };
    (outcome, silent)
}

fn carried(backup: &Path) -> Carried {
    attempt(backup, "postgresql@18", "", &[])
}

/// Each configuration that the old server takes has the outcome that is kept; the list of those that are silent or refused is
/// what is left to do.
#[test]
fn each_server_is_the_same_or_a_person_is_told() {
    let clusters = clusters(&["10", "12", "14", "16", NEWEST]);
    let old = pieces(&fs::read_to_string(folder().join("servers.old.txt")).expect("a file"));
    let found = side_by_side(&judged(), |kept| {
        let files = kept.write();
        let carried = carried(files.path());
        let (outcome, said) = match read(&old[&kept.name]) {
            Err(_) => (None, String::new()),
            Ok(_) if carried.status != Some(0) => (Some(Outcome::Blocked), String::new()),
            Ok(old) => {
                let new = facts(&clusters[NEWEST].0, &carried.ending(".postgresql"));
                let (outcome, said) = outcome(&carried, &old, &clusters[&kept.release].1, new);
                (Some(outcome), said)
            }
        };
        let outcome = outcome.map_or_else(|| "Unusable".to_owned(), |outcome| format!("{outcome:?}"));
        (kept.name.clone(), format!("{outcome} {}\n{said}", carried.automatic()))
    });
    hold("servers.outcomes.txt", &found);
}

/// A difference that is planted: the file, what is written there, what takes its place, and the fact that tells it.
const PLANTED: [(&str, &str, &str, &str); 8] = [
    ("postgresql.conf", "", "", ""),
    ("postgresql.conf", "work_mem = 5MB", "work_mem = 6MB", "set work_mem: "),
    ("postgresql.conf", "log_checkpoints = off", "", "set log_checkpoints: "),
    ("postgresql.conf", "archive_command = 'true'", "archive_command = 'false'", "archives: "),
    ("postgresql.conf", "max_replication_slots = 30", "max_replication_slots = 20", "slots: "),
    ("postgresql.conf", "max_active_replication_origins = 30", "", "origins: "),
    ("standby.signal", "", "", "standby: "),
    ("pg_hba.conf", "127.0.0.1/32 reject", "127.0.0.1/32 trust", "access: & login app bob: "),
];

/// What differs in a result is seen, whichever of the things that are compared it is.
#[test]
fn what_is_planted_is_seen() {
    let clusters = clusters(&["14", NEWEST]);
    let (of_old, defaults) = &clusters["14"];
    // Logins are tried where there are rules.
    let backups = [
        (
            "postgresql.conf",
            "work_mem = 5MB\nmax_replication_slots = 30\narchive_mode = on\narchive_command = 'true'\n",
        ),
        ("pg_hba.conf", "host all bob 127.0.0.1/32 reject\nlocal all all trust\n"),
    ];
    for (file, text) in backups {
        let files = vec![(file.to_owned(), text.to_owned())];
        let backup = Kept { name: "planted".to_owned(), release: "14".to_owned(), files }.write();
        let old = read(&written(&facts(of_old, backup.path()), defaults)).expect("the old server takes it");
        for (path, from, to, expected) in PLANTED {
            if (path == "pg_hba.conf") != (file == "pg_hba.conf") {
                continue;
            }
            let carried = carried(backup.path());
            let result = carried.ending(".postgresql");
            let text = fs::read_to_string(result.join(path)).unwrap_or_default();
            assert!(text.contains(from), "{text}");
            if !expected.is_empty() {
                fs::write(result.join(path), text.replacen(from, to, 1)).expect("written");
            }
            let (outcome, silent) = outcome(&carried, &old, defaults, facts(&clusters[NEWEST].0, &result));
            let is_seen = expected.split(" & ").all(|fact| silent.lines().any(|line| line.starts_with(fact)));
            let is_right = if expected.is_empty() { outcome == Outcome::Same } else { is_seen };
            assert!(is_right, "{expected}{outcome:?}\n{silent}");
        }
    }
}
