//! What stays within a platform as it was: branches without anything in them, and how and in which order statements were written.

use crate::desk::Desk;
use rstest::rstest;

/// A box whose sections are free, and one that calls them otherwise; in statements, or in another format.
fn desk(format: &str, grammar: &str) -> Desk {
    let desk = Desk::new();
    for (platform, branch) in [("box", "parts"), ("case", "pieces")] {
        let profile = format!(
            "language = 2\n[profile]\nplatform = '{platform}'\ntitle = 'Box'\nreleases = ['1', '2']\nformat = '{format}'\n\
             [detect]\ncontains = 'name'\nask-release = true\n{grammar}\n[object]\n'links/{{name:text}}' = {{}}\n\
             [setting]\n'name' = 'text'\n'links/*/tags[]' = 'text'\n'{branch}/**' = 'text'\n"
        );
        desk.write(&format!("own/{platform}.profile.toml"), profile);
    }
    let head = "language = 2\n[crossing]\n";
    desk.write("own/newer.crossing.toml", format!("{head}from = 'box@1'\nto = 'box@2'\n"));
    let rules = "[[place]]\nsame = ['name']\nmove = [['parts/**', 'pieces/**']]\n[[place]]\nfrom = 'links/{n}'\nto = 'links/{n}'\n";
    desk.write("own/across.crossing.toml", format!("{head}from = 'box@2'\nto = 'case@2'\n{rules}"));
    desk
}

const GRAMMAR: &str = "[block.top]\nstatements = [['link {name}', 'links/{name}', 'section'], ['{key} = {value}', '{key}'], ['{key}', '{key}', 'section']]\n\
                       [block.section]\ndelimiters = ['{', '}']\nstatements = [['{key} = {value}', '{key}'], ['{key}', '{key}', 'section']]\n";

#[rstest]
#[case("statements", "name = a\nlink p {\n}\nparts {\n  chap {\n  }\n  pap {\n    deep = 1\n    in {\n    }\n  }\n}\n",
    &["links/p carried", "parts/chap carried", "parts/pap/deep carried", "parts/pap/in carried"])]
// Names that are alike stay apart.
#[case("statements", "name = a\nparts {\n  listen {\n    at = 1\n  }\n  listen {\n    at = 2\n  }\n  listen {\n  }\n}\n",
    &["parts/listen/at carried", "parts/listen[#2]/at carried", "parts/listen[#3] carried"])]
#[case("json", "{\n  \"name\": \"a\",\n  \"links\": {\n    \"p\": {\n      \"tags\": []\n    }\n  },\n  \"parts\": {\n    \"chap\": {},\n    \"pap\": {\n      \"in\": []\n    }\n  }\n}\n",
    &["links/p carried"])]
fn what_is_empty_is_carried(#[case] format: &str, #[case] backup: &str, #[case] expected: &[&str]) {
    let is_statements = format == "statements";
    let desk = desk(format, if is_statements { GRAMMAR } else { "" });
    desk.write("backup", backup);
    let ending = if is_statements { "conf" } else { "json" };
    for (to, result) in [("box@2", "box"), ("case@2", "case")] {
        desk.run_to(0, &format!("carry backup --from box@1 --to {to} --profiles own -o {result}"));
        let rows = desk.ledger(result);
        let fates: Vec<String> = rows
            .iter()
            .map(|row| {
                format!("{} {}", row["locator"].as_str().unwrap_or("-"), row["fate"].as_str().unwrap_or("-"))
            })
            .filter(|row| !row.starts_with("name "))
            .collect();
        assert_eq!(fates, expected, "{to}");
        let made = desk.read(&format!("{result}/backup.{result}.{ending}"));
        let words = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
        let made = words(&made).replace("pieces", "parts");
        // A list of values that has none says no more than none, and goes only where all goes.
        let wanted = words(backup);
        assert!(made == wanted || to == "case@2" && !is_statements, "{to}: {made}");
    }
}

/// Statements stay in their order, each as it was written, though the grammar has others that say the same.
#[rstest]
#[case("name = a\nlink q {\n}\nset x on\nlink p {\n}\nno x\nset y\n")]
#[case("no x\nset x no\nset x no\nname = a\nparts {\n  link {\n    r {\n    }\n  }\n}\nset z on\n")]
#[case("link {\n  p {\n  }\n}\nlink q {\n}\nname = a\n")]
fn statements_stay_as_and_where_they_were(#[case] backup: &str) {
    let grammar = GRAMMAR.replacen(
        "statements = [",
        "statements = [['no {key}', 'set/{key} = no'], ['set {key} {value}?', 'set/{key}'], ",
        1,
    );
    let desk = desk("statements", &grammar);
    for platform in ["box", "case"] {
        let name = format!("own/{platform}.profile.toml");
        desk.write(&name, desk.read(&name) + "'set/*' = 'text'\n'link/**' = 'text'\n");
    }
    desk.write("backup", backup);
    desk.run_to(0, "carry backup --from box@1 --to box@2 --profiles own -o out");
    let made = desk.read("out/backup.box.conf");
    let without_gaps: String =
        made.lines().filter(|line| !line.is_empty()).map(|line| format!("{line}\n")).collect();
    assert_eq!(without_gaps, backup);
}

/// One that the profile knows nothing of is accounted for like any other setting.
#[test]
fn what_is_empty_and_unknown_is_reported() {
    let desk = desk("json", "");
    desk.write("backup", "{\"name\": \"a\", \"lamp\": {}, \"bells\": [], \"links\": {}}\n");
    desk.run_to(0, "carry backup --from box@1 --to box@2 --profiles own -o out");
    let rows = desk.ledger("out");
    let lost: Vec<&str> = rows
        .iter()
        .filter(|row| row["fate"] == "unmatched")
        .filter_map(|row| row["locator"].as_str())
        .collect();
    assert_eq!(lost, ["lamp", "bells"]);
}
