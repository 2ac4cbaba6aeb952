//! Backups of several files: read, carried, written and read again, redacted.

use crate::desk::Desk;
use fordcross_core::opening::{Archive, Member, Opening, open};
use rstest::rstest;
use serde_json::Value;
use std::path::Path;

/// A line whose backups are folders or archives, with a file of each form; two releases, the same but for a default.
fn profile(container: &str) -> String {
    let manners = "[file.grammar]\nquotes = ['\"']\nescape = 'backslash'\n\
                   [file.block.top]\nstatements = [['{key} = {value}', '{key}']]\n";
    format!(
        "language = 2\n[profile]\nplatform = 'crate'\ntitle = 'Crate'\ncontainer = '{container}'\nreleases = ['1', '2']\n\
         [detect]\ncontains = 'main'\nrelease = 'main/release'\n\
         [[file]]\npath = 'main.conf'\nat = 'main'\nformat = 'statements'\n{manners}\
         [[file]]\npath = 'net/{{name}}.yaml'\nat = 'net/{{name}}'\nformat = 'yaml'\n\
         [[file]]\npath = 'unit.xml'\nat = 'unit'\nformat = 'xml'\n[file.xml]\nroot = 'unit'\n\
         [[file]]\npath = 'more.json'\nat = 'more'\nformat = 'json'\n\
         [[file]]\npath = 'old.ini'\nat = 'old'\nformat = 'ini'\n\
         [[file]]\npath = 'rows.csv'\nat = 'rows'\nformat = 'csv'\n\
         [[file]]\npath = 'box.db#berths'\nat = 'berths'\nformat = 'database'\n\
         [[file]]\npath = 'crest.png'\nat = 'crest'\nformat = 'opaque'\n\
         [[file]]\npath = 'sums'\nat = 'sums'\nformat = 'checksums'\nalgorithm = 'sha-256'\n\
         [object]\n'net/{{name:name}}' = {{}}\n'rows/row[{{id}}]' = {{}}\n'berths/row[{{id}}]' = {{}}\n\
         [setting]\n'main/release' = 'text'\n'main/greeting' = 'text'\n'main/secret' = 'secret'\n'main/tide' = {{ type = 'integer', default = {{ '1' = '1', '2' = '2' }} }}\n\
         'net/*/mtu' = 'integer'\n'net/*/addresses[]' = 'text'\n'unit/name' = 'text'\n'more/on' = 'boolean'\n\
         'old/port/speed' = 'text'\n'rows/row/id' = 'name'\n'rows/row/note' = 'text'\n'berths/row/id' = 'integer'\n'berths/row/name' = 'text'\n\
         'berths/row/mark' = 'text'\n'crest' = 'text'\n"
    )
}

fn database() -> Vec<u8> {
    let mut connection = rusqlite::Connection::open_in_memory().expect("in memory");
    let script = "CREATE TABLE berths (id INTEGER, name TEXT, mark BLOB); INSERT INTO berths VALUES (1, 'north', x'00ff'), (2, NULL, NULL);";
    connection.execute_batch(script).expect("it runs");
    connection.serialize(rusqlite::MAIN_DB).expect("serialized").to_vec()
}

const CREST: &[u8] = b"\x89PNG\r\n\x1a\n\0\0";

fn files() -> Vec<Member> {
    let file = |path: &str, bytes: &[u8]| Member { path: path.into(), bytes: bytes.to_vec() };
    vec![
        file(
            "main.conf",
            b"# said of the greeting\ngreeting = \"good day\"\nsecret = tide-and-timber\nrelease = 1\n",
        ),
        file("net/one.yaml", b"mtu: 9000\naddresses: [192.0.2.1/24, \"2001:db8::1/64\"]\n"),
        file("net/two.yaml", b"mtu: 1500\n"),
        file("unit.xml", b"<?xml version=\"1.0\"?>\n<unit><name>gw &amp; co</name></unit>\n"),
        file("more.json", b"{\"on\": true}\n"),
        file("old.ini", b"[port]\nspeed = fast\n"),
        file("rows.csv", b"id,note\na,\"x, y\"\nb,\n"),
        file("box.db", &database()),
        file("crest.png", CREST),
        file("read me.txt", b"nobody knows it\n"),
        file("note#1", b"a name that is like that of a table\n"),
    ]
}

