//! What the fuzz targets share: bytes go all the way that a backup goes, those of shipped lines over their crossings, too.

use fordcross_core::backup::Backup;
use fordcross_core::carry::{CarryInput, Scan, Threads, carry, mapping_leg};
use fordcross_core::course::Leg;
use fordcross_core::crossing::Side;
use fordcross_core::finding::Code;
use fordcross_core::library::{Checking, CrossingFile, Library, ProfileFile};
use fordcross_core::mapping::{Grounds, MapFile, MapSides, MapUse, Mapping, parse_map, used_ports};
use fordcross_core::opening::{Limits, Opened, Opening, open};
use fordcross_core::platform::{ReadAs, read};
use fordcross_core::profile::{Format, Profile};
use fordcross_core::redact::{Key, Redaction, redact};
use fordcross_core::source::Source;
use fordcross_core::survey::survey;
use fordcross_core::tree::Tree;
use std::cell::RefCell;
use std::collections::HashMap;
use std::sync::OnceLock;

const HEAD: &str = "[detect]\ncontains = 'a'\nrelease = 'release'\n[object]\n'a[{k}]' = {}\n\
    [setting]\n'release' = 'text'\n'a/k' = 'name'\n'a/secret' = 'secret'\n'a/b' = { type = 'integer', default = '1' }\n";

fn library_of(formats: &[(&str, &str)]) -> Library {
    let mut library = Library::default();
    for (index, (format, more)) in formats.iter().enumerate() {
        let format = if format.is_empty() { String::new() } else { format!("format = '{format}'\n") };
        let text = format!(
            "language = 2\n[profile]\nplatform = 'l{index}'\ntitle = 'L'\nreleases = ['1']\n{format}{more}\n{HEAD}"
        );
        let file = format!("l{index}.profile.toml");
        library.add_profile(ProfileFile::read(file, text).unwrap_or_else(|findings| panic!("{findings:?}")));
    }
    library
}

/// Profiles of one format, with all manners that it can have.
pub fn library(format: &str) -> &'static Library {
    static LIBRARY: OnceLock<Library> = OnceLock::new();
    let statements = |grammar: &str, delimiters: &str, unknown: &str| {
        format!(
            "[grammar]\n{grammar}\n[block.top]\nunknown = '{unknown}'\nstatements = [['a {{k}} (x {{b}})? {{c...}}', 'a', 'a'], \
             ['body', 'body', 'body'], ['set {{p}} {{key}} {{value}}', '{{p}}/{{key}}'], \
             ['r {{t}} {{d+,}} ({{o.key}} = {{o.value}})+?', 'r'], ['{{key}} = {{value...}}', '{{key}}']]\n\
             [block.a]\ndelimiters = {delimiters}\nstatements = [['{{key}} = {{value...}}', '{{key}}']]\n\
             [block.body]\ndelimiters = ['<<E', 'E']\nholds = 'text'\n"
        )
    };
    LIBRARY.get_or_init(|| match format {
        "statements" => {
            let all = [
                ("end = ';'\nquotes = ['\"']\nescape = 'backslash'\npunctuation = ['=']\ncomments = ['#', ['/*', '*/']]", "['{', '};']", "keep"),
                ("continuation = '\\'\npunctuation = ['=']", "'next-section'", "setting"),
                ("quotes = [\"'\"]\nescape = 'doubled'\npunctuation = ['=']", "'indent'", "keep"),
                ("quotes = [\"'\", '\"']\nescape = 'both'\nquotes-matter = true", "['', 'end']", "refuse"),
            ];
            let all: Vec<String> = all.iter().map(|(grammar, delimiters, unknown)| statements(grammar, delimiters, unknown)).collect();
            library_of(&all.iter().map(|manners| ("statements", manners.as_str())).collect::<Vec<_>>())
        }
        "ini" => library_of(&[
            ("ini", "[ini]\nquotes = true\nheading = '{section} {k}'"),
            ("ini", "[ini]\nseparator = ':'\ncomments = ['!']"),
        ]),
        "csv" => library_of(&[("csv", "[csv]\nrow = 'a'"), ("csv", "[csv]\nrow = 'a'\nseparator = '\t'")]),
        "several" => library_of(&[(
            "",
            "[[file]]\npath = 'a.xml'\nat = 'a'\nformat = 'xml'\n[file.xml]\nroot = 'a'\n[[file]]\npath = 'a.json'\nat = 'b'\nformat = 'json'\n\
             [[file]]\npath = '{n}.yaml'\nat = 'y/{n}'\nformat = 'yaml'\n[[file]]\npath = 'a.db#{t}'\nat = 'a/{t}'\nformat = 'database'\n\
             [[file]]\npath = 'c.csv'\nat = 'c'\nformat = 'csv'\n[[file]]\npath = 'h'\nat = 'h'\nformat = 'checksums'\nalgorithm = 'sha-256'",
        )]),
        format => library_of(&[(format, "")]),
    })
}

