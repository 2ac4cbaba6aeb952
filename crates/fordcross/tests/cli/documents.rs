//! What the documents say is held to the code.

use crate::desk::Desk;
use fordcross_core::fate::Fate;
use fordcross_core::reference;
use rstest::rstest;
use std::fs;
use std::path::Path;

fn document(name: &str) -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(name);
    fs::read_to_string(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()))
}

#[test]
fn the_reference_speaks_of_every_type_and_function_and_no_other() {
    let language = document("docs/language.md");
    let rows = |head: &str| -> Vec<String> {
        let table = language.split(head).nth(1).unwrap_or_else(|| panic!("{head}"));
        let rows = table.lines().skip(2).take_while(|line| line.starts_with('|'));
        rows.map(str::to_owned).collect()
    };
    let functions: Vec<String> =
        reference::functions().iter().map(|(name, about)| format!("| `{name}` | {about} |")).collect();
    assert_eq!(rows("| function | gives |"), functions);
    let first = |row: &String| row.split('|').nth(1).map(str::to_owned).unwrap_or_default();
    let names = |cell: String| cell.split('`').skip(1).step_by(2).map(str::to_owned).collect::<Vec<_>>();
    let mut named: Vec<String> = rows("| type | keys |").iter().flat_map(|row| names(first(row))).collect();
    // It is of captures in statements, and no type of a setting.
    assert_eq!(named.pop().as_deref(), Some("pairs"));
    named.sort_unstable();
    let mut types = reference::types().iter().map(ToString::to_string).collect::<Vec<_>>();
    types.sort_unstable();
    assert_eq!(named, types);
}

#[test]
fn the_readme_lists_the_fates_as_they_are() {
    let readme = document("README.md");
    for fate in Fate::ALL {
        assert!(readme.contains(&format!("| `{}` | {} |", fate.word(), fate.about())), "{fate}");
    }
}

/// The commands of the README's worked conversion run as they are.
#[test]
fn the_commands_of_the_readme_run() {
    let desk = Desk::new();
    desk.write("gw-wrackhaven.xml", crate::desk::WRACKHAVEN);
    for file in ["gw-corrie.xml", "new-unit.osier.json"] {
        desk.write(file, document(&format!("demo/corrie-slip/{file}")));
    }
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let parts = (1..=3).map(|number| format!("operations/five/console-1.tar.age.{number:03}"));
    let others = ["quay-store/store-quay.tar.gz", "operations/passphrase.txt"].map(str::to_owned);
    for file in parts.chain(others) {
        let name = file.rsplit('/').next().expect("a name");
        desk.write(name, fs::read(demo.join(&file)).expect("it ships"));
    }
    let readme = document("README.md");
    let commands: Vec<&str> = readme.lines().filter_map(|line| line.strip_prefix("fordcross ")).collect();
    assert!(commands.len() >= 5, "{commands:?}");
    for file in ["interfaces", "interfaces.d/tunnel"] {
        desk.write(
            &format!("network/{file}"),
            document(&format!("crates/fordcross/tests/real/ifupdown/quay/{file}")),
        );
    }
    for command in commands {
        desk.run_to(0, &command.replace('\'', ""));
        // The names that a person writes into the map.
        if command.ends_with("-o network.map.toml") {
            let map = desk.read("network.map.toml");
            let named = map
                .lines()
                .enumerate()
                .map(|(line, text)| text.replace(" = \"?\"", &format!(" = \"enp{line}s0\"")));
            desk.write("network.map.toml", named.collect::<Vec<_>>().join("\n"));
        }
    }
}

/// The tutorial, typed step by step: files are made as they are, commands run, and what is shown of them
/// is what they print.
#[rstest]
#[case("docs/your-own-platform.md", (5, 8, 7))]
#[case("docs/your-own-statements.md", (5, 5, 5))]
fn the_tutorials_go_as_they_say(#[case] name: &str, #[case] expected: (usize, usize, usize)) {
    let desk = Desk::new();
    let text = document(name);
    let (mut files, mut commands, mut shown) = (0, 0, 0);
    let mut printed = String::new();
    for block in text.split("```").skip(1).step_by(2) {
        let (head, body) = block.split_once('\n').expect("a fence has a line of its own");
        match head.split_whitespace().collect::<Vec<_>>().as_slice() {
            ["json" | "result", name] => assert_eq!(desk.read(name), body, "{name}"),
            [_, "append", name] => desk.write(name, desk.read(name) + body),
            [_, name] => {
                desk.write(name, body);
                files += 1;
            }
            ["text"] => {
                assert!(printed.contains(body.trim_end()), "{body}\n{printed}");
                shown += 1;
            }
            [] => {
                for command in body.lines() {
                    let line = command.strip_prefix("fordcross ").expect("a command").replace('\'', "");
                    let ran = desk.run_to(0, &line);
                    printed = ran.reported;
                    commands += 1;
                }
            }
            other => panic!("what is {other:?}?"),
        }
    }
    assert_eq!((files, commands, shown), expected, "nothing is skipped");
}

/// Says in each run that this was not asked for, and runs it where it is.
#[test]
#[ignore = "real systems are judges where they are asked for: cargo xtask real-systems"]
fn real_systems_are_content() {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../xtask/scripts/real-systems");
    assert!(std::process::Command::new(script).status().expect("the script runs").success());
}
