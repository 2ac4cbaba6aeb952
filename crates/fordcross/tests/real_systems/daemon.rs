//! A daemon that does not ship, described by a worked example: samples of its package, judged by its own parser.

use crate::carried::carry;
use crate::programs::{copy, run, said};
use std::collections::BTreeMap;
use std::fs::{self, Permissions};
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

/// Where the package has its samples.
const INSTALLED: &str = "/etc/freeradius/3.0";
const ENABLED: [&str; 3] = ["mods-enabled", "sites-enabled", "policy.d"];

/// A configuration of the package, with some of what it does not enable.
fn configuration(more: &[PathBuf]) -> TempDir {
    let folder = TempDir::new().expect("a temporary folder");
    copy(Path::new(INSTALLED), &folder.path().join("raddb"));
    for sample in more {
        let kind = sample.strip_prefix(INSTALLED).expect("below it").display().to_string();
        let enabled = folder.path().join("raddb").join(kind.replace("-available/", "-enabled/"));
        fs::copy(sample, enabled).expect("copied");
    }
    // Modules keep their data below it: not in the samples.
    let main = folder.path().join("raddb/radiusd.conf");
    let text = fs::read_to_string(&main).expect("a file");
    let own = folder.path().join("raddb").display().to_string();
    fs::write(main, text.replace(&format!("raddbdir = {INSTALLED}"), &format!("raddbdir = {own}")))
        .expect("written");
    folder
}

/// What the package has and does not enable.
fn available() -> Vec<PathBuf> {
    let of = |kind: &str| fs::read_dir(Path::new(INSTALLED).join(kind)).expect("samples");
    let paths = ["mods-available", "sites-available"].into_iter().flat_map(of);
    let mut paths: Vec<PathBuf> = paths.map(|entry| entry.expect("an entry").path()).collect();
    paths.retain(|path| path.file_stem().is_some_and(|name| name != "README"));
    paths.sort();
    paths
}

/// What the daemon has in force by a configuration, line by line; nothing if it refuses it.
fn in_force(raddb: &Path) -> Result<BTreeMap<String, usize>, String> {
    let readable = run(Command::new("chmod").args(["-R", "a+rX"]).arg(raddb.parent().expect("a folder")));
    assert!(readable.status.success(), "{}", said(&readable));
    let output = run(Command::new("freeradius").args(["-CX", "-d"]).arg(raddb));
    let text = said(&output);
    if !output.status.success() {
        return Err(text);
    }
    let mut lines = BTreeMap::new();
    // Where a piece stood is another file now.
    let is_place = |line: &&str| !line.starts_with("including ") && !line.starts_with("reading pairlist");
    for line in text.lines().filter(is_place) {
        let line = line.split(" from file ").next().unwrap_or_default();
        let line = line.split(" -- ").next().unwrap_or_default();
        *lines.entry(line.replace(&raddb.display().to_string(), "")).or_default() += 1;
    }
    Ok(lines)
}

/// All statements of files, however they are indented, with how often each is there.
fn statements(files: &[PathBuf]) -> BTreeMap<String, usize> {
    let mut lines = BTreeMap::new();
    for file in files {
        for line in fs::read_to_string(file).expect("a file").lines() {
            let line = line.split(" #").next().unwrap_or_default().split("\t#").next().unwrap_or_default();
            let line: String = line.split_whitespace().collect();
            if !line.is_empty() && !line.starts_with('#') && !line.starts_with("$INCLUDE") {
                *lines.entry(line).or_default() += 1;
            }
        }
    }
    lines
}

/// Carries a configuration to the next release and puts the result in its place.
fn carried(raddb: &Path) -> PathBuf {
    let profiles = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/examples/freeradius");
    let profiles = profiles.canonicalize().expect("the example").display().to_string();
    let done = carry(raddb, "freeradius@3.2", "", &["--from", "freeradius@3.0", "--profiles", &profiles]);
    let other = done.rows.iter().find(|row| row["fate"] != "carried");
    assert!(other.is_none(), "{other:?}\n{}", done.printed);
    let target = raddb.with_file_name("carried");
    copy(raddb, &target);
    for inlined in ["clients.conf", "proxy.conf"] {
        fs::remove_file(target.join(inlined)).expect("removed");
    }
    fs::copy(done.ending(".freeradius").join("radiusd.conf"), target.join("radiusd.conf")).expect("copied");
    target
}

/// Each sample is enabled beside what the package enables. What the daemon accepted before it accepts afterwards, and has the
/// same in force.
#[test]
fn the_daemon_accepts_its_samples_and_has_the_same_in_force() {
    fs::set_permissions(INSTALLED, Permissions::from_mode(0o755)).expect("allowed");
    let mut judged = 0;
    for more in std::iter::once(Vec::new()).chain(available().into_iter().map(|sample| vec![sample])) {
        let folder = configuration(&more);
        let raddb = folder.path().join("raddb");
        // What needs a program or a package that is not there is refused before, and says nothing.
        // Of the others the first run may make databases, which later ones find.
        let Ok(before) = in_force(&raddb).and_then(|_| in_force(&raddb)) else { continue };
        let after = in_force(&carried(&raddb)).unwrap_or_else(|refusal| panic!("{more:?}: {refusal}"));
        let differs = |(line, _): &(&String, &usize)| before.get(*line) != after.get(*line);
        let other: Vec<_> = before.iter().chain(&after).filter(differs).collect();
        assert!(other.is_empty(), "{more:?}: {other:#?}");
        judged += 1;
    }
    assert!(judged >= 40, "{judged} configurations were judged");
}

/// With all samples enabled, no statement is lost, changed or added.
#[test]
fn no_statement_of_a_sample_is_lost() {
    let folder = configuration(&available());
    let raddb = folder.path().join("raddb");
    let own = ["radiusd.conf", "clients.conf", "proxy.conf"].map(|name| raddb.join(name));
    let enabled = ENABLED.iter().flat_map(|kind| fs::read_dir(raddb.join(kind)).expect("samples"));
    let files: Vec<PathBuf> =
        own.into_iter().chain(enabled.map(|entry| entry.expect("an entry").path())).collect();
    let result = statements(&[carried(&raddb).join("radiusd.conf")]);
    assert_eq!(statements(&files), result);
}
