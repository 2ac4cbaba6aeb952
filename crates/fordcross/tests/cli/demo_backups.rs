//! The demo backups of the other lines: packed from the readable sources beside them, and described by `survey`.
//! With `FORDCROSS_BLESS` set, what is packed and what is expected is written anew.

use crate::desk::Desk;
use fordcross_core::opening::{Archive, Member, Opening, Passphrase, encrypt, open, pack_gzip};
use rstest::rstest;
use rusqlite::{Connection, MAIN_DB};
use sha2::{Digest as _, Sha256, Sha512};
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo")
}

fn blessing() -> bool {
    std::env::var_os("FORDCROSS_BLESS").is_some()
}

/// The files of a folder; a script of SQL stands for the database that it makes.
fn sources(folder: &str) -> Vec<Member> {
    let top = demo().join(folder);
    let mut folders = vec![top.clone()];
    let mut members = Vec::new();
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(&folder).expect("the sources are there").flatten() {
            let path = entry.path();
            if path.is_dir() {
                folders.push(path);
                continue;
            }
            let inside = path.strip_prefix(&top).expect("below").to_str().expect("UTF-8").to_owned();
            let bytes = fs::read(&path).expect("it can be read");
            members.push(match inside.strip_suffix(".sql") {
                Some(database) => Member { path: database.into(), bytes: database_of(&bytes) },
                None => Member { path: inside, bytes },
            });
        }
    }
    members.sort_by(|a, b| a.path.cmp(&b.path));
    members
}

fn database_of(script: &[u8]) -> Vec<u8> {
    let mut connection = Connection::open_in_memory().expect("in memory");
    connection.execute_batch(std::str::from_utf8(script).expect("UTF-8")).expect("the script runs");
    connection.serialize(MAIN_DB).expect("serialized").to_vec()
}

/// A list of hashes in the way of the POSIX world, made without the program's own code.
fn hashes(members: &[Member], name: &str) -> Member {
    let hex = |bytes: &[u8]| bytes.iter().map(|byte| format!("{byte:02x}")).collect::<String>();
    let line = |member: &Member| {
        let hash = if name.ends_with("512") {
            hex(&Sha512::digest(&member.bytes))
        } else {
            hex(&Sha256::digest(&member.bytes))
        };
        format!("{hash}  {}\n", member.path)
    };
    Member { path: name.into(), bytes: members.iter().map(line).collect::<String>().into_bytes() }
}

/// The packed demo backups: where the sources are, the list of hashes, what is done to the list, the file.
const PACKED: [(&str, &str, Trouble, &str); 6] = [
    ("quay-store/source", "packing.sha256", Trouble::None, "quay-store/store-quay.tar.gz"),
    ("sandle-store/source", "packing.sha256", Trouble::WrongHash, "sandle-store/store-sandle.tar.gz"),
    ("office-store/source", "packing.sha512", Trouble::None, "office-store/store-office.zip"),
    ("new-store/source", "packing.sha512", Trouble::None, "new-store/store-new.zip"),
    ("hall/wrackhaven-source", "packing.sha256", Trouble::None, "hall/hall-wrackhaven.zip"),
    ("hall/sandle-source", "packing.sha256", Trouble::Missing, "hall/hall-sandle.zip"),
];

#[derive(Clone, Copy, PartialEq)]
enum Trouble {
    None,
    /// The first file was changed after its hash was taken.
    WrongHash,
    /// The last file was left out.
    Missing,
}

fn packed(folder: &str, list: &str, trouble: Trouble, file: &str) -> Vec<u8> {
    let mut members = sources(folder);
    let list = hashes(&members, list);
    match trouble {
        Trouble::None => {}
        Trouble::WrongHash => members[0].bytes.extend_from_slice(b"; changed by hand\n"),
        Trouble::Missing => {
            members.retain(|member| !member.path.starts_with("images/"));
        }
    }
    members.push(list);
    if Path::new(file).extension().is_some_and(|ending| ending == "zip") {
        Archive::Zip.pack(&members).expect("in memory")
    } else {
        pack_gzip(&Archive::Tar.pack(&members).expect("in memory")).expect("in memory")
    }
}

#[test]
fn what_ships_packed_is_what_its_sources_say() {
    for (folder, list, trouble, file) in PACKED {
        let made = packed(folder, list, trouble, file);
        let path = demo().join(file);
        if blessing() {
            fs::write(&path, &made).expect("written");
        }
        let there = fs::read(&path).expect("run cargo xtask bless");
        // Another version of the compressor may pack other bytes of the same files.
        let content = |bytes: Vec<u8>| open("a", bytes, &Opening::default()).expect("it opens").text;
        assert_eq!(content(made), content(there), "{file}: run cargo xtask bless");
    }
}

const PASSPHRASE: &str = "nine landing stages";

