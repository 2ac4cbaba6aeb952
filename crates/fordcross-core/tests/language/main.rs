//! What is said of mistakes in profiles and crossings: each sentence of their tables has a case.

use fordcross_core::finding::Finding;
use fordcross_core::library::{CrossingFile, Library, ProfileFile};
use rstest::rstest;
use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

const PROFILE: &str = include_str!("base.profile.toml");
const NEW: &str = include_str!("base.new.toml");
const FILES: &str = include_str!("base.files.toml");
const CROSSING: &str = include_str!("base.crossing.toml");

fn here(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/language").join(name)
}

fn profile(text: &str) -> Result<fordcross_core::profile::Profile, Vec<Finding>> {
    ProfileFile::read("p".into(), text.into())?.check()
}

fn in_profile(text: &str) -> Vec<Finding> {
    profile(text).err().unwrap_or_default()
}

fn in_crossing(text: &str) -> Vec<Finding> {
    let file = |text: &str| ProfileFile::read("p".into(), text.into()).expect("a profile");
    let (old, new) = (file(PROFILE), file(NEW));
    let crossing = match CrossingFile::read("c".into(), text.into()) {
        Ok(crossing) => crossing,
        Err(findings) => return findings,
    };
    let release = |file: &ProfileFile| file.parse().expect("a profile").at("1").expect("a release");
    let (old_at, new_at) = (release(&old), release(&new));
    let mut library = Library::default();
    library.add_profile(old);
    library.add_profile(new);
    library.add_shared("there.shared.toml", "language = 2\n[constant]\na = 'b'\n");
    crossing.parse(&old_at, &new_at, &library).map_or_else(|findings| findings, |crossing| crossing.warnings)
}

/// Cases as `- what stands in the base` (nothing: at its end), `+ what stands there instead`, and below what is said.
fn cases(text: &str) -> Vec<(String, String, String)> {
    let unescape = |line: &str| line.replace("\\n", "\n");
    let blocks = text.split("\n\n").filter(|block| block.starts_with("- "));
    let case = |block: &str| {
        let (change, said) = block.split_at(block.find("\n  ").unwrap_or(block.len()));
        let (find, put) = change.split_once('\n').expect("two lines");
        let put = put.trim_end().strip_prefix('+').expect("what is put there");
        (
            unescape(&find[2..]),
            unescape(put.strip_prefix(' ').unwrap_or(put)),
            said.trim_matches('\n').to_owned(),
        )
    };
    blocks.map(case).collect()
}

fn said(findings: &[Finding]) -> String {
    let line = |finding: &Finding| {
        let at = finding.location.as_ref().map_or((0, 0), |location| (location.at.line, location.at.column));
        let remedy = finding.remedy().map(|remedy| {
            let parts = remedy.parts().iter().map(|part| match part {
                fordcross_core::finding::RemedyPart::Text(text) => text.to_string(),
                fordcross_core::finding::RemedyPart::Choice(choice) => format!("<{choice:?}>"),
            });
            format!("\n    {}", parts.collect::<String>())
        });
        format!(
            "  {}:{} {}: {}{}",
            at.0,
            at.1,
            finding.code_name(),
            finding.message(),
            remedy.unwrap_or_default()
        )
    };
    findings.iter().map(line).collect::<Vec<_>>().join("\n")
}

