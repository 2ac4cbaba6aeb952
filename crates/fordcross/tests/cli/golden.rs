//! The demo folders: what is made of each backup, to the byte.

use crate::desk::{Desk, stand_in};
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

/// The demo backups: folder, backup, receiving unit, base, and where what is expected is.
const CASES: [(&str, &str, &str, Option<&str>, &str); 4] = [
    ("wrackhaven", "gw-wrackhaven.xml", "osier/8@2.1", None, "expected"),
    ("sandle-point", "gw-sandle-1.xml", "osier/16@2.1", None, "expected"),
    ("corrie-slip", "gw-corrie.xml", "osier/8@2.1", None, "expected"),
    ("corrie-slip", "gw-corrie.xml", "osier/8@2.1", Some("new-unit.osier.json"), "expected-with-base"),
];

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo")
}

#[test]
fn demo_backups_become_what_is_expected() {
    let bless = std::env::var_os("FORDCROSS_BLESS").is_some();
    let mut wrong = String::new();
    for (folder, backup, to, base, expected) in CASES {
        let desk = Desk::new();
        let home = demo().join(folder);
        fs::copy(home.join(backup), desk.path(backup)).expect("the demo backup is there");
        let survey = desk.run_to(0, &format!("survey {backup} --today 2026-11-25"));
        let with_base = base.map(|base| format!("--base {base}")).unwrap_or_default();
        if let Some(base) = base {
            fs::copy(home.join(base), desk.path(base)).expect("the demo base is there");
        }
        let carry = desk.run_to(0, &format!("carry {backup} --to {to} {with_base} -o out"));
        let mut made = vec![("survey.txt".to_owned(), survey.out), ("carry.txt".to_owned(), carry.reported)];
        for name in crate::desk::names_in(&desk.path("out")) {
            let text = desk.read(&format!("out/{name}"));
            made.push((name, text));
        }
        let configuration =
            made.iter().find(|(name, _)| name.ends_with(".osier.json")).expect("a configuration");
        let taken = stand_in(&desk, &format!("out/{}", configuration.0));
        assert_eq!(taken.status, 0, "{}", taken.err);
        compare(&home.join(expected), &made, bless, &mut wrong);
    }
    assert!(wrong.is_empty(), "differs from what is expected; look, then run cargo xtask bless:\n{wrong}");
}

fn compare(expected: &Path, made: &[(String, String)], bless: bool, wrong: &mut String) {
    if bless {
        let _ = fs::remove_dir_all(expected);
        fs::create_dir_all(expected).expect("a folder");
    }
    for (name, text) in made {
        let path = expected.join(name);
        if bless {
            fs::write(&path, text).expect("written");
            continue;
        }
        let old = fs::read_to_string(&path).unwrap_or_default();
        let first = old.lines().zip(text.lines()).position(|(old, new)| old != new);
        if old != *text {
            let line = first.unwrap_or_else(|| old.lines().count().min(text.lines().count()));
            let show = |text: &str| text.lines().nth(line).unwrap_or("(nothing)").to_owned();
            let _ =
                writeln!(wrong, "{}:{}\n  - {}\n  + {}", path.display(), line + 1, show(&old), show(text));
        }
    }
    let left =
        crate::desk::names_in(expected).into_iter().filter(|name| !made.iter().any(|(made, _)| made == name));
    for name in left {
        let _ = writeln!(wrong, "{} is no longer made", expected.join(name).display());
    }
}

#[test]
fn the_same_input_makes_the_same_bytes() {
    let desk = Desk::new();
    desk.carry("");
    desk.run_to(0, "carry gw.xml --to osier/8@2.1 -o again");
    for name in crate::desk::names_in(&desk.path("out")) {
        assert_eq!(desk.read(&format!("out/{name}")), desk.read(&format!("again/{name}")), "{name}");
    }
}