fn desk(container: &str) -> Desk {
    let desk = Desk::new();
    desk.write("own/crate.profile.toml", profile(container));
    desk.write(
        "own/crate-1-to-2.crossing.toml",
        r#"
language = 2
[crossing]
from = "crate@1"
to   = "crate@2"
"#,
    );
    desk
}

fn opened(desk: &Desk, path: &str) -> String {
    let bytes = std::fs::read(desk.path(path)).expect("it is written");
    open("a", bytes, &Opening::default()).expect("it opens").text
}

/// All goes to the next release, in whatever it is to be packed; what no member names is told.
#[rstest]
#[case("tar.gz", "out/in.crate.tar.gz")]
#[case("zip", "out/in.crate.zip")]
#[case("tar", "out/in.crate.tar")]
fn several_files_become_several(#[case] container: &str, #[case] result: &str) {
    let desk = desk(container);
    desk.write("in.tar", Archive::Tar.pack(&files()).expect("packed"));
    let ran = desk.run_to(0, "carry in.tar --to crate@2 --profiles own -o out");
    assert!(ran.reported.contains("in.tar/read me.txt:1:1  other-files/\"read me.txt\""), "{}", ran.reported);
    let text = opened(&desk, result);
    for part in [
        "greeting = \"good day\"",
        "# said of the greeting",
        "release = 2",
        "tide = 1",
        "mtu: 9000",
        "- 192.0.2.1/24",
        "<name>gw &amp; co</name>",
        "\"on\": true",
        "[port]\nspeed = fast",
        "a,\"x, y\"",
        "[1,\"north\",\"X'00FF'\"]",
        "[2,null,null]",
        "iVBORw0KGgoAAA==",
        "  main.conf\n",
    ] {
        assert!(text.contains(part), "{part}\n{text}");
    }
    let rows: Vec<Value> = desk.ledger("out");
    let files: Vec<&str> = rows.iter().filter_map(|row| row["file"].as_str()).collect();
    assert!(files.contains(&"in.tar/net/two.yaml") && files.contains(&"in.tar/box.db#berths"), "{files:?}");
    assert!(rows.iter().all(|row| !row.to_string().contains("tide-and-timber")), "no secret");
    // What came out is a backup of its own, and carrying it says the same again.
    let again = desk.run_to(0, &format!("survey {result} --profiles own"));
    assert!(
        again.out.contains("Crate on release 2") && again.out.contains("checksums: 9 of 9 files match"),
        "{}",
        again.out
    );
}

#[test]
fn a_folder_is_a_backup_and_a_result() {
    let desk = desk("folder");
    for file in files() {
        desk.write(&format!("stores/quay/{}", file.path), file.bytes);
    }
    desk.write("stores/notes.txt", "none");
    let ran = desk.run_to(0, "carry stores/quay --to crate@2 --profiles own -o out");
    assert!(ran.out.contains("out:\n  quay.crate/main.conf"), "{}", ran.out);
    assert_eq!(std::fs::read(desk.path("out/quay.crate/crest.png")).expect("written"), CREST);
    assert_eq!(desk.read("out/quay.crate/net/two.yaml"), "mtu: 1500\n");
    // In a folder of backups it is one of them.
    let list = desk.run_to(0, "survey stores --profiles own");
    assert!(
        list.out.contains("stores/quay ") && list.out.contains("1 file could not be read as a backup"),
        "{}",
        list.out
    );
    // One file of it is one, too.
    desk.run_to(0, "carry stores/quay/main.conf --to crate@2 --profiles own -o one");
    assert_eq!(desk.read("one/main.crate/main.conf").lines().count(), 5);
}

#[test]
fn a_copy_to_show_has_the_same_files() {
    let desk = desk("zip");
    desk.write("in.zip", Archive::Zip.pack(&files()).expect("packed"));
    desk.run_to(0, "redact in.zip -o copy.zip --profiles own");
    let text = opened(&desk, "copy.zip");
    assert!(!text.contains("tide-and-timber") && text.contains("greeting = \"good day\""), "{text}");
    let bytes = std::fs::read(desk.path("copy.zip")).expect("it is written");
    let paths: Vec<String> = open("a", bytes, &Opening::default())
        .expect("it opens")
        .pieces
        .into_iter()
        .map(|piece| piece.path)
        .collect();
    assert!(paths.contains(&"note#1".into()) && paths.contains(&"box.db#berths".into()), "{paths:?}");
    assert!(text.contains("[1,\"north\",\"X'00FF'\"]") && text.contains("iVBORw0KGgoAAA=="), "{text}");
}

