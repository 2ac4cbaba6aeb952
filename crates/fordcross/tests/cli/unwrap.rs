//! Backups that are packed or in another character set become what the plain one becomes.

use crate::desk::{Desk, WRACKHAVEN};
use rstest::rstest;
use serde_json::Value;
use std::io::Write as _;

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packed.write_all(bytes).expect("in memory");
    packed.finish().expect("in memory")
}

fn utf16(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

/// The demo backup with a letter outside ASCII, one byte a character.
fn latin(declared: &str) -> Vec<u8> {
    let text = WRACKHAVEN.replace("UTF-8", declared).replace("ticket hall", "tick\u{e9}t hall");
    text.chars().map(|c| u8::try_from(u32::from(c)).expect("Latin-1")).collect()
}

#[rstest]
#[case("gw.xml.gz", gzip(WRACKHAVEN.as_bytes()), "", "gzip in ")]
#[case("gw.xml", utf16(WRACKHAVEN), "", "text in UTF-16LE")]
#[case("gw.xml", [b"\xEF\xBB\xBF", WRACKHAVEN.as_bytes()].concat(), "", "read under")]
#[case("gw.xml", latin("windows-1252"), "", "text in windows-1252")]
#[case("gw.xml", latin("UTF-8"), "--charset latin1", "text in windows-1252")]
#[case("gw.xml.gz", gzip(&utf16(WRACKHAVEN)), "", "unpacked; text in UTF-16LE")]
fn it_becomes_what_the_plain_one_becomes(
    #[case] name: &str,
    #[case] bytes: Vec<u8>,
    #[case] option: &str,
    #[case] reported: &str,
) {
    let desk = Desk::new();
    desk.run_to(0, "carry gw.xml --to osier/8@2.1 -o plain");
    desk.write(name, &bytes);
    let ran = desk.run_to(0, &format!("survey {name} {option}"));
    assert!(ran.out.contains(reported), "{}", ran.out);
    desk.run_to(0, &format!("carry {name} --to osier/8@2.1 -o out {option}"));
    let plain = |text: String| text.replace('\u{e9}', "e");
    for file in ["gw.osier.json", "ledger.jsonl"] {
        assert_eq!(plain(desk.read(&format!("out/{file}"))), desk.read(&format!("plain/{file}")), "{file}");
    }
    let receipt: Value = serde_json::from_str(&desk.read("out/receipt.json")).expect("JSON");
    let input = &receipt["inputs"][0];
    assert_eq!((&input["file"], &input["bytes"]), (&name.into(), &bytes.len().into()), "as it was read");
}

#[rstest]
#[case(latin("UTF-8"), "gw.xml:30:17", "not text in UTF-8: found the byte `E9`")]
#[case(b"PK\x03\x04\xFF".to_vec(), "gw.xml:1:1", "the zip archive is cut off or damaged")]
#[case(gzip(WRACKHAVEN.as_bytes())[..900].to_vec(), "gw.xml:1:1", "the gzip data is cut off")]
#[case(gzip(&vec![b' '; 40 << 20]), "gw.xml:1:1", "more than 200 times its size")]
fn what_is_no_text_is_refused(#[case] bytes: Vec<u8>, #[case] place: &str, #[case] reported: &str) {
    let desk = Desk::new();
    desk.write("gw.xml", bytes);
    let ran = desk.run_to(1, "carry gw.xml --to osier/8@2.1 -o out");
    assert!(ran.reported.contains(place) && ran.reported.contains(reported), "{}", ran.reported);
    assert_eq!(desk.names(), ["gw.xml"], "nothing is written");
}

#[test]
fn how_much_is_unpacked_can_be_set() {
    let desk = Desk::new();
    desk.write("gw.xml.gz", gzip(WRACKHAVEN.as_bytes()));
    let ran = desk.run_to(1, "survey gw.xml.gz --max-unpacked 1000");
    assert!(ran.reported.contains("unpacks to more than 1000 bytes"), "{}", ran.reported);
}
