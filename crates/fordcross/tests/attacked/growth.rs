//! Nothing grows faster than its input: instructions are counted, not seconds. What the second doubling of an input adds is at
//! most 2.2 times what the first added.

use crate::{WRACKHAVEN, keep, program};
use fordcross_core::opening::{Archive, Member};
use rstest::rstest;
use rusqlite::Connection;
use std::fs;
use std::os::unix::fs::symlink;
use std::path::Path;
use std::process::Command;

/// What a doubled input may add against what it added before it was.
const MOST_HUNDREDTHS: usize = 220;

fn gateway(more: &str) -> String {
    WRACKHAVEN.replace("</teasel-backup>", &format!("{more}</teasel-backup>"))
}

fn each(count: usize, of: impl Fn(usize) -> String) -> String {
    (0..count).map(of).collect()
}

/// Some files for a size, and the command that reads them.
fn inputs(case: &str, n: usize) -> (Vec<(&'static str, String)>, &'static str) {
    let server = |text: String| vec![("pg/PG_VERSION", "15\n".to_owned()), ("pg/postgresql.conf", text)];
    let carry_map = "carry gw.xml --to osier/8@2.1 --map m.toml -o out";
    let small =
        || "<teasel-backup firmware='4.6' model='20'><unit><name>a</name></unit></teasel-backup>".to_owned();
    match case {
        "map of junk" => (vec![("gw.xml", small()), ("m.toml", "a {\n".repeat(n))], carry_map),
        "map of unknown ports" => {
            let ports = each(n, |port| format!("x{port} = \"cu1\"\n"));
            (vec![("gw.xml", small()), ("m.toml", format!("[ports]\n{ports}"))], carry_map)
        }
        "map of addresses" => {
            let address = |at: usize| format!("{}.{}", at / 250, at % 250);
            let all = each(n, |at| format!("\"10.1.{0}\" = \"10.2.{0}\"\n", address(at)));
            (vec![("gw.xml", small()), ("m.toml", format!("[addresses]\n{all}"))], carry_map)
        }
        "statement of many lines" => {
            let ports = each(n, |port| format!(" \\\n eth{port}"));
            (vec![("net/interfaces", format!("auto lo{ports}\niface lo inet loopback\n"))], "survey net")
        }
        "value of like characters" => (
            vec![("gw.xml", gateway(&format!("<odd>{}</odd>", "a".repeat(n * 10))))],
            "redact gw.xml -o copy",
        ),
        "value of many pieces" => (
            vec![("gw.xml", gateway(&format!("<odd>{}</odd>", "<![CDATA[x]]>".repeat(n))))],
            "redact gw.xml -o copy",
        ),
        "secrets and notes" => {
            let more = each(n, |at| format!("<odd>secret-{at}-x</odd><note>it is secret-{at}-x</note>"));
            (vec![("gw.xml", gateway(&more))], "carry gw.xml --to osier/8@2.1 -o out")
        }
        "comments" => {
            (vec![("gw.xml", gateway(&"<!-- x -->\n".repeat(n)))], "carry gw.xml --to osier/8@2.1 -o out")
        }
        "elements" => (vec![("gw.xml", gateway(&"<a/>".repeat(n)))], "survey gw.xml"),
        "unknown settings" => (
            vec![("gw.xml", gateway(&each(n, |at| format!("<a{at}>1</a{at}>"))))],
            "carry gw.xml --to osier/8@2.1 -o out",
        ),
        "list of numbers" => {
            let text = format!(
                "{{\"osier-export\": {{\"release\": \"2.1\", \"model\": \"8\"}}, \"x\": [{}0]}}",
                "0, ".repeat(n)
            );
            (vec![("gw.json", text)], "survey gw.json")
        }
        "ports of a host" => {
            let ports = each(n, |at| format!("    eth{at}: {{dhcp4: true}}\n"));
            (vec![("a.yaml", format!("network:\n  version: 2\n  ethernets:\n{ports}"))], "survey a.yaml")
        }
        "settings of a server" => {
            (server(each(n, |at| format!("own.s{at} = {at}\n"))), "carry pg --to postgresql@18 -o out")
        }
        "a file included again and again" => {
            let mut files = server("include 'x.conf'\n".repeat(n));
            files.push(("pg/x.conf", "port = 1\n".to_owned()));
            (files, "survey pg")
        }
        "rules of access" => {
            let mut files = server(String::new());
            files.push(("pg/pg_hba.conf", each(n, |at| format!("host all u{at} 192.0.2.0/24 md5\n"))));
            (files, "survey pg")
        }
        "keys of a section" => {
            let text = format!("[bundle]\nos = 4.1\n{}", each(n, |at| format!("k{at} = 1\n")));
            (vec![("s/bundle.ini", text), ("s/config/active.ini", "[a b]\nc = 1\n".into())], "survey s")
        }
        "rows of a table" => {
            let rows = each(n, |at| format!("u{at},x\n"));
            let files = vec![
                ("s/bundle.ini", "[bundle]\nos = 4.1\n".to_owned()),
                ("s/config/active.ini", "[a b]\nc = 1\n".to_owned()),
                ("s/tables/accounts.csv", format!("name,group\n{rows}")),
            ];
            (files, "survey s")
        }
        "files of a folder" => (server(String::new()), "survey pg"),
        "members of a tar" | "members of a zip" => (Vec::new(), "survey pg.pack"),
        "links of a tar" => (server("include_dir 'conf.d'\n".into()), "survey pg.tar"),
        "rows of a database" => (Vec::new(), "redact rows.db -o copy --profiles ."),
        _ => unreachable!("{case}"),
    }
}

/// Adds what is not text, or has as many files as the input is large.
fn add(case: &str, n: usize, folder: &Path) {
    let write = |path: &str, bytes: &[u8]| fs::write(folder.join(path), bytes).expect("written");
    match case {
        "files of a folder" => (0..n).for_each(|at| write(&format!("pg/f{at}"), b"x")),
        "members of a tar" | "members of a zip" => {
            let member = |path: String, text: &str| Member { path, bytes: text.into() };
            let files = (0..n).map(|at| member(format!("pg/conf.d/{at:06}.conf"), "port = 1\n"));
            let files: Vec<Member> =
                [member("pg/PG_VERSION".into(), "15\n")].into_iter().chain(files).collect();
            let archive = if case.ends_with("zip") { Archive::Zip } else { Archive::Tar };
            write("pg.pack", &archive.pack(&files).expect("packed"));
        }
        "links of a tar" => {
            fs::create_dir(folder.join("pg/conf.d")).expect("a folder");
            let link = |at: usize| folder.join(format!("pg/conf.d/{at:06}.conf"));
            (0..n).for_each(|at| symlink("../postgresql.auto.conf", link(at)).expect("a link"));
            write("pg/postgresql.auto.conf", b"port = 1\n");
            let packed = Command::new("tar").args(["-cf", "pg.tar", "pg"]).current_dir(folder).status();
            assert!(packed.expect("tar is there").success());
        }
        "rows of a database" => {
            let profile = r#"
language = 2
[profile]
platform = 'rows'
title    = 'R'
releases = ['1']
[detect]
contains = 'row'
[[file]]
path   = 'rows.db#row'
at     = 'row'
format = 'database'

[object]
"row/row[{name}]" = {}
[setting]
'row/row/name' = 'name'
'row/row/size' = 'integer'
"#;
            write("rows.profile.toml", profile.as_bytes());
            let database = Connection::open(folder.join("rows.db")).expect("a database");
            let rows = each(n, |at| format!("('r{at}', {at}),"));
            let rows = rows.trim_end_matches(',');
            let made = format!("CREATE TABLE row (name TEXT, size INTEGER); INSERT INTO row VALUES {rows};");
            database.execute_batch(&made).expect("made");
        }
        _ => {}
    }
}

/// Instructions of a run, as counted by valgrind.
fn instructions(case: &str, n: usize) -> usize {
    let desk = tempfile::tempdir().expect("a folder");
    let folder = desk.path();
    let (files, line) = inputs(case, n);
    for (name, text) in files {
        let path = folder.join(name);
        fs::create_dir_all(path.parent().unwrap_or(Path::new("."))).expect("a folder");
        fs::write(path, text).expect("written");
    }
    add(case, n, folder);
    let counted = Command::new("valgrind")
        .args(["--tool=cachegrind", "--cache-sim=no", "--cachegrind-out-file=/dev/null"])
        .arg(program(folder, "").get_program())
        .args(line.split_whitespace())
        .current_dir(folder)
        .output()
        .expect("valgrind runs");
    let reported = String::from_utf8_lossy(&counted.stderr).into_owned();
    let refs = reported.lines().find_map(|line| line.split_once("refs:"));
    let refs = refs.and_then(|(_, refs)| refs.trim().replace(',', "").parse().ok());
    refs.unwrap_or_else(|| panic!("{case}: {reported}"))
}

#[rstest]
fn what_is_doubled_takes_twice_the_work(
    #[values(
        ("map of junk", 60),
        ("map of unknown ports", 60),
        ("map of addresses", 60),
        ("statement of many lines", 400),
        ("value of like characters", 800),
        ("value of many pieces", 800),
        ("secrets and notes", 100),
        ("comments", 200),
        ("elements", 400),
        ("unknown settings", 100),
        ("list of numbers", 1_600),
        ("ports of a host", 100),
        ("settings of a server", 60),
        ("a file included again and again", 200),
        ("rules of access", 80),
        ("keys of a section", 400),
        ("rows of a table", 200),
        ("files of a folder", 100),
        ("members of a tar", 200),
        ("members of a zip", 200),
        ("links of a tar", 200),
        ("rows of a database", 400)
    )]
    case: (&str, usize),
) {
    let (case, n) = case;
    // A campaign asks for it: counting takes a minute a case where nothing is optimised.
    if std::env::var_os("FORDCROSS_FIGURES").is_none() {
        return;
    }
    let [one, two, four] = [n, 2 * n, 4 * n].map(|n| instructions(case, n));
    assert!(one < two && two < four, "{case}: the input is not worked on");
    let grew = (four - two) * 100 / (two - one);
    assert!(grew <= MOST_HUNDREDTHS, "{case}: {one} {two} {four}: {grew} hundredths");
    keep(&file_of(case), &[("hundredths", grew)]);
}

fn file_of(case: &str) -> String {
    format!("growth-{}", case.replace(' ', "-"))
}

/// What the last campaign measured.
#[test]
fn the_table_of_growth_is_kept() {
    if std::env::var_os("FORDCROSS_FIGURES").is_some() {
        // It is being made.
        return;
    }
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/figures");
    let kept = fs::read_dir(folder).expect("figures").flatten();
    let texts: Vec<String> = kept
        .filter(|entry| entry.file_name().to_string_lossy().starts_with("attacked-growth-"))
        .map(|entry| fs::read_to_string(entry.path()).expect("a text"))
        .collect();
    assert_eq!(texts.len(), 22, "one a case: run `cargo xtask campaign attacked`");
    for text in texts {
        let hundredths = text.lines().find_map(|line| line.strip_prefix("hundredths = ")).expect("a figure");
        assert!(hundredths.parse::<usize>().expect("a number") <= MOST_HUNDREDTHS, "{text}");
    }
}