/// What is encrypted opens with its passphrase and with no other, and a result can be encrypted.
#[test]
fn a_result_is_encrypted_when_asked() {
    let desk = desk("zip");
    desk.write("pass", "low water\n");
    desk.write("in.zip", Archive::Zip.pack(&files()).expect("packed"));
    desk.run_to(0, "carry in.zip --to crate@2 --profiles own -o out --encrypt --passphrase-file pass");
    let sealed = "out/in.crate.zip.age";
    let ran = desk.run_to(0, &format!("survey {sealed} --profiles own --passphrase-file pass"));
    assert!(ran.out.contains("age, zip in "), "{}", ran.out);
    let ran = desk.run_to(1, &format!("survey {sealed} --profiles own"));
    assert!(
        ran.reported
            .contains("[passphrase-needed]: the backup is encrypted with age, and no passphrase was given"),
        "{}",
        ran.reported
    );
    let bytes = std::fs::read(desk.path(sealed)).expect("written");
    desk.write("torn.age", &bytes[..bytes.len() - 9]);
    let ran = desk.run_to(1, "survey torn.age --passphrase-file pass");
    assert!(ran.reported.contains("damaged or cut off"), "{}", ran.reported);
    // The second line of an age file has the work factor, as a power of two.
    let header = bytes.split(|&byte| byte == b'\n').nth(1).expect("a line");
    assert!(header.ends_with(b" 18"), "{header:?}");
    let mut costly = bytes.clone();
    let at = b"age-encryption.org/v1\n".len() + header.len() - 2;
    costly[at..at + 2].copy_from_slice(b"21");
    desk.write("costly.age", costly);
    let ran = desk.run_to(1, "survey costly.age --passphrase-file pass");
    assert!(ran.reported.contains("the encrypted backup has an excessive work factor"), "{}", ran.reported);
    assert!(Path::new(&desk.path("out/ledger.jsonl")).exists());
}

#[rstest]
#[case(&["a.001", "a.003"], "the part `a.002` is missing")]
#[case(&["a.002"], "the part `a.001` is missing")]
#[case(&["a.001", "a.99999999999"], "the parts 2 to 4294967294 are missing")]
#[case(&["a.001", "a.0001"], "part 1 exists twice: `a.0001` and `a.001`")]
fn parts_that_do_not_fit_are_reported(#[case] parts: &[&str], #[case] reported: &str) {
    let desk = Desk::new();
    for (index, part) in parts.iter().enumerate() {
        desk.write(part, format!("part {index}"));
    }
    let ran = desk.run_to(1, &format!("survey {}", parts[0]));
    assert!(ran.reported.contains(reported), "{}", ran.reported);
}

#[test]
fn two_parts_that_are_the_same_are_reported() {
    let desk = Desk::new();
    desk.write("a.001", "same");
    desk.write("a.002", "same");
    let ran = desk.run_to(1, "survey a.001");
    assert!(ran.reported.contains("the parts `a.001` and `a.002` are identical"), "{}", ran.reported);
}

