//! What becomes of a case, whatever line it is of: carried by the program in a folder of its own, two at a time.

use crate::kept::number_of;
use serde_json::Value;
use std::fs;
use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tempfile::TempDir;

/// What became of a case.
pub(crate) struct Outcome {
    pub(crate) status: u8,
    pub(crate) result: Option<String>,
    pub(crate) rows: Vec<Value>,
    pub(crate) findings: Vec<Value>,
    /// The map that was used, as it was written.
    #[allow(dead_code, reason = "one of the two targets that share it looks at it")]
    pub(crate) map: String,
    pub(crate) said: String,
}

/// What is carried: a file, by a map, to what `--to` says; and the name of its result.
pub(crate) struct Carry<'c> {
    pub(crate) file: &'c str,
    pub(crate) text: &'c str,
    pub(crate) map: Option<&'c str>,
    /// The name and the text of a base.
    pub(crate) base: Option<(&'c str, &'c str)>,
    pub(crate) to: &'c str,
    pub(crate) result: &'c str,
}

impl Carry<'_> {
    /// Carries by the shipped profiles or by others.
    pub(crate) fn run(&self, profiles: Option<&Path>) -> Outcome {
        let folder = TempDir::new().expect("a temporary folder");
        let at = |name: &str| folder.path().join(name).display().to_string();
        fs::write(at(self.file), self.text).expect("written");
        let mut arguments: Vec<String> = vec!["fordcross".into(), "carry".into(), "--json".into()];
        arguments.extend([at(self.file), "--to".into(), self.to.into(), "-o".into(), at("out")]);
        if let Some(map) = &self.map {
            fs::write(at("edited.map.toml"), map).expect("written");
            arguments.extend(["--map".into(), at("edited.map.toml")]);
        }
        if let Some((name, text)) = self.base {
            fs::write(at(name), text).expect("written");
            arguments.extend(["--base".into(), at(name)]);
        }
        if let Some(folder) = profiles {
            arguments.extend(["--profiles".into(), folder.display().to_string()]);
        }
        let (mut out, mut err) = (Vec::new(), Vec::new());
        let status = fordcross::run(arguments, &mut std::io::empty(), &mut out, &mut err);
        let read = |name: &str| fs::read_to_string(folder.path().join("out").join(name)).ok();
        let lines = read("ledger.jsonl").unwrap_or_default();
        let said: Value = serde_json::from_slice(&out).unwrap_or_default();
        Outcome {
            status,
            result: read(self.result),
            rows: lines.lines().map(|line| serde_json::from_str(line).expect("a row is JSON")).collect(),
            findings: said["findings"].as_array().cloned().unwrap_or_default(),
            map: read("map.toml").unwrap_or_default(),
            said: String::from_utf8_lossy(&out).into_owned() + &String::from_utf8_lossy(&err),
        }
    }
}

/// What becomes of each thing, two at a time, as far as the time goes: `FORDCROSS_SECONDS`, 30 if nothing is said.
/// There are at least 25.
pub(crate) fn each<I: Sync, T: Send>(things: &[I], of: impl Fn(&I) -> T + Sync) -> Vec<T> {
    let end = Instant::now() + Duration::from_secs(number_of("FORDCROSS_SECONDS", 30));
    two_at_a_time(things, of, |number| number >= 25 && Instant::now() > end)
}

/// What becomes of each thing, two at a time.
pub(crate) fn each_of_all<I: Sync, T: Send>(things: &[I], of: impl Fn(&I) -> T + Sync) -> Vec<T> {
    two_at_a_time(things, of, |_| false)
}

fn two_at_a_time<I: Sync, T: Send>(
    things: &[I],
    of: impl Fn(&I) -> T + Sync,
    is_over: impl Fn(usize) -> bool + Sync,
) -> Vec<T> {
    let next = AtomicUsize::new(0);
    let work = || {
        let mut done = Vec::new();
        loop {
            let number = next.fetch_add(1, Ordering::Relaxed);
            if number >= things.len() || is_over(number) {
                return done;
            }
            done.push((number, of(&things[number])));
        }
    };
    let mut all = std::thread::scope(|scope| {
        let second = scope.spawn(work);
        let mut all = work();
        all.extend(second.join().expect("no panic"));
        all
    });
    all.sort_by_key(|(number, _)| *number);
    all.into_iter().map(|(_, made)| made).collect()
}
