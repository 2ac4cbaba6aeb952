//! Tasks that run other programs.

use crate::workspace::root;
use crate::{Failed, shares};
use std::io::Write;
use std::process::Command;

fn run(command: &mut Command) -> Result<(), Failed> {
    let status = command.current_dir(root()).status().map_err(|error| format!("{command:?}: {error}"))?;
    if status.success() { Ok(()) } else { Err(format!("{command:?} failed").into()) }
}

fn cargo(line: &str) -> Command {
    let mut command = Command::new("cargo");
    command.args(line.split_whitespace());
    command
}

fn is_there(program: &str) -> bool {
    Command::new(program).arg("--version").output().is_ok()
}

/// Installs a Debian package, where that is possible, for a program that a task needs.
fn install(program: &str) -> bool {
    is_there(program)
        || Command::new("apt-get")
            .args(["install", "-y", program])
            .output()
            .is_ok_and(|ran| ran.status.success())
}

pub(crate) fn ci(out: &mut dyn Write) -> Result<(), Failed> {
    let left = Command::new("git")
        .args(["grep", "-nE", r"\b(dbg|todo|unimplemented)!\(", "--", "*.rs", ":!xtask"])
        .current_dir(root())
        .output()?;
    if !left.stdout.is_empty() {
        return Err(format!("left in the code:\n{}", String::from_utf8_lossy(&left.stdout)).into());
    }
    run(&mut cargo("fmt --all --check"))?;
    run(&mut cargo(
        "clippy --workspace --all-targets --features fordcross/real-systems --locked -- -D warnings",
    ))?;
    // A build without the heavy crates is one, too.
    run(&mut cargo(
        "clippy -p fordcross-formats --all-targets --no-default-features --locked -- -D warnings",
    ))?;
    run(&mut cargo("test -q -p fordcross-formats --lib --no-default-features --locked"))?;
    // Links in the documents of the code lead somewhere.
    run(cargo("doc -q --workspace --no-deps --locked").env("RUSTDOCFLAGS", "-D warnings"))?;
    // Their own workspace: what they fuzz is of this one.
    run(&mut cargo("fmt --manifest-path fuzz/Cargo.toml --check"))?;
    run(&mut cargo("check --manifest-path fuzz/Cargo.toml --bins --locked"))?;
    // Runs are killed at their system calls where there is a tracer.
    if !install("strace") {
        writeln!(out, "no strace: kills at system calls are left out")?;
    }
    run(&mut cargo("test --workspace --locked"))?;
    // The real receiving systems as judges; this installs them first.
    script("real-systems", &[])?;
    shares::task(out)
}

pub(crate) fn bless() -> Result<(), Failed> {
    let tests = "golden demo_backups::what demo_backups::the demo_backups::survey finding_examples";
    let line = format!("test -p fordcross --test cli -- --test-threads 1 {tests}");
    run(cargo(&line).env("FORDCROSS_BLESS", "1"))?;
    run(cargo("test -p fordcross-core --test language each_mistake").env("FORDCROSS_BLESS", "1"))?;
    run(Command::new("git").args([
        "--no-pager",
        "diff",
        "--stat",
        "--",
        "demo",
        "docs",
        "crates/fordcross-core/tests",
    ]))
}

pub(crate) fn bench(more: &[&str]) -> Result<(), Failed> {
    run(&mut cargo("build --release"))?;
    run(cargo("run --release -p fordcross-bench --").args(more))
}

/// Random backups with random maps against the receiving systems, and each rule knocked out; or the program under attack: many, and
/// for as long as it takes.
pub(crate) fn campaign(name: &str, more: &[&str]) -> Result<(), Failed> {
    let figures = root().join("docs/figures");
    std::fs::create_dir_all(&figures)?;
    let count = more.first().copied();
    let line = match name {
        "osier" => "test --release --locked -p fordcross --test judged -- --skip figures",
        "netplan" => {
            "test --release --locked -p fordcross --features real-systems --test real_systems -- host_judge held_out"
        }
        "postgresql" => {
            "test --locked -p fordcross --features real-systems --test real_systems -- knock_out held_servers values"
        }
        "attacked" => "test --release --locked -p fordcross --test attacked",
        _ => return Err(format!("no campaign `{name}`: osier, netplan, postgresql or attacked").into()),
    };
    if matches!(name, "netplan" | "postgresql") {
        script("real-systems", &["--fetch"])?;
    }
    let needed = if name == "attacked" { &["strace", "valgrind"][..] } else { &[] };
    if let Some(missing) = needed.iter().find(|tool| !install(tool)) {
        return Err(format!("there is no {missing}, and it cannot be installed").into());
    }
    let mut command = cargo(line);
    command.env("FORDCROSS_FIGURES", figures.canonicalize()?);
    let seed = more.get(1).copied().unwrap_or("15");
    let bounds = [
        ("FORDCROSS_CASES", count.unwrap_or("2000")),
        ("FORDCROSS_SEED", seed),
        ("FORDCROSS_SECONDS", "36000"),
        ("FORDCROSS_TRIES", "80"),
        ("FORDCROSS_CONFIGURATIONS", "75"),
        ("FORDCROSS_MUTATIONS", count.unwrap_or("4000")),
        ("FORDCROSS_KILLS", "400"),
        ("FORDCROSS_RACES", "500"),
    ];
    let of_attack =
        |name: &str| matches!(name, "FORDCROSS_MUTATIONS" | "FORDCROSS_KILLS" | "FORDCROSS_RACES");
    command.envs(bounds.into_iter().filter(|(bound, _)| name == "attacked" || !of_attack(bound)));
    run(&mut command)
}

/// Runs fuzz targets, all or those that are named, one after the other with two workers each.
pub(crate) fn fuzz(seconds: &str, targets: &[&str]) -> Result<(), Failed> {
    let folder = root().join("fuzz");
    if !Command::new("cargo").args(["fuzz", "--version"]).output()?.status.success() {
        run(&mut cargo("install cargo-fuzz --locked"))?;
    }
    let mut all: Vec<String> = Vec::new();
    for entry in std::fs::read_dir(folder.join("seeds"))? {
        let entry = entry?;
        if entry.path().is_dir() {
            all.push(entry.file_name().to_string_lossy().into_owned());
        }
    }
    all.sort();
    let chosen =
        if targets.is_empty() { all } else { targets.iter().map(|target| (*target).to_owned()).collect() };
    for target in chosen {
        std::fs::create_dir_all(folder.join("corpus").join(&target))?;
        // Several pieces a crate: with one, as the tool has it, the core alone takes a quarter of an hour.
        let line = format!("fuzz run --codegen-units 16 {target} corpus/{target} seeds/{target} --");
        let bounds = format!(
            "-max_total_time={seconds} -timeout=20 -rss_limit_mb=2048 -max_len=16384 -print_final_stats=1 -jobs=2 -workers=2"
        );
        let mut command = cargo(&line);
        command.args(bounds.split_whitespace()).env("RUSTC_BOOTSTRAP", "1").current_dir(&folder);
        let status = command.status()?;
        if !status.success() {
            return Err(format!("{target}: what failed is in fuzz/artifacts/{target}").into());
        }
    }
    Ok(())
}

/// A task that is a script of its own, since it only calls programs of the system.
pub(crate) fn script(name: &str, more: &[&str]) -> Result<(), Failed> {
    run(Command::new(root().join("xtask/scripts").join(name)).args(more))
}
