//! Damaged backups: whatever is in them is carried, told or refused, and never lost.

use crate::{WRACKHAVEN, keep, number_of};
use serde_json::Value;
use std::fs;
use std::path::Path;

const INTERFACES: &str = include_str!("../real/ifupdown/ramp/interfaces");
const SERVER: &str = include_str!("../real/postgresql/corrie-13/postgresql.conf");
const ACCESS: &str = include_str!("../real/postgresql/quay-10/pg_hba.conf");
const EXPORT: &str = include_str!("../../../../demo/corrie-slip/new-unit.osier.json");

/// The name of a backup, its text, and how it is carried.
const BACKUPS: [(&str, &str, &str); 5] = [
    ("gw.xml", WRACKHAVEN, "--to osier/8@2.1"),
    ("gw.json", EXPORT, "--to osier/8@2.1"),
    ("interfaces", INTERFACES, "--to netplan@0.106 --same-names"),
    ("postgresql.conf", SERVER, "--to postgresql@18 --from postgresql@13"),
    ("pg_hba.conf", ACCESS, "--to postgresql@18 --from postgresql@10"),
];

/// One change of the kind that transport, editors and people make.
fn damaged(text: &str, random: &mut fastrand::Rng) -> String {
    let chars: Vec<char> = text.chars().collect();
    let mut lines: Vec<&str> = text.split_inclusive('\n').collect();
    let (at, line) = (random.usize(0..chars.len()), random.usize(0..lines.len()));
    let special = [
        '"', '\'', '<', '>', '&', '{', '}', '[', ']', '=', '#', '\\', '\u{0}', '\u{202e}', 'é', '\t', '\r',
        ' ', '9', ',',
    ];
    match random.u8(0..9) {
        0 => chars[..at].iter().collect(),
        1 => {
            let end = (at + random.usize(1..200)).min(chars.len());
            chars[..at].iter().chain(&chars[end..]).collect()
        }
        2 => {
            lines.insert(random.usize(0..lines.len()), lines[line]);
            lines.concat()
        }
        3 => {
            lines.remove(line);
            lines.concat()
        }
        4 => {
            let other = random.usize(0..lines.len());
            lines.swap(line, other);
            lines.concat()
        }
        5 => {
            let put = special[random.usize(0..special.len())];
            chars[..at].iter().chain([&put]).chain(&chars[at + 1..]).collect()
        }
        6 => {
            let end = (line + random.usize(1..30)).min(lines.len());
            let block = lines[line..end].concat();
            lines.insert(random.usize(0..lines.len()), &block);
            lines.concat()
        }
        7 => {
            let digits = |c: char| if c.is_ascii_digit() { char::from(b'0' + random.u8(0..10)) } else { c };
            let (before, after) = chars.split_at(at);
            let near: String = after.iter().take(20).copied().map(digits).collect();
            before.iter().copied().chain(near.chars()).chain(after.iter().skip(20).copied()).collect()
        }
        _ => {
            let put: String =
                (0..random.usize(1..6)).map(|_| special[random.usize(0..special.len())]).collect();
            chars[..at].iter().collect::<String>() + &put + &chars[at..].iter().collect::<String>()
        }
    }
}

/// The settings of a text by a reader that is not ours, where there is one.
fn counted(name: &str, text: &str) -> Option<usize> {
    fn leaves(value: &Value) -> usize {
        match value {
            Value::Object(members) => members.values().map(leaves).sum(),
            Value::Array(values) => values.iter().map(leaves).sum(),
            _ => 1,
        }
    }
    let ending = name.rsplit('.').next();
    if ending == Some("json") {
        return Some(leaves(&serde_json::from_str(text).ok()?));
    }
    if ending != Some("xml") {
        return None;
    }
    let document = roxmltree::Document::parse(text).ok()?;
    let elements = document.descendants().filter(roxmltree::Node::is_element);
    let of = |element: roxmltree::Node<'_, '_>| {
        let leaf = !element.children().any(|child| child.is_element());
        let own =
            element.children().any(|child| child.is_text() && !child.text().unwrap_or("").trim().is_empty());
        element.attributes().len() + usize::from(leaf || own)
    };
    Some(elements.map(of).sum())
}