fn source<'o>(name: &'o str, opened: &'o Opened) -> Source<'o> {
    Source {
        name,
        text: &opened.text,
        pieces: &opened.pieces,
        folders: &opened.folders,
        ..Source::new("", "")
    }
}

/// A way of redacting, by the bits of a number.
pub fn hiding(bits: u8) -> Redaction {
    Redaction {
        key: Key::new(b"a key of this target"),
        keeps_addresses: bits & 1 != 0,
        keeps_names: bits & 2 != 0,
        keeps_comments: bits & 4 != 0,
    }
}

/// What ships.
pub fn shipped() -> &'static Library {
    static LIBRARY: OnceLock<Library> = OnceLock::new();
    LIBRARY.get_or_init(|| {
        let mut library = Library::default();
        for profile in fordcross_profiles::PROFILES {
            let format = Format::named(profile.format).expect("it ships");
            library.add_profile(ProfileFile::shipped(
                profile.file,
                profile.text,
                profile.platform,
                format,
                profile.marker,
            ));
        }
        for crossing in fordcross_profiles::CROSSINGS {
            library.add_crossing(CrossingFile {
                file: crossing.file.into(),
                text: crossing.text.into(),
                from: Side::parse(crossing.from).expect("it ships"),
                to: Side::parse(crossing.to).expect("it ships"),
                checking: Checking::Shipped,
            });
        }
        fordcross_profiles::SHARED.iter().for_each(|shared| library.add_shared(shared.file, shared.text));
        library
    })
}

/// A way from one line to another, with a name that its backups have.
#[derive(Clone, Copy)]
pub struct Way {
    pub file: &'static str,
    pub base: &'static str,
    pub release: Option<&'static str>,
    pub to: (&'static str, &'static str, Option<&'static str>),
}

/// One of the shipped ways.
pub fn way(byte: u8) -> Way {
    const WAYS: [Way; 4] = [
        Way { file: "a.xml", base: "a.json", release: None, to: ("osier", "2.1", Some("8")) },
        Way { file: "interfaces", base: "a.yaml", release: None, to: ("netplan", "0.106", None) },
        Way {
            file: "postgresql.conf",
            base: "postgresql.conf",
            release: Some("12"),
            to: ("postgresql", "18", None),
        },
        Way { file: "pg_hba.conf", base: "pg_hba.conf", release: Some("10"), to: ("postgresql", "18", None) },
    ];
    WAYS[usize::from(byte) % WAYS.len()]
}

/// The profile of the old side, and the course from it.
struct Prepared {
    old: Profile,
    course: Vec<Leg>,
}

fn prepare(library: &Library, whole: &Profile, release: &str, to: Side) -> Option<Prepared> {
    let old = whole.at(release).ok()?;
    let from = Side { platform: old.platform.clone(), release: release.to_owned() };
    let course = library.legs(&from, &library.course(&from, &to).ok()?).ok()?;
    Some(Prepared { old, course })
}

/// The same for what ships, made once: reading it takes a thousand times longer than a small backup does.
fn prepared(library: &Library, whole: &Profile, release: &str, to: Side) -> Option<&'static Prepared> {
    type Known = HashMap<[String; 4], Option<&'static Prepared>>;
    thread_local! {
        static KNOWN: RefCell<Known> = RefCell::default();
    }
    let make = || prepare(library, whole, release, to.clone()).map(|made| &*Box::leak(Box::new(made)));
    let key = [&whole.platform, release, &to.platform, &to.release].map(str::to_owned);
    KNOWN.with_borrow_mut(|known| *known.entry(key).or_insert_with(make))
}

