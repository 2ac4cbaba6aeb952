//! Any value that a server of an old release takes is taken by one of the newest, and means the same: values are made up,
//! the same ones each time, and both servers are asked what they read.

use crate::carried::carry;
use crate::kept::number_of;
use crate::programs::{kept, run, said};
use crate::server::Server;
use rstest::rstest;
use std::fs;
use std::path::Path;
use std::process::{Command, Output};
use tempfile::TempDir;

const NEWEST: &str = "18";
/// How many configurations are made up for each release, and how many settings each has at most.
const CONFIGURATIONS: u64 = 25;
const SETTINGS: usize = 20;

/// What 18 shows otherwise, `on` of a choice that was a switch, and what it counts in pages where it was disks until 12.
const SHOWN_OTHERWISE: [&str; 3] = ["wal_compression", "log_connections", "effective_io_concurrency"];

/// A setting, as a server describes it.
struct Described {
    name: String,
    kind: String,
    least: f64,
    most: f64,
    choices: Vec<String>,
}

/// Asks a server that does not run what it reads in a folder.
fn ask(release: &str, folder: &Path, name: &str) -> Output {
    let program = kept().join("postgresql").join(release).join("native/bin/postgres");
    run(Command::new(program).args(["-C", name, "-D"]).arg(folder))
}

fn write(folder: &Path, text: &str) {
    for (name, text) in [
        ("postgresql.conf", text),
        ("postgresql.auto.conf", ""),
        ("pg_hba.conf", "local all all trust\n"),
        ("pg_ident.conf", ""),
    ] {
        fs::write(folder.join(name), text).expect("written");
    }
}

/// All settings of a release that need no files.
fn described(release: &str, folder: &Path) -> Vec<Described> {
    let program = kept().join("postgresql").join(release).join("native/bin/postgres");
    let output = run(Command::new(program).arg("--describe-config"));
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    let describe = |line: &str| {
        let cells: Vec<&str> = line.split('\t').collect();
        let [name, _, _, kind, _, least, most, ..] = cells.as_slice() else { return None };
        let names_files = ["data_directory", "config_file", "hba_file", "ident_file", "external_pid_file"];
        if names_files.contains(name) || *kind == "STRING" {
            return None;
        }
        let bound = |text: &str| text.parse().unwrap_or(0.0);
        let (least, most) = (bound(least), bound(most));
        Some(Described { name: (*name).into(), kind: (*kind).into(), least, most, choices: Vec::new() })
    };
    let mut all: Vec<Described> = text.lines().filter_map(describe).collect();
    for choice in all.iter_mut().filter(|setting| setting.kind == "ENUM") {
        // What it can be is in the hint of what it cannot.
        write(folder, &format!("{} = nothing_like_it\n", choice.name));
        let reported = said(&ask(release, folder, "port"));
        let hint = reported
            .split("Available values: ")
            .nth(1)
            .and_then(|rest| rest.lines().next())
            .unwrap_or_default();
        choice.choices = hint.trim_end_matches('.').split(", ").map(str::to_owned).collect();
    }
    assert!(all.len() > 150, "{} settings of {release}", all.len());
    all
}

/// A value that the setting may have, in one of the ways to write it.
fn made_up(setting: &Described, random: &mut fastrand::Rng) -> String {
    let pick = |random: &mut fastrand::Rng, words: &[&str]| words[random.usize(..words.len())].to_owned();
    match setting.kind.as_str() {
        "BOOLEAN" => pick(random, &["on", "off", "true", "no", "yes", "0", "1", "t", "n", "FALSE", "'on'"]),
        "ENUM" => setting.choices[random.usize(..setting.choices.len())].clone(),
        "INTEGER" => {
            let (least, most) = (setting.least as i64, setting.most as i64);
            let number = match random.u8(..4) {
                0 => least,
                1 => most,
                2 => random.i64(least..=most),
                _ => random.i64(least..=most.min(least + 1_000)),
            };
            match random.u8(..6) {
                0 if number >= 0 => format!("{number:#x}"),
                1 | 2 => {
                    let amount = [1, 2, 7, 30, 90, 100, 1_024, 1_500][random.usize(..8)];
                    format!("{amount}{}", pick(random, &["kB", "MB", "GB", "ms", "s", "min", "h", "d"]))
                }
                3 => format!("'{number}'"),
                _ => number.to_string(),
            }
        }
        _ => {
            let (least, most) = (setting.least.max(-1.0), setting.most.min(1_000.0));
            let number = least + random.f64() * (most - least);
            [format!("{number:.3}"), format!("{:.0}", number.ceil()), least.to_string()][random.usize(..3)]
                .clone()
        }
    }
}

