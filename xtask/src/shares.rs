//! How much of the code is tests: a quarter to a third is what we want.

use crate::Failed;
use crate::workspace::root;
use std::fs;
use std::io::Write;
use std::path::Path;

/// Lines that are not empty.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Lines {
    pub(crate) code: usize,
    pub(crate) tests: usize,
}

/// The lines of one file; one in a folder `tests` is all tests, and otherwise modules are that are only compiled for tests. The
/// formatter sees to it that such a module ends at the margin.
pub(crate) fn lines_of(text: &str, is_test: bool) -> Lines {
    let mut lines = Lines::default();
    let mut marked = false;
    let mut inside = false;
    for line in text.lines() {
        if line == "#[cfg(test)]" {
            marked = true;
        } else if marked {
            inside = line.starts_with("mod ") && line.ends_with('{');
            marked = false;
            lines.tests += usize::from(!is_test && !inside);
        }
        if !line.trim().is_empty() {
            *(if is_test || inside || marked { &mut lines.tests } else { &mut lines.code }) += 1;
        }
        inside &= line != "}";
    }
    lines
}

fn add(folder: &Path, is_test: bool, lines: &mut Lines) -> Result<(), Failed> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let is_test =
            is_test || name.starts_with("tests") || name.ends_with("_test.rs") || name.ends_with("_tests.rs");
        if path.is_dir() {
            add(&path, is_test, lines)?;
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            let own = lines_of(&fs::read_to_string(&path)?, is_test);
            lines.code += own.code;
            lines.tests += own.tests;
        }
    }
    Ok(())
}

pub(crate) fn task(out: &mut dyn Write) -> Result<(), Failed> {
    let mut all = Lines::default();
    let mut crates: Vec<_> = fs::read_dir(root().join("crates"))?.collect::<Result<_, _>>()?;
    crates.sort_by_key(fs::DirEntry::file_name);
    for entry in crates {
        let mut lines = Lines::default();
        for part in ["src", "tests"] {
            let folder = entry.path().join(part);
            if folder.is_dir() {
                add(&folder, part == "tests", &mut lines)?;
            }
        }
        report(out, &entry.file_name().to_string_lossy(), lines)?;
        all = Lines { code: all.code + lines.code, tests: all.tests + lines.tests };
    }
    report(out, "all", all)?;
    Ok(())
}

fn report(out: &mut dyn Write, name: &str, lines: Lines) -> Result<(), Failed> {
    let Lines { code, tests } = lines;
    let share = tests * 100 / (code + tests).max(1);
    writeln!(out, "{name}: {code} lines of code, {tests} of tests: {share} of 100 are tests")?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("fn a() {}\n\nfn b() {}\n", false, 2, 0)]
    #[case("fn a() {}\n", true, 0, 1)]
    #[case("fn a() {}\n\n#[cfg(test)]\nmod tests {\n    fn b() {\n    }\n}\n", false, 1, 5)]
    #[case("#[cfg(test)]\nmod tests {\n}\nfn a() {}\n", false, 1, 3)]
    fn tests_are_counted_apart(
        #[case] text: &str,
        #[case] is_test: bool,
        #[case] code: usize,
        #[case] tests: usize,
    ) {
        assert_eq!(lines_of(text, is_test), Lines { code, tests });
    }
}