/// The console's backup is encrypted, so that it is other bytes each time; what is in it is the same.
#[test]
fn the_console_ships_encrypted_and_in_parts() {
    let members = sources("operations/source");
    let plain = Archive::Tar.pack(&members).expect("in memory");
    let parts = |folder: &str| -> Vec<PathBuf> {
        (1..=3).map(|n| demo().join(format!("operations/{folder}/console-1.tar.age.{n:03}"))).collect()
    };
    if blessing() && !parts("five")[0].exists() {
        let sealed = encrypt(&plain, &Passphrase::new(PASSPHRASE.into())).expect("encrypted");
        let third = sealed.len().div_ceil(3);
        for (chunk, path) in sealed.chunks(third).zip(parts("five")) {
            fs::create_dir_all(path.parent().expect("a folder")).expect("made");
            fs::write(path, chunk).expect("written");
        }
        for (index, (from, to)) in parts("five").into_iter().zip(parts("five-torn")).enumerate() {
            fs::create_dir_all(to.parent().expect("a folder")).expect("made");
            if index != 1 {
                fs::copy(from, to).expect("copied");
            }
        }
    }
    let sealed: Vec<u8> =
        parts("five").iter().flat_map(|part| fs::read(part).expect("run cargo xtask bless")).collect();
    let opening = Opening { passphrase: Some(Passphrase::new(PASSPHRASE.into())), ..Opening::default() };
    let opened = open("a", sealed, &opening).expect("it opens");
    assert_eq!(opened.text, open("a", plain, &Opening::default()).expect("it opens").text);
}

/// Each demo backup, the exit status of `survey`, and where what it says is kept.
const SURVEYED: [(&str, i32, &str); 11] = [
    ("quay-store/store-quay.tar.gz", 0, "quay-store/survey.txt"),
    ("sandle-store/store-sandle.tar.gz", 1, "sandle-store/survey.txt"),
    ("office-store/store-office.zip", 0, "office-store/survey.txt"),
    ("new-store/store-new.zip", 0, "new-store/survey.txt"),
    ("wrackhaven-ramps/ramps-2.4.pipkin", 0, "wrackhaven-ramps/survey.txt"),
    ("corrie-ramps/ramps-2.1.pipkin", 0, "corrie-ramps/survey-2.1.txt"),
    ("corrie-ramps/ramps-3.0.pipkin", 0, "corrie-ramps/survey-3.0.txt"),
    ("operations/five/console-1.tar.age.001", 0, "operations/survey-five.txt"),
    ("operations/six/console.thole", 0, "operations/survey-six.txt"),
    ("hall/hall-wrackhaven.zip", 0, "hall/survey-wrackhaven.txt"),
    ("hall/hall-sandle.zip", 1, "hall/survey-sandle.txt"),
];

#[test]
fn survey_describes_each_demo_backup() {
    let desk = Desk::new();
    desk.write("passphrase.txt", format!("{PASSPHRASE}\n"));
    let mut wrong = String::new();
    for (backup, status, expected) in SURVEYED {
        let path = demo().join(backup);
        let line = format!("survey {} --today 2026-11-25 --passphrase-file passphrase.txt", path.display());
        let ran = desk.run_to(status, &line);
        let reported = ran.reported;
        let expected = demo().join(expected);
        if blessing() {
            fs::write(&expected, &reported).expect("written");
        }
        let known = fs::read_to_string(&expected).unwrap_or_default();
        if known != reported {
            let _ = writeln!(wrong, "{}:\n{reported}", expected.display());
        }
    }
    assert!(wrong.is_empty(), "look, then run cargo xtask bless:\n{wrong}");
}

#[rstest]
#[case("operations/five-torn/console-1.tar.age.001", "", 1, "the part `console-1.tar.age.002` is missing")]
#[case("operations/five/console-1.tar.age", "", 0, "Thole operations console on release 5.4")]
#[case("operations/five/console-1.tar.age.002", "--passphrase-file wrong.txt", 1, "the passphrase is wrong")]
fn parts_and_passphrases(
    #[case] backup: &str,
    #[case] options: &str,
    #[case] status: i32,
    #[case] reported: &str,
) {
    let desk = Desk::new();
    desk.write("passphrase.txt", PASSPHRASE);
    desk.write("wrong.txt", "ten landing stages");
    let options = if options.is_empty() { "--passphrase-file passphrase.txt" } else { options };
    let ran = desk.run_to(status, &format!("survey {} {options}", demo().join(backup).display()));
    let all = ran.reported;
    assert!(all.contains(reported), "{all}");
    assert!(!all.contains("landing stages"), "a passphrase is never shown");
}

/// A pipe gives a passphrase once, however many backups need it; without one a list goes on and says which it could not open.
#[rstest]
#[case("--passphrase-fd 0", 2, 0)]
#[case("", 0, 2)]
fn a_list_of_encrypted_backups(#[case] options: &str, #[case] opened: usize, #[case] locked: usize) {
    let desk = Desk::new();
    let folder = demo().join("operations/five");
    for backup in ["monday", "tuesday"] {
        fs::create_dir(desk.path(backup)).expect("a folder");
        for part in fs::read_dir(&folder).expect("it ships").flatten() {
            fs::copy(part.path(), desk.path(backup).join(part.file_name())).expect("copied");
        }
    }
    desk.write("passphrase.txt", PASSPHRASE);
    let passphrase = fs::File::open(desk.path("passphrase.txt")).expect("it is there");
    let mut cat = std::process::Command::new("cat");
    let mut cat = cat.stdin(passphrase).stdout(std::process::Stdio::piped()).spawn().expect("cat runs");
    let mut command = desk.command(&format!("survey monday tuesday --today 2026-11-25 {options}"));
    let ran = command.stdin(cat.stdout.take().expect("a pipe")).output().expect("it runs");
    cat.wait().expect("it ends");
    let reported = String::from_utf8_lossy(&ran.stdout);
    assert_eq!(reported.matches("Thole operations console").count(), opened, "{reported}");
    assert_eq!(reported.matches("no passphrase was given").count(), locked, "{reported}");
}
