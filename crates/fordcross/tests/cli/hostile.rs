//! Hostile files: each gets one clear message and an exit status, nothing is written, nothing hangs.

use crate::desk::Desk;
use fordcross_core::library::{Library, ProfileFile};
use fordcross_core::opening::{Archive, Member, Opening, open, open_folder, pack_gzip};
use fordcross_core::platform::read;
use fordcross_core::source::Source;
use rstest::rstest;
use std::path::Path;

/// A member of a tar archive, made by hand: the crate would not write such names.
fn entry(name: &str, kind: u8, size_said: usize, bytes: &[u8]) -> Vec<u8> {
    let mut header = [0_u8; 512];
    header[..name.len()].copy_from_slice(name.as_bytes());
    header[100..108].copy_from_slice(b"0000644\0");
    header[124..136].copy_from_slice(format!("{size_said:011o}\0").as_bytes());
    header[156] = kind;
    if kind == b'1' || kind == b'2' {
        header[157..168].copy_from_slice(b"/etc/passwd");
    }
    header[257..265].copy_from_slice(b"ustar\x0000");
    header[148..156].fill(b' ');
    let sum: u32 = header.iter().map(|byte| u32::from(*byte)).sum();
    header[148..156].copy_from_slice(format!("{sum:06o}\0 ").as_bytes());
    let mut all = header.to_vec();
    all.extend_from_slice(bytes);
    all.resize(all.len().next_multiple_of(512), 0);
    all
}

fn tar(entries: &[Vec<u8>]) -> Vec<u8> {
    [entries.concat(), vec![0; 1024]].concat()
}

fn file(name: &str) -> Vec<u8> {
    entry(name, b'0', 1, b"x")
}

fn zip(names: &[&str]) -> Vec<u8> {
    let members: Vec<Member> =
        names.iter().map(|name| Member { path: (*name).into(), bytes: b"some bytes".to_vec() }).collect();
    Archive::Zip.pack(&members).expect("in memory")
}

/// Every `old` in the bytes, or only the first, becomes `new` of the same length.
fn replaced(bytes: &[u8], old: &[u8], new: &[u8], times: usize) -> Vec<u8> {
    assert_eq!(old.len(), new.len());
    let mut bytes = bytes.to_vec();
    let mut left = times;
    for at in 0..=bytes.len() - old.len() {
        if left > 0 && &bytes[at..at + old.len()] == old {
            bytes[at..at + new.len()].copy_from_slice(new);
            left -= 1;
        }
    }
    assert_eq!(left, 0, "it is there so often");
    bytes
}

/// The archive with a comment behind its end.
fn with_comment(mut bytes: Vec<u8>, comment: &[u8]) -> Vec<u8> {
    let at = bytes.len() - 2;
    bytes[at..].copy_from_slice(&u16::try_from(comment.len()).expect("short").to_le_bytes());
    bytes.extend_from_slice(comment);
    bytes
}

