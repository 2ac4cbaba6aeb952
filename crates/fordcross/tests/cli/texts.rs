//! In which character set a result is written, and with which line ends. The line is invented.

use crate::desk::Desk;
use rstest::rstest;

const PROFILE: &str = r#"
language = 2
[profile]
platform = "cobnut"
title    = "Cobnut file store"
format   = "ini"
releases = ["1", "2"]
[detect]
contains = "cobnut"
release  = "cobnut/release"

[object]
"cobnut" = {}
[setting]
"cobnut/release|note|more" = "text"
"#;
/// Another line, which wants something else.
const OTHER: &str = "language = 2\n[profile]\nplatform = \"hazel\"\ntitle = \"Hazel\"\nformat = \"FORM\"\nreleases = [\"1\"]\nWISHES\n\
    [detect]\ncontains = \"hazel\"\n[object]\n\"box\" = {}\n[setting]\n\"box/note|more\" = \"text\"\n";
const WITHIN: &str = r#"
language = 2
[crossing]
from = "cobnut@1"
to   = "cobnut@2"
"#;
const OVER: &str = r#"
language = 2
[crossing]
from = "cobnut@1"
to   = "hazel@1"
[[place]]
move = [
["cobnut/note", "box/note"],
["cobnut/more", "box/more"],
]
moot = [["cobnut/**", "there is none"]]
"#;

fn latin(text: &str) -> Vec<u8> {
    text.chars().map(|c| u8::try_from(u32::from(c)).expect("a character of Latin-1")).collect()
}

fn wide(text: &str) -> Vec<u8> {
    format!("\u{FEFF}{text}").encode_utf16().flat_map(u16::to_le_bytes).collect()
}

fn plain(text: &str) -> Vec<u8> {
    text.as_bytes().to_vec()
}

fn marked(text: &str) -> Vec<u8> {
    format!("\u{FEFF}{text}").into_bytes()
}

fn desk(other: &str) -> Desk {
    let desk = Desk::new();
    desk.write("own/cobnut.profile.toml", PROFILE);
    desk.write("own/hazel.profile.toml", other);
    desk.write("own/within.crossing.toml", WITHIN);
    desk.write("own/over.crossing.toml", OVER);
    desk
}

fn hazel(form: &str, wishes: &str) -> String {
    OTHER.replace("FORM", form).replace("WISHES", wishes)
}

/// Within a line a text stays in what it was in.
#[rstest]
#[case(latin, "--charset latin1", "\r\n")]
#[case(latin, "--charset latin1", "\n")]
#[case(marked, "", "\r\n")]
#[case(wide, "", "\r\n")]
#[case(plain, "", "\r\n")]
fn a_text_stays_in_what_it_was_in(#[case] bytes: fn(&str) -> Vec<u8>, #[case] said: &str, #[case] end: &str) {
    let desk = desk(&hazel("ini", ""));
    let text = |release: u8| {
        format!("[cobnut]\nrelease = {release}\n# \u{e0} la carte\nnote = caf\u{e9}\nmore = \u{fc}\n")
            .replace('\n', end)
    };
    desk.write("store.ini", bytes(&text(1)));
    desk.run_to(0, &format!("carry store.ini --to cobnut@2 --profiles own -o out {said}"));
    assert_eq!(result(&desk, "out/store.cobnut.ini"), bytes(&text(2)));
}

fn result(desk: &Desk, file: &str) -> Vec<u8> {
    std::fs::read(desk.path(file)).expect("a result")
}

/// Another line says what it wants; what that lacks is left to a person, and `?` in a comment.
#[rstest]
#[case(
    "ini",
    "charset = \"latin1\"\nline-ends = \"crlf\"",
    latin("[box]\r\n# ? \u{e0}\r\nnote = caf\u{e9}\r\n")
)]
#[case(
    "ini",
    "charset = \"as-read\"\nline-ends = \"as-read\"",
    marked("[box]\r\n# \u{448} \u{e0}\r\nnote = caf\u{e9}\r\nmore = \u{448}\r\n")
)]
#[case(
    "ini",
    "charset = \"utf-16le\"\nbyte-order-mark = true",
    wide("[box]\n# \u{448} \u{e0}\nnote = caf\u{e9}\nmore = \u{448}\n")
)]
#[case(
    "ini",
    "byte-order-mark = true",
    marked("[box]\n# \u{448} \u{e0}\nnote = caf\u{e9}\nmore = \u{448}\n")
)]
#[case(
    "xml",
    "charset = \"utf-16le\"\nbyte-order-mark = true",
    wide(
        "<?xml version=\"1.0\" encoding=\"UTF-16\"?>\n<hazel>\n  <box>\n    <note>caf\u{e9}</note>\n    <more>\u{448}</more>\n  </box>\n</hazel>\n"
    )
)]
#[case("ini", "", plain("[box]\n# \u{448} \u{e0}\nnote = caf\u{e9}\nmore = \u{448}\n"))]
#[case(
    "xml",
    "charset = \"windows-1252\"",
    latin(
        "<?xml version=\"1.0\" encoding=\"windows-1252\"?>\n<hazel>\n  <box>\n    <note>caf\u{e9}</note>\n  </box>\n</hazel>\n"
    )
)]
fn another_line_says_what_it_wants(#[case] form: &str, #[case] wishes: &str, #[case] expected: Vec<u8>) {
    let desk = desk(&hazel(form, wishes));
    let text = "[cobnut]\r\nrelease = 1\r\n# \u{448} \u{e0}\r\nnote = caf\u{e9}\r\nmore = \u{448}\r\n";
    desk.write("store.ini", marked(text));
    desk.run_to(0, "carry store.ini --to hazel@1 --profiles own -o out");
    let made = result(&desk, &format!("out/store.hazel.{form}"));
    assert!(made == expected, "{}", String::from_utf8_lossy(&made));
    let rows = desk.ledger("out");
    let more = rows.iter().find(|row| row["locator"] == "cobnut/more").expect("a row");
    let holds = !wishes.contains("latin1") && !wishes.contains("1252");
    assert_eq!(more["fate"], if holds { "carried" } else { "by-hand" });
}

#[rstest]
#[case("charset = \"latin-9000\"\nline-ends = \"cr\"", &["there is no character set named `latin-9000`", "toml:7:11", "toml:8:13"])]
#[case("charset = \"latin1\"\nbyte-order-mark = true", &["texts in `latin1` cannot have a byte order mark", "toml:7:11"])]
fn a_wish_that_cannot_be_met_is_reported(#[case] wishes: &str, #[case] reported: &[&str]) {
    let desk = desk(&hazel("ini", wishes));
    let ran = desk.run_to(3, "profile check own");
    assert!(reported.iter().all(|reported| ran.reported.contains(reported)), "{}", ran.reported);
}