fn run(folder: &Path, line: &str) -> (u8, String) {
    let words = std::iter::once("fordcross").chain(line.split_whitespace());
    let words = words.map(|word| {
        word.strip_prefix('@').map_or(word.to_owned(), |name| folder.join(name).display().to_string())
    });
    let (mut out, mut err) = (Vec::new(), Vec::new());
    let status = fordcross::run(words, &mut std::io::empty(), &mut out, &mut err);
    (status, String::from_utf8_lossy(&out).into_owned() + &String::from_utf8_lossy(&err))
}

#[test]
fn nothing_of_a_damaged_backup_is_lost() {
    let count = number_of("FORDCROSS_MUTATIONS", 120) as usize;
    let mut random = fastrand::Rng::with_seed(number_of("FORDCROSS_SEED", 16));
    let (mut carried, mut blocked, mut refused, mut compared) = (0, 0, 0, 0);
    for number in 0..count {
        let (name, text, how) = BACKUPS[number % BACKUPS.len()];
        let mut text = text.to_owned();
        for _ in 0..random.usize(1..3) {
            text = damaged(&text, &mut random);
            if text.is_empty() {
                break;
            }
        }
        let desk = tempfile::tempdir().expect("a folder");
        let folder = desk.path();
        fs::write(folder.join(name), &text).expect("written");
        let (status, reported) = run(folder, &format!("carry @{name} {how} -o @out"));
        let case = || format!("mutation {number} of {name}: status {status}\n{reported}\n{text}");
        let ledger = fs::read_to_string(folder.join("out/ledger.jsonl")).ok();
        match status {
            0 => carried += 1,
            3 => blocked += 1,
            1 => refused += 1,
            _ => panic!("{}", case()),
        }
        assert_eq!(status == 1, ledger.is_none(), "{}", case());
        assert!(status == 0 || !reported.contains("result-differs"), "{}", case());
        for command in ["survey @NAME", "redact @NAME -o @copy"] {
            let (status, reported) = run(folder, &(command.replace("NAME", name) + treat(how)));
            assert!(matches!(status, 0 | 1), "{command}: {reported}\n{}", case());
        }
        let Some(ledger) = ledger else { continue };
        assert_eq!(crate::wrong_with(&folder.join("out")), None, "{}", case());
        let rows: Vec<Value> = ledger
            .lines()
            .map(|line| serde_json::from_str(line).unwrap_or_else(|_| panic!("{}", case())))
            .collect();
        let settings = rows.iter().filter(|row| row["kind"] == "setting");
        let mut places: Vec<String> =
            settings.map(|row| format!("{}:{} {}", row["line"], row["column"], row["locator"])).collect();
        let all = places.len();
        if let Some(counted) = counted(name, &text) {
            assert_eq!(all, counted, "{}", case());
            compared += 1;
        }
        places.sort();
        places.dedup();
        assert_eq!(places.len(), all, "a setting has two rows\n{}", case());
        assert!(
            rows.iter().filter(|row| row["kind"] == "setting").all(|row| row["fate"].is_string()),
            "{}",
            case()
        );
    }
    assert!(
        carried > count / 8 && refused > 0 && compared > count / 20,
        "{carried} {blocked} {refused} {compared}"
    );
    keep(
        "mutations",
        &[
            ("mutations", count),
            ("carried", carried),
            ("blocked", blocked),
            ("refused", refused),
            ("counted-by-another-reader", compared),
            ("lost", 0),
        ],
    );
}

fn treat(how: &str) -> &str {
    how.find(" --from").map_or("", |at| &how[at..])
}
