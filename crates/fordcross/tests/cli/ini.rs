//! A line that writes INI: to it, from it, within it, and into a base of it. It is invented.

use crate::desk::Desk;
use rstest::rstest;

const PROFILE: &str = r#"
language = 2

[profile]
platform = "cobnut"
title    = "Cobnut file store"
format   = "ini"
releases = ["4.0", "4.1"]
[ini]
heading = "{section} {name}"
quotes = true
[detect]
contains = "cobnut"
release  = "cobnut/release"
[section]
shares = "share"

[object]
"cobnut"        = {}
"share[{name}]" = {}
[setting]
"cobnut/release" = "text"
"cobnut/host" = "host-name"
"cobnut/idle" = { type = "duration", unit = "s" }
"share/name" = "name"
"share/path" = "path"
"share/note" = "text"
"share/hidden" = { type = "boolean", on = "yes", off = "no" }
"share/key" = "secret"
"#;

const CROSSING: &str = r#"
language = 2

[crossing]
from = "cobnut@4.0"
to   = "cobnut@4.1"
"#;

const BACKUP: &str = "# The store of Sandle Point.\n[cobnut]\nrelease = 4.0\nhost = store\n; in seconds\nidle=600\n\n\
    # for the crew\n[share \"crew photos\"]\npath = /srv/photos\nnote = \"  a \\\"b\\\"\"\n\n[share logs]\nhidden = no\nkey = twelve letters\nodd = 1\n";

fn desk() -> Desk {
    let desk = Desk::new();
    desk.write("own/cobnut.profile.toml", PROFILE);
    desk.write("own/cobnut-4.0-to-4.1.crossing.toml", CROSSING);
    desk.write("store.ini", BACKUP);
    desk
}

const CARRY: &str = "carry store.ini --to cobnut@4.1 --profiles own -o out";

#[test]
fn ini_becomes_ini_with_its_comments() {
    let desk = desk();
    let ran = desk.run_to(0, CARRY);
    assert!(ran.out.contains("3 comments copied."), "{}", ran.out);
    assert_eq!(
        desk.read("out/store.cobnut.ini"),
        "# The store of Sandle Point.\n[cobnut]\nrelease = 4.1\nhost = store\n; in seconds\nidle = 600\n\n\
         # for the crew\n[share crew photos]\npath = /srv/photos\nnote = \"  a \\\"b\\\"\"\n\n[share logs]\nhidden = no\nkey = twelve letters\n"
    );
    let rows = desk.ledger("out");
    let row = |locator: &str| rows.iter().find(|row| row["locator"] == locator).expect("a row");
    assert_eq!(row("share[logs]/odd")["fate"], "unmatched");
    assert_eq!(
        (&row("share[logs]/hidden")["line"], &row("share[logs]/hidden")["column"]),
        (&14.into(), &1.into())
    );
    assert!(!desk.read("out/ledger.jsonl").contains("twelve letters"));
}

/// What the backup does not set stays byte for byte.
#[test]
fn ini_goes_into_a_base() {
    let desk = desk();
    desk.write(
        "base.ini",
        "[cobnut]\nrelease = 4.1\n  host=new-store   \n\n; kept as it is\n[share logs]\npath   =  /old\nnote = stays\n[share spare]\npath = /spare",
    );
    desk.run_to(0, &format!("{CARRY} --base base.ini"));
    assert_eq!(
        desk.read("out/store.cobnut.ini"),
        "[cobnut]\nrelease = 4.1\n  host=store   \nidle = 600\n\n; kept as it is\n[share logs]\npath   =  /old\nnote = stays\nhidden = no\n\
         key = twelve letters\n[share spare]\npath = /spare\n\n[share crew photos]\npath = /srv/photos\nnote = \"  a \\\"b\\\"\"\n"
    );
}

#[rstest]
#[case("[share logs]", "[share logs", "ini-malformed", "store.ini:13:1")]
#[case("odd = 1", "odd", "ini-malformed", "store.ini:16:1")]
#[case("[cobnut]", "[hazel]", "unrecognised", "INI with the section or key `cobnut` (cobnut)")]
fn a_bad_file_is_refused(#[case] find: &str, #[case] put: &str, #[case] code: &str, #[case] reported: &str) {
    let desk = desk();
    desk.write("store.ini", BACKUP.replacen(find, put, 1));
    let ran = desk.run_to(1, CARRY);
    assert!(ran.reported.contains(code) && ran.reported.contains(reported), "{}", ran.reported);
    assert!(!ran.reported.contains("twelve"), "{}", ran.reported);
}

