//! The example of each finding leads to just that finding.

use crate::desk::{Desk, WRACKHAVEN};
use fordcross::examples::{ExampleIn, examples_of};
use fordcross_core::finding::Code;
use std::fmt::Write as _;

const CROSSING: &str = "teasel-4.6-to-osier-2.1.crossing.toml";
const BASE: &str = r#"{"osier-export": {"release": "2.1", "model": "8"}, "system": {"display-minutes": 5}}"#;

/// The demo backup without what there is a finding of.
fn calm() -> String {
    let cut = |text: String, from: &str, to: &str| {
        let start = text.find(from).unwrap_or_else(|| panic!("{from}"));
        let end = start + text[start..].find(to).unwrap_or_else(|| panic!("{to}")) + to.len();
        text[..start].to_owned() + &text[end..]
    };
    let text = cut(WRACKHAVEN.to_owned(), "<panel-code>", "</panel-code>");
    let text = cut(text, "<tide-offset>", "</tide-offset>");
    let text = cut(text, "<foghorn", "</foghorn>");
    text.replace("<panel-dim>100", "<panel-dim>120").replace("<pace>1000", "<pace>auto")
}

/// Everything that is told when the files are used, some of them changed.
fn reported(code: Option<Code>) -> String {
    let desk = Desk::new();
    let shipped = |file: &str| -> String {
        let profiles = fordcross_profiles::PROFILES.iter().map(|shipped| (shipped.file, shipped.text));
        let crossings = fordcross_profiles::CROSSINGS.iter().map(|shipped| (shipped.file, shipped.text));
        let found = profiles.chain(crossings).find(|(name, _)| *name == file);
        found.unwrap_or_else(|| panic!("{file}")).1.to_owned()
    };
    let mut files = [
        (ExampleIn::Backup, "gw.xml", calm()),
        (ExampleIn::Profile, "own/teasel.profile.toml", shipped("teasel.profile.toml")),
        (ExampleIn::NewProfile, "own/osier.profile.toml", shipped("osier.profile.toml")),
        (ExampleIn::Crossing, "own/teasel-4.6-to-osier-2.1.crossing.toml", shipped(CROSSING)),
        (ExampleIn::Base, "base.json", BASE.to_owned()),
        (ExampleIn::Map, "map.toml", String::new()),
    ];
    let mut line = "carry gw.xml -o out --profiles own --severity base-extra=note".to_owned();
    let examples = code.map_or(&[][..], examples_of);
    for (place, usual, text) in examples {
        match place {
            ExampleIn::Command => line = format!("{line} {text}"),
            ExampleIn::Base => line += " --base base.json",
            ExampleIn::Map => line += " --map map.toml",
            _ => {}
        }
        if let Some((_, name, whole)) = files.iter_mut().find(|(known, ..)| known == place) {
            assert!(whole.contains(usual), "{name} has no `{usual}`");
            *whole = if usual.is_empty() { (*text).to_owned() } else { whole.replace(usual, text) };
        }
    }
    if !line.contains("--to") {
        line += " --to osier/8@2.1";
    }
    for (_, name, text) in files {
        desk.write(name, text);
    }
    let reported = desk.run(&line).reported;
    // What only a check tells takes longer.
    if code.is_some_and(|code| block(&reported, printed(code)).is_some()) {
        return reported;
    }
    reported + &desk.run("profile check own").reported
}

#[test]
fn without_an_example_nothing_is_reported() {
    let reported = reported(None);
    let is_finding =
        |line: &&str| ["error", "blocker[", "warning[", "note["].iter().any(|word| line.starts_with(word));
    assert_eq!(reported.lines().find(is_finding), None, "{reported}");
}