/// Carries a backup, into a base and with a map if there are any. What is written reads back as it was meant.
pub fn carried(library: &Library, way: Way, backup: &[u8], base: Option<&[u8]>, map: Option<&str>) {
    let limits = Limits { most: 1 << 20, ratio: Some(200), members: 100 };
    let opening = Opening { limits, ..Opening::default() };
    let Ok(opened) = open(way.file, backup.to_vec(), &opening) else { return };
    let Ok((tree, file)) = read(source(way.file, &opened), library, None) else { return };
    let whole = file.parse().expect("it was read before");
    let Ok(backup) = Backup::new(tree, whole, way.release) else { return };
    let (line, release, model) = way.to;
    let to = Side { platform: line.to_owned(), release: release.to_owned() };
    let own;
    let ready = if std::ptr::eq(library, shipped()) {
        prepared(library, whole, &backup.identity.read_as, to)
    } else {
        own = prepare(library, whole, &backup.identity.read_as, to);
        own.as_ref()
    };
    let Some(Prepared { old, course }) = ready else { return };
    let Some(last) = course.last() else { return };
    let opened_base = base.and_then(|base| open(way.base, base.to_vec(), &opening).ok());
    let base = opened_base.as_ref().and_then(|opened| {
        let (tree, file) = read(source(way.base, opened), library, None).ok()?;
        let base = Backup::new(tree, file.parse().ok()?, Some(release)).ok()?;
        (file.platform == line).then_some(base)
    });
    let new_model = model.and_then(|name| last.new.model(name).ok());
    let old_model = backup.identity.model.as_deref().and_then(|name| old.model(name).ok());
    let walk = Scan::new(&backup.tree, old, &course[0].crossing);
    let used = used_ports(&backup, &course[0], &walk);
    let names: Vec<&str> = used.iter().map(|port| port.name.as_str()).collect();
    let sides = MapSides {
        platforms: (&old.platform, line),
        unit: backup.identity.unit.as_deref(),
        old: old_model,
        new: new_model,
        used: &names,
    };
    let said = match map {
        Some(text) => match parse_map(Source::new("map.toml", text), &sides, MapUse::Carry) {
            Ok(map) => map,
            Err(findings) => return assert!(!findings.is_empty()),
        },
        None => MapFile::default(),
    };
    let grounds = Grounds {
        used: &used,
        old: old_model,
        new: new_model,
        crossing: &course[mapping_leg(course)].crossing,
        purpose: MapUse::Carry,
        marked: (&[], &[]),
        same_names: true,
    };
    let (proposals, _) = said.propose(&grounds, &backup);
    let mapping = Mapping::new("map.toml", &proposals, &said);
    let input = CarryInput {
        backup: &backup,
        course,
        model: new_model,
        proposals: &proposals,
        mapping: &mapping,
        answers: &[],
        severities: &[],
        accepted: &[],
        base: base.as_ref(),
        pins: fordcross_core::carry::PinnedDefaults::All,
        threads: Threads::Two,
    };
    let mut carried = carry(input, walk);
    let mut rows = Vec::new();
    let _ = carried.write(
        |writer| {
            let mut writer = writer.clone();
            let all = writer.len();
            writer.write_rows(0..all, &mut rows);
            assert_eq!(rows.iter().filter(|byte| **byte == b'\n').count(), all, "a row each");
        },
        |_| (),
    );
    let differs = carried.findings.iter().find(|finding| finding.code() == Code::ResultDiffers);
    assert!(differs.is_none(), "what was written is not what was meant: {differs:?}");
}

/// Opens a file and does all with it that needs no crossing.
pub fn take(name: &str, bytes: &[u8], library: &Library) {
    let limits = Limits { most: 1 << 22, ratio: Some(200), members: 100 };
    let opening = Opening { limits, ..Opening::default() };
    let Ok(opened) = open(name, bytes.to_vec(), &opening) else { return };
    let source = source(name, &opened);
    let _ = read(source, library, None);
    // More than one may take it, so that each is asked for.
    for file in library.profiles() {
        let said = ReadAs { platform: file.platform.to_string(), release: None };
        let Ok((tree, file)) = read(source, library, Some(&said)) else { continue };
        take_as(tree, file, &opened);
    }
}

fn take_as(tree: Tree<'_>, file: &ProfileFile, opened: &Opened) {
    let profile = file.parse().expect("it was read before");
    let Ok(backup) = Backup::new(tree, profile, Some("1")) else { return };
    let _ = survey(&backup, profile, jiff::civil::date(2026, 11, 25));
    let copy = redact(&backup, profile, &hiding(0));
    // Of one text it has as many lines; databases are made anew.
    if let [file] = copy.files.as_slice() {
        let lines = file.bytes.iter().filter(|byte| **byte == b'\n').count();
        assert!(file.path.ends_with(".db") || lines == opened.text.matches('\n').count());
    }
}

#[cfg(test)]
mod tests {
    /// A profile with a mistake would make its target find nothing.
    #[test]
    fn the_profiles_of_targets_are_in_order() {
        for format in ["statements", "ini", "csv", "several", "xml", "json", "yaml"] {
            assert!(!super::library(format).profiles().is_empty());
        }
    }
}