#[rstest]
#[case("\"share/path\"", "\"share/path/deep\"", "INI has no place for `share/path/deep`")]
#[case("quotes = true", "separator = \"ab\"", "expected one character")]
#[case("{section} {name}", "{name}", "expected the parts of a heading")]
#[case("format   = \"ini\"", "format   = \"json\"", "and this is `json`")]
#[case("[profile]\n", "csv = 3\n[profile]\n", "expected a table, found an integer")]
#[case("[profile]\n", "block = [3]\n[profile]\n", "expected a table, found an integer")]
#[case(
    "[profile]\n",
    "[block.top]\nstatements = []\n[profile]\n",
    "files of the format `statements`, and this is `ini`"
)]
fn a_bad_profile_is_refused(#[case] find: &str, #[case] put: &str, #[case] reported: &str) {
    let desk = desk();
    desk.write("own/cobnut.profile.toml", PROFILE.replacen(find, put, 1));
    let ran = desk.run_to(3, "profile check own");
    assert!(ran.reported.contains(reported), "{}", ran.reported);
}

/// A value of several lines has no place where there are no quotes, and is left to a person.
#[test]
fn what_the_form_cannot_hold_is_left_to_a_person() {
    let desk = desk();
    desk.write("own/cobnut.profile.toml", PROFILE.replace("quotes = true\n", ""));
    let teasel = r#"
language = 2
[crossing]
from = "teasel@4.6"
to   = "cobnut@4.1"
[[place]]
move = [["unit/greeting", "share[]/note"]]
"#;
    desk.write("own/over.crossing.toml", teasel);
    desk.write(
        "gw.xml",
        crate::desk::WRACKHAVEN.replace("Marrowby Ferries. Only", "Marrowby Ferries.\nOnly"),
    );
    desk.run_to(3, "carry gw.xml --to cobnut@4.1 --profiles own -o over");
    let rows = desk.ledger("over");
    let row = rows.iter().find(|row| row["locator"] == "unit/greeting").expect("a row");
    assert_eq!(row["fate"], "by-hand");
}

const TO_XML: &str = r#"
language = 2
[profile]
platform         = "hazel"
title            = "Hazel"
format           = "xml"
accepts-comments = true
releases         = ["1"]
[detect]
contains = "hazel"
release  = "release"

[xml]
attributes = ["release", "share/name"]

[object]
"share[{name}]" = {}
[setting]
"release" = "text"
"host" = "host-name"
"share/name" = "name"
"share/path" = "path"
"#;

const OVER: &str = r#"
language = 2
[crossing]
from = "cobnut@4.1"
to   = "hazel@1"
[[place]]
move = [["cobnut/host", "host"]]
[[place]]
from = "share"
to = "share[]"
move = [["name", "name"], ["path", "path"]]
"#;

/// From a form to another one comments come along where the new profile asks for it, and back.
#[rstest]
#[case("# a -- b", "<!-- a - - b -->", "# a - - b")]
#[case("# a\u{1} ---", "<!-- a  - - - -->", "# a  - - -")]
#[case(";; two\n; lines", "<!-- two -->\n  <!-- lines -->", "# two\n# lines")]
fn comments_go_from_form_to_form(#[case] comment: &str, #[case] in_xml: &str, #[case] back: &str) {
    let desk = desk();
    desk.write("own/hazel.profile.toml", TO_XML);
    desk.write("own/over.crossing.toml", OVER);
    desk.write(
        "own/back.crossing.toml",
        OVER.replace("cobnut@4.1\"\nto   = \"hazel@1", "hazel@1\"\nto   = \"cobnut@4.1")
            .replace("[\"cobnut/host\", \"host\"]", "[\"host\", \"cobnut/host\"]"),
    );
    desk.write(
        "own/cobnut.profile.toml",
        PROFILE.replace("format   = \"ini\"", "format   = \"ini\"\naccepts-comments = true"),
    );
    desk.write(
        "store.ini",
        format!("[cobnut]\nrelease = 4.1\nhost = store\n\n{comment}\n[share logs]\npath = /srv\n"),
    );
    desk.run_to(0, "carry store.ini --to hazel@1 --profiles own -o xml");
    let xml = desk.read("xml/store.hazel.xml");
    assert!(xml.contains(&format!("  {in_xml}\n  <share name=\"logs\">")), "{xml}");
    desk.run_to(0, "carry xml/store.hazel.xml --to cobnut@4.1 --profiles own -o back");
    let ini = desk.read("back/store.hazel.cobnut.ini");
    assert!(ini.contains(&format!("\n\n{back}\n[share logs]\npath = /srv\n")), "{ini}");
}

/// What XML cannot hold is left to a person, in a value as in one of several parts.
#[test]
fn a_control_character_has_no_place_in_xml() {
    let desk = desk();
    desk.write("own/hazel.profile.toml", TO_XML);
    desk.write("own/over.crossing.toml", OVER);
    desk.write("store.ini", "[cobnut]\nrelease = 4.1\n[share logs]\npath = /srv/\u{1}\n");
    desk.run_to(0, "carry store.ini --to hazel@1 --profiles own -o xml");
    let row = desk.ledger("xml").into_iter().find(|row| row["locator"] == "share[logs]/path").expect("a row");
    assert_eq!(row["fate"], "by-hand");
}