#[rstest]
#[case::of_profiles("profile.txt", PROFILE, in_profile)]
#[case::of_files("files.txt", FILES, in_profile)]
#[case::of_crossings("crossing.txt", CROSSING, in_crossing)]
fn each_mistake_has_its_sentence(
    #[case] name: &str,
    #[case] base: &str,
    #[case] check: fn(&str) -> Vec<Finding>,
) {
    assert_eq!(said(&check(base)), "", "the base is right");
    let text = fs::read_to_string(here(name)).expect("the cases");
    let mut made = text.split("\n\n").next().expect("a head").trim_end().to_owned() + "\n";
    let mut wrong = Vec::new();
    for (find, put, expected) in cases(&text) {
        let changed = if find.is_empty() { format!("{base}{put}\n") } else { base.replacen(&find, &put, 1) };
        let found = match said(&check(&changed)) {
            _ if !base.contains(&find) => format!("  `{find}` is not in the base"),
            found if found.is_empty() => "  nothing is wrong".to_owned(),
            found => found,
        };
        if found.starts_with("  nothing") || found.starts_with("  `") {
            wrong.push(format!("{put}\n{found}"));
        }
        let escape = |text: &str| text.replace('\n', "\\n");
        made.extend(["\n- ", &escape(&find), "\n+ ", &escape(&put), "\n", &found, "\n"]);
        if found != expected {
            wrong.push(format!("{put}\n{found}\nand not\n{expected}"));
        }
    }
    if std::env::var_os("FORDCROSS_BLESS").is_some() {
        fs::write(here(name), made).expect("written");
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}

const CASES: [&str; 3] = ["profile.txt", "files.txt", "crossing.txt"];
const STATEMENTS: &str = "../../../fordcross-formats/src/format/statements/facts.rs";
const BUNDLE: &str = "../../../fordcross-formats/src/format/bundle/facts.rs";
const NOTATION: &str = "../../../fordcross-formats/src/notation/facts.rs";
const DECLARATION: &str = "../../../fordcross-formats/src/declaration/facts.rs";

/// The sentences of the tables in a file, each as the texts between what is filled in.
fn sentences(file: &str) -> Vec<Vec<String>> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("src/language").join(file);
    let text = fs::read_to_string(path).expect("the facts");
    let of = |rest: &str| {
        let rest = rest.split_once(',')?.1.trim_start().strip_prefix('"')?;
        let end = rest.match_indices('"').find(|(at, _)| !rest[..*at].ends_with('\\'))?.0;
        let sentence = rest[..end].replace("\\\"", "\"").replace("{{", "\u{1}").replace("}}", "\u{2}");
        let parts = sentence.split('{').enumerate().map(|(index, part)| match index {
            0 => part,
            _ => part.split_once('}').map_or(part, |(_, rest)| rest),
        });
        Some(parts.map(|part| part.replace('\u{1}', "{").replace('\u{2}', "}")).collect())
    };
    text.split(" => ").skip(1).filter_map(of).collect()
}

/// Whether the parts are in a text, one after the other.
fn is_in(parts: &[String], line: &str) -> bool {
    let mut rest = line;
    parts.iter().all(|part| match rest.find(part.as_str()) {
        Some(at) => {
            rest = &rest[at + part.len()..];
            true
        }
        None => false,
    })
}

#[rstest]
#[case("profile/facts.rs", &["in the profile of "])]
#[case("profile/rules/facts.rs", &[])]
#[case("typing/facts.rs", &["the target", "was shortened", "would be the same", "a secret", "several", "prefix of", "cannot write this"])]
#[case("expression/facts.rs", &[])]
#[case("expression/named.rs", &["more than "])]
#[case(STATEMENTS, &["cut off", "closes nothing", "not closed", "has no name", "does not end with", "nested deeper", "in a circle", "included so often", "more than ", "is not ended by", "is missing behind", "has no such statement", "no text in UTF-8"])]
#[case(BUNDLE, &["the included", "by the end of its path"])]
#[case(DECLARATION, &[])]
#[case(NOTATION, &[])]
#[case("crossing/facts.rs", &["no rule covers what is new in", " more"])]
fn no_sentence_is_without_a_case(#[case] facts: &str, #[case] elsewhere: &[&str]) {
    let text = CASES.map(|name| fs::read_to_string(here(name)).expect("the cases")).join("\n");
    let lines: Vec<&str> = text.lines().filter(|line| line.starts_with("  ")).collect();
    let without: BTreeSet<String> = sentences(facts)
        .into_iter()
        .filter(|parts| parts.iter().any(|part| part.len() > 3))
        .filter(|parts| !lines.iter().any(|line| is_in(parts, line)))
        .map(|parts| parts.join("…"))
        .filter(|sentence| !elsewhere.iter().any(|known| sentence.contains(known)))
        .collect();
    assert!(without.is_empty(), "{without:#?}");
}