/// Of two configurations a person chooses one; each setting of the other has its row, too.
#[rstest]
#[case("", "192.0.2.1", "b")]
#[case("--configuration candidate", "192.0.2.2", "a")]
fn one_of_two_configurations_is_carried(#[case] option: &str, #[case] result: &str, #[case] left: &str) {
    let desk = Desk::new();
    let profile = r"
language = 2
[profile]
platform = 'crate'
title    = 'Crate'
format   = 'json'
releases = ['1', '2']
[detect]
contains  = 'crate'
release   = 'crate'
active    = 'a'
candidate = 'b'
[setting]
'crate' = 'text'
'a|b/ip' = 'address'
";
    desk.write("own/crate.profile.toml", profile);
    desk.write(
        "own/crate-1-to-2.crossing.toml",
        r#"
language = 2
[crossing]
from = "crate@1"
to   = "crate@2"
"#,
    );
    desk.write("in.json", r#"{"crate": "1", "a": {"ip": "192.0.2.1"}, "b": {"ip": "192.0.2.2"}}"#);
    desk.run_to(0, &format!("carry in.json --to crate@2 --profiles own -o out {option}"));
    let made: Value = serde_json::from_str(&desk.read("out/in.crate.json")).expect("JSON");
    assert_eq!((&made["a"]["ip"], &made["b"]), (&result.into(), &Value::Null));
    let row = desk.ledger("out").into_iter().find(|row| row["fate"] == "left-out").expect("a row");
    let text = format!("\"{left}\": {{\"ip\"");
    let column = desk.read("in.json").find(&text).expect("it is there") + text.len();
    assert!(row["column"].as_u64().expect("a number") > column as u64, "{row}");
}

const LANE: &str = r#"
language = 2

[profile]
platform = "lane"
title    = "Lane"
releases = ["1", "2"]
[detect]
contains = "main"
release  = "main/release"
[[file]]
path   = "interfaces"
at     = "main"
format = "statements"
[file.block.top]
statements = [
  { shape = "source {path}", at = "source", reads-files = "path" },
  ["release {value}", "release"],
  ["iface {name} {method}", "iface", "iface"],
]
[file.block.iface]
delimiters = "next-section"
statements = [["{key} {value...}", "{key}"]]

[object]
"main/iface[{name}]" = {}
"main/source[]"      = {}
[setting]
"main/release" = "text"
"main/source/path" = "text"
"main/iface/name" = "name"
"main/iface/method" = "text"
"main/iface/mtu" = "integer"
"#;

const LANE_ON: &str = r#"
language = 2

[crossing]
from = "lane@1"
to   = "lane@2"
[[place]]
moot = [
  ["main/source/path", "its statements are read in its place"],
  ["main/source/", "its statements are read in its place"],
]
"#;

/// Statements of files that are included are in their place, and each keeps its own file and line.
#[test]
fn what_is_included_is_read_in_its_place() {
    let desk = Desk::new();
    desk.write("own/lane.profile.toml", LANE);
    desk.write("own/lane.crossing.toml", LANE_ON);
    desk.write("net/interfaces", "release 1\niface a static\n mtu 1500\nsource if.d/*\n");
    desk.write("net/if.d/b", "iface b dhcp\n mtu 9000\n");
    desk.write("net/if.d/c", "iface c dhcp\n");
    desk.run_to(0, "carry net --to lane@2 --profiles own -o out");
    let made = desk.read("out/net.lane/interfaces");
    assert_eq!(made, "release 2\n\niface a static\n  mtu 1500\n\niface b dhcp\n  mtu 9000\n\niface c dhcp\n");
    let rows = desk.ledger("out");
    let mtu = rows.iter().find(|row| row["locator"] == "main/iface[b]/mtu").expect("a row");
    assert_eq!((&mtu["file"], &mtu["line"]), (&"net/if.d/b".into(), &2.into()));
}

/// A file of one value has nothing that comments beside it could be in.
#[test]
fn comments_beside_a_single_value_are_comments() {
    let desk = desk("tar");
    let mut files = files();
    for (path, text) in [
        ("net/one.yaml", "# said of it\nplain\n"),
        ("unit.xml", "<!-- said --><unit>plain</unit><!-- too -->"),
    ] {
        files.iter_mut().find(|file| file.path == path).expect("a file").bytes = text.into();
    }
    desk.write("in.tar", Archive::Tar.pack(&files).expect("packed"));
    let ran = desk.run_to(0, "survey in.tar --profiles own");
    assert!(ran.out.contains("4 comments (not settings)"), "{}", ran.out);
    let ran = desk.run_to(0, "carry in.tar --to crate@2 --profiles own -o out");
    for row in ["in.tar/net/one.yaml:2:1  net/one", "in.tar/unit.xml:1:14  unit"] {
        assert!(ran.reported.contains(row), "{row}\n{}", ran.reported);
    }
    desk.run_to(0, "redact in.tar --profiles own -o copy.tar");
}
