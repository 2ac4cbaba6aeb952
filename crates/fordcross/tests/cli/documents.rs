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

/// Each key of the reference is used in a file that ships, or in a worked example, which other tests run.
#[test]
fn each_key_of_the_reference_has_an_example() {
    let language = document("docs/language.md");
    let mut keys: Vec<&str> = Vec::new();
    for table in language.split("\n| key").skip(1) {
        let rows = table.lines().skip(2).take_while(|line| line.starts_with('|'));
        keys.extend(
            rows.filter_map(|row| row.split('|').nth(1)).flat_map(|cell| cell.split('`').skip(1).step_by(2)),
        );
    }
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut used = String::new();
    for above in ["docs/examples", "crates/fordcross-profiles/platforms"] {
        for folder in fs::read_dir(root.join(above)).expect("a folder").flatten() {
            for file in fs::read_dir(folder.path()).expect("a folder").flatten() {
                if file.path().extension().is_some_and(|extension| extension == "toml") {
                    used += &fs::read_to_string(file.path()).expect("a file");
                }
            }
        }
    }
    let is_used = |key: &str| {
        used.match_indices(key).any(|(at, _)| {
            let before = used[..at].chars().next_back().is_none_or(|before| " \n{,.".contains(before));
            before && used[at + key.len()..].trim_start_matches(' ').starts_with(['=', ']', '.'])
        })
    };
    let unused: Vec<&str> =
        keys.iter().copied().filter(|key| !key.starts_with('[') && !is_used(key)).collect();
    assert!(keys.len() > 80 && unused.is_empty(), "{} keys, without an example: {unused:?}", keys.len());
}

/// Each piece of code that the document shows is in the file that it names, which other tests run.
#[test]
fn how_do_i_shows_what_is_there() {
    let text = document("docs/how-do-i.md");
    let plain = |text: &str| text.split_whitespace().collect::<String>();
    let mut shown = 0;
    for entry in text.split("\n- ").skip(1) {
        let entry = entry.split("\n\n").next().unwrap_or_default();
        let file = entry.rsplit("](").next().and_then(|end| end.split(')').next()).expect("a file");
        let file = plain(&document(&format!("docs/{file}")));
        for code in entry.split('`').skip(1).step_by(2) {
            assert!(file.contains(&plain(code)), "{code}");
            shown += 1;
        }
    }
    assert!(shown > 25, "{shown}");
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