/// What is told in a desk that a shell script made ready: for codes that no change of a small text leads to. What is never
/// told by a program without defects has none.
const SCRIPTS: [(Code, &str, &str); 29] = [
    (Code::NotText, "printf '<unit>\\377</unit>' > a.xml", "survey a.xml"),
    (Code::TooLarge, "yes '<a>' | head -6000 | tr -d '\\n' > a.xml", "survey a.xml"),
    (Code::IniMalformed, "cp -r \"$DEMO/quay-store/source\" s && echo odd >> s/bundle.ini", "survey s"),
    (Code::YamlMalformed, "printf 'network:\\n  version: 2\\n  ethernets: [a\\n' > a.yaml", "survey a.yaml"),
    (
        Code::TableMalformed,
        "cp -r \"$DEMO/quay-store/source\" s && echo 'a,b' >> s/tables/accounts.csv",
        "survey s",
    ),
    (
        Code::StatementMalformed,
        "printf 'listen_addresses = \\047*\\nport = 1\\n' > postgresql.conf",
        "survey postgresql.conf --from postgresql@15",
    ),
    (Code::Locked, "printf 'age-encryption.org/v1\\n-> scrypt aaaa 40\\n' >a.age", "survey a.age"),
    (Code::PassphraseNeeded, "cp \"$DEMO\"/operations/five/* .", "survey console-1.tar.age.001"),
    (
        Code::PassphraseWrong,
        "cp \"$DEMO\"/operations/five/* . && echo a guess >guess.txt",
        "survey console-1.tar.age.001 --passphrase-file guess.txt",
    ),
    (Code::ArchiveUnsafe, "mkdir d && cd d && tar -P -cf ../a.tar ../gw.xml", "survey a.tar"),
    (
        Code::PartsWrong,
        "cp \"$DEMO\"/operations/five/console-1.tar.age.00[13] .",
        "survey console-1.tar.age.001",
    ),
    (Code::HashDiffers, "cp \"$DEMO/hall/hall-sandle.zip\" .", "survey hall-sandle.zip"),
    (
        Code::SettingUncovered,
        "mkdir own; sed '/^fresh/,/^]/d' \"$PLATFORMS/postgresql/postgresql-15-to-16.crossing.toml\" > own/a.crossing.toml",
        "profile check own",
    ),
    (Code::FileMissing, "printf \"include 'x.conf'\\n\" > pg/postgresql.conf", "survey pg"),
    (
        Code::NothingIncluded,
        "mkdir net && printf 'source interfaces.d/*\\nauto lo\\niface lo inet loopback\\n' > net/interfaces",
        "survey net",
    ),
    (
        Code::IncludeTaken,
        "printf \"include '/opt/x.conf'\\n\" > pg/postgresql.conf; touch pg/x.conf",
        "survey pg",
    ),
    (
        Code::FileByLines,
        "printf 'auto lo\\niface lo inet loopback\\n' > old-interfaces.txt",
        "survey old-interfaces.txt",
    ),
    (
        Code::BaseOverrides,
        "cp -r pg new; echo 18 > new/PG_VERSION; echo 'port = 5433' > new/postgresql.auto.conf; echo 'port = 5434' > pg/postgresql.conf",
        "carry pg --to postgresql@18 --base new -o out",
    ),
    (
        Code::WeakeningPin,
        "echo 10 > pg/PG_VERSION; echo 'port = 5434' > pg/postgresql.conf",
        "carry pg --to postgresql@18 -o out",
    ),
    (
        Code::OutsideConfiguration,
        "mkdir whole; mv pg whole; echo x > whole/notes.txt",
        "carry whole --to postgresql@18 -o out",
    ),
    (Code::DataFilesSkipped, "mkdir pg/base; echo x > pg/base/1", "survey pg"),
    (Code::LinkOutside, "echo x > out.conf; ln -s ../out.conf pg/out.conf", "survey pg"),
    (Code::LinkFollowed, "ln -s postgresql.conf pg/again.conf", "survey pg"),
    (Code::EntryUnreadable, "ln -s gone.conf pg/again.conf", "survey pg"),
    (Code::EntryPassedOver, "mkfifo pg/pipe", "survey pg"),
    (Code::Unrecognised, "echo 'once upon a time' > a.txt", "survey a.txt"),
    (Code::ReleaseUnlisted, "echo 9 > pg/PG_VERSION", "survey pg"),
    (Code::XmlMalformed, "printf '<teasel-backup><unit></teasel-backup>' > a.xml", "survey a.xml"),
    (Code::JsonMalformed, "printf '{\"osier-export\": {' > a.json", "survey a.json"),
];