/// The archive with an end of 64 bits that counts no members, and one that refers to that.
fn counting_none(bytes: &[u8]) -> Vec<u8> {
    let at = bytes.len() - 22;
    let (head, end) = bytes.split_at(at);
    let directory = u64::from(u32::from_le_bytes(end[16..20].try_into().expect("four bytes")));
    let mut made = head.to_vec();
    let begin = made.len() as u64;
    made.extend_from_slice(b"PK\x06\x06");
    made.extend_from_slice(&44_u64.to_le_bytes());
    made.extend_from_slice(&[45, 0, 45, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
    for number in [0, 0, 0, directory] {
        made.extend_from_slice(&u64::to_le_bytes(number));
    }
    made.extend_from_slice(b"PK\x06\x07\0\0\0\0");
    made.extend_from_slice(&begin.to_le_bytes());
    made.extend_from_slice(&1_u32.to_le_bytes());
    made.extend_from_slice(b"PK\x05\x06\0\0\0\0\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFF\xFF\0\0");
    made
}

/// A zip archive whose only member says that it is encrypted.
fn locked_zip() -> Vec<u8> {
    let mut bytes = zip(&["a.xml"]);
    for (signature, flags) in [(b"PK\x03\x04", 6), (b"PK\x01\x02", 8)] {
        let at = bytes.windows(4).position(|window| window == signature).expect("a header");
        bytes[at + flags] |= 1;
    }
    bytes
}

/// A file of age that is for very many.
fn long_header() -> Vec<u8> {
    let stanzas = "-> X25519 AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA\nAAAA\n".repeat(20_000);
    format!("age-encryption.org/v1\n{stanzas}--- AAAA\n").into_bytes()
}

fn big(path: &str) -> Member {
    Member { path: path.into(), bytes: vec![b' '; 40 << 20] }
}

#[rstest]
#[case(tar(&[file("../out")]), "a path that leaves its folder: `../out`")]
#[case(tar(&[file("a/../../out")]), "a member has a path that leaves its folder: `")]
#[case(tar(&[file("/etc/out")]), "an absolute path: `/etc/out`")]
#[case(tar(&[file("C:out")]), "an absolute path")]
#[case(tar(&[file("a\\..\\b")]), "an absolute path")]
#[case(tar(&[entry("a", b'2', 0, b"")]), "`a` is a link to `/etc/passwd`, which is not in the archive")]
#[case(tar(&[entry("a", b'1', 0, b"")]), "which is not in the archive")]
#[case(tar(&[entry("a", b'3', 0, b"")]), "`a` is not a file but a pipe, a socket or a device")]
#[case(tar(&[entry("a/", b'5', 0, b"")]), "the archive `gw.xml` has no files")]
#[case(tar(&[file("Unit.xml"), file("unit.XML")]), "`Unit.xml` and `unit.XML` differ only in case or spelling")]
#[case(tar(&[file("a"), file("a")]), "`a` exists twice")]
#[case(tar(&[file("a\u{1b}[31m")]), "control characters in its name")]
#[case(tar(&[entry("a", b'0', 9_000, b"x")]), "cut off")]
#[case([tar(&[file("a")]), tar(&[file("b")])].concat(), "data after the end of the tar archive")]
#[case(tar(&[entry("a", b'0', 0o7_777_777_777, b"x")]), "cut off")]
#[case(tar(&(0..10_001).map(|n| entry(&n.to_string(), b'0', 0, b"")).collect::<Vec<_>>()), "more than 10000 members")]
#[case(pack_gzip(&tar(&[file("../out")])).expect("packed"), "a member has a path that leaves its folder: `")]
#[case(replaced(&zip(&["aa/b"]), b"aa/b", b"../b", 2), "a member has a path that leaves its folder: `")]
#[case(replaced(&zip(&["aa/b"]), b"aa/b", b"ab/b", 1), "the directory of the zip archive and the header of a member differ")]
#[case(replaced(&zip(&["aa", "bb"]), b"bb", b"aa", 2), "a member twice")]
#[case(zip(&["A", "a"]), "`A` and `a` differ only in case or spelling")]
#[case(zip(&["caf\u{e9}", "cafe\u{301}"]), "` differ only in case or spelling")]
#[case(with_comment(zip(&["aa"]), &zip(&["bb"])), "the zip archive lists a member twice, or its directory has a wrong count")]
#[case(counting_none(&zip(&["aa", "bb"])), "the zip archive lists a member twice, or its directory has a wrong count")]
#[case(replaced(&zip(&["ab"]), b"ab", b"a\x07", 2), "control characters in its name")]
#[case(Archive::Zip.pack(&[big("a")]).expect("packed"), "unpacks to more than 200 times its size")]
#[case(locked_zip(), "encrypted with a password")]
#[case(long_header(), "the header of the encrypted data is longer than 16 KiB")]
#[case(b"<a>\0</a>".to_vec(), "NUL")]
#[case([b"<teasel-backup ".as_slice(), b"<!ENTITY".as_slice()].concat(), "expected an attribute, `>` or `/>`")]
#[case(b"<!DOCTYPE a [<!ENTITY b SYSTEM \"file:///etc/passwd\">]><a>&b;</a>".to_vec(), "document type declaration")]
#[case(b"SQLite format 3\0 and nothing behind it".to_vec(), "the database is damaged")]
#[case(b"age-encryption.org/v1\n-> scrypt aaaa 40\n".to_vec(), "damaged or cut off")]
#[case("<a>".repeat(100_000).into_bytes(), "elements are nested more than 512 levels deep")]
#[case("[".repeat(100_000).into_bytes(), "objects and arrays are nested more than 512 levels deep")]
#[case(format!("unit {}", "a ".repeat(300_000)).into_bytes(), "more than 262144 words")]
#[case(vec![], "empty")]
fn a_hostile_file_is_refused(#[case] bytes: Vec<u8>, #[case] reported: &str) {
    let desk = Desk::new();
    desk.write("gw.xml", bytes);
    for command in ["survey gw.xml", "carry gw.xml --to osier/8@2.1 -o out", "redact gw.xml -o copy"] {
        let ran = desk.run_to(1, command);
        assert!(ran.reported.contains(reported) && ran.out.is_empty(), "{command}\n{}", ran.reported);
        assert!(
            !ran.reported.contains(['\u{1b}', '\0', '\u{7}']),
            "nothing steers the terminal: {:?}",
            ran.reported
        );
        assert!(ran.err.lines().count() < 12, "one message: {}", ran.reported);
        assert_eq!(desk.names(), ["gw.xml"], "nothing is written");
    }
}

/// Cut off at every byte, a backup is refused or read, never more; half an archive is none.
#[rstest]
#[case("new-store/store-new.zip", true)]
#[case("sandle-store/store-sandle.tar.gz", true)]
#[case("hall/hall-wrackhaven.zip", true)]
#[case("operations/five/console-1.tar.age.001", true)]
#[case("wrackhaven-ramps/ramps-2.4.pipkin", false)]
#[case("operations/six/console.thole", false)]
#[case("quay-store/source/bundle.ini", false)]
#[case("quay-store/source/tables/accounts.csv", false)]
#[case("office-store/source/system.yaml", false)]
#[case("hall/wrackhaven-source/display.json", false)]
#[case("hall/wrackhaven-source/faces/board.xml", false)]
fn what_is_cut_off_anywhere_is_refused_or_read(#[case] backup: &str, #[case] is_archive: bool) {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let whole = std::fs::read(demo.join(backup)).expect("it ships");
    let mut library = Library::default();
    for shipped in fordcross_profiles::PROFILES {
        library
            .add_profile(ProfileFile::read(shipped.file.into(), shipped.text.into()).expect("it is checked"));
    }
    // Under its own path, as one of several, each is read in its form.
    let path = backup.split_once("source/").map_or("", |(_, path)| path);
    for end in 0..whole.len() {
        let bytes = whole[..end].to_vec();
        let opened = if path.is_empty() {
            open("a", bytes, &Opening::default())
        } else {
            open_folder("a", vec![Member { path: path.into(), bytes }], &Opening::default())
        };
        // The first bytes alone tell nothing of an archive.
        assert!(!is_archive || end < 22 || opened.is_err(), "{end}");
        if let Ok(opened) = opened {
            let source = Source {
                name: "a",
                text: &opened.text,
                pieces: &opened.pieces,
                folders: &opened.folders,
                ..Source::new("", "")
            };
            let _ = read(source, &library, None);
        }
    }
}

/// Small files that once took the square of their size: here they would take minutes.
#[rstest]
#[case::a_map_of_junk("gw.map.toml", "a {\n".repeat(20_000), "carry gw.xml --to osier/8@2.1 --map gw.map.toml -o out", 1)]
#[case::a_map_of_unknown_ports(
    "gw.map.toml",
    "[ports]\n".to_owned() + &(0..20_000).map(|port| format!("x{port} = \"cu1\"\n")).collect::<String>(),
    "carry gw.xml --to osier/8@2.1 --map gw.map.toml -o out",
    1
)]
#[case::one_statement_of_many_lines(
    "net/interfaces",
    "auto".to_owned() + &(0..40_000).map(|port| format!(" \\\n eth{port}")).collect::<String>() + "\n",
    "survey net",
    0
)]
#[case::a_value_of_like_characters(
    "gw.xml",
    crate::desk::WRACKHAVEN.replace("</teasel-backup>", &format!("<odd>{}</odd></teasel-backup>", "a".repeat(200_000))),
    "redact gw.xml -o copy.xml",
    0
)]
#[case::a_value_of_many_pieces(
    "gw.xml",
    crate::desk::WRACKHAVEN
        .replace("</teasel-backup>", &format!("<odd>{}</odd></teasel-backup>", "<![CDATA[x]]>".repeat(50_000))),
    "redact gw.xml -o copy.xml",
    0
)]
fn nothing_takes_the_square_of_its_size(
    #[case] name: &str,
    #[case] text: String,
    #[case] line: &str,
    #[case] status: i32,
) {
    let desk = Desk::new();
    desk.write(name, text);
    let ran = desk.run_to(status, line);
    assert!(!ran.reported.contains("panicked"), "{}", ran.reported);
}