#[rstest]
fn what_old_servers_take_means_the_same_in_new_ones(#[values("10", "12", "14", "16")] release: &str) {
    let folder = TempDir::new().expect("a temporary folder");
    let settings = described(release, folder.path());
    let mut random = fastrand::Rng::with_seed(release.parse().expect("a number"));
    let (mut old_server, mut new_server) = (Server::new(release), Server::new(NEWEST));
    let (mut compared, mut judged) = (0, 0);
    let configurations = number_of("FORDCROSS_CONFIGURATIONS", CONFIGURATIONS) as usize;
    for _ in 0..configurations {
        let mut lines: Vec<(&str, String)> = Vec::new();
        for _ in 0..SETTINGS {
            let setting = &settings[random.usize(..settings.len())];
            let line = format!("{} = {}\n", setting.name, made_up(setting, &mut random));
            write(folder.path(), &line);
            let is_new = lines.iter().all(|(name, _)| *name != setting.name);
            if is_new && ask(release, folder.path(), "port").status.success() {
                lines.push((&setting.name, line));
            }
        }
        let text: String = lines.iter().map(|(_, line)| line.as_str()).collect();
        write(folder.path(), &text);
        fs::write(folder.path().join("PG_VERSION"), format!("{release}\n")).expect("written");
        if !ask(release, folder.path(), "port").status.success() {
            continue;
        }
        // What it reads it may refuse all the same; and settings by chance ask for more than the machine has.
        let with = |server: &Server, conf: &str| {
            fs::write(server.data().join("postgresql.conf"), conf).expect("written");
        };
        with(&old_server, &text);
        if old_server.starts().is_err() {
            continue;
        }
        let carried = carry(folder.path(), &format!("postgresql@{NEWEST}"), "", &[]);
        let result = carried.ending(".postgresql");
        let text_of_result = fs::read_to_string(result.join("postgresql.conf")).expect("a file");
        fs::write(result.join("pg_ident.conf"), "").expect("written");
        let asked = ask(NEWEST, &result, "port");
        assert!(asked.status.success(), "{}\n{text}\nbecame\n{text_of_result}", said(&asked));
        with(&new_server, &text_of_result);
        if let Err(log) = new_server.starts() {
            panic!("{NEWEST} refuses {text_of_result}\n{log}\nof\n{text}");
        }
        judged += 1;
        for (name, line) in lines.iter().filter(|(name, _)| !SHOWN_OTHERWISE.contains(name)) {
            let locator = format!("main/{name}");
            let row = carried.rows.iter().find(|row| row["locator"] == locator.as_str());
            let row = row.unwrap_or_else(|| panic!("{line} has no row"));
            let stays = row["landings"]
                .as_array()
                .is_some_and(|all| all.iter().any(|at| at["locator"] == locator.as_str()));
            if !stays || !matches!(row["fate"].as_str(), Some("carried" | "recast")) {
                continue;
            }
            let value = |release, folder: &Path| {
                String::from_utf8_lossy(&ask(release, folder, name).stdout).trim().to_owned()
            };
            // Levels of messages have two names.
            let plain = |value: String| if value == "debug" { "debug2".into() } else { value };
            assert_eq!(
                plain(value(release, folder.path())),
                plain(value(NEWEST, &result)),
                "{line}became\n{text_of_result}"
            );
            compared += 1;
        }
    }
    assert!(judged > configurations / 3 && compared > configurations * 3, "{compared} compared");
}