/// What such a script leads to.
fn reported_after(script: &str, line: &str) -> String {
    let desk = Desk::new();
    desk.write("pg/PG_VERSION", "15\n");
    desk.write("pg/postgresql.conf", "port = 5432\n");
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    let done = std::process::Command::new("sh")
        .args(["-ec", script])
        .current_dir(desk.path(""))
        .env("DEMO", format!("{root}/demo"))
        .env("PLATFORMS", format!("{root}/crates/fordcross-profiles/platforms"))
        .status();
    assert!(done.expect("a shell").success(), "{script}");
    desk.run(line).reported
}

/// What is printed for a code. A rule of a profile has one of its own, with the line in front.
fn printed(code: Code) -> &'static str {
    if code == Code::RuleBroken { "osier/names-nothing" } else { code.name() }
}

/// The block that tells of a code, as it is printed.
fn block(reported: &str, code: &str) -> Option<String> {
    let marked = format!("[{code}]");
    let start = reported
        .lines()
        .position(|line| line.split(':').next().is_some_and(|head| head.ends_with(&marked)))?;
    let lines: Vec<&str> = reported.lines().skip(start).take_while(|line| !line.trim().is_empty()).collect();
    Some(lines.join("\n"))
}

/// Every code has a text that was provoked, and `docs/messages.md` has them all. None of them is a library's.
#[test]
fn every_finding_says_what_the_document_says() {
    let mut document = "# What the program says\n\nOne text of each code, as it is printed; a test makes this file (`cargo xtask bless`).\n".to_owned();
    let mut untold: Vec<String> = Vec::new();
    for code in Code::ALL {
        let script =
            SCRIPTS.iter().find(|(known, ..)| known == code).filter(|_| examples_of(*code).is_empty());
        let all =
            script.map_or_else(|| reported(Some(*code)), |(_, script, line)| reported_after(script, line));
        let Some(text) = block(&all, printed(*code)) else {
            untold.push(format!("{}:\n{all}", code.name()));
            continue;
        };
        // Snippets are a person's own text; what is said of them is ours.
        let said = text.lines().filter(|line| {
            line.starts_with(text.split(':').next().unwrap_or_default()) || line.contains("help: ")
        });
        for line in said {
            for shape in ["Some(", "None", "Ok(", "Err(", "Int(", "String(", "Error", "panicked", "\\u{"] {
                assert!(!line.contains(shape), "a text of a library in {}: {line}", code.name());
            }
        }
        let _ = write!(document, "\n## `{}`\n\n{}.\n\n```\n{text}\n```\n", code.name(), code.about());
    }
    // Only a defect of the program leads to this one.
    untold.retain(|reported| !reported.starts_with(Code::ResultDiffers.name()));
    assert!(untold.is_empty(), "not told: {}", untold.join("\n---\n"));
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/messages.md");
    if std::env::var_os("FORDCROSS_BLESS").is_some() {
        std::fs::write(path, &document).expect("written");
    }
    let known = std::fs::read_to_string(path).unwrap_or_default();
    let first = document.lines().zip(known.lines()).find(|(made, known)| made != known);
    assert!(known == document, "look, then run cargo xtask bless: {first:?}");
}

#[test]
fn a_finding_is_explained_with_its_example() {
    let ran = Desk::new().run_to(0, "finding port-left");
    assert!(ran.out.contains("example, in a map:\n    [ports]\n    p3 = \"leave\"\n"), "{}", ran.out);
}