/// While it reads what a stranger wrote, it could write nowhere, and leaves no dump of memory.
#[cfg(target_os = "linux")]
#[test]
fn strangers_files_are_read_behind_a_wall() {
    let desk = Desk::new();
    let mut child = desk
        .command("survey -")
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::null())
        .spawn()
        .expect("it runs");
    let of_process =
        |file: &str| std::fs::read_to_string(format!("/proc/{}/{file}", child.id())).unwrap_or_default();
    let is_behind = || of_process("status").contains("NoNewPrivs:\t1");
    let has_landlock =
        std::fs::read_to_string("/sys/kernel/security/lsm").map_or(true, |all| all.contains("landlock"));
    for _ in 0..500 {
        if is_behind() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(10));
    }
    let limits = of_process("limits");
    let core = limits.lines().find(|line| line.starts_with("Max core file size")).map(str::to_owned);
    let (behind, memory) = (
        is_behind(),
        limits.lines().any(|line| {
            let soft = line.strip_prefix("Max data size").and_then(|line| line.split_whitespace().next());
            soft.is_some_and(|soft| soft.bytes().all(|byte| byte.is_ascii_digit()))
        }),
    );
    child.kill().expect("it waits");
    child.wait().expect("it ended");
    assert!(behind || !has_landlock, "no wall");
    assert!(core.as_deref().is_some_and(|line| line.contains(" 0 ")), "{limits}");
    assert!(memory, "{limits}");
}
